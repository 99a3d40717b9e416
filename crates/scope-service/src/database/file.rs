//! The file that holds a database: which one it is, and that it is its owner's alone.

use std::path::Path;

/// Which file is at a path.
#[cfg(unix)]
pub(super) fn identity(path: &Path) -> Option<(u64, u64)> {
    use std::os::unix::fs::MetadataExt as _;
    std::fs::metadata(path).ok().map(|metadata| (metadata.dev(), metadata.ino()))
}

#[cfg(not(unix))]
pub(super) fn identity(_path: &Path) -> Option<(u64, u64)> {
    None
}

/// Takes from others what they may do with a file that was there before, and with what SQLite has put
/// beside it.
pub(super) fn make_private(path: &Path) -> std::io::Result<()> {
    #[cfg(unix)]
    for end in ["", "-wal", "-shm", "-journal"] {
        use std::os::unix::fs::PermissionsExt as _;
        let mut file = path.as_os_str().to_owned();
        file.push(end);
        let file = std::path::PathBuf::from(file);
        match std::fs::metadata(&file) {
            Ok(metadata) if metadata.permissions().mode() & 0o077 != 0 => {
                std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o600))?;
            }
            _ => {}
        }
    }
    #[cfg(not(unix))]
    let _ = path;
    Ok(())
}

/// Makes the file for its owner alone; what SQLite puts beside it gets the same permissions.
pub(super) fn create_private(path: &Path) -> std::io::Result<()> {
    let mut options = std::fs::OpenOptions::new();
    options.create(true).append(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt as _;
        options.mode(0o600);
    }
    options.open(path).map(drop)
}
