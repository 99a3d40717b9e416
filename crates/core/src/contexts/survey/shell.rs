//! Which sources have a say in a reference that is as a shell's: all that set a name that leads there.

use super::Survey;
use crate::model::key::KeyId;
use crate::model::reference::Target;
use crate::reading::Readings;
use hashbrown::{HashMap, HashSet};
use std::collections::BTreeSet;

/// The readings that set names, and the names that each leads to.
pub(super) struct ShellNames {
    /// By name: the readings that set it, and the names in what they set it to.
    by_name: HashMap<String, (BTreeSet<u32>, BTreeSet<String>)>,
    known: HashMap<String, (Vec<u32>, Vec<String>)>,
}

impl ShellNames {
    pub(super) fn of(survey: &Survey, first: &Readings) -> ShellNames {
        const DEPTH: usize = 256;
        let keys = &first.keys;
        let mut by_name: HashMap<String, (BTreeSet<u32>, BTreeSet<String>)> = HashMap::new();
        for (number, mentions) in survey.readings.iter().enumerate() {
            let reading = &mentions.reading;
            let layer = first.layer(reading.layer);
            if reading.is_removal {
                continue;
            }
            for (leaf_number, leaf) in reading.document.leaves.iter().enumerate() {
                if leaf.name == KeyId::ROOT {
                    continue;
                }
                let name = keys.segment(leaf.name);
                let entry = by_name.entry_ref(name).or_default();
                entry.0.insert(u32::try_from(number).unwrap_or(u32::MAX));
                if !layer.may_refer(&leaf.value) {
                    continue;
                }
                let leaf_number = u32::try_from(leaf_number).unwrap_or(u32::MAX);
                let rules = crate::answers::rules_of(reading, layer, leaf_number, DEPTH);
                for reference in crate::answers::all_references(&leaf.value, rules) {
                    if let Target::Shell(name) | Target::Name(name) | Target::Any(name) =
                        reference.target
                    {
                        entry.1.insert(name);
                    }
                }
            }
        }
        ShellNames { by_name, known: HashMap::new() }
    }

    /// The readings that have a say in what a name comes to, and all names on the way.
    pub(super) fn reach(&mut self, name: &str) -> &(Vec<u32>, Vec<String>) {
        if !self.known.contains_key(name) {
            let mut readings: BTreeSet<u32> = BTreeSet::new();
            let mut names: Vec<String> = vec![name.to_owned()];
            let mut seen: HashSet<String> = names.iter().cloned().collect();
            let mut at = 0;
            while let Some(name) = names.get(at).cloned() {
                at += 1;
                let Some((here, further)) = self.by_name.get(&name) else { continue };
                readings.extend(here);
                names.extend(further.iter().filter(|it| seen.insert((*it).clone())).cloned());
            }
            self.known.insert(name.to_owned(), (readings.into_iter().collect(), names));
        }
        &self.known[name]
    }
}
