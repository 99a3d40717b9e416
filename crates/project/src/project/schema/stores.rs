//! The fields of stores and scopes.

use super::Conditions;
use schemars::JsonSchema;
use std::collections::BTreeMap;

/// Where scopes are kept: one of `file`, `url` and `etcd`.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
#[schemars(rename = "Store")]
pub(super) struct StoreField {
    file: Option<String>,
    url: Option<String>,
    etcd: Option<Vec<String>>,
    /// What every key in etcd begins with.
    root: Option<String>,
    /// The variable with the token, never the token itself.
    token_variable: Option<String>,
}

/// A store that is a file.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct StoreFile {
    #[schemars(range(min = 1, max = 1))]
    justwhy: u8,
    /// Scopes by their names.
    scope: Option<BTreeMap<String, Scope>>,
}

/// A scope and its variables.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Scope {
    about: Option<String>,
    /// Whom it is meant for.
    visible_to: Option<Conditions>,
    variables: Option<BTreeMap<String, Held>>,
}

/// A variable: its value alone, or with what is known about it.
#[derive(JsonSchema)]
#[schemars(untagged)]
enum Held {
    Alone(String),
    Whole(Variable),
}

#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Variable {
    value: String,
    secret: Option<bool>,
    visible_to: Option<Conditions>,
    /// When it was written; a TOML time, which is a string in JSON.
    updated: Option<String>,
    by: Option<String>,
}

/// The user's own `stores.toml`.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct StoresFile {
    #[schemars(range(min = 1, max = 1))]
    justwhy: u8,
    /// Absolute paths of folders outside of repositories from which files may be read.
    read_folders: Option<Vec<String>>,
    /// Variables that change how programs are found, loaded or interpreted, and may be handed over
    /// where the catalogue declares them.
    hand_over: Option<Vec<String>>,
    /// Axes whose values may be sent to stores although their project does not list them.
    open_axes: Option<Vec<String>>,
    allow: Option<Vec<Allow>>,
}

/// A store that may be asked.
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
pub(super) struct Allow {
    /// Scheme, host and port.
    origin: String,
    /// The path below which its address may be; only the origin itself without one.
    path: Option<String>,
    /// The variable whose token it may be sent.
    token_variable: Option<String>,
    /// The user to log in as (etcd).
    user: Option<String>,
    /// A file of certificates by which the store's is judged.
    authorities: Option<String>,
    certificate: Option<String>,
    key: Option<String>,
    /// A duration.
    timeout: Option<String>,
}
