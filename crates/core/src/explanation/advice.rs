//! How to give a setting another value from here.

use super::Explanation;
use super::because::pins;
use super::kinds::{Advice, way};
use crate::answers::Answers;
use crate::model::candidate::CandidateId;
use crate::model::fact::Fact;
use crate::model::layer::{Kind, LayerIndex};
use crate::precedence::provenance::Provenance;
use crate::precedence::verdict::Verdict;

/// The most ways that are told; more would hide the ones that matter.
const MOST: usize = 4;

/// First the line that decides now, then stronger layers that could override it, nearest first. What
/// a pin protects can only be changed where it is pinned.
pub(super) fn advice(answers: &Answers<'_>, explanation: &Explanation) -> Vec<Advice> {
    let resolution = answers.resolution();
    let readings = resolution.readings();
    let mut found = Vec::new();
    if let Some(pin) = pinned_by(answers, explanation) {
        found.push(line(answers, pin));
        return found;
    }
    let from = match &explanation.winner {
        Some(winner) => {
            if winner.place.has_line() {
                found.push(line(answers, winner.candidate));
            } else {
                found.extend(way(answers, winner.layer, explanation));
            }
            winner.layer.0 + 1
        }
        None => strongest_speaker(answers, explanation).map_or(1, |layer| layer.0),
    };
    for index in from..readings.layers.len() {
        found.extend(way(answers, LayerIndex(index), explanation));
    }
    if found.len() > MOST {
        // The one that decides, the nearest and the strongest.
        let strongest = found.split_off(found.len() - 2);
        found.truncate(MOST - 2);
        found.extend(strongest);
    }
    found
}

/// Every way to give the setting a value from here, strongest first, but for a mere trial.
pub(super) fn ways(answers: &Answers<'_>, explanation: &Explanation) -> Vec<Advice> {
    let readings = answers.resolution().readings();
    if let Some(pin) = pinned_by(answers, explanation) {
        return vec![line(answers, pin)];
    }
    let from = strongest_speaker(answers, explanation).map_or(1, |layer| layer.0);
    let layers = (from..readings.layers.len()).rev().map(LayerIndex);
    let layers = layers.filter(|index| readings.layer(*index).kind != Kind::Arguments);
    layers.filter_map(|index| way(answers, index, explanation)).collect()
}

/// The candidate whose pin keeps every other one from changing the setting.
fn pinned_by(answers: &Answers<'_>, explanation: &Explanation) -> Option<CandidateId> {
    let resolution = answers.resolution();
    let blocked = resolution.candidates(explanation.key).find_map(|id| {
        let candidate = resolution.candidate(id);
        candidate.by.filter(|_| candidate.verdict == Verdict::Blocked)
    });
    let in_force = resolution.in_force(explanation.key);
    let nulls = resolution
        .candidates(explanation.key)
        .filter(|id| resolution.candidate(*id).verdict == Verdict::Removes);
    let pins = |id: &CandidateId| pins(answers, resolution.candidate(*id));
    match explanation.winner {
        Some(_) => in_force.filter(pins).last().or(blocked),
        None => blocked.or_else(|| nulls.filter(pins).last()),
    }
}

/// The line that has a candidate.
fn line(answers: &Answers<'_>, id: CandidateId) -> Advice {
    let resolution = answers.resolution();
    let stand = Provenance::of(resolution, id);
    let readings = resolution.readings();
    let layer = readings.layer(stand.layer);
    let is_file = matches!(layer.kind, Kind::File | Kind::Files | Kind::Rows);
    Advice {
        layer: stand.layer,
        write: stand.shown_name(resolution.keys()),
        at: Fact::told(stand.show(resolution.keys())),
        file: is_file.then(|| stand.place.origin.name().to_owned()),
        is_new: false,
        reach: layer.reach(&readings.context),
    }
}

/// For a setting without a value: the layer of the strongest candidate, as anything weaker would
/// be removed, reshaped or pass for nothing in the same way.
fn strongest_speaker(answers: &Answers<'_>, explanation: &Explanation) -> Option<LayerIndex> {
    let resolution = answers.resolution();
    let candidates = resolution.candidates(explanation.key);
    let with_those_who_did_it = candidates.flat_map(|id| {
        let candidate = resolution.candidate(id);
        let by = candidate.by.map(|by| resolution.layer_of(resolution.candidate(by)));
        [Some(resolution.layer_of(candidate)), by]
    });
    with_those_who_did_it.flatten().max()
}
