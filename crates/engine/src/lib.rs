//! What is answered from: every source that a project names, read in a context or in many.
//!
//! A [`Session`] owns a project and its ports, and gives [`Snapshot`]s of it. A question passes through in
//! three steps:
//!
//! 1. `Situation` finds out where it is asked: a [`Context`](justwhy_core::Context).
//! 2. `Reader` reads every source that the layers name there, each file once, and gives the
//!    [`Readings`](justwhy_core::Readings) that `justwhy_core` resolves.
//! 3. [`Snapshot`] answers from them, and from the outside what references ask of it; [`Supposition`] makes
//!    a project in which some things are otherwise.
//!
//! Nothing here touches the disk: the outside is what [`World`](justwhy_project::World) has.

mod arguments;
mod cache;
mod changes;
mod checking;
mod code;
mod editing;
mod everywhere;
mod expected;
mod find;
mod folders;
mod foresight;
mod not_here;
mod orphans;
mod overlay;
mod reader;
pub mod select;
mod session;
mod situate;
mod snapshot;
mod suppose;
mod surveyed;

pub use arguments::Arguments;
pub use changes::{Changes, VariableEdit};
pub use checking::{CheckWanted, Checked, CheckedFinding, Checking, cannot_read, left_out};
pub use code::{Code, CodeMention, Names as CodeNames, Searched, Use, Uses};
pub use editing::{Deed, Edits, Supposed, Wish};
pub use everywhere::Everywhere;
pub use expected::{Asking, Search, search, where_it_is, where_it_is_read};
pub use find::{Occurrence, Occurrences, find};
pub use foresight::{Asked, Foresight, Outlook, Waits, foresee, shown_key};
pub use not_here::NotHere;
pub use orphans::{Orphan, orphans, pattern};
pub use overlay::Overlay;
pub use reader::{NotRead, first_of};
pub use session::{Ports, Session};
pub use snapshot::{ScopeLayer, Snapshot, exhausted, local_layers};
pub use suppose::{Edited, Supposition};
pub use surveyed::{Surveyed, named, plain_context};
