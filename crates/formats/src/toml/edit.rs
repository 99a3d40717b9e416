//! TOML: a value by its header, as a dotted name, or in braces.

use crate::edit::braces;
use crate::fault::Fault;
use crate::splice::{
    Splice, Way, end_of, indent_at, line_end, line_start, names, newline, whole_line, whole_lines,
};
use crate::tree::{Kind, NodeId, Tree};
use crate::write::{Quotes, unwritable};
use justwhy_core::{KeyPath, Value};

pub(super) fn put(
    text: &str,
    tree: &Tree<'_>,
    way: &Way<'_>,
    value: &Value,
) -> Result<Splice, Fault> {
    if let Some(there) = way.there {
        let node = tree.node(there);
        if matches!(node.kind, Kind::Table(_)) && stands(text, tree, there) != Stands::InBraces {
            return Err(unwritable("a value in place of an empty table"));
        }
        let there = &text[node.at.start as usize..node.at.end as usize];
        let value = written(value, Quotes::of(there))?;
        return Ok(Splice::replace(node.at, value));
    }
    let value = written(value, Quotes::None)?;
    let rest = dotted(&names(way.rest));
    let table = way.table;
    match stands(text, tree, table) {
        Stands::InBraces => Ok(in_braces(text, tree, table, &format!("{rest} = {value}"))),
        Stands::ByItsHeader => Ok(in_section(text, tree, table, &format!("{rest} = {value}"))),
        Stands::Dotted => {
            // Beside the names that open it, which begin in the same way.
            let Some(end) = own_end(text, tree, table) else {
                return Err(unwritable("a key in a table without a header"));
            };
            let node = tree.node(table);
            let start = line_start(text, node.name_at.start as usize);
            let before = text[start..node.name_at.end as usize].trim_start();
            let indent = indent_at(text, start);
            let line = format!("{indent}{before}.{rest} = {value}");
            Ok(whole_lines(text, line_end(text, end), &line))
        }
        Stands::Implied => {
            let mut section = names(way.above);
            section.extend(names(way.rest));
            let last = section.pop().unwrap_or_default();
            let end = line_end(text, whole_end(text, tree, table));
            let after = if text[end..].starts_with('[') { "\n" } else { "" };
            let lines = format!("\n[{}]\n{} = {value}{after}", dotted(&section), dotted(&[last]));
            Ok(whole_lines(text, end, &lines))
        }
        Stands::AtTheRoot => at_root(text, tree, way, &value),
    }
}

/// How a table comes to be.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Stands {
    AtTheRoot,
    InBraces,
    ByItsHeader,
    /// A dotted name opens it.
    Dotted,
    /// A header below it implies it.
    Implied,
}

fn stands(text: &str, tree: &Tree<'_>, table: NodeId) -> Stands {
    let node = tree.node(table);
    if table == Tree::ROOT {
        return Stands::AtTheRoot;
    }
    let at = node.at.start as usize;
    if text[at..].starts_with('{') {
        return Stands::InBraces;
    }
    // The item of a list of tables is at its brackets.
    if text[at..].starts_with("[[") {
        return Stands::ByItsHeader;
    }
    let name_end = node.name_at.end as usize;
    let line = &text[line_start(text, node.name_at.start as usize)..];
    match line.trim_start_matches([' ', '\t']).starts_with('[') {
        false => Stands::Dotted,
        true => match text[name_end..].trim_start_matches([' ', '\t']).starts_with(']') {
            true => Stands::ByItsHeader,
            false => Stands::Implied,
        },
    }
}

fn dotted(names: &[&str]) -> String {
    let path = KeyPath::from_segments(names.iter().map(|it| (*it).to_owned()).collect());
    path.map(|path| path.to_string()).unwrap_or_default()
}

/// Where the last of the values ends that are in a table and in no other section.
fn own_end(text: &str, tree: &Tree<'_>, table: NodeId) -> Option<usize> {
    let mut end: Option<usize> = None;
    let mut open = vec![table];
    while let Some(table) = open.pop() {
        for id in tree.entries(table) {
            let node = tree.node(id);
            let is_value = !matches!(node.kind, Kind::Table(_) | Kind::List(_))
                || text[node.at.start as usize..].starts_with('{')
                || matches!(node.kind, Kind::List(_))
                    && !text[node.at.start as usize..].starts_with("[[");
            if is_value || is_list_of_lists(text, tree, id) {
                end = end.max(Some(node.at.end as usize));
            } else if stands(text, tree, id) == Stands::Dotted {
                open.push(id);
            }
        }
    }
    end
}

/// Whether an entry is a list of tables with headers of their own.
fn is_by_headers(text: &str, tree: &Tree<'_>, id: NodeId) -> bool {
    let node = tree.node(id);
    matches!(node.kind, Kind::List(_))
        && text[node.at.start as usize..].starts_with("[[")
        && !is_list_of_lists(text, tree, id)
}

/// `[[1, 2], [3]]` begins as a header does.
fn is_list_of_lists(text: &str, tree: &Tree<'_>, id: NodeId) -> bool {
    let node = tree.node(id);
    let start = line_start(text, node.at.start as usize);
    matches!(node.kind, Kind::List(_)) && !text[start..node.at.start as usize].trim().is_empty()
}

/// Where the last of all that is in or below a table ends.
fn whole_end(text: &str, tree: &Tree<'_>, table: NodeId) -> usize {
    let mut end = tree.node(table).name_at.end as usize;
    let mut open = vec![table];
    while let Some(table) = open.pop() {
        let children: Vec<NodeId> = match &tree.node(table).kind {
            Kind::Table(children) | Kind::List(children) => tree.children(*children).collect(),
            _ => Vec::new(),
        };
        for id in children {
            let node = tree.node(id);
            end = end.max(node.at.end as usize).max(node.name_at.end as usize);
            open.push(id);
        }
    }
    end.min(text.len())
}

/// After the last value of a section, or after its header.
fn in_section(text: &str, tree: &Tree<'_>, table: NodeId, line: &str) -> Splice {
    let node = tree.node(table);
    let header = (node.name_at.end as usize).max(node.at.start as usize);
    let last = own_end(text, tree, table);
    let first = tree.entries(table).next().map(|id| tree.node(id).name_at.start as usize);
    let indent = match (last, first) {
        (Some(_), Some(first)) => indent_at(text, first),
        _ => indent_at(text, header),
    };
    let end = last.unwrap_or(header);
    whole_lines(text, line_end(text, end), &format!("{indent}{line}"))
}

fn in_braces(text: &str, tree: &Tree<'_>, table: NodeId, entry: &str) -> Splice {
    let node = tree.node(table);
    let last = tree.entries(table).last();
    match last {
        Some(last) => {
            let end = whole_end(text, tree, last).max(tree.node(last).at.end as usize);
            Splice::insert(end, format!(", {entry}"))
        }
        None => Splice::replace(node.at, format!("{{ {entry} }}")),
    }
}

/// A key for which there is no table: a section of its own where the file has sections.
fn at_root(text: &str, tree: &Tree<'_>, way: &Way<'_>, value: &str) -> Result<Splice, Fault> {
    let path = names(way.rest);
    let Some((last, section)) = path.split_last() else {
        return Err(unwritable("a value without a name"));
    };
    let is_headed = |id: &NodeId| {
        let node = tree.node(*id);
        let is_table = matches!(node.kind, Kind::Table(_) | Kind::List(_));
        is_table
            && text[line_start(text, node.name_at.start as usize)..].trim_start().starts_with('[')
    };
    let has_headers = tree.entries(Tree::ROOT).any(|id| is_headed(&id));
    let own = own_end(text, tree, Tree::ROOT);
    let is_flat = !has_headers && own.is_some();
    if section.is_empty() || is_flat {
        let line = format!("{} = {value}", dotted(&path));
        return Ok(match own {
            Some(end) => whole_lines(text, line_end(text, end), &line),
            None if has_headers => {
                // Nothing but comments is before the first of them.
                let lines = text.split_inclusive('\n');
                let before = lines.take_while(|line| !line.trim_start().starts_with('['));
                let header = before.map(str::len).sum();
                Splice::insert(header, format!("{line}\n\n").replace('\n', newline(text)))
            }
            None => whole_lines(text, text.len(), &line),
        });
    }
    let blank = if text.trim().is_empty() { "" } else { "\n" };
    let lines = format!("{blank}[{}]\n{} = {value}", dotted(section), dotted(&[last]));
    Ok(whole_lines(text, text.len(), &lines))
}

pub(super) fn take_out(
    text: &str,
    tree: &Tree<'_>,
    (table, there): (NodeId, NodeId),
) -> Result<Splice, Fault> {
    if stands(text, tree, table) == Stands::InBraces {
        return braces::take_out(text, tree, (table, there));
    }
    let node = tree.node(there);
    let begins =
        |with: &str| text.get(node.at.start as usize..).is_some_and(|rest| rest.starts_with(with));
    let is_table = matches!(node.kind, Kind::Table(_));
    let is_inline = is_table && begins("{");
    if is_table && begins("[") && !begins("[[") {
        // One header, and values below it.
        let is_plain = |id: NodeId| !matches!(tree.node(id).kind, Kind::Table(_));
        let last = tree.entries(there).map(|id| end_of(tree, id)).max();
        if let Some(last) = last.filter(|_| tree.entries(there).all(is_plain)) {
            return Ok(whole_line(text, (node.at.start as usize, last)));
        }
    }
    if is_by_headers(text, tree, there) || is_table && !is_inline {
        return Err(unwritable("an edit of tables with headers of their own"));
    }
    Ok(whole_line(text, (node.name_at.start as usize, end_of(tree, there))))
}

/// As TOML writes it.
pub(crate) fn written(value: &Value, quotes: Quotes) -> Result<String, Fault> {
    Ok(match value {
        Value::Null => return Err(unwritable("a null")),
        Value::Unread => return Err(unwritable("a value that cannot be read")),
        Value::Text(text) => {
            let fits = !text.contains(|c: char| c == '\'' || c.is_control());
            match quotes {
                Quotes::Single if fits => ["'", text, "'"].concat(),
                // What is written is no longer hidden.
                _ => value.revealed().to_string(),
            }
        }
        Value::List(items) => {
            let items: Result<Vec<String>, Fault> =
                items.iter().map(|item| written(&item.value, quotes)).collect();
            format!("[{}]", items?.join(", "))
        }
        Value::Map(entries) => {
            let entries: Result<Vec<String>, Fault> = entries
                .iter()
                .map(|entry| {
                    let name = KeyPath::single(entry.name.as_ref()).to_string();
                    Ok(format!("{name} = {}", written(&entry.value, quotes)?))
                })
                .collect();
            let entries = entries?;
            match entries.is_empty() {
                true => "{}".to_owned(),
                false => format!("{{ {} }}", entries.join(", ")),
            }
        }
        Value::Boolean(_) | Value::Integer(_) | Value::Number(_) => value.show(),
    })
}
