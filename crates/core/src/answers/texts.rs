//! The texts of a value that may have references, and these references.

use crate::model::layer::{Layer, Names};
use crate::model::reference::{Dialect, Piece, Reference, TextRules, take_apart};
use crate::model::value::Value;
use crate::reading::Reading;

/// What the chain of an explanation needs to know about a text.
pub(super) fn references_of<'p>(pieces: &'p [Piece], into: &mut Vec<&'p Reference>) {
    for piece in pieces {
        if let Piece::Reference(reference) = piece {
            into.push(reference);
        }
    }
}

/// Every reference in the texts of a leaf, those in fallbacks too; none where a text is no proper one.
pub(crate) fn all_references(value: &Value, rules: TextRules<'_>) -> Vec<Reference> {
    let mut texts = Vec::new();
    collect_texts(value, rules.dialect, &mut texts);
    let mut open: Vec<Piece> =
        texts.into_iter().filter_map(|text| take_apart(text, rules).ok()).flatten().collect();
    let mut references = Vec::new();
    while let Some(piece) = open.pop() {
        if let Piece::Reference(mut reference) = piece {
            open.extend(reference.fallback.take().into_iter().flatten());
            references.push(reference);
        }
    }
    references
}

/// How the texts of a leaf of a reading are taken apart.
pub(crate) fn rules_of<'r>(
    reading: &'r Reading,
    layer: &Layer,
    leaf: u32,
    depth: usize,
) -> TextRules<'r> {
    TextRules {
        literal_dollars: reading.document.literal_dollars(leaf as usize),
        names_are_variables: matches!(layer.names_in(&reading.document), Names::Variables(_)),
        depth,
        dialect: layer.dialect,
        has_escapes: !reading.document.is_shell,
    }
}

/// Every text of a value that may refer.
pub(super) fn collect_texts<'v>(value: &'v Value, dialect: Dialect, texts: &mut Vec<&'v str>) {
    match value {
        Value::Text(text) if dialect.may_refer(text) => texts.push(text),
        Value::List(items) => {
            items.iter().for_each(|item| collect_texts(&item.value, dialect, texts));
        }
        Value::Map(entries) => {
            entries.iter().for_each(|entry| collect_texts(&entry.value, dialect, texts));
        }
        _ => {}
    }
}
