//! Encrypted values: texts that begin with `age:`, after which a file of the age format is in base64.

use crate::model::document::Document;
use crate::model::note::Note;
use crate::model::text::Text;
use crate::model::value::Value;
use std::sync::Arc;

#[cfg(test)]
mod tests;

/// Why nothing was encrypted.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum NotEncrypted {
    /// There is nobody for whom it could be.
    Nobody,
    /// The recipient of that number is none.
    BadRecipient(usize),
    /// It failed, which no input is known to bring about.
    Failed,
    /// The program was built without encryption.
    NotBuilt,
}

/// Who encrypts texts. Implemented outside of this crate.
pub trait Encrypts: Send + Sync {
    /// Encrypts a text for all of the recipients.
    fn encrypt(&self, text: &str, recipients: &[&str]) -> Result<String, NotEncrypted>;
}

/// The mark with which an encrypted value begins, and after which the base64 of a file is.
pub const ENCRYPTED_MARK: &str = "age:";

/// The base64 of the beginning of every file of the format, as it is and in its armour of ASCII. Their 21
/// and 24 bytes fill whole groups, so that they always look so.
const BEGINNINGS: [&str; 2] = ["YWdlLWVuY3J5cHRpb24ub3JnL3Yx", "LS0tLS1CRUdJTiBBR0UgRU5DUllQVEVE"];

/// Whether a text is an encrypted value, or what is left of one that was damaged: such a one cannot be
/// read, and is never taken for the text that it looks like. Others may begin with `age:` too.
pub fn is_encrypted(text: &str) -> bool {
    let is_file = |file: &str| BEGINNINGS.iter().any(|beginning| file.starts_with(beginning));
    text.strip_prefix(ENCRYPTED_MARK).is_some_and(|file| is_file(file) || is_remnant(file))
}

/// Whether a text could be the base64 of a file of which the beginning, or anything else, was hit.
fn is_remnant(file: &str) -> bool {
    /// A shorter text could be a word.
    const SHORTEST: usize = 24;
    /// No word is that long, whatever is in it.
    const LONG: usize = 100;
    let plain = file.trim_end_matches('=');
    let is_base64 = !plain.is_empty()
        && plain.bytes().all(|c| c.is_ascii_alphanumeric() || b"+/-_".contains(&c));
    is_base64 && (plain.len() < file.len() || file.len() >= SHORTEST)
        || file.len() >= LONG && !file.contains(char::is_whitespace)
}

/// Who can decrypt values, or not. Implemented outside of this crate, as that takes files with
/// identities in them.
pub trait Decrypts: Send + Sync {
    /// The secret text that the encrypted value holds; why it cannot be read, as a clause, if it cannot.
    fn decrypt(&self, encrypted: &str) -> Result<Text, String>;
}

impl Document {
    /// Puts what can be decrypted in the place of encrypted values, and notes of the others why they
    /// cannot be read.
    pub fn decrypt(&mut self, by: &dyn Decrypts) {
        let is_it = |value: &Value| value.as_text().is_some_and(is_encrypted);
        if !self.leaves.iter().any(|leaf| is_it(&leaf.value)) {
            return;
        }
        let mut known = std::mem::take(&mut self.notes).into_iter().peekable();
        for (index, leaf) in self.leaves.iter_mut().enumerate() {
            let note = known.next_if(|(of, _)| *of == index).map(|(_, note)| note);
            let encrypted = match &leaf.value {
                Value::Text(text) if is_encrypted(text) => Arc::<str>::from(&**text),
                _ => {
                    self.notes.extend(note.map(|note| (index, note)));
                    continue;
                }
            };
            let mut note = note.map_or_else(Note::default, Arc::unwrap_or_clone);
            note.secret = true;
            leaf.value = match by.decrypt(&encrypted) {
                Ok(text) => Value::Text(text),
                Err(why) => {
                    note.unreadable = Some(why.into());
                    Value::Unread
                }
            };
            note.encrypted = Some(encrypted);
            self.notes.push((index, Arc::new(note)));
        }
    }
}
