//! How a setting is declared, and what its value means, as programs read it.

use super::{ShownPlace, Word};
use justwhy_core::{Address, Declaration, KeyId, Resolution};
use serde::Serialize;

/// The declaration of a setting.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(super) struct ShownDeclaration {
    #[serde(rename = "type")]
    kind: Word,
    #[serde(skip_serializing_if = "Option::is_none")]
    items: Option<Word>,
    required: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    about: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    owner: Option<String>,
    #[serde(flatten)]
    place: ShownPlace,
}

impl ShownDeclaration {
    pub(super) fn of(resolution: &Resolution, key: KeyId) -> Option<ShownDeclaration> {
        let readings = resolution.readings();
        let declared = readings.catalogue.declared(key)?;
        let place = readings.declared_at(declared)?;
        let items = declared.shape.items;
        Some(ShownDeclaration {
            kind: declared.shape.kind.name().into(),
            items: (items != Declaration::Any).then(|| items.name().into()),
            required: declared.required.holds(&readings.context),
            about: declared.about.clone(),
            owner: declared.owner.clone(),
            place: ShownPlace::of(&place),
        })
    }
}

/// What a duration or size amounts to.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
#[serde(rename_all = "snake_case")]
pub(super) enum ShownAmount {
    /// A duration.
    Seconds(f64),
    /// A size.
    Bytes(u64),
}

/// The parts of an address, without its password.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(super) struct ShownAddress {
    scheme: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    user: Option<String>,
    has_password: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    host: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    port: Option<u16>,
    path: String,
}

impl ShownAddress {
    pub(super) fn of(address: Address) -> ShownAddress {
        let Address { scheme, user, has_password, host, port, path, .. } = address;
        ShownAddress { scheme, user, has_password, host, port, path }
    }
}
