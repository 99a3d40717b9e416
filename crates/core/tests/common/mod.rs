//! Small projects, written down in a few lines, as what was read from them.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use justwhy_core::{
    Context, Document, Empty, KeyId, KeyPath, Keys, Kind, Layer, LayerIndex, Leaf, Names, Null,
    Offer, Reading, Readings, Value,
};
use std::sync::Arc;

/// A layer with one source and what it says, in order.
#[derive(Clone, Debug)]
pub(crate) struct Said {
    pub(crate) empty: Empty,
    pub(crate) null: Null,
    pub(crate) untyped: bool,
    pub(crate) offers: Vec<(String, Value)>,
}

/// A text value.
pub(crate) fn text(text: &str) -> Value {
    Value::Text(text.into())
}

/// Layers that say `key = value` pairs and are otherwise usual.
pub(crate) fn usual(offers: &[(&str, Value)]) -> Said {
    let offers = offers.iter().map(|(key, value)| (key.to_string(), value.clone())).collect();
    Said { empty: Empty::Value, null: Null::Unset, untyped: false, offers }
}

/// What was read from these layers, weakest first, named `layer-0`, `layer-1` and so on.
pub(crate) fn readings(layers: &[Said]) -> Readings {
    let mut keys = Keys::default();
    let mut all = Vec::new();
    let mut read = Vec::new();
    for (number, said) in layers.iter().enumerate() {
        let mut layer = Layer::new(format!("layer-{number}"), Kind::Values, Names::Keys);
        layer.empty = said.empty;
        layer.null = said.null;
        all.push(layer);
        let mut leaves = Vec::new();
        let mut offers = Vec::new();
        for (key, value) in &said.offers {
            let name = keys.intern(KeyId::ROOT, &KeyPath::parse(key).unwrap());
            offers.push(Offer { key: name, leaf: u32::try_from(leaves.len()).unwrap() });
            leaves.push(Leaf { name, value: value.clone(), at: None });
        }
        read.push(Reading {
            layer: LayerIndex(number),
            source: format!("source-{number}").into(),
            document: Arc::new(Document { leaves, ..Document::default() }),
            untyped: said.untyped,
            offers,
            strangers: Vec::new(),
        });
    }
    Readings { keys: Arc::new(keys), context: Context::default(), layers: all, readings: read }
}
