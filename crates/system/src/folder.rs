//! Writing a whole new folder, or nothing.

use justwhy_project::Error;
use std::io;
use std::path::{Path, PathBuf};

/// Writes `files` as the folder `target`, which must not be there or be empty. The files are
/// written beside it and moved into place, so that nobody ever sees half of them.
pub fn write_new_folder(
    target: &Path,
    files: &[(&'static str, &'static str)],
) -> Result<(), Error> {
    let refused = |error: io::Error| {
        let message = format!("{} cannot be written: {error}", target.display());
        Error::new("unwritable-folder", message)
    };
    match std::fs::read_dir(target).map(|mut entries| entries.next().is_some()) {
        Ok(true) => {
            let message = format!("{} is not empty; nothing was written", target.display());
            return Err(Error::new("folder-in-use", message).help("name a new or empty folder"));
        }
        Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(refused(error)),
        Ok(false) | Err(_) => {}
    }
    let parent = match target.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    };
    std::fs::create_dir_all(parent).map_err(refused)?;
    let beside =
        tempfile::Builder::new().prefix(".justwhy-").tempdir_in(parent).map_err(refused)?;
    write_files(beside.path(), files).map_err(refused)?;
    open_to_all(beside.path()).map_err(refused)?;
    std::fs::rename(beside.path(), target).map_err(refused)?;
    // It is where it belongs now; there is nothing left to remove.
    let _ = beside.keep();
    Ok(())
}

/// Writes `files` as a new folder where the system keeps temporary ones, and leaves it there.
pub fn write_temporary_folder(
    prefix: &str,
    files: &[(&'static str, &'static str)],
) -> Result<PathBuf, Error> {
    let refused = |error: io::Error| {
        Error::new("unwritable-folder", format!("no temporary folder can be created: {error}"))
    };
    let folder = tempfile::Builder::new().prefix(prefix).tempdir().map_err(refused)?;
    write_files(folder.path(), files).map_err(refused)?;
    Ok(folder.keep())
}

fn write_files(folder: &Path, files: &[(&'static str, &'static str)]) -> io::Result<()> {
    for (path, text) in files {
        let path = folder.join(path);
        if let Some(parent) = path.parent() {
            std::fs::create_dir_all(parent)?;
        }
        std::fs::write(path, text)?;
    }
    Ok(())
}

/// A temporary folder is its owner's alone; one that somebody asked for is like any other.
#[cfg(unix)]
fn open_to_all(folder: &Path) -> io::Result<()> {
    use std::os::unix::fs::PermissionsExt as _;
    std::fs::set_permissions(folder, std::fs::Permissions::from_mode(0o755))
}

#[cfg(not(unix))]
fn open_to_all(_: &Path) -> io::Result<()> {
    Ok(())
}
