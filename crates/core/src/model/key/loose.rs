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
    /// What is known of each key, by its index: the spelling that counts.
    known: Vec<Option<KeyId>>,
}

/// A segment without case, `-` and `_`.
pub(crate) fn folded(segment: &str) -> Cow<'_, str> {
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
        let segment = self.segment(key).to_owned();
        let own = if above == written { key } else { self.child(above, &segment) };
        let Some(loose) = &mut Arc::make_mut(&mut self.0).loose else { return own };
        let spelled = match is_in_map {
            true => own,
            false => *loose.spelled.entry((above, folded(&segment).into())).or_insert(own),
        };
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
            Some(loose) => {
                let by = (parent, folded(segment).into());
                loose.spelled.get(&by).copied().or_else(exact)
            }
        }
    }
}
