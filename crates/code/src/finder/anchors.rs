//! Places of a byte that has the right bytes around it: where a name could be.

use crate::words;
use aho_corasick::Span;
use aho_corasick::packed::{Config, Searcher};
use hashbrown::HashSet;

/// How much of what is around a place is looked at.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Width {
    /// Two bytes on each side, or the next three.
    Wide,
    /// The next byte on each side, or the next one: some names are so short.
    Narrow,
    /// The same without case: there may be a `-` or `_` more.
    Folded,
}

impl Width {
    fn of(is_wide: bool, is_loose: bool) -> Width {
        match (is_loose, is_wide) {
            (true, _) => Width::Folded,
            (false, true) => Width::Wide,
            (false, false) => Width::Narrow,
        }
    }
}

/// Which four bytes may be around a place; a few that may not are let through.
#[derive(Debug)]
struct Filter(Box<[u64; Filter::WORDS]>);

impl Filter {
    const WORDS: usize = 1 << 10;

    fn new() -> Filter {
        Filter(Box::new([0; Filter::WORDS]))
    }

    /// The word and the bit in it that stand for four bytes.
    #[inline]
    fn place(bytes: [u8; 4]) -> (usize, u32) {
        let mixed = u32::from_le_bytes(bytes).wrapping_mul(0x9e37_79b1);
        ((mixed >> 22) as usize % Filter::WORDS, mixed >> 16 & 63)
    }

    fn add(&mut self, bytes: [u8; 4]) {
        let (word, bit) = Filter::place(bytes);
        self.0[word] |= 1 << bit;
    }

    #[inline]
    fn has(&self, bytes: [u8; 4]) -> bool {
        let (word, bit) = Filter::place(bytes);
        self.0[word] >> bit & 1 == 1
    }
}

/// The bytes around one.
#[inline]
fn around(text: &[u8], at: usize, width: Width) -> [u8; 4] {
    let window = at.checked_sub(2).and_then(|from| text.get(from..)?.first_chunk::<5>());
    if let (Width::Wide, Some([a, b, _, c, d])) = (width, window) {
        return [*a, *b, *c, *d];
    }
    let byte = |at: Option<usize>| at.and_then(|at| text.get(at)).copied().unwrap_or_default();
    let next = [byte(at.checked_sub(1)), byte(Some(at + 1))];
    match width {
        Width::Wide => [byte(at.checked_sub(2)), next[0], next[1], byte(Some(at + 2))],
        Width::Narrow => [0, next[0], next[1], 0],
        Width::Folded => [0, next[0].to_ascii_lowercase(), next[1].to_ascii_lowercase(), 0],
    }
}

/// The bytes from one on.
fn from(text: &[u8], at: usize, width: Width) -> [u8; 4] {
    let byte = |at: usize| text.get(at).copied().unwrap_or_default();
    match width {
        Width::Wide => [byte(at), byte(at + 1), byte(at + 2), 0],
        Width::Narrow => [byte(at), 0, 0, 0],
        Width::Folded => [byte(at).to_ascii_lowercase(), 0, 0, 0],
    }
}

/// More strings than these are not looked for all at once.
const MOST_PACKED: usize = 64;

/// Looks for a few strings at once, if they are few.
fn packed(strings: HashSet<Vec<u8>>) -> Option<Searcher> {
    if strings.is_empty() || strings.len() > MOST_PACKED {
        return None;
    }
    Config::new().builder().extend(strings).build()
}

/// Places of a separator within names.
#[derive(Debug)]
pub(super) struct Separators {
    byte: u8,
    width: Width,
    filter: Filter,
    /// Looks for the separator with what is around it, and how much of that is before it.
    packed: Option<(Searcher, usize)>,
}

impl Separators {
    /// The first place of a separator in each name; none if no name has it.
    pub(super) fn of<'n>(
        byte: u8,
        names: impl Iterator<Item = &'n [u8]>,
        is_loose: bool,
    ) -> Option<Separators> {
        let names: Vec<(&[u8], usize)> =
            names.filter_map(|name| Some((name, memchr::memchr(byte, name)?))).collect();
        let has =
            |count: usize| names.iter().all(|(name, at)| *at >= count && name.len() - at > count);
        let width = Width::of(has(2), is_loose);
        let mut filter = Filter::new();
        names.iter().for_each(|(name, at)| filter.add(around(name, *at, width)));
        let windows = |count: usize| -> HashSet<Vec<u8>> {
            names.iter().map(|(name, at)| name[at - count..at + count + 1].to_vec()).collect()
        };
        let by = |count: usize| {
            let searcher = (has(count) && !is_loose).then(|| packed(windows(count)))??;
            Some((searcher, count))
        };
        let packed = by(2).or_else(|| by(1));
        (!names.is_empty()).then_some(Separators { byte, width, filter, packed })
    }

    /// Shows every place where one could be that is not passed over: what sees it tells where to go on.
    pub(super) fn each(&self, text: &[u8], mut see: impl FnMut(usize) -> Option<usize>) {
        if let Some((searcher, before)) = &self.packed {
            let mut start = 0;
            while let Some(hit) = searcher.find_in(text, Span { start, end: text.len() }) {
                let at = hit.start() + before;
                // What is around the next one may begin within what is around this one.
                start = see(at).map_or(hit.start() + 1, |past| past.max(hit.start() + 1));
            }
            return;
        }
        let mut past = 0;
        words::each(self.byte, text, |at| {
            if self.filter.has(around(text, at, self.width)) && at >= past {
                past = see(at).unwrap_or(past);
            }
        });
    }
}

/// Places of quotes before names of one word, and of marks before those that are variables.
#[derive(Debug)]
pub(super) struct Quotes {
    width: Width,
    filter: Filter,
    packed: Option<Searcher>,
    /// Whether any of the names is a variable.
    pub(super) has_variables: bool,
}

impl Quotes {
    /// Of these names; none if there are none.
    pub(super) fn of(names: &[&[u8]], has_variables: bool, is_loose: bool) -> Option<Quotes> {
        let width = Width::of(names.iter().all(|name| name.len() > 2), is_loose);
        let mut filter = Filter::new();
        names.iter().for_each(|name| filter.add(from(name, 0, width)));
        let quoted = names.iter().flat_map(|name| {
            let start = &name[..name.len().min(3)];
            [b'"', b'\'', b'`'].map(|quote| [&[quote], start].concat())
        });
        let packed = if is_loose { None } else { packed(quoted.collect()) };
        (!names.is_empty()).then_some(Quotes { width, filter, packed, has_variables })
    }

    /// Shows every place right after a quote where such a name could be.
    pub(super) fn each(&self, text: &[u8], mut see: impl FnMut(usize)) {
        if let Some(searcher) = &self.packed {
            let mut start = 0;
            while let Some(hit) = searcher.find_in(text, Span { start, end: text.len() }) {
                start = hit.start() + 1;
                see(start);
            }
            return;
        }
        for quote in memchr::memchr3_iter(b'"', b'\'', b'`', text) {
            if self.filter.has(from(text, quote + 1, self.width)) {
                see(quote + 1);
            }
        }
    }

    /// Shows every place right after `$`, `{` or `.` where such a variable could be.
    pub(super) fn each_marked(&self, text: &[u8], mut see: impl FnMut(usize)) {
        for mark in memchr::memchr3_iter(b'$', b'{', b'.', text) {
            if self.filter.has(from(text, mark + 1, self.width)) {
                see(mark + 1);
            }
        }
    }
}
