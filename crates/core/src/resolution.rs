//! Precedence: what became of every candidate.

use crate::convert::Conversion;
use crate::{
    Empty, KeyId, Keys, LayerIndex, Leaf, Null, Reading, Readings, Secrets, Type, Value,
    names_a_secret_inside, read_like,
};

/// Every candidate of one context with its verdict.
///
/// The order of precedence, which [`Resolution::of`] applies in one pass over the sources from the
/// weakest to the strongest (and, within a source, over its offers in the order in which they
/// apply), building a tree of leaves:
///
/// 1. **Stronger replaces weaker.** A candidate at a key replaces the leaf at that key
///    ([`Verdict::Overridden`]), every leaf below it and any leaf above it
///    ([`Verdict::Reshaped`]).
/// 2. *Pins are not carried yet; a project that uses them is refused.*
/// 3. **An empty text may say nothing.** Where `empty = "unset"` it is [`Verdict::Empty`] and
///    changes nothing.
/// 4. **A null removes.** Where `null = "unset"` it removes the leaf at its key, or every leaf
///    below ([`Verdict::Removed`]); a leaf above stays. The null is [`Verdict::Removes`], also if it
///    finds nothing.
/// 5. *Gathered lists are not carried yet; a project that uses them is refused.*
/// 6. *References are not carried yet; a text that holds one is an error of its setting.*
/// 7. **Untyped texts take a type.** A winning text from a source whose texts have no type takes
///    that of the nearest weaker candidate at its key that is a boolean, an integer or a number and
///    was neither removed nor empty, if it reads as one; else it stays a text.
///
/// Layers are ranked as the project file lists them, weakest first, with the catalogue below all
/// and the arguments above all.
#[derive(Debug)]
pub struct Resolution<'r> {
    readings: &'r Readings,
    candidates: Vec<Candidate>,
    /// The strongest candidate of each setting, by key.
    strongest: Vec<Option<CandidateId>>,
    /// The candidate that is the leaf at a key.
    leaves: Vec<Option<CandidateId>>,
    settings: Vec<KeyId>,
    secrets: Secrets,
}

/// The position of a candidate among all of its context, weakest first.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct CandidateId(u32);

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
}

/// What became of a candidate.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Verdict {
    /// It gives the effective value.
    Wins,
    /// A stronger one said something at the same key.
    Overridden,
    /// A stronger one said something above or below its key.
    Reshaped,
    /// It is an empty text that does not count.
    Empty,
    /// It is a null that removes what weaker ones said.
    Removes,
    /// A stronger null removed it.
    Removed,
}

impl Verdict {
    /// The verdict's name.
    pub fn name(self) -> &'static str {
        match self {
            Verdict::Wins => "wins",
            Verdict::Overridden => "overridden",
            Verdict::Reshaped => "reshaped",
            Verdict::Empty => "empty",
            Verdict::Removes => "removes",
            Verdict::Removed => "removed",
        }
    }
}

/// The leaves that are in force so far, and how many of them stand below each key.
struct Tree<'k> {
    keys: &'k Keys,
    leaves: Vec<Option<CandidateId>>,
    below: Vec<u32>,
}

impl Tree<'_> {
    fn place(&mut self, key: KeyId, candidate: CandidateId) {
        self.leaves[key.index()] = Some(candidate);
        for above in self.keys.above(key) {
            self.below[above.index()] += 1;
        }
    }

    fn take(&mut self, key: KeyId) -> Option<CandidateId> {
        let taken = self.leaves[key.index()].take()?;
        for above in self.keys.above(key) {
            self.below[above.index()] -= 1;
        }
        Some(taken)
    }

    /// Takes every leaf below `key`; visits no branch that has none.
    fn take_below(&mut self, key: KeyId) -> Vec<CandidateId> {
        let mut taken = Vec::new();
        let mut branches = if self.below[key.index()] > 0 { vec![key] } else { Vec::new() };
        while let Some(branch) = branches.pop() {
            let keys = self.keys;
            for child in keys.children(branch) {
                taken.extend(self.take(child));
                if self.below[child.index()] > 0 {
                    branches.push(child);
                }
            }
        }
        taken
    }

    fn take_above(&mut self, key: KeyId) -> Option<CandidateId> {
        let above = self.keys.above(key).find(|above| self.leaves[above.index()].is_some())?;
        self.take(above)
    }
}

/// # Resolving
impl<'r> Resolution<'r> {
    /// Applies the order of precedence to what was read.
    pub fn of(readings: &'r Readings) -> Resolution<'r> {
        let count = readings.keys.count();
        let mut resolution = Resolution {
            readings,
            candidates: Vec::with_capacity(readings.readings.iter().map(|r| r.offers.len()).sum()),
            strongest: vec![None; count],
            leaves: Vec::new(),
            settings: Vec::new(),
            secrets: Secrets::default(),
        };
        let mut tree =
            Tree { keys: &readings.keys, leaves: vec![None; count], below: vec![0; count] };
        for (index, reading) in readings.readings.iter().enumerate() {
            resolution.walk(&mut tree, index, reading);
        }
        resolution.leaves = tree.leaves;
        resolution.secrets = Secrets::of(&readings.keys, &resolution.settings);
        for candidate in &resolution.candidates {
            if names_a_secret_inside(&resolution.leaf(candidate).value) {
                resolution.secrets.insert(candidate.key);
            }
        }
        resolution
    }

    fn walk(&mut self, tree: &mut Tree<'_>, index: usize, reading: &Reading) {
        let layer = self.readings.layer(reading.layer);
        for offer in &reading.offers {
            let value = &reading.document.leaves[offer.leaf as usize].value;
            let key = offer.key;
            let new = self.add(Candidate {
                key,
                reading: narrow(index),
                leaf: offer.leaf,
                verdict: Verdict::Wins,
                by: None,
                weaker: self.strongest[key.index()],
            });
            // Rule 3.
            if value.is_empty_text() && layer.empty == Empty::Unset {
                self.candidates[new.0 as usize].verdict = Verdict::Empty;
                continue;
            }
            // Rule 4.
            if *value == Value::Null && layer.null == Null::Unset {
                self.candidates[new.0 as usize].verdict = Verdict::Removes;
                let at_key = tree.take(key);
                for removed in at_key.into_iter().chain(tree.take_below(key)) {
                    self.judge(removed, Verdict::Removed, new);
                }
                continue;
            }
            // Rule 1.
            if let Some(same) = tree.take(key) {
                self.judge(same, Verdict::Overridden, new);
            }
            for reshaped in tree.take_below(key).into_iter().chain(tree.take_above(key)) {
                self.judge(reshaped, Verdict::Reshaped, new);
            }
            tree.place(key, new);
        }
    }

    fn add(&mut self, candidate: Candidate) -> CandidateId {
        let id = CandidateId(narrow(self.candidates.len()));
        let strongest = &mut self.strongest[candidate.key.index()];
        if strongest.is_none() {
            self.settings.push(candidate.key);
        }
        *strongest = Some(id);
        self.candidates.push(candidate);
        id
    }

    fn judge(&mut self, candidate: CandidateId, verdict: Verdict, by: CandidateId) {
        let judged = &mut self.candidates[candidate.0 as usize];
        judged.verdict = verdict;
        judged.by = Some(by);
    }
}

/// Candidates are at most as many as leaves, which their files' limits keep below 2^32.
fn narrow(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}

/// # Questions
impl<'r> Resolution<'r> {
    /// What was read.
    pub fn readings(&self) -> &'r Readings {
        self.readings
    }

    /// All keys.
    pub fn keys(&self) -> &'r Keys {
        &self.readings.keys
    }

    /// Every setting, sorted by its key: each key for which any source offers anything.
    pub fn settings(&self) -> Vec<KeyId> {
        self.keys().sorted(self.settings.iter().copied())
    }

    /// Whether `key` is a setting here.
    pub fn is_setting(&self, key: KeyId) -> bool {
        self.strongest.get(key.index()).is_some_and(Option::is_some)
    }

    /// The settings that are secret.
    pub fn secrets(&self) -> &Secrets {
        &self.secrets
    }

    /// A candidate.
    pub fn candidate(&self, id: CandidateId) -> &Candidate {
        &self.candidates[id.0 as usize]
    }

    /// The candidates of a setting, strongest first.
    pub fn candidates(&self, key: KeyId) -> impl Iterator<Item = CandidateId> + '_ {
        let mut at = self.strongest.get(key.index()).copied().flatten();
        std::iter::from_fn(move || {
            let here = at?;
            at = self.candidate(here).weaker;
            Some(here)
        })
    }

    /// Every candidate of the context, weakest first.
    pub fn all_candidates(&self) -> impl Iterator<Item = CandidateId> + '_ {
        (0..self.candidates.len()).map(|index| CandidateId(narrow(index)))
    }

    /// The candidate that gives the setting its value.
    pub fn winner(&self, key: KeyId) -> Option<CandidateId> {
        self.leaves.get(key.index()).copied().flatten()
    }

    /// The reading that offers `candidate`.
    pub fn reading(&self, candidate: &Candidate) -> &'r Reading {
        &self.readings.readings[candidate.reading as usize]
    }

    /// The leaf that says `candidate`.
    pub fn leaf(&self, candidate: &Candidate) -> &'r Leaf {
        &self.reading(candidate).document.leaves[candidate.leaf as usize]
    }

    /// The layer of `candidate`.
    pub fn layer_of(&self, candidate: &Candidate) -> LayerIndex {
        self.reading(candidate).layer
    }

    /// How many settings each layer decides, by layer.
    pub fn decided_by_layer(&self) -> Vec<usize> {
        let mut counts = vec![0; self.readings.layers.len()];
        for winner in self.leaves.iter().flatten() {
            counts[self.layer_of(self.candidate(*winner)).0] += 1;
        }
        counts
    }

    /// The value of the winning candidate, converted (rule 7), and what conversion did.
    pub fn converted(&self, winner: CandidateId) -> (Value, Option<Conversion>) {
        let candidate = self.candidate(winner);
        let value = &self.leaf(candidate).value;
        let Some(text) = value.as_text().filter(|_| self.reading(candidate).untyped) else {
            return (value.clone(), None);
        };
        let Some((like, to)) = self.type_giver(candidate) else {
            return (value.clone(), None);
        };
        match read_like(text, to) {
            Some(read) => (read, Some(Conversion { like, to, from: value.clone() })),
            None => (value.clone(), None),
        }
    }

    /// The nearest weaker candidate that has a type to give.
    pub fn type_giver(&self, candidate: &Candidate) -> Option<(CandidateId, Type)> {
        let mut at = candidate.weaker;
        while let Some(id) = at {
            let weaker = self.candidate(id);
            let counts = !matches!(weaker.verdict, Verdict::Removed | Verdict::Empty);
            let kind = self.leaf(weaker).value.kind();
            if counts && matches!(kind, Type::Boolean | Type::Integer | Type::Number) {
                return Some((id, kind));
            }
            at = weaker.weaker;
        }
        None
    }
}
