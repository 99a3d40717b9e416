//! Readings: what each source offers in a context, before precedence.

use crate::model::catalogue::{Catalogue, Standing};
use crate::model::document::Section;
use crate::model::document::{Document, Leaf};
use crate::model::key::{KeyId, KeyPath, Keys};
use crate::model::layer::LayerIndex;
use crate::model::place::{Origin, Place, Span};
use crate::model::value::Value;
use crate::model::variable::{Claim, Claims, is_system_variable};
use crate::model::variable::{Clash, VariableRules};
use hashbrown::HashMap;
use maps::Nothing;
use std::sync::Arc;

mod assemble;
mod edit;
mod maps;
mod questions;
#[cfg(test)]
mod tests;

pub(crate) use assemble::segments_below;
pub use assemble::{Assembled, BadInput, Input, Inputs, Readings};
pub use edit::Edit;

/// One value that a source offers for one setting.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Offer {
    /// The setting.
    pub key: KeyId,
    /// The leaf of the source's document that has it.
    pub leaf: u32,
}

/// A setting that source code reads without a fallback.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Need {
    /// The setting.
    pub key: KeyId,
    /// The leaf of the source's document that has the place.
    pub leaf: u32,
    /// Whether the code fails without a value.
    pub fails: bool,
}

/// What one source offers, later offers stronger; or, if it is from no input, what a layer takes
/// away before it sets anything: a leaf for each pattern, no offers.
#[derive(Clone, Debug)]
pub struct Reading {
    /// The layer that reads the source.
    pub layer: LayerIndex,
    /// Where the source comes from.
    pub origin: Origin,
    /// What the source has.
    pub document: Arc<Document>,
    /// The section of it that is read, all without one.
    pub section: Option<KeyId>,
    /// Whether its texts carry no type of their own (env files, the process, the arguments), so
    /// that they take that of a weaker candidate.
    pub untyped: bool,
    /// The offers, in the order in which they apply.
    pub offers: Vec<Offer>,
    /// The leaves that were written under a former name of their setting, ascending.
    pub old_names: Vec<u32>,
    /// The leaves under names that another name of the same setting in this source beats, ascending:
    /// what they have does nothing at all. Each is offered right before the one that beats it.
    pub losers: Vec<u32>,
    /// Whether this is what a layer takes away, rather than what one of its sources has.
    pub is_removal: bool,
    /// What source code reads without a fallback.
    pub needs: Vec<Need>,
    /// Where names are variables: the names that are not the variable of any known setting, and may
    /// have been meant for one, each with a leaf that it has.
    pub strangers: Vec<Offer>,
    /// The leaves that are maps put together, each with the leaves of the source that it is made of.
    pub(crate) maps: Vec<(u32, Vec<u32>)>,
}

/// A variable whose name is nearly that of a setting, and that is not read for it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct NearName {
    /// The name as it is.
    pub name: String,
    /// The name that would be read.
    pub meant: String,
    /// The place of its value.
    pub place: Place,
    /// The number of its reading.
    pub reading: u32,
    /// The leaf that it has there.
    pub leaf: u32,
}

impl NearName {
    /// The line at which its value begins, if the source has lines.
    pub fn line(&self) -> Option<usize> {
        self.place.position().map(|position| position.line)
    }

    /// `source:line`, or only the source if it has no lines.
    pub fn show_line(&self) -> String {
        match self.line() {
            Some(line) => format!("{}:{line}", self.place.origin),
            None => self.place.origin.to_string(),
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
        /// Where it is.
        at: Option<Span>,
    },
    /// A variable that is ours and is not UTF-8.
    NotText {
        /// Its name.
        variable: String,
    },
}

/// What a source is read with.
#[derive(Clone, Copy, Debug)]
pub struct From<'a> {
    /// The layer.
    pub layer: LayerIndex,
    /// Where the source comes from.
    pub origin: &'a Origin,
    /// What it has.
    pub document: &'a Arc<Document>,
    /// The section to read, all without one.
    pub section: Option<&'a KeyPath>,
    /// What is put before every key.
    pub into: Option<&'a KeyPath>,
    /// Whether it may name a key twice, as arguments do.
    pub may_repeat: bool,
}

/// # Reading documents
impl Reading {
    /// Reads a document whose names are keys.
    pub fn of_keys(
        keys: &mut Keys,
        from: From<'_>,
        catalogue: &Catalogue,
    ) -> Result<Reading, BadReading> {
        let mut reading = Reading::empty(from.layer, from.origin, from.document);
        let section = reading.enter(keys, from.section)?;
        reading.section = from.section.is_some().then_some(section);
        let into = from.into.map_or(KeyId::ROOT, |into| keys.intern(KeyId::ROOT, into));
        reading.offers.reserve(from.document.leaves.len());
        let mut standings: Vec<Standing> = Vec::new();
        let ranks_all = catalogue.has_maps();
        for (index, leaf) in from.document.leaves.iter().enumerate() {
            if section == KeyId::ROOT || keys.is_within(leaf.name, section) {
                let key = keys.moved(leaf.name, section, into);
                let (key, standing) = meant(keys, catalogue, key);
                if !reading.need(key, index) {
                    reading.offer(key, index, standing, &mut standings);
                }
            }
        }
        if ranks_all {
            let document = from.document;
            let empty = document.empty_tables.iter().map(|(name, at)| (*name, true, *at));
            let left_out = document.left_out.iter().map(|(name, at)| (*name, false, *at));
            let mut nothings = Vec::new();
            for (name, is_table, at) in empty.chain(left_out) {
                if name != section && keys.is_within(name, section) {
                    let key = keys.moved(name, section, into);
                    let (key, standing) = meant(keys, catalogue, key);
                    let value = if is_table { Value::Map(Arc::new([])) } else { Value::Null };
                    nothings.push(Nothing { key, name, standing, value, at });
                }
            }
            reading.put_maps_together(
                keys,
                catalogue,
                &nothings,
                &mut standings,
                Standing::Current,
            );
        }
        reading.settle_said_twice(&standings, from.may_repeat);
        Ok(reading)
    }

    /// Reads a document whose names are variables.
    pub fn of_variables(
        keys: &mut Keys,
        from: From<'_>,
        rules: &VariableRules<'_>,
    ) -> Result<Reading, BadReading> {
        let VariableRules { naming, catalogue, never, .. } = *rules;
        let document = from.document;
        let mut reading = Reading::empty(from.layer, from.origin, document);
        let section = reading.enter(keys, from.section)?;
        reading.section = from.section.is_some().then_some(section);
        let into = from.into.map_or(KeyId::ROOT, |into| keys.intern(KeyId::ROOT, into));
        for variable in &document.unreadable {
            let claimed = naming.claim(keys, rules, variable);
            if !never.contains(variable) && !matches!(claimed, Ok(None)) {
                return Err(BadReading::NotText { variable: variable.clone() });
            }
        }
        let mut standings: Vec<Standing> = Vec::new();
        let mut name = String::new();
        for (index, leaf) in document.leaves.iter().enumerate() {
            if leaf.name == section || !keys.is_within(leaf.name, section) {
                continue;
            }
            let top = top_within(keys, leaf.name, section);
            name.clear();
            name.push_str(keys.segment(top));
            if never.contains(&name) {
                continue;
            }
            let claimed = naming.claim(keys, rules, &name).map_err(|clash| BadReading::Clash {
                variable: name.clone(),
                clash,
                at: leaf.at,
            })?;
            let is_known = claimed.is_some_and(|claim| claim.is_known)
                || naming.claims == Claims::Nothing
                || naming.claims != Claims::Every && is_system_variable(&name);
            if !is_known
                && !document.is_code
                && reading.strangers.last().is_none_or(|last| last.key != top)
            {
                reading.strangers.push(Offer { key: top, leaf: narrow(index) });
            }
            if let Some(Claim { key: base, standing, .. }) = claimed {
                let key = keys.moved(leaf.name, top, base);
                let standing = match standing {
                    Standing::Own if base != key => Standing::Current,
                    standing => standing,
                };
                let key = keys.moved(key, KeyId::ROOT, into);
                let key = catalogue.spelled(keys, key);
                if !reading.need(key, index) {
                    reading.offer(key, index, standing, &mut standings);
                }
            }
        }
        reading.put_maps_together(keys, catalogue, &[], &mut standings, Standing::Own);
        reading.settle_said_twice(&standings, true);
        Ok(reading)
    }

    pub(crate) fn empty(layer: LayerIndex, origin: &Origin, document: &Arc<Document>) -> Reading {
        Reading {
            layer,
            origin: origin.clone(),
            document: Arc::clone(document),
            section: None,
            untyped: false,
            offers: Vec::new(),
            old_names: Vec::new(),
            losers: Vec::new(),
            is_removal: false,
            needs: Vec::new(),
            strangers: Vec::new(),
            maps: Vec::new(),
        }
    }

    /// Notes a leaf that sets nothing; whether it is one.
    fn need(&mut self, key: KeyId, leaf: usize) -> bool {
        let Some(fails) = self.document.unset(leaf) else { return false };
        self.needs.push(Need { key, leaf: narrow(leaf), fails });
        true
    }

    fn offer(
        &mut self,
        key: KeyId,
        leaf: usize,
        standing: Standing,
        standings: &mut Vec<Standing>,
    ) {
        // Nearly every name is a current one, and nobody asks for their standings then.
        if standing != Standing::Current || !standings.is_empty() {
            standings.resize(self.offers.len(), Standing::Current);
            standings.push(standing);
        }
        if matches!(standing, Standing::Former(_)) {
            self.old_names.push(narrow(leaf));
        }
        self.offers.push(Offer { key, leaf: narrow(leaf) });
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

    /// Where two names of this source mean the same key, the better name wins, of equals the later
    /// one: the others are losers, and moved to be right before it. What a store keeps for others
    /// takes no part in that.
    ///
    /// Without standings every name is as good as another.
    fn settle_said_twice(&mut self, standings: &[Standing], can_be_twice: bool) {
        if standings.is_empty() && !can_be_twice {
            return;
        }
        let rank = |index: usize| standings.get(index).copied().unwrap_or(Standing::Current).rank();
        let mut strongest: HashMap<KeyId, usize> = HashMap::with_capacity(self.offers.len());
        let mut twice = false;
        let document = Arc::clone(&self.document);
        let counts = |offer: &Offer| {
            document.notes.is_empty()
                || document.note(offer.leaf).is_none_or(|note| note.withheld.is_none())
        };
        for (index, offer) in self.offers.iter().enumerate() {
            if !counts(offer) {
                continue;
            }
            strongest
                .entry(offer.key)
                .and_modify(|best| {
                    twice = true;
                    if rank(index) <= rank(*best) {
                        *best = index;
                    }
                })
                .or_insert(index);
        }
        if !twice {
            return;
        }
        let mut order: Vec<usize> = (0..self.offers.len()).collect();
        let place = |index: usize| match counts(&self.offers[index]) {
            true => strongest.get(&self.offers[index].key).copied().unwrap_or(index),
            false => index,
        };
        let lost = order.iter().filter(|index| place(**index) != **index);
        self.losers = lost.map(|index| self.offers[*index].leaf).collect();
        self.losers.sort_unstable();
        order.sort_by_key(|&index| (place(index), index == place(index)));
        self.offers = order.into_iter().map(|index| self.offers[index]).collect();
    }

    /// Whether another name of the same source beats the one under which the leaf is.
    pub(crate) fn is_loser(&self, leaf: u32) -> bool {
        !self.losers.is_empty() && self.losers.binary_search(&leaf).is_ok()
    }
}

/// The setting that a key means, and how well the name fits it.
fn meant(keys: &mut Keys, catalogue: &Catalogue, key: KeyId) -> (KeyId, Standing) {
    let spelled = catalogue.spelled(keys, key);
    match catalogue.renamed(keys, spelled) {
        Some(renamed) => renamed,
        None if spelled != key => (spelled, Standing::Loose),
        None => (key, Standing::Current),
    }
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
    /// Whether the leaf is written under a former name of its setting.
    pub fn is_old_name(&self, leaf: u32) -> bool {
        self.old_names.binary_search(&leaf).is_ok()
    }

    /// Whether another reading of the same document has the same.
    pub(crate) fn says_the_same(&self, other: &Reading) -> bool {
        self.origin == other.origin
            && self.offers == other.offers
            && self.strangers == other.strangers
            && self.needs == other.needs
            && self.old_names == other.old_names
            && self.losers == other.losers
            && self.maps == other.maps
    }

    /// Whether the leaf is offered for the setting at `key`.
    pub(crate) fn offers(&self, leaf: u32, key: KeyId) -> bool {
        self.offers.contains(&Offer { key, leaf })
    }

    /// The place of a leaf.
    pub fn place(&self, leaf: u32) -> Place {
        match self.document.leaves.get(leaf as usize) {
            Some(leaf) => self.place_of(leaf),
            None => Place::whole(self.origin.clone()),
        }
    }

    /// The place of one of its leaves.
    pub(crate) fn place_of(&self, leaf: &Leaf) -> Place {
        self.place_at(leaf.at).named(leaf.name_at)
    }

    /// The place of these bytes.
    pub fn place_at(&self, at: Option<Span>) -> Place {
        Place::in_text(self.origin.clone(), self.document.text.as_ref(), at)
    }
}
