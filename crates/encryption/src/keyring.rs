//! Encrypts and decrypts, with the identities of a file.

use crate::IDENTITY_VARIABLE;
use crate::{identity, named_by_process};
use age::x25519;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use justwhy_core::parallel::lock;
use justwhy_core::{Decrypts, ENCRYPTED_MARK, Encrypts, NotEncrypted, Text};
use std::collections::HashMap;
use std::io::{Read as _, Write as _};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, OnceLock};
use zeroize::{Zeroize as _, Zeroizing};

/// Decrypts with the identities of a file, which is read when the first encrypted value is met, and
/// remembers what it has decrypted and encrypted. What it remembers is wiped when it is dropped.
pub struct Keyring {
    file: Option<PathBuf>,
    identities: OnceLock<Result<Vec<x25519::Identity>, String>>,
    known: Mutex<HashMap<String, Result<Text, String>>>,
    /// How often it was tried whether something is for one of the identities.
    tries: AtomicUsize,
}

impl std::fmt::Debug for Keyring {
    /// Without what is in it.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Keyring").finish_non_exhaustive()
    }
}

impl Keyring {
    /// With the identities of a file; without one nothing can be decrypted but what was encrypted here.
    pub fn new(file: Option<PathBuf>) -> Keyring {
        Keyring {
            file,
            identities: OnceLock::new(),
            known: Mutex::default(),
            tries: AtomicUsize::new(0),
        }
    }

    /// With the file that the process's own environment names.
    pub fn of_process() -> Keyring {
        Keyring::new(named_by_process())
    }

    /// Whether it may decrypt anything that was not encrypted here.
    pub fn may_decrypt(&self) -> bool {
        self.file.is_some()
    }

    fn identities(&self) -> Result<(&[x25519::Identity], &Path), String> {
        let Some(file) = &self.file else {
            return Err(format!("encrypted, and {IDENTITY_VARIABLE} is not set"));
        };
        match self.identities.get_or_init(|| identity::read(file)) {
            Ok(identities) => Ok((identities, file)),
            Err(why) => Err(format!(
                "encrypted, and the identities of {IDENTITY_VARIABLE} cannot be read: {why}"
            )),
        }
    }

    /// Refuses a file whose header takes long to read, or that is encrypted for so many that finding out
    /// which of them we are does.
    fn may_try(&self, file: &[u8], identities: usize) -> Result<(), String> {
        const MOST_RECIPIENTS: usize = 256;
        const MOST_TRIES: usize = 20_000;
        // With that many recipients it is half as long. Who parses it begins anew with each line.
        const MOST_BYTES: usize = 64 * 1024;
        let ends = |line: &&[u8]| !line.starts_with(b"---");
        let header = file.split(|byte| *byte == b'\n').take_while(ends);
        let (mut recipients, mut bytes) = (0, 0);
        for line in header {
            recipients += usize::from(line.starts_with(b"-> "));
            bytes += line.len() + 1;
        }
        if recipients > MOST_RECIPIENTS {
            return Err(format!("encrypted for more than {MOST_RECIPIENTS} recipients"));
        }
        if bytes > MOST_BYTES {
            return Err("encrypted, and the header is too long".to_owned());
        }
        let tries = self.tries.fetch_add(recipients * identities, Ordering::Relaxed);
        match tries > MOST_TRIES {
            true => Err("too many encrypted values for one run".to_owned()),
            false => Ok(()),
        }
    }

    fn read(&self, encrypted: &str) -> Result<Text, String> {
        let (identities, file) = self.identities()?;
        let damaged = || "encrypted, but damaged".to_owned();
        let bytes = encrypted.strip_prefix(ENCRYPTED_MARK).ok_or_else(damaged)?;
        let bytes = STANDARD.decode(bytes).map_err(|_| damaged())?;
        let most = bytes.len();
        let mut plain = Vec::new();
        let mut armoured = age::armor::ArmoredReader::new(bytes.as_slice());
        armoured.read_to_end(&mut plain).map_err(|_| damaged())?;
        self.may_try(&plain, identities.len())?;
        let armoured = age::armor::ArmoredReader::new(plain.as_slice());
        let decryptor = age::Decryptor::new_buffered(armoured).map_err(|_| damaged())?;
        let with = identities.iter().map(|identity| identity as &dyn age::Identity);
        let mut reader = decryptor.decrypt(with).map_err(|error| match error {
            age::DecryptError::NoMatchingKeys => {
                format!("encrypted, but not for the identities in {}", file.display())
            }
            _ => damaged(),
        })?;
        // It is shorter than what it is encrypted to, so that nothing of it is left behind in growing.
        let mut plain = Zeroizing::new(Vec::with_capacity(most));
        reader.read_to_end(&mut plain).map_err(|_| damaged())?;
        match String::from_utf8(std::mem::take(&mut *plain)) {
            Ok(text) => Ok(Text::secret(text)),
            Err(error) => {
                error.into_bytes().zeroize();
                Err("encrypted, but the value is not UTF-8".to_owned())
            }
        }
    }
}

impl Decrypts for Keyring {
    fn decrypt(&self, encrypted: &str) -> Result<Text, String> {
        if let Some(known) = lock(&self.known).get(encrypted) {
            return known.clone();
        }
        let read = self.read(encrypted);
        lock(&self.known).insert(encrypted.to_owned(), read.clone());
        read
    }
}

impl Encrypts for Keyring {
    fn encrypt(&self, text: &str, recipients: &[&str]) -> Result<String, NotEncrypted> {
        let mut meant: Vec<x25519::Recipient> = Vec::new();
        for (number, recipient) in recipients.iter().enumerate() {
            let recipient = recipient.parse().map_err(|_| NotEncrypted::BadRecipient(number))?;
            meant.push(recipient);
        }
        let meant = meant.iter().map(|recipient| recipient as &dyn age::Recipient);
        let encryptor = age::Encryptor::with_recipients(meant).map_err(|_| NotEncrypted::Nobody)?;
        let failed = |_: std::io::Error| NotEncrypted::Failed;
        let mut bytes = Vec::new();
        let mut writer = encryptor.wrap_output(&mut bytes).map_err(failed)?;
        writer.write_all(text.as_bytes()).map_err(failed)?;
        writer.finish().map_err(failed)?;
        let mut encrypted = ENCRYPTED_MARK.to_owned();
        STANDARD.encode_string(bytes, &mut encrypted);
        let known = Ok(Text::secret(text.to_owned()));
        lock(&self.known).insert(encrypted.clone(), known);
        Ok(encrypted)
    }
}
