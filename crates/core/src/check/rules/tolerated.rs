//! What is read although the format of the file refuses it.

use super::{About, Look, Severity, Visit};
use crate::check::{CheckRule, Evidence, Finding};
use crate::contexts::survey::ContextSet;
use crate::model::fact::Fact;
use crate::reading::Reading;
use std::sync::Arc;

const READ: &str = "other programs may refuse this line: {what}";

pub(crate) static TOLERATED: About =
    About::new("tolerated", Severity::Warning, "what `tolerant` lets pass", &[READ], || {
        Visit::Finish(finish)
    });

fn finish(look: &mut Look<'_>) {
    let all: Vec<(Arc<Reading>, ContextSet)> = look
        .survey
        .readings()
        .filter(|(reading, _)| !reading.document.tolerated.is_empty())
        .map(|(reading, contexts)| (Arc::clone(reading), contexts.and(look.extent.full)))
        .collect();
    for (reading, read) in all {
        for (at, what) in &reading.document.tolerated {
            // The line is not shown: a value of such a file may be a secret.
            let place = Evidence::at(reading.place_at(Some(*at)));
            let fact = Fact::new(READ).with("what", what.to_string());
            let finding = Finding::new(CheckRule(&TOLERATED), fact, read.clone());
            look.findings.add(finding.at(place).help("write it as the format has it"));
        }
    }
}
