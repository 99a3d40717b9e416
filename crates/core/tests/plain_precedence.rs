//! The rules of precedence a second time, as plainly as they can be written, against the real
//! resolution on random projects.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::{Declares, Said, answers, readings_of, text, withheld};
use justwhy_core::{
    Element, Empty, EmptyText, Explanation, Gather, KeyPath, Null, Pattern, Span, Status, Value,
    read_like, read_list,
};
use proptest::prelude::*;

/// A candidate of the plain implementation: all of them stand in one list, weakest first.
#[derive(Clone, Debug)]
struct Plain {
    key: Vec<String>,
    layer: usize,
    source: usize,
    value: Value,
    untyped: bool,
    verdict: &'static str,
    by: Option<usize>,
    /// Whether its layer pins it; only a value or a null can be pinned.
    is_pinned: bool,
}

fn segments(key: &str) -> Vec<String> {
    key.split('.').map(str::to_owned).collect()
}

fn is_below(key: &[String], other: &[String]) -> bool {
    key.len() > other.len() && key[..other.len()] == *other
}

fn touches(one: &[String], other: &[String]) -> bool {
    one == other || is_below(one, other) || is_below(other, one)
}

fn matches(patterns: &[String], key: &[String]) -> bool {
    let key: Vec<&str> = key.iter().map(String::as_str).collect();
    patterns.iter().any(|pattern| Pattern::parse(pattern).unwrap().matches_segments(&key))
}

/// The candidates in force, weakest first.
fn in_force(all: &[Plain]) -> impl Iterator<Item = usize> + '_ {
    let names = ["wins", "contributes", "unreadable"];
    (0..all.len()).filter(move |index| names.contains(&all[*index].verdict))
}

fn declared<'d>(declares: &'d [Declares], key: &[String]) -> Option<&'d Declares> {
    declares.iter().find(|it| segments(&it.key) == key)
}

/// What keeps the new candidate from having any effect, the weakest of several.
fn blocker(all: &[Plain], layer: usize, key: &[String], is_null: bool) -> Option<usize> {
    let by_value = in_force(all).find(|old| {
        let it = &all[*old];
        // A null leaves a leaf above it alone, so that no pin of that one blocks it.
        let meets = match is_null {
            true => it.key == key || is_below(&it.key, key),
            false => touches(&it.key, key),
        };
        // Of a gathered list the last part stands for all of it.
        it.verdict == "wins" && it.is_pinned && it.layer < layer && meets
    });
    let by_absence = all.iter().position(|it| {
        it.verdict == "removes" && it.is_pinned && it.layer < layer && touches(&it.key, key)
    });
    by_value.into_iter().chain(by_absence).min()
}

/// Each rule in turn, over the whole list every time.
fn resolve(layers: &[Said], declares: &[Declares]) -> Vec<Plain> {
    let mut all: Vec<Plain> = Vec::new();
    for (layer, said) in layers.iter().enumerate() {
        take_away(&mut all, layer, said);
        for (source, offers) in said.sources.iter().enumerate() {
            for (key, value) in offers {
                let key = segments(key);
                let new = all.len();
                let declares = declared(declares, &key);
                let skips = match declares.and_then(|it| it.empty) {
                    Some(EmptyText::Unset) => true,
                    Some(_) => false,
                    None => said.empty == Empty::Unset,
                };
                let is_withheld = *value == withheld();
                let is_empty = *value == text("") && skips;
                let is_null = *value == Value::Null && said.null == Null::Unset;
                let has_none = is_empty || is_withheld;
                let blocked_by = if has_none { None } else { blocker(&all, layer, &key, is_null) };
                let is_blocked = blocked_by.is_some();
                let gathers = declares.is_some_and(|it| it.gather.is_some());
                if !has_none && !is_blocked {
                    for old in in_force(&all).collect::<Vec<_>>() {
                        let it = &all[old];
                        let (same, below, above) =
                            (it.key == key, is_below(&it.key, &key), is_below(&key, &it.key));
                        let is_one_source = it.layer == layer && it.source == source;
                        let verdict = match () {
                            _ if is_null && (same || below) => "removed",
                            _ if is_null => continue,
                            _ if same && gathers && !is_one_source => "contributes",
                            // Of what one source says twice only the last is meant; what others
                            // said before stays under it.
                            _ if same && gathers => "overridden",
                            _ if same => "overridden",
                            _ if below || above => "reshaped",
                            _ => continue,
                        };
                        if verdict == "contributes" && it.verdict == "contributes" {
                            continue;
                        }
                        all[old].verdict = verdict;
                        all[old].by = Some(new);
                    }
                }
                let verdict = match () {
                    _ if is_withheld => "withheld",
                    _ if is_empty => "empty",
                    _ if is_blocked => "blocked",
                    _ if is_null => "removes",
                    _ => "wins",
                };
                let is_pinned = matches(&said.pins, &key) && ["wins", "removes"].contains(&verdict);
                let (value, untyped) = (value.clone(), said.untyped);
                all.push(Plain {
                    key,
                    layer,
                    source,
                    value,
                    untyped,
                    verdict,
                    by: blocked_by,
                    is_pinned,
                });
            }
        }
        // What the layer says after a null ends the absence, so that there is none to pin.
        for null in 0..all.len() {
            let is_ended =
                in_force(&all).any(|it| it > null && touches(&all[it].key, &all[null].key));
            // Of two nulls at one key the later one stands for both.
            let is_repeated = (null + 1..all.len())
                .any(|it| all[it].verdict == "removes" && all[it].key == all[null].key);
            let is_ended = is_ended || is_repeated;
            if all[null].layer == layer && all[null].verdict == "removes" && is_ended {
                all[null].is_pinned = false;
            }
        }
    }
    // What is in force and cannot be read keeps its rank, and is told for what it is.
    for it in in_force(&all).collect::<Vec<_>>() {
        if all[it].value == Value::Unread {
            all[it].verdict = "unreadable";
        }
    }
    all
}

/// What a layer takes away: a candidate for each leaf that a pattern matches or stands above.
fn take_away(all: &mut Vec<Plain>, layer: usize, said: &Said) {
    for pattern in &said.removes {
        let one = std::slice::from_ref(pattern);
        let mut keys: Vec<Vec<String>> = in_force(all).map(|it| all[it].key.clone()).collect();
        keys.retain(|key| (1..=key.len()).any(|end| matches(one, &key[..end])));
        keys.sort();
        keys.dedup();
        for key in keys {
            let new = all.len();
            let met: Vec<usize> = in_force(all).filter(|it| all[*it].key == key).collect();
            let is_pinned = |it: &usize| all[*it].is_pinned && all[*it].verdict == "wins";
            let blocked_by = met.iter().copied().find(is_pinned);
            let is_blocked = blocked_by.is_some();
            if !is_blocked {
                for old in met {
                    all[old].verdict = "removed";
                    all[old].by = Some(new);
                }
            }
            all.push(Plain {
                key,
                layer,
                source: usize::MAX,
                value: Value::Null,
                untyped: false,
                verdict: if is_blocked { "blocked" } else { "removes" },
                by: blocked_by,
                is_pinned: false,
            });
        }
    }
}

/// Why a setting is in error: the code, and the keys of the circle if it is one.
#[derive(Clone, PartialEq, Debug)]
struct Wrong {
    code: &'static str,
    circle: Vec<Vec<String>>,
}

fn wrong<T>(code: &'static str) -> Result<T, Wrong> {
    Err(Wrong { code, circle: Vec::new() })
}

/// What a setting comes to: a value, nothing, or an error.
type Outcome = Result<Option<Value>, Wrong>;

/// The effective value at a key; `round` are the keys that wait for it.
fn effective(
    all: &[Plain],
    declares: &[Declares],
    key: &[String],
    round: &mut Vec<Vec<String>>,
) -> Outcome {
    if let Some(from) = round.iter().position(|waiting| waiting == key) {
        return Err(Wrong { code: "reference-cycle", circle: round[from..].to_vec() });
    }
    round.push(key.to_vec());
    let outcome = evaluate(all, declares, key, round);
    round.pop();
    outcome
}

fn evaluate(
    all: &[Plain],
    declares: &[Declares],
    key: &[String],
    round: &mut Vec<Vec<String>>,
) -> Outcome {
    let parts: Vec<usize> = in_force(all).filter(|it| all[*it].key == key).collect();
    let Some(winner) = parts.last().copied() else {
        return Ok(None);
    };
    if parts.iter().any(|part| all[*part].verdict == "unreadable") {
        return wrong("unreadable");
    }
    let declares_it = declared(declares, key);
    let (mut expanded, mut found) = (Vec::new(), Vec::new());
    // The strongest first, as a reader would look at them; of several faults the first is told.
    for part in parts.iter().rev() {
        match expand(all, declares, &all[*part].value, round) {
            Ok(value) => expanded.push(value),
            Err(wrong) => found.push(wrong),
        }
    }
    if let Some(wrong) = found.into_iter().next() {
        return Err(wrong);
    }
    expanded.reverse();
    let refuses = declares_it.is_some_and(|it| it.empty == Some(EmptyText::Error));
    let value = match declares_it.and_then(|it| it.gather) {
        Some(_) if refuses && expanded.contains(&text("")) => return wrong("bad-value"),
        Some(gather) => gathered(gather, expanded)?,
        None => convert(all, winner, expanded.pop().unwrap()),
    };
    if refuses && value == text("") { wrong("bad-value") } else { Ok(Some(value)) }
}

fn gathered(gather: Gather, mut parts: Vec<Value>) -> Result<Value, Wrong> {
    if gather == Gather::Before {
        parts.reverse();
    }
    let mut items: Vec<Element> = Vec::new();
    for part in parts {
        let list = match part {
            Value::List(list) => list,
            Value::Text(said) => match read_list(&said, Span::default()) {
                Ok(list) => list,
                Err(_) => return wrong("bad-value"),
            },
            _ => return wrong("bad-value"),
        };
        for item in list.iter() {
            let is_there = items.iter().any(|other| other.value == item.value);
            if gather != Gather::Distinct || !is_there {
                items.push(item.clone());
            }
        }
    }
    Ok(Value::List(items.into()))
}

fn convert(all: &[Plain], winner: usize, value: Value) -> Value {
    let Value::Text(said) = &value else {
        return value;
    };
    if all[winner].untyped {
        let key = &all[winner].key;
        for weaker in all[..winner].iter().rev().filter(|weaker| weaker.key == *key) {
            let counts = !["removed", "empty", "blocked", "withheld"].contains(&weaker.verdict);
            let gives =
                matches!(weaker.value, Value::Boolean(_) | Value::Integer(_) | Value::Number(_));
            if counts && gives {
                return read_like(said, weaker.value.kind()).unwrap_or(value);
            }
        }
    }
    value
}

/// Texts of these projects hold one reference at most: `before${key:-fallback}after`.
fn expand(
    all: &[Plain],
    declares: &[Declares],
    value: &Value,
    round: &mut Vec<Vec<String>>,
) -> Result<Value, Wrong> {
    if let Value::List(items) = value {
        let (mut expanded, mut found) = (Vec::new(), Vec::new());
        for item in items.iter() {
            match expand(all, declares, &item.value, round) {
                Ok(value) => expanded.push(Element { value, at: item.at }),
                Err(wrong) => found.push(wrong),
            }
        }
        let first = found.into_iter().next();
        return first.map_or(Ok(Value::List(expanded.into())), Err);
    }
    let Some(said) = value.as_text().filter(|said| said.contains("${")) else {
        return Ok(value.clone());
    };
    let (before, rest) = said.split_once("${").unwrap();
    if let Some(before) = before.strip_suffix('$') {
        return Ok(text(&format!("{before}${{{rest}")));
    }
    let Some((inner, after)) = rest.split_once('}') else {
        return wrong("unresolved-reference");
    };
    let (target, fallback) = match inner.split_once(":-") {
        Some((target, fallback)) => (target, Some(fallback)),
        None => (inner, None),
    };
    let found = match target.strip_prefix("variable:") {
        Some("SET") => Some(text("from-process")),
        Some(_) => None,
        None => {
            let key = segments(target);
            let is_setting =
                all.iter().any(|it| it.key == key) || declared(declares, &key).is_some();
            if is_setting { effective(all, declares, &key, round)? } else { None }
        }
    };
    let is_missing = found.is_none() || fallback.is_some() && found == Some(text(""));
    let found = match (is_missing, fallback) {
        (false, _) => found.unwrap(),
        (true, Some(fallback)) => text(fallback),
        (true, None) => return wrong("unresolved-reference"),
    };
    if before.is_empty() && after.is_empty() {
        return Ok(found);
    }
    let shown = match &found {
        Value::Text(said) => said.to_string(),
        Value::Boolean(_) | Value::Integer(_) | Value::Number(_) => found.show(),
        _ => return wrong("unresolved-reference"),
    };
    Ok(text(&format!("{before}{shown}{after}")))
}

fn key() -> impl Strategy<Value = String> {
    prop::collection::vec("[ab]", 1..4).prop_map(|segments| segments.join("."))
}

fn scalars() -> impl Strategy<Value = Value> {
    prop_oneof![
        3 => Just(Value::Null),
        2 => Just(text("")),
        1 => Just(text("x")),
        2 => Just(text("7")),
        1 => Just(text("yes")),
        3 => (1..4_i64).prop_map(Value::Integer),
        1 => Just(Value::Boolean(false)),
        1 => Just(Value::Number(0.5)),
    ]
}

fn references() -> impl Strategy<Value = Value> {
    let target = prop_oneof![
        6 => key(),
        1 => Just("variable:SET".to_owned()),
        1 => Just("variable:UNSET".to_owned()),
    ];
    let fallback = prop_oneof![3 => Just(""), 1 => Just(":-5"), 1 => Just(":-")];
    let around = prop_oneof![3 => Just(("", "")), 1 => Just(("<", ">")), 1 => Just(("$", ""))];
    (target, fallback, around).prop_map(|(target, fallback, (before, after))| {
        text(&format!("{before}${{{target}{fallback}}}{after}"))
    })
}

fn values() -> impl Strategy<Value = Value> {
    let item = prop_oneof![3 => scalars(), 1 => references()];
    let list = prop::collection::vec(item, 0..3).prop_map(|items| {
        let items = items.into_iter().map(|value| Element { value, at: Span::default() });
        Value::List(items.collect())
    });
    let kept = prop_oneof![Just(withheld()), Just(Value::Unread)];
    prop_oneof![12 => scalars(), 6 => references(), 4 => list, 3 => kept]
}

/// Layers, weakest first, and what a catalogue declares.
type Project = (Vec<Said>, Vec<Declares>);

fn projects() -> impl Strategy<Value = Project> {
    let offers = || prop::collection::vec((key(), values()), 0..5);
    let sources = prop_oneof![
        4 => prop::collection::vec(offers(), 1..2),
        1 => prop::collection::vec(offers(), 0..3),
    ];
    let pattern = prop_oneof![
        key(),
        key().prop_map(|key| format!("{key}.**")),
        Just("*".to_owned()),
        Just("a.*".to_owned()),
        Just("**".to_owned()),
    ];
    let pattern = pattern.boxed();
    let patterns = prop_oneof![
        3 => Just(Vec::new()),
        1 => prop::collection::vec(pattern, 1..3),
    ];
    let patterns = patterns.boxed();
    let layer = (sources, any::<[bool; 3]>(), patterns.clone(), patterns);
    let layers = prop::collection::vec(layer, 1..6).prop_map(|layers| {
        let said = |(sources, flags, pins, removes): (_, [bool; 3], _, _)| Said {
            empty: if flags[0] { Empty::Unset } else { Empty::Value },
            null: if flags[1] { Null::Unset } else { Null::Value },
            untyped: flags[2],
            pins,
            removes,
            sources,
            is_unavailable: false,
        };
        layers.into_iter().map(said).collect()
    });
    let gather = prop_oneof![
        1 => Just(None),
        1 => Just(Some(Gather::After)),
        1 => Just(Some(Gather::Before)),
        1 => Just(Some(Gather::Distinct)),
    ];
    let empty = prop_oneof![
        3 => Just(None),
        1 => Just(Some(EmptyText::Value)),
        1 => Just(Some(EmptyText::Unset)),
        1 => Just(Some(EmptyText::Error)),
    ];
    let declares = (key(), gather, empty);
    let declares = prop::collection::vec(declares, 0..3).prop_map(|all| {
        let mut declares: Vec<Declares> = Vec::new();
        for (key, gather, empty) in all {
            if declares.iter().all(|other| other.key != key) {
                declares.push(Declares { key, gather, empty, secret: None });
            }
        }
        declares
    });
    (layers, declares)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 20_000, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn agrees_with_the_plain_rules((layers, declares) in projects()) {
        let plain = resolve(&layers, &declares);
        let readings = readings_of(&layers, &declares);
        let answers = answers(&readings);
        let resolution = answers.resolution();
        let real: Vec<_> = resolution.all_candidates().collect();
        prop_assert_eq!(real.len(), plain.len(), "{:#?}", plain);
        for (id, plain) in real.iter().zip(&plain) {
            let candidate = resolution.candidate(*id);
            prop_assert_eq!(candidate.verdict.name(), plain.verdict, "{:?}", plain);
            prop_assert_eq!(resolution.layer_of(candidate).0, plain.layer);
            prop_assert_eq!(candidate.by, plain.by.map(|by| real[by]), "{:?}", plain);
        }
        for key in resolution.settings() {
            let path: Vec<String> =
                readings.keys.segments(key).into_iter().map(str::to_owned).collect();
            let answer = Explanation::of(&answers, key);
            let expected = effective(&plain, &declares, &path, &mut Vec::new());
            match (&answer.status, expected) {
                (Status::Error { code, .. }, Err(expected)) => {
                    prop_assert_eq!(*code, expected.code);
                }
                (Status::Unreadable { .. }, Err(expected)) => {
                    prop_assert_eq!("unreadable", expected.code);
                }
                (Status::Error { fact, .. }, Ok(expected)) => {
                    prop_assert!(false, "{:?}: {} but {:?}", path, fact, expected);
                }
                (_, expected) => prop_assert_eq!(Ok(answer.value()), expected, "{:?}", path),
            }
            // Whatever is explained, it is explained in words and for every layer.
            prop_assert!(!answer.why(&answers).is_empty());
            prop_assert!(answer.rows(&answers).len() >= layers.len());
            prop_assert!(KeyPath::parse(&readings.keys.show(key)).is_ok());
        }
    }
}

/// What a scope can say: texts.
fn as_a_scope(said: &Said) -> Said {
    let mut said = said.clone();
    said.untyped = true;
    for offers in &mut said.sources {
        offers.retain(|(_, value)| matches!(value, Value::Text(_) | Value::Unread));
    }
    said
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 20_000, failure_persistence: None, ..ProptestConfig::default() })]

    /// A setting that is not called uncertain is what it is whatever the layer says that was not asked.
    #[test]
    fn what_is_certain_is_so_whatever_was_not_asked(
        (layers, declares) in projects(),
        unasked in any::<prop::sample::Index>(),
    ) {
        let mut asked = layers;
        let number = unasked.index(asked.len());
        asked[number] = as_a_scope(&asked[number]);
        let mut unasked = asked.clone();
        unasked[number].is_unavailable = true;
        let (with, without) = (readings_of(&asked, &declares), readings_of(&unasked, &declares));
        let (with, without) = (answers(&with), answers(&without));
        let keys = without.resolution().keys();
        for key in without.resolution().settings() {
            let before = Explanation::of(&without, key);
            prop_assert!(!before.why(&without).is_empty());
            if matches!(before.status, Status::Uncertain { .. }) {
                prop_assert!(before.value().is_none());
                continue;
            }
            let same = with.resolution().keys().find_segments(&keys.segments(key)).unwrap();
            let after = Explanation::of(&with, same);
            prop_assert_eq!(before.status.name(), after.status.name(), "{}", keys.show(key));
            prop_assert_eq!(before.value(), after.value(), "{}", keys.show(key));
        }
    }
}

/// Had it said something above the key, the number would be reshaped before it could be removed, and give
/// the text its type.
#[test]
fn a_type_that_is_taken_away_could_be_kept_by_what_was_not_asked() {
    let mut last = common::usual(&[("a.a", Value::Text("7".into()))]);
    last.untyped = true;
    last.removes = vec!["a.**".to_owned()];
    let mut unasked = common::usual(&[]);
    unasked.is_unavailable = true;
    let readings =
        readings_of(&[common::usual(&[("a.a", Value::Number(0.5))]), unasked, last], &[]);
    let answers = answers(&readings);
    let key = answers.resolution().keys().find_segments(&["a", "a"]).unwrap();
    assert_eq!(Explanation::of(&answers, key).status.name(), "uncertain");
}

#[test]
fn the_plain_rules_are_no_tautology() {
    let said = |offers: &[(&str, Value)]| common::usual(offers);
    let plain = resolve(
        &[
            said(&[("a.b", Value::Integer(1))]),
            said(&[("a", Value::Null)]),
            said(&[("a.b.a", Value::Integer(2)), ("a.b", Value::Integer(3))]).pinning(&["a.b"]),
            said(&[("a.b", Value::Integer(4)), ("b", text("<${a.b}>"))]),
        ],
        &[],
    );
    let verdicts: Vec<&str> = plain.iter().map(|one| one.verdict).collect();
    assert_eq!(verdicts, ["removed", "removes", "reshaped", "wins", "blocked", "wins"]);
    let b = effective(&plain, &[], &segments("b"), &mut Vec::new());
    assert_eq!(b, Ok(Some(text("<3>"))));
}
