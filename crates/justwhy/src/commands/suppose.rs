//! `suppose`: what would change if a source said something else. Nothing is written.

use crate::arguments::{Common, Form};
use crate::checking::{Checked, Checking, Told, Wanted};
use crate::commands::check::{self, ShownFinding};
use crate::commands::left_out;
use crate::commands::sides::ShownAnswer;
use crate::fingerprint::Fingerprints;
use crate::json::{self, Setting, ShownContext, Written};
use crate::look::Look;
use crate::progress::Progress;
use crate::run::{Outcome, exhausted, limits};
use editing::{say_what_decides_nothing, suppose};
use justwhy_core::{
    Answers, Context, ContextSet, Difference, Effect, Explanation, KeyId, KeyPath, Survey, Tale,
    Text, in_words, sum_up,
};
use justwhy_encryption::Keyring;
use justwhy_sources::{Arguments, Elsewhere, Error, Project, Supposition, World};
use justwhy_stores::Client;
use serde::Serialize;
use serde_json::value::RawValue;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use telling::{Telling, end};
use writing::write;

mod editing;
mod telling;
mod writing;

/// The options of the command.
pub(crate) struct Options<'a> {
    /// `NAME=VALUE`.
    pub(crate) variables: &'a [String],
    pub(crate) no_variables: &'a [String],
    pub(crate) without: &'a [String],
    pub(crate) edits: Edits<'a>,
    /// If nothing is to be written should anybody's value change or go: how that is said.
    pub(crate) keeps_values: Option<&'static str>,
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
    pub(crate) common: &'a Common,
    pub(crate) look: &'a Look,
    pub(crate) given: &'a Arguments,
    pub(crate) stores: &'a Client,
    pub(crate) keyring: &'a Keyring,
    pub(crate) world: &'a dyn World,
    pub(crate) progress: &'a Progress,
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
    Text { answer: ShownAnswer, is_secret: bool },
    Json(Written),
}

/// A project in the contexts that are looked at, as it is or as it would be.
struct Version<'v> {
    project: &'v Project,
    world: &'v dyn World,
    elsewhere: &'v Elsewhere<'v>,
    survey: Survey,
    full: ContextSet,
    head: Context,
}

pub(crate) fn run(supposing: &Supposing<'_>, options: &Options<'_>) -> Result<Outcome, Vec<Error>> {
    let one = |error| vec![error];
    let Supposing { common, look, given, stores, keyring, world, progress } = *supposing;
    let asked = common.project.as_deref();
    let project = Project::load(world, asked)?;
    let mut supposition = Supposition::of(world);
    let (mut supposed, mut notes) =
        suppose(supposing, options, &project, &mut supposition).map_err(one)?;
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
    let nothing = Arguments::default();
    // Where an edit is made depends on the context; what it changes is looked at in all of them.
    let context = common.context.as_deref().filter(|_| here);
    let read = |elsewhere: &Elsewhere<'_>| check::survey(elsewhere, context, here, progress);
    let elsewhere = Elsewhere::new(&project, world, &nothing).asking(Some(stores));
    let elsewhere = elsewhere.decrypting(keyring).with_local(with_local);
    let (survey, full, head) = read(&elsewhere)?;
    let before = Version { project: &project, world, elsewhere: &elsewhere, survey, full, head };
    let then = |errors: Vec<Error>| -> Vec<Error> {
        let so = "it would be so with what is supposed";
        errors.into_iter().map(|error| error.help(so)).collect()
    };
    let new_project = supposition.project(asked).map_err(then)?;
    let new_world = supposition.world();
    let new_stores = supposition.stores(stores);
    let elsewhere = Elsewhere::new(&new_project, new_world, given).asking(Some(&new_stores));
    let elsewhere = elsewhere.decrypting(keyring).with_local(with_local);
    let (survey, full, head) = read(&elsewhere).map_err(then)?;
    let after = Version {
        project: &new_project,
        world: new_world,
        elsewhere: &elsewhere,
        survey,
        full,
        head,
    };
    say_what_decides_nothing(&after, common.context.as_deref(), &mut supposed).map_err(one)?;
    let pairs = pairs(&before, &after, options.everywhere);
    let is_json = common.output == Form::Json;
    let fingerprints = Fingerprints::new();
    let is_exhausted = AtomicBool::new(false);
    let tell = |version: &Version<'_>| {
        let limits = limits(version.project);
        let all = |_: KeyId| true;
        Tale::of(&version.survey, &all, version.elsewhere, limits, |answers, answer| {
            is_exhausted.fetch_or(answers.is_exhausted(), Ordering::Relaxed);
            show(answers, answer, is_json, &fingerprints)
        })
    };
    progress.now(super::looking);
    let effects = tell(&before).against(&tell(&after), &pairs);
    if is_exhausted.into_inner() {
        return Err(one(exhausted()));
    }
    let wanted = Wanted {
        here: !options.everywhere,
        is_everywhere: options.everywhere,
        with_local,
        allow: &[],
    };
    let found_before = before.check(wanted)?;
    let found_after = after.check(wanted).map_err(then)?;
    let is_same_place = pairs.iter().all(|(here, there)| here == there);
    let findings = only_in(&found_after, &found_before, is_same_place);
    let mended = only_in(&found_before, &found_after, is_same_place);
    let left_out = match before.survey.contexts().first() {
        Some(first) if !with_local => left_out(first),
        _ => Vec::new(),
    };
    if !with_local {
        notes.push_str(&unheard(look, &supposed, &left_out));
    }
    let is_lost = |effect: &Effect<Shown>| effect.difference != Difference::OnlyRight;
    let refused = options.keeps_values.filter(|_| effects.changed.iter().any(is_lost));
    let is_refused = refused.is_some();
    for note in supposed.iter().filter_map(|it| it.note.filter(|_| !is_refused)) {
        notes.push_str(&look.text(note));
        notes.push('\n');
    }
    let written = match options.act {
        Act::Suppose => None,
        Act::WriteNothing => Some(Vec::new()),
        Act::Write if is_refused => Some(Vec::new()),
        Act::Write => Some(write(&supposition, &project, stores).map_err(one)?),
    };
    let result = match is_json {
        true => {
            let moved = (before.head != after.head).then(|| ShownContext(after.head.clone()));
            let shown = |effect: &Effect<Shown>| ShownEffect {
                key: shown_key(&effect.key),
                difference: effect.difference.name(),
                left: raw(effect.before.as_deref()),
                right: raw(effect.after.as_deref()),
                contexts: before.choices(&effect.contexts),
            };
            let body = Body {
                looked_at: pairs.len(),
                supposed,
                then: moved,
                same: effects.same,
                settings: effects.changed.iter().map(shown).collect(),
                findings: findings.into_iter().map(ShownFinding::of).collect(),
                mended: mended.into_iter().map(ShownFinding::of).collect(),
                left_out,
                written,
            };
            json::text(&json::Answer::new(options.command, &before.head, body))
        }
        false => {
            let looked_at = pairs.len();
            let told_as = if is_refused { Act::WriteNothing } else { options.act };
            let telling = Telling { look, before: &before, after: &after, looked_at, act: told_as };
            let mut text = telling.text(&supposed, &effects, (&findings, &mended), &left_out);
            if let Some(written) = written {
                text.push('\n');
                look.paragraph(&mut text, &end(options.act, refused, &written), "");
            }
            text
        }
    };
    Ok(Outcome { result: result.into(), notes, code: u8::from(is_refused) })
}

impl Version<'_> {
    fn check(&self, wanted: Wanted<'_>) -> Result<Checked, Vec<Error>> {
        let checking = Checking {
            project: self.project,
            world: self.world,
            elsewhere: self.elsewhere,
            limits: limits(self.project),
        };
        checking.check(&self.survey, &self.full, wanted)
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
    let values = |context: &Context| -> Vec<Option<String>> {
        context.axes.iter().map(|axis| axis.value.clone()).collect()
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
        true => Shown::Json(Written::of(&Setting::of(answers.resolution(), answer, fingerprints))),
        false => Shown::Text { answer: ShownAnswer::of(answers, answer), is_secret: answer.secret },
    }
}

fn raw(shown: Option<&Shown>) -> Option<Box<RawValue>> {
    match shown? {
        Shown::Json(written) => Some(written.0.clone()),
        Shown::Text { .. } => None,
    }
}

fn shown_key(segments: &[String]) -> String {
    KeyPath::from_segments(segments.to_vec()).map(|path| path.to_string()).unwrap_or_default()
}

/// The findings of one check that the other one does not have. A finding moves with its line, so that
/// its place in the file is no part of it.
fn only_in<'c>(of: &'c Checked, other: &'c Checked, same_contexts: bool) -> Vec<&'c Told> {
    let by = |told: &Told| {
        let finding = &told.finding;
        let source = finding.places.first().map(|place| place.source.to_string());
        let message: String = finding.message.chars().filter(|c| !c.is_ascii_digit()).collect();
        (finding.rule, finding.key.clone(), message, source)
    };
    let mut known: BTreeMap<_, Vec<&ContextSet>> = BTreeMap::new();
    for told in other.open() {
        known.entry(by(told)).or_default().push(&told.finding.contexts);
    }
    let is_new = |told: &&Told| match known.get(&by(told)) {
        None => true,
        Some(contexts) => {
            let is_there = |it: &&ContextSet| told.finding.contexts.is_within(it);
            same_contexts && !contexts.iter().any(is_there)
        }
    };
    of.open().filter(is_new).collect()
}
