//! The layer `arguments`: `--set` and `--unset`; and what layers read instead of their files.

use justwhy_core::{Document, KeyPath, Keys, LayerIndex, Leaf, Value};
use justwhy_project::Error;
use std::sync::Arc;

/// What the command line sets for settings, in the order of its options.
#[derive(Clone, PartialEq, Default, Debug)]
pub struct Arguments {
    entries: Vec<(KeyPath, Option<String>)>,
    instead: Vec<Instead>,
}

/// What a layer reads instead of its file.
#[derive(Clone, PartialEq, Debug)]
pub(crate) struct Instead {
    pub(crate) layer: LayerIndex,
    /// The file as it was named.
    pub(crate) path: String,
    pub(crate) bytes: Arc<[u8]>,
}

impl Arguments {
    /// Adds a `--set KEY=VALUE`; `number` counts these options from 1.
    ///
    /// Errors name the option by its number: its text may hold a secret.
    pub fn set(&mut self, text: &str, number: usize) -> Result<(), Error> {
        let bad = |problem: &str| {
            Error::new("bad-argument", format!("--set number {number}: {problem}"))
                .help("for example --set database.port=5433")
        };
        let (key, rest) = match KeyPath::parse_start(text) {
            Ok(parsed) => parsed,
            Err(_) if !text.contains('=') => return Err(bad("expected KEY=VALUE")),
            Err(error) => return Err(bad(&format!("invalid key: {error}"))),
        };
        let Some(value) = rest.strip_prefix('=') else {
            return Err(bad(if rest.is_empty() {
                "expected KEY=VALUE"
            } else {
                "invalid key: a segment with other characters than A-Z, a-z, 0-9, `_` and \
                 `-` must be quoted"
            }));
        };
        self.entries.push((key, Some(value.to_owned())));
        Ok(())
    }

    /// Adds an `--unset KEY`.
    pub fn unset(&mut self, text: &str) -> Result<(), Error> {
        let key = KeyPath::parse(text).map_err(|error| {
            Error::new("bad-argument", format!("--unset: invalid key: {error}"))
        })?;
        self.entries.push((key, None));
        Ok(())
    }

    /// Has a layer of one file read these bytes, which are of the file at `path`, instead.
    pub fn read_instead(&mut self, layer: LayerIndex, path: String, bytes: Vec<u8>) {
        self.instead.push(Instead { layer, path, bytes: bytes.into() });
    }

    /// What a layer reads instead of its file.
    pub(crate) fn instead_of(&self, layer: LayerIndex) -> Option<&Instead> {
        self.instead.iter().rev().find(|instead| instead.layer == layer)
    }

    /// The keys that are named, in their order, and whether each is set.
    pub fn keys(&self) -> impl Iterator<Item = (&KeyPath, bool)> {
        self.entries.iter().map(|(key, value)| (key, value.is_some()))
    }

    /// The keys that `--unset` names.
    pub fn unset_keys(&self) -> impl Iterator<Item = &KeyPath> {
        self.entries.iter().filter(|(_, value)| value.is_none()).map(|(key, _)| key)
    }

    /// The arguments as what a source has.
    pub(crate) fn document(&self, keys: &mut Keys) -> Document {
        let leaves = self.entries.iter().map(|(key, value)| Leaf {
            name: keys.intern(justwhy_core::KeyId::ROOT, key),
            value: match value {
                Some(text) => Value::Text(text.as_str().into()),
                None => Value::Null,
            },
            at: None,
            name_at: None,
        });
        Document { leaves: leaves.collect(), ..Document::default() }
    }
}
