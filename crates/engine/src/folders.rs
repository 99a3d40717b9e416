//! Where the working directory is.

use justwhy_project::World;
use std::path::{Path, PathBuf};

/// The path of the working directory below `folder`, with `/` between its parts.
pub(crate) fn inside(world: &dyn World, folder: &Path) -> Option<String> {
    let here = world.current_folder().ok()?;
    let canonical = |path: &Path| world.canonical(path).unwrap_or_else(|_| path.to_owned());
    let (here, folder): (PathBuf, PathBuf) = (canonical(&here), canonical(folder));
    let inside = here.strip_prefix(&folder).ok()?;
    let parts: Vec<String> =
        inside.iter().map(|part| part.to_string_lossy().into_owned()).collect();
    Some(parts.join("/"))
}

/// A path and those above it, the longest first, without the empty one.
pub(crate) fn ancestors(path: &str) -> Vec<&str> {
    let mut all = Vec::new();
    let mut at = path;
    while !at.is_empty() {
        all.push(at);
        at = at.rsplit_once('/').map_or("", |(above, _)| above);
    }
    all
}
