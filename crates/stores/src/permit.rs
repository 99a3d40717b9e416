//! Whether a store may be asked, and with which token: the user's own `stores.toml` decides. A project
//! file, which may be a stranger's, can never make the tool contact or send anything by itself.

use crate::token::Token;
use justwhy_sources::{
    Allowed, Error, Kept, ReadProblem, Store, StoreProblem, System, World as _, is_loopback,
    origin_of, read_allowed,
};
use std::ffi::OsString;
use std::path::{Path, PathBuf};

/// The most bytes of a `stores.toml`.
const MOST_BYTES: u64 = 1024 * 1024;

/// Where the user's own files are, and their variables. Taken from the process itself, never from what
/// stands in for its environment.
#[derive(Clone, Debug)]
pub struct Place {
    /// The `stores.toml` that counts; `None` if the user has no folder for configuration.
    pub allowed: Option<PathBuf>,
    /// The folder in which copies are kept.
    pub copies: Option<PathBuf>,
}

impl Place {
    /// As the process environment says.
    pub fn of_process() -> Place {
        let variable = |name: &str| std::env::var_os(name).filter(|value| !value.is_empty());
        let below_home =
            |folder: &str| variable("HOME").map(|home| PathBuf::from(home).join(folder));
        // A relative one is to be ignored, as its standard says.
        let absolute = |name: &str| variable(name).map(PathBuf::from).filter(|it| it.is_absolute());
        let configuration = absolute("XDG_CONFIG_HOME").or_else(|| below_home(".config"));
        let cache = absolute("XDG_CACHE_HOME").or_else(|| below_home(".cache"));
        Place {
            allowed: variable("JUSTWHY_STORES")
                .map(PathBuf::from)
                .or_else(|| configuration.map(|folder| folder.join("justwhy/stores.toml"))),
            copies: cache.map(|folder| folder.join("justwhy/stores")),
        }
    }
}

/// What the user allows.
#[derive(Debug)]
pub(crate) enum Allowance {
    /// These.
    Listed(Vec<Allowed>),
    /// There is no file.
    NoFile,
    /// The file cannot be used: why, as a clause.
    Unusable(String),
}

/// Reads the user's `stores.toml`.
pub(crate) fn read(place: &Place) -> Allowance {
    let Some(path) = &place.allowed else { return Allowance::NoFile };
    let shown = path.display().to_string();
    let bytes = match System.read_file(path, MOST_BYTES) {
        Ok(bytes) => bytes,
        Err(ReadProblem::Missing) => return Allowance::NoFile,
        Err(problem) => {
            return Allowance::Unusable(justwhy_sources::unreadable(&problem, &shown).to_string());
        }
    };
    if writable_by_all(path) {
        let why = format!("{shown} can be written by everybody on this machine (chmod go-w it)");
        return Allowance::Unusable(why);
    }
    match read_allowed(&shown, bytes) {
        Ok(allowed) => Allowance::Listed(allowed.into_iter().map(|it| beside(path, it)).collect()),
        Err(errors) => {
            let told = |error: &Error| match error.helps().first() {
                Some(help) => format!("{error} ({help})"),
                None => error.to_string(),
            };
            Allowance::Unusable(errors.first().map(told).unwrap_or_default())
        }
    }
}

/// Its files stand where the file says, seen from its own folder and not from where somebody stands.
fn beside(path: &Path, allowed: Allowed) -> Allowed {
    let folder = path.parent().unwrap_or(Path::new(""));
    Allowed {
        authorities: allowed.authorities.map(|file| folder.join(file)),
        certificate: allowed.certificate.map(|(one, two)| (folder.join(one), folder.join(two))),
        ..allowed
    }
}

#[cfg(unix)]
fn writable_by_all(path: &Path) -> bool {
    use std::os::unix::fs::PermissionsExt as _;
    std::fs::metadata(path).is_ok_and(|metadata| metadata.permissions().mode() & 0o002 != 0)
}

#[cfg(not(unix))]
fn writable_by_all(_path: &Path) -> bool {
    false
}

/// One address that may be asked, and with what.
#[derive(Clone, Debug)]
pub(crate) struct Permit {
    pub(crate) address: String,
    pub(crate) allowed: Allowed,
    pub(crate) token: Option<Token>,
}

/// The addresses of the store, each allowed; or why it may not be asked.
pub(crate) fn permits(
    store: &Store,
    allowance: &Allowance,
    place: &Place,
    variable: &dyn Fn(&str) -> Option<OsString>,
) -> Result<Vec<Permit>, StoreProblem> {
    let mut permits = Vec::new();
    for address in store.addresses() {
        let allowed = allowed(store, address, allowance, place)?;
        let token = match &store.token_variable {
            None => None,
            Some(name) => Some(token(address, name, variable(name))?),
        };
        permits.push(Permit { address: address.clone(), allowed: allowed.clone(), token });
    }
    Ok(permits)
}

fn problem(code: &'static str, address: &str, reason: String, help: String) -> StoreProblem {
    let help = Some(help).filter(|help| !help.is_empty());
    StoreProblem::Failed { code, address: address.to_owned(), reason, help }
}

fn allowed<'a>(
    store: &Store,
    address: &str,
    allowance: &'a Allowance,
    place: &Place,
) -> Result<&'a Allowed, StoreProblem> {
    let listed = match allowance {
        Allowance::Listed(listed) => listed.as_slice(),
        Allowance::NoFile => &[],
        Allowance::Unusable(why) => {
            let why = format!("what you allow cannot be read: {why}");
            return Err(problem("bad-stores", address, why, String::new()));
        }
    };
    let origin = origin_of(address);
    let mut of_origin = listed.iter().filter(|allowed| allowed.origin == origin).peekable();
    let is_other = of_origin.peek().is_some();
    match of_origin.find(|allowed| allowed.token_variable == store.token_variable) {
        Some(allowed) => Ok(allowed),
        None => {
            let reason = match (&store.token_variable, is_other) {
                (_, false) => "you have not allowed it to be asked".to_owned(),
                (Some(name), true) => {
                    format!("you have allowed it to be asked, but not with what is in {name}")
                }
                (None, true) => {
                    "you have allowed it to be asked with a token, and this store names none"
                        .to_owned()
                }
            };
            Err(problem("store-not-allowed", address, reason, help(store, place)))
        }
    }
}

fn help(store: &Store, place: &Place) -> String {
    let file = match &place.allowed {
        Some(path) => path.display().to_string(),
        None => "the file that JUSTWHY_STORES names".to_owned(),
    };
    format!(
        "if you trust this project with it, add to {file} what `justwhy stores` shows for {}",
        store.name
    )
}

/// What to write into `stores.toml` to allow a store to be asked.
pub fn how_to_allow(store: &Store) -> String {
    let mut text = String::new();
    for address in store.addresses() {
        text.push_str(&format!("[[allow]]\norigin = \"{}\"\n", origin_of(address)));
        if let Some(name) = &store.token_variable {
            text.push_str(&format!("token_variable = \"{name}\"\n"));
        }
        if let (Kept::Etcd { .. }, Some(_)) = (&store.kept, &store.token_variable) {
            text.push_str("# user = \"…\"   if the variable holds a password\n");
        }
    }
    text
}

fn token(address: &str, name: &str, value: Option<OsString>) -> Result<Token, StoreProblem> {
    if address.starts_with("http:") && !is_loopback(address) {
        let reason = "a token is only ever sent by https, except to this machine".to_owned();
        let help = "write https:// in its address".to_owned();
        return Err(problem("store-insecure", address, reason, help));
    }
    let missing = |reason: String| {
        problem("store-no-token", address, reason, format!("put the token into {name}"))
    };
    match value {
        None => Err(missing(format!("the variable {name}, which holds its token, is not set"))),
        Some(value) => value.into_string().ok().and_then(Token::new).ok_or_else(|| {
            missing(format!("what the variable {name} holds is no token: it cannot be sent"))
        }),
    }
}
