//! `needs`: required settings that have no value here, and every place where one could be given.

use super::context_line;
use crate::json;
use crate::look::{Look, Role, fill, width};
use crate::outcome::Outcome;
use crate::running::Answering;
use crate::running::Running;
use crate::running::Runs;
use clap::Args;
use justwhy_core::{Advice, Declaration, Explanation, KeyId, Kind, Place, Status};
use justwhy_project::{Error, Tracking};
use serde::Serialize;
use std::collections::BTreeMap;

#[derive(Args, Debug)]
pub(crate) struct NeedsArguments {}

impl Runs for NeedsArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.answer(run)
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct NeedsBody {
    findings: Vec<ShownNeed>,
}

/// A required setting without a value.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownNeed {
    rule: &'static str,
    severity: &'static str,
    key: String,
    message: String,
    places: Vec<json::ShownPlace>,
    contexts: Vec<BTreeMap<String, Vec<String>>>,
    #[serde(rename = "type")]
    kind: &'static str,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    one_of: Vec<json::ShownValue>,
    secret: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    about: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    owner: Option<String>,
    /// Where a value could be given, strongest layer first.
    give: Vec<json::Change>,
}

/// A required setting without a value, and where one could be given.
struct Need {
    answer: Explanation,
    message: String,
    declared_at: Option<Place>,
    advice: Vec<Advice>,
}

pub(crate) fn run(answering: &Answering<'_>) -> Result<Outcome, Vec<Error>> {
    let needs = needs(answering);
    let is_yes = needs.is_empty();
    let result = match answering.as_json() {
        true => {
            let findings = needs.iter().map(|need| shown(answering, need)).collect();
            json::text(&json::Answer::new("needs", answering.context(), NeedsBody { findings }))
        }
        false => text(answering, &needs),
    };
    Ok(answering.outcome(result, String::new(), is_yes))
}

fn needs(answering: &Answering<'_>) -> Vec<Need> {
    let readings = answering.resolution().readings();
    let required = readings
        .catalogue
        .settings()
        .filter_map(|(key, declared)| declared.required.holds(&readings.context).then_some(key));
    let keys: Vec<KeyId> = answering.resolution().keys().sorted(required);
    let need = |key: KeyId| {
        let answer = Explanation::of(answering.answers, key);
        let message = match &answer.status {
            Status::Absent => "it is required, and nothing gives it a value".to_owned(),
            Status::Uncertain { because } => {
                format!("it is required, and whether it has a value is uncertain: {because}")
            }
            Status::Error { message, .. } if answer.refuses_empty() => message.clone(),
            _ => return None,
        };
        let declared = readings.catalogue.declared(key)?;
        Some(Need {
            message,
            declared_at: readings.declared_at(declared),
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

/// Whether a secret would stand in plain where git would keep it. Who it is encrypted for is another
/// question: with recipients such a file may hold it.
fn would_expose(answering: &Answering<'_>, advice: &Advice) -> bool {
    let layer = answering.resolution().readings().layer(advice.layer);
    let file = match layer.kind {
        Kind::File | Kind::Files | Kind::Rows => advice.at.trim_end_matches(" (new)"),
        Kind::Values => answering.snapshot.project().file.as_str(),
        _ => return false,
    };
    let is_number = |text: &str| !text.is_empty() && text.bytes().all(|it| it.is_ascii_digit());
    // Where a line decides now, the way leads to it.
    let mut path = file;
    while let Some((head, _)) = path.rsplit_once(':').filter(|(_, tail)| is_number(tail)) {
        path = head;
    }
    let tracking =
        answering.snapshot.world().tracking(&answering.snapshot.project().folder, &[path.into()]);
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
        rule: "missing-required",
        severity: "error",
        key: resolution.keys().show(need.answer.key),
        message: need.message.clone(),
        places: need.declared_at.iter().map(json::ShownPlace::of).collect(),
        contexts: vec![context],
        kind: declared.map_or("any", |declared| declared.shape.kind.name()),
        one_of: declared
            .map(|declared| declared.shape.one_of.iter().cloned().map(json::ShownValue).collect())
            .unwrap_or_default(),
        secret: need.answer.secret,
        about: declared.and_then(|declared| declared.about.clone()),
        owner: declared.and_then(|declared| declared.owner.clone()),
        give: need
            .advice
            .iter()
            .map(|advice| json::Change::of(resolution, advice.clone()))
            .collect(),
    }
}

fn text(answering: &Answering<'_>, needs: &[Need]) -> String {
    let look = answering.look;
    let mut out = String::new();
    let context = context_line(answering.context());
    if !context.is_empty() {
        let mut line = String::new();
        look.paragraph(&mut line, &format!("in {context}"), "");
        for line in line.lines() {
            out.push_str(&look.paint(Role::Lost, line));
            out.push('\n');
        }
        out.push('\n');
    }
    if needs.is_empty() {
        let catalogue = &answering.resolution().readings().catalogue;
        let context = &answering.resolution().readings().context;
        let required = catalogue.settings().filter(|(_, it)| it.required.holds(context)).count();
        out.push_str(&match required {
            0 => "No setting is required here.\n".to_owned(),
            1 => "The one setting that is required here has a value.\n".to_owned(),
            count => format!("Each of the {count} settings that are required here has a value.\n"),
        });
        return out;
    }
    for need in needs {
        one(answering, look, need, &mut out);
        out.push('\n');
    }
    out.push_str(&match needs.len() {
        1 => "1 required setting has no value here.\n".to_owned(),
        count => format!("{count} required settings have no value here.\n"),
    });
    out
}

fn one(answering: &Answering<'_>, look: &Look, need: &Need, out: &mut String) {
    let resolution = answering.resolution();
    let key = look.text(&resolution.keys().show(need.answer.key));
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
    out.push_str(&format!(
        "{}  {}\n",
        look.paint(Role::Key, &key),
        look.paint(Role::Lost, &look.text(&kind))
    ));
    if let Some(about) = declared.and_then(|declared| declared.about.as_ref()) {
        look.paragraph(out, about, "  ");
    }
    let owner = declared.and_then(|declared| declared.owner.as_ref());
    let at = need.declared_at.as_ref();
    let at = at.map(|place| format!("declared at {place}"));
    let told: Vec<String> =
        owner.map(|owner| format!("owner: {owner}")).into_iter().chain(at).collect();
    if !told.is_empty() {
        look.paragraph(out, &told.join("; "), "  ");
    }
    if need.message.contains("empty") {
        look.paragraph(out, &need.message, "  ");
    }
    if need.advice.is_empty() {
        let none = "git tracks every file that could give it: put it there encrypted \
                    (justwhy put KEY - --layer LAYER --encrypt)";
        look.paragraph(out, none, "  ");
        return;
    }
    out.push_str("  Give it in one of these:\n");
    let name = |advice: &Advice| resolution.readings().layer(advice.layer).name.clone();
    let names = need.advice.iter().map(|advice| name(advice).len()).max().unwrap_or(0);
    for advice in &need.advice {
        let layer = name(advice);
        let layer_width = layer.len();
        let mut lines = advice.write.lines();
        let first = lines.next().unwrap_or_default();
        let layer = fill(&look.paint(Role::Layer, &layer), layer_width, names);
        out.push_str(&format!("    {layer}  {}", look.paint(Role::Value, &look.text(first))));
        let mut last = first;
        for line in lines {
            out.push_str(&format!("\n{:1$}{2}", "", 6 + names, look.paint(Role::Value, line)));
            last = line;
        }
        let reach = match advice.reach.as_str() {
            "" => advice.at.clone(),
            reach => format!("{} ({reach})", advice.at),
        };
        let used = 4 + names + 2 + width(last);
        let reach = look.text(&reach);
        if used + 2 + width(&reach) <= look.columns() {
            out.push_str(&format!("  {}\n", look.paint(Role::Place, &reach)));
        } else {
            out.push('\n');
            for line in look.wrap(&reach, look.columns().saturating_sub(6 + names)) {
                out.push_str(&format!("{:1$}{2}\n", "", 6 + names, look.paint(Role::Place, &line)));
            }
        }
    }
}
