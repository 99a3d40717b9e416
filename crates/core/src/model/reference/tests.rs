//! Tests of taking texts apart.

use super::{Dialect, Piece, Reference, Target, TextRules, take_apart};

const KEYS: TextRules<'static> = TextRules {
    literal_dollars: &[],
    names_are_variables: false,
    depth: 4,
    dialect: Dialect::Own,
    has_escapes: true,
};
const VARIABLES: TextRules<'static> = TextRules { names_are_variables: true, ..KEYS };

/// The pieces of a text: plain ones in quotes, references as `kind(target@changes:-fallback)`.
fn shown(text: &str, rules: TextRules<'_>) -> String {
    match take_apart(text, rules) {
        Ok(pieces) => show(&pieces),
        Err(bad) => format!("! {}", bad.problem),
    }
}

fn show(pieces: &[Piece]) -> String {
    let piece = |piece: &Piece| match piece {
        Piece::Text(text) => format!("{text:?}"),
        Piece::Reference(Reference { target, changes, fallback, .. }) => {
            let changes: Vec<String> = changes
                .iter()
                .map(|(axis, value)| format!("@{axis}={}", value.as_deref().unwrap_or("")))
                .collect();
            let fallback = fallback.as_ref().map(|pieces| format!(":-{}", show(pieces)));
            let target = match target {
                Target::Key(path) => format!("Key({path})"),
                other => format!("{other:?}"),
            };
            format!("{target}{}{}", changes.concat(), fallback.unwrap_or_default())
        }
    };
    pieces.iter().map(piece).collect::<Vec<_>>().join(" ")
}

#[test]
fn takes_texts_apart_from_left_to_right() {
    for (text, expected) in [
        ("plain $NAME $(x) $", "\"plain $NAME $(x) $\""),
        ("a${b.c}d", "\"a\" Key(b.c) \"d\""),
        ("${a}${b}", "Key(a) Key(b)"),
        ("$${a}", "\"${a}\""),
        ("$$${a}", "\"$${a}\""),
        ("$$$${a}", "\"$$${a}\""),
        ("$$ ${a}", "\"$$ \" Key(a)"),
        ("${\"x.y\".z}", "Key(\"x.y\".z)"),
        ("${a:-}", "Key(a):-"),
        ("${a:-b c}", "Key(a):-\"b c\""),
        ("${a:-${b:-c}d}e", "Key(a):-Key(b):-\"c\" \"d\" \"e\""),
        ("${a:-$${b}}", "Key(a):-\"${b\" \"}\""),
        ("${a@service=alerts,region=}", "Key(a)@service=alerts@region="),
        ("${a@x=y:-z}", "Key(a)@x=y:-\"z\""),
        ("${variable:HOME}", "Variable(\"HOME\")"),
        ("${variable:HOME:-x}", "Variable(\"HOME\"):-\"x\""),
        ("${file:keys/a b.txt}", "File(\"keys/a b.txt\")"),
        ("${NAME}", "Key(NAME)"),
    ] {
        assert_eq!(shown(text, KEYS), expected, "{text}");
    }
}

#[test]
fn takes_capitals_for_variables_where_names_are_variables() {
    for (text, expected) in [
        ("${TIDE_A__B}", "Name(\"TIDE_A__B\")"),
        ("${A:-b}", "Name(\"A\"):-\"b\""),
        ("${A@x=y}", "Name(\"A\")@x=y"),
        ("${a.b}", "Key(a.b)"),
        ("${Ab}", "Key(Ab)"),
        ("${A.b}", "Key(A.b)"),
    ] {
        assert_eq!(shown(text, VARIABLES), expected, "{text}");
    }
}

#[test]
fn leaves_a_dollar_alone_that_was_written_as_a_plain_one() {
    let rules = TextRules { literal_dollars: &[0], ..KEYS };
    assert_eq!(shown("${a} ${b}", rules), "\"${a} \" Key(b)");
    let second = TextRules { literal_dollars: &[1], ..KEYS };
    assert_eq!(shown("$${a}", second), "\"$${a}\"");
}

#[test]
fn says_what_is_wrong_and_repeats_no_text() {
    for (text, expected) in [
        ("${a", "unterminated `${`; write `$${` for a literal `${`"),
        ("x ${a:-b", "unterminated `${`; write `$${` for a literal `${`"),
        ("${variable:}", "expected a name after `${variable:`"),
        ("${a@x}", "expected `axis=value` after `@`, several separated by commas"),
        ("${file:x@a=b}", "File(\"x@a=b\")"),
        ("${a secret}", "expected `}` or `:-` after `${a`"),
    ] {
        let shown = shown(text, KEYS);
        assert_eq!(shown.strip_prefix("! ").unwrap_or(&shown), expected, "{text}");
    }
    assert!(shown("${}", KEYS).starts_with("! expected the key of a setting after `${`"));
}

#[test]
fn refuses_fallbacks_that_nest_too_deep_without_going_deeper() {
    let deep = "${a:-".repeat(100_000) + &"}".repeat(100_000);
    let bad = take_apart(&deep, KEYS).unwrap_err();
    assert!(bad.too_deep);
    assert_eq!(bad.problem.to_string(), "fallbacks nest more than 4 deep");
}

#[test]
fn knows_texts_that_cannot_refer() {
    for (text, expected) in [("", false), ("$a {", false), ("a${", true), ("$${x}", true)] {
        assert_eq!(Dialect::Own.may_refer(text), expected, "{text}");
    }
}

#[test]
fn shows_a_reference_so_that_it_reads_the_same_again() {
    for text in
        ["${a.b}", "${\"B\"}", "${B}", "${a.\"b c\"@x=y,z=}", "${variable:B}", "${file:a b}"]
    {
        for names_are_variables in [false, true] {
            let rules = TextRules { names_are_variables, depth: 8, ..KEYS };
            let pieces = take_apart(text, rules).unwrap();
            let [Piece::Reference(reference)] = pieces.as_slice() else { panic!("{text}") };
            assert_eq!(reference.show(), text);
            assert_eq!(take_apart(&reference.show(), rules), Ok(pieces.clone()));
        }
    }
}
