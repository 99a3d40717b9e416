//! Rules whose findings come from outside of the settings: who has what they look at finds them.

use super::{About, Needs, Severity, Visit};

pub(crate) static CANNOT_READ: About = About::new(
    "cannot-read",
    Severity::Error,
    "a context that cannot be read",
    &["{problem}"],
    || Visit::Nothing,
);

/// The rule's own message or expression, what keeps it from being judged, and each with the values of the settings.
const RULE_FORMS: [&str; 8] = [
    "{message}",
    "{message} ({values})",
    "{expression} does not hold",
    "{expression} does not hold ({values})",
    "the rule {key} cannot be evaluated: {problem}",
    "the rule {key} cannot be evaluated: {problem} ({values})",
    "the rule {key} cannot be evaluated with these values",
    "the rule {key} cannot be evaluated with these values ({values})",
];

pub(crate) static RULE_BROKEN: About = About::new(
    "rule-broken",
    Severity::Error,
    "a rule of the project that is broken",
    &RULE_FORMS,
    || Visit::Nothing,
);

pub(crate) static ORPHAN_FILE: About = About::new(
    "orphan-file",
    Severity::Warning,
    "a file that no context reads",
    &["{file} is never read: {axis}={value} is not allowed"],
    || Visit::Nothing,
)
.needing(Needs::EveryContext);

pub(crate) static IDLE_ACCEPT: About = About::new(
    "idle-accept",
    Severity::Warning,
    "an [[accept]] that matches no finding",
    &[
        "this [[accept]] matches no finding of {rule}",
        "this [[accept]] matches no finding of {rule} for {setting}",
    ],
    || Visit::Nothing,
)
.needing(Needs::EveryContext);
