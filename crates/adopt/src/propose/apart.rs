//! Groups of files whose names have nothing to do with each other.

use crate::draft::{Draft, quoted, quoted_key};
use crate::words::{as_name, is_environment, is_settings_folder};
use std::collections::{BTreeMap, BTreeSet};

/// Files that are for one program.
#[derive(Default)]
struct Group {
    keys: BTreeSet<String>,
    /// Whether an environment chooses among its files.
    has_environments: bool,
    /// Whether they are for one of several programs or places: those override what is for all.
    varies: bool,
}

impl Group {
    /// Whether two groups have a name in common that need not mean the same setting. Files for an environment override
    /// others if they have most of their names.
    fn clashes(&self, other: &Group) -> bool {
        let both = self.keys.intersection(&other.keys).count();
        let is_overlay = self.has_environments != other.has_environments
            && both * 2 >= self.keys.len().min(other.keys.len());
        both > 0 && !self.varies && !other.varies && !is_overlay
    }
}

/// Files of keys from different folders may have the same names for different things: those of the later group get a
/// key of their own in front.
pub(super) fn keep_apart(draft: &mut Draft) {
    let mut groups: BTreeMap<String, Group> = BTreeMap::new();
    for layer in draft.layers.iter().filter(|it| !it.keys.is_empty() && !it.has("into")) {
        let group = groups.entry(group_of(&layer.files[0], &layer.axes)).or_default();
        group.keys.extend(layer.keys.iter().cloned());
        group.varies |= layer.axes.iter().any(|it| it != "environment");
        group.has_environments |= layer.axes.iter().any(|it| it == "environment");
    }
    let mut order: Vec<(&String, &Group)> = groups.iter().collect();
    order.sort_by_key(|(name, group)| {
        (name.matches('/').count(), std::cmp::Reverse(group.keys.len()))
    });
    let mut taken: Vec<&Group> = Vec::new();
    let mut apart: BTreeMap<String, String> = BTreeMap::new();
    for (name, group) in order {
        match taken.iter().any(|other| other.clashes(group)) {
            true => {
                let folder = name.rsplit('/').find(|it| !it.is_empty()).unwrap_or("other");
                apart.insert(name.clone(), as_name(folder));
            }
            false => taken.push(group),
        }
    }
    for layer in draft.layers.iter_mut().filter(|it| !it.keys.is_empty() && !it.has("into")) {
        if let Some(into) = apart.get(&group_of(&layer.files[0], &layer.axes)) {
            layer.because.push(format!(
                "Another group of files has some of its names, and nothing confirms that they are the same \
                 settings: {into} comes in front of them."
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
    let is_kept = |it: &&str| !is_settings_folder(it) && *it != "regions";
    let parts: Vec<&str> = parts.into_iter().filter(is_kept).collect();
    parts.join("/")
}
