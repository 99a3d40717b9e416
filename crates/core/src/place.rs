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

/// So many bytes are counted through in about the time in which a line is found among thousands.
const BLOCK: usize = 512;

/// The text of a source, which turns byte offsets into lines and columns when they are shown. Clones
/// share it, and what was found out about its lines: a store has as many documents as scopes.
#[derive(Clone, Debug)]
pub struct SourceText {
    text: Arc<String>,
    /// How many lines end before each block of bytes.
    lines_before: Arc<OnceLock<Box<[usize]>>>,
}

impl SourceText {
    /// Keeps `text`, which must not begin with a byte order mark.
    pub fn new(text: String) -> SourceText {
        SourceText { text: Arc::new(text), lines_before: Arc::default() }
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Counts the lines, once; whoever asks for a place first does it otherwise.
    pub fn index_lines(&self) {
        self.lines_before();
    }

    /// The line and column of a byte offset; past the end it is the end.
    pub fn position(&self, offset: u32) -> Position {
        let end = (offset as usize).min(self.text.len());
        let before = &self.text.as_bytes()[..end];
        let block = end / BLOCK;
        let line = 1 + self.lines_before()[block] + count_ends(&before[block * BLOCK..]);
        let start = memchr::memrchr(b'\n', before).map_or(0, |at| at + 1);
        // An offset inside a character counts up to that character.
        let column = 1 + before[start..].iter().filter(|&&byte| byte & 0xc0 != 0x80).count();
        Position { line, column }
    }

    /// The text of a line, counted from 1, without its end; empty past the last line.
    pub fn line(&self, line: usize) -> &str {
        let Some(start) = self.start_of(line) else { return "" };
        let rest = &self.text[start..];
        let end = memchr::memchr(b'\n', rest.as_bytes()).unwrap_or(rest.len());
        rest[..end].trim_end_matches('\r')
    }

    /// Where a line, counted from 1, begins.
    fn start_of(&self, line: usize) -> Option<usize> {
        let ends = line.checked_sub(1)?;
        let before = self.lines_before();
        // The last block before which fewer lines end; before the first one none does.
        let Some(block) = before.partition_point(|&lines| lines < ends).checked_sub(1) else {
            return Some(0);
        };
        let from = block * BLOCK;
        let mut in_block = memchr::memchr_iter(b'\n', &self.text.as_bytes()[from..]);
        Some(from + in_block.nth(ends - before[block] - 1)? + 1)
    }

    fn lines_before(&self) -> &[usize] {
        self.lines_before.get_or_init(|| {
            let blocks = self.text.as_bytes().chunks_exact(BLOCK);
            let mut lines = 0;
            let counted = blocks.map(|block| {
                lines += count_ends(block);
                lines
            });
            std::iter::once(0).chain(counted).collect()
        })
    }
}

fn count_ends(bytes: &[u8]) -> usize {
    memchr::memchr_iter(b'\n', bytes).count()
}
