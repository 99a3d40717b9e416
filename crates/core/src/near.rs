//! Near misses: names that were probably meant.

#[cfg(test)]
mod tests;

/// The greatest edit distance of a near miss.
const REACH: usize = 2;
/// Shorter names have no near misses: too many of them would be chance.
const SHORTEST: usize = 5;

/// Whether two different names are near misses of each other: at most two insertions, deletions or
/// replacements apart, and at least five characters long. Case alone counts as nothing.
pub fn is_near(a: &str, b: &str) -> bool {
    a != b
        && a.len() >= SHORTEST
        && b.len() >= SHORTEST
        && a.len().abs_diff(b.len()) <= REACH * 4
        && distance_within(&a.to_ascii_lowercase(), &b.to_ascii_lowercase(), REACH).is_some()
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
    let reach = match name.chars().count() {
        0 | 1 => 0,
        length => length.div_ceil(3).min(REACH),
    };
    let mut found: Vec<(usize, &str)> = Vec::new();
    for candidate in candidates {
        let other = candidate.to_ascii_lowercase();
        // Two letters in the wrong order are the commonest slip of all, and count as one here.
        let swapped = || Some(strsim::osa_distance(&lower, &other)).filter(|at| *at <= reach);
        if let Some(distance) = distance_within(&lower, &other, reach).or_else(swapped) {
            found.push((distance, candidate));
        }
    }
    found.sort();
    found.dedup();
    found.into_iter().take(most).map(|(_, candidate)| candidate).collect()
}

/// The edit distance of two texts, if it is at most `most`.
pub(crate) fn distance_within(a: &str, b: &str, most: usize) -> Option<usize> {
    // Every edit changes the length by at most one and the set of letters by at most two, which
    // spares nearly all pairs the quadratic comparison.
    if a.len().abs_diff(b.len()) > most * 4
        || (letters(a) ^ letters(b)).count_ones() as usize > most * 2
    {
        return None;
    }
    let (a, b) = without_common_ends(a, b);
    if a.chars().count().abs_diff(b.chars().count()) > most {
        return None;
    }
    let distance = strsim::levenshtein(a, b);
    (distance <= most).then_some(distance)
}

/// The characters of a text as a set; unlike characters may share a bit, which only lets more pairs
/// through.
pub(crate) fn letters(text: &str) -> u64 {
    text.bytes().fold(0, |set, byte| set | 1 << (byte & 63))
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
