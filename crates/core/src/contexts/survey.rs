//! Surveys: the settings of a project in many contexts at once.
//!
//! What a setting comes to depends only on what is read that mentions it, or a key above or below it,
//! or what it refers to. Contexts in which all of that is the same form a group for the setting, and
//! it is looked at once in each group, in one of its contexts.

use crate::answers::Spent;
use crate::answers::{Answers, ExpansionLimits, Outside};
use crate::model::key::{KeyId, Keys};
use crate::model::layer::Presence;
use crate::model::secret::Secrets;
use crate::parallel;
use crate::precedence::resolution::PartOfSettings;
use crate::precedence::resolution::Resolution;
use crate::reading::{Offer, Reading, Readings};
use hashbrown::{HashMap, HashSet};
use std::sync::Arc;

mod alike;
mod contexts;
mod families;
mod shell;
mod targets;

pub use alike::Shared;
pub(crate) use alike::{Families, IsWanted};
pub use contexts::ContextSet;

/// A project in many contexts, whose readings share what is the same in them.
pub struct Survey {
    contexts: Vec<Arc<Readings>>,
    /// What is read in any of them, each once.
    readings: Vec<Mentions>,
    families: Vec<Family>,
    /// The number of the family that a key belongs to, by key.
    family_of: Vec<Option<u32>>,
    /// The numbers of the readings of each context, in their order there.
    read_in: Vec<Vec<u32>>,
    /// For each layer that could not be asked in some context: its number, and where.
    unasked: Vec<(usize, ContextSet)>,
    secrets: Secrets,
    settings: Vec<KeyId>,
    at_once: usize,
    /// What references put together in all contexts.
    spent: Spent,
}

impl std::fmt::Debug for Survey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Survey").field("contexts", &self.contexts.len()).finish_non_exhaustive()
    }
}

/// A reading, where it is read, and which of its offers are about which family.
struct Mentions {
    reading: Arc<Reading>,
    contexts: ContextSet,
    /// The family of each offer, and the offer's number, in the order of families.
    offers: Vec<(u32, u32)>,
}

impl Mentions {
    /// The numbers of the offers that are about a family.
    fn offers_of(&self, family: u32) -> impl Iterator<Item = u32> + '_ {
        let start = self.offers.partition_point(|(other, _)| *other < family);
        let offers = self.offers[start..].iter();
        offers.take_while(move |(other, _)| *other == family).map(|(_, at)| *at)
    }
}

/// Settings that are above or below each other, and so have an effect on each other: mostly one.
#[derive(Default)]
struct Family {
    keys: Vec<KeyId>,
    /// The readings that mention them, ascending.
    readings: Vec<u32>,
    /// The families that their texts refer to.
    refers: Vec<u32>,
    /// Whether their texts refer to other contexts, so that nothing can be known of a group.
    looks_elsewhere: bool,
    /// Whether their texts may refer to process variables or files.
    asks_outside: bool,
}

/// Settings in a context, each with the contexts in which it is just the same.
#[derive(Debug)]
pub struct Sight<'o> {
    /// The number of the context that was looked into.
    pub context: usize,
    /// What the settings come to there. Only for those that are listed, and what they refer to.
    pub answers: Answers<'o>,
    /// The settings that are looked at here, and where they are the same.
    pub settings: Vec<(KeyId, Arc<ContextSet>)>,
}

/// A family, and a group of contexts in which it is just the same.
type Looked = (u32, Arc<ContextSet>);

/// How many families of settings one thread looks at before it takes others: few enough that all have
/// something to do, and so many that what each has to set up does not count.
const AT_ONCE: usize = 1_000;

/// # Making one
impl Survey {
    /// Finds out which settings have an effect on each other, and what mentions them.
    pub fn of(contexts: Vec<Arc<Readings>>) -> Survey {
        let (readings, read_in) = distinct(&contexts);
        let mut survey = Survey {
            contexts,
            readings,
            families: Vec::new(),
            family_of: Vec::new(),
            read_in,
            unasked: Vec::new(),
            secrets: Secrets::default(),
            settings: Vec::new(),
            at_once: AT_ONCE,
            spent: Spent::default(),
        };
        let Some(first) = survey.contexts.first().cloned() else { return survey };
        survey.unasked = unasked(&survey.contexts);
        survey.find_families(&first);
        survey.note_mentions(&first);
        survey.note_references(&first);
        survey.secrets = Secrets::of(&first.keys, &survey.settings, &first.catalogue);
        survey
    }

    /// Gives a thread so many families of settings at once; what comes out is the same.
    #[must_use]
    pub fn in_parts_of(self, families: usize) -> Survey {
        Survey { at_once: families.max(1), ..self }
    }
}

/// What is read in any context, each once, and the numbers of what is read in each of them.
fn distinct(contexts: &[Arc<Readings>]) -> (Vec<Mentions>, Vec<Vec<u32>>) {
    let mut numbers: HashMap<*const Reading, u32> = HashMap::new();
    let mut readings: Vec<Mentions> = Vec::new();
    let mut read_in = Vec::with_capacity(contexts.len());
    for (context, read) in contexts.iter().enumerate() {
        let mut here = Vec::with_capacity(read.readings.len());
        for reading in &read.readings {
            let number = *numbers.entry(Arc::as_ptr(reading)).or_insert_with(|| {
                readings.push(Mentions {
                    reading: Arc::clone(reading),
                    contexts: ContextSet::none(contexts.len()),
                    offers: Vec::new(),
                });
                narrow(readings.len() - 1)
            });
            readings[number as usize].contexts.insert(context);
            here.push(number);
        }
        read_in.push(here);
    }
    (readings, read_in)
}

/// Where each layer could not be asked, for those that could not be asked somewhere.
fn unasked(contexts: &[Arc<Readings>]) -> Vec<(usize, ContextSet)> {
    let layers = contexts.first().map_or(0, |first| first.layers.len());
    let of_layer = |layer: usize| {
        let mut unasked = ContextSet::none(contexts.len());
        let is_unasked =
            |read: &Readings| matches!(read.layers[layer].presence, Presence::Unavailable(_));
        let numbers = contexts.iter().enumerate().filter(|(_, read)| is_unasked(read));
        numbers.for_each(|(number, _)| unasked.insert(number));
        (layer, unasked)
    };
    (0..layers).map(of_layer).filter(|(_, unasked)| !unasked.is_empty()).collect()
}

/// Readings and families are fewer than leaves, which are fewer than 2^32.
fn narrow(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}

/// # Looking
impl Survey {
    /// What was read in each context.
    pub fn contexts(&self) -> &[Arc<Readings>] {
        &self.contexts
    }

    /// The settings that there are in any context: each key of the catalogue or of any offer.
    pub fn settings(&self) -> &[KeyId] {
        &self.settings
    }

    /// Whether the key is a setting in any context.
    pub fn is_setting(&self, key: KeyId) -> bool {
        self.family_of.get(key.index()).copied().flatten().is_some()
    }

    /// What is read in any context, each once, with where it is read.
    pub fn readings(&self) -> impl Iterator<Item = (&Arc<Reading>, &ContextSet)> {
        self.readings.iter().map(|mentions| (&mentions.reading, &mentions.contexts))
    }

    /// Whether there are settings below this one.
    pub fn is_above_others(&self, key: KeyId) -> bool {
        self.keys().is_some_and(|keys| keys.below(key).any(|key| self.is_setting(key)))
    }

    /// Where a setting is declared, or else the first place that sets it.
    pub fn known_at(&self, key: KeyId) -> Option<crate::model::place::Place> {
        let first = self.contexts.first()?;
        if let Some(declared) = first.catalogue.declared(key) {
            return first.declared_at(declared);
        }
        let family = self.family_of.get(key.index()).copied().flatten()?;
        let readings = &self.families[family as usize].readings;
        readings.iter().find_map(|number| {
            let reading = &self.readings[*number as usize].reading;
            let offer = reading.offers.iter().find(|offer| offer.key == key)?;
            Some(reading.place(offer.leaf))
        })
    }

    /// The settings to which others refer.
    pub fn referred(&self) -> HashSet<KeyId> {
        let families = self.families.iter().flat_map(|family| &family.refers);
        families.flat_map(|family| self.families[*family as usize].keys.iter().copied()).collect()
    }

    /// All keys; none if there is no context.
    pub fn keys(&self) -> Option<&Keys> {
        self.contexts.first().map(|readings| &*readings.keys)
    }

    /// The segments of a key.
    pub(crate) fn segments(&self, key: KeyId) -> Vec<&str> {
        self.keys().map(|keys| keys.segments(key)).unwrap_or_default()
    }

    /// The settings that are secret in any context.
    pub fn secrets(&self) -> &Secrets {
        &self.secrets
    }

    /// Looks at every setting once in each group of contexts in which it is the same, on all
    /// processors. What `look` makes of each sight is handed to `take`, always in the same order.
    pub fn look<'o, R: Send>(
        &self,
        outside: &'o dyn Outside,
        limits: ExpansionLimits,
        look: impl Fn(Sight<'o>) -> R + Sync,
        take: impl FnMut(R),
    ) {
        self.look_besides(&Families::none(), (outside, limits), look, take);
    }

    /// The same without the settings of some families.
    pub(crate) fn look_besides<'o, R: Send>(
        &self,
        besides: &Families,
        (outside, limits): (&'o dyn Outside, ExpansionLimits),
        look: impl Fn(Sight<'o>) -> R + Sync,
        take: impl FnMut(R),
    ) {
        let mut wanted: Vec<Vec<Looked>> = vec![Vec::new(); self.contexts.len()];
        let mut known: HashMap<Vec<u32>, Arc<[Arc<ContextSet>]>> = HashMap::new();
        for family in (0..self.families.len()).filter(|family| !besides.has(*family)) {
            for group in self.groups(&[narrow(family)], &mut known).iter() {
                if let Some(first) = group.first() {
                    wanted[first].push((narrow(family), Arc::clone(group)));
                }
            }
        }
        let sight = |(context, wanted): (usize, &[Looked])| {
            let families: Vec<u32> = wanted.iter().map(|(family, _)| *family).collect();
            let answers = self.answers(context, &families, outside, limits);
            let settings: Vec<(KeyId, Arc<ContextSet>)> = wanted
                .iter()
                .flat_map(|(family, group)| {
                    let keys = &self.families[*family as usize].keys;
                    keys.iter().map(|key| (*key, Arc::clone(group)))
                })
                .filter(|(key, _)| answers.resolution().is_setting(*key))
                .collect();
            look(Sight { context, answers, settings })
        };
        // What refers to others is looked at together, as it may refer to all others; and first, as it
        // takes longest.
        let refers = |(family, _): &Looked| {
            let family = &self.families[*family as usize];
            family.looks_elsewhere || !family.refers.is_empty()
        };
        let mut parts: Vec<(usize, &[Looked])> = Vec::new();
        let mut plain_parts: Vec<(usize, &[Looked])> = Vec::new();
        for (context, wanted) in wanted.iter_mut().enumerate() {
            wanted.sort_by_key(refers);
            let (plain, referring) = wanted.split_at(wanted.partition_point(|it| !refers(it)));
            plain_parts.extend(plain.chunks(self.at_once).map(|part| (context, part)));
            parts.extend((!referring.is_empty()).then_some((context, referring)));
        }
        parts.extend(plain_parts);
        let much = parts.iter().map(|(_, part)| part.len()).sum::<usize>();
        parallel::in_order(parts, much >= self.at_once, sight, take);
    }

    /// Looks at several settings together, once in each group of contexts in which all of them are
    /// the same. `keys` may be branches, which mean what is below them.
    pub fn look_together(
        &self,
        keys: &[KeyId],
        outside: &dyn Outside,
        limits: ExpansionLimits,
        mut look: impl FnMut(&Answers<'_>, &ContextSet),
    ) {
        let Some(first) = self.contexts.first() else { return };
        let around = |key: &KeyId| {
            let above = first.keys.above(*key);
            [*key].into_iter().chain(above).chain(first.keys.below(*key)).collect::<Vec<_>>()
        };
        let mut families: Vec<u32> = keys
            .iter()
            .flat_map(around)
            .filter_map(|key| self.family_of.get(key.index()).copied().flatten())
            .collect();
        families.sort_unstable();
        families.dedup();
        for group in self.groups(&families, &mut HashMap::new()).iter() {
            if let Some(context) = group.first() {
                look(&self.answers(context, &families, outside, limits), group);
            }
        }
    }

    /// The groups of contexts in which all that has an effect on the families is the same.
    fn groups(
        &self,
        families: &[u32],
        known: &mut HashMap<Vec<u32>, Arc<[Arc<ContextSet>]>>,
    ) -> Arc<[Arc<ContextSet>]> {
        let all = self.with_references(families);
        let count = self.contexts.len();
        let families = all.iter().map(|family| &self.families[*family as usize]);
        if families.clone().any(|family| family.looks_elsewhere) {
            return (0..count).map(|at| Arc::new(ContextSet::one(count, at))).collect();
        }
        let mut readings: Vec<u32> = families.flat_map(|it| it.readings.iter().copied()).collect();
        readings.sort_unstable();
        readings.dedup();
        if let Some(known) = known.get(&readings) {
            return Arc::clone(known);
        }
        let mut groups = vec![ContextSet::all(count)];
        let read = readings.iter().map(|reading| &self.readings[*reading as usize].contexts);
        // What a layer could say that was not asked may change any setting.
        for contexts in read.chain(self.unasked.iter().map(|(_, contexts)| contexts)) {
            let split: Vec<ContextSet> =
                groups.iter_mut().filter_map(|group| group.split_off(contexts)).collect();
            groups.extend(split);
        }
        let groups: Arc<[Arc<ContextSet>]> = groups.into_iter().map(Arc::new).collect();
        known.insert(readings, Arc::clone(&groups));
        groups
    }

    /// The families and all that they refer to.
    fn with_references(&self, families: &[u32]) -> Vec<u32> {
        let mut all = families.to_vec();
        if families.iter().all(|family| self.families[*family as usize].refers.is_empty()) {
            return all;
        }
        let mut seen: HashSet<u32> = all.iter().copied().collect();
        let mut at = 0;
        while let Some(family) = all.get(at).copied() {
            at += 1;
            let refers = &self.families[family as usize].refers;
            all.extend(refers.iter().copied().filter(|other| seen.insert(*other)));
        }
        all
    }

    /// What the settings of some families come to in a context.
    fn answers<'o>(
        &self,
        context: usize,
        families: &[u32],
        outside: &'o dyn Outside,
        limits: ExpansionLimits,
    ) -> Answers<'o> {
        let mut families = self.with_references(families);
        families.sort_unstable();
        let read_in = &self.read_in[context];
        let offers = |number: usize| -> Vec<Offer> {
            let mentions = &self.readings[read_in[number] as usize];
            let all = &mentions.reading.offers;
            let mut chosen: Vec<u32> = Vec::new();
            if families.len() * 8 > mentions.offers.len() {
                let is_wanted = |family: &u32| families.binary_search(family).is_ok();
                chosen.extend(
                    mentions
                        .offers
                        .iter()
                        .filter(|(family, _)| is_wanted(family))
                        .map(|(_, at)| *at),
                );
            } else {
                chosen.extend(families.iter().flat_map(|family| mentions.offers_of(*family)));
            }
            chosen.sort_unstable();
            chosen.into_iter().filter_map(|at| all.get(at as usize).copied()).collect()
        };
        let readings = Arc::clone(&self.contexts[context]);
        let keys = families.iter().flat_map(|family| &self.families[*family as usize].keys);
        let are_few = keys.clone().count() * 8 < readings.keys.count();
        let declared = keys.copied().filter(|key| readings.catalogue.declared(*key).is_some());
        let part = PartOfSettings {
            offers: &offers,
            declared: declared.collect(),
            are_few,
            secrets: self.secrets.clone(),
        };
        let resolution = Resolution::of_part(readings, Some(part));
        Answers::new(resolution, outside, limits).sharing(&self.spent)
    }
}
