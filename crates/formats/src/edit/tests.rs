#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use super::{put, take_out};
use crate::Format;
use crate::Limits;
use crate::splice::Step;
use crate::tests::generated::Random;
use crate::{Lowering, Tree};
use justwhy_core::{Element, Keys, Span, Value};
use std::collections::BTreeMap;

fn path(text: &str) -> Vec<Step> {
    let path = justwhy_core::KeyPath::parse(text).unwrap();
    path.segments().map(|name| Step::Name(name.to_owned())).collect()
}

fn edited(format: Format, text: &str, at: &str, value: &Value) -> String {
    match put(format, text, &path(at), value, Limits::default()) {
        Ok(text) => text,
        Err(fault) => format!("refused: {} ({})", fault.message, fault.help.unwrap_or_default()),
    }
}

fn text(text: &str) -> Value {
    Value::Text(text.into())
}

#[test]
fn goes_where_a_person_would_put_it() {
    let [env, ini, json, jsonc, properties, toml, yaml] = [
        Format::ENV,
        Format::INI,
        Format::JSON,
        Format::JSONC,
        Format::PROPERTIES,
        Format::TOML,
        Format::YAML,
    ];
    let rows: Vec<(Format, &str, &str, Value)> = vec![
        (
            toml,
            "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'\n",
            "alert.threshold_cm",
            Value::Integer(140),
        ),
        (
            toml,
            "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'\n",
            "alert.new",
            Value::Integer(140),
        ),
        (
            toml,
            "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'",
            "database.host",
            text("y"),
        ),
        (
            toml,
            "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'",
            "database.port",
            Value::Integer(1),
        ),
        (
            toml,
            "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'",
            "other.deep.port",
            Value::Integer(1),
        ),
        (
            toml,
            "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'",
            "top",
            Value::Integer(1),
        ),
        (toml, "a.b = 1\na.c = 2\nz = 3\n", "a.d", Value::Integer(1)),
        (toml, "a.b = 1\na.c = 2\nz = 3\n", "n.d", Value::Integer(1)),
        (toml, "a = { b = 1 }\n", "a.d", Value::Integer(1)),
        (toml, "a = {}\n", "a.d", Value::Integer(1)),
        (toml, "[a.b]\nx = [[1],\n [2]] # c\n[c]\n", "a.d", Value::Integer(1)),
        (toml, "[a.b]\r\nx = [[1],\r\n [2]] # c\r\n[c]\r\n", "a.b.d", Value::Integer(1)),
        (toml, "[a.b]\nx = [1, # one\n 2]\n[c]\n", "a.b.x", Value::Boolean(true)),
        (toml, "", "a.b.x", Value::Boolean(true)),
        (json, "{\n  \"a\": {\n    \"b\": 1\n  }\n}\n", "a.c", Value::Boolean(true)),
        (json, "{\n  \"a\": {\n    \"b\": 1\n  }\n}\n", "a.b", text("q\"\n")),
        (json, "{\n  \"a\": {\n    \"b\": 1\n  }\n}\n", "d.e.f", text("q")),
        (json, "{\"a\":{\"b\":1}}", "d.e.f", text("q")),
        (json, "{}", "d.e.f", text("q")),
        (
            jsonc,
            "{\n  // one\n  \"a\": 1, // two\n  \"b\": 2 // three\n}\n",
            "c",
            Value::Integer(3),
        ),
        (
            jsonc,
            "{\n  // one\n  \"a\": 1, // two\n  \"b\": 2, // three\n}\n",
            "c",
            Value::Integer(3),
        ),
        (jsonc, "{ \"b\": 2, }\n", "c", Value::Integer(3)),
        (jsonc, "{ /* none */ }\n", "c", Value::Integer(3)),
        (yaml, "# h\ndatabase:\n  host: a # c\n  port: 5\nother: 1\n", "database.host", text("b")),
        (
            yaml,
            "# h\ndatabase:\n  host: a # c\n  port: 5\nother: 1\n",
            "database.host",
            text("yes"),
        ),
        (
            yaml,
            "# h\ndatabase:\n  host: a # c\n  port: 5\nother: 1\n",
            "database.pool.max",
            Value::Integer(4),
        ),
        (
            yaml,
            "# h\ndatabase:\n    host: a # c\n    port: 5 # d\n",
            "database.pool.max",
            Value::Integer(4),
        ),
        (yaml, "# h\ndatabase:\n    host: a # c\n    port: 5 # d", "x.pool.max", Value::Integer(4)),
        (yaml, "database:\n  text: |\n    a\n    b\nother: 1\n", "database.x", Value::Integer(4)),
        (yaml, "database:\n  text: |\n    a\n    b\nother: 1\n", "database.text", text("one")),
        (yaml, "database:\nother: 1\n", "database", text("one")),
        (yaml, "database:  # none\nother: 1\n", "database.x", text("one")),
        (yaml, "list:\n- a\n- b\nother: 1\n", "list", Value::Integer(1)),
        (yaml, "list:\n- a\n- b\nother: 1\n", "more", Value::Integer(1)),
        (yaml, "a: {b: 1}\n", "a.c", text("x, y")),
        (yaml, "base: &b\n  x: 1\none:\n  <<: *b\n  y: 2\n", "one.x", Value::Integer(3)),
        (yaml, "base: &b\n  x: 1\none:\n  <<: *b\n  y: 2\n", "base.x", Value::Integer(3)),
        (yaml, "base: &b\n  x: 1\none: *b\n", "one.x", Value::Integer(3)),
        (yaml, "base: &b 1\none: *b\n", "one", Value::Integer(3)),
        (yaml, "base: &b 1\none: *b\n", "base", Value::Integer(3)),
        (yaml, "", "base.a", Value::Integer(3)),
        (env, "# c\nexport A_B=1\nA_C='x y' # d\nB=2\n", "A_D", text("q r")),
        (env, "# c\nexport A_B=1\nA_C='x y' # d\nB=2\n", "A_C", text("q $ r")),
        (env, "# c\nexport A_B=1\nA_C='x y' # d\nB=2", "Z", text("")),
        (env, "A=\n", "A", text("x#y")),
        (ini, "top = 1\n[a.b]\nx = 1\n\n; c\n[c]\ny=2\n", "a.b.z", text("5")),
        (ini, "top = 1\n[a.b]\nx = 1\n\n; c\n[c]\ny=2\n", "n.z", text(" 5")),
        (ini, "top = 1\n[a.b]\nx = 1\n\n; c\n[c]\ny=2\n", "z", text("5")),
        (ini, "top = 1\n[a.b]\nx = \"1\" \n", "a.b.x", text("5")),
        (ini, "top = 1\n[a.b]\nx = \"1\" \n", "a.b.x", text("5\n6")),
        (properties, "# c\na.b = 1\na.c: 2\nz 3\n", "a.d", text(" x\\y")),
        (properties, "# c\na.b = 1\na.c: 2\nz 3\n", "a.b", text("x\ny")),
        (properties, "# c\na.b = 1\na.c: 2\nz", "z", text("x")),
        (properties, "a=1\\\n  2\nb=3", "a", text("x")),
        (properties, "a=1", "a.b", text("x")),
    ];
    let mut shown = String::new();
    for (format, before, at, value) in rows {
        let after = edited(format, before, at, &value);
        let (before, after) = (before.replace('\r', "^M"), after.replace('\r', "^M"));
        shown.push_str(&format!("=== {format:?}: {at} = {}\n", value.show()));
        shown.push_str(&format!("{before}|\n---\n{after}|\n"));
    }
    insta::assert_snapshot!(shown);
}

/// Texts that a format could take for something else, or that end it.
const TEXTS: [&str; 34] = [
    "",
    " ",
    "x",
    "a b",
    "5",
    "-0",
    "1e3",
    "true",
    "yes",
    "null",
    "~",
    "012",
    "a: b",
    "a #b",
    "#",
    "- a",
    "[1]",
    "{a}",
    "'",
    "\"",
    "it's",
    "say \"so\"",
    "\\",
    "\\n",
    "a\nb",
    "\n",
    "tab\there",
    "é水😀",
    "\u{200b}",
    "$HOME",
    "${x}",
    "=",
    "a=b:c",
    "\u{7f}\u{1}",
];

fn value(random: &mut Random, format: Format) -> Value {
    let text = |random: &mut Random| Value::Text(random.one(&TEXTS).into());
    if format.is_untyped() {
        return text(random);
    }
    match random.below(8) {
        0 => Value::Integer(-7),
        1 => Value::Boolean(true),
        2 => Value::Number(0.5),
        3 => {
            let items = (0..random.below(4)).map(|_| text(random));
            Value::List(items.map(|value| Element { value, at: Span::default() }).collect())
        }
        _ => text(random),
    }
}

fn read(format: Format, text: &str) -> BTreeMap<String, Value> {
    let tree = format.parse(text, Limits::default()).unwrap();
    let mut keys = Keys::default();
    let document = Lowering::new(&tree, &mut keys, Limits::default()).lower(Tree::ROOT).unwrap();
    let leaves = document.leaves.into_iter();
    leaves.map(|leaf| (keys.show(leaf.name), leaf.value)).collect()
}

/// Takes a value out if it is there, and looks at what else that did: nothing, but for a comment that
/// is on its line.
fn taken_out(format: Format, text: &mut String, key: &str, crlf: bool) -> bool {
    let mut expected = read(format, text);
    let result = take_out(format, text, &path(key), false, Limits::default());
    if expected.remove(key).is_none() {
        assert!(result.is_err());
        return false;
    }
    let story = format!("{format:?} {key}\n{text}");
    let after = match result {
        Ok(after) => after,
        // What others stand for cannot be taken out.
        Err(fault) => {
            let help = fault.help.unwrap_or_default();
            assert!(
                help.contains("anchor") || text.contains("[[list]]"),
                "{} {help}\n{story}",
                fault.message
            );
            return false;
        }
    };
    assert_eq!(read(format, &after), expected, "{story}\n---\n{after}");
    let comments = |text: &str| text.matches("# c").count();
    assert!(comments(&after) + 2 > comments(text), "{story}\n---\n{after}");
    let kept = after.lines().filter(|line| text.lines().any(|other| other == *line)).count();
    assert!(kept + 2 >= after.lines().count(), "{story}\n---\n{after}");
    let bare = |text: &str| text.replace("\r\n", "").contains('\n');
    assert!(!crlf || bare(text) || !bare(&after), "{story}\n---\n{after:?}");
    *text = after;
    true
}

/// Edit upon edit: each is done, and has just what was wanted besides what was there; no comment goes,
/// and line ends stay what they were.
#[test]
fn changes_what_is_wanted_and_nothing_else() {
    let dotted: &[&str] =
        &["alpha.size", "alpha.deep.er", "beta", "gamma-ray", "alpha.new", "n.e.w"];
    let flat: &[&str] = &["A_SIZE", "A_SHAPE", "BETA", "c", "_X", "A_NEW"];
    let starts: [(Format, &[&str]); 7] = [
        (
            Format::TOML,
            &[
                "",
                "# c\nbeta = 1 # c\n[alpha] # c\nsize = '1' # c\n\n[alpha.deep]\n# c\ner = [\n 1,\n]",
                "alpha.size = 1\nalpha.deep.er = \"\"\"\n a\n\"\"\"\n# c\n",
                "alpha = { size = 1 } # c\n[[list]]\nx = 1\n# c\n",
            ],
        ),
        (
            Format::JSON,
            &[
                "{}",
                "{\n\t\"alpha\": {\n\t\t\"size\": 1\n\t},\n\t\"beta\": []\n}\n",
                "{\"beta\": 1, \"alpha\": {}}",
            ],
        ),
        (
            Format::JSONC,
            &[
                "{ /* # c */ }",
                "{\n  // # c\n  \"alpha\": { \"size\": 1, }, // # c\n  \"beta\": 2, /* # c */\n}\n",
                "{\n  \"beta\": 1 // # c\n}",
            ],
        ),
        (
            Format::YAML,
            &[
                "",
                "# c\nalpha:\n    size: 1 # c\n    deep: {er: 'x'} # c\nbeta:\n- 1\n- x # c\n",
                "alpha:\n  size: |\n    a\n    b\n# c\nbeta: >-\n  x\n",
                "alpha: # c\ngamma-ray: \"x\"",
                "base: &base\n  size: 1\nalpha:\n  <<: *base\nbeta: &b 2 # c\n",
            ],
        ),
        (Format::ENV, &["", "# c\nexport A_SIZE=1 # c\nA_SHAPE='x'\nBETA=\"x\\ny\" # c"]),
        (Format::INI, &["", "; # c\nbeta: 1\n\n[alpha]\nsize: 2\n# c\n[alpha.deep]\ner: \"3\"\n"]),
        (Format::PROPERTIES, &["", "# c\nalpha.size = 1\n! # c\nbeta: a\\\n   b\ngamma-ray c\n"]),
    ];
    let (mut done, mut gone) = (0, 0);
    for (format, texts) in starts {
        for (number, start) in texts.iter().enumerate() {
            for seed in 1..=60_u64 {
                let mut random =
                    Random((seed * 131 + number as u64 + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15));
                let crlf = random.below(3) == 0 && format != Format::PROPERTIES;
                let mut text = if crlf { start.replace('\n', "\r\n") } else { (*start).to_owned() };
                let names = if format == Format::ENV { flat } else { dotted };
                for _ in 0..8 {
                    let key = random.one(names);
                    let value = value(&mut random, format);
                    let mut expected = read(format, &text);
                    if random.below(3) == 0 && taken_out(format, &mut text, key, crlf) {
                        gone += 1;
                        continue;
                    }
                    let clashes = |other: &String| {
                        other.starts_with(&format!("{key}."))
                            || key.starts_with(&format!("{other}."))
                    };
                    let is_several = value.as_text().is_some_and(|it| it.contains('\n'));
                    if expected.keys().any(clashes) || format == Format::INI && is_several {
                        assert!(put(format, &text, &path(key), &value, Limits::default()).is_err());
                        continue;
                    }
                    let story = format!("{format:?} {key} = {}\n{text}", value.show());
                    let after = put(format, &text, &path(key), &value, Limits::default());
                    let after = after.unwrap_or_else(|fault| {
                        panic!("{} {:?}\n{story}", fault.message, fault.help)
                    });
                    expected.insert((*key).to_owned(), value);
                    assert_eq!(read(format, &after), expected, "{story}\n---\n{after}");
                    let comments = |text: &str| text.matches("# c").count();
                    assert_eq!(comments(&after), comments(&text), "{story}\n---\n{after}");
                    let bare = |text: &str| text.replace("\r\n", "").contains('\n');
                    if crlf && !bare(&text) && text.contains('\n') {
                        assert!(!bare(&after), "{story}\n---\n{after:?}");
                    }
                    text = after;
                    done += 1;
                }
            }
        }
    }
    assert!(done > 4_000 && gone > 800, "{done} {gone}");
}
