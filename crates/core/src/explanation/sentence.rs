//! The sentences that say why a setting has its value, or none.

use super::because::says_null;
use super::{Explanation, Status, layer_name, place_of, shorten, shown};
use crate::resolution::Verdict;
use crate::{
    Candidate, CandidateId, KeyId, Kind, LayerIndex, Resolution, Value, hide_address_password,
    list_values,
};

/// First what decided, then whom it overrides, what became of the value, and what the reader
/// should know about the layer that decided.
pub(super) fn why(resolution: &Resolution<'_>, explanation: &Explanation) -> Vec<String> {
    let mut sentences = Vec::new();
    match (&explanation.winner, &explanation.status) {
        (Some(winner), status) => {
            let candidate = resolution.candidate(winner.candidate);
            sentences.push(decides(resolution, candidate));
            sentences.extend(overrides(resolution, winner.candidate));
            sentences.extend(takes_the_place(resolution, winner.candidate));
            if let Status::Error { message, .. } = status {
                sentences.push(format!(
                    "It cannot be used: {message}. No weaker value stands in for it."
                ));
            }
            sentences.extend(conversion(resolution, explanation));
            sentences.extend(no_conversion(resolution, explanation, candidate));
            sentences.extend(place_you_stand(resolution, winner.layer));
        }
        (None, _) => sentences.extend(nothing_in_force(resolution, explanation)),
    }
    sentences.extend(near_misses(resolution, explanation));
    sentences
}

fn decides(resolution: &Resolution<'_>, candidate: &Candidate) -> String {
    let layer = resolution.layer_of(candidate);
    let name = layer_name(resolution, candidate);
    let says = shown(resolution, candidate);
    let place = place_of(resolution, candidate);
    let what = match resolution.readings().layer(layer).kind {
        Kind::Arguments => format!("--set says {says}"),
        Kind::Process => {
            let variable = resolution.keys().show(resolution.leaf(candidate).name);
            format!("the variable {variable} says {says}")
        }
        _ => format!("{place} says {says}"),
    };
    let mut others = resolution.candidates(candidate.key).map(|id| resolution.candidate(id));
    let ending = if others.any(|other| !std::ptr::eq(other, candidate)) {
        match stronger_but_empty(resolution, candidate) {
            Some(clause) => clause,
            None => "and no stronger layer says anything about it".to_owned(),
        }
    } else {
        "and no other layer says anything about it".to_owned()
    };
    format!("The layer {name} decides: {what}, {ending}.")
}

/// Stronger candidates that lost although they are stronger: only empty texts can.
fn stronger_but_empty(resolution: &Resolution<'_>, winner: &Candidate) -> Option<String> {
    let stronger: Vec<String> = resolution
        .candidates(winner.key)
        .map(|id| resolution.candidate(id))
        .take_while(|candidate| !std::ptr::eq(*candidate, winner))
        .filter(|candidate| candidate.verdict == Verdict::Empty)
        .map(|candidate| {
            format!("{} ({})", layer_name(resolution, candidate), place_of(resolution, candidate))
        })
        .collect();
    (!stronger.is_empty())
        .then(|| format!("as the empty text of {} says nothing", list_values(&stronger, "and")))
}

fn overrides(resolution: &Resolution<'_>, winner: CandidateId) -> Option<String> {
    let key = resolution.candidate(winner).key;
    let weaker = resolution.candidates(key).skip_while(|id| *id != winner).skip(1);
    let said: Vec<String> = weaker
        .map(|id| resolution.candidate(id))
        .filter(|candidate| candidate.verdict == Verdict::Overridden)
        .map(|candidate| {
            format!("{} ({})", layer_name(resolution, candidate), shown(resolution, candidate))
        })
        .collect();
    (!said.is_empty()).then(|| format!("It overrides {}.", list_values(&said, "and")))
}

/// Settings above or below it that it reshaped.
fn takes_the_place(resolution: &Resolution<'_>, winner: CandidateId) -> Option<String> {
    let keys = resolution.keys();
    let key = resolution.candidate(winner).key;
    let is_by_it = |key: &KeyId| {
        let mut candidates = resolution.candidates(*key).map(|id| resolution.candidate(id));
        candidates.any(|other| other.verdict == Verdict::Reshaped && other.by == Some(winner))
    };
    let reshaped = keys.above(key).chain(keys.below(key)).filter(is_by_it);
    let mut shown: Vec<String> =
        keys.sorted(reshaped).into_iter().map(|key| keys.show(key)).collect();
    if shown.len() > 3 {
        let more = shown.len() - 2;
        shown.truncate(2);
        shown.push(format!("{more} more"));
    }
    (!shown.is_empty()).then(|| {
        format!(
            "It takes the place of {}, as a key is either a value or a branch.",
            list_values(&shown, "and")
        )
    })
}

fn conversion(resolution: &Resolution<'_>, explanation: &Explanation) -> Option<String> {
    let conversion = explanation.conversion.as_ref()?;
    let like = resolution.candidate(conversion.like);
    let kind = conversion.to.with_article();
    let like = format!("{} ({})", layer_name(resolution, like), place_of(resolution, like));
    if explanation.secret {
        return Some(format!("It was written as a text and became {kind}, as in {like}."));
    }
    let from = hide_address_password(&conversion.from).show();
    let from = shorten(&from, 40);
    let value = explanation.value().as_ref().map(Value::show).unwrap_or_default();
    Some(format!("The text {from} became {kind}, {value}, as in {like}."))
}

/// A text that looks as if it should have become what weaker candidates are, and did not.
fn no_conversion(
    resolution: &Resolution<'_>,
    explanation: &Explanation,
    candidate: &Candidate,
) -> Option<String> {
    if explanation.conversion.is_some() || !resolution.reading(candidate).untyped {
        return None;
    }
    let (like, kind) = resolution.type_giver(candidate)?;
    let like = resolution.candidate(like);
    Some(format!(
        "It stays a text: it does not read as {}, which {} ({}) has here.",
        kind.with_article(),
        layer_name(resolution, like),
        place_of(resolution, like)
    ))
}

/// The layers that describe where you stand decide in a context that was asked for from elsewhere.
fn place_you_stand(resolution: &Resolution<'_>, layer: LayerIndex) -> Option<String> {
    let readings = resolution.readings();
    let layer = readings.layer(layer);
    (layer.kind.is_local() && readings.context.is_asked()).then(|| {
        format!(
            "Note that {} describes where you stand now, not the context that --in chose.",
            layer.name
        )
    })
}

/// Variables that were probably meant for the setting, in layers that could have decided.
fn near_misses(resolution: &Resolution<'_>, explanation: &Explanation) -> Vec<String> {
    let readings = resolution.readings();
    let decides = explanation.winner.as_ref().map_or(0, |winner| winner.layer.0);
    let mut sentences = Vec::new();
    for index in (decides..readings.layers.len()).rev().map(LayerIndex) {
        let Some(variable) = super::variable_in(resolution, index, explanation.key) else {
            continue;
        };
        for near in readings.near_names(index, explanation.key, &variable) {
            let place = match near.line {
                Some(line) => format!(" ({}:{line})", near.source),
                None => String::new(),
            };
            sentences.push(format!(
                "But {} has {}{place}, which is nearly {variable} and is not read for it: is it \
                 misspelt?",
                readings.layer(index).name,
                near.name
            ));
        }
    }
    sentences
}

fn nothing_in_force(resolution: &Resolution<'_>, explanation: &Explanation) -> Vec<String> {
    let key = explanation.key;
    let candidates: Vec<&Candidate> =
        resolution.candidates(key).map(|id| resolution.candidate(id)).collect();
    let removes = candidates.iter().find(|candidate| candidate.verdict == Verdict::Removes);
    let removed_by = candidates
        .iter()
        .filter(|candidate| candidate.verdict == Verdict::Removed)
        .find_map(|candidate| candidate.by)
        .map(|by| resolution.candidate(by));
    let reshaped_by = candidates
        .iter()
        .filter(|candidate| candidate.verdict == Verdict::Reshaped)
        .find_map(|candidate| candidate.by)
        .map(|by| resolution.candidate(by));
    let mut sentences = Vec::new();
    if let Some(null) = removed_by.or(removes.copied()) {
        let of = if null.key == key {
            String::new()
        } else {
            format!(" for {}", resolution.keys().show(null.key))
        };
        let removed: Vec<String> = candidates
            .iter()
            .filter(|candidate| candidate.verdict == Verdict::Removed)
            .map(|candidate| {
                format!("{} ({})", layer_name(resolution, candidate), shown(resolution, candidate))
            })
            .collect();
        let effect = if removed.is_empty() {
            "and no weaker layer says anything".to_owned()
        } else {
            format!("which removes what {} said", list_values(&removed, "and"))
        };
        sentences.push(format!(
            "Nothing is in force: {} {}{of} ({}), {effect}.",
            layer_name(resolution, null),
            says_null(resolution, null),
            place_of(resolution, null)
        ));
    } else if let Some(other) = reshaped_by {
        sentences.push(format!(
            "Nothing is in force at this key: {} sets {} ({}), and a key is either a value or a \
             branch.",
            layer_name(resolution, other),
            resolution.keys().show(other.key),
            place_of(resolution, other)
        ));
    } else {
        let said: Vec<String> = candidates
            .iter()
            .map(|candidate| {
                format!(
                    "{} ({})",
                    layer_name(resolution, candidate),
                    place_of(resolution, candidate)
                )
            })
            .collect();
        sentences.push(format!(
            "Nothing is in force: the empty text of {} says nothing.",
            list_values(&said, "and")
        ));
    }
    sentences
}
