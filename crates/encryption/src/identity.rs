//! Files with identities, as the age format has them: an identity in each line, and comments.

use age::secrecy::ExposeSecret as _;
use age::x25519;
use justwhy_project::{Files as _, ReadProblem, unreadable};
use justwhy_system::System;
use std::fs::OpenOptions;
use std::io;
use std::io::Write as _;
use std::path::Path;
use zeroize::Zeroizing;

/// The most bytes of a file with identities.
const MOST_BYTES: u64 = 1024 * 1024;

/// Reads the identities in a file; why they cannot be used, as a clause that sets nothing of them.
pub(super) fn read(file: &Path) -> Result<Vec<x25519::Identity>, String> {
    let shown = file.display().to_string();
    let bytes = System.read_file(file, MOST_BYTES).map_err(|problem| match problem {
        ReadProblem::Missing => format!("file not found: {shown}"),
        problem => unreadable(&problem, &shown).to_string(),
    })?;
    let bytes = Zeroizing::new(bytes);
    if is_of_another(file) {
        return Err(format!("{shown} belongs to another user"));
    }
    if let Some(mode) = mode_for_others(file) {
        return Err(format!(
            "other users can read {shown}: its mode is {mode:04o} (use chmod 600)"
        ));
    }
    let text = std::str::from_utf8(&bytes).map_err(|_| format!("{shown} is not UTF-8"))?;
    let mut identities = Vec::new();
    for (number, line) in text.lines().enumerate() {
        let line = line.trim();
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        let identity = line.parse().map_err(|_| {
            format!("{shown}:{} is not an X25519 identity of the age format", number + 1)
        })?;
        identities.push(identity);
    }
    match identities.is_empty() {
        true => Err(format!("no identity in {shown}")),
        false => Ok(identities),
    }
}

/// The permissions of a file that others than its owner have any of.
#[cfg(unix)]
fn mode_for_others(file: &Path) -> Option<u32> {
    use std::os::unix::fs::PermissionsExt as _;
    let mode = std::fs::metadata(file).ok()?.permissions().mode() & 0o7777;
    (mode & 0o077 != 0).then_some(mode)
}

/// Whether a file belongs to somebody else than the user, who may read it then.
#[cfg(unix)]
fn is_of_another(file: &Path) -> bool {
    use std::os::unix::fs::MetadataExt as _;
    let me = rustix::process::geteuid().as_raw();
    std::fs::metadata(file).is_ok_and(|metadata| metadata.uid() != me)
}

#[cfg(not(unix))]
fn is_of_another(_: &Path) -> bool {
    false
}

/// Elsewhere the folder in which it is shows who may read it.
#[cfg(not(unix))]
fn mode_for_others(_: &Path) -> Option<u32> {
    None
}

/// Makes an identity in a new file that nobody else can read; gives its recipient, and what to encrypt
/// for it. `made` goes into a comment there.
///
/// # Errors
/// Of the system, [`io::ErrorKind::AlreadyExists`] if there is anything at that path. Nothing is left
/// of a file that could not be written whole.
pub fn new_identity(file: &Path, made: &str) -> io::Result<String> {
    let identity = x25519::Identity::generate();
    let recipient = identity.to_public().to_string();
    let secret = identity.to_string();
    let mut options = OpenOptions::new();
    options.write(true).create_new(true);
    #[cfg(unix)]
    std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    let mut new = options.open(file)?;
    let comments = format!("# {made}\n# recipient: {recipient}\n");
    let parts = [comments.as_bytes(), secret.expose_secret().as_bytes(), b"\n"];
    let written = parts.into_iter().try_for_each(|part| new.write_all(part));
    match written.and_then(|()| new.sync_all()) {
        Ok(()) => Ok(recipient),
        Err(error) => {
            drop(new);
            // It was made right now, and is of no use to anybody.
            let _ = std::fs::remove_file(file);
            Err(error)
        }
    }
}
