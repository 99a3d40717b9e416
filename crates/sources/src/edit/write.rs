//! Values as each format writes them.

use crate::tree::Fault;
use justwhy_core::{KeyPath, Span, Value};

/// The quotes in which a text stood, so that a new one stands in the same.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Quotes {
    None,
    Single,
    Double,
}

impl Quotes {
    pub(crate) fn of(written: &str) -> Quotes {
        match written.as_bytes().first() {
            Some(b'\'') => Quotes::Single,
            Some(b'"') => Quotes::Double,
            _ => Quotes::None,
        }
    }
}

/// What a format has no way to write.
pub(crate) fn unwritable(what: &str) -> Fault {
    Fault::new(Span::default(), format!("{what} cannot be written in this format"))
        .help("choose a layer of another format")
}

/// As TOML writes it.
pub(crate) fn toml(value: &Value, quotes: Quotes) -> Result<String, Fault> {
    Ok(match value {
        Value::Null => return Err(unwritable("a null")),
        Value::Unread => return Err(unwritable("a value that cannot be read")),
        Value::Text(text) => {
            let fits = !text.contains(|c: char| c == '\'' || c.is_control());
            match quotes {
                Quotes::Single if fits => ["'", text, "'"].concat(),
                // What is written is no longer hidden.
                _ => value.revealed().to_string(),
            }
        }
        Value::List(items) => {
            let items: Result<Vec<String>, Fault> =
                items.iter().map(|item| toml(&item.value, quotes)).collect();
            format!("[{}]", items?.join(", "))
        }
        Value::Map(entries) => {
            let entries: Result<Vec<String>, Fault> = entries
                .iter()
                .map(|entry| {
                    let name = KeyPath::single(entry.name.as_ref()).to_string();
                    Ok(format!("{name} = {}", toml(&entry.value, quotes)?))
                })
                .collect();
            let entries = entries?;
            match entries.is_empty() {
                true => "{}".to_owned(),
                false => format!("{{ {} }}", entries.join(", ")),
            }
        }
        Value::Boolean(_) | Value::Integer(_) | Value::Number(_) => value.show(),
    })
}

/// As JSON writes it.
pub(crate) fn json(value: &Value) -> Result<String, Fault> {
    Ok(match value {
        Value::Null => "null".to_owned(),
        Value::Unread => return Err(unwritable("a value that cannot be read")),
        Value::Boolean(_) | Value::Integer(_) => value.show(),
        Value::Number(number) if number.is_finite() => value.show(),
        Value::Number(_) => return Err(unwritable("a number without an end")),
        Value::Text(text) => json_text(text),
        Value::List(items) => {
            let items: Result<Vec<String>, Fault> =
                items.iter().map(|item| json(&item.value)).collect();
            format!("[{}]", items?.join(", "))
        }
        Value::Map(entries) => {
            let entry = |name: &str, value: &Value| -> Result<String, Fault> {
                Ok(format!("{}: {}", json_text(name), json(value)?))
            };
            let entries: Result<Vec<String>, Fault> =
                entries.iter().map(|it| entry(&it.name, &it.value)).collect();
            let entries = entries?;
            match entries.is_empty() {
                true => "{}".to_owned(),
                false => format!("{{ {} }}", entries.join(", ")),
            }
        }
    })
}

/// The short escape of a character inside of double quotes, if it has one in JSON, YAML and env files.
pub(crate) fn short_escape(c: char) -> Option<&'static str> {
    Some(match c {
        '"' => "\\\"",
        '\\' => "\\\\",
        '\n' => "\\n",
        '\r' => "\\r",
        '\t' => "\\t",
        _ => return None,
    })
}

/// A text in double quotes, as JSON and YAML read it alike.
pub(crate) fn json_text(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 2);
    out.push('"');
    for c in text.chars() {
        match c {
            c if let Some(escape) = short_escape(c) => out.push_str(escape),
            c if justwhy_core::is_unprintable(c) => {
                let mut halves = [0; 2];
                for half in c.encode_utf16(&mut halves) {
                    out.push_str(&format!("\\u{half:04x}"));
                }
            }
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

/// As YAML writes it in one line.
pub(crate) fn yaml(value: &Value, quotes: Quotes, in_flow: bool) -> Result<String, Fault> {
    Ok(match value {
        Value::Null => "null".to_owned(),
        Value::Unread => return Err(unwritable("a value that cannot be read")),
        Value::Boolean(_) | Value::Integer(_) => value.show(),
        Value::Number(number) if number.is_nan() => ".nan".to_owned(),
        Value::Number(number) if number.is_infinite() => {
            if *number < 0.0 { "-.inf" } else { ".inf" }.to_owned()
        }
        Value::Number(_) => value.show(),
        Value::Text(text) => {
            let in_line = !text.chars().any(justwhy_core::is_unprintable);
            match quotes {
                Quotes::None if crate::format::yaml::is_plain_text(text, in_flow) => {
                    text.to_string()
                }
                Quotes::Single if in_line => format!("'{}'", text.replace('\'', "''")),
                _ => yaml_text(text),
            }
        }
        Value::List(items) => {
            let items: Result<Vec<String>, Fault> =
                items.iter().map(|item| yaml(&item.value, quotes, true)).collect();
            format!("[{}]", items?.join(", "))
        }
        Value::Map(entries) => {
            let entry = |name: &str, value: &Value| -> Result<String, Fault> {
                Ok(format!("{}: {}", yaml_name(name), yaml(value, quotes, true)?))
            };
            let entries: Result<Vec<String>, Fault> =
                entries.iter().map(|it| entry(&it.name, &it.value)).collect();
            format!("{{{}}}", entries?.join(", "))
        }
    })
}

/// YAML knows characters beyond 16 bits by eight digits, not by two halves.
fn yaml_text(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        match u32::from(c) {
            code if code > 0xffff && justwhy_core::is_unprintable(c) => {
                out.push_str(&format!("\\U{code:08x}"));
            }
            _ => {
                let quoted = json_text(&c.to_string());
                out.push_str(&quoted[1..quoted.len() - 1]);
            }
        }
    }
    format!("\"{out}\"")
}

/// A name of a YAML table.
pub(crate) fn yaml_name(name: &str) -> String {
    let first = name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_');
    let plain = |byte: u8| byte.is_ascii_alphanumeric() || b"_-.".contains(&byte);
    // A name such as `no` is a boolean to some.
    let is_text = crate::format::yaml::is_plain_text(name, true);
    match first && name.bytes().all(plain) && is_text {
        true => name.to_owned(),
        false => yaml_text(name),
    }
}

/// As an env file writes it.
pub(crate) fn env(text: &str, quotes: Quotes) -> String {
    // What a shell that reads the file takes for itself stays in quotes.
    let is_plain = |c: char| c.is_ascii_alphanumeric() || "_./:@%+,=~^-".contains(c);
    let is_single = !text.contains(['\'', '$', '\r', '\n']);
    match quotes {
        Quotes::None if text.chars().all(is_plain) => text.to_owned(),
        Quotes::Single if is_single => format!("'{text}'"),
        _ => {
            let mut out = String::from("\"");
            for c in text.chars() {
                match short_escape(c) {
                    Some(escape) => out.push_str(escape),
                    None => out.push(c),
                }
            }
            out + "\""
        }
    }
}

/// The value of a property.
pub(crate) fn property(text: &str) -> String {
    let mut out = String::new();
    for (at, c) in text.chars().enumerate() {
        match c {
            // A blank could be what separates it from its name, and these what does it then.
            ' ' | '=' | ':' if at == 0 => out.extend(['\\', c]),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            '\t' => out.push_str("\\t"),
            '\u{c}' => out.push_str("\\f"),
            c => out.push(c),
        }
    }
    out
}

/// A segment of the name of a property.
pub(crate) fn property_name(name: &str) -> String {
    let mut out = String::new();
    for c in name.chars() {
        match c {
            ' ' | '=' | ':' | '#' | '!' => out.extend(['\\', c]),
            c => out.push_str(&property(&c.to_string())),
        }
    }
    out
}

/// The value of an INI key.
pub(crate) fn ini(text: &str, quotes: Quotes) -> Result<String, Fault> {
    if text.contains(['\n', '\r']) {
        return Err(unwritable("a text of several lines"));
    }
    let is_trimmed = text.trim_matches([' ', '\t']) == text;
    let looks_quoted = text.len() > 1 && text.starts_with('"') && text.ends_with('"');
    match quotes == Quotes::Double || !is_trimmed || looks_quoted {
        true => Ok(format!("\"{text}\"")),
        false => Ok(text.to_owned()),
    }
}
