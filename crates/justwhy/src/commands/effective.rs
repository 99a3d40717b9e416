//! The effective settings as they are handed to a program, or why they are not.

use super::guarded;
use crate::json::{self, Word};
use crate::look::Role;
use crate::outcome::Outcome;
use crate::running::Answering;
use justwhy_core::{Explanation, Former, KeyId, KeyPath, Kind, Names, Status, Value};
use justwhy_formats::{Exported, NotWritable};
use serde::Serialize;

/// Settings that have a value.
pub(super) struct Effective {
    pub(super) settings: Vec<Exported>,
    /// The variables of those that have none, and names that settings had once.
    pub(super) gone: Vec<String>,
}

/// Why settings are not handed over.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct Refused {
    key: String,
    /// As `list` has it, or `unwritable`.
    status: Word,
    because: String,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct RefusedBody {
    refused: Vec<Refused>,
}

impl From<NotWritable> for Refused {
    fn from(refused: NotWritable) -> Refused {
        let NotWritable { key, because } = refused;
        Refused { key: key.to_string(), status: "unwritable".into(), because }
    }
}

impl Effective {
    /// What the settings come to; refused if one is in error, unknown, or required and absent.
    pub(super) fn of(
        answering: &Answering<'_>,
        chosen: &[KeyId],
    ) -> Result<Effective, Vec<Refused>> {
        let resolution = answering.resolution();
        let (readings, keys) = (resolution.readings(), resolution.keys());
        // As the reader of the process would name them, if the project has how that is done.
        let process = readings.layers.iter().rev().find(|layer| layer.kind == Kind::Process);
        let naming = match process.map(|layer| (&layer.names, &layer.into)) {
            Some((Names::Variables(naming), None)) => naming,
            _ => &answering.snapshot.project().naming,
        };
        let mut effective = Effective { settings: Vec::new(), gone: Vec::new() };
        let mut refused = Vec::new();
        for key in chosen {
            let declared = readings.catalogue.declared(*key);
            let own = declared.and_then(|declared| declared.variable.clone());
            let variable = own.unwrap_or_else(|| naming.variable(keys, *key));
            for former in declared.into_iter().flat_map(|declared| &declared.formerly) {
                effective.gone.push(match former {
                    Former::Variable(name) => name.clone(),
                    Former::Key(path) => naming.variable_of(path.segments()),
                });
            }
            let answer = Explanation::of(answering.answers, *key);
            let mut refuse = |because: String| {
                let status = answer.status.name();
                refused.push(Refused { key: keys.show(*key), status: status.into(), because });
            };
            match &answer.status {
                Status::Set => {}
                Status::Absent => {
                    if declared.is_some_and(|it| it.required.holds(&readings.context)) {
                        refuse("required, but not set".to_owned());
                    }
                    effective.gone.push(variable);
                    continue;
                }
                Status::Error { fact, .. } => {
                    refuse(fact.to_string());
                    continue;
                }
                Status::Unreadable { because } | Status::Uncertain { because } => {
                    refuse(because.to_string());
                    continue;
                }
            }
            let segments = keys.segments(*key).into_iter().map(str::to_owned).collect();
            let (Some(value), Some(key)) = (answer.effective(), KeyPath::from_segments(segments))
            else {
                continue;
            };
            // The password of an address is hidden where the rest of it is shown.
            let is_shown_whole = answer.value().as_ref() == Some(value);
            let is_secret = answer.secret || !is_shown_whole;
            effective.settings.push(Exported { key, variable, value: value.clone(), is_secret });
        }
        effective.gone.extend(claimed(answering));
        if refused.is_empty() { Ok(effective) } else { Err(refused) }
    }

    /// Leaves out those for which `is_wanted` is false; gives them.
    pub(super) fn leave_out(&mut self, is_wanted: impl Fn(&Exported) -> bool) -> Vec<Exported> {
        self.settings.extract_if(.., |setting| !is_wanted(setting)).collect()
    }
}

/// The variables of the process that mean settings, under whatever name: a former one, or one below a
/// branch that was called otherwise.
fn claimed(answering: &Answering<'_>) -> Vec<String> {
    let readings = answering.resolution().readings();
    let keys = answering.resolution().keys();
    let process = readings.readings.iter().filter(|reading| {
        readings.layer(reading.layer).kind == Kind::Process && !reading.is_removal
    });
    let leaves = process.flat_map(|reading| {
        let offered = reading.offers.iter().flat_map(|offer| reading.parts_of(offer.leaf));
        offered.map(|leaf| reading.document.leaves[leaf as usize].name)
    });
    leaves.map(|name| keys.segment(name).to_owned()).collect()
}

/// Whether a null is a value here, which not everything can say.
pub(super) fn is_null(setting: &Exported) -> bool {
    setting.value == Value::Null
}

/// Settings whose variable is for something else, so that the reader of it would not take it for them,
/// or decides which programs run.
pub(super) fn taken(answering: &Answering<'_>, settings: &[Exported]) -> Vec<Refused> {
    let catalogue = &answering.resolution().readings().catalogue;
    let keys = answering.resolution().keys();
    let is_given = |setting: &Exported| {
        let key = keys.find(KeyId::ROOT, &setting.key);
        key.and_then(|key| catalogue.declared(key)).is_some_and(|it| it.variable.is_some())
    };
    let because = |setting: &Exported| {
        let is_declared = is_given(setting);
        let guarded = guarded::why_not(answering, &setting.variable, is_declared);
        guarded.or_else(|| {
            let purpose = answering.snapshot.project().purpose_of(&setting.variable).filter(|_| !is_declared)?;
            Some(format!(
                "its variable would be {}, but {purpose}; choose another with `variable` in the catalogue",
                setting.variable
            ))
        })
    };
    let refused = settings.iter().filter_map(|setting| {
        let because = because(setting)?;
        Some(Refused { key: setting.key.to_string(), status: "unwritable".into(), because })
    });
    refused.collect()
}

/// What is printed when settings are not handed over: nothing of them is.
pub(super) fn refusal(
    answering: &Answering<'_>,
    command: &'static str,
    refused: Vec<Refused>,
) -> Outcome {
    let look = answering.look;
    let mut notes = String::new();
    for Refused { key, because, .. } in &refused {
        let error = look.paint(Role::Wrong, "error");
        notes.push_str(&format!("{error}: {}: {}\n", look.text(key), look.text(because)));
    }
    let unknown = refused.iter().find(|it| it.status != "unwritable");
    let help = match unknown {
        Some(Refused { key, .. }) => {
            format!("justwhy explain {key} shows why; until then nothing is handed over")
        }
        None => "until then nothing is handed over".to_owned(),
    };
    look.paragraph(&mut notes, &format!("help: {help}"), "  ");
    let result = match answering.as_json() {
        true => {
            json::text(&json::Answer::new(command, answering.context(), RefusedBody { refused }))
        }
        false => String::new(),
    };
    answering.outcome(result, notes, false)
}
