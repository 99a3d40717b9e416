//! What a check cannot know: contexts that cannot be read, stores that were not asked.

use super::CheckedFinding;
use crate::surveyed::named;
use justwhy_core::{
    CheckRule, Choice, Context, ContextSet, Evidence, Fact, Finding, Presence, Survey,
};
use justwhy_project::Error;

/// Findings that show which contexts cannot be read.
pub fn cannot_read(unread: &[(Error, Vec<Context>)], of: usize) -> Vec<CheckedFinding> {
    let told = unread.iter().map(|(error, contexts)| {
        let rule = CheckRule::CANNOT_READ;
        let mut finding = Finding::new(
            rule,
            Fact::new("{problem}").with("problem", error.message()),
            ContextSet::none(of),
        );
        if let Some(place) = error.place() {
            finding = finding.at(Evidence::at(place.clone()));
        }
        for (what, place) in error.others() {
            finding = finding.at(Evidence::of(place.clone(), Fact::told(what)));
        }
        if let Some(help) = error.helps().first() {
            finding = finding.help(Fact::told(help));
        }
        let values = |context: &Context| Choice {
            axes: context
                .set()
                .map(|(axis, value)| (axis.to_owned(), vec![value.to_owned()]))
                .collect(),
        };
        CheckedFinding {
            finding,
            contexts: named(contexts.iter()),
            choices: contexts.iter().map(values).collect(),
            accepted: None,
        }
    });
    told.collect()
}

/// What is not checked as nobody knows it: what stores that were not asked would say, and values that
/// cannot be read.
pub(super) fn not_known(survey: &Survey) -> Vec<(CheckRule, Fact)> {
    let mut unasked: Vec<&str> = Vec::new();
    let mut unread: Vec<&str> = Vec::new();
    for readings in survey.contexts() {
        for layer in &readings.layers {
            let name = layer.name.as_str();
            if matches!(layer.presence, Presence::Unavailable(_)) && !unasked.contains(&name) {
                unasked.push(name);
            }
        }
        for reading in &readings.readings {
            let name = readings.layer(reading.layer).name.as_str();
            let mut notes = reading.document.notes.iter();
            if !unread.contains(&name) && notes.any(|(_, note)| note.unreadable.is_some()) {
                unread.push(name);
            }
        }
    }
    let mut not_run = Vec::new();
    if !unasked.is_empty() {
        let why = Fact::new("not contacted for {layers} (--offline)").with("layers", unasked);
        not_run.push((CheckRule::MISSING_REQUIRED, why.clone()));
        not_run.push((CheckRule::BAD_VALUE, why));
    }
    if !unread.is_empty() {
        let why = Fact::new("some values of {layers} cannot be read").with("layers", unread);
        not_run.push((CheckRule::BAD_VALUE, why));
    }
    not_run
}
