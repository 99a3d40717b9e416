//! The commands: each turns what was resolved into an outcome.

use crate::arguments::{Common, Form};
use crate::look::Look;
use crate::run::{Outcome, Pieces};
use justwhy_core::{Answers, Context, KeyId, Kind, Resolution};
use justwhy_engine::{Snapshot, select};
use justwhy_project::Error;

pub(crate) mod check;
pub(crate) mod compare;
pub(crate) mod demo;
pub(crate) mod effective;
mod expected;
pub(crate) mod explain;
pub(crate) mod export;
pub(crate) mod find;
pub(crate) mod grid;
mod guarded;
pub(crate) mod identity;
pub(crate) mod launch;
pub(crate) mod list;
pub(crate) mod needs;
pub(crate) mod put;
mod sides;
pub(crate) mod stores;
pub(crate) mod suppose;
pub(crate) mod texts;
pub(crate) mod whereabouts;

/// What a command answers from.
pub(crate) struct Answering<'a> {
    pub(crate) snapshot: &'a Snapshot,
    pub(crate) answers: &'a Answers<'a>,
    pub(crate) common: &'a Common,
    pub(crate) look: &'a Look,
    pub(crate) given: &'a justwhy_engine::Arguments,
}

impl<'a> Answering<'a> {
    pub(crate) fn as_json(&self) -> bool {
        self.common.output == Form::Json
    }

    pub(crate) fn resolution(&self) -> &'a Resolution {
        self.answers.resolution()
    }

    pub(crate) fn context(&self) -> &'a Context {
        &self.resolution().readings().context
    }

    /// The outcome of a command that could be done, with what was noticed about the arguments.
    pub(crate) fn outcome(
        &self,
        result: impl Into<Pieces>,
        notes: String,
        is_yes: bool,
    ) -> Outcome {
        let notes = self.notes_on_unset() + &notes;
        Outcome { result: result.into(), notes, code: u8::from(!is_yes), done: Vec::new() }
    }

    /// An `--unset` of something that nothing mentions is probably a slip.
    fn notes_on_unset(&self) -> String {
        let mut notes = String::new();
        for path in self.given.unset_keys() {
            let keys = self.resolution().keys();
            let is_mentioned =
                keys.find(KeyId::ROOT, path).is_some_and(|key| self.is_mentioned(key));
            if is_mentioned {
                continue;
            }
            let shown = path.to_string();
            let near: Vec<String> = select::near_keys(self.resolution(), &shown)
                .into_iter()
                .filter(|near| *near != shown)
                .collect();
            let hint = match near.as_slice() {
                [] => String::new(),
                near => format!("; did you mean {}?", justwhy_core::list_values(near, "or")),
            };
            notes.push_str(
                &self
                    .look
                    .text(&format!("note: nothing mentions {shown}, which --unset names{hint}")),
            );
            notes.push('\n');
        }
        notes
    }

    /// Whether anything but the arguments speaks of `key` or of a key below it.
    fn is_mentioned(&self, key: KeyId) -> bool {
        let resolution = self.resolution();
        let is_other = |id| {
            let layer = resolution.layer_of(resolution.candidate(id));
            resolution.readings().layer(layer).kind != Kind::Arguments
        };
        let catalogue = &resolution.readings().catalogue;
        let mut keys = std::iter::once(key).chain(resolution.keys().below(key));
        keys.any(|key| {
            resolution.candidates(key).any(is_other) || catalogue.declared(key).is_some()
        })
    }
}

/// What was left out, as a sentence.
pub(crate) fn told_left_out(left_out: &[String]) -> Option<String> {
    (!left_out.is_empty()).then(|| {
        format!(
            "Left out, as they describe where you stand: {} (--with-local reads them).",
            justwhy_core::list_values(left_out, "and")
        )
    })
}

/// What is being done while many contexts are read.
fn reading(contexts: usize) -> String {
    format!("reading {contexts} contexts")
}

/// What is being done while settings are looked at in many contexts.
fn looking() -> String {
    "looking at the settings".to_owned()
}

/// Lines that say which contexts cannot be read, one for each reason.
pub(crate) fn unread_notes(look: &Look, unread: &[(Context, Error)]) -> String {
    let mut reasons: Vec<(String, Vec<&Context>)> = Vec::new();
    for (context, error) in unread {
        let error = error.to_string();
        match reasons.iter_mut().find(|(known, _)| *known == error) {
            Some((_, contexts)) => contexts.push(context),
            None => reasons.push((error, vec![context])),
        }
    }
    let note = |(error, contexts): (String, Vec<&Context>)| {
        let named = justwhy_engine::named(contexts.into_iter());
        look.text(&format!("note: {named} cannot be read: {error}")) + "\n"
    };
    reasons.into_iter().map(note).collect()
}

/// The value of each axis, where it is from and what was passed over: `environment=production
/// (--in), region unset (TIDE_REGION is not set)`.
pub(crate) fn context_line(context: &Context) -> String {
    use justwhy_core::AxisOrigin;
    // An axis that nothing could have given a value, such as the one that numbers rows, goes without
    // saying.
    let tells = |axis: &&justwhy_core::AxisValue| {
        axis.origin != AxisOrigin::Nothing || !axis.passed_over.is_empty()
    };
    let axes = context.axes.iter().filter(tells).map(|axis| {
        let from = match &axis.origin {
            AxisOrigin::Variable(name) => Some(name.clone()),
            AxisOrigin::Default => Some("default".to_owned()),
            AxisOrigin::Nothing => None,
            other => Some(other.phrase()),
        };
        let mut why = from.into_iter().collect::<Vec<String>>();
        why.extend(axis.passed_over.iter().cloned());
        let why = match why.as_slice() {
            [] => String::new(),
            why => format!(" ({})", why.join("; ")),
        };
        match &axis.value {
            Some(value) => format!("{}={value}{why}", axis.axis),
            None => format!("{} unset{why}", axis.axis),
        }
    });
    axes.collect::<Vec<_>>().join(", ")
}
