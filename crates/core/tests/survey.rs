//! What a survey says of many contexts is what each of them comes to for itself, on random projects.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::text;
use justwhy_core::{
    Answers, Claims, Context, Declaration, Declared, Document, ExpansionLimits, Explanation,
    Gather, Input, Inputs, KeyId, KeyPath, Keys, Kind, Layer, LayerIndex, Leaf, Names, Naming,
    Outside, Pattern, Pins, Presence, Provenance, Readings, Removal, Resolution, Shape, Sight,
    SourceText, Span, Survey, Value,
};
use proptest::prelude::*;
use std::collections::HashMap;
use std::sync::Arc;

/// Documents that a layer may read, of which each context has one or none.
#[derive(Clone, Debug)]
struct Varied {
    is_flat: bool,
    pins: Option<String>,
    removes: Option<String>,
    documents: Vec<Vec<(usize, Value)>>,
}

const KEYS: [&str; 8] = ["a", "a.b", "a.b.c", "d", "e.f", "e.g", "x-y", "x_y"];
/// The last two mean one variable, which is an error to use.
const FLAT: [&str; 8] = ["T_A", "T_A__B", "T_A__B__C", "T_D", "T_E__F", "T_e__g", "T_NEW", "OTHER"];

fn values() -> impl Strategy<Value = Value> {
    prop_oneof![
        4 => (0..4_i64).prop_map(Value::Integer),
        2 => Just(text("3")),
        1 => Just(text("")),
        1 => Just(Value::Null),
        3 => prop::sample::select(vec![
            "${a.b}", "${d}", "is ${e.f:-none}", "${a}", "${e.g}", "${T_D:-x}", "${nothing}",
            "${e.h}", "${xy}", "${A.B.C.D}",
        ]).prop_map(text),
    ]
}

fn layers() -> impl Strategy<Value = Vec<Varied>> {
    let patterns = prop::sample::select(vec!["a.**", "d", "e.*", "**"]);
    let pattern = prop::option::weighted(0.2, patterns.prop_map(str::to_owned));
    let document = prop::collection::vec((0..8_usize, values()), 0..6);
    let varied = (
        prop::bool::weighted(0.3),
        pattern.clone(),
        pattern,
        prop::collection::vec(document, 1..4),
    );
    let varied = varied.prop_map(|(is_flat, pins, removes, documents)| Varied {
        is_flat,
        pins,
        removes,
        documents,
    });
    prop::collection::vec(varied, 1..5)
}

/// The number of no document: the layer was not asked.
const UNASKED: usize = 4;

struct Nothing;

impl Outside for Nothing {
    fn variable(&self, _: &str) -> Result<Option<Arc<str>>, String> {
        Ok(None)
    }

    fn file(&self, _: &str) -> Result<Option<Arc<str>>, String> {
        Ok(None)
    }

    fn changed(
        &self,
        _: &Context,
        _: &[(String, Option<String>)],
    ) -> Result<Arc<Readings>, String> {
        Err("there is no other context".to_owned())
    }
}

const LIMITS: ExpansionLimits = ExpansionLimits { depth: 32, bytes: 10_000, nodes: 10_000 };

fn layer(number: usize, varied: &Varied) -> Layer {
    let naming = Naming { prefix: "T_".to_owned(), nest: "__".to_owned(), claims: Claims::Every };
    let names = if varied.is_flat { Names::Variables(naming) } else { Names::Keys };
    let mut layer = Layer::new(format!("layer-{number}"), Kind::File, names);
    let parsed = |text: &String| Pattern::parse(text).unwrap();
    if let Some(pins) = &varied.pins {
        layer.pins = Pins::Keys([parsed(pins)].into());
    }
    let removal = |text: &String| Removal {
        pattern: parsed(text),
        written: text.as_str().into(),
        at: Span::default(),
    };
    layer.removes = varied.removes.iter().map(removal).collect();
    layer
}

/// The inputs of each context, which share their documents.
fn inputs(layers: &[Varied], contexts: &[Vec<usize>]) -> (Arc<Keys>, Vec<Inputs>) {
    let mut keys = Keys::default();
    let mut documents: HashMap<(usize, usize), Arc<Document>> = HashMap::new();
    for (number, varied) in layers.iter().enumerate() {
        for (at, said) in varied.documents.iter().enumerate() {
            let mut seen = Vec::new();
            let said = said.iter().filter(|(key, _)| {
                let is_new = !seen.contains(key);
                seen.push(*key);
                is_new
            });
            let leaf = |(key, value): &(usize, Value)| Leaf {
                name: match varied.is_flat {
                    true => keys.child(KeyId::ROOT, FLAT[*key]),
                    false => keys.intern(KeyId::ROOT, &KeyPath::parse(KEYS[*key]).unwrap()),
                },
                value: match (varied.is_flat, value) {
                    (true, Value::Integer(value)) => text(&value.to_string()),
                    (true, Value::Null) => text("null"),
                    (_, value) => value.clone(),
                },
                at: None,
                name_at: None,
            };
            let leaves = said.map(leaf).collect();
            let document = Document { leaves, ..Document::default() };
            documents.insert((number, at), Arc::new(document));
        }
    }
    let declared: Arc<[Declared]> = Arc::new([
        Declared { gather: Some(Gather::After), ..Declared::new(KeyPath::parse("e.g").unwrap()) },
        Declared {
            shape: Arc::new(Shape { kind: Declaration::Integer, ..Shape::default() }),
            ..Declared::new(KeyPath::parse("d").unwrap())
        },
        Declared {
            shape: Arc::new(Shape { kind: Declaration::Map, ..Shape::default() }),
            ..Declared::new(KeyPath::parse("e.f").unwrap())
        },
    ]);
    let keys = Arc::new(keys);
    let of_context = |chosen: &Vec<usize>| {
        let inputs =
            layers.iter().zip(chosen).enumerate().filter_map(|(number, (varied, chosen))| {
                let document = documents.get(&(number, *chosen))?;
                Some(Input {
                    layer: LayerIndex(number),
                    origin: format!("source-{number}-{chosen}").into(),
                    document: Arc::clone(document),
                    section: None,
                    may_lack_section: false,
                    untyped: varied.is_flat,
                })
            });
        Inputs {
            others: Arc::new([]),
            naming: None,
            keys: Arc::clone(&keys),
            context: Context::default(),
            layers: layers
                .iter()
                .zip(chosen)
                .enumerate()
                .map(|(at, (varied, chosen))| {
                    let mut layer = layer(at, varied);
                    if *chosen == UNASKED {
                        layer.presence = Presence::Unavailable("nobody asked".to_owned());
                    }
                    layer
                })
                .collect(),
            inputs: inputs.collect(),
            declared: Arc::clone(&declared),
            never: Arc::default(),
            catalogues: Arc::new([("justwhy.toml".into(), SourceText::new("".into()))]),
        }
    };
    let all = contexts.iter().map(of_context).collect();
    (keys, all)
}

/// All that is said of a setting, but for how to change it.
fn told(answers: &Answers<'_>, key: KeyId) -> String {
    let resolution = answers.resolution();
    let keys = resolution.keys();
    let answer = Explanation::of(answers, key);
    let value = answer.effective().map(Value::show);
    let mut told = format!("{} {:?} {value:?}", keys.show(key), answer.status);
    for id in resolution.candidates(key) {
        let candidate = resolution.candidate(id);
        let place = Provenance::of(resolution, id).show(keys);
        let source = &resolution.reading(candidate).origin;
        let by = candidate.by.map(|by| resolution.reading(resolution.candidate(by)).origin.clone());
        told.push_str(&format!("\n  {source} {place} {} {by:?}", candidate.verdict.name()));
    }
    told
}

/// How many random projects; more by hand: `SURVEYS=50000 cargo test -p justwhy-core --test survey`.
fn cases() -> u32 {
    std::env::var("SURVEYS").ok().and_then(|count| count.parse().ok()).unwrap_or(1_000)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(cases()))]

    #[test]
    fn each_context_is_what_its_group_is(
        layers in layers(),
        contexts in prop::collection::vec(prop::collection::vec(0..=UNASKED, 5), 1..8),
    ) {
        let (keys, all) = inputs(&layers, &contexts);
        let (_, read) = Readings::assemble_all(Arc::clone(&keys), all.clone());
        let mut together = Vec::new();
        let mut alone = Vec::new();
        for (read, inputs) in read.into_iter().zip(all) {
            let single = Readings::assemble(inputs);
            prop_assert_eq!(read.is_ok(), single.is_ok());
            if let (Ok(read), Ok(single)) = (read, single) {
                together.push(Arc::new(read));
                alone.push(Arc::new(single));
            }
        }
        // What each setting comes to in each context, from the survey.
        let survey = Survey::of(together).in_parts_of(2);
        let mut surveyed: HashMap<(usize, String), String> = HashMap::new();
        let mut looked = 0;
        let look = |sight: Sight<'_>| {
            let keys = sight.answers.resolution().keys();
            let said = sight.settings.iter().map(|(key, group)| {
                (keys.show(*key), told(&sight.answers, *key), Arc::clone(group))
            });
            said.collect::<Vec<_>>()
        };
        survey.look(&Nothing, LIMITS, look, |said| {
            for (name, told, group) in said {
                looked += 1;
                for context in group.iter() {
                    let twice = surveyed.insert((context, name.clone()), told.clone());
                    assert!(twice.is_none(), "{name} is in two groups");
                }
            }
        });
        let mut expected: HashMap<(usize, String), String> = HashMap::new();
        for (context, readings) in alone.into_iter().enumerate() {
            let resolution = Resolution::of(readings);
            let answers = Answers::new(resolution, &Nothing, LIMITS);
            for key in answers.resolution().settings() {
                let name = answers.resolution().keys().show(key);
                expected.insert((context, name), told(&answers, key));
            }
        }
        prop_assert!(looked <= expected.len());
        for (at, told) in &expected {
            prop_assert_eq!(surveyed.get(at), Some(told));
        }
        prop_assert_eq!(surveyed.len(), expected.len());
    }
}
