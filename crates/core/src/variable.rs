//! Variables: the flat names that processes and env files use for settings.

use crate::{KeyId, Keys};
use hashbrown::{DefaultHashBuilder, HashTable};
use std::fmt;
use std::hash::BuildHasher as _;

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
///
/// Names are not kept: a project has many settings and few variables, so a name is made again when
/// one is looked up.
pub struct Known {
    by_variable: HashTable<Named>,
    hasher: DefaultHashBuilder,
    naming: Naming,
}

impl fmt::Debug for Known {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Known").field("count", &self.by_variable.len()).finish_non_exhaustive()
    }
}

/// A known setting, another with the same variable if there is one, and that variable's hash.
#[derive(Clone, Copy)]
struct Named {
    hash: u64,
    key: KeyId,
    clash: Option<KeyId>,
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
    /// Whether that setting is known, rather than made by this name.
    pub is_known: bool,
}

impl Known {
    /// Indexes `settings`, each of them once, by their variables under `naming`.
    pub fn new(keys: &Keys, settings: &[KeyId], naming: &Naming) -> Known {
        let hasher = DefaultHashBuilder::default();
        let mut by_variable: HashTable<Named> = HashTable::with_capacity(settings.len());
        let mut name = String::new();
        for &key in settings {
            name.clear();
            naming.push_variable(&mut name, keys, key);
            let hash = hasher.hash_one(name.as_str());
            let same =
                |named: &Named| named.hash == hash && naming.variable(keys, named.key) == name;
            match by_variable.find_mut(hash, same) {
                Some(named) => {
                    named.clash.get_or_insert(key);
                }
                None => {
                    let named = Named { hash, key, clash: None };
                    by_variable.insert_unique(hash, named, |named| named.hash);
                }
            }
        }
        Known { by_variable, hasher, naming: naming.clone() }
    }

    fn find(&self, keys: &Keys, name: &str) -> Option<Named> {
        let hash = self.hasher.hash_one(name);
        let same =
            |named: &Named| named.hash == hash && self.naming.variable(keys, named.key) == name;
        self.by_variable.find(hash, same).copied()
    }
}

impl Naming {
    /// The name of the variable of `key`: the prefix and the segments in upper case, `-` as `_`.
    pub fn variable(&self, keys: &Keys, key: KeyId) -> String {
        let mut name = String::with_capacity(48);
        self.push_variable(&mut name, keys, key);
        name
    }

    fn push_variable(&self, name: &mut String, keys: &Keys, key: KeyId) {
        name.push_str(&self.prefix);
        keys.for_each_segment(key, |at, segment| {
            if at > 0 {
                name.push_str(&self.nest);
            }
            let start = name.len();
            name.push_str(segment);
            name[start..].make_ascii_uppercase();
            if segment.contains('-') {
                let written = name.split_off(start).replace('-', "_");
                name.push_str(&written);
            }
        });
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
        match known.find(keys, name) {
            Some(Named { key, clash: Some(other), .. }) => return Err(Clash { one: key, other }),
            Some(Named { key, .. }) => {
                return Ok(Some(Claim { key, is_own: true, is_known: true }));
            }
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
        Ok(Some(Claim { key, is_own, is_known: false }))
    }
}
