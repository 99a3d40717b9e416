//! A key without a value.

use super::{About, Look, Severity, Visit};
use crate::check::{CheckRule, Evidence, Finding};
use crate::contexts::survey::ContextSet;
use crate::model::fact::Fact;
use crate::model::key::KeyPath;
use crate::reading::Reading;
use std::sync::Arc;

const NO_VALUE: &str = "{key} has no value: key without a value";

pub(crate) static BARE_NULL: About =
    About::new("bare-null", Severity::Warning, "a key without a value", &[NO_VALUE], || {
        Visit::Finish(finish)
    });

fn finish(look: &mut Look<'_>) {
    let Some(first) = look.survey.contexts().first() else { return };
    let all: Vec<(Arc<Reading>, ContextSet)> = look
        .survey
        .readings()
        .filter(|(reading, _)| !reading.document.left_out.is_empty())
        .map(|(reading, contexts)| (Arc::clone(reading), contexts.and(look.extent.full)))
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
            let path = KeyPath::from_segments(segments.map(str::to_owned).collect::<Vec<_>>());
            let shown = path.map_or_else(|| keys.show(*name), |path| path.to_string());
            let line = look.lines.line(&reading.origin, reading.document.text.as_ref(), Some(*at));
            let place = Evidence { line, ..Evidence::at(reading.place_at(Some(*at))) };
            let finding = Finding::new(CheckRule(&BARE_NULL), Fact::new(NO_VALUE), read.clone());
            look.findings.add(finding.about(shown).at(place).help(
                "write null to remove the value of weaker layers, \"\" for an empty string, or \
                 remove the line",
            ));
        }
    }
}
