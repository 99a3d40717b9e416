//! Why a text with references cannot be taken apart, and why a value does not fit.

pub(crate) const NESTS_TOO_DEEP: &str = "fallbacks nest more than {most} deep";
pub(crate) const UNTERMINATED: &str = "unterminated `${{`; write `$${{` for a literal `${{`";
pub(crate) const UNTERMINATED_SIGN: &str = "unterminated `{sign}`";
pub(crate) const ONLY_SETTINGS_HAVE_CONTEXTS: &str = "only a setting can have a context (`@`)";
pub(crate) const END_EXPECTED: &str = "expected `}` or `:-` after `${{{target}`";
pub(crate) const NAME_EXPECTED: &str = "expected a name after `${{{word}`";
pub(crate) const KEY_EXPECTED: &str = "expected the key of a setting after `${{`: {why}";
pub(crate) const CHANGES_EXPECTED: &str =
    "expected `axis=value` after `@`, several separated by commas";
pub(crate) const COLON_KEY_EXPECTED: &str = "expected a key after `${{`";
pub(crate) const PERCENT_EXPECTED: &str =
    "`%` must be followed by `(` or `%`; write `%%` for a literal `%`";
pub(crate) const PERCENT_KEY_EXPECTED: &str = "expected `%(key)s`";
pub(crate) const PROGRAM_EXPANDS: &str = "its program expands {text}";

pub(crate) const MISFIT: &str = "{item}{found} {problem}{near}; accepted: {accepts}";
pub(crate) const ITEM: &str = "item {number}: ";
pub(crate) const NEAR: &str = " (did you mean \"{near}\"?)";
pub(crate) const NOT_SINGLE: &str = "is {kind}, not a single value";
pub(crate) const NOT_DECLARED_VALUE: &str = "is not one of the declared values";
pub(crate) const NO_MATCH: &str = "does not match its pattern";
pub(crate) const WHAT_MATCHES: &str = "what matches {pattern}";
pub(crate) const PATTERN_TOO_LARGE: &str = "cannot be matched: the pattern is too large";
pub(crate) const SMALLER_PATTERN: &str = "a smaller pattern in the catalogue";
pub(crate) const NOT_BOUNDED: &str = "is {kind}, but its bounds are those of a number";
pub(crate) const TOO_SMALL: &str = "is too small";
pub(crate) const TOO_LARGE: &str = "is too large";
pub(crate) const TOO_FEW: &str = "has too few {of}";
pub(crate) const TOO_MANY: &str = "has too many {of}";
pub(crate) const RANGE: &str = "{min} to {max}{unit}";
pub(crate) const OR_MORE: &str = "{min}{unit} or more";
pub(crate) const OR_LESS: &str = "{max}{unit} or less";
pub(crate) const UNIT: &str = " {of}";
pub(crate) const IS_NOT: &str = "is not {kind}";
pub(crate) const IS_OTHER_KIND: &str = "is {kind}, not {wanted}";
pub(crate) const NO_UNIT: &str = "has no unit";
pub(crate) const NO_ADDRESS: &str = "is not an address ({why})";
pub(crate) const NO_PATH: &str = "is not a path";
pub(crate) const PATHS: &str = "a string that is not empty, without NUL";
pub(crate) const NO_JSON_LIST: &str = "begins with `[`, but is not a JSON list";
pub(crate) const NOT_FINITE: &str = "is not finite";
pub(crate) const IN_QUOTES: &str = "the same in quotes: \"{value}\"";
pub(crate) const BARE_BOOLEAN: &str = "true or false, without quotes";
pub(crate) const WITHOUT_POINT: &str = "{number} without a point or exponent";
pub(crate) const WITH_UNIT: &str =
    "a string with a unit: \"{value}s\" for seconds, \"{value}ms\" for milliseconds";
pub(crate) const A_STRING: &str = "a string: {accepts}";
pub(crate) const A_LIST: &str = "a list, […]";
pub(crate) const A_LIST_OF: &str = "a list, [{value}]";
