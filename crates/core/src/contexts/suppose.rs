//! What a change to a project changes: the settings that are otherwise, and in which contexts.

use crate::answers::Gifts;
use crate::answers::{Answers, ExpansionLimits, IsGiven, Outside};
use crate::contexts::compare::{Difference, Told};
use crate::contexts::survey::Sight;
use crate::contexts::survey::{ContextSet, Survey};
use crate::explanation::{Explanation, Status};
use crate::model::key::KeyId;
use hashbrown::HashMap;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Every setting of a project in many contexts, each answer once: to be held against what the project
/// would be after a change. Keys are segments, as the two share no [`Keys`](crate::model::key::Keys).
#[derive(Debug)]
pub struct Tale<C> {
    settings: BTreeMap<Vec<String>, Vec<Answered<C>>>,
    contexts: usize,
}

/// An answer, where it holds, and what is to be shown of it.
#[derive(Debug)]
struct Answered<C> {
    told: Told,
    contexts: Arc<ContextSet>,
    shown: Arc<C>,
}

/// A setting that is otherwise after a change.
#[derive(Debug)]
pub struct Effect<C> {
    /// The setting.
    pub key: Vec<String>,
    /// How it is otherwise.
    pub difference: Difference,
    /// What it was; none if it was absent.
    pub before: Option<Arc<C>>,
    /// What it is then.
    pub after: Option<Arc<C>>,
    /// Whether the two were not compared, as one is a secret and the other is what was given.
    pub is_not_compared: bool,
    /// Where, among the contexts of the first one.
    pub contexts: ContextSet,
}

/// What a change to a project comes to.
#[derive(Debug)]
pub struct Effects<C> {
    /// The settings that are otherwise, by key.
    pub changed: Vec<Effect<C>>,
    /// How many settings are the same in every context.
    pub same: usize,
}

impl<C: PartialEq + Send + Sync> Tale<C> {
    /// Looks at every setting of a survey that is wanted.
    pub fn of(
        survey: &Survey,
        wanted: &(dyn Fn(KeyId) -> bool + Sync),
        outside: &dyn Outside,
        limits: ExpansionLimits,
        given: IsGiven<'_>,
        show: impl Fn(&Answers<'_>, &Explanation) -> C + Sync,
    ) -> Tale<C> {
        let mut by_key: HashMap<KeyId, Vec<Answered<C>>> = HashMap::new();
        let look = |sight: Sight<'_>| {
            let mut said = Vec::new();
            let mut given = Gifts::new(given);
            for (key, contexts) in sight.settings.into_iter().filter(|(key, _)| wanted(*key)) {
                let mut answer = Explanation::of(&sight.answers, key);
                if answer.status == Status::Absent {
                    continue;
                }
                let told = Told::of_given(&sight.answers, &answer, Some(&mut given));
                // How it is shown must not tell what is not compared.
                answer.is_given |= told.is_given;
                let answered =
                    Answered { told, contexts, shown: Arc::new(show(&sight.answers, &answer)) };
                said.push((key, answered));
            }
            said
        };
        survey.look(outside, limits, look, |said| {
            said.into_iter().for_each(|(key, said)| by_key.entry(key).or_default().push(said));
        });
        let segments = |key: KeyId| -> Vec<String> {
            let segments = survey.keys().map(|keys| keys.segments(key)).unwrap_or_default();
            segments.into_iter().map(str::to_owned).collect()
        };
        Tale {
            settings: by_key.into_iter().map(|(key, told)| (segments(key), told)).collect(),
            contexts: survey.contexts().len(),
        }
    }

    /// What is otherwise in `after`. `pairs` are the contexts to compare: the number that each has
    /// here, and there.
    pub fn against(&self, after: &Tale<C>, pairs: &[(usize, usize)]) -> Effects<C> {
        let mut changes = Effects { changed: Vec::new(), same: 0 };
        let none = Vec::new();
        let mut keys: Vec<&Vec<String>> = self.settings.keys().collect();
        keys.extend(after.settings.keys().filter(|key| !self.settings.contains_key(*key)));
        keys.sort_unstable();
        for key in keys {
            let (left, right) = (self.settings.get(key), after.settings.get(key));
            let (left, right) = (left.unwrap_or(&none), right.unwrap_or(&none));
            let changed = self.changed(key, (left, self.contexts), (right, after.contexts), pairs);
            changes.same += usize::from(changed.is_empty());
            changes.changed.extend(changed);
        }
        changes
    }

    fn changed(
        &self,
        key: &[String],
        (left, of_left): (&Vec<Answered<C>>, usize),
        (right, of_right): (&Vec<Answered<C>>, usize),
        pairs: &[(usize, usize)],
    ) -> Vec<Effect<C>> {
        // Most settings are the same everywhere, and the same after.
        let is_whole =
            |all: &[Answered<C>], of: usize| all.len() == 1 && all[0].contexts.len() == of;
        if is_whole(left, of_left)
            && is_whole(right, of_right)
            && difference(left.first(), right.first()).is_none()
        {
            return Vec::new();
        }
        let (at_left, at_right) = (numbers(left, of_left), numbers(right, of_right));
        let mut met: HashMap<(Option<u32>, Option<u32>), ContextSet> = HashMap::new();
        for (here, there) in pairs {
            let by = (at_left[*here], at_right[*there]);
            met.entry(by).or_insert_with(|| ContextSet::none(of_left)).insert(*here);
        }
        let mut met: Vec<_> = met.into_iter().collect();
        met.sort_by_key(|(_, contexts)| contexts.first());
        let mut changed: Vec<Effect<C>> = Vec::new();
        for ((one, other), contexts) in met {
            let one = one.and_then(|at| left.get(at as usize));
            let other = other.and_then(|at| right.get(at as usize));
            let Some(difference) = difference(one, other) else { continue };
            let is_not_compared = match (one, other) {
                (Some(one), Some(other)) => one.told.could_be_a_guess(&other.told),
                _ => false,
            };
            let (before, after) = (one.map(|it| &it.shown), other.map(|it| &it.shown));
            let same = changed.iter_mut().find(|change| {
                change.difference == difference
                    && change.before.as_deref() == before.map(|it| &**it)
                    && change.after.as_deref() == after.map(|it| &**it)
            });
            match same {
                Some(same) => same.contexts.add(&contexts),
                None => changed.push(Effect {
                    key: key.to_vec(),
                    difference,
                    before: before.cloned(),
                    after: after.cloned(),
                    is_not_compared,
                    contexts,
                }),
            }
        }
        changed
    }
}

/// How an answer is otherwise than the one before. What nobody could tell before, and is said in the
/// same way, is the same.
fn difference<C>(before: Option<&Answered<C>>, after: Option<&Answered<C>>) -> Option<Difference> {
    let (before, after) = (before.map(|it| &it.told), after.map(|it| &it.told));
    if let (Some(before), Some(after)) = (before, after)
        && !before.could_be_a_guess(after)
        && before.is_as_bad(after)
    {
        return None;
    }
    Told::difference(before, after)
}

/// For each context the number of its answer.
fn numbers<C>(all: &[Answered<C>], contexts: usize) -> Vec<Option<u32>> {
    let mut numbers = vec![None; contexts];
    for (number, answered) in all.iter().enumerate() {
        for context in answered.contexts.iter() {
            numbers[context] = u32::try_from(number).ok();
        }
    }
    numbers
}
