//! A variable without braces in a string, which is not a reference.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::check::seen::TextSaid;
use crate::model::fact::Fact;

const LITERAL: &str = "{key} contains ${name}, which is not a reference and stays as it is";
const REFER: &str = "to refer to it, write ${{{name}}";
const READ: &str = "to read the environment variable, write ${{variable:{name}}";

pub(crate) static BARE_DOLLAR: About = About::new(
    "bare-dollar",
    Severity::Warning,
    "a variable without braces, which is not a reference",
    &[LITERAL],
    || Visit::Text(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, said: &TextSaid<'_>) {
    let is_told = !said.is_handed_down && !said.is_hidden && !said.is_of_dialect;
    let Some(name) = bare_dollar(said.text, said.literal).filter(|_| is_told) else { return };
    let finding = seen.finding(CheckRule(&BARE_DOLLAR), Fact::new(LITERAL).with("name", name));
    let help = Fact::new(if said.is_shell_like { REFER } else { READ }).with("name", name);
    look.findings.add(finding.at(seen.spot(said.candidate, None)).help(help));
}

/// The first `$NAME` without braces that begins at none of the bytes in `literal`.
pub(crate) fn bare_dollar<'t>(text: &'t str, literal: &[u32]) -> Option<&'t str> {
    for (at, _) in text.match_indices('$') {
        let is_literal = u32::try_from(at).is_ok_and(|at| literal.binary_search(&at).is_ok());
        let is_doubled = text[..at].ends_with('$');
        let rest = &text[at + 1..];
        let is_part = |c: char| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_';
        let end = rest.find(|c: char| !is_part(c)).unwrap_or(rest.len());
        let name = &rest[..end];
        let goes_on = rest[end..].starts_with(|c: char| c.is_alphanumeric());
        let begins = name.starts_with(|c: char| c.is_ascii_uppercase());
        if !is_literal && !is_doubled && !goes_on && begins && name.len() >= 2 {
            return Some(name);
        }
    }
    None
}
