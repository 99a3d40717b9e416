//! The project file and the catalogue: what a project declares, and what it may ask of the outside.
//!
//! All access to the outside goes through the [`ports`](World), so that a test, another revision or
//! another process can replace the machine. [`Project::load`] finds and reads `justwhy.toml`, with
//! the files of the catalogue that it names; what is wrong in them is an [`Error`] with its place.

pub mod beyond;
mod consent;
mod error;
mod glob;
#[cfg(any(test, feature = "memory"))]
pub mod memory;
mod ports;
mod project;
mod stores;

pub use consent::{Consent, User};
pub use error::{Error, Excerpt, attach};
pub use glob::{Glob, Wanted};
pub use ports::{
    Branch, Clock, Consents, FileEdit, Files, FolderEntry, History, Process, ReadProblem, Sources,
    Stamp, Tracking, World, date_of_day,
};
pub use project::{
    Accept, CodeSearch, KeyTemplate, PartTemplate, PathTemplate, Piece, Project, ProjectAxis,
    ProjectLayer, ProjectRule, Reads, Way, unreadable,
};
pub use stores::file::{self as store_file, read_store_file};
pub use stores::{
    Allowed, Answered, Asked, Kept, Question, Store, StoreProblem, Stores, is_loopback, origin_of,
    path_of, read_allowed,
};
