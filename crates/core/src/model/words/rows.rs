//! What became of a candidate, and why a layer has none.

pub(crate) const WINS: &str = "no stronger layer sets it{gathers}";
pub(crate) const PINS: &str = "the layer pins it; no stronger layer can change it{gathers}";
pub(crate) const GATHERS: &str = "; its items are joined with those of weaker layers ({how})";
pub(crate) const CONTRIBUTES: &str =
    "the setting joins lists, and {layer} ({place}) adds its items";
pub(crate) const BLOCKED: &str = "{layer} {does} ({place})";
pub(crate) const PINS_KEY: &str = "pins {key}";
pub(crate) const REMOVES_AND_PINS: &str = "removes {key} and pins that";
pub(crate) const LATER_OF_NAME: &str = "a later value of the same name counts ({place})";
pub(crate) const OTHER_NAME: &str = "{name} ({place}) means the same setting";
pub(crate) const STRONGER_SOURCE: &str =
    "a stronger source of the same layer sets {value} ({place})";
pub(crate) const YIELDS: &str =
    "it counts only where no weaker layer sets it, and {layer} sets {value} ({place})";
pub(crate) const STRONGER: &str = "{layer} is stronger and sets {value} ({place})";
pub(crate) const RESHAPED_ABOVE: &str = "{layer} sets {key}, above it ({place})";
pub(crate) const RESHAPED_BELOW: &str = "{layer} sets {key}, below it ({place})";
pub(crate) const REMOVED: &str = "{layer} {does}{of} ({place}), which removes it";
pub(crate) const OF_KEY: &str = " for {key}";
pub(crate) const REMOVES_PATTERN: &str = "removes {pattern} (`remove`)";
pub(crate) const UNSETS: &str = "unsets it (--unset)";
pub(crate) const SETS_NULL: &str = "sets null";
pub(crate) const EMPTY_FOR_SETTING: &str =
    "an empty string counts as not set for this setting (empty = \"unset\")";
pub(crate) const EMPTY_IN_LAYER: &str =
    "an empty string counts as not set in this layer (empty = \"unset\")";
pub(crate) const LAYER_REMOVES: &str = "the layer removes {pattern} (`remove`)";
pub(crate) const REMOVES_WEAKER: &str = "it removes the value of weaker layers";
pub(crate) const REMOVES_NOTHING: &str = "no weaker layer sets a value that it could remove";
pub(crate) const UNREADABLE: &str = "{why}; no weaker value is used instead";
pub(crate) const NOT_READABLE: &str = "the value cannot be read";

pub(crate) const ENCRYPTED: &str = "encrypted there";
pub(crate) const FORMER_NAME: &str = "a former name of the setting";
pub(crate) const THROUGH_ANCHOR: &str = "through the anchor &{anchor}";
pub(crate) const NAMED_BY: &str = "named by {who}";

pub(crate) const ENDS: &str = "nothing from `{operator}` on is read ({place})";
pub(crate) const LINE_PASSED: &str = "{count} other line is not read";
pub(crate) const LINES_PASSED: &str = "{count} other lines are not read";
pub(crate) const SIMILAR_NAME: &str = "{name} ({place}) is a similar name";

pub(crate) const SETS_ABOVE: &str = "it sets {key}, above it ({place}: {value}){more}";
pub(crate) const SETS_BELOW: &str = "it sets {key}, below it ({place}: {value}){more}";
pub(crate) const AND_MORE: &str = ", and {count} more";
pub(crate) const KEY_WITHOUT_VALUE: &str = "key without a value ({place})";
pub(crate) const NO_DEFAULT: &str = "it has no default";
pub(crate) const NO_CATALOGUE: &str = "the project has no catalogue";
pub(crate) const NO_ARGUMENT: &str = "no --set or --unset";
pub(crate) const ALL_BELOW: &str = "all its keys are below {key}";
pub(crate) const NOT_AMONG_VALUES: &str = "not among its values";
pub(crate) const VARIABLE_NOT_SET: &str = "{name} is not set";
pub(crate) const SYSTEM_VARIABLE: &str = "{name} is a system variable; it is read only if the \
                                          catalogue names it with `variable`";
pub(crate) const VARIABLE_NOT_READ: &str = "{name} is set, but not read for this setting";
pub(crate) const DOES_NOT_SET: &str = "{what} does not set {name}";
pub(crate) const DO_NOT_SET: &str = "{what} do not set {name}";
pub(crate) const READ_WITHOUT_FALLBACK: &str = "read without a fallback ({place}){more}";
pub(crate) const AND_MORE_IN_FILE: &str = ", and {count} more in this file";
pub(crate) const NO_FALLBACK: &str = "no code that it reads has a fallback";

pub(crate) const THE_LAYER: &str = "the layer";
pub(crate) const THE_SCOPE: &str = "the scope {scope} of {store}";
pub(crate) const THE_SCOPES: &str = "the scopes {scopes} of {store}";
pub(crate) const SCOPES_THAT_MATCH: &str = "the {count} scopes of {store} that match {scope}";
pub(crate) const READ_WITH: &str = "{path} and {count} files that are read with it";
pub(crate) const FILES_THAT_MATCH: &str = "the {count} files that match {path}";
pub(crate) const ROW_OF: &str = "row {row} of {what}";
pub(crate) const SECTION_OF: &str = "section {section} of {what}";
