//! Stores: where scopes are kept. One in a file is read here; one behind a service or in etcd is asked
//! by who implements [`Stores`].

use justwhy_core::{Scope, Span};
use std::sync::Arc;
use url::Url;

pub(crate) mod allowed;
pub mod file;
#[cfg(test)]
mod tests;

pub use allowed::{Allowed, read_allowed};

/// A store as the project file declares it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Store {
    /// Its name.
    pub name: String,
    /// Where it keeps its scopes.
    pub kept: Kept,
    /// The process variable that holds the token or password; never the token.
    pub token_variable: Option<String>,
    /// Where its name is in the project file.
    pub at: Span,
}

/// Where a store keeps its scopes.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Kept {
    /// In the file at this path, relative to the project's folder.
    File(String),
    /// Behind a service at this address.
    Service(String),
    /// In etcd.
    Etcd {
        /// The addresses of its nodes.
        endpoints: Vec<String>,
        /// What every key begins with, without a slash at its end.
        root: String,
    },
}

impl Store {
    /// The addresses at which it is asked; none for a file.
    pub fn addresses(&self) -> &[String] {
        match &self.kept {
            Kept::File(_) => &[],
            Kept::Service(address) => std::slice::from_ref(address),
            Kept::Etcd { endpoints, .. } => endpoints,
        }
    }

    /// What kind of store it is, in a word.
    pub fn kind(&self) -> &'static str {
        match self.kept {
            Kept::File(_) => "file",
            Kept::Service(_) => "service",
            Kept::Etcd { .. } => "etcd",
        }
    }

    /// The file or the addresses, for people.
    pub fn place(&self) -> String {
        match &self.kept {
            Kept::File(path) => path.clone(),
            _ => self.addresses().join(", "),
        }
    }
}

/// What a store is asked for.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum Asked {
    /// The scope of that name.
    One(String),
    /// Every scope whose name begins so.
    Prefix(String),
}

impl Asked {
    /// What to ask for the scopes that a layer reads: one, or those that begin as a pattern does.
    pub fn of(scope: &str) -> Asked {
        match scope.find('*') {
            None => Asked::One(scope.to_owned()),
            Some(at) => Asked::Prefix(scope[..at].to_owned()),
        }
    }

    /// The name or the beginning of the names.
    pub fn text(&self) -> &str {
        match self {
            Asked::One(text) | Asked::Prefix(text) => text,
        }
    }

    /// Whether a scope of that name was asked for.
    pub fn has(&self, name: &str) -> bool {
        match self {
            Asked::One(wanted) => wanted == name,
            Asked::Prefix(prefix) => name.starts_with(prefix.as_str()),
        }
    }
}

/// A question to a store.
#[derive(Clone, Copy)]
pub struct Question<'q> {
    /// What is asked for.
    pub asked: &'q Asked,
    /// The most bytes that an answer may have.
    pub most: u64,
    /// Whether the project takes the variable of that name for a secret, whatever the store has.
    pub is_secret: &'q dyn Fn(&str) -> bool,
}

impl std::fmt::Debug for Question<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Question").field("asked", self.asked).finish_non_exhaustive()
    }
}

/// What a store has.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Answered {
    /// The scopes, in no particular order.
    pub scopes: Vec<Arc<Scope>>,
    /// If this is a copy that was kept: how old it is, as a clause.
    pub copy: Option<String>,
}

/// Why a store does not answer.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum StoreProblem {
    /// Nobody asks it here: why, as a clause.
    Unavailable(String),
    /// It cannot be asked, or its answer cannot be used.
    Failed {
        /// The code.
        code: &'static str,
        /// The address that was asked.
        address: String,
        /// Why, as a clause that shows nothing of what the store said.
        reason: String,
        /// How to mend it.
        help: Option<String>,
    },
}

/// Asks stores that are not files.
pub trait Stores: Send + Sync {
    /// The scopes that are asked for.
    fn ask(&self, store: &Store, question: &Question<'_>) -> Result<Answered, StoreProblem>;
}

/// The address of a service or an etcd node, or why it is none, as a clause.
pub(crate) fn check_address(text: &str) -> Result<Url, String> {
    let url = Url::parse(text).map_err(|error| format!("invalid address: {error}"))?;
    if !matches!(url.scheme(), "http" | "https") {
        return Err("the address must begin with https:// or http://".to_owned());
    }
    if !url.username().is_empty() || url.password().is_some() {
        return Err("the address must not have a user or a password".to_owned());
    }
    if url.query().is_some() || url.fragment().is_some() {
        return Err("the address must not have a query or a fragment".to_owned());
    }
    Ok(url)
}

/// The scheme, host and port of an address that was checked: `https://hq.example:8443`, without the
/// usual port of the scheme.
pub fn origin_of(address: &str) -> String {
    match Url::parse(address) {
        Ok(url) => url.origin().ascii_serialization(),
        Err(_) => address.to_owned(),
    }
}

/// The path of an address that was checked, without a slash at its end: empty for the origin itself.
pub fn path_of(address: &str) -> String {
    match Url::parse(address) {
        Ok(url) => url.path().trim_end_matches('/').to_owned(),
        Err(_) => address.to_owned(),
    }
}

/// Whether an address can only be on this machine.
pub fn is_loopback(address: &str) -> bool {
    let Ok(url) = Url::parse(address) else { return false };
    match url.host() {
        Some(url::Host::Ipv4(host)) => host.is_loopback(),
        Some(url::Host::Ipv6(host)) => host.is_loopback(),
        Some(url::Host::Domain(host)) => host == "localhost",
        None => false,
    }
}
