//! What a command comes to, and where that goes.

use crate::look::Look;

/// What is known about where the output goes.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Terminal {
    pub(crate) look: Look,
    pub(crate) errors_in_colour: bool,
}

/// What a command comes to.
#[derive(Debug)]
pub(crate) struct Outcome {
    /// For stdout.
    pub(crate) result: Pieces,
    /// For stderr.
    pub(crate) notes: String,
    /// The exit code.
    pub(crate) code: u8,
    /// What was written, which must be printed even if the result cannot be printed.
    pub(crate) done: Vec<String>,
}

/// A text in pieces, as several threads write a large one; nobody puts them together only to print them.
#[derive(Debug, Default)]
pub(crate) struct Pieces(Vec<String>);

impl Pieces {
    pub(crate) fn push(&mut self, piece: String) {
        self.0.push(piece);
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = &str> {
        self.0.iter().map(String::as_str)
    }

    pub(crate) fn into_each(self) -> impl Iterator<Item = String> {
        self.0.into_iter()
    }

    pub(crate) fn together(self) -> String {
        self.0.concat()
    }
}

impl From<String> for Pieces {
    fn from(text: String) -> Pieces {
        Pieces(vec![text])
    }
}
