//! The rules of precedence a second time, as plainly as they can be written, against the real
//! resolution on random projects.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::{Said, readings, text};
use justwhy_core::{Empty, Explanation, Null, Resolution, Value, read_like};
use proptest::prelude::*;

/// A candidate of the plain implementation: all of them stand in one list, weakest first.
#[derive(Debug)]
struct Plain {
    key: Vec<String>,
    layer: usize,
    value: Value,
    untyped: bool,
    verdict: &'static str,
    by: Option<usize>,
}

fn is_below(key: &[String], other: &[String]) -> bool {
    key.len() > other.len() && key[..other.len()] == *other
}

/// Each rule in turn, over the whole list every time.
fn resolve(layers: &[Said]) -> Vec<Plain> {
    let mut all: Vec<Plain> = Vec::new();
    for (layer, said) in layers.iter().enumerate() {
        for (key, value) in &said.offers {
            let key: Vec<String> = key.split('.').map(str::to_owned).collect();
            let new = all.len();
            let is_empty = *value == text("") && said.empty == Empty::Unset;
            let is_null = *value == Value::Null && said.null == Null::Unset;
            for old in all.iter_mut().filter(|old| old.verdict == "wins") {
                let (same, below, above) =
                    (old.key == key, is_below(&old.key, &key), is_below(&key, &old.key));
                let verdict = match () {
                    _ if is_empty => continue,
                    _ if is_null && (same || below) => "removed",
                    _ if is_null => continue,
                    _ if same => "overridden",
                    _ if below || above => "reshaped",
                    _ => continue,
                };
                old.verdict = verdict;
                old.by = Some(new);
            }
            let verdict = match () {
                _ if is_empty => "empty",
                _ if is_null => "removes",
                _ => "wins",
            };
            let (value, untyped) = (value.clone(), said.untyped);
            all.push(Plain { key, layer, value, untyped, verdict, by: None });
        }
    }
    all
}

/// The effective value at a key, if any.
fn effective(all: &[Plain], key: &[String]) -> Option<Value> {
    let winner = all.iter().position(|one| one.key == key && one.verdict == "wins")?;
    let Value::Text(said) = &all[winner].value else {
        return Some(all[winner].value.clone());
    };
    if all[winner].untyped {
        for weaker in all[..winner].iter().rev().filter(|weaker| weaker.key == key) {
            let counts = !["removed", "empty"].contains(&weaker.verdict);
            let gives =
                matches!(weaker.value, Value::Boolean(_) | Value::Integer(_) | Value::Number(_));
            if counts && gives {
                let read = read_like(said, weaker.value.kind());
                return Some(read.unwrap_or_else(|| all[winner].value.clone()));
            }
        }
    }
    Some(all[winner].value.clone())
}

fn values() -> impl Strategy<Value = Value> {
    prop_oneof![
        3 => Just(Value::Null),
        2 => Just(text("")),
        2 => Just(text("x")),
        2 => Just(text("7")),
        1 => Just(text("yes")),
        3 => (1..4_i64).prop_map(Value::Integer),
        1 => Just(Value::Boolean(false)),
        1 => Just(Value::Number(0.5)),
    ]
}

fn layers() -> impl Strategy<Value = Vec<Said>> {
    let key = prop::collection::vec("[ab]", 1..4).prop_map(|segments| segments.join("."));
    let offers = prop::collection::vec((key, values()), 0..6);
    let layer = (offers, any::<bool>(), any::<bool>(), any::<bool>());
    prop::collection::vec(layer, 1..7).prop_map(|layers| {
        let said = |(offers, empty, null, untyped)| Said {
            empty: if empty { Empty::Unset } else { Empty::Value },
            null: if null { Null::Unset } else { Null::Value },
            untyped,
            offers,
        };
        layers.into_iter().map(said).collect()
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 20_000, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn agrees_with_the_plain_rules(layers in layers()) {
        let plain = resolve(&layers);
        let readings = readings(&layers);
        let resolution = Resolution::of(&readings);
        let real: Vec<_> = resolution.all_candidates().collect();
        prop_assert_eq!(real.len(), plain.len());
        for (id, plain) in real.iter().zip(&plain) {
            let candidate = resolution.candidate(*id);
            prop_assert_eq!(candidate.verdict.name(), plain.verdict, "{:?}", plain);
            prop_assert_eq!(candidate.by, plain.by.map(|by| real[by]), "{:?}", plain);
            prop_assert_eq!(resolution.layer_of(candidate).0, plain.layer);
        }
        for key in resolution.settings() {
            let path: Vec<String> =
                readings.keys.segments(key).into_iter().map(str::to_owned).collect();
            let answer = Explanation::of(&resolution, key);
            prop_assert_eq!(answer.value(), effective(&plain, &path));
            // Whatever is explained, it is explained in words and for every layer.
            prop_assert!(!answer.why(&resolution).is_empty());
            prop_assert!(answer.rows(&resolution).len() >= layers.len());
        }
    }
}

#[test]
fn the_plain_rules_are_no_tautology() {
    let said = |offers: &[(&str, Value)]| common::usual(offers);
    let plain = resolve(&[
        said(&[("a.b", Value::Integer(1))]),
        said(&[("a", Value::Null)]),
        said(&[("a.b.a", Value::Integer(2)), ("a.b", Value::Integer(3))]),
    ]);
    let verdicts: Vec<&str> = plain.iter().map(|one| one.verdict).collect();
    assert_eq!(verdicts, ["removed", "removes", "reshaped", "wins"]);
}
