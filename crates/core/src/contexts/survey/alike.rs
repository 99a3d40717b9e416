//! What two surveys that share documents read in the same way.

use super::{Family, Mentions, Sight, Survey, narrow};
use crate::answers::{ExpansionLimits, Outside};
use crate::explanation::{Explanation, Status};
use crate::model::document::Document;
use crate::model::key::KeyId;
use crate::model::layer::LayerIndex;
use crate::model::note::Note;
use crate::model::place::Origin;
use crate::model::value::{Type, Value};
use crate::reading::Reading;
use hashbrown::{HashMap, HashSet};
use std::sync::Arc;

/// Whether a setting, by its segments, is wanted.
pub(crate) type IsWanted<'w> = &'w (dyn Fn(&[&str]) -> bool + Sync);

/// Some of the families of a survey.
#[derive(Clone, Debug)]
pub(crate) struct Families(Vec<bool>);

impl Families {
    pub(crate) fn none() -> Families {
        Families(Vec::new())
    }

    pub(crate) fn has(&self, family: usize) -> bool {
        self.0.get(family).copied().unwrap_or_default()
    }
}

/// What two projects have in common, so that what they have in the same way need not be looked at.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Shared {
    /// Whether their keys are numbered alike, as what one of them read the other began with.
    pub keys: bool,
    /// Whether their layers and catalogues are the same.
    pub project: bool,
    /// Whether process variables and files that references name are.
    pub outside: bool,
    /// Whether what is in the place of something else may be left out where it has the same. Not where
    /// somebody could be guessing a secret: then it would show that she guessed right.
    pub contents: bool,
}

/// The numbers of the readings of a document by a layer.
type ByDocument = HashMap<(*const Document, LayerIndex), Vec<u32>>;

impl Survey {
    /// The families of settings that come to the same in both, by what is read: of each survey. What is
    /// read from the same document in the same way has the same.
    pub(crate) fn alike(before: &Survey, after: &Survey, shared: Shared) -> [Families; 2] {
        let nothing = [Families::none(), Families::none()];
        let is_same_place = before.contexts.len() == after.contexts.len()
            && before
                .contexts
                .iter()
                .zip(&after.contexts)
                .all(|(one, other)| one.context.is_same_place(&other.context));
        if !shared.keys || !shared.project || !is_same_place || before.unasked != after.unasked {
            return nothing;
        }
        let (same, replaced) = matched(before, after, shared);
        let counterparts: Vec<Option<u32>> =
            after.families.iter().map(|family| before.counterpart(family)).collect();
        let mut differs: Vec<bool> = after
            .families
            .iter()
            .zip(&counterparts)
            .map(|(family, other)| {
                let Some(other) = other.map(|other| &before.families[other as usize]) else {
                    return true;
                };
                let mapped = |numbers: &[u32], to: &[Option<u32>], there: &[u32]| {
                    let mut mapped: Vec<Option<u32>> =
                        numbers.iter().map(|number| to[*number as usize]).collect();
                    mapped.sort_unstable();
                    mapped.iter().copied().eq(there.iter().copied().map(Some))
                };
                family.looks_elsewhere
                    || other.looks_elsewhere
                    || family.asks_outside && !shared.outside
                    || !mapped(&family.readings, &same, &other.readings)
                    || !mapped(&family.refers, &counterparts, &other.refers)
            })
            .collect();
        for (here, there) in replaced {
            let both = (&before.readings[here as usize], &after.readings[there as usize]);
            mark_otherwise(both, &counterparts, &mut differs);
        }
        after.spread(&mut differs);
        let mut alike = [vec![false; before.families.len()], vec![false; after.families.len()]];
        for (number, other) in counterparts.iter().enumerate() {
            if let Some(other) = other.filter(|_| !differs[number]) {
                alike[0][other as usize] = true;
                alike[1][number] = true;
            }
        }
        alike.map(Families)
    }

    /// The number of the family with the same settings as one of another survey.
    fn counterpart(&self, family: &Family) -> Option<u32> {
        let number = self.family_of.get(family.keys.first()?.index()).copied().flatten()?;
        let other = &self.families[number as usize];
        let sorted = |keys: &[KeyId]| {
            let mut keys = keys.to_vec();
            keys.sort_unstable();
            keys
        };
        let is_same = other.keys == family.keys || sorted(&other.keys) == sorted(&family.keys);
        is_same.then_some(number)
    }

    fn by_source(&self) -> HashMap<(LayerIndex, &Origin), Vec<u32>> {
        let mut known: HashMap<(LayerIndex, &Origin), Vec<u32>> = HashMap::new();
        for (number, Mentions { reading, .. }) in self.readings.iter().enumerate() {
            known.entry((reading.layer, &reading.origin)).or_default().push(narrow(number));
        }
        known
    }

    fn by_document(&self) -> ByDocument {
        let mut known = ByDocument::new();
        for (number, Mentions { reading, .. }) in self.readings.iter().enumerate() {
            let by = (Arc::as_ptr(&reading.document), reading.layer);
            known.entry(by).or_default().push(narrow(number));
        }
        known
    }

    /// Marks what refers to a family that is marked, over however many others.
    fn spread(&self, marked: &mut [bool]) {
        let mut referred_by: HashMap<u32, Vec<u32>> = HashMap::new();
        for (number, family) in self.families.iter().enumerate() {
            for other in &family.refers {
                referred_by.entry(*other).or_default().push(narrow(number));
            }
        }
        let all = marked.iter().enumerate();
        let mut open: Vec<u32> =
            all.filter(|(_, marked)| **marked).map(|(number, _)| narrow(number)).collect();
        while let Some(family) = open.pop() {
            for other in referred_by.get(&family).into_iter().flatten() {
                if !std::mem::replace(&mut marked[*other as usize], true) {
                    open.push(*other);
                }
            }
        }
    }

    /// How many settings of some families are not absent in every context. Of most that shows without
    /// a look at their answers.
    pub(crate) fn count_present(
        &self,
        families: &Families,
        (outside, limits): (&dyn Outside, ExpansionLimits),
        wanted: Option<IsWanted<'_>>,
    ) -> usize {
        let is_wanted = |key: KeyId| wanted.is_none_or(|wanted| wanted(&self.segments(key)));
        let mut count = 0;
        let mut besides = vec![true; self.families.len()];
        for (number, family) in self.families.iter().enumerate() {
            match (families.has(number), family.keys.as_slice()) {
                (true, [key]) if self.is_surely_said(narrow(number)) => {
                    count += usize::from(is_wanted(*key));
                }
                (true, _) => besides[number] = false,
                (false, _) => {}
            }
        }
        let mut present: HashSet<KeyId> = HashSet::new();
        let look = |sight: Sight<'_>| -> Vec<KeyId> {
            let is_present = |key: &KeyId| {
                is_wanted(*key) && Explanation::of(&sight.answers, *key).status != Status::Absent
            };
            sight.settings.iter().map(|(key, _)| *key).filter(is_present).collect()
        };
        self.look_besides(&Families(besides), (outside, limits), look, |keys| {
            present.extend(keys);
        });
        count + present.len()
    }

    /// Whether all that is known of the one setting of a family is a value.
    fn is_surely_said(&self, family: u32) -> bool {
        let is_value = |reading: &Reading, at: u32| {
            let leaf = reading.offers.get(at as usize).map(|offer| offer.leaf);
            leaf.is_some_and(|leaf| {
                let value = &reading.document.leaves[leaf as usize].value;
                value.kind() != Type::Null
                    && !value.is_empty_text()
                    && reading.document.note(leaf).is_none()
            })
        };
        let readings = &self.families[family as usize].readings;
        !readings.is_empty()
            && readings.iter().all(|number| {
                let Mentions { reading, .. } = &self.readings[*number as usize];
                let mut offers = self.readings[*number as usize].offers_of(family);
                !reading.is_removal && offers.all(|at| is_value(reading, at))
            })
    }
}

/// For each reading of the second survey the same one of the first, or the one in whose place it is; and the
/// pairs that only are in the same place.
fn matched(before: &Survey, after: &Survey, shared: Shared) -> (Vec<Option<u32>>, Vec<(u32, u32)>) {
    let by_document = before.by_document();
    let by_source = before.by_source();
    let removals: Vec<u32> = (0..)
        .zip(&before.readings)
        .filter(|(_, here)| here.reading.is_removal)
        .map(|(number, _)| number)
        .collect();
    let mut replaced: Vec<(u32, u32)> = Vec::new();
    let mut find = |(number, there): (u32, &Mentions)| -> Option<u32> {
        let reading = &there.reading;
        let documents = by_document.get(&(Arc::as_ptr(&reading.document), reading.layer));
        let documents = documents.into_iter().flatten();
        let mut same = documents.chain(removals.iter().filter(|_| reading.is_removal));
        let is_same = |here: &&u32| is_read_alike(&before.readings[**here as usize], there);
        if let Some(same) = same.find(is_same) {
            return Some(*same);
        }
        let places =
            by_source.get(&(reading.layer, &reading.origin)).filter(|_| shared.contents)?;
        let is_its = |here: &&u32| is_in_same_place(&before.readings[**here as usize], there);
        let here = *places.iter().find(is_its)?;
        replaced.push((here, number));
        Some(here)
    };
    let same = (0..).zip(&after.readings).map(&mut find).collect();
    (same, replaced)
}

/// Whether two readings are of the same part of the same source, in the same contexts.
fn is_in_same_place(one: &Mentions, other: &Mentions) -> bool {
    let (here, there) = (&one.reading, &other.reading);
    here.layer == there.layer
        && here.is_removal == there.is_removal
        && here.section == there.section
        && here.untyped == there.untyped
        && one.contexts == other.contexts
}

/// Whether two readings of one document say the same in the same contexts.
fn is_read_alike(one: &Mentions, other: &Mentions) -> bool {
    is_in_same_place(one, other) && one.reading.says_the_same(&other.reading)
}

/// Marks the families of which two readings of the same source do not say the same.
fn mark_otherwise(
    (here, there): (&Mentions, &Mentions),
    counterparts: &[Option<u32>],
    differs: &mut [bool],
) {
    let mut last = None;
    for (family, _) in &there.offers {
        if last.replace(*family) == Some(*family) {
            continue;
        }
        let Some(other) = counterparts[*family as usize] else { continue };
        let (one, other) = (here.offers_of(other), there.offers_of(*family));
        let is_same =
            one.map(|at| Offered::at(here, at)).eq(other.map(|at| Offered::at(there, at)));
        differs[*family as usize] |= !is_same;
    }
}

/// All of an offer that has an effect on what its setting comes to.
#[derive(PartialEq)]
struct Offered<'r> {
    key: KeyId,
    name: KeyId,
    value: &'r Value,
    literal_dollars: &'r [u32],
    note: Option<&'r Note>,
    is_loser: bool,
    is_old_name: bool,
}

impl Offered<'_> {
    /// The offer of that number; none of what a layer only takes away.
    fn at(mentions: &Mentions, number: u32) -> Option<Offered<'_>> {
        let reading = &mentions.reading;
        let offer = *reading.offers.get(number as usize)?;
        let document = &reading.document;
        let leaf = &document.leaves[offer.leaf as usize];
        let said = Offered {
            key: offer.key,
            name: leaf.name,
            value: &leaf.value,
            literal_dollars: document.literal_dollars(offer.leaf as usize),
            note: document.note(offer.leaf),
            is_loser: reading.is_loser(offer.leaf),
            is_old_name: reading.is_old_name(offer.leaf),
        };
        Some(said)
    }
}
