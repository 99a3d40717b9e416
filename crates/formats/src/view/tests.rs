//! Parts of files: what they have, where exactly, what is wrong with them, and how they are edited.

use super::{Documents, Filled, Pairs, Part, Query, Seen, Under, View};
use crate::{Format, Limits, Step};
use justwhy_core::{KeyPath, Keys, SourceText, Value};
use std::sync::Arc;

mod made;

fn view(format: Format, part: Part) -> View {
    View { format, part: Some(Arc::new(part)) }
}

fn query(text: &str) -> Option<Under> {
    Some(Under::Query(Query::parse(text).unwrap()))
}

/// `key value line:column` for each value of each document; a fault as its place and message.
fn read(view: &View, text: &str) -> Vec<String> {
    let (mut keys, source) = (Keys::default(), SourceText::new(text.to_owned()));
    let place = |at: justwhy_core::Span| {
        let position = source.position(at.start);
        format!("{}:{}", position.line, position.column)
    };
    match view.read(text, &mut keys, Limits::default()) {
        Err(faults) => faults.iter().map(|it| format!("{} {}", place(it.at), it.message)).collect(),
        Ok(Seen::Nothing(fault)) => {
            vec![format!("nothing: {}; {}", fault.message, fault.help.unwrap_or_default())]
        }
        Ok(Seen::Documents(documents)) => {
            let mut lines = Vec::new();
            for (number, document) in documents.iter().enumerate() {
                for (index, leaf) in document.leaves.iter().enumerate() {
                    let note = document.note(u32::try_from(index).unwrap());
                    let value = match (&leaf.value, note.and_then(|it| it.unreadable.clone())) {
                        (_, Some(why)) => format!("({why})"),
                        _ if document.of_process.contains(&index) => "(process)".to_owned(),
                        (value, None) => value.show(),
                    };
                    let secret = if note.is_some_and(|it| it.secret) { " secret" } else { "" };
                    let at = place(leaf.at.unwrap());
                    let of = if documents.len() > 1 { format!("{number}/") } else { String::new() };
                    lines.push(format!("{of}{} {value} {at}{secret}", keys.show(leaf.name)));
                }
            }
            lines
        }
    }
}

const MANIFEST: &str = "kind: Deployment\nspec:\n  containers:\n  - name: proxy\n    env: []\n  \
                        - name: collector\n    env:\n    - name: POLL\n      value: \"20\"\n    - name: USER\n      \
                        valueFrom: {secretKeyRef: {name: db, key: user}}\n    - name: BARE\n    - name: POLL\n      value: 30\n";

#[test]
fn a_query_selects_one_node_and_says_what_is_there_otherwise() {
    let of = |text: &str| {
        view(
            Format::YAML,
            Part { under: query(text), pairs: Some(Pairs::default()), ..Part::default() },
        )
    };
    assert_eq!(
        read(&of("$.spec.containers[?@.name=='collector'].env"), MANIFEST),
        [
            "POLL \"20\" 9:14",
            "USER (another program gives it: valueFrom.secretKeyRef.name=db, valueFrom.secretKeyRef.key=user) 11:18",
            "BARE \"\" 12:13",
            "POLL 30 14:14",
        ]
    );
    assert_eq!(
        read(&of("$.spec.containers[?@.name=='alerts'].env"), MANIFEST),
        ["nothing: nothing is at $.spec.containers[?@.name=='alerts'].env; \
          $.spec.containers has 2 items: proxy, collector"]
    );
    assert_eq!(
        read(&of("$.spec.containers[*].env"), MANIFEST),
        ["8:5 $.spec.containers[*].env selects 2 nodes"]
    );
    let whole = read(&of("$.spec"), MANIFEST);
    assert!(
        whole.len() == 1
            && whole[0].starts_with("containers [{ \"name\" = \"proxy\"")
            && whole[0].ends_with(" 4:3"),
        "{whole:?}"
    );
    assert_eq!(
        read(&view(Format::YAML, Part { under: query("$.kind"), ..Part::default() }), MANIFEST),
        ["1:7 expected settings, found a string"]
    );
}

/// What queries select, as RFC 9535 has it: the examples of its sections, and ways in which texts are no query.
#[test]
fn queries_are_those_of_the_standard() {
    let text = r#"{"a": {"b": [{"n": "x", "v": 1}, {"n": "y", "v": 2}], "c.d": {"e": 3}}, "l": [5, 1, 3], "é": 4}"#;
    let keys = |query: &str| -> String {
        let part = Part { under: self::query(query), numbered: true, ..Part::default() };
        read(&view(Format::JSON, part), text).join(", ")
    };
    for (query, expected) in [
        ("$.a.b[0]", "n \"x\" 1:20, v 1 1:30"),
        ("$['a']['b'][-1]", "n \"y\" 1:40, v 2 1:50"),
        ("$.a.b[?@.n=='y']", "n \"y\" 1:40, v 2 1:50"),
        ("$.a.b[?@.v<2]", "n \"x\" 1:20, v 1 1:30"),
        ("$.a.b[?@.v>=2 && @.n!='x']", "n \"y\" 1:40, v 2 1:50"),
        ("$.a.b[?!(@.v==1)]", "n \"y\" 1:40, v 2 1:50"),
        ("$.a.b[?match(@.n, '[y-z]')]", "n \"y\" 1:40, v 2 1:50"),
        ("$.a.b[?search(@.n, 'x')]", "n \"x\" 1:20, v 1 1:30"),
        ("$.a.b[?length(@)==2 && count(@.*)==2 && @.v==1]", "n \"x\" 1:20, v 1 1:30"),
        ("$.a['c.d']", "e 3 1:68"),
        ("$.a[\"c.d\"]", "e 3 1:68"),
        ("$..['c.d']", "e 3 1:68"),
        ("$.l", "0 5 1:79, 1 1 1:82, 2 3 1:85"),
        ("$.a.b[0:1]", "n \"x\" 1:20, v 1 1:30"),
        ("$.a.b[1:][0]", "nothing: nothing is at $.a.b[1:][0]; $.a.b[1:] has 2 keys: n, v"),
    ] {
        assert_eq!(keys(query), expected, "{query}");
    }
    for text in [
        "$.",
        "$[",
        "a.b",
        "$.a b",
        "$['a]",
        "$[?]",
        "$[0.5]",
        "$[01]",
        "$.a[?@.b=]",
        "$['\\q']",
        "$.-a",
        "$..",
        "$[1,]",
    ] {
        assert!(Query::parse(text).is_err(), "{text}");
    }
    assert!(Query::parse(&format!("$[?{}@.a{}]", "(".repeat(50), ")".repeat(50))).is_err());
    assert!(Query::parse(&format!("$.{}", "a".repeat(3000))).is_err());
}

#[test]
fn a_query_that_visits_too_much_is_refused() {
    let deep = format!("{}1{}", "{\"a\": ".repeat(100), "}".repeat(100));
    let text = format!("{{\"l\": [{}], \"d\": {deep}}}", vec!["{\"v\": 1}"; 3000].join(","));
    let of = |text: &str| view(Format::JSON, Part { under: query(text), ..Part::default() });
    for query in ["$..*..*..*..*", "$.l[?count($..v) > 1]", "$..a..a..a"] {
        let found = read(&of(query), &text);
        assert!(found[0].contains("visits too many nodes"), "{query}: {found:?}");
    }
    assert_eq!(read(&of("$.l[2999]"), &text).len(), 1);
}

#[test]
fn documents_are_chosen_by_number_by_value_and_by_where_they_apply() {
    let text = "a: 1\n---\nkind: Map\nb: 2\n---\n# nothing\n---\napplies: north | south\nc: 3\n...\n---\napplies: [\"!east\"]\nd: 4\n";
    let of = |documents| view(Format::YAML, Part { documents: Some(documents), ..Part::default() });
    assert_eq!(read(&of(Documents::Number(1)), text), ["a 1 1:4"]);
    assert_eq!(read(&of(Documents::Number(3)), text), [] as [&str; 0]);
    assert_eq!(
        read(&of(Documents::Number(6)), text),
        ["nothing: no document 6: the file has 5 documents; correct `document` of the layer"]
    );
    let key = |text: &str| KeyPath::parse(text).unwrap();
    let matching = |value: &str| Documents::Matching(vec![(key("kind"), value.to_owned())]);
    assert_eq!(read(&of(matching("Map")), text), ["kind \"Map\" 3:7", "b 2 4:4"]);
    assert!(read(&of(matching("Mop")), text)[0].starts_with("nothing: no document matches"));
    assert_eq!(
        read(&of(Documents::All), text),
        [
            "0/a 1 1:4",
            "1/kind \"Map\" 3:7",
            "1/b 2 4:4",
            "3/applies \"north | south\" 8:10",
            "3/c 3 9:4",
            "4/applies [\"!east\"] 12:10",
            "4/d 4 13:4"
        ]
    );
    let at = |value: Option<&str>| {
        let value = value.map(str::to_owned);
        let found = read(&of(Documents::At { key: key("applies"), value }), text);
        found
            .iter()
            .filter_map(|line| line.split_once('/')?.1.split(' ').next().map(str::to_owned))
            .collect::<String>()
    };
    assert_eq!(at(Some("north")), "akindbappliescappliesd");
    assert_eq!(at(Some("east")), "akindb");
    assert_eq!(at(None), "akindbappliesd");
    let wrong = "applies: \"a & b\"\n";
    assert_eq!(
        read(&of(Documents::At { key: key("applies"), value: None }), wrong),
        ["1:10 this expression is not understood"]
    );
    assert_eq!(
        read(&view(Format::YAML, Part { dotted: Some(".".to_owned()), ..Part::default() }), text),
        ["3:1 second document"]
    );
}

#[test]
fn a_string_that_is_a_file_keeps_every_place() {
    let part =
        Part { under: query("$.data.file"), inner: Some(Format::PROPERTIES), ..Part::default() };
    let of = view(Format::YAML, part.clone());
    let block = "data:\n  file: |\n    # c\n    a.b=1\n\n      c = two\n  other: x\n";
    let expected = ["a.b \"1\" 4:9", "c \"two\" 6:11"];
    assert_eq!(read(&of, block), expected);
    assert_eq!(read(&of, &block.replace('\n', "\r\n")), expected);
    assert_eq!(read(&of, &block.replace('|', "|-")), expected);
    assert_eq!(read(&of, "data: {file: 'a.b=1'}\n"), ["a.b \"1\" 1:19"]);
    assert_eq!(
        read(&of, "data: {file: \"a.b=1\\nc=\\u0032\"}\n"),
        ["a.b \"1\" 1:14", "c \"2\" 1:14"]
    );
    assert_eq!(read(&of, "data: {file: [1]}\n"), ["1:14 expected a string that is a file itself"]);
    assert_eq!(read(&of, "data:\n  file: |\n    a=1\n    a=2\n"), ["4:5 duplicate key"]);
    let json = view(Format::YAML, Part { inner: Some(Format::JSON), ..part.clone() });
    assert_eq!(
        read(&json, "data:\n  file: |\n    {\n      \"a\": {\"b\": [1,\n      2]}}\n"),
        ["a.b [1, 2] 4:18"]
    );
    let yaml = view(Format::JSON, Part { inner: Some(Format::YAML), ..part });
    assert_eq!(
        read(&yaml, r#"{"data": {"file": "a: &x {b: 1}\nc: *x\n"}}"#),
        ["a.b 1 1:19", "c.b 1 1:19"]
    );
}

#[test]
fn lists_of_pairs_may_be_texts() {
    let part = Part { under: query("$.env"), pairs: Some(Pairs::default()), ..Part::default() };
    let of = view(Format::YAML, part);
    assert_eq!(
        read(&of, "env:\n  - A=1\n  - 'B=x=y'\n  - C\n  - D=\n"),
        ["A \"1\" 2:7", "B \"x=y\" 3:8", "C (process) 4:5", "D \"\" 5:7"]
    );
    assert_eq!(read(&of, "env: {A: 1}\n"), ["A 1 1:10"]);
    assert_eq!(read(&of, "env: [=1]\n"), ["1:7 no name before `=`"]);
    assert_eq!(read(&of, "env: [3]\n"), ["1:7 expected a name with a value"]);
    let other = Pairs { name: "key".to_owned(), value: "val".to_owned() };
    let of = view(Format::JSON, Part { pairs: Some(other), ..Part::default() });
    assert_eq!(
        read(&of, r#"[{"key": "A", "val": true}, {"val": 1}]"#),
        ["1:29 expected a name with a value"]
    );
    assert_eq!(read(&of, r#"[{"key": "A", "val": true}]"#), ["A true 1:22"]);
}

#[test]
fn base64_is_decoded_and_secret() {
    let part = Part { under: query("$.data"), base64: true, secret: true, ..Part::default() };
    let of = view(Format::YAML, part);
    assert_eq!(
        read(&of, "data:\n  a: aHVudGVyMg==\n  b: >-\n    aHVu\n    dGVy\n"),
        ["a \"hunter2\" 2:6 secret", "b \"hunter\" 3:6 secret"]
    );
    assert_eq!(read(&of, "data:\n  a: nope!\n"), ["2:6 expected base64"]);
    assert_eq!(read(&of, "data:\n  a: /w==\n"), ["2:6 the decoded value is not UTF-8"]);
}

#[test]
fn names_with_dots_are_paths_and_lists_branches() {
    let dotted = Part { dotted: Some(".".to_owned()), numbered: true, ..Part::default() };
    let of = view(Format::YAML, dotted);
    assert_eq!(
        read(&of, "a.b: 1\na:\n  c.d: 2\nl: [x, {y: z}]\nm[0].k: v\nm[1][2]: w\n"),
        [
            "a.b 1 1:6",
            "a.c.d 2 3:8",
            "l.0 \"x\" 4:5",
            "l.1.y \"z\" 4:12",
            "m.0.k \"v\" 5:9",
            "m.1.2 \"w\" 6:10"
        ]
    );
    assert_eq!(read(&of, "a.b: 1\na: {b: 2}\n"), ["2:5 duplicate key"]);
    assert_eq!(read(&of, "a: 1\na.b: 2\n"), ["2:1 a key is both a value and a table"]);
    let colons = Part { dotted: Some(":".to_owned()), ..Part::default() };
    assert_eq!(
        read(&view(Format::JSON, colons), r#"{"a:b": 1, "c.d": 2}"#),
        ["a.b 1 1:9", "\"c.d\" 2 1:19"]
    );
}

#[test]
fn what_another_program_fills_in_cannot_be_read() {
    let patterns = vec![Filled::parse("${{ * }}").unwrap(), Filled::parse("{{ * }}").unwrap()];
    let of = view(Format::YAML, Part { elsewhere: patterns.clone(), ..Part::default() });
    assert_eq!(
        read(&of, "a: ${{ secrets.X }}\nb: x-${{ y }}-z\nc: plain\nd: [1, \"${{ q }}\"]\n"),
        [
            "a (another program fills in ${{ secrets.X }}) 1:4",
            "b (another program fills in ${{ y }}) 2:4",
            "c \"plain\" 3:4",
            "d (another program fills in ${{ q }}) 4:4",
        ]
    );
    // As it is this is no YAML.
    assert_eq!(
        read(&of, "a: {{ .Values.x }}\nb: {{ .Values.y }}:80\nc: 2\n"),
        [
            "a (another program fills in {{ .Values.x }}) 1:4",
            "b (another program fills in {{ .Values.y }}) 2:4",
            "c 2 3:4"
        ]
    );
    assert_eq!(read(&of, "{{ key }}: 1\n"), ["1:1 another program fills in this key"]);
    let json = view(Format::JSON, Part { elsewhere: patterns, ..Part::default() });
    assert_eq!(
        read(&json, "{\"a\": \"\\u0024{{ x }}\"}"),
        ["a (another program fills in {{ x }}) 1:7"]
    );
    let patterns = vec![Filled::parse("$RELEASE").unwrap()];
    let exact = view(Format::YAML, Part { elsewhere: patterns, ..Part::default() });
    assert_eq!(
        read(&exact, "a: tide-$RELEASE\nb: tide\n"),
        ["a (another program fills in $RELEASE) 1:4", "b \"tide\" 2:4"]
    );
    for text in ["", "*", "a*", "*b"] {
        assert!(Filled::parse(text).is_err(), "{text}");
    }
}

/// An edit, and the lines that differ then.
fn edited(view: &View, text: &str, path: &str, value: Option<Value>) -> String {
    let path = KeyPath::parse(path).unwrap();
    let steps: Vec<Step> = path.segments().map(|it| Step::Name(it.to_owned())).collect();
    let after = match &value {
        Some(value) => view.put(text, &steps, value, Limits::default()),
        None => view.take_out(text, &steps, false, Limits::default()),
    };
    match after {
        Err(fault) => format!("{}; {}", fault.message, fault.help.unwrap_or_default()),
        Ok(after) => {
            let gone = text.lines().filter(|line| !after.lines().any(|it| it == *line));
            let come = after.lines().filter(|line| !text.lines().any(|it| it == *line));
            let gone = gone.map(|line| format!("-{line}"));
            gone.chain(come.map(|line| format!("+{line}"))).collect::<Vec<_>>().join("|")
        }
    }
}

#[test]
fn edits_change_one_place_of_a_part() {
    let text = |text: &str| Some(Value::Text(text.into()));
    let pairs = view(
        Format::YAML,
        Part {
            under: query("$.spec.containers[?@.name=='collector'].env"),
            pairs: Some(Pairs::default()),
            ..Part::default()
        },
    );
    assert_eq!(
        edited(&pairs, MANIFEST, "POLL", text("40")),
        "-      value: 30|+      value: \"40\""
    );
    assert_eq!(
        edited(&pairs, MANIFEST, "NEW", text("on")),
        "+    - name: NEW|+      value: \"on\""
    );
    assert_eq!(
        edited(&pairs, MANIFEST, "USER", text("x")),
        "the value of this item comes from elsewhere; replace the item by hand"
    );
    // All of that name go.
    assert_eq!(
        edited(&pairs, MANIFEST, "POLL", None),
        "-    - name: POLL|-      value: \"20\"|-    - name: POLL|-      value: 30"
    );
    let json = view(
        Format::JSON,
        Part { under: query("$.env"), pairs: Some(Pairs::default()), ..Part::default() },
    );
    let list = "{\"env\": [\n  {\"name\": \"A\", \"value\": \"1\"}\n], \"z\": 1}\n";
    assert_eq!(
        edited(&json, list, "A", text("2")),
        "-  {\"name\": \"A\", \"value\": \"1\"}|+  {\"name\": \"A\", \"value\": \"2\"}"
    );
    assert_eq!(
        edited(&json, list, "B", text("2")),
        "-  {\"name\": \"A\", \"value\": \"1\"}|+  {\"name\": \"A\", \"value\": \"1\"},|+  { \"name\": \"B\", \"value\": \"2\" }"
    );
    assert_eq!(
        edited(&json, list, "A", None),
        "it is the only item of the list; remove the list by hand"
    );

    let inner = view(
        Format::YAML,
        Part { under: query("$.d.f"), inner: Some(Format::PROPERTIES), ..Part::default() },
    );
    let block = "d:\n  f: |\n    a=1\n    b=2 \n  g: 1\n";
    assert_eq!(edited(&inner, block, "a", text("3")), "-    a=1|+    a=3");
    assert_eq!(edited(&inner, block, "c", text("3")), "+    c=3");
    assert_eq!(edited(&inner, block, "b", None), "-    b=2 ");
    let windows = block.replace('\n', "\r\n");
    assert_eq!(edited(&inner, &windows, "a", text("3")), "-    a=1|+    a=3");
    assert_eq!(
        edited(&inner, "d: {f: \"a=1\\nb=2\"}\n", "a", text("3")),
        "-d: {f: \"a=1\\nb=2\"}|+d: {f: \"a=3\\nb=2\"}"
    );

    let chosen =
        view(Format::YAML, Part { documents: Some(Documents::Number(2)), ..Part::default() });
    let stream = "a: 1\n---\na: 1\nb: {c: 2}\n";
    assert_eq!(edited(&chosen, stream, "b.c", Some(Value::Integer(5))), "-b: {c: 2}|+b: {c: 5}");
    assert_eq!(edited(&chosen, stream, "d", Some(Value::Integer(5))), "+d: 5");
    let dotted = view(Format::YAML, Part { dotted: Some(".".to_owned()), ..Part::default() });
    assert_eq!(
        edited(&dotted, "a.b: 1\nc: {d.e: 2}\n", "c.d.e", Some(Value::Integer(5))),
        "-c: {d.e: 2}|+c: {d.e: 5}"
    );
    assert_eq!(edited(&dotted, "a.b: 1\n", "a.c", Some(Value::Integer(5))), "+a.c: 5");
    let base64 =
        view(Format::YAML, Part { under: query("$.data"), base64: true, ..Part::default() });
    assert_eq!(
        edited(&base64, "data:\n  a: aHVudGVyMg==\n", "a", text("new")),
        "-  a: aHVudGVyMg==|+  a: bmV3"
    );
}
