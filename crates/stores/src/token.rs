//! Tokens: what must never be shown.

use std::fmt;
use zeroize::Zeroizing;

/// A token or password. It cannot be formatted by accident: its `Debug` shows only that it is one. Its
/// memory is wiped when it is dropped.
#[derive(Clone, PartialEq, Eq)]
pub(crate) struct Token(Zeroizing<String>);

impl Token {
    /// A text that can be sent in a header; `None` if it cannot.
    pub(crate) fn new(text: String) -> Option<Token> {
        let fine = !text.is_empty() && text.bytes().all(|byte| (0x21..0x7f).contains(&byte));
        fine.then(|| Token(Zeroizing::new(text)))
    }

    /// The text, to be sent and for nothing else.
    pub(crate) fn reveal(&self) -> &str {
        &self.0
    }
}

impl fmt::Debug for Token {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Token(hidden)")
    }
}
