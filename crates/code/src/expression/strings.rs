//! Strings of each language.

use super::scan::Scanner;
use super::shown;

impl Scanner<'_, '_> {
    /// The string at a byte.
    pub(super) fn string(&self, at: usize) -> Option<(usize, Option<String>)> {
        let rest = self.text.get(at..)?;
        let letters = rest.bytes().take_while(|byte| b"rRbBfFuU$@".contains(byte)).count();
        let (prefix, quoted) = rest.split_at(letters.min(3));
        let name = self.syntax.name;
        if letters > 3 || !has_prefix(name, prefix) {
            return None;
        }
        let prefix = prefix.to_ascii_lowercase();
        if name == "rust" && prefix.contains('r') {
            let hashes = quoted.bytes().take_while(|byte| *byte == b'#').count();
            let body = quoted.get(hashes..)?.strip_prefix('"')?;
            let close = format!("\"{}", "#".repeat(hashes));
            let end = body.find(&close);
            let start = at + letters + hashes + 1;
            let text = end.map(|end| body[..end].to_owned()).filter(|_| !prefix.contains('b'));
            return Some((start + end.map_or(body.len(), |end| end + close.len()), text));
        }
        let open = opening(name, quoted)?;
        let start = at + letters + open.len();
        if prefix == "@" || prefix.contains('@') {
            return Some(doubled(self.text, start, prefix.contains('$')));
        }
        let kind = Kind {
            close: open,
            is_raw: prefix.contains('r') && name == "python"
                || open == "`" && name == "go"
                || open == "'" && matches!(name, "ruby" | "php")
                || open == "'" && name == "shell"
                || open == "\"\"\"" && name == "kotlin",
            expands: expands(name, open, &prefix),
            is_bytes: prefix.contains('b'),
            is_long: open.len() == 3
                || open == "`"
                || matches!(name, "rust" | "ruby" | "php" | "shell"),
            is_block: open == "\"\"\"" && matches!(name, "java" | "dotnet"),
        };
        Some(self.body(start, &kind))
    }

    fn body(&self, start: usize, kind: &Kind) -> (usize, Option<String>) {
        let mut value = Some(String::new());
        let mut at = start;
        while let Some(rest) = self.text.get(at..).filter(|rest| !rest.is_empty()) {
            if rest.starts_with(kind.close) {
                let known = value.filter(|_| !kind.is_bytes && !kind.is_block);
                return (at + kind.close.len(), known);
            }
            if rest.starts_with('\n') && !kind.is_long {
                return (at, None);
            }
            if let Some(length) = kind.expands.filter(|it| is_expansion(rest, it)).map(|_| 1) {
                match template_name(rest, self.syntax.name)
                    .and_then(|(name, end)| Some(((self.resolve)(name)?, end)))
                {
                    Some((constant, end)) => {
                        push(&mut value, &shown(&constant));
                        at += end;
                    }
                    None => {
                        value = None;
                        at += match nested(rest) {
                            Some(end) if self.syntax.name != "python" || end > 1 => end,
                            _ => length,
                        };
                    }
                }
                continue;
            }
            if rest.starts_with('\\') && self.syntax.name != "shell" {
                let (text, length) = escape(rest, kind, self.syntax.name);
                match text {
                    Some(text) => push(&mut value, &text),
                    None => value = None,
                }
                at += length;
                continue;
            }
            let doubled =
                kind.expands == Some("{") && (rest.starts_with("{{") || rest.starts_with("}}"));
            let c = rest.chars().next().unwrap_or_default();
            push(&mut value, c.encode_utf8(&mut [0; 4]));
            at += if doubled { 2 } else { c.len_utf8() };
        }
        (self.text.len(), None)
    }
}

/// How a string is written.
struct Kind {
    close: &'static str,
    is_raw: bool,
    /// What begins something that is put in its place.
    expands: Option<&'static str>,
    is_bytes: bool,
    is_long: bool,
    /// Whether its indentation is taken away.
    is_block: bool,
}

fn push(value: &mut Option<String>, text: &str) {
    if let Some(value) = value {
        value.push_str(text);
    }
}

fn has_prefix(language: &str, prefix: &str) -> bool {
    let lower = prefix.to_ascii_lowercase();
    match language {
        "python" => {
            matches!(lower.as_str(), "" | "r" | "b" | "f" | "u" | "rb" | "br" | "rf" | "fr")
        }
        "rust" => matches!(prefix, "" | "r" | "b" | "br"),
        "dotnet" => matches!(prefix, "" | "$" | "@" | "$@" | "@$" | "$$"),
        _ => prefix.is_empty(),
    }
}

fn opening(language: &str, quoted: &str) -> Option<&'static str> {
    let ways: &[&str] = match language {
        "python" => &["\"\"\"", "'''", "\"", "'"],
        "java" | "kotlin" | "dotnet" => &["\"\"\"", "\""],
        "node" => &["\"", "'", "`"],
        "go" => &["\"", "`"],
        "rust" => &["\""],
        _ => &["\"", "'"],
    };
    ways.iter().find(|open| quoted.starts_with(**open)).copied()
}

fn expands(language: &str, open: &str, prefix: &str) -> Option<&'static str> {
    match language {
        "node" if open == "`" => Some("${"),
        "kotlin" => Some("$"),
        "ruby" if open == "\"" => Some("#{"),
        "php" | "shell" if open == "\"" => Some("$"),
        "python" if prefix.contains('f') => Some("{"),
        "dotnet" if prefix.contains('$') => Some("{"),
        _ => None,
    }
}

fn is_expansion(rest: &str, mark: &str) -> bool {
    let Some(after) = rest.strip_prefix(mark) else { return false };
    match mark {
        "{" => !after.starts_with('{'),
        "$" => after.starts_with(|c: char| c.is_ascii_alphabetic() || "_{(".contains(c)),
        _ => true,
    }
}

/// The name that a template has in place of text, and the end of that.
fn template_name<'t>(rest: &'t str, language: &str) -> Option<(&'t str, usize)> {
    let open = match language {
        "node" => "${",
        "python" => "{",
        _ => return None,
    };
    let inner = rest.strip_prefix(open)?;
    let end = inner.find('}')?;
    let name = inner[..end].trim();
    let is_name = !name.is_empty()
        && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"_.$".contains(&byte));
    is_name.then_some((name, open.len() + end + 1))
}

/// The end of what is in brackets after the mark of an expansion.
fn nested(rest: &str) -> Option<usize> {
    let open = rest.find(['{', '('])?;
    if open > 1 {
        return None;
    }
    let mut depth = 0_usize;
    for (at, byte) in rest.bytes().enumerate().take(10_000) {
        match byte {
            b'{' | b'(' => depth += 1,
            b'}' | b')' => {
                depth -= 1;
                if depth == 0 {
                    return Some(at + 1);
                }
            }
            b'\n' => return None,
            _ => {}
        }
    }
    None
}

/// A string in which two quotes are one.
fn doubled(text: &str, start: usize, has_inner: bool) -> (usize, Option<String>) {
    let mut value = String::new();
    let mut at = start;
    while let Some(end) = text[at..].find('"') {
        value.push_str(&text[at..at + end]);
        at += end + 1;
        if !text[at..].starts_with('"') {
            let is_known = !has_inner || !value.contains('{');
            return (at, is_known.then_some(value));
        }
        value.push('"');
        at += 1;
    }
    (text.len(), None)
}

/// What a backslash and what follows mean, and how many bytes they are.
fn escape(rest: &str, kind: &Kind, language: &str) -> (Option<String>, usize) {
    let Some(next) = rest[1..].chars().next() else { return (None, 1) };
    let both = 1 + next.len_utf8();
    let written = || Some(rest[..both].to_owned());
    if kind.is_raw {
        let is_one = match language {
            "ruby" | "php" => next == '\\' || next == '\'',
            _ => false,
        };
        return match (is_one, language) {
            (true, _) => (Some(next.to_string()), both),
            // What closes the string does not, but the backslash stays.
            (false, "python") => (written(), both),
            (false, _) => (Some("\\".to_owned()), 1),
        };
    }
    let simple = match next {
        'n' => Some('\n'),
        't' => Some('\t'),
        'r' => Some('\r'),
        '0' if !rest[2..].starts_with(|c: char| c.is_ascii_digit()) => Some('\0'),
        '\\' | '\'' | '"' | '`' | '$' | '/' => Some(next),
        '{' if language == "php" => None,
        '#' if language == "ruby" => Some('#'),
        'b' if language != "ruby" => Some('\u{8}'),
        _ => None,
    };
    // Some keep the backslash before what needs none.
    let keeps = matches!(next, '$' | '/' | '`') && matches!(language, "python" | "go" | "java")
        || next == '\'' && matches!(language, "php" | "go");
    if let Some(c) = simple.filter(|_| !keeps) {
        return (Some(c.to_string()), both);
    }
    if next == '\n' && matches!(language, "node" | "python" | "shell") {
        return (Some(String::new()), both);
    }
    match hexadecimal(&rest[1..], language) {
        Some((c, length)) => (Some(c.to_string()), 1 + length),
        None => (None, both),
    }
}

fn hexadecimal(rest: &str, language: &str) -> Option<(char, usize)> {
    let (digits, length) = match rest.chars().next()? {
        'x' if matches!(language, "node" | "python" | "rust" | "ruby" | "php") => {
            (rest.get(1..3)?, 3)
        }
        'u' if rest[1..].starts_with('{') => {
            let end = rest.find('}')?;
            (rest.get(2..end)?, end + 1)
        }
        'u' => (rest.get(1..5)?, 5),
        'U' => (rest.get(1..9)?, 9),
        _ => return None,
    };
    let number = u32::from_str_radix(digits, 16).ok()?;
    Some((char::from_u32(number)?, length))
}
