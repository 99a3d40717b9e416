//! What is answered from: every source that a project names, read in a context or in many.
//!
//! A question passes through this crate in three steps:
//!
//! 1. [`Situation`] finds out where it is asked: a [`Context`](justwhy_core::Context).
//! 2. [`Reader::read`] reads every source that the layers name there, each file once, and gives the
//!    [`Readings`](justwhy_core::Readings) that `justwhy_core` resolves.
//! 3. [`Elsewhere`] answers what references ask of the outside, and [`Supposition`] makes a project
//!    in which some things are otherwise.
//!
//! Nothing here touches the disk: the outside is what [`World`](justwhy_project::World) says.

mod arguments;
mod elsewhere;
mod orphans;
mod overlay;
mod reader;
mod situate;
mod suppose;

pub use arguments::Arguments;
pub use elsewhere::{Elsewhere, ScopeLayer};
pub use orphans::{Orphan, orphans};
pub use overlay::Overlay;
pub use reader::{NotRead, Reader};
pub use situate::{Situation, situate};
pub use suppose::{Edited, SupposedStores, Supposition, VariableEdit};
