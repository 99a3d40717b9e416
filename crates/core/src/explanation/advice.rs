//! How to give a setting another value from here.

use super::{Explanation, variable_in};
use crate::{Kind, Layer, LayerIndex, Presence, Resolution};

/// The most ways that are told; more would hide the ones that matter.
const MOST: usize = 4;

/// One way of changing a setting.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Advice {
    /// The layer to change, `arguments` for a trial.
    pub layer: LayerIndex,
    /// What to write there, or which line to change.
    pub write: String,
    /// Where to write it.
    pub at: String,
    /// In which contexts that takes effect, as a clause; empty if in every one.
    pub reach: String,
}

/// First the line that decides now, then stronger layers that could override it, nearest first.
pub(super) fn advice(resolution: &Resolution<'_>, explanation: &Explanation) -> Vec<Advice> {
    let readings = resolution.readings();
    let mut found = Vec::new();
    let from = match &explanation.winner {
        Some(winner) => {
            let layer = readings.layer(winner.layer);
            if winner.position.is_some() {
                found.push(Advice {
                    layer: winner.layer,
                    write: resolution.keys().show(winner.name),
                    at: winner.place(resolution.keys()),
                    reach: layer.reach(&readings.context),
                });
            } else {
                found.extend(way(resolution, winner.layer, explanation));
            }
            winner.layer.0 + 1
        }
        None => strongest_speaker(resolution, explanation).map_or(1, |layer| layer.0),
    };
    for index in from..readings.layers.len() {
        found.extend(way(resolution, LayerIndex(index), explanation));
    }
    if found.len() > MOST {
        // The one that decides, the nearest and the strongest.
        let strongest = found.split_off(found.len() - 2);
        found.truncate(MOST - 2);
        found.extend(strongest);
    }
    found
}

/// For a setting without a value: the layer of the strongest candidate, as anything weaker would
/// be removed, reshaped or pass for nothing in the same way.
fn strongest_speaker(resolution: &Resolution<'_>, explanation: &Explanation) -> Option<LayerIndex> {
    let candidates = resolution.candidates(explanation.key);
    let with_those_who_did_it = candidates.flat_map(|id| {
        let candidate = resolution.candidate(id);
        let by = candidate.by.map(|by| resolution.layer_of(resolution.candidate(by)));
        [Some(resolution.layer_of(candidate)), by]
    });
    with_those_who_did_it.flatten().max()
}

fn way(
    resolution: &Resolution<'_>,
    index: LayerIndex,
    explanation: &Explanation,
) -> Option<Advice> {
    let layer = resolution.readings().layer(index);
    let context = &resolution.readings().context;
    if matches!(layer.presence, Presence::Inactive(_)) {
        return None;
    }
    let key = resolution.keys().show(explanation.key);
    let advice = |write: String, at: String| {
        Some(Advice { layer: index, write, at, reach: layer.reach(context) })
    };
    match (layer.kind, variable_in(resolution, index, explanation.key)) {
        (Kind::Catalogue, _) => None,
        (Kind::Arguments, _) => advice(format!("--set {key}=…"), "only to try it".to_owned()),
        (Kind::Process, Some(variable)) => {
            advice(format!("{variable}=…"), "the process environment".to_owned())
        }
        (Kind::Values, _) => advice(key, "the project file".to_owned()),
        (_, Some(variable)) => advice(format!("{variable}=…"), file(layer)),
        (_, None) => advice(key, file(layer)),
    }
}

fn file(layer: &Layer) -> String {
    let path = layer.path.clone().unwrap_or_default();
    let section = match &layer.under {
        Some(section) => format!(", section {section}"),
        None => String::new(),
    };
    let new = match layer.presence {
        Presence::Missing { section: None, .. } => " (new)",
        _ => "",
    };
    format!("{path}{new}{section}")
}
