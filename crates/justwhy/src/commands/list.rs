//! `list`: every effective value with the place that sets it.

use super::in_context;
use crate::fingerprint::Fingerprints;
use crate::json;
use crate::look::{Look, Role, is_plain, width};
use crate::outcome::{Outcome, Pieces};
use crate::running::Answering;
use crate::running::Running;
use crate::running::Runs;
use clap::Args;
use justwhy_core::{
    Explanation, Item, KeyId, LayerIndex, Pattern, Resolution, Status, Value, parallel,
};
use justwhy_engine::{Everywhere, select};
use justwhy_project::Error;
use serde::Serialize;
use std::borrow::Cow;

#[derive(Args, Debug)]
pub(crate) struct ListArguments {
    /// Keys, branches, patterns (`*`, `**`), variables or FILE:LINE [default: all]
    #[arg(value_name = "KEY")]
    pub(crate) patterns: Vec<String>,
    /// Print the values of secrets
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
/// The columns of a list that is shown as it is.
const SHORTEST_VALUE: usize = 24;
/// The columns without which the places go below the values.
const NARROWEST_VALUE: usize = 8;

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
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
    let (chosen, notes) = chosen(answering, patterns)?;
    let mut any_error = false;
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
                any_error |= is_error;
                settings.push(items);
            },
        );
        settings.text()
    } else {
        let mut tables: Vec<Table> = Vec::new();
        let look = answering.look;
        each(
            answering,
            &chosen,
            || Table::new(look.width.is_some()),
            |table, answer| table.push(look, resolution, &fingerprints, answer),
            |(table, is_error)| {
                any_error |= is_error;
                tables.push(table);
            },
        );
        match answering.answers.is_exhausted() {
            true => Pieces::default(),
            false => text(answering, chosen.len(), &tables),
        }
    };
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
                    "note: {pattern} is not set in this context; try justwhy explain {pattern}"
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

/// Writes a value, or what is shown in its place.
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

/// `5 items from 4 layers`, for a list that does not fit; none for anything else.
fn in_short(resolution: &Resolution, answer: &Explanation) -> Option<String> {
    let Some(Value::List(items)) = answer.value() else { return None };
    let layer = |item: &Item| resolution.layer_of(resolution.candidate(item.candidate));
    let mut layers: Vec<LayerIndex> = answer.items().iter().map(layer).collect();
    layers.sort_unstable();
    layers.dedup();
    let from =
        if layers.len() > 1 { format!(" from {} layers", layers.len()) } else { String::new() };
    Some(format!("{} items{from}", items.len()))
}

/// A cell of the table: where its text ends in the text of all cells, and the columns it takes.
#[derive(Clone, Copy)]
struct TableCell {
    end: usize,
    width: usize,
}

struct Line {
    key: TableCell,
    value: TableCell,
    place: TableCell,
    /// A list in short, for where it does not fit.
    short: Option<Box<str>>,
    is_error: bool,
}

/// The lines of the table. The texts of all cells are in one, one after the other: a large project
/// has tens of thousands of them.
struct Table {
    text: String,
    lines: Vec<Line>,
    /// Whether it is for a terminal.
    is_fitted: bool,
}

impl Table {
    fn new(is_fitted: bool) -> Table {
        let text = String::with_capacity(AT_ONCE * BYTES_PER_LINE);
        Table { text, lines: Vec::with_capacity(AT_ONCE), is_fitted }
    }

    fn push(
        &mut self,
        look: &Look,
        resolution: &Resolution,
        fingerprints: &Fingerprints,
        answer: &Explanation,
    ) {
        let keys = resolution.keys();
        let key = self.cell(look, |out| keys.push_shown(out, answer.key));
        let value = self.cell(look, |out| push_value(out, answer, fingerprints));
        let place = self.cell(look, |out| {
            if let Some(winner) = answer.winner.as_ref() {
                winner.push_shown(out, keys);
            }
        });
        let is_long = self.is_fitted && value.width > SHORTEST_VALUE;
        let short = if is_long { in_short(resolution, answer) } else { None };
        let short = short.map(String::into_boxed_str);
        self.lines.push(Line { key, value, place, short, is_error: answer.status.is_refusal() });
    }

    fn cell(&mut self, look: &Look, push: impl FnOnce(&mut String)) -> TableCell {
        let start = self.text.len();
        push(&mut self.text);
        if !is_plain(&self.text[start..]) {
            let cleaned = look.text(&self.text[start..]);
            self.text.truncate(start);
            self.text.push_str(&cleaned);
        }
        TableCell { end: self.text.len(), width: width(&self.text[start..]) }
    }
}

/// The columns of a table on a terminal.
struct Columns {
    key: usize,
    /// That of the values that have their places beside them; the places of longer ones are below.
    value: usize,
    /// The most columns of a value.
    room: usize,
}

/// The summary, and the lines of all tables in the same columns.
fn text(answering: &Answering<'_>, of: usize, tables: &[Table]) -> Pieces {
    let look = answering.look;
    let lines = || tables.iter().flat_map(|table| &table.lines);
    let (set, wrong) = (lines().count(), lines().filter(|line| line.is_error).count());
    let settings = if of == 1 { "setting" } else { "settings" };
    let are = if set == 1 { "is" } else { "are" };
    let mut answer = format!("{set} of {of} {settings} {are} set");
    let context = in_context(answering.context());
    if !context.is_empty() {
        answer.push_str(&format!(" {context}"));
    }
    if wrong > 0 {
        answer.push_str(&format!("; {wrong} without a usable value"));
    }
    let mut head = String::new();
    look.styled(&mut head, Role::Plain, &answer, "");
    let columns = columns(look, tables);
    let mut out = Pieces::default();
    out.push(head);
    let write = |table: &Table| written(look, table, columns.as_ref());
    parallel::in_order(tables.iter().collect(), true, write, |lines| out.push(lines));
    out
}

fn written(look: &Look, table: &Table, columns: Option<&Columns>) -> String {
    let blanks = columns.map_or(4, |columns| columns.key + columns.value);
    let mut out = String::with_capacity(table.text.len() + table.lines.len() * blanks);
    let mut rest = table.text.as_str();
    let mut start = 0;
    for line in &table.lines {
        let mut next = |cell: TableCell| {
            let (text, after) = rest.split_at(cell.end - start);
            (rest, start) = (after, cell.end);
            text
        };
        let texts = [next(line.key), next(line.value), next(line.place)];
        match columns {
            Some(columns) => push_line(look, line, texts, columns, &mut out),
            None => push_record(look, line, texts, &mut out),
        }
    }
    out
}

/// The columns on a terminal; none without one.
fn columns(look: &Look, tables: &[Table]) -> Option<Columns> {
    let total = look.width?;
    let lines = || tables.iter().flat_map(|table| &table.lines);
    let widest = |width: fn(&Line) -> usize| lines().map(width).max().unwrap_or(0);
    let value_width = |line: &Line| match &line.short {
        Some(short) => short.len().max(SHORTEST_VALUE),
        None => line.value.width,
    };
    let (value, place) = (widest(value_width), widest(|line| line.place.width));
    let key = widest(|line| line.key.width).min(WIDEST_KEY);
    let beside = total.saturating_sub(key + place + 4);
    let room = total.saturating_sub(key + 2).max(NARROWEST_VALUE);
    Some(Columns { key, value: value.min(beside), room })
}

/// A line for programs that search lines: whole.
fn push_record(look: &Look, line: &Line, [key, value, place]: [&str; 3], out: &mut String) {
    look.push_cleaned(out, Role::Key, key);
    out.push_str("  ");
    look.push_cleaned(out, role(line), value);
    if !place.is_empty() {
        out.push_str("  ");
        look.push_cleaned(out, Role::Place, place);
    }
    out.push('\n');
}

fn role(line: &Line) -> Role {
    if line.is_error { Role::Wrong } else { Role::Value }
}

fn push_line(look: &Look, line: &Line, texts: [&str; 3], columns: &Columns, out: &mut String) {
    let [key, value, place] = texts;
    let (value, value_width) = match &line.short {
        _ if line.value.width <= columns.value => (Cow::Borrowed(value), line.value.width),
        Some(short) => (Cow::Borrowed(short.as_ref()), short.len()),
        None if line.value.width <= columns.room => (Cow::Borrowed(value), line.value.width),
        None => (Cow::Owned(look.text(&look.cut(value, columns.room))), columns.room),
    };
    look.push_cleaned(out, Role::Key, key);
    pad(out, line.key.width, columns.key + 2);
    look.push_cleaned(out, role(line), &value);
    match place {
        "" => {}
        _ if value_width > columns.value || columns.value < NARROWEST_VALUE => {
            out.push('\n');
            let width = look.width.unwrap_or(usize::MAX);
            pad(out, 0, (columns.key + 2).min(width.saturating_sub(line.place.width)));
        }
        _ => pad(out, value_width, columns.value + 2),
    }
    look.push_cleaned(out, Role::Place, place);
    out.push('\n');
}

/// Fills up a column that `used` columns of text are in, with a blank at least.
fn pad(out: &mut String, used: usize, to: usize) {
    const BLANKS: &str = "                                                                ";
    let mut missing = to.saturating_sub(used).max(1);
    while missing > 0 {
        let now = missing.min(BLANKS.len());
        out.push_str(&BLANKS[..now]);
        missing -= now;
    }
}
