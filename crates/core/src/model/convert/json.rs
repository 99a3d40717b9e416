//! Texts that are JSON.

use crate::model::place::Span;
use crate::model::value::{Element, Entry, Value};
use serde_json::Value as Json;
use std::sync::Arc;

/// A JSON list; every item is where the text is. `None` if it is none, or if a number does not
/// fit into 64 bits.
pub(super) fn list(text: &str, at: Span) -> Option<Arc<[Element]>> {
    let parsed: Json = serde_json::from_str(text).ok()?;
    match value(parsed, at)? {
        Value::List(items) => Some(items),
        _ => None,
    }
}

/// A JSON object, as [`list`].
pub(super) fn map(text: &str, at: Span) -> Option<Value> {
    let parsed: Json = serde_json::from_str(text).ok()?;
    value(parsed, at).filter(|value| matches!(value, Value::Map(_)))
}

/// The parser nests at most 128 deep, and so does this.
fn value(json: Json, at: Span) -> Option<Value> {
    Some(match json {
        Json::Null => Value::Null,
        Json::Bool(value) => Value::Boolean(value),
        Json::Number(number) if number.is_f64() => Value::Number(number.as_f64()?),
        Json::Number(number) => Value::Integer(number.as_i64()?),
        Json::String(text) => Value::Text(text.into()),
        Json::Array(items) => {
            let items = items.into_iter().map(|item| Some(Element { value: value(item, at)?, at }));
            Value::List(items.collect::<Option<_>>()?)
        }
        Json::Object(entries) => {
            let entries = entries.into_iter().map(|(name, entry)| {
                Some(Entry { name: name.into(), value: value(entry, at)?, at })
            });
            Value::Map(entries.collect::<Option<_>>()?)
        }
    })
}
