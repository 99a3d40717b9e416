//! Scalars of YAML: what the core schema makes of a text and its tag.

use crate::format::{integer_too_large, number_too_large};
use crate::tree::{Fault, Kind};
use granit_parser::{ScalarStyle, Tag};
use justwhy_core::Span;
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
    read.ok_or_else(|| Fault::new(at, "the value does not read as what its tag says"))
}

/// `!` alone, which says that a scalar is a text.
pub(super) fn is_non_specific(tag: &Tag) -> bool {
    tag.suffix().is_empty() || (tag.handle().is_empty() && tag.suffix() == "!")
}

pub(super) fn foreign_tag(at: Span) -> Fault {
    Fault::new(at, "only the tags of YAML's core schema are read")
        .help("take the tag out, or use !!str, !!int, !!float, !!bool, !!null, !!seq or !!map")
}

fn plain<'s>(text: Cow<'s, str>, at: Span) -> Result<Kind<'s>, Fault> {
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
