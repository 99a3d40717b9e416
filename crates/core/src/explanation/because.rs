//! The rungs of an explanation: one for each candidate and for each layer without one.

use super::{LayerState, Row, Stand, layer_name, place_of, shown, variable_in};
use crate::resolution::Verdict;
use crate::{
    Candidate, CandidateId, KeyId, Kind, LayerIndex, Presence, Resolution, hide_address_password,
};

/// Every layer, strongest first.
pub(super) fn rows(resolution: &Resolution<'_>, key: KeyId) -> Vec<Row> {
    let mut rows = Vec::new();
    let mut candidates = resolution.candidates(key).peekable();
    for index in (0..resolution.readings().layers.len()).rev() {
        let layer = LayerIndex(index);
        let before = rows.len();
        while let Some(id) =
            candidates.next_if(|id| resolution.layer_of(resolution.candidate(*id)) == layer)
        {
            rows.push(said(resolution, id));
        }
        if rows.len() == before {
            rows.push(unsaid(resolution, layer, key));
        }
    }
    rows
}

fn said(resolution: &Resolution<'_>, id: CandidateId) -> Row {
    let candidate = resolution.candidate(id);
    let reading = resolution.reading(candidate);
    let secret = resolution.secrets().has(candidate.key);
    let written = hide_address_password(&resolution.leaf(candidate).value).into_owned();
    let through = reading.document.anchor(candidate.leaf as usize).map(str::to_owned);
    let mut because = because(resolution, candidate);
    if let Some(anchor) = &through {
        because.push_str(&format!("; it comes through the anchor &{anchor}"));
    }
    Row::Said {
        at: Stand::of(resolution, id),
        written: (!secret).then_some(written),
        verdict: candidate.verdict,
        by: candidate.by,
        because,
        through,
    }
}

/// Why the candidate has its verdict.
fn because(resolution: &Resolution<'_>, candidate: &Candidate) -> String {
    let by = candidate.by.map(|by| resolution.candidate(by));
    match (candidate.verdict, by) {
        (Verdict::Wins, _) => "no stronger layer says anything that counts".to_owned(),
        (Verdict::Overridden, Some(by)) if by.reading == candidate.reading => {
            let name = resolution.keys().show(resolution.leaf(by).name);
            format!("{name} ({}) means the same setting", place_of(resolution, by))
        }
        (Verdict::Overridden, Some(by)) => {
            format!(
                "{} is stronger and says {} ({})",
                layer_name(resolution, by),
                shown(resolution, by),
                place_of(resolution, by)
            )
        }
        (Verdict::Reshaped, Some(by)) => {
            let other = resolution.keys().show(by.key);
            let relation =
                if resolution.keys().is_within(by.key, candidate.key) { "below" } else { "above" };
            format!(
                "{} sets {other}, {relation} it ({})",
                layer_name(resolution, by),
                place_of(resolution, by)
            )
        }
        (Verdict::Removed, Some(by)) => {
            let what = if by.key == candidate.key {
                String::new()
            } else {
                format!(" for {}", resolution.keys().show(by.key))
            };
            format!(
                "{} {}{what} ({}), which removes it",
                layer_name(resolution, by),
                says_null(resolution, by),
                place_of(resolution, by)
            )
        }
        (Verdict::Empty, _) => {
            "an empty text says nothing in this layer (empty = \"unset\")".to_owned()
        }
        (Verdict::Removes, _) if removes_anything(resolution, candidate) => {
            "it removes what weaker layers say".to_owned()
        }
        (Verdict::Removes, _) => {
            "it would remove what weaker layers say, but none says anything".to_owned()
        }
        // The other verdicts are only ever given by another candidate.
        (Verdict::Overridden | Verdict::Reshaped | Verdict::Removed, None) => String::new(),
    }
}

pub(super) fn says_null(resolution: &Resolution<'_>, candidate: &Candidate) -> &'static str {
    let layer = resolution.layer_of(candidate);
    match resolution.readings().layer(layer).kind {
        Kind::Arguments => "has --unset",
        _ => "says null",
    }
}

fn removes_anything(resolution: &Resolution<'_>, null: &Candidate) -> bool {
    let is_by_it = |id: CandidateId| {
        let candidate = resolution.candidate(id);
        candidate.verdict == Verdict::Removed
            && candidate.by.is_some_and(|by| std::ptr::eq(resolution.candidate(by), null))
    };
    let mut keys = std::iter::once(null.key).chain(resolution.keys().below(null.key));
    keys.any(|key| resolution.candidates(key).any(is_by_it))
}

fn unsaid(resolution: &Resolution<'_>, layer: LayerIndex, key: KeyId) -> Row {
    let presence = &resolution.readings().layer(layer).presence;
    let state = LayerState::of(presence);
    let variable = variable_in(resolution, layer, key);
    let near = match (&variable, presence) {
        (Some(variable), Presence::Read) => resolution.readings().near_names(layer, key, variable),
        _ => Vec::new(),
    };
    let mut because = match resolution.readings().layer(layer).absence() {
        Some(because) => because,
        None => silence(resolution, layer, key, variable.as_deref()),
    };
    for near in &near {
        because.push_str(&format!("; {} ({}) is nearly that name", near.name, near.place()));
    }
    Row::Unsaid { layer, state, because, near }
}

/// Why a layer that was read has no candidate.
fn silence(
    resolution: &Resolution<'_>,
    index: LayerIndex,
    key: KeyId,
    variable: Option<&str>,
) -> String {
    if let Some(elsewhere) = speaks_elsewhere(resolution, index, key) {
        return elsewhere;
    }
    if let Some(place) = left_out_at(resolution, index, key) {
        return format!("it names it without a value ({place}), which says nothing");
    }
    let layer = resolution.readings().layer(index);
    match (layer.kind, variable) {
        (Kind::Catalogue, _) => "there is no catalogue".to_owned(),
        (Kind::Arguments, _) => "no --set or --unset names it".to_owned(),
        (Kind::Values, None) => "its values do not mention it".to_owned(),
        (Kind::Process, Some(variable)) => format!("{variable} is not set"),
        (_, Some(variable)) => format!("{} does not set {variable}", what_is_read(layer)),
        (_, None) => format!("{} does not mention it", what_is_read(layer)),
    }
}

fn what_is_read(layer: &crate::Layer) -> String {
    let path = layer.path.clone().unwrap_or_else(|| "it".to_owned());
    match &layer.under {
        Some(section) => format!("section {section} of {path}"),
        None => path,
    }
}

/// What a layer that is silent about `key` says above or below it.
fn speaks_elsewhere(resolution: &Resolution<'_>, layer: LayerIndex, key: KeyId) -> Option<String> {
    let keys = resolution.keys();
    let of_layer = |at: KeyId| {
        resolution
            .candidates(at)
            .map(|id| resolution.candidate(id))
            .find(|candidate| resolution.layer_of(candidate) == layer)
    };
    if let Some(above) = keys.above(key).find_map(of_layer) {
        let place = place_of(resolution, above);
        return Some(format!(
            "it only speaks of {}, above it ({place}: {})",
            keys.show(above.key),
            shown(resolution, above)
        ));
    }
    let below: Vec<KeyId> = keys.below(key).filter(|key| of_layer(*key).is_some()).collect();
    let first = of_layer(*keys.sorted(below.iter().copied()).first()?)?;
    let place = place_of(resolution, first);
    let others = match below.len() {
        1 => String::new(),
        count => format!(", and of {} more", count - 1),
    };
    Some(format!(
        "it only speaks of {}, below it ({place}: {}){others}",
        keys.show(first.key),
        shown(resolution, first)
    ))
}

/// Where a source of `layer` names `key` without giving a value.
fn left_out_at(resolution: &Resolution<'_>, index: LayerIndex, key: KeyId) -> Option<String> {
    let readings = resolution.readings();
    let keys = resolution.keys();
    let under = &readings.layer(index).under;
    for reading in readings.readings.iter().filter(|reading| reading.layer == index) {
        for (name, at) in &reading.document.left_out {
            let mut segments = keys.segments(*name).into_iter();
            let is_under = under.as_ref().is_none_or(|under| {
                under.segments().all(|segment| segments.next() == Some(segment))
            });
            if is_under && segments.eq(keys.segments(key)) {
                let position = reading.document.position(Some(*at));
                return Some(super::place(&reading.source, position));
            }
        }
    }
    None
}
