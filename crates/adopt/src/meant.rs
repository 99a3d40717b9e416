//! Which files are settings although neither their name nor their folder says so.

use crate::observation::{Left, Observations, SettingsFile, Spot};
use std::collections::{BTreeMap, BTreeSet};

/// More files than this in one folder, whose names say nothing, are data.
const MOST_IN_FOLDER: usize = 8;

/// The numbers of files by what they have in common.
type Groups<'f> = BTreeMap<(&'f str, &'f str, &'f str), Vec<usize>>;

/// Keeps the files that code names; those in one folder of several things (`regions/north.json`), and those of one
/// name in folders beside each other (`services/alerts/here.toml`), which have keys in common.
pub(crate) fn keep(seen: &mut Observations, loose: Vec<SettingsFile>) {
    let named: BTreeSet<&str> = seen
        .code
        .mentions
        .iter()
        .map(|it| it.text.rsplit('/').next().unwrap_or(&it.text))
        .collect();
    let mut kept = vec![false; loose.len()];
    let (mut by_folder, mut by_name) = (Groups::new(), Groups::new());
    for (number, file) in loose.iter().enumerate() {
        if file.shape.fault.is_some() {
            continue;
        }
        let (folder, name) = split(&file.path);
        kept[number] = named.contains(name);
        by_folder.entry((folder, "", file.format.name())).or_default().push(number);
        let (above, _) = split(folder);
        by_name.entry((above, name, file.format.name())).or_default().push(number);
    }
    let mut data = Vec::new();
    for ((folder, ..), members) in by_folder {
        if members.len() > MOST_IN_FOLDER {
            data.push((folder.to_owned(), members.len()));
            members.iter().for_each(|it| kept[*it] = false);
        } else if folder.ends_with('s') {
            mark(&loose, &members, &mut kept);
        }
    }
    let is_data = |path: &str| data.iter().any(|(folder, _)| split(path).0 == folder);
    for ((above, ..), members) in by_name {
        if members.len() > 1 && above.ends_with('s') && !is_data(&loose[members[0]].path) {
            members.iter().for_each(|it| kept[*it] = true);
        }
    }
    for (folder, count) in data.iter().take(MOST_IN_FOLDER) {
        let why =
            format!("{count} files whose names say nothing are taken for data, not for settings");
        seen.left.push(Left { spot: Spot::new(folder, 1), why });
    }
    let mut kept = kept.into_iter();
    seen.settings.extend(loose.into_iter().filter(|_| kept.next().unwrap_or_default()));
}

/// Marks the files of a group that have a key in common with another of it.
fn mark(files: &[SettingsFile], members: &[usize], kept: &mut [bool]) {
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for key in members.iter().flat_map(|it| &files[*it].shape.keys) {
        *counts.entry(key).or_default() += 1;
    }
    for member in members {
        let is_like =
            files[*member].shape.keys.iter().any(|key| counts.get(key.as_str()) > Some(&1));
        kept[*member] |= is_like;
    }
}

/// The folder and the name of a path.
fn split(path: &str) -> (&str, &str) {
    path.rsplit_once('/').unwrap_or(("", path))
}
