//! Names that differ in case, `-` and `_` alone: which spelling of each counts for the whole project.

use super::{KeyId, Keys};
use hashbrown::HashMap;
use std::borrow::Cow;
use std::sync::Arc;

/// Which spelling of each name counts.
#[derive(Clone, Default)]
pub(super) struct Loose {
    /// By the key above in the spelling that counts, and the segment without case, `-` and `_`.
    spelled: HashMap<(KeyId, Box<str>), KeyId>,
}

/// A segment without case, `-` and `_`.
pub(crate) fn folded(segment: &str) -> Cow<'_, str> {
    let is_folded = |byte: u8| byte.is_ascii_lowercase() || byte.is_ascii_digit();
    if segment.bytes().all(is_folded) {
        return Cow::Borrowed(segment);
    }
    let letters = segment.chars().filter(|c| !matches!(c, '-' | '_'));
    Cow::Owned(letters.flat_map(char::to_lowercase).collect())
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
        let written = self.parent(key);
        let above = self.spelled(written, is_map);
        let is_in_map = !matches!(above, KeyId::ROOT)
            && std::iter::once(above).chain(self.above(above)).any(is_map);
        let segment = self.segment(key).to_owned();
        let own = if above == written { key } else { self.child(above, &segment) };
        if is_in_map {
            return own;
        }
        let by = (above, folded(&segment).into());
        match &mut Arc::make_mut(&mut self.0).loose {
            Some(loose) => *loose.spelled.entry(by).or_insert(own),
            None => own,
        }
    }

    /// The key one segment below, in the spelling that counts if there is one.
    pub(super) fn find_meant(&self, parent: KeyId, segment: &str) -> Option<KeyId> {
        let exact = || self.find_child(parent, segment);
        match &self.0.loose {
            None => exact(),
            Some(loose) => {
                let by = (parent, folded(segment).into());
                loose.spelled.get(&by).copied().or_else(exact)
            }
        }
    }
}
