//! What can be asked of what was read.

use super::{NearName, Reading, Readings, narrow, segments_below};
use crate::model::catalogue::Declared;
use crate::model::key::{KeyId, KeyPath};
use crate::model::layer::{Layer, LayerIndex, Names};
use crate::model::place::{Origin, Place};
use std::sync::Arc;

impl Readings {
    /// The number of the input from which the reading of that number was read; none for what a layer
    /// only takes away.
    pub fn input_of(&self, reading: u32) -> Option<usize> {
        self.numbers.get(reading as usize).copied().flatten()
    }

    /// The place at which a setting is declared.
    pub fn declared_at(&self, declared: &Declared) -> Option<Place> {
        let (number, at) = declared.at;
        let (file, text) = self.inputs.catalogues.get(number)?;
        Some(Place::in_text(Origin::File(Arc::clone(file)), Some(text), Some(at)))
    }

    /// The layer at `index`.
    pub fn layer(&self, index: LayerIndex) -> &Layer {
        &self.layers[index.0]
    }

    /// The name by which the layer would set the setting, in its source's own terms and
    /// without its section; `None` if all its keys are elsewhere.
    pub fn name_in(&self, layer: LayerIndex, key: KeyId) -> Option<KeyPath> {
        let layer = self.layer(layer);
        if let Some(variable) = self.variable_in(layer, key)? {
            return Some(KeyPath::single(variable));
        }
        KeyPath::from_segments(self.below_into(layer, key)?)
    }

    /// The variable by which the layer would set the setting, if it reads variables.
    pub fn variable(&self, layer: LayerIndex, key: KeyId) -> Option<String> {
        self.variable_in(self.layer(layer), key).flatten()
    }

    fn variable_in(&self, layer: &Layer, key: KeyId) -> Option<Option<String>> {
        let Names::Variables(naming) = &layer.names else {
            return Some(None);
        };
        if layer.into.is_none() {
            let own = self.catalogue.declared(key).and_then(|declared| declared.variable.clone());
            return Some(Some(own.unwrap_or_else(|| naming.variable(&self.keys, key))));
        }
        let segments = self.below_into(layer, key)?;
        Some(Some(naming.variable_of(segments.iter().map(String::as_str))))
    }

    /// The segments of `key` after what the layer puts before every key.
    fn below_into(&self, layer: &Layer, key: KeyId) -> Option<Vec<String>> {
        segments_below(layer.into.as_ref(), self.keys.segments(key).into_iter())
    }

    /// The variable names, among those that no known setting has, that are near misses of the
    /// variable of `key`, which is `meant`, in the readings of `layer`, and are not read for it.
    pub fn near_names(&self, layer: LayerIndex, key: KeyId, meant: &str) -> Vec<NearName> {
        self.strangers(layer, meant, |reading, name, leaf| {
            crate::model::near::is_near(name, meant) && !reading.offers(leaf, key)
        })
    }

    /// The variable that is `meant` in the readings of `layer`, without the prefix that it must have.
    pub(crate) fn without_prefix(
        &self,
        layer: LayerIndex,
        meant: &str,
        prefix: &str,
    ) -> Vec<NearName> {
        let bare = meant.strip_prefix(prefix).filter(|_| !prefix.is_empty());
        bare.map_or_else(Vec::new, |bare| self.strangers(layer, meant, |_, name, _| name == bare))
    }

    /// Those of the variable names that no known setting has that `is_it` takes for the one that is `meant`.
    fn strangers(
        &self,
        layer: LayerIndex,
        meant: &str,
        is_it: impl Fn(&Reading, &str, u32) -> bool,
    ) -> Vec<NearName> {
        let mut found = Vec::new();
        for (number, reading) in self.readings.iter().enumerate() {
            if reading.layer != layer {
                continue;
            }
            for stranger in &reading.strangers {
                let name = self.keys.segment(stranger.key);
                if !is_it(reading, name, stranger.leaf) {
                    continue;
                }
                let leaf = &reading.document.leaves[stranger.leaf as usize];
                found.push(NearName {
                    name: name.to_owned(),
                    meant: meant.to_owned(),
                    place: reading.place_of(leaf),
                    reading: narrow(number),
                    leaf: stranger.leaf,
                });
            }
        }
        found
    }
}
