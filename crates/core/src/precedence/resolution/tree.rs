//! The leaves that take effect so far, and what is pinned.

use super::by_key::ByKey;
use crate::model::candidate::CandidateId;
use crate::model::key::{KeyId, Keys};

/// A tree of leaves in which it is known how many are below each key.
pub(super) struct Tree<'k> {
    keys: &'k Keys,
    leaves: ByKey<Option<CandidateId>>,
    below: ByKey<u32>,
    /// Only there once something is pinned.
    pins: Option<Pinned>,
}

/// What is pinned, by key.
struct Pinned {
    leaves: ByKey<bool>,
    /// The nulls whose absence is pinned.
    absences: ByKey<Option<CandidateId>>,
    /// How many pinned leaves and absences are below a key.
    below: ByKey<u32>,
}

impl Pinned {
    fn new(count: usize, are_few: bool) -> Pinned {
        Pinned {
            leaves: ByKey::new(count, are_few),
            absences: ByKey::new(count, are_few),
            below: ByKey::new(count, are_few),
        }
    }
}

impl<'k> Tree<'k> {
    /// Without a leaf; there will be few if `are_few`.
    pub(super) fn new(keys: &'k Keys, are_few: bool) -> Tree<'k> {
        let count = keys.count();
        let (leaves, below) = (ByKey::new(count, are_few), ByKey::new(count, are_few));
        Tree { keys, leaves, below, pins: None }
    }

    pub(super) fn into_leaves(self) -> ByKey<Option<CandidateId>> {
        self.leaves
    }

    pub(super) fn leaf(&self, key: KeyId) -> Option<CandidateId> {
        self.leaves.get(key)
    }

    pub(super) fn keys_of_leaves(&self) -> impl Iterator<Item = KeyId> + '_ {
        self.keys.all().filter(|key| self.leaf(*key).is_some())
    }

    pub(super) fn place(&mut self, key: KeyId, candidate: CandidateId) {
        *self.leaves.get_mut(key) = Some(candidate);
        for above in self.keys.above(key) {
            *self.below.get_mut(above) += 1;
        }
    }

    /// Puts a candidate in the place of the leaf at `key`, which it gives; does nothing if there is none.
    pub(super) fn replace(&mut self, key: KeyId, candidate: CandidateId) -> Option<CandidateId> {
        self.leaves.get_mut(key).as_mut().map(|leaf| std::mem::replace(leaf, candidate))
    }

    pub(super) fn take(&mut self, key: KeyId) -> Option<CandidateId> {
        let taken = std::mem::take(self.leaves.get_mut(key))?;
        for above in self.keys.above(key) {
            *self.below.get_mut(above) -= 1;
        }
        Some(taken)
    }

    /// Takes every leaf below `key`; visits no branch that has none.
    pub(super) fn take_below(&mut self, key: KeyId) -> Vec<CandidateId> {
        let mut taken = Vec::new();
        let mut branches = if self.below.get(key) > 0 { vec![key] } else { Vec::new() };
        while let Some(branch) = branches.pop() {
            let keys = self.keys;
            for child in keys.children(branch) {
                taken.extend(self.take(child));
                if self.below.get(child) > 0 {
                    branches.push(child);
                }
            }
        }
        taken
    }

    pub(super) fn take_above(&mut self, key: KeyId) -> Option<CandidateId> {
        let above = self.leaf_above(key)?;
        self.take(above)
    }

    fn leaf_above(&self, key: KeyId) -> Option<KeyId> {
        self.keys.above(key).find(|above| self.leaf(*above).is_some())
    }
}

/// # Pins
impl Tree<'_> {
    /// Pins the leaf at `key`.
    pub(super) fn pin(&mut self, key: KeyId) {
        let pins =
            self.pins.get_or_insert_with(|| Pinned::new(self.keys.count(), self.leaves.are_few()));
        if !pins.leaves.replace(key, true) {
            self.keys.above(key).for_each(|above| *pins.below.get_mut(above) += 1);
        }
    }

    /// Pins the absence that the null `null` left at `key`, unless its own layer ended it.
    pub(super) fn pin_absence(&mut self, key: KeyId, null: CandidateId) {
        // What is at the key or below it came after the null, which removed all that did.
        let is_ended = self.leaf(key).is_some()
            || self.below.get(key) > 0
            || self.leaf_above(key).and_then(|above| self.leaf(above)) > Some(null);
        if is_ended {
            return;
        }
        let pins =
            self.pins.get_or_insert_with(|| Pinned::new(self.keys.count(), self.leaves.are_few()));
        if pins.absences.replace(key, Some(null)).is_none() {
            self.keys.above(key).for_each(|above| *pins.below.get_mut(above) += 1);
        }
    }

    pub(super) fn is_pinned(&self, key: KeyId) -> bool {
        self.pins.as_ref().is_some_and(|pins| pins.leaves.get(key))
    }

    /// What keeps a candidate at `key` from changing anything: the pinned leaf that it would replace
    /// or remove, or the null whose pinned absence it would end. Of several the weakest.
    pub(super) fn blocks(&self, key: KeyId, is_null: bool) -> Option<CandidateId> {
        let pins = self.pins.as_ref()?;
        let mut found: Vec<CandidateId> = Vec::new();
        let mut look_at = |key: KeyId, with_leaf: bool| {
            if with_leaf && pins.leaves.get(key) {
                found.extend(self.leaf(key));
            }
            found.extend(pins.absences.get(key));
        };
        look_at(key, true);
        // A null leaves what is above it.
        self.keys.above(key).for_each(|above| look_at(above, !is_null));
        let mut branches = vec![key];
        while let Some(branch) = branches.pop() {
            if pins.below.get(branch) > 0 {
                for child in self.keys.children(branch) {
                    look_at(child, true);
                    branches.push(child);
                }
            }
        }
        found.into_iter().min()
    }
}
