//! A layer that applies in no context.

use super::{About, Look, Needs, Severity, Visit};
use crate::check::{CheckRule, Evidence, Finding};
use crate::model::fact::Fact;
use crate::model::layer::{Inactivity, LayerIndex, Presence};
use crate::model::place::{Origin, Place, Span};
use crate::reading::Readings;
use std::sync::Arc;

const NEEDS: &str = "layer {key} applies in no context: it needs {axis}, which is always unset";
const NOWHERE: &str = "layer {key} applies in no context: {condition}";

pub(crate) static NEVER_ACTIVE: About = About::new(
    "never-active",
    Severity::Warning,
    "a layer that applies in no context",
    &[NEEDS, NOWHERE],
    || Visit::Finish(finish),
)
.needing(Needs::EveryContext);

fn finish(look: &mut Look<'_>) {
    let contexts = look.survey.contexts();
    let layers = contexts.first().map_or(0, |first| first.layers.len());
    (0..layers).map(LayerIndex).for_each(|index| never_active(look, contexts, index));
}

/// A layer that applies in no context.
fn never_active(look: &mut Look<'_>, contexts: &[Arc<Readings>], index: LayerIndex) {
    let open = look.extent.open;
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
    let fact = match why {
        Inactivity::Needs { axis } => Fact::new(NEEDS).with("axis", axis),
        _ => Fact::new(NOWHERE).with("condition", layer.reach_conditions()),
    };
    let finding = Finding::new(CheckRule(&NEVER_ACTIVE), fact, look.extent.full.clone());
    let finding = finding.about(layer.name.clone());
    look.findings.add(match layer.at {
        Some(at) => finding.at(project_place(first, at)),
        None => finding,
    });
}

/// A place in the project file.
fn project_place(readings: &Readings, at: Span) -> Evidence {
    let file = readings.inputs.catalogues.first();
    let text = file.map(|(_, text)| text);
    let name = file.map(|(file, _)| Arc::clone(file)).unwrap_or_default();
    let place = Place::in_text(Origin::File(name), text, Some(at));
    Evidence { line: text.map(|text| text.around(at)), ..Evidence::at(place) }
}
