//! What references refer to.

use super::Survey;
use crate::model::key::{KeyId, KeyPath};
use crate::model::near::KnownNames;
use crate::reading::Readings;
use hashbrown::HashMap;

/// What references refer to.
pub(super) struct Targets<'s> {
    pub(super) survey: &'s Survey,
    pub(super) first: &'s Readings,
    /// Those that were found out before.
    pub(super) known: HashMap<KeyPath, Vec<u32>>,
    /// The names of all settings, once one is looked for that is not among them everywhere.
    pub(super) names: Option<KnownNames>,
}

impl Targets<'_> {
    /// The families that decide what a reference to `path` comes to. Where it comes to nothing, also those
    /// that may be reported as meant.
    pub(super) fn families(&mut self, path: &KeyPath) -> Vec<u32> {
        if let Some(known) = self.known.get(path) {
            return known.clone();
        }
        let (survey, first) = (self.survey, self.first);
        let key = first.keys.find(KeyId::ROOT, path);
        let successor = key.and_then(|key| first.catalogue.successor(key));
        let mut keys: Vec<KeyId> = Vec::new();
        if let Some(key) = key {
            keys.extend([key].into_iter().chain(successor).chain(first.keys.above(key)));
            keys.extend(first.keys.below(key));
        }
        let is_known =
            successor.is_some() || key.is_some_and(|key| survey.is_everywhere(first, key));
        if !is_known {
            let shown = || survey.settings.iter().map(|key| first.keys.show(*key)).collect();
            let meant = self.names.get_or_insert_with(shown).meant_by(&path.to_string());
            keys.extend(meant.into_iter().map(|(number, _)| survey.settings[number]));
        }
        let families: Vec<u32> =
            keys.into_iter().filter_map(|key| survey.family_of[key.index()]).collect();
        self.known.insert(path.clone(), families.clone());
        families
    }
}
