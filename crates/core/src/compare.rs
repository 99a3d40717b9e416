//! Two contexts side by side: which settings differ, and who decides them on either side.

use crate::{Answers, Explanation, KeyId, Stand, Status};

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
        let difference = match (&one, &other) {
            (None, None) => continue,
            (Some(one), None) => unless_uncertain(one, Difference::OnlyLeft),
            (None, Some(other)) => unless_uncertain(other, Difference::OnlyRight),
            (Some(one), Some(other)) => between((left, one), (right, other)),
        };
        match difference {
            None => compared.same += 1,
            Some(difference) => {
                compared.pairs.push(Pair { key: *key, difference, left: one, right: other });
            }
        }
    }
    compared
}

/// What is uncertain may have no value at all.
fn unless_uncertain(answer: &Explanation, difference: Difference) -> Option<Difference> {
    Some(match answer.status {
        Status::Uncertain { .. } => Difference::CannotTell,
        _ => difference,
    })
}

/// How two answers differ; none if they are the same.
fn between(
    (left, one): (&Answers<'_>, &Explanation),
    (right, other): (&Answers<'_>, &Explanation),
) -> Option<Difference> {
    match (&one.status, &other.status) {
        (Status::Set, Status::Set) => {
            (one.effective() != other.effective()).then_some(Difference::Differs)
        }
        (Status::Uncertain { .. }, _) | (_, Status::Uncertain { .. }) => {
            Some(Difference::CannotTell)
        }
        // One that cannot be read is the same as itself.
        (Status::Unreadable { .. }, Status::Unreadable { .. })
            if said_by(left, one).is_some() && said_by(left, one) == said_by(right, other) =>
        {
            None
        }
        (Status::Unreadable { .. }, _) | (_, Status::Unreadable { .. }) => {
            Some(Difference::CannotTell)
        }
        (status, other) => (status != other).then_some(Difference::Differs),
    }
}

/// What says the value: the source, where in it, under which name, and in which revision.
fn said_by(answers: &Answers<'_>, answer: &Explanation) -> Option<(String, String, Option<u64>)> {
    let resolution = answers.resolution();
    // Of what is put together from several, or comes out of others, there is more to tell.
    if answers.may_refer(answer.key) || resolution.in_force(answer.key).count() > 1 {
        return None;
    }
    let candidate = resolution.candidate(answer.winner.as_ref()?.candidate);
    let stand = Stand::of(resolution, answer.winner.as_ref()?.candidate);
    let place = stand.place(resolution.keys());
    Some((stand.source.to_string(), place, resolution.note(candidate).and_then(|it| it.revision)))
}
