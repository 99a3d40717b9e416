//! Settings by contexts: each different answer of a setting once, and where it holds.

use crate::{Answers, ContextSet, ExpansionLimits, Explanation, KeyId, Outside, Status, Survey};
use hashbrown::HashMap;
use std::hash::Hash;
use std::rc::Rc;

/// A setting in many contexts.
#[derive(Clone, Debug)]
pub struct GridRow<C> {
    /// The setting.
    pub key: KeyId,
    /// Its different answers, in the order of the first context that has each; it is absent where
    /// none of them holds.
    pub cells: Vec<C>,
    /// The number of a cell, and contexts in which it holds.
    groups: Vec<(u32, Rc<ContextSet>)>,
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
    pub fn grid<C: Clone + Eq + Hash>(
        &self,
        wanted: &dyn Fn(KeyId) -> bool,
        outside: &dyn Outside,
        limits: ExpansionLimits,
        mut describe: impl FnMut(&Answers<'_>, &Explanation) -> C,
    ) -> Vec<GridRow<C>> {
        let mut rows: HashMap<KeyId, Vec<(C, Rc<ContextSet>)>> = HashMap::new();
        self.look(outside, limits, |sight| {
            for (key, group) in sight.settings.iter().filter(|(key, _)| wanted(*key)) {
                let answer = Explanation::of(sight.answers, *key);
                if answer.status != Status::Absent {
                    let cell = describe(sight.answers, &answer);
                    rows.entry(*key).or_default().push((cell, Rc::clone(group)));
                }
            }
        });
        let Some(keys) = self.keys() else { return Vec::new() };
        let sorted = keys.sorted(rows.keys().copied());
        let row = |key: KeyId| {
            let mut said = rows.remove(&key).unwrap_or_default();
            said.sort_by_key(|(_, group)| group.first());
            let mut cells: Vec<C> = Vec::new();
            let mut numbers: HashMap<C, u32> = HashMap::new();
            let groups = said.into_iter().map(|(cell, group)| {
                let number = *numbers.entry(cell).or_insert_with_key(|cell| {
                    cells.push(cell.clone());
                    u32::try_from(cells.len() - 1).unwrap_or(u32::MAX)
                });
                (number, group)
            });
            let groups = groups.collect();
            GridRow { key, cells, groups }
        };
        sorted.into_iter().map(row).collect()
    }
}
