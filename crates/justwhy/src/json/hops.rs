//! The references in a value, and what it would be without the candidate that wins, as programs read it.

use super::{ShownPlace, ShownValue, Word, is_false, layer_name};
use justwhy_core::{Hop, HopValue, Resolution, Without};
use serde::Serialize;

/// A reference, what it found, and where.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(super) struct ShownHop {
    reference: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    setting: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(test, serde(deserialize_with = "crate::json::present"))]
    value: Option<ShownValue>,
    secret: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    nothing: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    error: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    layer: Option<String>,
    #[serde(flatten)]
    place: Option<ShownPlace>,
    #[serde(skip_serializing_if = "Option::is_none")]
    name: Option<String>,
    #[serde(default, skip_serializing_if = "is_false")]
    falls_back: bool,
    #[serde(default, skip_serializing_if = "is_false")]
    repeated: bool,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    references: Vec<ShownHop>,
}

impl ShownHop {
    pub(super) fn of(hop: Hop) -> ShownHop {
        let (mut value, mut secret, mut nothing, mut error) = (None, false, None, None);
        match hop.found {
            HopValue::Value(found) => value = Some(ShownValue(found)),
            HopValue::Secret => secret = true,
            HopValue::Nothing(why) => nothing = Some(why.to_string()),
            HopValue::Error(why) => error = Some(why.to_string()),
        }
        ShownHop {
            reference: hop.reference,
            setting: hop.setting,
            value,
            secret,
            nothing,
            error,
            layer: hop.layer,
            place: hop.place.as_ref().map(ShownPlace::of),
            name: hop.name,
            falls_back: hop.falls_back,
            repeated: hop.is_repeated,
            references: hop.hops.into_iter().map(ShownHop::of).collect(),
        }
    }
}

/// The answer without the candidate that wins.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(super) struct ShownWithout {
    status: Word,
    secret: bool,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(test, serde(deserialize_with = "crate::json::present"))]
    value: Option<ShownValue>,
    #[serde(skip_serializing_if = "Option::is_none")]
    layer: Option<String>,
    #[serde(flatten)]
    place: Option<ShownPlace>,
}

impl ShownWithout {
    pub(super) fn of(resolution: &Resolution, without: Without) -> ShownWithout {
        let (layer, place) = match without.decided_by {
            Some((layer, place, _)) => {
                (Some(layer_name(resolution, layer)), Some(ShownPlace::of(&place)))
            }
            None => (None, None),
        };
        ShownWithout {
            status: without.status.name().into(),
            secret: without.secret,
            value: without.value.map(ShownValue),
            layer,
            place,
        }
    }
}
