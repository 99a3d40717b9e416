//! Settings by contexts: each different answer of a setting once, and where it holds.

use crate::answers::{Answers, ExpansionLimits, Outside};
use crate::contexts::survey::{ContextSet, Sight, Survey};
use crate::explanation::{Explanation, Status};
use crate::model::key::KeyId;
use hashbrown::{DefaultHashBuilder, HashMap, HashTable};
use std::hash::{BuildHasher as _, Hash};
use std::sync::Arc;

/// A setting in many contexts.
#[derive(Clone, Debug)]
pub struct GridRow<C> {
    /// The setting.
    pub key: KeyId,
    /// Its different answers, in the order of the first context that has each; it is absent where
    /// none of them holds.
    pub cells: Vec<C>,
    /// The number of a cell, and contexts in which it holds.
    groups: Vec<(u32, Arc<ContextSet>)>,
}

impl<C> GridRow<C> {
    /// For each of `count` contexts the number of its cell; none where the setting is absent.
    pub fn at(&self, count: usize) -> Vec<Option<u32>> {
        let mut at = vec![None; count];
        for (cell, group) in &self.groups {
            for context in group.iter() {
                if let Some(slot) = at.get_mut(context) {
                    *slot = Some(*cell);
                }
            }
        }
        at
    }
}

impl Survey {
    /// The rows of some settings, sorted by key. Each answer is described once for all contexts in which
    /// it is the same; answers that are described alike are one cell. Settings that are absent in every
    /// context are left out.
    pub fn grid<C: Eq + Hash + Send>(
        &self,
        wanted: &(dyn Fn(KeyId) -> bool + Sync),
        outside: &dyn Outside,
        limits: ExpansionLimits,
        describe: impl Fn(&Answers<'_>, &Explanation) -> C + Sync,
    ) -> Vec<GridRow<C>> {
        let mut rows: HashMap<KeyId, Vec<(C, Arc<ContextSet>)>> = HashMap::new();
        let look = |sight: Sight<'_>| {
            let mut said = Vec::with_capacity(sight.settings.len());
            for (key, group) in sight.settings.into_iter().filter(|(key, _)| wanted(*key)) {
                let answer = Explanation::of(&sight.answers, key);
                if answer.status != Status::Absent {
                    said.push((key, (describe(&sight.answers, &answer), group)));
                }
            }
            said
        };
        self.look(outside, limits, look, |said| {
            said.into_iter().for_each(|(key, said)| rows.entry(key).or_default().push(said));
        });
        let Some(keys) = self.keys() else { return Vec::new() };
        let sorted = keys.sorted(rows.keys().copied());
        let hasher = DefaultHashBuilder::default();
        let row = |key: KeyId| {
            let mut said = rows.remove(&key).unwrap_or_default();
            said.sort_by_key(|(_, group)| group.first());
            let mut cells: Vec<C> = Vec::new();
            let mut numbers: HashTable<u32> = HashTable::new();
            let groups = said.into_iter().map(|(cell, group)| {
                let hash = hasher.hash_one(&cell);
                let same = |number: &u32| cells[*number as usize] == cell;
                if let Some(number) = numbers.find(hash, same) {
                    return (*number, group);
                }
                let number = u32::try_from(cells.len()).unwrap_or(u32::MAX);
                cells.push(cell);
                numbers.insert_unique(hash, number, |at| hasher.hash_one(&cells[*at as usize]));
                (number, group)
            });
            let groups = groups.collect();
            GridRow { key, cells, groups }
        };
        sorted.into_iter().map(row).collect()
    }
}
