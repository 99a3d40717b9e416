//! The computation behind `justwhy`: which value a setting has in a context, which source gave it,
//! and what became of every other place that could have set it.
//!
//! Nothing here touches a file, the process environment, a clock or a terminal. What was read from
//! the world comes in as [`Readings`]; what a person or a program is told goes out as an
//! [`Explanation`]. Between the two is [`Resolution`], on whose documentation the order of
//! precedence is written, once: **open `precedence/resolution.rs` first**.
//!
//! The folders are the phases that a datum passes through, and each imports only from those before it:
//! `model`, `reading`, `precedence`, `answers`, `explanation`, `contexts`, `check`.
//!
//! 1. [`Keys`] interns the dotted names of settings, [`Document`] holds what one file has.
//! 2. [`Reading`] is what one source offers, with [`Naming`] applied to flat variable names.
//! 3. [`Resolution`] walks the readings from weakest to strongest and gives every [`Candidate`] a
//!    [`Verdict`].
//! 4. [`Answers`] expands references and converts, each setting when it is asked for.
//! 5. [`Explanation`] shows why, in fields and as [`Fact`]s, of which sentences are made.

pub mod parallel;

mod answers;
mod check;
mod contexts;
mod explanation;
#[cfg(feature = "fuzzing")]
pub mod fuzzing;
mod model;
mod precedence;
mod reading;

pub use answers::{
    Answers, Asked, ExpansionLimits, Failure, Hop, HopValue, IsGiven, Item, Outcome, Outside,
};
pub use check::{
    Check, CheckRule, Choice, Evidence, Extent, Finding, Findings, Needs, Severity, UNSET,
    in_words, meant_by_slip, rule_named, sum_up,
};
pub use contexts::compare::{Compared, Effect, Effects, Side, compare};
pub use contexts::difference::Difference;
pub use contexts::grid::GridRow;
pub use contexts::survey::{ContextSet, Shared, Sight, Survey};
pub use explanation::destination::{Destination, as_written, destination};
pub use explanation::expected::{
    Act, Astray, Change, ChangedAt, Found, How, Sense, Wanted, unread_layers,
};
pub use explanation::find::{Hit, find_in};
pub use explanation::kinds::{Holder, NoDestination};
pub use explanation::trial::Trial;
pub use explanation::{Advice, Explanation, LayerState, Meaning, Row, Status, Without};
pub use model::axis::{Axis, AxisOrigin, AxisValue, BadAxisValue, Context, check_axis_value};
pub use model::candidate::CandidateId;
pub use model::catalogue::{
    Catalogue, Declared, EmptyText, Former, Gather, Required, Standing, is_variable_name,
};
pub use model::condition::Condition;
pub use model::convert::{
    Address, Bound, Conversion, Declaration, Matches, Misfit, Nanoseconds, NotAList, Shape,
    read_duration, read_like, read_list, read_size, show_duration, show_size,
};
pub use model::document::{Document, Leaf, Lookalike, NamedBy, OfScope};
pub use model::encrypted::{Decrypts, ENCRYPTED_MARK, Encrypts, NotEncrypted, is_encrypted};
pub use model::fact::{Clauses, Fact, Part, list_values};
pub use model::key::{KeyId, KeyPath, Keys, MAX_SEGMENTS, NameError, folded};
pub use model::layer::{
    Empty, Inactivity, Kind, Lack, Layer, LayerIndex, Names, Null, Pins, Presence, Removal, ScopeOf,
};
pub use model::near::{KnownNames, is_near, nearest, nearest_few};
pub use model::note::{Note, show_date};
pub use model::pattern::Pattern;
pub use model::place::{Origin, Place, Position, ShownLine, SourceText, Span};
pub use model::reference::{
    BadText, Dialect, Piece, Reference, Replaces, Target, TextRules, Within, take_apart,
};
pub use model::scope::{
    Audience, Scope, ScopeVariable, is_env_name, is_scope_name, scope_segments_match,
};
pub use model::secret::{
    Secrets, hide_address_password, hide_in_text, is_nearly_secret_name, is_secret_name,
    may_hold_password, names_a_secret_inside, speaks_of_a_secret,
};
pub use model::text::Text;
pub use model::value::{Element, Entry, Type, Value, is_unprintable};
pub use model::variable::{Claim, Claims, Clash, Known, Naming, VariableRules, is_system_variable};
pub use precedence::provenance::Provenance;
pub use precedence::resolution::{Candidate, Resolution};
pub use precedence::verdict::{Rule, Verdict};
pub use reading::{
    Assembled, BadInput, BadReading, Edit, From, Input, Inputs, NearName, Need, Offer, Reading,
    Readings,
};
