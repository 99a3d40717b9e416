//! A command in a string, which is not executed.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::check::seen::TextSaid;
use crate::model::fact::Fact;

const COMMAND: &str = "{key} contains $(…), which is not executed";
const BACKTICKS: &str = "{key} contains a command in backticks, which is not executed";

pub(crate) static NOT_RUN: About = About::new(
    "not-run",
    Severity::Warning,
    "a command in a string, which is not executed",
    &[COMMAND, BACKTICKS],
    || Visit::Text(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, said: &TextSaid<'_>) {
    // What a process hands down went through its shell already.
    let is_told = !said.is_handed_down && !said.is_of_dialect;
    let why = not_run(said.text, said.is_shell_like).filter(|_| is_told);
    let Some(why) = why else { return };
    let finding =
        seen.finding(CheckRule(&NOT_RUN), Fact::new(why)).at(seen.spot(said.candidate, None));
    look.findings.add(finding.help("write the value itself: nothing in a file is ever executed"));
}

/// A command that a shell would run, as the form of a fact.
pub(crate) fn not_run(text: &str, is_shell_like: bool) -> Option<&'static str> {
    if let Some(at) = text.find("$(")
        && text[at..].contains(')')
    {
        return Some(COMMAND);
    }
    let mut ticks = text.match_indices('`');
    let (first, second) = (ticks.next(), ticks.next());
    // Elsewhere backticks are mostly a way of writing names in prose.
    let is_command = match (first, second) {
        (Some((0, _)), Some((end, _))) if end + 1 == text.len() => end > 1,
        (Some(_), Some(_)) => is_shell_like,
        _ => false,
    };
    is_command.then_some(BACKTICKS)
}
