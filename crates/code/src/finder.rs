//! Every mention of any of many names, in one pass over the bytes.
//!
//! What is looked for first is rare in source code: what all variables begin with, dots that have the right
//! letters around them, quotes before the right ones. Only there the words that are there are looked up, so that
//! it takes the same time for one name as for a hundred thousand.

use crate::words;
use hashbrown::HashMap;
use memchr::memmem;
use std::ops::Range;

mod anchors;
#[cfg(test)]
mod tests;

use anchors::{Quotes, Separators};

/// What a name is.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum NameKind {
    /// A variable.
    Variable,
    /// The key of a setting.
    Key,
    /// A key above settings.
    Parent,
}

/// A name that is looked for.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Name {
    /// It.
    pub text: String,
    /// What it is.
    pub kind: NameKind,
    /// Whether it is the name of a variable.
    pub is_variable: bool,
    /// What it stands for.
    pub id: u32,
}

/// A place that mentions a name.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Mention {
    /// What it stands for: the number of the name; `None` for a variable with the prefix that nobody knows.
    pub id: Option<u32>,
    /// What the name is.
    pub kind: NameKind,
    /// Its first byte.
    pub start: u32,
    /// The byte after its last one.
    pub end: u32,
}

impl Mention {
    /// Its bytes.
    pub fn range(&self) -> Range<usize> {
        self.start as usize..self.end as usize
    }
}

/// Looks for many names at once.
#[derive(Debug)]
pub struct Finder {
    /// Variables, as they are, and those of keys above settings.
    variables: HashMap<Box<[u8]>, (NameKind, u32)>,
    /// Keys and those above them, folded if names are loose.
    keys: HashMap<Box<[u8]>, (NameKind, u32)>,
    /// What every variable with a `_` begins with, if they all begin alike.
    prefix: Option<memmem::Finder<'static>>,
    /// The prefix with which variables that nobody knows are told; empty to tell none.
    told: Box<[u8]>,
    /// The first `_` of each variable, where they do not begin alike.
    lines: Option<Separators>,
    /// The first dot of each key.
    dots: Option<Separators>,
    /// Names of one word.
    quotes: Option<Quotes>,
    longest: usize,
    is_loose: bool,
}

impl Finder {
    /// Of these names. With a prefix, variables that begin with it and are none of them are told, too;
    /// if names are loose, keys are found in every spelling.
    pub fn new(names: &[Name], prefix: &str, is_loose: bool) -> Finder {
        let texts = |are_variables: bool| {
            let names = names.iter().filter(|name| !name.text.is_empty());
            names.filter(move |it| it.is_variable == are_variables).map(|it| it.text.as_bytes())
        };
        let alike = alike(texts(true).filter(|name| name.contains(&b'_')), prefix.as_bytes());
        // Of two letters there are too many.
        let begin_alike = alike.len() > 2;
        let words: Vec<&[u8]> = texts(true).filter(|name| !name.contains(&b'_')).collect();
        let has_variables = !words.is_empty();
        let words: Vec<&[u8]> =
            words.into_iter().chain(texts(false).filter(|name| !name.contains(&b'.'))).collect();
        let mut finder = Finder {
            variables: HashMap::new(),
            keys: HashMap::new(),
            prefix: begin_alike.then(|| memmem::Finder::new(&alike).into_owned()),
            told: prefix.as_bytes().into(),
            lines: match begin_alike {
                true => None,
                false => Separators::of(b'_', texts(true), false),
            },
            dots: Separators::of(b'.', texts(false), is_loose),
            quotes: Quotes::of(&words, has_variables, is_loose),
            longest: 0,
            is_loose,
        };
        for name in names {
            match name.is_variable {
                true => finder.add_variable(name),
                false => finder.add_key(name),
            }
        }
        finder
    }

    fn add_variable(&mut self, name: &Name) {
        let text = name.text.as_bytes();
        let there = self.variables.entry(text.into()).or_insert((name.kind, name.id));
        if name.kind == NameKind::Variable {
            *there = (name.kind, name.id);
        }
    }

    fn add_key(&mut self, name: &Name) {
        let text = name.text.as_bytes();
        // Between two letters there may be one more character in another spelling.
        self.longest = self.longest.max(text.len() * if self.is_loose { 2 } else { 1 });
        let key: Box<[u8]> = match self.is_loose {
            true => {
                let mut folded = Vec::new();
                words::fold(text, &mut folded);
                folded.into()
            }
            false => text.into(),
        };
        let there = self.keys.entry(key).or_insert((name.kind, name.id));
        // What is a setting and above others is one of both: a setting.
        if name.kind == NameKind::Key {
            *there = (name.kind, name.id);
        }
    }

    /// Whether keys are found in every spelling.
    pub fn is_loose(&self) -> bool {
        self.is_loose
    }

    /// Whether a name is one that is looked for, as it is written.
    pub fn is_exact(&self, name: &str) -> bool {
        self.variables.contains_key(name.as_bytes())
            || !self.is_loose && self.keys.contains_key(name.as_bytes())
    }

    /// Every mention in a text, in its order.
    pub fn find(&self, text: &[u8]) -> Vec<Mention> {
        let mut found: Vec<Mention> = Vec::new();
        if let Some(prefix) = &self.prefix {
            for start in prefix.find_iter(text) {
                if words::begins(text, start) {
                    found.extend(self.variable(text, start));
                }
            }
        }
        let mut tell = |mention: Option<Mention>| {
            let past = mention.map(|mention| mention.end as usize);
            found.extend(mention);
            past
        };
        if let Some(lines) = &self.lines {
            lines.each(text, |at| tell(self.variable(text, word_start(text, at))));
        }
        if let Some(dots) = &self.dots {
            let mut folded = Vec::new();
            dots.each(text, |at| tell(self.key_at(text, at, &mut folded)));
        }
        if let Some(quotes) = &self.quotes {
            quotes.each(text, |at| {
                tell(self.quoted(text, at));
            });
            if quotes.has_variables {
                quotes.each_marked(text, |at| {
                    tell(is_read(text, at).then(|| self.variable(text, at)).flatten());
                });
            }
        }
        found.sort_by_key(|mention| (mention.start, std::cmp::Reverse(mention.end)));
        let mut past = 0;
        found.retain(|mention| {
            let is_new = mention.start >= past;
            if is_new {
                past = mention.end;
            }
            is_new
        });
        found
    }

    /// The key whose first segment ends at a byte.
    fn key_at(&self, text: &[u8], end: usize, folded: &mut Vec<u8>) -> Option<Mention> {
        let mut start = word_start(text, end);
        for _ in 0..MOST_PARTS {
            if let Some(mention) = self.key(text, start, folded) {
                return Some(mention);
            }
            // The first segment may have a `-` in it, or be after one.
            let before = start.checked_sub(1).filter(|before| text[*before] == b'-')?;
            let next = word_start(text, before);
            if next == before {
                return None;
            }
            start = next;
        }
        None
    }

    /// A name of one word between quotes.
    fn quoted(&self, text: &[u8], start: usize) -> Option<Mention> {
        let quote = *text.get(start.checked_sub(1)?)?;
        let most = (start + self.longest.max(64) + 1).min(text.len());
        let end = start + memchr::memchr(quote, &text[start..most])?;
        let written = &text[start..end];
        if memchr::memchr(b'.', written).is_some() {
            return None;
        }
        let variable = self.variables.get(written).copied();
        let (kind, id) = variable.or_else(|| self.key_of(written, &mut Vec::new()))?;
        Some(mention(Some(id), kind, (start, end)))
    }

    /// The key that is written so.
    fn key_of(&self, written: &[u8], folded: &mut Vec<u8>) -> Option<(NameKind, u32)> {
        let key = match self.is_loose {
            true => {
                words::fold(written, folded);
                folded.as_slice()
            }
            false => written,
        };
        self.keys.get(key).copied()
    }

    /// The variable that begins at the beginning of a word.
    fn variable(&self, text: &[u8], start: usize) -> Option<Mention> {
        let word = word_end(text, start, text.len());
        let written = &text[start..word];
        if let Some((kind, id)) = self.variables.get(written) {
            return Some(mention(Some(*id), *kind, (start, word)));
        }
        // What ends in `_` is the beginning of a name that is put together.
        let is_told = !self.told.is_empty()
            && written.starts_with(&self.told)
            && written.len() > self.told.len()
            && !written.ends_with(b"_");
        is_told.then(|| mention(None, NameKind::Variable, (start, word)))
    }

    /// The longest key that begins at the beginning of a word.
    fn key(&self, text: &[u8], start: usize, folded: &mut Vec<u8>) -> Option<Mention> {
        let most = start.saturating_add(self.longest).min(text.len());
        let mut ends = [0_usize; MOST_PARTS];
        let mut count = 0;
        let mut end = word_end(text, start, text.len());
        while end <= most && count < MOST_PARTS {
            ends[count] = end;
            count += 1;
            let joins = text.get(end).is_some_and(|byte| b".-".contains(byte));
            let next = word_end(text, end + 1, most + 1);
            if !joins || next <= end + 1 {
                break;
            }
            end = next;
        }
        for end in ends[..count].iter().rev() {
            let written = &text[start..*end];
            // One word alone is looked for between quotes.
            memchr::memchr(b'.', written)?;
            if let Some((kind, id)) = self.key_of(written, folded) {
                return Some(mention(Some(id), kind, (start, *end)));
            }
        }
        None
    }
}

fn mention(id: Option<u32>, kind: NameKind, (start, end): (usize, usize)) -> Mention {
    Mention { id, kind, start: narrow(start), end: narrow(end) }
}

/// What all of these begin with; of a prefix no more than that.
fn alike<'n>(names: impl Iterator<Item = &'n [u8]>, prefix: &[u8]) -> Vec<u8> {
    let mut alike: Option<&[u8]> = (!prefix.is_empty()).then_some(prefix);
    for name in names {
        let so_far = alike.unwrap_or(name);
        let length = so_far.iter().zip(name).take_while(|(a, b)| a == b).count();
        alike = Some(&so_far[..length]);
    }
    alike.unwrap_or_default().to_vec()
}

/// A key of more words than this is not looked for in text.
const MOST_PARTS: usize = 24;

fn word_end(text: &[u8], start: usize, most: usize) -> usize {
    let mut at = start;
    let most = most.min(text.len());
    while at < most {
        let byte = text[at];
        if byte.is_ascii_alphanumeric() || byte == b'_' {
            at += 1;
            continue;
        }
        if byte.is_ascii() {
            break;
        }
        match words::after(text, at) {
            Some(c) if words::is_word(c) => at += c.len_utf8(),
            _ => break,
        }
    }
    at
}

/// Where the word begins that ends at a byte.
fn word_start(text: &[u8], end: usize) -> usize {
    let mut at = end;
    while let Some(c) = words::before(text, at).filter(|c| words::is_word(*c)) {
        at -= c.len_utf8();
    }
    at
}

/// Whether what is before a name shows that it is a variable.
pub fn is_read(text: &[u8], start: usize) -> bool {
    let before = text.get(..start).unwrap_or_default();
    before.ends_with(b"$") || before.ends_with(b"${") || before.ends_with(b"env.")
}

fn narrow(at: usize) -> u32 {
    u32::try_from(at).unwrap_or(u32::MAX)
}
