//! Readings: what each source offers in a context, before precedence.

use crate::document::Section;
use crate::variable::Claim;
use crate::{
    Clash, Context, Document, KeyId, KeyPath, Keys, Known, Layer, LayerIndex, Naming, Span,
};
use hashbrown::{HashMap, HashSet};
use std::sync::Arc;

#[cfg(test)]
mod tests;

/// One value that a source offers for one setting.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Offer {
    /// The setting.
    pub key: KeyId,
    /// The leaf of the source's document that says it.
    pub leaf: u32,
}

/// What one source offers, later offers stronger.
#[derive(Clone, Debug)]
pub struct Reading {
    /// The layer that reads the source.
    pub layer: LayerIndex,
    /// The name of the source: a path relative to the project's folder, `process` or `arguments`.
    pub source: Arc<str>,
    /// What the source says.
    pub document: Arc<Document>,
    /// Whether its texts carry no type of their own (env files, the process, the arguments), so
    /// that they take that of a weaker candidate.
    pub untyped: bool,
    /// The offers, in the order in which they apply.
    pub offers: Vec<Offer>,
    /// Where names are variables: the names that are not the variable of any known setting, and may
    /// have been meant for one, each with a leaf that it says.
    pub strangers: Vec<Offer>,
}

/// Everything that was read for one context.
#[derive(Debug)]
pub struct Readings {
    /// All keys; shared with what was read for other contexts.
    pub keys: Arc<Keys>,
    /// Where the question is asked.
    pub context: Context,
    /// The layers, weakest first.
    pub layers: Vec<Layer>,
    /// What they read, weakest source first.
    pub readings: Vec<Reading>,
}

/// A variable whose name is nearly that of a setting, and that is not read for it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct NearName {
    /// The name as it stands.
    pub name: String,
    /// The name that would be read.
    pub meant: String,
    /// The source in which it stands.
    pub source: String,
    /// The line at which its value begins, if the source has lines.
    pub line: Option<usize>,
}

impl NearName {
    /// `source:line`, or only the source if it has no lines.
    pub fn place(&self) -> String {
        match self.line {
            Some(line) => format!("{}:{line}", self.source),
            None => self.source.clone(),
        }
    }
}

/// Why a document cannot be read as a layer asks.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum BadReading {
    /// The section is not there.
    NoSection,
    /// The section, or something above it, is a value and no table.
    NotATable(Option<Span>),
    /// A variable that two known settings share.
    Clash {
        /// Its name.
        variable: String,
        /// The settings.
        clash: Clash,
        /// Where it stands.
        at: Option<Span>,
    },
    /// A variable that is ours and is not UTF-8.
    NotText {
        /// Its name.
        variable: String,
    },
}

/// # Reading documents
impl Reading {
    /// Reads a document whose names are keys: those in `section`, or all.
    pub fn of_keys(
        keys: &mut Keys,
        layer: LayerIndex,
        source: &str,
        document: &Arc<Document>,
        section: Option<&KeyPath>,
    ) -> Result<Reading, BadReading> {
        let mut reading = Reading::empty(layer, source, document);
        let from = reading.enter(keys, section)?;
        reading.offers.reserve(document.leaves.len());
        for (index, leaf) in document.leaves.iter().enumerate() {
            if from == KeyId::ROOT || keys.is_within(leaf.name, from) {
                let key = keys.moved(leaf.name, from, KeyId::ROOT);
                reading.offers.push(Offer { key, leaf: narrow(index) });
            }
        }
        Ok(reading)
    }

    /// Reads a document whose names are variables. `never` are names that are no settings, such as
    /// those from which an axis is read.
    pub fn of_variables(
        keys: &mut Keys,
        layer: LayerIndex,
        source: &str,
        document: &Arc<Document>,
        section: Option<&KeyPath>,
        rules: &VariableRules<'_>,
    ) -> Result<Reading, BadReading> {
        let VariableRules { naming, known, never } = *rules;
        let mut reading = Reading::empty(layer, source, document);
        let from = reading.enter(keys, section)?;
        for variable in &document.unreadable {
            let claimed = naming.claim(keys, known, variable);
            if !never.contains(variable) && !matches!(claimed, Ok(None)) {
                return Err(BadReading::NotText { variable: variable.clone() });
            }
        }
        let mut own_names = vec![false; document.leaves.len()];
        for (index, leaf) in document.leaves.iter().enumerate() {
            if leaf.name == from || !keys.is_within(leaf.name, from) {
                continue;
            }
            let top = top_within(keys, leaf.name, from);
            let name = keys.segment(top).to_owned();
            if never.contains(&name) {
                continue;
            }
            let claimed = naming.claim(keys, known, &name).map_err(|clash| BadReading::Clash {
                variable: name.clone(),
                clash,
                at: leaf.at,
            })?;
            let is_known = claimed.is_some_and(|claim| claim.is_known);
            if !is_known && reading.strangers.last().is_none_or(|last| last.key != top) {
                reading.strangers.push(Offer { key: top, leaf: narrow(index) });
            }
            if let Some(Claim { key: base, is_own, .. }) = claimed {
                let key = keys.moved(leaf.name, top, base);
                if base == key && is_own {
                    own_names[index] = true;
                }
                reading.offers.push(Offer { key, leaf: narrow(index) });
            }
        }
        reading.settle_said_twice(|offer| own_names[offer.leaf as usize]);
        Ok(reading)
    }

    fn empty(layer: LayerIndex, source: &str, document: &Arc<Document>) -> Reading {
        Reading {
            layer,
            source: source.into(),
            document: Arc::clone(document),
            untyped: false,
            offers: Vec::new(),
            strangers: Vec::new(),
        }
    }

    fn enter(&self, keys: &mut Keys, section: Option<&KeyPath>) -> Result<KeyId, BadReading> {
        let Some(section) = section else {
            return Ok(KeyId::ROOT);
        };
        let section = keys.intern(KeyId::ROOT, section);
        match self.document.section(keys, section) {
            Section::Table => Ok(section),
            Section::Missing => Err(BadReading::NoSection),
            Section::NotATable(at) => Err(BadReading::NotATable(at)),
        }
    }

    /// Where two names of this source mean the same key, the setting's own variable wins, else the
    /// later one: the others are moved to stand right before it, so that it overrides them.
    fn settle_said_twice(&mut self, is_own: impl Fn(&Offer) -> bool) {
        let mut strongest: HashMap<KeyId, usize> = HashMap::with_capacity(self.offers.len());
        let mut twice = false;
        for (index, offer) in self.offers.iter().enumerate() {
            strongest
                .entry(offer.key)
                .and_modify(|best| {
                    twice = true;
                    if is_own(offer) || !is_own(&self.offers[*best]) {
                        *best = index;
                    }
                })
                .or_insert(index);
        }
        if !twice {
            return;
        }
        let mut order: Vec<usize> = (0..self.offers.len()).collect();
        let place = |index: usize| strongest.get(&self.offers[index].key).copied().unwrap_or(index);
        order.sort_by_key(|&index| (place(index), index == place(index)));
        self.offers = order.into_iter().map(|index| self.offers[index]).collect();
    }
}

/// What decides which setting a variable means.
#[derive(Clone, Copy, Debug)]
pub struct VariableRules<'a> {
    /// How names map to keys.
    pub naming: &'a Naming,
    /// The known settings, indexed under that naming.
    pub known: &'a Known,
    /// Names that are never settings.
    pub never: &'a HashSet<String>,
}

/// The first segment of `name` below `from`.
fn top_within(keys: &Keys, name: KeyId, from: KeyId) -> KeyId {
    let wanted = keys.depth(from) + 1;
    let mut at = name;
    while keys.depth(at) > wanted {
        at = keys.parent(at);
    }
    at
}

/// The number of leaves in a file is limited to five million unless the project raises it, and to
/// fewer than 2^32 in any case, as every leaf takes more than one of its bytes.
fn narrow(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}

/// # Questions
impl Reading {
    /// Whether the leaf is offered for the setting at `key`.
    fn offers(&self, leaf: u32, key: KeyId) -> bool {
        self.offers.contains(&Offer { key, leaf })
    }

    /// `source:line:column` of a leaf, or only the source if it has no lines.
    pub fn place(&self, leaf: u32) -> String {
        let at = self.document.leaves.get(leaf as usize).and_then(|leaf| leaf.at);
        match self.document.position(at) {
            Some(position) => format!("{}:{}:{}", self.source, position.line, position.column),
            None => self.source.to_string(),
        }
    }
}

impl Readings {
    /// The layer at `index`.
    pub fn layer(&self, index: LayerIndex) -> &Layer {
        &self.layers[index.0]
    }

    /// The variable names, among those that no known setting has, that are near misses of the
    /// variable of `key`, which is `meant`, in the readings of `layer`, and are not read for it.
    pub fn near_names(&self, layer: LayerIndex, key: KeyId, meant: &str) -> Vec<NearName> {
        let mut found = Vec::new();
        for reading in self.readings.iter().filter(|reading| reading.layer == layer) {
            for stranger in &reading.strangers {
                let name = self.keys.segment(stranger.key);
                if !crate::is_near(name, meant) || reading.offers(stranger.leaf, key) {
                    continue;
                }
                let leaf = &reading.document.leaves[stranger.leaf as usize];
                let position = reading.document.position(leaf.at);
                found.push(NearName {
                    name: name.to_owned(),
                    meant: meant.to_owned(),
                    source: reading.source.to_string(),
                    line: position.map(|position| position.line),
                });
            }
        }
        found
    }
}
