//! A variable that was probably meant for a setting.

use super::variable_clash::known_in;
use super::{About, Look, Severity, Visit};
use crate::check::{CheckRule, Finding, meant_by_slip};
use crate::contexts::survey::ContextSet;
use crate::model::fact::Fact;
use crate::model::layer::{LayerIndex, Names};
use crate::model::near::KnownNames;
use crate::model::variable::Naming;
use crate::reading::{Reading, Readings};
use std::sync::Arc;

const NEAR: &str = "{key} is set but not used; it is similar to {near}";
const NO_NAME: &str = "{key} has the prefix {prefix}, but no name after it that can be a key";
const UNDECLARED: &str = "{key} has the prefix {prefix}, but no such setting is declared";
const MEANT: &str = "did you mean {near}?";

pub(crate) static STRAY_VARIABLE: About = About::new(
    "stray-variable",
    Severity::Warning,
    "a variable that is similar to a known one, or has the prefix and sets nothing",
    &[NEAR, NO_NAME, UNDECLARED],
    || Visit::Finish(finish),
);

fn finish(look: &mut Look<'_>) {
    let contexts = look.survey.contexts();
    let Some(first) = contexts.first() else { return };
    for (index, layer) in first.layers.iter().enumerate() {
        if let Names::Variables(naming) = &layer.names {
            strays(look, contexts, LayerIndex(index), naming);
        }
    }
}

/// Variables that were probably meant for a setting.
fn strays(look: &mut Look<'_>, contexts: &[Arc<Readings>], index: LayerIndex, naming: &Naming) {
    let Some(first) = contexts.first() else { return };
    let has_strays = |reading: &Reading| reading.layer == index && !reading.strangers.is_empty();
    let all: Vec<(Arc<Reading>, ContextSet)> = look
        .survey
        .readings()
        .filter(|(reading, _)| has_strays(reading))
        .map(|(reading, contexts)| (Arc::clone(reading), contexts.and(look.extent.full)))
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
            let fact = match &near {
                Some(near) => Fact::new(NEAR).with("near", *near),
                None if is_ours && is_broken => {
                    Fact::new(NO_NAME).with("prefix", naming.prefix.as_str())
                }
                None if is_ours
                    && look.is_catalogued
                    && !reshapes(look, first, &reading, stranger.leaf) =>
                {
                    Fact::new(UNDECLARED).with("prefix", naming.prefix.as_str())
                }
                None => continue,
            };
            let finding = Finding::new(CheckRule(&STRAY_VARIABLE), fact, read.clone());
            let hides = crate::model::secret::is_secret_name(name);
            let place = look.lines.spot(&reading, stranger.leaf, None, hides).of_name();
            let finding = finding.about(name).at(place);
            look.findings.add(match near {
                Some(near) => finding.help(Fact::new(MEANT).with("near", near.to_string())),
                None => finding,
            });
        }
    }
}

/// Whether what a variable sets is above or below settings that are known otherwise.
fn reshapes(look: &Look<'_>, first: &Readings, reading: &Reading, leaf: u32) -> bool {
    let keys = &first.keys;
    let offer = reading.offers.iter().find(|offer| offer.leaf == leaf);
    offer.is_some_and(|offer| {
        let mut around = keys.above(offer.key).chain(keys.below(offer.key));
        around.any(|key| look.survey.is_setting(key))
    })
}
