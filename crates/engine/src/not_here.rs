//! What layers set that do not apply in this context: the value that somebody may be waiting for.

use crate::Snapshot;
use justwhy_core::{
    Fact, Inactivity, KeyId, LayerIndex, Presence, Provenance, Readings, Resolution, unread_layers,
};
use std::sync::Arc;

/// A candidate of a layer whose conditions are not met here.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct NotHere {
    /// The key, in the readings that were asked.
    pub key: KeyId,
    /// The layer.
    pub layer: LayerIndex,
    /// Where the layer sets the key.
    pub at: Provenance,
    /// The same for people.
    pub place: String,
    /// Where the layer applies, as a clause without a subject: `applies only to environment=dev`.
    pub applies: Fact,
}

impl Snapshot {
    /// The candidates that layers would have for `keys` if their conditions were met, strongest first.
    /// Layers whose path needs an axis that is unset are left out, and so are stores: nobody asks a
    /// server for what does not apply. Nothing is found if the layers cannot be read together.
    pub fn not_here(&self, here: &Readings, keys: &[KeyId]) -> Vec<NotHere> {
        let is_conditional = |layer: &LayerIndex| {
            let layer = here.layer(*layer);
            !layer.reads_scopes()
                && matches!(
                    layer.presence,
                    Presence::Inactive(Inactivity::When { .. } | Inactivity::Unless { .. })
                )
        };
        let layers: Vec<LayerIndex> =
            unread_layers(here).into_iter().filter(is_conditional).collect();
        if layers.is_empty() {
            return Vec::new();
        }
        let Ok(forced) = self.read_as_if_active(here.context.clone(), &layers) else {
            return Vec::new();
        };
        let forced = Resolution::of(Arc::new(forced));
        let mut found = Vec::new();
        for key in keys {
            let Some(there) = forced.keys().find_segments(&here.keys.segments(*key)) else {
                continue;
            };
            for id in forced.candidates(there) {
                let at = Provenance::of(&forced, id);
                let Presence::Inactive(inactivity) = &here.layer(at.layer).presence else {
                    continue;
                };
                if layers.contains(&at.layer) {
                    let place = at.show(forced.keys());
                    let (layer, applies) = (at.layer, inactivity.applies());
                    found.push(NotHere { key: *key, layer, at, place, applies });
                }
            }
        }
        found
    }
}
