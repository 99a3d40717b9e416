//! Answers: the value of each setting after references and conversion.

use crate::model::axis::Context;
use crate::model::candidate::CandidateId;
use crate::model::fact::Fact;
use crate::model::key::KeyId;
use crate::model::reference::Dialect;
use crate::model::secret::is_secret_name;
use crate::model::value::Type;
use crate::model::words::answers as words;
use crate::parallel::lock;
use crate::precedence::resolution::Resolution;
use crate::precedence::verdict::Verdict;
use crate::reading::Readings;
use hashbrown::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};

mod chain;
mod earlier;
mod early;
mod expand;
mod ingredients;
mod made;
mod others;
mod outcome;
mod texts;
mod weight;

pub(crate) use crate::model::reference::Piece;
pub use chain::{Hop, HopValue};
pub(crate) use expand::{LEFT_OUT, winning_pieces};
pub use ingredients::IsGiven;
pub(crate) use ingredients::{Gifts, Ingredient};
pub use outcome::{Failure, Item, Outcome};
pub(crate) use texts::{all_references, rules_of};

use early::LeavesByName;
use expand::{Expanded, Expansion};
use made::{gathered, single};
use others::{Others, There, values_of};
use weight::Weight;

/// What is asked of the world while references are expanded. Implemented outside of this crate, so
/// that nothing here reads anything.
pub trait Outside: Sync {
    /// The process variable of that name: none if it is not set, an error (a clause) if it is no
    /// text.
    fn variable(&self, name: &str) -> Result<Option<Arc<str>>, String>;

    /// Whether the process variable of that name is a secret whatever its name suggests.
    fn is_secret_variable(&self, _name: &str) -> bool {
        false
    }

    /// Whether process variables are looked at; if not, what they would say is unknown.
    fn reads_variables(&self) -> bool {
        true
    }

    /// The trimmed text of a file: none if it is not there, an error (a clause) if it cannot or must
    /// not be read.
    fn file(&self, path: &str) -> Result<Option<Arc<str>>, String>;

    /// What is read in the context that results if `from` is changed so; an error is a clause.
    fn changed(
        &self,
        from: &Context,
        changes: &[(String, Option<String>)],
    ) -> Result<Arc<Readings>, String>;
}

/// How far references may go.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct ExpansionLimits {
    /// The most references in a row, fallbacks inside each other, and lists inside each other.
    pub depth: usize,
    /// The most bytes of text in a value.
    pub bytes: u64,
    /// The most values in a value.
    pub nodes: u64,
}

/// The most other contexts that references may look into; each is read as a whole.
const MOST_CONTEXTS: usize = 1_000;
/// How many times the most bytes of one value all values that references make may have together.
const ALL_VALUES: u64 = 4;

/// A setting in one of the contexts that were looked into; 0 is the one that was asked about.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub struct Asked {
    /// The number of the context.
    pub context: u32,
    /// The setting.
    pub key: KeyId,
}

/// The most settings of a way that are kept: beyond that it helps nobody.
const LONGEST_WAY: usize = 8;

/// The value of every setting of a context. Each is found out when it is asked for, once, whichever
/// threads ask: in what order they do changes no answer. Only where more contexts are looked into than
/// may be does it show which of them are not.
pub struct Answers<'o> {
    here: Arc<Resolution>,
    outside: &'o dyn Outside,
    limits: ExpansionLimits,
    others: Mutex<Others>,
    known: Mutex<HashMap<Asked, Arc<Outcome>>>,
    /// Where documents have their names, for references that are as a shell's.
    names: LeavesByName,
    spent: Spent,
}

/// How much references have put together so far: bytes of text and values, written out. Answers that
/// share it have one bound together.
#[derive(Clone, Debug, Default)]
pub(crate) struct Spent(Arc<AtomicU64>);

impl std::fmt::Debug for Answers<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Answers").field("known", &lock(&self.known).len()).finish_non_exhaustive()
    }
}

/// # Asking
impl<'o> Answers<'o> {
    /// Answers from what was resolved.
    pub fn new(
        resolution: Resolution,
        outside: &'o dyn Outside,
        limits: ExpansionLimits,
    ) -> Answers<'o> {
        let here = HashMap::from_iter([(values_of(&resolution.readings().context), 0)]);
        let others =
            Others { resolutions: Vec::new(), by_context: here, by_changes: HashMap::new() };
        Answers {
            here: Arc::new(resolution),
            outside,
            limits,
            others: Mutex::new(others),
            known: Mutex::default(),
            names: LeavesByName::default(),
            spent: Spent::default(),
        }
    }

    /// The same, with one bound for all answers that share `spent`.
    #[must_use]
    pub(crate) fn sharing(self, spent: &Spent) -> Answers<'o> {
        Answers { spent: spent.clone(), ..self }
    }

    /// What was found out before.
    fn recall(&self, asked: &Asked) -> Option<Arc<Outcome>> {
        lock(&self.known).get(asked).cloned()
    }

    fn has_failed(&self, asked: &Asked) -> bool {
        lock(&self.known).get(asked).is_some_and(|outcome| outcome.result.is_err())
    }

    /// Precedence in the context that was asked about.
    pub fn resolution(&self) -> &Resolution {
        &self.here
    }

    /// What answers to `${…}` outside of the settings.
    pub fn outside(&self) -> &'o dyn Outside {
        self.outside
    }

    /// How far references may go.
    pub fn limits(&self) -> ExpansionLimits {
        self.limits
    }

    /// What the setting comes to.
    pub fn outcome(&self, key: KeyId) -> Arc<Outcome> {
        self.outcome_of(Asked { context: 0, key })
    }

    /// Whether the setting is secret: by declaration or name, or as it comes out of a secret.
    pub fn is_secret(&self, key: KeyId) -> bool {
        self.here.secrets().has(key) || (self.refers(&self.here, key) && self.outcome(key).secret)
    }

    /// Whether a process variable is a secret: by its name, or as it means a secret setting.
    fn is_secret_variable(&self, context: u32, name: &str) -> bool {
        is_secret_name(name)
            || self.outside.is_secret_variable(name)
            || self.resolution_of(context).is_secret_variable(name)
    }

    /// Whether what takes effect for the setting may hold references.
    pub fn may_refer(&self, key: KeyId) -> bool {
        self.refers(&self.here, key)
    }

    /// Whether anything effective, of any setting, may hold a reference into another context.
    pub fn may_look_elsewhere(&self) -> bool {
        if self.here.readings().context.axes.is_empty() {
            return false;
        }
        // Only our own references name a context.
        let elsewhere = |text: &str| text.contains('@') && Dialect::Own.may_refer(text);
        let mut keys = self.here.any_settings().iter();
        keys.any(|key| {
            self.here.in_force(*key).any(|id| {
                let candidate = self.here.candidate(id);
                self.here.may_refer(candidate)
                    && self.here.leaf(candidate).value.has_text(elsewhere)
            })
        })
    }

    fn refers(&self, resolution: &Resolution, key: KeyId) -> bool {
        resolution.in_force(key).any(|id| resolution.may_refer(resolution.candidate(id)))
    }

    /// Whether all values together grew past what one run may hold; what was answered since cannot
    /// be told.
    pub fn is_exhausted(&self) -> bool {
        self.spent.0.load(Ordering::Relaxed) > self.limits.bytes.saturating_mul(ALL_VALUES)
    }

    fn resolution_of(&self, context: u32) -> There<'_> {
        match context {
            0 => There::Here(&self.here),
            number => {
                There::Elsewhere(Arc::clone(&lock(&self.others).resolutions[number as usize - 1]))
            }
        }
    }

    /// The number of the context that results if that of number `from` is changed so.
    fn context_of(&self, from: u32, changes: &[(String, Option<String>)]) -> Result<u32, Fact> {
        if changes.is_empty() {
            return Ok(from);
        }
        let asked = (from, changes.to_vec());
        // Others wait: what takes long here is to read a context, which nobody does twice.
        let mut others = lock(&self.others);
        if let Some(known) = others.by_changes.get(&asked) {
            return known.clone();
        }
        let found = self.changed_context(&mut others, from, changes);
        others.by_changes.insert(asked, found.clone());
        found
    }

    fn changed_context(
        &self,
        others: &mut Others,
        from: u32,
        changes: &[(String, Option<String>)],
    ) -> Result<u32, Fact> {
        if others.resolutions.len() >= MOST_CONTEXTS {
            return Err(Fact::new(words::TOO_MANY_CONTEXTS).with("most", MOST_CONTEXTS));
        }
        let from = match from {
            0 => &self.here,
            number => &others.resolutions[number as usize - 1],
        };
        let readings = self.outside.changed(&from.readings().context, changes);
        let readings = readings.map_err(Fact::told)?;
        let values = values_of(&readings.context);
        if let Some(known) = others.by_context.get(&values) {
            return Ok(*known);
        }
        others.resolutions.push(Arc::new(Resolution::of(readings)));
        let number = u32::try_from(others.resolutions.len()).unwrap_or(u32::MAX);
        others.by_context.insert(values, number);
        Ok(number)
    }
}

/// A setting that is being found out, and the settings that it waits for, in the order in which it
/// refers to them.
struct Frame {
    asked: Asked,
    needs: Vec<Asked>,
    next: usize,
}

impl Frame {
    /// The setting that was waited for last.
    fn last(&self) -> Option<&Asked> {
        self.needs.get(self.next.checked_sub(1)?)
    }
}

/// # Finding out
impl Answers<'_> {
    /// Walks from the setting to all that it refers to, without recursion: a chain of references can
    /// be as long as a file has lines.
    ///
    /// A setting is in error by the first of its references that is, and what comes after that is not
    /// looked at. So whatever was asked before, each setting in error leads to one other, and circles
    /// are the same ones.
    fn outcome_of(&self, asked: Asked) -> Arc<Outcome> {
        if let Some(outcome) = self.plain(asked) {
            return Arc::new(outcome);
        }
        if let Some(known) = self.recall(&asked) {
            return known;
        }
        let first = match self.attempt(asked) {
            Attempt::Done(outcome) => return self.keep(asked, *outcome),
            Attempt::Needs(needs) => needs,
        };
        let mut open: HashMap<Asked, usize> = HashMap::from_iter([(asked, 0)]);
        let mut frames = vec![Frame { asked, needs: first, next: 0 }];
        while let Some(frame) = frames.last_mut() {
            let has_failed = frame.last().is_some_and(|need| self.has_failed(need));
            let next = frame.needs.get(frame.next).copied().filter(|_| !has_failed);
            let Some(need) = next else {
                let asked = frame.asked;
                match self.attempt(asked) {
                    Attempt::Done(outcome) => {
                        self.keep(asked, *outcome);
                        open.remove(&asked);
                        frames.pop();
                    }
                    Attempt::Needs(needs) => {
                        frame.needs = needs;
                        frame.next = 0;
                    }
                }
                continue;
            };
            frame.next += 1;
            if self.recall(&need).is_some() {
                continue;
            }
            if let Some(from) = open.get(&need).copied() {
                let keeps = match self.first_unsure(&frames[from..], need) {
                    None => {
                        let circle = frames[from..].iter().map(|frame| frame.asked);
                        self.close_circle(&circle.collect::<Vec<_>>());
                        // Each of them has its answer now; what waits for them finds it there.
                        from
                    }
                    Some(above) => {
                        // It is looked at again before anything is known of those above it.
                        let unsure = &mut frames[from + above];
                        unsure.next = unsure.needs.len();
                        from + above + 1
                    }
                };
                for frame in frames.drain(keeps..) {
                    open.remove(&frame.asked);
                }
                continue;
            }
            match self.attempt(need) {
                Attempt::Done(outcome) => drop(self.keep(need, *outcome)),
                Attempt::Needs(needs) => {
                    open.insert(need, frames.len());
                    frames.push(Frame { asked: need, needs, next: 0 });
                }
            }
        }
        self.recall(&asked).unwrap_or_else(|| Arc::new(Outcome::absent(false)))
    }

    /// The first of settings that seem to wait for each other in a circle, the last one for `need`, which
    /// by now comes to something or waits for something else before: what it waited for until now may
    /// have put it in error.
    fn first_unsure(&self, circle: &[Frame], need: Asked) -> Option<usize> {
        let waits_for = circle.iter().skip(1).map(|frame| frame.asked).chain([need]);
        circle.iter().zip(waits_for).position(|(frame, next)| {
            // What it waits for first, it still does.
            frame.next > 1
                && !matches!(self.attempt(frame.asked),
                    Attempt::Needs(needs) if needs.first() == Some(&next))
        })
    }

    /// Every setting of a circle is in error, and has the way round from itself.
    fn close_circle(&self, circle: &[Asked]) {
        let first = (0..circle.len()).min_by_key(|at| self.name(circle[*at])).unwrap_or_default();
        let close = |(at, asked): (usize, &Asked)| {
            let from_here = circle[at..].iter().chain(&circle[..at]);
            let mut round: Vec<String> =
                from_here.take(LONGEST_WAY).map(|asked| self.name(*asked)).collect();
            if circle.len() > LONGEST_WAY {
                let more = circle.len() - LONGEST_WAY;
                round.push(Fact::new(words::AND_MORE).with("count", more).to_string());
            }
            round.push(self.name(*asked));
            let fact = Fact::new(words::CIRCLE).with("way", round.join(" → "));
            let resolution = self.resolution_of(asked.context);
            let secret = resolution.secrets().has(asked.key);
            let failure = Failure { is_echo: at != first, ..Failure::new("reference-cycle", fact) };
            (*asked, Outcome::failed(failure, secret, 0))
        };
        let closed: Vec<(Asked, Outcome)> = circle.iter().enumerate().map(close).collect();
        // At once: a thread that knows one of them to be in error knows it of all of them.
        let mut known = lock(&self.known);
        for (asked, outcome) in closed {
            self.keep_in(&mut known, asked, outcome);
        }
    }

    /// The setting's key, and its context if it is another than that which was asked about.
    fn name(&self, asked: Asked) -> String {
        let resolution = self.resolution_of(asked.context);
        let key = resolution.keys().show(asked.key);
        if asked.context == 0 {
            return key;
        }
        let here = &self.here.readings().context;
        let there = resolution.readings().context.axes.iter();
        let differs = there.filter(|axis| here.value(&axis.axis) != axis.value.as_deref());
        let changes: Vec<String> = differs
            .map(|axis| format!("{}={}", axis.axis, axis.value.as_deref().unwrap_or_default()))
            .collect();
        format!("{key}@{}", changes.join(","))
    }

    fn keep(&self, asked: Asked, outcome: Outcome) -> Arc<Outcome> {
        self.keep_in(&mut lock(&self.known), asked, outcome)
    }

    /// What another thread found out before stays, and counts once.
    fn keep_in(
        &self,
        known: &mut HashMap<Asked, Arc<Outcome>>,
        asked: Asked,
        outcome: Outcome,
    ) -> Arc<Outcome> {
        let kept = known.entry(asked).or_insert_with(|| {
            self.spend(&outcome);
            Arc::new(outcome)
        });
        Arc::clone(kept)
    }

    /// What a setting comes to that is one value without references, as nearly all are. It is found
    /// out as fast as it would be looked up, so that it is not kept.
    fn plain(&self, asked: Asked) -> Option<Outcome> {
        let resolution = &*self.resolution_of(asked.context);
        let winner = resolution.winner(asked.key)?;
        let candidate = resolution.candidate(winner);
        let readings = resolution.readings();
        let value = &resolution.leaf(candidate).value;
        let is_declared = readings.catalogue.declared(asked.key).is_some();
        if candidate.kind == Type::Unread || resolution.uncertain_by(asked.key).is_some() {
            return None;
        }
        if is_declared || resolution.may_refer(candidate) {
            return None;
        }
        let outcome = single(resolution, winner, None, false, Expanded::plain(value.clone()));
        Some(outcome.with_secrecy(resolution.secrets().has(asked.key)))
    }

    fn attempt(&self, asked: Asked) -> Attempt {
        let resolution = self.resolution_of(asked.context);
        let key = asked.key;
        let by_name = resolution.secrets().has(key);
        if let Some(failure) = unknown(&resolution, key) {
            return Attempt::Done(Box::new(Outcome::failed(failure, by_name, 0)));
        }
        let Some(winner) = resolution.winner(key) else {
            return Attempt::Done(Box::new(Outcome::absent(by_name)));
        };
        let gather = resolution.gather(key);
        let is_gathered = gather.is_some();
        let mut expansion = Expansion::new(self, asked);
        let mut parts: Vec<(CandidateId, Expanded)> = Vec::new();
        for id in resolution.in_force(key) {
            let candidate = resolution.candidate(id);
            let leaf = resolution.leaf(candidate);
            if resolution.may_refer(candidate) {
                parts.push((id, expansion.expand(&resolution, candidate)));
            } else if is_gathered {
                parts.push((id, Expanded::of(leaf.value.clone())));
            } else {
                parts.push((id, Expanded::plain(leaf.value.clone())));
            }
        }
        let Expansion { needs, secret, height, failure, .. } = expansion;
        if !needs.is_empty() {
            return Attempt::Needs(needs);
        }
        let secret = by_name || secret;
        if let Some(failure) = failure {
            return Attempt::Done(Box::new(Outcome::failed(failure, secret, height)));
        }
        let declared = resolution.readings().catalogue.declared(key);
        let mut outcome = match gather {
            Some(gather) => gathered(&resolution, gather, declared, secret, parts),
            None => match parts.into_iter().next() {
                Some((_, part)) => single(&resolution, winner, declared, secret, part),
                None => Outcome::absent(false),
            },
        };
        outcome = outcome.with_secrecy(secret);
        outcome.height = height;
        if outcome.value().is_some()
            && let Some(failure) = self.past_limits(&outcome)
        {
            outcome = Outcome::failed(failure, secret, height);
        }
        Attempt::Done(Box::new(outcome))
    }

    fn past_limits(&self, outcome: &Outcome) -> Option<Failure> {
        let ExpansionLimits { depth, bytes, nodes } = self.limits;
        let too_deep = |form, most: u64| {
            Some(Failure::new("reference-too-deep", Fact::new(form).with("most", most)))
        };
        if outcome.height == 0 {
            // What a file has is bounded already.
            return None;
        }
        if outcome.height > depth {
            return too_deep(words::TOO_MANY_IN_A_ROW, depth as u64);
        }
        let weight = outcome.weight;
        if weight.bytes > bytes {
            return too_deep(words::TOO_MANY_BYTES, bytes);
        }
        if weight.nodes > nodes {
            return too_deep(words::TOO_MANY_VALUES, nodes);
        }
        if weight.depth > depth {
            return too_deep(words::LISTS_TOO_DEEP, depth as u64);
        }
        None
    }

    fn spend(&self, outcome: &Outcome) {
        if outcome.height > 0 {
            // Nothing wraps: none is larger than its limits allow, and once all of them together are, no
            // more is put together.
            let weight = outcome.weight.bytes.saturating_add(outcome.weight.nodes);
            self.spent.0.fetch_add(weight, Ordering::Relaxed);
        }
    }
}

/// Why nobody can find out what the setting comes to: a layer that could change it was not asked, or what
/// takes effect cannot be read.
fn unknown(resolution: &Resolution, key: KeyId) -> Option<Failure> {
    if let Some(layer) = resolution.uncertain_by(key) {
        let layer = resolution.readings().layer(layer);
        let fact = Fact::new(words::COULD_CHANGE).with("layer", &layer.name);
        return Some(Failure::new(UNCERTAIN, fact.with_some("absence", layer.absence())));
    }
    let unread = resolution.in_force(key).map(|id| resolution.candidate(id));
    let unread = unread.into_iter().find(|it| it.verdict == Verdict::Unreadable)?;
    let why = resolution.note(unread).and_then(|note| note.unreadable.as_deref());
    let layer = &resolution.readings().layer(resolution.layer_of(unread)).name;
    let form = if why.is_some() { words::NOT_READ_BECAUSE } else { words::NOT_READ };
    let fact = Fact::new(form).with("what", layer).with_some("why", why);
    Some(Failure::new(UNREADABLE, fact))
}

/// The code of a setting whose strongest candidate cannot be read.
pub(crate) const UNREADABLE: &str = "unreadable";
/// The code of a setting that a layer which was not asked could change.
pub(crate) const UNCERTAIN: &str = "uncertain";

enum Attempt {
    Done(Box<Outcome>),
    /// The answers that must be known first.
    Needs(Vec<Asked>),
}
