//! Tests of places.

use crate::model::place::{Position, SourceText, Span};

#[test]
fn counts_lines_and_characters_from_one() {
    let text = SourceText::new("aé=1\r\n\nβ = 22\n".into());
    for (offset, line, column) in [
        (0, 1, 1),
        (1, 1, 2),
        (3, 1, 3),
        (4, 1, 4),
        (7, 2, 1),
        (8, 3, 1),
        (10, 3, 2),
        (13, 3, 5),
        (16, 4, 1),
        (999, 4, 1),
    ] {
        assert_eq!(text.position(offset), Position { line, column }, "byte {offset}");
    }
    assert_eq!([text.line(1), text.line(2), text.line(3)], ["aé=1", "", "β = 22"]);
    assert_eq!([text.line(0), text.line(4), text.line(9)], ["", "", ""]);
}

#[test]
fn places_an_offset_inside_a_character_at_it() {
    let text = SourceText::new("é1".into());
    assert_eq!(text.position(2), Position { line: 1, column: 2 });
}

#[test]
fn counts_the_lines_of_long_texts_as_one_who_reads_them_from_the_start() {
    // Lines of all lengths up to 60, and some far longer than what is counted at once.
    let lines = (0..400).map(|at| match at % 50 {
        49 => "é".repeat(700),
        _ => "x".repeat(at % 61),
    });
    let whole: Vec<String> = lines.collect();
    for end in ["", "\n"] {
        let text = SourceText::new(whole.join("\n") + end);
        let (mut line, mut column) = (1, 1);
        for (offset, c) in text.text().char_indices() {
            let position = Position { line, column };
            assert_eq!(text.position(u32::try_from(offset).unwrap()), position, "byte {offset}");
            (line, column) = if c == '\n' { (line + 1, 1) } else { (line, column + 1) };
        }
        for (index, line) in whole.iter().enumerate() {
            assert_eq!(text.line(index + 1), line);
        }
        assert_eq!([text.line(0), text.line(401), text.line(402)], ["", "", ""]);
    }
}

#[test]
fn shows_what_stands_around_a_place() {
    let around = |text: &str, offset: u32| {
        let shown = SourceText::new(text.into()).around(Span { start: offset, end: offset });
        (shown.text, shown.at)
    };
    assert_eq!(around("a = 1\r\n\tbé = 2\n", 12), ("\tbé = 2".to_owned(), 4));
    assert_eq!(around("a = 1", 99), ("a = 1".to_owned(), 5));
    assert_eq!(around("", 0), (String::new(), 0));
    // Long lines are shown in part, and no character is cut in two.
    let long = "é".repeat(2_000);
    let (text, at) = around(&format!("x\n{long}\ny"), 2 + 2_000);
    assert_eq!((text.chars().count(), at), (502, 251));
    assert!(text.starts_with("…é") && text.ends_with("é…"));
    let (text, at) = around(&long, 0);
    assert_eq!((text.chars().count(), at), (251, 0));
    let (text, at) = around(&long, 4_000);
    assert_eq!((text.chars().count(), at), (251, 251));
}
