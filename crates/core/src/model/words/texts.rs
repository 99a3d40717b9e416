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
