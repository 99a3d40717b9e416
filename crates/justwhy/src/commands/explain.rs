//! `explain`: why a setting has its value.

use super::{Answering, context_line};
use crate::fingerprint::Fingerprints;
use crate::json;
use crate::look::{Look, Role, Symbol, fill, width};
use crate::run::Outcome;
use crate::select;
use justwhy_core::{Advice, Explanation, Resolution, Row, Status, Value, Verdict};
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
    let verdicts = "overridden".len();
    let start = format!(
        "  {} {}  {}  ",
        look.paint(symbol_role, look.symbol(symbol)),
        fill(&look.paint(Role::Layer, name), name.len(), names),
        fill(&look.paint(verdict_role, verdict), verdict.len(), verdicts),
    );
    let indent = names + verdicts + 4;
    let room = look.columns().saturating_sub(indent + 4).max(20);
    let said_role = if symbol == Symbol::Decides { Role::Value } else { Role::Plain };
    let mut long: Vec<String> = Vec::new();
    let mut lines: Vec<String> = Vec::new();
    let mut paragraph = |text: &str, role: Role| {
        lines.extend(look.wrap(text, room).iter().map(|line| look.paint(role, line)));
    };
    match row {
        Row::Said { at, written, verdict, by, because, through, .. } => {
            let said = written.as_ref().map_or_else(|| "(secret)".to_owned(), Value::show);
            let role = if symbol == Symbol::Decides { Role::Value } else { Role::Plain };
            let said = look.text(&said);
            if width(&said) <= room {
                paragraph(&said, role);
            } else {
                // Broken at the right it would be hard to read, and to copy.
                paragraph("", role);
                long.extend(look.wrap(&look.cut(&said, 400), look.columns() - 6));
            }
            let by = by.map(|by| resolution.candidate(by));
            let is_next = by.is_some_and(|by| resolution.layer_of(by) != at.layer);
            match by {
                // The rung above says the rest.
                Some(by) if *verdict == Verdict::Overridden && is_next && through.is_none() => {
                    let by = &resolution.readings().layer(resolution.layer_of(by)).name;
                    let place = at.place(resolution.keys());
                    paragraph(&format!("{place}, by {by}"), Role::Place);
                }
                _ => paragraph(&at.place(resolution.keys()), Role::Place),
            }
            let is_said = *verdict == Verdict::Overridden && is_next || *verdict == Verdict::Wins;
            if !is_said || through.is_some() {
                paragraph(because, Role::Lost);
            }
        }
        Row::Unsaid { because, near, .. } => {
            paragraph(because, if near.is_empty() { Role::Lost } else { Role::Warning });
        }
    }
    let rail = look.paint(Role::Lost, if has_next { look.symbol(Symbol::Rail) } else { " " });
    for (at, line) in lines.iter().enumerate() {
        let line = match at {
            0 => format!("{start}{line}"),
            _ => format!("  {rail} {:indent$}{line}", ""),
        };
        out.push_str(line.trim_end());
        out.push('\n');
        for line in std::mem::take(&mut long) {
            out.push_str(&format!("  {rail}   {}\n", look.paint(said_role, &line)));
        }
    }
}

/// How to change the setting from here.
fn ways(look: &Look, advice: &[Advice], answer: &Explanation, out: &mut String) {
    let title =
        if answer.winner.is_some() { "To change it from here" } else { "To give it a value here" };
    out.push_str(&look.paint(Role::Heading, title));
    out.push('\n');
    let widest = advice.iter().map(|way| width(&look.text(&way.at))).max().unwrap_or(0);
    for way in advice {
        let at = look.text(&way.at);
        let place = fill(&look.paint(Role::Place, &at), width(&at), widest);
        let reach = match way.reach.as_str() {
            "" => String::new(),
            reach => format!(" ({reach})"),
        };
        let tail = format!("{}{reach}", way.write);
        let indent = widest + 4;
        let lines = look.wrap(&tail, look.columns().saturating_sub(indent).max(24));
        for (number, line) in lines.iter().enumerate() {
            match number {
                0 => out.push_str(&format!("  {place}  {line}\n")),
                _ => out.push_str(&format!("{:indent$}{line}\n", "")),
            }
        }
    }
}
