//! Tests of how output looks.

use super::{Look, Role, Symbol, clean, fill, width};

const PLAIN: Look = Look { width: None, colour: false, symbols: true };

#[test]
fn wraps_at_blanks_and_breaks_only_what_does_not_fit() {
    for (text, columns, lines) in [
        ("one two three four five six", 20, vec!["one two three four", "five six"]),
        (
            "settings/a-very-long/path-that/does.not:fit",
            20,
            vec!["settings/a-very-long", "/path-that/does.not:", "fit"],
        ),
        ("the-first fits-not-but stays", 20, vec!["the-first", "fits-not-but stays"]),
        ("", 20, vec![""]),
    ] {
        assert_eq!(PLAIN.wrap(text, columns), lines, "{text}");
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
    for symbol in [Symbol::Decides, Symbol::Lost, Symbol::Quiet, Symbol::Rail] {
        assert!(ascii.symbol(symbol).is_ascii());
        assert_eq!(width(PLAIN.symbol(symbol)), width(ascii.symbol(symbol)));
    }
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
