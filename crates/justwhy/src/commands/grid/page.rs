//! A grid as a page for a browser: one file with all that it needs, which asks nothing of a network.

use super::{Gridded, Wanted};
use crate::fingerprint::Fingerprints;
use crate::json::Setting;
use justwhy_core::GridRow;
use serde::Serialize;
use serde_json::value::RawValue;

/// The page around the data.
const PAGE: &str = include_str!("page.html");
/// Where the data goes.
const DATA: &str = "/*DATA*/";

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
    cells: Vec<Box<RawValue>>,
    /// For each cell the number of the first with the same value, whoever decides it.
    same: Vec<usize>,
    /// For each context the number of its cell; -1 where the setting is absent.
    at: Vec<i64>,
}

pub(super) fn html(gridded: &Gridded<'_, '_>, wanted: &Wanted<'_>) -> String {
    let project = gridded.surveying.snapshot.project();
    let fingerprints = Fingerprints::new();
    let rows: Vec<GridRow<(String, String)>> = gridded.rows(wanted, |answers, answer| {
        let setting = Setting::with_reasons(answers, answer, None, &fingerprints);
        let value =
            answer.effective().map(|value| fingerprints.of(answer, value)).unwrap_or_default();
        let value = format!("{} {value}", answer.status.name());
        (serde_json::to_string(&setting).unwrap_or_default(), value)
    });
    let keys = gridded.survey.keys();
    let count = gridded.contexts.len();
    let shown = rows.into_iter().map(|row| Row {
        key: keys.map(|keys| keys.show(row.key)).unwrap_or_default(),
        same: row
            .cells
            .iter()
            .map(|(_, own)| row.cells.iter().position(|(_, it)| it == own).unwrap_or_default())
            .collect(),
        cells: row
            .cells
            .iter()
            .filter_map(|(cell, _)| RawValue::from_string(cell.clone()).ok())
            .collect(),
        at: row.at(count).into_iter().map(|cell| cell.map_or(-1, i64::from)).collect(),
    });
    let data = Data {
        name: project.name.clone().unwrap_or_else(|| project.file.clone()),
        across: gridded.across.clone(),
        contexts: gridded.contexts.iter().map(|context| gridded.values(context)).collect(),
        rows: shown.collect(),
        left_out: gridded.left_out.clone(),
    };
    let data = serde_json::to_string(&data).unwrap_or_default();
    // Nothing in it may end the element that it stands in, whatever a value says.
    let data =
        data.replace('<', "\\u003c").replace('\u{2028}', "\\u2028").replace('\u{2029}', "\\u2029");
    PAGE.replacen(DATA, &data, 1)
}
