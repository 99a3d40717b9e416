//! `explain`: why a setting has its value.

use super::{Answering, context_line};
use crate::fingerprint::Fingerprints;
use crate::json;
use crate::look::{Look, Role, Symbol, fill, width};
use crate::run::Outcome;
use crate::select;
use justwhy_core::{Advice, Explanation, Resolution, Row, Status, Verdict};
use justwhy_sources::Error;
use serde::Serialize;

#[derive(Serialize)]
struct Body {
    settings: Vec<json::Setting>,
}

pub(crate) fn run(answering: &Answering<'_>, keys: &[String]) -> Result<Outcome, Vec<Error>> {
    let resolution = answering.resolution;
    let mut chosen = Vec::new();
    for key in keys {
        let found = select::settings(resolution, key).map_err(|error| vec![error])?;
        if found.is_empty() {
            let message = format!("no setting matches {key}");
            let error = Error::new("unknown-key", message);
            return Err(vec![error.help("justwhy list shows all that there are")]);
        }
        chosen.extend(found);
    }
    let chosen = resolution.keys().sorted(chosen);
    let answers: Vec<Explanation> =
        chosen.into_iter().map(|key| Explanation::of(resolution, key)).collect();
    let is_yes = answers.iter().all(|answer| answer.status == Status::Set);
    let fingerprints = Fingerprints::new();
    let result = if answering.as_json() {
        let settings = answers
            .iter()
            .map(|answer| json::Setting::with_reasons(resolution, answer, &fingerprints))
            .collect();
        json::text(&json::Answer::new("explain", answering.context(), Body { settings }))
    } else {
        let texts: Vec<String> =
            answers.iter().map(|answer| text(answering, answer, &fingerprints)).collect();
        texts.join("\n\n")
    };
    Ok(answering.outcome(result, String::new(), is_yes))
}

fn text(answering: &Answering<'_>, answer: &Explanation, fingerprints: &Fingerprints) -> String {
    let look = answering.look;
    let resolution = answering.resolution;
    let mut out = headline(look, resolution, answer, fingerprints);
    let context = context_line(answering.context());
    if !context.is_empty() {
        let mut line = String::new();
        look.paragraph(&mut line, &format!("in {context}"), "  ");
        for line in line.lines() {
            out.push_str(&look.paint(Role::Lost, line));
            out.push('\n');
        }
    }
    out.push('\n');
    look.paragraph(&mut out, &answer.why(resolution).join(" "), "  ");
    out.push('\n');
    out.push_str(&look.paint(Role::Heading, "Layers, strongest first"));
    out.push('\n');
    let rows = answer.rows(resolution);
    let names = rows.iter().map(|row| layer_name(resolution, row).len()).max().unwrap_or(0);
    for (at, row) in rows.iter().enumerate() {
        rung(look, resolution, row, names, at + 1 < rows.len(), &mut out);
    }
    let advice = answer.advice(resolution);
    if !advice.is_empty() {
        out.push('\n');
        ways(look, &advice, answer, &mut out);
    }
    out
}

fn headline(
    look: &Look,
    resolution: &Resolution<'_>,
    answer: &Explanation,
    fingerprints: &Fingerprints,
) -> String {
    let key = look.text(&resolution.keys().show(answer.key));
    let key_width = width(&key);
    let key = look.paint(Role::Key, &key);
    let (role, link, value) = match (&answer.status, answer.value(), answer.secret_value()) {
        (Status::Absent, ..) => (Role::Warning, " ", "has no value here".to_owned()),
        (Status::Error { .. }, ..) => (Role::Wrong, " ", "is in error".to_owned()),
        (_, Some(value), _) => (Role::Value, " = ", value.show()),
        (_, None, Some(secret)) => {
            (Role::Value, " = ", format!("(secret, fingerprint {})", fingerprints.of(secret)))
        }
        (_, None, None) => (Role::Value, " ", String::new()),
    };
    let value = look.text(&value);
    if key_width + link.len() + width(&value) <= look.columns() {
        return format!("{key}{link}{}\n", look.paint(role, &value));
    }
    // A long value starts a line of its own and is never cut: it is what was asked for.
    let mut out = format!("{key}{}\n", link.trim_end());
    for line in look.wrap(&value, look.columns() - 2) {
        out.push_str(&format!("  {}\n", look.paint(role, &line)));
    }
    out
}

fn layer_name<'r>(resolution: &Resolution<'r>, row: &Row) -> &'r str {
    &resolution.readings().layer(row.layer()).name
}

/// One rung: the layer, what it says or its state, and below that where and why.
fn rung(
    look: &Look,
    resolution: &Resolution<'_>,
    row: &Row,
    names: usize,
    has_next: bool,
    out: &mut String,
) {
    let name = layer_name(resolution, row);
    let (symbol, symbol_role, verdict, verdict_role) = match row {
        Row::Said { verdict: Verdict::Wins, .. } => {
            (Symbol::Decides, Role::Value, "wins", Role::Value)
        }
        Row::Said { verdict, .. } => (Symbol::Lost, Role::Lost, verdict.name(), Role::Lost),
        Row::Unsaid { state, near, .. } if !near.is_empty() => {
            (Symbol::Quiet, Role::Warning, state.name(), Role::Lost)
        }
        Row::Unsaid { state, .. } => (Symbol::Quiet, Role::Lost, state.name(), Role::Lost),
    };
    let said = match row {
        Row::Said { written: Some(value), .. } => value.show(),
        Row::Said { written: None, .. } => "(secret)".to_owned(),
        Row::Unsaid { .. } => String::new(),
    };
    let verdicts = "overridden".len();
    let start = format!(
        "  {} {}  {}",
        look.paint(symbol_role, look.symbol(symbol)),
        fill(&look.paint(Role::Layer, name), name.len(), names),
        fill(&look.paint(verdict_role, verdict), verdict.len(), verdicts),
    );
    let room = look.columns().saturating_sub(2 + 1 + 1 + names + 2 + verdicts + 2);
    let said = look.cut(&look.text(&said), room.max(10));
    let said_role = if symbol == Symbol::Decides { Role::Value } else { Role::Lost };
    let line = format!("{start}  {}", look.paint(said_role, &said));
    out.push_str(line.trim_end());
    out.push('\n');
    let rail = if has_next { look.symbol(Symbol::Rail) } else { " " };
    let rail = look.paint(Role::Lost, rail);
    let indent = names + 2;
    let mut below = |text: &str, role: Option<Role>| {
        for line in look.wrap(text, look.columns().saturating_sub(indent + 4)) {
            let line = match role {
                Some(role) => look.paint(role, &line),
                None => line,
            };
            out.push_str(format!("  {rail} {:indent$}{line}", "").trim_end());
            out.push('\n');
        }
    };
    match row {
        Row::Said { at, verdict, because, .. } => {
            below(&at.place(), Some(Role::Place));
            if *verdict != Verdict::Wins || at.position.is_none() || because.contains("anchor") {
                below(because, None);
            }
        }
        Row::Unsaid { because, near, .. } => {
            below(because, (!near.is_empty()).then_some(Role::Warning));
        }
    }
}

/// How to change the setting from here.
fn ways(look: &Look, advice: &[Advice], answer: &Explanation, out: &mut String) {
    let title =
        if answer.winner.is_some() { "To change it from here" } else { "To give it a value here" };
    out.push_str(&look.paint(Role::Heading, title));
    out.push('\n');
    for way in advice {
        let at = look.text(&way.at);
        let place = look.paint(Role::Place, &at);
        let reach = match way.reach.as_str() {
            "" => String::new(),
            reach => format!(" (for {reach})"),
        };
        let tail = format!("{}{reach}", way.write);
        let used = 4 + width(&at) + 2;
        if used + width(&tail) <= look.columns() {
            out.push_str(&format!("  {place}  {}\n", look.text(&tail)));
        } else {
            out.push_str(&format!("  {place}\n"));
            look.paragraph(out, &tail, "      ");
        }
    }
}
