//! Rules whose findings come from outside of the settings: whoever has what they look at finds them.

use super::{About, Needs, Severity, Visit};

pub(crate) static CANNOT_READ: About =
    About::new("cannot-read", Severity::Error, "a context that cannot be read", || Visit::Nothing);

pub(crate) static RULE_BROKEN: About = About::new(
    "rule-broken",
    Severity::Error,
    "a rule between settings that does not hold",
    || Visit::Nothing,
);

pub(crate) static ORPHAN_FILE: About = About::new(
    "orphan-file",
    Severity::Warning,
    "a file that a layer would read for no allowed value",
    || Visit::Nothing,
)
.needing(Needs::EveryContext);

pub(crate) static IDLE_ACCEPT: About =
    About::new("idle-accept", Severity::Warning, "an [[accept]] that accepts nothing", || {
        Visit::Nothing
    })
    .needing(Needs::EveryContext);
