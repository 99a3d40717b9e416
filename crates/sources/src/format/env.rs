//! Env files: lines of `NAME=VALUE`. Our own format, so that every place is exact and nothing is
//! ever executed.

use crate::Limits;
use crate::tree::{Fault, shown_name};
use hashbrown::HashMap;
use justwhy_core::{Document, KeyId, Keys, Leaf, Span, Value};

/// Reads the lines of a text.
pub(crate) fn read(text: &str, keys: &mut Keys, limits: Limits) -> Result<Document, Fault> {
    let mut scanner = Scanner { text, at: 0 };
    let mut document = Document::default();
    let mut names: HashMap<KeyId, Span> = HashMap::new();
    while let Some((name_at, value_at, value)) = scanner.line()? {
        let name = &text[name_at.start as usize..name_at.end as usize];
        let key = keys.child(KeyId::ROOT, name);
        if let Some(first) = names.insert(key, name_at) {
            return Err(Fault::repeated(name, name_at, first));
        }
        if names.len() > limits.nodes {
            return Err(Fault::past_limit(name_at, "nodes", limits.nodes as u64, "values"));
        }
        let value = Value::Text(value.into());
        document.leaves.push(Leaf { name: key, value, at: Some(value_at) });
    }
    Ok(document)
}

struct Scanner<'s> {
    text: &'s str,
    at: usize,
}

type Line = (Span, Span, String);

impl<'s> Scanner<'s> {
    fn rest(&self) -> &'s str {
        &self.text[self.at..]
    }

    fn peek(&self) -> Option<u8> {
        self.text.as_bytes().get(self.at).copied()
    }

    fn skip_blanks(&mut self) {
        while matches!(self.peek(), Some(b' ' | b'\t')) {
            self.at += 1;
        }
    }

    fn skip_line(&mut self) {
        self.at = self.rest().find('\n').map_or(self.text.len(), |end| self.at + end + 1);
    }

    fn is_at_line_end(&self) -> bool {
        let rest = self.rest();
        rest.is_empty() || rest.starts_with('\n') || rest.starts_with("\r\n") || rest == "\r"
    }

    fn here(&self) -> Span {
        Span::new(self.at, self.at)
    }

    /// The next line with a variable: where its name stands, where its value does, and the value.
    fn line(&mut self) -> Result<Option<Line>, Fault> {
        loop {
            self.skip_blanks();
            if self.rest().is_empty() {
                return Ok(None);
            }
            if self.is_at_line_end() || self.peek() == Some(b'#') {
                self.skip_line();
                continue;
            }
            return self.variable().map(Some);
        }
    }

    fn variable(&mut self) -> Result<Line, Fault> {
        let mut name_at = self.name()?;
        let word = &self.text[name_at.start as usize..name_at.end as usize];
        if word == "export" && matches!(self.peek(), Some(b' ' | b'\t')) {
            let before = self.at;
            self.skip_blanks();
            if self.peek() == Some(b'=') {
                self.at = before;
            } else {
                name_at = self.name()?;
            }
        }
        let name = shown_name(&self.text[name_at.start as usize..name_at.end as usize]);
        if matches!(self.peek(), Some(b' ' | b'\t')) {
            let blank = self.here();
            self.skip_blanks();
            return Err(match self.peek() {
                Some(b'=') => spaces(blank),
                _ => Fault::new(blank, format!("expected `=` right after {name}"))
                    .help("write NAME=VALUE"),
            });
        }
        if self.peek() != Some(b'=') {
            return Err(Fault::new(self.here(), format!("expected `=` right after {name}"))
                .help("write NAME=VALUE; a name is made of letters, digits and _"));
        }
        self.at += 1;
        let start = self.at;
        let value = match self.peek() {
            Some(b'\'') => self.single_quoted()?,
            Some(b'"') => self.double_quoted()?,
            _ => return self.unquoted(name_at),
        };
        let value_at = Span::new(start, self.at);
        self.only_a_comment_follows()?;
        Ok((name_at, value_at, value))
    }

    fn name(&mut self) -> Result<Span, Fault> {
        let start = self.at;
        let is_name = |byte: u8| byte.is_ascii_alphanumeric() || byte == b'_';
        let length = self.rest().bytes().position(|byte| !is_name(byte));
        self.at += length.unwrap_or(self.rest().len());
        let first = self.text.as_bytes().get(start).copied();
        if self.at == start || first.is_some_and(|byte| byte.is_ascii_digit()) {
            return Err(Fault::new(Span::new(start, start), "expected the name of a variable")
                .help(
                    "a line is NAME=VALUE, empty, or a comment that begins with #; a name is \
                       made of letters, digits and _ and does not begin with a digit",
                ));
        }
        Ok(Span::new(start, self.at))
    }

    fn unquoted(&mut self, name_at: Span) -> Result<Line, Fault> {
        let start = self.at;
        let whole = &self.rest()[..self.rest().find('\n').unwrap_or(self.rest().len())];
        let whole = whole.strip_suffix('\r').unwrap_or(whole);
        let bytes = whole.as_bytes();
        let is_blank = |byte: u8| byte == b' ' || byte == b'\t';
        let comment = (1..bytes.len()).find(|&at| bytes[at] == b'#' && is_blank(bytes[at - 1]));
        let value = whole[..comment.unwrap_or(whole.len())].trim_end_matches([' ', '\t']);
        if value.starts_with([' ', '\t']) {
            return Err(spaces(Span::new(start, start)));
        }
        let value_at = Span::new(start, start + value.len());
        self.skip_line();
        Ok((name_at, value_at, value.to_owned()))
    }

    fn single_quoted(&mut self) -> Result<String, Fault> {
        let open = self.at;
        self.at += 1;
        let Some(length) = self.rest().find('\'') else {
            return Err(never_closed(open));
        };
        let value = self.rest()[..length].replace("\r\n", "\n");
        self.at += length + 1;
        Ok(value)
    }

    fn double_quoted(&mut self) -> Result<String, Fault> {
        let open = self.at;
        self.at += 1;
        let mut value = String::new();
        loop {
            let Some(length) = self.rest().find(['"', '\\', '\r']) else {
                return Err(never_closed(open));
            };
            value.push_str(&self.rest()[..length]);
            self.at += length;
            match self.peek() {
                Some(b'"') => {
                    self.at += 1;
                    return Ok(value);
                }
                Some(b'\\') => {
                    let escaped = self.text.as_bytes().get(self.at + 1).copied();
                    let (taken, c) = match escaped {
                        Some(b'n') => (2, '\n'),
                        Some(b'r') => (2, '\r'),
                        Some(b't') => (2, '\t'),
                        Some(byte @ (b'"' | b'\\' | b'$')) => (2, byte as char),
                        // Other backslashes stay.
                        _ => (1, '\\'),
                    };
                    value.push(c);
                    self.at += taken;
                }
                // A line end of the file, whatever system wrote it, is one line end of the value.
                _ => {
                    if !self.rest().starts_with("\r\n") {
                        value.push('\r');
                    }
                    self.at += 1;
                }
            }
        }
    }

    fn only_a_comment_follows(&mut self) -> Result<(), Fault> {
        self.skip_blanks();
        if !self.is_at_line_end() && self.peek() != Some(b'#') {
            return Err(Fault::new(self.here(), "something follows the closing quote")
                .help("quote the whole value; only blanks and a comment may follow it"));
        }
        self.skip_line();
        Ok(())
    }
}

fn spaces(at: Span) -> Fault {
    Fault::new(at, "there are spaces around `=`").help("write NAME=VALUE without spaces")
}

fn never_closed(open: usize) -> Fault {
    Fault::new(Span::new(open, open), "the quote that opens here is never closed")
}
