//! `compare`: the settings that differ between two contexts, each with who decides it on either side.

use crate::arguments::Form;
use crate::commands::sides::{Shown, push_line};
use crate::commands::told_left_out;
use crate::fingerprint::Fingerprints;
#[cfg(test)]
use crate::json::Setting;
use crate::json::{self, ShownContext};
use crate::look::{Look, Role, fill, width};
use crate::outcome::Outcome;
use crate::running::Running;
use crate::running::Runs;
use crate::running::Surveying;
use crate::running::{looking, reading};
use clap::Args;
use justwhy_core::{
    AxisValue, Compared, Context, Difference, Effect, Effects, Resolution, Survey, compare,
    list_values,
};
use justwhy_engine::{first_of, local_layers, select, shown_key};
use justwhy_project::Error;
use serde::Serialize;
use serde_json::value::RawValue;
use std::collections::HashSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

#[derive(Args, Debug)]
pub(crate) struct CompareArguments {
    /// One context, written as for --in: values of axes, such as production,north
    #[arg(value_name = "CONTEXT")]
    pub(crate) left: String,
    /// The other context
    #[arg(value_name = "CONTEXT")]
    pub(crate) right: String,
    /// Keys, branches of keys or patterns (`*` within a segment, `**` over segments)
    #[arg(value_name = "PATTERN")]
    pub(crate) patterns: Vec<String>,
    /// Say no (exit 1) if anything differs
    #[arg(long)]
    pub(crate) expect_same: bool,
    /// Read the layers that describe where you stand too: the process and local ones
    #[arg(long)]
    pub(crate) with_local: bool,
}

impl Runs for CompareArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.survey(self.with_local, |surveying| run(surveying, self))
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct CompareBody {
    /// How many contexts were looked at.
    looked_at: usize,
    left: ShownContext,
    right: ShownContext,
    /// How many settings are the same.
    same: usize,
    settings: Vec<ShownPair>,
    /// Layers that describe where you stand and were left out.
    left_out: Vec<String>,
}

/// A setting that is not the same on both sides; a side is null where the setting is absent.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownPair {
    key: String,
    /// `differs`, `only-left`, `only-right` or `cannot-tell`.
    difference: &'static str,
    #[cfg_attr(test, schemars(with = "Option<Setting>"))]
    left: Option<Box<RawValue>>,
    #[cfg_attr(test, schemars(with = "Option<Setting>"))]
    right: Option<Box<RawValue>>,
}

pub(crate) fn run(
    surveying: &Surveying<'_>,
    options: &CompareArguments,
) -> Result<Outcome, Vec<Error>> {
    let one = |error| vec![error];
    if surveying.common.context.is_some() {
        let error = Error::new("bad-argument", "compare names its contexts itself, without --in");
        return Err(one(error.help("justwhy compare production,north staging,north")));
    }
    let [left, right] =
        [&options.left, &options.right].map(|asked| surveying.snapshot.here(Some(asked)));
    let contexts = [left.map_err(one)?, right.map_err(one)?];
    surveying.progress.now(|| reading(contexts.len()));
    let mut read = surveying.snapshot.read_all(&contexts).into_iter();
    let mut next = |context: &Context| -> Result<Survey, Vec<Error>> {
        let where_ = justwhy_engine::plain_context(context);
        let read = read.next().unwrap_or_else(|| Err(Vec::new())).map_err(first_of);
        let read = read.map_err(|error| one(error.help(format!("it is so in {where_}"))))?;
        Ok(Survey::of(vec![Arc::new(read)]))
    };
    let surveys = [next(&contexts[0])?, next(&contexts[1])?];
    surveying.progress.now(looking);
    let chosen = chosen(surveying, &options.patterns, &surveys)?;
    let is_chosen = |key: &[&str]| {
        let owned = || key.iter().map(|segment| (*segment).to_owned()).collect::<Vec<String>>();
        chosen.as_ref().is_none_or(|keys| keys.contains(&owned()))
    };
    let snapshot = surveying.snapshot;
    let sides = [snapshot.side(&surveys[0]), snapshot.side(&surveys[1])];
    let wanted = Compared {
        pairs: &[(0, 0)],
        wanted: Some(&is_chosen),
        shared: snapshot.shared_with(snapshot),
    };
    let is_json = surveying.common.output == Form::Json;
    let fingerprints = Fingerprints::new();
    let is_exhausted = AtomicBool::new(false);
    let compared = compare(sides, wanted, |answers, answer| {
        is_exhausted.fetch_or(answers.is_exhausted(), Ordering::Relaxed);
        Shown::of(answers, answer, is_json, &fingerprints)
    });
    if is_exhausted.into_inner() {
        return Err(one(justwhy_engine::exhausted()));
    }
    let left_out = match (options.with_local, surveys[0].contexts().first()) {
        (false, Some(readings)) => local_layers(readings),
        _ => Vec::new(),
    };
    let is_yes = !options.expect_same || compared.changed.is_empty();
    let result = match is_json {
        true => {
            let shown = |pair: &Effect<Shown>| ShownPair {
                key: shown_key(&pair.key),
                difference: pair.difference.name(),
                left: pair.before.as_ref().and_then(|side| side.raw(false)),
                right: pair.after.as_ref().and_then(|side| side.raw(false)),
            };
            let [one, other] = contexts.clone();
            let body = CompareBody {
                looked_at: 2,
                left: ShownContext(one),
                right: ShownContext(other),
                same: compared.same,
                settings: compared.changed.iter().map(shown).collect(),
                left_out,
            };
            json::text(&json::Answer::new("compare", &shared(&contexts), body))
        }
        false => {
            let sides = [Label::of(&contexts, 0), Label::of(&contexts, 1)];
            text(surveying.look, &compared, &sides, &left_out)
        }
    };
    Ok(Outcome {
        result: result.into(),
        notes: String::new(),
        code: u8::from(!is_yes),
        done: Vec::new(),
    })
}

/// The settings that the patterns mean on either side; none if all are meant.
fn chosen(
    surveying: &Surveying<'_>,
    patterns: &[String],
    surveys: &[Survey; 2],
) -> Result<Option<HashSet<Vec<String>>>, Vec<Error>> {
    if patterns.is_empty() {
        return Ok(None);
    }
    let contexts = surveys.iter().flat_map(Survey::contexts);
    let sides: Vec<Resolution> =
        contexts.map(|readings| Resolution::of(Arc::clone(readings))).collect();
    let mut found: HashSet<Vec<String>> = HashSet::new();
    for pattern in patterns {
        let inside = surveying.snapshot.inside();
        let mut problem = None;
        let mut is_known = false;
        for side in &sides {
            match select::settings(side, inside, pattern) {
                // What stands on one side only is known there.
                Err(error) => problem = problem.or(Some(error)),
                Ok(keys) => {
                    is_known = true;
                    let segments = |key| side.keys().segments(key).into_iter();
                    found.extend(
                        keys.into_iter().map(|key| segments(key).map(str::to_owned).collect()),
                    );
                }
            }
        }
        if let Some(error) = problem.filter(|_| !is_known) {
            return Err(vec![error]);
        }
    }
    Ok(Some(found))
}

/// The axes that have the same value in both contexts.
fn shared(contexts: &[Context; 2]) -> Context {
    let [left, right] = contexts;
    let axes =
        left.axes.iter().zip(&right.axes).map(|(one, other)| match one.value == other.value {
            true => one.clone(),
            false => AxisValue { value: None, ..one.clone() },
        });
    Context { axes: axes.collect() }
}

/// How one side is called.
struct Label {
    /// What tells it from the other one: the values of the axes that differ.
    label: String,
    /// All of its axes.
    whole: String,
}

impl Label {
    fn of(contexts: &[Context; 2], at: usize) -> Label {
        let (own, other) = (&contexts[at], &contexts[1 - at]);
        let axes = own.axes.iter().zip(&other.axes);
        let differs = axes.filter(|(one, other)| one.value != other.value);
        let told: Vec<String> = differs
            .map(|(one, _)| match &one.value {
                Some(value) => value.clone(),
                None => format!("no {}", one.axis),
            })
            .collect();
        let label = match told.is_empty() {
            true => ["left", "right"][at].to_owned(),
            false => told.join(","),
        };
        Label { label, whole: justwhy_engine::plain_context(own) }
    }
}

fn text(look: &Look, compared: &Effects<Shown>, sides: &[Label; 2], left_out: &[String]) -> String {
    let mut out = String::new();
    let labels = sides.iter().map(|side| width(&look.text(&side.label))).max().unwrap_or(0);
    for side in sides {
        let label = look.text(&side.label);
        let label = fill(&look.paint(Role::Heading, &label), width(&label), labels);
        out.push_str(&format!("{label}  {}\n", look.paint(Role::Lost, &look.text(&side.whole))));
    }
    out.push('\n');
    for pair in &compared.changed {
        let key = look.paint(Role::Key, &look.text(&shown_key(&pair.key)));
        let answers = [&pair.before, &pair.after].map(|it| it.as_ref().and_then(|it| it.answer()));
        let looks_same = match &answers {
            [Some(one), Some(other)] => {
                pair.difference == Difference::Differs && !one.is_error() && one.looks_like(other)
            }
            _ => false,
        };
        let remark = match (pair.difference, looks_same) {
            (Difference::CannotTell, _) => "nobody can tell whether it is the same",
            (_, true) if pair.is_secret => "the secrets differ",
            (_, true) => "the hidden passwords differ",
            _ => "",
        };
        out.push_str(format!("{key}  {}", look.paint(Role::Warning, remark)).trim_end());
        out.push('\n');
        for (side, answer) in sides.iter().zip(answers) {
            push_line(look, &side.label, labels, answer, &mut out);
        }
    }
    if !compared.changed.is_empty() {
        out.push('\n');
    }
    look.paragraph(&mut out, &summary(compared, sides), "");
    if let Some(told) = told_left_out(left_out) {
        look.paragraph(&mut out, &told, "");
    }
    out
}

fn summary(compared: &Effects<Shown>, sides: &[Label; 2]) -> String {
    let count = |difference: Difference| {
        compared.changed.iter().filter(|pair| pair.difference == difference).count()
    };
    let verb = |count: usize, one: &str, many: &str| match count {
        1 => format!("1 {one}"),
        count => format!("{count} {many}"),
    };
    let [left, right] = sides;
    let mut parts = Vec::new();
    let differs = count(Difference::Differs);
    if differs > 0 {
        parts.push(verb(differs, "setting differs", "settings differ"));
    }
    for (difference, side) in [(Difference::OnlyLeft, left), (Difference::OnlyRight, right)] {
        let count = count(difference);
        if count > 0 {
            parts.push(format!("{count} only in {}", side.label));
        }
    }
    let unknown = count(Difference::CannotTell);
    if unknown > 0 {
        parts.push(format!("{unknown} of which nobody can tell"));
    }
    let same = verb(compared.same, "setting is the same", "settings are the same");
    match parts.is_empty() {
        true => format!("Nothing differs in these 2 contexts: {same}."),
        false => format!("{} in these 2 contexts; {same}.", list_values(&parts, "and")),
    }
}
