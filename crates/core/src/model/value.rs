//! Values of settings.

use crate::model::place::Span;
use crate::model::text::Text;
use std::fmt::Write as _;
use std::sync::Arc;
use zeroize::Zeroizing;

#[cfg(test)]
mod tests;

/// A value as a source has it, or as it takes effect.
///
/// Texts, lists and maps are shared, so that a clone costs a count.
#[derive(Clone, PartialEq, Debug)]
pub enum Value {
    /// A written null.
    Null,
    /// True or false.
    Boolean(bool),
    /// A whole number of 64 bits.
    Integer(i64),
    /// A floating-point number.
    Number(f64),
    /// A text; dates are texts too, as written.
    Text(Text),
    /// A list, which is one leaf whatever is inside.
    List(Arc<[Element]>),
    /// A map inside a list. A table that is not in a list is no value but a branch of keys.
    Map(Arc<[Entry]>),
    /// One that is there and cannot be read: why is in the document's [`Note`](crate::model::note::Note).
    Unread,
}

/// One item of a list, with the place at which it is written.
#[derive(Clone, Debug)]
pub struct Element {
    /// The item.
    pub value: Value,
    /// Where it is in its source.
    pub at: Span,
}

/// One entry of a map, with the place at which its value is written.
#[derive(Clone, Debug)]
pub struct Entry {
    /// The name, as written.
    pub name: Arc<str>,
    /// The value.
    pub value: Value,
    /// Where the value is in its source.
    pub at: Span,
}

// Where an item is written does not make it another item.
impl PartialEq for Element {
    fn eq(&self, other: &Self) -> bool {
        self.value == other.value
    }
}

impl PartialEq for Entry {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name && self.value == other.value
    }
}

/// The type of a value, in the words of the catalogue.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Type {
    /// A null.
    Null,
    /// True or false.
    Boolean,
    /// A whole number.
    Integer,
    /// A floating-point number.
    Number,
    /// A text.
    Text,
    /// A list.
    List,
    /// A map.
    Map,
    /// Of a value that cannot be read.
    Unread,
}

impl Type {
    /// The type's name.
    pub fn name(self) -> &'static str {
        match self {
            Type::Null => "null",
            Type::Boolean => "boolean",
            Type::Integer => "integer",
            Type::Number => "number",
            Type::Text => "string",
            Type::List => "list",
            Type::Map => "map",
            Type::Unread => "unreadable value",
        }
    }

    /// The type with its article: `an integer`.
    pub fn with_article(self) -> &'static str {
        match self {
            Type::Null => "a null",
            Type::Boolean => "a boolean",
            Type::Integer => "an integer",
            Type::Number => "a number",
            Type::Text => "a string",
            Type::List => "a list",
            Type::Map => "a table",
            Type::Unread => "a value that cannot be read",
        }
    }
}

impl Value {
    /// Whether any text in it is such a one.
    pub(crate) fn has_text(&self, is_such: impl Fn(&str) -> bool + Copy) -> bool {
        match self {
            Value::Text(text) => is_such(text),
            Value::List(items) => items.iter().any(|item| item.value.has_text(is_such)),
            Value::Map(entries) => entries.iter().any(|entry| entry.value.has_text(is_such)),
            _ => false,
        }
    }

    /// Whether both are the same value: a whole number is, written with or without a point.
    pub fn is_same(&self, other: &Value) -> bool {
        match (self, other) {
            (Value::Integer(whole), Value::Number(number))
            | (Value::Number(number), Value::Integer(whole)) => {
                // Beyond this not every whole number is one of the others.
                whole.unsigned_abs() <= 1 << f64::MANTISSA_DIGITS && *whole as f64 == *number
            }
            (Value::List(one), Value::List(other)) => {
                one.len() == other.len()
                    && one
                        .iter()
                        .zip(other.iter())
                        .all(|(one, other)| one.value.is_same(&other.value))
            }
            (one, other) => one == other,
        }
    }

    /// The type of this value.
    pub fn kind(&self) -> Type {
        match self {
            Value::Null => Type::Null,
            Value::Boolean(_) => Type::Boolean,
            Value::Integer(_) => Type::Integer,
            Value::Number(_) => Type::Number,
            Value::Text(_) => Type::Text,
            Value::List(_) => Type::List,
            Value::Map(_) => Type::Map,
            Value::Unread => Type::Unread,
        }
    }

    /// The text, if this is one.
    pub fn as_text(&self) -> Option<&str> {
        match self {
            Value::Text(text) => Some(text),
            _ => None,
        }
    }

    /// Whether this is a text without characters.
    pub fn is_empty_text(&self) -> bool {
        self.as_text().is_some_and(str::is_empty)
    }

    /// The same value with every text in it a secret one.
    #[must_use]
    pub fn hidden(self) -> Value {
        self.with_texts(&Text::hidden)
    }

    /// The same value with no text in it a secret one: for who is to be shown it.
    #[must_use]
    pub fn unhidden(self) -> Value {
        self.with_texts(&|text| (*text).into())
    }

    /// The same value with every item in it at another place.
    #[must_use]
    pub fn with_places(self, place: &dyn Fn(Span) -> Span) -> Value {
        match self {
            Value::List(items) => {
                let moved = |item: &Element| Element {
                    value: item.value.clone().with_places(place),
                    at: place(item.at),
                };
                Value::List(items.iter().map(moved).collect())
            }
            Value::Map(entries) => {
                let moved = |entry: &Entry| Entry {
                    name: Arc::clone(&entry.name),
                    value: entry.value.clone().with_places(place),
                    at: place(entry.at),
                };
                Value::Map(entries.iter().map(moved).collect())
            }
            other => other,
        }
    }

    fn with_texts(self, change: &dyn Fn(Text) -> Text) -> Value {
        match self {
            Value::Text(text) => Value::Text(change(text)),
            Value::List(items) => {
                let hidden = |item: &Element| Element {
                    value: item.value.clone().with_texts(change),
                    at: item.at,
                };
                Value::List(items.iter().map(hidden).collect())
            }
            Value::Map(entries) => {
                let hidden = |entry: &Entry| Entry {
                    name: Arc::clone(&entry.name),
                    value: entry.value.clone().with_texts(change),
                    at: entry.at,
                };
                Value::Map(entries.iter().map(hidden).collect())
            }
            other => other,
        }
    }

    /// The value in one line, as TOML would write it (`null` for a null): texts are quoted, so that
    /// an empty one, one with blanks at an end and one that looks like a number can be told. A secret
    /// text is not shown.
    pub fn show(&self) -> String {
        let mut out = String::new();
        self.push_shown(&mut out);
        out
    }

    /// Writes the value as [`Value::show`] gives it.
    pub fn push_shown(&self, out: &mut String) {
        self.push(out, false);
    }

    /// What [`Value::show`] gives, with secret texts in it: to be distinguished, not to be shown.
    pub fn revealed(&self) -> Zeroizing<String> {
        let mut out = Zeroizing::new(String::new());
        self.push(&mut out, true);
        out
    }

    fn push(&self, out: &mut String, reveals: bool) {
        match self {
            Value::Null => out.push_str("null"),
            Value::Unread => out.push_str("(unreadable)"),
            Value::Boolean(value) => out.push_str(if *value { "true" } else { "false" }),
            Value::Integer(value) => {
                out.push_str(itoa::Buffer::new().format(*value));
            }
            Value::Number(value) => push_number(out, *value),
            Value::Text(text) if text.is_secret() && !reveals => out.push_str("(secret)"),
            Value::Text(text) => push_quoted(out, text),
            Value::List(items) => {
                out.push('[');
                for (at, item) in items.iter().enumerate() {
                    if at > 0 {
                        out.push_str(", ");
                    }
                    item.value.push(out, reveals);
                }
                out.push(']');
            }
            Value::Map(entries) => {
                out.push_str("{ ");
                for (at, entry) in entries.iter().enumerate() {
                    if at > 0 {
                        out.push_str(", ");
                    }
                    push_quoted(out, &entry.name);
                    out.push_str(" = ");
                    entry.value.push(out, reveals);
                }
                out.push_str(" }");
            }
        }
    }
}

/// Writes the shortest decimal form that reads back as the same number, always with a point or exponent.
fn push_number(out: &mut String, value: f64) {
    if value.is_nan() {
        out.push_str("nan");
        return;
    }
    // Writing to a String cannot fail.
    let _ = write!(out, "{value:?}");
}

/// Whether printing `c` as it is could change what a reader sees: control characters, and the marks
/// that turn the direction of a line or hide in it.
pub fn is_unprintable(c: char) -> bool {
    c.is_control()
        || matches!(
            c,
            '\u{ad}'
                | '\u{61c}'
                | '\u{200b}'..='\u{200f}'
                | '\u{2028}'..='\u{202e}'
                | '\u{2060}'..='\u{2069}'
                | '\u{feff}'
                | '\u{e0000}'..='\u{e0fff}'
        )
}

/// Writes `text` in double quotes, with TOML's escapes for what cannot be printed as it is.
pub(crate) fn push_quoted(out: &mut String, text: &str) {
    out.push('"');
    let mut rest = text;
    loop {
        let is_plain = |byte: &u8| matches!(byte, b' '..=b'~') && !matches!(byte, b'"' | b'\\');
        let plain = rest.as_bytes().iter().take_while(|byte| is_plain(byte)).count();
        out.push_str(&rest[..plain]);
        rest = &rest[plain..];
        let Some(c) = rest.chars().next() else { break };
        rest = &rest[c.len_utf8()..];
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            '\t' => out.push_str("\\t"),
            c if is_unprintable(c) => {
                let code = c as u32;
                // Writing to a String cannot fail.
                let _ = if code > 0xffff {
                    write!(out, "\\U{code:08x}")
                } else {
                    write!(out, "\\u{code:04x}")
                };
            }
            c => out.push(c),
        }
    }
    out.push('"');
}
