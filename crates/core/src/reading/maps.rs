//! Settings that are maps: the tables that sources have for them become one leaf each.

use super::{Offer, Reading, narrow};
use crate::{Catalogue, Document, Entry, KeyId, Keys, Leaf, Note, Span, Value};
use std::sync::Arc;

/// A part of a map: where it belongs, and what stands there.
struct Part {
    key: KeyId,
    value: Value,
    at: Span,
}

/// A map while it is put together.
enum Node {
    Value(Value, Span),
    Table(Vec<(Arc<str>, Node)>, Span),
}

impl Reading {
    /// Puts what is offered below the key of a map together to one offer of that map, which stands
    /// where its first part does. `nothings` are tables without entries, and names without a value.
    pub(super) fn put_maps_together(
        &mut self,
        keys: &Keys,
        catalogue: &Catalogue,
        nothings: &[(KeyId, Value, Span)],
    ) {
        if !catalogue.has_maps() {
            return;
        }
        let mut found: Vec<(KeyId, Vec<Part>, Vec<u32>)> = Vec::new();
        let mut add = |map: KeyId, part: Part, leaf: Option<u32>| {
            let at = found.iter().position(|(other, ..)| *other == map).unwrap_or_else(|| {
                found.push((map, Vec::new(), Vec::new()));
                found.len() - 1
            });
            found[at].1.push(part);
            found[at].2.extend(leaf);
        };
        let document = Arc::clone(&self.document);
        self.offers.retain(|offer| match catalogue.map_at(keys, offer.key) {
            // What is withheld is no part of anything.
            Some(map) if map != offer.key && !is_withheld(&document, offer.leaf) => {
                let leaf = &document.leaves[offer.leaf as usize];
                let at = leaf.at.unwrap_or_default();
                let part = Part { key: offer.key, value: leaf.value.clone(), at };
                add(map, part, Some(offer.leaf));
                false
            }
            _ => true,
        });
        for (key, value, at) in nothings {
            if let Some(map) = catalogue.map_at(keys, *key)
                && (map != *key || !matches!(value, Value::Null))
            {
                add(map, Part { key: *key, value: value.clone(), at: *at }, None);
            }
        }
        if found.is_empty() {
            return;
        }
        let mut whole: Document = (*document).clone();
        for (map, parts, leaves) in found {
            let has_lines = whole.text.is_some();
            let at = parts.iter().map(|part| part.at).min_by_key(|at| at.start);
            let depth = keys.depth(map);
            let name = leaves.first().map(|leaf| {
                let offered = document.leaves[*leaf as usize].name;
                let below = parts.first().map_or(0, |part| keys.depth(part.key) - depth);
                (0..below).fold(offered, |name, _| keys.parent(name))
            });
            let mut root = Vec::new();
            for part in parts.into_iter().filter(|part| part.key != map) {
                let segments = keys.segments(part.key);
                put(&mut root, &segments[depth..], part.value, part.at);
            }
            let leaf = narrow(whole.leaves.len());
            let value = note_of_all(&mut whole, &leaves, Value::Map(entries(root)));
            whole.leaves.push(Leaf {
                name: name.filter(|name| *name != KeyId::ROOT).unwrap_or(map),
                value,
                at: at.filter(|_| has_lines),
            });
            self.offers.push(Offer { key: map, leaf });
            self.maps.push((leaf, leaves));
        }
        self.document = Arc::new(whole);
    }

    /// The leaves of the source that make up a leaf: itself, unless it is a map.
    pub fn parts_of(&self, leaf: u32) -> Vec<u32> {
        let map = self.maps.iter().find(|(map, _)| *map == leaf);
        map.map_or_else(|| vec![leaf], |(_, parts)| parts.clone())
    }
}

fn is_withheld(document: &Document, leaf: u32) -> bool {
    document.note(leaf).is_some_and(|note| note.withheld.is_some())
}

/// Notes for the leaf that comes next what the store says about its parts, and gives its value: one
/// with a part that cannot be read cannot be read either.
fn note_of_all(whole: &mut Document, parts: &[u32], value: Value) -> Value {
    let notes = || parts.iter().filter_map(|leaf| whole.note(*leaf));
    let Some(newest) = notes().max_by(|one, other| one.updated.cmp(&other.updated)) else {
        return value;
    };
    let unreadable = notes().find_map(|note| note.unreadable.clone());
    let secret = notes().any(|note| note.secret);
    let note = Note { secret, unreadable: unreadable.clone(), encrypted: None, ..newest.clone() };
    whole.notes.push((whole.leaves.len(), Arc::new(note)));
    if unreadable.is_some() { Value::Unread } else { value }
}

/// Puts a value where a path leads; a table on the way is made, and what is no table gives way.
fn put(table: &mut Vec<(Arc<str>, Node)>, path: &[&str], value: Value, at: Span) {
    let Some((name, rest)) = path.split_first() else { return };
    let known = table.iter().position(|(other, _)| other.as_ref() == *name);
    if rest.is_empty() {
        let node = match value {
            Value::Map(_) => Node::Table(Vec::new(), at),
            value => Node::Value(value, at),
        };
        match known {
            Some(known) => table[known].1 = node,
            None => table.push(((*name).into(), node)),
        }
        return;
    }
    let known = known.unwrap_or_else(|| {
        table.push(((*name).into(), Node::Table(Vec::new(), at)));
        table.len() - 1
    });
    if matches!(table[known].1, Node::Value(..)) {
        table[known].1 = Node::Table(Vec::new(), at);
    }
    if let Node::Table(inner, _) = &mut table[known].1 {
        put(inner, rest, value, at);
    }
}

fn entries(table: Vec<(Arc<str>, Node)>) -> Arc<[Entry]> {
    let entry = |(name, node)| match node {
        Node::Value(value, at) => Entry { name, value, at },
        Node::Table(inner, at) => Entry { name, value: Value::Map(entries(inner)), at },
    };
    table.into_iter().map(entry).collect()
}
