//! What keeps something from taking effect, and how to change that.

pub(crate) const ELSEWHERE: &str = "it takes effect in another context, {context}";
pub(crate) const READ_ELSEWHERE: &str = "it is read in another context ({context}); there, {why}";
pub(crate) const NOT_ACTIVE: &str = "the layer does not apply here: {why}";
pub(crate) const WINS_INVALID: &str = "it wins, but is invalid: {why}";
pub(crate) const WINS_UNREAD: &str = "it wins, but the value cannot be read: {why}";
pub(crate) const BECOMES: &str = "it wins, and becomes {value}";
pub(crate) const BECOMES_OTHER: &str = "it wins, and becomes another value";
pub(crate) const OTHER_NAME: &str = "its name is {name}, not {meant}";

pub(crate) const DEEPER: &str = "it is the setting {key} of the section {section}";
pub(crate) const OUTSIDE_SECTION: &str =
    "it is outside the section {section}, which the layer reads";

pub(crate) const UNSET_VARIABLE: &str = "unset the environment variable {name}";
pub(crate) const LEAVE_OUT_SET: &str = "leave out --set {name}";
pub(crate) const REMOVE: &str = "remove {name} at {place}";
pub(crate) const SET_VARIABLE_TO: &str = "set the environment variable {name} to {to}";
pub(crate) const USE_SET: &str = "use --set {name}={to}";
pub(crate) const SET_TO: &str = "set {name} to {to} at {place}";
pub(crate) const RENAME_VARIABLE: &str = "rename the environment variable {name} to {to}";
pub(crate) const RENAME: &str = "rename {name} to {to} at {place}";
pub(crate) const STOP_REMOVING: &str = "remove {name} from `remove` at {place}";
pub(crate) const COUNT_EMPTY: &str = "set empty = \"value\" for {name}";
pub(crate) const ACTIVATE: &str = "let the layer {name} apply here ({to})";
pub(crate) const ASK_IN: &str = "ask with --in {to}";

pub(crate) const ONLY_DEFAULTS: &str = "the layer catalogue has only defaults";
pub(crate) const WRITE_DEFAULT: &str = "write the default where the setting is declared";
pub(crate) const ONLY_ARGUMENTS: &str = "the layer arguments is only for --set and --unset";
pub(crate) const USE_SET_KEY: &str = "use --set KEY=VALUE";
pub(crate) const READS_VARIABLES: &str = "the layer {layer} reads environment variables";
pub(crate) const SET_VARIABLE: &str = "set the environment variable {name}";
pub(crate) const READS_COMMAND_LINE: &str =
    "the layer {layer} reads a command line, which cannot be written";
pub(crate) const EDIT_COMMAND_LINE: &str = "edit the command line by hand";
pub(crate) const READS_CODE: &str = "the layer {layer} reads source code, which cannot be written";
pub(crate) const OTHER_LAYER: &str = "choose another layer";
pub(crate) const READS_ROWS: &str = "the layer {layer} reads rows, which cannot be written";
pub(crate) const EDIT_ROW: &str = "edit the row by hand";
pub(crate) const LAYER_NOT_ACTIVE: &str = "the layer {layer} does not apply here: {why}";
pub(crate) const CHOOSE_CONTEXT: &str = "choose a context in which it applies, with --in";
pub(crate) const ALL_BELOW: &str = "every key of the layer {layer} is below {key}";
pub(crate) const NO_NAME: &str = "{key} has no name in the layer {layer}";
pub(crate) const OTHER_KEY: &str = "choose another key";
pub(crate) const EDIT_PLACE: &str = "edit {place} by hand";
pub(crate) const EDIT_PLACE_OR: &str = "edit {place} by hand, or choose another layer";
pub(crate) const IS_TABLE: &str = "the value in {layer} is a table";
pub(crate) const EDIT_ENTRIES: &str = "change its entries by hand";
pub(crate) const SCOPES_FOR_OTHERS: &str = "every scope of {layer} is meant for other contexts";
pub(crate) const CHOOSE_ONE: &str = "choose one of those contexts with --in";
pub(crate) const CREATE_SCOPE: &str = "create the scope first";
pub(crate) const CREATE_FILE: &str = "create the file first";

pub(crate) const FOR_ONE_RUN: &str = "for one run";
pub(crate) const ENVIRONMENT_VARIABLE: &str = "environment variable";
pub(crate) const IN_PROJECT_FILE: &str = "project file, {layer}";
pub(crate) const IN_SCOPE: &str = "scope {scope} of {store}{new}";
pub(crate) const IN_FILE: &str = "{path}{row}{new}{section}";
pub(crate) const ROW: &str = ", row {row}";
pub(crate) const SECTION: &str = ", section {section}";
pub(crate) const NEW: &str = " (new)";
pub(crate) const A_NEW_FILE: &str = " (a new file)";
