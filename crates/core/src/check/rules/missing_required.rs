//! A required setting that is not set.

use super::{About, Look, Seen, Severity, State, Visit};
use crate::check::{CheckRule, Evidence, Finding};
use crate::contexts::survey::ContextSet;
use crate::explanation::Status;
use crate::model::catalogue::{EmptyText, Required};
use crate::model::fact::Fact;
use crate::model::key::KeyId;
use crate::model::layer::{Kind, LayerIndex};
use crate::precedence::verdict::Verdict;
use hashbrown::HashMap;

const NOT_SET: &str = "{key} is required, but not set";
const REMOVED: &str = "{key} is required, but {layer} removes it";
const EMPTY: &str = "{key} is required, but is an empty string";
const FAILS: &str = "{key} is not set, and code fails without it";
const READ: &str = "{key} is not set, but code reads it without a fallback";
const WITHHELD: &str = "{layer} withholds a value here: {why}";
const VARIABLE: &str = "the environment variable {name}";
const LAYER: &str = "the layer {layer}";
const NOT_INCLUDED: &str =
    "not included, but may set it: {places}; justwhy needs lists every place";

pub(crate) static MISSING_REQUIRED: About = About::new(
    "missing-required",
    Severity::Error,
    "a required setting that is not set",
    &[NOT_SET, REMOVED, EMPTY, FAILS, READ],
    || Visit::State(Box::new(Missing::default())),
);

/// Where code reads settings without a fallback, once that was looked for.
#[derive(Default)]
struct Missing {
    needs: Option<HashMap<KeyId, Vec<Needed>>>,
}

/// A place that reads a setting without a fallback.
struct Needed {
    contexts: ContextSet,
    place: Evidence,
    fails: bool,
}

impl State for Missing {
    fn group(&mut self, look: &mut Look<'_>, seen: &Seen<'_>) {
        let found = match &seen.answer.status {
            Status::Absent => match absent(look, seen) {
                None => self.needed(look, seen),
                found => found,
            },
            Status::Error { .. } => empty(look, seen),
            _ => None,
        };
        look.findings.add_some(found);
    }

    /// What is no setting at all: nothing but code has it.
    fn finish(&mut self, look: &mut Look<'_>) {
        // Where code is searched, that is reported as a variable that nothing declares.
        if look.extent.has_code {
            return;
        }
        let survey = look.survey;
        let Some(keys) = survey.keys() else { return };
        let needs = self.needs.get_or_insert_with(|| needs(look));
        let unknown = keys.sorted(needs.keys().copied().filter(|key| !survey.is_setting(*key)));
        for key in unknown {
            let found = finding(&needs[&key], look.extent.full);
            look.findings.add_some(found.map(|finding| finding.about(keys.show(key))));
        }
    }
}

impl Missing {
    fn needed(&mut self, look: &Look<'_>, seen: &Seen<'_>) -> Option<Finding> {
        let needs = self.needs.get_or_insert_with(|| needs(look));
        let mut finding = finding(needs.get(&seen.key)?, &seen.full)?.about(seen.shown());
        finding.help = withheld(seen).or_else(|| variables_left_out(look, seen));
        Some(finding)
    }
}

/// That a setting is not set which these places need.
fn finding(needs: &[Needed], among: &ContextSet) -> Option<Finding> {
    const MOST: usize = 4;
    let mut contexts = ContextSet::none(among.of());
    needs.iter().for_each(|need| contexts.add(&need.contexts.and(among)));
    let fails = needs.iter().any(|need| need.fails);
    let mut finding = Finding::new(
        CheckRule(&MISSING_REQUIRED),
        Fact::new(if fails { FAILS } else { READ }),
        contexts,
    );
    // Who reads it in a way that goes on without a value may mean that.
    if !fails {
        finding.severity = Severity::Warning;
    }
    let mut places: Vec<&Needed> = needs.iter().collect();
    places.sort_by_key(|need| !need.fails);
    finding.places.extend(places.into_iter().take(MOST).map(|need| need.place.clone()));
    (!finding.contexts.is_empty()).then_some(finding)
}

fn needs(look: &Look<'_>) -> HashMap<KeyId, Vec<Needed>> {
    let mut all: HashMap<KeyId, Vec<Needed>> = HashMap::new();
    for (reading, contexts) in look.survey.readings() {
        for need in &reading.needs {
            let hides = look.survey.secrets().has(need.key);
            let place = look.lines.spot(reading, need.leaf, None, hides).of_name();
            let contexts = contexts.clone();
            all.entry(need.key).or_default().push(Needed { contexts, place, fails: need.fails });
        }
    }
    all
}

fn absent(look: &Look<'_>, seen: &Seen<'_>) -> Option<Finding> {
    let required = seen.required_in(look);
    if required.is_empty() {
        return None;
    }
    let rule = CheckRule(&MISSING_REQUIRED);
    let resolution = seen.resolution();
    let strongest = resolution.candidates(seen.key).next().map(|id| resolution.candidate(id));
    let mut finding = match strongest {
        Some(null) if null.verdict == Verdict::Removes => {
            let fact = Fact::new(REMOVED).with("layer", seen.layer(null));
            seen.finding(rule, fact).at(seen.spot(null, None))
        }
        _ => seen.finding(rule, Fact::new(NOT_SET)),
    };
    finding.contexts = required;
    finding.places.extend(match finding.places.is_empty() {
        true => seen.declaration(),
        false => seen.declared_here(),
    });
    finding.help = withheld(seen).or_else(|| variables_left_out(look, seen));
    Some(finding)
}

/// An empty string where none is allowed counts as no value.
fn empty(look: &Look<'_>, seen: &Seen<'_>) -> Option<Finding> {
    let required = seen.required_in(look);
    if required.is_empty() || !stands_for_nothing(seen) {
        return None;
    }
    let winner = seen.resolution().candidate(seen.answer.winner.as_ref()?.candidate);
    let finding = seen.finding(CheckRule(&MISSING_REQUIRED), Fact::new(EMPTY));
    let mut finding = finding.at(seen.spot(winner, None));
    finding.places.extend(seen.declared_here());
    finding.contexts = required;
    Some(finding)
}

/// Whether the setting is invalid as it is an empty string, and may be required.
pub(super) fn stands_for_nothing(seen: &Seen<'_>) -> bool {
    let may_be = seen.declared().is_some_and(|declared| {
        declared.empty == Some(EmptyText::Error) && declared.required != Required::Never
    });
    let is_its_own = seen.answer.failure().is_none_or(|failure| failure.way.is_empty());
    may_be && is_its_own && seen.answer.refuses_empty()
}

/// A value of a store that is meant for other contexts.
fn withheld(seen: &Seen<'_>) -> Option<Fact> {
    let resolution = seen.resolution();
    let mut candidates = resolution.candidates(seen.key).map(|id| resolution.candidate(id));
    let withheld = candidates.find(|candidate| candidate.verdict == Verdict::Withheld)?;
    let why = resolution.note(withheld)?.withheld.as_deref()?;
    Some(Fact::new(WITHHELD).with("layer", seen.layer(withheld)).with("why", why.clone()))
}

/// What could still give a value, although it was left out of the check.
fn variables_left_out(look: &Look<'_>, seen: &Seen<'_>) -> Option<Fact> {
    let readings = seen.resolution().readings();
    if look.extent.with_local {
        return None;
    }
    let layers = (0..readings.layers.len()).rev().map(LayerIndex);
    let local = layers.filter(|at| readings.layer(*at).is_local());
    let places: Vec<Fact> = local
        .filter_map(|at| match readings.layer(at) {
            layer if layer.kind == Kind::Process => {
                Some(Fact::new(VARIABLE).with("name", readings.variable(at, seen.key)?))
            }
            layer if matches!(layer.kind, Kind::Arguments) => None,
            layer => Some(Fact::new(LAYER).with("layer", &layer.name)),
        })
        .collect();
    if places.is_empty() {
        return None;
    }
    Some(Fact::new(NOT_INCLUDED).with("places", places))
}
