//! Copies of what stores said, for the next time and for `--offline`: one file for each question, for
//! this user alone, and never with a secret's value in it.

use crate::time::now;
use crate::wire::{WireScope, WireVariable};
use justwhy_core::{hide_address_password, is_nearly_secret_name, speaks_of_a_secret};
use justwhy_sources::{Asked, Store};
use serde::{Deserialize, Serialize};
use sha2::{Digest as _, Sha256};
use std::io::Write as _;
use std::path::{Path, PathBuf};

/// The most bytes of a copy.
const MOST_BYTES: u64 = 256 * 1024 * 1024;

/// What is kept of an answer.
#[derive(Serialize, Deserialize, Debug)]
pub(crate) struct Copy {
    justwhy: u8,
    /// Of which store: its kind and its addresses.
    store: String,
    asked: String,
    /// When it was kept or last found to be still true, in seconds since 1970.
    pub(crate) kept_at: u64,
    pub(crate) revision: u64,
    /// By what the store tells whether the answer would be the same; none if something was left out.
    pub(crate) etag: Option<String>,
    pub(crate) scopes: Vec<WireScope>,
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
            justwhy_sources::Kept::Etcd { root, .. } => root.as_str(),
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

    /// The copy, if there is one that can be used.
    pub(crate) fn take(&self) -> Option<Copy> {
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
    pub(crate) fn copy_of(
        &self,
        scopes: &[WireScope],
        revision: u64,
        etag: Option<String>,
        is_secret: &dyn Fn(&str) -> bool,
    ) -> Copy {
        let mut is_whole = true;
        let scopes = scopes.iter().map(|scope| {
            let variables = scope.variables.iter().map(|(name, variable)| {
                let hides = variable.value.as_deref().is_some_and(|value| {
                    variable.secret
                        || is_secret(name)
                        || is_nearly_secret_name(name)
                        || tells(value)
                });
                is_whole &= !hides;
                let kept = match hides {
                    // Marked, so that a copy of it is never taken for a value left out.
                    true => WireVariable { value: None, secret: true, ..variable.clone() },
                    false => variable.clone(),
                };
                (name.clone(), kept)
            });
            WireScope { variables: variables.collect(), ..scope.clone() }
        });
        let scopes = scopes.collect();
        Copy {
            justwhy: 1,
            store: self.store.clone(),
            asked: self.asked.clone(),
            kept_at: now(),
            revision,
            etag: etag.filter(|_| is_whole),
            scopes,
        }
    }

    /// Keeps a copy. That it cannot be kept harms nobody.
    pub(crate) fn keep(&self, copy: &Copy) {
        let _ = self.write(copy);
    }

    /// Notes that the copy still holds.
    pub(crate) fn confirm(&self, copy: &mut Copy) {
        copy.kept_at = now();
        self.keep(copy);
    }

    fn write(&self, copy: &Copy) -> std::io::Result<()> {
        let folder = self.path.parent().unwrap_or(Path::new("."));
        make_folder(folder)?;
        // Temporary files are for their owner alone.
        let mut file = tempfile::NamedTempFile::new_in(folder)?;
        file.write_all(&serde_json::to_vec(copy)?)?;
        file.persist(&self.path)?;
        Ok(())
    }
}

/// Whether a value could hold a secret although nothing says that it is one.
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
