//! Encrypted values: damage is an error and never another text, whatever stands in the header, and is told
//! of without anything of what was meant. What begins with an even byte is taken as it is; what begins with
//! an odd one is a list of damages, four bytes each, to a value that was truly encrypted.
#![no_main]

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use justwhy_core::{Decrypts as _, ENCRYPTED_MARK, Encrypts as _};
use justwhy_encryption::{Keyring, new_identity};
use std::path::PathBuf;
use std::sync::OnceLock;

const TEXT: &str = "high-water-9";

/// The file of an identity, and a text encrypted for it.
fn made() -> &'static (PathBuf, Vec<u8>) {
    static MADE: OnceLock<(PathBuf, Vec<u8>)> = OnceLock::new();
    MADE.get_or_init(|| {
        let file = tempfile::tempdir().expect("a folder").keep().join("identity");
        let recipient = new_identity(&file, "for fuzzing").expect("an identity");
        let encrypted = Keyring::new(None).encrypt(TEXT, &[&recipient, &recipient]);
        let encrypted = encrypted.expect("a recipient");
        let base64 = encrypted.strip_prefix(ENCRYPTED_MARK).expect("the mark");
        (file, STANDARD.decode(base64).expect("base64"))
    })
}

fn damage(bytes: &mut Vec<u8>, how: &[u8]) {
    let at = usize::from(u16::from_le_bytes([how[1], how[2]])) % (bytes.len() + 1);
    // A line of the header, or what follows it.
    let end = bytes[at..].iter().position(|byte| *byte == b'\n');
    let end = end.map_or(bytes.len(), |it| at + it + 1).min(at + 1000);
    match how[0] % 7 {
        0 => bytes.insert(at, how[3]),
        1 if at < bytes.len() => bytes[at] = how[3],
        2 if at < bytes.len() => bytes[at] ^= how[3],
        3 => bytes.truncate(at),
        4 => drop(bytes.drain(at..end)),
        5 => {
            let line = bytes[at..end].repeat(usize::from(how[3]) + 1);
            bytes.splice(at..at, line);
        }
        _ => bytes.splice(at..at, b"-> X25519 ".iter().copied()).for_each(drop),
    }
    bytes.truncate(1 << 20);
}

libfuzzer_sys::fuzz_target!(|input: &[u8]| {
    let Some((kind, rest)) = input.split_first() else { return };
    let (file, whole) = made();
    let bytes = match kind % 2 {
        0 => rest.to_vec(),
        _ => {
            let mut bytes = whole.clone();
            rest.chunks_exact(4).take(24).for_each(|how| damage(&mut bytes, how));
            bytes
        }
    };
    let keyring = Keyring::new(Some(file.clone()));
    let mut encrypted = ENCRYPTED_MARK.to_owned();
    STANDARD.encode_string(&bytes, &mut encrypted);
    match keyring.decrypt(&encrypted) {
        Ok(text) => assert!(*text == *TEXT, "it is another text now"),
        Err(why) => assert!(!why.contains(TEXT), "{why}"),
    }
    // As it stands in a file, where the base64 may be damaged too.
    if let Ok(text) = std::str::from_utf8(rest) {
        let _ = keyring.decrypt(text);
    }
});
