//! A quote or a blank that was left at an end of a text.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::check::seen::TextSaid;

pub(crate) static STRAY_QUOTES: About = About::new(
    "stray-quotes",
    Severity::Warning,
    "a quote or blank left at an end of a text",
    || Visit::Text(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, said: &TextSaid<'_>) {
    let Some(why) = stray_quotes(said.text) else { return };
    let finding = seen.finding(CheckRule(&STRAY_QUOTES), why).at(seen.spot(said.candidate, None));
    look.findings.add(finding.help("take it out, if it was left by mistake"));
}

/// A quote or blank that was left at an end, as a clause.
pub(crate) fn stray_quotes(text: &str) -> Option<&'static str> {
    let inner = text.trim_matches([' ', '\t']);
    // A separator such as ", " is meant so, and so is a block of lines that are set in.
    if inner.is_empty() || text.contains('\n') || !inner.contains(|c: char| c.is_alphanumeric()) {
        return None;
    }
    if inner.len() < text.len() {
        return Some(match (text.starts_with([' ', '\t']), text.ends_with([' ', '\t'])) {
            (true, true) => "it has blanks at both ends",
            (true, false) => "it begins with a blank",
            _ => "it ends with a blank",
        });
    }
    for quote in ['"', '\''] {
        let count = text.matches(quote).count();
        let (starts, ends) = (text.starts_with(quote), text.ends_with(quote));
        if starts && ends && count == 2 {
            return Some("it is in quotes that are part of it");
        }
        // An apostrophe within a sentence is none of this.
        let is_word = !text.contains(' ');
        if count % 2 == 1 && starts {
            return Some("it begins with a quote that is never closed");
        }
        if count % 2 == 1 && ends && (is_word || quote == '"') {
            return Some("it ends with a quote that was never opened");
        }
    }
    None
}
