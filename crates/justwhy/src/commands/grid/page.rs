//! A grid as a page for a browser: one file with all that it needs, which asks nothing of a network.

use super::table::GridCell;
use super::{Gridded, Wanted};
use crate::commands::explain::{Evidence, first_way, reason, references};
use crate::fingerprint::Fingerprints;
use crate::look::Cell;
use justwhy_core::{Answers, Explanation, GridRow};
use serde::Serialize;
use std::collections::HashMap;
use std::collections::hash_map::Entry;

/// The page around the data.
const PAGE: &str = include_str!("page.html");
/// Where the data goes: what the table shows; below that the phrases, and a line of reasons for each row.
const DATA: &str = "/*DATA*/";
const REASONS: &str = "/*REASONS*/";

#[derive(Serialize)]
struct Data {
    name: String,
    across: Vec<String>,
    /// The values of the axes of each context.
    contexts: Vec<Vec<String>>,
    rows: Vec<Row>,
    left_out: Vec<String>,
}

#[derive(Serialize)]
struct Row {
    key: String,
    cells: Vec<PageCell>,
    /// For each cell the number of the first with the same value, whichever layer sets it.
    same: Vec<usize>,
    /// For each context the number of its cell; -1 where the setting is not set.
    at: Vec<i64>,
}

/// What the table shows of an answer.
#[derive(Serialize)]
struct PageCell {
    value: String,
    layer: String,
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    wrong: bool,
}

/// Why a cell has its value, as numbers of phrases.
#[derive(Serialize)]
struct PageReasons {
    /// Why it cannot be used.
    #[serde(skip_serializing_if = "Option::is_none")]
    wrong: Option<usize>,
    /// Candidates and what is odd, each a line as `explain` has it.
    lines: Vec<Vec<usize>>,
    /// Layers that do not set it, each with the reason.
    others: Vec<Vec<usize>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    change: Option<usize>,
}

/// The same in words, as it is found out.
#[derive(Clone, PartialEq, Eq, Hash)]
struct CellReasons {
    wrong: Option<String>,
    lines: Vec<Vec<String>>,
    others: Vec<Vec<String>>,
    change: Option<String>,
}

impl CellReasons {
    fn of(answers: &Answers<'_>, answer: &Explanation) -> CellReasons {
        let (mut lines, others) = Evidence::for_page(answers, answer);
        let texts = |line: Vec<Cell>| line.iter().map(|cell| cell.text().to_owned()).collect();
        lines.extend(references(answers, answer.key).into_iter().map(texts));
        CellReasons {
            wrong: reason(answer).map(ToString::to_string),
            lines,
            others,
            change: first_way(answers, answer),
        }
    }
}

/// Every phrase once: most reasons of most cells are alike.
#[derive(Default)]
struct Phrases {
    numbers: HashMap<String, usize>,
    all: Vec<String>,
}

impl Phrases {
    fn number(&mut self, phrase: String) -> usize {
        let next = self.all.len();
        match self.numbers.entry(phrase) {
            Entry::Occupied(known) => *known.get(),
            Entry::Vacant(new) => {
                self.all.push(new.key().clone());
                *new.insert(next)
            }
        }
    }

    fn shown(&mut self, reasons: CellReasons) -> PageReasons {
        let mut lines = |lines: Vec<Vec<String>>| -> Vec<Vec<usize>> {
            let line = |line: Vec<String>| line.into_iter().map(|it| self.number(it)).collect();
            lines.into_iter().map(line).collect()
        };
        let (shown, others) = (lines(reasons.lines), lines(reasons.others));
        PageReasons {
            wrong: reasons.wrong.map(|it| self.number(it)),
            lines: shown,
            others,
            change: reasons.change.map(|it| self.number(it)),
        }
    }
}

pub(super) fn html(gridded: &Gridded<'_, '_>, wanted: &Wanted<'_>) -> String {
    let project = gridded.surveying.snapshot.project();
    let fingerprints = Fingerprints::new();
    let rows: Vec<GridRow<(GridCell, CellReasons)>> = gridded.rows(wanted, |answers, answer| {
        let cell = GridCell::of(answers.resolution(), answer, &fingerprints);
        (cell, CellReasons::of(answers, answer))
    });
    let keys = gridded.survey.keys();
    let count = gridded.contexts.len();
    let (mut phrases, mut reasons) = (Phrases::default(), String::new());
    let mut shown = Vec::with_capacity(rows.len());
    for row in rows {
        let first = |cell: &GridCell| {
            row.cells.iter().position(|(other, _)| cell.has_value_of(other)).unwrap_or_default()
        };
        let cell = |(cell, _): &(GridCell, CellReasons)| PageCell {
            value: cell.value.clone(),
            layer: cell.layer.clone(),
            wrong: cell.is_wrong,
        };
        shown.push(Row {
            key: keys.map(|keys| keys.show(row.key)).unwrap_or_default(),
            same: row.cells.iter().map(|(cell, _)| first(cell)).collect(),
            cells: row.cells.iter().map(cell).collect(),
            at: row.at(count).into_iter().map(|cell| cell.map_or(-1, i64::from)).collect(),
        });
        // What is on a line is JSON, which has no line ends of its own.
        let of_row: Vec<PageReasons> =
            row.cells.into_iter().map(|(_, reasons)| phrases.shown(reasons)).collect();
        reasons.push('\n');
        reasons.push_str(&serde_json::to_string(&of_row).unwrap_or_default());
    }
    let data = Data {
        name: project.name.clone().unwrap_or_else(|| project.file.clone()),
        across: gridded.across.clone(),
        contexts: gridded.contexts.iter().map(|context| gridded.values(context)).collect(),
        rows: shown,
        left_out: gridded.left_out.clone(),
    };
    reasons.insert_str(0, &serde_json::to_string(&phrases.all).unwrap_or_default());
    let data = inert(&serde_json::to_string(&data).unwrap_or_default());
    let (before, rest) = PAGE.split_once(DATA).unwrap_or((PAGE, ""));
    let (between, after) = rest.split_once(REASONS).unwrap_or((rest, ""));
    [before, &data, between, &inert(&reasons), after].concat()
}

/// JSON in which nothing can end the element around it, whatever a value has.
fn inert(json: &str) -> String {
    json.replace('<', "\\u003c").replace('\u{2028}', "\\u2028").replace('\u{2029}', "\\u2029")
}
