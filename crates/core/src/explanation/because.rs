//! The rungs of an explanation: one for each candidate and for each layer without one.

use super::kinds::{is_named, silence};
use super::{LayerState, Row, hides, layer_name, place_of, shown, sources_of, variable_in};
use crate::answers::Answers;
use crate::model::candidate::CandidateId;
use crate::model::fact::{Clauses, Fact};
use crate::model::key::KeyId;
use crate::model::layer::{Kind, LayerIndex, Presence};
use crate::model::note::Note;
use crate::model::secret::hide_address_password;
use crate::model::value::Value;
use crate::model::words::rows as words;
use crate::precedence::provenance::Provenance;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;
use crate::reading::Reading;
use std::sync::Arc;

/// Every layer, strongest first.
pub(super) fn rows(answers: &Answers<'_>, key: KeyId) -> Vec<Row> {
    let mut rows = Vec::new();
    let nearly = answers.resolution().nearly_named(key);
    let mut candidates = answers.resolution().candidates(key).peekable();
    for index in (0..answers.resolution().readings().layers.len()).rev() {
        let layer = LayerIndex(index);
        let before = rows.len();
        while let Some(id) = candidates.next_if(|id| {
            answers.resolution().layer_of(answers.resolution().candidate(*id)) == layer
        }) {
            rows.push(said(answers, id));
        }
        if rows.len() == before {
            rows.push(unsaid(answers, layer, key, &nearly));
        }
    }
    rows
}

fn said(answers: &Answers<'_>, id: CandidateId) -> Row {
    let candidate = answers.resolution().candidate(id);
    let reading = answers.resolution().reading(candidate);
    let written = hide_address_password(&answers.resolution().leaf(candidate).value).into_owned();
    let through = reading.document.anchor(candidate.leaf as usize).map(str::to_owned);
    let named = reading.document.named.as_ref().map(|named| named.who.to_string());
    let is_old_name = reading.is_old_name(candidate.leaf);
    let note = answers.resolution().note(candidate).cloned().map(Box::new);
    let more = [
        // Of one that cannot be read it is shown why.
        note.as_ref().filter(|note| note.is_decrypted()).map(|_| Fact::new(words::ENCRYPTED)),
        note.as_deref().and_then(Note::history),
        is_old_name.then(|| Fact::new(words::FORMER_NAME)),
        through.as_ref().map(|it| Fact::new(words::THROUGH_ANCHOR).with("anchor", it)),
        named.as_ref().map(|it| Fact::new(words::NAMED_BY).with("who", it)),
    ];
    let because = std::iter::once(because(answers, candidate)).chain(more.into_iter().flatten());
    let because = Clauses(because.collect());
    Row::Said {
        at: Provenance::of(answers.resolution(), id),
        written: Some(written).filter(|written| {
            !hides(answers, candidate) && !reading.is_removal && *written != Value::Unread
        }),
        raw: super::raw(answers, candidate).map(str::to_owned),
        verdict: candidate.verdict,
        rule: answers.resolution().rule(candidate),
        by: candidate.by,
        because,
        through,
        named,
        is_old_name,
        pins: pins(answers, candidate),
        note,
        scope: reading.document.scope.as_ref().map(|scope| Arc::clone(&scope.name)),
    }
}

/// Why the candidate has its verdict.
pub(crate) fn because(answers: &Answers<'_>, candidate: &Candidate) -> Fact {
    let resolution = answers.resolution();
    let by = candidate.by.map(|by| resolution.candidate(by));
    let of = |form, by: &Candidate| {
        Fact::new(form).with("layer", layer_name(answers, by)).with("place", place_of(answers, by))
    };
    let sets = |form, by: &Candidate| of(form, by).with("value", shown(answers, by));
    match (candidate.verdict, by) {
        (Verdict::Wins, _) => wins(answers, candidate),
        (Verdict::Contributes, Some(by)) => of(words::CONTRIBUTES, by),
        (Verdict::Blocked, Some(by)) => {
            of(words::BLOCKED, by).with("does", pinning(answers, candidate, by))
        }
        (Verdict::Overridden, Some(by)) if by.reading == candidate.reading => {
            let name = resolution.leaf(by).name;
            match name == resolution.leaf(candidate).name {
                true => of(words::LATER_OF_NAME, by),
                false => of(words::OTHER_NAME, by).with("name", resolution.keys().show(name)),
            }
        }
        (Verdict::Overridden, Some(by)) => {
            let is_same_layer = resolution.layer_of(by) == resolution.layer_of(candidate);
            if is_same_layer {
                sets(words::STRONGER_SOURCE, by)
            } else if yields(answers, candidate, by) {
                sets(words::YIELDS, by)
            } else {
                sets(words::STRONGER, by)
            }
        }
        (Verdict::Reshaped, Some(by)) => {
            let form = match resolution.keys().is_within(by.key, candidate.key) {
                true => words::RESHAPED_BELOW,
                false => words::RESHAPED_ABOVE,
            };
            of(form, by).with("key", resolution.keys().show(by.key))
        }
        (Verdict::Removed, Some(by)) => of(words::REMOVED, by)
            .with("does", removes(answers, by))
            .with_some("of", of_other(answers, by, candidate.key)),
        _ => because_alone(answers, candidate),
    }
}

/// For which setting something is removed, if it is another one.
pub(super) fn of_other(answers: &Answers<'_>, null: &Candidate, key: KeyId) -> Option<Fact> {
    let shown = || answers.resolution().keys().show(null.key);
    (null.key != key).then(|| Fact::new(words::OF_KEY).with("key", shown()))
}

/// Whether the candidate gives way to a weaker one.
fn yields(answers: &Answers<'_>, candidate: &Candidate, by: &Candidate) -> bool {
    let resolution = answers.resolution();
    resolution.reading(candidate).document.is_yielding(candidate.leaf)
        && resolution.layer_of(by) < resolution.layer_of(candidate)
}

/// The same of a verdict that no other candidate brought about.
fn because_alone(answers: &Answers<'_>, candidate: &Candidate) -> Fact {
    let resolution = answers.resolution();
    let note = resolution.note(candidate);
    match candidate.verdict {
        Verdict::Empty => {
            let declared = resolution.readings().catalogue.declared(candidate.key);
            Fact::new(match declared.is_some_and(|declared| declared.empty.is_some()) {
                true => words::EMPTY_FOR_SETTING,
                false => words::EMPTY_IN_LAYER,
            })
        }
        Verdict::Removes if resolution.reading(candidate).is_removal => {
            Fact::new(words::LAYER_REMOVES).with("pattern", pattern_of(answers, candidate))
        }
        Verdict::Removes if removes_anything(answers, candidate) => {
            Fact::new(words::REMOVES_WEAKER)
        }
        Verdict::Removes => Fact::new(words::REMOVES_NOTHING),
        Verdict::Withheld => {
            let withheld = note.and_then(|note| note.withheld.as_deref());
            withheld.cloned().unwrap_or_else(|| Fact::told(""))
        }
        Verdict::Unreadable => {
            let why = note.and_then(|it| it.unreadable.as_deref()).map(Fact::told);
            let why = why.unwrap_or_else(|| Fact::new(words::NOT_READABLE));
            Fact::new(words::UNREADABLE).with("why", why)
        }
        // The other verdicts are only ever given by another candidate.
        Verdict::Wins
        | Verdict::Overridden
        | Verdict::Reshaped
        | Verdict::Removed
        | Verdict::Contributes
        | Verdict::Blocked => Fact::told(""),
    }
}

/// Whether the layer of the candidate pins what it has for its setting; what it takes away it never
/// pins.
pub(super) fn pins(answers: &Answers<'_>, candidate: &Candidate) -> bool {
    let resolution = answers.resolution();
    let layer = resolution.readings().layer(resolution.layer_of(candidate));
    !resolution.reading(candidate).is_removal && layer.pins.has(resolution.keys(), candidate.key)
}

fn wins(answers: &Answers<'_>, candidate: &Candidate) -> Fact {
    let gather = answers.resolution().gather(candidate.key);
    let gather = gather.filter(|_| candidate.beneath.is_some());
    let form = if pins(answers, candidate) { words::PINS } else { words::WINS };
    let gathers = gather.map(|gather| Fact::new(words::GATHERS).with("how", gather.name()));
    Fact::new(form).with_some("gathers", gathers)
}

fn pinning(answers: &Answers<'_>, candidate: &Candidate, by: &Candidate) -> Fact {
    let form = match by.verdict {
        Verdict::Removes => words::REMOVES_AND_PINS,
        _ => words::PINS_KEY,
    };
    match by.key == candidate.key {
        true => Fact::new(form).with("key", "it"),
        false => Fact::new(form).with("key", answers.resolution().keys().show(by.key)),
    }
}

/// The pattern by which a layer takes a setting away.
pub(super) fn pattern_of(answers: &Answers<'_>, candidate: &Candidate) -> String {
    let resolution = answers.resolution();
    resolution.keys().segment(resolution.leaf(candidate).name).to_owned()
}

/// How a candidate removes what is weaker.
pub(super) fn removes(answers: &Answers<'_>, candidate: &Candidate) -> Fact {
    let resolution = answers.resolution();
    if resolution.reading(candidate).is_removal {
        return Fact::new(words::REMOVES_PATTERN).with("pattern", pattern_of(answers, candidate));
    }
    Fact::new(match resolution.readings().layer(resolution.layer_of(candidate)).kind {
        Kind::Arguments => words::UNSETS,
        _ => words::SETS_NULL,
    })
}

fn removes_anything(answers: &Answers<'_>, null: &Candidate) -> bool {
    let is_by_it = |id: CandidateId| {
        let candidate = answers.resolution().candidate(id);
        candidate.verdict == Verdict::Removed
            && candidate.by.is_some_and(|by| std::ptr::eq(answers.resolution().candidate(by), null))
    };
    let mut keys = std::iter::once(null.key).chain(answers.resolution().keys().below(null.key));
    keys.any(|key| answers.resolution().candidates(key).any(is_by_it))
}

fn unsaid(answers: &Answers<'_>, layer: LayerIndex, key: KeyId, nearly: &[KeyId]) -> Row {
    let presence = &answers.resolution().readings().layer(layer).presence;
    let state = LayerState::of(presence);
    let variable = variable_in(answers, layer, key);
    let near = match (&variable, presence) {
        (Some(variable), Presence::Read) => {
            answers.resolution().readings().near_names(layer, key, variable)
        }
        (None, Presence::Read) => super::near_keys(answers, layer, key, nearly),
        _ => Vec::new(),
    };
    let absence = answers.resolution().readings().layer(layer).absence();
    let because = absence
        .or_else(|| sets_elsewhere(answers, layer, key))
        .or_else(|| {
            let place = left_out_at(answers, layer, key)?;
            Some(Fact::new(words::KEY_WITHOUT_VALUE).with("place", place))
        })
        .unwrap_or_else(|| silence(answers, layer, key, variable.as_deref()));
    let mut because = Clauses(vec![because]);
    for reading in sources_of(answers, layer) {
        if let Some((at, operator)) = &reading.document.ends {
            let place = reading.place_at(Some(*at)).to_string();
            because.0.push(
                Fact::new(words::ENDS).with("operator", operator.as_ref()).with("place", place),
            );
        }
    }
    let passed: usize = sources_of(answers, layer).map(|it| it.document.passed_over).sum();
    if passed > 0 {
        let form = if passed == 1 { words::LINE_PASSED } else { words::LINES_PASSED };
        because.0.push(Fact::new(form).with("count", passed));
    }
    because.0.extend(near.iter().map(|near| {
        let place = near.show_line();
        Fact::new(words::SIMILAR_NAME).with("name", &near.name).with("place", place)
    }));
    let sets_instead = sets_instead(answers, layer, key).map(|(id, _)| id);
    let reads_nothing = |reading: &Reading| {
        let document = &reading.document;
        document.ends.is_some() && document.leaves.is_empty()
    };
    let is_odd = *presence == Presence::Read
        && (sources_of(answers, layer).any(reads_nothing)
            || left_out_at(answers, layer, key).is_some()
            || variable.is_some_and(|variable| is_named(answers, layer, &variable)));
    Row::Unsaid { layer, state, because, near, sets_instead, is_odd }
}

/// The key above or below `key` that a layer sets, which does not set `key`.
fn sets_elsewhere(answers: &Answers<'_>, layer: LayerIndex, key: KeyId) -> Option<Fact> {
    let (id, more) = sets_instead(answers, layer, key)?;
    let resolution = answers.resolution();
    let keys = resolution.keys();
    let other = resolution.candidate(id);
    let is_above = keys.is_within(key, other.key);
    let more = Some(more).filter(|more| *more > 0);
    let fact = Fact::new(if is_above { words::SETS_ABOVE } else { words::SETS_BELOW })
        .with("key", keys.show(other.key))
        .with("place", place_of(answers, other))
        .with("value", shown(answers, other))
        .with_some("more", more.map(|more| Fact::new(words::AND_MORE).with("count", more)));
    Some(fact)
}

/// A candidate of the layer above or below `key`, and how many more settings it sets there.
fn sets_instead(
    answers: &Answers<'_>,
    layer: LayerIndex,
    key: KeyId,
) -> Option<(CandidateId, usize)> {
    let resolution = answers.resolution();
    let keys = resolution.keys();
    let of_layer = |at: KeyId| {
        resolution.candidates(at).find(|id| {
            let reading = resolution.reading(resolution.candidate(*id));
            reading.layer == layer && !reading.is_removal
        })
    };
    if let Some(above) = keys.above(key).find_map(of_layer) {
        return Some((above, 0));
    }
    let below: Vec<KeyId> = keys.below(key).filter(|key| of_layer(*key).is_some()).collect();
    let first = of_layer(*keys.sorted(below.iter().copied()).first()?)?;
    Some((first, below.len() - 1))
}

/// Where a source of `layer` names `key` without giving a value.
fn left_out_at(answers: &Answers<'_>, index: LayerIndex, key: KeyId) -> Option<String> {
    let readings = answers.resolution().readings();
    let keys = answers.resolution().keys();
    let wanted = readings.name_in(index, key)?;
    let under = &readings.layer(index).under;
    for reading in sources_of(answers, index) {
        for (name, at) in &reading.document.left_out {
            let mut segments = keys.segments(*name).into_iter();
            let is_under = under.as_ref().is_none_or(|under| {
                under.segments().all(|segment| segments.next() == Some(segment))
            });
            if is_under && segments.eq(wanted.segments()) {
                return Some(reading.place_at(Some(*at)).to_string());
            }
        }
    }
    None
}
