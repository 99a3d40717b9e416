//! `list`: every effective value with the layer and place that decided it.

use crate::fingerprint::Fingerprints;
use crate::json;
use crate::look::{Look, Role, is_plain, width};
use crate::outcome::{Outcome, Pieces};
use crate::running::Answering;
use crate::running::Running;
use crate::running::Runs;
use clap::Args;
use justwhy_core::{Explanation, KeyId, Pattern, Resolution, Status, parallel};
use justwhy_engine::{Everywhere, select};
use justwhy_project::Error;
use serde::Serialize;
use std::borrow::Cow;

#[derive(Args, Debug)]
pub(crate) struct ListArguments {
    /// Keys, branches of keys or patterns (`*` within a segment, `**` over segments)
    #[arg(value_name = "PATTERN")]
    pub(crate) patterns: Vec<String>,
    /// Print the effective values of secrets too
    #[arg(long)]
    pub(crate) reveal: bool,
}

impl Runs for ListArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.answer(|answering| run(answering, &self.patterns, self.reveal))
    }
}

/// The widest that the column of keys may become on a terminal.
const WIDEST_KEY: usize = 44;
/// The columns that a value on a terminal must have for its place to stand beside it.
const SHORTEST_VALUE: usize = 24;
/// The widest value that the others are lined up with where there is no terminal.
const WIDEST_PIPED_VALUE: usize = 60;

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct ListBody {
    settings: Vec<json::Setting>,
}

/// How many settings one thread answers for before it takes others.
const AT_ONCE: usize = 500;
/// About how many bytes a setting takes in the table, and as JSON; with more the memory grows.
const BYTES_PER_LINE: usize = 128;
const BYTES_AS_JSON: usize = 384;

pub(crate) fn run(
    answering: &Answering<'_>,
    patterns: &[String],
    reveals: bool,
) -> Result<Outcome, Vec<Error>> {
    let resolution = answering.resolution();
    let (chosen, mut notes) = chosen(answering, patterns)?;
    let (mut any, mut any_error) = (false, false);
    let fingerprints = Fingerprints::revealing(reveals);
    let result = if answering.as_json() {
        let body = ListBody { settings: Vec::new() };
        let mut settings = json::Listing::of(&json::Answer::new("list", answering.context(), body));
        each(
            answering,
            &chosen,
            || json::Items::with_room(AT_ONCE * BYTES_AS_JSON),
            |items, answer| items.push(&json::Setting::of(resolution, answer, &fingerprints)),
            |(items, is_error)| {
                any |= !items.is_empty();
                any_error |= is_error;
                settings.push(items);
            },
        );
        settings.text()
    } else {
        let mut tables = Vec::new();
        let look = answering.look;
        each(
            answering,
            &chosen,
            Table::new,
            |table, answer| table.push(look, resolution, &fingerprints, answer),
            |(table, is_error)| {
                any |= !table.lines.is_empty();
                any_error |= is_error;
                tables.push(table);
            },
        );
        match answering.answers.is_exhausted() {
            true => Pieces::default(),
            false => text(look, &tables),
        }
    };
    if !any && notes.is_empty() {
        notes.push_str("note: no setting has a value here\n");
    }
    Ok(answering.outcome(result, notes, !any_error))
}

/// Answers for settings that are not absent, in parts, on all processors. Each part begins with what
/// `start` gives, to which `write` adds the answers, and is handed to `take` in their order, with whether
/// any of them is in error. No more answers are held at a time than there are threads.
fn each<P: Send>(
    answering: &Answering<'_>,
    chosen: &[KeyId],
    start: impl Fn() -> P + Sync,
    write: impl Fn(&mut P, &Explanation) + Sync,
    take: impl FnMut((P, bool)),
) {
    let answers = answering.answers;
    // Of too many contexts, those that are named first are looked into, whatever thread is faster.
    if chosen.len() > AT_ONCE && answers.may_look_elsewhere() {
        let refers = chosen.iter().filter(|key| answers.may_refer(**key));
        refers.for_each(|key| drop(answers.outcome(*key)));
    }
    let work = |keys: &[KeyId]| {
        let (mut part, mut any_error) = (start(), false);
        for key in keys {
            if answers.is_exhausted() {
                // The run ends in an error, and nobody gets to see any of it.
                break;
            }
            let answer = Explanation::of(answers, *key);
            any_error |= answer.status.is_refusal();
            if answer.status != Status::Absent {
                write(&mut part, &answer);
            }
        }
        (part, any_error)
    };
    parallel::in_order(chosen.chunks(AT_ONCE).collect(), true, work, take);
}

/// The settings that the patterns mean, all without any, each once and in order; and what to note.
pub(super) fn chosen(
    answering: &Answering<'_>,
    patterns: &[String],
) -> Result<(Vec<KeyId>, String), Vec<Error>> {
    let resolution = answering.resolution();
    if patterns.is_empty() {
        return Ok((resolution.settings(), String::new()));
    }
    let mut found = Vec::new();
    let mut notes = String::new();
    let everywhere = Everywhere::new(answering.snapshot, answering.resolution());
    for pattern in patterns {
        let matching = select::settings(resolution, answering.snapshot.inside(), pattern);
        let matching = match matching {
            Err(error) if error.code() == "unknown-key" => {
                // What only other contexts have is left out here, as what is absent is.
                if everywhere.settings(pattern).is_empty() {
                    return Err(vec![everywhere.unknown(pattern, error)]);
                }
                let note = format!(
                    "note: {pattern} is not set in this context (justwhy explain {pattern})"
                );
                notes.push_str(&answering.look.text(&note));
                notes.push('\n');
                continue;
            }
            matching => matching.map_err(|error| vec![error])?,
        };
        if matching.is_empty() && Pattern::has_wildcard(pattern) {
            notes.push_str(&answering.look.text(&format!("note: no setting matches {pattern}")));
            notes.push('\n');
        }
        found.extend(matching);
    }
    Ok((resolution.keys().sorted(found), notes))
}

/// Writes what stands for a value in a table.
fn push_value(out: &mut String, answer: &Explanation, fingerprints: &Fingerprints) {
    match (&answer.status, fingerprints.shown(answer)) {
        (Status::Error { code, .. }, _) => out.push_str(&format!("(error: {code})")),
        (Status::Unreadable { .. } | Status::Uncertain { .. }, _) => {
            out.push_str(&format!("({})", answer.status.name()));
        }
        (_, Some(value)) => value.push_shown(out),
        (_, None) => out.push_str("(secret)"),
    }
}

/// A cell of the table: where its text ends in the text of all cells, and the columns it takes.
#[derive(Clone, Copy)]
struct Cell {
    end: usize,
    width: usize,
}

struct Line<'r> {
    key: Cell,
    value: Cell,
    layer: &'r str,
    place: Cell,
    is_error: bool,
}

/// The lines of the table. The texts of all cells stand in one, one after the other: a large project
/// has tens of thousands of them.
struct Table<'r> {
    text: String,
    lines: Vec<Line<'r>>,
}

impl<'r> Table<'r> {
    fn new() -> Table<'r> {
        let text = String::with_capacity(AT_ONCE * BYTES_PER_LINE);
        Table { text, lines: Vec::with_capacity(AT_ONCE) }
    }

    fn push(
        &mut self,
        look: &Look,
        resolution: &'r Resolution,
        fingerprints: &Fingerprints,
        answer: &Explanation,
    ) {
        let keys = resolution.keys();
        let key = self.cell(look, |out| keys.push_shown(out, answer.key));
        let value = self.cell(look, |out| push_value(out, answer, fingerprints));
        let winner = answer.winner.as_ref();
        let layer = winner.map(|winner| resolution.readings().layer(winner.layer));
        let place = self.cell(look, |out| {
            if let Some(winner) = winner {
                winner.push_shown(out, keys);
            }
        });
        self.lines.push(Line {
            key,
            value,
            layer: layer.map_or("", |layer| &layer.name),
            place,
            is_error: answer.status.is_refusal(),
        });
    }

    fn cell(&mut self, look: &Look, push: impl FnOnce(&mut String)) -> Cell {
        let start = self.text.len();
        push(&mut self.text);
        if !is_plain(&self.text[start..]) {
            let cleaned = look.text(&self.text[start..]);
            self.text.truncate(start);
            self.text.push_str(&cleaned);
        }
        Cell { end: self.text.len(), width: width(&self.text[start..]) }
    }
}

/// The columns of the table.
struct Columns {
    key: usize,
    value: usize,
    layer: usize,
    /// Whether each place stands on a line of its own.
    place_below: bool,
}

impl Columns {
    /// About how many bytes the lines of a table take.
    fn room(&self, table: &Table<'_>) -> usize {
        let blanks = self.key + self.value.min(WIDEST_PIPED_VALUE) + self.layer;
        table.text.len() + table.lines.len() * blanks
    }
}

/// The lines of all tables, in the same columns.
fn text(look: &Look, tables: &[Table<'_>]) -> Pieces {
    let columns = columns(look, tables);
    let mut out = Pieces::default();
    let write = |table: &Table<'_>| written(look, table, &columns);
    parallel::in_order(tables.iter().collect(), true, write, |lines| out.push(lines));
    out
}

fn written(look: &Look, table: &Table<'_>, columns: &Columns) -> String {
    let mut out = String::with_capacity(columns.room(table));
    let mut rest = table.text.as_str();
    let mut start = 0;
    for line in &table.lines {
        let mut next = |cell: Cell| {
            let (text, after) = rest.split_at(cell.end - start);
            (rest, start) = (after, cell.end);
            text
        };
        let texts = [next(line.key), next(line.value), next(line.place)];
        push_line(look, line, texts, columns, &mut out);
    }
    out
}

fn columns(look: &Look, tables: &[Table<'_>]) -> Columns {
    let lines = || tables.iter().flat_map(|table| &table.lines);
    let widest = |width: fn(&Line<'_>) -> usize| lines().map(width).max().unwrap_or(0);
    let key = widest(|line| line.key.width);
    let value = widest(|line| line.value.width);
    let layer = widest(|line| line.layer.len());
    let place = widest(|line| line.place.width);
    let Some(width) = look.width else {
        // In a file or pipe every line is whole.
        let value = value.min(WIDEST_PIPED_VALUE);
        return Columns { key, value, layer, place_below: false };
    };
    // On a terminal long values give way, but before they become too short to tell anything, the
    // places go to lines of their own.
    let key = key.min(WIDEST_KEY);
    let beside = width.saturating_sub(key + layer + place + 6);
    let place_below = beside < value.min(SHORTEST_VALUE);
    let room = if place_below { width.saturating_sub(key + layer + 4) } else { beside };
    Columns { key, value: value.min(room.max(8)), layer, place_below }
}

fn push_line(look: &Look, line: &Line<'_>, texts: [&str; 3], columns: &Columns, out: &mut String) {
    let [key, value, place] = texts;
    let is_cut = look.width.is_some() && line.value.width > columns.value;
    let (value, value_width) = match is_cut {
        true => (Cow::Owned(look.text(&look.cut(value, columns.value))), columns.value),
        false => (Cow::Borrowed(value), line.value.width),
    };
    let role = if line.is_error { Role::Wrong } else { Role::Value };
    look.push_cleaned(out, Role::Key, key);
    pad(out, line.key.width, columns.key + 2);
    look.push_cleaned(out, role, &value);
    pad(out, value_width, columns.value + 2);
    look.push(out, Role::Layer, line.layer);
    if columns.place_below {
        out.push('\n');
        let width = look.width.unwrap_or(usize::MAX);
        pad(out, 0, (columns.key + 2).min(width.saturating_sub(line.place.width)));
    } else {
        pad(out, line.layer.len(), columns.layer + 2);
    }
    look.push_cleaned(out, Role::Place, place);
    out.push('\n');
}

/// Fills up a column that `used` columns of text stand in, with a blank at least.
fn pad(out: &mut String, used: usize, to: usize) {
    const BLANKS: &str = "                                                                ";
    let mut missing = to.saturating_sub(used).max(1);
    while missing > 0 {
        let now = missing.min(BLANKS.len());
        out.push_str(&BLANKS[..now]);
        missing -= now;
    }
}
