//! `suppose`: what would change if a source said something else. Nothing is written.

use crate::arguments::{Common, Form};
use crate::checking::{Checked, Checking, Told, Wanted};
use crate::commands::check::{self, ShownFinding};
use crate::commands::sides::{ShownAnswer, push_line};
use crate::commands::{left_out, told_left_out};
use crate::fingerprint::Fingerprints;
use crate::json::{self, Setting, ShownContext};
use crate::look::{Look, Role};
use crate::progress::Progress;
use crate::run::{Outcome, exhausted, limits};
use crate::select;
use justwhy_core::{
    Answers, Context, ContextSet, Destination, Difference, Effect, Effects, Explanation, Holder,
    KeyId, KeyPath, Resolution, Row, Survey, Tale, Value, Verdict, as_written, destination,
    in_words, is_env_name, is_secret_name, list_values, sum_up,
};
use justwhy_sources::{
    Arguments, Edited, Elsewhere, Error, Project, StoreProblem, Supposition, VariableEdit, World,
};
use justwhy_stores::{Change, Client, Expected, WriteProblem};
use serde::Serialize;
use serde_json::value::RawValue;
use std::collections::{BTreeMap, HashSet};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// The options of the command.
pub(crate) struct Options<'a> {
    /// `NAME=VALUE`.
    pub(crate) variables: &'a [String],
    pub(crate) no_variables: &'a [String],
    pub(crate) without: &'a [String],
    /// `KEY=VALUE`.
    /// What the layer is to say of settings, or that it is to say nothing.
    pub(crate) puts: &'a [(KeyPath, Option<String>)],
    pub(crate) layer: Option<&'a str>,
    /// A setting whose value goes from one layer to another.
    pub(crate) moved: Option<Move<'a>>,
    /// Whether nothing is written if anybody's value would change or go.
    pub(crate) keeps_values: bool,
    pub(crate) everywhere: bool,
    pub(crate) with_local: bool,
    pub(crate) act: Act,
    /// The name of the command.
    pub(crate) command: &'static str,
    /// Whether the values stand on the command line of something that writes.
    pub(crate) is_typed: bool,
}

/// A setting whose value goes from one layer to another.
#[derive(Clone, Copy)]
pub(crate) struct Move<'a> {
    pub(crate) key: &'a KeyPath,
    pub(crate) from: &'a str,
    pub(crate) to: &'a str,
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
    /// Of `put`: the files that were written.
    #[serde(skip_serializing_if = "Option::is_none")]
    written: Option<Vec<String>>,
}

/// A change that is supposed.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct Supposed {
    /// `set`, `unset`, `variable`, `no-variable`, `without`, `put` or `drop`.
    act: &'static str,
    /// The setting, variable or layer.
    what: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    layer: Option<String>,
    /// Where it would be written.
    #[serde(skip_serializing_if = "Option::is_none")]
    at: Option<String>,
    /// Why it decides nothing in the context in which it is written.
    #[serde(skip_serializing_if = "Option::is_none")]
    because: Option<String>,
    #[serde(skip)]
    is_secret: bool,
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
    Json(String),
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
    let Supposing { common, look, given, stores, world, progress } = *supposing;
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
    let with_local = options.with_local || !options.everywhere;
    let nothing = Arguments::default();
    // Where an edit is made depends on the context; what it changes is looked at in all of them.
    let context = common.context.as_deref().filter(|_| !options.everywhere);
    let here = !options.everywhere;
    let read = |elsewhere: &Elsewhere<'_>| check::survey(elsewhere, context, here, progress);
    let elsewhere = Elsewhere::new(&project, world, &nothing).asking(Some(stores));
    let elsewhere = elsewhere.with_local(with_local);
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
    let elsewhere = elsewhere.with_local(with_local);
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
    let is_refused = options.keeps_values && effects.changed.iter().any(is_lost);
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
                let told = match (options.act, written.as_slice()) {
                    _ if is_refused => {
                        "Nothing was written: a value that somebody has changes or goes \
                                        (--accept-changes writes it all the same)."
                            .to_owned()
                    }
                    (Act::WriteNothing, _) => "Nothing was written (--dry-run).".to_owned(),
                    (_, []) => "Nothing was written: that is what it says already.".to_owned(),
                    (_, files) => format!("Written to {}.", list_values(files, "and")),
                };
                text.push('\n');
                look.paragraph(&mut text, &told, "");
            }
            text
        }
    };
    Ok(Outcome { result, notes, code: u8::from(is_refused) })
}

/// Writes what was supposed; gives where.
fn write(
    supposition: &Supposition<'_>,
    project: &Project,
    stores: &Client,
) -> Result<Vec<String>, Error> {
    let mut written: Vec<String> = Vec::new();
    for edit in supposition.edits() {
        let done = match edit {
            Edited::File(edit) => edit.write().map(|()| edit.path.clone()),
            Edited::Variable(edit) => write_variable(edit, project, stores),
        };
        let at = done.map_err(|error| match written.as_slice() {
            [] => error,
            before => {
                let before = list_values(before, "and");
                error.help(format!("{before} was written before, so that the value stands in both"))
            }
        })?;
        written.push(at);
    }
    Ok(written)
}

/// Writes a variable of a store that is no file, if it is still as it was read.
fn write_variable(
    edit: &VariableEdit,
    project: &Project,
    stores: &Client,
) -> Result<String, Error> {
    let VariableEdit { store, scope, variable, revision, value, is_secret } = edit;
    let at = format!("the scope {scope} of {store}");
    let error = |message: String| Error::new("not-written", message);
    let Some(kept) = project.stores.iter().find(|it| it.name == *store) else {
        return Err(error(format!("there is no store {store}")));
    };
    let change = Change {
        scope: scope.clone(),
        variable: variable.clone(),
        value: value.as_ref().map(|value| (value.to_string(), *is_secret)),
        expected: revision.map_or(Expected::Absent, Expected::Revision),
    };
    let told = |problem: StoreProblem| match problem {
        StoreProblem::Unavailable(why) => (why, None),
        StoreProblem::Failed { reason, help, .. } => (reason, help),
    };
    match stores.write(kept, &change) {
        Ok(_) => Ok(at),
        Err(WriteProblem::Conflict(now)) => {
            let now = match now {
                Some(now) => format!("{variable} is in revision {now} now"),
                None => format!("{variable} is not there any more"),
            };
            Err(error(format!(
                "{at} was not written: somebody else has changed it meanwhile, {now}"
            ))
            .help("look at what it says now, and try again"))
        }
        Err(WriteProblem::Refused(problem)) => {
            let (why, help) = told(problem);
            let error = error(format!("{at} was not written: {why}"));
            Err(help.into_iter().fold(error, Error::help))
        }
        Err(WriteProblem::Unknown(problem)) => {
            let (why, _) = told(problem);
            Err(error(format!("nobody knows whether {at} was written: {why}"))
                .help("look at what it says now before you try again"))
        }
    }
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

/// # What is supposed
/// Notes what is to be supposed; gives it for people, and what was noticed.
fn suppose(
    supposing: &Supposing<'_>,
    options: &Options<'_>,
    project: &Project,
    supposition: &mut Supposition<'_>,
) -> Result<(Vec<Supposed>, String), Error> {
    let mut supposed = Vec::new();
    let mut notes = String::new();
    let plain = |act: &'static str, what: String| Supposed {
        act,
        what,
        layer: None,
        at: None,
        because: None,
        is_secret: false,
    };
    for (key, is_set) in supposing.given.keys() {
        supposed.push(plain(if is_set { "set" } else { "unset" }, key.to_string()));
    }
    for (number, given) in options.variables.iter().enumerate() {
        let (name, value) =
            given.split_once('=').filter(|(name, _)| is_env_name(name)).ok_or_else(|| {
                let message =
                    format!("--variable, option {} of that name: no NAME=VALUE", number + 1);
                Error::new("bad-argument", message).help("write --variable TIDE_REGION=north")
            })?;
        supposition.variable(name, Some(value));
        supposed.push(plain("variable", name.to_owned()));
    }
    for name in options.no_variables {
        if !supposition.has_variable(name) {
            let note = format!("note: the variable {name} is not set now");
            notes.push_str(&supposing.look.text(&note));
            notes.push('\n');
        }
        supposition.variable(name, None);
        supposed.push(plain("no-variable", name.clone()));
    }
    for layer in options.without {
        supposition.without(project, layer)?;
        supposed.push(plain("without", layer.clone()));
    }
    if options.layer.is_some() || options.moved.is_some() {
        edit(supposing, options, project, supposition, &mut supposed)?;
    }
    Ok((supposed, notes))
}

/// Supposes what is to be written and taken out, where that is done in the context of `--in`.
fn edit(
    supposing: &Supposing<'_>,
    options: &Options<'_>,
    project: &Project,
    supposition: &mut Supposition<'_>,
    supposed: &mut Vec<Supposed>,
) -> Result<(), Error> {
    let Supposing { common, stores, world, .. } = *supposing;
    // A misspelt layer is told of before anything is read.
    let moved = options.moved.iter().flat_map(|moved| [moved.from, moved.to]);
    for layer in options.layer.into_iter().chain(moved) {
        project.layer_named(layer)?;
    }
    let nothing = Arguments::default();
    let elsewhere = Elsewhere::new(project, world, &nothing).asking(Some(stores));
    let readings = elsewhere.read(elsewhere.here(common.context.as_deref())?)?;
    let answers = Answers::new(Resolution::of(Arc::new(readings)), &elsewhere, limits(project));
    let mut editor = Editor { project, answers: &answers, supposition, supposed };
    for (path, text) in options.puts {
        let layer = options.layer.unwrap_or_default();
        let path = select::path_meant(answers.resolution(), path.clone())?;
        match text {
            Some(text) => editor.put(layer, &path, &Said::Given(text))?,
            None => editor.take_out(layer, &path)?,
        }
    }
    if let Some(Move { key, from, to }) = options.moved {
        if from == to {
            let error = Error::new("bad-argument", format!("{from} is both --from and --to"));
            return Err(error.help("name two layers"));
        }
        let path = select::path_meant(answers.resolution(), key.clone())?;
        let (place, _) = editor.place(from, &path)?;
        let Some(value) = place.says.clone() else { return editor.take_out(from, &path) };
        // First there, then not here any more: whatever happens between, nothing is lost.
        match (value.as_text(), place.is_untyped) {
            (Some(text), true) => editor.put(to, &path, &Said::Given(text))?,
            _ => editor.put(to, &path, &Said::Written(&value))?,
        }
        editor.take_out(from, &path)?;
    }
    Ok(())
}

/// What a layer is to say.
enum Said<'s> {
    /// A text that a person gave, or one from where everything is a text.
    Given(&'s str),
    /// A value.
    Written(&'s Value),
}

/// Supposes edits, and notes them.
struct Editor<'e, 'a, 'w> {
    project: &'e Project,
    answers: &'e Answers<'a>,
    supposition: &'e mut Supposition<'w>,
    supposed: &'e mut Vec<Supposed>,
}

impl Editor<'_, '_, '_> {
    /// Where the layer is told of the setting, and that place for people.
    fn place(&self, layer: &str, path: &KeyPath) -> Result<(Destination, String), Error> {
        let index = self.project.layer_named(layer)?;
        let place = destination(self.answers, index, path)
            .map_err(|none| Error::new("bad-edit", none.problem).help(none.help))?;
        let at = match &place.holder {
            Holder::File(path) => path.clone(),
            Holder::Values => self.project.file.clone(),
            Holder::Scope { store, scope } => format!("the scope {scope} of {store}"),
        };
        Ok((place, at))
    }

    fn key(&self, path: &KeyPath) -> Option<KeyId> {
        self.answers.resolution().keys().find(KeyId::ROOT, path)
    }

    fn put(&mut self, layer: &str, path: &KeyPath, said: &Said<'_>) -> Result<(), Error> {
        let (place, at) = self.place(layer, path)?;
        let (resolution, key) = (self.answers.resolution(), self.key(path));
        let value = match said {
            Said::Written(Value::Unread) => {
                let message = format!("what is said of {path} cannot be read");
                return Err(Error::new("bad-edit", message).help("put it where it is to stand"));
            }
            Said::Written(value) => (*value).clone(),
            Said::Given(text) => {
                let declared = key.and_then(|key| resolution.readings().catalogue.declared(key));
                let like = key.filter(|key| resolution.is_setting(*key));
                let like = like.and_then(|key| {
                    Explanation::of(self.answers, key).effective().map(|it| it.kind())
                });
                as_written(text, &place, declared.map(|it| &*it.shape), like)
            }
        };
        let (what, layer) = (path.to_string(), Some(layer.to_owned()));
        let is_secret = match key {
            Some(key) => self.answers.is_secret(key),
            None => is_secret_name(&what),
        };
        self.supposition.put(self.project, &place, &value, is_secret)?;
        let (act, because) = ("put", None);
        self.supposed.push(Supposed { act, what, layer, at: Some(at), because, is_secret });
        Ok(())
    }

    fn take_out(&mut self, layer: &str, path: &KeyPath) -> Result<(), Error> {
        let (place, at) = self.place(layer, path)?;
        if place.says.is_none() {
            let resolution = self.answers.resolution();
            let is_setting = |key: KeyId| resolution.is_setting(key);
            let key = self.key(path).filter(|key| !is_setting(*key));
            let error = |message| Error::new("bad-edit", message);
            return Err(
                match key.is_some_and(|key| resolution.keys().below(key).any(is_setting)) {
                    true => error(format!("{path} is a branch, and no setting"))
                        .help(format!("name one of those that justwhy list {path} shows")),
                    false => error(format!("{layer} says nothing of {path} there ({at})"))
                        .help(format!("justwhy explain {path} shows what says something")),
                },
            );
        }
        self.supposition.take_out(self.project, &place)?;
        let (what, layer) = (path.to_string(), Some(layer.to_owned()));
        let (act, because, is_secret) = ("drop", None, false);
        self.supposed.push(Supposed { act, what, layer, at: Some(at), because, is_secret });
        Ok(())
    }
}

/// Of what would be written and would not decide: why it does not.
fn say_what_decides_nothing(
    after: &Version<'_>,
    asked: Option<&str>,
    supposed: &mut [Supposed],
) -> Result<(), Error> {
    if supposed.iter().all(|it| it.act != "put") {
        return Ok(());
    }
    let readings = after.elsewhere.read(after.elsewhere.here(asked)?)?;
    let resolution = Resolution::of(Arc::new(readings));
    let answers = Answers::new(resolution, after.elsewhere, limits(after.project));
    let resolution = answers.resolution();
    for put in supposed.iter_mut().filter(|it| it.act == "put") {
        let path = KeyPath::parse(&put.what).ok();
        let key = path.and_then(|path| resolution.keys().find(KeyId::ROOT, &path));
        let Some(key) = key.filter(|key| resolution.is_setting(*key)) else { continue };
        let is_its = |layer| Some(&resolution.readings().layer(layer).name) == put.layer.as_ref();
        let rows = Explanation::of(&answers, key).rows(&answers);
        let mut rows = rows.into_iter().filter_map(|row| match row {
            Row::Said { at, verdict, because, .. } if is_its(at.layer) && !at.is_pattern => {
                Some((verdict, because))
            }
            Row::Unsaid { layer, because, .. } if is_its(layer) => {
                Some((Verdict::Withheld, because))
            }
            _ => None,
        });
        put.because = rows.next().filter(|(verdict, _)| !verdict.is_in_force()).map(|it| it.1);
    }
    Ok(())
}

/// What the options of the name `--put` say. Errors name the option by its number: its text may hold a
/// secret.
pub(crate) fn puts(given: &[String]) -> Result<Vec<(KeyPath, Option<String>)>, Error> {
    let one = |(at, text): (usize, &String)| {
        key_and_value(text, at + 1).map(|(path, value)| (path, Some(value.to_owned())))
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
        matches!(it.act, "variable" | "no-variable")
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

/// # What comes of it
fn show(
    answers: &Answers<'_>,
    answer: &Explanation,
    is_json: bool,
    fingerprints: &Fingerprints,
) -> Shown {
    match is_json {
        true => {
            let setting = Setting::of(answers.resolution(), answer, fingerprints);
            Shown::Json(serde_json::to_string(&setting).unwrap_or_default())
        }
        false => Shown::Text { answer: ShownAnswer::of(answers, answer), is_secret: answer.secret },
    }
}

fn raw(shown: Option<&Shown>) -> Option<Box<RawValue>> {
    match shown? {
        Shown::Json(text) => RawValue::from_string(text.clone()).ok(),
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

/// The answer for people.
struct Telling<'t> {
    look: &'t Look,
    before: &'t Version<'t>,
    after: &'t Version<'t>,
    looked_at: usize,
    act: Act,
}

impl Telling<'_> {
    fn text(
        &self,
        supposed: &[Supposed],
        effects: &Effects<Shown>,
        (findings, mended): (&[&Told], &[&Told]),
        left_out: &[String],
    ) -> String {
        let look = self.look;
        let mut out = String::new();
        let told: Vec<String> = supposed.iter().map(Supposed::told).collect();
        let whats = match self.act {
            Act::Suppose => vec![format!("Supposing {}.", list_values(&told, "and"))],
            _ => supposed.iter().map(Supposed::told_as_written).collect(),
        };
        whats.iter().for_each(|what| look.paragraph(&mut out, what, ""));
        for (put, because) in supposed.iter().filter_map(|it| Some((it, it.because.as_ref()?))) {
            let because = because.trim_end_matches('.');
            let line = match self.act {
                Act::Write => format!("Of {} it does not decide: {because}.", put.what),
                _ => format!("Of {} it would not decide: {because}.", put.what),
            };
            look.paragraph(&mut out, &line, "");
        }
        if self.looked_at == 1 && self.before.head != self.after.head {
            let contexts = [("before", &self.before.head), ("after", &self.after.head)];
            for (label, context) in contexts {
                let context = super::plain_context(context);
                out.push_str(&format!(
                    "  {label:6}  {}\n",
                    look.paint(Role::Lost, &look.text(&context))
                ));
            }
        }
        out.push('\n');
        let mut last: Option<&[String]> = None;
        for effect in &effects.changed {
            self.effect(effect, last == Some(&effect.key), &mut out);
            last = Some(&effect.key);
        }
        if !effects.changed.is_empty() {
            out.push('\n');
        }
        look.paragraph(&mut out, &self.summary(effects), "");
        for (heading, told) in [("Newly found", findings), ("No more found", mended)] {
            if !told.is_empty() {
                let heading = look.paint(Role::Heading, &format!("{heading} by check"));
                out.push_str(&format!("\n{heading}\n"));
            }
            for told in told {
                out.push('\n');
                check::finding(look, told, &mut out);
            }
        }
        if let Some(told) = told_left_out(left_out) {
            if !(findings.is_empty() && mended.is_empty()) {
                out.push('\n');
            }
            look.paragraph(&mut out, &told, "");
        }
        out
    }

    fn effect(&self, effect: &Effect<Shown>, is_again: bool, out: &mut String) {
        let look = self.look;
        let sides = [effect.before.as_deref(), effect.after.as_deref()].map(|side| match side {
            Some(Shown::Text { answer, is_secret }) => Some((answer, *is_secret)),
            _ => None,
        });
        let looks_same = match &sides {
            [Some((one, _)), Some((other, _))] => one.looks_like(other),
            _ => false,
        };
        let is_secret = sides.iter().flatten().any(|(_, is_secret)| *is_secret);
        let remark = match (effect.difference, looks_same) {
            (Difference::CannotTell, _) => "nobody can tell whether it is the same",
            (_, true) if is_secret => "the secret is another one",
            (_, true) => "the hidden password is another one",
            _ => "",
        };
        if !is_again {
            out.push_str(&look.paint(Role::Key, &look.text(&shown_key(&effect.key))));
            if !remark.is_empty() {
                out.push_str(&format!("  {}", look.paint(Role::Warning, remark)));
            }
            out.push('\n');
        }
        let words = self.before.in_words(&effect.contexts);
        if self.looked_at > 1 {
            let words = if words.is_empty() { "every context".to_owned() } else { words };
            look.paragraph(out, &format!("in {words}"), "  ");
        }
        let [before, after] = sides.map(|side| side.map(|(answer, _)| answer));
        push_line(look, "before", 6, before, out);
        push_line(look, "after", 6, after, out);
    }

    fn summary(&self, effects: &Effects<Shown>) -> String {
        let changed: HashSet<&[String]> =
            effects.changed.iter().map(|effect| effect.key.as_slice()).collect();
        let contexts = match self.looked_at {
            1 => "this context".to_owned(),
            count => format!("{count} contexts"),
        };
        let same = match effects.same {
            1 => "1 setting stays".to_owned(),
            count => format!("{count} settings stay"),
        };
        let (change, changes) = match self.act {
            Act::Write => ("change", "changes"),
            _ => ("would change", "would change"),
        };
        match changed.len() {
            0 => format!("No setting {changes} in {contexts}: {same} the same."),
            1 => format!("1 setting {changes} in {contexts}; {same} the same."),
            count => format!("{count} settings {change} in {contexts}; {same} the same."),
        }
    }
}

impl Supposed {
    /// The sentence that says where it goes.
    fn told_as_written(&self) -> String {
        let at = self.at.as_deref().unwrap_or_default();
        let layer = self.layer.as_deref().unwrap_or_default();
        match self.act {
            "drop" => format!("{} is taken out of {at}, which {layer} reads.", self.what),
            _ => format!("{} goes to {at}, which {layer} reads.", self.what),
        }
    }

    fn told(&self) -> String {
        let what = &self.what;
        match (self.act, &self.layer, &self.at) {
            ("unset", ..) => format!("--unset {what}"),
            ("set", ..) => format!("--set {what}"),
            ("variable", ..) => format!("the variable {what} had that value"),
            ("no-variable", ..) => format!("the variable {what} were not set"),
            ("without", ..) => format!("there were no layer {what}"),
            (_, Some(layer), Some(at)) => format!("{what} were written to {at} ({layer})"),
            _ => what.clone(),
        }
    }
}
