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
