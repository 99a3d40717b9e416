//! The JSON that programs read: one object, the same head for every command.

use crate::fingerprint::Fingerprints;
use justwhy_core::{
    Advice, CandidateId, Context, Explanation, LayerIndex, NearName, Position, Resolution, Row,
    Stand, Status, Value,
};
use justwhy_sources::Error;
use serde::ser::{SerializeMap as _, SerializeSeq as _};
use serde::{Serialize, Serializer};

/// The version of this form of output.
const VERSION: u8 = 1;

/// The text of a whole answer, with a line end.
pub(crate) fn text(answer: &impl Serialize) -> String {
    // Nothing that is serialised here can fail: every map has texts for names.
    let mut text = serde_json::to_string(answer).unwrap_or_default();
    text.push('\n');
    text
}

/// The head and what the command adds to it.
#[derive(Serialize)]
pub(crate) struct Answer<'a, B: Serialize> {
    justwhy: u8,
    command: &'static str,
    context: ShownContext<'a>,
    #[serde(flatten)]
    body: B,
}

impl<'a, B: Serialize> Answer<'a, B> {
    pub(crate) fn new(command: &'static str, context: &'a Context, body: B) -> Answer<'a, B> {
        Answer { justwhy: VERSION, command, context: ShownContext(context), body }
    }
}

struct ShownContext<'a>(&'a Context);

impl Serialize for ShownContext<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        for (axis, value) in self.0.set() {
            map.serialize_entry(axis, value)?;
        }
        map.end()
    }
}

/// A value; `inf` and `nan`, which JSON has not, are texts.
pub(crate) struct ShownValue(pub(crate) Value);

impl Serialize for ShownValue {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serialize(&self.0, serializer)
    }
}

struct Borrowed<'v>(&'v Value);

impl Serialize for Borrowed<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serialize(self.0, serializer)
    }
}

fn serialize<S: Serializer>(value: &Value, serializer: S) -> Result<S::Ok, S::Error> {
    match value {
        Value::Null => serializer.serialize_none(),
        Value::Boolean(value) => serializer.serialize_bool(*value),
        Value::Integer(value) => serializer.serialize_i64(*value),
        Value::Number(number) if number.is_finite() => serializer.serialize_f64(*number),
        Value::Number(_) => serializer.serialize_str(&value.show()),
        Value::Text(text) => serializer.serialize_str(text),
        Value::List(items) => {
            let mut list = serializer.serialize_seq(Some(items.len()))?;
            for item in items.iter() {
                list.serialize_element(&Borrowed(&item.value))?;
            }
            list.end()
        }
        Value::Map(entries) => {
            let mut map = serializer.serialize_map(Some(entries.len()))?;
            for entry in entries.iter() {
                map.serialize_entry(entry.name.as_ref(), &Borrowed(&entry.value))?;
            }
            map.end()
        }
    }
}

/// Where a candidate stands.
#[derive(Serialize)]
struct Standing {
    layer: String,
    source: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<usize>,
    #[serde(skip_serializing_if = "Option::is_none")]
    column: Option<usize>,
    name: String,
}

impl Standing {
    fn of(resolution: &Resolution<'_>, winner: &Stand) -> Standing {
        Standing {
            layer: layer_name(resolution, winner.layer),
            source: winner.source.to_string(),
            line: winner.position.map(|position| position.line),
            column: winner.position.map(|position| position.column),
            name: resolution.keys().show(winner.name),
        }
    }
}

fn layer_name(resolution: &Resolution<'_>, layer: LayerIndex) -> String {
    resolution.readings().layer(layer).name.clone()
}

#[derive(Serialize)]
struct Wrong<'a> {
    code: &'a str,
    message: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    source: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<usize>,
    #[serde(skip_serializing_if = "Option::is_none")]
    column: Option<usize>,
}

/// A setting, as every command shows it.
#[derive(Serialize)]
pub(crate) struct Setting {
    key: String,
    status: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    value: Option<ShownValue>,
    secret: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    fingerprint: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    error: Option<SettingError>,
    #[serde(skip_serializing_if = "Option::is_none")]
    winner: Option<Standing>,
    #[serde(flatten)]
    reasons: Option<Reasons>,
}

#[derive(Serialize)]
struct SettingError {
    code: &'static str,
    message: String,
}

/// What only `explain` adds.
#[derive(Serialize)]
struct Reasons {
    why: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    conversion: Option<Converted>,
    candidates: Vec<Said>,
    layers: Vec<Unsaid>,
    change: Vec<Change>,
}

#[derive(Serialize)]
struct Converted {
    to: &'static str,
    like: Standing,
}

#[derive(Serialize)]
struct Said {
    #[serde(flatten)]
    stand: Standing,
    #[serde(skip_serializing_if = "Option::is_none")]
    written: Option<ShownValue>,
    verdict: &'static str,
    because: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    by: Option<Standing>,
    #[serde(skip_serializing_if = "Option::is_none")]
    through: Option<String>,
}

#[derive(Serialize)]
struct Unsaid {
    layer: String,
    state: &'static str,
    because: String,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    near: Vec<Near>,
}

#[derive(Serialize)]
pub(crate) struct Near {
    name: String,
    meant: String,
    source: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<usize>,
}

impl Near {
    pub(crate) fn of(near: &NearName) -> Near {
        Near {
            name: near.name.clone(),
            meant: near.meant.clone(),
            source: near.source.clone(),
            line: near.line,
        }
    }
}

#[derive(Serialize)]
struct Change {
    layer: String,
    at: String,
    write: String,
    #[serde(skip_serializing_if = "String::is_empty")]
    reach: String,
}

impl Setting {
    /// A setting as `list` shows it.
    pub(crate) fn of(
        resolution: &Resolution<'_>,
        explanation: &Explanation,
        fingerprints: &Fingerprints,
    ) -> Setting {
        let error = match &explanation.status {
            Status::Error { code, message } => {
                Some(SettingError { code, message: message.clone() })
            }
            _ => None,
        };
        Setting {
            key: resolution.keys().show(explanation.key),
            status: explanation.status.name(),
            value: explanation.value().map(ShownValue),
            secret: explanation.secret,
            fingerprint: explanation.secret_value().map(|value| fingerprints.of(value)),
            error,
            winner: explanation.winner.as_ref().map(|winner| Standing::of(resolution, winner)),
            reasons: None,
        }
    }

    /// A setting as `explain` shows it.
    pub(crate) fn with_reasons(
        resolution: &Resolution<'_>,
        explanation: &Explanation,
        fingerprints: &Fingerprints,
    ) -> Setting {
        let mut candidates = Vec::new();
        let mut layers = Vec::new();
        for row in explanation.rows(resolution) {
            match row {
                Row::Said { at, written, verdict, by, because, through } => candidates.push(Said {
                    stand: Standing::of(resolution, &at),
                    written: written.map(ShownValue),
                    verdict: verdict.name(),
                    because,
                    by: by.map(|by| stand_of(resolution, by)),
                    through,
                }),
                Row::Unsaid { layer, state, because, near } => layers.push(Unsaid {
                    layer: layer_name(resolution, layer),
                    state: state.name(),
                    because,
                    near: near.iter().map(Near::of).collect(),
                }),
            }
        }
        let change = |advice: Advice| Change {
            layer: layer_name(resolution, advice.layer),
            at: advice.at,
            write: advice.write,
            reach: advice.reach,
        };
        let conversion = explanation.conversion.as_ref().map(|conversion| Converted {
            to: conversion.to.name(),
            like: stand_of(resolution, conversion.like),
        });
        let reasons = Reasons {
            why: explanation.why(resolution),
            conversion,
            candidates,
            layers,
            change: explanation.advice(resolution).into_iter().map(change).collect(),
        };
        Setting { reasons: Some(reasons), ..Setting::of(resolution, explanation, fingerprints) }
    }
}

fn stand_of(resolution: &Resolution<'_>, candidate: CandidateId) -> Standing {
    Standing::of(resolution, &Stand::of(resolution, candidate))
}

#[derive(Serialize)]
struct Failure<'a> {
    justwhy: u8,
    error: Wrong<'a>,
}

/// What a program reads when something could not be done.
pub(crate) fn failure(error: &Error) -> String {
    let spot = error.spot();
    let position: Option<Position> = spot.and_then(|spot| spot.position);
    text(&Failure {
        justwhy: VERSION,
        error: Wrong {
            code: error.code(),
            message: error.message(),
            source: spot.map(|spot| spot.source.as_str()),
            line: position.map(|position| position.line),
            column: position.map(|position| position.column),
        },
    })
}
