//! What a supposition comes to: what would be otherwise in each context, and what a check would find then.

use crate::checking::cannot_read;
use crate::editing::{Supposed, say_what_decides_nothing};
use crate::{
    Arguments, CheckWanted, Checked, CheckedFinding, Checking, Session, Snapshot, Supposition,
    Surveyed, exhausted,
};
use hashbrown::HashSet;
use justwhy_core::{
    Answers, CandidateId, CheckRule, Choice, Compared, Context, ContextSet, Effects, Explanation,
    Fact, KeyPath, Provenance, Resolution, Shared, Side, compare, in_words, sum_up,
};
use justwhy_project::{Error, Project};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::{AtomicBool, Ordering};

/// What is asked of a supposition.
#[derive(Clone, Copy, Debug)]
pub struct Asked<'a> {
    /// The text of `--in`.
    pub context: Option<&'a str>,
    /// Whether every context is looked at, and not only the current one.
    pub everywhere: bool,
    /// Whether what is local is read.
    pub with_local: bool,
    /// What the command line would say about settings.
    pub arguments: &'a Arguments,
}

/// What is being done, for who waits.
pub trait Waits {
    /// So many contexts are being read.
    fn reads(&self, contexts: usize);
    /// The settings are being looked at.
    fn looks(&self);
}

/// What a supposition comes to.
pub struct Foresight<C> {
    /// As it is.
    pub before: Snapshot,
    /// As it would be.
    pub after: Snapshot,
    /// In the contexts that were asked about.
    pub asked: Outlook<C>,
    /// In the current one, if it is not among those.
    pub current: Option<Outlook<C>>,
    /// Contexts that could not be read.
    pub not_read: Vec<(Context, Error)>,
}

impl<C> std::fmt::Debug for Foresight<C> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Foresight").finish_non_exhaustive()
    }
}

impl<C> Foresight<C> {
    /// All that was looked at.
    pub fn all(&self) -> impl Iterator<Item = &Outlook<C>> + Clone {
        std::iter::once(&self.asked).chain(&self.current)
    }
}

/// What is otherwise in some contexts.
pub struct Outlook<C> {
    /// What was read as it is, and as it would be.
    pub sides: [Surveyed; 2],
    /// Those in which somebody works, as both sides number them.
    pub pairs: Vec<(usize, usize)>,
    /// The settings that would be otherwise.
    pub effects: Effects<C>,
    found: [Checked; 2],
    /// Keys of secrets that were given, of which no finding may report what they are equal to.
    not_compared: BTreeSet<String>,
}

impl<C> std::fmt::Debug for Outlook<C> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Outlook").field("pairs", &self.pairs).finish_non_exhaustive()
    }
}

impl<C> Outlook<C> {
    /// What was asked before, and then.
    pub fn heads(&self) -> [&Context; 2] {
        [&self.sides[0].head, &self.sides[1].head]
    }

    /// What a check would find that it does not find now.
    pub fn new_findings(&self) -> Vec<&CheckedFinding> {
        self.only_in(&self.found[1], &self.found[0])
    }

    /// What it finds now and would not find any more.
    pub fn mended(&self) -> Vec<&CheckedFinding> {
        self.only_in(&self.found[0], &self.found[1])
    }

    /// Some of the contexts, for programs.
    pub fn choices(&self, contexts: &ContextSet) -> Vec<Choice> {
        sum_up(contexts, &self.sides[0].full, &self.sides[0].contexts())
    }

    /// Some of the contexts, for people.
    pub fn in_words(&self, contexts: &ContextSet) -> String {
        in_words(&self.choices(contexts), &self.sides[0].full)
    }

    fn only_in<'c>(&'c self, of: &'c Checked, other: &'c Checked) -> Vec<&'c CheckedFinding> {
        let is_same_place = self.pairs.iter().all(|(here, there)| here == there);
        let mut told = of.besides(other, is_same_place);
        told.retain(|told| {
            // What decides nothing is reported as one or the other, by whether it is the same.
            let compares =
                [CheckRule::REPEATS_WEAKER, CheckRule::NEVER_WINS, CheckRule::SAME_ACROSS];
            let compares = compares.contains(&told.finding.rule);
            let key = told.finding.key.as_ref();
            !compares || !key.is_some_and(|key| self.not_compared.contains(key))
        });
        told
    }
}

/// Looks at what a supposition comes to; `show` keeps of each answer what is to be shown.
pub fn foresee<C: PartialEq + Send + Sync>(
    session: &Session,
    (supposition, supposed): (&Supposition, &mut [Supposed]),
    asked: &Asked<'_>,
    waits: &dyn Waits,
    show: impl Fn(&Answers<'_>, &Explanation) -> C + Sync,
) -> Result<Foresight<C>, Vec<Error>> {
    let here = !asked.everywhere;
    let with_local = asked.with_local || here;
    // Where an edit is made depends on the context; what it changes is looked at in all of them.
    let context = asked.context.filter(|_| here);
    let reads = |count| waits.reads(count);
    let before = session.snapshot(Arguments::default(), with_local);
    let read_before = before.survey(context, here, &reads)?;
    let after = supposition.snapshot(&before, asked.arguments.clone()).map_err(then)?;
    let asked_then = still_there(asked.context, before.project(), after.project());
    let context_then = asked_then.as_deref().filter(|_| here);
    let read_after = after.survey(context_then, here, &reads).map_err(then)?;
    say_what_decides_nothing(&after, asked_then.as_deref(), supposed).map_err(|it| vec![it])?;
    waits.looks();
    let is_everywhere =
        asked.everywhere && read_before.faults.is_empty() && read_after.faults.is_empty();
    let wanted = CheckWanted { here, is_everywhere, with_local, allow: &[] };
    let looking = Looking { before: &before, after: &after, supposed, show: &show };
    let pairs = pairs(&read_before, &read_after, after.project(), asked.everywhere);
    let looked = looking.at([read_before, read_after], pairs, wanted)?;
    let mut not_read: Vec<(Context, Error)> = Vec::new();
    // The current context counts even if the axes cannot form it.
    let current = match asked.everywhere {
        false => None,
        true => {
            let texts = [asked.context, asked_then.as_deref()];
            looking.current(&looked.sides[0], texts, &reads).unwrap_or_else(|unread| {
                not_read.push(unread);
                None
            })
        }
    };
    let current = match current {
        None => None,
        Some(sides) => {
            let wanted = CheckWanted { here: true, is_everywhere: false, ..wanted };
            Some(looking.at(sides, vec![(0, 0)], wanted)?)
        }
    };
    let mut known: HashSet<Context> = not_read.iter().map(|(context, _)| context.clone()).collect();
    for (error, contexts) in looked.sides.iter().flat_map(|side| &side.unread) {
        for context in contexts {
            if known.insert(context.clone()) {
                not_read.push((context.clone(), error.clone()));
            }
        }
    }
    Ok(Foresight { asked: looked, current, not_read, before, after })
}

fn then(errors: Vec<Error>) -> Vec<Error> {
    errors
        .into_iter()
        .map(|error| error.help("the project would be invalid with this change"))
        .collect()
}

/// Looks at both sides of a supposition.
struct Looking<'l, S> {
    before: &'l Snapshot,
    after: &'l Snapshot,
    supposed: &'l [Supposed],
    show: &'l S,
}

impl<C: PartialEq + Send + Sync, S: Fn(&Answers<'_>, &Explanation) -> C + Sync> Looking<'_, S> {
    fn at(
        &self,
        sides: [Surveyed; 2],
        pairs: Vec<(usize, usize)>,
        wanted: CheckWanted<'_>,
    ) -> Result<Outlook<C>, Vec<Error>> {
        let is_exhausted = AtomicBool::new(false);
        let show = |answers: &Answers<'_>, answer: &Explanation| {
            is_exhausted.fetch_or(answers.is_exhausted(), Ordering::Relaxed);
            (self.show)(answers, answer)
        };
        let is_given = |resolution: &Resolution, id: CandidateId| {
            let stand = Provenance::of(resolution, id);
            let name = stand.shown_name(resolution.keys());
            let given = self.supposed.iter().filter_map(|it| it.given.as_ref());
            given.into_iter().any(|(origin, at)| *origin == stand.place.origin && *at == name)
        };
        let nothing = |_: &Resolution, _: CandidateId| false;
        // Who supposes something of a secret could be guessing it.
        let shared = Shared { contents: false, ..self.before.shared_with(self.after) };
        let compared = Compared { pairs: &pairs, wanted: None, shared };
        let both = [
            Side { given: &nothing, ..self.before.side(&sides[0].survey) },
            Side { given: &is_given, ..self.after.side(&sides[1].survey) },
        ];
        let effects = compare(both, compared, show);
        if is_exhausted.into_inner() {
            return Err(vec![exhausted()]);
        }
        let mut found = [
            check(self.before, &sides[0], wanted)?,
            check(self.after, &sides[1], wanted).map_err(then)?,
        ];
        let secret = effects.changed.iter().filter(|effect| effect.is_secret);
        let secret: BTreeSet<String> = secret.map(|effect| shown_key(&effect.key)).collect();
        found.iter_mut().flat_map(|found| &mut found.findings).for_each(|told| hide(told, &secret));
        let not_compared = effects.changed.iter().filter(|effect| effect.is_not_compared);
        let not_compared = not_compared.map(|effect| shown_key(&effect.key)).collect();
        Ok(Outlook { sides, pairs, effects, found, not_compared })
    }

    /// Both sides of the current context, if it is not among those that the axes form; why it cannot be
    /// read, if it cannot.
    fn current(
        &self,
        before: &Surveyed,
        asked: [Option<&str>; 2],
        reads: &dyn Fn(usize),
    ) -> Result<Option<[Surveyed; 2]>, (Context, Error)> {
        // Where nobody can be there is nothing to say.
        let Ok(head) = self.before.here(asked[0]) else { return Ok(None) };
        let contexts = before.contexts();
        if before.full.iter().any(|at| contexts[at].is_same_place(&head)) {
            return Ok(None);
        }
        let read = |snapshot: &Snapshot, asked: Option<&str>| {
            snapshot.survey(asked, true, reads).map_err(|errors| {
                let none = || Error::new("bad-context", "no context to look at");
                (head.clone(), errors.into_iter().next().unwrap_or_else(none))
            })
        };
        Ok(Some([read(self.before, asked[0])?, read(self.after, asked[1])?]))
    }
}

fn check(
    snapshot: &Snapshot,
    read: &Surveyed,
    wanted: CheckWanted<'_>,
) -> Result<Checked, Vec<Error>> {
    let mut checked = Checking { snapshot }.check(&read.survey, &read.full, wanted)?;
    let of = read.survey.contexts().len();
    checked.findings.splice(0..0, cannot_read(&read.faults, of));
    Ok(checked)
}

/// Takes out of a finding what it shows of a setting that is secret on another side.
fn hide(told: &mut CheckedFinding, secret: &BTreeSet<String>) {
    let finding = &mut told.finding;
    if finding.key.as_ref().is_some_and(|key| secret.contains(key)) {
        finding.fact = Fact::new(finding.rule.about());
        finding.places.iter_mut().for_each(|place| place.line = None);
    }
}

/// What `--in` has without the axes that are not there any more, such as that of the only rows.
fn still_there(asked: Option<&str>, before: &Project, after: &Project) -> Option<String> {
    let has = |project: &Project, name: &str| project.axes.iter().any(|it| it.axis.name == name);
    let is_gone = |item: &&str| {
        item.split_once('=').is_some_and(|(name, _)| has(before, name) && !has(after, name))
    };
    let kept: Vec<&str> = asked?.split(',').filter(|item| !is_gone(item)).collect();
    (!kept.is_empty()).then(|| kept.join(","))
}

/// The contexts in which somebody works, as both sides number them. Here is here, even if what is supposed
/// makes it another context.
fn pairs(
    before: &Surveyed,
    after: &Surveyed,
    project: &Project,
    everywhere: bool,
) -> Vec<(usize, usize)> {
    if !everywhere {
        return vec![(0, 0)];
    }
    // An axis that is not there any more tells no contexts apart.
    let names: Vec<&str> = project.axes.iter().map(|it| it.axis.name.as_str()).collect();
    let values = |context: &Context| -> Vec<Option<String>> {
        names.iter().map(|name| context.value(name).map(str::to_owned)).collect()
    };
    let there: BTreeMap<Vec<Option<String>>, usize> =
        after.contexts().iter().enumerate().map(|(at, context)| (values(context), at)).collect();
    let contexts = before.contexts();
    let both = before.full.iter().filter_map(|at| Some((at, *there.get(&values(contexts[at]))?)));
    both.collect()
}

/// A key of segments, for people.
pub fn shown_key(segments: &[String]) -> String {
    KeyPath::from_segments(segments.to_vec()).map(|path| path.to_string()).unwrap_or_default()
}
