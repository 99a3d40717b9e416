//! Two settings with one variable.

use super::{About, Look, Severity, Visit};
use crate::check::{CheckRule, Evidence, Finding};
use crate::contexts::survey::ContextSet;
use crate::model::fact::Fact;
use crate::model::key::KeyId;
use crate::model::layer::{Layer, Names};
use crate::model::variable::Naming;
use crate::reading::Readings;
use hashbrown::HashMap;
use std::sync::Arc;

const SAME: &str = "{key} and {other} have the same variable, {variable}";

pub(crate) static VARIABLE_CLASH: About = About::new(
    "variable-clash",
    Severity::Error,
    "two settings with one variable",
    &[SAME],
    || Visit::Finish(finish),
);

fn finish(look: &mut Look<'_>) {
    let contexts = look.survey.contexts();
    let Some(first) = contexts.first() else { return };
    for names in first.layers.iter().flat_map(Layer::all_names) {
        if let Names::Variables(naming) = names {
            clashes(look, contexts, naming);
        }
    }
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
                let both = known[one].0.and(&known[other].0).and(look.extent.full);
                let shown = [keys.show(*one), keys.show(*other)];
                let fact = Fact::new(SAME)
                    .with("other", shown[1].as_str())
                    .with("variable", name.as_str());
                let finding = Finding::new(CheckRule(&VARIABLE_CLASH), fact, both);
                let mut finding = finding.about(shown[0].clone()).help(
                    "rename one of them, or declare another `variable` for one; nobody can use this \
                     variable",
                );
                for (key, shown) in [one, other].into_iter().zip(shown) {
                    let place = known[key].1.clone();
                    finding.places.extend(place.map(|mut place| {
                        place.what = Some(Fact::told(shown));
                        place
                    }));
                }
                look.findings.add(finding);
            }
        }
    }
}

/// The settings that names which are keys make known, where, and one place of each.
pub(super) fn known_in(
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
        let names = first.layer(reading.layer).names_in(&reading.document);
        if *names != Names::Keys || reading.is_removal {
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
