//! What is wrong with layers and variables: layers that are never active, variables of two settings
//! or of none, values that were left out.

use super::finding::{Evidence, Finding, Lines};
use super::{CheckRule, Extent, Look, meant_by_slip};
use crate::contexts::survey::ContextSet;
use crate::model::key::KeyId;
use crate::model::layer::{Inactivity, LayerIndex, Names, Presence};
use crate::model::near::KnownNames;
use crate::model::place::{Origin, Place};
use crate::model::variable::Naming;
use crate::reading::{Reading, Readings};
use hashbrown::HashMap;
use std::sync::Arc;

pub(super) fn check(
    look: &mut Look<'_>,
    extent: Extent<'_>,
    is_catalogued: bool,
    lines: &Lines<'_>,
) {
    let contexts = look.survey.contexts().to_vec();
    let Some(first) = contexts.first() else { return };
    for index in (0..first.layers.len()).map(LayerIndex) {
        if extent.is_everywhere {
            never_active(look, &contexts, index, extent.open);
        }
        if let Names::Variables(naming) = &first.layer(index).names {
            clashes(look, &contexts, naming);
            strays(look, &contexts, index, naming, is_catalogued, lines);
        }
    }
    left_out(look, &contexts, lines);
}

/// A layer that is active in no context.
fn never_active(
    look: &mut Look<'_>,
    contexts: &[Arc<Readings>],
    index: LayerIndex,
    open: &[String],
) {
    let depends_on_open = contexts.first().is_some_and(|first| {
        let layer = first.layer(index);
        let conditions = layer.when.iter().map(|condition| &condition.axis);
        layer.axes.iter().chain(conditions).any(|axis| open.contains(axis))
    });
    if depends_on_open {
        return;
    }
    let mut why = None;
    for readings in contexts {
        match &readings.layer(index).presence {
            Presence::Inactive(Inactivity::LeftOut) => return,
            Presence::Inactive(inactivity) => why = Some(inactivity.clone()),
            Presence::Read | Presence::Missing(_) | Presence::Unavailable(_) => return,
        }
    }
    let (Some(why), Some(first)) = (why, contexts.first()) else { return };
    let layer = first.layer(index);
    let because = match why {
        Inactivity::Needs { axis } => format!("it needs {axis}, which no context has"),
        _ => format!("it is read {}, and no context is like that", layer.reach_conditions()),
    };
    let message = format!("the layer is active in no context: {because}");
    let finding = Finding::new(CheckRule::NeverActive, message, look.full.clone());
    let finding = finding.about(layer.name.clone());
    look.findings.add(match layer.at {
        Some(at) => finding.at(project_place(first, at)),
        None => finding,
    });
}

/// A place in the project file.
fn project_place(readings: &Readings, at: crate::model::place::Span) -> Evidence {
    let file = readings.inputs.catalogues.first();
    let text = file.map(|(_, text)| text);
    let name = file.map(|(file, _)| Arc::clone(file)).unwrap_or_default();
    let place = Place::in_text(Origin::File(name), text, Some(at));
    Evidence { line: text.map(|text| text.around(at.start)), ..Evidence::at(place) }
}

/// Two settings with one variable, that are known in one context.
fn clashes(look: &mut Look<'_>, contexts: &[Arc<Readings>], naming: &Naming) {
    let Some(first) = contexts.first() else { return };
    let keys = &first.keys;
    let mut by: HashMap<String, Vec<KeyId>> = HashMap::new();
    let known = known_in(look, contexts);
    let mut names = Vec::new();
    for key in look.survey.settings() {
        if !known.contains_key(key) {
            continue;
        }
        let own = first.catalogue.declared(*key).and_then(|it| it.variable.clone());
        let name = own.unwrap_or_else(|| naming.variable(keys, *key));
        let same = by.entry(name.clone()).or_default();
        if same.len() == 1 {
            names.push(name);
        }
        same.push(*key);
    }
    for name in names {
        let same = &by[&name];
        for (at, one) in same.iter().enumerate() {
            for other in &same[at + 1..] {
                let both = known[one].0.and(&known[other].0).and(look.full);
                let shown = [keys.show(*one), keys.show(*other)];
                let message =
                    format!("{} and {} both have the variable {name}", shown[0], shown[1]);
                let finding = Finding::new(CheckRule::VariableClash, message, both);
                let mut finding = finding.about(shown[0].clone()).help(
                    "rename one of them, or give one a variable of its own in the catalogue; to use \
                     this variable is an error",
                );
                for (key, shown) in [one, other].into_iter().zip(shown) {
                    let place = known[key].1.clone();
                    finding.places.extend(place.map(|mut place| {
                        place.what = Some(shown);
                        place
                    }));
                }
                look.findings.add(finding);
            }
        }
    }
}

/// The settings that names which are keys make known, where, and one place of each.
fn known_in(
    look: &Look<'_>,
    contexts: &[Arc<Readings>],
) -> HashMap<KeyId, (ContextSet, Option<Evidence>)> {
    let mut known: HashMap<KeyId, (ContextSet, Option<Evidence>)> = HashMap::new();
    let Some(first) = contexts.first() else { return known };
    for (key, declared) in first.catalogue.settings() {
        let place = first.declared_at(declared).map(Evidence::at);
        known.insert(key, (ContextSet::all(contexts.len()), place));
    }
    for (reading, read) in look.survey.readings() {
        if first.layer(reading.layer).names != Names::Keys || reading.is_removal {
            continue;
        }
        for offer in &reading.offers {
            let (contexts, place) =
                known.entry(offer.key).or_insert_with(|| (ContextSet::none(contexts.len()), None));
            contexts.add(read);
            place.get_or_insert_with(|| {
                let leaf = &reading.document.leaves[offer.leaf as usize];
                Evidence::at(reading.place_of(leaf))
            });
        }
    }
    known
}

/// Variables that were probably meant for a setting.
fn strays(
    look: &mut Look<'_>,
    contexts: &[Arc<Readings>],
    index: LayerIndex,
    naming: &Naming,
    is_catalogued: bool,
    lines: &Lines<'_>,
) {
    let Some(first) = contexts.first() else { return };
    let has_strays = |reading: &Reading| reading.layer == index && !reading.strangers.is_empty();
    let all: Vec<(Arc<Reading>, ContextSet)> = look
        .survey
        .readings()
        .filter(|(reading, _)| has_strays(reading))
        .map(|(reading, contexts)| (Arc::clone(reading), contexts.and(look.full)))
        .collect();
    if all.is_empty() {
        return;
    }
    let known = known_in(look, contexts);
    let variables = known.keys().filter_map(|key| first.variable(index, *key));
    let mut names: Vec<String> = variables.chain(first.inputs.never.iter().cloned()).collect();
    names.sort();
    let names: KnownNames = names.into_iter().collect();
    for (reading, read) in all {
        for stranger in &reading.strangers {
            let name = first.keys.segment(stranger.key);
            let is_ours = !naming.prefix.is_empty() && name.starts_with(&naming.prefix);
            let near = meant_by_slip(name, &names).map(|(_, near)| near);
            let rest = name.strip_prefix(naming.prefix.as_str()).unwrap_or_default();
            let is_broken = rest.split(naming.nest.as_str()).any(str::is_empty);
            let message = match &near {
                Some(near) => format!("it is nearly {near}, and nothing reads it for that"),
                None if is_ours && is_broken => {
                    format!("it has the prefix {} and names no setting", naming.prefix)
                }
                None if is_ours
                    && is_catalogued
                    && !reshapes(look, first, &reading, stranger.leaf) =>
                {
                    format!(
                        "it has the prefix {} and is no setting of the catalogue",
                        naming.prefix
                    )
                }
                None => continue,
            };
            let finding = Finding::new(CheckRule::StrayVariable, message, read.clone());
            let hides = crate::model::secret::is_secret_name(name);
            let place = lines.spot(&reading, stranger.leaf, None, hides);
            let finding = finding.about(name).at(place);
            look.findings.add(match near {
                Some(near) => finding.help(format!("write {near} if that is meant")),
                None => finding,
            });
        }
    }
}

/// Whether what a variable says stands above or below settings that are known otherwise.
fn reshapes(look: &Look<'_>, first: &Readings, reading: &Reading, leaf: u32) -> bool {
    let keys = &first.keys;
    let offer = reading.offers.iter().find(|offer| offer.leaf == leaf);
    offer.is_some_and(|offer| {
        let mut around = keys.above(offer.key).chain(keys.below(offer.key));
        around.any(|key| look.survey.is_setting(key))
    })
}

/// Values that were left out.
fn left_out(look: &mut Look<'_>, contexts: &[Arc<Readings>], lines: &Lines<'_>) {
    let Some(first) = contexts.first() else { return };
    let all: Vec<(Arc<Reading>, ContextSet)> = look
        .survey
        .readings()
        .filter(|(reading, _)| !reading.document.left_out.is_empty())
        .map(|(reading, contexts)| (Arc::clone(reading), contexts.and(look.full)))
        .collect();
    for (reading, read) in all {
        let layer = first.layer(reading.layer);
        for (name, at) in &reading.document.left_out {
            let keys = &first.keys;
            let inside = reading.section.is_none_or(|section| keys.is_within(*name, section));
            if !inside || reading.section == Some(*name) {
                continue;
            }
            let from = reading.section.map_or(0, |section| keys.depth(section));
            let into = layer.into.iter().flat_map(|into| into.segments());
            let segments = into.chain(keys.segments(*name).into_iter().skip(from));
            let path = crate::model::key::KeyPath::from_segments(
                segments.map(str::to_owned).collect::<Vec<_>>(),
            );
            let shown = path.map_or_else(|| keys.show(*name), |path| path.to_string());
            let message = "its value is left out, which says nothing at all";
            let line = lines.line(&reading.origin, reading.document.text.as_ref(), Some(*at));
            let place = Evidence { line, ..Evidence::at(reading.place_at(Some(*at))) };
            let finding = Finding::new(CheckRule::BareNull, message, read.clone());
            look.findings.add(finding.about(shown).at(place).help(
                "write null to take the value of weaker layers away, \"\" for an empty text, or take \
                 the line out",
            ));
        }
    }
}
