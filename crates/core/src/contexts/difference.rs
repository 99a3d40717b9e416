//! How two answers of a setting differ.

use crate::answers::{Answers, Gifts, Ingredient};
use crate::explanation::{Explanation, Status};
use crate::model::value::Value;

/// How a setting differs between two contexts.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum Difference {
    /// It has another value, or is in another error.
    Differs,
    /// It has a value, or is in error, in the first one only.
    OnlyLeft,
    /// It has a value, or is in error, in the second one only.
    OnlyRight,
    /// Nobody can find out whether it is the same: one side cannot be read, or is uncertain.
    CannotTell,
}

impl Difference {
    /// The difference's name.
    pub fn name(self) -> &'static str {
        match self {
            Difference::Differs => "differs",
            Difference::OnlyLeft => "only-left",
            Difference::OnlyRight => "only-right",
            Difference::CannotTell => "cannot-tell",
        }
    }
}

/// What is known of an answer, to be held against another one, perhaps of another project.
#[derive(Clone, PartialEq, Debug)]
pub(crate) struct Told {
    status: Status,
    /// The effective value, secrets too.
    value: Option<Value>,
    /// If nobody can find out it: what it is made of, as far as that is known.
    made_of: Option<Vec<Ingredient>>,
    pub(crate) is_secret: bool,
    /// Whether the caller gave it.
    pub(crate) is_given: bool,
}

impl Told {
    /// What is known of an answer, where more may be given than arguments and the process.
    pub(crate) fn of(answers: &Answers<'_>, answer: &Explanation, given: &mut Gifts<'_>) -> Told {
        let made_of = match answer.status {
            Status::Set | Status::Absent => None,
            Status::Unreadable { .. } => answers.ingredients(answer.key),
            // Of what is put together from several, or comes out of others, there is more to tell.
            Status::Uncertain { .. }
                if answers.may_refer(answer.key)
                    || answers.resolution().in_force(answer.key).count() > 1 =>
            {
                None
            }
            _ => {
                let winner = answer.winner.as_ref().map(|winner| winner.candidate);
                winner.map(|id| vec![Ingredient::said(answers.resolution(), id)])
            }
        };
        // Whether it is secret on the other side is not known here.
        Told {
            status: answer.status.clone(),
            value: answer.effective().cloned(),
            made_of,
            is_secret: answer.secret,
            is_given: given.has(answers, answer.key),
        }
    }

    /// Whether one of two is a secret and the other what somebody gives who could be guessing it: they
    /// are never compared.
    pub(crate) fn could_be_a_guess(&self, other: &Told) -> bool {
        (self.is_secret || other.is_secret) && self.is_given != other.is_given
    }

    /// Whether both are made of the same, so that what nobody can find out is the same whatever it is.
    fn is_made_alike(&self, other: &Told) -> bool {
        self.made_of.is_some() && self.made_of == other.made_of
    }

    /// Whether both cannot be told, or are in the same error, for the same reason: that a message names
    /// other lines, or another near name, makes no other error.
    fn is_as_bad(&self, other: &Told) -> bool {
        let is_same = match (&self.status, &other.status) {
            (Status::Error { code, .. }, Status::Error { code: other, .. }) => code == other,
            (status, other) => status.name() == other.name(),
        };
        is_same && self.is_made_alike(other)
    }

    /// How two answers differ, an absent one being none; none if they are the same. In the same
    /// context, what nobody can find out and is set in the same way is the same.
    pub(crate) fn difference(
        left: Option<&Told>,
        right: Option<&Told>,
        is_same_place: bool,
    ) -> Option<Difference> {
        match (left, right) {
            (Some(one), Some(other))
                if is_same_place && !one.could_be_a_guess(other) && one.is_as_bad(other) =>
            {
                None
            }
            (None, None) => None,
            (Some(one), None) => Some(one.unless_uncertain(Difference::OnlyLeft)),
            (None, Some(other)) => Some(other.unless_uncertain(Difference::OnlyRight)),
            (Some(one), Some(other)) => one.against(other),
        }
    }

    /// What is uncertain may have no value at all.
    fn unless_uncertain(&self, difference: Difference) -> Difference {
        match self.status {
            Status::Uncertain { .. } => Difference::CannotTell,
            _ => difference,
        }
    }

    fn against(&self, other: &Told) -> Option<Difference> {
        if self.could_be_a_guess(other) {
            return Some(Difference::Differs);
        }
        match (&self.status, &other.status) {
            (Status::Set, Status::Set) => {
                let is_same = match (&self.value, &other.value) {
                    (Some(one), Some(other)) => one.is_same(other),
                    (one, other) => one == other,
                };
                (!is_same).then_some(Difference::Differs)
            }
            (Status::Uncertain { .. }, _) | (_, Status::Uncertain { .. }) => {
                Some(Difference::CannotTell)
            }
            // One that cannot be read is the same as itself.
            (Status::Unreadable { .. }, Status::Unreadable { .. }) if self.is_made_alike(other) => {
                None
            }
            (Status::Unreadable { .. }, _) | (_, Status::Unreadable { .. }) => {
                Some(Difference::CannotTell)
            }
            (status, other) => (status != other).then_some(Difference::Differs),
        }
    }
}
