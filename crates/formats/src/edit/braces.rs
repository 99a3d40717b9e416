//! What is in braces, with commas between.

use crate::fault::Fault;
use crate::splice::{Splice, end_of, line_end, line_start, newline};
use crate::tree::{NodeId, Tree};
use crate::write::unwritable;

/// Takes an entry out, with the comma that was only there for it.
pub(crate) fn take_out(
    text: &str,
    tree: &Tree<'_>,
    (table, there): (NodeId, NodeId),
) -> Result<Splice, Fault> {
    let start = tree.node(there).name_at.start as usize;
    let end = end_of(tree, there);
    let close = tree.node(table).at.end as usize;
    let before = tree.inside(table).take_while(|id| *id != there).last();
    let (after, has_comma) = after_comma(text, end, close);
    let open = tree.node(table).at.start as usize;
    let inside = open + 1..close.saturating_sub(1).max(open + 1);
    let is_blank =
        |range: std::ops::Range<usize>| text.get(range).is_some_and(|text| text.trim().is_empty());
    let is_alone = before.is_none() && tree.inside(table).nth(1).is_none();
    if is_alone && is_blank(inside.start..start) && is_blank(after..inside.end) {
        return Ok(Splice { range: inside, with: String::new() });
    }
    if has_comma || before.is_none() {
        let between = text[end..after].trim_end_matches(',').trim();
        let blanks = text[after..].len() - text[after..].trim_start_matches([' ', '\t']).len();
        let line = line_start(text, start);
        // On a line of its own the line goes, but for a comment that is on it.
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
    let (after_comma, has_comma) = after_comma(text, before, start);
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

/// Where the text goes on after a value and the comma that may follow it, comments before it skipped.
pub(crate) fn after_comma(text: &str, from: usize, end: usize) -> (usize, bool) {
    let mut at = from;
    while at < end {
        let rest = &text[at..end];
        if let Some(after) = rest.strip_prefix("//") {
            at += 2 + after.find('\n').unwrap_or(after.len());
        } else if let Some(after) = rest.strip_prefix("/*") {
            at += 2 + after.find("*/").map_or(after.len(), |end| end + 2);
        } else if rest.starts_with(',') {
            return (at + 1, true);
        } else if rest.starts_with(char::is_whitespace) {
            at += rest.chars().next().map_or(1, char::len_utf8);
        } else {
            break;
        }
    }
    (from, false)
}
