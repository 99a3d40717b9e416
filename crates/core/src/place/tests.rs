//! Tests of places.

use crate::{Position, SourceText};

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
