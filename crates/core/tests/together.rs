//! Several threads that ask for answers at once get what each asker alone would, on random projects
//! full of references and circles.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::{answers, readings, text, usual};
use justwhy_core::{Answers, Failure, KeyId, Value};
use proptest::prelude::*;

const SETTINGS: usize = 24;

/// What a setting says: one part after the other, a number for a reference to the setting of that number.
fn values() -> impl Strategy<Value = Vec<Vec<Option<usize>>>> {
    let part = prop_oneof![1 => Just(None), 2 => (0..SETTINGS).prop_map(Some)];
    prop::collection::vec(prop::collection::vec(part, 1..4), SETTINGS)
}

fn written(parts: &[Option<usize>]) -> Value {
    let parts = parts.iter().map(|part| match part {
        Some(number) => format!("${{s{number}}}"),
        None => "x".to_owned(),
    });
    text(&parts.collect::<Vec<_>>().join("-"))
}

type Said = (Result<Option<Value>, Failure>, bool);

fn say(answers: &Answers<'_>, key: KeyId) -> Said {
    let outcome = answers.outcome(key);
    (outcome.result.clone(), outcome.secret)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    #[test]
    fn several_threads_get_the_answers_that_each_would_get_alone(
        values in values(),
        starts in prop::collection::vec(0..SETTINGS, 3),
    ) {
        let names: Vec<String> = (0..SETTINGS).map(|number| format!("s{number}")).collect();
        let offers: Vec<(&str, Value)> = names
            .iter()
            .zip(&values)
            .map(|(name, parts)| (name.as_str(), written(parts)))
            .collect();
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
            prop_assert_eq!(&said, &alone[at], "s{}", at);
        }
    }
}
