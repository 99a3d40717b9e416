//! Layers of the fallbacks in source code.

use super::rank;
use crate::draft::{Draft, Layer, counted, quoted};
use crate::observation::Observations;
use std::collections::{BTreeMap, BTreeSet};

/// The fallbacks that code has for variables.
pub(super) fn fallbacks(seen: &Observations, draft: &mut Draft) {
    let mut groups: BTreeMap<(&str, &str), BTreeSet<&str>> = BTreeMap::new();
    let reading: BTreeSet<&str> = seen.code.reads.iter().map(|it| it.spot.path.as_str()).collect();
    for (set, files) in &seen.code.files {
        for file in files.iter().filter(|file| reading.contains(file.as_str())) {
            let ending = file.rsplit_once('.').map_or("", |(_, ending)| ending);
            groups.entry((set, ending)).or_default().insert(file);
        }
    }
    for ((set, ending), files) in groups {
        // What a script has of its own is read as that script.
        if set == "shell"
            && !files.iter().any(|file| {
                draft.layers.iter().all(|layer| !layer.files.iter().any(|it| it == file))
            })
        {
            continue;
        }
        let (folder, axis) = common(&files, draft);
        let above = if folder.is_empty() { String::new() } else { format!("{folder}/") };
        let names_of: BTreeSet<&str> =
            files.iter().map(|file| file.rsplit('/').next().unwrap_or(file)).collect();
        let read = seen.code.endings.get(ending).map_or(&[][..], Vec::as_slice);
        let first = folder.split('{').next().unwrap_or_default();
        let inside = read.iter().filter(|path| path.starts_with(first)).count();
        let name = match names_of.first() {
            Some(name) if names_of.len() == 1 && inside > MOST_FILES => (*name).to_owned(),
            _ => format!("*.{ending}"),
        };
        let is_much = inside > MOST_FILES && names_of.len() > 1;
        let pattern = format!("{above}**/{name}");
        let reads: Vec<_> =
            seen.code.reads.iter().filter(|it| files.contains(it.spot.path.as_str())).collect();
        let names: BTreeSet<&str> = reads.iter().map(|it| it.name.as_str()).collect();
        let with = reads
            .iter()
            .filter(|it| it.has_fallback)
            .map(|it| it.name.as_str())
            .collect::<BTreeSet<_>>()
            .len();
        let unset: Vec<&str> = names.iter().copied().filter(|name| !is_set(seen, name)).collect();
        let mut layer = Layer {
            name: if ending == "sh" { "code-in-scripts".to_owned() } else { "code".to_owned() },
            rank: (rank::CODE, 0, 0, format!("{set}{ending}")),
            reads: format!("code = {{ files = {}, reads = {} }}", quoted(&pattern), quoted(set)),
            because: vec![format!(
                "{} of code: {} read, {with} with a fallback, which applies if nothing sets them.",
                counted(files.len(), "file"),
                counted(names.len(), "variable")
            )],
            axes: axis.into_iter().collect(),
            ..Layer::default()
        };
        if !unset.is_empty() {
            const MOST: usize = 12;
            let shown = unset.iter().take(MOST).copied().collect::<Vec<_>>().join(", ");
            let more = if unset.len() > MOST {
                format!(" and {} more", unset.len() - MOST)
            } else {
                String::new()
            };
            layer.because.push(format!("No file sets {shown}{more}."));
        }
        if is_much {
            layer.refused = Some(format!(
                "{inside} files would be read each time; narrow `files` to those that read variables"
            ));
        }
        draft.layers.push(layer);
    }
}

/// More files of code than this are not read each time without somebody's word.
const MOST_FILES: usize = 5_000;

/// Whether a file sets a variable, under whatever key.
fn is_set(seen: &Observations, name: &str) -> bool {
    let folded = fold(name);
    seen.settings
        .iter()
        .any(|file| file.shape.keys.iter().any(|key| key == name || fold(key) == folded))
        || seen.set.contains(name)
        || seen.images.iter().any(|image| image.names.contains(name))
        || seen.composes.iter().any(|it| it.refers.contains(name))
        || seen.scripts.iter().any(|it| it.assigns.contains_key(name))
}

/// A name without case and separators.
pub(super) fn fold(name: &str) -> String {
    name.chars().filter(char::is_ascii_alphanumeric).map(|c| c.to_ascii_lowercase()).collect()
}

/// The folder that all files are in, with the axis whose folders they are in.
fn common(files: &BTreeSet<&str>, draft: &Draft) -> (String, Option<String>) {
    let folders: Vec<Vec<&str>> = files
        .iter()
        .map(|file| {
            file.rsplit_once('/').map_or(Vec::new(), |(folder, _)| folder.split('/').collect())
        })
        .collect();
    let mut parts: Vec<String> = Vec::new();
    let mut axis = None;
    for at in 0.. {
        let here: Option<BTreeSet<&str>> =
            folders.iter().map(|folder| folder.get(at).copied()).collect();
        let Some(here) = here else { break };
        let meant = draft.axes.iter().find(|it| {
            it.folder.as_deref() == Some(parts.join("/").as_str())
                && here.iter().all(|part| it.allowed.iter().any(|value| value == part))
        });
        match (meant, here.len()) {
            (Some(it), _) if axis.is_none() => {
                parts.push(format!("{{{}}}", it.name));
                axis = Some(it.name.clone());
            }
            (_, 1) => parts.push(here.into_iter().next().unwrap_or_default().to_owned()),
            _ => break,
        }
    }
    (parts.join("/"), axis)
}
