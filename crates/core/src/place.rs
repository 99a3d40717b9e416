//! Places in sources: byte ranges, and the line and column that people are shown.

use std::sync::{Arc, OnceLock};

#[cfg(test)]
mod tests;

/// A range of bytes in a source's text, after a leading byte order mark was taken off.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Span {
    /// The first byte.
    pub start: u32,
    /// The byte after the last.
    pub end: u32,
}

impl Span {
    /// The range from `start` to `end`; texts are limited to less than 4 GiB before they get here.
    pub fn new(start: usize, end: usize) -> Span {
        let narrow = |offset: usize| u32::try_from(offset).unwrap_or(u32::MAX);
        Span { start: narrow(start), end: narrow(end) }
    }
}

/// A line and a column, both counted from 1, the column in characters.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub struct Position {
    /// The line.
    pub line: usize,
    /// The character within the line.
    pub column: usize,
}

/// The text of a source, which turns byte offsets into lines and columns when they are shown. Clones
/// share it, and what was found out about its lines: a store has as many documents as scopes.
#[derive(Clone, Debug)]
pub struct SourceText {
    text: Arc<String>,
    line_starts: Arc<OnceLock<Box<[u32]>>>,
}

impl SourceText {
    /// Keeps `text`, which must not begin with a byte order mark.
    pub fn new(text: String) -> SourceText {
        SourceText { text: Arc::new(text), line_starts: Arc::default() }
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Finds out where each line begins, once; whoever asks for a place first does it otherwise.
    pub fn index_lines(&self) {
        self.line_starts();
    }

    /// The line and column of a byte offset; past the end it is the end.
    pub fn position(&self, offset: u32) -> Position {
        let starts = self.line_starts();
        let line = starts.partition_point(|&start| start <= offset).max(1);
        let start = starts[line - 1] as usize;
        let end = (offset as usize).min(self.text.len());
        // An offset inside a character counts up to that character.
        let within = self.text.as_bytes().get(start..end).unwrap_or_default();
        let column = 1 + within.iter().filter(|&&byte| byte & 0xc0 != 0x80).count();
        Position { line, column }
    }

    /// The text of a line, counted from 1, without its end; empty past the last line.
    pub fn line(&self, line: usize) -> &str {
        let starts = self.line_starts();
        let Some(&start) = line.checked_sub(1).and_then(|index| starts.get(index)) else {
            return "";
        };
        let end = starts.get(line).map_or(self.text.len(), |&next| next as usize);
        let whole = self.text.get(start as usize..end).unwrap_or_default();
        whole.trim_end_matches(['\n', '\r'])
    }

    fn line_starts(&self) -> &[u32] {
        self.line_starts.get_or_init(|| {
            let ends = memchr::memchr_iter(b'\n', self.text.as_bytes());
            let next = ends.map(|at| u32::try_from(at + 1).unwrap_or(u32::MAX));
            std::iter::once(0).chain(next).collect()
        })
    }
}
