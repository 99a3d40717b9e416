//! Files with a section for each environment, or for each value of another axis.

use super::files::{GENERIC, quoted_key};
use super::rank;
use super::references::references;
use crate::draft::{Axis, Draft, Layer, quoted};
use crate::family::Family;
use crate::observation::{Left, SettingsFile, Spot};
use crate::shape::are_environments;
use crate::words::{as_name, is_environment, is_shared, is_value};
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
    let tables = &file.shape.tables;
    let axis = match are_environments(tables.iter().map(String::as_str)) {
        true => "environment".to_owned(),
        false => {
            let fits = |axis: &&Axis| {
                axis.allowed.len() >= 2
                    && tables.len() >= 2
                    && tables.iter().all(|it| axis.allowed.contains(it) || is_shared(it))
            };
            match draft.axes.iter().find(fits) {
                Some(axis) => axis.name.clone(),
                None => return false,
            }
        }
    };
    let is_of = |table: &&String| match axis.as_str() {
        "environment" => is_environment(table),
        _ => !is_shared(table),
    };
    let values: Vec<String> =
        tables.iter().filter(is_of).filter(|it| is_value(it)).cloned().collect();
    let others: Vec<&String> = tables.iter().filter(|it| !values.contains(it)).collect();
    let lines: Vec<String> =
        values.iter().filter_map(|it| file.shape.lines.get(it)).map(usize::to_string).collect();
    let stem = stem(&file.path);
    // Sections with the keys of the files beside them are about the same settings.
    let folder =
        |path: &str| path.rsplit_once('/').map_or(String::new(), |(folder, _)| folder.to_owned());
    let inside = below(&file.shape.keys, &values);
    let is_same = beside.iter().any(|other| {
        other.path != file.path
            && folder(&other.path) == folder(&file.path)
            && inside.iter().any(|key| key.contains('.') && other.shape.keys.contains(key))
    });
    let is_alone = !beside.iter().any(|it| it.path != file.path && !it.format.has_variables());
    let is_generic = GENERIC.contains(&stem.as_str());
    let into = (!is_generic && !is_same && !is_alone).then(|| quoted_key(&stem));
    let mut base = base_layer(file, &stem, names);
    base.reads = format!("file = {}", quoted(&file.path));
    base.fields.extend(into.map(|into| format!("into = {}", quoted(&into))));
    inherits(file, &mut base);
    for table in others {
        let keys = &file.shape.keys;
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
    let mut layer = base;
    layer.rank = (rank::SECTIONS, 1, 0, file.path.clone());
    layer.fields.push(format!("under = \"{{{axis}}}\""));
    layer.fields.push("optional = true".to_owned());
    layer.because.push(format!(
        "{}: a section for each {axis} (lines {}).",
        file.path,
        lines.join(", ")
    ));
    layer.axes.push(axis.clone());
    layer.keys = below(&file.shape.keys, &values);
    draft.layers.push(layer);
    let spot = format!("{}: sections {}", file.path, values.join(", "));
    let axis = draft.axis(&axis);
    axis.because.push(spot);
    for value in values {
        if !axis.allowed.contains(&value) {
            axis.allowed.push(value);
        }
    }
    true
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
