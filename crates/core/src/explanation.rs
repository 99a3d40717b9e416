//! Explanations: why a setting has the value that it has.

use crate::resolution::Verdict;
use crate::{
    Candidate, CandidateId, Conversion, KeyId, Keys, Kind, LayerIndex, NearName, Position,
    Presence, Resolution, Value, hide_address_password,
};
use std::fmt::Write as _;
use std::sync::Arc;

mod advice;
mod because;
mod sentence;

pub use advice::Advice;

/// How a setting stands in a context.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Status {
    /// It has a value.
    Set,
    /// It has none.
    Absent,
    /// Its strongest candidate cannot be used; a weaker one never stands in.
    Error {
        /// The code of the error.
        code: &'static str,
        /// What is wrong, without any secret.
        message: String,
    },
}

impl Status {
    /// The status's name.
    pub fn name(&self) -> &'static str {
        match self {
            Status::Set => "set",
            Status::Absent => "absent",
            Status::Error { .. } => "error",
        }
    }
}

/// Where a candidate stands.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Stand {
    /// The candidate.
    pub candidate: CandidateId,
    /// Its layer.
    pub layer: LayerIndex,
    /// Its source.
    pub source: Arc<str>,
    /// Its line and column, if the source has lines.
    pub position: Option<Position>,
    /// The name that the setting has in the source, as a key.
    pub name: KeyId,
}

impl Stand {
    /// Where `candidate` stands.
    pub fn of(resolution: &Resolution<'_>, id: CandidateId) -> Stand {
        let candidate = resolution.candidate(id);
        let reading = resolution.reading(candidate);
        let leaf = resolution.leaf(candidate);
        Stand {
            candidate: id,
            layer: reading.layer,
            source: Arc::clone(&reading.source),
            position: reading.document.position(leaf.at),
            name: leaf.name,
        }
    }

    /// `source:line:column`; where the source has no lines, what is said there: a variable's name
    /// or an option.
    pub fn place(&self, keys: &Keys) -> String {
        let mut place = String::new();
        self.push_place(&mut place, keys);
        place
    }

    /// Writes the place as [`Stand::place`] gives it.
    pub fn push_place(&self, out: &mut String, keys: &Keys) {
        match (self.position, self.source.as_ref()) {
            (Some(Position { line, column }), source) => {
                // Writing to a String cannot fail.
                let _ = write!(out, "{source}:{line}:{column}");
            }
            (None, "arguments") => out.push_str("--set or --unset"),
            (None, _) => {
                out.push_str("the variable ");
                keys.push_shown(out, self.name);
            }
        }
    }
}

/// One rung of an explanation.
#[derive(Clone, Debug)]
pub enum Row {
    /// A candidate and what became of it.
    Said {
        /// Where it stands.
        at: Stand,
        /// What the source says, before conversion; `None` if the setting is secret.
        written: Option<Value>,
        /// What became of it.
        verdict: Verdict,
        /// The candidate that did that to it.
        by: Option<CandidateId>,
        /// Why, as a sentence.
        because: String,
        /// The YAML anchor through which it came.
        through: Option<String>,
    },
    /// A layer without a candidate.
    Unsaid {
        /// The layer.
        layer: LayerIndex,
        /// Its state.
        state: LayerState,
        /// Why, as a sentence.
        because: String,
        /// Variables that were probably meant for this setting.
        near: Vec<NearName>,
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
}

impl LayerState {
    /// The state of a layer that has no candidate, by what there is of it.
    pub fn of(presence: &Presence) -> LayerState {
        match presence {
            Presence::Read => LayerState::Silent,
            Presence::Inactive(_) => LayerState::Inactive,
            Presence::Missing { .. } => LayerState::Missing,
        }
    }

    /// The state's name.
    pub fn name(self) -> &'static str {
        match self {
            LayerState::Silent => "silent",
            LayerState::Inactive => "inactive",
            LayerState::Missing => "missing",
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
    /// How it stands.
    pub status: Status,
    /// Whether it is secret.
    pub secret: bool,
    /// Where the value was written; also for a setting in error.
    pub winner: Option<Stand>,
    /// What conversion did. Its text is `Value::Null` if the setting is secret.
    pub conversion: Option<Conversion>,
    value: Option<Value>,
}

impl Explanation {
    /// Answers for the setting at `key`, without the reasons.
    pub fn of(resolution: &Resolution<'_>, key: KeyId) -> Explanation {
        let secret = resolution.secrets().has(key);
        let Some(winner) = resolution.winner(key) else {
            return Explanation {
                key,
                status: Status::Absent,
                secret,
                winner: None,
                conversion: None,
                value: None,
            };
        };
        let candidate = resolution.candidate(winner);
        let (value, mut conversion) = resolution.converted(winner);
        if let Some(conversion) = conversion.as_mut().filter(|_| secret) {
            conversion.from = Value::Null;
        }
        let kind = resolution.readings().layer(resolution.layer_of(candidate)).kind;
        let status = if expands_references(kind) && holds_reference(&value) {
            Status::Error {
                code: "unresolved-reference",
                message: "it refers to something by `${…}`, and references are not supported yet"
                    .to_owned(),
            }
        } else {
            Status::Set
        };
        let value = (status == Status::Set).then_some(value);
        let winner = Some(Stand::of(resolution, winner));
        Explanation { key, status, secret, winner, conversion, value }
    }

    /// The effective value, passwords of addresses hidden; `None` if there is none or it is secret.
    pub fn value(&self) -> Option<Value> {
        let value = self.value.as_ref().filter(|_| !self.secret)?;
        Some(hide_address_password(value).into_owned())
    }

    /// The effective value of a secret, for a fingerprint; `None` if there is none or it is none.
    pub fn secret_value(&self) -> Option<&Value> {
        self.value.as_ref().filter(|_| self.secret)
    }

    /// The sentences that say why, in the words of the project's own files and layers.
    pub fn why(&self, resolution: &Resolution<'_>) -> Vec<String> {
        sentence::why(resolution, self)
    }

    /// Every layer, strongest first, with what it says or why it says nothing.
    pub fn rows(&self, resolution: &Resolution<'_>) -> Vec<Row> {
        because::rows(resolution, self.key)
    }

    /// How to give the setting another value from here.
    pub fn advice(&self, resolution: &Resolution<'_>) -> Vec<Advice> {
        advice::advice(resolution, self)
    }
}

fn place(source: &str, position: Option<Position>) -> String {
    match position {
        Some(Position { line, column }) => format!("{source}:{line}:{column}"),
        None => source.to_owned(),
    }
}

/// `place` of a candidate.
fn place_of(resolution: &Resolution<'_>, candidate: &Candidate) -> String {
    resolution.reading(candidate).place(candidate.leaf)
}

/// What a candidate says, for a sentence: its value, or that it is secret.
fn shown(resolution: &Resolution<'_>, candidate: &Candidate) -> String {
    if resolution.secrets().has(candidate.key) {
        return "a secret".to_owned();
    }
    let value = hide_address_password(&resolution.leaf(candidate).value).show();
    shorten(&value, 60)
}

/// At most `most` characters of a value that a sentence mentions.
fn shorten(text: &str, most: usize) -> String {
    match text.char_indices().nth(most) {
        Some((end, _)) => format!("{}…", &text[..end]),
        None => text.to_owned(),
    }
}

fn layer_name<'r>(resolution: &Resolution<'r>, candidate: &Candidate) -> &'r str {
    &resolution.readings().layer(resolution.layer_of(candidate)).name
}

/// The name by which the layer would be told of the setting, if it reads variables.
fn variable_in(resolution: &Resolution<'_>, layer: LayerIndex, key: KeyId) -> Option<String> {
    match &resolution.readings().layer(layer).names {
        crate::Names::Variables(naming) => Some(naming.variable(resolution.keys(), key)),
        crate::Names::Keys => None,
    }
}

fn expands_references(kind: Kind) -> bool {
    !matches!(kind, Kind::Process | Kind::Arguments)
}

fn holds_reference(value: &Value) -> bool {
    match value {
        Value::Text(text) => text.contains("${"),
        Value::List(items) => items.iter().any(|item| holds_reference(&item.value)),
        Value::Map(entries) => entries.iter().any(|entry| holds_reference(&entry.value)),
        _ => false,
    }
}
