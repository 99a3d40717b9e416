//! What every layer sets for a setting, or why it sets nothing, as programs read it.

use super::{Near, ShownProvenance, ShownValue, Word, is_false, layer_name, stand_of};
use justwhy_core::{Answers, Explanation, Inactivity, KeyId, LayerIndex, Note, Presence, Row};
use serde::Serialize;

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(super) struct Said {
    #[serde(flatten)]
    stand: ShownProvenance,
    rank: usize,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(test, serde(deserialize_with = "crate::json::present"))]
    written: Option<ShownValue>,
    /// The very characters of it, where a reader of the format changes them.
    #[serde(skip_serializing_if = "Option::is_none")]
    raw: Option<String>,
    verdict: Word,
    rule: Word,
    because: String,
    #[serde(default, skip_serializing_if = "is_false")]
    pins: bool,
    #[serde(default, skip_serializing_if = "is_false")]
    local: bool,
    #[serde(default, skip_serializing_if = "is_false")]
    old_name: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    by: Option<ShownProvenance>,
    #[serde(skip_serializing_if = "Option::is_none")]
    through: Option<String>,
    /// What names the file that has it, if that is not the layer.
    #[serde(skip_serializing_if = "Option::is_none")]
    named_by: Option<String>,
    /// The scope that has it.
    #[serde(skip_serializing_if = "Option::is_none")]
    scope: Option<String>,
    /// What a store sets for it besides its value.
    #[serde(flatten)]
    history: Option<ShownHistory>,
}

/// When a variable of a store was written, by whom, and the number of that revision.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownHistory {
    /// That it is encrypted there.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    encrypted: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    updated: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    updated_by: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    revision: Option<u64>,
}

impl ShownHistory {
    fn of(note: &Note) -> ShownHistory {
        ShownHistory {
            encrypted: note.encrypted.is_some(),
            updated: note.updated.as_deref().map(str::to_owned),
            updated_by: note.by.as_deref().map(str::to_owned),
            revision: note.revision,
        }
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(super) struct Unsaid {
    layer: String,
    rank: usize,
    state: Word,
    because: String,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    near: Vec<Near>,
    #[serde(skip_serializing_if = "Option::is_none")]
    sets_instead: Option<Elsewhere>,
    #[serde(skip_serializing_if = "Option::is_none")]
    inactive: Option<Inactive>,
}

/// Another setting that the layer sets.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct Elsewhere {
    key: String,
    #[serde(flatten)]
    stand: ShownProvenance,
}

/// The condition that keeps a layer from being active.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct Inactive {
    axis: String,
    /// `needs`, `when` or `unless`.
    condition: Word,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    values: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    actual: Option<String>,
}

impl Inactive {
    fn of(presence: &Presence) -> Option<Inactive> {
        let Presence::Inactive(inactivity) = presence else {
            return None;
        };
        Some(match inactivity {
            Inactivity::LeftOut => return None,
            Inactivity::Needs { axis } => Inactive {
                axis: axis.clone(),
                condition: "needs".into(),
                values: Vec::new(),
                actual: None,
            },
            Inactivity::When { condition, actual } => Inactive {
                axis: condition.axis.clone(),
                condition: "when".into(),
                values: condition.values.clone(),
                actual: actual.clone(),
            },
            Inactivity::Unless { axis, value } => Inactive {
                axis: axis.clone(),
                condition: "unless".into(),
                values: vec![value.clone()],
                actual: Some(value.clone()),
            },
        })
    }
}

/// The candidates, and the layers that set nothing, strongest first.
pub(super) fn rows(answers: &Answers<'_>, explanation: &Explanation) -> (Vec<Said>, Vec<Unsaid>) {
    let resolution = answers.resolution();
    let layer_of = |layer: LayerIndex| resolution.readings().layer(layer);
    let show = |key: KeyId| resolution.keys().show(key);
    let mut candidates = Vec::new();
    let mut layers = Vec::new();
    for row in explanation.rows(answers) {
        match row {
            Row::Said {
                at,
                written,
                raw,
                verdict,
                rule,
                by,
                because,
                through,
                named,
                is_old_name,
                pins,
                note,
                scope,
            } => candidates.push(Said {
                stand: ShownProvenance::of(resolution, &at),
                rank: at.layer.0,
                rule: rule.name().into(),
                pins,
                local: layer_of(at.layer).is_local(),
                old_name: is_old_name,
                written: written.map(ShownValue),
                raw,
                verdict: verdict.name().into(),
                because: because.to_string(),
                by: by.map(|by| stand_of(resolution, by)),
                through,
                named_by: named.clone(),
                scope: scope.as_deref().map(str::to_owned),
                history: note.as_deref().map(ShownHistory::of),
            }),
            Row::Unsaid { layer, state, because, near, sets_instead, .. } => layers.push(Unsaid {
                layer: layer_name(resolution, layer),
                rank: layer.0,
                sets_instead: sets_instead.map(|id| Elsewhere {
                    key: show(resolution.candidate(id).key),
                    stand: stand_of(resolution, id),
                }),
                inactive: Inactive::of(&layer_of(layer).presence),
                state: state.name().into(),
                because: because.to_string(),
                near: near.iter().map(Near::of).collect(),
            }),
        }
    }
    (candidates, layers)
}
