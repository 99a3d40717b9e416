//! Patterns of keys.

use crate::model::key::{KeyId, Keys, NameError, folded};

#[cfg(test)]
mod tests;

/// A pattern of keys: `*` is any run of characters within a segment, `**` any number of segments,
/// none included, so that `audit.**` matches `audit` too.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Pattern(Vec<PatternPart>);

#[derive(Clone, PartialEq, Eq, Debug)]
enum PatternPart {
    AnySegments,
    /// The literal texts between the stars; one text if there is no star.
    Segment(Vec<String>),
}

impl Pattern {
    /// Whether `text` can only be read as a pattern, not as a key.
    pub fn has_wildcard(text: &str) -> bool {
        let mut quote = None;
        for c in text.chars() {
            match (quote, c) {
                (None, '*') => return true,
                (None, '"' | '\'') => quote = Some(c),
                (Some(open), c) if open == c => quote = None,
                _ => {}
            }
        }
        false
    }

    /// Reads a pattern: a key in which segments may hold `*` or be `**`.
    pub fn parse(text: &str) -> Result<Pattern, NameError> {
        let mut parts = Vec::new();
        let mut rest = text;
        loop {
            let here = text.len() - rest.len();
            let after = if rest.starts_with(['"', '\'']) {
                let end = quoted_end(rest)
                    .ok_or(NameError { at: here, problem: "unterminated quote" })?;
                let (key, _) = crate::model::key::KeyPath::parse_start(&rest[..end])
                    .map_err(|error| NameError { at: error.at + here, ..error })?;
                parts.push(PatternPart::Segment(key.segments().map(str::to_owned).collect()));
                &rest[end..]
            } else {
                let end = rest.find('.').unwrap_or(rest.len());
                parts.push(segment(&rest[..end], here)?);
                &rest[end..]
            };
            match after.strip_prefix('.') {
                Some(more) => rest = more,
                None if after.is_empty() => return Ok(Pattern(parts)),
                None => {
                    let at = text.len() - after.len();
                    return Err(NameError { at, problem: "a dot must follow a quoted segment" });
                }
            }
        }
    }

    /// Whether the pattern matches `key`.
    pub fn matches(&self, keys: &Keys, key: KeyId) -> bool {
        match keys.is_loose() {
            true => self.matches_loosely(&keys.segments(key)),
            false => self.matches_segments(&keys.segments(key)),
        }
    }

    /// Whether the pattern matches a key that is written so.
    pub fn matches_text(&self, key: &str) -> bool {
        let path = crate::model::key::KeyPath::parse(key);
        path.is_ok_and(|path| self.matches_segments(&path.segments().collect::<Vec<_>>()))
    }

    /// Whether the pattern matches the key, or could match one above or below it.
    pub(crate) fn could_meet(&self, keys: &Keys, key: KeyId) -> bool {
        let is_loose = keys.is_loose();
        for (part, segment) in self.0.iter().zip(keys.segments(key)) {
            let matches = || match is_loose {
                true => part.folded().matches(&folded(segment).as_ref()),
                false => part.matches(&segment),
            };
            match part {
                PatternPart::AnySegments => return true,
                _ if !matches() => return false,
                _ => {}
            }
        }
        true
    }

    /// The same where case, `-` and `_` do not count.
    fn matches_loosely(&self, segments: &[&str]) -> bool {
        let parts: Vec<PatternPart> = self.0.iter().map(PatternPart::folded).collect();
        let segments: Vec<String> = segments.iter().map(|it| folded(it).into_owned()).collect();
        let segments: Vec<&str> = segments.iter().map(String::as_str).collect();
        Pattern(parts).matches_segments(&segments)
    }

    /// Whether the pattern matches a key of these segments.
    pub fn matches_segments(&self, segments: &[&str]) -> bool {
        match_run(&self.0, segments, |part| *part == PatternPart::AnySegments, PatternPart::matches)
    }
}

impl PatternPart {
    fn folded(&self) -> PatternPart {
        match self {
            PatternPart::AnySegments => PatternPart::AnySegments,
            PatternPart::Segment(literals) => {
                PatternPart::Segment(literals.iter().map(|it| folded(it).into_owned()).collect())
            }
        }
    }

    fn matches(&self, text: &&str) -> bool {
        match self {
            PatternPart::AnySegments => true,
            PatternPart::Segment(literals) => is_between_stars(literals, text),
        }
    }
}

/// Whether a text is these literals with any run of characters between each two.
pub(crate) fn is_between_stars<S: AsRef<str>>(literals: &[S], text: &str) -> bool {
    let [first, between @ ..] = literals else {
        return text.is_empty();
    };
    let [between @ .., last] = between else {
        return text == first.as_ref();
    };
    let Some(rest) = text.strip_prefix(first.as_ref()) else {
        return false;
    };
    let Some(mut rest) = rest.strip_suffix(last.as_ref()) else {
        return false;
    };
    for literal in between {
        // The leftmost place leaves the most for the literals that follow.
        match rest.find(literal.as_ref()) {
            Some(at) => rest = &rest[at + literal.as_ref().len()..],
            None => return false,
        }
    }
    true
}

/// Matches items against parts of which some stand for any run of items, without recursion: only
/// the last such part is ever tried again, which is enough, as an earlier one could do no better.
fn match_run<P, I>(
    parts: &[P],
    items: &[I],
    is_any_run: impl Fn(&P) -> bool,
    matches: impl Fn(&P, &I) -> bool,
) -> bool {
    let (mut part, mut item) = (0, 0);
    let mut retry: Option<(usize, usize)> = None;
    while item < items.len() {
        if part < parts.len() && is_any_run(&parts[part]) {
            part += 1;
            retry = Some((part, item));
        } else if part < parts.len() && matches(&parts[part], &items[item]) {
            part += 1;
            item += 1;
        } else if let Some((after, from)) = retry {
            part = after;
            item = from + 1;
            retry = Some((after, from + 1));
        } else {
            return false;
        }
    }
    parts[part..].iter().all(is_any_run)
}

fn segment(text: &str, here: usize) -> Result<PatternPart, NameError> {
    if text == "**" {
        return Ok(PatternPart::AnySegments);
    }
    if text.is_empty() {
        return Err(NameError { at: here, problem: "empty segment" });
    }
    let fine = |c: char| c.is_ascii_alphanumeric() || matches!(c, '_' | '-' | '*');
    if let Some((at, _)) = text.char_indices().find(|(_, c)| !fine(*c)) {
        let problem =
            "a segment with other characters than A-Z, a-z, 0-9, `_`, `-` and `*` must be quoted";
        return Err(NameError { at: here + at, problem });
    }
    Ok(PatternPart::Segment(text.split('*').map(str::to_owned).collect()))
}

/// The byte after the quote that closes the one that `text` begins with.
fn quoted_end(text: &str) -> Option<usize> {
    let quote = text.chars().next()?;
    let mut escaped = false;
    for (at, c) in text.char_indices().skip(1) {
        match c {
            _ if escaped => escaped = false,
            '\\' if quote == '"' => escaped = true,
            c if c == quote => return Some(at + 1),
            _ => {}
        }
    }
    None
}
