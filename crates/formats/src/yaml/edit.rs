//! YAML: bytes at the places of values; quotes, indents and comments stay.

use super::read::is_plain_text;
use crate::edit::braces;
use crate::fault::Fault;
use crate::splice::{
    Splice, Way, end_of, indent_at, line_end, line_start, names, newline, whole_line, whole_lines,
};
use crate::tree::{Kind, Node, NodeId, Tree};
use crate::write::{Quotes, json_text, unwritable};
use justwhy_core::Value;

pub(super) fn put(
    text: &str,
    tree: &Tree<'_>,
    way: &Way<'_>,
    value: &Value,
) -> Result<Splice, Fault> {
    let in_flow = is_flow(text, tree, way.table);
    if let Some(there) = way.there {
        return replace(text, tree.node(there), value, in_flow);
    }
    let path = names(way.rest);
    if in_flow {
        let entry = flow_entry(&path, value)?;
        let node = tree.node(way.table);
        return Ok(match tree.entries(way.table).last() {
            Some(last) => Splice::insert(whole_end(tree, last), format!(", {entry}")),
            None => Splice::replace(node.at, format!("{{{entry}}}")),
        });
    }
    let step = step(text, tree);
    let (indent, end) = match tree.entries(way.table).next() {
        Some(first) => {
            let name_at = tree.node(first).name_at.start as usize;
            let column = name_at - line_start(text, name_at);
            (column, next_line(text, whole_end(tree, way.table)))
        }
        // Nothing is there yet.
        None if way.table == Tree::ROOT => (0, text.len()),
        None => {
            let node = tree.node(way.table);
            let name_at = node.name_at.start as usize;
            let column = name_at - line_start(text, name_at);
            (column + step, next_line(text, node.at.end as usize))
        }
    };
    let mut lines = Vec::new();
    for (depth, name) in path.iter().enumerate() {
        let indent = " ".repeat(indent + depth * step);
        lines.push(format!("{indent}{}:", self::name(name)));
    }
    let value = self::written(value, Quotes::None, false)?;
    Ok(whole_lines(text, end, &format!("{} {value}", lines.join("\n"))))
}

fn replace(text: &str, node: &Node<'_>, value: &Value, in_flow: bool) -> Result<Splice, Fault> {
    let (start, end) = (node.at.start as usize, node.at.end as usize);
    let written = &text[start..end];
    if written.is_empty() {
        // Nothing was written after the name.
        let value = self::written(value, Quotes::None, in_flow)?;
        let is_apart = text[..start].ends_with([' ', '\t']);
        return Ok(Splice::insert(start, if is_apart { value } else { format!(" {value}") }));
    }
    let is_block_list = matches!(node.kind, Kind::List(_)) && !written.starts_with('[');
    if let (true, Value::List(items)) = (is_block_list, value)
        && !items.is_empty()
    {
        let column = start - line_start(text, start);
        let between = format!("{}{}- ", newline(text), " ".repeat(column));
        let items: Result<Vec<String>, Fault> =
            items.iter().map(|item| self::written(&item.value, Quotes::None, true)).collect();
        return Ok(Splice { range: start..end, with: format!("- {}", items?.join(&between)) });
    }
    if is_block_list {
        // It is below its name, where one in brackets could not.
        let name_end = node.name_at.end as usize;
        let Some(colon) = text[name_end..start].find(':').map(|at| name_end + at + 1) else {
            return Err(unwritable("this"));
        };
        let value = self::written(value, Quotes::None, in_flow)?;
        return Ok(Splice { range: colon..end, with: format!(" {value}") });
    }
    let quotes = Quotes::of(written);
    let kept = written.trim_end_matches(['\n', '\r', ' ']).len();
    let value = self::written(value, quotes, in_flow)?;
    Ok(Splice { range: start..start + kept.max(1).min(written.len()), with: value })
}

/// Whether what is in a table is in braces.
pub(super) fn is_flow(text: &str, tree: &Tree<'_>, table: NodeId) -> bool {
    let node = tree.node(table);
    matches!(node.kind, Kind::Table(_)) && text[node.at.start as usize..].starts_with('{')
}

fn flow_entry(path: &[&str], value: &Value) -> Result<String, Fault> {
    let Some((first, below)) = path.split_first() else {
        return self::written(value, Quotes::None, true);
    };
    let inner = flow_entry(below, value)?;
    Ok(match below.is_empty() {
        true => format!("{}: {inner}", name(first)),
        false => format!("{}: {{{inner}}}", name(first)),
    })
}

/// Where the last of all that is in a node ends.
pub(super) fn whole_end(tree: &Tree<'_>, id: NodeId) -> usize {
    let mut end = 0;
    let mut open = vec![id];
    while let Some(id) = open.pop() {
        let node = tree.node(id);
        end = end.max(node.at.end as usize).max(node.name_at.end as usize);
        if let Kind::Table(children) | Kind::List(children) = &node.kind {
            open.extend(tree.children(*children));
        }
    }
    end
}

/// The begin of the line after `end`, at which one begins already if a text of several lines ends there.
fn next_line(text: &str, end: usize) -> usize {
    let end = end.min(text.len());
    if text[..end].ends_with('\n') { end } else { line_end(text, end) }
}

/// How many blanks a level of the file is indented by.
fn step(text: &str, tree: &Tree<'_>) -> usize {
    let mut open = vec![(Tree::ROOT, 0)];
    while let Some((table, column)) = open.pop() {
        for id in tree.entries(table) {
            let at = tree.node(id).name_at.start as usize;
            let here = at - line_start(text, at);
            if table != Tree::ROOT
                && here > column
                && text[line_start(text, at)..at].trim().is_empty()
            {
                return here - column;
            }
            if matches!(tree.node(id).kind, Kind::Table(_)) && !is_flow(text, tree, id) {
                open.push((id, here));
            }
        }
    }
    2
}

pub(super) fn take_out(
    text: &str,
    tree: &Tree<'_>,
    (table, there): (NodeId, NodeId),
) -> Result<Splice, Fault> {
    match is_flow(text, tree, table) {
        true => braces::take_out(text, tree, (table, there)),
        false => out_of_a_block(text, tree, (table, there)),
    }
}

fn out_of_a_block(
    text: &str,
    tree: &Tree<'_>,
    (table, there): (NodeId, NodeId),
) -> Result<Splice, Fault> {
    let start = tree.node(there).name_at.start as usize;
    let indent = indent_at(text, start);
    if line_start(text, start) + indent.len() != start {
        return Err(unwritable("an edit of a line with several values"));
    }
    let lines = whole_line(text, (start, whole_end(tree, there).max(end_of(tree, there))));
    let is_alone = tree.entries(table).nth(1).is_none();
    if !is_alone || table == Tree::ROOT {
        return Ok(lines);
    }
    // A name without a value would set something else than an empty table.
    Ok(Splice { with: format!("{indent}{{}}{}", newline(text)), ..lines })
}

/// As YAML writes it in one line.
pub(crate) fn written(value: &Value, quotes: Quotes, in_flow: bool) -> Result<String, Fault> {
    Ok(match value {
        Value::Null => "null".to_owned(),
        Value::Unread => return Err(unwritable("a value that cannot be read")),
        Value::Boolean(_) | Value::Integer(_) => value.show(),
        Value::Number(number) if number.is_nan() => ".nan".to_owned(),
        Value::Number(number) if number.is_infinite() => {
            if *number < 0.0 { "-.inf" } else { ".inf" }.to_owned()
        }
        Value::Number(_) => value.show(),
        Value::Text(text) => {
            let in_line = !text.chars().any(justwhy_core::is_unprintable);
            match quotes {
                Quotes::None if is_plain_text(text, in_flow) => text.to_string(),
                Quotes::Single if in_line => format!("'{}'", text.replace('\'', "''")),
                _ => quoted(text),
            }
        }
        Value::List(items) => {
            let items: Result<Vec<String>, Fault> =
                items.iter().map(|item| self::written(&item.value, quotes, true)).collect();
            format!("[{}]", items?.join(", "))
        }
        Value::Map(entries) => {
            let entry = |name: &str, value: &Value| -> Result<String, Fault> {
                Ok(format!("{}: {}", self::name(name), self::written(value, quotes, true)?))
            };
            let entries: Result<Vec<String>, Fault> =
                entries.iter().map(|it| entry(&it.name, &it.value)).collect();
            format!("{{{}}}", entries?.join(", "))
        }
    })
}

/// YAML knows characters beyond 16 bits by eight digits, not by two halves.
fn quoted(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        match u32::from(c) {
            code if code > 0xffff && justwhy_core::is_unprintable(c) => {
                out.push_str(&format!("\\U{code:08x}"));
            }
            _ => {
                let quoted = json_text(&c.to_string());
                out.push_str(&quoted[1..quoted.len() - 1]);
            }
        }
    }
    format!("\"{out}\"")
}

/// A name of a YAML table.
pub(crate) fn name(name: &str) -> String {
    let first = name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_');
    let plain = |byte: u8| byte.is_ascii_alphanumeric() || b"_-.".contains(&byte);
    // A name such as `no` is a boolean to some.
    let is_text = is_plain_text(name, true);
    match first && name.bytes().all(plain) && is_text {
        true => name.to_owned(),
        false => quoted(name),
    }
}
