//! `list`: every effective value with the layer and place that decided it.

use super::Answering;
use crate::fingerprint::Fingerprints;
use crate::json;
use crate::look::{Look, Role, width};
use crate::run::Outcome;
use crate::select;
use justwhy_core::{Explanation, KeyId, Pattern, Status};
use justwhy_sources::Error;
use serde::Serialize;
use std::borrow::Cow;

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
        text(answering, answers)
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

/// A cell of the table: what is shown, and the columns that it takes.
struct Cell {
    text: String,
    width: usize,
}

impl Cell {
    fn new(look: &Look, text: String) -> Cell {
        let text = look.owned_text(text);
        let width = width(&text);
        Cell { text, width }
    }
}

struct Line<'r> {
    key: Cell,
    value: Cell,
    layer: &'r str,
    place: Cell,
    is_error: bool,
}

/// The columns of the table.
struct Columns {
    key: usize,
    value: usize,
    layer: usize,
}

fn text(answering: &Answering<'_>, answers: Vec<Explanation>) -> String {
    let resolution = answering.resolution;
    let keys = resolution.keys();
    let look = answering.look;
    let line = |answer: Explanation| {
        let winner = answer.winner.as_ref();
        let layer = winner.map(|winner| resolution.readings().layer(winner.layer).name.as_str());
        let place = winner.map(|winner| winner.place(keys)).unwrap_or_default();
        Line {
            key: Cell::new(look, keys.show(answer.key)),
            value: Cell::new(look, shown_value(&answer)),
            layer: layer.unwrap_or_default(),
            place: Cell::new(look, place),
            is_error: matches!(answer.status, Status::Error { .. }),
        }
    };
    let lines: Vec<Line<'_>> = answers.into_iter().map(line).collect();
    let columns = columns(look, &lines);
    let mut out = String::with_capacity(lines.len() * 100);
    for line in &lines {
        push_line(look, line, &columns, &mut out);
    }
    out
}

fn columns(look: &Look, lines: &[Line<'_>]) -> Columns {
    let widest = |width: fn(&Line<'_>) -> usize| lines.iter().map(width).max().unwrap_or(0);
    let key = widest(|line| line.key.width);
    let value = widest(|line| line.value.width);
    let layer = widest(|line| line.layer.len());
    let place = widest(|line| line.place.width);
    match look.width {
        // On a terminal long values give way; in a file or pipe every line is whole.
        Some(columns) => {
            let key = key.min(WIDEST_KEY);
            let rest = columns.saturating_sub(key + layer + place + 6);
            Columns { key, value: value.min(rest.max(14)), layer }
        }
        None => Columns { key, value: value.min(WIDEST_PIPED_VALUE), layer },
    }
}

fn push_line(look: &Look, line: &Line<'_>, columns: &Columns, out: &mut String) {
    let is_cut = look.width.is_some() && line.value.width > columns.value;
    let (value, value_width) = match is_cut {
        true => (Cow::Owned(look.cut(&line.value.text, columns.value)), columns.value),
        false => (Cow::Borrowed(line.value.text.as_str()), line.value.width),
    };
    let role = if line.is_error { Role::Wrong } else { Role::Value };
    look.push(out, Role::Key, &line.key.text);
    pad(out, line.key.width, columns.key + 2);
    look.push(out, role, &value);
    pad(out, value_width, columns.value + 2);
    look.push(out, Role::Layer, line.layer);
    let used = line.key.width.max(columns.key) + value_width.max(columns.value) + columns.layer + 6;
    match look.width {
        Some(width) if used + line.place.width > width => {
            out.push('\n');
            pad(out, 0, columns.key + 2);
        }
        _ => pad(out, line.layer.len(), columns.layer + 2),
    }
    look.push(out, Role::Place, &line.place.text);
    out.push('\n');
}

/// Fills up a column that `used` columns of text stand in, with a blank at least.
fn pad(out: &mut String, used: usize, to: usize) {
    out.extend(std::iter::repeat_n(' ', to.saturating_sub(used).max(1)));
}
