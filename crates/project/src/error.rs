//! Errors: what could not be read, where, and how to mend it.

use justwhy_core::{Origin, Place, Position, SourceText, Span};
use justwhy_formats::Fault;
use std::fmt;

/// One line of a source that an error may show, as it is known to hold no secret.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Excerpt {
    /// The line's text.
    pub line: String,
    /// The bytes of it that the error is about.
    pub marked: std::ops::Range<usize>,
    /// What to write beside the mark.
    pub label: String,
}

/// Why something could not be read: a code, a message, places, and a way to mend it.
///
/// Nothing of it ever holds the text of a value, so that an error cannot give a secret away.
#[derive(Clone, PartialEq, Debug)]
pub struct Error(Box<Inner>);

#[derive(Clone, PartialEq, Debug)]
struct Inner {
    code: &'static str,
    message: String,
    place: Option<Place>,
    also: Vec<(String, Place)>,
    help: Vec<String>,
    excerpt: Option<Excerpt>,
}

/// # Making
impl Error {
    /// Whether another error has the same of the same place.
    pub fn is_same(&self, other: &Error) -> bool {
        self.to_string() == other.to_string()
    }

    /// An error with a code (for programs) and a message (for people).
    pub fn new(code: &'static str, message: impl Into<String>) -> Error {
        Error(Box::new(Inner {
            code,
            message: message.into(),
            place: None,
            also: Vec::new(),
            help: Vec::new(),
            excerpt: None,
        }))
    }

    /// The same with another code.
    #[must_use]
    pub fn with_code(mut self, code: &'static str) -> Error {
        self.0.code = code;
        self
    }

    /// Says where it is.
    #[must_use]
    pub fn at(self, origin: impl Into<Origin>, position: Option<Position>) -> Error {
        self.at_place(Place::known(origin.into(), position))
    }

    /// Says where it is.
    #[must_use]
    pub fn at_place(mut self, place: Place) -> Error {
        self.0.place = Some(place);
        self
    }

    /// Adds a second place, with what it has to do with the first.
    #[must_use]
    pub fn also(
        mut self,
        what: impl Into<String>,
        origin: impl Into<Origin>,
        position: Option<Position>,
    ) -> Error {
        self.0.also.push((what.into(), Place::known(origin.into(), position)));
        self
    }

    /// Adds a way to mend it.
    #[must_use]
    pub fn help(mut self, help: impl Into<String>) -> Error {
        self.0.help.push(help.into());
        self
    }

    /// Shows the line.
    #[must_use]
    pub fn excerpt(mut self, excerpt: Excerpt) -> Error {
        self.0.excerpt = Some(excerpt);
        self
    }
}

/// # Reading
impl Error {
    /// The code, for programs.
    pub fn code(&self) -> &'static str {
        self.0.code
    }

    /// What is wrong, in one sentence.
    pub fn message(&self) -> &str {
        &self.0.message
    }

    /// Where it is.
    pub fn place(&self) -> Option<&Place> {
        self.0.place.as_ref()
    }

    /// Other places, each with what it has to do with it.
    pub fn others(&self) -> &[(String, Place)] {
        &self.0.also
    }

    /// How to mend it.
    pub fn helps(&self) -> &[String] {
        &self.0.help
    }

    /// The line to show.
    pub fn shown_line(&self) -> Option<&Excerpt> {
        self.0.excerpt.as_ref()
    }
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(place) = self.place() {
            write!(f, "{place}: ")?;
        }
        f.write_str(self.message())
    }
}

impl std::error::Error for Error {}

/// Says where a fault of `source` is.
pub fn attach(fault: Fault, source: &str, text: &SourceText) -> Error {
    let place = |at: Span| Place::in_text(source.into(), Some(text), Some(at));
    let mut error = Error::new(fault.code, fault.message).at_place(place(fault.at));
    if let Some((what, at)) = fault.also {
        error.0.also.push((what.to_owned(), place(at)));
    }
    match fault.help {
        Some(help) => error.help(help),
        None => error,
    }
}
