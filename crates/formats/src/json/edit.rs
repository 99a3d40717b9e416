//! JSON, with comments and trailing commas or without.

use crate::edit::braces::after_comma;
use crate::fault::Fault;
use crate::splice::{Splice, Way, indent_at, line_start, names, newline};
use crate::tree::{NodeId, Tree};
use crate::write::{json_text, unwritable};
use justwhy_core::Value;

pub(super) fn put(
    text: &str,
    tree: &Tree<'_>,
    way: &Way<'_>,
    value: &Value,
) -> Result<Splice, Fault> {
    let value = written(value)?;
    if let Some(there) = way.there {
        return Ok(Splice::replace(tree.node(there).at, value));
    }
    let path = names(way.rest);
    let table = tree.node(way.table);
    let (start, end) = (table.at.start as usize, table.at.end as usize);
    let entries: Vec<NodeId> = tree.entries(way.table).collect();
    let Some(last) = entries.last().map(|id| tree.node(*id)) else {
        let outer = indent_at(text, start);
        let step = step(text, tree);
        let entry = entry(&path, &value, Some((&format!("{outer}{step}"), step)), newline(text));
        let newline = newline(text);
        let with = format!("{{{newline}{outer}{step}{entry}{newline}{outer}}}");
        // A comment in empty braces stays before them.
        return Ok(match text[start + 1..end.saturating_sub(1)].trim().is_empty() {
            true => Splice::replace(table.at, with),
            false => match text[start..end].contains('\n') {
                true => Splice::insert(end - 1, format!("{step}{entry}{newline}{outer}")),
                false => {
                    Splice::insert(end - 1, format!("{} ", self::entry(&path, &value, None, "")))
                }
            },
        });
    };
    let name_at = last.name_at.start as usize;
    let (value_end, newline) = (last.at.end as usize, newline(text));
    let is_on_its_line = text[line_start(text, name_at)..name_at].trim().is_empty();
    if !is_on_its_line {
        let entry = entry(&path, &value, None, newline);
        let (at, comma) = after_comma(text, value_end, end);
        return Ok(match comma {
            true => Splice::insert(at, format!(" {entry},")),
            false => Splice::insert(value_end, format!(", {entry}")),
        });
    }
    let indent = indent_at(text, name_at);
    let entry = entry(&path, &value, Some((indent, step(text, tree))), newline);
    let (after, has_comma) = after_comma(text, value_end, end);
    // What is on the line of the last entry, such as a comment, stays beside it.
    let line = text[after..end].find('\n').map(|end| after + end);
    Ok(match (has_comma, line) {
        (true, Some(line)) => {
            let line = if text[..line].ends_with('\r') { line - 1 } else { line };
            Splice::insert(line, format!("{newline}{indent}{entry},"))
        }
        (true, None) => Splice::insert(after, format!(" {entry},")),
        (false, line) => {
            let rest = line.map_or("", |line| text[value_end..line].trim_end_matches('\r'));
            let line_end = value_end + rest.len();
            Splice { range: value_end..line_end, with: format!(",{rest}{newline}{indent}{entry}") }
        }
    })
}

/// One step of the file's indentation.
fn step<'t>(text: &'t str, tree: &Tree<'_>) -> &'t str {
    let first = tree.entries(Tree::ROOT).next();
    let indent = first.map(|id| indent_at(text, tree.node(id).name_at.start as usize));
    indent.filter(|indent| !indent.is_empty()).unwrap_or("  ")
}

/// `"a": { "b": value }`, over several lines if the file is written so.
fn entry(path: &[&str], value: &str, lines: Option<(&str, &str)>, newline: &str) -> String {
    let Some((first, below)) = path.split_first() else { return value.to_owned() };
    let name = json_text(first);
    if below.is_empty() {
        return format!("{name}: {value}");
    }
    match lines {
        None => format!("{name}: {{ {} }}", entry(below, value, None, newline)),
        Some((indent, step)) => {
            let deeper = format!("{indent}{step}");
            let inner = entry(below, value, Some((&deeper, step)), newline);
            format!("{name}: {{{newline}{deeper}{inner}{newline}{indent}}}")
        }
    }
}

/// As JSON writes it.
pub(crate) fn written(value: &Value) -> Result<String, Fault> {
    Ok(match value {
        Value::Null => "null".to_owned(),
        Value::Unread => return Err(unwritable("a value that cannot be read")),
        Value::Boolean(_) | Value::Integer(_) => value.show(),
        Value::Number(number) if number.is_finite() => value.show(),
        Value::Number(_) => return Err(unwritable("a number without an end")),
        Value::Text(text) => json_text(text),
        Value::List(items) => {
            let items: Result<Vec<String>, Fault> =
                items.iter().map(|item| written(&item.value)).collect();
            format!("[{}]", items?.join(", "))
        }
        Value::Map(entries) => {
            let entry = |name: &str, value: &Value| -> Result<String, Fault> {
                Ok(format!("{}: {}", json_text(name), written(value)?))
            };
            let entries: Result<Vec<String>, Fault> =
                entries.iter().map(|it| entry(&it.name, &it.value)).collect();
            let entries = entries?;
            match entries.is_empty() {
                true => "{}".to_owned(),
                false => format!("{{ {} }}", entries.join(", ")),
            }
        }
    })
}
