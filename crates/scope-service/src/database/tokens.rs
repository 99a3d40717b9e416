//! Tokens and those who have them; of a token only its hash is kept.

use super::{Database, Done, Problem, Role};
use justwhy_stores::wire::Caller;
use rusqlite::{OptionalExtension as _, Row, params};
use sha2::{Digest as _, Sha256};

/// # Tokens
impl Database {
    pub(crate) fn add_token(&self, token: &str, name: &str, role: Role) -> Done<()> {
        const LONGEST: usize = 100;
        let is_fine = |c: char| c.is_alphanumeric() || "._-@+ ".contains(c);
        if name.is_empty() || name.chars().count() > LONGEST || !name.chars().all(is_fine) {
            return Err(Problem::Broken(format!(
                "the name of a token has 1 to {LONGEST} letters, digits, blanks and . _ - @ +"
            )));
        }
        self.change(|transaction| {
            let hash = hash(token);
            let sql = "INSERT INTO token VALUES (?1, ?2, ?3)";
            transaction.execute(sql, params![hash, name, role.name()])?;
            Ok(())
        })
    }

    pub(crate) fn revoke(&self, name: &str) -> Done<usize> {
        self.change(|transaction| {
            Ok(transaction.execute("DELETE FROM token WHERE name = ?1", [name])?)
        })
    }

    /// Whose token it is.
    pub(crate) fn caller(&self, token: &str) -> Done<Option<(Caller, Role)>> {
        self.read(|transaction| {
            let sql = "SELECT name, role FROM token WHERE hash = ?1";
            let read = |row: &Row<'_>| Ok((row.get::<_, String>(0)?, row.get::<_, String>(1)?));
            let found = transaction.query_row(sql, [hash(token)], read).optional()?;
            Ok(found.and_then(|(name, role)| {
                let known = Role::named(&role)?;
                Some((Caller { name, role }, known))
            }))
        })
    }
}

/// A token is 256 random bits, so that a plain hash of it cannot be turned round.
fn hash(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}
