//! The fallbacks that the files of a layer of source code have for one setting, brought together.

use super::{Opened, Reader};
use hashbrown::HashMap;
use justwhy_core::{Document, KeyId, Note, Place, Value};
use std::sync::Arc;

/// A fallback: the number of its document, and its leaf.
type At = (usize, usize);

impl Reader {
    /// The same documents with one fallback for each name: the first that there is. Where another place has
    /// another one, nobody can know which the program takes, and both places are named.
    pub(super) fn agreed(&self, opened: Vec<Opened>) -> Vec<Opened> {
        let mut by_name: HashMap<(KeyId, bool), Vec<At>> = HashMap::new();
        for (number, one) in opened.iter().enumerate() {
            let document = &one.document;
            for (leaf, said) in document.leaves.iter().enumerate() {
                if document.unset(leaf).is_none() {
                    let name = (said.name, document.are_variables);
                    by_name.entry(name).or_default().push((number, leaf));
                }
            }
        }
        by_name.retain(|_, places| places.len() > 1);
        if by_name.is_empty() {
            return opened;
        }
        let mut again: Vec<At> = Vec::new();
        let mut differ: HashMap<At, Vec<Place>> = HashMap::new();
        for places in by_name.into_values() {
            let Some((first, rest)) = places.split_first() else { continue };
            again.extend(rest);
            let value = bare(&opened, *first);
            let others = rest.iter().filter(|at| bare(&opened, **at) != value);
            let others: Vec<Place> = others.map(|at| place(&opened, *at)).collect();
            if !others.is_empty() {
                differ.insert(*first, others);
            }
        }
        again.sort_unstable();
        let changed = opened.into_iter().enumerate().map(|(number, one)| {
            let is_gone = |leaf: usize| again.binary_search(&(number, leaf)).is_ok();
            let mut document = Document::clone(&one.document);
            let mut differing: Vec<(usize, Vec<Place>)> = Vec::new();
            for leaf in 0..document.leaves.len() {
                differing.extend(differ.remove(&(number, leaf)).map(|others| (leaf, others)));
            }
            let is_same = differing.is_empty() && !(0..document.leaves.len()).any(is_gone);
            if is_same {
                return one;
            }
            for (leaf, others) in differing {
                doubt(&mut document, &one, leaf, others);
            }
            let document = Arc::new(document.with_leaves(|leaf, _| !is_gone(leaf)));
            Opened { document, ..one }
        });
        changed.collect()
    }
}

/// What a fallback is, as a program sees it that reads a string.
fn bare(opened: &[Opened], (number, leaf): At) -> Result<String, Arc<str>> {
    let document = &opened[number].document;
    match &document.leaves[leaf].value {
        Value::Unread => Err(document
            .note(u32::try_from(leaf).unwrap_or(u32::MAX))
            .and_then(|note| note.unreadable.clone())
            .unwrap_or_default()),
        value => Ok(value.as_text().map_or_else(|| value.show(), str::to_owned)),
    }
}

fn place(opened: &[Opened], (number, leaf): At) -> Place {
    let Opened { origin, document, .. } = &opened[number];
    Place::in_text(origin.clone(), document.text.as_ref(), document.leaves[leaf].at)
}

/// Makes a fallback one that nobody can know.
fn doubt(document: &mut Document, one: &Opened, leaf: usize, others: Vec<Place>) {
    const MOST: usize = 3;
    let own = Place::in_text(one.origin.clone(), document.text.as_ref(), document.leaves[leaf].at);
    let mut shown: Vec<String> =
        std::iter::once(&own).chain(&others).take(MOST).map(Place::to_string).collect();
    if others.len() >= MOST {
        shown.push(format!("{} more places", others.len() + 1 - MOST));
    }
    let shown = justwhy_core::list_values(&shown, "and");
    document.leaves[leaf].value = Value::Unread;
    document.notes.retain(|(number, _)| *number != leaf);
    let why = format!("code has different fallbacks: {shown}");
    let note = Note { unreadable: Some(why.into()), ..Note::default() };
    let at = document.notes.partition_point(|(number, _)| *number < leaf);
    document.notes.insert(at, (leaf, Arc::new(note)));
    let at = document.rivals.partition_point(|(number, _)| *number < leaf);
    document.rivals.insert(at, (leaf, others.into()));
}
