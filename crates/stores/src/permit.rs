//! Whether a store may be asked, and with which token: the user's own `stores.toml` decides. A project
//! file, which may be a stranger's, can never make the tool contact or send anything by itself.

use crate::token::Token;
use justwhy_project::{
    Allowed, Consent, Kept, Store, StoreProblem, is_loopback, origin_of, path_of,
};
use justwhy_system::Place;
use std::ffi::OsString;

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
    consent: &Consent,
    place: &Place,
    variable: &dyn Fn(&str) -> Option<OsString>,
) -> Result<Vec<Permit>, StoreProblem> {
    let mut permits = Vec::new();
    for address in store.addresses() {
        let allowed = allowed(store, address, consent, place)?;
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
    consent: &'a Consent,
    place: &Place,
) -> Result<&'a Allowed, StoreProblem> {
    let listed = match consent {
        Consent::Given(user) => user.stores.as_slice(),
        Consent::NoFile => &[],
        Consent::Unusable(why) => {
            let why = format!("your own configuration cannot be used: {why}");
            return Err(problem("bad-stores", address, why, String::new()));
        }
    };
    let (origin, path) = (origin_of(address), path_of(address));
    let of_origin = || listed.iter().filter(|allowed| allowed.origin == origin);
    let is_below = |allowed: &&Allowed| match &allowed.path {
        None => path.is_empty(),
        Some(above) => path
            .strip_prefix(above.as_str())
            .is_some_and(|rest| rest.is_empty() || rest.starts_with('/')),
    };
    let is_with = |allowed: &&Allowed| allowed.token_variable == store.token_variable;
    // The longest path is the one that was meant.
    let length = |allowed: &&Allowed| allowed.path.as_ref().map_or(0, String::len);
    if let Some(allowed) = of_origin().filter(is_below).filter(is_with).max_by_key(length) {
        return Ok(allowed);
    }
    let has_origin = of_origin().next().is_some();
    let has_path = of_origin().any(|allowed| is_below(&allowed));
    let reason = match &store.token_variable {
        _ if !has_origin => "you have not allowed this store".to_owned(),
        _ if !has_path => {
            format!("you have allowed {origin}, but not this path")
        }
        Some(name) => format!("you have allowed this store, but not with the token in {name}"),
        None => "you have allowed this store with a token, but the project names none".to_owned(),
    };
    Err(problem("store-not-allowed", address, reason, help(store, place)))
}

fn help(store: &Store, place: &Place) -> String {
    format!(
        "if you trust this project with it, add to {} the lines that justwhy stores shows for {}",
        place.file(),
        store.name
    )
}

/// What to write into `stores.toml` to allow a store to be asked.
pub fn how_to_allow(store: &Store) -> String {
    let mut text = String::new();
    for address in store.addresses() {
        text.push_str(&format!("[[allow]]\norigin = \"{}\"\n", origin_of(address)));
        let path = path_of(address);
        if !path.is_empty() {
            text.push_str(&format!("path = \"{path}\"\n"));
        }
        if let Some(name) = &store.token_variable {
            text.push_str(&format!("token_variable = \"{name}\"\n"));
        }
        if let (Kept::Etcd { .. }, Some(_)) = (&store.kept, &store.token_variable) {
            text.push_str("# user = \"…\"   if the variable has a password\n");
        }
    }
    text
}

fn token(address: &str, name: &str, value: Option<OsString>) -> Result<Token, StoreProblem> {
    if address.starts_with("http:") && !is_loopback(address) {
        let reason = "tokens are sent by https only, except to this machine".to_owned();
        let help = "use an https:// address".to_owned();
        return Err(problem("store-insecure", address, reason, help));
    }
    let missing = |reason: String| {
        problem("store-no-token", address, reason, format!("set {name} to the token"))
    };
    match value {
        None => {
            Err(missing(format!("the environment variable {name}, with its token, is not set")))
        }
        Some(value) => {
            value.into_string().ok().and_then(Token::new).ok_or_else(|| {
                missing(format!("the environment variable {name} has no valid token"))
            })
        }
    }
}
