//! What `justwhy` reads from the world: the project file, settings files in their formats, and the
//! process environment.
//!
//! All access to the outside goes through [`World`], so that a test, another revision or another
//! process can stand in for the machine. A question passes through this crate in three steps:
//!
//! 1. [`Project::load`] finds and reads `justwhy.toml`.
//! 2. [`Project::situate`] finds out where the question is asked: a
//!    [`Context`](justwhy_core::Context).
//! 3. [`Reader::read`] reads every source that the layers name there, each file once, and gives the
//!    [`Readings`](justwhy_core::Readings) that `justwhy_core` resolves.

mod arguments;
mod beyond;
mod elsewhere;
mod error;
mod folder;
#[cfg(feature = "fuzzing")]
pub mod fuzzing;
mod glob;
mod orphans;
mod project;
mod reader;
mod replace;
mod situate;
mod stores;
mod suppose;
mod user;
mod world;

pub use arguments::Arguments;
pub use elsewhere::{Elsewhere, ScopeLayer};
pub use error::{Error, Excerpt, Spot};
pub use folder::{write_new_folder, write_temporary_folder};
pub use justwhy_formats::{Export, Exported, Format, Limits, NotWritable, variables};
pub use orphans::{Orphan, orphans};
pub use project::{Accept, Project, ProjectAxis, ProjectLayer, ProjectRule, unreadable};
pub use reader::{NotRead, Reader};
pub use replace::{CHANGED, EditLock, FileEdit};
pub use situate::Situation;
pub use stores::file::read_store_file;
pub use stores::{
    Allowed, Answered, Asked, Kept, Question, Store, StoreProblem, Stores, is_loopback, origin_of,
    path_of, read_allowed,
};
pub use suppose::{Edited, SupposedStores, Supposition, VariableEdit};
pub use user::{Consent, Place, User};
pub use world::{
    Branch, FolderEntry, Overlay, ReadProblem, System, Tracking, World, date_of_day, read_dump,
};
