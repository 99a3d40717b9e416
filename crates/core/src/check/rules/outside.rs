//! Rules whose findings come from outside of the settings: whoever has what they look at finds them.

use super::{About, Needs, Severity, Visit};

/// See [`About`].
pub(crate) static CANNOT_READ: About = About {
    name: "cannot-read",
    severity: Severity::Error,
    about: "a context that cannot be read",
    needs: Needs::Nothing,
    begin: || Visit::Nothing,
};

/// See [`About`].
pub(crate) static RULE_BROKEN: About = About {
    name: "rule-broken",
    severity: Severity::Error,
    about: "a rule between settings that does not hold",
    needs: Needs::Nothing,
    begin: || Visit::Nothing,
};

/// See [`About`].
pub(crate) static ORPHAN_FILE: About = About {
    name: "orphan-file",
    severity: Severity::Warning,
    about: "a file that a layer would read for no allowed value",
    needs: Needs::EveryContext,
    begin: || Visit::Nothing,
};

/// See [`About`].
pub(crate) static IDLE_ACCEPT: About = About {
    name: "idle-accept",
    severity: Severity::Warning,
    about: "an [[accept]] that accepts nothing",
    needs: Needs::EveryContext,
    begin: || Visit::Nothing,
};
