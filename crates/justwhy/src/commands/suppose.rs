//! `suppose`: what would change if a source had another value. Nothing is written.

use crate::arguments::Form;
use crate::commands::check::ShownFinding;
use crate::commands::grid::ShownUnread;
use crate::commands::not_included;
use crate::commands::sides::Shown;
use crate::fingerprint::Fingerprints;
#[cfg(test)]
use crate::json::Setting;
use crate::json::{self, ShownContext, Word};
use crate::look::{Look, Role};
use crate::outcome::Outcome;
use crate::running::{Asked, Running, Runs, Supposing};
use clap::Args;
use justwhy_core::{
    Context, Difference, Effect, KeyPath, Severity, Text, is_env_name, list_values,
};
use justwhy_engine::{
    CheckedFinding, Deed, Edits, Foresight, Outlook, Supposed, Supposition, Wish, foresee,
    left_out, shown_key,
};
use justwhy_project::Error;
use serde::Serialize;
use serde_json::value::RawValue;
use std::collections::BTreeMap;
use telling::{Telling, hypothesis, outcome};
use writing::write;

mod telling;
mod writing;

#[derive(Args, Debug)]
pub(crate) struct SupposeArguments {
    /// Suppose that an environment variable has this value (repeatable)
    #[arg(long, value_name = "NAME=VALUE")]
    pub(crate) variable: Vec<String>,
    /// Suppose that an environment variable is not set (repeatable)
    #[arg(long, value_name = "NAME")]
    pub(crate) no_variable: Vec<String>,
    /// Suppose that the project has no such layer (repeatable)
    #[arg(long, value_name = "LAYER")]
    pub(crate) without: Vec<String>,
    /// Suppose that the layer of --layer sets this, in the context of --in (repeatable)
    #[arg(long, value_name = "KEY=VALUE", requires = "layer")]
    pub(crate) put: Vec<String>,
    /// The layer of --put
    #[arg(long, short, value_name = "LAYER", requires = "put")]
    pub(crate) layer: Option<String>,
    /// Compare every context, not only the current one
    #[arg(long)]
    pub(crate) everywhere: bool,
    /// With --everywhere, include local layers and environment variables
    #[arg(long, requires = "everywhere")]
    pub(crate) with_local: bool,
}

impl Runs for SupposeArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        let puts = &puts(&self.put).map_err(|error| vec![error])?;
        let edits = match self.layer.as_deref() {
            Some(layer) => Edits::Say { layer, puts, encrypts: false },
            None => Edits::None,
        };
        let options = SupposeOptions {
            variables: &self.variable,
            no_variables: &self.no_variable,
            without: &self.without,
            edits,
            everywhere: self.everywhere,
            with_local: self.with_local,
            act: Act::Suppose,
            command: "suppose",
            keeps_values: None,
            accepts: false,
            is_typed: false,
        };
        running.supposing(|supposing| run(supposing, &options))
    }
}

/// The options of the command.
pub(crate) struct SupposeOptions<'a> {
    /// `NAME=VALUE`.
    pub(crate) variables: &'a [String],
    pub(crate) no_variables: &'a [String],
    pub(crate) without: &'a [String],
    pub(crate) edits: Edits<'a>,
    /// If nothing is to be written should anybody's value change or go: what is printed then.
    pub(crate) keeps_values: Option<&'static str>,
    /// Whether it is written although something speaks against it.
    pub(crate) accepts: bool,
    pub(crate) everywhere: bool,
    pub(crate) with_local: bool,
    pub(crate) act: Act,
    /// The name of the command.
    pub(crate) command: &'static str,
    /// Whether the values are on the command line of something that writes.
    pub(crate) is_typed: bool,
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

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct SupposeBody {
    /// How many contexts were looked at.
    looked_at: usize,
    /// What is supposed, without values.
    supposed: Vec<ShownSupposed>,
    /// The context that it leads to, if it is another one.
    #[serde(skip_serializing_if = "Option::is_none")]
    then: Option<ShownContext>,
    /// How many settings stay the same.
    same: usize,
    settings: Vec<ShownEffect>,
    /// New findings of `check`.
    findings: Vec<ShownFinding>,
    /// Findings that are gone.
    fixed: Vec<ShownFinding>,
    /// Local layers that were not included.
    left_out: Vec<String>,
    /// Of `put`, `drop` and `move`: where it was written.
    #[serde(skip_serializing_if = "Option::is_none")]
    written: Option<Vec<String>>,
    /// Why nothing was written, if it was refused.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    refused: Vec<String>,
    /// The current context, if it is not among those that were looked at.
    #[serde(skip_serializing_if = "Option::is_none")]
    current: Option<ShownCurrent>,
    /// Contexts that could not be read, and so were not looked at.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    not_read: Vec<ShownUnread>,
}

/// What changes in the current context.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownCurrent {
    context: ShownContext,
    settings: Vec<ShownEffect>,
    findings: Vec<ShownFinding>,
    fixed: Vec<ShownFinding>,
}

/// A change that is supposed.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
#[cfg_attr(test, schemars(rename = "Supposed"))]
struct ShownSupposed {
    act: ShownDeed,
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
    /// Why it does not win in the context in which it is written.
    #[serde(skip_serializing_if = "Option::is_none")]
    because: Option<String>,
}

impl ShownSupposed {
    fn of(supposed: &Supposed) -> ShownSupposed {
        let Supposed { what, layer, at, encrypted_for, because, .. } = supposed.clone();
        let act = match supposed.act {
            Deed::Set => ShownDeed::Set,
            Deed::Unset => ShownDeed::Unset,
            Deed::Variable => ShownDeed::Variable,
            Deed::NoVariable => ShownDeed::NoVariable,
            Deed::Without => ShownDeed::Without,
            Deed::Put => ShownDeed::Put,
            Deed::Drop => ShownDeed::Drop,
            Deed::Encrypt => ShownDeed::Encrypt,
        };
        let because = because.map(|because| because.to_string());
        ShownSupposed { act, what, layer, at, encrypted_for, because }
    }
}

/// What is supposed to be done.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
#[cfg_attr(test, schemars(rename = "Deed"))]
#[serde(rename_all = "kebab-case")]
enum ShownDeed {
    Set,
    Unset,
    Variable,
    NoVariable,
    Without,
    Put,
    Drop,
    Encrypt,
}

/// A setting that changes; a side is null where it is not set.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownEffect {
    key: String,
    /// `differs`, `only-left`, `only-right` or `cannot-tell`.
    difference: Word,
    #[cfg_attr(test, schemars(with = "Option<Setting>"))]
    left: Option<Box<RawValue>>,
    #[cfg_attr(test, schemars(with = "Option<Setting>"))]
    right: Option<Box<RawValue>>,
    /// Tables as `when` has them: together they describe the contexts of the finding or change.
    contexts: Vec<BTreeMap<String, Vec<String>>>,
}

pub(crate) fn run(
    supposing: &Supposing<'_>,
    options: &SupposeOptions<'_>,
) -> Result<Outcome, Vec<Error>> {
    let one = |error| vec![error];
    let Supposing { asked: Asked { common, look, given, stores, .. }, .. } = *supposing;
    let session = supposing.session()?;
    let mut supposition = Supposition::of(&session);
    let variables = variables(options.variables).map_err(one)?;
    let wish = Wish {
        arguments: given,
        variables: &variables,
        no_variables: options.no_variables,
        without: options.without,
        edits: options.edits,
        context: common.context.as_deref(),
    };
    let mut supposed = supposition.suppose(&session, &wish).map_err(one)?;
    if supposed.is_empty() {
        let error = Error::new("bad-argument", "suppose needs something to suppose");
        return Err(one(error.help(
            "add --set, --unset, --variable, --no-variable, --without, or --put KEY=VALUE --layer L",
        )));
    }
    let is_json = common.output == Form::Json;
    let fingerprints = &Fingerprints::new();
    let wanted = justwhy_engine::Asked {
        context: common.context.as_deref(),
        everywhere: options.everywhere,
        with_local: options.with_local,
        arguments: given,
    };
    let foresight =
        foresee(&session, (&supposition, &mut supposed), &wanted, supposing, |answers, answer| {
            Shown::of(answers, answer, is_json, fingerprints)
        })?;
    let is_all_read = options.with_local || !options.everywhere;
    let left_out = match is_all_read {
        true => Vec::new(),
        false => left_out(&foresight.asked.sides[0].survey),
    };
    let refused = refused(options, &supposed, &foresight);
    let notes = notes(options, &supposed, &left_out, !refused.is_empty());
    let notes: String = notes.iter().map(|note| look.text(note) + "\n").collect();
    let written = match options.act {
        Act::Suppose => None,
        Act::WriteNothing => Some(Vec::new()),
        Act::Write if !refused.is_empty() => Some(Vec::new()),
        Act::Write => Some(write(&supposition, session.project(), stores).map_err(one)?),
    };
    let done = written.clone().unwrap_or_default();
    let is_no =
        !refused.is_empty() || !foresight.not_read.is_empty() && options.act == Act::Suppose;
    let result = match is_json {
        true => {
            let body = body(&supposed, &foresight, left_out, written, refused);
            json::text(&json::Answer::new(options.command, foresight.asked.heads()[0], body))
        }
        false => text(look, options.act, &supposed, &foresight, &left_out, written, &refused),
    };
    Ok(Outcome { result: result.into(), notes, code: u8::from(is_no), done })
}

/// What is to be noted of all this.
fn notes(
    options: &SupposeOptions<'_>,
    supposed: &[Supposed],
    left_out: &[String],
    is_refused: bool,
) -> Vec<String> {
    let mut notes: Vec<String> = Vec::new();
    let idle = supposed.iter().filter(|it| it.is_idle);
    notes.extend(
        idle.map(|it| format!("note: the environment variable {} is not set now", it.what)),
    );
    if options.is_typed && supposed.iter().any(|it| it.is_secret) {
        let note = "note: other users can see a secret on a command line, and shells keep it; \
                    write - for the value to read it from standard input";
        notes.push(note.to_owned());
    }
    // What is supposed of layers that are not read.
    let is_unheard = |it: &Supposed| {
        matches!(it.act, Deed::Variable | Deed::NoVariable)
            || it.layer.as_ref().is_some_and(|layer| left_out.contains(layer))
    };
    let is_all_read = options.with_local || !options.everywhere;
    if !is_all_read && supposed.iter().any(is_unheard) {
        let note = "note: local layers are not included, and with them a part of what is supposed \
                    (--with-local includes them)";
        notes.push(note.to_owned());
    }
    let of_edits = supposed.iter().filter_map(|it| it.note.filter(|_| !is_refused));
    notes.extend(of_edits.map(str::to_owned));
    notes
}

fn body(
    supposed: &[Supposed],
    foresight: &Foresight<Shown>,
    left_out: Vec<String>,
    written: Option<Vec<String>>,
    refused: Vec<String>,
) -> SupposeBody {
    let shown = |looked: &Outlook<Shown>| -> Vec<ShownEffect> {
        let contexts = |effect: &Effect<Shown>| {
            let choices = looked.choices(&effect.contexts);
            choices.into_iter().map(|choice| choice.axes.into_iter().collect()).collect()
        };
        let effect = |effect: &Effect<Shown>| ShownEffect {
            key: shown_key(&effect.key),
            difference: effect.difference.name().into(),
            left: effect.before.as_ref().and_then(|it| it.raw(effect.is_secret)),
            right: effect.after.as_ref().and_then(|it| it.raw(effect.is_secret)),
            contexts: contexts(effect),
        };
        looked.effects.changed.iter().map(effect).collect()
    };
    let findings = |told: Vec<&CheckedFinding>| told.into_iter().map(ShownFinding::of).collect();
    let current = foresight.current.as_ref().map(|looked| ShownCurrent {
        context: ShownContext(looked.heads()[0].clone()),
        settings: shown(looked),
        findings: findings(looked.new_findings()),
        fixed: findings(looked.mended()),
    });
    let looked = &foresight.asked;
    let [before, after] = looked.heads();
    SupposeBody {
        looked_at: looked.pairs.len(),
        then: (before != after).then(|| ShownContext(after.clone())),
        same: looked.effects.same,
        settings: shown(looked),
        findings: findings(looked.new_findings()),
        fixed: findings(looked.mended()),
        left_out,
        written,
        refused,
        current,
        not_read: foresight.not_read.iter().map(ShownUnread::of).collect(),
        supposed: supposed.iter().map(ShownSupposed::of).collect(),
    }
}

fn text(
    look: &Look,
    act: Act,
    supposed: &[Supposed],
    foresight: &Foresight<Shown>,
    left_out: &[String],
    written: Option<Vec<String>>,
    refused: &[String],
) -> String {
    let is_done = act == Act::Write && refused.is_empty();
    let asked = Telling { look, looked: &foresight.asked, is_done };
    let mut text = String::new();
    match written {
        None => look.styled(&mut text, Role::Plain, &asked.summary(&hypothesis(supposed)), ""),
        Some(written) => {
            let lines = outcome(act, supposed, refused, &written);
            let role = if refused.is_empty() { Role::Plain } else { Role::Wrong };
            let (first, rest) = lines.split_first().map_or(("", &[][..]), |(it, rest)| (it, rest));
            look.styled(&mut text, role, first, "");
            rest.iter().for_each(|line| look.paragraph(&mut text, line, "  "));
            look.paragraph(&mut text, &asked.summary(""), "  ");
        }
    }
    asked.contexts(&mut text);
    for (put, because) in supposed.iter().filter_map(|it| Some((it, it.because.as_ref()?))) {
        let because = because.to_string();
        let because = because.trim_end_matches('.');
        let wins = if is_done { "does not win" } else { "would not win" };
        let layer = put.layer.as_deref().unwrap_or_default();
        let line = format!("{} of {layer} {wins} here: {because}", put.what);
        look.styled(&mut text, Role::Warning, &line, "  ");
    }
    if let Some(line) = not_included(left_out) {
        look.paragraph(&mut text, &line, "  ");
    }
    if !foresight.not_read.is_empty() {
        look.styled(&mut text, Role::Warning, &unread(&foresight.not_read), "  ");
    }
    asked.effects(&mut text);
    if let Some(looked) = &foresight.current {
        let current = Telling { look, looked, is_done };
        text.push('\n');
        let line = format!("and in the current context: {}", current.summary(""));
        look.paragraph(&mut text, &line, "");
        current.effects(&mut text);
    }
    text
}

/// Why nothing is written although it could be: none if that is accepted.
fn refused(
    options: &SupposeOptions<'_>,
    supposed: &[Supposed],
    foresight: &Foresight<Shown>,
) -> Vec<String> {
    if options.accepts || options.act == Act::Suppose {
        return Vec::new();
    }
    let mut refused = Vec::new();
    refused.extend(supposed.iter().filter_map(|it| it.exposes.clone()));
    let is_lost = |effect: &Effect<Shown>| effect.difference != Difference::OnlyRight;
    if let Some(why) = options.keeps_values
        && foresight.all().any(|looked| looked.effects.changed.iter().any(is_lost))
    {
        refused.push(why.to_owned());
    }
    let mut errors: Vec<String> = Vec::new();
    for told in foresight.all().flat_map(Outlook::new_findings) {
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
    let named = justwhy_engine::named(contexts.iter().map(|(context, _)| context));
    format!("{named} cannot be read (justwhy check has the reasons)")
}

/// What the options of the name `--variable` say.
fn variables(given: &[String]) -> Result<Vec<(String, String)>, Error> {
    let one = |(number, given): (usize, &String)| {
        let pair = given.split_once('=').filter(|(name, _)| is_env_name(name));
        let (name, value) = pair.ok_or_else(|| {
            let message = format!("--variable number {}: expected NAME=VALUE", number + 1);
            Error::new("bad-argument", message).help("for example --variable TIDE_REGION=north")
        })?;
        Ok((name.to_owned(), value.to_owned()))
    };
    given.iter().enumerate().map(one).collect()
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
        Error::new("bad-argument", format!("--put number {number}: {problem}"))
            .help("for example --put database.port=5433")
    };
    let (key, rest) =
        KeyPath::parse_start(given).map_err(|error| bad(format!("invalid key: {error}")))?;
    let value =
        rest.strip_prefix('=').ok_or_else(|| bad("expected `=` after the key".to_owned()))?;
    Ok((key, value))
}
