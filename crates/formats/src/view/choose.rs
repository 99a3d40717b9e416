//! The document of a stream and the node in it that is read.

use super::{Documents, Part, Under};
use crate::Limits;
use crate::fault::{Fault, shown_name};
use crate::manner::second_document;
use crate::tree::{Kind, NodeId, Tree};
use justwhy_core::{KeyPath, Span};

/// The code of the fault that a document is not there.
pub(super) const NOT_THERE: &str = "missing-section";

/// The most names that an error lists of what is there.
const MOST_NAMES: usize = 8;

/// The roots of the documents that are read, the weakest first.
pub(super) fn documents(tree: &Tree<'_>, chosen: Option<&Documents>) -> Result<Vec<NodeId>, Fault> {
    let all = &tree.documents;
    let count = match all.len() {
        1 => "1 document".to_owned(),
        count => format!("{count} documents"),
    };
    match chosen {
        None => match all.as_slice() {
            [one] => Ok(tree.with_bases(*one)),
            [] => Ok(vec![Tree::ROOT]),
            // Stages have names, and the last one is what is built.
            [.., last] if !tree.node(*last).name.is_empty() => Ok(tree.with_bases(*last)),
            [_, second, ..] => Err(second_document(tree.node(*second).at)),
        },
        Some(Documents::All) => Ok(all.clone()),
        Some(Documents::Named(wanted)) => {
            let is_it = |id: &&NodeId| tree.node(**id).name.eq_ignore_ascii_case(wanted);
            match all.iter().rev().find(is_it) {
                Some(root) => Ok(tree.with_bases(*root)),
                None => {
                    let names: Vec<String> =
                        all.iter().map(|id| shown_name(&tree.node(*id).name)).collect();
                    let message = format!("no stage {}", shown_name(wanted));
                    Err(not_there(message, format!("the stages are {}", names.join(", "))))
                }
            }
        }
        Some(Documents::Number(number)) => match all.get(number.wrapping_sub(1)) {
            Some(root) => Ok(vec![*root]),
            None => Err(not_there(
                format!("no document {number}: the file has {count}"),
                "correct `document` of the layer".to_owned(),
            )),
        },
        Some(Documents::Matching(wanted)) => matching(tree, wanted),
        Some(Documents::At { key, value }) => {
            let mut roots = Vec::new();
            for root in all {
                if applies(tree, *root, key, value.as_deref())? {
                    roots.push(*root);
                }
            }
            Ok(roots)
        }
    }
}

/// The fault that a document is not there.
fn not_there(message: String, help: String) -> Fault {
    let fault = Fault::new(Span::default(), message).help(help);
    Fault { code: NOT_THERE, ..fault }
}

/// The one document that has the values.
fn matching(tree: &Tree<'_>, wanted: &[(KeyPath, String)]) -> Result<Vec<NodeId>, Fault> {
    let fits = |root: &NodeId| {
        wanted.iter().all(|(key, value)| {
            let node = at_key(tree, *root, key);
            node.and_then(|node| scalar(tree, node)).is_some_and(|it| it == *value)
        })
    };
    let found: Vec<NodeId> = tree.documents.iter().copied().filter(fits).collect();
    let shown = |root: &NodeId| {
        let values = wanted.iter().map(|(key, _)| {
            at_key(tree, *root, key)
                .and_then(|it| scalar(tree, it))
                .unwrap_or_else(|| "-".to_owned())
        });
        values.map(|it| shown_name(&it)).collect::<Vec<_>>().join(" ")
    };
    let keys: Vec<String> = wanted.iter().map(|(key, _)| key.to_string()).collect();
    let list = |roots: &[NodeId]| {
        let shown: Vec<String> = roots.iter().take(MOST_NAMES).map(shown).collect();
        format!("{} documents by {}: {}", roots.len(), keys.join(" and "), shown.join(", "))
    };
    match found.as_slice() {
        [one] => Ok(vec![*one]),
        [] => Err(not_there(
            "no document matches `document`".to_owned(),
            format!("the file has {}", list(&tree.documents)),
        )),
        [_, second, ..] => Err(Fault::new(
            tree.node(*second).at,
            format!("{} documents match `document`", found.len()),
        )
        .help("add a key that differs between them, such as \"metadata.name\"")),
    }
}

/// Whether a document applies, by the expression at the key.
fn applies(
    tree: &Tree<'_>,
    root: NodeId,
    key: &KeyPath,
    value: Option<&str>,
) -> Result<bool, Fault> {
    let Some(node) = at_key(tree, root, key) else { return Ok(true) };
    let node = tree.followed(node);
    let wrong = |at: Span| {
        Err(Fault::new(at, "this expression is not understood")
            .help("write one value, a list, alternatives separated by `,` or `|`, or `!value`"))
    };
    let texts: Vec<NodeId> = match &tree.node(node).kind {
        Kind::List(items) => tree.children(*items).map(|it| tree.followed(it)).collect(),
        _ => vec![node],
    };
    let mut applies = false;
    for text in texts {
        let at = tree.node(text).at;
        let Some(expression) = scalar(tree, text) else { return wrong(at) };
        for one in expression.split([',', '|']).map(str::trim) {
            let (is_not, name) = match one.strip_prefix('!') {
                Some(name) => (true, name.trim()),
                None => (false, one),
            };
            let is_name = |c: char| c.is_alphanumeric() || "._-".contains(c);
            if name.is_empty() || !name.chars().all(is_name) {
                return wrong(at);
            }
            applies |= (value == Some(name)) != is_not;
        }
    }
    Ok(applies)
}

/// The node that is read, or why nothing is there.
pub(super) fn node(
    tree: &Tree<'_>,
    root: NodeId,
    under: &Under,
    limits: Limits,
) -> Result<Result<NodeId, Fault>, Fault> {
    match under {
        Under::Key(key) => Ok(at_key(tree, root, key).ok_or_else(|| {
            let fault = Fault::new(tree.node(root).at, format!("nothing is at {key}"));
            with_help(fault, what_is_at(tree, root, key))
        })),
        Under::Query(query) => {
            let found = query.select(tree, root, limits)?;
            match found.as_slice() {
                [one] => Ok(Ok(*one)),
                [] => {
                    let at = tree.node(root).at;
                    let fault = Fault::new(at, format!("nothing is at {}", query.text()));
                    let there =
                        query.longest_start(tree, root, limits).and_then(|(start, nodes)| {
                            let shown = match nodes.as_slice() {
                                [one] => contents(tree, *one)?,
                                several => format!("{} nodes", several.len()),
                            };
                            Some(format!("{start} has {shown}"))
                        });
                    Ok(Err(with_help(fault, there)))
                }
                [_, second, ..] => {
                    let message = format!("{} selects {} nodes", query.text(), found.len());
                    let names: Vec<String> =
                        found.iter().take(MOST_NAMES).filter_map(|it| label(tree, *it)).collect();
                    let help = match names.is_empty() {
                        true => "make the query select one".to_owned(),
                        false => format!("make the query select one of: {}", names.join(", ")),
                    };
                    Err(Fault::new(tree.node(*second).at, message).help(help))
                }
            }
        }
    }
}

fn with_help(fault: Fault, help: Option<String>) -> Fault {
    match help {
        Some(help) => fault.help(help),
        None => fault,
    }
}

/// The error that settings were expected, and something else is there.
pub(super) fn not_a_table(tree: &Tree<'_>, node: NodeId, part: &Part) -> Fault {
    let at = tree.node(node).at;
    let (what, help) = match &tree.node(node).kind {
        Kind::List(_) => (
            "a list",
            "add pairs = true if its items have names and values, or lists = \"numbered\" if they are a branch",
        ),
        Kind::Text(_) if part.inner.is_none() => {
            ("a string", "add inner = \"properties\" (or another format) if it is a file itself")
        }
        _ => ("a single value", "choose the table above it"),
    };
    Fault::new(at, format!("expected settings, found {what}")).help(help)
}

/// The node at a key.
pub(super) fn at_key(tree: &Tree<'_>, root: NodeId, key: &KeyPath) -> Option<NodeId> {
    key.segments().try_fold(root, |at, segment| {
        let members = tree.members(tree.followed(at));
        members.into_iter().find(|(name, _)| *name == segment).map(|(_, node)| node)
    })
}

/// What the deepest table on the way to a key has.
fn what_is_at(tree: &Tree<'_>, root: NodeId, key: &KeyPath) -> Option<String> {
    let (mut at, mut path) = (root, Vec::new());
    for segment in key.segments() {
        let members = tree.members(tree.followed(at));
        let Some((_, next)) = members.into_iter().find(|(name, _)| *name == segment) else { break };
        at = next;
        path.push(segment.to_owned());
    }
    let shown = contents(tree, at)?;
    Some(match KeyPath::from_segments(path) {
        Some(path) => format!("{path} has {shown}"),
        None => format!("the file has {shown}"),
    })
}

/// What is in a table or a list, by names: `3 items: billing, proxy, cron`.
fn contents(tree: &Tree<'_>, node: NodeId) -> Option<String> {
    let node = tree.followed(node);
    let (what, names): (&str, Vec<String>) = match &tree.node(node).kind {
        Kind::Table(_) => {
            ("keys", tree.members(node).into_iter().map(|(name, _)| shown_name(name)).collect())
        }
        Kind::List(items) => {
            let items: Vec<NodeId> = tree.children(*items).collect();
            let label = |(number, item): (usize, &NodeId)| {
                label(tree, *item).unwrap_or_else(|| format!("[{number}]"))
            };
            ("items", items.iter().enumerate().map(label).collect())
        }
        _ => return None,
    };
    let shown = names.iter().take(MOST_NAMES).map(String::as_str).collect::<Vec<_>>().join(", ");
    let more = if names.len() > MOST_NAMES { ", …" } else { "" };
    Some(match names.len() {
        0 => format!("no {what}"),
        1 => format!("1 {}: {shown}", &what[..what.len() - 1]),
        count => format!("{count} {what}: {shown}{more}"),
    })
}

/// What an item is called: its `name`, `id` or `kind`.
fn label(tree: &Tree<'_>, item: NodeId) -> Option<String> {
    let item = tree.followed(item);
    let members = tree.members(item);
    let named = ["name", "id", "kind"].into_iter().find_map(|wanted| {
        let (_, node) = members.iter().find(|(name, _)| *name == wanted)?;
        scalar(tree, *node)
    });
    named
        .or_else(|| Some(tree.node(item).name.to_string()).filter(|name| !name.is_empty()))
        .map(|name| shown_name(&name))
}

/// A value that is no list and no table, as text.
pub(super) fn scalar(tree: &Tree<'_>, node: NodeId) -> Option<String> {
    Some(match &tree.node(tree.followed(node)).kind {
        Kind::Text(text) => text.to_string(),
        Kind::Boolean(value) => value.to_string(),
        Kind::Integer(value) => value.to_string(),
        Kind::Number(value) => value.to_string(),
        _ => return None,
    })
}
