//! Files that are none of settings: catalogues and stores of ours, the environments of processes.

use super::loaded::loaded;
use super::rank;
use crate::draft::{Draft, Layer, counted, quoted};
use crate::family::Family;
use crate::observation::{Left, Observations, SettingsFile, Spot};
use crate::words::{self, as_name, is_value};
use std::collections::{BTreeMap, BTreeSet};

/// An env file with variables of the system, which nothing loads, is the environment of some process.
pub(super) fn is_dump(
    seen: &Observations,
    family: &Family,
    files: &[&SettingsFile],
    draft: &mut Draft,
) -> bool {
    let [file] = files else { return false };
    let name = file.path.rsplit('/').next().unwrap_or(&file.path);
    if !file.format.has_variables() || name.starts_with('.') || loaded(seen, family).is_some() {
        return false;
    }
    let system = file.shape.keys.iter().find(|name| justwhy_core::is_system_variable(name));
    let Some(system) = system else { return false };
    let line = file.shape.lines.get(system).copied().unwrap_or(1);
    let why = format!(
        "{system} is a variable of the system: this is the environment of a process; --process-from {} reads it",
        file.path
    );
    draft.left.push(Left { spot: Spot::new(&file.path, line), why });
    true
}

/// A catalogue or a store of ours.
pub(super) fn is_own(files: &[&SettingsFile], draft: &mut Draft) -> bool {
    let [file] = files else { return false };
    let has = |name: &str| file.shape.tables.iter().any(|table| table == name);
    let only =
        |names: &[&str]| file.shape.tables.iter().all(|table| names.contains(&table.as_str()));
    if file.format.name() != "toml" {
        return false;
    }
    if has("setting") && only(&["setting", "rule"]) && file.shape.plain <= 1 {
        let because = format!("{}: declarations of settings.", file.path);
        draft.catalogue.push((quoted(&file.path), because, None));
        return true;
    }
    if has("scope") && only(&["scope"]) && file.shape.lines.contains_key("justwhy") {
        scopes(file, draft);
        return true;
    }
    false
}

/// A store of ours: scopes that are called after an axis are read for its value.
fn scopes(file: &SettingsFile, draft: &mut Draft) {
    let names: BTreeSet<&str> = file
        .shape
        .keys
        .iter()
        .filter_map(|key| key.strip_prefix("scope.")?.split('.').next())
        .collect();
    draft.stores.push(("scopes".to_owned(), file.path.clone()));
    let mut by_kind: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for name in names {
        let (kind, value) = name.split_once('/').unwrap_or((name, ""));
        by_kind.entry(kind).or_default().push(value);
    }
    for (kind, values) in by_kind {
        let mut layer = Layer {
            name: format!("{}-scope", as_name(kind)),
            rank: (rank::SCOPES, usize::from(values != [""]), 0, kind.to_owned()),
            fields: vec!["store = \"scopes\"".to_owned()],
            because: vec![format!("{}: {}.", file.path, counted(values.len(), "scope"))],
            files: vec![file.path.clone()],
            ..Layer::default()
        };
        let are_values = words::is_name(kind) && values.iter().all(|it| is_value(it));
        match values.as_slice() {
            [""] => layer.reads = format!("scope = {}", quoted(kind)),
            values if are_values => {
                layer.reads = format!("scope = {}", quoted(&format!("{kind}/{{{kind}}}")));
                layer.fields.push("optional = true".to_owned());
                layer.axes.push(kind.to_owned());
                let because = format!("{}: scopes for {}", file.path, values.join(", "));
                draft.axis(kind).allow(values, because);
            }
            _ => continue,
        }
        draft.layers.push(layer);
    }
}
