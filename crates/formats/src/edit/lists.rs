//! Items of lists of tables or strings: one comes in at the end, or goes.

use crate::edit::braces;
use crate::fault::Fault;
use crate::registry::Format;
use crate::splice::{Splice, line_start, newline, whole_line, whole_lines};
use crate::tree::{Kind, NodeId, Tree};
use crate::write::{Quotes, json_text, unwritable};
use justwhy_core::Value;

/// An item at the end of a list that has one already: the fields of a table, or a single string without a
/// field.
pub(crate) fn append(
    text: &str,
    tree: &Tree<'_>,
    list: NodeId,
    format: Format,
    fields: &[(Option<&str>, String)],
) -> Result<Splice, Fault> {
    let at = tree.node(list).at;
    let Some(last) = tree.inside(list).last() else {
        return Err(Fault::new(at, "the list is empty").help("write its first item by hand"));
    };
    let is_bracketed = text.get(at.start as usize..).is_some_and(|text| text.starts_with('['));
    let node = tree.node(last);
    let (start, end) = (node.at.start as usize, end_of(tree, last));
    if is_bracketed {
        let fields: Vec<String> = fields
            .iter()
            .map(|(field, value)| match field {
                Some(field) => format!("{}: {}", json_text(field), json_text(value)),
                None => json_text(value),
            })
            .collect();
        let item = match fields.as_slice() {
            [one] if !one.contains("\": ") => one.clone(),
            _ => format!("{{ {} }}", fields.join(", ")),
        };
        let line = line_start(text, start);
        let indent = &text[line..start];
        // Its own line where the last one has one.
        return Ok(match indent.trim().is_empty() {
            true => Splice::insert(end, format!(",{}{indent}{item}", newline(text))),
            false => Splice::insert(end, format!(", {item}")),
        });
    }
    if format.name() != "yaml" {
        return Err(unwritable("a new item of this list"));
    }
    let dash = dash_of(text, start).ok_or_else(|| unwritable("a new item of this list"))?;
    let indent = " ".repeat(dash - line_start(text, dash));
    let mut lines = Vec::new();
    for (number, (field, value)) in fields.iter().enumerate() {
        let value = Value::Text(value.as_str().into());
        let value = crate::yaml::written(&value, Quotes::None, false)?;
        let head = if number == 0 { "- " } else { "  " };
        lines.push(match field {
            Some(field) => format!("{indent}{head}{}: {value}", crate::yaml::name(field)),
            None => format!("{indent}{head}{value}"),
        });
    }
    let from = end.min(text.len());
    let next = match text[..from].ends_with('\n') {
        true => from,
        false => text[from..].find('\n').map_or(text.len(), |at| from + at + 1),
    };
    Ok(whole_lines(text, next, &lines.join("\n")))
}

/// A list without an item of it.
pub(crate) fn take_out(
    text: &str,
    tree: &Tree<'_>,
    list: NodeId,
    item: NodeId,
) -> Result<Splice, Fault> {
    let at = tree.node(list).at;
    if tree.inside(list).nth(1).is_none() {
        return Err(
            Fault::new(at, "it is the only item of the list").help("remove the list by hand")
        );
    }
    if text.get(at.start as usize..).is_some_and(|text| text.starts_with('[')) {
        return braces::take_out(text, tree, (list, item));
    }
    let start = tree.node(item).at.start as usize;
    let dash = dash_of(text, start).ok_or_else(|| unwritable("an edit of this list"))?;
    Ok(whole_line(text, (dash, end_of(tree, item))))
}

/// The dash of an item that is alone before it on its line.
fn dash_of(text: &str, start: usize) -> Option<usize> {
    let line = line_start(text, start);
    let before = &text[line..start];
    let dash = before.find('-')?;
    let is_alone = before[..dash].trim().is_empty() && before[dash + 1..].trim().is_empty();
    is_alone.then_some(line + dash)
}

/// Where the last of all that is in a node ends.
fn end_of(tree: &Tree<'_>, id: NodeId) -> usize {
    let (mut end, mut open) = (0, vec![id]);
    while let Some(id) = open.pop() {
        let node = tree.node(id);
        end = end.max(node.at.end as usize).max(node.name_at.end as usize);
        if let Kind::Table(children) | Kind::List(children) = &node.kind {
            open.extend(tree.children(*children));
        }
    }
    end
}
