//! Precedence: what became of every candidate.

use crate::model::candidate::CandidateId;
use crate::model::catalogue::{EmptyText, Gather};
use crate::model::document::Leaf;
use crate::model::key::{KeyId, Keys};
use crate::model::layer::{LayerIndex, Null, Pins};
use crate::model::near::KnownNames;
use crate::model::secret::Secrets;
use crate::model::value::Type;
use crate::parallel;
use crate::precedence::verdict::Verdict;
use crate::reading::{Offer, Reading, Readings};
use hashbrown::HashMap;
use std::sync::{Arc, OnceLock};

mod by_key;
mod named;
mod told;
mod tree;
mod unasked;

use by_key::ByKey;
use tree::Tree;

/// Every candidate of one context with its verdict.
///
/// The order of precedence, which [`Resolution::of`] applies in one pass over the sources from the
/// weakest to the strongest (and, within a source, over its offers in the order in which they
/// apply), building a tree of leaves:
///
/// 1. **Stronger replaces weaker.** A candidate at a key replaces the leaf at that key
///    ([`Verdict::Overridden`]), every leaf below it and any leaf above it
///    ([`Verdict::Reshaped`]).
/// 2. **A pin protects what its layer has.** If a leaf that a candidate would replace or remove is
///    pinned by a weaker layer, the candidate is [`Verdict::Blocked`] as a whole and nothing
///    changes. A pin takes effect after the last source of its layer. A pinned absence (rule 4)
///    blocks candidates at its key, below and above it.
/// 3. **An empty text may set nothing.** Where empty is `unset` it is [`Verdict::Empty`] and changes
///    nothing, so that no pin blocks it either.
/// 4. **A null removes.** Where `null = "unset"` it removes the leaf at its key, or every leaf
///    below ([`Verdict::Removed`]); a leaf above stays. The null is [`Verdict::Removes`], also if it
///    finds nothing. A `remove` pattern does the same to every leaf that it matches or is
///    above, before anything that its layer has.
/// 5. **Some lists gather.** Where the catalogue asks for it, a candidate adds to the leaf at its key
///    instead of replacing it: the weaker ones are [`Verdict::Contributes`].
/// 6. **What is meant for others sets nothing.** Before all of this, a variable of a store that is not
///    meant for this context is [`Verdict::Withheld`]. What is meant for it and cannot be read is
///    ranked as if it could be; where it takes effect it is [`Verdict::Unreadable`].
/// 7. **References are expanded**, and
/// 8. **texts are converted**, by [`Answers`](crate::answers::Answers): neither changes a verdict.
///
/// Layers are ranked as the project file lists them, weakest first, with the catalogue below all
/// and the arguments above all.
#[derive(Debug)]
pub struct Resolution {
    readings: Arc<Readings>,
    candidates: Vec<Candidate>,
    /// The strongest candidate of each setting, by key.
    strongest: ByKey<Option<CandidateId>>,
    /// The candidate that is the leaf at a key.
    leaves: ByKey<Option<CandidateId>>,
    settings: Vec<KeyId>,
    /// The same, sorted, once somebody asks.
    sorted: OnceLock<Vec<KeyId>>,
    /// Their names, once somebody looks for one that is not among them.
    names: OnceLock<KnownNames>,
    /// The settings by their names without case, `-` and `_`, once one is looked for.
    spelled: OnceLock<HashMap<String, Vec<KeyId>>>,
    /// What names of variables mean, once a reference uses one.
    named: OnceLock<named::Meanings>,
    secrets: Secrets,
}

/// So many offers are walked through in about the time that it takes to start a thread ten times.
const WORTH_A_THREAD: usize = 20_000;

/// A part of the settings of a context, to be resolved for itself.
pub(crate) struct PartOfSettings<'a> {
    /// The offers of the reading of that number that are about them, in their order.
    pub(crate) offers: &'a dyn Fn(usize) -> Vec<Offer>,
    /// Those of them that the catalogue declares.
    pub(crate) declared: Vec<KeyId>,
    /// Whether they are few among all keys.
    pub(crate) are_few: bool,
    /// What is secret in any context.
    pub(crate) secrets: Secrets,
}

/// A value that one source offers for one setting, and what became of it.
#[derive(Clone, Copy, Debug)]
pub struct Candidate {
    /// The setting.
    pub key: KeyId,
    /// The reading that offers it.
    pub reading: u32,
    /// The leaf of that reading's document.
    pub leaf: u32,
    /// What became of it.
    pub verdict: Verdict,
    /// The candidate that did that to it, if one did.
    pub by: Option<CandidateId>,
    /// The next weaker candidate of the same setting.
    pub weaker: Option<CandidateId>,
    /// The weaker candidate to whose list it adds.
    pub beneath: Option<CandidateId>,
    /// The type of what its leaf has.
    pub(crate) kind: Type,
}

/// # Resolving
impl Resolution {
    /// Applies the order of precedence to what was read.
    pub fn of(readings: Arc<Readings>) -> Resolution {
        Resolution::of_part(readings, None)
    }

    /// The same for a part of the settings, on which no others have an effect.
    pub(crate) fn of_part(readings: Arc<Readings>, part: Option<PartOfSettings<'_>>) -> Resolution {
        let count = readings.keys.count();
        let offers = match &part {
            None => readings.readings.iter().map(|reading| reading.offers.len()).sum(),
            Some(_) => 0,
        };
        let are_few = part.as_ref().is_some_and(|part| part.are_few);
        let walk = Walk {
            readings: &readings,
            tree: Tree::new(&readings.keys, are_few),
            candidates: Vec::with_capacity(offers),
            strongest: ByKey::new(count, are_few),
        };
        let sorted = OnceLock::new();
        let (walked, settings, secrets) = match part {
            None => {
                let is_much = offers >= WORTH_A_THREAD;
                let named = || {
                    let settings = all_settings(&readings);
                    let secrets = Secrets::of(&readings.keys, &settings, &readings.catalogue);
                    if is_much {
                        // Nobody fails to ask who has so many of them.
                        sorted.get_or_init(|| readings.keys.sorted(settings.iter().copied()));
                    }
                    (settings, secrets)
                };
                let (walked, (settings, secrets)) =
                    parallel::both(is_much, || walk.all(None), named);
                (walked, settings, secrets)
            }
            Some(part) => {
                let walked = walk.all(Some(part.offers));
                let firsts = walked.candidates.iter().filter(|it| it.weaker.is_none());
                let mut settings: Vec<KeyId> = firsts.map(|it| it.key).collect();
                let is_unmentioned = |key: &KeyId| walked.strongest.get(*key).is_none();
                settings.extend(part.declared.into_iter().filter(is_unmentioned));
                (walked, settings, part.secrets)
            }
        };
        let Walk { tree, candidates, strongest, .. } = walked;
        let leaves = tree.into_leaves();
        let mut resolution = Resolution {
            readings,
            candidates,
            strongest,
            leaves,
            settings,
            sorted,
            names: OnceLock::new(),
            spelled: OnceLock::new(),
            named: OnceLock::new(),
            secrets,
        };
        for index in 0..resolution.candidates.len() {
            let candidate = resolution.candidates[index];
            if !candidate.verdict.is_in_force() {
                continue;
            }
            if candidate.kind == Type::Unread {
                resolution.candidates[index].verdict = Verdict::Unreadable;
            }
            // Nobody looks at the values themselves where none can hide anything.
            let has_names = matches!(candidate.kind, Type::List | Type::Map);
            let may_hide = has_names || !resolution.reading(&candidate).document.notes.is_empty();
            if may_hide && resolution.hides(&candidate) {
                resolution.secrets.insert(candidate.key);
            }
        }
        resolution
    }
}

/// Every setting that is offered, in the order in which sources first offer them, then those that are
/// only declared.
fn all_settings(readings: &Readings) -> Vec<KeyId> {
    let mut seen = vec![false; readings.keys.count()];
    let offered = readings.readings.iter().flat_map(|reading| &reading.offers);
    let declared = readings.catalogue.settings();
    let all = offered.map(|offer| offer.key).chain(declared.map(|(key, _)| key));
    all.filter(|key| !std::mem::replace(&mut seen[key.index()], true)).collect()
}

/// The pass over all sources.
struct Walk<'r> {
    readings: &'r Readings,
    tree: Tree<'r>,
    candidates: Vec<Candidate>,
    strongest: ByKey<Option<CandidateId>>,
}

impl<'r> Walk<'r> {
    fn all(mut self, part: Option<&dyn Fn(usize) -> Vec<Offer>>) -> Walk<'r> {
        let mut at = 0;
        while let Some(reading) = self.readings.readings.get(at) {
            let layer = reading.layer;
            let first = self.candidates.len();
            while let Some(reading) =
                self.readings.readings.get(at).filter(|reading| reading.layer == layer)
            {
                match (reading.is_removal, part) {
                    (true, _) => self.take_away(at, reading),
                    (false, None) => self.source(at, reading, &reading.offers),
                    (false, Some(offers)) => self.source(at, reading, &offers(at)),
                }
                at += 1;
            }
            self.pin(layer, first);
        }
        self
    }

    /// What a layer takes away from weaker ones.
    fn take_away(&mut self, index: usize, reading: &Reading) {
        let keys = &self.readings.keys;
        let removes = &self.readings.layer(reading.layer).removes;
        let in_force: Vec<KeyId> = self.tree.keys_of_leaves().collect();
        for (leaf, removal) in removes.iter().enumerate() {
            let is_meant = |key: &KeyId| {
                let mut at_and_above = std::iter::once(*key).chain(keys.above(*key));
                at_and_above.any(|key| removal.pattern.matches(keys, key))
            };
            for key in keys.sorted(in_force.iter().copied().filter(is_meant)) {
                let Some(standing) = self.tree.leaf(key) else { continue };
                let kind = reading.document.leaves[leaf].value.kind();
                let new = self.add(index, Offer { key, leaf: narrow(leaf) }, kind);
                if self.tree.is_pinned(key) {
                    self.settle(new, Verdict::Blocked, Some(standing));
                    continue;
                }
                self.settle(new, Verdict::Removes, None);
                self.tree.take(key);
                self.judge_all(standing, Verdict::Removed, new);
            }
        }
    }

    fn source(&mut self, index: usize, reading: &Reading, offers: &[Offer]) {
        let layer = self.readings.layer(reading.layer);
        let mut beaten: Vec<CandidateId> = Vec::new();
        for offer in offers {
            let value = &reading.document.leaves[offer.leaf as usize].value;
            let key = offer.key;
            let kind = value.kind();
            let new = self.add(index, *offer, kind);
            // Of several names of one source only the best sets anything; it comes right after.
            if reading.is_loser(offer.leaf) {
                beaten.push(new);
                continue;
            }
            for loser in beaten.drain(..) {
                self.settle(loser, Verdict::Overridden, Some(new));
            }
            if reading.document.note(offer.leaf).is_some_and(|note| note.withheld.is_some()) {
                self.settle(new, Verdict::Withheld, None);
                continue;
            }
            // Rule 3.
            if value.is_empty_text() && self.skips_empty(key, layer.skips_empty()) {
                self.settle(new, Verdict::Empty, None);
                continue;
            }
            if reading.document.is_yielding(offer.leaf)
                && let Some(standing) = self.tree.leaf(key)
            {
                self.settle(new, Verdict::Overridden, Some(standing));
                continue;
            }
            let is_null = kind == Type::Null && layer.null == Null::Unset;
            // Rule 2.
            if let Some(pinned) = self.tree.blocks(key, is_null) {
                self.settle(new, Verdict::Blocked, Some(pinned));
                continue;
            }
            // Rule 4.
            if is_null {
                self.settle(new, Verdict::Removes, None);
                let at_key = self.tree.take(key);
                for removed in at_key.into_iter().chain(self.tree.take_below(key)) {
                    self.judge_all(removed, Verdict::Removed, new);
                }
                continue;
            }
            // Rule 1. Where a leaf is, none is above or below.
            if let Some(same) = self.tree.replace(key, new) {
                self.follow(key, same, new);
                continue;
            }
            for reshaped in self.tree.take_below(key).into_iter().chain(self.tree.take_above(key)) {
                self.judge_all(reshaped, Verdict::Reshaped, new);
            }
            self.tree.place(key, new);
        }
    }

    /// A candidate where another one is the leaf already.
    fn follow(&mut self, key: KeyId, same: CandidateId, new: CandidateId) {
        let (old, reading) = (self.candidates[same.index()], self.candidates[new.index()].reading);
        if self.readings.catalogue.gather(key).is_none() {
            self.settle(same, Verdict::Overridden, Some(new));
        } else if old.reading == reading {
            // One source has one value, not two to be put together.
            self.settle(same, Verdict::Overridden, Some(new));
            self.candidates[new.index()].beneath = old.beneath;
        } else {
            // Rule 5.
            self.settle(same, Verdict::Contributes, Some(new));
            self.candidates[new.index()].beneath = Some(same);
        }
    }

    fn skips_empty(&self, key: KeyId, layer_does: bool) -> bool {
        match self.readings.catalogue.declared(key).and_then(|declared| declared.empty) {
            None => layer_does,
            Some(EmptyText::Unset) => true,
            Some(EmptyText::Value | EmptyText::Error) => false,
        }
    }

    /// After the last source of a layer: what it has is pinned where it pins.
    fn pin(&mut self, layer: LayerIndex, first: usize) {
        let pins = &self.readings.layer(layer).pins;
        if *pins == Pins::Nothing {
            return;
        }
        for index in first..self.candidates.len() {
            let candidate = self.candidates[index];
            if !pins.has(&self.readings.keys, candidate.key) {
                continue;
            }
            let id = CandidateId::at(index);
            let is_removal = self.readings.readings[candidate.reading as usize].is_removal;
            match candidate.verdict {
                Verdict::Wins => self.tree.pin(candidate.key),
                Verdict::Removes if !is_removal => self.tree.pin_absence(candidate.key, id),
                _ => {}
            }
        }
    }

    fn add(&mut self, reading: usize, offer: Offer, kind: Type) -> CandidateId {
        let id = CandidateId::at(self.candidates.len());
        let weaker = self.strongest.get_mut(offer.key).replace(id);
        self.candidates.push(Candidate {
            key: offer.key,
            reading: narrow(reading),
            leaf: offer.leaf,
            verdict: Verdict::Wins,
            by: None,
            weaker,
            beneath: None,
            kind,
        });
        id
    }

    fn settle(&mut self, candidate: CandidateId, verdict: Verdict, by: Option<CandidateId>) {
        let judged = &mut self.candidates[candidate.index()];
        judged.verdict = verdict;
        judged.by = by;
    }

    /// Judges a leaf and everything that it adds to.
    fn judge_all(&mut self, leaf: CandidateId, verdict: Verdict, by: CandidateId) {
        let mut at = Some(leaf);
        while let Some(id) = at {
            self.settle(id, verdict, Some(by));
            at = self.candidates[id.index()].beneath;
        }
    }
}

/// Candidates are at most as many as leaves, which their files' limits keep below 2^32.
fn narrow(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}

/// # Questions
impl Resolution {
    /// What was read.
    pub fn readings(&self) -> &Readings {
        &self.readings
    }

    /// What was read, to be shared.
    pub fn shared_readings(&self) -> Arc<Readings> {
        Arc::clone(&self.readings)
    }

    /// All keys.
    pub fn keys(&self) -> &Keys {
        &self.readings.keys
    }

    /// Every setting, sorted by its key: each key that the catalogue declares or for which any
    /// source offers anything.
    pub fn settings(&self) -> Vec<KeyId> {
        self.sorted.get_or_init(|| self.keys().sorted(self.settings.iter().copied())).clone()
    }

    /// Every setting, in no particular order.
    pub(crate) fn any_settings(&self) -> &[KeyId] {
        &self.settings
    }

    /// The names of the settings here, of which one may have been meant by another name.
    pub(crate) fn names(&self) -> &KnownNames {
        let named = || self.settings.iter().map(|key| self.keys().show(*key)).collect();
        self.names.get_or_init(named)
    }

    /// The other settings that are spelled as this one but for case, `-` and `_`, or but for a letter that
    /// they lack or two that are swapped.
    pub(crate) fn nearly_named(&self, key: KeyId) -> Vec<KeyId> {
        let spelled = self.spelled.get_or_init(|| {
            let mut spelled: HashMap<String, Vec<KeyId>> = HashMap::new();
            for key in &self.settings {
                spelled
                    .entry(crate::model::near::spelled(&self.keys().show(*key)))
                    .or_default()
                    .push(*key);
            }
            spelled
        });
        let mut found: Vec<KeyId> = Vec::new();
        for slip in crate::model::near::slips(&crate::model::near::spelled(&self.keys().show(key)))
        {
            let near = spelled.get(&slip).into_iter().flatten().filter(|it| **it != key);
            found.extend(near.copied());
        }
        found.sort_unstable();
        found.dedup();
        found
    }

    /// Whether `key` is a setting here.
    pub fn is_setting(&self, key: KeyId) -> bool {
        self.strongest.get(key).is_some() || self.readings.catalogue.declared(key).is_some()
    }

    /// The settings that are secret by what is declared, by their names or by names inside of them;
    /// what comes out of a secret is secret too, which [`Answers`](crate::answers::Answers) finds out.
    pub fn secrets(&self) -> &Secrets {
        &self.secrets
    }

    /// How the lists of the setting come together.
    pub fn gather(&self, key: KeyId) -> Option<Gather> {
        self.readings.catalogue.gather(key)
    }

    /// A candidate.
    pub fn candidate(&self, id: CandidateId) -> &Candidate {
        &self.candidates[id.index()]
    }

    /// The candidates of a setting, strongest first.
    pub fn candidates(&self, key: KeyId) -> impl Iterator<Item = CandidateId> + '_ {
        let mut at = self.strongest.get(key);
        std::iter::from_fn(move || {
            let here = at?;
            at = self.candidate(here).weaker;
            Some(here)
        })
    }

    /// Every candidate of the context, weakest first.
    pub fn all_candidates(&self) -> impl Iterator<Item = CandidateId> + '_ {
        (0..self.candidates.len()).map(CandidateId::at)
    }

    /// The candidate that gives the setting its value, or the last part of it.
    pub fn winner(&self, key: KeyId) -> Option<CandidateId> {
        self.leaves.get(key)
    }

    /// The candidates of which the value is made, the winner first, then those to which it adds.
    pub fn in_force(&self, key: KeyId) -> impl Iterator<Item = CandidateId> + '_ {
        let mut at = self.winner(key);
        std::iter::from_fn(move || {
            let here = at?;
            at = self.candidate(here).beneath;
            Some(here)
        })
    }

    /// The reading that offers `candidate`.
    pub fn reading(&self, candidate: &Candidate) -> &Reading {
        &self.readings.readings[candidate.reading as usize]
    }

    /// Whether what a candidate has may hold references, as its layer writes them.
    pub(crate) fn may_refer(&self, candidate: &Candidate) -> bool {
        let layer = self.readings().layer(self.layer_of(candidate));
        layer.may_refer(&self.leaf(candidate).value)
    }

    /// The leaf that has `candidate`.
    pub fn leaf(&self, candidate: &Candidate) -> &Leaf {
        &self.reading(candidate).document.leaves[candidate.leaf as usize]
    }

    /// The layer of `candidate`.
    pub fn layer_of(&self, candidate: &Candidate) -> LayerIndex {
        self.reading(candidate).layer
    }

    /// How many settings each layer decides, by layer.
    pub fn decided_by_layer(&self) -> Vec<usize> {
        let mut counts = vec![0; self.readings.layers.len()];
        for winner in self.leaves.values().flatten() {
            counts[self.layer_of(self.candidate(winner)).0] += 1;
        }
        counts
    }

    /// The nearest weaker candidate that has a type to give.
    pub fn type_giver(&self, candidate: &Candidate) -> Option<(CandidateId, Type)> {
        let mut at = candidate.weaker;
        while let Some(id) = at {
            let weaker = self.candidate(id);
            let counts = !matches!(
                weaker.verdict,
                Verdict::Removed | Verdict::Empty | Verdict::Blocked | Verdict::Withheld
            ) && !self.reading(weaker).is_loser(weaker.leaf);
            let kind = weaker.kind;
            if counts && matches!(kind, Type::Boolean | Type::Integer | Type::Number) {
                return Some((id, kind));
            }
            at = weaker.weaker;
        }
        None
    }
}
