//! Finds values that are written literally in code, where they are distinctive enough to mean their setting.

use crate::words;
use aho_corasick::{AhoCorasick, MatchKind};
use std::collections::HashMap;
use std::ops::Range;

#[cfg(test)]
mod tests;

/// Looks for many values at once.
#[derive(Debug)]
pub struct Values {
    stems: Option<AhoCorasick>,
    /// Every value with its number, in byte order.
    values: Vec<(Box<str>, u32)>,
    /// Whether they are words, which may be part of a path or a name with dots.
    are_words: bool,
}

/// So much of a value is looked for first.
const STEM: usize = 6;

impl Values {
    /// Of these values, each with a number.
    pub fn new(values: impl IntoIterator<Item = (String, u32)>) -> Values {
        let mut known: HashMap<String, u32> = HashMap::new();
        for (value, id) in values {
            known.entry(value).or_insert(id);
        }
        let mut values: Vec<(Box<str>, u32)> =
            known.into_iter().map(|(value, id)| (value.into(), id)).collect();
        values.sort_unstable();
        let mut stems: Vec<&[u8]> = Vec::new();
        for (value, _) in &values {
            let stem = &value.as_bytes()[..value.len().min(STEM)];
            if stems.last().is_none_or(|last| !stem.starts_with(last)) {
                stems.push(stem);
            }
        }
        let stems = match stems.is_empty() {
            true => None,
            false => AhoCorasick::builder().match_kind(MatchKind::LeftmostFirst).build(&stems).ok(),
        };
        Values { stems, values, are_words: false }
    }

    /// The same of words.
    pub fn of_words(words: impl IntoIterator<Item = (String, u32)>) -> Values {
        Values { are_words: true, ..Values::new(words) }
    }

    /// Calls `tell` with the number and the bytes of every value in a text, in the order of the text.
    pub fn find(&self, text: &[u8], mut tell: impl FnMut(u32, Range<usize>)) {
        let Some(stems) = &self.stems else { return };
        let mut from = 0;
        while let Some(hit) = stems.find(aho_corasick::Input::new(text).range(from..)) {
            let start = hit.start();
            from = start + 1;
            if let Some((length, id)) = self.longest_at(text, start)
                && self.stands_alone(text, start, start + length)
            {
                from = start + length;
                tell(id, start..start + length);
            }
        }
    }

    /// The longest value that begins at a byte.
    fn longest_at(&self, text: &[u8], start: usize) -> Option<(usize, u32)> {
        let mut there = &text[start..];
        loop {
            let after = self.values.partition_point(|(value, _)| value.as_bytes() <= there);
            let (value, id) = &self.values[after.checked_sub(1)?];
            let alike = value.bytes().zip(there).take_while(|(a, b)| a == *b).count();
            if alike == value.len() {
                return Some((value.len(), *id));
            }
            // A shorter one can only be what both begin with.
            there = &there[..alike];
            if alike == 0 {
                return None;
            }
        }
    }
}

impl Values {
    /// Whether what is around is not part of the same name, address or path.
    fn stands_alone(&self, text: &[u8], start: usize, end: usize) -> bool {
        if self.are_words {
            return words::begins(text, start)
                && !words::after(text, end).is_some_and(words::is_word);
        }
        stands_alone(text, start, end)
    }
}

fn stands_alone(text: &[u8], start: usize, end: usize) -> bool {
    let before = words::before(text, start);
    let after = words::after(text, end);
    let joins = |c: char| words::is_word(c) || c == '-';
    let is_part_before = before.is_some_and(|c| joins(c) || c == '.' || c == '@');
    let is_part_after = match after {
        Some('.') => words::after(text, end + 1).is_some_and(joins),
        after => after.is_some_and(joins),
    };
    !is_part_before && !is_part_after
}

/// Whether a value that stands in code means its setting: a host, an address, a path, an e-mail address, or a
/// longer identifier that nobody writes by chance.
pub fn is_distinctive(value: &str) -> bool {
    if value.len() < 6 || value.len() > 500 || value.contains(char::is_whitespace) {
        return false;
    }
    if let Some((scheme, rest)) = value.split_once("://") {
        let host = rest.rsplit_once('@').map_or(rest, |(_, host)| host);
        let host = host.split(['/', ':', '?']).next().unwrap_or_default();
        return !scheme.is_empty() && !host.is_empty() && !is_loopback(host);
    }
    if let Some((user, host)) = value.split_once('@') {
        return !user.is_empty() && is_host(host);
    }
    if value.starts_with('/') || value.starts_with("~/") || value.get(1..3) == Some(":\\") {
        return is_path(value);
    }
    let host = value.split([':', '/']).next().unwrap_or_default();
    if is_address(host) || is_host(host) {
        return !is_loopback(host);
    }
    is_identifier(value)
}

/// Whether a secret that stands in code is the secret: nobody writes it by chance.
pub fn is_distinctive_secret(value: &str) -> bool {
    if value.len() < 8 || value.contains('\n') {
        return false;
    }
    let has = |is: fn(&u8) -> bool| value.as_bytes().iter().any(is);
    let kinds = [
        has(u8::is_ascii_lowercase),
        has(u8::is_ascii_uppercase),
        has(u8::is_ascii_digit),
        value.bytes().any(|byte| !byte.is_ascii_alphanumeric() && !b"-_. ".contains(&byte)),
    ];
    let kinds = kinds.iter().filter(|it| **it).count();
    let variety = value.bytes().collect::<std::collections::HashSet<u8>>().len();
    variety >= 5 && (kinds >= 2 || value.len() >= 12)
}

fn is_loopback(host: &str) -> bool {
    host == "localhost"
        || host.starts_with("127.")
        || host == "0.0.0.0"
        || host == "255.255.255.255"
        || host.starts_with('[')
        || host == "host.docker.internal"
}

fn is_address(host: &str) -> bool {
    host.parse::<std::net::Ipv4Addr>().is_ok()
}

fn is_host(host: &str) -> bool {
    // Endings of hosts that are not those of files, nor of names in code.
    const ENDINGS: [&str; 26] = [
        "com",
        "org",
        "net",
        "edu",
        "gov",
        "mil",
        "int",
        "io",
        "dev",
        "cloud",
        "example",
        "test",
        "local",
        "internal",
        "lan",
        "home",
        "corp",
        "intranet",
        "localdomain",
        "eu",
        "de",
        "uk",
        "fr",
        "nl",
        "us",
        "ch",
    ];
    let labels: Vec<&str> = host.split('.').collect();
    let is_label = |label: &&str| {
        !label.is_empty()
            && label
                .bytes()
                .all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'-')
            && !label.starts_with('-')
    };
    if labels.len() < 2 || !labels.iter().all(is_label) {
        return false;
    }
    // `org.example.app` is the name of a package.
    let is_package = labels.len() > 2 && matches!(labels[0], "com" | "org" | "net" | "io" | "dev");
    !is_package && labels.last().is_some_and(|last| ENDINGS.contains(last))
}

fn is_path(value: &str) -> bool {
    const COMMON: [&str; 8] = [
        "/dev/",
        "/usr/bin/",
        "/bin/",
        "/usr/local/bin",
        "/etc/ssl",
        "/proc/",
        "/etc/hosts",
        "/usr/share/",
    ];
    let names = value.split(['/', '\\']).filter(|name| !name.is_empty() && *name != "~").count();
    let is_common = COMMON.iter().any(|common| value.starts_with(common));
    // A path of an address is short, and so is a folder for everything.
    names >= 3 && value.len() >= 10 && !is_common && !value.contains(['*', '{', '<'])
}

/// At least eight letters and digits, mixed as in no word and no version.
fn is_identifier(value: &str) -> bool {
    let is_part = |byte: u8| byte.is_ascii_alphanumeric() || b"-_.:/+=".contains(&byte);
    if value.len() < 8 || !value.bytes().all(is_part) {
        return false;
    }
    let digits = value.bytes().filter(u8::is_ascii_digit).count();
    let letters = value.bytes().filter(u8::is_ascii_alphabetic).count();
    let kind = |byte: u8| (byte.is_ascii_digit(), byte.is_ascii_alphabetic());
    let solid: Vec<u8> = value.bytes().filter(u8::is_ascii_alphanumeric).collect();
    let changes = solid.windows(2).filter(|pair| kind(pair[0]) != kind(pair[1])).count();
    digits >= 2 && letters >= 3 && changes >= 4
}
