//! A quote or a blank that was left at an end of a string.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::check::seen::TextSaid;
use crate::model::fact::Fact;

const BLANKS: &str = "{key} has blanks at both ends";
const BEGINS: &str = "{key} begins with a blank";
const ENDS: &str = "{key} ends with a blank";
const QUOTED: &str = "{key} has quotes that are part of its value";
const UNCLOSED: &str = "{key} begins with a quote that is never closed";
const UNOPENED: &str = "{key} ends with a quote that is never opened";

pub(crate) static STRAY_QUOTES: About = About::new(
    "stray-quotes",
    Severity::Warning,
    "a quote or blank at an end of a string",
    &[BLANKS, BEGINS, ENDS, QUOTED, UNCLOSED, UNOPENED],
    || Visit::Text(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, said: &TextSaid<'_>) {
    let Some(why) = stray_quotes(said.text) else { return };
    let finding =
        seen.finding(CheckRule(&STRAY_QUOTES), Fact::new(why)).at(seen.spot(said.candidate, None));
    look.findings.add(finding.help("remove it if it is a mistake"));
}

/// A quote or blank that was left at an end, as the form of a fact.
pub(crate) fn stray_quotes(text: &str) -> Option<&'static str> {
    let inner = text.trim_matches([' ', '\t']);
    // A separator such as ", " is meant so, and so is a block of lines that are set in.
    if inner.is_empty() || text.contains('\n') || !inner.contains(|c: char| c.is_alphanumeric()) {
        return None;
    }
    if inner.len() < text.len() {
        return Some(match (text.starts_with([' ', '\t']), text.ends_with([' ', '\t'])) {
            (true, true) => BLANKS,
            (true, false) => BEGINS,
            _ => ENDS,
        });
    }
    for quote in ['"', '\''] {
        let count = text.matches(quote).count();
        let (starts, ends) = (text.starts_with(quote), text.ends_with(quote));
        if starts && ends && count == 2 {
            return Some(QUOTED);
        }
        // An apostrophe within a sentence is none of this.
        let is_word = !text.contains(' ');
        if count % 2 == 1 && starts {
            return Some(UNCLOSED);
        }
        if count % 2 == 1 && ends && (is_word || quote == '"') {
            return Some(UNOPENED);
        }
    }
    None
}
