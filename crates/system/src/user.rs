//! What the user allows: her own `stores.toml`, which no repository can write.
//!
//! A project file, which may be a stranger's, can only ask. What reaches beyond the repository (to
//! contact a store, to read a file elsewhere, to set a variable that changes which programs run) is
//! allowed by this file alone, and the file counts only where nobody else could have put it.

use crate::System;
use justwhy_project::{Allowed, Consent, Error, Files as _, ReadProblem, User, read_allowed};
use std::ffi::OsString;
use std::path::{Path, PathBuf};

/// The most bytes of a `stores.toml`.
const MOST_BYTES: u64 = 1024 * 1024;

/// Where the user's own files are.
#[derive(Clone, Debug)]
pub struct Place {
    /// The `stores.toml` that counts; `None` if the user has no folder for configuration.
    pub allowed: Option<PathBuf>,
    /// Why it cannot count, whatever it holds, as a clause.
    pub problem: Option<String>,
    /// The folder in which copies are kept.
    pub copies: Option<PathBuf>,
}

impl Place {
    /// As the process environment has, never what replaces it.
    pub fn of_process() -> Place {
        Place::of(&|name| std::env::var_os(name))
    }

    fn of(variable: &dyn Fn(&str) -> Option<OsString>) -> Place {
        let variable = |name: &str| variable(name).filter(|value| !value.is_empty());
        let mut problem = None;
        let mut absolute = |name: &str, below: &str| {
            let path = PathBuf::from(variable(name)?);
            if !path.is_absolute() {
                problem.get_or_insert(format!(
                    "{name} is a relative path; only absolute ones are safe"
                ));
                return None;
            }
            Some(if below.is_empty() { path } else { path.join(below) })
        };
        let allowed = absolute("JUSTWHY_STORES", "")
            .or_else(|| absolute("XDG_CONFIG_HOME", "justwhy/stores.toml"))
            .or_else(|| absolute("HOME", ".config/justwhy/stores.toml"));
        let problem = problem.take();
        let folder = |name: &str| variable(name).map(PathBuf::from).filter(|it| it.is_absolute());
        let cache =
            folder("XDG_CACHE_HOME").or_else(|| folder("HOME").map(|home| home.join(".cache")));
        Place { allowed, problem, copies: cache.map(|folder| folder.join("justwhy/stores")) }
    }

    /// The file in which the user would allow something, for a help.
    pub fn file(&self) -> String {
        match &self.allowed {
            Some(path) => path.display().to_string(),
            None => "the file in JUSTWHY_STORES".to_owned(),
        }
    }

    /// Reads what the user allows a project in `repository`.
    pub fn consent(&self, repository: &Path) -> Consent {
        if let Some(problem) = &self.problem {
            return Consent::Unusable(problem.clone());
        }
        let Some(path) = &self.allowed else { return Consent::NoFile };
        let shown = path.display().to_string();
        let real = match path.canonicalize() {
            Ok(real) => real,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Consent::NoFile,
            Err(error) => return Consent::Unusable(format!("{shown} cannot be read: {error}")),
        };
        if let Some(why) = why_not(path, &real, repository) {
            return Consent::Unusable(why);
        }
        let bytes = match System.read_file(&real, MOST_BYTES) {
            Ok(bytes) => bytes,
            Err(ReadProblem::Missing) => return Consent::NoFile,
            Err(problem) => {
                return Consent::Unusable(
                    justwhy_project::unreadable(&problem, &shown).to_string(),
                );
            }
        };
        match read_allowed(&shown, bytes) {
            Ok(user) => Consent::Given(beside(path, user)),
            Err(errors) => {
                let told = |error: &Error| match error.helps().first() {
                    Some(help) => format!("{error} ({help})"),
                    None => error.to_string(),
                };
                Consent::Unusable(errors.first().map(told).unwrap_or_default())
            }
        }
    }
}

/// Why a file cannot be the user's own word: a repository, or somebody else, could have written it.
fn why_not(path: &Path, real: &Path, repository: &Path) -> Option<String> {
    let shown = path.display();
    let repository = repository.canonicalize().unwrap_or_else(|_| repository.to_owned());
    if real.starts_with(&repository) || path.starts_with(&repository) {
        return Some(format!("{shown} is inside the repository, which could then allow itself"));
    }
    let folder = real.parent().unwrap_or(Path::new("/"));
    owned_by_others(real)
        .map(|why| format!("{shown} {why}"))
        .or_else(|| owned_by_others(folder).map(|why| format!("the folder of {shown} {why}")))
}

/// Whether others than the user (or root) own a file or may write to it: a clause that says why.
#[cfg(unix)]
fn owned_by_others(path: &Path) -> Option<String> {
    use std::os::unix::fs::MetadataExt as _;
    let metadata = std::fs::metadata(path).ok()?;
    let me = rustix::process::geteuid().as_raw();
    if metadata.uid() != me && metadata.uid() != 0 {
        return Some("belongs to another user".to_owned());
    }
    // In a folder that is sticky, nobody can replace what is another's.
    let is_sticky = metadata.is_dir() && metadata.mode() & 0o1000 != 0;
    // Where every user has a group of her own, her files are often its too.
    let is_own_group = metadata.gid() == metadata.uid();
    let others = if is_own_group { 0o002 } else { 0o022 };
    if metadata.mode() & others != 0 && !is_sticky {
        return Some("can be written by other users (use chmod go-w)".to_owned());
    }
    None
}

#[cfg(not(unix))]
fn owned_by_others(_path: &Path) -> Option<String> {
    None
}

/// Its files are where the file has, seen from its own folder and not from where somebody is.
fn beside(path: &Path, user: User) -> User {
    let folder = path.parent().unwrap_or(Path::new(""));
    let stores = user.stores.into_iter().map(|it| Allowed {
        authorities: it.authorities.map(|file| folder.join(file)),
        certificate: it.certificate.map(|(one, two)| (folder.join(one), folder.join(two))),
        ..it
    });
    User { stores: stores.collect(), ..user }
}

#[cfg(test)]
mod tests;
