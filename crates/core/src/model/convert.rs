//! Conversion of texts to the type that other candidates of the setting have.

use crate::model::candidate::CandidateId;
use crate::model::place::Span;
use crate::model::value::{Element, Type, Value};
use std::sync::Arc;

mod address;
mod amount;
mod declared;
mod json;
#[cfg(test)]
mod tests;

pub use address::Address;
pub use amount::{Nanoseconds, read_duration, read_size, show_duration, show_size};
pub use declared::{Bound, Declaration, Matches, Misfit, Shape};

/// What became of a text that took another type.
#[derive(Clone, PartialEq, Debug)]
pub struct Conversion {
    /// The candidate whose type it took; none if the catalogue declares it.
    pub like: Option<CandidateId>,
    /// That type.
    pub to: Type,
    /// The text as written.
    pub from: Value,
}

/// Why something is no list.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum NotAList {
    /// It is of this type.
    Kind(Type),
    /// It is a text that begins as a JSON list and is none.
    BadJson,
}

impl NotAList {
    /// What it is instead, as a clause.
    pub fn show(self) -> &'static str {
        match self {
            NotAList::Kind(kind) => kind.with_article(),
            NotAList::BadJson => "a string that begins with `[`, but is not a JSON list",
        }
    }
}

/// Reads a text as a list: JSON if it begins with `[`, else split at commas and trimmed, `\,` being a
/// comma; an empty text is an empty list. Every item is where the text is.
pub fn read_list(text: &str, at: Span) -> Result<Arc<[Element]>, NotAList> {
    if text.starts_with('[') {
        return json::list(text, at).ok_or(NotAList::BadJson);
    }
    if text.is_empty() {
        return Ok(Arc::new([]));
    }
    let mut items = vec![String::new()];
    let mut rest = text.chars().peekable();
    while let Some(c) = rest.next() {
        match c {
            '\\' if rest.peek() == Some(&',') => {
                rest.next();
                items.last_mut().unwrap_or(&mut String::new()).push(',');
            }
            ',' => items.push(String::new()),
            c => items.last_mut().unwrap_or(&mut String::new()).push(c),
        }
    }
    Ok(items.iter().map(|item| Element { value: Value::Text(item.trim().into()), at }).collect())
}

/// Reads a text as a map: a JSON object.
pub(crate) fn read_map(text: &str) -> Option<Value> {
    json::map(text, Span::default())
}

/// A value as part of a longer text; an error shows what cannot be one.
pub(crate) fn show_in_text(value: &Value) -> Result<std::borrow::Cow<'_, str>, Type> {
    match value {
        Value::Text(text) => Ok(text.as_ref().into()),
        Value::Boolean(_) | Value::Integer(_) | Value::Number(_) => Ok(value.show().into()),
        Value::Null | Value::List(_) | Value::Map(_) | Value::Unread => Err(value.kind()),
    }
}

/// Reads `text` as a value of `kind` (a boolean, an integer or a number), without trimming; `None`
/// if it does not read as one.
pub fn read_like(text: &str, kind: Type) -> Option<Value> {
    match kind {
        Type::Boolean => read_boolean(text).map(Value::Boolean),
        Type::Integer => read_integer(text).map(Value::Integer),
        Type::Number => read_number(text).map(Value::Number),
        Type::Null | Type::Text | Type::List | Type::Map | Type::Unread => None,
    }
}

fn read_boolean(text: &str) -> Option<bool> {
    let is_one_of = |words: &[&str]| words.iter().any(|word| word.eq_ignore_ascii_case(text));
    if is_one_of(&["true", "yes", "on", "y", "t", "1"]) {
        Some(true)
    } else if is_one_of(&["false", "no", "off", "n", "f", "0"]) {
        Some(false)
    } else {
        None
    }
}

/// As TOML writes integers, without `_`.
fn read_integer(text: &str) -> Option<i64> {
    for (prefix, radix) in [("0x", 16), ("0o", 8), ("0b", 2)] {
        if let Some(digits) = text.strip_prefix(prefix) {
            let fine = !digits.is_empty() && digits.chars().all(|c| c.is_digit(radix));
            return fine.then(|| i64::from_str_radix(digits, radix).ok()).flatten();
        }
    }
    is_decimal(text.strip_prefix(['+', '-']).unwrap_or(text)).then(|| text.parse().ok()).flatten()
}

/// As TOML writes floats, without `_`, `inf` and `nan`; an integer is a number too.
fn read_number(text: &str) -> Option<f64> {
    if let Some(integer) = read_integer(text) {
        return Some(integer as f64);
    }
    let digits = text.strip_prefix(['+', '-']).unwrap_or(text);
    let all_digits = |text: &str| !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
    let (mantissa, exponent) = match digits.split_once(['e', 'E']) {
        Some((mantissa, exponent)) => (mantissa, Some(exponent)),
        None => (digits, None),
    };
    let (whole, fraction) = match mantissa.split_once('.') {
        Some((whole, fraction)) => (whole, Some(fraction)),
        None => (mantissa, None),
    };
    let fine = is_decimal(whole)
        && fraction.is_none_or(all_digits)
        && exponent.is_none_or(|text| all_digits(text.strip_prefix(['+', '-']).unwrap_or(text)));
    // A whole number that does not fit would be another one.
    let is_whole = fraction.is_none() && exponent.is_none();
    let value: f64 = (fine && !is_whole).then(|| text.parse().ok()).flatten()?;
    value.is_finite().then_some(value)
}

/// Digits without a leading zero.
fn is_decimal(digits: &str) -> bool {
    !digits.is_empty()
        && digits.bytes().all(|byte| byte.is_ascii_digit())
        && (digits == "0" || !digits.starts_with('0'))
}
