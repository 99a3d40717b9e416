//! Env, INI and properties files: a value on a line.

use super::write::{self, Quotes, unwritable};
use super::{Splice, Way, line_end, line_start, names, newline, whole_lines};
use crate::tree::{Fault, Kind, Node, NodeId, Tree};
use justwhy_core::{KeyPath, Value};
use std::borrow::Cow;

/// The text that such a format has for a value.
fn text_of(value: &Value) -> Result<Cow<'_, str>, Fault> {
    Ok(match value {
        Value::Text(text) => Cow::Borrowed(text.as_ref()),
        Value::Boolean(_) | Value::Integer(_) | Value::Number(_) => Cow::Owned(value.show()),
        Value::List(_) | Value::Map(_) => Cow::Owned(write::json(value)?),
        Value::Null => return Err(unwritable("a null")),
        Value::Unread => return Err(unwritable("a value that cannot be read")),
    })
}

fn written<'t>(text: &'t str, node: &Node<'_>) -> &'t str {
    &text[node.at.start as usize..node.at.end as usize]
}

pub(super) fn put_env(
    text: &str,
    tree: &Tree<'_>,
    way: &Way<'_>,
    value: &Value,
) -> Result<Splice, Fault> {
    let value = text_of(value)?;
    if let Some(there) = way.there {
        let node = tree.node(there);
        let quotes = Quotes::of(written(text, node));
        return Ok(Splice::replace(node.at, write::env(&value, quotes)));
    }
    let [name] = names(way.rest)[..] else {
        return Err(unwritable("a name of several parts"));
    };
    let beside = nearest(tree, name, '_');
    let at = beside.map_or(text.len(), |id| line_end(text, tree.node(id).at.end as usize));
    let export = beside.is_some_and(|id| {
        let name_at = tree.node(id).name_at.start as usize;
        text[line_start(text, name_at)..name_at].trim_start().starts_with("export")
    });
    let export = if export { "export " } else { "" };
    Ok(whole_lines(text, at, &format!("{export}{name}={}", write::env(&value, Quotes::None))))
}

/// The entry of the root beside which a person would put that name: of those that share most of its
/// beginning the last.
fn nearest(tree: &Tree<'_>, name: &str, between: char) -> Option<NodeId> {
    let shared = |other: &str| {
        let parts = other.split(between).zip(name.split(between));
        parts.take_while(|(one, other)| one == other).map(|(one, _)| one.len() + 1).sum::<usize>()
    };
    let all = tree.entries(Tree::ROOT).map(|id| (shared(&tree.node(id).name), id));
    all.filter(|(shared, _)| *shared > 0).max_by_key(|(shared, id)| (*shared, *id)).map(|it| it.1)
}

pub(super) fn put_property(
    text: &str,
    tree: &Tree<'_>,
    way: &Way<'_>,
    value: &Value,
) -> Result<Splice, Fault> {
    let value = write::property(&text_of(value)?);
    if let Some(there) = way.there {
        let node = tree.node(there);
        let between = &text[node.name_at.end as usize..node.at.start as usize];
        let is_separated = between.contains(['=', ':', ' ', '\t']);
        let with = if is_separated { value } else { format!("={value}") };
        let mut range = node.at.start as usize..node.at.end as usize;
        if range.is_empty() {
            // The blanks after the separator would come to stand behind the value, and be of it.
            let rest = &text[range.start..];
            range.start += rest.len() - rest.trim_start_matches([' ', '\t', '\u{c}']).len();
            range.end = range.start;
        }
        return Ok(Splice { range, with });
    }
    let mut path = names(way.above);
    path.extend(names(way.rest));
    let name: Vec<String> = path.iter().map(|it| write::property_name(it)).collect();
    let name = name.join(".");
    // Beside those below the deepest table that is there, else at the end.
    let beside = (way.table != Tree::ROOT).then(|| last_leaf(tree, way.table)).flatten();
    let sibling = beside.or_else(|| last_leaf(tree, Tree::ROOT)).map(|id| tree.node(id));
    let separator = sibling
        .map(|node| &text[(node.name_at.end as usize).min(text.len())..node.at.start as usize]);
    let is_usual = |it: &&str| it.trim() == "=" || it.trim() == ":" || it.trim().is_empty();
    let separator = separator.filter(|it| !it.is_empty() && is_usual(it)).unwrap_or("=");
    let at = beside.map_or(text.len(), |id| line_end(text, tree.node(id).at.end as usize));
    Ok(whole_lines(text, at, &format!("{name}{separator}{value}")))
}

/// The value that stands last of those below a table.
fn last_leaf(tree: &Tree<'_>, table: NodeId) -> Option<NodeId> {
    let mut last: Option<NodeId> = None;
    let mut open = vec![table];
    while let Some(table) = open.pop() {
        for id in tree.entries(table) {
            if matches!(tree.node(id).kind, Kind::Table(_)) {
                open.push(id);
            } else if last.is_none_or(|last| tree.node(last).at.start <= tree.node(id).at.start) {
                last = Some(id);
            }
        }
    }
    last
}

pub(super) fn put_ini(
    text: &str,
    tree: &Tree<'_>,
    way: &Way<'_>,
    value: &Value,
) -> Result<Splice, Fault> {
    let value = text_of(value)?;
    if let Some(there) = way.there {
        let node = tree.node(there);
        let quotes = Quotes::of(written(text, node));
        return Ok(Splice::replace(node.at, write::ini(&value, quotes)?));
    }
    let value = write::ini(&value, Quotes::None)?;
    let mut path = names(way.above);
    path.extend(names(way.rest));
    let Some((last, section)) = path.split_last() else {
        return Err(unwritable("a value without a name"));
    };
    let is_plain = !last.is_empty()
        && !last.contains(['=', ':', '\n', '\r'])
        && !last.starts_with(['[', ';', '#'])
        && last.trim() == *last;
    if !is_plain {
        return Err(unwritable("this name"));
    }
    let sections = sections(text);
    let here = sections.iter().rev().find(|it| it.path.iter().eq(section.iter()));
    let separator = separator_beside(text, tree);
    let line = format!("{last}{separator}{value}");
    match here {
        Some(section) => Ok(whole_lines(text, section.end, &line)),
        None => {
            let path = KeyPath::from_segments(section.iter().map(|it| (*it).to_owned()).collect());
            let path = path.map(|path| path.to_string()).unwrap_or_default();
            let blank = if text.trim().is_empty() { "" } else { "\n" };
            Ok(whole_lines(text, text.len(), &format!("{blank}[{path}]\n{line}")))
        }
    }
}

/// How the file's last pair is separated.
fn separator_beside(text: &str, tree: &Tree<'_>) -> String {
    let last = last_leaf(tree, Tree::ROOT).map(|id| tree.node(id));
    let between = last.map(|node| &text[node.name_at.end as usize..node.at.start as usize]);
    let between = between.filter(|it| it.trim() == "=" || it.trim() == ":");
    between.map_or_else(|| " = ".to_owned(), |it| it.trim_end_matches(newline(text)).to_owned())
}

/// A section: its path, and the byte after its last pair or its header.
struct Section {
    path: Vec<String>,
    end: usize,
}

fn sections(text: &str) -> Vec<Section> {
    let mut sections = vec![Section { path: Vec::new(), end: 0 }];
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        at += line.len();
        let content = line.trim();
        if let Some(name) = content.strip_prefix('[').and_then(|rest| rest.strip_suffix(']')) {
            let path = KeyPath::parse(name.trim());
            let path = path.map(|it| it.segments().map(str::to_owned).collect());
            sections.push(Section { path: path.unwrap_or_default(), end: at });
        } else if !content.is_empty()
            && !content.starts_with([';', '#'])
            && let Some(section) = sections.last_mut()
        {
            section.end = at;
        }
    }
    sections
}
