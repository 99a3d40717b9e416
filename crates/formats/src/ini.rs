//! INI files: sections with `key = value` lines. Our own format, so that every place is exact.

use crate::Limits;
use crate::edit::lines::{self, last_leaf, text_of};
use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::paths::{Paths, Repeated};
use crate::splice::{Splice, Way, names, newline, whole_lines};
use crate::tree::{Kind, Node, NodeId, Tree};
use crate::write::{Quotes, unwritable};
use justwhy_core::{KeyPath, Span, Value};
use std::borrow::Cow;

/// INI files.
pub(crate) struct Ini;

impl FileFormat for Ini {
    fn about(&self) -> About {
        About {
            name: "ini",
            endings: &["ini", "cfg", "conf"],
            is_untyped: true,
            effort: 2,
            ..About::of_typed_values()
        }
    }

    fn read<'t>(
        &self,
        text: &'t str,
        manner: Manner<'_>,
        _: Limits,
        faults: &mut Faults,
    ) -> Tree<'t> {
        read(text, manner, faults)
    }

    fn put(
        &self,
        text: &str,
        tree: &Tree<'_>,
        way: &Way<'_>,
        value: &Value,
    ) -> Result<Splice, Fault> {
        put(text, tree, way, value)
    }

    fn take_out(
        &self,
        text: &str,
        tree: &Tree<'_>,
        (_, there): (NodeId, NodeId),
    ) -> Result<Splice, Fault> {
        lines::take_out(text, tree, there)
    }

    fn snippet(&self, segments: &[&str], value: &str) -> Option<String> {
        let (last, section) = segments.split_last()?;
        Some(match section.is_empty() {
            true => format!("{last} = {value}"),
            false => format!("[{}]\n{last} = {value}", section.join(".")),
        })
    }
}

/// Parses lines. A section is a path of tables, a key one segment in it.
fn read<'t>(text: &'t str, manner: Manner<'_>, faults: &mut Faults) -> Tree<'t> {
    let mut paths = Paths::for_text(text.len());
    paths.repeated = match (manner.gathers, manner.tolerant) {
        (true, _) => Repeated::Gathers,
        (false, true) => Repeated::Replaces,
        _ => Repeated::IsRefused,
    };
    // None below a header that cannot be read: nobody knows what its keys belong to.
    let mut section = Some(Tree::ROOT);
    let mut start = 0;
    for line in text.split('\n') {
        let next = start + line.len() + 1;
        let line = line.strip_suffix('\r').unwrap_or(line);
        let (content, at) = trimmed(line, start);
        if content.starts_with('[') {
            section = faults.unless(header(&mut paths, content, at));
        } else if !content.is_empty()
            && !content.starts_with([';', '#'])
            && let Some(section) = section
        {
            let content = match manner.inline_comments {
                true => without_comment(content),
                false => content,
            };
            faults.unless(pair(&mut paths, section, content, at));
        }
        if faults.are_enough() {
            break;
        }
        start = next;
    }
    let mut tree = paths.tree;
    if let Some(shared) = manner.inherit {
        inherit(&mut tree, shared);
    }
    tree
}

/// A line without the comment that begins after a blank.
fn without_comment(content: &str) -> &str {
    let bytes = content.as_bytes();
    let is_comment =
        |at: &usize| matches!(bytes[*at], b';' | b'#') && matches!(bytes[*at - 1], b' ' | b'\t');
    let end = (1..bytes.len()).find(is_comment).unwrap_or(bytes.len());
    content[..end].trim_end_matches([' ', '\t'])
}

/// Gives every section the keys of one that it has not itself.
fn inherit(tree: &mut Tree<'_>, shared: &str) {
    let sections: Vec<NodeId> = tree.entries(Tree::ROOT).collect();
    let Some(from) = sections.iter().copied().find(|id| tree.node(*id).name == shared) else {
        return;
    };
    let keys: Vec<NodeId> = tree.entries(from).collect();
    let tables: Vec<NodeId> = tree
        .ids()
        .filter(|id| {
            *id != Tree::ROOT && *id != from && matches!(tree.node(*id).kind, Kind::Table(_))
        })
        .collect();
    for table in tables {
        let own: Vec<String> =
            tree.entries(table).map(|id| tree.node(id).name.to_string()).collect();
        for key in &keys {
            let node = tree.node(*key);
            if own.iter().all(|name| *name != node.name) {
                let copy = Node::named(node.name.clone(), node.name_at, node.at, node.kind.clone());
                tree.push_child(table, copy);
            }
        }
    }
}

/// A text without the blanks around it, and the byte at which it begins.
fn trimmed(text: &str, start: usize) -> (&str, usize) {
    let blanks = [' ', '\t'];
    let content = text.trim_start_matches(blanks);
    (content.trim_end_matches(blanks), start + text.len() - content.len())
}

fn header(paths: &mut Paths<'_>, content: &str, at: usize) -> Result<NodeId, Fault> {
    let Some(inner) = content[1..].strip_suffix(']') else {
        let fault = Fault::new(
            Span::new(at, at),
            "unterminated section: expected `]` at the end of the line",
        );
        return Err(fault.help("write [a.b], alone on its line"));
    };
    let (name, name_at) = trimmed(inner, at + 1);
    let path = KeyPath::parse(name).map_err(|error| {
        let here = name_at + error.at;
        Fault::new(Span::new(here, here), format!("invalid section: {}", error.problem)).help(
            "write a dotted path such as [database.pool]; quote a segment with other characters",
        )
    })?;
    let mut table = Tree::ROOT;
    for segment in path.segments() {
        table = paths.table(table, segment, Span::new(at, at + content.len()))?;
    }
    Ok(table)
}

fn pair<'s>(
    paths: &mut Paths<'s>,
    section: NodeId,
    content: &'s str,
    at: usize,
) -> Result<(), Fault> {
    let Some(separator) = content.find(['=', ':']) else {
        return Err(Fault::new(Span::new(at, at), "expected `=` or `:`")
            .help("write key = value, a section [a.b], or a comment that begins with ; or #"));
    };
    let (name, name_at) = trimmed(&content[..separator], at);
    if name.is_empty() {
        return Err(
            Fault::new(Span::new(at, at), "no key before the separator").help("write key = value")
        );
    }
    let after = at + separator + 1;
    let (value, value_at) = trimmed(&content[separator + 1..], after);
    let value_at = if value.is_empty() { after } else { value_at };
    let place = Span::new(value_at, value_at + value.len());
    let inside = value.strip_prefix('"').and_then(|rest| rest.strip_suffix('"'));
    let name_at = Span::new(name_at, name_at + name.len());
    paths.value(section, name, name_at, place, Cow::Borrowed(inside.unwrap_or(value)))
}

fn put(text: &str, tree: &Tree<'_>, way: &Way<'_>, value: &Value) -> Result<Splice, Fault> {
    let value = text_of(value)?;
    if let Some(there) = way.there {
        let node = tree.node(there);
        let quotes = Quotes::of(lines::written(text, node));
        return Ok(Splice::replace(node.at, quoted(&value, quotes)?));
    }
    let value = quoted(&value, Quotes::None)?;
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

/// The value of an INI key.
fn quoted(text: &str, quotes: Quotes) -> Result<String, Fault> {
    if text.contains(['\n', '\r']) {
        return Err(unwritable("a string of several lines"));
    }
    let is_trimmed = text.trim_matches([' ', '\t']) == text;
    let looks_quoted = text.len() > 1 && text.starts_with('"') && text.ends_with('"');
    match quotes == Quotes::Double || !is_trimmed || looks_quoted {
        true => Ok(format!("\"{text}\"")),
        false => Ok(text.to_owned()),
    }
}
