//! Env files: lines of `NAME=VALUE`. Our own format, so that every place is exact and nothing is
//! ever executed.

use crate::Limits;
use crate::edit::lines::{self, text_of};
use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::splice::{Splice, Way, line_end, line_start, names, whole_lines};
use crate::tree::{Kind, Node, NodeId, Tree};
use crate::write::{Quotes, short_escape, unwritable};
use justwhy_core::{Dialect, Span, Value};
use std::borrow::Cow;

/// Env files.
pub(crate) struct Env;

impl FileFormat for Env {
    fn about(&self) -> About {
        About {
            name: "env",
            endings: &["env"],
            claims: |file_name| file_name.starts_with(".env") || file_name.ends_with(".env"),
            has_variables: true,
            is_untyped: true,
            effort: 2,
            ..About::of_typed_values()
        }
    }

    fn read<'t>(
        &self,
        text: &'t str,
        manner: Manner<'_>,
        _: Limits,
        faults: &mut Faults,
    ) -> Tree<'t> {
        read(text, manner, faults)
    }

    fn put(
        &self,
        text: &str,
        tree: &Tree<'_>,
        way: &Way<'_>,
        value: &Value,
    ) -> Result<Splice, Fault> {
        put(text, tree, way, value)
    }

    fn take_out(
        &self,
        text: &str,
        tree: &Tree<'_>,
        (_, there): (NodeId, NodeId),
    ) -> Result<Splice, Fault> {
        lines::take_out(text, tree, there)
    }

    fn snippet(&self, _: &[&str], _: &str) -> Option<String> {
        None
    }
}

/// Parses lines; every variable is an entry of the root.
fn read<'t>(text: &'t str, manner: Manner<'_>, faults: &mut Faults) -> Tree<'t> {
    let mut scanner = Scanner {
        text,
        at: 0,
        tolerant: manner.tolerant,
        is_posix: manner.dialect == Some(Dialect::Posix),
        tolerated: Vec::new(),
    };
    let mut tree = Tree::for_text(text.len());
    tree.repeats = manner.tolerant;
    tree.is_shell = true;
    while let Some(line) = scanner.line().filter(|_| !faults.are_enough()) {
        let Some(Line { name_at, at, value, literal, is_bare }) = faults.unless(line) else {
            scanner.skip_line();
            continue;
        };
        let name = &text[name_at.start as usize..name_at.end as usize];
        let kind = if is_bare { Kind::LeftOut } else { Kind::Text(value) };
        let node = Node::named(Cow::Borrowed(name), name_at, at, kind);
        let id = tree.push_child(Tree::ROOT, node);
        if !literal.is_empty() {
            tree.literal_dollars.push((id, literal.into()));
        }
    }
    if manner.tolerant {
        note_repeated(&mut tree, &mut scanner.tolerated);
    }
    tree.tolerated = scanner.tolerated;
    tree
}

/// Notes the names that are there before.
fn note_repeated(tree: &mut Tree<'_>, tolerated: &mut Vec<(Span, String)>) {
    let mut seen = hashbrown::HashSet::new();
    for id in tree.entries(Tree::ROOT) {
        let node = tree.node(id);
        if !seen.insert(node.name.clone()) {
            let what = "a name is there twice; the later one counts";
            tolerated.push((node.name_at, what.to_owned()));
        }
    }
    tolerated.sort_by_key(|(at, _)| at.start);
}

/// A value in which `\$` is a `$` that begins no reference, and where those are.
fn without_escapes(value: &str) -> (Cow<'_, str>, Vec<u32>) {
    let (mut made, mut literal, mut rest) = (String::new(), Vec::new(), value);
    while let Some(at) = rest.find("\\$") {
        made.push_str(&rest[..at]);
        literal.push(narrow(made.len()));
        made.push('$');
        rest = &rest[at + 2..];
    }
    made.push_str(rest);
    (Cow::Owned(made), literal)
}

struct Scanner<'s> {
    text: &'s str,
    at: usize,
    tolerant: bool,
    /// Whether `\$` is a `$` that begins no reference.
    is_posix: bool,
    /// What was read although the format refuses it.
    tolerated: Vec<(Span, String)>,
}

/// A line with a variable: where its name and its value stand, and the value.
struct Line<'s> {
    name_at: Span,
    at: Span,
    value: Cow<'s, str>,
    /// The bytes of every `$` in the value that begins no reference.
    literal: Vec<u32>,
    /// Whether there is only a name.
    is_bare: bool,
}

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

    /// The next line with a variable.
    fn line(&mut self) -> Option<Result<Line<'s>, Fault>> {
        const MARK: char = '\u{feff}';
        loop {
            self.skip_blanks();
            if self.tolerant && self.rest().starts_with(MARK) {
                self.tolerate(self.here(), "a byte order mark");
                self.at += MARK.len_utf8();
                continue;
            }
            if self.rest().is_empty() {
                return None;
            }
            if self.is_at_line_end() || self.peek() == Some(b'#') {
                self.skip_line();
                continue;
            }
            return Some(self.variable());
        }
    }

    fn variable(&mut self) -> Result<Line<'s>, Fault> {
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
        // What is there may be a part of a secret that was meant to go on from the line before.
        let expected = |at: Span| Fault::new(at, "expected `=` right after the name");
        match self.peek() {
            Some(b'=') => {}
            Some(b' ' | b'\t') => {
                let blank = self.here();
                self.skip_blanks();
                match self.peek() {
                    Some(b'=') if self.tolerant => self.tolerate(blank, "blanks before `=`"),
                    Some(b'=') => return Err(spaces(blank)),
                    _ if self.tolerant && self.is_at_line_end() => return Ok(self.bare(name_at)),
                    _ => return Err(expected(blank).help("write NAME=VALUE")),
                }
            }
            _ if self.tolerant && self.is_at_line_end() => return Ok(self.bare(name_at)),
            _ => {
                return Err(expected(self.here())
                    .help("write NAME=VALUE; a name has letters, digits and _"));
            }
        }
        self.at += 1;
        if self.tolerant && matches!(self.peek(), Some(b' ' | b'\t')) {
            let blank = self.here();
            self.skip_blanks();
            let is_value = !self.is_at_line_end() && self.peek() != Some(b'#');
            match is_value {
                true => self.tolerate(blank, "blanks after `=`"),
                false => self.at = blank.start as usize,
            }
        }
        let start = self.at;
        let (value, literal) = match self.peek() {
            Some(b'\'') => self.single_quoted()?,
            Some(b'"') => self.double_quoted()?,
            _ => return self.unquoted(name_at),
        };
        let at = Span::new(start, self.at);
        self.only_a_comment_follows()?;
        Ok(Line { name_at, at, value: Cow::Owned(value), literal, is_bare: false })
    }

    fn tolerate(&mut self, at: Span, what: &str) {
        self.tolerated.push((at, what.to_owned()));
    }

    /// A line with only a name, which programs take for an empty value or for none.
    fn bare(&mut self, name_at: Span) -> Line<'s> {
        self.tolerate(name_at, "only a name, which sets nothing");
        self.skip_line();
        let at = Span::new(name_at.end as usize, name_at.end as usize);
        Line { name_at, at, value: Cow::Borrowed(""), literal: Vec::new(), is_bare: true }
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
                    "write NAME=VALUE, or a comment that begins with #; a name has letters, digits \
                       and _, and does not begin with a digit",
                ));
        }
        Ok(Span::new(start, self.at))
    }

    fn unquoted(&mut self, name_at: Span) -> Result<Line<'s>, Fault> {
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
        let at = Span::new(start, start + value.len());
        self.skip_line();
        let (value, literal) = match self.is_posix && value.contains("\\$") {
            true => without_escapes(value),
            false => (Cow::Borrowed(value), Vec::new()),
        };
        Ok(Line { name_at, at, value, literal, is_bare: false })
    }

    fn single_quoted(&mut self) -> Result<(String, Vec<u32>), Fault> {
        let open = self.at;
        self.at += 1;
        let Some(length) = self.rest().find('\'') else {
            return Err(never_closed(open));
        };
        let value = self.rest()[..length].replace("\r\n", "\n");
        self.at += length + 1;
        let dollars = value.match_indices('$').map(|(at, _)| narrow(at)).collect();
        Ok((value, dollars))
    }

    fn double_quoted(&mut self) -> Result<(String, Vec<u32>), Fault> {
        let open = self.at;
        self.at += 1;
        let mut value = String::new();
        let mut dollars = Vec::new();
        loop {
            let Some(length) = self.rest().find(['"', '\\', '\r']) else {
                return Err(never_closed(open));
            };
            value.push_str(&self.rest()[..length]);
            self.at += length;
            match self.peek() {
                Some(b'"') => {
                    self.at += 1;
                    return Ok((value, dollars));
                }
                Some(b'\\') => {
                    let escaped = self.text.as_bytes().get(self.at + 1).copied();
                    let (taken, c) = match escaped {
                        Some(b'n') => (2, '\n'),
                        Some(b'r') => (2, '\r'),
                        Some(b't') => (2, '\t'),
                        Some(b'$') => {
                            dollars.push(narrow(value.len()));
                            (2, '$')
                        }
                        Some(byte @ (b'"' | b'\\')) => (2, byte as char),
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
            return Err(Fault::new(self.here(), "unexpected text after the closing quote")
                .help("quote the whole value; only blanks and a comment may follow it"));
        }
        self.skip_line();
        Ok(())
    }
}

/// A text has fewer than 2^32 bytes.
fn narrow(at: usize) -> u32 {
    u32::try_from(at).unwrap_or(u32::MAX)
}

fn spaces(at: Span) -> Fault {
    Fault::new(at, "spaces around `=`").help("write NAME=VALUE without spaces")
}

fn never_closed(open: usize) -> Fault {
    Fault::new(Span::new(open, open), "unterminated quote")
}

fn put(text: &str, tree: &Tree<'_>, way: &Way<'_>, value: &Value) -> Result<Splice, Fault> {
    let value = text_of(value)?;
    if let Some(there) = way.there {
        let node = tree.node(there);
        let quotes = Quotes::of(lines::written(text, node));
        return Ok(Splice::replace(node.at, written(&value, quotes)));
    }
    let [name] = names(way.rest)[..] else {
        return Err(unwritable("a name of several parts"));
    };
    let beside = nearest(tree, name, '_');
    let at = beside.map_or(text.len(), |id| line_end(text, tree.node(id).at.end as usize));
    let export = beside.is_some_and(|id| {
        let name_at = tree.node(id).name_at.start as usize;
        text[line_start(text, name_at)..name_at].trim_start().starts_with("export")
    });
    let export = if export { "export " } else { "" };
    Ok(whole_lines(text, at, &format!("{export}{name}={}", written(&value, Quotes::None))))
}

/// The entry of the root beside which a person would put that name: of those that share most of its
/// beginning the last.
fn nearest(tree: &Tree<'_>, name: &str, between: char) -> Option<NodeId> {
    let shared = |other: &str| {
        let parts = other.split(between).zip(name.split(between));
        parts.take_while(|(one, other)| one == other).map(|(one, _)| one.len() + 1).sum::<usize>()
    };
    let all = tree.entries(Tree::ROOT).map(|id| (shared(&tree.node(id).name), id));
    all.filter(|(shared, _)| *shared > 0).max_by_key(|(shared, id)| (*shared, *id)).map(|it| it.1)
}

/// As an env file writes it.
pub(crate) fn written(text: &str, quotes: Quotes) -> String {
    // What a shell that reads the file takes for itself stays in quotes.
    let is_plain = |c: char| c.is_ascii_alphanumeric() || "_./:@%+,=~^-".contains(c);
    let is_single = !text.contains(['\'', '$', '\r', '\n']);
    match quotes {
        Quotes::None if text.chars().all(is_plain) => text.to_owned(),
        Quotes::Single if is_single => format!("'{text}'"),
        _ => {
            let mut out = String::from("\"");
            for c in text.chars() {
                match short_escape(c) {
                    Some(escape) => out.push_str(escape),
                    None => out.push(c),
                }
            }
            out + "\""
        }
    }
}
