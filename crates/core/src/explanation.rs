//! Explanations: why a setting has the value that it has.

use crate::answers::{Answers, Failure, Outcome};
use crate::answers::{Gifts, UNCERTAIN, UNREADABLE};
use crate::explanation::trial::Trial;
use crate::model::candidate::CandidateId;
use crate::model::convert::{
    Address, Conversion, Declaration, Nanoseconds, read_duration, read_size,
};
use crate::model::fact::{Clauses, Fact};
use crate::model::key::KeyId;
use crate::model::layer::{LayerIndex, Presence};
use crate::model::note::Note;
use crate::model::place::{Origin, Place};
use crate::model::secret::hide_address_password;
use crate::model::value::Value;
use crate::model::words::answers::EMPTY_REFUSED;
use crate::precedence::provenance::{Provenance, name_of};
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::{Rule, Verdict};
use crate::reading::{Edit, NearName, Reading};
use std::sync::Arc;

mod advice;
mod because;
pub(crate) mod destination;
pub(crate) mod expected;
pub(crate) mod find;
pub(crate) mod kinds;
mod sentence;
pub(crate) mod trial;

pub(crate) use because::because as because_of;
pub use kinds::Advice;

/// How a setting is in a context.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Status {
    /// It has a value.
    Set,
    /// It has none.
    Absent,
    /// Its strongest candidate cannot be used; a weaker one never is in.
    Error {
        /// The code of the error.
        code: &'static str,
        /// What is wrong, without any secret.
        fact: Fact,
    },
    /// Its strongest candidate cannot be read; a weaker one never is in.
    Unreadable {
        /// Why, as a clause.
        because: Fact,
    },
    /// A layer that was not asked could change it.
    Uncertain {
        /// Which, and why it was not asked, as a clause.
        because: Fact,
    },
}

impl Status {
    /// The status's name.
    pub fn name(&self) -> &'static str {
        match self {
            Status::Set => "set",
            Status::Absent => "absent",
            Status::Error { .. } => "error",
            Status::Unreadable { .. } => "unreadable",
            Status::Uncertain { .. } => "uncertain",
        }
    }

    /// Whether the answer is no: the setting is in error, or nobody can find out what it is.
    pub fn is_refusal(&self) -> bool {
        !matches!(self, Status::Set | Status::Absent)
    }
}

/// One rung of an explanation.
#[derive(Clone, Debug)]
pub enum Row {
    /// A candidate and what became of it.
    Said {
        /// Where it is.
        at: Provenance,
        /// What the source has, before references and conversion; `None` if it is secret, or if
        /// nothing is written, as a pattern takes something away.
        written: Option<Value>,
        /// Its very characters, where a reader of the format changes them.
        raw: Option<String>,
        /// What became of it.
        verdict: Verdict,
        /// The rule for that.
        rule: Rule,
        /// The candidate that did that to it.
        by: Option<CandidateId>,
        /// Why.
        because: Clauses,
        /// The YAML anchor through which it came.
        through: Option<String>,
        /// What names its file, if that is not the layer.
        named: Option<String>,
        /// Whether it is under a former name of the setting.
        is_old_name: bool,
        /// Whether its layer pins what it has for the setting.
        pins: bool,
        /// What the store sets for it besides its value.
        note: Option<Box<Note>>,
        /// The scope that has it.
        scope: Option<Arc<str>>,
    },
    /// A layer without a candidate.
    Unsaid {
        /// The layer.
        layer: LayerIndex,
        /// Its state.
        state: LayerState,
        /// Why.
        because: Clauses,
        /// Variables that were probably meant for this setting.
        near: Vec<NearName>,
        /// A setting above or below it that the layer sets.
        sets_instead: Option<CandidateId>,
        /// Whether the layer names the setting all the same: without a value, or in a way that is not read.
        is_odd: bool,
    },
}

impl Row {
    /// The layer that the row is about.
    pub fn layer(&self) -> LayerIndex {
        match self {
            Row::Said { at, .. } => at.layer,
            Row::Unsaid { layer, .. } => *layer,
        }
    }
}

/// Why a layer has no candidate.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum LayerState {
    /// It was read and does not mention the setting.
    Silent,
    /// It is not active in this context.
    Inactive,
    /// It is optional and not there.
    Missing,
    /// Its store was not asked.
    Unavailable,
}

impl LayerState {
    /// The state of a layer that has no candidate, by what there is of it.
    pub fn of(presence: &Presence) -> LayerState {
        match presence {
            Presence::Read => LayerState::Silent,
            Presence::Inactive(_) => LayerState::Inactive,
            Presence::Missing { .. } => LayerState::Missing,
            Presence::Unavailable(_) => LayerState::Unavailable,
        }
    }

    /// The state's name.
    pub fn name(self) -> &'static str {
        match self {
            LayerState::Silent => "silent",
            LayerState::Inactive => "inactive",
            LayerState::Missing => "missing",
            LayerState::Unavailable => "unavailable",
        }
    }
}

/// The answer for one setting: its value, or why it has none, and where it was written.
///
/// A secret's value can only be had by [`Explanation::secret_value`], so that nothing shows one by
/// mistake.
#[derive(Clone, Debug)]
pub struct Explanation {
    /// The setting.
    pub key: KeyId,
    /// How it is.
    pub status: Status,
    /// Whether it is secret.
    pub secret: bool,
    /// Where the value was written; also for a setting in error. Of a gathered list the strongest
    /// part.
    pub winner: Option<Provenance>,
    /// What conversion did. Its text is `Value::Null` if the setting is secret.
    pub conversion: Option<Conversion>,
    /// Of a secret: whether the caller gave it, or a part of it. Such a one is never compared with one
    /// that she did not give: she could be guessing.
    pub is_given: bool,
    outcome: Arc<Outcome>,
}

/// What a text of a declared type comes to.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Meaning {
    /// A length of time.
    Duration(Nanoseconds),
    /// A number of bytes.
    Size(u64),
    /// An address.
    Address(Address),
}

/// What would be if the candidate that decides now were not there.
#[derive(Clone, Debug)]
pub struct Without {
    /// How the setting would be.
    pub status: Status,
    /// Whether it would be secret.
    pub secret: bool,
    /// Its value, unless it would be secret.
    pub value: Option<Value>,
    /// The layer that would decide, its source, and the place there, as text.
    pub decided_by: Option<(LayerIndex, Place, String)>,
}

impl Explanation {
    /// Answers for the setting at `key`, without the reasons.
    pub fn of(answers: &Answers<'_>, key: KeyId) -> Explanation {
        let resolution = answers.resolution();
        let outcome = answers.outcome(key);
        let status = match &outcome.result {
            Ok(Some(_)) => Status::Set,
            Ok(None) => Status::Absent,
            Err(failure) if failure.code == UNREADABLE => {
                Status::Unreadable { because: failure.from_here() }
            }
            Err(failure) if failure.code == UNCERTAIN => {
                Status::Uncertain { because: failure.from_here() }
            }
            Err(failure) => Status::Error { code: failure.code, fact: failure.from_here() },
        };
        let mut conversion = outcome.conversion.clone();
        if let Some(conversion) = conversion.as_mut().filter(|_| outcome.secret) {
            conversion.from = Value::Null;
        }
        let winner = resolution.winner(key).map(|winner| Provenance::of(resolution, winner));
        let secret = outcome.secret;
        let is_given = secret && Gifts::new(&|_, _| false).has(answers, key);
        Explanation { key, status, secret, winner, conversion, is_given, outcome }
    }

    /// The effective value, passwords of addresses hidden; `None` if there is none or it is secret.
    pub fn value(&self) -> Option<Value> {
        let value = self.outcome.value().filter(|_| !self.secret)?;
        Some(hide_address_password(value).into_owned())
    }

    /// The effective value, secret or not: for comparing, never for showing.
    pub fn effective(&self) -> Option<&Value> {
        self.outcome.value()
    }

    /// What the value comes to, if it is a duration, a size or an address and no secret.
    pub fn meaning(&self, answers: &Answers<'_>) -> Option<Meaning> {
        let value = self.outcome.value().filter(|_| !self.secret)?;
        let declared = answers.resolution().readings().catalogue.declared(self.key)?;
        let text = value.as_text()?;
        match declared.shape.kind {
            Declaration::Duration => read_duration(text).map(Meaning::Duration),
            Declaration::Size => read_size(text).map(Meaning::Size),
            Declaration::Url => Address::parse(text).ok().map(Meaning::Address),
            _ => None,
        }
    }

    /// The effective value of a secret, for a fingerprint; `None` if there is none or it is none.
    pub fn secret_value(&self) -> Option<&Value> {
        self.outcome.value().filter(|_| self.secret)
    }

    /// The items of a gathered list, each with its candidate; none if it is secret.
    pub fn items(&self) -> &[crate::answers::Item] {
        if self.secret { &[] } else { &self.outcome.items }
    }

    /// Why the setting is in error.
    pub fn failure(&self) -> Option<&Failure> {
        self.outcome.result.as_ref().err()
    }

    /// The sentences that show why, in the words of the project's own files and layers.
    pub fn why(&self, answers: &Answers<'_>) -> Vec<Fact> {
        sentence::why(answers, self)
    }

    /// The declared setting that was probably meant, where this one is not declared and no layer sets it.
    pub fn meant(&self, answers: &Answers<'_>) -> Option<KeyId> {
        let is_set = answers.resolution().candidates(self.key).next().is_some();
        if is_set { None } else { sentence::meant(answers, self.key) }
    }

    /// What became of the value, and what the reader should know about the layer that wins.
    pub fn notes(&self, answers: &Answers<'_>) -> Vec<Fact> {
        sentence::notes(answers, self)
    }

    /// Every layer, strongest first, with its candidates or why it has none.
    pub fn rows(&self, answers: &Answers<'_>) -> Vec<Row> {
        because::rows(answers, self.key)
    }

    /// The settings above and below it that the effective value takes the place of.
    pub fn replaces(&self, answers: &Answers<'_>) -> Vec<KeyId> {
        match &self.winner {
            Some(winner) => sentence::reshaped_by(answers, winner.candidate),
            None => Vec::new(),
        }
    }

    /// The weaker candidate, and its type, that the string would have got if it fitted.
    pub fn stays_string(
        &self,
        answers: &Answers<'_>,
    ) -> Option<(CandidateId, crate::model::value::Type)> {
        let winner = self.winner.as_ref()?;
        sentence::kept_as_string(answers, self, answers.resolution().candidate(winner.candidate))
    }

    /// How to give the setting another value from here.
    pub fn advice(&self, answers: &Answers<'_>) -> Vec<Advice> {
        advice::advice(answers, self)
    }

    /// Every way to give the setting a value from here, strongest layer first.
    pub fn ways(&self, answers: &Answers<'_>) -> Vec<Advice> {
        advice::ways(answers, self)
    }

    /// Whether it is in error because an empty text is where none is allowed.
    pub fn refuses_empty(&self) -> bool {
        self.failure().is_some_and(|failure| failure.fact.form() == EMPTY_REFUSED)
    }

    /// What would be if the candidate that decides now were taken out of its source. Nothing if no
    /// candidate decides, or if the sources could not be read then.
    pub fn without(&self, answers: &Answers<'_>) -> Option<Without> {
        let resolution = answers.resolution();
        let candidate = resolution.candidate(self.winner.as_ref()?.candidate);
        let input = resolution.readings().input_of(candidate.reading)?;
        let leaves = resolution.reading(candidate).parts_of(candidate.leaf);
        let edits: Vec<Edit> =
            leaves.into_iter().map(|leaf| Edit::TakeOut { input, leaf }).collect();
        let trial = Trial::of(answers, &edits)?;
        let then = trial.answers();
        let explanation = Explanation::of(&then, self.key);
        let keys = then.resolution().keys();
        let decided_by = explanation.winner.as_ref().map(|winner| {
            let place = winner.show(keys);
            (winner.layer, winner.place.clone(), place)
        });
        Some(Without {
            status: explanation.status.clone(),
            // What is secret now is not told either.
            secret: explanation.secret || self.secret,
            value: explanation.value().filter(|_| !self.secret),
            decided_by,
        })
    }
}

/// `place` of a candidate.
fn place_of(answers: &Answers<'_>, candidate: &Candidate) -> String {
    let resolution = answers.resolution();
    let (reading, leaf) = (resolution.reading(candidate), resolution.leaf(candidate));
    let place = reading.place_of(leaf);
    let name = || name_of(resolution, reading, leaf.name);
    match &place.origin {
        _ if place.has_line() => place.to_string(),
        Origin::Arguments if leaf.value == Value::Null => "--unset".to_owned(),
        Origin::Arguments => "--set".to_owned(),
        Origin::Process => format!("environment variable {}", name()),
        origin => format!("{} in {origin}", name()),
    }
}

/// Whether what a candidate has must not be shown.
pub(crate) fn hides(answers: &Answers<'_>, candidate: &Candidate) -> bool {
    answers.is_secret(candidate.key) || answers.resolution().hides(candidate)
}

/// Settings that only this layer has, which sets nothing about `key`, and whose names are nearly its.
/// `nearly` are the settings of such names.
pub(crate) fn near_keys(
    answers: &Answers<'_>,
    layer: LayerIndex,
    key: KeyId,
    nearly: &[KeyId],
) -> Vec<NearName> {
    let resolution = answers.resolution();
    let readings = resolution.readings();
    let is_its = |id: &CandidateId| resolution.layer_of(resolution.candidate(*id)) == layer;
    if nearly.is_empty() || resolution.candidates(key).any(|id| is_its(&id)) {
        return Vec::new();
    }
    let Some(meant) = readings.name_in(layer, key) else { return Vec::new() };
    let mut near = Vec::new();
    for other in nearly.iter().copied() {
        let is_meant = readings.catalogue.declared(other).is_some()
            || !resolution.candidates(other).all(|id| is_its(&id));
        let Some(id) = resolution.candidates(other).next().filter(|_| !is_meant) else {
            continue;
        };
        let candidate = resolution.candidate(id);
        let stand = Provenance::of(resolution, id);
        near.push(NearName {
            name: resolution.keys().show(resolution.leaf(candidate).name),
            meant: meant.to_string(),
            place: stand.place,
            reading: candidate.reading,
            leaf: candidate.leaf,
        });
    }
    near
}

/// What a candidate has, for a sentence: its value, or that it is secret.
pub(crate) fn shown(answers: &Answers<'_>, candidate: &Candidate) -> String {
    if hides(answers, candidate) {
        return "(secret)".to_owned();
    }
    if answers.resolution().leaf(candidate).value == Value::Unread {
        return "(cannot be read)".to_owned();
    }
    let value = hide_address_password(&answers.resolution().leaf(candidate).value).show();
    let shown = shorten(&value, 60);
    match raw(answers, candidate) {
        Some(raw) => format!("{shown}, written {}", shorten(raw, 60)),
        None => shown,
    }
}

/// The characters of what a candidate has, where a reader of the format changes them.
pub(crate) fn raw<'a>(answers: &'a Answers<'_>, candidate: &Candidate) -> Option<&'a str> {
    let is_shown = !hides(answers, candidate);
    answers.resolution().raw(candidate).filter(|_| is_shown)
}

/// At most `most` characters of a value that a sentence mentions.
fn shorten(text: &str, most: usize) -> String {
    match text.char_indices().nth(most) {
        Some((end, _)) => format!("{}…", &text[..end]),
        None => text.to_owned(),
    }
}

fn layer_name<'r>(answers: &'r Answers<'_>, candidate: &Candidate) -> &'r str {
    let resolution = answers.resolution();
    &resolution.readings().layer(resolution.layer_of(candidate)).name
}

/// The name by which the layer would set the setting, if it reads variables.
fn variable_in(answers: &Answers<'_>, layer: LayerIndex, key: KeyId) -> Option<String> {
    answers.resolution().readings().variable(layer, key)
}

/// The number of the reading, and the reading, of each source of a layer.
pub(crate) fn sources_of<'r>(
    answers: &'r Answers<'_>,
    layer: LayerIndex,
) -> impl Iterator<Item = &'r Reading> + use<'r> {
    let readings = answers.resolution().readings().readings.iter().map(|reading| &**reading);
    readings.filter(move |reading| reading.layer == layer && !reading.is_removal)
}
