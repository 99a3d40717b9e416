//! What the user allows, who alone can: a project file, which may be a stranger's, can only ask.

use crate::stores::Allowed;
use std::path::PathBuf;

/// What a user allows.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct User {
    /// The stores that may be contacted.
    pub stores: Vec<Allowed>,
    /// Folders outside of repositories from which files may be read.
    pub read_folders: Vec<PathBuf>,
    /// Variables that change how programs are found, loaded or interpreted, and may be handed over.
    pub hand_over: Vec<String>,
    /// Axes whose values may be sent to stores although their project does not list them.
    pub open_axes: Vec<String>,
}

/// The user's word, or why there is none.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Consent {
    /// She allows this.
    Given(User),
    /// There is no file.
    NoFile,
    /// The file cannot be used: why, as a clause.
    Unusable(String),
}

impl Consent {
    /// What is allowed; nothing if there is no file that can be used.
    pub fn user(&self) -> Option<&User> {
        match self {
            Consent::Given(user) => Some(user),
            Consent::NoFile | Consent::Unusable(_) => None,
        }
    }
}
