//! What a layer takes away, as something that it reads.

use crate::model::document::{Document, Leaf};
use crate::model::key::{KeyId, Keys};
use crate::model::layer::{LayerIndex, Removal};
use crate::model::place::{Origin, SourceText};
use crate::model::value::Value;
use crate::reading::Reading;
use std::sync::Arc;

/// The patterns of a layer: a name for each, without a value.
pub(super) fn removal(
    keys: &mut Keys,
    layer: LayerIndex,
    removes: &[Removal],
    catalogues: &[(Arc<str>, SourceText)],
) -> Reading {
    let leaf = |removal: &Removal| Leaf {
        name: keys.child(KeyId::ROOT, &removal.written),
        value: Value::Null,
        at: Some(removal.at),
        name_at: None,
    };
    let leaves = removes.iter().map(leaf).collect();
    let text = catalogues.first().map(|(_, text)| text.clone());
    let file = catalogues.first().map_or_else(|| "".into(), |(file, _)| Arc::clone(file));
    let document = Document { text, leaves, ..Document::default() };
    let reading = Reading::empty(layer, &Origin::File(file), &Arc::new(document));
    Reading { is_removal: true, ..reading }
}
