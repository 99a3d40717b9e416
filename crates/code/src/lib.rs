//! What source code has of settings, found without running it or understanding all of it.
//!
//! Open [`Syntax`] first: what of a text is code, comment or string. On it stand
//!
//! 1. [`ReadSet`]: where code reads variables, and with which fallbacks ([`expression`] reads those);
//! 2. [`Finder`]: every mention of any of many names, in one pass over the bytes;
//! 3. [`Values`]: values that stand in code literally, of those that are distinctive enough to
//!    mean their setting ([`is_distinctive`]);
//! 4. [`module`]: the settings that a settings module exports or assigns.
//!
//! Nothing here touches a file.

pub mod expression;
mod finder;
pub mod module;
mod reads;
mod sample;
mod syntax;
mod values;
mod words;

pub use finder::{Finder, Mention, Name, NameKind, is_read};
pub use reads::{Fallback, Read, ReadSet, Reading, named_sets};
pub use sample::{is_sample, is_sample_folder};
pub use syntax::{Piece, Pieces, Syntax};
pub use values::{Values, is_distinctive, is_distinctive_secret};
