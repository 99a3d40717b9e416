//! Scalars of YAML: what the core schema makes of a text and its tag.

use crate::fault::{Fault, integer_too_large, number_too_large};
use crate::tree::Kind;
use granit_parser::{ScalarStyle, Tag};
use justwhy_core::{Lookalike, Span};
use std::borrow::Cow;

/// The value of a scalar.
pub(super) fn resolve<'s>(
    text: Cow<'s, str>,
    style: ScalarStyle,
    tag: Option<&Tag>,
    is_left_out: bool,
    at: Span,
) -> Result<Kind<'s>, Fault> {
    let text = if is_left_out { Cow::Borrowed("") } else { text };
    let Some(tag) = tag else {
        if style != ScalarStyle::Plain {
            return Ok(Kind::Text(text));
        }
        return if is_left_out { Ok(Kind::LeftOut) } else { plain(text, at) };
    };
    if is_non_specific(tag) || tag.is_yaml_core_schema_tag("str") {
        return Ok(Kind::Text(text));
    }
    let read = if tag.is_yaml_core_schema_tag("null") {
        (text.is_empty() || is_null(&text)).then_some(Kind::Null)
    } else if tag.is_yaml_core_schema_tag("bool") {
        boolean(&text).map(Kind::Boolean)
    } else if tag.is_yaml_core_schema_tag("int") {
        integer(&text, at)?
    } else if tag.is_yaml_core_schema_tag("float") {
        match number(&text, at)? {
            None => integer(&text, at)?.map(|kind| match kind {
                Kind::Integer(value) => Kind::Number(value as f64),
                other => other,
            }),
            number => number,
        }
    } else {
        return Err(foreign_tag(at));
    };
    read.ok_or_else(|| Fault::new(at, "the value does not fit its tag"))
}

/// `!` alone, which means that a scalar is a text.
pub(super) fn is_non_specific(tag: &Tag) -> bool {
    tag.suffix().is_empty() || (tag.handle().is_empty() && tag.suffix() == "!")
}

pub(super) fn foreign_tag(at: Span) -> Fault {
    Fault::new(at, "unknown tag: only the tags of the YAML core schema are read")
        .help("remove the tag, or use !!str, !!int, !!float, !!bool, !!null, !!seq or !!map")
}

pub(super) fn plain<'s>(text: Cow<'s, str>, at: Span) -> Result<Kind<'s>, Fault> {
    // Most texts begin with a letter that begins nothing else.
    if is_null(&text) {
        return Ok(Kind::Null);
    }
    if let Some(value) = boolean(&text) {
        return Ok(Kind::Boolean(value));
    }
    let could_be_number = text.starts_with(|c: char| c.is_ascii_digit() || "+-.".contains(c));
    if could_be_number {
        if let Some(kind) = integer(&text, at)? {
            return Ok(kind);
        }
        if let Some(kind) = number(&text, at)? {
            return Ok(kind);
        }
    }
    Ok(Kind::Text(text))
}

/// Why an untagged plain scalar may not be read as it was meant.
pub(super) fn lookalike(text: &str) -> Option<Lookalike> {
    match other(text) {
        Some(other) => Some(Lookalike::Other(other)),
        None => loses_zeros(text).then_some(Lookalike::Shortened),
    }
}

/// Whether it is a decimal number whose last zeros no number keeps, as of a version: `1.10`.
fn loses_zeros(text: &str) -> bool {
    let Some((whole, fraction)) = text.split_once('.') else { return false };
    let whole = whole.strip_prefix(['+', '-']).unwrap_or(whole);
    let is_digits = |text: &str| !text.is_empty() && text.bytes().all(|it| it.is_ascii_digit());
    is_digits(whole) && is_digits(fraction) && fraction.len() > 1 && fraction.ends_with('0')
}

/// What readers of YAML 1.1 take an untagged plain scalar for, where the core schema of 1.2 does not.
fn other(text: &str) -> Option<&'static str> {
    // Most texts begin with a letter that begins none of these.
    let first = *text.as_bytes().first()?;
    if !first.is_ascii_digit() && !b"+-yYnNoO".contains(&first) {
        return None;
    }
    if first.is_ascii_alphabetic() {
        let is_cased_alike = text[1..].bytes().all(|byte| byte.is_ascii_lowercase())
            || text.bytes().all(|byte| byte.is_ascii_uppercase());
        let words = ["yes", "no", "on", "off", "y", "n"];
        let is_word = is_cased_alike && words.iter().any(|word| text.eq_ignore_ascii_case(word));
        return is_word.then_some("a boolean");
    }
    let unsigned = text.strip_prefix(['+', '-']).unwrap_or(text);
    let all = |text: &str, fits: fn(u8) -> bool| !text.is_empty() && text.bytes().all(fits);
    let digit = |byte: u8| byte.is_ascii_digit();
    if unsigned.starts_with("0o") && all(&unsigned[2..], digit) {
        return Some("a string");
    }
    if unsigned.starts_with("0b") && all(&unsigned[2..], |byte| b"01_".contains(&byte)) {
        return Some("a binary number");
    }
    if all(unsigned, digit) {
        let is_octal = unsigned.bytes().all(|byte| byte < b'8');
        let is_padded = unsigned.len() > 1 && unsigned.starts_with('0');
        return is_padded.then_some(if is_octal { "an octal number" } else { "a string" });
    }
    if all(unsigned, |byte| byte.is_ascii_digit() || byte == b'_') && digit(unsigned.as_bytes()[0])
    {
        return Some("a number");
    }
    if is_sexagesimal(unsigned) {
        return Some("a number in base 60");
    }
    if is_date(text) {
        return Some("a date");
    }
    let (mantissa, exponent) = unsigned.split_once(['e', 'E'])?;
    let is_number = all(mantissa, |byte| byte.is_ascii_digit() || byte == b'.')
        && all(exponent.strip_prefix(['+', '-']).unwrap_or(exponent), digit);
    let is_old = mantissa.contains('.') && exponent.starts_with(['+', '-']);
    (is_number && !is_old).then_some("a string")
}

/// `1:30`, `22:59:59`: digits, then parts below sixty.
fn is_sexagesimal(text: &str) -> bool {
    let mut parts = text.split(':');
    let is_first = |part: &str| !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit());
    let is_next = |part: &str| {
        (1..=2).contains(&part.len()) && part.parse::<u8>().is_ok_and(|number| number < 60)
    };
    let Some(first) = parts.next().filter(|part| is_first(part) && !part.starts_with('0')) else {
        return false;
    };
    let mut any = false;
    let rest = parts.all(|part| {
        any = true;
        is_next(part)
    });
    !first.is_empty() && any && rest
}

/// `2026-03-02`, alone or with a time.
fn is_date(text: &str) -> bool {
    let bytes = text.as_bytes();
    let is_day = |bytes: &[u8]| {
        bytes.iter().enumerate().all(|(at, byte)| match at {
            4 | 7 => *byte == b'-',
            _ => byte.is_ascii_digit(),
        })
    };
    match bytes.len() {
        10 => is_day(bytes),
        length if length > 18 => is_day(&bytes[..10]) && b"Tt ".contains(&bytes[10]),
        _ => false,
    }
}

fn is_null(text: &str) -> bool {
    matches!(text, "~" | "null" | "Null" | "NULL")
}

fn boolean(text: &str) -> Option<bool> {
    match text {
        "true" | "True" | "TRUE" => Some(true),
        "false" | "False" | "FALSE" => Some(false),
        _ => None,
    }
}

fn integer<'s>(text: &str, at: Span) -> Result<Option<Kind<'s>>, Fault> {
    let (digits, radix) = match (text.strip_prefix("0o"), text.strip_prefix("0x")) {
        (Some(octal), _) => (octal, 8),
        (_, Some(hexadecimal)) => (hexadecimal, 16),
        _ => (text.strip_prefix(['+', '-']).unwrap_or(text), 10),
    };
    if digits.is_empty() || !digits.chars().all(|c| c.is_digit(radix)) {
        return Ok(None);
    }
    let whole = if radix == 10 { text } else { digits };
    match i64::from_str_radix(whole, radix) {
        Ok(value) => Ok(Some(Kind::Integer(value))),
        Err(_) => Err(integer_too_large(at)),
    }
}

fn number<'s>(text: &str, at: Span) -> Result<Option<Kind<'s>>, Fault> {
    let unsigned = text.strip_prefix(['+', '-']).unwrap_or(text);
    if matches!(unsigned, ".inf" | ".Inf" | ".INF") {
        let sign = if text.starts_with('-') { -1.0 } else { 1.0 };
        return Ok(Some(Kind::Number(sign * f64::INFINITY)));
    }
    if matches!(text, ".nan" | ".NaN" | ".NAN") {
        return Ok(Some(Kind::Number(f64::NAN)));
    }
    let (mantissa, exponent) = match unsigned.split_once(['e', 'E']) {
        Some((mantissa, exponent)) => (mantissa, Some(exponent)),
        None => (unsigned, None),
    };
    let all_digits = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
    let mantissa_fits = match mantissa.split_once('.') {
        Some((whole, fraction)) => {
            all_digits(whole) && all_digits(fraction) && !(whole.is_empty() && fraction.is_empty())
        }
        None => !mantissa.is_empty() && all_digits(mantissa),
    };
    let exponent_fits = exponent.is_none_or(|exponent| {
        let digits = exponent.strip_prefix(['+', '-']).unwrap_or(exponent);
        !digits.is_empty() && all_digits(digits)
    });
    if !mantissa_fits || !exponent_fits {
        return Ok(None);
    }
    match text.parse::<f64>() {
        Ok(value) if value.is_finite() => Ok(Some(Kind::Number(value))),
        _ => Err(number_too_large(at)),
    }
}
