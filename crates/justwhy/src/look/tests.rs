//! Tests of how output looks.

use super::{Cell, Look, Role, clean, fill, width};

const PLAIN: Look = Look { width: None, colour: false, symbols: true };
const TERMINAL: Look = Look { width: Some(60), ..PLAIN };

#[test]
fn wraps_between_words_only_and_only_on_a_terminal() {
    for (text, columns, lines) in [
        ("one two three four five six", 20, vec!["one two three four", "five six"]),
        (
            "settings/a-very-long/path-that/does.not:fit",
            20,
            vec!["settings/a-very-long/path-that/does.not:fit"],
        ),
        ("the-first fits-not-but stays", 20, vec!["the-first", "fits-not-but stays"]),
        ("", 20, vec![""]),
    ] {
        assert_eq!(TERMINAL.wrap(text, columns), lines, "{text}");
        assert_eq!(PLAIN.wrap(text, columns), [text]);
    }
}

#[test]
fn counts_the_columns_that_a_terminal_takes() {
    assert_eq!((width("abc"), width("é"), width("潮"), width("🌊")), (3, 1, 2, 2));
    assert_eq!(PLAIN.cut("潮汐潮汐潮汐", 7), "潮汐潮…");
    assert_eq!(PLAIN.cut("abcdef", 6), "abcdef");
    assert_eq!(fill("潮", width("潮"), 4), "潮  ");
}

#[test]
fn writes_out_what_could_command_a_terminal_or_hide() {
    for (text, cleaned) in [
        ("plain é 潮", "plain é 潮"),
        ("\u{1b}[31m", "\\u{1b}[31m"),
        ("a\nb\tc\r", "a\\u{a}b\\u{9}c\\u{d}"),
        ("\u{202e}evil", "\\u{202e}evil"),
        ("zero\u{200b}width", "zero\\u{200b}width"),
        ("\u{9b}31m", "\\u{9b}31m"),
    ] {
        assert_eq!(clean(text), cleaned);
        assert_eq!(PLAIN.paint(Role::Key, text), cleaned);
    }
}

#[test]
fn colours_only_if_told_to() {
    let coloured = Look { colour: true, ..PLAIN };
    assert_eq!(PLAIN.paint(Role::Wrong, "x"), "x");
    assert_eq!(coloured.paint(Role::Wrong, "x"), "\u{1b}[1m\u{1b}[31mx\u{1b}[0m");
    assert_eq!(coloured.paint(Role::Wrong, ""), "");
    assert_eq!(coloured.paint(Role::Plain, "x"), "x");
}

#[test]
fn falls_back_to_ascii() {
    let ascii = Look { symbols: false, ..PLAIN };
    assert_eq!(ascii.text("A=…"), "A=...");
    assert_eq!(ascii.text("é"), "é", "data stays what it is");
}

#[test]
fn keeps_sentences_readable_on_a_wide_terminal() {
    let columns = |width| Look { width, ..PLAIN }.columns();
    assert_eq!(
        [columns(None), columns(Some(100)), columns(Some(300)), columns(Some(10))],
        [80, 100, 110, 40]
    );
}

#[test]
fn writes_records_in_columns_or_whole() {
    let record = |texts: [&str; 4]| texts.map(|text| Cell::new(Role::Plain, text)).to_vec();
    let records = [
        record(["set by", "by-region", "140", "settings/regions/north.json:3:21"]),
        record([
            "overrides",
            "defaults",
            "\"a value of some length that leaves no room\"",
            "a.toml:1:1",
        ]),
        record(["overrides", "other", "", "b.toml:1:1"]),
    ];
    let shown = |look: &Look| {
        let mut out = String::new();
        look.records(&mut out, 2, &records);
        out
    };
    assert_eq!(
        shown(&PLAIN),
        "  set by  by-region  140  settings/regions/north.json:3:21\n  overrides  defaults  \"a value \
         of some length that leaves no room\"  a.toml:1:1\n  overrides  other  b.toml:1:1\n"
    );
    // A repeated first cell is left blank, and what does not fit begins a line below the second column.
    assert_eq!(
        shown(&TERMINAL),
        "  set by     by-region  140\n             settings/regions/north.json:3:21\n  overrides  \
         defaults\n             \"a value of some length that leaves no room\"\n             \
         a.toml:1:1\n             other           b.toml:1:1\n"
    );
    // A command is never broken: it has a line of its own, further to the left.
    let mut out = String::new();
    let command = "justwhy put alert.threshold_cm VALUE -l by-region -i";
    look_of(&mut out, command);
    assert_eq!(out, format!("  change it\n    {command}\n"));
}

fn look_of(out: &mut String, command: &str) {
    TERMINAL.records(out, 2, &[vec![Cell::new(Role::Plain, "change it"), Cell::command(command)]]);
}
