//! How secrets are shown: as fingerprints, by which it can be seen whether two are the same, and nothing
//! else; or, where somebody asks for that, as they are.

use justwhy_core::{Explanation, Value};
use std::collections::hash_map::RandomState;
use std::hash::BuildHasher as _;

/// Makes fingerprints with a key that is drawn anew in every run, so that a fingerprint tells
/// nothing outside of it: nobody can try values against one.
pub(crate) struct Fingerprints {
    key: RandomState,
    reveals: bool,
}

impl Fingerprints {
    pub(crate) fn new() -> Fingerprints {
        Fingerprints::revealing(false)
    }

    /// If `reveals`, effective values are shown instead.
    pub(crate) fn revealing(reveals: bool) -> Fingerprints {
        Fingerprints { key: RandomState::new(), reveals }
    }

    /// The fingerprint of a value that takes effect. What somebody gave who asks has one of its own for
    /// each setting: she could be guessing what another one is.
    pub(crate) fn of(&self, answer: &Explanation, value: &Value) -> String {
        let of = answer.is_given.then_some(answer.key);
        let shown = (value.kind().with_article(), value.revealed());
        format!("{:016x}", self.key.hash_one((of, shown.0, shown.1.as_str())))
    }

    /// The effective value as it is to be shown; none if there is none, or it is a secret.
    pub(crate) fn shown(&self, answer: &Explanation) -> Option<Value> {
        match self.reveals {
            true => answer.effective().cloned().map(Value::unhidden),
            false => answer.value(),
        }
    }
}
