//! What formats whose values are on a line each have in common.

use crate::fault::Fault;
use crate::splice::{Splice, whole_line};
use crate::tree::{Kind, Node, NodeId, Tree};
use crate::write::unwritable;
use justwhy_core::Value;
use std::borrow::Cow;

/// The text that such a format has for a value.
pub(crate) fn text_of(value: &Value) -> Result<Cow<'_, str>, Fault> {
    Ok(match value {
        Value::Text(text) => Cow::Borrowed(text.as_ref()),
        Value::Boolean(_) | Value::Integer(_) | Value::Number(_) => Cow::Owned(value.show()),
        Value::List(_) | Value::Map(_) => Cow::Owned(crate::json::written(value)?),
        Value::Null => return Err(unwritable("a null")),
        Value::Unread => return Err(unwritable("a value that cannot be read")),
    })
}

/// What is at a value.
pub(crate) fn written<'t>(text: &'t str, node: &Node<'_>) -> &'t str {
    &text[node.at.start as usize..node.at.end as usize]
}

/// The value that is last of those below a table.
pub(crate) fn last_leaf(tree: &Tree<'_>, table: NodeId) -> Option<NodeId> {
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

/// Takes out the line of a value; a table has none of its own.
pub(crate) fn take_out(text: &str, tree: &Tree<'_>, there: NodeId) -> Result<Splice, Fault> {
    let node = tree.node(there);
    match node.kind {
        Kind::Table(_) => Err(unwritable("an edit of tables with headers of their own")),
        _ => {
            Ok(whole_line(text, (node.name_at.start as usize, crate::splice::end_of(tree, there))))
        }
    }
}
