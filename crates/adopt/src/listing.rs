//! Which files of a repository are looked at.

use justwhy_project::{Error, World};
use std::collections::BTreeSet;
use std::path::Path;

/// Folders of what was built, fetched or is kept by version control: never entered, tracked or not.
const LEFT_OUT: [&str; 26] = [
    ".git",
    ".hg",
    ".svn",
    "node_modules",
    "bower_components",
    "vendor",
    "third_party",
    ".venv",
    "venv",
    "site-packages",
    "__pycache__",
    ".tox",
    ".mypy_cache",
    "target",
    "build",
    "dist",
    "out",
    ".next",
    ".gradle",
    ".terraform",
    "coverage",
    ".cache",
    ".idea",
    ".vscode",
    "obj",
    "Pods",
];

/// More folders than this are not asked for env files that git ignores.
const MOST_FOLDERS: usize = 20_000;

/// The files that are looked at.
#[derive(Debug, Default)]
pub(crate) struct Listing {
    /// Their paths below the folder, in byte order.
    pub(crate) files: Vec<String>,
    /// Those of them that git ignores: env files.
    pub(crate) ignored: BTreeSet<String>,
    /// Env files that are links: those are not followed.
    pub(crate) links: Vec<String>,
    /// How many have a name that a project file cannot name.
    pub(crate) unnameable: usize,
    /// Whether there are more files than these.
    pub(crate) are_cut: bool,
}

impl Listing {
    /// The files of `folder` that git tracks or would track, and ignored env files beside them.
    pub(crate) fn of(world: &dyn World, folder: &Path) -> Result<Listing, Error> {
        let sources = world.sources(folder).map_err(|why| {
            Error::new("unreadable-folder", format!("the files cannot be listed: {why}"))
        })?;
        let mut listing = Listing { are_cut: sources.are_cut, ..Listing::default() };
        let mut folders: BTreeSet<&str> = BTreeSet::from([""]);
        for path in &sources.files {
            let Some(path) = path.to_str().filter(|path| is_nameable(path)) else {
                listing.unnameable += 1;
                continue;
            };
            let (above, _) = path.rsplit_once('/').unwrap_or(("", path));
            if above.split('/').any(|part| LEFT_OUT.contains(&part)) {
                continue;
            }
            if folders.len() < MOST_FOLDERS {
                folders.insert(above);
            }
            listing.files.push(path.to_owned());
        }
        let mut ignored = Vec::new();
        for above in folders {
            for entry in world.entries(&folder.join(above)).unwrap_or_default() {
                let Some(name) = entry.name.to_str().filter(|name| is_env_name(name)) else {
                    continue;
                };
                if entry.is_folder || !is_nameable(name) {
                    continue;
                }
                let path =
                    if above.is_empty() { name.to_owned() } else { format!("{above}/{name}") };
                match listing.files.binary_search(&path) {
                    Err(_) if entry.is_link => listing.links.push(path),
                    Err(_) => ignored.push(path),
                    Ok(_) => {}
                }
            }
        }
        listing.files.extend(ignored.iter().cloned());
        listing.files.sort();
        listing.files.dedup();
        listing.ignored = ignored.into_iter().collect();
        Ok(listing)
    }
}

/// Whether a file of that name is an env file.
pub(crate) fn is_env_name(name: &str) -> bool {
    name == ".env" || name.starts_with(".env.") || name.ends_with(".env")
}

/// Whether a path can stand in a project file as it is: no pattern, no placeholder, nothing that does not print.
fn is_nameable(path: &str) -> bool {
    const MOST_PARTS: usize = 64;
    path.split('/').count() <= MOST_PARTS
        && !path.chars().any(|c| c.is_control() || "{}*?[]\\\"".contains(c))
}
