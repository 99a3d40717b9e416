//! What lies beyond the repository: a project file, which may be a stranger's, can name it, and only the
//! user can allow it to be read.

use crate::consent::Consent;
use crate::error::Error;
use crate::ports::World;
use std::path::{Component, Path, PathBuf};

/// The folder of the repository that a folder is in, without links: the nearest one above that git has
/// marked; the folder itself where there is none.
pub fn repository_of(world: &dyn World, folder: &Path) -> PathBuf {
    let real = real(world, folder);
    let has_mark = |at: &&Path| {
        let mark = at.join(".git");
        world.is_folder(&mark) || world.is_file(&mark)
    };
    real.ancestors().find(has_mark).unwrap_or(&real).to_owned()
}

/// Refuses a path that leads out of the repository, by its parts or through a link, unless the user
/// allows that place. `shown` is the path as it is written.
pub fn check(world: &dyn World, repository: &Path, path: &Path, shown: &str) -> Result<(), Error> {
    match leaves(world, repository, path) {
        None => Ok(()),
        Some(target) => match is_allowed(world, repository, &target) {
            Ok(()) => Ok(()),
            Err(why) => Err(refusal(world, shown, &target, why)),
        },
    }
}

/// Where a path leads that leads out of the repository.
pub fn leaves(world: &dyn World, repository: &Path, path: &Path) -> Option<PathBuf> {
    let target = real(world, path);
    (!target.starts_with(repository)).then_some(target)
}

/// Whether the user allows a place without links to be read; if not, why, as a clause.
pub fn is_allowed(
    world: &dyn World,
    repository: &Path,
    target: &Path,
) -> Result<(), Option<String>> {
    match world.consent(repository) {
        Consent::Given(user) => {
            let is_in = |folder: &PathBuf| {
                world.canonical(folder).is_ok_and(|folder| target.starts_with(folder))
            };
            if user.read_folders.iter().any(is_in) { Ok(()) } else { Err(None) }
        }
        Consent::NoFile => Err(None),
        Consent::Unusable(why) => Err(Some(why)),
    }
}

fn refusal(world: &dyn World, shown: &str, target: &Path, why: Option<String>) -> Error {
    let message = format!("{shown} is outside the repository, at {}", target.display());
    let error = Error::new("outside", message).at(shown, None);
    let error = match why {
        Some(why) => error.help(format!("your own configuration cannot be read: {why}")),
        None => error,
    };
    error.help(how_to_allow(world, target))
}

/// How the user lets a place be read.
pub fn how_to_allow(world: &dyn World, target: &Path) -> String {
    let folder = target.parent().unwrap_or(target);
    format!(
        "if you trust this project with it, add to {}: read_folders = [\"{}\"]",
        world.consent_file(),
        folder.display()
    )
}

/// The path without links and `..`, as far as it is there. A `..` leads out of what a link leads to, as
/// it does for the system.
fn real(world: &dyn World, path: &Path) -> PathBuf {
    if let Ok(real) = world.canonical(path) {
        return real;
    }
    let mut parts = path.components();
    let last = parts.next_back();
    let mut above = match last {
        None | Some(Component::RootDir | Component::Prefix(_)) => return path.to_owned(),
        Some(_) => real(world, parts.as_path()),
    };
    match last {
        Some(Component::Normal(name)) => above.push(name),
        Some(Component::ParentDir) => drop(above.pop()),
        _ => {}
    }
    above
}
