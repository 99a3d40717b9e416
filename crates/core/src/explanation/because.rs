//! The rungs of an explanation: one for each candidate and for each layer without one.

use super::{LayerState, Row, hides, layer_name, place_of, shown, sources_of, variable_in};
use crate::answers::Answers;
use crate::model::candidate::CandidateId;
use crate::model::key::KeyId;
use crate::model::layer::{Kind, LayerIndex, Presence, list_values};
use crate::model::note::Note;
use crate::model::secret::hide_address_password;
use crate::model::value::Value;
use crate::model::variable::is_system_variable;
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
    let mut because = because(answers, candidate);
    let is_old_name = reading.is_old_name(candidate.leaf);
    let note = answers.resolution().note(candidate).cloned().map(Box::new);
    // Of one that cannot be read it is shown why.
    if note.as_ref().is_some_and(|note| note.is_decrypted()) {
        because.push_str("; encrypted there");
    }
    if let Some(history) = note.as_deref().and_then(Note::history) {
        because.push_str(&format!("; {history}"));
    }
    if is_old_name {
        because.push_str("; a former name of the setting");
    }
    if let Some(anchor) = &through {
        because.push_str(&format!("; through the anchor &{anchor}"));
    }
    let named = reading.document.named.as_ref().map(|named| named.who.to_string());
    if let Some(named) = &named {
        because.push_str(&format!("; named by {named}"));
    }
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
pub(crate) fn because(answers: &Answers<'_>, candidate: &Candidate) -> String {
    let by = candidate.by.map(|by| answers.resolution().candidate(by));
    match (candidate.verdict, by) {
        (Verdict::Wins, _) => wins(answers, candidate),
        (Verdict::Contributes, Some(by)) => format!(
            "the setting joins lists, and {} ({}) adds its items",
            layer_name(answers, by),
            place_of(answers, by)
        ),
        (Verdict::Blocked, Some(by)) => blocked(answers, candidate, by),
        (Verdict::Overridden, Some(by)) if by.reading == candidate.reading => {
            let name = answers.resolution().leaf(by).name;
            let place = place_of(answers, by);
            if name == answers.resolution().leaf(candidate).name {
                return format!("a later value of the same name counts ({place})");
            }
            format!("{} ({place}) means the same setting", answers.resolution().keys().show(name))
        }
        (Verdict::Overridden, Some(by))
            if answers.resolution().layer_of(by) == answers.resolution().layer_of(candidate) =>
        {
            let (shown, place) = (shown(answers, by), place_of(answers, by));
            format!("a stronger source of the same layer sets {shown} ({place})")
        }
        (Verdict::Overridden, Some(by)) if yields(answers, candidate, by) => format!(
            "it counts only where no weaker layer sets it, and {} sets {} ({})",
            layer_name(answers, by),
            shown(answers, by),
            place_of(answers, by)
        ),
        (Verdict::Overridden, Some(by)) => {
            format!(
                "{} is stronger and sets {} ({})",
                layer_name(answers, by),
                shown(answers, by),
                place_of(answers, by)
            )
        }
        (Verdict::Reshaped, Some(by)) => {
            let other = answers.resolution().keys().show(by.key);
            let relation = if answers.resolution().keys().is_within(by.key, candidate.key) {
                "below"
            } else {
                "above"
            };
            format!(
                "{} sets {other}, {relation} it ({})",
                layer_name(answers, by),
                place_of(answers, by)
            )
        }
        (Verdict::Removed, Some(by)) => {
            let what = if by.key == candidate.key {
                String::new()
            } else {
                format!(" for {}", answers.resolution().keys().show(by.key))
            };
            format!(
                "{} {}{what} ({}), which removes it",
                layer_name(answers, by),
                says_null(answers, by),
                place_of(answers, by)
            )
        }
        _ => because_alone(answers, candidate),
    }
}

/// Whether the candidate gives way to a weaker one.
fn yields(answers: &Answers<'_>, candidate: &Candidate, by: &Candidate) -> bool {
    let resolution = answers.resolution();
    resolution.reading(candidate).document.is_yielding(candidate.leaf)
        && resolution.layer_of(by) < resolution.layer_of(candidate)
}

/// The same of a verdict that no other candidate brought about.
fn because_alone(answers: &Answers<'_>, candidate: &Candidate) -> String {
    match candidate.verdict {
        Verdict::Empty => {
            let declared = answers.resolution().readings().catalogue.declared(candidate.key);
            match declared.is_some_and(|declared| declared.empty.is_some()) {
                true => "an empty string counts as not set for this setting (empty = \"unset\")"
                    .to_owned(),
                false => {
                    "an empty string counts as not set in this layer (empty = \"unset\")".to_owned()
                }
            }
        }
        Verdict::Removes if answers.resolution().reading(candidate).is_removal => {
            let pattern = pattern_of(answers, candidate);
            format!("the layer removes {pattern} (`remove`)")
        }
        Verdict::Removes if removes_anything(answers, candidate) => {
            "it removes the value of weaker layers".to_owned()
        }
        Verdict::Removes => "no weaker layer sets a value that it could remove".to_owned(),
        Verdict::Withheld => {
            let note = answers.resolution().note(candidate);
            note.and_then(|note| note.withheld.as_deref()).unwrap_or_default().to_owned()
        }
        Verdict::Unreadable => {
            let why = answers.resolution().note(candidate).and_then(|it| it.unreadable.as_deref());
            let why = why.unwrap_or("the value cannot be read");
            format!("{why}; no weaker value is used instead")
        }
        // The other verdicts are only ever given by another candidate.
        Verdict::Wins
        | Verdict::Overridden
        | Verdict::Reshaped
        | Verdict::Removed
        | Verdict::Contributes
        | Verdict::Blocked => String::new(),
    }
}

/// Whether the layer of the candidate pins what it has for its setting; what it takes away it never
/// pins.
pub(super) fn pins(answers: &Answers<'_>, candidate: &Candidate) -> bool {
    let resolution = answers.resolution();
    let layer = resolution.readings().layer(resolution.layer_of(candidate));
    !resolution.reading(candidate).is_removal && layer.pins.has(resolution.keys(), candidate.key)
}

fn wins(answers: &Answers<'_>, candidate: &Candidate) -> String {
    let resolution = answers.resolution();
    let gathers = match resolution.gather(candidate.key) {
        Some(gather) if candidate.beneath.is_some() => {
            format!("; its items are joined with those of weaker layers ({})", gather.name())
        }
        _ => String::new(),
    };
    match pins(answers, candidate) {
        true => format!("the layer pins it; no stronger layer can change it{gathers}"),
        false => format!("no stronger layer sets it{gathers}"),
    }
}

fn blocked(answers: &Answers<'_>, candidate: &Candidate, by: &Candidate) -> String {
    let resolution = answers.resolution();
    let pinned = match by.key == candidate.key {
        true => "it".to_owned(),
        false => resolution.keys().show(by.key),
    };
    let what = match by.verdict {
        Verdict::Removes => format!("removes {pinned} and pins that"),
        _ => format!("pins {pinned}"),
    };
    format!("{} {what} ({})", layer_name(answers, by), place_of(answers, by))
}

/// The pattern by which a layer takes a setting away.
pub(super) fn pattern_of(answers: &Answers<'_>, candidate: &Candidate) -> String {
    let resolution = answers.resolution();
    resolution.keys().segment(resolution.leaf(candidate).name).to_owned()
}

pub(super) fn says_null(answers: &Answers<'_>, candidate: &Candidate) -> String {
    let resolution = answers.resolution();
    if resolution.reading(candidate).is_removal {
        return format!("removes {} (`remove`)", pattern_of(answers, candidate));
    }
    match resolution.readings().layer(resolution.layer_of(candidate)).kind {
        Kind::Arguments => "unsets it (--unset)".to_owned(),
        _ => "sets null".to_owned(),
    }
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
    let mut because = match answers.resolution().readings().layer(layer).absence() {
        Some(because) => because,
        None => silence(answers, layer, key, variable.as_deref()),
    };
    for reading in sources_of(answers, layer) {
        if let Some((at, operator)) = &reading.document.ends {
            let place = reading.place_at(Some(*at));
            because.push_str(&format!("; nothing from `{operator}` on is read ({place})"));
        }
    }
    let passed: usize = sources_of(answers, layer).map(|it| it.document.passed_over).sum();
    if passed > 0 {
        let lines = if passed == 1 { "line is" } else { "lines are" };
        because.push_str(&format!("; {passed} other {lines} not read"));
    }
    for near in &near {
        because.push_str(&format!("; {} ({}) is a similar name", near.name, near.show_line()));
    }
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

/// Why a layer that was read has no candidate.
fn silence(answers: &Answers<'_>, index: LayerIndex, key: KeyId, variable: Option<&str>) -> String {
    if let Some(elsewhere) = sets_elsewhere(answers, index, key) {
        return elsewhere;
    }
    if let Some(place) = left_out_at(answers, index, key) {
        return format!("key without a value ({place})");
    }
    let layer = answers.resolution().readings().layer(index);
    let is_catalogued = !answers.resolution().readings().catalogue.is_empty();
    match (layer.kind, variable) {
        (Kind::Code, _) => fallback_of(answers, index, key),
        (Kind::Catalogue, _) if is_catalogued => "it has no default".to_owned(),
        (Kind::Catalogue, _) => "the project has no catalogue".to_owned(),
        (Kind::Arguments, _) => "no --set or --unset".to_owned(),
        _ if answers.resolution().readings().name_in(index, key).is_none() => {
            let into = layer.into.as_ref().map(ToString::to_string).unwrap_or_default();
            format!("all its keys are below {into}")
        }
        (Kind::Values, None) => "not among its values".to_owned(),
        (Kind::Process, Some(variable)) => match is_named(answers, index, variable) {
            false => format!("{variable} is not set"),
            true if is_system_variable(variable) => format!(
                "{variable} is a system variable; it is read only if the catalogue names it with \
                 `variable`"
            ),
            true => format!("{variable} is set, but not read for this setting"),
        },
        (_, Some(variable)) => {
            let read = what_is_read(answers, index);
            format!("{} {} not set {variable}", read.0, if read.1 { "do" } else { "does" })
        }
        (_, None) => {
            let read = what_is_read(answers, index);
            format!("{} {} not set it", read.0, if read.1 { "do" } else { "does" })
        }
    }
}

/// Why a layer of source code has no fallback for a setting.
fn fallback_of(answers: &Answers<'_>, index: LayerIndex, key: KeyId) -> String {
    for reading in sources_of(answers, index) {
        let mut needs = reading.needs.iter().filter(|need| need.key == key);
        if let Some(first) = needs.next() {
            let more = match needs.count() {
                0 => String::new(),
                more => format!(", and {more} more in this file"),
            };
            return format!("read without a fallback ({}){more}", reading.place(first.leaf));
        }
    }
    "no code that it reads has a fallback".to_owned()
}

/// Whether a source of the layer has that name, whatever it is read for.
fn is_named(answers: &Answers<'_>, index: LayerIndex, name: &str) -> bool {
    let keys = answers.resolution().keys();
    let mut leaves = sources_of(answers, index).flat_map(|reading| &reading.document.leaves);
    leaves.any(|leaf| keys.parent(leaf.name) == KeyId::ROOT && keys.segment(leaf.name) == name)
}

/// What a layer reads here, and whether that is several things.
fn what_is_read(answers: &Answers<'_>, index: LayerIndex) -> (String, bool) {
    let layer = answers.resolution().readings().layer(index);
    if let (Kind::Scope, Some(scope)) = (layer.kind, &layer.scope) {
        return (format!("the scope {} of {}", scope.scope, scope.store), false);
    }
    if let (Kind::Scopes, Some(scope)) = (layer.kind, &layer.scope) {
        let names = sources_of(answers, index).filter_map(|it| it.document.scope.as_ref());
        let names: Vec<&str> = names.map(|scope| scope.name.as_ref()).collect();
        return match names.len() {
            1 => (format!("the scope {} of {}", names[0], scope.store), false),
            2..=3 => {
                (format!("the scopes {} of {}", list_values(&names, "and"), scope.store), true)
            }
            count => {
                (format!("the {count} scopes of {} that match {}", scope.store, scope.scope), true)
            }
        };
    }
    let mut sources: Vec<&str> =
        sources_of(answers, index).map(|reading| reading.origin.name()).collect();
    sources.dedup();
    let path = match sources.len() {
        0 => layer.path.clone().unwrap_or_else(|| "the layer".to_owned()),
        1..=3 => list_values(&sources, "and"),
        count if layer.kind == Kind::File => {
            let path = layer.path.as_deref().unwrap_or("");
            format!("{path} and {} files that are read with it", count - 1)
        }
        count => format!("the {count} files that match {}", layer.path.as_deref().unwrap_or("")),
    };
    let path = match &layer.row {
        Some(row) => format!("row {row} of {path}"),
        None => path,
    };
    match &layer.under {
        Some(section) => (format!("section {section} of {path}"), false),
        None => (path, sources.len() > 1),
    }
}

/// The key above or below `key` that a layer sets, which does not set `key`.
fn sets_elsewhere(answers: &Answers<'_>, layer: LayerIndex, key: KeyId) -> Option<String> {
    let (id, more) = sets_instead(answers, layer, key)?;
    let resolution = answers.resolution();
    let keys = resolution.keys();
    let other = resolution.candidate(id);
    let relation = if keys.is_within(key, other.key) { "above" } else { "below" };
    let more = match more {
        0 => String::new(),
        more => format!(", and {more} more"),
    };
    Some(format!(
        "it sets {}, {relation} it ({}: {}){more}",
        keys.show(other.key),
        place_of(answers, other),
        shown(answers, other)
    ))
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
