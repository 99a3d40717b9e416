//! Why a layer was not read, or a value of it is withheld, and what a store tells of it.

pub(crate) const NEEDS_AXIS: &str = "needs {axis}, which is unset here";
pub(crate) const APPLIES_ELSEWHERE: &str = "{applies}; here {axis} is {value}";
pub(crate) const APPLIES_ONLY: &str = "applies only to {axis}={values}";
pub(crate) const APPLIES_NOT: &str = "does not apply to {axis}={values}";
pub(crate) const LOCAL_LEFT_OUT: &str = "local layer, not included here (--with-local includes it)";
pub(crate) const NO_FILE: &str = "file not found: {path}";
pub(crate) const NO_SECTION: &str = "{path} has no section {section}";
pub(crate) const NO_PART: &str = "{why} in {path}";
pub(crate) const NO_MATCH: &str = "no file matches {path}";
pub(crate) const NOT_IN_FOLDERS: &str = "no {path} between the project's folder and here";
pub(crate) const NO_PROCESS: &str = "no process named (--process-from PID)";
pub(crate) const NO_SCOPE_MATCHES: &str = "no scope of {store} matches {scope}";
pub(crate) const NO_SCOPE: &str = "{store} has no scope {scope}";

pub(crate) const MEANT_FOR: &str = "meant for {axis}={values}; here {axis} is {here}";
pub(crate) const SCOPE_IS: &str = "scope {scope} is {why}";
pub(crate) const SET_ON_BY_IN: &str = "set {date} by {by}, revision {revision}";
pub(crate) const SET_ON_BY: &str = "set {date} by {by}";
pub(crate) const SET_ON_IN: &str = "set {date}, revision {revision}";
pub(crate) const SET_ON: &str = "set {date}";
pub(crate) const SET_BY_IN: &str = "set by {by}, revision {revision}";
pub(crate) const SET_BY: &str = "set by {by}";
pub(crate) const IN_REVISION: &str = "revision {revision}";
