//! What this crate offers where it is built without the age format: nothing is encrypted or decrypted, and
//! everything that would be says so.

use justwhy_core::{Decrypts, Encrypts, NotEncrypted, Text};
use std::io;
use std::path::{Path, PathBuf};

const WITHOUT: &str = "this program was built without encryption";

/// Decrypts nothing.
#[derive(Debug)]
pub struct NoKeyring {
    file: Option<PathBuf>,
}

impl NoKeyring {
    /// With a file that nobody reads.
    pub fn new(file: Option<PathBuf>) -> NoKeyring {
        NoKeyring { file }
    }

    /// With the file that the process's own environment names.
    pub fn of_process() -> NoKeyring {
        NoKeyring::new(super::named_by_process())
    }

    /// Whether it was given a file with identities.
    pub fn may_decrypt(&self) -> bool {
        self.file.is_some()
    }
}

impl Decrypts for NoKeyring {
    fn decrypt(&self, _: &str) -> Result<Text, String> {
        Err(format!("encrypted, and {WITHOUT}"))
    }
}

impl Encrypts for NoKeyring {
    fn encrypt(&self, _: &str, _: &[&str]) -> Result<String, NotEncrypted> {
        Err(NotEncrypted::NotBuilt)
    }
}

/// Makes no identity.
///
/// # Errors
/// Always [`io::ErrorKind::Unsupported`].
pub fn new_identity(_: &Path, _: &str) -> io::Result<String> {
    Err(io::Error::new(io::ErrorKind::Unsupported, WITHOUT))
}
