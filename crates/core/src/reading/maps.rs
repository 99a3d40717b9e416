//! Settings that are maps: the tables that sources have for them become one leaf each.

use super::{Offer, Reading, narrow};
use crate::model::catalogue::{Catalogue, Standing};
use crate::model::document::{Document, Leaf};
use crate::model::key::{KeyId, Keys};
use crate::model::note::Note;
use crate::model::place::Span;
use crate::model::value::{Entry, Value};
use std::sync::Arc;

/// A part of a map: where it belongs, and what is there.
struct MapPart {
    key: KeyId,
    value: Value,
    at: Span,
}

/// A table without entries, or a name without a value.
pub(super) struct Nothing {
    /// The setting that it is about.
    pub(super) key: KeyId,
    /// Its name in the source.
    pub(super) name: KeyId,
    pub(super) standing: Standing,
    /// An empty map, or a null.
    pub(super) value: Value,
    pub(super) at: Span,
}

/// All that a source has for a map under one of its names.
struct FoundMap {
    map: KeyId,
    /// The former name, if it is one.
    former: Option<usize>,
    parts: Vec<MapPart>,
    leaves: Vec<u32>,
    /// The name of the map in the source.
    name: KeyId,
    /// How many offers are before the last part.
    after: usize,
}

/// A map while it is put together.
enum MapNode {
    Value(Value, Span),
    Table(Vec<(Arc<str>, MapNode)>, Span),
}

impl Reading {
    /// Puts what is offered below the key of a map together to one offer of that map, for each name
    /// that the map has in the source: a table at a former name is another one. It is where its
    /// table begins, else where its first part does, and among the offers where its last part did.
    pub(super) fn put_maps_together(
        &mut self,
        keys: &Keys,
        catalogue: &Catalogue,
        nothings: &[Nothing],
        standings: &mut Vec<Standing>,
        best: Standing,
    ) {
        if !catalogue.has_maps() {
            return;
        }
        standings.resize(self.offers.len(), Standing::Current);
        let mut found = FoundMaps { keys, best, maps: Vec::new() };
        let document = Arc::clone(&self.document);
        let (mut kept, mut kept_standings) = (Vec::new(), Vec::new());
        let mut joined: Vec<(usize, u32, usize)> = Vec::new();
        for (offer, standing) in self.offers.iter().zip(standings.iter()) {
            match catalogue.map_at(keys, offer.key) {
                // What is withheld is no part of anything.
                Some(map) if map != offer.key && !is_withheld(&document, offer.leaf) => {
                    let leaf = &document.leaves[offer.leaf as usize];
                    let at = leaf.at.unwrap_or_default();
                    let part = MapPart { key: offer.key, value: leaf.value.clone(), at };
                    let number = found.add((map, *standing, leaf.name), part);
                    joined.push((number, offer.leaf, kept.len()));
                }
                _ => {
                    kept.push(*offer);
                    kept_standings.push(*standing);
                }
            }
        }
        for Nothing { key, name, standing, value, at } in nothings {
            if let Some(map) = catalogue.map_at(keys, *key)
                && (map != *key || !matches!(value, Value::Null))
            {
                let part = MapPart { key: *key, value: value.clone(), at: *at };
                let number = found.add((map, *standing, *name), part);
                let after = &mut found.maps[number].after;
                *after = (*after).max(kept.len());
            }
        }
        for (number, leaf, after) in joined {
            found.maps[number].leaves.push(leaf);
            found.maps[number].after = after;
        }
        if found.maps.is_empty() {
            return;
        }
        let mut whole: Document = (*document).clone();
        let mut made: Vec<(usize, Offer, Standing)> = Vec::new();
        for FoundMap { map, former, parts, leaves, name, after } in found.maps {
            let leaf = put_together(&mut whole, keys, (map, name), parts, &leaves);
            let is_old = leaves.iter().any(|leaf| self.is_old_name(*leaf));
            if is_old {
                self.old_names.push(leaf);
            }
            self.maps.push((leaf, leaves));
            // A name that holds the whole map is as good as those of its parts.
            let standing = former.map_or(best, Standing::Former);
            made.push((after, Offer { key: map, leaf }, standing));
        }
        // From the last, so that those before keep their numbers.
        made.sort_by_key(|(after, ..)| *after);
        for (after, offer, standing) in made.into_iter().rev() {
            kept.insert(after, offer);
            kept_standings.insert(after, standing);
        }
        self.document = Arc::new(whole);
        self.offers = kept;
        *standings = kept_standings;
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

/// Notes for the leaf that comes next what the store sets for its parts, and gives its value: one
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
fn put(table: &mut Vec<(Arc<str>, MapNode)>, path: &[&str], value: Value, at: Span) {
    let Some((name, rest)) = path.split_first() else { return };
    let known = table.iter().position(|(other, _)| other.as_ref() == *name);
    if rest.is_empty() {
        let node = match value {
            Value::Map(_) => MapNode::Table(Vec::new(), at),
            value => MapNode::Value(value, at),
        };
        match known {
            Some(known) => table[known].1 = node,
            None => table.push(((*name).into(), node)),
        }
        return;
    }
    let known = known.unwrap_or_else(|| {
        table.push(((*name).into(), MapNode::Table(Vec::new(), at)));
        table.len() - 1
    });
    if matches!(table[known].1, MapNode::Value(..)) {
        table[known].1 = MapNode::Table(Vec::new(), at);
    }
    if let MapNode::Table(inner, _) = &mut table[known].1 {
        put(inner, rest, value, at);
    }
}

fn entries(table: Vec<(Arc<str>, MapNode)>) -> Arc<[Entry]> {
    let entry = |(name, node)| match node {
        MapNode::Value(value, at) => Entry { name, value, at },
        MapNode::Table(inner, at) => Entry { name, value: Value::Map(entries(inner)), at },
    };
    table.into_iter().map(entry).collect()
}

/// The maps that were found, each with its parts.
struct FoundMaps<'k> {
    keys: &'k Keys,
    best: Standing,
    maps: Vec<FoundMap>,
}

impl FoundMaps<'_> {
    /// Adds a part to the map that it belongs to, which is under `name` or above; gives its number.
    fn add(&mut self, (map, standing, name): (KeyId, Standing, KeyId), part: MapPart) -> usize {
        let former = match standing {
            Standing::Former(number) => Some(number),
            Standing::Own | Standing::Current | Standing::Loose => None,
        };
        let is_it = |it: &FoundMap| it.map == map && it.former == former;
        let at = self.maps.iter().position(is_it).unwrap_or_else(|| {
            let depth = self.keys.depth(part.key) - self.keys.depth(map);
            let above = (0..depth).fold(name, |name, _| self.keys.parent(name));
            // A variable has no name above its own.
            let is_variable = above == KeyId::ROOT && self.best == Standing::Own;
            let name = if is_variable { name } else { above };
            let (parts, leaves) = (Vec::new(), Vec::new());
            self.maps.push(FoundMap { map, former, parts, leaves, name, after: 0 });
            self.maps.len() - 1
        });
        self.maps[at].parts.push(part);
        at
    }
}

/// Adds a leaf for a whole map to a document; gives its number.
fn put_together(
    whole: &mut Document,
    keys: &Keys,
    (map, name): (KeyId, KeyId),
    parts: Vec<MapPart>,
    leaves: &[u32],
) -> u32 {
    let leaf = narrow(whole.leaves.len());
    let has_lines = whole.text.is_some();
    let table = whole.tables.iter().find(|(table, _)| *table == name);
    let first = parts.iter().map(|part| part.at).min_by_key(|at| at.start);
    let at = table.map(|(_, at)| *at).or(first);
    let depth = keys.depth(map);
    let mut root = Vec::new();
    for part in parts.into_iter().filter(|part| part.key != map) {
        let segments = keys.segments(part.key);
        put(&mut root, &segments[depth..], part.value, part.at);
    }
    let value = note_of_all(whole, leaves, Value::Map(entries(root)));
    whole.leaves.push(Leaf {
        name: if name == KeyId::ROOT { map } else { name },
        value,
        at: at.filter(|_| has_lines),
        name_at: None,
    });
    leaf
}
