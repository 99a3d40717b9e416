//! Edits of settings files: one value changes or comes in, and every other byte stays.
//!
//! [`put`] finds the place in the parsed text, splices the new bytes in there, and then parses the
//! result: if it does not show what was wanted, or anything else than before besides, the edit is
//! refused. So whatever a format's rules are, an edit can fail but not spoil a file.

use crate::Limits;
use crate::fault::{Fault, shown_name};
use crate::lowering::Lowering;
use crate::registry::Format;
use crate::splice::{Step, Way};
use crate::tree::{Kind, NodeId, Tree};
use crate::write::unwritable;
use hashbrown::HashMap;
use justwhy_core::{Document, KeyId, Keys, Span, Value};

pub(crate) mod braces;
pub(crate) mod lines;
pub(crate) mod lists;
#[cfg(test)]
mod tests;

/// A text in which `path` has `value`, all else being as it was.
pub fn put(
    format: Format,
    text: &str,
    path: &[Step],
    value: &Value,
    limits: Limits,
) -> Result<String, Fault> {
    let tree = format.parse(text, limits)?;
    let way = walk(&tree, path, false)?;
    let splice = format.rules().put(text, &tree, &way, value)?;
    let (start, end) = (text.get(..splice.range.start), text.get(splice.range.end..));
    let (Some(start), Some(end)) = (start, end) else {
        return Err(unwritable("this value"));
    };
    let edited = [start, &splice.with, end].concat();
    verify(format, (text, &edited), path, Some(value), limits)?;
    Ok(edited)
}

/// A text in which there is nothing at `path`, all else being as it was. What is there must be a value,
/// or, if it is wanted as a whole, may be a table.
pub fn take_out(
    format: Format,
    text: &str,
    path: &[Step],
    is_whole: bool,
    limits: Limits,
) -> Result<String, Fault> {
    let tree = format.parse(text, limits)?;
    let way = walk(&tree, path, is_whole)?;
    let Some(there) = way.there else {
        return Err(Fault::new(Span::default(), "no value of its own here")
            .help("if it comes through an anchor, remove it there"));
    };
    let splice = format.rules().take_out(text, &tree, (parent(&tree, &way), there))?;
    let (start, end) = (text.get(..splice.range.start), text.get(splice.range.end..));
    let (Some(start), Some(end)) = (start, end) else {
        return Err(unwritable("this edit"));
    };
    let edited = [start, &splice.with, end].concat();
    verify(format, (text, &edited), path, None, limits)?;
    Ok(edited)
}

/// Whether a TOML text has a table at a path.
pub fn is_table(text: &str, path: &[Step]) -> bool {
    let Ok(tree) = Format::TOML.parse(text, Limits::default()) else { return false };
    let end = path.iter().try_fold(Tree::ROOT, |table, step| step_into(&tree, table, step));
    end.is_some_and(|end| matches!(tree.node(end).kind, Kind::Table(_)))
}

fn walk<'w>(tree: &Tree<'_>, path: &'w [Step], is_whole: bool) -> Result<Way<'w>, Fault> {
    let mut table = Tree::ROOT;
    for (number, step) in path.iter().enumerate() {
        let (above, rest) = path.split_at(number);
        let Some(next) = step_into(tree, table, step) else {
            return Ok(Way { table, there: None, rest, above });
        };
        let node = tree.node(next);
        let is_last = number + 1 == path.len();
        match &node.kind {
            Kind::Table(_) | Kind::List(_) if !is_last => table = next,
            Kind::Table(children) if !children.is_empty() && !is_whole => {
                let message = format!("{} is a table, not a value", shown(path));
                return Err(Fault::new(node.name_at, message)
                    .help("name one of its keys, or remove the table first"));
            }
            _ if is_last => return Ok(Way { table, there: Some(next), rest: &[], above: path }),
            // Nothing was written there yet, so that a table may be.
            Kind::LeftOut => {
                let (above, rest) = path.split_at(number + 1);
                return Ok(Way { table: next, there: None, rest, above });
            }
            Kind::Alias(..) => {
                return Err(Fault::new(node.at, "the table here is an alias").help(
                    "replace the alias by the table first, or change the table at its anchor",
                ));
            }
            _ => {
                let message = format!("{} has a value", shown(&path[..=number]));
                let fault = Fault::new(node.name_at, message + ", so it cannot have keys below it");
                return Err(fault.help("remove the value first"));
            }
        }
    }
    Ok(Way { table, there: None, rest: &[], above: path })
}

fn step_into(tree: &Tree<'_>, table: NodeId, step: &Step) -> Option<NodeId> {
    match (step, &tree.node(table).kind) {
        (Step::Name(name), Kind::Table(_)) => tree.entries(table).find(|id| {
            let node = tree.node(*id);
            node.name == name.as_str() && !node.merges
        }),
        (Step::Item(number), Kind::List(items)) => tree.children(*items).nth(*number),
        _ => None,
    }
}

fn shown(path: &[Step]) -> String {
    let names = path.iter().map(|step| match step {
        Step::Name(name) => shown_name(name),
        Step::Item(number) => number.to_string(),
    });
    names.collect::<Vec<_>>().join(".")
}

/// Refuses a text that sets anything else than was wanted: this value there, or nothing.
fn verify(
    format: Format,
    (before, after): (&str, &str),
    path: &[Step],
    value: Option<&Value>,
    limits: Limits,
) -> Result<(), Fault> {
    let mut keys = Keys::default();
    let mut lower = |text: &str| -> Result<Document, Fault> {
        let tree = format.parse(text, limits)?;
        Lowering::new(&tree, &mut keys, limits).lower(Tree::ROOT)
    };
    let whole = match value {
        Some(_) => "this value cannot be written here",
        None => "this value cannot be removed here",
    };
    let refused = |why: &str| refused(whole, why);
    let before = lower(before)?;
    let after = lower(after).map_err(|fault| {
        refused(&format!("the file could not be read afterwards: {}", fault.message))
    })?;
    let Some(target) = target(&mut keys, path) else {
        // It is in a list, which is one leaf: what reads it judges for itself.
        return Ok(());
    };
    let said = |document: &Document| -> HashMap<KeyId, Value> {
        document.leaves.iter().map(|leaf| (leaf.name, leaf.value.clone())).collect()
    };
    let (mut before_said, mut after_said) = (said(&before), said(&after));
    before_said.remove(&target);
    if value.is_none() {
        before_said.retain(|key, _| !keys.is_within(*key, target));
    }
    let mut wanted = Vec::new();
    if let Some(value) = value {
        spread(&mut keys, target, value, &mut wanted);
    }
    let is_wanted = wanted
        .iter()
        .all(|(key, value)| after_said.remove(key).is_some_and(|now| same(&now, value)));
    if !is_wanted || after_said.contains_key(&target) {
        return Err(refused(match value {
            Some(_) => "the format would change the value",
            None => "another value would be there, for example through an anchor",
        }));
    }
    let at = after.leaves.iter().position(|leaf| leaf.name == target);
    if at.is_some_and(|at| !after.literal_dollars(at).is_empty()) {
        return Err(refused("its references would not be read as references"));
    }
    if before_said.len() != after_said.len()
        || before_said
            .iter()
            .any(|(key, value)| after_said.get(key).is_none_or(|other| !same(other, value)))
    {
        return Err(refused(
            "other settings have their value from there, for example through an anchor",
        ));
    }
    Ok(())
}

/// The error that an edit would do something else.
pub(crate) fn refused(whole: &str, why: &str) -> Fault {
    let fault = Fault::new(Span::default(), whole);
    fault.help(format!("{why}; nothing was changed. Edit the file by hand"))
}

/// The leaves that a file with this value has: a map is the branch of what is in it.
fn spread<'v>(keys: &mut Keys, at: KeyId, value: &'v Value, into: &mut Vec<(KeyId, &'v Value)>) {
    match value {
        Value::Map(entries) if !entries.is_empty() => {
            for entry in entries.iter() {
                let key = keys.child(at, &entry.name);
                spread(keys, key, &entry.value, into);
            }
        }
        value => into.push((at, value)),
    }
}

fn target(keys: &mut Keys, path: &[Step]) -> Option<KeyId> {
    path.iter().try_fold(KeyId::ROOT, |key, step| match step {
        Step::Name(name) => Some(keys.child(key, name)),
        Step::Item(_) => None,
    })
}

/// Whether two values are the same; two that are no number are.
fn same(one: &Value, other: &Value) -> bool {
    one == other || one.show() == other.show()
}

/// The table in which the entry at the end of the way is.
fn parent(tree: &Tree<'_>, way: &Way<'_>) -> NodeId {
    let above = way.above.len().saturating_sub(1);
    let steps = way.above[..above].iter();
    let table = steps.into_iter().try_fold(Tree::ROOT, |table, step| step_into(tree, table, step));
    table.unwrap_or(Tree::ROOT)
}
