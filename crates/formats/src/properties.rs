//! Properties files, exactly as `java.util.Properties` reads them from UTF-8. Dots make paths.

use crate::Limits;
use crate::edit::lines::{self, last_leaf, text_of};
use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::paths::{Paths, Repeated};
use crate::splice::{Splice, Way, line_end, names, whole_lines};
use crate::tree::{NodeId, Tree};
use justwhy_core::{Span, Value};
use std::borrow::Cow;

/// What `java.util.Properties` reads.
pub(crate) struct Properties;

impl FileFormat for Properties {
    fn about(&self) -> About {
        About {
            name: "properties",
            endings: &["properties"],
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
        read(text, manner.tolerant, faults)
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

    fn snippet(&self, segments: &[&str], value: &str) -> Option<String> {
        Some(format!("{}={}", segments.join("."), value.trim_matches('"')))
    }
}

/// Parses logical lines: natural lines that a backslash at their end goes on with the next.
fn read<'t>(text: &'t str, tolerant: bool, faults: &mut Faults) -> Tree<'t> {
    let mut paths = Paths::for_text(text.len());
    if tolerant {
        paths.repeated = Repeated::Replaces;
    }
    let mut lines = Lines { text, at: 0 };
    while let Some(line) = lines.next().filter(|_| !faults.are_enough()) {
        faults.unless(pair(&mut paths, &line));
    }
    paths.tree
}

/// A character and the byte at which it is.
type Placed = (char, usize);

/// A logical line, escapes as written, and the byte at which it ends.
struct Logical {
    characters: Vec<Placed>,
    end: usize,
}

struct Lines<'s> {
    text: &'s str,
    at: usize,
}

const BLANKS: [char; 3] = [' ', '\t', '\u{c}'];
const LINE_ENDS: [char; 2] = ['\n', '\r'];

impl Lines<'_> {
    /// The next logical line that is neither blank nor a comment.
    fn next(&mut self) -> Option<Logical> {
        let mut characters: Vec<Placed> = Vec::new();
        loop {
            self.skip_blanks();
            let rest = &self.text[self.at..];
            // A lone backslash goes on with nothing, so that a comment may still begin.
            let is_first = characters.is_empty();
            if is_first && rest.is_empty() {
                return None;
            }
            if is_first && rest.starts_with(['#', '!']) {
                self.at += rest.find(LINE_ENDS).unwrap_or(rest.len());
                self.skip_line_end();
                continue;
            }
            let length = rest.find(LINE_ENDS).unwrap_or(rest.len());
            let start = self.at;
            characters.extend(rest[..length].char_indices().map(|(at, c)| (c, start + at)));
            self.at += length;
            let backslashes =
                rest[..length].bytes().rev().take_while(|byte| *byte == b'\\').count();
            let goes_on = backslashes % 2 == 1;
            if goes_on {
                characters.pop();
            }
            let end = self.at;
            let was_last = self.at == self.text.len();
            // Java reads an empty key from a backslash that nothing follows.
            if goes_on && is_first && characters.is_empty() && self.text.len() - self.at < 2 {
                self.at = self.text.len();
                return Some(Logical { characters, end });
            }
            self.skip_line_end();
            let is_whole = !goes_on || was_last;
            if is_whole && !characters.is_empty() {
                return Some(Logical { characters, end });
            }
            if was_last {
                return None;
            }
        }
    }

    fn skip_blanks(&mut self) {
        let rest = &self.text[self.at..];
        self.at += rest.len() - rest.trim_start_matches(BLANKS).len();
    }

    fn skip_line_end(&mut self) {
        let rest = &self.text[self.at..];
        self.at += match rest.as_bytes() {
            [b'\r', b'\n', ..] => 2,
            [b'\r' | b'\n', ..] => 1,
            _ => 0,
        };
    }
}

/// Splits a line at its separator: the first `=`, `:` or blank that no backslash is before, with
/// the blanks around an `=` or `:`.
fn pair(paths: &mut Paths<'_>, line: &Logical) -> Result<(), Fault> {
    let characters = line.characters.as_slice();
    let mut is_escaped = false;
    let mut key_end = characters.len();
    for (at, (c, _)) in characters.iter().enumerate() {
        if !is_escaped && (matches!(c, '=' | ':') || BLANKS.contains(c)) {
            key_end = at;
            break;
        }
        is_escaped = *c == '\\' && !is_escaped;
    }
    let mut value_start = key_end;
    let mut after_separator = characters.get(key_end).map_or(line.end, |(_, at)| at + 1);
    let mut is_separated = false;
    while let Some((c, at)) = characters.get(value_start) {
        if matches!(c, '=' | ':') && !is_separated {
            is_separated = true;
            after_separator = at + 1;
        } else if !BLANKS.contains(c) {
            break;
        }
        value_start += 1;
    }
    let key = unescape(&characters[..key_end])?;
    let value = unescape(&characters[value_start..])?;
    let end = |from: &[Placed]| from.last().map(|(c, at)| at + c.len_utf8());
    let first = characters.first().map_or(line.end, |(_, at)| *at);
    let name_at = Span::new(first, end(&characters[..key_end]).unwrap_or(first));
    let at = match &characters[value_start..] {
        [] => Span::new(after_separator, after_separator),
        value @ [(_, start), ..] => Span::new(*start, end(value).unwrap_or(*start)),
    };
    let segments: Vec<&str> = key.split('.').collect();
    if segments.iter().any(|segment| segment.is_empty()) {
        return Err(Fault::new(name_at, "empty segment in this key")
            .help("dots separate the segments of a key; each needs a name"));
    }
    if segments.len() > justwhy_core::MAX_SEGMENTS {
        let message = format!("a key has at most {} segments", justwhy_core::MAX_SEGMENTS);
        return Err(Fault::new(name_at, message));
    }
    let (last, above) = segments.split_last().unwrap_or((&"", &[]));
    let mut table = Tree::ROOT;
    for segment in above {
        table = paths.table(table, segment, name_at)?;
    }
    paths.value(table, last, name_at, at, Cow::Owned(value))
}

fn unescape(characters: &[Placed]) -> Result<String, Fault> {
    let mut out = String::with_capacity(characters.len());
    let mut rest = characters;
    while let Some(((c, at), after)) = rest.split_first() {
        rest = after;
        if *c != '\\' {
            out.push(*c);
            continue;
        }
        let Some(((escaped, _), after)) = rest.split_first() else { break };
        rest = after;
        match escaped {
            'u' => out.push(unicode(&mut rest, *at)?),
            't' => out.push('\t'),
            'n' => out.push('\n'),
            'r' => out.push('\r'),
            'f' => out.push('\u{c}'),
            other => out.push(*other),
        }
    }
    Ok(out)
}

/// The character of an escape, and of the one after it if both are the halves of one.
fn unicode(rest: &mut &[Placed], at: usize) -> Result<char, Fault> {
    let at = Span::new(at, at);
    let half = || {
        Fault::new(at, "invalid \\u escape: half a surrogate pair")
            .help("write both halves, or the character itself")
    };
    let first = hexadecimal(rest, at)?;
    if !(0xd800..0xe000).contains(&first) {
        return char::from_u32(first).ok_or_else(half);
    }
    let [('\\', _), ('u', _), after @ ..] = rest else {
        return Err(half());
    };
    *rest = after;
    let second = hexadecimal(rest, at)?;
    let units = [first, second].map(|unit| u16::try_from(unit).unwrap_or_default());
    let mut decoded = char::decode_utf16(units);
    match (decoded.next(), decoded.next()) {
        (Some(Ok(c)), None) => Ok(c),
        _ => Err(half()),
    }
}

fn hexadecimal(rest: &mut &[Placed], at: Span) -> Result<u32, Fault> {
    let malformed = || {
        Fault::new(at, "expected four hexadecimal digits after \\u")
            .help("write \\\\u for a backslash and a u")
    };
    let (digits, after) = rest.split_at_checked(4).ok_or_else(malformed)?;
    *rest = after;
    let mut number = 0;
    for (digit, _) in digits {
        number = number * 16 + digit.to_digit(16).ok_or_else(malformed)?;
    }
    Ok(number)
}

fn put(text: &str, tree: &Tree<'_>, way: &Way<'_>, value: &Value) -> Result<Splice, Fault> {
    let value = escaped(&text_of(value)?);
    if let Some(there) = way.there {
        let node = tree.node(there);
        let between = &text[node.name_at.end as usize..node.at.start as usize];
        let is_separated = between.contains(['=', ':', ' ', '\t']);
        let with = if is_separated { value } else { format!("={value}") };
        let mut range = node.at.start as usize..node.at.end as usize;
        if range.is_empty() {
            // The blanks after the separator would come to be behind the value, and be of it.
            let rest = &text[range.start..];
            range.start += rest.len() - rest.trim_start_matches([' ', '\t', '\u{c}']).len();
            range.end = range.start;
        }
        return Ok(Splice { range, with });
    }
    let mut path = names(way.above);
    path.extend(names(way.rest));
    let name: Vec<String> = path.iter().map(|it| escaped_name(it)).collect();
    let name = name.join(".");
    // Beside those below the deepest table that is there, else at the end.
    let beside = (way.table != Tree::ROOT).then(|| last_leaf(tree, way.table)).flatten();
    let sibling = beside.or_else(|| last_leaf(tree, Tree::ROOT)).map(|id| tree.node(id));
    let separator = sibling
        .map(|node| &text[(node.name_at.end as usize).min(text.len())..node.at.start as usize]);
    let is_usual = |it: &&str| it.trim() == "=" || it.trim() == ":" || it.trim().is_empty();
    let separator = separator.filter(|it| !it.is_empty() && is_usual(it)).unwrap_or("=");
    let at = beside.map_or(text.len(), |id| line_end(text, tree.node(id).at.end as usize));
    Ok(whole_lines(text, at, &format!("{name}{separator}{value}")))
}

/// The value of a property.
pub(crate) fn escaped(text: &str) -> String {
    let mut out = String::new();
    for (at, c) in text.chars().enumerate() {
        match c {
            // A blank could be what separates it from its name, and these what does it then.
            ' ' | '=' | ':' if at == 0 => out.extend(['\\', c]),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            '\t' => out.push_str("\\t"),
            '\u{c}' => out.push_str("\\f"),
            c => out.push(c),
        }
    }
    out
}

/// A segment of the name of a property.
pub(crate) fn escaped_name(name: &str) -> String {
    let mut out = String::new();
    for c in name.chars() {
        match c {
            ' ' | '=' | ':' | '#' | '!' => out.extend(['\\', c]),
            c => out.push_str(&escaped(&c.to_string())),
        }
    }
    out
}
