//! How a text is parsed beyond what its format says.

use crate::fault::Fault;
use justwhy_core::{Dialect, Span};

/// How a text is parsed beyond what its format says.
#[derive(Clone, Copy, Default, Debug)]
pub(crate) struct Manner<'m> {
    /// Whether the file may be something else than one table: any value, and any number of documents.
    pub(crate) is_any: bool,
    /// The section whose keys hold in every section (ini).
    pub(crate) inherit: Option<&'m str>,
    /// Whether a comment may follow a value on its line (ini).
    pub(crate) inline_comments: bool,
    /// Whether a repeated key gathers its values in a list (ini).
    pub(crate) gathers: bool,
    /// Whether what programs commonly accept is read, and noted, instead of refused.
    pub(crate) tolerant: bool,
    /// How references in it are read, if they are.
    pub(crate) dialect: Option<Dialect>,
    /// Whether a place in the file is chosen, so that all that has a name can be meant.
    pub(crate) chooses: bool,
    /// The name of the one value that a file is.
    pub(crate) entry: Option<&'m str>,
}

/// The error that a file has several documents, and nothing says which.
pub(crate) fn second_document(at: Span) -> Fault {
    Fault::new(at, "second document").help(
        "add `document` to the layer: a number, a table of values to match, \"all\", or the key that \
         names where each applies",
    )
}
