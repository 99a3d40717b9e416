//! How to give a setting another value from here.

use super::because::pins;
use super::{Explanation, sources_of, variable_in};
use crate::answers::Answers;
use crate::model::candidate::CandidateId;
use crate::model::key::KeyId;
use crate::model::layer::{Kind, Lack, Layer, LayerIndex, Presence};
use crate::model::scope::is_env_name;
use crate::model::variable::is_system_variable;
use crate::precedence::provenance::Provenance;
use crate::precedence::verdict::Verdict;
use crate::reading::Reading;

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
    Advice {
        layer: stand.layer,
        write: stand.shown_name(resolution.keys()),
        at: stand.show(resolution.keys()),
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

/// Writing the setting in a layer that is active here.
pub(super) fn way(
    answers: &Answers<'_>,
    index: LayerIndex,
    explanation: &Explanation,
) -> Option<Advice> {
    let readings = answers.resolution().readings();
    let layer = readings.layer(index);
    if matches!(layer.presence, Presence::Inactive(_) | Presence::Unavailable(_)) {
        return None;
    }
    let key = answers.resolution().keys().show(explanation.key);
    let advice = |write: String, at: String| {
        Some(Advice { layer: index, write, at, reach: layer.reach(&readings.context) })
    };
    let variable = variable_in(answers, index, explanation.key);
    let name = readings.name_in(index, explanation.key)?.to_string();
    // Neither env files nor shells take every name that is made of a key.
    let is_in_store = matches!(layer.kind, Kind::Scope | Kind::Scopes);
    if variable.as_ref().is_some_and(|name| !is_in_store && !is_env_name(name)) {
        return None;
    }
    match (layer.kind, variable) {
        (Kind::Catalogue | Kind::CommandLine | Kind::Code, _) => None,
        (Kind::Arguments, _) => advice(format!("--set {key}=…"), "for one run".to_owned()),
        // What a shell means by it is not read for a setting unless the catalogue asks for it.
        (Kind::Process, Some(variable))
            if is_system_variable(&variable)
                && readings
                    .catalogue
                    .declared(explanation.key)
                    .is_none_or(|declared| declared.variable.is_none()) =>
        {
            None
        }
        (Kind::Process, Some(variable)) => {
            advice(format!("{variable}=…"), "environment variable".to_owned())
        }
        (Kind::Values, _) => advice(name, format!("project file, {}", layer.name)),
        (Kind::Scope | Kind::Scopes, variable) => {
            let name = variable.unwrap_or(name);
            advice(format!("{name}=…"), scope(answers, index, explanation)?)
        }
        (_, Some(variable)) => advice(format!("{variable}=…"), file(answers, index, layer)),
        (_, None) => advice(name, file(answers, index, layer)),
    }
}

/// The scope to write to: of several the strongest in which it would count here.
fn scope(answers: &Answers<'_>, index: LayerIndex, explanation: &Explanation) -> Option<String> {
    let (store, scope, is_new) = scope_to_write(answers, index, Some(explanation.key))?;
    let new = if is_new { " (new)" } else { "" };
    Some(format!("scope {scope} of {store}{new}"))
}

/// The store and the scope, and whether it is not there yet. `None` if all that are there are meant for
/// others.
pub(crate) fn scope_to_write(
    answers: &Answers<'_>,
    index: LayerIndex,
    key: Option<KeyId>,
) -> Option<(String, String, bool)> {
    let resolution = answers.resolution();
    let layer = resolution.readings().layer(index);
    let scope = layer.scope.as_ref()?;
    let is_withheld = |reading: &Reading| {
        let mut candidates = key.into_iter().flat_map(|key| resolution.candidates(key));
        reading.document.scope.as_ref().is_some_and(|scope| scope.is_withheld)
            || candidates.any(|id| {
                let candidate = resolution.candidate(id);
                candidate.verdict == Verdict::Withheld
                    && std::ptr::eq(resolution.reading(candidate), reading)
            })
    };
    let meant = sources_of(answers, index).filter(|reading| !is_withheld(reading)).last();
    let (name, is_new) = match (&layer.presence, meant.and_then(|it| it.document.scope.as_ref())) {
        (_, Some(of)) => (of.name.to_string(), false),
        // Everything that is there is meant for others.
        (Presence::Read, None) => return None,
        _ => (scope.scope.clone(), true),
    };
    Some((scope.store.clone(), name, is_new))
}

/// The file to write to: of several the strongest.
fn file(answers: &Answers<'_>, index: LayerIndex, layer: &Layer) -> String {
    let strongest = sources_of(answers, index).last().map(|reading| reading.origin.to_string());
    let path = strongest.or_else(|| layer.path.clone()).unwrap_or_default();
    let path = match (layer.kind, layer.row) {
        (_, Some(row)) => format!("{path}, row {row}"),
        _ => path,
    };
    let section = match &layer.under {
        Some(section) => format!(", section {section}"),
        None => String::new(),
    };
    let new = match &layer.presence {
        Presence::Missing(Lack::File(_) | Lack::InFolders(_)) => " (new)",
        Presence::Missing(Lack::Match(_)) => " (a new file)",
        _ => "",
    };
    format!("{path}{new}{section}")
}
