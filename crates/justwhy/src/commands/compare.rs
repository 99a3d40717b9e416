//! `compare`: the settings that differ between two contexts, and why.

use crate::arguments::Form;
use crate::commands::not_included;
use crate::commands::sides::{Pair, Shown};
use crate::fingerprint::Fingerprints;
#[cfg(test)]
use crate::json::Setting;
use crate::json::{self, ShownContext, Word};
use crate::look::{Look, Role};
use crate::outcome::Outcome;
use crate::running::Running;
use crate::running::Runs;
use crate::running::Surveying;
use crate::running::{looking, reading};
use clap::Args;
use justwhy_core::{
    Answers, AxisValue, Compared, Context, Difference, Effect, Effects, Explanation, Hop, HopValue,
    Place, Resolution, Survey, compare,
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
    /// One context, for example production,region=north
    #[arg(value_name = "CONTEXT")]
    pub(crate) left: String,
    /// The other context
    #[arg(value_name = "CONTEXT")]
    pub(crate) right: String,
    /// Keys, branches, patterns, variables or FILE:LINE [default: all]
    #[arg(value_name = "KEY")]
    pub(crate) patterns: Vec<String>,
    /// Exit 1 if anything differs
    #[arg(long)]
    pub(crate) expect_same: bool,
    /// Include local layers and environment variables
    #[arg(long)]
    pub(crate) with_local: bool,
}

impl Runs for CompareArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.survey(self.with_local, |surveying| run(surveying, self))
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct CompareBody {
    /// How many contexts were looked at.
    looked_at: usize,
    left: ShownContext,
    right: ShownContext,
    /// How many settings are the same.
    same: usize,
    settings: Vec<ShownPair>,
    /// Local layers that were not included.
    left_out: Vec<String>,
}

/// A setting that differs between the two sides; a side is null where it is not set.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownPair {
    key: String,
    /// `differs`, `only-left`, `only-right` or `cannot-tell`.
    difference: Word,
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
        let error =
            Error::new("bad-argument", "compare takes its contexts as arguments, not with --in");
        return Err(one(error.help("write justwhy compare production,north staging,north")));
    }
    let [left, right] =
        [&options.left, &options.right].map(|asked| surveying.snapshot.here(Some(asked)));
    let contexts = [left.map_err(one)?, right.map_err(one)?];
    surveying.progress.now(|| reading(contexts.len()));
    let mut read = surveying.snapshot.read_all(&contexts).into_iter();
    let mut next = |context: &Context| -> Result<Survey, Vec<Error>> {
        let where_ = justwhy_engine::plain_context(context);
        let read = read.next().unwrap_or_else(|| Err(Vec::new())).map_err(first_of);
        let read = read.map_err(|error| one(error.help(format!("this happens in {where_}"))))?;
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
        Traced::of(answers, answer, is_json, &fingerprints)
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
            let shown = |pair: &Effect<Traced>| ShownPair {
                key: shown_key(&pair.key),
                difference: pair.difference.name().into(),
                left: pair.before.as_ref().and_then(|side| side.shown.raw(false)),
                right: pair.after.as_ref().and_then(|side| side.shown.raw(false)),
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
        false => text(surveying.look, &compared, &contexts, &left_out),
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
                // What is on one side only is known there.
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

/// What is shown of an answer, and what it comes from.
#[derive(PartialEq)]
struct Traced {
    shown: Shown,
    /// The place that sets it.
    place: Option<Place>,
    /// Each reference of the value and of what it refers to, with what it gives and where.
    references: Vec<(String, String, String)>,
}

impl Traced {
    fn of(
        answers: &Answers<'_>,
        answer: &Explanation,
        is_json: bool,
        fingerprints: &Fingerprints,
    ) -> Traced {
        let mut references = Vec::new();
        if !is_json && answers.may_refer(answer.key) {
            flatten(&answers.chain(answer.key), &mut references);
        }
        let place = answer.winner.as_ref().map(|winner| winner.place.clone());
        Traced { shown: Shown::of(answers, answer, is_json, fingerprints), place, references }
    }
}

/// The references, those that others lead to after these.
fn flatten(hops: &[Hop], references: &mut Vec<(String, String, String)>) {
    for hop in hops {
        let found = match &hop.found {
            HopValue::Value(value) => value.show(),
            HopValue::Secret => "(secret)".to_owned(),
            HopValue::Nothing(why) | HopValue::Error(why) => why.to_string(),
        };
        let name = hop.setting.clone().unwrap_or_else(|| hop.reference.clone());
        let place = hop.place.as_ref().map(ToString::to_string).unwrap_or_default();
        references.push((name, found, place));
        flatten(&hop.hops, references);
    }
}

/// Of a value that both sides have from one place: the setting that makes it differ.
fn cause(sides: [Option<&Traced>; 2]) -> Option<String> {
    let [Some(left), Some(right)] = sides else { return None };
    if left.place.is_none() || left.place != right.place {
        return None;
    }
    let differs = |(name, found, place): &&(String, String, String)| {
        let other = right.references.iter().find(|(other, ..)| other == name);
        other.is_some_and(|(_, other, at)| other != found || at != place)
    };
    // The last one that both sides have is where they part.
    let (name, _, place) = left.references.iter().rev().find(differs)?;
    let other = right.references.iter().find(|(other, ..)| other == name);
    let mut places = vec![place.as_str()];
    places.extend(other.map(|(_, _, place)| place.as_str()).filter(|other| other != place));
    places.retain(|place| !place.is_empty());
    let at = match places.is_empty() {
        true => String::new(),
        false => format!(" ({})", places.join(", ")),
    };
    Some(format!("because {name} differs{at}"))
}

/// The axes that differ, as one side has them; `left` and `right` where none does.
fn label(contexts: &[Context; 2], at: usize) -> String {
    let (own, other) = (&contexts[at], &contexts[1 - at]);
    let axes = own.axes.iter().zip(&other.axes);
    let differs = axes.filter(|(one, other)| one.value != other.value);
    let show = |one: &AxisValue| {
        format!("{}={}", one.axis, one.value.as_deref().unwrap_or(justwhy_core::UNSET))
    };
    let shown: Vec<String> = differs.map(|(one, _)| show(one)).collect();
    match shown.is_empty() {
        true => ["left", "right"][at].to_owned(),
        false => shown.join(","),
    }
}

fn text(
    look: &Look,
    compared: &Effects<Traced>,
    contexts: &[Context; 2],
    left_out: &[String],
) -> String {
    let labels = [label(contexts, 0), label(contexts, 1)];
    let mut out = String::new();
    let shared = justwhy_engine::plain_context(&shared(contexts));
    let same_places = contexts[0].is_same_place(&contexts[1]);
    let answer = match same_places {
        true => format!("{} in one context, {shared}", counts(compared)),
        false => {
            let between = format!("between {} and {}", labels[0], labels[1]);
            let shared = if self::shared(contexts).set().next().is_some() {
                format!(" (both in {shared})")
            } else {
                String::new()
            };
            format!("{} {between}{shared}", counts(compared))
        }
    };
    look.styled(&mut out, Role::Plain, &answer, "");
    let kinds = kinds(compared, &labels);
    if !kinds.is_empty() {
        look.paragraph(&mut out, &kinds.join(", "), "  ");
    }
    if let Some(line) = not_included(left_out) {
        look.paragraph(&mut out, &line, "  ");
    }
    if !compared.changed.is_empty() {
        out.push('\n');
    }
    for pair in &compared.changed {
        let sides = [&pair.before, &pair.after].map(|side| side.as_deref());
        let answers = sides.map(|side| side.and_then(|it| it.shown.answer()));
        let looks_same = match &answers {
            [Some(one), Some(other)] => {
                pair.difference == Difference::Differs && !one.is_error() && one.looks_like(other)
            }
            _ => false,
        };
        let remark = match (pair.difference, looks_same) {
            (Difference::CannotTell, _) => "whether it is the same is uncertain",
            (_, true) if pair.is_secret => "the secrets differ",
            (_, true) => "the hidden passwords differ",
            _ => "",
        };
        let shown = Pair {
            key: shown_key(&pair.key),
            remark,
            contexts: String::new(),
            labels: [&labels[0], &labels[1]],
            is_in_time: false,
            answers,
            because: cause(sides).into_iter().collect(),
        };
        shown.push(look, false, &mut out);
    }
    out
}

fn count(compared: &Effects<Traced>, difference: Difference) -> usize {
    compared.changed.iter().filter(|pair| pair.difference == difference).count()
}

/// `8 of 29 settings differ`.
fn counts(compared: &Effects<Traced>) -> String {
    let total = compared.changed.len() + compared.same;
    let settings = if total == 1 { "setting" } else { "settings" };
    match compared.changed.len() - count(compared, Difference::CannotTell) {
        0 => format!("none of {total} {settings} differs"),
        1 => format!("1 of {total} {settings} differs"),
        differ => format!("{differ} of {total} {settings} differ"),
    }
}

/// How many of them are set on one side only, or uncertain.
fn kinds(compared: &Effects<Traced>, labels: &[String; 2]) -> Vec<String> {
    let [left, right] = labels;
    let mut parts = Vec::new();
    for (difference, label) in [(Difference::OnlyLeft, left), (Difference::OnlyRight, right)] {
        let count = count(compared, difference);
        if count > 0 {
            parts.push(format!("{count} set only in {label}"));
        }
    }
    match count(compared, Difference::CannotTell) {
        0 => {}
        unknown => parts.push(format!("{unknown} uncertain")),
    }
    parts
}
