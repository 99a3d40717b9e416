//! A grid for people: contexts that agree are one column, and nothing is cut.

use super::{Gridded, Wanted};
use crate::commands::told_left_out;
use crate::fingerprint::Fingerprints;
use crate::look::{Look, Role, fill, width};
use justwhy_core::{Explanation, GridRow, Resolution, Status};
use std::collections::HashMap;

/// The widest that a column of values, and that of the keys, becomes before it is wrapped.
const WIDEST: usize = 34;
const WIDEST_KEY: usize = 36;
/// The columns between two columns.
const GAP: usize = 2;

/// What stands in a cell.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub(super) struct TableCell {
    pub(super) value: String,
    is_wrong: bool,
    layer: String,
    /// What tells the value from another one that looks the same, as what is hidden of it differs.
    identity: String,
}

impl TableCell {
    pub(super) fn of(
        resolution: &Resolution,
        answer: &Explanation,
        fingerprints: &Fingerprints,
    ) -> TableCell {
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
        TableCell {
            value,
            is_wrong,
            layer: winner.map_or("", |it| &resolution.readings().layer(it.layer).name).to_owned(),
            identity: identity.unwrap_or_default(),
        }
    }
}

/// The rows of the settings that are wanted.
pub(super) fn rows(gridded: &Gridded<'_, '_>, wanted: &Wanted<'_>) -> Vec<GridRow<TableCell>> {
    let fingerprints = Fingerprints::new();
    gridded
        .rows(wanted, |answers, answer| TableCell::of(answers.resolution(), answer, &fingerprints))
}

/// A row, and for each context the number of its cell and that of its value: who decides it makes it no
/// other value.
struct ShownCell {
    row: GridRow<TableCell>,
    at: Vec<Option<u32>>,
    values: Vec<Option<u32>>,
}

impl ShownCell {
    fn new(row: GridRow<TableCell>, count: usize) -> ShownCell {
        let at = row.at(count);
        let first_alike = |cell: u32| {
            let is_alike = |other: &TableCell| {
                let cell = &row.cells[cell as usize];
                (&other.value, &other.identity) == (&cell.value, &cell.identity)
            };
            let first = row.cells.iter().position(is_alike);
            first.map_or(cell, |first| u32::try_from(first).unwrap_or(cell))
        };
        let values = at.iter().map(|cell| cell.map(first_alike)).collect();
        ShownCell { row, at, values }
    }

    fn cell(&self, context: usize) -> Option<&TableCell> {
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
    /// What stands above it, a line for each axis.
    head: Vec<String>,
}

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
    let mut out = String::new();
    if !rows.is_empty() {
        tables(gridded, &rows, &columns, &mut out);
    }
    let contexts = match count {
        1 => "1 context".to_owned(),
        count => format!("{count} contexts"),
    };
    let settings = |count: usize| match count {
        1 => "1 setting".to_owned(),
        count => format!("{count} settings"),
    };
    let same = total - changing;
    let mut told = format!("{} in {contexts}: {changing} change", settings(total));
    if changing == 1 {
        told.push('s');
    }
    if same > 0 {
        told.push_str(&format!(
            ", {same} {} the same everywhere",
            if same == 1 { "is" } else { "are" }
        ));
        if !gridded.is_chosen {
            told.push_str(" and not shown (a PATTERN such as '**' shows them)");
        }
    }
    if columns.len() < count && !rows.is_empty() {
        told.push_str(&format!("; contexts that agree are one column, {} in all", columns.len()));
    }
    look.paragraph(&mut out, &format!("{told}."), "");
    if let Some(told) = told_left_out(&gridded.left_out) {
        look.paragraph(&mut out, &told, "");
    }
    out
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

/// What stands above contexts: a line for each axis if that says it, else each of them.
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
        let each = group.iter().map(|at| gridded.values(gridded.contexts[*at]).join(" "));
        return each.collect();
    }
    let line = |(axis, (values, of)): (&String, (Vec<String>, usize))| match values.len() {
        count if count == of && count > 1 => format!("every {axis}"),
        _ => values.join(", "),
    };
    gridded.across.iter().zip(lines).map(line).collect()
}

/// As many tables as it takes for their columns to fit.
fn tables(gridded: &Gridded<'_, '_>, rows: &[ShownCell], columns: &[Column], out: &mut String) {
    let look = gridded.surveying.look;
    let keys: Vec<String> = rows
        .iter()
        .map(|row| gridded.survey.keys().map(|keys| keys.show(row.row.key)).unwrap_or_default())
        .map(|key| look.text(&key))
        .collect();
    let key_width = keys.iter().map(|key| width(key)).max().unwrap_or(0).min(WIDEST_KEY);
    let natural = |column: &Column| {
        let head = column.head.iter().map(|line| width(&look.text(line)));
        let cells = rows.iter().filter_map(|row| {
            let cell = row.cell(column.first)?;
            Some(width(&look.text(&cell.value)).max(cell.layer.len()))
        });
        head.chain(cells).max().unwrap_or(0).clamp(4, WIDEST)
    };
    let widths: Vec<usize> = columns.iter().map(natural).collect();
    let room = look.width.unwrap_or(usize::MAX).saturating_sub(key_width);
    let mut from = 0;
    while from < columns.len() {
        let mut to = from;
        let mut used = 0;
        while to < columns.len() && (to == from || used + GAP + widths[to] <= room) {
            used += GAP + widths[to];
            to += 1;
        }
        if columns.len() > to - from {
            let told = match to - from {
                1 => format!("column {to} of {}", columns.len()),
                _ => format!("columns {} to {to} of {}", from + 1, columns.len()),
            };
            out.push_str(&look.paint(Role::Lost, &told));
            out.push('\n');
        }
        let page = Page { look, key_width, columns: &columns[from..to], widths: &widths[from..to] };
        page.head(out);
        for (key, row) in keys.iter().zip(rows) {
            page.row(key, row, out);
        }
        out.push('\n');
        from = to;
    }
}

/// The columns that stand beside each other.
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
                None => vec![("absent".to_owned(), Role::Lost)],
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
