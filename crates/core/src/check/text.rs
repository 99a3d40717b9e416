//! What single texts look like: quotes and blanks that were left, commands and variables that stay
//! literal.

/// A quote or blank that was left at an end, as a clause.
pub(super) fn stray_quotes(text: &str) -> Option<&'static str> {
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

/// A command that a shell would run, as a clause.
pub(super) fn not_run(text: &str, is_shell_like: bool) -> Option<&'static str> {
    if let Some(at) = text.find("$(")
        && text[at..].contains(')')
    {
        return Some("`$(…)` is not run here, it stays in the text");
    }
    let mut ticks = text.match_indices('`');
    let (first, second) = (ticks.next(), ticks.next());
    // Elsewhere backticks are mostly a way of writing names in prose.
    let is_command = match (first, second) {
        (Some((0, _)), Some((end, _))) if end + 1 == text.len() => end > 1,
        (Some(_), Some(_)) => is_shell_like,
        _ => false,
    };
    is_command.then_some("what stands in backticks is not run here, it stays in the text")
}

/// The first `$NAME` without braces that begins at none of the bytes in `literal`.
pub(super) fn bare_dollar<'t>(text: &'t str, literal: &[u32]) -> Option<&'t str> {
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
