//! Encrypted values: the age format with X25519 recipients, in base64 after `age:`.
//!
//! The format brings many other crates along. Without the feature `age` none of them is built, and whatever
//! would be encrypted or decrypted is refused with that reason.

use std::path::PathBuf;

#[cfg(feature = "age")]
mod identity;
#[cfg(feature = "age")]
mod keyring;
#[cfg(feature = "age")]
#[cfg(test)]
mod tests;
#[cfg(not(feature = "age"))]
mod without;

#[cfg(feature = "age")]
pub use identity::new_identity;
#[cfg(feature = "age")]
pub use keyring::Keyring;
#[cfg(not(feature = "age"))]
pub use without::{NoKeyring as Keyring, new_identity};

/// The variable that names the file with the identities.
pub const IDENTITY_VARIABLE: &str = "JUSTWHY_IDENTITY";

/// The file that the process's own environment names.
fn named_by_process() -> Option<PathBuf> {
    std::env::var_os(IDENTITY_VARIABLE).filter(|file| !file.is_empty()).map(PathBuf::from)
}
