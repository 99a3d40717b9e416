//! Why a setting is in error, and why a reference comes to nothing.

pub(crate) const REFERS: &str = "it refers to {way}: {why}";
pub(crate) const OF_REFERENCE: &str = "`{reference}`: {why}";
pub(crate) const OF_NAME: &str = "{name}: {why}";
pub(crate) const AT_PLACE: &str = "{why} ({place})";

pub(crate) const PROJECT_TOO_LARGE: &str = "references make the values of the project too large";
pub(crate) const TOO_MANY_BYTES: &str = "with its references it has more than {most} bytes";
pub(crate) const TOO_MANY_VALUES: &str = "with its references it has more than {most} values";
pub(crate) const LISTS_TOO_DEEP: &str = "with its references, lists are more than {most} deep";
pub(crate) const TOO_MANY_IN_A_ROW: &str = "there are more than {most} references in a row";
pub(crate) const TOO_FAR: &str = "its references lead too far";
pub(crate) const TOO_MANY_CONTEXTS: &str = "references lead to more than {most} other contexts";
pub(crate) const CIRCLE: &str = "it refers to itself: {way}";
pub(crate) const AND_MORE: &str = "… {count} more";

pub(crate) const NO_PART_OF_STRING: &str =
    "`{reference}` is {kind}, which cannot be a part of a string";
pub(crate) const PLACE_NO_PART_OF_STRING: &str =
    "{place} is {kind}, which cannot be a part of a string";
pub(crate) const PROGRAM_ENDS: &str = "{why}, and its program ends";
pub(crate) const NO_VARIABLES_HERE: &str = "environment variables are not included here";

pub(crate) const EMPTY: &str = "it is empty";
pub(crate) const NULL: &str = "it is null";
pub(crate) const NOT_SET_HERE: &str = "it is not set here";
pub(crate) const KEY_NOT_SET_HERE: &str = "{key} is not set here";
pub(crate) const NAME_NOT_SET: &str = "{name} is not set";
pub(crate) const NAME_NOT_SET_BEFORE: &str = "{name} is not set before";
pub(crate) const VARIABLE_NOT_SET: &str = "the environment variable {name} is not set";
pub(crate) const NOT_BESIDE: &str = "no {name} in the same section";
pub(crate) const NO_SETTING: &str = "no setting {key} here";
pub(crate) const NO_SETTING_BUT_NEAR: &str = "no setting {key} here; did you mean {near}?";
pub(crate) const NO_SETTING_OF_VARIABLE: &str = "no setting has the variable {name}";
pub(crate) const KEYS_BELOW: &str = "{key} is not a setting; it has keys below it";
pub(crate) const COULD_SET: &str = "{why}; {layer} could set it: {absence}";
pub(crate) const COULD_CHANGE: &str = "{layer} could change it; {absence}";
pub(crate) const STORE_REFERS_TO_SETTINGS: &str = "a value from a store can refer to settings only";
pub(crate) const BOTH_HAVE_VARIABLE: &str = "both {one} and {other} have that variable";

pub(crate) const NOT_READ: &str = "{what} cannot be read";
pub(crate) const NOT_READ_BECAUSE: &str = "{what} cannot be read: {why}";

/// What is wrong with an empty text where none is allowed.
pub(crate) const EMPTY_REFUSED: &str = "an empty string is not allowed";
pub(crate) const JOINS_LISTS: &str = "it joins lists, but {layer} sets {what} ({place})";
