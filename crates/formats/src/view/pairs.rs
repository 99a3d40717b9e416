//! Lists of names with values, and values that are base64.

use super::{Pairs, Part, choose};
use crate::edit::lists;
use crate::fault::Fault;
use crate::registry::Format;
use crate::splice::{Splice, Way};
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use justwhy_core::{Span, Value};
use std::borrow::Cow;

/// The most characters of what an item says instead of a value.
const MOST_SHOWN: usize = 160;

/// A table of what the list at `node` gives to names.
pub(super) fn table(
    tree: &mut Tree<'_>,
    node: NodeId,
    pairs: &Pairs,
    text: &str,
) -> Result<NodeId, Fault> {
    let list = tree.followed(node);
    let Kind::List(items) = tree.node(list).kind else {
        // Some programs write the same as a table.
        if matches!(tree.node(list).kind, Kind::Table(_)) {
            return Ok(list);
        }
        let fault = Fault::new(tree.node(list).at, "expected a list of names with values");
        return Err(fault.help("write items such as { name: …, value: … } or NAME=VALUE"));
    };
    let items: Vec<NodeId> = tree.children(items).collect();
    let at = tree.node(list).at;
    let made = tree.push(Node::new(at, Kind::Table(Children::default())));
    for item in items {
        let item = tree.followed(item);
        let entry = match &tree.node(item).kind {
            Kind::Table(_) => of_table(tree, item, pairs)?,
            Kind::Text(_) => of_text(tree, item, text)?,
            _ => return Err(no_pair(tree.node(item).at, pairs)),
        };
        tree.push_child(made, entry);
    }
    Ok(made)
}

fn no_pair(at: Span, pairs: &Pairs) -> Fault {
    let help = format!("write {{ {}: …, {}: … }} or NAME=VALUE", pairs.name, pairs.value);
    Fault::new(at, "expected a name with a value").help(help)
}

fn of_table<'s>(tree: &Tree<'s>, item: NodeId, pairs: &Pairs) -> Result<Node<'s>, Fault> {
    let members = tree.members(item);
    let field = |wanted: &str| members.iter().find(|(name, _)| *name == wanted).map(|it| it.1);
    let name_node = field(&pairs.name).ok_or_else(|| no_pair(tree.node(item).at, pairs))?;
    let name_at = tree.node(tree.followed(name_node)).at;
    let name = choose::scalar(tree, name_node).ok_or_else(|| no_pair(name_at, pairs))?;
    let name: Cow<'s, str> = Cow::Owned(name);
    let Some(value) = field(&pairs.value) else {
        let others: Vec<NodeId> =
            members.iter().filter(|(name, _)| *name != pairs.name).map(|it| it.1).collect();
        let Some(first) = others.first() else {
            // Only a name: an empty value.
            return Ok(Node::named(name, name_at, name_at, Kind::Text(Cow::Borrowed(""))));
        };
        let at = tree.node(*first).at;
        let mut shown = Vec::new();
        others.iter().for_each(|other| describe(tree, *other, "", 0, &mut shown));
        let mut reason = format!("another program gives it: {}", shown.join(", "));
        if let Some((end, _)) = reason.char_indices().nth(MOST_SHOWN) {
            reason.truncate(end);
            reason.push('…');
        }
        return Ok(Node::named(name, name_at, at, Kind::Unread(reason.into())));
    };
    let node = tree.node(value);
    Ok(Node::named(name, name_at, node.at, node.kind.clone()))
}

/// The scalars below a node with their ways: `valueFrom.secretKeyRef.name=tide-db`.
fn describe(tree: &Tree<'_>, node: NodeId, above: &str, depth: usize, shown: &mut Vec<String>) {
    let name = &tree.node(node).name;
    let way = if above.is_empty() { name.to_string() } else { format!("{above}.{name}") };
    if depth > 6 || shown.len() > 6 {
        return;
    }
    match choose::scalar(tree, node) {
        Some(value) => shown.push(format!("{way}={value}")),
        None => {
            for (_, child) in tree.members(tree.followed(node)) {
                describe(tree, child, &way, depth + 1, shown);
            }
        }
    }
}

fn of_text<'s>(tree: &Tree<'s>, item: NodeId, text: &str) -> Result<Node<'s>, Fault> {
    let node = tree.node(item);
    let Kind::Text(pair) = &node.kind else {
        return Err(Fault::new(node.at, "expected NAME=VALUE"));
    };
    let Some((name, value)) = pair.split_once('=') else {
        // The variable of that name, wherever the program is started.
        return Ok(Node::named(pair.clone(), node.at, node.at, Kind::OfProcess));
    };
    if name.is_empty() {
        return Err(Fault::new(node.at, "no name before `=`").help("write NAME=VALUE"));
    }
    // Where the text is as it is written, its value has a place of its own.
    let raw = text.get(node.at.start as usize..node.at.end as usize).unwrap_or_default();
    let starts = raw.find(pair.as_ref()).map(|at| node.at.start as usize + at);
    let (name_at, at) = match starts {
        Some(start) => {
            let value_at = start + name.len() + 1;
            (Span::new(start, start + name.len()), Span::new(value_at, value_at + value.len()))
        }
        None => (node.at, node.at),
    };
    Ok(Node::named(name.to_owned().into(), name_at, at, Kind::Text(value.to_owned().into())))
}

/// Decodes the strings of a table.
pub(super) fn decode(tree: &mut Tree<'_>, node: NodeId) -> Result<(), Fault> {
    let entries: Vec<NodeId> = tree
        .members(tree.followed(node))
        .into_iter()
        .map(|(_, child)| tree.followed(child))
        .collect();
    for entry in entries {
        let at = tree.node(entry).at;
        let Kind::Text(text) = &tree.node(entry).kind else { continue };
        // Line ends within are fine, as encoders break long lines.
        let compact: String = text.chars().filter(|c| !c.is_ascii_whitespace()).collect();
        let bytes = STANDARD.decode(compact).map_err(|_| {
            Fault::new(at, "expected base64").help("remove decode = \"base64\" if it is plain text")
        })?;
        let decoded = String::from_utf8(bytes).map_err(|_| {
            Fault::new(at, "the decoded value is not UTF-8").help("it cannot be a setting")
        })?;
        tree.node_mut(entry).kind = Kind::Text(decoded.into());
    }
    Ok(())
}

/// The edit of a list of pairs: the value of a name, or a name that comes or goes.
pub(super) fn edit(
    tree: &Tree<'_>,
    list: NodeId,
    part: &Part,
    (format, text): (Format, &str),
    names: &[&str],
    value: Option<&Value>,
) -> Result<Splice, Fault> {
    let pairs = part.pairs.clone().unwrap_or_default();
    let [name] = names else {
        return Err(Fault::new(tree.node(list).at, "a list of pairs has names, not keys"));
    };
    let Kind::List(items) = tree.node(list).kind else {
        return Err(Fault::new(tree.node(list).at, "expected a list of names with values"));
    };
    let items: Vec<NodeId> = tree.children(items).collect();
    let name_of = |item: NodeId| -> Option<String> {
        match &tree.node(tree.followed(item)).kind {
            Kind::Table(_) => {
                let members = tree.members(tree.followed(item));
                let (_, node) = members.into_iter().find(|(it, _)| *it == pairs.name)?;
                choose::scalar(tree, node)
            }
            Kind::Text(pair) => {
                Some(pair.split_once('=').map_or(pair.as_ref(), |it| it.0).to_owned())
            }
            _ => None,
        }
    };
    // The last of that name is the one that counts.
    let there = items.iter().rev().copied().find(|item| name_of(*item).as_deref() == Some(*name));
    let text_of = |value: &Value| value.as_text().map_or_else(|| value.show(), str::to_owned);
    let rules = format.rules();
    match (there, value) {
        (None, None) => Err(Fault::new(tree.node(list).at, "no value of its own here")),
        (Some(item), None) => lists::take_out(text, tree, list, item),
        (None, Some(value)) => {
            let is_text =
                items.last().is_some_and(|it| matches!(tree.node(*it).kind, Kind::Text(_)));
            let fields = match is_text {
                true => vec![(None, format!("{name}={}", text_of(value)))],
                false => vec![
                    (Some(pairs.name.as_str()), (*name).to_owned()),
                    (Some(pairs.value.as_str()), text_of(value)),
                ],
            };
            lists::append(text, tree, list, format, &fields)
        }
        (Some(item), Some(value)) => {
            if let Kind::Alias(..) = tree.node(item).kind {
                return Err(Fault::new(tree.node(item).at, "the item here is an alias")
                    .help("change it at its anchor"));
            }
            if let Kind::Text(_) = tree.node(item).kind {
                let pair = Value::Text(format!("{name}={}", text_of(value)).into());
                let way = Way { table: list, there: Some(item), rest: &[], above: &[] };
                return rules.put(text, tree, &way, &pair);
            }
            let own = tree.entries(item).find(|id| tree.node(*id).name == pairs.value.as_str());
            let Some(own) = own else {
                let fault =
                    Fault::new(tree.node(item).at, "the value of this item comes from elsewhere");
                return Err(fault.help("replace the item by hand"));
            };
            let way = Way { table: item, there: Some(own), rest: &[], above: &[] };
            // Such values are strings, whatever they look like.
            let value = Value::Text(text_of(value).into());
            rules.put(text, tree, &way, &value)
        }
    }
}
