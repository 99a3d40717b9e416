//! Two contexts that must differ and do not.

use super::{About, Look, Needs, Seen, Severity, State, Visit};
use crate::check::{CheckRule, Finding};
use crate::contexts::survey::{ContextSet, Survey};
use crate::model::fact::Fact;
use crate::model::fact::list_values;
use crate::model::key::KeyId;
use crate::model::value::Value;
use crate::reading::Reading;
use std::sync::Arc;

const SAME: &str = "{key} must differ by {axis}, but is the same for {values}";
const FOR: &str = "for {values}";

pub(crate) static SAME_ACROSS: About = About::new(
    "same-across",
    Severity::Error,
    "one value in contexts that must differ",
    &[SAME],
    || Visit::State(Box::new(SameAcross::default())),
)
.needing(Needs::EveryValueOfTheirAxes);

/// Of settings that must differ: each value that they have, where, and who has it.
#[derive(Default)]
struct SameAcross {
    values: Vec<(KeyId, Vec<Same>)>,
}

/// A value that a setting has in several contexts.
struct Same {
    value: Value,
    contexts: ContextSet,
    winners: Vec<(Arc<Reading>, u32)>,
    is_secret: bool,
}

impl State for SameAcross {
    /// Remembers the values of a setting that must differ.
    fn working(&mut self, _: &mut Look<'_>, seen: &Seen<'_>) {
        let must = seen.declared().is_some_and(|declared| !declared.differs_by.is_empty());
        let Some(value) = seen.answer.effective().filter(|_| must) else {
            return;
        };
        let resolution = seen.resolution();
        let Some(winner) = resolution.winner(seen.key).map(|id| resolution.candidate(id)) else {
            return;
        };
        let reading = Arc::clone(&resolution.readings().readings[winner.reading as usize]);
        let at = match self.values.iter().position(|(key, _)| *key == seen.key) {
            Some(at) => at,
            None => {
                self.values.push((seen.key, Vec::new()));
                self.values.len() - 1
            }
        };
        let all = &mut self.values[at].1;
        let same = match all.iter().position(|same| same.value == *value) {
            Some(same) => same,
            None => {
                all.push(Same {
                    value: value.clone(),
                    contexts: ContextSet::none(seen.full.of()),
                    winners: Vec::new(),
                    is_secret: false,
                });
                all.len() - 1
            }
        };
        let same = &mut all[same];
        same.contexts.add(&seen.full);
        same.is_secret |= seen.answer.secret;
        let is_there = |(other, leaf): &(Arc<Reading>, u32)| {
            Arc::ptr_eq(other, &reading) && *leaf == winner.leaf
        };
        if !same.winners.iter().any(is_there) {
            same.winners.push((reading, winner.leaf));
        }
    }

    fn finish(&mut self, look: &mut Look<'_>) {
        for (key, values) in &self.values {
            values.iter().for_each(|same| tell(look, *key, same));
        }
    }
}

/// A value in contexts that must differ.
fn tell(look: &mut Look<'_>, key: KeyId, same: &Same) {
    let survey = look.survey;
    let contexts = survey.contexts();
    let Some(first) = contexts.first() else { return };
    let Some(declared) = first.catalogue.declared(key) else { return };
    for axis in &declared.differs_by {
        let mut values: Vec<&str> = Vec::new();
        for at in same.contexts.iter() {
            if let Some(value) = contexts[at].context.value(axis)
                && !values.contains(&value)
            {
                values.push(value);
            }
        }
        if values.len() < 2 {
            continue;
        }
        let fact =
            Fact::new(SAME).with("axis", axis.as_str()).with("values", list_values(&values, "and"));
        let finding = Finding::new(CheckRule(&SAME_ACROSS), fact, same.contexts.clone());
        let mut finding = finding.about(first.keys.show(key));
        for (reading, leaf) in &same.winners {
            let within: Vec<&str> = values
                .iter()
                .copied()
                .filter(|value| is_said_for(survey, reading, axis, value))
                .collect();
            let what = (!within.is_empty()).then(|| Fact::new(FOR).with("values", within));
            let hides = same.is_secret || survey.secrets().has(key);
            finding = finding.at(look.lines.spot(reading, *leaf, what, hides));
        }
        look.findings.add(finding);
    }
}

/// Whether a reading is read in a context with that value of an axis.
fn is_said_for(survey: &Survey, reading: &Arc<Reading>, axis: &str, value: &str) -> bool {
    let contexts = survey.contexts();
    let mut readings = survey.readings();
    let read = readings.find(|(other, _)| Arc::ptr_eq(other, reading));
    read.is_some_and(|(_, read)| {
        let mut read = read.iter();
        read.any(|at| contexts[at].context.value(axis) == Some(value))
    })
}
