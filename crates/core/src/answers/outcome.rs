//! What a setting comes to, and why it does not.

use super::weight::Weight;
use crate::model::candidate::CandidateId;
use crate::model::convert::Conversion;
use crate::model::fact::Fact;
use crate::model::place::Span;
use crate::model::value::Value;
use crate::model::words::answers as words;

/// What a setting comes to.
#[derive(Clone, Debug)]
pub struct Outcome {
    /// Its value, nothing, or why neither can be told.
    pub result: Result<Option<Value>, Failure>,
    /// Whether it is secret.
    pub secret: bool,
    /// What conversion did.
    pub conversion: Option<Conversion>,
    /// Of a gathered list: where each of its items is from.
    pub items: Vec<Item>,
    pub(super) height: usize,
    pub(super) weight: Weight,
}

/// An item of a gathered list.
#[derive(Clone, Debug)]
pub struct Item {
    /// Its value.
    pub value: Value,
    /// The candidate that has it.
    pub candidate: CandidateId,
    /// Where it is in that candidate's source, if that is known.
    pub at: Option<Span>,
}

/// Why a setting is in error.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Failure {
    /// The code.
    pub code: &'static str,
    /// What is wrong, as a clause without any secret.
    pub fact: Fact,
    /// The settings on the way to the one that is at fault, which is the last; empty if it is this
    /// one itself.
    pub way: Vec<String>,
    /// Whether the same fault is reported for another setting: of a circle of references the one whose name
    /// comes first stands for all.
    pub is_echo: bool,
}

impl Failure {
    pub(super) fn new(code: &'static str, fact: Fact) -> Failure {
        Failure { code, fact, way: Vec::new(), is_echo: false }
    }

    /// What is wrong, with the way to the setting that is at fault.
    pub fn from_here(&self) -> Fact {
        match self.way.as_slice() {
            [] => self.fact.clone(),
            way => Fact::new(words::REFERS)
                .with("way", way.join(", which refers to "))
                .with("why", self.fact.clone()),
        }
    }
}

impl Outcome {
    pub(super) fn new(result: Result<Option<Value>, Failure>) -> Outcome {
        Outcome {
            result,
            secret: false,
            conversion: None,
            items: Vec::new(),
            height: 0,
            weight: Weight::default(),
        }
    }

    pub(super) fn absent(secret: bool) -> Outcome {
        Outcome { secret, ..Outcome::new(Ok(None)) }
    }

    pub(super) fn failed(failure: Failure, secret: bool, height: usize) -> Outcome {
        Outcome { secret, height, ..Outcome::new(Err(failure)) }
    }

    /// The same as a secret or as none; of a secret the texts are secret ones.
    pub(super) fn with_secrecy(self, secret: bool) -> Outcome {
        if !secret {
            return Outcome { secret, ..self };
        }
        let hide = |item: Item| Item { value: item.value.hidden(), ..item };
        Outcome {
            result: self.result.map(|value| value.map(Value::hidden)),
            conversion: self.conversion.map(|it| Conversion { from: it.from.hidden(), ..it }),
            items: self.items.into_iter().map(hide).collect(),
            secret,
            ..self
        }
    }

    /// The value, if there is one.
    pub fn value(&self) -> Option<&Value> {
        self.result.as_ref().ok()?.as_ref()
    }
}
