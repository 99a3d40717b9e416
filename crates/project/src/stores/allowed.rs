//! Reads the user's own `stores.toml`: which stores may be asked, and which variable's token each may
//! be sent.

use super::{check_address, origin_of};
use crate::consent::User;
use crate::error::Error;
use crate::project::fields::{Fields, Sink};
use justwhy_core::{is_env_name, read_duration};
use justwhy_formats::{Format, Limits, NodeId, Tree, decode};
use std::path::PathBuf;
use std::time::Duration;

pub(crate) const FILE_FIELDS: Fields = Fields {
    of: "stores.toml",
    known: &["justwhy", "read_folders", "hand_over", "open_axes", "allow"],
};
pub(crate) const ALLOW_FIELDS: Fields = Fields {
    of: "an entry",
    known: &[
        "origin",
        "path",
        "token_variable",
        "user",
        "authorities",
        "certificate",
        "key",
        "timeout",
    ],
};

/// How long everything that one question asks of a store may take, unless the file decides otherwise.
const TIMEOUT: Duration = Duration::from_secs(10);
const LONGEST: Duration = Duration::from_secs(600);
const CODE: &str = "bad-stores";

/// A store that may be asked.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Allowed {
    /// Its scheme, host and port.
    pub origin: String,
    /// The path below which its address may be; only the origin itself without one.
    pub path: Option<String>,
    /// The variable whose token, or password, it may be sent; none of them without one.
    pub token_variable: Option<String>,
    /// The user to log in as, the variable then being a password (etcd).
    pub user: Option<String>,
    /// A file of certificates (PEM) by which the store's own is judged, in place of the system's.
    pub authorities: Option<PathBuf>,
    /// A file with the certificate (PEM) that is shown to the store, and one with its key.
    pub certificate: Option<(PathBuf, PathBuf)>,
    /// How long everything that one question asks of it may take.
    pub timeout: Duration,
}

/// What a `stores.toml` of these bytes allows.
pub fn read_allowed(file: &str, bytes: Vec<u8>) -> Result<User, Vec<Error>> {
    let (text, verdict) = decode(bytes);
    let attach = |fault| vec![crate::error::attach(fault, file, &text)];
    verdict.map_err(attach)?;
    let tree = Format::TOML.parse(text.text(), Limits::default()).map_err(attach)?;
    let mut sink = Sink::new(file, &text, &tree).with_code(CODE);
    sink.check_names(Tree::ROOT, &FILE_FIELDS);
    match sink.integer(Tree::ROOT, "justwhy") {
        Some((1, _)) => {}
        Some((_, at)) => sink.error(Error::new(CODE, "write justwhy = 1"), at),
        None => {
            let error = Error::new(CODE, "no version in the file");
            sink.error(error.help("begin the file with: justwhy = 1"), Default::default());
        }
    }
    let mut all: Vec<Allowed> = Vec::new();
    for table in sink.tables("allow") {
        let at = sink.place(table, "origin");
        let Some(allowed) = store(&mut sink, table) else { continue };
        if all.iter().any(|other| {
            other.origin == allowed.origin
                && other.path == allowed.path
                && other.token_variable == allowed.token_variable
        }) {
            let error = Error::new(CODE, "duplicate origin with the same variable");
            sink.error(error.help("keep one of them"), at);
        }
        all.push(allowed);
    }
    let user = User {
        stores: all,
        read_folders: folders(&mut sink),
        hand_over: names(&mut sink, "hand_over"),
        open_axes: names(&mut sink, "open_axes"),
    };
    let errors = sink.into_errors();
    if errors.is_empty() { Ok(user) } else { Err(errors) }
}

/// A store that is allowed; none if the table cannot mean one, which is an error by then.
fn store(sink: &mut Sink<'_>, table: NodeId) -> Option<Allowed> {
    sink.check_names(table, &ALLOW_FIELDS);
    let at = sink.place(table, "origin");
    let Some((address, _)) = sink.text(table, "origin") else {
        if sink.field(table, "origin").is_none() {
            let error = Error::new(CODE, "no `origin`");
            sink.error(error.help("write origin = \"https://…\""), at);
        }
        return None;
    };
    let problem = match check_address(&address) {
        Err(problem) => Some(problem),
        Ok(url) if url.path() != "/" => Some("an origin cannot have a path".to_owned()),
        Ok(_) => None,
    };
    if let Some(problem) = problem {
        let help = "write a scheme, a host and a port, for example https://hq.example:8443; the rest \
                    belongs in `path`";
        sink.error(Error::new(CODE, problem).help(help), at);
        return None;
    }
    let token_variable = sink.text(table, "token_variable");
    if let Some((name, at)) = &token_variable
        && !is_env_name(name)
    {
        let error = Error::new(CODE, "invalid name of a variable");
        sink.error(
            error.help("write the name of the variable with the token, never the token"),
            *at,
        );
    }
    let path = |sink: &mut Sink<'_>, field: &str| {
        sink.text(table, field).map(|(path, _)| PathBuf::from(path))
    };
    let (certificate, key) = (path(sink, "certificate"), path(sink, "key"));
    if certificate.is_some() != key.is_some() {
        let error = Error::new(CODE, "a `certificate` needs its `key`");
        sink.error(error.help("give both"), at);
    }
    Some(Allowed {
        origin: origin_of(&address),
        path: below(sink, table),
        token_variable: token_variable.map(|(name, _)| name),
        user: sink.text(table, "user").map(|(user, _)| user),
        authorities: path(sink, "authorities"),
        certificate: certificate.zip(key),
        timeout: timeout(sink, table),
    })
}

/// Folders from which files may be read.
fn folders(sink: &mut Sink<'_>) -> Vec<PathBuf> {
    let mut folders = Vec::new();
    for item in sink.list(Tree::ROOT, "read_folders").unwrap_or_default() {
        let Some((path, at)) = sink.text_of(item) else { continue };
        let path = PathBuf::from(path);
        if path.is_absolute() {
            folders.push(path);
        } else {
            let error = Error::new(CODE, "not an absolute path");
            sink.error(error.help("for example \"/etc/tide\""), at);
        }
    }
    folders
}

fn names(sink: &mut Sink<'_>, field: &str) -> Vec<String> {
    let items = sink.list(Tree::ROOT, field).unwrap_or_default();
    items.into_iter().filter_map(|item| sink.text_of(item)).map(|(name, _)| name).collect()
}

/// The path below which stores are allowed; none if all are.
fn below(sink: &mut Sink<'_>, table: NodeId) -> Option<String> {
    let below = sink.text(table, "path").and_then(|(path, at)| {
        let plain = check_address(&format!("https://h.example{path}"));
        let is_fine = plain.is_ok_and(|url| path.starts_with('/') && url.path() == path);
        if !is_fine {
            let error = Error::new(CODE, "invalid path of an address");
            sink.error(error.help("for example \"/scopes\", without . and .."), at);
        }
        is_fine.then(|| path.trim_end_matches('/').to_owned())
    });
    below.filter(|path| !path.is_empty())
}

/// How long a request may take.
fn timeout(sink: &mut Sink<'_>, table: NodeId) -> Duration {
    let timeout = sink.text(table, "timeout").and_then(|(text, at)| {
        let time = read_duration(&text).and_then(|time| u64::try_from(time).ok());
        let time = time.map(Duration::from_nanos);
        let fine = time.filter(|time| *time > Duration::ZERO && *time <= LONGEST);
        if fine.is_none() {
            let error = Error::new(CODE, "not a time between 0 and 10 minutes");
            sink.error(error.help("for example \"10s\" or \"500ms\""), at);
        }
        fine
    });
    timeout.unwrap_or(TIMEOUT)
}
