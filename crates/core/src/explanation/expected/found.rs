//! What was found of what somebody expected, and the steps that would make it take effect.

use crate::model::fact::Fact;
use crate::model::place::{Origin, Place};
use crate::model::value::Value;
use crate::model::words::changes as words;
use crate::precedence::verdict::Verdict;
use std::fmt;

/// In what sense something is what was expected.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Sense {
    /// It is that value.
    Value,
    /// It is from that layer.
    Layer,
    /// It is from that source.
    Source,
}

impl Sense {
    /// The sense's name.
    pub fn name(self) -> &'static str {
        match self {
            Sense::Value => "value",
            Sense::Layer => "layer",
            Sense::Source => "source",
        }
    }
}

/// Something that is what was expected, and is not effective.
#[derive(Clone, PartialEq, Debug)]
pub struct Found {
    /// In what sense.
    pub sense: Sense,
    /// The name of its layer.
    pub layer: String,
    /// Its place.
    pub place: Place,
    /// The name there.
    pub name: String,
    /// Whether that name is a pattern of keys that the layer takes away.
    pub is_pattern: bool,
    /// What it has; none if it is secret, or a pattern.
    pub says: Option<Value>,
    /// How it is to the setting.
    pub how: How,
    /// The first thing that keeps it from being effective, as a clause.
    pub keeps: Fact,
    /// What would make it take effect, one change after the other; empty if nothing simple would.
    pub steps: Vec<Change>,
}

/// How something that was expected is to the setting.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum How {
    /// It is a candidate in the context that was asked about.
    Candidate(Verdict),
    /// It takes effect in another context.
    InForceElsewhere,
    /// It is a candidate in another context, where it loses too.
    CandidateElsewhere(Verdict),
    /// Its layer is not active.
    Inactive,
    /// Its name is nearly that of the setting.
    NearName,
    /// It is outside of the section that is read.
    OutsideSection,
    /// It is deeper in the section that is read, and so is another setting.
    Deeper,
}

impl How {
    /// The name of it.
    pub fn name(self) -> &'static str {
        match self {
            How::Candidate(verdict) | How::CandidateElsewhere(verdict) => verdict.name(),
            How::InForceElsewhere => "in-force-elsewhere",
            How::Inactive => "inactive",
            How::NearName => "near-name",
            How::OutsideSection => "outside-section",
            How::Deeper => "deeper",
        }
    }
}

/// A change to a source, to the project file or to the question.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Change {
    /// What to do.
    pub act: Act,
    /// Where.
    pub at: ChangedAt,
    /// The name there that it is about.
    pub name: String,
    /// What to write instead: a value or a name.
    pub to: Option<String>,
}

/// Where a change is made.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum ChangedAt {
    /// In what is read.
    Place(Place),
    /// In the context that is asked for.
    Context(String),
}

impl ChangedAt {
    fn origin(&self) -> Option<&Origin> {
        match self {
            ChangedAt::Place(place) => Some(&place.origin),
            ChangedAt::Context(_) => None,
        }
    }
}

impl fmt::Display for ChangedAt {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ChangedAt::Place(place) => place.fmt(f),
            ChangedAt::Context(context) => f.write_str(context),
        }
    }
}

/// What to do.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Act {
    /// Take something out.
    TakeOut,
    /// Write another value.
    Write,
    /// Give something another name.
    Rename,
    /// Take a pattern out of `remove`.
    StopRemoving,
    /// Let an empty text count.
    CountEmpty,
    /// Let a layer be active.
    Activate,
    /// Ask in another context.
    AskIn,
}

impl Act {
    /// The name of it.
    pub fn name(self) -> &'static str {
        match self {
            Act::TakeOut => "take-out",
            Act::Write => "write",
            Act::Rename => "rename",
            Act::StopRemoving => "stop-removing",
            Act::CountEmpty => "count-empty",
            Act::Activate => "activate",
            Act::AskIn => "ask-in",
        }
    }
}

impl Change {
    /// The change as a sentence without an end.
    pub fn fact(&self) -> Fact {
        let form = match (self.act, self.at.origin()) {
            (Act::TakeOut, Some(Origin::Process)) => words::UNSET_VARIABLE,
            (Act::TakeOut, Some(Origin::Arguments)) => words::LEAVE_OUT_SET,
            (Act::TakeOut, _) => words::REMOVE,
            (Act::Write, Some(Origin::Process)) => words::SET_VARIABLE_TO,
            (Act::Write, Some(Origin::Arguments)) => words::USE_SET,
            (Act::Write, _) => words::SET_TO,
            (Act::Rename, Some(Origin::Process)) => words::RENAME_VARIABLE,
            (Act::Rename, _) => words::RENAME,
            (Act::StopRemoving, _) => words::STOP_REMOVING,
            (Act::CountEmpty, _) => words::COUNT_EMPTY,
            (Act::Activate, _) => words::ACTIVATE,
            (Act::AskIn, _) => words::ASK_IN,
        };
        Fact::new(form)
            .with("name", &self.name)
            .with_some("to", self.to.as_ref())
            .with("place", self.at.to_string())
    }
}
