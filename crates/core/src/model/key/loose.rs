//! Names that differ in case, `-` and `_` alone: which spelling of each counts for the whole project.

use super::{Interned, KeyId, Keys, one_hasher};
use hashbrown::HashTable;
use std::borrow::Cow;
use std::hash::{BuildHasher as _, Hash, Hasher};
use std::sync::Arc;

/// Which spelling of each name counts.
#[derive(Clone, Default)]
pub(super) struct Loose {
    /// The keys in the spelling that counts, each with the key above it and the hash of both, the segment
    /// without case, `-` and `_`.
    spelled: HashTable<(u64, KeyId, KeyId)>,
    /// What is known of each key, by its index: the spelling that counts.
    known: Vec<Option<KeyId>>,
}

/// A name without case, `-` and `_`.
pub fn folded(segment: &str) -> Cow<'_, str> {
    let is_folded = |byte: u8| byte.is_ascii_lowercase() || byte.is_ascii_digit();
    if segment.bytes().all(is_folded) {
        return Cow::Borrowed(segment);
    }
    let mut made = String::with_capacity(segment.len());
    push_folded(&mut made, segment);
    Cow::Owned(made)
}

/// Writes a text without case, `-` and `_`.
pub(crate) fn push_folded(out: &mut String, text: &str) {
    if !text.is_ascii() {
        let letters = text.chars().filter(|c| !matches!(c, '-' | '_'));
        out.extend(letters.flat_map(char::to_lowercase));
        return;
    }
    for part in text.split(['-', '_']) {
        let start = out.len();
        out.push_str(part);
        out[start..].make_ascii_lowercase();
    }
}

impl Keys {
    /// Has names that differ in case, `-` and `_` alone mean the same from now on.
    pub fn loosen(&mut self) {
        let interned = Arc::make_mut(&mut self.0);
        interned.loose.get_or_insert_default();
    }

    /// Whether names that differ in case, `-` and `_` alone mean the same.
    pub fn is_loose(&self) -> bool {
        self.0.loose.is_some()
    }

    /// The key in the spelling that counts: the first that was asked for. `is_map` shows below which keys
    /// every spelling is a name of its own.
    pub(crate) fn spelled(&mut self, key: KeyId, is_map: &dyn Fn(KeyId) -> bool) -> KeyId {
        if key == KeyId::ROOT || !self.is_loose() {
            return key;
        }
        let known = |keys: &Keys| {
            keys.0.loose.as_ref().and_then(|loose| loose.known.get(key.index()).copied().flatten())
        };
        if let Some(known) = known(self) {
            return known;
        }
        let written = self.parent(key);
        let above = self.spelled(written, is_map);
        let is_in_map = !matches!(above, KeyId::ROOT)
            && std::iter::once(above).chain(self.above(above)).any(is_map);
        let own = match above == written {
            true => key,
            false => {
                let segment = self.segment(key).to_owned();
                self.child(above, &segment)
            }
        };
        let spelled = match is_in_map {
            true => own,
            false => self.find_loosely(above, self.segment(own)).unwrap_or(own),
        };
        let hash = hash_of(above, self.segment(own));
        let Interned { loose: Some(loose), .. } = Arc::make_mut(&mut self.0) else { return own };
        if spelled == own && !is_in_map {
            loose.spelled.insert_unique(hash, (hash, above, own), |it| it.0);
        }
        if loose.known.len() <= key.index() {
            loose.known.resize(key.index() + 1, None);
        }
        loose.known[key.index()] = Some(spelled);
        spelled
    }

    /// The key one segment below, in the spelling that counts if there is one.
    pub(super) fn find_meant(&self, parent: KeyId, segment: &str) -> Option<KeyId> {
        let exact = || self.find_child(parent, segment);
        match &self.0.loose {
            None => exact(),
            Some(_) => self.find_loosely(parent, segment).or_else(exact),
        }
    }

    fn find_loosely(&self, above: KeyId, segment: &str) -> Option<KeyId> {
        let loose = self.0.loose.as_ref()?;
        let hash = hash_of(above, segment);
        let is_it = |it: &(u64, KeyId, KeyId)| {
            it.0 == hash && it.1 == above && is_same(self.segment(it.2), segment)
        };
        loose.spelled.find(hash, is_it).map(|it| it.2)
    }
}

/// A segment that hashes without case, `-` and `_`.
struct Folded<'s>(&'s str);

impl Hash for Folded<'_> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        match self.0.is_ascii() {
            true => letters(self.0).for_each(|byte| state.write_u8(byte)),
            false => folded(self.0).bytes().for_each(|byte| state.write_u8(byte)),
        }
    }
}

/// The letters of a text in ASCII without case, `-` and `_`.
fn letters(text: &str) -> impl Iterator<Item = u8> + '_ {
    text.bytes().filter(|byte| !matches!(byte, b'-' | b'_')).map(|byte| byte.to_ascii_lowercase())
}

fn is_same(one: &str, other: &str) -> bool {
    match one.is_ascii() && other.is_ascii() {
        true => letters(one).eq(letters(other)),
        false => folded(one) == folded(other),
    }
}

fn hash_of(above: KeyId, segment: &str) -> u64 {
    one_hasher().hash_one((above, Folded(segment)))
}
