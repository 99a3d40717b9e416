//! Tests of INI, properties, JSON with comments, rows, and of the `$` in env files.

use super::{Rows, check, document, read};
use crate::Limits;
use crate::{Format, RowFormat};
use justwhy_core::{Keys, SourceText, Value};

#[test]
fn reads_ini_with_exact_places() {
    check(
        Format::INI,
        &[
            ("keys before a section", "a=1\nb: x y \n", &["a \"1\" 1:3", "b \"x y\" 2:4"]),
            ("sections are paths", "[a.b]\nc = 1\n", &["a.b.c \"1\" 2:5"]),
            ("CRLF and a mark", "\u{feff}[a]\r\nb=1\r\n", &["a.b \"1\" 2:3"]),
            ("characters, not bytes", "[\"é\"]\nü = β\n", &["\"é\".\"ü\" \"β\" 2:5"]),
            ("a key is one segment", "a.b = 1", &["\"a.b\" \"1\" 1:7"]),
            ("the first of = and :", "a=b:c\nd:e=f", &["a \"b:c\" 1:3", "d \"e=f\" 2:3"]),
            ("comments are lines", "; x\n# y\n a = b ; c # d", &["a \"b ; c # d\" 3:6"]),
            (
                "one pair of quotes",
                "a = \" b \"\nc=\"\"x\"\"",
                &["a \" b \" 1:5", "c \"\\\"x\\\"\" 2:3"],
            ),
            ("a lone quote stays", "a = \"\nb='x'", &["a \"\\\"\" 1:5", "b \"'x'\" 2:3"]),
            (
                "an empty value stands after its separator",
                "a =\nb:  ",
                &["a \"\" 1:4", "b \"\" 2:3"],
            ),
            (
                "a section goes on",
                "[a]\nx=1\n[b]\ny=2\n[a]\nz=3",
                &["a.x \"1\" 2:3", "a.z \"3\" 6:3", "b.y \"2\" 4:3"],
            ),
            ("blanks around a section", "[ a.\"x.y\" ]\nb=1", &["a.\"x.y\".b \"1\" 2:3"]),
            ("nothing", "", &[]),
        ],
    );
}

#[test]
fn refuses_ini_that_is_none() {
    check(
        Format::INI,
        &[
            ("a repeated key", "a=1\na=2", &["2:1 duplicate key", "first at 1:1"]),
            (
                "in a section that goes on",
                "[s]\na=1\n[t]\n[s]\na=2",
                &["5:1 duplicate key", "first at 2:1"],
            ),
            (
                "a value and a table",
                "a=1\n[a]\nb=2",
                &["2:1 a key is both a value and a table", "first at 1:1"],
            ),
            (
                "a table and a value",
                "[a.b]\n[a]\nb=2",
                &["3:1 a key is both a value and a table", "first at 1:1"],
            ),
            ("no separator", "[a]\n  b", &["2:3 expected `=` or `:`"]),
            ("no key", " = 1", &["1:2 no key before the separator"]),
            ("no end", "[a", &["1:1 unterminated section: expected `]` at the end of the line"]),
            (
                "more after a section",
                "[a] x",
                &["1:1 unterminated section: expected `]` at the end of the line"],
            ),
            (
                "no path",
                "[a b]",
                &[
                    "1:3 invalid section: a segment with other characters than A-Z, a-z, 0-9, `_` and `-` must be quoted",
                ],
            ),
        ],
    );
}

/// Documents and what `java.util.Properties` (of Java 17) makes of them; nothing if it refuses.
type Reference<'a> = &'a [(&'a str, Option<&'a [(&'a str, &'a str)]>)];

const AS_JAVA_READS: Reference<'static> = &[
    (
        "a=1\nb = 2\nc:3\nd : 4\ne 5\nf\t6\n",
        Some(&[("a", "1"), ("b", "2"), ("c", "3"), ("d", "4"), ("e", "5"), ("f", "6")]),
    ),
    ("a\nb=\nc:\nd \n", Some(&[("a", ""), ("b", ""), ("c", ""), ("d", "")])),
    ("  a = 1  \n\tb=2\t\n\u{c}c=3\n", Some(&[("a", "1  "), ("b", "2\t"), ("c", "3")])),
    ("# comment\n! another\n  # blank before\na#b=c!d\n", Some(&[("a#b", "c!d")])),
    ("a=one\\\n   two\\\n\tthree\n", Some(&[("a", "onetwothree")])),
    ("a=x\\\n# no comment\nb=2\n", Some(&[("a", "x# no comment"), ("b", "2")])),
    ("a=x\\\n\nb=2\n", Some(&[("a", "x"), ("b", "2")])),
    ("\\\n a=1\n", Some(&[("a", "1")])),
    ("\\\n\n#c\na=1\n", Some(&[("a", "1")])),
    ("\\\n#a=1\n", Some(&[])),
    ("# comment \\\na=1\n", Some(&[("a", "1")])),
    ("a=x\\\\\nb=y\\\\\\\nz\n", Some(&[("a", "x\\"), ("b", "y\\z")])),
    ("a\\ b=1\nc\\:d=2\ne\\=f=3\n", Some(&[("a b", "1"), ("c:d", "2"), ("e=f", "3")])),
    (
        "a==1\nb=:2\nc : =3\nd  =  =4\ne =: 5\n",
        Some(&[("a", "=1"), ("b", ":2"), ("c", "=3"), ("d", "=4"), ("e", ": 5")]),
    ),
    ("a=\\t\\n\\r\\f\\q\\\"\\'\n", Some(&[("a", "\t\n\r\u{c}q\"'")])),
    ("\\u0061=\\u00e9\nb=\\uD83D\\uDE00\n", Some(&[("a", "é"), ("b", "😀")])),
    ("a=\\u12\n", None),
    ("a=\\u12g4\n", None),
    ("a=1\r\nb=2\rc=3\n", Some(&[("a", "1"), ("b", "2"), ("c", "3")])),
    ("a=x\\\r\n  y\r\nb=2", Some(&[("a", "xy"), ("b", "2")])),
    ("a=x\\", Some(&[("a", "x")])),
    ("a=\\\n", Some(&[("a", "")])),
    ("a=café ✓\nü=1\n", Some(&[("a", "café ✓"), ("ü", "1")])),
    ("a=1\\ \nb=2\n", Some(&[("a", "1 "), ("b", "2")])),
    ("a.b=1\na.c=2\n", Some(&[("a.b", "1"), ("a.c", "2")])),
    ("a\\.b=1\n", Some(&[("a.b", "1")])),
    (" \\\n  a = 1\n", Some(&[("a", "1")])),
    ("a=1\\\n  \\\n  2\n", Some(&[("a", "12")])),
    ("a\\\n b=1\n", Some(&[("ab", "1")])),
    ("a\\\n =1\n", Some(&[("a", "1")])),
    ("a=\\\\u0041\n", Some(&[("a", "\\u0041")])),
    ("", Some(&[])),
    ("\n\n \n", Some(&[])),
    ("a = # b ! c\n", Some(&[("a", "# b ! c")])),
    ("a=\"quoted\"\n", Some(&[("a", "\"quoted\"")])),
];

#[test]
fn reads_properties_as_java_does() {
    for (text, expected) in AS_JAVA_READS {
        let mut keys = Keys::default();
        let read = document(Format::PROPERTIES, text, &mut keys, Limits::default());
        let read = read.ok().map(|document| {
            let mut pairs: Vec<(String, String)> = document
                .leaves
                .iter()
                .map(|leaf| {
                    let Value::Text(value) = &leaf.value else { panic!("{text:?}") };
                    (keys.segments(leaf.name).join("."), value.to_string())
                })
                .collect();
            pairs.sort();
            pairs
        });
        let expected = expected.map(|pairs| {
            let owned = pairs.iter().map(|(key, value)| (key.to_string(), value.to_string()));
            owned.collect::<Vec<_>>()
        });
        assert_eq!(read, expected, "{text:?}");
    }
}

#[test]
fn reads_properties_with_exact_places() {
    check(
        Format::PROPERTIES,
        &[
            ("separators", "a=1\nb : 2\nc 3", &["a \"1\" 1:3", "b \"2\" 2:5", "c \"3\" 3:3"]),
            ("a value on the next line", "a = \\\n   x", &["a \"x\" 2:4"]),
            ("a key over lines", "a\\\n b = \\u0041", &["ab \"A\" 2:6"]),
            ("an empty value", "a =\nb\nc =  \n", &["a \"\" 1:4", "b \"\" 2:2", "c \"\" 3:4"]),
            ("after wide characters", "ü.é = β", &["\"ü\".\"é\" \"β\" 1:7"]),
            ("old line ends", "a=1\rb=2", &["a \"1\" 1:3", "b \"2\" 1:7"]),
        ],
    );
}

#[test]
fn refuses_properties_that_are_no_settings() {
    let rows: Rows<'_> = &[
        ("a repeated key", "a=1\na=2", &["2:1 duplicate key", "first at 1:1"]),
        (
            "a value and a table",
            "a.b=1\na=2",
            &["2:1 a key is both a value and a table", "first at 1:1"],
        ),
        ("an empty segment", "x=1\na..b=1", &["2:1 empty segment in this key"]),
        ("a backslash and nothing", "a=1\n\\\n", &["2:2 empty segment in this key"]),
        ("an empty key", "=1", &["1:1 empty segment in this key"]),
        ("half a surrogate pair", "a=\\ud83d", &["1:3 invalid \\u escape: half a surrogate pair"]),
        ("the other half", "a=\\ude00\\ud83d", &["1:3 invalid \\u escape: half a surrogate pair"]),
        ("too few digits", "a=x\\u12", &["1:4 expected four hexadecimal digits after \\u"]),
    ];
    check(Format::PROPERTIES, rows);
    let deep = "a.".repeat(300) + "b=1";
    assert!(
        read(Format::PROPERTIES, &deep)[0].contains("segments"),
        "{:?}",
        read(Format::PROPERTIES, &deep)
    );
}

#[test]
fn reads_json_with_comments_and_trailing_commas() {
    check(
        Format::JSONC,
        &[
            ("both comments", "// x\n{ /* y */ \"a\": 1, // z\n}", &["a 1 2:16"]),
            (
                "trailing commas",
                "{\"a\": [1, 2,], \"b\": {\"c\": 3,},}",
                &["a [1, 2] 1:7", "b.c 3 1:27"],
            ),
            ("no single quotes", "{'a': 1}", &["1:2 a JSON string needs double quotes"]),
            ("a comment that never ends", "{} /*", &["1:4 expected a value here"]),
        ],
    );
    assert_eq!(read(Format::JSON, "{\"a\": 1,}"), ["1:8 expected another item after the comma"]);
}

#[test]
fn knows_the_dollars_that_begin_no_reference() {
    let text = "A='${x}$'\nB=\"\\${x} ${y}\"\nC=${x}\nD=\"plain\"\nE='é$'\n";
    let mut keys = Keys::default();
    let document = document(Format::ENV, text, &mut keys, Limits::default()).unwrap();
    let dollars: Vec<&[u32]> = (0..5).map(|leaf| document.literal_dollars(leaf)).collect();
    assert_eq!(dollars, [&[0, 4][..], &[0], &[], &[], &[2]]);
}

/// What row `wanted` of a text has, as `read` shows it.
fn row(format: RowFormat, text: &str, wanted: usize) -> Vec<String> {
    let mut keys = Keys::default();
    let source = SourceText::new(text.into());
    let show = |start: u32| {
        let position = source.position(start);
        format!("{}:{}", position.line, position.column)
    };
    match format.row(text, wanted, &mut keys, Limits::default()) {
        Ok(document) => document
            .leaves
            .iter()
            .map(|leaf| {
                let at = show(leaf.at.unwrap().start);
                format!("{} {} {at}", keys.show(leaf.name), leaf.value.show())
            })
            .collect(),
        Err(fault) => vec![format!("{} {}", show(fault.at.start), fault.message)],
    }
}

#[test]
fn reads_a_row_at_its_line() {
    let csv = "name,position.lat,a b\r\nx,1.5,\r\n\r\n\"y,\n\"\"z\"\"\",2,q\r\n";
    let first = ["name \"x\" 2:1", "position.lat \"1.5\" 2:3", "\"a b\" \"\" 2:7"];
    assert_eq!(row(RowFormat::Csv, csv, 1), first);
    let second = ["name \"y,\\n\\\"z\\\"\" 4:1", "position.lat \"2\" 5:8", "\"a b\" \"q\" 5:10"];
    assert_eq!(row(RowFormat::Csv, csv, 2), second);
    assert_eq!(row(RowFormat::Csv, csv, 3), ["6:1 row 3 not found: the file has 2 rows"]);
    let json = "[\n {\"a\": 1}, {\"a\": {\"b\": [2]}},\n {\"a\": null}]";
    assert_eq!(row(RowFormat::Json, json, 2), ["a.b [2] 2:24"]);
    assert_eq!(row(RowFormat::Json, json, 3), ["a null 3:8"]);
    assert_eq!(row(RowFormat::Json, json, 4), ["3:14 row 4 not found: the file has 3 rows"]);
    let lines = "{\"a\": 1}\n\n  {\"a\": 2}\n";
    assert_eq!(row(RowFormat::JsonLines, lines, 2), ["a 2 3:9"]);
    assert_eq!(row(RowFormat::JsonLines, lines, 3), ["4:1 row 3 not found: the file has 2 rows"]);
    for (format, text, count) in
        [(RowFormat::Csv, csv, 2), (RowFormat::Json, json, 3), (RowFormat::JsonLines, lines, 2)]
    {
        assert_eq!(format.count(text, Limits::default()), count);
    }
}

#[test]
fn refuses_rows_that_are_none() {
    for (format, text, wanted, expected) in [
        (RowFormat::Csv, "", 1, "1:1 no header with the names of the columns"),
        (RowFormat::Csv, "a,b\n1\n", 1, "2:1 this row has 1 fields, the header 2"),
        (RowFormat::Csv, "a,b\n1,2,3\n", 1, "2:1 this row has 3 fields, the header 2"),
        (RowFormat::Csv, "a,b\n\"1,2\n3,4\n", 1, "2:1 unterminated quote in this row"),
        (RowFormat::Csv, "a,b\n1,5\" pipe\n", 1, "2:4 unterminated quote in this row"),
        (RowFormat::Csv, "a,a\n1,2\n", 1, "1:3 duplicate key"),
        (RowFormat::Csv, "a,a.b\n1,2\n", 1, "1:3 a key is both a value and a table"),
        (RowFormat::Csv, "a,\n1,2\n", 1, "1:3 a column has no name"),
        (RowFormat::Json, "{\"a\": 1}", 1, "1:1 expected an array of objects"),
        (RowFormat::Json, "[1]", 1, "1:2 expected an object"),
        (RowFormat::Json, "", 1, "1:1 expected an array of objects"),
        (RowFormat::JsonLines, "{\"a\": 1}\n[1]\n", 2, "2:1 expected one object"),
        (RowFormat::JsonLines, "{\"a\": 1}\n{\"a\": }\n", 2, "2:7 expected a value here"),
    ] {
        assert_eq!(row(format, text, wanted)[0], expected, "{text:?}");
    }
}
