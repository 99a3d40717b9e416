//! Tests of expressions.

use super::{Expression, Judgement};
use justwhy_core::{Declaration, Element, Shape, Span, Value};
use std::sync::Arc;

fn named(key: &str, value: Value, kind: Declaration) -> super::Named {
    let shape = Shape { kind, ..Shape::default() };
    (key.split('/').map(str::to_owned).collect(), value, Some(Arc::new(shape)))
}

fn settings() -> Vec<super::Named> {
    vec![
        named("a/b", Value::Integer(5), Declaration::Any),
        named("a/pool-max", Value::Integer(9), Declaration::Any),
        named("in/x", Value::Text("y".into()), Declaration::Any),
        named("wait", Value::Text("1m30s".into()), Declaration::Duration),
        named("blink", Value::Text("1.5s".into()), Declaration::Duration),
        named("room", Value::Text("4k".into()), Declaration::Size),
    ]
}

fn judged(text: &str) -> Judgement {
    Expression::parse(text).unwrap().judge(&[settings()]).remove(0)
}

#[test]
fn judges_settings_by_their_keys() {
    for (text, holds) in [
        ("a.b == 5", true),
        ("a.b > 5", false),
        ("a[\"pool-max\"] == 9", true),
        ("settings[\"in\"].x == \"y\"", true),
        ("wait == 90 && blink == 1.5 && wait > blink", true),
        ("room == 4096", true),
        ("has(a.c)", false),
        ("!has(nothing.at.all)", true),
        ("[1, 2].all(x, x < a.b)", true),
        ("settings[\"in\"].x.matches(\"^y$\")", true),
    ] {
        let expected = if holds { Judgement::Holds } else { Judgement::Broken };
        assert_eq!(judged(text), expected, "{text}");
    }
}

#[test]
fn says_why_it_cannot_judge_without_any_value() {
    for (text, why) in [
        ("a.c == 1", "c is not set here; has(…) asks whether it is set"),
        ("nothing == 1", "no such key: nothing"),
        ("a.b < \"x\"", "< cannot be applied to int and string"),
        ("a.b", "the result has the type int, not true or false"),
        ("a.b / 0 == 1", "division by zero"),
    ] {
        assert_eq!(judged(text), Judgement::Unclear(why.to_owned()), "{text}");
    }
}

#[test]
fn finds_the_keys_that_it_names() {
    let expression = Expression::parse(
        "has(a.b.c) && a[\"x-y\"].size() > 0 && d.all(e, e.f > settings[\"g h\"]) || a.b.c",
    );
    let paths: Vec<String> =
        expression.unwrap().paths().iter().map(|path| path.join("/")).collect();
    assert_eq!(paths, ["a/b/c", "a/x-y", "d", "g h"]);
}

#[test]
fn refuses_what_would_not_end_well() {
    let deep = format!("{}1{} == 1", "(".repeat(500), ")".repeat(500));
    assert!(Expression::parse(&deep).unwrap_err().problem.contains("nest"));
    let macros = "a.all(x, a.all(y, a.all(z, true)))";
    assert!(Expression::parse(macros).unwrap_err().problem.contains("are nested"));
    // Long but flat ones are fine.
    for part in ["+1", "-1", " == 1 || 1"] {
        let long = format!("1{}", part.repeat(4000 / part.len()));
        let _ = Expression::parse(&long).map(|it| it.judge(&[Vec::new()]));
    }
    for part in ["!", "-", "a.", "a?b:", "[0]"] {
        let _ = Expression::parse(&format!("{}true", part.repeat(1500)));
    }
}

#[test]
fn says_where_an_expression_is_wrong() {
    let bad = Expression::parse("a.b ==\n  && c").unwrap_err();
    assert_eq!(bad.at.map(|(line, _)| line), Some(2), "{bad:?}");
}

/// Lists and texts of so many items, as rules go through them.
fn large(items: i64) -> Vec<super::Named> {
    let item = |number| Element { value: Value::Integer(number), at: Span::default() };
    vec![
        named("a", Value::List((0..items).map(item).collect()), Declaration::Any),
        named("s", Value::Text("x".repeat(items as usize).into()), Declaration::Any),
    ]
}

#[test]
fn what_would_take_too_long_is_not_begun() {
    let too_much = Judgement::Unclear("too many steps".to_owned());
    for (text, items) in [
        ("a.all(x, a.all(y, x + y >= 0))", 10_000),
        ("a.map(x, s + s + s + s).size() > 0", 10_000),
        ("a.all(x, s.matches('(x|y)+'))", 10_000),
        ("a.map(x, a).size() > 0", 10_000),
        ("a.all(x, [s, s, s, s].exists(y, y == s + 'z'))", 10_000),
        ("(s + s + s + s + s + s + s + s).size() > 0", 20_000_000),
    ] {
        let judged = Expression::parse(text).unwrap().judge(&[large(items)]).remove(0);
        assert_eq!(judged, too_much, "{text}");
    }
}

#[test]
fn what_ordinary_rules_go_through_is_not_too_much() {
    for (text, items) in [
        ("a.all(x, x >= 0)", 10_000),
        ("a.all(x, a.exists(y, y == x))", 300),
        ("a.map(x, x * 2).filter(x, x > 10).size() > 3", 1_000),
        ("s.matches('^x+$') && s.size() == a.size()", 10_000),
        ("!a.exists(x, s.startsWith('y') && x > 5)", 1_000),
    ] {
        let judged = Expression::parse(text).unwrap().judge(&[large(items)]).remove(0);
        assert_eq!(judged, Judgement::Holds, "{text}");
    }
}
