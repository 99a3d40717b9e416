//! Why a layer was not read.

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
