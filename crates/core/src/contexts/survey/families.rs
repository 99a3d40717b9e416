//! Which settings have an effect on each other.

use super::shell::ShellNames;
use super::targets::Targets;
use super::{ContextSet, Family, Survey, narrow};
use crate::model::catalogue::Former;
use crate::model::key::{KeyId, KeyPath, Keys};
use crate::model::layer::{Layer, Names};
use crate::model::reference::Target;
use crate::reading::Readings;
use hashbrown::HashMap;

impl Survey {
    pub(super) fn find_families(&mut self, first: &Readings) {
        let keys = &first.keys;
        let mut in_use = vec![false; keys.count()];
        let mut settings = Vec::new();
        let offered = self.readings.iter().flat_map(|it| it.reading.offers.iter().map(|it| it.key));
        for key in offered.chain(first.catalogue.settings().map(|(key, _)| key)) {
            if !std::mem::replace(&mut in_use[key.index()], true) {
                settings.push(key);
            }
        }
        let mut by_top: HashMap<KeyId, u32> = HashMap::new();
        self.family_of = vec![None; keys.count()];
        for key in &settings {
            let top = top_of(keys, &in_use, *key);
            let number = *by_top.entry(top).or_insert_with(|| {
                self.families.push(Family::default());
                narrow(self.families.len() - 1)
            });
            self.families[number as usize].keys.push(*key);
            self.family_of[key.index()] = Some(number);
        }
        self.settings = settings;
    }

    pub(super) fn note_mentions(&mut self, first: &Readings) {
        for (number, mentions) in self.readings.iter_mut().enumerate() {
            let number = narrow(number);
            for (at, offer) in mentions.reading.offers.iter().enumerate() {
                let Some(family) = self.family_of[offer.key.index()] else { continue };
                mentions.offers.push((family, narrow(at)));
            }
            if mentions.reading.is_removal {
                let removes = &first.layer(mentions.reading.layer).removes;
                for (family, of) in self.families.iter().enumerate() {
                    let mut keys = of
                        .keys
                        .iter()
                        .flat_map(|key| [*key].into_iter().chain(first.keys.above(*key)));
                    let is_meant = keys.any(|key| {
                        removes.iter().any(|removal| removal.pattern.matches(&first.keys, key))
                    });
                    if is_meant {
                        mentions.offers.push((narrow(family), 0));
                    }
                }
            }
            mentions.offers.sort_unstable();
            let mut last = None;
            for (family, _) in &mentions.offers {
                if last.replace(*family) != Some(*family) {
                    self.families[*family as usize].readings.push(number);
                }
            }
        }
    }

    pub(super) fn note_references(&mut self, first: &Readings) {
        const DEPTH: usize = 256;
        let mut targets = Targets { survey: self, first, known: HashMap::new(), names: None };
        let mut by_variable: Option<HashMap<String, Vec<u32>>> = None;
        let mut shell: Option<ShellNames> = None;
        let mut more: Vec<(u32, Vec<u32>)> = Vec::new();
        let mut found: Vec<(u32, Vec<u32>, bool, bool)> = Vec::new();
        for mentions in &self.readings {
            let reading = &mentions.reading;
            let layer = first.layer(reading.layer);
            if !layer.references || reading.is_removal {
                continue;
            }
            for offer in &reading.offers {
                let value = &reading.document.leaves[offer.leaf as usize].value;
                if !layer.may_refer(value) {
                    continue;
                }
                let Some(family) = self.family_of[offer.key.index()] else { continue };
                let rules = crate::answers::rules_of(reading, layer, offer.leaf, DEPTH);
                let all = crate::answers::all_references(value, rules);
                for reference in all {
                    let elsewhere = !reference.changes.is_empty();
                    let mut by_name = |name: &str| {
                        let by = by_variable.get_or_insert_with(|| self.by_variable(first));
                        by.get(name).cloned().unwrap_or_default()
                    };
                    let by_key = |name: &str| {
                        KeyPath::from_segments(name.split('.').map(str::to_owned).collect())
                    };
                    let to = match &reference.target {
                        Target::Key(path) => targets.families(path),
                        Target::Name(name) => by_name(name),
                        Target::Any(name) => {
                            let mut to = by_name(name);
                            to.extend(by_key(name).iter().flat_map(|path| targets.families(path)));
                            to
                        }
                        Target::Beside(_) => {
                            let above = first.keys.parent(offer.key);
                            let beside = first.keys.children(above);
                            beside.filter_map(|key| self.family_of[key.index()]).collect()
                        }
                        Target::Shell(name) => {
                            let shell = shell.get_or_insert_with(|| ShellNames::of(self, first));
                            let (readings, names) = shell.reach(name);
                            more.push((family, readings.clone()));
                            names.iter().flat_map(|name| by_name(name)).collect()
                        }
                        Target::Variable(_) | Target::File(_) => Vec::new(),
                    };
                    let outside = !matches!(&reference.target, Target::Key(_) | Target::Beside(_));
                    found.push((family, to, elsewhere, outside));
                }
            }
        }
        for (family, readings) in more {
            let family = &mut self.families[family as usize];
            family.readings.extend(readings);
            family.readings.sort_unstable();
            family.readings.dedup();
        }
        for (family, to, elsewhere, outside) in found {
            let family = &mut self.families[family as usize];
            family.refers.extend(to);
            family.refers.sort_unstable();
            family.refers.dedup();
            family.looks_elsewhere |= elsewhere;
            family.asks_outside |= outside;
        }
    }

    /// Whether the key is a setting in every context.
    pub(super) fn is_everywhere(&self, first: &Readings, key: KeyId) -> bool {
        if first.catalogue.declared(key).is_some() {
            return true;
        }
        let Some(family) = self.family_of[key.index()] else { return false };
        let mut offered = ContextSet::none(self.contexts.len());
        for reading in &self.families[family as usize].readings {
            let mentions = &self.readings[*reading as usize];
            let mut offers = mentions.offers_of(family);
            if offers
                .any(|at| mentions.reading.offers.get(at as usize).is_some_and(|it| it.key == key))
            {
                offered.add(&mentions.contexts);
                if offered.len() == self.contexts.len() {
                    return true;
                }
            }
        }
        false
    }

    /// The families whose settings have a variable of that name.
    fn by_variable(&self, first: &Readings) -> HashMap<String, Vec<u32>> {
        let mut by: HashMap<String, Vec<u32>> = HashMap::new();
        for key in self.settings.iter() {
            let Some(family) = self.family_of[key.index()] else { continue };
            let declared = first.catalogue.declared(*key);
            let own = declared.and_then(|declared| declared.variable.clone());
            let names = || first.layers.iter().flat_map(Layer::all_names);
            let named = names().filter_map(|names| match names {
                Names::Variables(naming) => Some(naming.variable(&first.keys, *key)),
                Names::Keys => None,
            });
            let former = declared.into_iter().flat_map(|declared| &declared.formerly);
            let namings = || {
                names().filter_map(|names| match names {
                    Names::Variables(naming) => Some(naming),
                    Names::Keys => None,
                })
            };
            let former = former.flat_map(|former| match former {
                Former::Variable(name) => vec![name.clone()],
                Former::Key(path) => {
                    namings().map(|naming| naming.variable_of(path.segments())).collect()
                }
            });
            for name in own.into_iter().chain(named).chain(former) {
                let families = by.entry(name).or_default();
                if !families.contains(&family) {
                    families.push(family);
                }
            }
        }
        // What a source means by a name that is no setting's variable.
        for mentions in &self.readings {
            let reading = &mentions.reading;
            if first.layer(reading.layer).names == Names::Keys || reading.is_removal {
                continue;
            }
            for offer in &reading.offers {
                let Some(family) = self.family_of[offer.key.index()] else { continue };
                let mut name = reading.document.leaves[offer.leaf as usize].name;
                while first.keys.depth(name)
                    > 1 + reading.section.map_or(0, |it| first.keys.depth(it))
                {
                    name = first.keys.parent(name);
                }
                let families = by.entry(first.keys.segment(name).to_owned()).or_default();
                if !families.contains(&family) {
                    families.push(family);
                }
            }
        }
        by
    }
}

/// The topmost key above `key` that is in use, or the key itself.
fn top_of(keys: &Keys, in_use: &[bool], key: KeyId) -> KeyId {
    keys.above(key).filter(|above| in_use[above.index()]).last().unwrap_or(key)
}
