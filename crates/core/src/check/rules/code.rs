//! Rules about source code: who searches it finds them.

use super::{About, Needs, Severity, Visit};

pub(crate) static SECRET_IN_CODE: About = About::new(
    "secret-in-code",
    Severity::Error,
    "a secret that is written in source code",
    &["the secret {key} is written in source code"],
    || Visit::Nothing,
)
.needing(Needs::Code);

pub(crate) static READ_NOT_DECLARED: About = About::new(
    "read-not-declared",
    Severity::Warning,
    "a variable that code mentions and nothing sets or declares",
    &[
        "code mentions {key}, but nothing sets or declares it",
        "code mentions {key}, but nothing sets it; it is similar to {near}",
    ],
    || Visit::Nothing,
)
.needing(Needs::Code);

pub(crate) static HARD_CODED: About = About::new(
    "hard-coded",
    Severity::Warning,
    "the value of a setting that is written in source code",
    &["the value of {key} is written in source code"],
    || Visit::Nothing,
)
.needing(Needs::Code);

pub(crate) static UNUSED_SETTING: About = About::new(
    "unused-setting",
    Severity::Note,
    "a setting that no code mentions",
    &[
        "no code mentions {key} or any part of it",
        "no code mentions {key}; it may be read through {part}, which is mentioned",
    ],
    || Visit::Nothing,
)
.needing(Needs::Code);
