//! How the values of files refer to others.

use crate::draft::{Layer, list, quoted};
use crate::observation::{Marks, Observations, SettingsFile};
use std::collections::BTreeSet;

/// How the values of files refer to others.
pub(super) fn references(layer: &mut Layer, files: &[&SettingsFile], names: &BTreeSet<&str>) {
    let first = |of: fn(&Marks) -> Option<usize>| {
        files.iter().find_map(|file| Some(format!("{}:{}", file.path, of(&file.shape.marks)?)))
    };
    if let Some((file, (line, pattern))) =
        files.iter().find_map(|file| Some((file, file.shape.marks.elsewhere?)))
    {
        layer.because.push(format!("{}:{line}: another program fills in {pattern}.", file.path));
        layer.fields.push(format!("elsewhere = [{}]", quoted(pattern)));
        return;
    }
    let is_env = files.iter().all(|file| file.format.has_variables());
    if let Some(spot) = first(|it| it.percent).filter(|_| files[0].format.name() == "ini") {
        layer.because.push(format!("{spot}: references are written %(name)s."));
        layer.fields.push("references = \"percent\"".to_owned());
    } else if let Some(spot) = first(|it| it.colon) {
        layer.because.push(format!("{spot}: references are written ${{name:fallback}}."));
        layer.fields.push("references = \"colon\"".to_owned());
    } else if let Some(spot) = first(|it| it.posix) {
        let is_own = files
            .iter()
            .all(|file| file.shape.marks.posix.is_none_or(|at| file.shape.marks.own == Some(at)));
        if is_own {
            return;
        }
        let bare = files.iter().flat_map(|file| &file.shape.marks.bare);
        let unknown: BTreeSet<&String> =
            bare.filter(|name| !names.contains(name.as_str())).collect();
        let shown = unknown.iter().map(|it| it.as_str()).collect::<Vec<_>>().join(", ");
        if is_env && !unknown.is_empty() {
            layer.because.push(format!(
                "{spot}: nothing sets {shown}, so that a $ without braces is read as it is."
            ));
            return;
        }
        layer.because.push(format!("{spot}: references are written as in a shell."));
        layer.fields.push("references = \"posix\"".to_owned());
        if !is_env {
            layer.fields.push("lookup = [\"process\", \"weaker\"]".to_owned());
        }
        if !unknown.is_empty() {
            layer.because.push(format!("Nothing in the repository sets {shown}."));
            layer.fields.push(format!("elsewhere = {}", list(&patterns(unknown.into_iter()))));
        }
    }
}

/// What matches strings that refer to one of some names.
pub(super) fn patterns<'n>(names: impl Iterator<Item = &'n String>) -> Vec<String> {
    names.flat_map(|it| [format!("${it}"), format!("${{{it}*}}")]).collect()
}

/// The variables that something in the repository sets or reads.
pub(super) fn known_names(seen: &Observations) -> BTreeSet<&str> {
    let files = seen.settings.iter().filter(|file| file.format.has_variables());
    let mut names: BTreeSet<&str> =
        files.flat_map(|file| file.shape.keys.iter().map(String::as_str)).collect();
    names.extend(seen.set.iter().map(String::as_str));
    names.extend(seen.images.iter().flat_map(|it| it.names.iter().map(String::as_str)));
    names.extend(seen.scripts.iter().flat_map(|it| it.assigns.keys().map(String::as_str)));
    names.extend(seen.code.reads.iter().map(|it| it.name.as_str()));
    names
}
