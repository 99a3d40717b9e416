//! `compare`: the settings that differ between two contexts, each with who decides it on either side.

use crate::arguments::Form;
use crate::commands::sides::{ShownAnswer, push_line};
use crate::commands::told_left_out;
use crate::fingerprint::Fingerprints;
use crate::json::{self, Setting, ShownContext};
use crate::look::{Look, Role, fill, width};
use crate::run::{Outcome, Surveying};
use justwhy_core::{
    Answers, AxisValue, Compared, Context, Difference, Explanation, KeyId, Pair, Readings,
    Resolution, compare, list_values,
};
use justwhy_engine::{local_layers, select};
use justwhy_project::Error;
use serde::Serialize;
use std::sync::Arc;

/// The options of the command.
pub(crate) struct CompareOptions<'a> {
    pub(crate) contexts: [&'a str; 2],
    pub(crate) patterns: &'a [String],
    pub(crate) with_local: bool,
    pub(crate) expect_same: bool,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct Body {
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
    left: Option<Setting>,
    right: Option<Setting>,
}

pub(crate) fn run(
    surveying: &Surveying<'_>,
    options: &CompareOptions<'_>,
) -> Result<Outcome, Vec<Error>> {
    let one = |error| vec![error];
    if surveying.common.context.is_some() {
        let error = Error::new("bad-argument", "compare names its contexts itself, without --in");
        return Err(one(error.help("justwhy compare production,north staging,north")));
    }
    let [left, right] = options.contexts.map(|asked| surveying.snapshot.here(Some(asked)));
    let contexts = [left.map_err(one)?, right.map_err(one)?];
    surveying.progress.now(|| super::reading(contexts.len()));
    let mut read = surveying.snapshot.read_all(&contexts).into_iter();
    let mut next = |context: &Context| -> Result<Answers<'_>, Vec<Error>> {
        let where_ = justwhy_engine::plain_context(context);
        let read = read.next().unwrap_or_else(|| Err(Error::new("bad-context", "nothing is read")));
        let readings: Readings =
            read.map_err(|error| one(error.help(format!("it is so in {where_}"))))?;
        let resolution = Resolution::of(Arc::new(readings));
        Ok(Answers::new(resolution, surveying.snapshot, surveying.snapshot.limits()))
    };
    let (left, right) = (next(&contexts[0])?, next(&contexts[1])?);
    surveying.progress.now(super::looking);
    let keys = chosen(surveying, options.patterns, &left, &right)?;
    let compared = compare(&left, &right, &keys);
    if left.is_exhausted() || right.is_exhausted() {
        return Err(one(justwhy_engine::exhausted()));
    }
    let left_out = match options.with_local {
        true => Vec::new(),
        false => local_layers(left.resolution().readings()),
    };
    let is_yes = !options.expect_same || compared.pairs.is_empty();
    let fingerprints = Fingerprints::new();
    let result = match surveying.common.output {
        Form::Json => {
            let show = |answers: &Answers<'_>, side: &Option<Explanation>| {
                let side = side.as_ref()?;
                Some(Setting::of(answers.resolution(), side, &fingerprints))
            };
            let shown = |pair: &Pair| ShownPair {
                key: left.resolution().keys().show(pair.key),
                difference: pair.difference.name(),
                left: show(&left, &pair.left),
                right: show(&right, &pair.right),
            };
            let [one, other] = contexts.clone();
            let body = Body {
                looked_at: 2,
                left: ShownContext(one),
                right: ShownContext(other),
                same: compared.same,
                settings: compared.pairs.iter().map(shown).collect(),
                left_out,
            };
            json::text(&json::Answer::new("compare", &shared(&contexts), body))
        }
        _ => {
            let sides = [Side::new(&left, &contexts, 0), Side::new(&right, &contexts, 1)];
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

/// The settings that the patterns mean on either side; all without one.
fn chosen(
    surveying: &Surveying<'_>,
    patterns: &[String],
    left: &Answers<'_>,
    right: &Answers<'_>,
) -> Result<Vec<KeyId>, Vec<Error>> {
    let (left, right) = (left.resolution(), right.resolution());
    let mut found: Vec<KeyId> = Vec::new();
    if patterns.is_empty() {
        found.extend(left.settings());
        found.extend(right.settings());
    }
    for pattern in patterns {
        let inside = surveying.snapshot.inside();
        let sides = [left, right].map(|side| select::settings(side, inside, pattern));
        match sides {
            // What stands on one side only is known there.
            [Err(error), Err(_)] => return Err(vec![error]),
            sides => found.extend(sides.into_iter().flatten().flatten()),
        }
    }
    Ok(left.keys().sorted(found))
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

/// One side as it is shown.
struct Side<'a> {
    answers: &'a Answers<'a>,
    /// What tells it from the other one: the values of the axes that differ.
    label: String,
    /// All of its axes.
    whole: String,
}

impl<'a> Side<'a> {
    fn new(answers: &'a Answers<'a>, contexts: &[Context; 2], at: usize) -> Side<'a> {
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
        Side { answers, label, whole: justwhy_engine::plain_context(own) }
    }
}

fn text(look: &Look, compared: &Compared, sides: &[Side<'_>; 2], left_out: &[String]) -> String {
    let mut out = String::new();
    let labels = sides.iter().map(|side| width(&look.text(&side.label))).max().unwrap_or(0);
    for side in sides {
        let label = look.text(&side.label);
        let label = fill(&look.paint(Role::Heading, &label), width(&label), labels);
        out.push_str(&format!("{label}  {}\n", look.paint(Role::Lost, &look.text(&side.whole))));
    }
    out.push('\n');
    let keys = sides[0].answers.resolution().keys();
    for pair in &compared.pairs {
        let key = look.paint(Role::Key, &look.text(&keys.show(pair.key)));
        let remark = match (pair.difference, pair.looks_same()) {
            (Difference::CannotTell, _) => "nobody can tell whether it is the same",
            (_, true) if pair.left.as_ref().is_some_and(|it| it.secret) => "the secrets differ",
            (_, true) => "the hidden passwords differ",
            _ => "",
        };
        out.push_str(format!("{key}  {}", look.paint(Role::Warning, remark)).trim_end());
        out.push('\n');
        for (side, answer) in sides.iter().zip([&pair.left, &pair.right]) {
            let shown = answer.as_ref().map(|answer| ShownAnswer::of(side.answers, answer));
            push_line(look, &side.label, labels, shown.as_ref(), &mut out);
        }
    }
    if !compared.pairs.is_empty() {
        out.push('\n');
    }
    look.paragraph(&mut out, &summary(compared, sides), "");
    if let Some(told) = told_left_out(left_out) {
        look.paragraph(&mut out, &told, "");
    }
    out
}

fn summary(compared: &Compared, sides: &[Side<'_>; 2]) -> String {
    let count = |difference: Difference| {
        compared.pairs.iter().filter(|pair| pair.difference == difference).count()
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
