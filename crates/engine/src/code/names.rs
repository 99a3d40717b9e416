//! The names by which code can mention settings.

use hashbrown::{HashMap, HashSet};
use justwhy_code::{Finder, Name, NameKind};
use justwhy_core::{Former, KeyId, Keys, Layer, Naming, Readings};
use std::sync::Arc;

/// What is looked for in source code: settings, and the keys above them.
#[derive(Debug)]
pub struct Names {
    /// The settings, by their numbers.
    pub settings: Vec<KeyId>,
    /// The keys above them; the first has the number after the last setting.
    pub parents: Vec<KeyId>,
    finder: Finder,
    known: HashSet<String>,
    /// The variable of each setting.
    own: Vec<String>,
}

/// Of what is no setting, but known: an axis, the token of a store.
pub(crate) const NO_SETTING: u32 = u32::MAX;

impl Names {
    /// Of these settings. With `all` the keys above them are looked for, too, and variables with the prefix that
    /// mean nothing.
    pub fn of(contexts: &[Arc<Readings>], settings: Vec<KeyId>, all: bool) -> Names {
        let mut names = Names {
            settings,
            parents: Vec::new(),
            finder: Finder::new(&[], "", false),
            known: HashSet::new(),
            own: Vec::new(),
        };
        let Some(first) = contexts.first() else { return names };
        let keys = &*first.keys;
        let namings = namings(first);
        let mut looked: Vec<Name> = Vec::new();
        for (number, key) in names.settings.iter().enumerate() {
            let id = u32::try_from(number).unwrap_or(NO_SETTING);
            let declared = first.catalogue.declared(*key);
            let before = looked.len();
            let mut variable = |text: String| {
                let kind = NameKind::Variable;
                looked.push(Name { text, kind, is_variable: true, id });
            };
            match declared.and_then(|declared| declared.variable.clone()) {
                Some(own) => variable(own),
                None => namings.iter().for_each(|naming| variable(naming.variable(keys, *key))),
            }
            let also = declared.iter().flat_map(|it| it.also.iter().chain(&it.formerly));
            let mut others: Vec<String> = Vec::new();
            for name in also {
                match name {
                    Former::Variable(name) => variable(name.clone()),
                    Former::Key(path) => {
                        let segments = || path.segments();
                        namings.iter().for_each(|naming| variable(naming.variable_of(segments())));
                        others.push(segments().collect::<Vec<_>>().join("."));
                    }
                }
            }
            names.own.push(looked.get(before).map(|name| name.text.clone()).unwrap_or_default());
            others.push(dotted(keys, *key));
            let kind = NameKind::Key;
            let key = |text| Name { text, kind, is_variable: false, id };
            looked.extend(others.into_iter().map(key));
        }
        if all {
            names.add_parents(keys, &namings, &mut looked);
            for name in first.inputs.never.iter() {
                let (text, kind) = (name.clone(), NameKind::Variable);
                looked.push(Name { text, kind, is_variable: true, id: NO_SETTING });
            }
        }
        let prefix = match all {
            true => namings.first().map_or("", |naming| naming.prefix.as_str()),
            false => "",
        };
        names.finder = Finder::new(&looked, prefix, keys.is_loose());
        let variables = looked.into_iter().filter(|name| name.is_variable);
        names.known = variables.map(|name| name.text).collect();
        names
    }

    fn add_parents(&mut self, keys: &Keys, namings: &[Naming], looked: &mut Vec<Name>) {
        let settings: HashSet<KeyId> = self.settings.iter().copied().collect();
        let mut parents: HashSet<KeyId> = HashSet::new();
        for key in &self.settings {
            parents.extend(keys.above(*key).filter(|above| !settings.contains(above)));
        }
        self.parents = keys.sorted(parents);
        for (number, key) in self.parents.iter().enumerate() {
            let id = u32::try_from(self.settings.len() + number).unwrap_or(NO_SETTING);
            let kind = NameKind::Parent;
            looked.push(Name { text: dotted(keys, *key), kind, is_variable: false, id });
            let variables = namings.iter().map(|naming| naming.variable(keys, *key));
            looked.extend(variables.map(|text| Name { text, kind, is_variable: true, id }));
        }
    }

    pub(crate) fn finder(&self) -> &Finder {
        &self.finder
    }

    /// The variables of settings.
    pub(crate) fn variables(&self) -> impl Iterator<Item = &str> {
        self.known.iter().map(String::as_str)
    }

    /// The variable of the setting of a number.
    pub(crate) fn variable(&self, id: u32) -> Option<&str> {
        self.own.get(id as usize).map(String::as_str)
    }

    /// The setting of a number.
    pub fn setting(&self, id: u32) -> Option<KeyId> {
        self.settings.get(id as usize).copied()
    }

    /// The numbers of the keys above settings, by these.
    pub(crate) fn numbers(&self) -> HashMap<KeyId, u32> {
        let all = self.settings.iter().chain(&self.parents).enumerate();
        all.map(|(number, key)| (*key, u32::try_from(number).unwrap_or(NO_SETTING))).collect()
    }
}

/// A key as code has it: its segments with dots between them, without quotes.
fn dotted(keys: &Keys, key: KeyId) -> String {
    keys.segments(key).join(".")
}

/// Every way in which variables are named: the project's own first.
fn namings(first: &Readings) -> Vec<Naming> {
    let mut namings: Vec<Naming> = Vec::new();
    let of_layers =
        first.layers.iter().flat_map(Layer::all_names).filter_map(|names| match names {
            justwhy_core::Names::Variables(naming) => Some(naming),
            justwhy_core::Names::Keys => None,
        });
    for naming in first.inputs.naming.iter().chain(of_layers) {
        let is_same = |it: &Naming| it.prefix == naming.prefix && it.nest == naming.nest;
        if !namings.iter().any(is_same) {
            namings.push(naming.clone());
        }
    }
    namings
}
