//! Where words begin and end, by the rules of Unicode.

/// Whether a character is part of a word.
pub(crate) fn is_word(c: char) -> bool {
    match c.is_ascii() {
        true => c.is_ascii_alphanumeric() || c == '_',
        false => regex_syntax::try_is_word_character(c).unwrap_or_else(|_| c.is_alphanumeric()),
    }
}

/// The character that ends right before a byte.
pub(crate) fn before(text: &[u8], at: usize) -> Option<char> {
    let from = at.saturating_sub(4);
    let bytes = text.get(from..at)?;
    let last = *bytes.last()?;
    if last.is_ascii() {
        return Some(char::from(last));
    }
    let start = bytes.iter().rposition(|byte| byte & 0xc0 != 0x80)?;
    std::str::from_utf8(&bytes[start..]).ok()?.chars().next()
}

/// The character that begins at a byte.
pub(crate) fn after(text: &[u8], at: usize) -> Option<char> {
    let first = *text.get(at)?;
    if first.is_ascii() {
        return Some(char::from(first));
    }
    let bytes = text.get(at..text.len().min(at + 4))?;
    (1..=bytes.len()).find_map(|length| std::str::from_utf8(&bytes[..length]).ok()?.chars().next())
}

/// Whether a word could begin at a byte: none is going on there.
pub(crate) fn begins(text: &[u8], at: usize) -> bool {
    !before(text, at).is_some_and(is_word)
}

/// A name without case, `-` and `_`.
pub(crate) fn fold(name: &[u8], into: &mut Vec<u8>) {
    into.clear();
    if name.is_ascii() {
        let letters = name.iter().filter(|byte| !b"-_".contains(byte));
        into.extend(letters.map(u8::to_ascii_lowercase));
        return;
    }
    let text = String::from_utf8_lossy(name);
    let letters = text.chars().filter(|c| !matches!(c, '-' | '_')).flat_map(char::to_lowercase);
    for c in letters {
        into.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
    }
}

/// Shows every place of a byte that is not rare: eight bytes are looked at together, and nothing is begun anew after
/// each that is found.
#[inline]
pub(crate) fn each(byte: u8, text: &[u8], mut see: impl FnMut(usize)) {
    const WIDTH: usize = 8;
    const LOW: u64 = 0x7f7f_7f7f_7f7f_7f7f;
    let same = u64::from(byte) * 0x0101_0101_0101_0101;
    let (words, rest) = text.as_chunks::<WIDTH>();
    for (number, word) in words.iter().enumerate() {
        let differs = u64::from_le_bytes(*word) ^ same;
        // The highest bit of each byte that is 0, and of no other.
        let mut hits = !(((differs & LOW) + LOW) | differs | LOW);
        while hits != 0 {
            see(number * WIDTH + hits.trailing_zeros() as usize / 8);
            hits &= hits - 1;
        }
    }
    let start = words.len() * WIDTH;
    rest.iter()
        .enumerate()
        .filter(|(_, other)| **other == byte)
        .for_each(|(at, _)| see(start + at));
}
