//! What gave an axis its value.

pub(crate) const BY_ARGUMENT: &str = "--in";
pub(crate) const BY_VARIABLE: &str = "the variable {name}";
pub(crate) const AT_LINE: &str = "{name}:{line}";
pub(crate) const BY_HOST: &str = "host {name}";
pub(crate) const BY_TAG: &str = "git tag {name}";
pub(crate) const BY_FILE_VARIABLE: &str = "{name} in {path}:{line}";
pub(crate) const BY_BRANCH: &str = "git branch {name}";
pub(crate) const BY_BRANCH_LIKE: &str = "git branch {name} ({pattern})";
pub(crate) const BY_FOLDER: &str = "folder {name}";
pub(crate) const BY_AXIS: &str = "axis {name}";
pub(crate) const BY_DEFAULT: &str = "default";
pub(crate) const BY_NOTHING: &str = "nothing";
