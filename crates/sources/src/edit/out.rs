//! Taking a value out, with the line or the comma that was only there for it.

use super::write::unwritable;
use super::{Splice, Way, indent_at, json, line_end, line_start, newline, toml, yaml};
use crate::format::Format;
use crate::tree::{Fault, Kind, NodeId, Tree};

/// What takes the place of the entry at the end of the way.
pub(super) fn take_out(
    format: Format,
    text: &str,
    tree: &Tree<'_>,
    way: &Way<'_>,
) -> Result<Splice, Fault> {
    let Some(there) = way.there else {
        return Err(Fault::new(Default::default(), "there is no value of its own here")
            .help("if it comes through an anchor, take it out there"));
    };
    let table = parent(tree, way);
    match format {
        Format::Json | Format::Jsonc => out_of_braces(text, tree, (table, there)),
        Format::Toml if toml::is_in_braces(text, tree, table) => {
            out_of_braces(text, tree, (table, there))
        }
        Format::Yaml if yaml::is_flow(text, tree, table) => {
            out_of_braces(text, tree, (table, there))
        }
        Format::Yaml => out_of_a_block(text, tree, (table, there)),
        Format::Toml | Format::Env | Format::Ini | Format::Properties => {
            let node = tree.node(there);
            let is_by_headers = format == Format::Toml && toml::is_by_headers(text, tree, there);
            let begins = |with: &str| {
                text.get(node.at.start as usize..).is_some_and(|rest| rest.starts_with(with))
            };
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
            if is_by_headers || is_table && !is_inline {
                return Err(unwritable("an edit of tables with headers of their own"));
            }
            Ok(whole_line(text, (node.name_at.start as usize, end_of(tree, there))))
        }
    }
}

/// The table in which the entry at the end of the way stands.
fn parent(tree: &Tree<'_>, way: &Way<'_>) -> NodeId {
    let above = way.above.len().saturating_sub(1);
    let steps = way.above[..above].iter();
    let table =
        steps.into_iter().try_fold(Tree::ROOT, |table, step| super::step_into(tree, table, step));
    table.unwrap_or(Tree::ROOT)
}

fn end_of(tree: &Tree<'_>, id: NodeId) -> usize {
    let node = tree.node(id);
    (node.at.end as usize).max(node.name_at.end as usize)
}

/// The lines from `start` to `end`, both within them.
fn whole_line(text: &str, (start, end): (usize, usize)) -> Splice {
    // A text of several lines may end in the blanks before what stands after it.
    let last = line_start(text, end);
    let is_over = last > start && text[last..end].trim().is_empty();
    let end = if is_over { last } else { line_end(text, end) };
    Splice { range: line_start(text, start)..end, with: String::new() }
}

fn out_of_a_block(
    text: &str,
    tree: &Tree<'_>,
    (table, there): (NodeId, NodeId),
) -> Result<Splice, Fault> {
    let start = tree.node(there).name_at.start as usize;
    let indent = indent_at(text, start);
    if line_start(text, start) + indent.len() != start {
        return Err(unwritable("an edit of a line that more stands on"));
    }
    let lines = whole_line(text, (start, yaml::whole_end(tree, there).max(end_of(tree, there))));
    let is_alone = tree.entries(table).nth(1).is_none();
    if !is_alone || table == Tree::ROOT {
        return Ok(lines);
    }
    // A name without a value would say something else than an empty table.
    Ok(Splice { with: format!("{indent}{{}}{}", newline(text)), ..lines })
}

fn out_of_braces(
    text: &str,
    tree: &Tree<'_>,
    (table, there): (NodeId, NodeId),
) -> Result<Splice, Fault> {
    let start = tree.node(there).name_at.start as usize;
    let end = end_of(tree, there);
    let close = tree.node(table).at.end as usize;
    let before = tree.entries(table).take_while(|id| *id != there).last();
    let (after, has_comma) = json::after_comma(text, end, close);
    let open = tree.node(table).at.start as usize;
    let inside = open + 1..close.saturating_sub(1).max(open + 1);
    let is_blank =
        |range: std::ops::Range<usize>| text.get(range).is_some_and(|text| text.trim().is_empty());
    let is_alone = before.is_none() && tree.entries(table).nth(1).is_none();
    if is_alone && is_blank(inside.start..start) && is_blank(after..inside.end) {
        return Ok(Splice { range: inside, with: String::new() });
    }
    if has_comma || before.is_none() {
        let between = text[end..after].trim_end_matches(',').trim();
        let blanks = text[after..].len() - text[after..].trim_start_matches([' ', '\t']).len();
        let line = line_start(text, start);
        // On a line of its own the line goes, but for a comment that stands on it.
        let is_own_line = text[line..start].trim().is_empty()
            && text[after + blanks..].starts_with(['\n', '\r'])
            && between.is_empty()
            && !text[start..after].contains("//");
        return Ok(match is_own_line {
            true => Splice { range: line..line_end(text, after), with: String::new() },
            false => Splice { range: start..after + blanks, with: between.to_owned() },
        });
    }
    // The last one takes the comma before it along; comments between them stay.
    let before = before.map_or(start, |before| end_of(tree, before));
    let (after_comma, has_comma) = json::after_comma(text, before, start);
    if !has_comma {
        return Err(unwritable("an edit of such a list of entries"));
    }
    let between = text[after_comma..start].trim_end();
    let comment = if between.trim().is_empty() { "" } else { between };
    // A comment to the end of the line needs that end.
    let needs_end = comment.rsplit('\n').next().is_some_and(|line| line.contains("//"));
    let rest_begins_line = text[end..].trim_start_matches([' ', '\t']).starts_with(['\n', '\r']);
    let ended = if needs_end && !rest_begins_line { newline(text) } else { "" };
    Ok(Splice { range: after_comma - 1..end, with: format!("{comment}{ended}") })
}
