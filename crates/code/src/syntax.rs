//! What of a text is code, comment or string.

use std::borrow::Cow;

mod languages;
#[cfg(test)]
mod tests;

pub use languages::Syntax;
use languages::{LANGUAGES, PLAIN, Quote};

/// What a stretch of a text is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Piece {
    /// Code.
    Code,
    /// A comment.
    Comment,
    /// A string, with its quotes.
    Text,
    /// A string in which nothing is expanded, in languages that expand in others.
    Verbatim,
}

impl std::fmt::Debug for Syntax {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name)
    }
}

impl PartialEq for &'static Syntax {
    fn eq(&self, other: &&'static Syntax) -> bool {
        self.name == other.name
    }
}

impl Syntax {
    /// One that has neither comments nor strings.
    pub(crate) const fn nothing() -> Syntax {
        PLAIN
    }

    /// The language that the name of a file shows.
    pub fn of_path(path: &str) -> Option<&'static Syntax> {
        let name = path.rsplit(['/', '\\']).next().unwrap_or(path);
        let lower = name.to_ascii_lowercase();
        let ending = lower.rsplit_once('.').map_or("", |(_, ending)| ending);
        if let Some(known) = LANGUAGES.iter().find(|it| it.endings.contains(&ending)) {
            return Some(known);
        }
        match lower.split('.').next().unwrap_or_default() {
            "dockerfile" | "containerfile" => Syntax::named("containerfile"),
            "rakefile" | "gemfile" | "vagrantfile" | "fastfile" => Syntax::named("ruby"),
            "jenkinsfile" => Syntax::named("kotlin"),
            "makefile" | "gnumakefile" | "justfile" => Syntax::named("hash"),
            _ => None,
        }
    }

    /// The same, with the first line of the file where its name shows nothing: `#!/bin/sh`.
    pub fn of_file(path: &str, text: &[u8]) -> Option<&'static Syntax> {
        if let Some(known) = Syntax::of_path(path) {
            return Some(known);
        }
        let first = text.strip_prefix(b"#!")?;
        let end = memchr::memchr(b'\n', first).unwrap_or(first.len()).min(200);
        let line = std::str::from_utf8(&first[..end]).ok()?;
        let mut words =
            line.split_ascii_whitespace().map(|word| word.rsplit('/').next().unwrap_or(word));
        let program = words.find(|word| *word != "env" && !word.starts_with('-'))?;
        let program = program.trim_end_matches(|c: char| c.is_ascii_digit() || c == '.');
        Syntax::named(match program {
            "sh" | "bash" | "dash" | "zsh" | "ksh" => "shell",
            "node" | "deno" | "bun" => "node",
            "python" | "ruby" | "php" => program,
            "perl" => "hash",
            _ => return None,
        })
    }

    /// Whether it writes its values as strings, so that what is none is none.
    pub fn has_strings(&self) -> bool {
        !self.quotes.is_empty() && self.name != "shell"
    }

    /// The language of that name.
    pub fn named(name: &str) -> Option<&'static Syntax> {
        LANGUAGES.iter().find(|it| it.name == name)
    }

    /// What of a text is what.
    pub fn pieces(&'static self, text: &[u8]) -> Pieces {
        let mut lexer = Lexer { syntax: self, text, at: 0, pieces: Vec::new(), open: Vec::new() };
        lexer.run();
        Pieces { pieces: lexer.pieces }
    }
}

/// What of a text is what: stretches one after the other.
#[derive(Clone, Debug, Default)]
pub struct Pieces {
    /// What begins where.
    pieces: Vec<(u32, Piece)>,
}

impl Pieces {
    /// What the byte at `at` is in.
    pub fn at(&self, at: usize) -> Piece {
        let after = self.pieces.partition_point(|(start, _)| *start as usize <= at);
        match after.checked_sub(1) {
            Some(number) => self.pieces[number].1,
            None => Piece::Code,
        }
    }

    /// The text with spaces in place of its comments: every other byte is where it was.
    pub fn without_comments<'t>(&self, text: &'t [u8]) -> Cow<'t, [u8]> {
        if !self.pieces.iter().any(|(_, piece)| *piece == Piece::Comment) {
            return Cow::Borrowed(text);
        }
        let mut bare = text.to_vec();
        for (number, (start, piece)) in self.pieces.iter().enumerate() {
            if *piece == Piece::Comment {
                let end = self.pieces.get(number + 1).map_or(text.len(), |(end, _)| *end as usize);
                for byte in &mut bare[*start as usize..end] {
                    if *byte != b'\n' {
                        *byte = b' ';
                    }
                }
            }
        }
        Cow::Owned(bare)
    }
}

/// Code within a string: how it ends, and the string around it.
struct Open {
    begins: u8,
    ends: u8,
    depth: usize,
    quote: &'static Quote,
}

struct Lexer<'t> {
    syntax: &'static Syntax,
    text: &'t [u8],
    at: usize,
    pieces: Vec<(u32, Piece)>,
    open: Vec<Open>,
}

/// Strings within code within strings: more is nobody's program.
const DEEPEST: usize = 64;

impl Lexer<'_> {
    fn begin(&mut self, at: usize, piece: Piece) {
        let start = u32::try_from(at).unwrap_or(u32::MAX);
        match self.pieces.last_mut() {
            Some((last, of)) if *last == start => *of = piece,
            Some((_, of)) if *of == piece => {}
            _ => self.pieces.push((start, piece)),
        }
    }

    fn starts_with(&self, what: &str) -> bool {
        self.text[self.at..].starts_with(what.as_bytes())
    }

    fn run(&mut self) {
        let mut bodies: Vec<Vec<u8>> = Vec::new();
        while self.at < self.text.len() {
            let byte = self.text[self.at];
            if byte == b'\n' {
                if let Some((open, _)) = self.syntax.block
                    && open.starts_with('\n')
                    && self.starts_with(open)
                {
                    self.block();
                    continue;
                }
                self.at += 1;
                for end in std::mem::take(&mut bodies) {
                    self.body(&end);
                }
                continue;
            }
            if let Some(open) = self.open.last_mut() {
                if byte == open.begins {
                    open.depth += 1;
                } else if byte == open.ends {
                    open.depth -= 1;
                    if open.depth == 0 {
                        let quote = open.quote;
                        self.open.pop();
                        self.begin(self.at, piece_of(quote));
                        self.at += 1;
                        self.string(quote, self.syntax.inner);
                        continue;
                    }
                }
            }
            if !self.is_plain(byte) && self.special(&mut bodies) {
                continue;
            }
            self.at += 1;
        }
    }

    /// Whether nothing that matters begins with the byte.
    fn is_plain(&self, byte: u8) -> bool {
        byte.is_ascii_alphanumeric() || matches!(byte, b' ' | b'_' | b'\t') || byte >= 0x80
    }

    /// A comment, a string or the like that begins here.
    fn special(&mut self, bodies: &mut Vec<Vec<u8>>) -> bool {
        let syntax = self.syntax;
        if syntax.by_words && self.text[self.at] == b'\\' {
            self.at = (self.at + 2).min(self.text.len());
            return true;
        }
        if syntax.line.iter().any(|mark| self.starts_with(mark)) && self.begins_comment() {
            self.begin(self.at, Piece::Comment);
            self.at = memchr::memchr(b'\n', &self.text[self.at..])
                .map_or(self.text.len(), |end| self.at + end);
            self.begin(self.at, Piece::Code);
            return true;
        }
        if let Some((open, _)) = syntax.block
            && self.starts_with(open)
        {
            self.block();
            return true;
        }
        if let Some(mark) = syntax.here
            && self.starts_with(mark)
            && let Some((end, name)) = self.here(mark)
        {
            bodies.push(name);
            self.at = end;
            return true;
        }
        if syntax.has_patterns && self.text[self.at] == b'/' && self.may_be_pattern() {
            return self.pattern();
        }
        if syntax.has_lifetimes && self.rust_quote() {
            return true;
        }
        let Some(quote) = syntax.quotes.iter().find(|quote| self.starts_with(quote.open)) else {
            return false;
        };
        self.begin(self.at, piece_of(quote));
        let mut marks = self.text[..self.at].iter().rev().take(3);
        let is_raw_at = self.syntax.name == "dotnet" && marks.clone().take(2).any(|it| *it == b'@');
        let has_inner = syntax.inner_after.is_empty()
            || syntax.inner_after == quote.open.as_bytes()
            || marks
                .by_ref()
                .take_while(|it| b"fFrRbB$@".contains(it))
                .any(|it| syntax.inner_after.contains(it));
        self.at += quote.open.len();
        if is_raw_at && quote.open == "\"" {
            self.doubled();
            return true;
        }
        let inner = if has_inner && !quote.is_verbatim { syntax.inner } else { &[] };
        self.string(quote, inner);
        true
    }

    /// `#` is no comment in `$#`, `${#x}` or `a#b`; `//` is none in an address outside of strings.
    fn begins_comment(&self) -> bool {
        if !self.syntax.by_words {
            return !(self.syntax.name == "php" && self.starts_with("#["));
        }
        match self.at.checked_sub(1).map(|before| self.text[before]) {
            None => true,
            Some(before) => before.is_ascii_whitespace() || b";|&()`".contains(&before),
        }
    }

    fn block(&mut self) {
        let Some((open, close)) = self.syntax.block else { return };
        self.begin(self.at, Piece::Comment);
        let from = self.at + open.len().min(self.text.len() - self.at);
        let end = memchr::memmem::find(&self.text[from..], close.as_bytes());
        self.at = end.map_or(self.text.len(), |end| from + end + close.len());
        self.begin(self.at, Piece::Code);
    }

    /// Goes past the rest of a string, or to the code in it.
    fn string(&mut self, quote: &'static Quote, inner: &'static [(&'static str, u8, u8)]) {
        while self.at < self.text.len() {
            let byte = self.text[self.at];
            if byte == b'\\' && quote.escapes {
                self.at += 2;
                continue;
            }
            if byte == b'\n' && !quote.is_long {
                break;
            }
            if self.starts_with(quote.close) {
                self.at += quote.close.len();
                break;
            }
            let code = inner.iter().find(|(open, ..)| self.starts_with(open));
            if let Some((open, begins, ends)) = code
                && self.open.len() < DEEPEST
            {
                // `{{` is a brace in strings where `{` begins code.
                if open.len() == 1 && self.text.get(self.at + 1) == Some(begins) {
                    self.at += 2;
                    continue;
                }
                self.at += open.len();
                self.begin(self.at, Piece::Code);
                self.open.push(Open { begins: *begins, ends: *ends, depth: 1, quote });
                return;
            }
            self.at += 1;
        }
        self.at = self.at.min(self.text.len());
        self.begin(self.at, Piece::Code);
    }

    /// A string in which two quotes are one.
    fn doubled(&mut self) {
        while let Some(end) = memchr::memchr(b'"', &self.text[self.at..]) {
            self.at += end + 1;
            if self.text.get(self.at) != Some(&b'"') {
                self.begin(self.at, Piece::Code);
                return;
            }
            self.at += 1;
        }
        self.at = self.text.len();
    }

    /// The end of what names a document within the text, and the name with which it ends.
    fn here(&self, mark: &str) -> Option<(usize, Vec<u8>)> {
        let mut at = self.at + mark.len();
        if mark == "<<" && self.text.get(at) == Some(&b'<') {
            return None;
        }
        let is_marked = self.text.get(at).is_some_and(|byte| b"-~".contains(byte));
        at += usize::from(is_marked);
        while mark == "<<<" && self.text.get(at) == Some(&b' ') {
            at += 1;
        }
        let quote = self.text.get(at).copied().filter(|byte| b"'\"".contains(byte));
        at += usize::from(quote.is_some());
        let name: Vec<u8> = self.text[at..]
            .iter()
            .copied()
            .take_while(|byte| byte.is_ascii_alphanumeric() || *byte == b'_')
            .collect();
        // `1 << 2`, and what only looks like it in a language with shifts.
        let first = *name.first()?;
        if first.is_ascii_digit()
            || self.syntax.name == "ruby" && !is_marked && !first.is_ascii_uppercase()
        {
            return None;
        }
        at += name.len() + usize::from(quote.is_some());
        Some((at.min(self.text.len()), name))
    }

    /// Goes past a document within the text.
    fn body(&mut self, end: &[u8]) {
        self.begin(self.at, Piece::Text);
        while self.at < self.text.len() {
            let rest = &self.text[self.at..];
            let length = memchr::memchr(b'\n', rest).map_or(rest.len(), |end| end + 1);
            let line = rest[..length].trim_ascii();
            let is_end = line.strip_prefix(end).is_some_and(|after| {
                after.first().is_none_or(|byte| !byte.is_ascii_alphanumeric() && *byte != b'_')
            });
            if is_end {
                break;
            }
            self.at += length;
        }
        self.begin(self.at, Piece::Code);
    }

    /// Whether a value can be here, so that `/` is no division.
    fn may_be_pattern(&self) -> bool {
        let before = self.text[..self.at].trim_ascii_end();
        let Some(last) = before.last() else { return true };
        if last.is_ascii_alphanumeric() || *last == b'_' {
            let word = before.rsplit(|byte| !byte.is_ascii_alphanumeric()).next();
            return matches!(word, Some(b"return" | b"typeof" | b"case" | b"in" | b"of"));
        }
        b"=(,:[!&|?{};+~<".contains(last)
    }

    fn pattern(&mut self) -> bool {
        /// A longer one is none.
        const LONGEST: usize = 2_000;
        let (mut at, mut in_class) = (self.at + 1, false);
        while let Some(byte) = self.text.get(at).filter(|_| at - self.at < LONGEST) {
            match byte {
                b'\\' => at += 1,
                b'\n' => return false,
                b'[' => in_class = true,
                b']' => in_class = false,
                b'/' if !in_class => {
                    self.begin(self.at, Piece::Text);
                    self.at = at + 1;
                    self.begin(self.at, Piece::Code);
                    return true;
                }
                _ => {}
            }
            at += 1;
        }
        false
    }

    /// A character, a lifetime or a raw string of Rust.
    fn rust_quote(&mut self) -> bool {
        let rest = &self.text[self.at..];
        if rest[0] == b'\'' {
            let length = match rest.get(1) {
                Some(b'\\') => {
                    memchr::memchr(b'\'', rest.get(3..).unwrap_or_default()).map(|end| end + 4)
                }
                Some(_) => {
                    let text = rest.get(1..6.min(rest.len())).unwrap_or_default();
                    let end = memchr::memchr(b'\'', text);
                    end.filter(|end| {
                        std::str::from_utf8(&text[..*end]).is_ok_and(|it| it.chars().count() == 1)
                    })
                    .map(|end| end + 2)
                }
                None => None,
            };
            match length {
                Some(length) => {
                    self.begin(self.at, Piece::Text);
                    self.at = (self.at + length).min(self.text.len());
                    self.begin(self.at, Piece::Code);
                }
                None => self.at += 1,
            }
            return true;
        }
        if rest[0] != b'"' && rest[0] != b'#' {
            return false;
        }
        // The letter before it was passed already.
        let hashes = rest.iter().take_while(|byte| **byte == b'#').count();
        let is_raw = self.at.checked_sub(1).is_some_and(|before| self.text[before] == b'r')
            && rest.get(hashes) == Some(&b'"');
        if !is_raw {
            return false;
        }
        self.begin(self.at, Piece::Text);
        let mut close = vec![b'"'];
        close.resize(hashes + 1, b'#');
        let from = hashes + 1;
        let end = memchr::memmem::find(&rest[from..], &close);
        self.at = end.map_or(self.text.len(), |end| self.at + from + end + close.len());
        self.begin(self.at, Piece::Code);
        true
    }
}

fn piece_of(quote: &Quote) -> Piece {
    if quote.is_verbatim { Piece::Verbatim } else { Piece::Text }
}
