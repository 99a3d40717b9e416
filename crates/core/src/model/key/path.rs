//! Keys that are written out, before or without being interned.

use std::fmt;

/// The most segments that a key may have; the same as the greatest depth of a file.
pub const MAX_SEGMENTS: usize = 250;

/// A key as written: its segments, first to last, at least one.
#[derive(Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct KeyPath(Vec<String>);

/// Why a text is no key, with the byte at which it goes wrong.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct NameError {
    /// The byte offset in the text that was given.
    pub at: usize,
    /// What is wrong there.
    pub problem: &'static str,
}

impl fmt::Display for NameError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.problem)
    }
}

impl KeyPath {
    /// A key of one segment, whatever characters it holds.
    pub fn single(segment: impl Into<String>) -> KeyPath {
        KeyPath(vec![segment.into()])
    }

    /// A key of these segments; nothing if there are none.
    pub fn from_segments(segments: Vec<String>) -> Option<KeyPath> {
        (!segments.is_empty()).then_some(KeyPath(segments))
    }

    /// Reads `database."pool.max"`; the whole text must be the key.
    pub fn parse(text: &str) -> Result<KeyPath, NameError> {
        let (key, rest) = KeyPath::parse_start(text)?;
        if rest.is_empty() {
            return Ok(key);
        }
        let at = text.len() - rest.len();
        Err(NameError {
            at,
            problem: "a segment with other characters than A-Z, a-z, 0-9, `_` and `-` must be quoted",
        })
    }

    /// Reads a key at the start of `text` and gives what follows it.
    pub fn parse_start(text: &str) -> Result<(KeyPath, &str), NameError> {
        let mut segments = Vec::new();
        let mut rest = text;
        loop {
            let (segment, after) = parse_segment(rest, text.len())?;
            segments.push(segment);
            if segments.len() > MAX_SEGMENTS {
                return Err(NameError {
                    at: text.len() - rest.len(),
                    problem: "a key has at most 250 segments",
                });
            }
            rest = match after.strip_prefix('.') {
                Some(more) => more,
                None => return Ok((KeyPath(segments), after)),
            };
        }
    }

    /// The segments, first to last.
    pub fn segments(&self) -> impl Iterator<Item = &str> {
        self.0.iter().map(String::as_str)
    }
}

impl fmt::Display for KeyPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut shown = String::new();
        for (at, segment) in self.segments().enumerate() {
            if at > 0 {
                shown.push('.');
            }
            push_segment(&mut shown, segment);
        }
        f.write_str(&shown)
    }
}

fn is_bare(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || byte == b'_' || byte == b'-'
}

/// Writes one segment, quoted as in TOML if it has other characters than a bare one may.
pub(super) fn push_segment(out: &mut String, segment: &str) {
    if !segment.is_empty() && segment.bytes().all(is_bare) {
        out.push_str(segment);
    } else {
        crate::model::value::push_quoted(out, segment);
    }
}

/// Reads one segment; `whole` is the length of the text that `rest` ends.
fn parse_segment(rest: &str, whole: usize) -> Result<(String, &str), NameError> {
    let here = whole - rest.len();
    if let Some(inner) = rest.strip_prefix('\'') {
        let Some((segment, after)) = inner.split_once('\'') else {
            return Err(NameError { at: here, problem: "unterminated quote" });
        };
        return Ok((segment.to_owned(), after));
    }
    if let Some(inner) = rest.strip_prefix('"') {
        return parse_quoted(inner, here, whole);
    }
    let end = rest.bytes().position(|byte| !is_bare(byte)).unwrap_or(rest.len());
    if end == 0 {
        let problem = if rest.is_empty() || rest.starts_with('.') {
            "empty segment"
        } else {
            "a segment with other characters than A-Z, a-z, 0-9, `_` and `-` must be quoted"
        };
        return Err(NameError { at: here, problem });
    }
    Ok((rest[..end].to_owned(), &rest[end..]))
}

fn parse_quoted(inner: &str, here: usize, whole: usize) -> Result<(String, &str), NameError> {
    let mut segment = String::new();
    let mut chars = inner.char_indices();
    while let Some((at, c)) = chars.next() {
        match c {
            '"' => return Ok((segment, &inner[at + 1..])),
            '\\' => {
                let bad = NameError {
                    at: whole - inner.len() + at,
                    problem: "unknown escape; TOML has no such escape",
                };
                let Some((_, escape)) = chars.next() else {
                    return Err(bad);
                };
                let digits = match escape {
                    'u' => 4,
                    'U' => 8,
                    'b' => {
                        segment.push('\u{8}');
                        continue;
                    }
                    't' => {
                        segment.push('\t');
                        continue;
                    }
                    'n' => {
                        segment.push('\n');
                        continue;
                    }
                    'f' => {
                        segment.push('\u{c}');
                        continue;
                    }
                    'r' => {
                        segment.push('\r');
                        continue;
                    }
                    '"' | '\\' => {
                        segment.push(escape);
                        continue;
                    }
                    _ => return Err(bad),
                };
                let hex: String = chars.by_ref().take(digits).map(|(_, c)| c).collect();
                let read = u32::from_str_radix(&hex, 16).ok().and_then(char::from_u32);
                match read {
                    Some(c) if hex.len() == digits && !hex.starts_with('+') => segment.push(c),
                    _ => return Err(bad),
                }
            }
            c => segment.push(c),
        }
    }
    Err(NameError { at: here, problem: "unterminated quote" })
}
