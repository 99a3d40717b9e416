//! The sentences that say why a setting has its value, or none.

use super::because::says_null;
use super::{Explanation, Meaning, Status, layer_name, place_of, shorten, shown};
use crate::answers::Answers;
use crate::model::candidate::CandidateId;
use crate::model::convert::{Declaration, show_duration, show_size};
use crate::model::key::KeyId;
use crate::model::layer::{Kind, LayerIndex, list_values};
use crate::model::secret::hide_address_password;
use crate::model::value::Value;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;

/// First what decided, then whom it overrides, what became of the value, and what the reader
/// should know about the layer that decided.
pub(super) fn why(answers: &Answers<'_>, explanation: &Explanation) -> Vec<String> {
    let mut sentences = Vec::new();
    match (&explanation.winner, &explanation.status) {
        (Some(winner), status) => {
            let candidate = answers.resolution().candidate(winner.candidate);
            let decides = decides(answers, candidate);
            sentences.push(match (status, decides.strip_prefix("The ")) {
                (Status::Uncertain { .. }, Some(rest)) => format!("As far as is known, the {rest}"),
                _ => decides,
            });
            sentences.extend(overrides(answers, winner.candidate));
            sentences.extend(takes_the_place(answers, winner.candidate));
            match status {
                Status::Error { message, .. } => sentences.push(format!(
                    "It cannot be used: {message}. No weaker value stands in for it."
                )),
                Status::Unreadable { because } => sentences.push(format!(
                    "Its value is not known: {because}. No weaker value stands in for it."
                )),
                Status::Uncertain { because } => {
                    sentences.push(format!("That is uncertain: {because}."));
                }
                Status::Set | Status::Absent => {}
            }
            sentences.extend(encrypted(answers, candidate));
            sentences.extend(history(answers, candidate));
            sentences.extend(withheld(answers, explanation.key));
            sentences.extend(expansion(answers, explanation));
            sentences.extend(conversion(answers, explanation));
            sentences.extend(no_conversion(answers, explanation, candidate));
            sentences.extend(amount(answers, explanation));
            sentences.extend(place_you_stand(answers, winner.layer));
        }
        (None, Status::Uncertain { because }) => {
            sentences.push(format!("Nobody can tell whether it has a value: {because}."));
        }
        (None, _) => {
            sentences.extend(nothing_in_force(answers, explanation));
            sentences.extend(withheld(answers, explanation.key));
        }
    }
    sentences.extend(near_misses(answers, explanation));
    sentences
}

fn decides(answers: &Answers<'_>, candidate: &Candidate) -> String {
    let resolution = answers.resolution();
    let name = layer_name(answers, candidate);
    let what = says(answers, candidate);
    let mut others = resolution.candidates(candidate.key).map(|id| resolution.candidate(id));
    let ending = if others.any(|other| !std::ptr::eq(other, candidate)) {
        match stronger_without_effect(answers, candidate) {
            Some(clause) => clause,
            None => "and no stronger layer says anything about it".to_owned(),
        }
    } else {
        "and no other layer says anything about it".to_owned()
    };
    if candidate.beneath.is_some() {
        return gathers(answers, candidate, &ending);
    }
    format!("The layer {name} decides: {what}, {ending}.")
}

/// What a candidate says and where.
fn says(answers: &Answers<'_>, candidate: &Candidate) -> String {
    let resolution = answers.resolution();
    let says = shown(answers, candidate);
    match resolution.readings().layer(resolution.layer_of(candidate)).kind {
        Kind::Arguments => format!("--set says {says}"),
        Kind::Process => {
            let variable = resolution.keys().segment(resolution.leaf(candidate).name);
            format!("the variable {variable} says {says}")
        }
        _ => format!("{} says {says}", place_of(answers, candidate)),
    }
}

/// That what decides was decrypted; of what cannot be, it is said why.
fn encrypted(answers: &Answers<'_>, candidate: &Candidate) -> Option<String> {
    let note = answers.resolution().note(candidate)?;
    note.is_decrypted().then(|| "It stands there encrypted.".to_owned())
}

/// When and by whom the store was told what decides, and how old the copy is that stands for it.
fn history(answers: &Answers<'_>, candidate: &Candidate) -> Option<String> {
    let resolution = answers.resolution();
    let history = resolution.note(candidate).and_then(crate::model::note::Note::history);
    let layer = resolution.readings().layer(resolution.layer_of(candidate));
    let copy = layer.scope.as_ref().and_then(|scope| scope.copy.clone());
    match (history, copy) {
        (Some(history), Some(copy)) => Some(format!("It was {history}; {copy}.")),
        (Some(history), None) => Some(format!("It was {history}.")),
        (None, Some(copy)) => Some(format!("Note that {copy}.")),
        (None, None) => None,
    }
}

/// What stores keep for others, most often the answer to why a setting does not have its value.
fn withheld(answers: &Answers<'_>, key: KeyId) -> Option<String> {
    let resolution = answers.resolution();
    let candidates = resolution.candidates(key).map(|id| resolution.candidate(id));
    let withheld: Vec<String> = candidates
        .filter(|candidate| candidate.verdict == Verdict::Withheld)
        .map(|candidate| {
            let why = resolution.note(candidate).and_then(|note| note.withheld.as_deref());
            format!(
                "What {} says ({}) does not count here: {}.",
                layer_name(answers, candidate),
                place_of(answers, candidate),
                why.unwrap_or_default()
            )
        })
        .collect();
    (!withheld.is_empty()).then(|| withheld.join(" "))
}

/// A list that is put together from several candidates.
fn gathers(answers: &Answers<'_>, winner: &Candidate, ending: &str) -> String {
    let resolution = answers.resolution();
    let mut parts: Vec<String> = resolution
        .in_force(winner.key)
        .map(|id| resolution.candidate(id))
        .map(|part| format!("{} ({})", layer_name(answers, part), place_of(answers, part)))
        .collect();
    let order = match resolution.gather(winner.key) {
        Some(crate::model::catalogue::Gather::Before) => "the items of stronger layers first",
        Some(crate::model::catalogue::Gather::Distinct) => {
            parts.reverse();
            "the items of weaker layers first and none twice"
        }
        _ => {
            parts.reverse();
            "the items of weaker layers first"
        }
    };
    let parts = list_values(&parts, "and");
    format!("Its list is gathered from {parts}, {order}, {ending}.")
}

/// Stronger candidates that lost although they are stronger: empty texts, and what a pin blocks.
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
        clauses.push(format!("the empty text of {} says nothing", list_values(&empty, "and")));
    }
    if !blocked.is_empty() {
        let by = stronger().find_map(|candidate| candidate.by).map(|by| resolution.candidate(by));
        let pinned = match by {
            Some(by) if by.key != winner.key => format!(
                "{} pins {} ({})",
                layer_name(answers, by),
                resolution.keys().show(by.key),
                place_of(answers, by)
            ),
            Some(by) => format!("{} pins it", layer_name(answers, by)),
            None => "it is pinned".to_owned(),
        };
        clauses.push(format!("{pinned}, which blocks {}", list_values(&blocked, "and")));
    }
    (!clauses.is_empty()).then(|| format!("as {}", clauses.join(", and ")))
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
fn takes_the_place(answers: &Answers<'_>, winner: CandidateId) -> Option<String> {
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
            "It takes the place of {}, as a key is either a value or a branch.",
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
            Some("It refers to other things, and is a secret as a whole.".to_owned())
        }
        Some(value) if explanation.conversion.is_none() => {
            Some(format!("With what it refers to it is {}.", shorten(&value.show(), 80)))
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
            format!("in {} ({})", layer_name(answers, like), place_of(answers, like))
        }
        None => "the catalogue declares".to_owned(),
    };
    if explanation.secret {
        return Some(format!("It was written as a text and became {kind}, as {like}."));
    }
    let from = hide_address_password(&conversion.from).show();
    let from = shorten(&from, 40);
    let value = explanation.value().as_ref().map(Value::show).unwrap_or_default();
    Some(format!("The text {from} became {kind}, {value}, as {like}."))
}

/// What a duration or size amounts to.
fn amount(answers: &Answers<'_>, explanation: &Explanation) -> Option<String> {
    let shown = match explanation.meaning(answers)? {
        Meaning::Duration(time) => show_duration(time),
        Meaning::Size(bytes) => show_size(bytes),
        Meaning::Address(_) => return None,
    };
    Some(format!("That is {shown}."))
}

/// A text that looks as if it should have become what weaker candidates are, and did not.
fn no_conversion(
    answers: &Answers<'_>,
    explanation: &Explanation,
    candidate: &Candidate,
) -> Option<String> {
    let (like, kind) = kept_as_text(answers, explanation, candidate)?;
    let like = answers.resolution().candidate(like);
    Some(format!(
        "It stays a text: it does not read as {}, which {} ({}) has here.",
        kind.with_article(),
        layer_name(answers, like),
        place_of(answers, like)
    ))
}

/// What gives a type that the text does not read as.
pub(super) fn kept_as_text(
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

/// The layers that describe where you stand decide in a context that was asked for from elsewhere.
fn place_you_stand(answers: &Answers<'_>, layer: LayerIndex) -> Option<String> {
    let readings = answers.resolution().readings();
    let layer = readings.layer(layer);
    (layer.is_local() && readings.context.is_asked()).then(|| {
        format!(
            "Note that {} describes where you stand now, not the context that --in chose.",
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
                "But {} has {}{place}, which is nearly {} and is not read for it: is it misspelt?",
                readings.layer(index).name,
                near.name,
                near.meant
            ));
        }
    }
    sentences
}

fn nothing_in_force(answers: &Answers<'_>, explanation: &Explanation) -> Vec<String> {
    let resolution = answers.resolution();
    let key = explanation.key;
    let candidates: Vec<&Candidate> =
        resolution.candidates(key).map(|id| resolution.candidate(id)).collect();
    if candidates.is_empty() {
        let is_declared = resolution.readings().catalogue.declared(key).is_some();
        return vec![match is_declared {
            true => "Nothing is in force: it is declared, and no layer says anything.".to_owned(),
            false => "Nothing is in force: no layer says anything about it here.".to_owned(),
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
            "and no weaker layer says anything".to_owned()
        } else {
            format!("which removes what {} said", list_values(&removed, "and"))
        };
        sentences.push(format!(
            "Nothing is in force: {} {}{of} ({}), {effect}.",
            layer_name(answers, null),
            says_null(answers, null),
            place_of(answers, null)
        ));
    } else if let Some(other) = done_by(Verdict::Reshaped) {
        sentences.push(format!(
            "Nothing is in force at this key: {} sets {} ({}), and a key is either a value or a \
             branch.",
            layer_name(answers, other),
            resolution.keys().show(other.key),
            place_of(answers, other)
        ));
    } else {
        let empty: Vec<String> = with(Verdict::Empty).map(named).collect();
        if !empty.is_empty() {
            let empty = list_values(&empty, "and");
            sentences.push(format!("Nothing is in force: the empty text of {empty} says nothing."));
        }
    }
    if let Some(pin) = done_by(Verdict::Blocked) {
        let blocked: Vec<String> = with(Verdict::Blocked).map(named).collect();
        let what = match pin.verdict {
            Verdict::Removes => "pins that nothing is there",
            _ => "pins it",
        };
        let key = resolution.keys().show(pin.key);
        sentences.push(format!(
            "What {} says is blocked: {} {what}, by what it says about {key} ({}).",
            list_values(&blocked, "and"),
            layer_name(answers, pin),
            place_of(answers, pin)
        ));
    }
    sentences
}
