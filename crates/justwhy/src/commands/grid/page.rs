//! A grid as a page for a browser: one file with all that it needs, which asks nothing of a network.

use super::table::TableCell;
use super::{Gridded, Wanted};
use crate::fingerprint::Fingerprints;
use crate::json::Setting;
use justwhy_core::GridRow;
use serde::Serialize;

/// The page around the data.
const PAGE: &str = include_str!("page.html");
/// Where the data goes: what the table shows, and a line of reasons for each row.
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

pub(super) fn html(gridded: &Gridded<'_, '_>, wanted: &Wanted<'_>) -> String {
    let project = gridded.surveying.snapshot.project();
    let fingerprints = Fingerprints::new();
    let rows: Vec<GridRow<(TableCell, String)>> = gridded.rows(wanted, |answers, answer| {
        let setting = Setting::with_reasons(answers, answer, None, &fingerprints);
        let cell = TableCell::of(answers.resolution(), answer, &fingerprints);
        (cell, serde_json::to_string(&setting).unwrap_or_default())
    });
    let keys = gridded.survey.keys();
    let count = gridded.contexts.len();
    let mut reasons = String::new();
    let mut shown = Vec::with_capacity(rows.len());
    for row in rows {
        let first = |cell: &TableCell| {
            row.cells.iter().position(|(other, _)| cell.has_value_of(other)).unwrap_or_default()
        };
        let cell = |(cell, _): &(TableCell, String)| PageCell {
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
        // What stands on a line is JSON, which has no line ends of its own.
        let of_row: Vec<&str> = row.cells.iter().map(|(_, reasons)| reasons.as_str()).collect();
        reasons.push_str(&format!("[{}]\n", of_row.join(",")));
    }
    let data = Data {
        name: project.name.clone().unwrap_or_else(|| project.file.clone()),
        across: gridded.across.clone(),
        contexts: gridded.contexts.iter().map(|context| gridded.values(context)).collect(),
        rows: shown,
        left_out: gridded.left_out.clone(),
    };
    let data = inert(&serde_json::to_string(&data).unwrap_or_default());
    let (before, rest) = PAGE.split_once(DATA).unwrap_or((PAGE, ""));
    let (between, after) = rest.split_once(REASONS).unwrap_or((rest, ""));
    [before, &data, between, &inert(reasons.trim_end()), after].concat()
}

/// JSON in which nothing can end the element around it, whatever a value has.
fn inert(json: &str) -> String {
    json.replace('<', "\\u003c").replace('\u{2028}', "\\u2028").replace('\u{2029}', "\\u2029")
}
