//! What is wrong in a text.

use crate::Limits;
use justwhy_core::Span;

/// What is wrong in a text: the place and the reason, before anybody knows which file it is.
#[derive(Clone, PartialEq, Debug)]
pub struct Fault {
    /// Where, at least to begin with.
    pub at: Span,
    /// What, as a clause.
    pub message: String,
    /// Another place, with what it has to do with it.
    pub also: Option<(&'static str, Span)>,
    /// How to mend it.
    pub help: Option<String>,
    /// The stable name of the kind of error.
    pub code: &'static str,
}

impl Fault {
    /// With nothing but a place and a reason.
    pub fn new(at: Span, message: impl Into<String>) -> Fault {
        Fault { at, message: message.into(), also: None, help: None, code: "bad-file" }
    }

    /// With how to mend it.
    #[must_use]
    pub fn help(mut self, help: impl Into<String>) -> Fault {
        self.help = Some(help.into());
        self
    }

    /// With another place.
    #[must_use]
    pub fn also(mut self, what: &'static str, at: Span) -> Fault {
        self.also = Some((what, at));
        self
    }

    /// Its name is not told: in a file of values it could be a part of one.
    pub(crate) fn repeated(at: Span, first: Span) -> Fault {
        Fault::new(at, "duplicate key").also("first at", first).help("remove one of the two")
    }

    /// Past a limit; `field` is its name in `[limits]`.
    pub(crate) fn past_limit(at: Span, field: &str, limit: u64, of_what: &str) -> Fault {
        let mut fault = Fault::new(at, format!("more than {limit} {of_what} here"));
        fault.code = "limit";
        fault.help(format!("to allow more, raise `{field}` under [limits] in the project file"))
    }
}

/// All that is wrong in a text, as far as it is worth telling.
#[derive(Debug, Default)]
pub(crate) struct Faults(Vec<Fault>);

impl Faults {
    /// More than so many of one file nobody reads.
    const MOST: usize = 20;

    pub(crate) fn note(&mut self, fault: Fault) {
        if !self.are_enough() {
            self.0.push(fault);
        }
    }

    /// Notes what is wrong; nothing comes of it then.
    pub(crate) fn unless<T>(&mut self, read: Result<T, Fault>) -> Option<T> {
        read.map_err(|fault| self.note(fault)).ok()
    }

    /// Whether no more are noted, so that nobody need read on.
    pub(crate) fn are_enough(&self) -> bool {
        self.0.len() >= Faults::MOST
    }

    /// In the order of their places; what begins where another does follows from that.
    pub(crate) fn in_order(mut self) -> Vec<Fault> {
        self.0.sort_by_key(|fault| fault.at.start);
        self.0.dedup_by_key(|fault| fault.at.start);
        self.0
    }
}

/// More tables and lists inside each other than there may be.
pub(crate) fn too_deep(at: Span, limits: Limits) -> Fault {
    let of_what = "nested tables and lists";
    Fault::past_limit(at, "depth", limits.depth as u64, of_what)
}

pub(crate) fn integer_too_large(at: Span) -> Fault {
    Fault::new(at, "integer too large for 64 bits").help("write it as a string, in quotes")
}

pub(crate) fn number_too_large(at: Span) -> Fault {
    Fault::new(at, "number too large for 64-bit floating point")
        .help("write it as a string, in quotes")
}

/// A name for a message: at most 60 characters, quoted if it must be.
pub fn shown_name(name: &str) -> String {
    let short: String = name.chars().take(60).collect();
    let shown = justwhy_core::KeyPath::single(short.as_str()).to_string();
    if short.len() < name.len() { format!("{shown}…") } else { shown }
}
