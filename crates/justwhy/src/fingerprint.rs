//! Fingerprints of secrets: whether two are the same can be seen, and nothing else.

use justwhy_core::Value;
use std::collections::hash_map::RandomState;
use std::hash::BuildHasher as _;

/// Makes fingerprints with a key that is drawn anew in every run, so that a fingerprint tells
/// nothing outside of it: nobody can try values against one.
pub(crate) struct Fingerprints(RandomState);

impl Fingerprints {
    pub(crate) fn new() -> Fingerprints {
        Fingerprints(RandomState::new())
    }

    pub(crate) fn of(&self, secret: &Value) -> String {
        format!(
            "{:016x}",
            self.0.hash_one((secret.kind().with_article(), secret.revealed().as_str()))
        )
    }
}
