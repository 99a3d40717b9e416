//! Near misses: names that were probably meant.

mod known;
#[cfg(test)]
mod tests;

pub use known::KnownNames;

/// The greatest edit distance of a near miss.
const REACH: usize = 2;
/// Shorter names have no near misses: too many of them would be chance.
const SHORTEST: usize = 5;
/// Longer names have none either: to compare them takes as long as nobody wants to wait.
const LONGEST: usize = 300;

/// Whether two different names are near misses of each other: at most two insertions, deletions or
/// replacements apart, and at least five characters long. Case alone counts as nothing.
pub fn is_near(a: &str, b: &str) -> bool {
    a != b
        && a.len() >= SHORTEST
        && b.len() >= SHORTEST
        && a.len().abs_diff(b.len()) <= REACH * 4
        && (letters(a) ^ letters(b)).count_ones() as usize <= REACH * 8
        && distance_within(&a.to_ascii_lowercase(), &b.to_ascii_lowercase(), REACH).is_some()
}

/// Whether two names differ only in how their words are put together: `base-url`, `base_url`, `baseUrl`.
pub(crate) fn is_spelled_alike(a: &str, b: &str) -> bool {
    a != b && spelled(a) == spelled(b)
}

/// A name without case, `-` and `_`.
pub(crate) fn spelled(name: &str) -> String {
    name.chars().filter(|it| !"-_".contains(*it)).map(|it| it.to_ascii_lowercase()).collect()
}

/// A name, and what it becomes where a letter of it is left out or two neighbours are swapped; only itself
/// if it is too short for that to be no chance, or longer than any that somebody types.
pub(crate) fn slips(name: &str) -> Vec<String> {
    let mut all = vec![name.to_owned()];
    let letters: Vec<char> = name.chars().collect();
    if letters.len() < SHORTEST || letters.len() > LONGEST {
        return all;
    }
    // Without the last one it would be the singular, which is often another setting.
    for at in 0..letters.len() - 1 {
        let mut less = letters.clone();
        less.remove(at);
        all.push(less.into_iter().collect());
        let mut swapped = letters.clone();
        swapped.swap(at, at + 1);
        all.push(swapped.into_iter().collect());
    }
    all
}

/// The candidate that was probably meant by `name`, if any is near enough: within two edits, and
/// for short ones within a third of their length.
pub fn nearest<'a>(name: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    nearest_few(name, candidates, 1).into_iter().next()
}

/// Up to `most` candidates that may have been meant by `name`, nearest first.
pub fn nearest_few<'a>(
    name: &str,
    candidates: impl IntoIterator<Item = &'a str>,
    most: usize,
) -> Vec<&'a str> {
    let lower = name.to_ascii_lowercase();
    let reach = reach_of(name);
    let mut found: Vec<(usize, &str)> = Vec::new();
    for candidate in candidates {
        let other = candidate.to_ascii_lowercase();
        if could_be_within(&lower, &other, reach) {
            // Two letters in the wrong order are the commonest slip of all, and count as one here.
            found.push((strsim::osa_distance(&lower, &other), candidate));
        }
    }
    found.retain(|(distance, _)| *distance <= reach);
    found.sort();
    found.dedup();
    found.into_iter().take(most).map(|(_, candidate)| candidate).collect()
}

/// How many edits away what was meant by a name may be.
fn reach_of(name: &str) -> usize {
    match name.chars().count() {
        0 | 1 => 0,
        length => length.div_ceil(3).min(REACH),
    }
}

/// Whether two texts could be so few edits apart. Every edit takes out and puts in at most one character,
/// of up to four bytes: that spares nearly all pairs the quadratic comparison.
fn could_be_within(a: &str, b: &str, most: usize) -> bool {
    let per_edit = if a.is_ascii() && b.is_ascii() { 2 } else { 8 };
    a.len().abs_diff(b.len()) <= most * 4
        && (letters(a) ^ letters(b)).count_ones() as usize <= most * per_edit
}

/// The edit distance of two texts, if it is at most `most`.
pub(crate) fn distance_within(a: &str, b: &str, most: usize) -> Option<usize> {
    if !could_be_within(a, b, most) {
        return None;
    }
    let (a, b) = without_common_ends(a, b);
    if a.chars().count().abs_diff(b.chars().count()) > most {
        return None;
    }
    let distance = strsim::levenshtein(a, b);
    (distance <= most).then_some(distance)
}

/// The characters of a text as a set, whatever their case; unlike characters may share a bit, which
/// only lets more pairs through.
fn letters(text: &str) -> u64 {
    text.bytes().fold(0, |set, byte| set | 1 << ((byte | 0x20) & 63))
}

/// What can be known of a text without reading it again: enough to know of nearly every other text
/// that it is no near miss. Made once for each of many texts that are all compared with each other.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Outline {
    bytes: usize,
    is_ascii: bool,
    letters: u64,
    /// Its pairs of neighbours as a set; unlike pairs may share a bit.
    pairs: u128,
}

impl Outline {
    pub(crate) fn of(text: &str) -> Outline {
        let pairs = text.as_bytes().windows(2).fold(0, |set, pair| {
            let mixed = u32::from(pair[0]) * 31 + u32::from(pair[1]) * 5;
            set | 1_u128 << (mixed & 127)
        });
        Outline { bytes: text.len(), is_ascii: text.is_ascii(), letters: letters(text), pairs }
    }

    /// Whether the texts could be at most two edits apart. An edit takes out at most one character
    /// and two pairs and puts in as many; a character that is not ASCII has up to four bytes.
    pub(crate) fn could_be_near(&self, other: &Outline) -> bool {
        match self.is_ascii && other.is_ascii {
            true => self.is_within(other, (1, 2, 4)),
            false => self.is_within(other, (4, 8, 10)),
        }
    }

    /// The same if two neighbours in the wrong order count as one edit, which may change three pairs.
    fn could_be_slip_of(&self, other: &Outline) -> bool {
        match self.is_ascii && other.is_ascii {
            true => self.is_within(other, (1, 2, 6)),
            false => self.is_within(other, (4, 8, 18)),
        }
    }

    /// Whether two edits could make the difference, each of so many bytes, letters and pairs.
    fn is_within(&self, other: &Outline, (bytes, letters, pairs): (usize, u32, u32)) -> bool {
        let edits = REACH as u32;
        self.bytes.abs_diff(other.bytes) <= REACH * bytes
            && (self.letters ^ other.letters).count_ones() <= edits * letters
            && (self.pairs ^ other.pairs).count_ones() <= edits * pairs
    }
}

fn without_common_ends<'a>(a: &'a str, b: &'a str) -> (&'a str, &'a str) {
    let start: usize =
        a.chars().zip(b.chars()).take_while(|(a, b)| a == b).map(|(c, _)| c.len_utf8()).sum();
    let (a, b) = (&a[start..], &b[start..]);
    let end: usize = a
        .chars()
        .rev()
        .zip(b.chars().rev())
        .take_while(|(a, b)| a == b)
        .map(|(c, _)| c.len_utf8())
        .sum();
    (&a[..a.len() - end], &b[..b.len() - end])
}
