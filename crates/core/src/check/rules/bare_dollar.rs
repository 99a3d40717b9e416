//! A variable without braces in a text, which stays literal.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::check::seen::TextSaid;

pub(crate) static BARE_DOLLAR: About = About::new(
    "bare-dollar",
    Severity::Warning,
    "a variable without braces, which stays literal",
    || Visit::Text(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, said: &TextSaid<'_>) {
    let is_told = !said.is_handed_down && !said.is_hidden;
    let Some(name) = bare_dollar(said.text, said.literal).filter(|_| is_told) else { return };
    let message = format!("${name} is no reference here, it stays in the text");
    let finding = seen.finding(CheckRule(&BARE_DOLLAR), message);
    look.findings.add(finding.at(seen.spot(said.candidate, None)).help(match said.is_shell_like {
        true => format!("write ${{{name}}} if it is meant as one"),
        false => format!("write ${{variable:{name}}} if the process variable is meant"),
    }));
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
