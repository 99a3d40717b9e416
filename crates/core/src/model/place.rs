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

/// A line of a source; of a long one what stands around a place in it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct ShownLine {
    /// The text, with `…` for what was left out.
    pub text: String,
    /// The place: how many characters of the text stand before it.
    pub at: usize,
}

/// The most bytes of a line that are shown on either side of a place. A whole file can be one line, and
/// thousands of places can be told of.
const SHOWN: usize = 500;

/// So many bytes are counted through in about the time in which a line is found among thousands.
const BLOCK: usize = 512;

/// The text of a source, which turns byte offsets into lines and columns when they are shown. Clones
/// share it, and what was found out about its lines: a store has as many documents as scopes.
#[derive(Clone, Debug)]
pub struct SourceText {
    text: Arc<String>,
    index: Arc<OnceLock<Index>>,
}

/// What stands before each block of bytes. A whole file can be one line, so that characters are counted
/// as well as lines.
#[derive(Debug)]
struct Index {
    /// How many lines end.
    lines: Box<[usize]>,
    /// How many characters begin; `None` if each byte is one.
    characters: Option<Box<[usize]>>,
}

impl SourceText {
    /// Keeps `text`, which must not begin with a byte order mark.
    pub fn new(text: String) -> SourceText {
        SourceText { text: Arc::new(text), index: Arc::default() }
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Counts the lines, once; whoever asks for a place first does it otherwise.
    pub fn index_lines(&self) {
        self.index();
    }

    /// The line and column of a byte offset; past the end it is the end.
    pub fn position(&self, offset: u32) -> Position {
        let end = (offset as usize).min(self.text.len());
        let block = end / BLOCK;
        let here = &self.text.as_bytes()[block * BLOCK..end];
        let line = 1 + self.index().lines[block] + count_ends(here);
        let start = match memchr::memrchr(b'\n', here) {
            Some(at) => block * BLOCK + at + 1,
            None => self.start_of(line).unwrap_or_default(),
        };
        // An offset inside a character counts up to that character.
        let column = 1 + self.characters_before(end) - self.characters_before(start);
        Position { line, column }
    }

    /// How many characters begin before a byte.
    fn characters_before(&self, end: usize) -> usize {
        match &self.index().characters {
            None => end,
            Some(before) => {
                let block = end / BLOCK;
                before[block] + count_characters(&self.text.as_bytes()[block * BLOCK..end])
            }
        }
    }

    /// The text of a line, counted from 1, without its end; empty past the last line.
    pub fn line(&self, line: usize) -> &str {
        self.start_of(line).map_or("", |start| self.line_from(line, start))
    }

    fn line_from(&self, line: usize, start: usize) -> &str {
        let end = self.start_of(line + 1).map_or(self.text.len(), |next| next - 1);
        self.text[start..end].trim_end_matches('\r')
    }

    /// What stands on the line of a byte offset, around it.
    pub fn around(&self, offset: u32) -> ShownLine {
        let line = self.position(offset).line;
        let start = self.start_of(line).unwrap_or_default();
        let line = self.line_from(line, start);
        let at = line.floor_char_boundary((offset as usize).saturating_sub(start));
        let from = line.ceil_char_boundary(at.saturating_sub(SHOWN));
        let to = line.floor_char_boundary((at + SHOWN).min(line.len()));
        let before = if from > 0 { "…" } else { "" };
        let after = if to < line.len() { "…" } else { "" };
        ShownLine {
            text: format!("{before}{}{after}", &line[from..to]),
            at: before.chars().count() + line[from..at].chars().count(),
        }
    }

    /// Where a line, counted from 1, begins.
    fn start_of(&self, line: usize) -> Option<usize> {
        let ends = line.checked_sub(1)?;
        let before = &self.index().lines;
        // The last block before which fewer lines end; before the first one none does.
        let Some(block) = before.partition_point(|&lines| lines < ends).checked_sub(1) else {
            return Some(0);
        };
        let from = block * BLOCK;
        let mut in_block = memchr::memchr_iter(b'\n', &self.text.as_bytes()[from..]);
        Some(from + in_block.nth(ends - before[block] - 1)? + 1)
    }

    fn index(&self) -> &Index {
        self.index.get_or_init(|| {
            let bytes = self.text.as_bytes();
            let before = |count: fn(&[u8]) -> usize| {
                let mut all = 0;
                let counted = bytes.chunks_exact(BLOCK).map(|block| {
                    all += count(block);
                    all
                });
                std::iter::once(0).chain(counted).collect()
            };
            let characters = (!self.text.is_ascii()).then(|| before(count_characters));
            Index { lines: before(count_ends), characters }
        })
    }
}

fn count_ends(bytes: &[u8]) -> usize {
    memchr::memchr_iter(b'\n', bytes).count()
}

fn count_characters(bytes: &[u8]) -> usize {
    bytes.iter().filter(|&&byte| byte & 0xc0 != 0x80).count()
}
