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
//! 4. [`Answers`] expands references and converts, each setting when it is asked for.
//! 5. [`Explanation`] says why, in sentences and in fields.

pub mod parallel;

mod answers;
mod axis;
mod catalogue;
mod check;
mod compare;
mod convert;
mod destination;
mod document;
mod encrypted;
mod expected;
mod explanation;
mod find;
#[cfg(feature = "fuzzing")]
pub mod fuzzing;
mod grid;
mod key;
mod layer;
mod near;
mod pattern;
mod place;
mod reading;
mod reference;
mod resolution;
mod scope;
mod secret;
mod suppose;
mod survey;
mod text;
mod trial;
mod value;
mod variable;

pub use answers::{
    Answers, Asked, ExpansionLimits, Failure, Hop, HopValue, IsGiven, Item, Outcome, Outside,
};
pub use axis::{Axis, AxisOrigin, AxisValue, BadAxisValue, Context, check_axis_value};
pub use catalogue::{
    Catalogue, Declared, EmptyText, Former, Gather, Required, Standing, is_variable_name,
};
pub use check::{
    Check, CheckRule, Choice, Extent, Finding, Findings, Severity, Spotted, in_words, rule_named,
    sum_up,
};
pub use compare::{Compared, Difference, Pair, Told, compare};
pub use convert::{
    Address, Bound, Conversion, Declaration, Matches, Misfit, Nanoseconds, NotAList, Shape,
    read_duration, read_like, read_list, read_size, show_duration, show_size,
};
pub use destination::{Destination, Holder, NoDestination, as_written, destination};
pub use document::{Document, Leaf, Lookalike, OfScope};
pub use encrypted::{Decrypts, ENCRYPTED_MARK, is_encrypted};
pub use expected::{Act, Astray, Change, Found, How, Sense, Wanted, unread_layers};
pub use explanation::{Advice, Explanation, LayerState, Meaning, Row, Stand, Status, Without};
pub use find::{Hit, find_in};
pub use grid::GridRow;
pub use key::{KeyId, KeyPath, Keys, MAX_SEGMENTS, NameError};
pub use layer::{
    Condition, Empty, Inactivity, Kind, Lack, Layer, LayerIndex, Names, Null, Pins, Presence,
    Removal, ScopeOf, list_values,
};
pub use near::{is_near, nearest, nearest_few};
pub use pattern::Pattern;
pub use place::{Position, ShownLine, SourceText, Span};
pub use reading::{
    Assembled, BadInput, BadReading, Edit, From, Input, Inputs, NearName, Offer, Reading, Readings,
    VariableRules,
};
pub use reference::{BadText, Piece, Reference, Target, TextRules, may_refer, take_apart};
pub use resolution::{Candidate, CandidateId, Resolution, Rule, Verdict};
pub use scope::{
    Audience, Note, Scope, ScopeVariable, is_env_name, is_scope_name, scope_segments_match,
    show_date,
};
pub use secret::{
    Secrets, hide_address_password, hide_in_text, is_nearly_secret_name, is_secret_name,
    names_a_secret_inside, speaks_of_a_secret,
};
pub use suppose::{Effect, Effects, Tale};
pub use survey::{ContextSet, Sight, Survey};
pub use text::Text;
pub use trial::Trial;
pub use value::{Element, Entry, Type, Value, is_unprintable};
pub use variable::{Claim, Clash, Known, Naming, is_system_variable};
