//! What an edit is made of: how far a path leads into a text, and bytes that take the place of others.

use crate::tree::{NodeId, Tree};
use justwhy_core::Span;
use std::ops::Range;

/// A step on the way to a value.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Step {
    /// The entry of that name.
    Name(String),
    /// The item of that number.
    Item(usize),
}

/// Bytes that take the place of others.
pub(crate) struct Splice {
    pub(crate) range: Range<usize>,
    pub(crate) with: String,
}

impl Splice {
    pub(crate) fn insert(at: usize, with: String) -> Splice {
        Splice { range: at..at, with }
    }

    pub(crate) fn replace(at: Span, with: String) -> Splice {
        Splice { range: at.start as usize..at.end as usize, with }
    }
}

/// How far a path leads into a text.
pub(crate) struct Way<'w> {
    /// The table in which the rest is to be.
    pub(crate) table: NodeId,
    /// The value at the end of the path, if it is there.
    pub(crate) there: Option<NodeId>,
    /// What of the path is not there.
    pub(crate) rest: &'w [Step],
    /// What of it is.
    pub(crate) above: &'w [Step],
}

/// The names of a path, without the numbers of items.
pub(crate) fn names(path: &[Step]) -> Vec<&str> {
    path.iter()
        .filter_map(|step| match step {
            Step::Name(name) => Some(name.as_str()),
            Step::Item(_) => None,
        })
        .collect()
}

/// The byte after the line in which `at` is, its end included.
pub(crate) fn line_end(text: &str, at: usize) -> usize {
    text[at..].find('\n').map_or(text.len(), |end| at + end + 1)
}

/// The byte at which the line in which `at` is begins.
pub(crate) fn line_start(text: &str, at: usize) -> usize {
    text[..at].rfind('\n').map_or(0, |end| end + 1)
}

/// The blanks with which the line begins in which `at` is.
pub(crate) fn indent_at(text: &str, at: usize) -> &str {
    let start = line_start(text, at);
    let line = &text[start..];
    &line[..line.len() - line.trim_start_matches([' ', '\t']).len()]
}

/// What ends the lines of the text.
pub(crate) fn newline(text: &str) -> &'static str {
    match text.find('\n') {
        Some(at) if text[..at].ends_with('\r') => "\r\n",
        _ => "\n",
    }
}

/// Whole lines put in at the begin of a line, or after a last line without an end, which the text
/// then has no more than before.
pub(crate) fn whole_lines(text: &str, at: usize, lines: &str) -> Splice {
    let newline = newline(text);
    let lines = lines.replace('\n', newline);
    let is_open = at > 0 && !text[..at].ends_with('\n');
    Splice::insert(at, if is_open { format!("{newline}{lines}") } else { lines + newline })
}

/// The lines from `start` to `end`, both within them.
pub(crate) fn whole_line(text: &str, (start, end): (usize, usize)) -> Splice {
    // A text of several lines may end in the blanks before what is after it.
    let last = line_start(text, end);
    let is_over = last > start && text[last..end].trim().is_empty();
    let end = if is_over { last } else { line_end(text, end) };
    Splice { range: line_start(text, start)..end, with: String::new() }
}

/// Where an entry ends.
pub(crate) fn end_of(tree: &Tree<'_>, id: NodeId) -> usize {
    let node = tree.node(id);
    (node.at.end as usize).max(node.name_at.end as usize)
}
