//! The rules of precedence, a row for each thing that they say.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::{Declares, Said, answers, readings, readings_of, text, usual};
use justwhy_core::{Empty, EmptyText, Explanation, Gather, KeyId, KeyPath, Null, Status, Value};

/// The verdicts of a setting's candidates, strongest first, each with its layer and who did it.
fn verdicts(layers: &[Said], key: &str) -> String {
    let readings = readings(layers);
    let answers = answers(&readings);
    let resolution = answers.resolution();
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
    let answers = answers(&readings);
    let key = readings.keys.find(KeyId::ROOT, &KeyPath::parse(key).unwrap()).unwrap();
    let answer = Explanation::of(&answers, key);
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
    let answers = answers(&readings);
    let resolution = answers.resolution();
    let key = resolution.settings()[0];
    let conversion = Explanation::of(&answers, key).conversion.unwrap();
    assert_eq!(resolution.layer_of(resolution.candidate(conversion.like.unwrap())).0, 0);
    assert_eq!(conversion.from, text("5"));
}

#[test]
fn puts_a_setting_in_error_rather_than_show_an_unexpanded_reference_or_a_weaker_value() {
    let layers = [usual(&[("a", text("weaker"))]), usual(&[("a", text("x${b}"))])];
    let readings = readings(&layers);
    let answers = answers(&readings);
    let resolution = answers.resolution();
    let answer = Explanation::of(&answers, resolution.settings()[0]);
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
    let answers = answers(&readings);
    let resolution = answers.resolution();
    for key in resolution.settings() {
        let answer = Explanation::of(&answers, key);
        assert_eq!(answer.value().is_some(), answer.status == Status::Set && !answer.secret);
        let said = format!("{:?} {:?}", answer.why(&answers), answer.rows(&answers));
        assert!(!said.contains("hunter"), "{said}");
    }
}

#[test]
fn blocks_as_a_whole_what_would_change_something_pinned() {
    let pinned = usual(&[("a.b", one(1)), ("a.c", one(2))]).pinning(&["a.b"]);
    let same = [pinned.clone(), usual(&[("a.b", one(3))])];
    assert_eq!(verdicts(&same, "a.b"), "1 blocked by 0, 0 wins");
    let above = [pinned.clone(), usual(&[("a", one(3))])];
    assert_eq!(verdicts(&above, "a"), "1 blocked by 0");
    assert_eq!(value(&above, "a.c"), "2", "nothing changes");
    let below = [pinned.clone(), usual(&[("a.b.x", one(3)), ("a.c", one(4))])];
    assert_eq!(verdicts(&below, "a.b.x"), "1 blocked by 0");
    assert_eq!(
        verdicts(&below, "a.c"),
        "1 wins, 0 overridden by 1",
        "it pins no more than it says"
    );
    let null = [pinned.clone(), usual(&[("a", Value::Null)])];
    assert_eq!(verdicts(&null, "a"), "1 blocked by 0");
    let unsaid = [usual(&[]).pinning(&["**"]), usual(&[("x", one(1))])];
    assert_eq!(value(&unsaid, "x"), "1", "it protects only what the layer says");
    let weakest = [
        usual(&[("x", one(1))]).pinning(&["x"]),
        usual(&[("x", one(2))]).pinning(&["x"]),
        usual(&[("x", one(3))]),
    ];
    assert_eq!(verdicts(&weakest, "x"), "2 blocked by 0, 1 blocked by 0, 0 wins");
    let empty = Said { empty: Empty::Unset, ..usual(&[("a.b", text(""))]) };
    assert_eq!(
        verdicts(&[pinned, empty], "a.b"),
        "1 empty, 0 wins",
        "an empty string says nothing"
    );
}

#[test]
fn pins_after_the_last_source_of_the_layer() {
    let mut layer = usual(&[("a", one(1))]).pinning(&["a"]);
    layer.sources.push(vec![("a".to_owned(), one(2))]);
    let layers = [layer, usual(&[("a", one(3))])];
    assert_eq!(verdicts(&layers, "a"), "1 blocked by 0, 0 wins, 0 overridden by 0");
    assert_eq!(value(&layers, "a"), "2");
}

#[test]
fn pins_an_absence() {
    let weaker = usual(&[("a.b", one(1))]);
    let absence = usual(&[("a", Value::Null)]).pinning(&["a"]);
    for key in ["a", "a.b", "a.b.c"] {
        let stronger = usual(&[(key, one(2))]);
        let layers = [weaker.clone(), absence.clone(), stronger];
        assert!(verdicts(&layers, key).starts_with("2 blocked by 1"), "{key}");
        assert_eq!(value(&layers, key), "absent", "{key}");
    }
    let ended = usual(&[("a", Value::Null), ("a.x", one(2))]).pinning(&["a"]);
    let layers = [weaker, ended, usual(&[("a.b", one(3))])];
    assert_eq!(value(&layers, "a.b"), "3", "what the layer says later ends its absence");
}

#[test]
fn takes_away_what_a_pattern_matches_or_stands_above() {
    let weaker = usual(&[("a.b", one(1)), ("a.c.d", one(2)), ("x", one(3))]);
    let layers = [weaker.clone(), usual(&[("a.c.d", one(4))]).removing(&["a", "none.**"])];
    assert_eq!(verdicts(&layers, "a.b"), "1 removes, 0 removed by 1");
    assert_eq!(
        verdicts(&layers, "a.c.d"),
        "1 wins, 1 removes, 0 removed by 1",
        "before its values"
    );
    assert_eq!(value(&layers, "x"), "3");
    let pinned = [weaker.pinning(&["a.b"]), usual(&[]).removing(&["a.*"])];
    assert_eq!(verdicts(&pinned, "a.b"), "1 blocked by 0, 0 wins");
    let never_pins = [
        usual(&[("a", one(1))]),
        usual(&[]).removing(&["a"]).pinning(&["a"]),
        usual(&[("a", one(2))]),
    ];
    assert_eq!(value(&never_pins, "a"), "2");
}

#[test]
fn gathers_lists_and_keeps_the_place_of_every_element() {
    let list = |items: &[i64]| {
        let items = items.iter().map(|item| justwhy_core::Element {
            value: one(*item),
            at: justwhy_core::Span::default(),
        });
        usual(&[("a", Value::List(items.collect()))])
    };
    let declares =
        |gather| Declares { key: "a".into(), gather: Some(gather), empty: None, secret: None };
    let layers = [list(&[1, 2]), list(&[2, 3, 3]), usual(&[("a", text("4, 5"))])];
    for (gather, expected) in [
        (Gather::After, "[1, 2, 2, 3, 3, \"4\", \"5\"] from 0011122"),
        (Gather::Before, "[\"4\", \"5\", 2, 3, 3, 1, 2] from 2211100"),
        (Gather::Distinct, "[1, 2, 3, \"4\", \"5\"] from 00122"),
    ] {
        let readings = readings_of(&layers, &[declares(gather)]);
        let answers = answers(&readings);
        let key = answers.resolution().settings()[0];
        let answer = Explanation::of(&answers, key);
        let from: String = answer
            .items()
            .iter()
            .map(|item| {
                let resolution = answers.resolution();
                resolution.layer_of(resolution.candidate(item.candidate)).0.to_string()
            })
            .collect();
        assert_eq!(format!("{} from {from}", answer.value().unwrap().show()), expected);
    }
    let afresh = [list(&[1]), usual(&[("a", Value::Null)]), list(&[2])];
    let readings = readings_of(&afresh, &[declares(Gather::After)]);
    let answers = answers(&readings);
    let answer = Explanation::of(&answers, answers.resolution().settings()[0]);
    assert_eq!(answer.value().unwrap().show(), "[2]", "a null starts afresh");
}

#[test]
fn is_in_error_if_it_gathers_something_that_is_no_list() {
    let declares =
        Declares { key: "a".into(), gather: Some(Gather::After), empty: None, secret: None };
    let layers = [usual(&[("a", one(1))]), usual(&[("a", text("2"))])];
    let readings = readings_of(&layers, &[declares]);
    let answers = answers(&readings);
    let answer = Explanation::of(&answers, answers.resolution().settings()[0]);
    assert!(matches!(answer.status, Status::Error { code: "bad-value", .. }));
}

#[test]
fn lets_the_catalogue_decide_over_the_layer_whether_an_empty_text_counts() {
    let empty = Said { empty: Empty::Unset, ..usual(&[("a", text(""))]) };
    let layers = [usual(&[("a", one(1))]), empty];
    for (empty, expected) in
        [(EmptyText::Value, "\"\""), (EmptyText::Unset, "1"), (EmptyText::Error, "error")]
    {
        let declares = Declares { key: "a".into(), gather: None, empty: Some(empty), secret: None };
        let readings = readings_of(&layers, &[declares]);
        let answers = answers(&readings);
        let answer = Explanation::of(&answers, answers.resolution().settings()[0]);
        let shown = answer.value().map_or(answer.status.name().to_owned(), |value| value.show());
        assert_eq!(shown, expected, "{empty:?}");
    }
}

#[test]
fn says_the_way_round_to_an_error() {
    let layers = [usual(&[
        ("a", text("${b}")),
        ("b", text("x${c}")),
        ("c", text("${missing}")),
        ("r", text("${s}")),
        ("s", text("${t}")),
        ("t", text("${r:-never}")),
        ("into", text("${r}")),
    ])];
    let readings = readings(&layers);
    let answers = answers(&readings);
    let message = |key: &str| {
        let key = readings.keys.find(KeyId::ROOT, &KeyPath::parse(key).unwrap()).unwrap();
        match Explanation::of(&answers, key).status {
            Status::Error { code, fact } => format!("{code}: {fact}"),
            other => other.name().to_owned(),
        }
    };
    assert_eq!(
        message("a"),
        "unresolved-reference: it refers to b, which refers to c: `${missing}`: no setting missing here"
    );
    assert_eq!(message("r"), "reference-cycle: it refers to itself: r → s → t → r");
    assert_eq!(message("t"), "reference-cycle: it refers to itself: t → r → s → t");
    assert!(
        message("into").starts_with("reference-cycle: it refers to r: "),
        "{}",
        message("into")
    );
}

#[test]
fn holds_references_to_a_depth_and_to_a_size() {
    let chain = |length: usize| {
        let mut offers = vec![("k0".to_owned(), text("end"))];
        let more = (1..=length).map(|at| (format!("k{at}"), text(&format!("${{k{}}}", at - 1))));
        offers.extend(more);
        [Said { sources: vec![offers], ..usual(&[]) }]
    };
    assert_eq!(value(&chain(20), "k20"), "\"end\"");
    assert_eq!(value(&chain(21), "k21"), "error");
    assert_eq!(value(&chain(50_000), "k50000"), "error", "without running out of stack");
    let mut offers = vec![("k0".to_owned(), text(&"x".repeat(100)))];
    let twice = (1..15).map(|at| (format!("k{at}"), text(&format!("${{k{0}}}${{k{0}}}", at - 1))));
    offers.extend(twice);
    let doubling = [Said { sources: vec![offers], ..usual(&[]) }];
    assert_eq!(value(&doubling, "k14"), "error", "past 100,000 bytes");
}
