//! Two contexts side by side: which settings differ, and who decides them on either side.

use crate::answers::Answers;
use crate::answers::{Gifts, Ingredient};
use crate::explanation::{Explanation, Status};
use crate::model::key::KeyId;
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
    /// Nobody can tell whether it is the same: one side cannot be read, or is uncertain.
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

/// A setting that is not the same in two contexts, or of which nobody can tell.
#[derive(Clone, Debug)]
pub struct Pair {
    /// The setting.
    pub key: KeyId,
    /// How it differs.
    pub difference: Difference,
    /// What it is in the first context; none if it is absent there.
    pub left: Option<Explanation>,
    /// What it is in the second one.
    pub right: Option<Explanation>,
}

impl Pair {
    /// Whether both sides are shown alike although they differ: they are secret, or differ in what is
    /// hidden of an address.
    pub fn looks_same(&self) -> bool {
        match (&self.left, &self.right) {
            (Some(left), Some(right)) => {
                self.difference == Difference::Differs
                    && (left.value().is_some() && left.value() == right.value()
                        || left.secret_value().is_some() && right.secret_value().is_some())
            }
            _ => false,
        }
    }
}

/// The settings of two contexts that are not the same.
#[derive(Clone, Debug, Default)]
pub struct Compared {
    /// Those that differ, or may, in the order of `keys`.
    pub pairs: Vec<Pair>,
    /// How many are the same.
    pub same: usize,
}

/// What is known of an answer, to be held against another one, perhaps of another project.
#[derive(Clone, PartialEq, Debug)]
pub struct Told {
    status: Status,
    /// The effective value, secrets too.
    value: Option<Value>,
    /// If nobody can tell it: what it is made of, as far as that is known.
    made_of: Option<Vec<Ingredient>>,
    is_secret: bool,
    /// Whether whoever asks gave it.
    pub(crate) is_given: bool,
}

impl Told {
    /// What is known of an answer.
    pub fn of(answers: &Answers<'_>, answer: &Explanation) -> Told {
        Told::of_given(answers, answer, None)
    }

    /// The same where more is given than arguments and the process.
    pub(crate) fn of_given(
        answers: &Answers<'_>,
        answer: &Explanation,
        given: Option<&mut Gifts<'_>>,
    ) -> Told {
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
        let is_given = match given {
            None => answer.is_given,
            Some(given) => given.has(answers, answer.key),
        };
        Told {
            status: answer.status.clone(),
            value: answer.effective().cloned(),
            made_of,
            is_secret: answer.secret,
            is_given,
        }
    }

    /// Whether one of two is a secret and the other what somebody gives who could be guessing it: they
    /// are never compared.
    pub(crate) fn could_be_a_guess(&self, other: &Told) -> bool {
        (self.is_secret || other.is_secret) && self.is_given != other.is_given
    }

    /// Whether both are made of the same, so that what nobody can tell is the same whatever it is.
    fn is_made_alike(&self, other: &Told) -> bool {
        self.made_of.is_some() && self.made_of == other.made_of
    }

    /// Whether both cannot be told, or are in the same error, for the same reason: that a message names
    /// other lines, or another near name, makes no other error.
    pub(crate) fn is_as_bad(&self, other: &Told) -> bool {
        let is_same = match (&self.status, &other.status) {
            (Status::Error { code, .. }, Status::Error { code: other, .. }) => code == other,
            (status, other) => status.name() == other.name(),
        };
        is_same && self.is_made_alike(other)
    }

    /// How two answers differ, an absent one being none; none if they are the same.
    pub fn difference(left: Option<&Told>, right: Option<&Told>) -> Option<Difference> {
        match (left, right) {
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

/// Compares settings in two contexts; those that are absent in both are left out.
pub fn compare(left: &Answers<'_>, right: &Answers<'_>, keys: &[KeyId]) -> Compared {
    let mut compared = Compared::default();
    for key in keys {
        let side = |answers: &Answers<'_>| {
            let there = answers.resolution().is_setting(*key);
            let answer = there.then(|| Explanation::of(answers, *key));
            answer.filter(|answer| answer.status != Status::Absent)
        };
        let (one, other) = (side(left), side(right));
        if one.is_none() && other.is_none() {
            continue;
        }
        let told = [
            one.as_ref().map(|one| Told::of(left, one)),
            other.as_ref().map(|other| Told::of(right, other)),
        ];
        match Told::difference(told[0].as_ref(), told[1].as_ref()) {
            None => compared.same += 1,
            Some(difference) => {
                compared.pairs.push(Pair { key: *key, difference, left: one, right: other });
            }
        }
    }
    compared
}
