//! Places in what is read: where it comes from, byte ranges, and the line and column that people are shown.

use std::fmt;
use std::hash::{Hash, Hasher};
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

/// A line of a source; of a long one what is around a place in it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct ShownLine {
    /// The text, with `…` for what was left out.
    pub text: String,
    /// The place: how many characters of the text are before it.
    pub at: usize,
    /// How many characters of the text are marked from there on, one at least.
    pub length: usize,
}

/// The most bytes of a line that are shown on either side of a place. A whole file can be one line, and
/// thousands of places can be reported.
const SHOWN: usize = 500;

/// So many bytes are counted through in about the time in which a line is found among thousands.
const BLOCK: usize = 512;

/// The text of a source, which turns byte offsets into lines and columns when they are shown. Clones
/// share it, and what was found out about its lines: a store has as many documents as scopes.
#[derive(Clone, Debug)]
pub struct SourceText(Arc<Indexed>);

#[derive(Debug)]
struct Indexed {
    text: String,
    index: OnceLock<Index>,
}

/// What is before each block of bytes. A whole file can be one line, so that characters are counted
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
        SourceText(Arc::new(Indexed { text, index: OnceLock::new() }))
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        &self.0.text
    }

    /// Counts the lines, once; otherwise the first question for a place does it.
    pub fn index_lines(&self) {
        self.index();
    }

    /// The line and column of a byte offset; past the end it is the end.
    pub fn position(&self, offset: u32) -> Position {
        let end = (offset as usize).min(self.0.text.len());
        let block = end / BLOCK;
        let here = &self.0.text.as_bytes()[block * BLOCK..end];
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
                before[block] + count_characters(&self.0.text.as_bytes()[block * BLOCK..end])
            }
        }
    }

    /// The text of a line, counted from 1, without its end; empty past the last line.
    pub fn line(&self, line: usize) -> &str {
        self.start_of(line).map_or("", |start| self.line_from(line, start))
    }

    fn line_from(&self, line: usize, start: usize) -> &str {
        let end = self.start_of(line + 1).map_or(self.0.text.len(), |next| next - 1);
        self.0.text[start..end].trim_end_matches('\r')
    }

    /// What is on the line of a byte offset, around it.
    pub fn around(&self, marked: Span) -> ShownLine {
        let offset = marked.start;
        let line = self.position(offset).line;
        let start = self.start_of(line).unwrap_or_default();
        let line = self.line_from(line, start);
        let at = line.floor_char_boundary((offset as usize).saturating_sub(start));
        let from = line.ceil_char_boundary(at.saturating_sub(SHOWN));
        let to = line.floor_char_boundary((at + SHOWN).min(line.len()));
        let before = if from > 0 { "…" } else { "" };
        let after = if to < line.len() { "…" } else { "" };
        let end = line.floor_char_boundary((marked.end as usize).saturating_sub(start).min(to));
        ShownLine {
            text: format!("{before}{}{after}", &line[from..to]),
            at: before.chars().count() + line[from..at].chars().count(),
            length: line.get(at..end).map_or(0, |marked| marked.chars().count()).max(1),
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
        let mut in_block = memchr::memchr_iter(b'\n', &self.0.text.as_bytes()[from..]);
        Some(from + in_block.nth(ends - before[block] - 1)? + 1)
    }

    fn index(&self) -> &Index {
        self.0.index.get_or_init(|| {
            let bytes = self.0.text.as_bytes();
            let before = |count: fn(&[u8]) -> usize| {
                let mut all = 0;
                let counted = bytes.chunks_exact(BLOCK).map(|block| {
                    all += count(block);
                    all
                });
                std::iter::once(0).chain(counted).collect()
            };
            let characters = (!self.0.text.is_ascii()).then(|| before(count_characters));
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

/// Where something that is read comes from.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum Origin {
    /// A file: its path relative to the project's folder.
    File(Arc<str>),
    /// The environment of the process.
    Process,
    /// The arguments of the command line that set something about settings.
    Arguments,
    /// The command line of a process, as it is called.
    CommandLine(Arc<str>),
    /// A scope of a store that is no file: `store:scope`.
    Scope(Arc<str>),
}

impl Origin {
    /// A file, by its path relative to the project's folder.
    pub fn file(path: &str) -> Origin {
        Origin::File(path.into())
    }

    /// How it is called. A file may be called as what is none.
    pub fn name(&self) -> &str {
        match self {
            Origin::File(name) | Origin::CommandLine(name) | Origin::Scope(name) => name,
            Origin::Process => "process",
            Origin::Arguments => "arguments",
        }
    }
}

impl From<&str> for Origin {
    /// The file of that path.
    fn from(path: &str) -> Origin {
        Origin::file(path)
    }
}

impl From<&String> for Origin {
    /// The file of that path.
    fn from(path: &String) -> Origin {
        Origin::file(path)
    }
}

impl From<String> for Origin {
    /// The file of that path.
    fn from(path: String) -> Origin {
        Origin::File(path.into())
    }
}

impl fmt::Display for Origin {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

/// A place in what is read. Its line and column are found out when they are asked for.
#[derive(Clone, Debug)]
pub struct Place {
    /// Where that comes from.
    pub origin: Origin,
    at: At,
}

/// Where in it.
#[derive(Clone, Debug)]
enum At {
    /// It has no lines, or nobody knows where.
    Whole,
    /// At a line and column that are known.
    Known(Position),
    /// At bytes of its text: those of the value, and those of its name.
    Text { text: SourceText, value: Span, name: Option<Span> },
}

impl Place {
    /// All of it.
    pub fn whole(origin: Origin) -> Place {
        Place { origin, at: At::Whole }
    }

    /// A line and column of it, if they are known.
    pub fn known(origin: Origin, position: Option<Position>) -> Place {
        Place { origin, at: position.map_or(At::Whole, At::Known) }
    }

    /// Bytes of its text, if it has one and they are known.
    pub fn in_text(origin: Origin, text: Option<&SourceText>, value: Option<Span>) -> Place {
        let at = match (text, value) {
            (Some(text), Some(value)) => At::Text { text: text.clone(), value, name: None },
            _ => At::Whole,
        };
        Place { origin, at }
    }

    /// The same with the bytes of the name under which the value is there.
    #[must_use]
    pub fn named(mut self, at: Option<Span>) -> Place {
        if let At::Text { name, .. } = &mut self.at {
            *name = at;
        }
        self
    }

    /// The line and column at which it begins.
    pub fn position(&self) -> Option<Position> {
        match &self.at {
            At::Whole => None,
            At::Known(position) => Some(*position),
            At::Text { text, value, .. } => Some(text.position(value.start)),
        }
    }

    /// The line and column at which the name begins.
    pub fn position_of_name(&self) -> Option<Position> {
        match &self.at {
            At::Text { text, name: Some(name), .. } => Some(text.position(name.start)),
            _ => None,
        }
    }

    /// The place of the name, if that is known.
    pub fn of_name(&self) -> Option<Place> {
        let At::Text { text, name: Some(name), .. } = &self.at else { return None };
        let at = At::Text { text: text.clone(), value: *name, name: None };
        Some(Place { origin: self.origin.clone(), at })
    }

    /// Its line, with what it is about marked.
    pub fn line(&self) -> Option<ShownLine> {
        match &self.at {
            At::Text { text, value, .. } => Some(text.around(*value)),
            _ => None,
        }
    }

    /// Whether it has a line.
    pub fn has_line(&self) -> bool {
        !matches!(self.at, At::Whole)
    }
}

impl fmt::Display for Place {
    /// `origin:line:column`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.origin.name())?;
        match self.position() {
            Some(Position { line, column }) => write!(f, ":{line}:{column}"),
            None => Ok(()),
        }
    }
}

impl PartialEq for Place {
    fn eq(&self, other: &Place) -> bool {
        self.origin == other.origin && self.position() == other.position()
    }
}

impl Eq for Place {}

impl Hash for Place {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.origin.hash(state);
        self.position().map(|it| (it.line, it.column)).hash(state);
    }
}
