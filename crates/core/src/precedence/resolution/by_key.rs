//! Something for each key, of all keys or of a few.

use crate::model::key::KeyId;
use hashbrown::HashMap;

/// A value for each key, most of which are the default. Of all keys they are in a row; of a few among
/// very many, only those that are not the default are kept.
#[derive(Debug)]
pub(super) enum ByKey<T> {
    All(Vec<T>),
    Few(HashMap<KeyId, T>),
}

impl<T: Copy + Default> ByKey<T> {
    /// The default for each of `count` keys, of which only a few are ever set if `are_few`.
    pub(super) fn new(count: usize, are_few: bool) -> ByKey<T> {
        match are_few {
            true => ByKey::Few(HashMap::new()),
            false => ByKey::All(vec![T::default(); count]),
        }
    }

    pub(super) fn are_few(&self) -> bool {
        matches!(self, ByKey::Few(_))
    }

    pub(super) fn get(&self, key: KeyId) -> T {
        match self {
            ByKey::All(all) => all.get(key.index()).copied().unwrap_or_default(),
            ByKey::Few(few) => few.get(&key).copied().unwrap_or_default(),
        }
    }

    /// Gives what was there.
    pub(super) fn replace(&mut self, key: KeyId, value: T) -> T {
        std::mem::replace(self.get_mut(key), value)
    }

    /// The key must be one of those that there were when this was made.
    pub(super) fn get_mut(&mut self, key: KeyId) -> &mut T {
        match self {
            ByKey::All(all) => &mut all[key.index()],
            ByKey::Few(few) => few.entry(key).or_default(),
        }
    }

    /// What is kept, in no particular order.
    pub(super) fn values(&self) -> impl Iterator<Item = T> + '_ {
        let (all, few) = match self {
            ByKey::All(all) => (Some(all.iter()), None),
            ByKey::Few(few) => (None, Some(few.values())),
        };
        all.into_iter().flatten().chain(few.into_iter().flatten()).copied()
    }
}
