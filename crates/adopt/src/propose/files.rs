//! Layers of files of settings.

use super::apart::keep_apart;
use super::loaded::loaded;
use super::own::{is_dump, is_own};
use super::rank;
use super::references::{known_names, references};
use super::sections::{inherits, sections};
use crate::draft::{Draft, Layer, counted, quoted};
use crate::family::{Families, Family};
use crate::observation::{Observations, SettingsFile};
use crate::words::{as_name, is_generic, is_shared};
use justwhy_formats::Format;
use std::collections::BTreeSet;

pub(super) fn of_files(seen: &Observations, families: &Families, draft: &mut Draft) {
    let names = known_names(seen);
    for family in &families.families {
        let files: Vec<&SettingsFile> = family.files.iter().map(|it| &seen.settings[*it]).collect();
        if is_own(&files, draft) {
            continue;
        }
        if is_dump(seen, family, &files, draft) {
            continue;
        }
        let by_sections = sections(family, &files, &seen.settings, &names, draft);
        if !by_sections {
            let layer = of_family(seen, family, &files, &names, draft);
            draft.layers.extend(layer);
        }
    }
    named(seen, draft);
    keep_apart(draft);
}

/// Files of this machine that code names, but that are not there, or that git ignores.
fn named(seen: &Observations, draft: &mut Draft) {
    let mut done: BTreeSet<&str> = BTreeSet::new();
    for mention in &seen.code.mentions {
        let path = mention.text.trim_start_matches("./");
        let name = path.rsplit('/').next().unwrap_or(path);
        let is_local = name.split(['.', '-', '_']).any(|it| it == "local");
        let is_plain =
            !path.contains(['$', '{', '%', '#', '*', '\\']) && !path.starts_with(['/', '.', '~']);
        let is_known =
            draft.layers.iter().any(|it| it.files.iter().any(|file| file.ends_with(path)));
        let format = Format::of_path(path)
            .filter(|it| !matches!(it.name(), "assignments" | "xml" | "module"));
        let (Some(format), true) = (format, is_local && is_plain && !is_known) else { continue };
        if format.has_variables() || !done.insert(path) {
            continue;
        }
        draft.layers.push(Layer {
            name: layer_name(path, &[], false),
            rank: (rank::LOCAL, 0, 1, path.to_owned()),
            reads: format!("file = {}", quoted(path)),
            fields: vec!["optional = true".to_owned(), "local = true".to_owned()],
            because: vec![format!("{} names it; git does not track it.", mention.spot)],
            files: vec![path.to_owned()],
            loaded: Some(mention.spot.clone()),
            ..Layer::default()
        });
    }
}

/// The layer of a family.
fn of_family(
    seen: &Observations,
    family: &Family,
    files: &[&SettingsFile],
    names: &BTreeSet<&str>,
    draft: &mut Draft,
) -> Option<Layer> {
    let first = files.first()?;
    let is_env = first.format.has_variables();
    let axes: Vec<String> = family.values.keys().cloned().collect();
    let is_ignored = files.iter().all(|file| file.is_ignored);
    let is_local = family.is_local;
    let is_module = first.format.name() == "module";
    let mut layer = Layer {
        name: layer_name(&family.pattern, &axes, is_env),
        rank: rank_of(family, first, &axes),
        reads: format!("file = {}", quoted(&family.pattern)),
        files: files.iter().map(|file| file.path.clone()).collect(),
        axes: axes.clone(),
        ..Layer::default()
    };
    if !is_env {
        for file in files {
            layer.keys.extend(file.shape.keys.iter().cloned());
        }
    }
    because(family, files, &axes, is_ignored, &mut layer);
    if is_ignored || is_local {
        layer.fields.push("optional = true".to_owned());
    }
    if is_local || is_ignored && axes.is_empty() {
        layer.fields.push("local = true".to_owned());
    }
    documents(files, &mut layer, draft);
    inherits(first, &mut layer);
    references(&mut layer, files, names);
    if is_module {
        layer.fields.push("format = \"module\"".to_owned());
        layer.because.push(
            "Settings written as code: the program uses these values, and variables only where the module reads them."
                .to_owned(),
        );
    }
    tolerates(files, &mut layer);
    if files.iter().any(|file| !file.shape.keys.is_empty() && dotted(file)) {
        layer.because.push(format!("{}: names with dots are paths.", first.path));
        layer.fields.push("dotted = true".to_owned());
    }
    layer.loaded = loaded(seen, family).cloned();
    layer.because.extend(layer.loaded.as_ref().map(|spot| format!("{spot} names it.")));
    let is_chart = seen
        .charts
        .iter()
        .any(|chart| first.path.rsplit_once('/').map_or("", |(folder, _)| folder) == chart);
    if is_chart {
        layer.because.push("It belongs to a chart: its templates take these values in.".to_owned());
    }
    Some(layer)
}

/// The place of a family in the order.
fn rank_of(family: &Family, first: &SettingsFile, axes: &[String]) -> (u32, usize, u32, String) {
    let (is_env, is_local) = (first.format.has_variables(), family.is_local);
    let is_module = first.format.name() == "module";
    let name = family.pattern.rsplit('/').next().unwrap_or(&family.pattern);
    let has_shared = name.split(['.', '-', '_', '{', '}']).any(is_shared);
    let major = match (is_env, has_shared, axes.is_empty()) {
        _ if is_module => rank::MODULE,
        (true, true, _) => rank::DEFAULTS,
        (true, ..) => rank::ENV,
        (false, ..) if is_local => rank::LOCAL,
        (false, true, true) => rank::DEFAULTS,
        (false, _, true) => rank::SHARED,
        (false, ..) => rank::VARYING,
    };
    // Of env files, a local one is usually stronger than that of an environment; what only parts the repository
    // makes none stronger.
    let specific = match is_env {
        true => usize::from(axes.iter().any(|it| it == "environment")) + usize::from(is_local) * 4,
        false => axes.len() + usize::from(axes.iter().any(|it| it != "environment")),
    };
    let minor = u32::from(is_local) + u32::from(is_module && !axes.is_empty());
    (major, specific, minor, family.pattern.clone())
}

/// Files that strict readers refuse are read as most programs do.
fn tolerates(files: &[&SettingsFile], layer: &mut Layer) {
    const TOLERANT: [&str; 4] = ["env", "ini", "json", "properties"];
    let broken = files.iter().find_map(|file| Some((file, file.shape.fault.as_ref()?)));
    let Some((file, (line, why))) = broken else { return };
    if TOLERANT.contains(&file.format.name()) {
        layer.because.push(format!("{}:{line}: {why}; read as most programs do.", file.path));
        layer.fields.push("tolerant = true".to_owned());
    }
}

/// What a layer is called: by the axes that vary, or by its file.
fn layer_name(pattern: &str, axes: &[String], is_env: bool) -> String {
    let name = pattern.rsplit('/').next().unwrap_or(pattern);
    let is_local = name.split(['.', '-', '_']).any(|it| it == "local");
    let stem = match name.rsplit_once('.') {
        Some((stem, _)) if !stem.is_empty() && !name.starts_with('.') => stem,
        _ => name,
    };
    if axes.is_empty() {
        return as_name(stem);
    }
    let base = stem.split('{').next().unwrap_or("");
    let base = as_name(base);
    let by = format!("by-{}", axes.join("-and-"));
    let local = if is_local { "-local" } else { "" };
    match base.as_str() {
        _ if is_env => format!("env-{by}{local}"),
        "layer" => format!("{by}{local}"),
        base if is_generic(base) => format!("{by}{local}"),
        base => format!("{base}-{by}{local}"),
    }
}

fn because(
    family: &Family,
    files: &[&SettingsFile],
    axes: &[String],
    is_ignored: bool,
    layer: &mut Layer,
) {
    let names: BTreeSet<&String> = files.iter().flat_map(|file| &file.shape.keys).collect();
    let what = if files[0].format.has_variables() { "variable" } else { "key" };
    let place = match files {
        [file] => file.path.clone(),
        files => format!("{} ({})", family.pattern, counted(files.len(), "file")),
    };
    let mut line = format!("{place}: {}", counted(names.len(), what));
    if !axes.is_empty() && files.len() > 1 {
        let everywhere = names
            .iter()
            .filter(|name| files.iter().all(|file| file.shape.keys.contains(**name)))
            .count();
        line.push_str(&format!(", {everywhere} of them in every file"));
    }
    if is_ignored {
        line.push_str("; git ignores it");
    }
    line.push('.');
    layer.because.push(line);
}

/// Documents that say where they apply, or several that do not.
fn documents(files: &[&SettingsFile], layer: &mut Layer, draft: &mut Draft) {
    let Some(file) = files.iter().find(|file| file.shape.documents > 1) else { return };
    match &file.shape.applies {
        Some((key, words)) => {
            layer.because.push(format!(
                "{}: {} documents; {key} in them names where they apply.",
                file.path, file.shape.documents
            ));
            layer
                .fields
                .push(format!("document = {{ at = {}, axis = \"environment\" }}", quoted(key)));
            layer.axes.push("environment".to_owned());
            let mut words = words.clone();
            words.sort();
            words.dedup();
            let because = format!("{}: documents for {}", file.path, words.join(", "));
            draft.axis("environment").allow(&words, because);
        }
        None => {
            layer.because.push(format!(
                "{}: {} documents; later ones are read as stronger; nothing in the repository confirms it.",
                file.path, file.shape.documents
            ));
            layer.fields.push("document = \"all\"".to_owned());
        }
    }
}

/// Whether names of a file are paths.
fn dotted(file: &SettingsFile) -> bool {
    file.format.name() == "yaml"
        && file.shape.lines.keys().any(|name| {
            name.split('.').count() > 1
                && name.split('.').all(|it| {
                    !it.is_empty()
                        && it.bytes().all(|b| b.is_ascii_alphanumeric() || b"_-".contains(&b))
                })
        })
}
