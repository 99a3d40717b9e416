//! Asks the stores that are not files: scopes behind a service, or in etcd.
//!
//! A question takes three steps, and each has its module:
//!
//! 1. `permit` finds out whether the user's own `stores.toml` allows the store to be
//!    asked, and which token it may be sent. **Nothing is contacted before that.**
//! 2. `service` and `etcd` ask, over `http`, which knows about
//!    time, sizes, repeating and what may be logged.
//! 3. `copies` keeps what was answered, without any secret, for the next time and for
//!    `--offline`.
//!
//! Nothing that a store has is ever shown in an error or in the log: it could hold the token that it
//! was sent, or a secret.

mod client;
mod copies;
mod etcd;
mod http;
mod permit;
mod service;
#[cfg(test)]
mod tests;
mod time;
#[cfg(feature = "https")]
mod tls;
mod token;
pub mod wire;

pub use client::{Client, Options, Told};
pub use permit::how_to_allow;
pub use time::{age, now, rfc3339};

use justwhy_project::StoreProblem;

/// What a variable becomes by being written.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Change {
    /// The scope.
    pub scope: String,
    /// The variable.
    pub variable: String,
    /// Its new value and whether that is secret; `None` deletes it.
    pub value: Option<(String, bool)>,
    /// What must be there for the change to be made.
    pub expected: Expected,
}

/// What is expected to be there before a change.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Expected {
    /// Nothing.
    Absent,
    /// The variable in this revision.
    Revision(u64),
}

/// Why a change was not made.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum WriteProblem {
    /// Something else is there than expected: the variable in this revision, or nothing.
    Conflict(Option<u64>),
    /// The store does not take it; nothing was changed.
    Refused(StoreProblem),
    /// The connection broke off: nobody knows whether it was made.
    Unknown(StoreProblem),
}
