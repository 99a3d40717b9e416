//! `suppose`: what would change if a source said something else. Nothing is written.

use crate::arguments::Form;
use crate::commands::check::{self, ShownFinding};
use crate::commands::grid::ShownUnread;
use crate::commands::sides::ShownAnswer;
use crate::fingerprint::Fingerprints;
use crate::json::{self, Setting, ShownContext, Written};
use crate::look::Look;
use crate::progress::Progress;
use crate::run::{Asked, Outcome};
use editing::{say_what_decides_nothing, suppose};
use justwhy_core::{
    Answers, CandidateId, CheckRule, Context, ContextSet, Difference, Effect, Effects, Explanation,
    IsGiven, KeyId, KeyPath, Resolution, Severity, Stand, Survey, Tale, Text, in_words,
    list_values, sum_up,
};
use justwhy_engine::{
    Arguments, CheckWanted, Checked, CheckedFinding, Checking, Session, Snapshot, Supposition,
    Surveyed, exhausted, left_out,
};
use justwhy_project::{Error, Project, World};
use serde::Serialize;
use serde_json::value::RawValue;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use telling::{Telling, end};
use writing::write;

mod editing;
mod telling;
mod writing;

/// The options of the command.
pub(crate) struct SupposeOptions<'a> {
    /// `NAME=VALUE`.
    pub(crate) variables: &'a [String],
    pub(crate) no_variables: &'a [String],
    pub(crate) without: &'a [String],
    pub(crate) edits: Edits<'a>,
    /// If nothing is to be written should anybody's value change or go: how that is said.
    pub(crate) keeps_values: Option<&'static str>,
    /// Whether it is written although something is said against it.
    pub(crate) accepts: bool,
    pub(crate) everywhere: bool,
    pub(crate) with_local: bool,
    pub(crate) act: Act,
    /// The name of the command.
    pub(crate) command: &'static str,
    /// Whether the values stand on the command line of something that writes.
    pub(crate) is_typed: bool,
}

/// What layers are to say.
#[derive(Clone, Copy)]
pub(crate) enum Edits<'a> {
    /// What they say.
    None,
    /// One says these texts of settings, encrypted if that is asked for, or nothing of them any more.
    Say { layer: &'a str, puts: &'a [(KeyPath, Option<Text>)], encrypts: bool },
    /// What one says of a setting is said by another.
    Move { key: &'a KeyPath, from: &'a str, to: &'a str },
    /// One says the same of a setting, encrypted.
    Encrypt { key: &'a KeyPath, layer: &'a str },
}

/// What is done with it.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Act {
    /// Nothing.
    Suppose,
    /// It is written.
    Write,
    /// It would be written.
    WriteNothing,
}

/// What the command works with.
pub(crate) struct Supposing<'a> {
    pub(crate) asked: Asked<'a>,
    pub(crate) world: &'a Arc<dyn World>,
    pub(crate) progress: &'a Progress,
}

impl Supposing<'_> {
    /// The project as it is now: whoever writes looks at it again once nobody else does.
    pub(crate) fn session(&self) -> Result<Session, Vec<Error>> {
        self.asked.session(self.world)
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct Body {
    /// How many contexts were looked at.
    looked_at: usize,
    /// What is supposed, never with its value.
    supposed: Vec<Supposed>,
    /// The context that it leads to, if it is another one.
    #[serde(skip_serializing_if = "Option::is_none")]
    then: Option<ShownContext>,
    /// How many settings stay the same.
    same: usize,
    settings: Vec<ShownEffect>,
    /// What `check` would find that it does not find now.
    findings: Vec<ShownFinding>,
    /// What it finds now and would not find any more.
    mended: Vec<ShownFinding>,
    /// Layers that describe where you stand and were left out.
    left_out: Vec<String>,
    /// Of `put`, `drop` and `move`: where it was written.
    #[serde(skip_serializing_if = "Option::is_none")]
    written: Option<Vec<String>>,
    /// Why nothing was written, if something is said against it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    refused: Vec<String>,
    /// The current context, if it is not among those that were looked at.
    #[serde(skip_serializing_if = "Option::is_none")]
    current: Option<ShownCurrent>,
    /// Contexts that could not be read, and so were not looked at.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    not_read: Vec<ShownUnread>,
}

/// What would be otherwise in the current context.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownCurrent {
    context: ShownContext,
    settings: Vec<ShownEffect>,
    findings: Vec<ShownFinding>,
    mended: Vec<ShownFinding>,
}

/// A change that is supposed.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct Supposed {
    act: Deed,
    /// The setting, variable or layer.
    what: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    layer: Option<String>,
    /// Where it would be written.
    #[serde(skip_serializing_if = "Option::is_none")]
    at: Option<String>,
    /// For how many recipients it would be encrypted there.
    #[serde(skip_serializing_if = "Option::is_none")]
    encrypted_for: Option<usize>,
    /// Why it decides nothing in the context in which it is written.
    #[serde(skip_serializing_if = "Option::is_none")]
    because: Option<String>,
    #[serde(skip)]
    is_secret: bool,
    /// What is to be noted if it is done.
    #[serde(skip)]
    note: Option<&'static str>,
    /// Where it stands: the source, and the name there; what the caller gives is never compared with a
    /// secret.
    #[serde(skip)]
    given: Option<(String, String)>,
    /// Why it leaves a secret less protected than it was, as a clause.
    #[serde(skip)]
    exposes: Option<String>,
}

impl Supposed {
    fn of(act: Deed, what: String) -> Supposed {
        Supposed {
            act,
            what,
            layer: None,
            at: None,
            encrypted_for: None,
            because: None,
            is_secret: false,
            note: None,
            given: None,
            exposes: None,
        }
    }

    /// An edit of what a layer says of a setting.
    fn edit(act: Deed, path: &KeyPath, layer: &str, at: String) -> Supposed {
        let layer = Some(layer.to_owned());
        Supposed { layer, at: Some(at), ..Supposed::of(act, path.to_string()) }
    }
}

/// What is supposed to be done.
#[derive(Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
enum Deed {
    Set,
    Unset,
    Variable,
    NoVariable,
    Without,
    Put,
    Drop,
    Encrypt,
}

/// A setting that would be otherwise; a side is null where it is absent.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownEffect {
    key: String,
    /// `differs`, `only-left`, `only-right` or `cannot-tell`.
    difference: &'static str,
    #[cfg_attr(test, schemars(with = "Option<Setting>"))]
    left: Option<Box<RawValue>>,
    #[cfg_attr(test, schemars(with = "Option<Setting>"))]
    right: Option<Box<RawValue>>,
    /// Tables as `when` has them: together they describe the contexts in which it holds.
    contexts: Vec<BTreeMap<String, Vec<String>>>,
}

/// What is shown of an answer.
#[derive(PartialEq)]
enum Shown {
    Text {
        answer: ShownAnswer,
        is_secret: bool,
    },
    /// As it is, and with its value hidden.
    Json {
        written: Written,
        hidden: Written,
        is_secret: bool,
    },
}

impl Shown {
    fn is_secret(&self) -> bool {
        match self {
            Shown::Text { is_secret, .. } | Shown::Json { is_secret, .. } => *is_secret,
        }
    }
}

/// Whether a side of an effect is secret, so that nothing of the other is shown either.
fn is_secret(effect: &Effect<Shown>) -> bool {
    let sides = [effect.before.as_deref(), effect.after.as_deref()];
    sides.into_iter().flatten().any(Shown::is_secret)
}

/// A project in the contexts that are looked at, as it is or as it would be.
struct Version<'v> {
    snapshot: &'v Snapshot,
    survey: Survey,
    full: ContextSet,
    head: Context,
    unread: Vec<(Error, Vec<Context>)>,
}

/// What a supposition comes to in the contexts that were looked at.
struct Outlook {
    pairs: Vec<(usize, usize)>,
    effects: Effects<Shown>,
    found: [Checked; 2],
    is_same_place: bool,
    /// Keys of secrets that were given, of which no finding may tell what they are equal to.
    not_compared: BTreeSet<String>,
}

impl Outlook {
    /// What `check` would find that it does not find now.
    fn new_findings(&self) -> Vec<&CheckedFinding> {
        self.only_in(&self.found[1], &self.found[0])
    }

    /// What it finds now and would not find any more.
    fn mended(&self) -> Vec<&CheckedFinding> {
        self.only_in(&self.found[0], &self.found[1])
    }

    fn only_in<'c>(&'c self, of: &'c Checked, other: &'c Checked) -> Vec<&'c CheckedFinding> {
        let mut told = only_in(of, other, self.is_same_place);
        told.retain(|told| {
            // What decides nothing is told of as one or the other, by whether it is the same.
            let compares = matches!(
                told.finding.rule,
                CheckRule::RepeatsWeaker | CheckRule::NeverWins | CheckRule::SameAcross
            );
            let key = told.finding.key.as_ref();
            !compares || !key.is_some_and(|key| self.not_compared.contains(key))
        });
        told
    }
}

pub(crate) fn run(
    supposing: &Supposing<'_>,
    options: &SupposeOptions<'_>,
) -> Result<Outcome, Vec<Error>> {
    let one = |error| vec![error];
    let Supposing { asked, progress, .. } = *supposing;
    let Asked { common, look, given, stores, .. } = asked;
    let session = supposing.session()?;
    let mut supposition = Supposition::of(&session);
    let (mut supposed, mut notes) =
        suppose((asked, &session), options, &mut supposition).map_err(one)?;
    if supposed.is_empty() {
        let error = Error::new("bad-argument", "suppose is asked to suppose nothing");
        return Err(one(error.help(
            "add --set, --unset, --variable, --no-variable, --without, or --put KEY=VALUE --layer L",
        )));
    }
    if options.is_typed && supposed.iter().any(|it| it.is_secret) {
        let note = "note: others on this machine can see a secret on a command line, and shells keep \
                    it; with - for the value it is read from standard input";
        notes.push_str(&look.text(note));
        notes.push('\n');
    }
    let here = !options.everywhere;
    let with_local = options.with_local || here;
    // Where an edit is made depends on the context; what it changes is looked at in all of them.
    let context = common.context.as_deref().filter(|_| here);
    let snapshot = session.snapshot(Arguments::default(), with_local);
    let read = snapshot.survey(context, here, &|count| progress.now(|| super::reading(count)))?;
    let before = Version::of(&snapshot, read);
    let then = |errors: Vec<Error>| -> Vec<Error> {
        let so = "it would be so with what is supposed";
        errors.into_iter().map(|error| error.help(so)).collect()
    };
    let supposed_session = supposition.session(common.project.as_deref()).map_err(then)?;
    let new_snapshot = supposed_session.snapshot(given.clone(), with_local);
    let new_asked =
        still_there(common.context.as_deref(), session.project(), supposed_session.project());
    let new_context = new_asked.as_deref().filter(|_| here);
    let read = new_snapshot
        .survey(new_context, here, &|count| progress.now(|| super::reading(count)))
        .map_err(then)?;
    let after = Version::of(&new_snapshot, read);
    say_what_decides_nothing(&after, new_asked.as_deref(), &mut supposed).map_err(one)?;
    let wanted = CheckWanted {
        here: !options.everywhere,
        is_everywhere: options.everywhere,
        with_local,
        allow: &[],
    };
    let is_json = common.output == Form::Json;
    let looking = Looking { supposed: &supposed, is_json, fingerprints: &Fingerprints::new() };
    progress.now(super::looking);
    let looked = looking.at(&before, &after, wanted, pairs(&before, &after, options.everywhere))?;
    // The current context counts even if the axes cannot form it.
    let mut not_read: Vec<(Context, Error)> = Vec::new();
    let current = match options.everywhere {
        true => {
            let asked = (common.context.as_deref(), new_asked.as_deref());
            current(&before, &after, asked, progress).unwrap_or_else(|unread| {
                not_read.push(unread);
                None
            })
        }
        false => None,
    };
    let at_current = match &current {
        None => None,
        Some((before, after)) => {
            let wanted = CheckWanted { here: true, is_everywhere: false, ..wanted };
            Some(looking.at(before, after, wanted, vec![(0, 0)])?)
        }
    };
    for (error, contexts) in before.unread.iter().chain(&after.unread) {
        for context in contexts {
            if !not_read.iter().any(|(known, _)| known == context) {
                not_read.push((context.clone(), error.clone()));
            }
        }
    }
    let left_out = if with_local { Vec::new() } else { left_out(&before.survey) };
    if !with_local {
        notes.push_str(&unheard(look, &supposed, &left_out));
    }
    let all = || std::iter::once(&looked).chain(&at_current);
    let refused = refused(options, &supposed, all());
    let is_refused = !refused.is_empty();
    for note in supposed.iter().filter_map(|it| it.note.filter(|_| !is_refused)) {
        notes.push_str(&look.text(note));
        notes.push('\n');
    }
    let written = match options.act {
        Act::Suppose => None,
        Act::WriteNothing => Some(Vec::new()),
        Act::Write if is_refused => Some(Vec::new()),
        Act::Write => Some(write(&supposition, session.project(), stores).map_err(one)?),
    };
    let done = written.clone().unwrap_or_default();
    let result = match is_json {
        true => {
            let moved = (before.head != after.head).then(|| ShownContext(after.head.clone()));
            let shown = |of: &Version<'_>, looked: &Outlook| -> Vec<ShownEffect> {
                let effect = |effect: &Effect<Shown>| ShownEffect {
                    key: shown_key(&effect.key),
                    difference: effect.difference.name(),
                    left: raw(effect.before.as_deref(), is_secret(effect)),
                    right: raw(effect.after.as_deref(), is_secret(effect)),
                    contexts: of.choices(&effect.contexts),
                };
                looked.effects.changed.iter().map(effect).collect()
            };
            let findings =
                |told: Vec<&CheckedFinding>| told.into_iter().map(ShownFinding::of).collect();
            let current = current.as_ref().zip(at_current.as_ref());
            let current = current.map(|((before, _), looked)| ShownCurrent {
                context: ShownContext(before.head.clone()),
                settings: shown(before, looked),
                findings: findings(looked.new_findings()),
                mended: findings(looked.mended()),
            });
            let body = Body {
                looked_at: looked.pairs.len(),
                then: moved,
                same: looked.effects.same,
                settings: shown(&before, &looked),
                findings: findings(looked.new_findings()),
                mended: findings(looked.mended()),
                left_out,
                written,
                refused: refused.clone(),
                current,
                not_read: not_read.iter().map(ShownUnread::of).collect(),
                supposed,
            };
            json::text(&json::Answer::new(options.command, &before.head, body))
        }
        false => {
            let told_as = if is_refused { Act::WriteNothing } else { options.act };
            let telling = |before, after, looked, is_apart| Telling {
                look,
                before,
                after,
                looked,
                act: told_as,
                is_apart,
            };
            let first = telling(&before, &after, &looked, at_current.is_some());
            let mut text = first.what(&supposed);
            text.push_str(&first.effects(&left_out));
            if let (Some((before, after)), Some(looked)) = (&current, &at_current) {
                let told = format!(
                    "In the current context, {}:",
                    justwhy_engine::plain_context(&before.head)
                );
                text.push('\n');
                look.paragraph(&mut text, &told, "");
                text.push_str(&telling(before, after, looked, false).effects(&[]));
            }
            if !not_read.is_empty() {
                text.push('\n');
                look.paragraph(&mut text, &unread(&not_read), "");
            }
            if let Some(written) = written {
                text.push('\n');
                look.paragraph(&mut text, &end(options.act, &refused, &written), "");
            }
            text
        }
    };
    let is_no = is_refused || !not_read.is_empty() && options.act == Act::Suppose;
    Ok(Outcome { result: result.into(), notes, code: u8::from(is_no), done })
}

/// Why nothing is written although it could be: none if that is accepted.
fn refused<'l>(
    options: &SupposeOptions<'_>,
    supposed: &[Supposed],
    looked: impl Iterator<Item = &'l Outlook> + Clone,
) -> Vec<String> {
    if options.accepts || options.act == Act::Suppose {
        return Vec::new();
    }
    let mut refused = Vec::new();
    refused.extend(supposed.iter().filter_map(|it| it.exposes.clone()));
    let is_lost = |effect: &Effect<Shown>| effect.difference != Difference::OnlyRight;
    if let Some(why) = options.keeps_values
        && looked.clone().any(|looked| looked.effects.changed.iter().any(is_lost))
    {
        refused.push(why.to_owned());
    }
    let mut errors: Vec<String> = Vec::new();
    for told in looked.clone().flat_map(Outlook::new_findings) {
        let finding = &told.finding;
        if finding.severity != Severity::Error {
            continue;
        }
        let what = match &finding.key {
            Some(key) => format!("{} ({key})", finding.rule.name()),
            None => finding.rule.name().to_owned(),
        };
        if !errors.contains(&what) {
            errors.push(what);
        }
    }
    if !errors.is_empty() {
        refused.push(format!("check would find {}", list_values(&errors, "and")));
    }
    refused
}

fn unread(contexts: &[(Context, Error)]) -> String {
    let were = if contexts.len() == 1 { "was" } else { "were" };
    let named = super::named(contexts.iter().map(|(context, _)| context));
    format!("{named} could not be read and {were} not looked at (justwhy check says why).")
}

/// Looks at a supposition.
struct Looking<'l> {
    supposed: &'l [Supposed],
    is_json: bool,
    fingerprints: &'l Fingerprints,
}

impl Looking<'_> {
    fn at(
        &self,
        before: &Version<'_>,
        after: &Version<'_>,
        wanted: CheckWanted<'_>,
        pairs: Vec<(usize, usize)>,
    ) -> Result<Outlook, Vec<Error>> {
        let is_exhausted = AtomicBool::new(false);
        let tell = |version: &Version<'_>, given: IsGiven<'_>| {
            let limits = version.snapshot.limits();
            let all = |_: KeyId| true;
            Tale::of(&version.survey, &all, version.snapshot, limits, given, |answers, answer| {
                is_exhausted.fetch_or(answers.is_exhausted(), Ordering::Relaxed);
                show(answers, answer, self.is_json, self.fingerprints)
            })
        };
        let is_given = |resolution: &Resolution, id: CandidateId| {
            let stand = Stand::of(resolution, id);
            let name = stand.shown_name(resolution.keys());
            let given = self.supposed.iter().filter_map(|it| it.given.as_ref());
            given.into_iter().any(|(source, at)| *source == *stand.source && *at == name)
        };
        let effects = tell(before, &|_, _| false).against(&tell(after, &is_given), &pairs);
        if is_exhausted.into_inner() {
            return Err(vec![exhausted()]);
        }
        let then = |errors: Vec<Error>| -> Vec<Error> {
            let so = "it would be so with what is supposed";
            errors.into_iter().map(|error| error.help(so)).collect()
        };
        let mut found = [before.check(wanted)?, after.check(wanted).map_err(then)?];
        let secret: BTreeSet<String> = effects
            .changed
            .iter()
            .filter(|effect| is_secret(effect))
            .map(|effect| shown_key(&effect.key))
            .collect();
        found.iter_mut().flat_map(|found| &mut found.findings).for_each(|told| hide(told, &secret));
        let is_same_place = pairs.iter().all(|(here, there)| here == there);
        let not_compared = effects.changed.iter().filter(|effect| effect.is_not_compared);
        let not_compared = not_compared.map(|effect| shown_key(&effect.key)).collect();
        Ok(Outlook { pairs, effects, found, is_same_place, not_compared })
    }
}

/// Takes out of a finding what it shows of a setting that is secret in another version.
fn hide(told: &mut CheckedFinding, secret: &BTreeSet<String>) {
    let finding = &mut told.finding;
    if finding.key.as_ref().is_some_and(|key| secret.contains(key)) {
        finding.message = finding.rule.about().to_owned();
        finding.places.iter_mut().for_each(|place| place.line = None);
    }
}

/// Both versions of the current context, if it is not among those that the axes form; why it cannot be
/// read, if it cannot.
fn current<'v>(
    before: &Version<'v>,
    after: &Version<'v>,
    asked: (Option<&str>, Option<&str>),
    progress: &Progress,
) -> Result<Option<(Version<'v>, Version<'v>)>, (Context, Error)> {
    // Where nobody can stand there is nothing to say.
    let Ok(head) = before.snapshot.here(asked.0) else { return Ok(None) };
    let contexts = before.contexts();
    if before.full.iter().any(|at| contexts[at].is_same_place(&head)) {
        return Ok(None);
    }
    let read = |version: &Version<'v>, asked: Option<&str>| {
        let read = version
            .snapshot
            .survey(asked, true, &|count| progress.now(|| super::reading(count)))
            .map_err(|errors| {
                let none = || Error::new("bad-context", "there is no context to look at");
                (head.clone(), errors.into_iter().next().unwrap_or_else(none))
            })?;
        Ok(Version::of(version.snapshot, read))
    };
    Ok(Some((read(before, asked.0)?, read(after, asked.1)?)))
}

/// What `--in` says without the axes that are not there any more, such as that of the only rows.
fn still_there(asked: Option<&str>, before: &Project, after: &Project) -> Option<String> {
    let has = |project: &Project, name: &str| project.axes.iter().any(|it| it.axis.name == name);
    let is_gone = |item: &&str| {
        item.split_once('=').is_some_and(|(name, _)| has(before, name) && !has(after, name))
    };
    let kept: Vec<&str> = asked?.split(',').filter(|item| !is_gone(item)).collect();
    (!kept.is_empty()).then(|| kept.join(","))
}

impl<'v> Version<'v> {
    fn of(snapshot: &'v Snapshot, read: Surveyed) -> Version<'v> {
        let Surveyed { survey, full, head, unread } = read;
        Version { snapshot, survey, full, head, unread }
    }
}

impl Version<'_> {
    fn check(&self, wanted: CheckWanted<'_>) -> Result<Checked, Vec<Error>> {
        let checking = Checking { snapshot: self.snapshot };
        let mut checked = checking.check(&self.survey, &self.full, wanted)?;
        let of = self.survey.contexts().len();
        checked.findings.splice(0..0, check::cannot_read(&self.unread, of));
        Ok(checked)
    }

    fn contexts(&self) -> Vec<&Context> {
        self.survey.contexts().iter().map(|readings| &readings.context).collect()
    }

    fn choices(&self, contexts: &ContextSet) -> Vec<BTreeMap<String, Vec<String>>> {
        let choices = sum_up(contexts, &self.full, &self.contexts());
        choices.into_iter().map(|choice| choice.axes.into_iter().collect()).collect()
    }

    fn in_words(&self, contexts: &ContextSet) -> String {
        let all = self.contexts();
        in_words(&sum_up(contexts, &self.full, &all), &self.full, &all)
    }
}

/// The contexts in which somebody works, as both versions number them. Here is here, even if what is
/// supposed makes it another context.
fn pairs(before: &Version<'_>, after: &Version<'_>, everywhere: bool) -> Vec<(usize, usize)> {
    if !everywhere {
        return vec![(0, 0)];
    }
    // An axis that is not there any more tells no contexts apart.
    let names: Vec<&str> =
        after.snapshot.project().axes.iter().map(|it| it.axis.name.as_str()).collect();
    let values = |context: &Context| -> Vec<Option<String>> {
        names.iter().map(|name| context.value(name).map(str::to_owned)).collect()
    };
    let there: BTreeMap<Vec<Option<String>>, usize> =
        after.contexts().iter().enumerate().map(|(at, context)| (values(context), at)).collect();
    let contexts = before.contexts();
    let both = before.full.iter().filter_map(|at| Some((at, *there.get(&values(contexts[at]))?)));
    both.collect()
}

/// What the options of the name `--put` say. Errors name the option by its number: its text may hold a
/// secret.
pub(crate) fn puts(given: &[String]) -> Result<Vec<(KeyPath, Option<Text>)>, Error> {
    let one = |(at, text): (usize, &String)| {
        key_and_value(text, at + 1).map(|(path, value)| (path, Some(value.into())))
    };
    given.iter().enumerate().map(one).collect()
}

fn key_and_value(given: &str, number: usize) -> Result<(KeyPath, &str), Error> {
    let bad = |problem: String| {
        Error::new("bad-argument", format!("--put, option {number} of that name: {problem}"))
            .help("write --put KEY=VALUE, for example --put database.port=5433")
    };
    let (key, rest) =
        KeyPath::parse_start(given).map_err(|error| bad(format!("the key is wrong: {error}")))?;
    let value =
        rest.strip_prefix('=').ok_or_else(|| bad("there is no `=` after the key".to_owned()))?;
    Ok((key, value))
}

/// What is supposed of layers that are not read.
fn unheard(look: &Look, supposed: &[Supposed], left_out: &[String]) -> String {
    let is_unheard = |it: &Supposed| {
        matches!(it.act, Deed::Variable | Deed::NoVariable)
            || it.layer.as_ref().is_some_and(|layer| left_out.contains(layer))
    };
    match supposed.iter().any(is_unheard) {
        false => String::new(),
        true => {
            let note = "note: what describes where you stand is left out everywhere, and with it \
                        some of what is supposed (--with-local reads it)";
            look.text(note) + "\n"
        }
    }
}

fn show(
    answers: &Answers<'_>,
    answer: &Explanation,
    is_json: bool,
    fingerprints: &Fingerprints,
) -> Shown {
    match is_json {
        true => {
            let setting = Setting::of(answers.resolution(), answer, fingerprints);
            let written = Written::of(&setting);
            let (hidden, is_secret) = (Written::of(&setting.hidden()), answer.secret);
            Shown::Json { written, hidden, is_secret }
        }
        false => Shown::Text { answer: ShownAnswer::of(answers, answer), is_secret: answer.secret },
    }
}

fn raw(shown: Option<&Shown>, hides: bool) -> Option<Box<RawValue>> {
    match shown? {
        Shown::Json { hidden, is_secret: false, .. } if hides => Some(hidden.0.clone()),
        Shown::Json { written, .. } => Some(written.0.clone()),
        Shown::Text { .. } => None,
    }
}

fn shown_key(segments: &[String]) -> String {
    KeyPath::from_segments(segments.to_vec()).map(|path| path.to_string()).unwrap_or_default()
}

/// The findings of one check that the other one does not have. A finding moves with its line, so that
/// its place in the file is no part of it.
fn only_in<'c>(
    of: &'c Checked,
    other: &'c Checked,
    same_contexts: bool,
) -> Vec<&'c CheckedFinding> {
    let by = |told: &CheckedFinding| {
        let finding = &told.finding;
        let source = finding.places.first().map(|place| place.source.to_string());
        let message: String = finding.message.chars().filter(|c| !c.is_ascii_digit()).collect();
        (finding.rule, finding.key.clone(), message, source)
    };
    let mut known: BTreeMap<_, Vec<&ContextSet>> = BTreeMap::new();
    for told in other.open() {
        known.entry(by(told)).or_default().push(&told.finding.contexts);
    }
    let is_new = |told: &&CheckedFinding| match known.get(&by(told)) {
        None => true,
        Some(contexts) => {
            let is_there = |it: &&ContextSet| told.finding.contexts.is_within(it);
            same_contexts && !contexts.iter().any(is_there)
        }
    };
    of.open().filter(is_new).collect()
}
