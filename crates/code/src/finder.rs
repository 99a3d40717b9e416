//! Every mention of any of many names, in one pass over the bytes.
//!
//! What is looked for are the beginnings of names, of which there are few: those of one section begin alike,
//! and so do all variables with a prefix. Around each, the words that are there are looked up.

use crate::words;
use aho_corasick::{AhoCorasick, AhoCorasickKind, MatchKind};
use hashbrown::HashMap;
use std::ops::Range;

#[cfg(test)]
mod tests;

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
    /// Whether it stands alone between quotes.
    pub is_quoted: bool,
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
    stems: Option<AhoCorasick>,
    /// Variables, as they are, and those of keys above settings.
    variables: HashMap<Box<[u8]>, (NameKind, u32)>,
    /// Keys and those above them, folded if names are loose.
    keys: HashMap<Box<[u8]>, (NameKind, u32)>,
    prefix: Box<[u8]>,
    longest: usize,
    is_loose: bool,
}

/// A table of every transition is fast, and worth its memory for so many bytes of stems.
const MOST_FOR_TABLE: usize = 200_000;

impl Finder {
    /// Of these names. With a prefix, variables that begin with it and are none of them are told, too;
    /// if names are loose, keys are found in every spelling.
    pub fn new(names: &[Name], prefix: &str, is_loose: bool) -> Finder {
        let mut finder = Finder {
            stems: None,
            variables: HashMap::new(),
            keys: HashMap::new(),
            prefix: prefix.as_bytes().into(),
            longest: 0,
            is_loose,
        };
        let mut stems: Vec<Vec<u8>> = Vec::new();
        if !prefix.is_empty() {
            stems.push(prefix.as_bytes().to_vec());
        }
        for name in names.iter().filter(|name| !name.text.is_empty()) {
            let text = name.text.as_bytes();
            // Between two letters there may be one more character in another spelling.
            finder.longest = finder.longest.max(text.len() * if is_loose { 2 } else { 1 });
            match name.kind {
                _ if name.is_variable => {
                    let there = finder.variables.entry(text.into()).or_insert((name.kind, name.id));
                    if name.kind == NameKind::Variable {
                        *there = (name.kind, name.id);
                    }
                    stems.push(text.to_vec());
                }
                kind => {
                    let key: Box<[u8]> = match is_loose {
                        true => {
                            let mut folded = Vec::new();
                            words::fold(text, &mut folded);
                            folded.into()
                        }
                        false => text.into(),
                    };
                    let there = finder.keys.entry(key).or_insert((kind, name.id));
                    // What is a setting and above others is one of both: a setting.
                    if kind == NameKind::Key {
                        *there = (kind, name.id);
                    }
                    stems.push(stem(&name.text, is_loose).to_vec());
                }
            }
        }
        stems.retain(|stem| !stem.is_empty());
        let stems = shortest(stems, is_loose);
        let bytes: usize = stems.iter().map(Vec::len).sum();
        let kind = match bytes < MOST_FOR_TABLE {
            true => AhoCorasickKind::DFA,
            false => AhoCorasickKind::ContiguousNFA,
        };
        if !stems.is_empty() {
            finder.stems = AhoCorasick::builder()
                .match_kind(MatchKind::LeftmostFirst)
                .ascii_case_insensitive(is_loose)
                .kind(Some(kind))
                .build(&stems)
                .ok();
        }
        finder
    }

    /// Whether a name is one that is looked for, as it is written.
    pub fn is_exact(&self, name: &str) -> bool {
        self.variables.contains_key(name.as_bytes())
            || !self.is_loose && self.keys.contains_key(name.as_bytes())
    }

    /// Tells every mention in a text, in its order.
    pub fn find(&self, text: &[u8], mut tell: impl FnMut(Mention)) {
        let Some(stems) = &self.stems else { return };
        let mut past = 0;
        let mut folded = Vec::new();
        for hit in stems.find_iter(text) {
            let start = hit.start();
            if start < past || !words::begins(text, start) {
                continue;
            }
            if let Some(mention) = self.mention(text, start, &mut folded) {
                past = mention.end as usize;
                tell(mention);
            }
        }
    }

    /// What is mentioned at the beginning of a word, if anything is.
    fn mention(&self, text: &[u8], start: usize, folded: &mut Vec<u8>) -> Option<Mention> {
        let word = word_end(text, start, text.len());
        let of = |id, kind, end| Mention {
            id,
            kind,
            is_quoted: is_quoted(text, start, end),
            start: narrow(start),
            end: narrow(end),
        };
        if let Some((kind, id)) = self.variables.get(&text[start..word]) {
            let mention = of(Some(*id), *kind, word);
            // One word in capitals may be any constant.
            let is_name = text[start..word].contains(&b'_') || mention.is_quoted;
            if is_name || is_read(text, start) {
                return Some(mention);
            }
        }
        let has_prefix = !self.prefix.is_empty() && text[start..word].starts_with(&self.prefix);
        if !self.keys.is_empty() {
            let most = start.saturating_add(self.longest).min(text.len());
            let mut ends = [0_usize; MOST_PARTS];
            let mut count = 0;
            let mut end = word;
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
            // The longest name that is there.
            for end in ends[..count].iter().rev() {
                let written = &text[start..*end];
                let found = match self.is_loose {
                    true => {
                        words::fold(written, folded);
                        self.keys.get(folded.as_slice())
                    }
                    false => self.keys.get(written),
                };
                let Some((kind, id)) = found else { continue };
                let mention = of(Some(*id), *kind, *end);
                // A word of the language may be the key of a setting, but not between quotes.
                let is_word = !written.contains(&b'.');
                if *kind == NameKind::Key && is_word && !mention.is_quoted {
                    return Some(Mention { kind: NameKind::Parent, ..mention });
                }
                return Some(mention);
            }
        }
        // What ends in `_` is the beginning of a name that is put together.
        let is_whole = word - start > self.prefix.len() && text[word - 1] != b'_';
        (has_prefix && is_whole).then(|| of(None, NameKind::Variable, word))
    }
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

fn is_quoted(text: &[u8], start: usize, end: usize) -> bool {
    let quote = start.checked_sub(1).map(|before| text[before]);
    let is_quote = quote.is_some_and(|quote| b"\"'`".contains(&quote));
    is_quote && text.get(end).copied() == quote
}

/// Whether what is before a name shows that it is a variable.
fn is_read(text: &[u8], start: usize) -> bool {
    let before = &text[..start];
    before.ends_with(b"$") || before.ends_with(b"${") || before.ends_with(b"env.")
}

fn narrow(at: usize) -> u32 {
    u32::try_from(at).unwrap_or(u32::MAX)
}

/// How every spelling of a key begins: its first word, or what of it has no other spelling.
fn stem(key: &str, is_loose: bool) -> &[u8] {
    let first = key.split(['.', '-']).next().unwrap_or(key);
    if !is_loose {
        return first.as_bytes();
    }
    // In another spelling there may be a `_` anywhere; most often it is where the case changes.
    let bytes = first.as_bytes();
    let ends = |at: usize| bytes[at] == b'_' || bytes[at].is_ascii_uppercase() && at > 0;
    let end = (0..bytes.len()).find(|at| ends(*at)).unwrap_or(bytes.len());
    if first.is_ascii() {
        &bytes[..end]
    } else {
        &bytes[..end.min(first.chars().next().map_or(0, char::len_utf8))]
    }
}

/// Without those that begin with another one: where they are, that one is.
fn shortest(mut stems: Vec<Vec<u8>>, is_loose: bool) -> Vec<Vec<u8>> {
    if is_loose {
        stems.iter_mut().for_each(|stem| stem.make_ascii_lowercase());
    }
    stems.sort();
    let mut kept: Vec<Vec<u8>> = Vec::new();
    for stem in stems {
        if kept.last().is_none_or(|last| !stem.starts_with(last)) {
            kept.push(stem);
        }
    }
    kept
}
