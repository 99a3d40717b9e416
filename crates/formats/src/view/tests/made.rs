//! Generated manifests whose places are known from how they were made, and hostile ones.

use super::{query, read, view};
use crate::Format;
use crate::Limits;
use crate::tests::generated::Random;
use crate::view::{Documents, Pairs, Part, Seen, View};
use justwhy_core::{KeyPath, Keys};
use std::fmt::Write as _;
use std::time::{Duration, Instant};

/// A stream of manifests in the making, with the line that is being written.
struct Stream {
    text: String,
    line: usize,
    end: &'static str,
}

impl Stream {
    fn line(&mut self, text: &str) {
        self.text.push_str(text);
        self.text.push_str(self.end);
        self.line += 1;
    }
}

/// One value: `key value line:column`.
type Expected = Vec<String>;

/// A document with a list of pairs, one with a string that is a file, and others between them.
fn manifests(random: &mut Random) -> (String, Expected, Expected, usize) {
    let end = random.one(&["\n", "\r\n"]);
    let mut out = Stream { text: String::new(), line: 1, end };
    let (mut pairs, mut inner) = (Vec::new(), Vec::new());
    let mut number = 0;
    let mut wanted = 0;
    let open = |out: &mut Stream, number: &mut usize| {
        if *number > 0 {
            out.line("---");
        }
        *number += 1;
    };
    for _ in 0..random.below(3) {
        open(&mut out, &mut number);
        out.line("kind: Other");
        out.line("# é: 1");
    }
    open(&mut out, &mut number);
    out.line("kind: Pairs");
    out.line("spec:");
    let before = random.below(3);
    for other in 0..before {
        out.line(&format!("- {{name: other{other}, env: []}}"));
    }
    out.line("- name: \"wanted é\"");
    out.line("  env:");
    for at in 0..=random.below(5) {
        let line = out.line;
        match random.below(3) {
            0 => {
                out.line(&format!("  - {{name: N{at}, value: 'é{at}'}}"));
                pairs.push(format!("N{at} \"é{at}\" {line}:{}", 22 + at.to_string().len()));
            }
            1 => {
                out.line(&format!("  - value: {at}"));
                out.line(&format!("    name: N{at}"));
                pairs.push(format!("N{at} {at} {line}:12"));
            }
            _ => {
                out.line(&format!("  - \"N{at}=v{at}\""));
                pairs.push(format!("N{at} \"v{at}\" {line}:{}", 8 + at.to_string().len()));
            }
        }
    }
    for _ in 0..random.below(2) {
        open(&mut out, &mut number);
        out.line("kind: Other");
    }
    open(&mut out, &mut number);
    wanted += number;
    out.line("kind: File");
    let style = random.one(&["|", "|-", "|+"]);
    out.line("data: {}");
    out.line(&format!("\"app.properties\": {style}"));
    let indent = random.one(&["  ", "    ", " "]);
    for at in 0..=random.below(4) {
        if random.below(3) == 0 {
            out.line(&format!("{indent}# a comment"));
        }
        if random.below(4) == 0 {
            out.line("");
        }
        let line = out.line;
        let blank = random.one(&["", " "]);
        out.line(&format!("{indent}k{at}.x{blank}={blank}é{at}"));
        let column = indent.len() + 4 + at.to_string().len() + 2 * blank.len() + 1;
        inner.push(format!("k{at}.x \"é{at}\" {line}:{column}"));
    }
    (out.text, pairs, inner, wanted)
}

#[test]
fn pairs_and_inner_files_of_generated_streams_are_read_where_they_are_written() {
    let mut random = Random(0x51ed_270b_27d4_eb4f);
    for _ in 0..300 {
        let (text, pairs, inner, number) = manifests(&mut random);
        let kind = |value: &str| {
            Some(Documents::Matching(vec![(KeyPath::parse("kind").unwrap(), value.to_owned())]))
        };
        let of_pairs = Part {
            documents: kind("Pairs"),
            under: query("$.spec[?@.name=='wanted é'].env"),
            pairs: Some(Pairs::default()),
            ..Part::default()
        };
        assert_eq!(read(&view(Format::YAML, of_pairs), &text), pairs, "{text}");
        let of_inner = Part {
            documents: Some(Documents::Number(number)),
            under: query("$['app.properties']"),
            inner: Some(Format::PROPERTIES),
            ..Part::default()
        };
        assert_eq!(read(&view(Format::YAML, of_inner), &text), inner, "{text}");
    }
}

/// What reading comes to, within a time that even a busy machine keeps.
fn within(view: &View, text: &str) -> Result<Seen, String> {
    let started = Instant::now();
    let seen = view.read(text, &mut Keys::default(), Limits::default());
    assert!(started.elapsed() < Duration::from_secs(60), "{:?}", started.elapsed());
    seen.map_err(|faults| faults[0].message.clone())
}

#[test]
fn hostile_parts_are_read_or_refused_in_bounds() {
    // Ten thousand documents, of which one is read, or all.
    let mut stream = String::new();
    for number in 0..10_000 {
        writeln!(stream, "---\nkind: k{number}\na: {number}").unwrap();
    }
    let key = KeyPath::parse("kind").unwrap();
    let one = Documents::Matching(vec![(key, "k9999".to_owned())]);
    let seen =
        within(&view(Format::YAML, Part { documents: Some(one), ..Part::default() }), &stream);
    assert!(matches!(seen, Ok(Seen::Documents(all)) if all.len() == 1));
    let all = Part { documents: Some(Documents::All), ..Part::default() };
    let seen = within(&view(Format::YAML, all), &stream);
    assert!(matches!(seen, Ok(Seen::Documents(all)) if all.len() == 10_000));

    // A query that selects a great many nodes selects not one.
    let wide = format!("{{\"a\": [{}]}}", vec!["{\"b\": 1}"; 200_000].join(","));
    let many = Part { under: query("$.a[*].b"), ..Part::default() };
    let found = within(&view(Format::JSON, many), &wide).unwrap_err();
    assert_eq!(found, "$.a[*].b selects 200000 nodes");
    let deep = Part { under: query("$..a..b..c..d..e"), ..Part::default() };
    let found = within(&view(Format::JSON, deep), &wide).unwrap_err();
    assert!(found.contains("visits too many nodes"), "{found}");
    let roots = Part { under: query("$.a[?count($..*)>1]"), ..Part::default() };
    let found = within(&view(Format::JSON, roots), &wide).unwrap_err();
    assert!(found.contains("visits too many nodes"), "{found}");

    // Base64 of many MiB, right and wrong.
    let long = "QUJD".repeat(4 << 20);
    let text = format!("{{\"a\": \"{long}\"}}");
    let base64 = || Part { base64: true, ..Part::default() };
    assert!(within(&view(Format::JSON, base64()), &text).is_ok());
    let text = format!("{{\"a\": \"{long}*\"}}");
    assert!(within(&view(Format::JSON, base64()), &text).is_err());

    // A string in a string in a string is a string.
    let mut inside = "a: 1".to_owned();
    for _ in 0..8 {
        inside = serde_json::to_string(&serde_json::json!({ "f": inside })).unwrap();
    }
    let part = Part { under: query("$.f"), inner: Some(Format::JSON), ..Part::default() };
    let seen = within(&view(Format::JSON, part), &inside);
    assert!(matches!(seen, Ok(Seen::Documents(all)) if all[0].leaves.len() == 1));
    // What is inside counts as the file does.
    let wide = format!("{{\"f\": {}}}", serde_json::to_string(&wide).unwrap());
    let part = Part { under: query("$.f"), inner: Some(Format::JSON), ..Part::default() };
    let small = Limits { nodes: 1_000, ..Limits::default() };
    let seen = view(Format::JSON, part).read(&wide, &mut Keys::default(), small);
    let found = seen.unwrap_err()[0].message.clone();
    assert!(found.contains("1000"), "{found}");
}

#[test]
fn edits_where_no_table_is_are_refused() {
    use crate::Step;
    use justwhy_core::Value;
    let path = [Step::Name("a".to_owned())];
    let put = |view: &View, text: &str| {
        view.put(text, &path, &Value::Text("x".into()), Limits::default()).unwrap_err().message
    };
    let numbered = || Part { numbered: true, pairs: Some(Pairs::default()), ..Part::default() };
    assert!(put(&view(Format::JSON, numbered()), "2").contains("expected settings"));
    assert_eq!(put(&view(Format::PROPERTIES, numbered()), "\na.b=1"), "a is a table, not a value");
}

#[test]
fn a_stream_has_the_documents_that_another_reader_finds() {
    use serde::Deserialize as _;
    let mut random = Random(0x2545_f491_4f6c_dd1d);
    for _ in 0..200 {
        let (text, ..) = manifests(&mut random);
        let others: Vec<serde_yaml_ng::Value> = serde_yaml_ng::Deserializer::from_str(&text)
            .map(|document| serde_yaml_ng::Value::deserialize(document).unwrap())
            .collect();
        for (number, other) in others.iter().enumerate() {
            let documents = Some(Documents::Number(number + 1));
            let ours = read(&view(Format::YAML, Part { documents, ..Part::default() }), &text);
            let kind = format!("kind \"{}\" ", other["kind"].as_str().unwrap());
            assert!(ours.iter().any(|line| line.starts_with(&kind)), "{text}\n{ours:?}");
            let properties = other.get("app.properties").and_then(|it| it.as_str());
            if let Some(properties) = properties {
                let shown = format!("\"app.properties\" {properties:?} ");
                assert!(ours.iter().any(|line| line.starts_with(&shown)), "{shown}\n{ours:?}");
            }
        }
        let documents = Some(Documents::Number(others.len() + 1));
        let none = read(&view(Format::YAML, Part { documents, ..Part::default() }), &text);
        assert!(none[0].starts_with("nothing: no document"), "{none:?}");
    }
}
