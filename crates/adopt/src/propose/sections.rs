//! Files with a section for each environment, or for each value of another axis.

use super::rank;
use super::references::references;
use crate::draft::{Axis, Draft, Layer, quoted, quoted_key};
use crate::family::Family;
use crate::observation::{Left, SettingsFile, Spot};
use crate::shape::are_environments;
use crate::words::{as_name, is_environment, is_generic, is_shared, is_value};
use std::collections::BTreeSet;

/// A file with a section for each environment, or for each value of another axis.
pub(super) fn sections(
    family: &Family,
    files: &[&SettingsFile],
    beside: &[SettingsFile],
    names: &BTreeSet<&str>,
    draft: &mut Draft,
) -> bool {
    let [file] = files else { return false };
    if !family.values.is_empty() || file.format.has_variables() || file.shape.documents > 1 {
        return false;
    }
    let Some(axis) = axis_of(file, draft) else { return false };
    let tables = &file.shape.tables;
    let is_of = |table: &&String| match axis.as_str() {
        "environment" => is_environment(table),
        _ => !is_shared(table),
    };
    let values: Vec<String> =
        tables.iter().filter(is_of).filter(|it| is_value(it)).cloned().collect();
    let stem = stem(&file.path);
    let is_alone = !beside.iter().any(|it| it.path != file.path && !it.format.has_variables());
    let is_own = !is_generic(&stem) && !is_alone && !is_same(file, beside, &values);
    let mut layer = base_layer(file, &stem, names);
    layer.reads = format!("file = {}", quoted(&file.path));
    layer.fields.extend(is_own.then(|| format!("into = {}", quoted(&quoted_key(&stem)))));
    inherits(file, &mut layer);
    others(file, &layer, &axis, &values, draft);
    let lines = values.iter().filter_map(|it| file.shape.lines.get(it)).map(usize::to_string);
    let lines = lines.collect::<Vec<_>>().join(", ");
    layer.rank = (rank::SECTIONS, 1, 0, file.path.clone());
    layer.fields.push(format!("under = \"{{{axis}}}\""));
    layer.fields.push("optional = true".to_owned());
    layer.because.push(format!("{}: a section for each {axis} (lines {lines}).", file.path));
    layer.axes.push(axis.clone());
    layer.keys = below(&file.shape.keys, &values);
    draft.layers.push(layer);
    let because = format!("{}: sections {}", file.path, values.join(", "));
    draft.axis(&axis).allow(&values, because);
    true
}

/// The axis whose values the sections of a file are.
fn axis_of(file: &SettingsFile, draft: &Draft) -> Option<String> {
    let tables = &file.shape.tables;
    if are_environments(tables.iter().map(String::as_str)) {
        return Some("environment".to_owned());
    }
    let fits = |axis: &&Axis| {
        axis.allowed.len() >= 2
            && tables.len() >= 2
            && tables.iter().all(|it| axis.allowed.contains(it) || is_shared(it))
    };
    draft.axes.iter().find(fits).map(|axis| axis.name.clone())
}

/// Whether the sections of a file have keys of the files beside it: they are about the same settings then.
fn is_same(file: &SettingsFile, beside: &[SettingsFile], values: &[String]) -> bool {
    fn folder(path: &str) -> &str {
        path.rsplit_once('/').map_or("", |(folder, _)| folder)
    }
    let inside = below(&file.shape.keys, values);
    beside.iter().any(|other| {
        other.path != file.path
            && folder(&other.path) == folder(&file.path)
            && inside.iter().any(|key| key.contains('.') && other.shape.keys.contains(key))
    })
}

/// The sections beside those of the axis: one for all values, or one that nobody knows the reader of.
fn others(file: &SettingsFile, base: &Layer, axis: &str, values: &[String], draft: &mut Draft) {
    let keys = &file.shape.keys;
    for table in file.shape.tables.iter().filter(|it| !values.contains(it)) {
        if table == "DEFAULT" && base.has("inherit") {
            continue;
        }
        let is_empty = !keys.iter().any(|key| key.starts_with(&format!("{table}.")));
        if is_shared(table) && !file.shape.merges && !is_empty {
            let mut shared = base.clone();
            shared.name = format!("{}-{}", base.name, as_name(table));
            shared.rank = (rank::SHARED, 0, 5, file.path.clone());
            shared.fields.push(format!("under = {}", quoted(&quoted_key(table))));
            shared.because.push(format!(
                "{}: section {table} has the usual name for every {axis}; nothing else confirms it.",
                file.path
            ));
            shared.keys = below(keys, std::slice::from_ref(table));
            draft.layers.push(shared);
        } else if !is_shared(table) {
            let spot = Spot::new(&file.path, file.shape.lines.get(table).copied().unwrap_or(1));
            let why = format!("a section beside those of each {axis}; what reads it is not known");
            draft.left.push(Left { spot, why });
        }
    }
}

/// What INI files have: a section that every other one builds on, and comments behind values.
pub(super) fn inherits(file: &SettingsFile, layer: &mut Layer) {
    if file.format.name() != "ini" {
        return;
    }
    if file.shape.tables.iter().any(|it| it == "DEFAULT") {
        layer.because.push(format!("{}: the keys of DEFAULT apply in every section.", file.path));
        layer.fields.push("inherit = \"DEFAULT\"".to_owned());
    }
    if let Some(line) = file.shape.inline_comment {
        layer.because.push(format!("{}:{line}: a comment follows a value.", file.path));
        layer.fields.push("inline_comments = true".to_owned());
    }
}

/// The keys below some tables.
fn below(keys: &BTreeSet<String>, tables: &[String]) -> BTreeSet<String> {
    let below = |key: &String| {
        let (table, rest) = key.split_once('.')?;
        tables.iter().any(|it| it == table).then(|| rest.to_owned())
    };
    keys.iter().filter_map(below).collect()
}

pub(super) fn stem(path: &str) -> String {
    let name = path.rsplit('/').next().unwrap_or(path);
    name.split('.').find(|it| !it.is_empty()).unwrap_or(name).to_owned()
}

/// A layer of one file, without what it is for.
fn base_layer(file: &SettingsFile, name: &str, names: &BTreeSet<&str>) -> Layer {
    let mut layer =
        Layer { name: as_name(name), files: vec![file.path.clone()], ..Layer::default() };
    references(&mut layer, &[file], names);
    layer
}
