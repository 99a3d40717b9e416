//! Two projects, or one at two times or in two contexts, held against each other: the settings that are
//! otherwise, in which contexts, and what each side has of them.

use crate::answers::{Answers, ExpansionLimits, Gifts, IsGiven, Outside};
use crate::contexts::difference::{Difference, Told};
use crate::contexts::survey::{ContextSet, Families, IsWanted, Shared, Sight, Survey};
use crate::explanation::{Explanation, Status};
use crate::model::key::KeyId;
use hashbrown::HashMap;
use std::collections::BTreeMap;
use std::sync::Arc;

/// One of the two.
#[derive(Clone, Copy)]
pub struct Side<'s> {
    /// What is set in each of its contexts.
    pub survey: &'s Survey,
    /// What its references find outside of the settings.
    pub outside: &'s dyn Outside,
    /// How far they may go.
    pub limits: ExpansionLimits,
    /// What was given by the caller, besides arguments and the process.
    pub given: IsGiven<'s>,
}

impl std::fmt::Debug for Side<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Side").field("survey", &self.survey).finish_non_exhaustive()
    }
}

/// What is compared.
#[derive(Clone, Copy)]
pub struct Compared<'c> {
    /// The contexts: the number that each has on the first side, and on the second.
    pub pairs: &'c [(usize, usize)],
    /// Which settings; all without one. Keys are segments, as the two may share no
    /// [`Keys`](crate::model::key::Keys).
    pub wanted: Option<IsWanted<'c>>,
    /// What the two have in common besides documents.
    pub shared: Shared,
}

/// A setting that is not the same on both sides.
#[derive(Debug)]
pub struct Effect<C> {
    /// The setting.
    pub key: Vec<String>,
    /// How it differs.
    pub difference: Difference,
    /// What it is on the first side; none if it is absent.
    pub before: Option<Arc<C>>,
    /// What it is on the second side.
    pub after: Option<Arc<C>>,
    /// Whether either side is secret, so that nothing of the other is to be shown.
    pub is_secret: bool,
    /// Whether the two were not compared, as one is a secret and the other is what was given.
    pub is_not_compared: bool,
    /// Where, among the contexts of the first side.
    pub contexts: ContextSet,
}

/// What differs.
#[derive(Debug)]
pub struct Effects<C> {
    /// The settings that do, by key.
    pub changed: Vec<Effect<C>>,
    /// How many settings are the same in every context.
    pub same: usize,
}

/// Compares the settings of two sides. Each answer is shown by `show` once; what both sides read in the same
/// way is not looked at.
pub fn compare<C: PartialEq + Send + Sync>(
    sides: [Side<'_>; 2],
    compared: Compared<'_>,
    show: impl Fn(&Answers<'_>, &Explanation) -> C + Sync,
) -> Effects<C> {
    let [before, after] = sides;
    let alike = match compared.pairs.iter().all(|(here, there)| here == there) {
        true => Survey::alike(before.survey, after.survey, compared.shared),
        false => [Families::none(), Families::none()],
    };
    let [left, right] = [(before, &alike[0]), (after, &alike[1])]
        .map(|(side, alike)| Tale::of(side, alike, compared.wanted, &show));
    let mut effects = left.against(&right, compared.pairs);
    let asked = (before.outside, before.limits);
    effects.same += before.survey.count_present(&alike[0], asked, compared.wanted);
    effects
}

/// What is looked at of a side, each answer once.
struct Tale<'s, C> {
    side: Side<'s>,
    settings: BTreeMap<Vec<String>, Vec<Answered<C>>>,
}

/// An answer, where it holds, and what is to be shown of it.
struct Answered<C> {
    told: Told,
    contexts: Arc<ContextSet>,
    shown: Arc<C>,
}

impl<'s, C: PartialEq + Send + Sync> Tale<'s, C> {
    /// Looks at every setting that is wanted and not alike.
    fn of(
        side: Side<'s>,
        alike: &Families,
        wanted: Option<IsWanted<'_>>,
        show: &(impl Fn(&Answers<'_>, &Explanation) -> C + Sync),
    ) -> Tale<'s, C> {
        let survey = side.survey;
        let mut by_key: HashMap<KeyId, Vec<Answered<C>>> = HashMap::new();
        let look = |sight: Sight<'_>| {
            let mut said = Vec::new();
            let mut given = Gifts::new(side.given);
            for (key, contexts) in sight.settings {
                if wanted.is_some_and(|wanted| !wanted(&survey.segments(key))) {
                    continue;
                }
                let mut answer = Explanation::of(&sight.answers, key);
                if answer.status == Status::Absent {
                    continue;
                }
                let told = Told::of(&sight.answers, &answer, &mut given);
                // How it is shown must not report what is not compared.
                answer.is_given |= told.is_given;
                let answered =
                    Answered { told, contexts, shown: Arc::new(show(&sight.answers, &answer)) };
                said.push((key, answered));
            }
            said
        };
        survey.look_besides(alike, (side.outside, side.limits), look, |said| {
            said.into_iter().for_each(|(key, said)| by_key.entry(key).or_default().push(said));
        });
        let segments = |key| survey.segments(key).into_iter().map(str::to_owned).collect();
        let settings = by_key.into_iter().map(|(key, told)| (segments(key), told)).collect();
        Tale { side, settings }
    }

    fn context_count(&self) -> usize {
        self.side.survey.contexts().len()
    }

    /// What is otherwise on the other side.
    fn against(&self, other: &Tale<'_, C>, pairs: &[(usize, usize)]) -> Effects<C> {
        let mut effects = Effects { changed: Vec::new(), same: 0 };
        let none = Vec::new();
        let mut keys: Vec<&Vec<String>> = self.settings.keys().collect();
        keys.extend(other.settings.keys().filter(|key| !self.settings.contains_key(*key)));
        keys.sort_unstable();
        let contexts = [self, other].map(|tale| tale.side.survey.contexts());
        let pairs: Vec<Pair> = pairs
            .iter()
            .map(|(here, there)| {
                let [one, other] = [&contexts[0][*here].context, &contexts[1][*there].context];
                Pair { here: *here, there: *there, is_same_place: one.is_same_place(other) }
            })
            .collect();
        for key in keys {
            let (left, right) = (self.settings.get(key), other.settings.get(key));
            let sides = (left.unwrap_or(&none).as_slice(), right.unwrap_or(&none).as_slice());
            let changed = self.changed(key, sides, other, &pairs);
            effects.same += usize::from(changed.is_empty());
            effects.changed.extend(changed);
        }
        effects
    }

    fn changed(
        &self,
        key: &[String],
        (left, right): (&[Answered<C>], &[Answered<C>]),
        other: &Tale<'_, C>,
        pairs: &[Pair],
    ) -> Vec<Effect<C>> {
        let (of_left, of_right) = (self.context_count(), other.context_count());
        // Most settings are the same everywhere, and the same after.
        let is_whole =
            |all: &[Answered<C>], of: usize| all.len() == 1 && all[0].contexts.len() == of;
        if is_whole(left, of_left)
            && is_whole(right, of_right)
            && difference(left.first(), right.first(), false).is_none()
        {
            return Vec::new();
        }
        let (at_left, at_right) = (numbers(left, of_left), numbers(right, of_right));
        let mut met: HashMap<(Option<u32>, Option<u32>, bool), ContextSet> = HashMap::new();
        for Pair { here, there, is_same_place } in pairs {
            let by = (at_left[*here], at_right[*there], *is_same_place);
            met.entry(by).or_insert_with(|| ContextSet::none(of_left)).insert(*here);
        }
        let mut met: Vec<_> = met.into_iter().collect();
        met.sort_by_key(|(_, contexts)| contexts.first());
        let mut changed: Vec<Effect<C>> = Vec::new();
        for ((one, other, is_same_place), contexts) in met {
            let one = one.and_then(|at| left.get(at as usize));
            let other = other.and_then(|at| right.get(at as usize));
            let Some(difference) = difference(one, other, is_same_place) else { continue };
            let is_secret = [one, other].into_iter().flatten().any(|it| it.told.is_secret);
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
                Some(same) => {
                    same.contexts.add(&contexts);
                    same.is_secret |= is_secret;
                }
                None => changed.push(Effect {
                    key: key.to_vec(),
                    difference,
                    before: before.cloned(),
                    after: after.cloned(),
                    is_secret,
                    is_not_compared,
                    contexts,
                }),
            }
        }
        changed
    }
}

/// Two contexts that are compared.
struct Pair {
    here: usize,
    there: usize,
    is_same_place: bool,
}

fn difference<C>(
    before: Option<&Answered<C>>,
    after: Option<&Answered<C>>,
    is_same_place: bool,
) -> Option<Difference> {
    let (before, after) = (before.map(|it| &it.told), after.map(|it| &it.told));
    Told::difference(before, after, is_same_place)
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
