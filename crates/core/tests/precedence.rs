//! The rules of precedence, a row for each thing that they say.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::{Said, readings, text, usual};
use justwhy_core::{Empty, Explanation, KeyId, KeyPath, Null, Resolution, Status, Value};

/// The verdicts of a setting's candidates, strongest first, each with its layer and who did it.
fn verdicts(layers: &[Said], key: &str) -> String {
    let readings = readings(layers);
    let resolution = Resolution::of(&readings);
    let key = readings.keys.find(KeyId::ROOT, &KeyPath::parse(key).unwrap()).unwrap();
    let rows = resolution.candidates(key).map(|id| {
        let candidate = resolution.candidate(id);
        let layer = resolution.layer_of(candidate).0;
        let by = candidate.by.map(|by| resolution.layer_of(resolution.candidate(by)).0);
        match by {
            Some(by) => format!("{layer} {} by {by}", candidate.verdict.name()),
            None => format!("{layer} {}", candidate.verdict.name()),
        }
    });
    rows.collect::<Vec<_>>().join(", ")
}

/// The effective value of a setting as it is shown, or its status.
fn value(layers: &[Said], key: &str) -> String {
    let readings = readings(layers);
    let resolution = Resolution::of(&readings);
    let key = readings.keys.find(KeyId::ROOT, &KeyPath::parse(key).unwrap()).unwrap();
    let answer = Explanation::of(&resolution, key);
    answer.value().map_or_else(|| answer.status.name().to_owned(), |value| value.show())
}

fn one(value: i64) -> Value {
    Value::Integer(value)
}

#[test]
fn replaces_the_leaf_at_the_key_below_and_above() {
    let same = [usual(&[("a", one(1))]), usual(&[("a", one(2))]), usual(&[("a", one(3))])];
    assert_eq!(verdicts(&same, "a"), "2 wins, 1 overridden by 2, 0 overridden by 1");
    let below =
        [usual(&[("a.b", one(1)), ("a.c.d", one(2)), ("ab", one(3))]), usual(&[("a", one(4))])];
    assert_eq!(verdicts(&below, "a.b"), "0 reshaped by 1");
    assert_eq!(verdicts(&below, "a.c.d"), "0 reshaped by 1");
    assert_eq!(verdicts(&below, "ab"), "0 wins");
    assert_eq!(value(&below, "a.b"), "absent");
    let above = [usual(&[("a", one(1))]), usual(&[("a.b.c", one(2))])];
    assert_eq!(verdicts(&above, "a"), "0 reshaped by 1");
    assert_eq!(value(&above, "a"), "absent");
    assert_eq!(value(&above, "a.b.c"), "2");
}

#[test]
fn lets_a_reshaped_leaf_stay_gone() {
    let layers =
        [usual(&[("a", one(1))]), usual(&[("a.b", one(2))]), usual(&[("a.b", Value::Null)])];
    assert_eq!(verdicts(&layers, "a"), "0 reshaped by 1");
    assert_eq!(verdicts(&layers, "a.b"), "2 removes, 1 removed by 2");
    assert_eq!((value(&layers, "a"), value(&layers, "a.b")), ("absent".into(), "absent".into()));
}

#[test]
fn removes_with_a_null_what_is_at_or_below_its_key() {
    let layers = [
        usual(&[("a.b", one(1)), ("a.c", one(2)), ("d", one(3))]),
        usual(&[("a.b", one(4))]),
        usual(&[("a", Value::Null)]),
        usual(&[("a.c", one(5))]),
    ];
    assert_eq!(verdicts(&layers, "a.b"), "1 removed by 2, 0 overridden by 1");
    assert_eq!(verdicts(&layers, "a.c"), "3 wins, 0 removed by 2");
    assert_eq!(verdicts(&layers, "a"), "2 removes");
    assert_eq!(value(&layers, "d"), "3");
}

#[test]
fn lets_a_leaf_above_a_null_stay() {
    let layers = [usual(&[("a", one(1))]), usual(&[("a.b", Value::Null)])];
    assert_eq!(verdicts(&layers, "a"), "0 wins");
    assert_eq!(verdicts(&layers, "a.b"), "1 removes", "also if it finds nothing");
}

#[test]
fn takes_a_null_for_a_value_where_the_layer_says_so() {
    let null = Said { null: Null::Value, ..usual(&[("a", Value::Null)]) };
    let layers = [usual(&[("a", one(1))]), null];
    assert_eq!(verdicts(&layers, "a"), "1 wins, 0 overridden by 1");
    assert_eq!(value(&layers, "a"), "null");
}

#[test]
fn passes_over_an_empty_text_where_the_layer_says_so() {
    let empty = usual(&[("a", text(""))]);
    let unset = Said { empty: Empty::Unset, ..empty.clone() };
    let weaker = usual(&[("a", one(1))]);
    assert_eq!(value(&[weaker.clone(), empty], "a"), "\"\"");
    assert_eq!(verdicts(&[weaker.clone(), unset.clone()], "a"), "1 empty, 0 wins");
    assert_eq!(value(std::slice::from_ref(&unset), "a"), "absent");
    let reshaping = Said { empty: Empty::Unset, ..usual(&[("a", text(""))]) };
    assert_eq!(value(&[usual(&[("a.b", one(1))]), reshaping], "a.b"), "1", "it changes nothing");
}

#[test]
fn gives_an_untyped_text_the_type_of_the_nearest_weaker_candidate_that_has_one() {
    let untyped = |said: &str| Said { untyped: true, ..usual(&[("a", text(said))]) };
    let typed = |value: Value| usual(&[("a", value)]);
    let empty = Said { empty: Empty::Unset, ..usual(&[("a", text(""))]) };
    let removed = [typed(one(1)), typed(Value::Null), untyped("5")];
    for (row, layers, expected) in [
        ("an integer", vec![typed(one(1)), untyped("5")], "5"),
        ("a number", vec![typed(Value::Number(0.5)), untyped("5")], "5.0"),
        ("a boolean", vec![typed(Value::Boolean(false)), untyped("ON")], "true"),
        ("does not read as one", vec![typed(Value::Boolean(false)), untyped("okay")], "\"okay\""),
        ("a text gives no type", vec![typed(text("x")), untyped("5")], "\"5\""),
        ("over a text", vec![typed(one(1)), typed(text("x")), untyped("5")], "5"),
        ("the nearest", vec![typed(one(1)), typed(Value::Boolean(true)), untyped("1")], "true"),
        ("over an untyped one", vec![typed(one(1)), untyped("x"), untyped("5")], "5"),
        ("over an empty one", vec![typed(one(1)), empty, untyped("5")], "5"),
        ("none of a removed one", removed.to_vec(), "\"5\""),
        ("nobody weaker", vec![untyped("5")], "\"5\""),
        ("a typed text stays", vec![typed(one(1)), typed(text("5"))], "\"5\""),
        (
            "past 64 bits",
            vec![typed(one(1)), untyped("9223372036854775808")],
            "\"9223372036854775808\"",
        ),
    ] {
        assert_eq!(value(&layers, "a"), expected, "{row}");
    }
}

#[test]
fn says_in_fields_what_a_conversion_took_its_type_from() {
    let layers = [usual(&[("a", one(1))]), Said { untyped: true, ..usual(&[("a", text("5"))]) }];
    let readings = readings(&layers);
    let resolution = Resolution::of(&readings);
    let key = resolution.settings()[0];
    let conversion = Explanation::of(&resolution, key).conversion.unwrap();
    assert_eq!(resolution.layer_of(resolution.candidate(conversion.like)).0, 0);
    assert_eq!(conversion.from, text("5"));
}

#[test]
fn puts_a_setting_in_error_rather_than_show_an_unexpanded_reference_or_a_weaker_value() {
    let layers = [usual(&[("a", text("weaker"))]), usual(&[("a", text("x${b}"))])];
    let readings = readings(&layers);
    let resolution = Resolution::of(&readings);
    let answer = Explanation::of(&resolution, resolution.settings()[0]);
    assert!(matches!(answer.status, Status::Error { code: "unresolved-reference", .. }));
    assert_eq!(answer.value(), None);
    assert_eq!(answer.winner.unwrap().layer.0, 1, "it keeps its winner");
}

#[test]
fn keeps_the_value_of_a_secret_out_of_reach_of_everything_that_is_shown() {
    let layers = [
        usual(&[("db.password", text("hunter-one"))]),
        usual(&[("db.password", text("hunter-two"))]),
        usual(&[("db", text("reshaped"))]),
        usual(&[("db.password.old", text("hunter-three"))]),
    ];
    let readings = readings(&layers);
    let resolution = Resolution::of(&readings);
    for key in resolution.settings() {
        let answer = Explanation::of(&resolution, key);
        assert_eq!(answer.value().is_some(), answer.status == Status::Set && !answer.secret);
        let said = format!("{:?} {:?}", answer.why(&resolution), answer.rows(&resolution));
        assert!(!said.contains("hunter"), "{said}");
    }
}
