//! The sentences that show why a setting has its value, or none.

use super::because::{of_other, removes};
use super::{Explanation, Meaning, Status, layer_name, place_of, shorten, shown};
use crate::answers::Answers;
use crate::model::candidate::CandidateId;
use crate::model::catalogue::Gather;
use crate::model::convert::{Declaration, show_duration, show_size};
use crate::model::fact::{Fact, Part};
use crate::model::key::KeyId;
use crate::model::layer::LayerIndex;
use crate::model::near::nearest;
use crate::model::secret::hide_address_password;
use crate::model::value::Value;
use crate::model::words::sentences as words;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;

/// First the layer that wins, then whom it overrides, what became of the value, and what the reader
/// should know about that layer.
pub(super) fn why(answers: &Answers<'_>, explanation: &Explanation) -> Vec<Fact> {
    let because = |form, why: &Fact| Fact::new(form).with("why", why.clone());
    let mut sentences = Vec::new();
    match (&explanation.winner, &explanation.status) {
        (Some(winner), status) => {
            let candidate = answers.resolution().candidate(winner.candidate);
            sentences.push(set_by(answers, candidate));
            sentences.extend(overrides(answers, winner.candidate));
            match status {
                Status::Error { fact, .. } => sentences.push(because(words::INVALID, fact)),
                Status::Unreadable { because: why } => {
                    sentences.push(because(words::NOT_READABLE, why));
                }
                Status::Uncertain { because: why } => {
                    sentences.push(because(words::UNCERTAIN, why));
                }
                Status::Set | Status::Absent => {}
            }
            sentences.extend(encrypted(answers, candidate));
            sentences.extend(history(answers, candidate));
            sentences.extend(withheld(answers, explanation.key));
            sentences.extend(expansion(answers, explanation));
        }
        (None, Status::Uncertain { because: why }) => {
            sentences.push(because(words::WHETHER_UNCERTAIN, why));
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
pub(super) fn notes(answers: &Answers<'_>, explanation: &Explanation) -> Vec<Fact> {
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

/// The layer and the place of a candidate, in a sentence of that form.
fn of(answers: &Answers<'_>, form: &'static str, candidate: &Candidate) -> Fact {
    Fact::new(form)
        .with("layer", layer_name(answers, candidate))
        .with("place", place_of(answers, candidate))
}

fn set_by(answers: &Answers<'_>, candidate: &Candidate) -> Fact {
    let resolution = answers.resolution();
    let mut others = resolution.candidates(candidate.key).map(|id| resolution.candidate(id));
    let ending = if others.any(|other| !std::ptr::eq(other, candidate)) {
        stronger_without_effect(answers, candidate).unwrap_or(Fact::new(words::NO_STRONGER))
    } else {
        Fact::new(words::NO_OTHER)
    };
    if candidate.beneath.is_some() {
        return gathers(answers, candidate, ending);
    }
    let value = shown(answers, candidate);
    of(answers, words::SET_BY, candidate).with("value", value).with("ending", ending)
}

/// That the winner was decrypted; where it cannot be, the status has the reason.
fn encrypted(answers: &Answers<'_>, candidate: &Candidate) -> Option<Fact> {
    let note = answers.resolution().note(candidate)?;
    note.is_decrypted().then(|| Fact::new(words::ENCRYPTED))
}

/// When the store got the value of the winner, and from whom.
fn history(answers: &Answers<'_>, candidate: &Candidate) -> Option<Fact> {
    let resolution = answers.resolution();
    let history = resolution.note(candidate).and_then(crate::model::note::Note::history);
    history.map(|history| Fact::new(words::HISTORY).with("history", history))
}

/// How old the cached copy is from which the winner was read.
fn copy(answers: &Answers<'_>, candidate: &Candidate) -> Option<Fact> {
    let resolution = answers.resolution();
    let layer = resolution.readings().layer(resolution.layer_of(candidate));
    let copy = layer.scope.as_ref().and_then(|scope| scope.copy.as_ref())?;
    Some(Fact::new(words::COPY).with("copy", copy.to_string()))
}

/// Values of stores that are meant for other contexts: often the reason why a setting lacks its value.
fn withheld(answers: &Answers<'_>, key: KeyId) -> Option<Fact> {
    let resolution = answers.resolution();
    let candidates = resolution.candidates(key).map(|id| resolution.candidate(id));
    let withheld =
        candidates.filter(|candidate| candidate.verdict == Verdict::Withheld).map(|candidate| {
            let why = resolution.note(candidate).and_then(|note| note.withheld.as_deref());
            of(answers, words::WITHHELD, candidate).with_some("why", why.cloned())
        });
    one_after_the_other(withheld)
}

/// Several sentences as one.
fn one_after_the_other(sentences: impl Iterator<Item = Fact>) -> Option<Fact> {
    sentences.reduce(|one, other| Fact::new(words::BOTH).with("one", one).with("other", other))
}

/// A list that several candidates make up.
fn gathers(answers: &Answers<'_>, winner: &Candidate, ending: Fact) -> Fact {
    let resolution = answers.resolution();
    let mut parts: Vec<Fact> = resolution
        .in_force(winner.key)
        .map(|id| of(answers, words::AT_LAYER, resolution.candidate(id)))
        .collect();
    let gather = resolution.gather(winner.key);
    if gather != Some(Gather::Before) {
        parts.reverse();
    }
    let order = Fact::new(match gather {
        Some(Gather::Before) => words::STRONGER_FIRST,
        Some(Gather::Distinct) => words::WEAKER_FIRST_ONCE,
        _ => words::WEAKER_FIRST,
    });
    Fact::new(words::JOINS).with("parts", parts).with("order", order).with("ending", ending)
}

/// Stronger candidates that lost although they are stronger: empty strings, and what a pin blocks.
fn stronger_without_effect(answers: &Answers<'_>, winner: &Candidate) -> Option<Fact> {
    let resolution = answers.resolution();
    let stronger = || {
        let candidates = resolution.candidates(winner.key).map(|id| resolution.candidate(id));
        candidates.take_while(|candidate| !std::ptr::eq(*candidate, winner))
    };
    let with_verdict = |verdict: Verdict| -> Vec<Fact> {
        let all = stronger().filter(|candidate| candidate.verdict == verdict);
        all.map(|candidate| of(answers, words::AT_LAYER, candidate)).collect()
    };
    let (empty, blocked) = (with_verdict(Verdict::Empty), with_verdict(Verdict::Blocked));
    let empty = (!empty.is_empty()).then(|| Fact::new(words::EMPTY).with("what", empty));
    let blocked = (!blocked.is_empty()).then(|| {
        let by = stronger().find_map(|candidate| candidate.by).map(|by| resolution.candidate(by));
        let pin = match by {
            Some(by) if by.key != winner.key => {
                of(answers, words::PIN_OF_KEY, by).with("key", resolution.keys().show(by.key))
            }
            Some(by) => of(answers, words::PIN, by),
            None => Fact::new(words::A_PIN),
        };
        Fact::new(words::BLOCKS).with("pin", pin).with("what", blocked)
    });
    one_after_the_other(empty.into_iter().chain(blocked))
}

fn overrides(answers: &Answers<'_>, winner: CandidateId) -> Option<Fact> {
    let decider = answers.resolution().candidate(winner);
    let key = decider.key;
    let weaker = answers.resolution().candidates(key).skip_while(|id| *id != winner).skip(1);
    let said: Vec<Fact> = weaker
        .map(|id| answers.resolution().candidate(id))
        .filter(|candidate| candidate.verdict == Verdict::Overridden)
        .map(|candidate| {
            let is_same = layer_name(answers, candidate) == layer_name(answers, decider);
            let who = match is_same {
                true => place_of(answers, candidate),
                false => layer_name(answers, candidate).to_owned(),
            };
            Fact::new(words::WITH_VALUE).with("what", who).with("value", shown(answers, candidate))
        })
        .collect();
    (!said.is_empty()).then(|| Fact::new(words::OVERRIDES).with("what", said))
}

/// Settings above or below it that it reshaped.
fn replaces(answers: &Answers<'_>, winner: CandidateId) -> Option<Fact> {
    let keys = answers.resolution().keys();
    let reshaped = reshaped_by(answers, winner);
    let mut shown: Vec<Part> = reshaped.into_iter().map(|key| keys.show(key).into()).collect();
    if shown.len() > 3 {
        let more = shown.len() - 2;
        shown.truncate(2);
        shown.push(Fact::new(words::MORE).with("count", more).into());
    }
    (!shown.is_empty()).then(|| Fact::new(words::REPLACES).with("keys", shown))
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
fn expansion(answers: &Answers<'_>, explanation: &Explanation) -> Option<Fact> {
    if !answers.may_refer(explanation.key) || explanation.failure().is_some() {
        return None;
    }
    match explanation.value() {
        _ if explanation.secret => Some(Fact::new(words::SECRET_AS_A_WHOLE)),
        Some(value) if explanation.conversion.is_none() => {
            let value = shorten(&value.show(), 80);
            Some(Fact::new(words::WITH_REFERENCES).with("value", value))
        }
        _ => None,
    }
}

fn conversion(answers: &Answers<'_>, explanation: &Explanation) -> Option<Fact> {
    let conversion = explanation.conversion.as_ref()?;
    let like = match conversion.like {
        Some(like) => of(answers, words::LIKE, answers.resolution().candidate(like)),
        None => Fact::new(words::AS_DECLARED),
    };
    let became = |form| Fact::new(form).with("kind", conversion.to.with_article());
    if explanation.secret {
        return Some(became(words::SECRET_BECAME).with("like", like));
    }
    let from = hide_address_password(&conversion.from).show();
    let value = explanation.value().as_ref().map(Value::show).unwrap_or_default();
    let became = became(words::BECAME).with("from", shorten(&from, 40)).with("value", value);
    Some(became.with("like", like))
}

/// What a duration or size amounts to.
fn amount(answers: &Answers<'_>, explanation: &Explanation) -> Option<Fact> {
    let shown = match explanation.meaning(answers)? {
        Meaning::Duration(time) => show_duration(time),
        Meaning::Size(bytes) => show_size(bytes),
        Meaning::Address(_) => return None,
    };
    Some(Fact::new(words::AMOUNTS).with("amount", shown))
}

/// A string that could have become what weaker candidates are, and did not.
fn no_conversion(
    answers: &Answers<'_>,
    explanation: &Explanation,
    candidate: &Candidate,
) -> Option<Fact> {
    let (like, kind) = kept_as_string(answers, explanation, candidate)?;
    let like = answers.resolution().candidate(like);
    Some(of(answers, words::STAYS_STRING, like).with("kind", kind.with_article()))
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
fn local_winner(answers: &Answers<'_>, layer: LayerIndex) -> Option<Fact> {
    let readings = answers.resolution().readings();
    let layer = readings.layer(layer);
    (layer.is_local() && readings.context.is_asked())
        .then(|| Fact::new(words::LOCAL_WINS).with("layer", &layer.name))
}

/// Variables that were probably meant for the setting, in layers that could have decided.
fn near_misses(answers: &Answers<'_>, explanation: &Explanation) -> Vec<Fact> {
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
            let place = near.line().map(|_| near.show_line());
            let place = place.map(|place| Fact::new(words::IN_BRACKETS).with("place", place));
            let fact = Fact::new(words::DID_YOU_MEAN)
                .with("layer", &readings.layer(index).name)
                .with("name", &near.name)
                .with_some("place", place)
                .with("meant", &near.meant);
            sentences.push(fact);
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

fn not_set(answers: &Answers<'_>, explanation: &Explanation) -> Vec<Fact> {
    let resolution = answers.resolution();
    let key = explanation.key;
    let candidates: Vec<&Candidate> =
        resolution.candidates(key).map(|id| resolution.candidate(id)).collect();
    if candidates.is_empty() {
        let is_declared = resolution.readings().catalogue.declared(key).is_some();
        return vec![match (is_declared, meant(answers, key)) {
            (true, _) => Fact::new(words::DECLARED_ONLY),
            (false, None) => Fact::new(words::NO_LAYER),
            (false, Some(meant)) => {
                Fact::new(words::NOT_DECLARED).with("meant", resolution.keys().show(meant))
            }
        }];
    }
    let with = |verdict: Verdict| {
        candidates.iter().copied().filter(move |candidate| candidate.verdict == verdict)
    };
    let done_by = |verdict| with(verdict).find_map(|it| it.by).map(|by| resolution.candidate(by));
    let named = |verdict| -> Vec<Fact> {
        with(verdict).map(|candidate| of(answers, words::AT_LAYER, candidate)).collect()
    };
    let mut sentences = Vec::new();
    if let Some(null) = done_by(Verdict::Removed).or(with(Verdict::Removes).next()) {
        let removed = with(Verdict::Removed).map(|candidate| {
            let fact = Fact::new(words::WITH_VALUE).with("what", layer_name(answers, candidate));
            fact.with("value", shown(answers, candidate))
        });
        let removed: Vec<Fact> = removed.collect();
        let effect =
            (!removed.is_empty()).then(|| Fact::new(words::REMOVES_VALUE).with("what", removed));
        let fact = of(answers, words::DOES, null)
            .with("does", removes(answers, null))
            .with_some("of", of_other(answers, null, key))
            .with_some("effect", effect);
        sentences.push(fact);
    } else if let Some(other) = done_by(Verdict::Reshaped) {
        let fact = of(answers, words::RESHAPES, other);
        sentences.push(fact.with("key", resolution.keys().show(other.key)));
    } else {
        let empty = named(Verdict::Empty);
        if !empty.is_empty() {
            sentences.push(Fact::new(words::EMPTY).with("what", empty));
        }
    }
    if let Some(pin) = done_by(Verdict::Blocked) {
        let does = match pin.verdict {
            Verdict::Removes => words::PINS_THAT_NOT,
            _ => words::PINS_IT,
        };
        let fact = of(answers, words::PIN_BLOCKS, pin)
            .with("does", Fact::new(does))
            .with("key", resolution.keys().show(pin.key))
            .with("what", named(Verdict::Blocked));
        sentences.push(fact);
    }
    sentences
}
