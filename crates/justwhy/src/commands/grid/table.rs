//! A grid for people: contexts that agree are one column, and nothing is cut.

use super::{Gridded, Wanted};
use crate::commands::not_included;
use crate::fingerprint::Fingerprints;
use crate::look::{Cell, Look, Role, fill, width};
use justwhy_core::{ContextSet, Explanation, GridRow, Resolution, Status, in_words, sum_up};
use std::collections::HashMap;

/// The widest that a column of values, and that of the keys, becomes before it is wrapped.
const WIDEST: usize = 34;
const WIDEST_KEY: usize = 36;
/// The columns between two columns.
const GAP: usize = 2;

/// What is in a cell.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub(crate) struct GridCell {
    pub(super) value: String,
    pub(super) is_wrong: bool,
    pub(super) layer: String,
    /// What distinguishes the value from another one that looks the same.
    identity: String,
}

impl GridCell {
    pub(crate) fn of(
        resolution: &Resolution,
        answer: &Explanation,
        fingerprints: &Fingerprints,
    ) -> GridCell {
        let (is_wrong, value) = match (&answer.status, answer.value()) {
            (Status::Error { code, .. }, _) => (true, format!("(error: {code})")),
            (Status::Unreadable { .. } | Status::Uncertain { .. }, _) => {
                (true, format!("({})", answer.status.name()))
            }
            (_, Some(value)) => (false, value.show()),
            (_, None) => (false, "(secret)".to_owned()),
        };
        let winner = answer.winner.as_ref();
        let identity = answer.effective().map(|value| fingerprints.of(answer, value));
        GridCell {
            value,
            is_wrong,
            layer: winner.map_or("", |it| &resolution.readings().layer(it.layer).name).to_owned(),
            identity: identity.unwrap_or_default(),
        }
    }
}

impl GridCell {
    /// Whether both have the same value, whichever layer sets it.
    pub(super) fn has_value_of(&self, other: &GridCell) -> bool {
        (&self.value, &self.identity) == (&other.value, &other.identity)
    }

    /// A line of a list: the value, its contexts in words, and the layer that sets it.
    pub(crate) fn record(cell: Option<&GridCell>, words: &str) -> Vec<Cell> {
        let (role, value, layer) = match cell {
            None => (Role::Lost, "not set", ""),
            Some(cell) => {
                let role = if cell.is_wrong { Role::Wrong } else { Role::Value };
                (role, cell.value.as_str(), cell.layer.as_str())
            }
        };
        vec![Cell::new(role, value), Cell::new(Role::Plain, words), Cell::new(Role::Layer, layer)]
    }

    /// The value, and what distinguishes it from another one: who sets it.
    pub(super) fn into_value(self) -> (String, String) {
        (self.value, self.identity)
    }
}

/// The rows of the settings that are wanted.
pub(super) fn rows(gridded: &Gridded<'_, '_>, wanted: &Wanted<'_>) -> Vec<GridRow<GridCell>> {
    let fingerprints = Fingerprints::new();
    gridded
        .rows(wanted, |answers, answer| GridCell::of(answers.resolution(), answer, &fingerprints))
}

/// A row, and for each context the number of its cell and that of its value: who decides it makes it no
/// other value.
struct ShownCell {
    row: GridRow<GridCell>,
    at: Vec<Option<u32>>,
    values: Vec<Option<u32>>,
}

impl ShownCell {
    fn new(row: GridRow<GridCell>, count: usize) -> ShownCell {
        let at = row.at(count);
        let first_alike = |cell: u32| {
            let cell_of = &row.cells[cell as usize];
            let first = row.cells.iter().position(|other| cell_of.has_value_of(other));
            first.map_or(cell, |first| u32::try_from(first).unwrap_or(cell))
        };
        let values = at.iter().map(|cell| cell.map(first_alike)).collect();
        ShownCell { row, at, values }
    }

    fn cell(&self, context: usize) -> Option<&GridCell> {
        self.row.cells.get(self.at[context]? as usize)
    }

    fn changes(&self) -> bool {
        self.values.iter().any(|value| *value != self.values[0])
    }
}

/// Contexts that agree in every row.
struct Column {
    /// The first of them.
    first: usize,
    /// What is above it, a line for each axis.
    head: Vec<String>,
}

/// The fewest columns of values for which a table is of use.
const FEWEST: usize = 3;

pub(super) fn text(gridded: &Gridded<'_, '_>, wanted: &Wanted<'_>) -> String {
    let look = gridded.surveying.look;
    let count = gridded.contexts.len();
    let all = rows(gridded, wanted);
    let total = all.len();
    let all: Vec<ShownCell> = all.into_iter().map(|row| ShownCell::new(row, count)).collect();
    let changing = all.iter().filter(|row| row.changes()).count();
    // Where nothing was chosen it is the changes that are asked for.
    let rows: Vec<ShownCell> =
        all.into_iter().filter(|row| gridded.is_chosen || row.changes()).collect();
    let columns = columns(gridded, &rows);
    let contexts = match count {
        1 => "1 context".to_owned(),
        count => format!("{count} contexts"),
    };
    let (settings, changes) = match (total, changing) {
        (1, 1) => ("setting", "changes"),
        (1, _) => ("setting", "change"),
        (_, 1) => ("settings", "changes"),
        _ => ("settings", "change"),
    };
    let changing = if changing == 0 { "none".to_owned() } else { changing.to_string() };
    let across = gridded.across.join(",");
    let line = format!("{changing} of {total} {settings} {changes} across {across}, in {contexts}");
    let line = if total == 0 { "no setting to show".to_owned() } else { line };
    let mut out = String::new();
    look.styled(&mut out, Role::Plain, &line, "");
    if rows.len() < total {
        let same = total - rows.len();
        let settings = if same == 1 { "setting is" } else { "settings are" };
        let line =
            format!("{same} {settings} the same everywhere (a KEY such as '**' shows them).");
        look.paragraph(&mut out, &line, "  ");
    }
    if let Some(line) = not_included(&gridded.left_out) {
        look.paragraph(&mut out, &line, "  ");
    }
    if rows.is_empty() {
        return out;
    }
    out.push('\n');
    let keys: Vec<String> = rows
        .iter()
        .map(|row| gridded.survey.keys().map(|keys| keys.show(row.row.key)).unwrap_or_default())
        .collect();
    match Fitted::of(look, &keys, &rows, &columns) {
        Some(fitted) => fitted.push(&keys, &rows, &mut out),
        None => lists(gridded, &keys, &rows, &mut out),
    }
    out
}

/// Each value with the contexts in which it takes effect: where no table of columns fits.
fn lists(gridded: &Gridded<'_, '_>, keys: &[String], rows: &[ShownCell], out: &mut String) {
    let look = gridded.surveying.look;
    let all = ContextSet::all(gridded.contexts.len());
    for (key, row) in keys.iter().zip(rows) {
        let mut values: Vec<(Option<u32>, ContextSet)> = Vec::new();
        for (at, value) in row.values.iter().enumerate() {
            match values.iter_mut().find(|(other, _)| other == value) {
                Some((_, contexts)) => contexts.insert(at),
                None => values.push((*value, ContextSet::one(gridded.contexts.len(), at))),
            }
        }
        let records = values.iter().map(|(_, contexts)| {
            let cell = contexts.first().and_then(|first| row.cell(first));
            let choices = sum_up(contexts, &all, &gridded.contexts);
            let words = match in_words(&choices, &all) {
                words if words.is_empty() => "every context".to_owned(),
                words => words,
            };
            let key = if look.width.is_some() { None } else { Some(Cell::new(Role::Key, key)) };
            key.into_iter().chain(GridCell::record(cell, &words)).collect::<Vec<Cell>>()
        });
        let records: Vec<Vec<Cell>> = records.collect();
        if look.width.is_some() {
            look.styled(out, Role::Key, key, "");
        }
        look.records(out, if look.width.is_some() { 2 } else { 0 }, &records);
    }
}

/// Contexts that agree in every row, in the order of their first.
fn columns(gridded: &Gridded<'_, '_>, rows: &[ShownCell]) -> Vec<Column> {
    let mut by: HashMap<Vec<Option<u32>>, usize> = HashMap::new();
    let mut groups: Vec<Vec<usize>> = Vec::new();
    for context in 0..gridded.contexts.len() {
        let signature: Vec<Option<u32>> = rows.iter().map(|row| row.values[context]).collect();
        let group = *by.entry(signature).or_insert_with(|| {
            groups.push(Vec::new());
            groups.len() - 1
        });
        groups[group].push(context);
    }
    let head = |group: Vec<usize>| Column { first: group[0], head: head(gridded, &group) };
    groups.into_iter().map(head).collect()
}

/// What is above contexts: a line for each axis if that has it, else each of them.
fn head(gridded: &Gridded<'_, '_>, group: &[usize]) -> Vec<String> {
    let distinct = |contexts: &[usize], axis: usize| -> Vec<String> {
        let mut values: Vec<String> = Vec::new();
        for context in contexts {
            let value = gridded.values(gridded.contexts[*context]).swap_remove(axis);
            if !values.contains(&value) {
                values.push(value);
            }
        }
        values
    };
    let everywhere: Vec<usize> = (0..gridded.contexts.len()).collect();
    let lines: Vec<(Vec<String>, usize)> = (0..gridded.across.len())
        .map(|axis| (distinct(group, axis), distinct(&everywhere, axis).len()))
        .collect();
    let is_box = lines.iter().map(|(values, _)| values.len()).product::<usize>() == group.len();
    if !is_box {
        let of = |at: &usize| {
            let values = gridded.values(gridded.contexts[*at]);
            let axes = gridded.across.iter().zip(values);
            axes.map(|(axis, value)| format!("{axis}={value}")).collect::<Vec<_>>().join(",")
        };
        return group.iter().map(of).collect();
    }
    let line = |(axis, (values, of)): (&String, (Vec<String>, usize))| match values.len() {
        count if count == of && count > 1 => format!("{axis}=*"),
        _ => format!("{axis}={}", values.join("|")),
    };
    gridded.across.iter().zip(lines).map(line).collect()
}

/// The columns of a table that fits.
struct Fitted<'a> {
    look: &'a Look,
    key_width: usize,
    columns: &'a [Column],
    widths: Vec<usize>,
}

impl<'a> Fitted<'a> {
    /// None where fewer than three columns fit beside each other, where not all fit for one row, or where there
    /// is no terminal.
    fn of(
        look: &'a Look,
        keys: &[String],
        rows: &[ShownCell],
        columns: &'a [Column],
    ) -> Option<Fitted<'a>> {
        let key_width = keys.iter().map(|key| width(&look.text(key))).max().unwrap_or(0);
        let key_width = key_width.min(WIDEST_KEY);
        let natural = |column: &Column| {
            let head = column.head.iter().map(|line| width(&look.text(line)));
            let cells = rows.iter().filter_map(|row| {
                let cell = row.cell(column.first)?;
                Some(width(&look.text(&cell.value)).max(cell.layer.len()))
            });
            head.chain(cells).max().unwrap_or(0).clamp(4, WIDEST)
        };
        let widths: Vec<usize> = columns.iter().map(natural).collect();
        let fitted = Fitted { look, key_width, columns, widths };
        let first = fitted.fitting(0);
        (first == columns.len() || first >= FEWEST && rows.len() > 1).then_some(fitted)
    }

    /// How many columns fit, from one on.
    fn fitting(&self, from: usize) -> usize {
        let room = self.look.width.unwrap_or(0).saturating_sub(self.key_width);
        let mut used = 0;
        let fits = |width: &&usize| {
            used += GAP + **width;
            used <= room
        };
        self.widths[from..].iter().take_while(fits).count()
    }

    /// As many tables as it takes.
    fn push(&self, keys: &[String], rows: &[ShownCell], out: &mut String) {
        let mut from = 0;
        while from < self.columns.len() {
            let to = from + self.fitting(from).max(1);
            if from > 0 {
                out.push('\n');
            }
            if self.columns.len() > to - from {
                let line = match to - from {
                    1 => format!("column {to} of {}", self.columns.len()),
                    _ => format!("columns {} to {to} of {}", from + 1, self.columns.len()),
                };
                self.look.styled(out, Role::Lost, &line, "");
            }
            let page = Page {
                look: self.look,
                key_width: self.key_width,
                columns: &self.columns[from..to],
                widths: &self.widths[from..to],
            };
            page.head(out);
            for (key, row) in keys.iter().zip(rows) {
                page.row(key, row, out);
            }
            from = to;
        }
    }
}

/// The columns that are beside each other.
struct Page<'a> {
    look: &'a Look,
    key_width: usize,
    columns: &'a [Column],
    widths: &'a [usize],
}

/// The lines of a cell, each with how it is painted.
type Lines = Vec<(String, Role)>;

impl Page<'_> {
    fn head(&self, out: &mut String) {
        let heads = self.columns.iter().zip(self.widths).map(|(column, width)| {
            let lines = column.head.iter().flat_map(|line| self.look.wrap(line, *width));
            lines.map(|line| (line, Role::Heading)).collect::<Lines>()
        });
        let heads: Vec<Lines> = std::iter::once(Vec::new()).chain(heads).collect();
        self.lines(&heads, out);
    }

    fn row(&self, key: &str, row: &ShownCell, out: &mut String) {
        let key = self.look.wrap(key, self.key_width);
        let mut cells: Vec<Lines> = vec![key.into_iter().map(|line| (line, Role::Key)).collect()];
        for (number, (column, width)) in self.columns.iter().zip(self.widths).enumerate() {
            let here = row.values[column.first];
            let before = number.checked_sub(1).map(|before| row.values[self.columns[before].first]);
            cells.push(match row.cell(column.first) {
                // What is as to its left is seen to be so.
                _ if before == Some(here) => {
                    let same = if self.look.symbols { "═" } else { "=" };
                    vec![(same.repeat(3), Role::Lost)]
                }
                None => vec![("not set".to_owned(), Role::Lost)],
                Some(cell) => {
                    let role = if cell.is_wrong { Role::Wrong } else { Role::Value };
                    let value = self.look.wrap(&cell.value, *width);
                    let value = value.into_iter().map(|line| (line, role));
                    let layer = self.look.wrap(&cell.layer, *width);
                    value.chain(layer.into_iter().map(|line| (line, Role::Layer))).collect()
                }
            });
        }
        self.lines(&cells, out);
    }

    fn lines(&self, cells: &[Lines], out: &mut String) {
        let height = cells.iter().map(Vec::len).max().unwrap_or(0);
        for number in 0..height {
            let mut line = String::new();
            let widths = std::iter::once(&self.key_width).chain(self.widths);
            for (cell, wide) in cells.iter().zip(widths) {
                let (text, role) = match cell.get(number) {
                    Some((text, role)) => (text.as_str(), *role),
                    None => ("", Role::Plain),
                };
                line.push_str(&fill(&self.look.paint(role, text), width(text), *wide + GAP));
            }
            out.push_str(line.trim_end());
            out.push('\n');
        }
    }
}
