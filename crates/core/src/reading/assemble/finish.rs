//! The last step: what was read, in the order of the layers.

use super::{Inputs, Readings, Slot};
use crate::model::catalogue::Catalogue;
use crate::model::key::KeyPath;
use crate::model::layer::{Lack, Layer, LayerIndex, Presence};
use std::sync::Arc;

/// Puts what was read for a context in the order of the layers, what each takes away before what it
/// has.
pub(super) fn finish(
    mut inputs: Inputs,
    slots: Vec<Slot>,
    mut removals: Vec<Slot>,
    catalogue: &Arc<Catalogue>,
) -> Readings {
    let mut layers = std::mem::take(&mut inputs.layers);
    inputs.layers.clone_from(&layers);
    lacking_sections(&mut layers, &inputs, &slots);
    let mut readings = Vec::with_capacity(slots.len());
    let mut numbers = Vec::with_capacity(slots.len());
    let mut read =
        slots.into_iter().enumerate().filter_map(|(number, slot)| Some((number, slot?))).peekable();
    for (index, layer) in layers.iter().enumerate() {
        if let Some(removal) = removals[index].take().filter(|_| layer.presence == Presence::Read) {
            readings.push(removal);
            numbers.push(None);
        }
        while let Some((number, reading)) =
            read.next_if(|(_, reading)| reading.layer == LayerIndex(index))
        {
            readings.push(reading);
            numbers.push(Some(number));
        }
    }
    Readings {
        keys: Arc::clone(&inputs.keys),
        context: inputs.context.clone(),
        layers,
        readings,
        catalogue: Arc::clone(catalogue),
        inputs,
        numbers,
    }
}

/// A layer whose sources all lack its section is missing.
fn lacking_sections(layers: &mut [Layer], inputs: &Inputs, slots: &[Slot]) {
    let mut lacks: Vec<Option<bool>> = vec![None; layers.len()];
    for (input, slot) in inputs.inputs.iter().zip(slots) {
        let lacks = &mut lacks[input.layer.0];
        *lacks = Some(lacks.unwrap_or(true) && slot.is_none());
    }
    for (layer, _) in layers.iter_mut().zip(lacks).filter(|(_, lacks)| *lacks == Some(true)) {
        let path = layer.path.clone().unwrap_or_default();
        let section = layer.under.as_ref().map(KeyPath::to_string).unwrap_or_default();
        layer.presence = Presence::Missing(Lack::Section { path, section });
    }
}
