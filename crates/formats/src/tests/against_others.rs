//! Our readers of TOML and JSON against other readers of the same format, on random documents.

use crate::Format;
use crate::Limits;
use crate::Lowering;
use justwhy_core::{Element, Entry, KeyId, Keys, Value};
use proptest::prelude::*;
use std::collections::BTreeMap;

/// A document as nested maps, however it was read.
#[derive(Clone, PartialEq, Debug)]
enum Plain {
    Scalar(String),
    List(Vec<Plain>),
    Table(BTreeMap<String, Plain>),
}

/// What we read, with empty tables put back in.
fn ours(format: Format, text: &str) -> Option<Plain> {
    let mut keys = Keys::default();
    let limits = Limits::default();
    let document = super::document(format, text, &mut keys, limits).ok()?;
    let mut root = Plain::Table(BTreeMap::new());
    for leaf in &document.leaves {
        insert(&mut root, &keys, leaf.name, plain(&leaf.value));
    }
    for (name, _) in &document.empty_tables {
        insert(&mut root, &keys, *name, Plain::Table(BTreeMap::new()));
    }
    Some(root)
}

fn insert(root: &mut Plain, keys: &Keys, key: KeyId, value: Plain) {
    let segments = keys.segments(key);
    let mut at = root;
    for segment in &segments[..segments.len() - 1] {
        let Plain::Table(table) = at else { panic!("{segments:?} leads through a value") };
        at = table.entry(segment.to_string()).or_insert_with(|| Plain::Table(BTreeMap::new()));
    }
    let Plain::Table(table) = at else { panic!("{segments:?} leads through a value") };
    // Of a name that a format lets be there several times the later one counts.
    table.insert(segments[segments.len() - 1].to_owned(), value);
}

fn plain(value: &Value) -> Plain {
    match value {
        Value::List(items) => {
            Plain::List(items.iter().map(|Element { value, .. }| plain(value)).collect())
        }
        Value::Map(entries) => Plain::Table(
            entries
                .iter()
                .map(|Entry { name, value, .. }| (name.to_string(), plain(value)))
                .collect(),
        ),
        other => Plain::Scalar(other.show()),
    }
}

fn theirs_toml(value: toml::Value) -> Plain {
    match value {
        toml::Value::Array(items) => Plain::List(items.into_iter().map(theirs_toml).collect()),
        toml::Value::Table(table) => Plain::Table(
            table.into_iter().map(|(name, value)| (name, theirs_toml(value))).collect(),
        ),
        toml::Value::String(text) => Plain::Scalar(Value::Text(text.into()).show()),
        toml::Value::Integer(value) => Plain::Scalar(Value::Integer(value).show()),
        toml::Value::Float(value) => Plain::Scalar(Value::Number(value).show()),
        toml::Value::Boolean(value) => Plain::Scalar(Value::Boolean(value).show()),
        toml::Value::Datetime(value) => Plain::Scalar(Value::Text(value.to_string().into()).show()),
    }
}

fn theirs_json(value: serde_json::Value) -> Plain {
    match value {
        serde_json::Value::Array(items) => {
            Plain::List(items.into_iter().map(theirs_json).collect())
        }
        serde_json::Value::Object(table) => Plain::Table(
            table.into_iter().map(|(name, value)| (name, theirs_json(value))).collect(),
        ),
        serde_json::Value::String(text) => Plain::Scalar(Value::Text(text.into()).show()),
        serde_json::Value::Bool(value) => Plain::Scalar(Value::Boolean(value).show()),
        serde_json::Value::Null => Plain::Scalar(Value::Null.show()),
        serde_json::Value::Number(number) => Plain::Scalar(match number.as_i64() {
            Some(value) => Value::Integer(value).show(),
            None => Value::Number(number.as_f64().unwrap()).show(),
        }),
    }
}

/// Lines of TOML that fit together often and clash often.
fn toml_line() -> impl Strategy<Value = String> {
    let key = prop::collection::vec("[ab]", 1..4).prop_map(|segments| segments.join("."));
    let value = prop_oneof![
        Just("1"),
        Just("'x'"),
        Just("[]"),
        Just("[{a=1},2]"),
        Just("{}"),
        Just("{a=1}"),
        Just("{a.b=1,b=[{}]}"),
        Just("1979-05-27"),
        Just("{a=1,a=2}"),
        Just("[[{b={a=true}}]]"),
    ];
    prop_oneof![
        3 => (key.clone(), value).prop_map(|(key, value)| format!("{key} = {value}\n")),
        2 => key.clone().prop_map(|key| format!("[{key}]\n")),
        1 => key.prop_map(|key| format!("[[{key}]]\n")),
    ]
}

fn json_text() -> impl Strategy<Value = String> {
    let leaf = prop_oneof![
        Just("null".to_owned()),
        any::<bool>().prop_map(|value| value.to_string()),
        any::<i64>().prop_map(|value| value.to_string()),
        (-1e9..1e9_f64).prop_map(|value| format!("{value:?}")),
        ".{0,6}".prop_map(|text| serde_json::Value::String(text).to_string()),
    ];
    let value = leaf.prop_recursive(4, 24, 4, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..4)
                .prop_map(|items| format!("[{}]", items.join(","))),
            prop::collection::btree_map("[a-c\"\\\\é.]{0,2}", inner, 0..4).prop_map(|entries| {
                let entries: Vec<String> = entries
                    .into_iter()
                    .map(|(name, value)| format!("{} : {value}", serde_json::Value::String(name)))
                    .collect();
                format!("{{{}}}", entries.join(" ,\n"))
            }),
        ]
    });
    value.prop_map(|value| format!("{{\"root\": {value}}}"))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 3_000, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn reads_toml_as_another_reader_does(lines in prop::collection::vec(toml_line(), 0..7)) {
        let text = lines.concat();
        let theirs = text.parse::<toml::Table>().ok().map(|table| theirs_toml(toml::Value::Table(table)));
        let ours = ours(Format::TOML, &text);
        // TOML forbids a dotted key that leads into a `[[list]]`; the other reader lets it pass.
        if ours.is_some() || !text.contains("[[") {
            prop_assert_eq!(ours, theirs, "{}", text);
        }
    }

    #[test]
    fn reads_json_as_another_reader_does(text in json_text()) {
        let theirs = serde_json::from_str(&text).ok().map(theirs_json);
        prop_assert_eq!(ours(Format::JSON, &text), theirs, "{}", text);
    }

    #[test]
    fn accepts_exactly_the_json_that_another_reader_accepts(
        text in "\\{\"a\":[-+0-9.eE\"\\\\u\\[\\]\\{\\}:, \ta/*'xn]{0,8}\\}"
    ) {
        // The other reader lets a repeated key pass, which is an error here.
        let theirs: Result<serde_json::Value, _> = serde_json::from_str(&text);
        let is_ours = ours(Format::JSON, &text).is_some();
        let repeats = text.matches("\"a\":").count() > 1 || text.matches("\"\":").count() > 1;
        let is_float_only = theirs.as_ref().is_ok_and(|value| value.to_string().contains('e'));
        if !repeats && !is_float_only {
            prop_assert_eq!(is_ours, theirs.is_ok(), "{}", text);
        }
    }

    #[test]
    fn never_panics_on_anything(text in "(?s).{0,60}", marks in "[\\[\\]{}:,=#&*!|>'\"\\-\n\t a-b0-9.<]{0,60}") {
        for format in Format::all() {
            let _ = ours(format, &text);
            let _ = ours(format, &marks);
        }
    }
}

#[test]
fn lowers_a_part_of_a_tree() {
    let tree = Format::TOML.parse("[a]\nb=1\nc.d=2", Limits::default()).unwrap();
    let part = tree.entries(crate::Tree::ROOT).next().unwrap();
    let mut keys = Keys::default();
    let document = Lowering::new(&tree, &mut keys, Limits::default()).lower(part).unwrap();
    let names: Vec<String> = document.leaves.iter().map(|leaf| keys.show(leaf.name)).collect();
    assert_eq!(names, ["b", "c.d"]);
}
