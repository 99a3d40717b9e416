//! What programs are given is often looked at on a terminal: no character in it may change what is seen.

use crate::arguments::Form;
use crate::outcome::Pieces;
use justwhy_core::is_unprintable;
use std::fmt::Write as _;

/// The same text with every character escaped that could change what a reader sees, as the form has it.
pub(crate) fn printable(pieces: Pieces, form: Form) -> Pieces {
    let mut out = Pieces::default();
    for piece in pieces.into_each() {
        let clean = match form {
            Form::Json | Form::Sarif => escaped(&piece, in_json),
            Form::Junit | Form::Html => escaped(&piece, in_xml),
            Form::Text | Form::Csv => None,
        };
        out.push(clean.unwrap_or(piece));
    }
    out
}

/// A JSON text with such characters escaped.
pub(crate) fn printable_json(text: String) -> String {
    escaped(&text, in_json).unwrap_or(text)
}

/// The text with what `escape` makes of such characters; none if it has none.
fn escaped(text: &str, escape: fn(&mut String, char)) -> Option<String> {
    let needs = |c: char| is_unprintable(c) && !matches!(c, '\n' | '\r' | '\t');
    // Nearly every text has nothing but ASCII.
    if text.is_ascii() && !text.bytes().any(|byte| byte == 0x7f) {
        return None;
    }
    let first = text.find(needs)?;
    let mut out = String::with_capacity(text.len() + 16);
    out.push_str(&text[..first]);
    for c in text[first..].chars() {
        if needs(c) { escape(&mut out, c) } else { out.push(c) }
    }
    Some(out)
}

fn in_json(out: &mut String, c: char) {
    // All of it is in strings: elsewhere JSON is ASCII.
    for unit in c.encode_utf16(&mut [0; 2]) {
        // Writing to a String cannot fail.
        let _ = write!(out, "\\u{unit:04x}");
    }
}

fn in_xml(out: &mut String, c: char) {
    // Control characters that XML has not at all were left out before.
    let _ = write!(out, "&#x{:x};", u32::from(c));
}
