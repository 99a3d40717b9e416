//! Variables: the flat names that processes and env files use for settings.

use crate::{KeyId, Keys};
use hashbrown::HashMap;

#[cfg(test)]
mod tests;

/// How a layer maps variable names to keys and back.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Naming {
    /// What every name begins with; may be empty.
    pub prefix: String,
    /// What separates the segments of a key; never empty.
    pub nest: String,
    /// Whether an empty prefix claims every name (files) or only those of known settings (the
    /// process environment, which is full of names that are not ours).
    pub claims_every_name: bool,
}

/// The settings known in a context, by the name that each has as a variable.
#[derive(Debug, Default)]
pub struct Known {
    by_variable: HashMap<String, (KeyId, Option<KeyId>)>,
}

/// Two known settings that have the same variable.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Clash {
    /// One of them.
    pub one: KeyId,
    /// The other.
    pub other: KeyId,
}

/// A name that is ours.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Claim {
    /// The setting that it means.
    pub key: KeyId,
    /// Whether it is that setting's own variable, not another way of writing it.
    pub is_own: bool,
}

impl Known {
    /// Indexes `settings`, each of them once, by their variables under `naming`.
    pub fn new(keys: &Keys, settings: &[KeyId], naming: &Naming) -> Known {
        let mut by_variable = HashMap::with_capacity(settings.len());
        for &key in settings {
            by_variable
                .entry(naming.variable(keys, key))
                .and_modify(|(_, clash): &mut (KeyId, Option<KeyId>)| {
                    clash.get_or_insert(key);
                })
                .or_insert((key, None));
        }
        Known { by_variable }
    }

    /// Whether `name` is the variable of a known setting.
    pub fn has(&self, name: &str) -> bool {
        self.by_variable.contains_key(name)
    }
}

impl Naming {
    /// The name of the variable of `key`: the prefix and the segments in upper case, `-` as `_`.
    pub fn variable(&self, keys: &Keys, key: KeyId) -> String {
        let mut name = self.prefix.clone();
        keys.for_each_segment(key, |at, segment| {
            if at > 0 {
                name.push_str(&self.nest);
            }
            let start = name.len();
            name.push_str(segment);
            name[start..].make_ascii_uppercase();
            if name[start..].contains('-') {
                let written = name.split_off(start).replace('-', "_");
                name.push_str(&written);
            }
        });
        name
    }

    /// The setting that `name` means, `None` if the name is not ours.
    ///
    /// The order is that of the contract: the variable of a known setting first, then, if the
    /// prefix matches, the rest split at `nest` as a new key, else nobody's.
    pub fn claim(
        &self,
        keys: &mut Keys,
        known: &Known,
        name: &str,
    ) -> Result<Option<Claim>, Clash> {
        match known.by_variable.get(name) {
            Some(&(one, Some(other))) => return Err(Clash { one, other }),
            Some(&(key, None)) => return Ok(Some(Claim { key, is_own: true })),
            None => {}
        }
        if self.prefix.is_empty() && !self.claims_every_name {
            return Ok(None);
        }
        let Some(rest) = name.strip_prefix(self.prefix.as_str()) else {
            return Ok(None);
        };
        if rest.split(self.nest.as_str()).any(str::is_empty) {
            return Ok(None);
        }
        let key = rest
            .split(self.nest.as_str())
            .fold(KeyId::ROOT, |key, segment| keys.child(key, &segment.to_ascii_lowercase()));
        let is_own = self.variable(keys, key) == name;
        Ok(Some(Claim { key, is_own }))
    }
}
