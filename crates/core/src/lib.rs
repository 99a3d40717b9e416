//! The computation behind `justwhy`: which value a setting has in a context, which source gave it,
//! and what became of every other place that could have set it.
//!
//! Nothing here touches a file, the process environment, a clock or a terminal. What was read from
//! the world comes in as [`Readings`]; what a person or a program is told goes out as an
//! [`Explanation`]. Between the two stands [`Resolution`], on whose documentation the order of
//! precedence is written, once: **open `resolution.rs` first**.
//!
//! 1. [`Keys`] interns the dotted names of settings, [`Document`] holds what one file says.
//! 2. [`Reading`] is what one source offers, with [`Naming`] applied to flat variable names.
//! 3. [`Resolution`] walks the readings from weakest to strongest and gives every [`Candidate`] a
//!    [`Verdict`].
//! 4. [`Explanation`] says why, in sentences and in fields.

mod axis;
mod convert;
mod document;
mod explanation;
mod key;
mod layer;
mod near;
mod pattern;
mod place;
mod reading;
mod resolution;
mod secret;
mod value;
mod variable;

pub use axis::{Axis, AxisOrigin, AxisValue, BadAxisValue, Context, check_axis_value};
pub use convert::{Conversion, read_like};
pub use document::{Document, Leaf};
pub use explanation::{Advice, Explanation, LayerState, Row, Stand, Status};
pub use key::{KeyId, KeyPath, Keys, MAX_SEGMENTS, NameError};
pub use layer::{
    Condition, Empty, Inactivity, Kind, Layer, LayerIndex, Names, Null, Presence, list_values,
};
pub use near::{is_near, nearest, nearest_few};
pub use pattern::Pattern;
pub use place::{Position, SourceText, Span};
pub use reading::{BadReading, NearName, Offer, Reading, Readings, VariableRules};
pub use resolution::{Candidate, CandidateId, Resolution, Verdict};
pub use secret::{Secrets, hide_address_password, is_secret_name, names_a_secret_inside};
pub use value::{Element, Entry, Type, Value, is_unprintable};
pub use variable::{Claim, Clash, Known, Naming};
