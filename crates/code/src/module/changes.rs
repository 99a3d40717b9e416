//! Constants that are none: names that are assigned again, or whose content is changed.

use super::Source;
use std::collections::{HashMap, HashSet};

/// Methods that change what they are called on.
const CHANGING: [&str; 22] = [
    "push",
    "pop",
    "shift",
    "unshift",
    "splice",
    "sort",
    "reverse",
    "fill",
    "set",
    "delete",
    "clear",
    "append",
    "extend",
    "insert",
    "remove",
    "update",
    "setdefault",
    "add",
    "discard",
    "popitem",
    "assign",
    "copyWithin",
];

/// The lines at which names are assigned or changed after they were declared. `declared` are the places of the
/// names where they are declared; `is_local` tells of a byte whether what is assigned there is another name.
pub(super) fn changes(
    source: &Source<'_>,
    names: &HashSet<&str>,
    declared: &HashSet<usize>,
    is_local: &dyn Fn(usize) -> bool,
) -> HashMap<String, usize> {
    let mut changed: HashMap<String, usize> = HashMap::new();
    let bytes = source.text.as_bytes();
    let is_part =
        |byte: u8| byte.is_ascii_alphanumeric() || byte == b'_' || byte == b'$' || byte >= 0x80;
    let (mut at, mut line) = (0, 1);
    while at < bytes.len() {
        if bytes[at] == b'\n' {
            line += 1;
        }
        if !is_part(bytes[at]) {
            at += 1;
            continue;
        }
        let end = at + bytes[at..].iter().take_while(|byte| is_part(**byte)).count();
        let word = &source.text[at..end];
        let is_member = at > 0 && bytes[at - 1] == b'.' && !source.text[..at].ends_with("...");
        let is_ours = names.contains(word) && !is_member && !declared.contains(&at);
        if is_ours && source.is_code(at) && is_changed(source, at, end) && !is_local(at) {
            changed.entry(word.to_owned()).or_insert(line);
        }
        at = end;
    }
    changed
}

/// An index in brackets that is longer is not looked through.
const LONGEST: usize = 200;

/// Whether the name at a place is assigned or changed there.
fn is_changed(source: &Source<'_>, start: usize, end: usize) -> bool {
    let before = source.text[..start].trim_end();
    let by_word = ["delete", "del", "Object.assign(", "++", "--"];
    if by_word.iter().any(|word| before.ends_with(word)) {
        return true;
    }
    // Another name of the same letters, within a function.
    let declares = ["const", "let", "var"].iter().any(|word| {
        before
            .strip_suffix(word)
            .is_some_and(|it| !it.ends_with(|c: char| c.is_alphanumeric() || c == '_'))
    });
    if declares {
        return false;
    }
    let mut rest = source.rest(end);
    loop {
        let there = rest.trim_start_matches([' ', '\t']);
        if let Some(inside) = there.strip_prefix('[') {
            let Some(close) = inside
                .as_bytes()
                .iter()
                .take(LONGEST)
                .position(|byte| *byte == b']')
                .filter(|close| !inside[..*close].contains('\n'))
            else {
                return false;
            };
            rest = &inside[close + 1..];
            continue;
        }
        if let Some(member) = there.strip_prefix('.') {
            let length =
                member.find(|c: char| !c.is_alphanumeric() && c != '_').unwrap_or(member.len());
            let (name, after) = member.split_at(length);
            if after.starts_with('(') {
                return CHANGING.contains(&name);
            }
            rest = after;
            continue;
        }
        let operators =
            ["+=", "-=", "*=", "/=", "%=", "|=", "&=", "||=", "&&=", "??=", "++", "--", "**="];
        let assigns =
            there.starts_with('=') && !there.starts_with("==") && !there.starts_with("=>");
        return assigns || operators.iter().any(|operator| there.starts_with(operator));
    }
}
