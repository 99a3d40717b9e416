//! Words as a POSIX shell splits and unquotes them, with places. Nothing is expanded.

use justwhy_core::Span;

/// A word: what it is after its quotes are removed, and where.
#[derive(Clone, Debug)]
pub(crate) struct Word {
    /// As it is written.
    pub(crate) at: Span,
    /// Without its quotes.
    pub(crate) text: String,
    /// The byte in the source of each byte of the text, and the end.
    starts: Vec<u32>,
    /// The first place that a shell would expand.
    pub(crate) expands: Option<Span>,
    /// Whether that is a `~`, which no dialect of references has.
    pub(crate) has_home: bool,
    /// The bytes of every `$` and backtick in the text that a shell leaves as it is.
    pub(crate) literal: Vec<u32>,
    /// The first place that a shell would match against files.
    pub(crate) matches_files: bool,
}

impl Word {
    /// Where the text from a byte on is.
    pub(crate) fn place(&self, byte: usize) -> Span {
        let start = self.starts.get(byte).map_or(self.at.end as usize, |it| *it as usize);
        // A quote in front belongs to the value.
        let start = match byte {
            0 => self.at.start as usize,
            _ => self.starts.get(byte - 1).map_or(start, |it| *it as usize + 1),
        };
        Span::new(start, self.at.end as usize)
    }

    /// The name and the byte after the first `=`, if it is an assignment.
    pub(crate) fn assignment(&self) -> Option<(&str, usize)> {
        let (name, _) = self.text.split_once('=')?;
        is_name(name).then_some((name, name.len() + 1))
    }
}

/// Whether it is the name of a variable.
pub(crate) fn is_name(name: &str) -> bool {
    let first = name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_');
    first && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_')
}

/// What ends the words of a command.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum End {
    /// The end of the line or of the text.
    Line,
    /// An operator, such as `|` or `;`, at that byte.
    Operator(usize),
}

/// The words of one command, what ends them, and the byte after that; or where a quote is never closed.
pub(crate) fn command(text: &str, from: usize) -> Result<(Vec<Word>, End, usize), usize> {
    let bytes = text.as_bytes();
    let (mut words, mut at) = (Vec::new(), from);
    loop {
        match bytes.get(at) {
            None => return Ok((words, End::Line, at)),
            Some(b'\n') => return Ok((words, End::Line, at + 1)),
            Some(b' ' | b'\t' | b'\r') => at += 1,
            Some(b'\\') if matches!(bytes.get(at + 1), Some(b'\n')) => at += 2,
            Some(b'\\') if text[at + 1..].starts_with("\r\n") => at += 3,
            Some(b'#') => {
                let end = text[at..].find('\n').map_or(text.len(), |end| at + end + 1);
                return Ok((words, End::Line, end));
            }
            Some(b'|' | b';' | b'&' | b'<' | b'>' | b'(' | b')') => {
                let operator = at;
                while matches!(bytes.get(at), Some(b'|' | b';' | b'&' | b'<' | b'>' | b'(' | b')'))
                {
                    at += 1;
                }
                return Ok((words, End::Operator(operator), at));
            }
            Some(_) => {
                let (word, after) = word(text, at)?;
                words.push(word);
                at = after;
            }
        }
    }
}

fn word(text: &str, from: usize) -> Result<(Word, usize), usize> {
    let bytes = text.as_bytes();
    let mut made = Word {
        at: Span::default(),
        text: String::new(),
        starts: Vec::new(),
        expands: None,
        has_home: false,
        literal: Vec::new(),
        matches_files: false,
    };
    let mut at = from;
    let mut quote: Option<(u8, usize)> = None;
    while let Some(byte) = bytes.get(at).copied() {
        match (quote.map(|it| it.0), byte) {
            (
                None,
                b' ' | b'\t' | b'\n' | b'\r' | b'|' | b';' | b'&' | b'<' | b'>' | b'(' | b')',
            ) => break,
            (None, b'\'' | b'"') => {
                quote = Some((byte, at));
                at += 1;
            }
            (Some(open), byte) if byte == open => {
                quote = None;
                at += 1;
            }
            (Some(b'\''), _) => at = made.push_literal(text, at),
            (open, b'\\') => {
                let next = bytes.get(at + 1).copied();
                let is_escape = match open {
                    None => next.is_some(),
                    Some(_) => matches!(next, Some(b'$' | b'`' | b'"' | b'\\' | b'\n')),
                };
                if !is_escape {
                    at = made.push(text, at);
                } else if next == Some(b'\n') {
                    at += 2;
                } else {
                    at = made.push_literal(text, at + 1);
                }
            }
            (_, b'$' | b'`') if expands(bytes, at) => {
                let end = expansion_end(text, at);
                made.expands.get_or_insert(Span::new(at, end));
                while at < end {
                    at = made.push(text, at);
                }
            }
            (open, _) => {
                if open.is_none()
                    && byte == b'~'
                    && (made.text.is_empty() || made.text.ends_with('='))
                {
                    made.expands.get_or_insert(Span::new(at, at + 1));
                    made.has_home = true;
                }
                made.matches_files |= open.is_none() && matches!(byte, b'*' | b'?' | b'[');
                at = made.push(text, at);
            }
        }
    }
    if let Some((_, open)) = quote {
        return Err(open);
    }
    made.at = Span::new(from, at);
    Ok((made, at))
}

impl Word {
    /// The same of a character that a shell does not look at.
    fn push_literal(&mut self, text: &str, at: usize) -> usize {
        if matches!(text.as_bytes().get(at), Some(b'$' | b'`')) {
            self.literal.push(u32::try_from(self.text.len()).unwrap_or(u32::MAX));
        }
        self.push(text, at)
    }

    /// Takes the character at a byte as it is; gives the byte after it.
    fn push(&mut self, text: &str, at: usize) -> usize {
        let Some(c) = text.get(at..).and_then(|rest| rest.chars().next()) else {
            return text.len();
        };
        for byte in 0..c.len_utf8() {
            self.starts.push(u32::try_from(at + byte).unwrap_or(u32::MAX));
        }
        self.text.push(c);
        at + c.len_utf8()
    }
}

fn expands(bytes: &[u8], at: usize) -> bool {
    match (bytes.get(at), bytes.get(at + 1)) {
        (Some(b'`'), _) => true,
        (_, Some(next)) => next.is_ascii_alphanumeric() || b"_{(@*#?$!-".contains(next),
        _ => false,
    }
}

/// The byte after what begins with `$` or a backtick.
fn expansion_end(text: &str, at: usize) -> usize {
    let rest = &text[at..];
    let close = |open: char, close: char| {
        let mut depth = 0_usize;
        for (offset, c) in rest.char_indices() {
            if c == open {
                depth += 1;
            } else if c == close {
                depth = depth.saturating_sub(1);
                if depth == 0 {
                    return offset + 1;
                }
            }
        }
        rest.len()
    };
    let length = if let Some(after) = rest.strip_prefix('`') {
        after.find('`').map_or(rest.len(), |end| end + 2)
    } else if rest.starts_with("${") {
        close('{', '}')
    } else if rest.starts_with("$(") {
        close('(', ')')
    } else {
        let name = rest[1..].find(|c: char| !c.is_ascii_alphanumeric() && c != '_');
        name.map_or(rest.len(), |end| (end + 1).max(2))
    };
    let mut end = (at + length).min(text.len());
    while !text.is_char_boundary(end) {
        end += 1;
    }
    end
}

/// A value in one word, as a shell takes it.
pub(crate) fn quoted(text: &str) -> String {
    let is_plain = |byte: u8| byte.is_ascii_alphanumeric() || b"._-=,:@/+%".contains(&byte);
    match text.bytes().all(is_plain) {
        true => text.to_owned(),
        false => format!("'{}'", text.replace('\'', "'\\''")),
    }
}
