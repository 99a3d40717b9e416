//! The files of a folder that is in no repository.

use ignore::WalkBuilder;
use justwhy_project::Sources;
use std::path::{Path, PathBuf};

/// More files than this are nobody's project.
const MOST: usize = 1_000_000;
/// Folders of what was built, fetched or is kept by version control.
const LEFT_OUT: [&str; 9] =
    [".git", ".hg", ".svn", "node_modules", ".venv", "venv", "__pycache__", "target", ".tox"];

/// All files that ignore files do not leave out; links are not followed.
pub(crate) fn files(folder: &Path) -> Sources {
    let walk = WalkBuilder::new(folder)
        .hidden(false)
        .require_git(false)
        .git_global(false)
        .parents(false)
        .filter_entry(|entry| {
            let is_folder = entry.file_type().is_some_and(|kind| kind.is_dir());
            !is_folder || !LEFT_OUT.iter().any(|name| entry.file_name() == *name)
        })
        .build();
    let mut files: Vec<PathBuf> = Vec::new();
    let mut are_cut = false;
    for entry in walk.flatten() {
        if !entry.file_type().is_some_and(|kind| kind.is_file()) {
            continue;
        }
        if files.len() == MOST {
            are_cut = true;
            break;
        }
        files.extend(entry.path().strip_prefix(folder).map(Path::to_owned));
    }
    files.sort();
    Sources { files, are_tracked: false, are_cut }
}
