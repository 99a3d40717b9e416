//! `list`: every effective value with the layer and place that decided it.

use super::Answering;
use crate::fingerprint::Fingerprints;
use crate::json;
use crate::look::{Role, fill, width};
use crate::run::Outcome;
use crate::select;
use justwhy_core::{Explanation, KeyId, Pattern, Status};
use justwhy_sources::Error;
use serde::Serialize;

/// The widest that the column of keys may become on a terminal.
const WIDEST_KEY: usize = 44;
/// The widest value that the others are lined up with where there is no terminal.
const WIDEST_PIPED_VALUE: usize = 60;

#[derive(Serialize)]
struct Body {
    settings: Vec<json::Setting>,
}

pub(crate) fn run(answering: &Answering<'_>, patterns: &[String]) -> Result<Outcome, Vec<Error>> {
    let resolution = answering.resolution;
    let (chosen, mut notes) = chosen(answering, patterns)?;
    let mut answers = Vec::with_capacity(chosen.len());
    for key in chosen {
        let answer = Explanation::of(resolution, key);
        if answer.status != Status::Absent {
            answers.push(answer);
        }
    }
    if answers.is_empty() && notes.is_empty() {
        notes.push_str("note: no setting has a value here\n");
    }
    let is_yes = !answers.iter().any(|answer| matches!(answer.status, Status::Error { .. }));
    let result = if answering.as_json() {
        let fingerprints = Fingerprints::new();
        let setting = |answer| json::Setting::of(resolution, answer, &fingerprints);
        let settings = answers.iter().map(setting).collect();
        json::text(&json::Answer::new("list", answering.context(), Body { settings }))
    } else {
        text(answering, &answers)
    };
    Ok(answering.outcome(result, notes, is_yes))
}

/// The settings that the patterns mean, all without any, each once and in order.
fn chosen(
    answering: &Answering<'_>,
    patterns: &[String],
) -> Result<(Vec<KeyId>, String), Vec<Error>> {
    let resolution = answering.resolution;
    if patterns.is_empty() {
        return Ok((resolution.settings(), String::new()));
    }
    let mut found = Vec::new();
    let mut notes = String::new();
    for pattern in patterns {
        let matching = select::settings(resolution, pattern).map_err(|error| vec![error])?;
        if matching.is_empty() && Pattern::has_wildcard(pattern) {
            notes.push_str(&answering.look.text(&format!("note: no setting matches {pattern}")));
            notes.push('\n');
        }
        found.extend(matching);
    }
    Ok((resolution.keys().sorted(found), notes))
}

/// What stands for a value in a table.
pub(crate) fn shown_value(answer: &Explanation) -> String {
    match (&answer.status, answer.value()) {
        (Status::Error { code, .. }, _) => format!("(error: {code})"),
        (_, Some(value)) => value.show(),
        (_, None) if answer.secret_value().is_some() => "(secret)".to_owned(),
        (_, None) => "(absent)".to_owned(),
    }
}

struct Line {
    key: String,
    value: String,
    layer: String,
    place: String,
    is_error: bool,
}

fn text(answering: &Answering<'_>, answers: &[Explanation]) -> String {
    let resolution = answering.resolution;
    let look = answering.look;
    let lines: Vec<Line> = answers
        .iter()
        .map(|answer| {
            let winner = answer.winner.as_ref();
            let layer = winner.map(|winner| resolution.readings().layer(winner.layer).name.clone());
            Line {
                key: look.text(&resolution.keys().show(answer.key)),
                value: look.text(&shown_value(answer)),
                layer: layer.unwrap_or_default(),
                place: look.text(&winner.map(justwhy_core::Stand::place).unwrap_or_default()),
                is_error: matches!(answer.status, Status::Error { .. }),
            }
        })
        .collect();
    let widest = |column: fn(&Line) -> &str| lines.iter().map(|line| width(column(line))).max();
    let keys = widest(|line| &line.key).unwrap_or(0);
    let values = widest(|line| &line.value).unwrap_or(0);
    let layers = widest(|line| &line.layer).unwrap_or(0);
    let places = widest(|line| &line.place).unwrap_or(0);
    // On a terminal long values give way; in a file or pipe every line is whole.
    let (keys, values) = match look.width {
        Some(columns) => {
            let keys = keys.min(WIDEST_KEY);
            let rest = columns.saturating_sub(keys + layers + places + 6);
            (keys, values.min(rest.max(14)))
        }
        None => (keys, values.min(WIDEST_PIPED_VALUE)),
    };
    let mut out = String::new();
    for line in &lines {
        let value = match look.width {
            Some(_) => look.cut(&line.value, values),
            None => line.value.clone(),
        };
        let role = if line.is_error { Role::Wrong } else { Role::Value };
        let start = [
            fill(&look.paint(Role::Key, &line.key), width(&line.key), keys),
            fill(&look.paint(role, &value), width(&value), values),
            fill(&look.paint(Role::Layer, &line.layer), width(&line.layer), layers),
        ];
        let place = look.paint(Role::Place, &line.place);
        out.push_str(start.join("  ").trim_end());
        let used = width(&line.key).max(keys) + width(&value).max(values) + layers + 6;
        match look.width {
            Some(columns) if used + width(&line.place) > columns => {
                out.push_str(&format!("\n{:keys$}  {place}\n", ""));
            }
            _ => {
                let gap = layers - width(&line.layer) + 2;
                out.push_str(&format!("{:gap$}{place}\n", ""));
            }
        }
    }
    out
}
