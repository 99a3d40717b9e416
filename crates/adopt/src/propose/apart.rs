//! Groups of files whose names have nothing to do with each other.

use super::files::quoted_key;
use crate::draft::{Draft, quoted};
use crate::words::{as_name, is_environment};
use std::collections::{BTreeMap, BTreeSet};

/// Files of keys from different folders may have the same names for different things: those with few names in
/// common get a key of their own in front.
pub(super) fn keep_apart(draft: &mut Draft) {
    let mut groups: BTreeMap<String, (BTreeSet<String>, bool)> = BTreeMap::new();
    for layer in draft.layers.iter().filter(|it| !it.keys.is_empty() && !it.has("into")) {
        let group = group_of(&layer.files[0], &layer.axes);
        let (keys, varies) = groups.entry(group).or_default();
        keys.extend(layer.keys.iter().cloned());
        // What is only for one of several overrides what is for all.
        *varies |= layer.axes.iter().any(|it| it != "environment");
    }
    let mut order: Vec<(&String, &(BTreeSet<String>, bool))> = groups.iter().collect();
    order.sort_by_key(|(group, (keys, _))| {
        (group.matches('/').count(), std::cmp::Reverse(keys.len()))
    });
    let mut taken: Vec<&BTreeSet<String>> = Vec::new();
    let mut apart: BTreeMap<String, String> = BTreeMap::new();
    for (group, (keys, varies)) in order {
        let is_other = |other: &&BTreeSet<String>| {
            let both = other.intersection(keys).count();
            both > 0 && both * 2 < other.len().min(keys.len())
        };
        match !varies && taken.iter().any(is_other) {
            true => {
                let folder = group.rsplit('/').find(|it| !it.is_empty()).unwrap_or("other");
                apart.insert(group.clone(), as_name(folder));
            }
            false => taken.push(keys),
        }
    }
    for layer in draft.layers.iter_mut().filter(|it| !it.keys.is_empty() && !it.has("into")) {
        if let Some(into) = apart.get(&group_of(&layer.files[0], &layer.axes)) {
            layer.because.push(format!(
                "Few of its names are in another group of files too, and nothing confirms that those are the same settings: \
                 {into} comes in front of them."
            ));
            layer.fields.push(format!("into = {}", quoted(&quoted_key(into))));
        }
    }
}

/// Files whose names and folders begin alike are for one program.
fn group_of(path: &str, axes: &[String]) -> String {
    let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
    // A folder that varies is one of several: what is above it counts.
    let folder = match axes.is_empty() || name.contains(['-', '.']) && axes.len() == 1 {
        true => folder,
        false => folder.rsplit_once('/').map_or("", |(above, _)| above),
    };
    let parts: Vec<&str> = folder.split('/').filter(|it| !is_environment(it)).collect();
    const KEPT: [&str; 9] =
        ["config", "configs", "conf", "settings", "regions", "etc", "env", "envs", "environments"];
    let parts: Vec<&str> = parts.into_iter().filter(|it| !KEPT.contains(it)).collect();
    parts.join("/")
}
