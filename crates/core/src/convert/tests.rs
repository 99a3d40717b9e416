//! Tests of conversion.

use crate::{Type, Value, read_like};

#[test]
fn reads_booleans_in_any_case_and_nothing_else() {
    for text in ["true", "TRUE", "yes", "On", "y", "T", "1"] {
        assert_eq!(read_like(text, Type::Boolean), Some(Value::Boolean(true)), "{text}");
    }
    for text in ["false", "No", "OFF", "n", "f", "0"] {
        assert_eq!(read_like(text, Type::Boolean), Some(Value::Boolean(false)), "{text}");
    }
    for text in ["", "okay", " true", "true ", "2", "00", "ja"] {
        assert_eq!(read_like(text, Type::Boolean), None, "{text:?}");
    }
}

#[test]
fn reads_integers_as_toml_does_without_underscores() {
    for (text, value) in [
        ("0", 0),
        ("-0", 0),
        ("+7", 7),
        ("-12", -12),
        ("0x1F", 31),
        ("0o17", 15),
        ("0b101", 5),
        ("9223372036854775807", i64::MAX),
        ("-9223372036854775808", i64::MIN),
    ] {
        assert_eq!(read_like(text, Type::Integer), Some(Value::Integer(value)), "{text}");
    }
    for text in [
        "",
        "+",
        "007",
        "1_000",
        " 1",
        "1 ",
        "1.0",
        "1e3",
        "0x",
        "0X1F",
        "-0x1",
        "+0b1",
        "0x+1",
        "9223372036854775808",
        "١",
    ] {
        assert_eq!(read_like(text, Type::Integer), None, "{text:?}");
    }
}

#[test]
fn reads_numbers_as_toml_does_and_integers_too() {
    for (text, value) in [
        ("1.5", 1.5),
        ("-0.25", -0.25),
        ("1e3", 1000.0),
        ("6.02E+23", 6.02e23),
        ("1e-05", 1e-5),
        ("5", 5.0),
        ("0x10", 16.0),
    ] {
        assert_eq!(read_like(text, Type::Number), Some(Value::Number(value)), "{text}");
    }
    for text in
        ["", ".5", "5.", "1.e3", "01.5", "inf", "nan", "1_0.5", "1e", "1e999", "1.5.2", "--1", "e5"]
    {
        assert_eq!(read_like(text, Type::Number), None, "{text:?}");
    }
}

#[test]
fn reads_nothing_as_a_type_that_texts_do_not_take() {
    for kind in [Type::Null, Type::Text, Type::List, Type::Map] {
        assert_eq!(read_like("1", kind), None);
    }
}
