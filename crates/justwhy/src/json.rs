//! The JSON that programs read: one object, the same head for every command.

use crate::fingerprint::Fingerprints;
use justwhy_core::{
    Advice, Answers, CandidateId, Context, Explanation, Fact, Item, LayerIndex, Meaning, NearName,
    Place, Position, Provenance, Resolution, Status, Type, Value, Without, hide_address_password,
};
use justwhy_project::Error;
use serde::ser::{SerializeMap as _, SerializeSeq as _};
use serde::{Serialize, Serializer};
use serde_json::value::RawValue;
use std::borrow::Cow;
use std::cell::RefCell;
use std::hash::{Hash, Hasher};

mod declared;
mod hops;
mod listing;
mod rows;
#[cfg(test)]
mod tests;

use declared::{ShownAddress, ShownAmount, ShownDeclaration};
use hops::{ShownHop, ShownWithout};
pub(crate) use listing::{Items, Listing};
use rows::{Said, Unsaid, rows};

/// A word of the output's own: one of few.
pub(crate) type Word = Cow<'static, str>;

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
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct Answer<'a, B: Serialize> {
    justwhy: u8,
    command: Word,
    context: BorrowedContext<'a>,
    #[serde(flatten)]
    body: B,
}

impl<'a, B: Serialize> Answer<'a, B> {
    pub(crate) fn new(command: impl Into<Word>, context: &'a Context, body: B) -> Answer<'a, B> {
        Answer {
            justwhy: VERSION,
            command: command.into(),
            context: BorrowedContext(context),
            body,
        }
    }
}

/// The axes of a context that have a value.
#[derive(Clone)]
pub(crate) struct ShownContext(pub(crate) Context);

impl Serialize for ShownContext {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        BorrowedContext(&self.0).serialize(serializer)
    }
}

pub(crate) struct BorrowedContext<'a>(&'a Context);

impl Serialize for BorrowedContext<'_> {
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

/// Reads a value that is there: a null is one, unlike nothing.
#[cfg(test)]
pub(crate) fn present<'de, D>(deserializer: D) -> Result<Option<ShownValue>, D::Error>
where
    D: serde::Deserializer<'de>,
{
    serde::Deserialize::deserialize(deserializer).map(Some)
}

struct Borrowed<'v>(&'v Value);

impl Serialize for Borrowed<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serialize(self.0, serializer)
    }
}

fn serialize<S: Serializer>(value: &Value, serializer: S) -> Result<S::Ok, S::Error> {
    match value {
        // What cannot be read is never shown, nor what is secret.
        Value::Null | Value::Unread => serializer.serialize_none(),
        Value::Text(text) if text.is_secret() => serializer.serialize_none(),
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

/// The place of a candidate.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
#[cfg_attr(test, schemars(rename = "Standing"))]
pub(crate) struct ShownProvenance {
    layer: String,
    #[serde(skip)]
    rank: usize,
    #[serde(flatten)]
    place: ShownPlace,
    name: String,
}

impl ShownProvenance {
    pub(crate) fn layer(&self) -> &str {
        &self.layer
    }

    pub(crate) fn rank(&self) -> usize {
        self.rank
    }

    pub(crate) fn of(resolution: &Resolution, winner: &Provenance) -> ShownProvenance {
        ShownProvenance {
            layer: layer_name(resolution, winner.layer),
            rank: winner.layer.0,
            place: ShownPlace::of(&winner.place),
            name: winner.shown_name(resolution.keys()),
        }
    }
}

fn layer_name(resolution: &Resolution, layer: LayerIndex) -> String {
    resolution.readings().layer(layer).name.clone()
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct Wrong {
    code: Word,
    message: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    source: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<usize>,
    #[serde(skip_serializing_if = "Option::is_none")]
    column: Option<usize>,
}

/// A setting, as every command shows it.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct Setting {
    key: String,
    status: Word,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(test, serde(deserialize_with = "crate::json::present"))]
    value: Option<ShownValue>,
    secret: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    fingerprint: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    error: Option<SettingError>,
    /// Why the value is unknown.
    #[serde(skip_serializing_if = "Option::is_none")]
    because: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    winner: Option<ShownProvenance>,
    #[serde(flatten)]
    reasons: Option<Reasons>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct SettingError {
    code: Word,
    message: String,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    way: Vec<String>,
}

/// What only `explain` adds.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct Reasons {
    why: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    declared: Option<ShownDeclaration>,
    #[serde(skip_serializing_if = "Option::is_none")]
    amount: Option<ShownAmount>,
    #[serde(skip_serializing_if = "Option::is_none")]
    address: Option<ShownAddress>,
    #[serde(skip_serializing_if = "Option::is_none")]
    conversion: Option<Converted>,
    #[serde(skip_serializing_if = "Option::is_none")]
    stays_string: Option<Converted>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    replaces: Vec<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    items: Vec<ShownItem>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    references: Vec<ShownHop>,
    #[serde(skip_serializing_if = "Option::is_none")]
    without: Option<ShownWithout>,
    candidates: Vec<Said>,
    layers: Vec<Unsaid>,
    change: Vec<Change>,
}

/// The type that a string got: that of a weaker candidate, or else the declared one.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct Converted {
    to: Word,
    #[serde(skip_serializing_if = "Option::is_none")]
    like: Option<ShownProvenance>,
}

/// A place in a source.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct ShownPlace {
    source: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<usize>,
    #[serde(skip_serializing_if = "Option::is_none")]
    column: Option<usize>,
}

impl ShownPlace {
    pub(crate) fn of(place: &Place) -> ShownPlace {
        let position = place.position();
        ShownPlace {
            source: place.origin.to_string(),
            line: position.map(|position| position.line),
            column: position.map(|position| position.column),
        }
    }
}

/// An item of a gathered list, and its place.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownItem {
    value: ShownValue,
    layer: String,
    #[serde(flatten)]
    place: ShownPlace,
}

impl ShownItem {
    fn of(resolution: &Resolution, item: &Item) -> ShownItem {
        let reading = resolution.reading(resolution.candidate(item.candidate));
        ShownItem {
            value: ShownValue(hide_address_password(&item.value).into_owned()),
            layer: layer_name(resolution, reading.layer),
            place: ShownPlace::of(&reading.place_at(item.at)),
        }
    }
}

pub(crate) fn is_false(value: &bool) -> bool {
    !*value
}

pub(crate) fn is_zero(count: &usize) -> bool {
    *count == 0
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
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
            source: near.place.origin.to_string(),
            line: near.line(),
        }
    }
}

/// A way to give a setting a value.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct Change {
    layer: String,
    at: String,
    write: String,
    #[serde(default, skip_serializing_if = "String::is_empty")]
    reach: String,
    /// The command line that writes it there, if one can, with `VALUE` for the value.
    #[serde(skip_serializing_if = "Option::is_none")]
    command: Option<String>,
}

impl Change {
    pub(crate) fn of(answers: &Answers<'_>, answer: &Explanation, advice: Advice) -> Change {
        Change {
            command: crate::putting::command(answers, answer, advice.layer),
            layer: layer_name(answers.resolution(), advice.layer),
            at: advice.at.to_string(),
            write: advice.write,
            reach: advice.reach,
        }
    }
}

/// An answer as JSON: two are the same if they are written in the same way.
#[derive(Clone, Serialize)]
#[cfg_attr(test, derive(serde::Deserialize))]
#[serde(transparent)]
pub(crate) struct Written(pub(crate) Box<RawValue>);

impl Written {
    pub(crate) fn of(setting: &Setting) -> Written {
        thread_local! {
            static BUFFER: RefCell<Vec<u8>> = const { RefCell::new(Vec::new()) };
        }
        // A text that grows is moved again and again, and memory that goes round between threads is
        // locked each time.
        let text = BUFFER.with_borrow_mut(|buffer| {
            buffer.clear();
            // Neither writing to memory nor serialising here can fail, and JSON is UTF-8.
            let _ = serde_json::to_writer(&mut *buffer, setting);
            std::str::from_utf8(buffer).map(str::to_owned).unwrap_or_default()
        });
        Written(RawValue::from_string(text).unwrap_or_default())
    }
}

impl PartialEq for Written {
    fn eq(&self, other: &Written) -> bool {
        self.0.get() == other.0.get()
    }
}

impl Eq for Written {}

impl Hash for Written {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.0.get().hash(state);
    }
}

impl Setting {
    /// A setting as `list` shows it.
    pub(crate) fn of(
        resolution: &Resolution,
        explanation: &Explanation,
        fingerprints: &Fingerprints,
    ) -> Setting {
        let error = match &explanation.status {
            Status::Error { code, fact } => {
                let way = explanation.failure().map(|failure| failure.way.clone());
                let way = way.unwrap_or_default();
                Some(SettingError { code: (*code).into(), message: fact.to_string(), way })
            }
            _ => None,
        };
        Setting {
            key: resolution.keys().show(explanation.key),
            status: explanation.status.name().into(),
            value: fingerprints.shown(explanation).map(ShownValue),
            secret: explanation.secret,
            fingerprint: explanation
                .secret_value()
                .map(|value| fingerprints.of(explanation, value)),
            error,
            because: match &explanation.status {
                Status::Unreadable { because } | Status::Uncertain { because } => {
                    Some(because.to_string())
                }
                _ => None,
            },
            winner: explanation
                .winner
                .as_ref()
                .map(|winner| ShownProvenance::of(resolution, winner)),
            reasons: None,
        }
    }

    /// The same with nothing of its value, as another version of the setting is secret.
    pub(crate) fn hidden(self) -> Setting {
        let error =
            self.error.map(|error| SettingError { message: error.code.to_string(), ..error });
        Setting { value: None, secret: true, fingerprint: None, error, ..self }
    }

    /// A setting as `explain` shows it.
    pub(crate) fn with_reasons(
        answers: &Answers<'_>,
        explanation: &Explanation,
        without: Option<Without>,
        fingerprints: &Fingerprints,
    ) -> Setting {
        let resolution = answers.resolution();
        let (candidates, layers) = rows(answers, explanation);
        let converted = |(like, to): (Option<CandidateId>, Type)| Converted {
            to: to.name().into(),
            like: like.map(|like| stand_of(resolution, like)),
        };
        let conversion = explanation.conversion.as_ref();
        let conversion = conversion.map(|conversion| converted((conversion.like, conversion.to)));
        let (mut amount, mut address) = (None, None);
        match explanation.meaning(answers) {
            // Whole microseconds are exact in a 64-bit float up to some 285 years.
            Some(Meaning::Duration(time)) => {
                amount = Some(ShownAmount::Seconds(time as f64 / 1e9));
            }
            Some(Meaning::Size(bytes)) => amount = Some(ShownAmount::Bytes(bytes)),
            Some(Meaning::Address(parts)) => address = Some(ShownAddress::of(parts)),
            None => {}
        }
        let reshaped = explanation.replaces(answers);
        let items = explanation.items().iter().map(|item| ShownItem::of(resolution, item));
        let reasons = Reasons {
            why: explanation.why(answers).iter().map(Fact::to_string).collect(),
            declared: ShownDeclaration::of(resolution, explanation.key),
            amount,
            address,
            conversion,
            stays_string: explanation
                .stays_string(answers)
                .map(|(like, to)| converted((Some(like), to))),
            replaces: reshaped.into_iter().map(|key| resolution.keys().show(key)).collect(),
            items: items.collect(),
            references: answers.chain(explanation.key).into_iter().map(ShownHop::of).collect(),
            without: without.map(|without| ShownWithout::of(resolution, without)),
            candidates,
            layers,
            change: explanation
                .advice(answers)
                .into_iter()
                .map(|it| Change::of(answers, explanation, it))
                .collect(),
        };
        Setting { reasons: Some(reasons), ..Setting::of(resolution, explanation, fingerprints) }
    }
}

fn stand_of(resolution: &Resolution, candidate: CandidateId) -> ShownProvenance {
    ShownProvenance::of(resolution, &Provenance::of(resolution, candidate))
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct Failure {
    justwhy: u8,
    error: Wrong,
}

/// What a program reads when something could not be done.
pub(crate) fn failure(error: &Error) -> String {
    let place = error.place();
    let position: Option<Position> = place.and_then(Place::position);
    text(&Failure {
        justwhy: VERSION,
        error: Wrong {
            code: error.code().into(),
            message: error.message().to_owned(),
            source: place.map(|place| place.origin.name().to_owned()),
            line: position.map(|position| position.line),
            column: position.map(|position| position.column),
        },
    })
}
