use super::{Export, Exported, variables};
use crate::Format;
use crate::Limits;
use crate::{Lowering, Tree};
use justwhy_core::{Element, Entry, KeyPath, Keys, Span, Value};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::process::Command;

fn exported(settings: &[(&[&str], Value)]) -> Vec<Exported> {
    let one = |(path, value): &(&[&str], Value)| Exported {
        key: KeyPath::from_segments(path.iter().map(|it| (*it).to_owned()).collect()).unwrap(),
        variable: path.join("__").to_uppercase(),
        value: value.clone(),
        is_secret: false,
    };
    settings.iter().map(one).collect()
}

fn text(text: &str) -> Value {
    Value::Text(text.into())
}

fn list(items: impl IntoIterator<Item = Value>) -> Value {
    let at = Span::default();
    Value::List(items.into_iter().map(|value| Element { value, at }).collect())
}

/// What our own reader reads, and whether a `$` in it would begin a reference.
fn read(format: Format, written: &str) -> BTreeMap<Vec<String>, Value> {
    let tree = format.parse(written, Limits::default()).unwrap_or_else(|fault| {
        panic!("{}\n{written}", fault.message);
    });
    let mut keys = Keys::default();
    let document = Lowering::new(&tree, &mut keys, Limits::default()).lower(Tree::ROOT).unwrap();
    let leaves = document.leaves.iter().enumerate().map(|(index, leaf)| {
        if format == Format::ENV {
            let text = leaf.value.as_text().unwrap_or_default();
            let dollars = text.bytes().filter(|byte| *byte == b'$').count();
            assert_eq!(document.literal_dollars(index).len(), dollars, "{text:?} in {written}");
        }
        (keys.segments(leaf.name).into_iter().map(str::to_owned).collect(), leaf.value.clone())
    });
    leaves.collect()
}

/// The values by key, as texts where all are texts.
fn expected(settings: &[Exported], are_texts: bool) -> BTreeMap<Vec<String>, Value> {
    let value =
        |it: &Exported| if are_texts { text(&super::text(&it.value)) } else { it.value.clone() };
    let path = |it: &Exported| it.key.segments().map(str::to_owned).collect();
    settings.iter().map(|it| (path(it), value(it))).collect()
}

/// As other libraries have values, numbers by how they print.
fn as_json(value: &Value) -> serde_json::Value {
    match value {
        Value::Text(text) => text.to_string().into(),
        Value::List(items) => items.iter().map(|it| as_json(&it.value)).collect(),
        Value::Map(entries) => {
            let entry = |it: &Entry| (it.name.to_string(), as_json(&it.value));
            serde_json::Value::Object(entries.iter().map(entry).collect())
        }
        Value::Boolean(value) => (*value).into(),
        Value::Integer(value) => (*value).into(),
        Value::Number(value) => (*value).into(),
        _ => serde_json::Value::Null,
    }
}

fn nested(settings: &[Exported]) -> serde_json::Value {
    let mut root = serde_json::Map::new();
    for setting in settings {
        let segments: Vec<&str> = setting.key.segments().collect();
        let (last, above) = segments.split_last().unwrap();
        let table = above.iter().fold(&mut root, |table, name| {
            let below = table.entry((*name).to_owned()).or_insert_with(|| serde_json::json!({}));
            below.as_object_mut().unwrap()
        });
        table.insert((*last).to_owned(), as_json(&setting.value));
    }
    root.into()
}

fn texts() -> impl Strategy<Value = String> {
    let odd = prop::sample::select(vec![
        "",
        " ",
        "'",
        "''",
        "\"",
        "\\",
        "\\n",
        "$",
        "${x}",
        "$${x}",
        "`id`",
        "$(id)",
        "#",
        " #",
        "=",
        ":",
        ": ",
        "\n",
        "\r",
        "\r\n",
        "\t",
        "é",
        "水",
        "😀",
        "\u{200b}",
        "\u{feff}",
        "\u{7f}",
        "\u{1}",
        "-",
        "~",
        "null",
        "yes",
        "no",
        "1",
        "012",
        "0x1f",
        "1_000",
        "1e3",
        ".5",
        "1:30",
        "2026-01-02",
        "[",
        "{",
        "}",
        "&a",
        "*a",
        "!t",
        "|",
        ">",
        "%",
        "@",
        "x",
        "tide",
        "true",
        "!",
        "\\u0041",
    ]);
    prop_oneof![
        prop::collection::vec(odd, 0..4).prop_map(|parts| parts.concat()),
        any::<String>().prop_map(|text| text.replace('\0', "")),
    ]
}

fn values() -> impl Strategy<Value = Value> {
    let scalar = prop_oneof![
        4 => texts().prop_map(|it| text(&it)),
        1 => any::<i64>().prop_map(Value::Integer),
        1 => any::<bool>().prop_map(Value::Boolean),
        1 => (-1e6..1e6).prop_map(Value::Number),
    ];
    // A map that is alone is read as a table again.
    let maps = prop::collection::btree_map(texts(), scalar.clone(), 0..3).prop_map(|entries| {
        let at = Span::default();
        let entry = |(name, value): (String, Value)| Entry { name: name.into(), value, at };
        Value::Map(entries.into_iter().map(entry).collect())
    });
    let items = prop_oneof![3 => scalar.clone(), 1 => maps];
    let lists = prop::collection::vec(items, 0..4).prop_map(list);
    prop_oneof![4 => scalar, 1 => lists]
}

/// Settings of odd names, none of them below another.
fn projects() -> impl Strategy<Value = Vec<Exported>> {
    let segments = prop_oneof![
        prop::sample::select(vec![
            "a", "b-c", "no", "null", "1", "on", "x y", "é", "'", "\"", "#", "~", "tide=1", "a:b"
        ])
        .prop_map(str::to_owned),
        texts().prop_filter("a segment has letters", |it| !it.is_empty()),
    ];
    let path = prop::collection::vec(segments, 1..4);
    prop::collection::btree_map(path, values(), 0..6).prop_map(|settings| {
        let mut kept: Vec<Exported> = Vec::new();
        for (number, (path, value)) in settings.into_iter().enumerate() {
            let starts =
                |other: &Exported| path.iter().zip(other.key.segments()).all(|(a, b)| a == b);
            if !kept.iter().any(starts) {
                let key = KeyPath::from_segments(path).unwrap();
                let variable = format!("V{number}");
                kept.push(Exported { key, variable, value, is_secret: false });
            }
        }
        kept
    })
}

/// What a shell makes of the lines: each variable as `NAME`, a NUL, its text, a NUL.
fn by_a_shell(written: &str, names: &[&str]) -> Vec<String> {
    let print: String = names.iter().map(|name| format!("printf '%s\\0' \"${name}\"\n")).collect();
    let script = format!("{written}{print}");
    let output = Command::new("sh").arg("-c").arg(&script).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let said = String::from_utf8(output.stdout).unwrap();
    said.split_terminator('\0').map(str::to_owned).collect()
}

/// More by hand: `EXPORTS=20000 cargo test -p justwhy-sources export`.
fn cases() -> u32 {
    std::env::var("EXPORTS").ok().and_then(|count| count.parse().ok()).unwrap_or(300)
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: cases(),
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    #[test]
    fn reads_back_the_same(settings in projects()) {
        let whole = nested(&settings);
        let keyed = expected(&settings, false);

        let json = Export::Json.written(&settings).unwrap();
        prop_assert_eq!(&read(Format::JSON, &json), &keyed);
        prop_assert_eq!(serde_json::from_str::<serde_json::Value>(&json).unwrap(), whole.clone());

        let toml = Export::Toml.written(&settings).unwrap();
        prop_assert_eq!(&read(Format::TOML, &toml), &keyed, "{}", toml);
        let theirs: toml::Table = toml.parse().unwrap();
        prop_assert_eq!(serde_json::to_value(theirs).unwrap(), whole.clone());

        let yaml = Export::Yaml.written(&settings).unwrap();
        prop_assert_eq!(&read(Format::YAML, &yaml), &keyed, "{}", yaml);
        let theirs: serde_json::Value = serde_yaml_ng::from_str(&yaml).unwrap();
        prop_assert_eq!(theirs, whole, "{}", yaml);

        let env = Export::Env.written(&settings).unwrap();
        let variables = variables(&settings).unwrap();
        let named: BTreeMap<Vec<String>, Value> =
            variables.iter().map(|(name, said)| (vec![(*name).to_owned()], text(said))).collect();
        prop_assert_eq!(read(Format::ENV, &env), named, "{}", env);

        let shell = Export::Shell.written(&settings).unwrap();
        let names: Vec<&str> = variables.iter().map(|(name, _)| *name).collect();
        let said: Vec<String> = variables.iter().map(|(_, said)| said.clone()).collect();
        prop_assert_eq!(by_a_shell(&shell, &names), said, "{}", shell);

        let has_dots = settings.iter().any(|it| it.key.segments().any(|name| name.contains('.')));
        match Export::Properties.written(&settings) {
            Ok(properties) => {
                prop_assert!(!has_dots && properties.is_ascii());
                prop_assert_eq!(read(Format::PROPERTIES, &properties), expected(&settings, true));
            }
            Err(_) => prop_assert!(has_dots),
        }
    }
}

#[test]
fn refuses_what_cannot_be_written_and_says_why() {
    let because = |export: Export, settings: &[(&[&str], Value)]| {
        let refused = export.written(&exported(settings)).unwrap_err();
        refused
            .iter()
            .map(|it| format!("{}: {}", it.key, it.because))
            .collect::<Vec<_>>()
            .join("\n")
    };
    let both: &[(&[&str], Value)] = &[(&["a", "b"], text("x")), (&["a__b"], text("y"))];
    assert_eq!(because(Export::Env, both), "a__b: a.b has the same variable, A__B");
    let nameless: &[(&[&str], Value)] = &[(&["x y"], text("x"))];
    assert!(
        because(Export::Shell, nameless)
            .starts_with("\"x y\": its variable would be \"X Y\", which is no")
    );
    let nul: &[(&[&str], Value)] = &[(&["a"], text("x\0y"))];
    assert!(because(Export::Env, nul).starts_with("a: it has a NUL character"));
    let null: &[(&[&str], Value)] = &[(&["a"], list([Value::Null]))];
    assert_eq!(because(Export::Toml, null), "a: it has a null, which TOML does not have");
    let dotted: &[(&[&str], Value)] = &[(&["a.b"], text("x"))];
    assert!(because(Export::Properties, dotted).contains("has a dot"));
}

#[test]
fn writes_numbers_without_an_end() {
    let all: &[(&[&str], Value)] = &[
        (&["a"], Value::Number(f64::INFINITY)),
        (&["b"], list([Value::Number(f64::NEG_INFINITY), Value::Null])),
    ];
    let all = exported(all);
    assert_eq!(
        Export::Json.written(&all).unwrap(),
        "{\n  \"a\": \"inf\",\n  \"b\": [\"-inf\", null]\n}\n"
    );
    assert_eq!(Export::Yaml.written(&all).unwrap(), "a: .inf\nb: [-.inf, null]\n");
    assert_eq!(Export::Env.written(&all[..1]).unwrap(), "A=inf\n");
    assert_eq!(Export::Json.written(&[]).unwrap(), "{}\n");
    assert_eq!(Export::Yaml.written(&[]).unwrap(), "{}\n");
    assert_eq!(read(Format::JSON, "{}"), BTreeMap::new());
}
