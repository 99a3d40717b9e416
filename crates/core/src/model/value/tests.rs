//! Tests of values.

use crate::model::place::Span;
use crate::model::value::{Element, Entry, Value};

#[test]
fn shows_values_so_that_they_can_be_told_apart() {
    let at = Span::default();
    let list = Value::List(
        [Value::Integer(1), Value::Text("1".into())].map(|value| Element { value, at }).into(),
    );
    let map =
        Value::Map([Entry { name: "a b".into(), value: list.clone(), at }].into_iter().collect());
    for (value, shown) in [
        (Value::Null, "null"),
        (Value::Text("null".into()), "\"null\""),
        (Value::Boolean(true), "true"),
        (Value::Text("".into()), "\"\""),
        (
            Value::Text("a\n\"b\"\\\u{1b}[31m\u{202e}\u{e0001}".into()),
            r#""a\n\"b\"\\\u001b[31m\u202e\U000e0001""#,
        ),
        (Value::Integer(-5), "-5"),
        (Value::Number(3.0), "3.0"),
        (Value::Number(1e22), "1e22"),
        (Value::Number(0.1), "0.1"),
        (Value::Number(f64::NAN), "nan"),
        (Value::Number(f64::NEG_INFINITY), "-inf"),
        (list, "[1, \"1\"]"),
        (map, "{ \"a b\" = [1, \"1\"] }"),
    ] {
        assert_eq!(value.show(), shown);
    }
}

#[test]
fn finds_equal_what_is_written_in_different_places() {
    let item = |at| Value::List([Element { value: Value::Integer(1), at }].into_iter().collect());
    assert_eq!(item(Span::new(1, 2)), item(Span::new(7, 8)));
    assert_ne!(Value::Integer(1), Value::Number(1.0));
}
