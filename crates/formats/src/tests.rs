//! Tests of the formats: every value at its exact place, every fault at its own.

use crate::Format;
use crate::Limits;
use crate::decode;
use crate::{Fault, Lowering, Tree};
use justwhy_core::{Document, Keys, Position};

mod against_others;
mod faults;
pub(crate) mod generated;
mod kinds;
mod more;

/// Parses and lowers a text.
fn document(
    format: Format,
    text: &str,
    keys: &mut Keys,
    limits: Limits,
) -> Result<Document, Fault> {
    let tree = format.parse(text, limits)?;
    Lowering::new(&tree, keys, limits).lower(Tree::ROOT)
}

/// What a text has, a line for each value: `key value line:column`, and for a fault its place and
/// message. The same whether its keys are new or known from elsewhere.
fn read_with(format: Format, bytes: &[u8], limits: Limits) -> Vec<String> {
    let mut keys = Keys::default();
    let read = read_into(&mut keys, format, bytes, limits);
    assert_eq!(read_into(&mut keys, format, bytes, limits), read);
    read
}

fn read_into(keys: &mut Keys, format: Format, bytes: &[u8], limits: Limits) -> Vec<String> {
    let (text, verdict) = decode(bytes.to_vec());
    let read = verdict.and_then(|()| document(format, text.text(), keys, limits));
    let show = |position: Position| format!("{}:{}", position.line, position.column);
    match read {
        Ok(document) => {
            let leaves = document.leaves.iter().map(|leaf| {
                let place = show(text.position(leaf.at.unwrap().start));
                format!("{} {} {place}", keys.show(leaf.name), leaf.value.show())
            });
            leaves.collect()
        }
        Err(fault) => {
            let mut shown =
                vec![format!("{} {}", show(text.position(fault.at.start)), fault.message)];
            if let Some((what, at)) = fault.also {
                shown.push(format!("{what} {}", show(text.position(at.start))));
            }
            shown
        }
    }
}

fn read(format: Format, text: &str) -> Vec<String> {
    read_with(format, text.as_bytes(), Limits::default())
}

/// Each row: what it is about, the text, and what is read from it.
type Rows<'a> = &'a [(&'a str, &'a str, &'a [&'a str])];

fn check(format: Format, rows: Rows<'_>) {
    for (row, text, expected) in rows {
        assert_eq!(read(format, text), *expected, "{row}");
    }
}

#[test]
fn reads_toml_with_exact_places() {
    check(
        Format::TOML,
        &[
            ("plain keys", "a = 1\nb.c = 'x'\n", &["a 1 1:5", "b.c \"x\" 2:7"]),
            ("CRLF", "a = 1\r\nb = 2\r\n", &["a 1 1:5", "b 2 2:5"]),
            ("a byte order mark takes no column", "\u{feff}a = 1", &["a 1 1:5"]),
            (
                "characters, not bytes",
                "\"é\" = \"β\" \n'ü'.x=1",
                &["\"é\" \"β\" 1:7", "\"ü\".x 1 2:7"],
            ),
            (
                "tables",
                "[a]\nb=1\n[a.c]\nd=2\n[e.f.g]\nh=3",
                &["a.b 1 2:3", "a.c.d 2 4:3", "e.f.g.h 3 6:3"],
            ),
            ("a header above one below it", "[a.b]\nx=1\n[a]\ny=2", &["a.b.x 1 2:3", "a.y 2 4:3"]),
            ("an inline table", "a = { b = 1, c.d = [2] }", &["a.b 1 1:11", "a.c.d [2] 1:20"]),
            (
                "an array of tables is a leaf at its first header",
                "[[l]]\na=1\n[l.b]\nc=2\n[[l]]\n",
                &["l [{ \"a\" = 1, \"b\" = { \"c\" = 2 } }, {  }] 1:1"],
            ),
            (
                "nested arrays of tables",
                "[[a]]\n[[a.b]]\nx=1\n[[a.b]]\nx=2",
                &["a [{ \"b\" = [{ \"x\" = 1 }, { \"x\" = 2 }] }] 1:1"],
            ),
            (
                "numbers",
                "a=0x1F\nb=1_000\nc=-0.5e3\nd=inf\ne=+7",
                &["a 31 1:3", "b 1000 2:3", "c -500.0 3:3", "d inf 4:3", "e 7 5:3"],
            ),
            (
                "dates stay as written",
                "a=1979-05-27 07:32:00Z\nb=07:32:00",
                &["a \"1979-05-27 07:32:00Z\" 1:3", "b \"07:32:00\" 2:3"],
            ),
            ("texts over lines", "a = \"\"\"\nx\n y\"\"\"\nb=1", &["a \"x\\n y\" 1:5", "b 1 4:3"]),
            (
                "a dotted key and a header below it",
                "[f]\na.b=1\n[f.a.c]\nd=2",
                &["f.a.b 1 2:5", "f.a.c.d 2 4:3"],
            ),
            ("nothing", "# only a comment\n", &[]),
            ("an empty table offers nothing", "[a]\nb={}\n", &[]),
        ],
    );
}

#[test]
fn refuses_broken_toml_at_the_right_place() {
    check(
        Format::TOML,
        &[
            ("an exponent of nothing", "a = 1e", &["1:7 invalid exponent, expected digits"]),
            ("no digits", "a = 0x", &["1:5 invalid number"]),
            ("no digit of a radix", "a = 0b2", &["1:7 invalid binary number"]),
            (
                "a number that begins with its point",
                "a = .5",
                &["1:5 invalid mantissa, expected digits"],
            ),
            (
                "too large a number",
                "a = 1e999",
                &["1:5 number too large for 64-bit floating point"],
            ),
            (
                "too large an integer",
                "a = 0xfffffffffffffffff",
                &["1:5 integer too large for 64 bits"],
            ),
            ("a repeated key", "a=1\nb=2\na=3", &["3:1 duplicate key", "first at 1:1"]),
            ("a repeated table", "[a]\n[b]\n[a]", &["3:2 duplicate table", "first at 1:2"]),
            (
                "a value and a table",
                "a=1\n[a.b]",
                &["2:2 a key is both a value and a table", "it is a value at 1:1"],
            ),
            ("a table and a value", "[x]\na.b=1\na=2", &["3:1 duplicate key", "first at 2:1"]),
            (
                "a list and an array of tables",
                "a=[]\n[[a]]",
                &["2:3 a key is both a value and a table", "it is a value at 1:1"],
            ),
            (
                "a table and an array of tables",
                "[a]\n[[a]]",
                &["2:3 duplicate table", "first at 1:2"],
            ),
            (
                "an inline table is complete",
                "a={b=1}\n[a.c]",
                &["2:2 a table in braces cannot be extended", "it is at 1:1"],
            ),
            (
                "a dotted key into a table with a header",
                "[a.b]\nx=1\n[a]\nb.y=2",
                &["4:1 duplicate table", "first at 1:4"],
            ),
            (
                "a header for what a dotted key went through",
                "[b.a.c]\n[b]\na.a = 1\n[b.a]",
                &["4:4 duplicate table", "first at 1:4"],
            ),
            (
                "a header for a dotted table",
                "[a]\nb.c=1\n[a.b]",
                &["3:4 duplicate table", "first at 2:1"],
            ),
            ("a repeated key in a list", "a=[{x=1,x=2}]", &["1:9 duplicate key", "first at 1:5"]),
            (
                "an integer too large",
                "a=9223372036854775808",
                &["1:3 integer too large for 64 bits"],
            ),
            ("a number too large", "a=1e999", &["1:3 number too large for 64-bit floating point"]),
            (
                "a control character in a comment",
                "a=1 # x\u{7f}",
                &["1:8 invalid comment character, expected printable characters"],
            ),
            (
                "a carriage return alone",
                "a=1\rb=2",
                &["1:5 carriage return must be followed by newline, expected a line end"],
            ),
            ("no such date", "a=2026-02-30", &["1:3 invalid date or time"]),
            ("no value", "a=\n", &["1:3 string values must be quoted, expected literal string"]),
            (
                "half a surrogate pair",
                "a=\"\\ud800\"",
                &["1:6 invalid value, expected unicode hexadecimal value"],
            ),
        ],
    );
}

#[test]
fn reads_json_with_exact_places() {
    check(
        Format::JSON,
        &[
            (
                "values",
                "{\"a\": 1, \"b\": {\"c\": \"x\"},\n \"d\": [1, {\"e\": null}], \"f\": 1.50}",
                &["a 1 1:7", "b.c \"x\" 1:21", "d [1, { \"e\" = null }] 2:7", "f 1.5 2:30"],
            ),
            (
                "escapes and characters",
                "{\"é\":\"\\u00e9\\n\", \"z\":\"\\ud83c\\udf0a\"}",
                &["\"é\" \"é\\n\" 1:6", "z \"🌊\" 1:22"],
            ),
            (
                "dots in names are no paths",
                "{\"a.b\": true, \"\": null}",
                &["\"a.b\" true 1:9", "\"\" null 1:19"],
            ),
            ("a byte order mark and CRLF", "\u{feff}{\r\n\"a\":-0}", &["a 0 2:5"]),
            ("exponents are numbers", "{\"a\": 1e2}", &["a 100.0 1:7"]),
            ("nothing", "{}", &[]),
        ],
    );
}

#[test]
fn refuses_broken_json_at_the_right_place() {
    check(
        Format::JSON,
        &[
            ("a repeated key", "{\"a\":1,\n\"a\":2}", &["2:1 duplicate key", "first at 1:2"]),
            (
                "repeated by an escape",
                "{\"a\":1,\"\\u0061\":2}",
                &["1:8 duplicate key", "first at 1:2"],
            ),
            (
                "repeated in a list",
                "{\"a\":[{\"b\":1,\"b\":2}]}",
                &["1:14 duplicate key", "first at 1:8"],
            ),
            (
                "the first of many repeated below them",
                "{\"a\":1,\"b\":1,\"c\":1,\"d\":1,\"e\":1,\"f\":1,\"g\":1,\"h\":1,\n\
                 \"i\":1,\"j\":1,\"k\":1,\"l\":1,\"m\":1,\"n\":1,\"b\":{\"a\":2},\"a\":2}",
                &["2:37 duplicate key", "first at 1:8"],
            ),
            (
                "a table that is repeated",
                "{\"a\":{\"b\":1},\n\"c\":1,\"a\":{\"d\":1}}",
                &["2:7 duplicate key", "first at 1:2"],
            ),
            ("no object", "[1]", &["1:1 expected one object"]),
            ("nothing at all", " ", &["1:2 expected a value"]),
            ("a comment", "{} // x", &["1:4 JSON has no comments"]),
            ("a trailing comma", "{\"a\":1,}", &["1:7 expected another item after the comma"]),
            (
                "a missing comma",
                "{\"a\":1 \"b\":2}",
                &["1:7 expected a comma or the closing bracket"],
            ),
            ("single quotes", "{'a':1}", &["1:2 a JSON string needs double quotes"]),
            ("a leading zero", "{\"a\":01}", &["1:7 expected a comma or the closing bracket"]),
            (
                "a bare line end in a text",
                "{\"a\":\"x\ny\"}",
                &["1:8 control character in a string"],
            ),
            ("a bare tab in a name", "{\"a\tb\":1}", &["1:4 control character in a string"]),
            (
                "half a surrogate pair",
                "{\"a\":\"\\ud800\"}",
                &["1:7 invalid \\u escape: half a surrogate pair"],
            ),
            ("two values", "{} {}", &["1:4 expected the end of the file after its one value"]),
            (
                "past 64 bits",
                "{\"a\":-9223372036854775809}",
                &["1:6 integer too large for 64 bits"],
            ),
            ("not finite", "{\"a\":1e400}", &["1:6 number too large for 64-bit floating point"]),
        ],
    );
}

#[test]
fn reads_yaml_with_exact_places() {
    check(
        Format::YAML,
        &[
            ("plain values", "a: 1\nb:\n  c: x y  # z\n", &["a 1 1:4", "b.c \"x y\" 3:6"]),
            (
                "flow maps and lists",
                "a: {b: 1, c: [1, {d: 2}]}",
                &["a.b 1 1:8", "a.c [1, { \"d\" = 2 }] 1:14"],
            ),
            ("a list at its first dash", "a:\n  - x\n  - y", &["a [\"x\", \"y\"] 2:3"]),
            (
                "also if it is not indented",
                "a:\n- \n- x\nb: 1",
                &["a [null, \"x\"] 2:1", "b 1 4:4"],
            ),
            ("a list in a list", "a:\n  - - 1\n    - 2\n", &["a [[1, 2]] 2:3"]),
            (
                "block texts at their indicator",
                "a: |\n\n  x\nb: >- # c |\n  y\n  z\n",
                &["a \"\\nx\\n\" 1:4", "b \"y z\" 4:4"],
            ),
            (
                "after an anchor and a tag",
                "a: &x !!str |\n  y\nb: !!str &y 5\nc: &z [1]",
                &["a \"y\\n\" 1:13", "b \"5\" 3:13", "c [1] 4:7"],
            ),
            (
                "quotes are part of the place",
                "a: 'it''s'\n\"é\": \"\\u00e9\"",
                &["a \"it's\" 1:4", "\"é\" \"é\" 2:6"],
            ),
            ("CRLF and a byte order mark", "\u{feff}a: 1\r\nb: 2\r\n", &["a 1 1:4", "b 2 2:4"]),
            (
                "an alias where it is written",
                "a: &x 1\nb: *x\nc: [*x]",
                &["a 1 1:7", "b 1 1:7", "c [1] 3:4"],
            ),
            (
                "a merge, own entries first",
                "a: &a {x: 1, y: 2}\nb:\n  <<: *a\n  y: 3",
                &["a.x 1 1:11", "a.y 2 1:17", "b.y 3 4:6", "b.x 1 1:11"],
            ),
            (
                "several merges, earlier first",
                "a: &a {x: 1}\nb: &b {x: 2, y: 3}\nc: {<<: [*a, *b]}",
                &["a.x 1 1:11", "b.x 2 2:11", "b.y 3 2:17", "c.x 1 1:11", "c.y 3 2:17"],
            ),
            ("a quoted << is a name", "\"<<\": 1", &["\"<<\" 1 1:7"]),
            (
                "scalar names as written",
                "1: a\ntrue: b\n~: c\n0x1F: d",
                &["1 \"a\" 1:4", "true \"b\" 2:7", "\"~\" \"c\" 3:4", "0x1F \"d\" 4:7"],
            ),
            ("explicit names", "? a\n: 1\n", &["a 1 2:3"]),
            (
                "left out is nothing, a written null is one",
                "a:\nb: ~\nc: null\nd: \"\"",
                &["b null 2:4", "c null 3:4", "d \"\" 4:4"],
            ),
            ("an empty document", "# nothing\n", &[]),
            ("an explicit document", "---\na: 1\n...\n", &["a 1 2:4"]),
        ],
    );
}

#[test]
fn reads_yaml_scalars_by_the_core_schema() {
    for (written, shown) in [
        ("true", "true"),
        ("False", "false"),
        ("yes", "\"yes\""),
        ("NULL", "null"),
        ("0o17", "15"),
        ("0x1f", "31"),
        ("012", "12"),
        ("+12", "12"),
        ("1_000", "\"1_000\""),
        ("0b1", "\"0b1\""),
        (".5", "0.5"),
        ("1.", "1.0"),
        ("1e3", "1000.0"),
        ("-.inf", "-inf"),
        ("+.INF", "inf"),
        (".NaN", "nan"),
        (".", "\".\""),
        ("1.2.3", "\"1.2.3\""),
        ("2026-11-25", "\"2026-11-25\""),
        ("!!str true", "\"true\""),
        ("! 5", "\"5\""),
        ("!!float 3", "3.0"),
        ("!!int \"7\"", "7"),
        ("!!bool 'TRUE'", "true"),
        ("!!null ''", "null"),
    ] {
        let text = format!("a: [{written}]");
        let read = read(Format::YAML, &text);
        assert_eq!(read, [format!("a [{shown}] 1:4")], "{written}");
    }
}

#[test]
fn refuses_broken_yaml_at_the_right_place() {
    check(
        Format::YAML,
        &[
            ("a repeated key", "a: 1\nb: 2\na: 3", &["3:1 duplicate key", "first at 1:1"]),
            ("repeated in a list", "a: [{b: 1, b: 2}]", &["1:12 duplicate key", "first at 1:6"]),
            (
                "two merges",
                "a: &a {x: 1}\nb:\n  <<: *a\n  <<: *a",
                &["4:3 duplicate key", "first at 3:3"],
            ),
            ("a merge of no table", "a: &a 1\nb: {<<: *a}", &["2:5 `<<` can only merge tables"]),
            (
                "a list as a name",
                "? [a]\n: 1",
                &["1:3 expected a single string or number as a key"],
            ),
            (
                "a list that is not closed",
                "a: [1\nb: 2",
                &["2:2 invalid YAML: illegal placement of ':' indicator"],
            ),
            (
                "a table that is not closed",
                "a: {x: 1, y",
                &["1:4 invalid YAML: unclosed bracket '{'"],
            ),
            ("what begins no value", "a: @b", &["1:4 invalid YAML: unexpected character"]),
            (
                "a tag of somebody",
                "a: !x 1",
                &["1:7 unknown tag: only the tags of the YAML core schema are read"],
            ),
            ("a tag that does not fit", "a: !!int x", &["1:10 the value does not fit its tag"]),
            ("two documents", "a: 1\n---\nb: 2", &["2:1 second document"]),
            ("a list as the file", "- a", &["1:1 expected one mapping"]),
            ("a text as the file", "hello", &["1:1 expected one mapping"]),
            ("a tab that indents", "a:\n\tb: 1", &["2:1 tab in the indentation"]),
            (
                "an alias inside of itself",
                "a: &a [*a]",
                &["1:8 this alias is inside its own anchor"],
            ),
            (
                "an unknown alias",
                "a: *b",
                &["1:4 invalid YAML: while parsing node, found unknown anchor"],
            ),
            (
                "an integer too large",
                "a: 9223372036854775808",
                &["1:4 integer too large for 64 bits"],
            ),
            (
                "half a surrogate pair",
                "a: \"\\ud800\"",
                &[
                    "1:4 invalid YAML: while parsing a quoted scalar, found high surrogate without following low surrogate",
                ],
            ),
        ],
    );
}

#[test]
fn reads_env_files_with_exact_places() {
    check(
        Format::ENV,
        &[
            ("plain values", "A=1\nB=x y  # z\n", &["A \"1\" 1:3", "B \"x y\" 2:3"]),
            (
                "export and blanks before a name",
                "export A=1\n  B=2\n\texport\tC=3",
                &["A \"1\" 1:10", "B \"2\" 2:5", "C \"3\" 3:11"],
            ),
            ("export is a name too", "export=1", &["export \"1\" 1:8"]),
            (
                "nothing is empty",
                "A=\nB=  \nC= # c\nD=''",
                &["A \"\" 1:3", "B \"\" 2:3", "C \"\" 3:3", "D \"\" 4:3"],
            ),
            (
                "a number sign without a blank is part of it",
                "A=a#b\nB=#c",
                &["A \"a#b\" 1:3", "B \"#c\" 2:3"],
            ),
            (
                "single quotes are literal",
                "A='a \\n$(x)`y` # \"'  # c",
                &["A \"a \\\\n$(x)`y` # \\\"\" 1:3"],
            ),
            (
                "double quotes have escapes",
                "A=\"\\n\\r\\t\\\"\\\\\\$\\x\"",
                &["A \"\\n\\r\\t\\\"\\\\$\\\\x\" 1:3"],
            ),
            (
                "quotes span lines, CRLF becomes LF",
                "A='x\r\ny'\r\nB=\"p\r\nq\"\r\nC=1\r\n",
                &["A \"x\\ny\" 1:3", "B \"p\\nq\" 3:3", "C \"1\" 5:3"],
            ),
            (
                "nothing is executed",
                "A=$(rm -rf /)\nB=`x`",
                &["A \"$(rm -rf /)\" 1:3", "B \"`x`\" 2:3"],
            ),
            ("quotes inside are literal", "A=a\"b\"", &["A \"a\\\"b\\\"\" 1:3"]),
            (
                "a byte order mark, characters",
                "\u{feff}A=é # ü\nB='β' # γ",
                &["A \"é\" 1:3", "B \"β\" 2:3"],
            ),
            ("a comment after a quote", "A='x'#c", &["A \"x\" 1:3"]),
            ("nothing", "\n  \n# c\n", &[]),
        ],
    );
}

#[test]
fn refuses_broken_env_files_at_the_right_place() {
    check(
        Format::ENV,
        &[
            ("a repeated name", "A=1\nB=2\nexport A=3", &["3:8 duplicate key", "first at 1:1"]),
            ("spaces around =", "A = 1", &["1:2 spaces around `=`"]),
            ("a space after =", "A= 1", &["1:3 spaces around `=`"]),
            ("no =", "A", &["1:2 expected `=` right after the name"]),
            ("no = after export", "export A", &["1:9 expected `=` right after the name"]),
            ("a digit first", "1A=1", &["1:1 expected the name of a variable"]),
            ("another character", "A-B=1", &["1:2 expected `=` right after the name"]),
            ("no name", "=1", &["1:1 expected the name of a variable"]),
            ("an open quote", "A=1\nB='x\n", &["2:3 unterminated quote"]),
            ("an open double quote", "B=\"x\\\"\n", &["1:3 unterminated quote"]),
            ("text after a quote", "A='x' y", &["1:7 unexpected text after the closing quote"]),
        ],
    );
}

#[test]
fn refuses_bytes_that_are_no_text() {
    for format in Format::all() {
        let limits = Limits::default();
        let invalid = read_with(format, b"# \xc3\xa9\n\xff", limits);
        assert_eq!(invalid, ["2:1 not UTF-8"], "{}", format.name());
        let nul = read_with(format, b"a\n\0", limits);
        assert_eq!(nul, ["2:1 NUL character"], "{}", format.name());
    }
}

#[test]
fn keeps_to_the_limits() {
    let small = Limits { file_bytes: 40, depth: 3, nodes: 6 };
    let depth = "more than 3 nested tables and lists here";
    let nodes = "more than 6 values, tables and lists here";
    for (row, format, text, message) in [
        ("toml, as deep as may be", Format::TOML, "a=[[1]]", None),
        ("toml, a list deeper", Format::TOML, "a=[[[1]]]", Some(depth)),
        ("toml, a dotted key deeper", Format::TOML, "a.b.c.d=1", Some(depth)),
        ("json, as deep as may be", Format::JSON, "{\"a\":{\"b\":{}}}", None),
        ("json, deeper", Format::JSON, "{\"a\":{\"b\":{\"c\":{}}}}", Some(depth)),
        ("yaml, as deep as may be", Format::YAML, "a: {b: {}}", None),
        ("yaml, deeper", Format::YAML, "a: {b: {c: {}}}", Some(depth)),
        ("yaml, deeper by an alias", Format::YAML, "a: &a {x: {}}\nb: {c: *a}", Some(depth)),
        ("yaml, nodes by aliases", Format::YAML, "a: &a [1, 2]\nb: [*a, *a]", Some(nodes)),
        ("json, nodes", Format::JSON, "{\"a\":[1,2,3,4,5]}", Some(nodes)),
        ("env, nodes", Format::ENV, "A=1\nB=1\nC=1\nD=1\nE=1\nF=1\nG=1", Some(nodes)),
        (
            "yaml, text by aliases, as much as may be",
            Format::YAML,
            "a: &a x2345678901234567890\nb: *a",
            None,
        ),
        (
            "yaml, text by aliases",
            Format::YAML,
            "a: &a x23456789012345678901\nb: *a",
            Some("more than 40 bytes, with aliases, here"),
        ),
    ] {
        let mut keys = Keys::default();
        let read = document(format, text, &mut keys, small);
        let found = read.as_ref().err().map(|fault| fault.message.as_str());
        assert_eq!(found, message, "{row}");
    }
}

#[test]
fn says_through_which_anchor_a_value_came() {
    let text = "base: &base {x: 1, y: &y 2}\nprod:\n  <<: *base\nz: *y\nown: 3\n";
    let mut keys = Keys::default();
    let document = document(Format::YAML, text, &mut keys, Limits::default()).unwrap();
    let through: Vec<_> = document
        .leaves
        .iter()
        .enumerate()
        .map(|(index, leaf)| (keys.show(leaf.name), document.anchor(index).unwrap_or("-")))
        .collect();
    let through: Vec<String> =
        through.iter().map(|(key, anchor)| format!("{key} {anchor}")).collect();
    assert_eq!(through, ["base.x -", "base.y -", "prod.x base", "prod.y base", "z y", "own -"]);
}

#[test]
fn tells_the_format_by_the_name_of_the_file() {
    for (path, format) in [
        ("settings/a.toml", Some(Format::TOML)),
        ("a.json", Some(Format::JSON)),
        ("a.yaml", Some(Format::YAML)),
        ("a.b/c.yml", Some(Format::YAML)),
        (".env", Some(Format::ENV)),
        ("x/.env.production", Some(Format::ENV)),
        ("local.env", Some(Format::ENV)),
        ("a.env/b", None),
        ("env", None),
        ("a.txt", None),
        ("toml", None),
    ] {
        assert_eq!(Format::of_path(path), format, "{path}");
    }
}
