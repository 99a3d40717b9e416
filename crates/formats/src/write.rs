//! What the formats have in common in writing values.

use crate::fault::Fault;
use justwhy_core::Span;

/// The quotes in which a text was, so that a new one is in the same.
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
