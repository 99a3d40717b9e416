//! Copies of what stores had, for the next time and for `--offline`: one file for each question, for
//! this user alone, and never with a secret's value in it.

use crate::time::now;
use crate::wire::{OneOrMore, WireScope};
use justwhy_core::{hide_address_password, is_nearly_secret_name, speaks_of_a_secret};
use justwhy_project::{Asked, Store};
use serde::{Deserialize, Serialize};
use sha2::{Digest as _, Sha256};
use std::collections::{BTreeMap, HashMap};
use std::io::Write as _;
use std::path::{Path, PathBuf};

/// The most bytes of a copy.
const MOST_BYTES: u64 = 256 * 1024 * 1024;

/// What is kept of an answer.
#[derive(Serialize, Deserialize, Debug)]
pub(crate) struct Copy<S = WireScope> {
    justwhy: u8,
    /// Of which store: its kind and its addresses.
    store: String,
    asked: String,
    /// When it was kept or last found to be still true, in seconds since 1970.
    pub(crate) kept_at: u64,
    pub(crate) revision: u64,
    /// By what the store reports whether the answer would be the same; none if something was left out.
    pub(crate) etag: Option<String>,
    pub(crate) scopes: Vec<S>,
}

/// A scope as it is kept; read back as a [`WireScope`].
#[derive(Serialize)]
struct KeptScope<'s> {
    name: &'s str,
    #[serde(skip_serializing_if = "Option::is_none")]
    about: Option<&'s str>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    visible_to: &'s BTreeMap<String, OneOrMore>,
    revision: u64,
    #[serde(skip_serializing_if = "str::is_empty")]
    mark: &'s str,
    variables: BTreeMap<&'s str, KeptVariable<'s>>,
}

/// A variable as it is kept.
#[derive(Serialize)]
struct KeptVariable<'s> {
    #[serde(skip_serializing_if = "Option::is_none")]
    value: Option<&'s str>,
    secret: bool,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    visible_to: &'s BTreeMap<String, OneOrMore>,
    #[serde(skip_serializing_if = "Option::is_none")]
    updated: Option<&'s str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    by: Option<&'s str>,
    revision: u64,
    #[serde(skip_serializing_if = "str::is_empty")]
    mark: &'s str,
}

/// Where the copy of an answer is kept.
#[derive(Debug)]
pub(crate) struct Shelf {
    path: PathBuf,
    store: String,
    asked: String,
}

impl Shelf {
    pub(crate) fn of(folder: &Path, store: &Store, asked: &Asked) -> Shelf {
        let root = match &store.kept {
            justwhy_project::Kept::Etcd { root, .. } => root.as_str(),
            _ => "",
        };
        // The token is no part of it: a short one could be guessed from a name made of it.
        let token = store.token_variable.as_deref().unwrap_or_default();
        let identity = format!("{} {} {root} {token}", store.kind(), store.place());
        let asked = match asked {
            Asked::One(name) => format!("one {name}"),
            Asked::Prefix(prefix) => format!("prefix {prefix}"),
        };
        let digest = Sha256::digest(format!("{identity}\n{asked}"));
        let name: String = digest.iter().take(16).map(|byte| format!("{byte:02x}")).collect();
        Shelf { path: folder.join(name + ".json"), store: identity, asked }
    }

    /// The copy, if there is one that can be used, without what counts as a secret by now: it goes from
    /// the disk too.
    pub(crate) fn take(&self, is_secret: &dyn Fn(&str) -> bool) -> Option<Copy> {
        let mut copy = self.found()?;
        let variables = copy.scopes.iter_mut().flat_map(|scope| &mut scope.variables);
        let mut is_changed = false;
        for (name, variable) in variables {
            let hides = variable.value.as_deref().is_some_and(|value| {
                variable.secret || is_secret(name) || is_nearly_secret_name(name) || tells(value)
            });
            if hides {
                (variable.value, variable.secret) = (None, true);
                is_changed = true;
            }
        }
        if is_changed {
            copy.etag = None;
            self.keep(&serde_json::to_vec(&copy).unwrap_or_default());
        }
        Some(copy)
    }

    fn found(&self) -> Option<Copy> {
        let metadata = std::fs::metadata(&self.path).ok()?;
        if !metadata.is_file() || metadata.len() > MOST_BYTES {
            return None;
        }
        let bytes = std::fs::read(&self.path).ok()?;
        let copy: Copy = serde_json::from_slice(&bytes).ok()?;
        let is_it = copy.justwhy == 1 && copy.store == self.store && copy.asked == self.asked;
        is_it.then_some(copy)
    }

    /// What to keep of an answer: all but its secrets; `etag` only if nothing had to be left out.
    pub(crate) fn text_of(
        &self,
        scopes: &[WireScope],
        revision: u64,
        etag: Option<String>,
        is_secret: &dyn Fn(&str) -> bool,
    ) -> Vec<u8> {
        let mut is_whole = true;
        // Scopes mostly have variables of the same names.
        let mut names: HashMap<&str, bool> = HashMap::new();
        let mut is_secret = |name| {
            *names.entry(name).or_insert_with(|| is_secret(name) || is_nearly_secret_name(name))
        };
        let mut kept = Vec::with_capacity(scopes.len());
        for scope in scopes {
            let variables = scope.variables.iter().map(|(name, variable)| {
                let hides = variable.value.as_deref().is_some_and(|value| {
                    variable.secret || is_secret(name.as_str()) || tells(value)
                });
                is_whole &= !hides;
                let kept = KeptVariable {
                    value: variable.value.as_deref().filter(|_| !hides),
                    // Marked, so that a copy of it is never taken for a value left out.
                    secret: variable.secret || hides,
                    visible_to: &variable.visible_to,
                    updated: variable.updated.as_deref(),
                    by: variable.by.as_deref(),
                    revision: variable.revision,
                    mark: &variable.mark,
                };
                (name.as_str(), kept)
            });
            kept.push(KeptScope {
                name: &scope.name,
                about: scope.about.as_deref(),
                visible_to: &scope.visible_to,
                revision: scope.revision,
                mark: &scope.mark,
                variables: variables.collect(),
            });
        }
        let copy = Copy {
            justwhy: 1,
            store: self.store.clone(),
            asked: self.asked.clone(),
            kept_at: now(),
            revision,
            etag: etag.filter(|_| is_whole),
            scopes: kept,
        };
        serde_json::to_vec(&copy).unwrap_or_default()
    }

    /// Keeps a text. That it cannot be kept harms nobody.
    pub(crate) fn keep(&self, text: &[u8]) {
        let _ = self.write(text);
    }

    /// Notes that the copy still holds.
    pub(crate) fn confirm(&self, copy: &mut Copy) {
        copy.kept_at = now();
        self.keep(&serde_json::to_vec(copy).unwrap_or_default());
    }

    fn write(&self, text: &[u8]) -> std::io::Result<()> {
        let folder = self.path.parent().unwrap_or(Path::new("."));
        make_folder(folder)?;
        // Temporary files are for their owner alone.
        let mut file = tempfile::NamedTempFile::new_in(folder)?;
        file.write_all(text)?;
        file.persist(&self.path)?;
        Ok(())
    }
}

/// Whether a value could hold a secret although nothing marks it as one.
fn tells(value: &str) -> bool {
    let text = justwhy_core::Value::Text(value.into());
    *hide_address_password(&text) != text || speaks_of_a_secret(value)
}

#[cfg(unix)]
fn make_folder(folder: &Path) -> std::io::Result<()> {
    use std::os::unix::fs::DirBuilderExt as _;
    std::fs::DirBuilder::new().recursive(true).mode(0o700).create(folder)
}

#[cfg(not(unix))]
fn make_folder(folder: &Path) -> std::io::Result<()> {
    std::fs::create_dir_all(folder)
}
