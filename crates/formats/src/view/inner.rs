//! A string that is a file itself.

use crate::Limits;
use crate::fault::{Fault, Faults};
use crate::manner::Manner;
use crate::registry::Format;
use crate::splice::Splice;
use crate::string_map::Map;
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use justwhy_core::Span;

/// Reads the string at `node` and puts what it has into the same tree; gives its root.
pub(super) fn read(
    tree: &mut Tree<'_>,
    node: NodeId,
    (format, manner): (Format, Manner<'_>),
    text: &str,
    limits: Limits,
) -> Result<NodeId, Fault> {
    let node = tree.followed(node);
    let at = tree.node(node).at;
    let inner = match &tree.node(node).kind {
        Kind::Text(inner) => inner.to_string(),
        Kind::Unread(reason) => return Err(Fault::new(at, reason.to_string())),
        _ => {
            let fault = Fault::new(at, "expected a string that is a file itself");
            return Err(fault.help("remove `inner` of the layer, or choose another node"));
        }
    };
    let map = Map::of(&inner, text, at);
    let mut faults = Faults::default();
    let read = format.rules().read(&inner, manner, limits, &mut faults);
    if let Some(mut fault) = faults.in_order().into_iter().next() {
        fault.at = map.span(fault.at);
        fault.also = fault.also.map(|(what, at)| (what, map.span(at)));
        return Err(fault);
    }
    Ok(graft(tree, &read, &map, at))
}

/// Copies a tree into another one, with places in the outer text.
fn graft(tree: &mut Tree<'_>, inner: &Tree<'_>, map: &Map, at: Span) -> NodeId {
    let anchors = tree.anchors.len();
    tree.anchors.extend(inner.anchors.iter().cloned());
    // The same numbers in the same order, so that children, aliases and marks are found again.
    let ids: Vec<NodeId> = inner
        .ids()
        .map(|id| {
            let node = inner.node(id);
            let mut copy = Node::new(map.span(node.at), Kind::Null);
            copy.name = node.name.to_string().into();
            copy.name_at = map.span(node.name_at);
            copy.merges = node.merges;
            tree.push(copy)
        })
        .collect();
    let of = |id: NodeId| ids[id.index()];
    for id in inner.ids() {
        let kind = match &inner.node(id).kind {
            Kind::LeftOut => Kind::LeftOut,
            Kind::Null => Kind::Null,
            Kind::Boolean(value) => Kind::Boolean(*value),
            Kind::Integer(value) => Kind::Integer(*value),
            Kind::Number(value) => Kind::Number(*value),
            Kind::Text(text) => Kind::Text(text.to_string().into()),
            Kind::Unread(reason) => Kind::Unread(reason.clone()),
            Kind::OfProcess => Kind::OfProcess,
            Kind::Alias(target, anchor) => Kind::Alias(of(*target), anchors + anchor),
            Kind::List(_) => Kind::List(Children::default()),
            Kind::Table(_) => Kind::Table(Children::default()),
        };
        tree.node_mut(of(id)).kind = kind;
        if let Kind::List(children) | Kind::Table(children) = inner.node(id).kind {
            for child in inner.children(children) {
                tree.adopt(of(id), of(child));
            }
        }
    }
    tree.has_merges |= inner.has_merges;
    let dollars = inner.literal_dollars.iter().map(|(id, at)| (of(*id), at.clone()));
    tree.literal_dollars.extend(dollars);
    tree.lookalikes.extend(inner.lookalikes.iter().map(|(id, other)| (of(*id), *other)));
    let root = of(Tree::ROOT);
    tree.node_mut(root).at = at;
    root
}

/// The bytes of the file that change where a string in it becomes another one; none where it is written with
/// escapes.
pub(super) fn splice(text: &str, at: Span, before: &str, after: &str) -> Option<Splice> {
    let map = Map::of(before, text, at);
    if map.lines.is_empty() {
        return None;
    }
    let mut start =
        before.bytes().zip(after.bytes()).take_while(|(one, other)| one == other).count();
    while !before.is_char_boundary(start) || !after.is_char_boundary(start) {
        start -= 1;
    }
    let rest = (&before.as_bytes()[start..], &after.as_bytes()[start..]);
    let mut same = rest.0.iter().rev().zip(rest.1.iter().rev()).take_while(|(a, b)| a == b).count();
    while !before.is_char_boundary(before.len() - same)
        || !after.is_char_boundary(after.len() - same)
    {
        same -= 1;
    }
    // Whole lines, so that their indentation comes and goes with them.
    let is_line = |text: &str, at: usize| at == 0 || text[..at].ends_with('\n');
    let changed = &after[start..after.len() - same];
    let is_whole = is_line(before, start) && is_line(before, before.len() - same);
    let (from, to) = (map.place(start), map.place(before.len() - same));
    let line_of = |byte: usize| text[..byte].rfind('\n').map_or(0, |end| end + 1);
    let indent_of = |byte: usize| text[line_of(byte)..byte].to_owned();
    let blank = |indent: &str| indent.bytes().all(|byte| byte == b' ' || byte == b'\t');
    let first =
        map.lines.iter().map(|(_, outer)| indent_of(*outer)).find(|it| blank(it) && !it.is_empty());
    let indent = first.unwrap_or_default();
    let newline = crate::splice::newline(text);
    if is_whole && !changed.is_empty() {
        let lines = changed.split_inclusive('\n').map(|line| format!("{indent}{line}"));
        let with = lines.collect::<String>().replace('\n', newline);
        let range = line_of(from)..line_of(to).max(line_of(from));
        return Some(Splice { range, with });
    }
    if is_whole {
        return Some(Splice { range: line_of(from)..line_of(to), with: String::new() });
    }
    let with = changed.replace('\n', &format!("{newline}{indent}"));
    Some(Splice { range: from..to.max(from), with })
}
