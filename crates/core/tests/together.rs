//! Several threads that ask for answers at once get what each asker alone would, on random projects
//! full of references and circles.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::{answers, readings, text, usual};
use justwhy_core::{Answers, Element, Failure, KeyId, Span, Value};
use proptest::prelude::*;

const SETTINGS: usize = 24;

/// A text of parts, most of them references, some with something to fall back to.
fn texts() -> impl Strategy<Value = String> {
    let number = || 0..SETTINGS;
    let part = prop_oneof![
        1 => Just("x".to_owned()),
        4 => number().prop_map(|to| format!("${{s{to}}}")),
        1 => (number(), number()).prop_map(|(to, or)| format!("${{s{to}:-${{s{or}}}}}")),
    ];
    prop::collection::vec(part, 1..4).prop_map(|parts| parts.concat())
}

/// What a setting says. A list cannot be part of a longer text, and nothing can be referred to that is
/// not there, so that there are faults besides circles.
fn values() -> impl Strategy<Value = Value> {
    let list = |items: Vec<String>| {
        let items = items.iter().map(|item| Element { value: text(item), at: Span::default() });
        Value::List(items.collect())
    };
    prop_oneof![
        6 => texts().prop_map(|it| text(&it)),
        2 => prop::collection::vec(texts(), 1..3).prop_map(list),
        1 => Just(Value::Null),
        1 => Just(Value::Integer(7)),
    ]
}

type Said = (Result<Option<Value>, Failure>, bool);

fn say(answers: &Answers<'_>, key: KeyId) -> Said {
    let outcome = answers.outcome(key);
    (outcome.result.clone(), outcome.secret)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1_000, ..ProptestConfig::default() })]

    #[test]
    fn several_threads_get_the_answers_that_each_would_get_alone(
        values in prop::collection::vec(values(), SETTINGS),
        starts in prop::collection::vec(0..SETTINGS, 3),
    ) {
        let names: Vec<String> = (0..SETTINGS).map(|number| format!("s{number}")).collect();
        let offers = names.iter().map(String::as_str).zip(values);
        let offers: Vec<(&str, Value)> = offers.collect();
        let readings = readings(&[usual(&offers)]);
        let fresh = || answers(&readings);
        let keys = fresh().resolution().settings();
        let alone: Vec<Said> = keys.iter().map(|key| say(&fresh(), *key)).collect();
        let shared = fresh();
        let (keys, shared) = (&keys, &shared);
        let told: Vec<Vec<(usize, Said)>> = std::thread::scope(|scope| {
            let ask = |start: &usize| {
                let start = *start;
                scope.spawn(move || {
                    let order = (start..keys.len()).chain(0..start);
                    order.map(|at| (at, say(shared, keys[at]))).collect()
                })
            };
            let asking: Vec<_> = starts.iter().map(ask).collect();
            asking.into_iter().map(|thread| thread.join().unwrap()).collect()
        });
        for (at, said) in told.into_iter().flatten() {
            prop_assert_eq!(&said, &alone[at], "{}", readings.keys.show(keys[at]));
        }
    }
}
