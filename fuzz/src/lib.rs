//! What several targets ask of what they read.

use justwhy_core::{Document, Keys, SourceText, Value};
use justwhy_formats::Limits;

/// Small limits, so that running into them is tried too.
pub fn limits() -> Limits {
    Limits { file_bytes: 1 << 20, depth: 64, nodes: 20_000 }
}

/// Asks where each value of a document stands, and how it is shown.
///
/// # Panics
///
/// If one stands at no place of the text.
pub fn check(document: &Document, keys: &Keys, source: &SourceText) {
    for leaf in &document.leaves {
        if let Some(at) = leaf.at {
            check_place(source, at.start);
        }
        if let Some(at) = leaf.name_at {
            check_place(source, at.start);
        }
        let _ = keys.show(leaf.name);
        let _ = leaf.value.show();
        if let Value::List(items) = &leaf.value {
            items.iter().for_each(|item| check_place(source, item.at.start));
        }
    }
}

/// Asks for a place.
///
/// # Panics
///
/// If there is none.
pub fn check_place(source: &SourceText, offset: u32) {
    assert!(offset as usize <= source.text().len(), "a place past the end of the text");
    let position = source.position(offset);
    assert!(position.line >= 1 && position.column >= 1);
}
