//! The sentences that show why a setting has its value, or none.

use super::because::says_null;
use super::{Explanation, Meaning, Status, layer_name, place_of, shorten, shown};
use crate::answers::Answers;
use crate::model::candidate::CandidateId;
use crate::model::convert::{Declaration, show_duration, show_size};
use crate::model::key::KeyId;
use crate::model::layer::{LayerIndex, list_values};
use crate::model::near::nearest;
use crate::model::secret::hide_address_password;
use crate::model::value::Value;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;

/// First the layer that wins, then whom it overrides, what became of the value, and what the reader
/// should know about that layer.
pub(super) fn why(answers: &Answers<'_>, explanation: &Explanation) -> Vec<String> {
    let mut sentences = Vec::new();
    match (&explanation.winner, &explanation.status) {
        (Some(winner), status) => {
            let candidate = answers.resolution().candidate(winner.candidate);
            sentences.push(set_by(answers, candidate));
            sentences.extend(overrides(answers, winner.candidate));
            match status {
                Status::Error { message, .. } => sentences.push(format!(
                    "The value is invalid: {message}. No weaker value is used instead."
                )),
                Status::Unreadable { because } => sentences.push(format!(
                    "The value cannot be read: {because}. No weaker value is used instead."
                )),
                Status::Uncertain { because } => {
                    sentences.push(format!("The value is uncertain: {because}."));
                }
                Status::Set | Status::Absent => {}
            }
            sentences.extend(encrypted(answers, candidate));
            sentences.extend(history(answers, candidate));
            sentences.extend(withheld(answers, explanation.key));
            sentences.extend(expansion(answers, explanation));
        }
        (None, Status::Uncertain { because }) => {
            sentences.push(format!("Whether it is set is uncertain: {because}."));
        }
        (None, _) => {
            sentences.extend(not_set(answers, explanation));
            sentences.extend(withheld(answers, explanation.key));
        }
    }
    sentences.extend(notes(answers, explanation));
    sentences.extend(near_misses(answers, explanation));
    sentences
}

/// What became of the value of the winner, and what the reader should know about its layer: what no list of
/// the candidates shows.
pub(super) fn notes(answers: &Answers<'_>, explanation: &Explanation) -> Vec<String> {
    let Some(winner) = &explanation.winner else { return Vec::new() };
    let candidate = answers.resolution().candidate(winner.candidate);
    let notes = [
        replaces(answers, winner.candidate),
        copy(answers, candidate),
        conversion(answers, explanation),
        no_conversion(answers, explanation, candidate),
        amount(answers, explanation),
        local_winner(answers, winner.layer),
    ];
    notes.into_iter().flatten().collect()
}

fn set_by(answers: &Answers<'_>, candidate: &Candidate) -> String {
    let resolution = answers.resolution();
    let name = layer_name(answers, candidate);
    let mut others = resolution.candidates(candidate.key).map(|id| resolution.candidate(id));
    let ending = if others.any(|other| !std::ptr::eq(other, candidate)) {
        match stronger_without_effect(answers, candidate) {
            Some(sentences) => sentences,
            None => "No stronger layer sets it.".to_owned(),
        }
    } else {
        "No other layer sets it.".to_owned()
    };
    if candidate.beneath.is_some() {
        return gathers(answers, candidate, &ending);
    }
    let (value, place) = (shown(answers, candidate), place_of(answers, candidate));
    format!("{name} sets {value} ({place}). {ending}")
}

/// That the winner was decrypted; where it cannot be, the status has the reason.
fn encrypted(answers: &Answers<'_>, candidate: &Candidate) -> Option<String> {
    let note = answers.resolution().note(candidate)?;
    note.is_decrypted().then(|| "The file has it encrypted.".to_owned())
}

/// When the store got the value of the winner, and from whom.
fn history(answers: &Answers<'_>, candidate: &Candidate) -> Option<String> {
    let resolution = answers.resolution();
    let history = resolution.note(candidate).and_then(crate::model::note::Note::history);
    history.map(|history| format!("It was {history}."))
}

/// How old the cached copy is from which the winner was read.
fn copy(answers: &Answers<'_>, candidate: &Candidate) -> Option<String> {
    let resolution = answers.resolution();
    let layer = resolution.readings().layer(resolution.layer_of(candidate));
    let copy = layer.scope.as_ref().and_then(|scope| scope.copy.as_ref())?;
    Some(format!("Note: {copy}."))
}

/// Values of stores that are meant for other contexts: often the reason why a setting lacks its value.
fn withheld(answers: &Answers<'_>, key: KeyId) -> Option<String> {
    let resolution = answers.resolution();
    let candidates = resolution.candidates(key).map(|id| resolution.candidate(id));
    let withheld: Vec<String> = candidates
        .filter(|candidate| candidate.verdict == Verdict::Withheld)
        .map(|candidate| {
            let why = resolution.note(candidate).and_then(|note| note.withheld.as_deref());
            format!(
                "The value of {} ({}) is withheld: {}.",
                layer_name(answers, candidate),
                place_of(answers, candidate),
                why.unwrap_or_default()
            )
        })
        .collect();
    (!withheld.is_empty()).then(|| withheld.join(" "))
}

/// A list that several candidates make up.
fn gathers(answers: &Answers<'_>, winner: &Candidate, ending: &str) -> String {
    let resolution = answers.resolution();
    let mut parts: Vec<String> = resolution
        .in_force(winner.key)
        .map(|id| resolution.candidate(id))
        .map(|part| format!("{} ({})", layer_name(answers, part), place_of(answers, part)))
        .collect();
    let order = match resolution.gather(winner.key) {
        Some(crate::model::catalogue::Gather::Before) => "items of stronger layers first",
        Some(crate::model::catalogue::Gather::Distinct) => {
            parts.reverse();
            "items of weaker layers first, without repeats"
        }
        _ => {
            parts.reverse();
            "items of weaker layers first"
        }
    };
    let parts = list_values(&parts, "and");
    format!("The list joins {parts}, {order}. {ending}")
}

/// Stronger candidates that lost although they are stronger: empty strings, and what a pin blocks.
fn stronger_without_effect(answers: &Answers<'_>, winner: &Candidate) -> Option<String> {
    let resolution = answers.resolution();
    let stronger = || {
        let candidates = resolution.candidates(winner.key).map(|id| resolution.candidate(id));
        candidates.take_while(|candidate| !std::ptr::eq(*candidate, winner))
    };
    let with_verdict = |verdict: Verdict| -> Vec<String> {
        let named = stronger().filter(|candidate| candidate.verdict == verdict).map(|candidate| {
            format!("{} ({})", layer_name(answers, candidate), place_of(answers, candidate))
        });
        named.collect()
    };
    let (empty, blocked) = (with_verdict(Verdict::Empty), with_verdict(Verdict::Blocked));
    let mut clauses = Vec::new();
    if !empty.is_empty() {
        clauses
            .push(format!("The empty string of {} counts as not set.", list_values(&empty, "and")));
    }
    if !blocked.is_empty() {
        let by = stronger().find_map(|candidate| candidate.by).map(|by| resolution.candidate(by));
        let pinned = match by {
            Some(by) if by.key != winner.key => format!(
                "{} pins {} ({}), which",
                layer_name(answers, by),
                resolution.keys().show(by.key),
                place_of(answers, by)
            ),
            Some(by) => format!("{} pins it, which", layer_name(answers, by)),
            None => "A pin".to_owned(),
        };
        clauses.push(format!("{pinned} blocks {}.", list_values(&blocked, "and")));
    }
    (!clauses.is_empty()).then(|| clauses.join(" "))
}

fn overrides(answers: &Answers<'_>, winner: CandidateId) -> Option<String> {
    let decider = answers.resolution().candidate(winner);
    let key = decider.key;
    let weaker = answers.resolution().candidates(key).skip_while(|id| *id != winner).skip(1);
    let said: Vec<String> = weaker
        .map(|id| answers.resolution().candidate(id))
        .filter(|candidate| candidate.verdict == Verdict::Overridden)
        .map(|candidate| {
            let is_same = layer_name(answers, candidate) == layer_name(answers, decider);
            let who = match is_same {
                true => place_of(answers, candidate),
                false => layer_name(answers, candidate).to_owned(),
            };
            format!("{who} ({})", shown(answers, candidate))
        })
        .collect();
    (!said.is_empty()).then(|| format!("It overrides {}.", list_values(&said, "and")))
}

/// Settings above or below it that it reshaped.
fn replaces(answers: &Answers<'_>, winner: CandidateId) -> Option<String> {
    let keys = answers.resolution().keys();
    let reshaped = reshaped_by(answers, winner);
    let mut shown: Vec<String> = reshaped.into_iter().map(|key| keys.show(key)).collect();
    if shown.len() > 3 {
        let more = shown.len() - 2;
        shown.truncate(2);
        shown.push(format!("{more} more"));
    }
    (!shown.is_empty()).then(|| {
        format!(
            "It replaces {}: a key has either a value or keys below it.",
            list_values(&shown, "and")
        )
    })
}

/// Settings above and below that the candidate reshaped.
pub(super) fn reshaped_by(answers: &Answers<'_>, winner: CandidateId) -> Vec<KeyId> {
    let keys = answers.resolution().keys();
    let key = answers.resolution().candidate(winner).key;
    let is_by_it = |key: &KeyId| {
        let mut candidates =
            answers.resolution().candidates(*key).map(|id| answers.resolution().candidate(id));
        candidates.any(|other| other.verdict == Verdict::Reshaped && other.by == Some(winner))
    };
    keys.sorted(keys.above(key).chain(keys.below(key)).filter(is_by_it))
}

/// What references made of the value.
fn expansion(answers: &Answers<'_>, explanation: &Explanation) -> Option<String> {
    if !answers.may_refer(explanation.key) || explanation.failure().is_some() {
        return None;
    }
    match explanation.value() {
        _ if explanation.secret => {
            Some("It contains references, and is secret as a whole.".to_owned())
        }
        Some(value) if explanation.conversion.is_none() => {
            Some(format!("With its references it is {}.", shorten(&value.show(), 80)))
        }
        _ => None,
    }
}

fn conversion(answers: &Answers<'_>, explanation: &Explanation) -> Option<String> {
    let conversion = explanation.conversion.as_ref()?;
    let kind = conversion.to.with_article();
    let like = match conversion.like {
        Some(like) => {
            let like = answers.resolution().candidate(like);
            format!("like {} ({})", layer_name(answers, like), place_of(answers, like))
        }
        None => "as the catalogue declares".to_owned(),
    };
    if explanation.secret {
        return Some(format!("The string became {kind}, {like}."));
    }
    let from = hide_address_password(&conversion.from).show();
    let from = shorten(&from, 40);
    let value = explanation.value().as_ref().map(Value::show).unwrap_or_default();
    Some(format!("The string {from} became {kind}, {value}, {like}."))
}

/// What a duration or size amounts to.
fn amount(answers: &Answers<'_>, explanation: &Explanation) -> Option<String> {
    let shown = match explanation.meaning(answers)? {
        Meaning::Duration(time) => show_duration(time),
        Meaning::Size(bytes) => show_size(bytes),
        Meaning::Address(_) => return None,
    };
    Some(format!("This is {shown}."))
}

/// A string that could have become what weaker candidates are, and did not.
fn no_conversion(
    answers: &Answers<'_>,
    explanation: &Explanation,
    candidate: &Candidate,
) -> Option<String> {
    let (like, kind) = kept_as_string(answers, explanation, candidate)?;
    let like = answers.resolution().candidate(like);
    Some(format!(
        "It stays a string: it is not {}, which {} sets ({}).",
        kind.with_article(),
        layer_name(answers, like),
        place_of(answers, like)
    ))
}

/// The candidate that gives a type that the string does not fit.
pub(super) fn kept_as_string(
    answers: &Answers<'_>,
    explanation: &Explanation,
    candidate: &Candidate,
) -> Option<(CandidateId, crate::model::value::Type)> {
    let is_text = explanation.value().is_some_and(|value| value.as_text().is_some());
    if explanation.conversion.is_some()
        || !answers.resolution().reading(candidate).untyped
        || !(is_text || explanation.secret_value().is_some())
    {
        return None;
    }
    let declared = answers.resolution().readings().catalogue.declared(explanation.key);
    if declared.is_some_and(|declared| {
        declared.gather.is_some() || declared.shape.kind != Declaration::Any
    }) {
        return None;
    }
    answers.resolution().type_giver(candidate)
}

/// A local layer wins in a context that --in chose.
fn local_winner(answers: &Answers<'_>, layer: LayerIndex) -> Option<String> {
    let readings = answers.resolution().readings();
    let layer = readings.layer(layer);
    (layer.is_local() && readings.context.is_asked()).then(|| {
        format!(
            "Note: {} is a local layer; it describes this machine or shell, not the context of --in.",
            layer.name
        )
    })
}

/// Variables that were probably meant for the setting, in layers that could have decided.
fn near_misses(answers: &Answers<'_>, explanation: &Explanation) -> Vec<String> {
    let readings = answers.resolution().readings();
    let decides = explanation.winner.as_ref().map_or(0, |winner| winner.layer.0);
    let mut sentences = Vec::new();
    let nearly = answers.resolution().nearly_named(explanation.key);
    for index in (decides..readings.layers.len()).rev().map(LayerIndex) {
        let near = match super::variable_in(answers, index, explanation.key) {
            Some(variable) => readings.near_names(index, explanation.key, &variable),
            None => super::near_keys(answers, index, explanation.key, &nearly),
        };
        for near in near {
            let place = match near.line() {
                Some(_) => format!(" ({})", near.show_line()),
                None => String::new(),
            };
            sentences.push(format!(
                "{} has {}{place}, which is not used; did you mean {}?",
                readings.layer(index).name,
                near.name,
                near.meant
            ));
        }
    }
    sentences
}

/// The declared setting that a key which is not declared probably means.
pub(super) fn meant(answers: &Answers<'_>, key: KeyId) -> Option<KeyId> {
    let resolution = answers.resolution();
    let (keys, catalogue) = (resolution.keys(), &resolution.readings().catalogue);
    if catalogue.declared(key).is_some() || catalogue.map_at(keys, key).is_some() {
        return None;
    }
    let declared: Vec<(String, KeyId)> =
        catalogue.settings().map(|(id, _)| (keys.show(id), id)).collect();
    let near = nearest(&keys.show(key), declared.iter().map(|(name, _)| name.as_str()))?;
    declared.iter().find(|(name, _)| name == near).map(|(_, id)| *id)
}

fn not_set(answers: &Answers<'_>, explanation: &Explanation) -> Vec<String> {
    let resolution = answers.resolution();
    let key = explanation.key;
    let candidates: Vec<&Candidate> =
        resolution.candidates(key).map(|id| resolution.candidate(id)).collect();
    if candidates.is_empty() {
        let is_declared = resolution.readings().catalogue.declared(key).is_some();
        return vec![match (is_declared, meant(answers, key)) {
            (true, _) => "It is declared, but no layer sets it here.".to_owned(),
            (false, None) => "No layer sets it here.".to_owned(),
            (false, Some(meant)) => {
                let meant = resolution.keys().show(meant);
                format!("It is not declared; did you mean {meant}?")
            }
        }];
    }
    let with = |verdict: Verdict| {
        candidates.iter().copied().filter(move |candidate| candidate.verdict == verdict)
    };
    let done_by = |verdict| with(verdict).find_map(|it| it.by).map(|by| resolution.candidate(by));
    let named = |candidate: &Candidate| {
        format!("{} ({})", layer_name(answers, candidate), place_of(answers, candidate))
    };
    let mut sentences = Vec::new();
    if let Some(null) = done_by(Verdict::Removed).or(with(Verdict::Removes).next()) {
        let of = match null.key == key {
            true => String::new(),
            false => format!(" for {}", resolution.keys().show(null.key)),
        };
        let removed: Vec<String> = with(Verdict::Removed)
            .map(|candidate| {
                format!("{} ({})", layer_name(answers, candidate), shown(answers, candidate))
            })
            .collect();
        let effect = if removed.is_empty() {
            String::new()
        } else {
            format!(" This removes the value of {}.", list_values(&removed, "and"))
        };
        sentences.push(format!(
            "{} {}{of} ({}).{effect}",
            layer_name(answers, null),
            says_null(answers, null),
            place_of(answers, null)
        ));
    } else if let Some(other) = done_by(Verdict::Reshaped) {
        sentences.push(format!(
            "{} sets {} ({}); a key has either a value or keys below it.",
            layer_name(answers, other),
            resolution.keys().show(other.key),
            place_of(answers, other)
        ));
    } else {
        let empty: Vec<String> = with(Verdict::Empty).map(named).collect();
        if !empty.is_empty() {
            let empty = list_values(&empty, "and");
            sentences.push(format!("The empty string of {empty} counts as not set."));
        }
    }
    if let Some(pin) = done_by(Verdict::Blocked) {
        let blocked: Vec<String> = with(Verdict::Blocked).map(named).collect();
        let what = match pin.verdict {
            Verdict::Removes => "pins that it is not set",
            _ => "pins it",
        };
        let key = resolution.keys().show(pin.key);
        sentences.push(format!(
            "{} {what} with {key} ({}), which blocks {}.",
            layer_name(answers, pin),
            place_of(answers, pin),
            list_values(&blocked, "and")
        ));
    }
    sentences
}
