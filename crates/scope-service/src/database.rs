//! What is kept, in SQLite. Every change is one transaction that is on disk before it is acknowledged.

use clap::ValueEnum;
use justwhy_core::Scope;
use justwhy_stores::wire::{
    History, OneOrMore, Page, Version, WireScope, WireVariable, Write, visible_to,
};
use justwhy_stores::{now, rfc3339};
use rusqlite::{Connection, OptionalExtension as _, Row, Transaction, TransactionBehavior, params};
use std::collections::BTreeMap;
use std::fmt;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

mod file;
mod tokens;

use file::{create_private, identity, make_private};

const SCHEMA: &str = "
    CREATE TABLE IF NOT EXISTS store (one INTEGER PRIMARY KEY CHECK (one = 1), revision INTEGER NOT NULL);
    INSERT OR IGNORE INTO store VALUES (1, 0);
    CREATE TABLE IF NOT EXISTS scope (
        name TEXT PRIMARY KEY, about TEXT, visible_to TEXT NOT NULL, revision INTEGER NOT NULL
    ) WITHOUT ROWID;
    CREATE TABLE IF NOT EXISTS variable (
        scope TEXT NOT NULL REFERENCES scope, name TEXT NOT NULL, value TEXT NOT NULL,
        secret INTEGER NOT NULL, visible_to TEXT NOT NULL, updated TEXT, writer TEXT,
        revision INTEGER NOT NULL, PRIMARY KEY (scope, name)
    ) WITHOUT ROWID;
    CREATE TABLE IF NOT EXISTS version (
        scope TEXT NOT NULL, name TEXT NOT NULL, revision INTEGER NOT NULL, value TEXT,
        secret INTEGER NOT NULL, visible_to TEXT NOT NULL, updated TEXT, writer TEXT,
        deleted INTEGER NOT NULL, PRIMARY KEY (scope, name, revision)
    ) WITHOUT ROWID;
    CREATE TABLE IF NOT EXISTS mark (
        revision INTEGER PRIMARY KEY, mark TEXT NOT NULL
    ) WITHOUT ROWID;
    INSERT OR IGNORE INTO mark SELECT revision, lower(hex(randomblob(8))) FROM store;
    INSERT OR IGNORE INTO mark SELECT DISTINCT revision, lower(hex(randomblob(8))) FROM version;
    INSERT OR IGNORE INTO mark SELECT DISTINCT revision, lower(hex(randomblob(8))) FROM scope;
    CREATE TABLE IF NOT EXISTS token (
        hash BLOB PRIMARY KEY, name TEXT NOT NULL, role TEXT NOT NULL
    ) WITHOUT ROWID;
";

/// What a token may do; each may do what the one before may.
#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub(crate) enum Role {
    /// Read, but of a secret only that it is there, and when it changed
    Reader,
    /// Read everything
    Runner,
    /// Write
    Writer,
}

impl Role {
    pub(crate) fn name(self) -> &'static str {
        match self {
            Role::Reader => "reader",
            Role::Runner => "runner",
            Role::Writer => "writer",
        }
    }

    fn named(name: &str) -> Option<Role> {
        [Role::Reader, Role::Runner, Role::Writer].into_iter().find(|role| role.name() == name)
    }

    pub(crate) fn reads_secrets(self) -> bool {
        self >= Role::Runner
    }
}

/// Why something was not done.
#[derive(Debug)]
pub(crate) enum Problem {
    /// There is no such scope.
    NoScope,
    /// There is no such variable.
    NoVariable,
    /// The store has changed since the first page was read.
    Changed,
    /// Something else is there than expected: this revision, or nothing.
    Conflict(Option<u64>),
    /// Too many want to write.
    Busy,
    /// The file is not the one any more that was opened.
    Gone,
    /// The database failed.
    Broken(String),
}

impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Problem::NoScope => f.write_str("no such scope"),
            Problem::NoVariable => f.write_str("no such variable"),
            Problem::Changed => f.write_str("the store has changed since the first page was read"),
            Problem::Conflict(Some(revision)) => {
                write!(f, "the variable exists, in revision {revision}")
            }
            Problem::Conflict(None) => f.write_str("the variable does not exist"),
            Problem::Busy => f.write_str("too many writers at the moment"),
            Problem::Gone => f.write_str("the file of the database was removed or replaced"),
            Problem::Broken(why) => write!(f, "the database failed: {why}"),
        }
    }
}

impl From<rusqlite::Error> for Problem {
    fn from(error: rusqlite::Error) -> Problem {
        // The error of a statement could hold its values.
        Problem::Broken(match error {
            rusqlite::Error::SqliteFailure(failure, _) => failure.to_string(),
            _ => "a stored value cannot be read".to_owned(),
        })
    }
}

type Done<T> = Result<T, Problem>;

/// What must be there for a change to be made.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Precondition {
    /// Nothing.
    Absent,
    /// The variable in this revision, and in no other one of the same number.
    Is {
        /// Its number.
        revision: u64,
        /// Its mark.
        mark: String,
    },
}

/// Everything that is kept.
pub(crate) struct Database {
    writer: Mutex<Connection>,
    /// Connections that read, while nobody uses them.
    readers: Mutex<Vec<Connection>>,
    path: std::path::PathBuf,
    /// Which file was opened.
    file: Option<(u64, u64)>,
}

fn locked<T>(mutex: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    // Who panicked has left a transaction, which is rolled back.
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

fn connect(path: &Path) -> Done<Connection> {
    let connection = Connection::open(path)?;
    connection.busy_timeout(Duration::from_secs(5))?;
    connection.pragma_update(None, "journal_mode", "WAL")?;
    // What is acknowledged is on disk.
    connection.pragma_update(None, "synchronous", "FULL")?;
    connection.pragma_update(None, "foreign_keys", "ON")?;
    Ok(connection)
}

/// # Opening
impl Database {
    pub(crate) fn open(path: &Path) -> Done<Database> {
        create_private(path).map_err(|error| Problem::Broken(error.to_string()))?;
        // What SQLite puts beside it gets its permissions.
        make_private(path).map_err(|error| Problem::Broken(error.to_string()))?;
        let writer = connect(path)?;
        writer.execute_batch(SCHEMA)?;
        make_private(path).map_err(|error| Problem::Broken(error.to_string()))?;
        Ok(Database {
            writer: Mutex::new(writer),
            readers: Mutex::default(),
            path: path.to_owned(),
            file: identity(path),
        })
    }

    /// Refuses to go on with a file that nobody can find any more: what is written there is lost.
    fn is_there(&self) -> Done<()> {
        if self.file.is_some() && identity(&self.path) == self.file {
            return Ok(());
        }
        if cfg!(unix) { Err(Problem::Gone) } else { Ok(()) }
    }

    /// Takes scopes in if nothing is kept yet; gives whether it was so.
    pub(crate) fn seed(&self, scopes: &[Arc<Scope>]) -> Done<bool> {
        self.change(|transaction| {
            let kept: u64 =
                transaction.query_one("SELECT count(*) FROM scope", [], |row| row.get(0))?;
            if kept > 0 {
                return Ok(false);
            }
            for scope in scopes {
                let (revision, _) = next_revision(transaction)?;
                let meant = json(&visible_to(scope.audience.as_ref()));
                transaction.execute(
                    "INSERT INTO scope VALUES (?1, ?2, ?3, ?4)",
                    params![scope.name.as_ref(), scope.about.as_deref(), meant, revision],
                )?;
                for variable in &scope.variables {
                    let (revision, mark) = next_revision(transaction)?;
                    let wire = WireVariable {
                        value: variable.value.as_deref().map(str::to_owned),
                        secret: variable.note.secret,
                        visible_to: visible_to(variable.audience.as_ref()),
                        updated: variable.note.updated.as_deref().map(str::to_owned),
                        by: variable.note.by.as_deref().map(str::to_owned),
                        revision,
                        mark,
                    };
                    put(transaction, &scope.name, &variable.name, &wire)?;
                }
            }
            Ok(true)
        })
    }

    /// Changes something, whole or not at all.
    fn change<T>(&self, change: impl FnOnce(&Transaction<'_>) -> Done<T>) -> Done<T> {
        let mut writer = locked(&self.writer);
        self.is_there()?;
        let transaction = writer.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let done = change(&transaction)?;
        transaction.commit()?;
        // Nothing is acknowledged that nobody will find.
        self.is_there()?;
        Ok(done)
    }

    /// Reads as everything is at one moment.
    fn read<T>(&self, read: impl FnOnce(&Transaction<'_>) -> Done<T>) -> Done<T> {
        self.is_there()?;
        let free = locked(&self.readers).pop();
        let mut connection = match free {
            Some(connection) => connection,
            None => connect(&self.path)?,
        };
        let transaction = connection.transaction()?;
        let done = read(&transaction);
        drop(transaction);
        locked(&self.readers).push(connection);
        done
    }
}

/// # Reading
impl Database {
    /// At most `limit` scopes that begin so, after the place where another page ended.
    pub(crate) fn page(
        &self,
        prefix: &str,
        limit: usize,
        after: Option<(u64, &str, &str)>,
        role: Role,
    ) -> Done<Page> {
        self.read(|transaction| {
            let (revision, mark) = revision(transaction)?;
            if after.is_some_and(|(began, of, _)| began != revision || of != mark) {
                return Err(Problem::Changed);
            }
            let from = after.map_or("", |(_, _, name)| name);
            let mut statement = transaction.prepare_cached(
                "SELECT name, about, visible_to, revision, \
                 (SELECT mark FROM mark WHERE mark.revision = scope.revision) FROM scope \
                 WHERE name > ?1 AND name >= ?2 AND substr(name, 1, length(?2)) = ?2 \
                 ORDER BY name LIMIT ?3",
            )?;
            let rows = statement.query_map(params![from, prefix, limit + 1], scope)?;
            let mut scopes = rows.collect::<Result<Vec<WireScope>, _>>()?;
            let more = scopes.len() > limit;
            scopes.truncate(limit);
            if let (Some(first), Some(last)) = (scopes.first(), scopes.last()) {
                let mut variables = variables(transaction, (&first.name, &last.name), role)?;
                for scope in &mut scopes {
                    scope.variables = variables.remove(&scope.name).unwrap_or_default();
                }
            }
            let next = scopes.last().filter(|_| more);
            let next = next.map(|last| format!("{revision}-{mark}:{}", last.name));
            Ok(Page { revision, mark, scopes, next })
        })
    }

    /// The revision of the store as a whole, and its mark.
    pub(crate) fn revision(&self) -> Done<(u64, String)> {
        self.read(revision)
    }

    pub(crate) fn scope(&self, name: &str, role: Role) -> Done<WireScope> {
        self.read(|transaction| {
            let sql = "SELECT name, about, visible_to, revision, \
                       (SELECT mark FROM mark WHERE mark.revision = scope.revision) \
                       FROM scope WHERE name = ?1";
            let found = transaction.query_row(sql, [name], scope).optional()?;
            let mut scope = found.ok_or(Problem::NoScope)?;
            let mut variables = variables(transaction, (name, name), role)?;
            scope.variables = variables.remove(name).unwrap_or_default();
            Ok(scope)
        })
    }

    pub(crate) fn variable(&self, scope: &str, name: &str, role: Role) -> Done<WireVariable> {
        let mut scope = self.scope(scope, role)?;
        scope.variables.remove(name).ok_or(Problem::NoVariable)
    }

    /// What the variable was before a revision, the newest first: as much as one answer may have. Of a name
    /// that was ever a secret's a reader sees no value.
    pub(crate) fn history(
        &self,
        scope: &str,
        name: &str,
        before: Option<u64>,
        role: Role,
    ) -> Done<History> {
        const MOST: usize = 100;
        const MOST_BYTES: usize = 1024 * 1024;
        self.read(|transaction| {
            let role = match was_secret(transaction, scope, name)? {
                true => role,
                false => Role::Writer,
            };
            let mut statement = transaction.prepare_cached(
                "SELECT value, secret, visible_to, updated, writer, revision, \
                 (SELECT mark FROM mark WHERE mark.revision = version.revision), deleted FROM version \
                 WHERE scope = ?1 AND name = ?2 AND revision < ?3 ORDER BY revision DESC",
            )?;
            let until = i64::try_from(before.unwrap_or(u64::MAX)).unwrap_or(i64::MAX);
            let mut rows = statement.query(params![scope, name, until])?;
            let mut history = History::default();
            let mut bytes = 0;
            while let Some(row) = rows.next()? {
                let mut version = Version { variable: variable(row, 0, role)?, deleted: row.get(7)? };
                if !role.reads_secrets() {
                    (version.variable.value, version.variable.secret) = (None, true);
                }
                bytes += version.variable.value.as_ref().map_or(0, String::len);
                let is_full = history.versions.len() == MOST || bytes > MOST_BYTES;
                if let (true, Some(last)) = (is_full, history.versions.last()) {
                    history.next = Some(last.variable.revision);
                    break;
                }
                history.versions.push(version);
            }
            match history.versions.is_empty() && before.is_none() {
                true => Err(Problem::NoVariable),
                false => Ok(history),
            }
        })
    }
}

/// Whether any version of a variable was marked as secret.
fn was_secret(transaction: &Transaction<'_>, scope: &str, name: &str) -> Done<bool> {
    let sql = "SELECT count(*) FROM version WHERE scope = ?1 AND name = ?2 AND secret";
    let count: u64 = transaction.query_one(sql, params![scope, name], |row| row.get(0))?;
    Ok(count > 0)
}

/// The variables of the scopes in a range of names, by scope.
fn variables(
    transaction: &Transaction<'_>,
    (first, last): (&str, &str),
    role: Role,
) -> Done<BTreeMap<String, BTreeMap<String, WireVariable>>> {
    let mut statement = transaction.prepare_cached(
        "SELECT scope, name, value, secret, visible_to, updated, writer, revision, \
         (SELECT mark FROM mark WHERE mark.revision = variable.revision) FROM variable \
         WHERE scope BETWEEN ?1 AND ?2",
    )?;
    let mut found: BTreeMap<String, BTreeMap<String, WireVariable>> = BTreeMap::new();
    let mut rows = statement.query([first, last])?;
    while let Some(row) = rows.next()? {
        let variables = found.entry(row.get(0)?).or_default();
        variables.insert(row.get(1)?, variable(row, 2, role)?);
    }
    Ok(found)
}

fn scope(row: &Row<'_>) -> rusqlite::Result<WireScope> {
    Ok(WireScope {
        name: row.get(0)?,
        about: row.get(1)?,
        visible_to: axes(&row.get::<_, String>(2)?),
        revision: row.get(3)?,
        mark: row.get::<_, Option<String>>(4)?.unwrap_or_default(),
        variables: BTreeMap::new(),
    })
}

/// A variable, whose value begins at a column; a secret's only for those who may read it.
fn variable(row: &Row<'_>, from: usize, role: Role) -> rusqlite::Result<WireVariable> {
    let secret: bool = row.get(from + 1)?;
    let value: Option<String> = row.get(from)?;
    Ok(WireVariable {
        value: value.filter(|_| !secret || role.reads_secrets()),
        secret,
        visible_to: axes(&row.get::<_, String>(from + 2)?),
        updated: row.get(from + 3)?,
        by: row.get(from + 4)?,
        revision: row.get(from + 5)?,
        mark: row.get::<_, Option<String>>(from + 6)?.unwrap_or_default(),
    })
}

fn json(axes: &BTreeMap<String, OneOrMore>) -> String {
    serde_json::to_string(axes).unwrap_or_default()
}

fn axes(text: &str) -> BTreeMap<String, OneOrMore> {
    serde_json::from_str(text).unwrap_or_default()
}

/// # Writing
impl Database {
    /// Writes a variable if what is expected is there; gives it as it is then, and whether it is new.
    pub(crate) fn write(
        &self,
        (scope, name): (&str, &str),
        write: &Write,
        expected: &Precondition,
        by: &str,
    ) -> Done<(WireVariable, bool)> {
        self.change(|transaction| {
            let before = expect(transaction, (scope, name), expected)?;
            let (revision, mark) = next_revision(transaction)?;
            let is_new = before.is_none();
            // Of what was deleted the mark of a secret stays with the name.
            let before = match before {
                Some(before) => before,
                None => WireVariable {
                    secret: was_secret(transaction, scope, name)?,
                    ..WireVariable::default()
                },
            };
            let variable = WireVariable {
                value: Some(write.value.clone()),
                secret: write.secret.unwrap_or(before.secret),
                visible_to: write.visible_to.clone().unwrap_or(before.visible_to),
                updated: Some(rfc3339(now())),
                by: Some(by.to_owned()),
                revision,
                mark,
            };
            put(transaction, scope, name, &variable)?;
            Ok((variable, is_new))
        })
    }

    /// Deletes a variable if what is expected is there; gives the revision in which it was.
    pub(crate) fn delete(
        &self,
        (scope, name): (&str, &str),
        expected: &Precondition,
        by: &str,
    ) -> Done<WireVariable> {
        self.change(|transaction| {
            let before = expect(transaction, (scope, name), expected)?;
            let before = before.ok_or(Problem::NoVariable)?;
            let (revision, mark) = next_revision(transaction)?;
            let sql = "DELETE FROM variable WHERE scope = ?1 AND name = ?2";
            transaction.execute(sql, params![scope, name])?;
            let variable = WireVariable {
                value: None,
                updated: Some(rfc3339(now())),
                by: Some(by.to_owned()),
                revision,
                mark,
                ..before
            };
            keep_version(transaction, scope, name, &variable, true)?;
            touch(transaction, scope, revision)?;
            Ok(variable)
        })
    }
}

/// What is there, if it is what was expected.
fn expect(
    transaction: &Transaction<'_>,
    (scope, name): (&str, &str),
    expected: &Precondition,
) -> Done<Option<WireVariable>> {
    let sql = "SELECT count(*) FROM scope WHERE name = ?1";
    let there: u64 = transaction.query_one(sql, [scope], |row| row.get(0))?;
    if there == 0 {
        return Err(Problem::NoScope);
    }
    let sql = "SELECT value, secret, visible_to, updated, writer, revision, \
               (SELECT mark FROM mark WHERE mark.revision = variable.revision) FROM variable \
               WHERE scope = ?1 AND name = ?2";
    let before = transaction
        .query_row(sql, params![scope, name], |row| variable(row, 0, Role::Writer))
        .optional()?;
    let there = before.as_ref().map(|before| before.revision);
    let is_it = match expected {
        Precondition::Absent => before.is_none(),
        Precondition::Is { revision, mark } => before
            .as_ref()
            .is_some_and(|before| before.revision == *revision && before.mark == *mark),
    };
    if is_it { Ok(before) } else { Err(Problem::Conflict(there)) }
}

fn put(
    transaction: &Transaction<'_>,
    scope: &str,
    name: &str,
    variable: &WireVariable,
) -> Done<()> {
    transaction.execute(
        "INSERT OR REPLACE INTO variable VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
        params![
            scope,
            name,
            variable.value.as_deref().unwrap_or_default(),
            variable.secret,
            json(&variable.visible_to),
            variable.updated,
            variable.by,
            variable.revision
        ],
    )?;
    keep_version(transaction, scope, name, variable, false)?;
    touch(transaction, scope, variable.revision)
}

fn keep_version(
    transaction: &Transaction<'_>,
    scope: &str,
    name: &str,
    variable: &WireVariable,
    deleted: bool,
) -> Done<()> {
    transaction.execute(
        "INSERT INTO version VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
        params![
            scope,
            name,
            variable.revision,
            variable.value,
            variable.secret,
            json(&variable.visible_to),
            variable.updated,
            variable.by,
            deleted
        ],
    )?;
    Ok(())
}

fn touch(transaction: &Transaction<'_>, scope: &str, revision: u64) -> Done<()> {
    let sql = "UPDATE scope SET revision = ?2 WHERE name = ?1";
    transaction.execute(sql, params![scope, revision])?;
    Ok(())
}

fn revision(transaction: &Transaction<'_>) -> Done<(u64, String)> {
    let sql =
        "SELECT revision, (SELECT mark FROM mark WHERE mark.revision = store.revision) FROM store";
    let read =
        |row: &Row<'_>| Ok((row.get(0)?, row.get::<_, Option<String>>(1)?.unwrap_or_default()));
    Ok(transaction.query_one(sql, [], read)?)
}

/// The number of a new revision, and what distinguishes it from one of the same number elsewhere: in a database
/// that was made anew, or in an older copy of this one that went on otherwise.
fn next_revision(transaction: &Transaction<'_>) -> Done<(u64, String)> {
    let sql = "UPDATE store SET revision = revision + 1 RETURNING revision";
    let revision: u64 = transaction.query_one(sql, [], |row| row.get(0))?;
    let sql = "INSERT OR REPLACE INTO mark VALUES (?1, lower(hex(randomblob(8)))) RETURNING mark";
    let mark: String = transaction.query_one(sql, [revision], |row| row.get(0))?;
    Ok((revision, mark))
}
