//! `needs`: required settings that are not set here, and the places where each can be set.

use super::push_context;
use super::uses::{self, ShownUse};
use crate::json::{self, Word};
use crate::look::{Cell, Role};
use crate::outcome::Outcome;
use crate::running::Answering;
use crate::running::Running;
use crate::running::Runs;
use clap::Args;
use justwhy_core::{Advice, Declaration, Explanation, KeyId, Kind, Place, Status};
use justwhy_engine::Use;
use justwhy_project::{Error, Tracking};
use serde::Serialize;
use std::collections::{BTreeMap, HashMap, HashSet};

#[derive(Args, Debug)]
pub(crate) struct NeedsArguments {
    /// Keys, branches, patterns, variables or FILE:LINE [default: all required settings]
    #[arg(value_name = "KEY")]
    pub(crate) keys: Vec<String>,
}

impl Runs for NeedsArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.answer(|answering| run(answering, &self.keys))
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct NeedsBody {
    findings: Vec<ShownNeed>,
}

/// A required setting without a value.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownNeed {
    rule: Word,
    severity: Word,
    key: String,
    message: String,
    places: Vec<json::ShownPlace>,
    contexts: Vec<BTreeMap<String, Vec<String>>>,
    #[serde(rename = "type")]
    kind: Word,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    one_of: Vec<json::ShownValue>,
    secret: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    about: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    owner: Option<String>,
    /// Where a value could be given, strongest layer first.
    give: Vec<json::Change>,
    /// Where source code uses it, if the project has it searched.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    uses: Vec<ShownUse>,
}

/// A required setting without a value, and where one could be given.
struct Need {
    answer: Explanation,
    message: String,
    /// Where it is declared, or read without a fallback.
    declared_at: Option<Place>,
    advice: Vec<Advice>,
    /// Where source code uses it; none if that is not searched.
    uses: Option<Vec<Use>>,
}

pub(crate) fn run(answering: &Answering<'_>, keys: &[String]) -> Result<Outcome, Vec<Error>> {
    let (chosen, notes) = super::list::chosen(answering, keys)?;
    let mut needs = needs(answering);
    needs.retain(|need| keys.is_empty() || chosen.contains(&need.answer.key));
    let needed = needs.iter().map(|need| need.answer.key).collect();
    if let Some(uses) = uses::of_settings(answering, answering.resolution(), needed)? {
        for (need, (_, uses)) in needs.iter_mut().zip(uses.settings) {
            need.uses = Some(uses);
        }
    }
    let is_yes = needs.is_empty();
    let result = match answering.as_json() {
        true => {
            let findings = needs.iter().map(|need| shown(answering, need)).collect();
            json::text(&json::Answer::new("needs", answering.context(), NeedsBody { findings }))
        }
        false => text(answering, &needs),
    };
    Ok(answering.outcome(result, notes, is_yes))
}

fn needs(answering: &Answering<'_>) -> Vec<Need> {
    let readings = answering.resolution().readings();
    let required = readings
        .catalogue
        .settings()
        .filter_map(|(key, declared)| declared.required.holds(&readings.context).then_some(key));
    let mut required: HashSet<KeyId> = required.collect();
    // What code reads without a fallback, with the first place that fails without it, or else the first.
    let mut read: HashMap<KeyId, (bool, Place)> = HashMap::new();
    for reading in &readings.readings {
        for need in &reading.needs {
            let place = reading.place(need.leaf);
            let known = read.entry(need.key).or_insert_with(|| (need.fails, place.clone()));
            if need.fails && !known.0 {
                *known = (true, place);
            }
        }
    }
    let declared_here = required.clone();
    required.extend(read.keys().copied());
    let keys: Vec<KeyId> = answering.resolution().keys().sorted(required);
    let need = |key: KeyId| {
        let answer = Explanation::of(answering.answers, key);
        let message = match &answer.status {
            Status::Absent if declared_here.contains(&key) => "required, but not set".to_owned(),
            Status::Absent => match read.get(&key) {
                Some((true, _)) => "not set, and code fails without it".to_owned(),
                _ => "not set, but code reads it without a fallback".to_owned(),
            },
            Status::Uncertain { because } => {
                format!("required, but whether it is set is uncertain: {because}")
            }
            Status::Error { fact, .. } if answer.refuses_empty() => fact.to_string(),
            _ => return None,
        };
        let declared = readings.catalogue.declared(key);
        let read_at = || read.get(&key).map(|(_, place)| place.clone());
        Some(Need {
            message,
            uses: None,
            declared_at: declared.and_then(|it| readings.declared_at(it)).or_else(read_at),
            advice: answer
                .ways(answering.answers)
                .into_iter()
                .filter(|advice| !answer.secret || !would_expose(answering, advice))
                .map(|advice| pasted(answering, key, advice))
                .collect(),
            answer,
        })
    };
    keys.into_iter().filter_map(need).collect()
}

/// Whether a secret would be in plain where git would keep it. Who it is encrypted for is another
/// question: with recipients such a file may hold it.
fn would_expose(answering: &Answering<'_>, advice: &Advice) -> bool {
    let project = answering.snapshot.project();
    let layer = answering.resolution().readings().layer(advice.layer);
    let path = match layer.kind {
        Kind::Values => project.file.as_str(),
        _ => match &advice.file {
            Some(path) => path.as_str(),
            None => return false,
        },
    };
    let tracking = answering.snapshot.world().tracking(&project.folder, &[path.into()]);
    tracking == Tracking::Known(vec![true])
}

/// The way with the very lines that its source would have.
fn pasted(answering: &Answering<'_>, key: KeyId, mut advice: Advice) -> Advice {
    let resolution = answering.resolution();
    let readings = resolution.readings();
    let is_flat = readings.variable(advice.layer, key).is_some();
    let name = readings.name_in(advice.layer, key);
    let (Some(name), false) = (name, is_flat) else { return advice };
    let declared = readings.catalogue.declared(key);
    let is_text = declared.is_none_or(|declared| declared.shape.is_written_as_text());
    let value = if is_text { "\"…\"" } else { "…" };
    let segments: Vec<&str> = name.segments().collect();
    if let Some(lines) = answering
        .snapshot
        .project()
        .format_of(advice.layer)
        .and_then(|format| format.snippet(&segments, value))
    {
        advice.write = lines;
    }
    advice
}

fn shown(answering: &Answering<'_>, need: &Need) -> ShownNeed {
    let resolution = answering.resolution();
    let declared = resolution.readings().catalogue.declared(need.answer.key);
    let axes = answering.context().set();
    let context = axes.map(|(axis, value)| (axis.to_owned(), vec![value.to_owned()])).collect();
    ShownNeed {
        rule: "missing-required".into(),
        severity: "error".into(),
        key: resolution.keys().show(need.answer.key),
        message: need.message.clone(),
        places: need.declared_at.iter().map(json::ShownPlace::of).collect(),
        contexts: vec![context],
        kind: declared.map_or("any", |declared| declared.shape.kind.name()).into(),
        one_of: declared
            .map(|declared| declared.shape.one_of.iter().cloned().map(json::ShownValue).collect())
            .unwrap_or_default(),
        secret: need.answer.secret,
        about: declared.and_then(|declared| declared.about.clone()),
        owner: declared.and_then(|declared| declared.owner.clone()),
        uses: need.uses.iter().flatten().map(ShownUse::of).collect(),
        give: need
            .advice
            .iter()
            .map(|advice| json::Change::of(answering.answers, &need.answer, advice.clone()))
            .collect(),
    }
}

fn text(answering: &Answering<'_>, needs: &[Need]) -> String {
    let look = answering.look;
    let mut out = String::new();
    let (role, answer) = match needs.len() {
        0 => (Role::Value, none_is_missing(answering)),
        1 => (Role::Wrong, "1 required setting is not set".to_owned()),
        count => (Role::Wrong, format!("{count} required settings are not set")),
    };
    look.styled(&mut out, role, &answer, "");
    push_context(look, answering.context(), &mut out);
    for need in needs {
        out.push('\n');
        one(answering, need, &mut out);
    }
    out
}

/// That every required setting is set.
fn none_is_missing(answering: &Answering<'_>) -> String {
    let catalogue = &answering.resolution().readings().catalogue;
    let context = answering.context();
    match catalogue.settings().filter(|(_, it)| it.required.holds(context)).count() {
        0 => "no setting is required".to_owned(),
        1 => "the 1 required setting is set".to_owned(),
        count => format!("all {count} required settings are set"),
    }
}

/// The most places that are shown for one setting.
const MOST_PLACES: usize = 2;

fn one(answering: &Answering<'_>, need: &Need, out: &mut String) {
    let look = answering.look;
    let is_full = answering.common.full;
    let resolution = answering.resolution();
    let key = resolution.keys().show(need.answer.key);
    let declared = resolution.readings().catalogue.declared(need.answer.key);
    let mut kind = match declared.map(|declared| &declared.shape) {
        Some(shape) if shape.kind == Declaration::Choice => {
            let values: Vec<String> = shape.one_of.iter().map(justwhy_core::Value::show).collect();
            justwhy_core::list_values(&values, "or")
        }
        Some(shape) if shape.items != Declaration::Any => {
            format!("list of {}", shape.items.name())
        }
        Some(shape) => shape.kind.name().to_owned(),
        None => String::new(),
    };
    if need.answer.secret {
        kind.push_str(", secret");
    }
    let at = need.declared_at.as_ref().map(ToString::to_string).unwrap_or_default();
    let first = [(Role::Key, key), (Role::Plain, kind), (Role::Place, at)];
    look.records(out, 0, &[first.map(|(role, text)| Cell::new(role, text)).to_vec()]);
    let about = declared.and_then(|declared| declared.about.clone());
    let owner = declared.and_then(|declared| declared.owner.as_ref());
    let owner = owner.map(|owner| format!("owner: {owner}"));
    let about: Vec<String> = about.into_iter().chain(owner).collect();
    if !about.is_empty() {
        look.paragraph(out, &about.join("; "), "  ");
    }
    let is_declared = declared.is_some_and(|it| it.required.holds(answering.context()));
    if need.answer.status != Status::Absent || !is_declared {
        look.styled(out, Role::Warning, &need.message, "  ");
    }
    if let Some(uses) = &need.uses {
        look.paragraph(out, &uses::sentence(uses), "  ");
    }
    if need.advice.is_empty() {
        let none = "git tracks every file that could set it; write it encrypted: \
                    justwhy put KEY - --layer LAYER --encrypt";
        look.paragraph(out, none, "  ");
        return;
    }
    let most = if is_full { usize::MAX } else { MOST_PLACES };
    let records: Vec<Vec<Cell>> =
        best(&need.advice).into_iter().take(most).map(|way| place(answering, need, way)).collect();
    look.records(out, 2, &records);
    for way in need.advice.iter().filter(|way| is_full && way.write.contains('\n')) {
        look.paragraph(out, &format!("in {}:", way.at), "  ");
        way.write.lines().for_each(|line| look.styled(out, Role::Value, line, "    "));
    }
    if need.advice.len() > most {
        let more = match need.advice.len() - most {
            1 => "1 more place (details: --full)".to_owned(),
            more => format!("{more} more places (details: --full)"),
        };
        look.styled(out, Role::Lost, &more, "  ");
    }
}

/// The ways, those that are a file or a variable that is there before new files.
fn best(advice: &[Advice]) -> Vec<&Advice> {
    let mut ways: Vec<&Advice> = advice.iter().collect();
    ways.sort_by_key(|way| way.is_new);
    ways
}

/// Where it can be set, and what to write there.
fn place(answering: &Answering<'_>, need: &Need, way: &Advice) -> Vec<Cell> {
    let readings = answering.resolution().readings();
    let layer = readings.layer(way.layer).name.clone();
    // Of several lines it is the key that matters.
    let write = match way.write.contains('\n') {
        true => readings.name_in(way.layer, need.answer.key).map(|name| name.to_string()),
        false => None,
    };
    let at = match way.reach.as_str() {
        "" => way.at.to_string(),
        reach => format!("{} ({reach})", way.at),
    };
    vec![
        Cell::new(Role::Plain, "set it in"),
        Cell::new(Role::Layer, layer),
        Cell::new(Role::Value, write.unwrap_or_else(|| way.write.clone())),
        Cell::new(Role::Place, at),
    ]
}
