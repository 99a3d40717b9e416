//! Layers of files of settings.

use super::rank;
use crate::draft::{Draft, Layer, counted, list, quoted};
use crate::family::{Families, Family};
use crate::observation::{Left, Marks, Observations, SettingsFile, Spot};
use crate::shape::are_environments;
use crate::words::{self, as_name, is_shared, is_value};
use justwhy_formats::Format;
use std::collections::BTreeSet;

/// Words of file names that name no part of the settings.
const GENERIC: [&str; 13] = [
    "config",
    "configuration",
    "conf",
    "settings",
    "setting",
    "application",
    "app",
    "appsettings",
    "bootstrap",
    "options",
    "parameters",
    "index",
    "env",
];

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

/// An env file with variables of the system, which nothing loads, is the environment of some process.
fn is_dump(
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
fn is_own(files: &[&SettingsFile], draft: &mut Draft) -> bool {
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
    let mut by_kind: std::collections::BTreeMap<&str, Vec<&str>> =
        std::collections::BTreeMap::new();
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
                let axis = draft.axis(kind);
                axis.because.push(format!("{}: scopes for {}", file.path, values.join(", ")));
                for value in values {
                    if !axis.allowed.iter().any(|it| it == value) {
                        axis.allowed.push((*value).to_owned());
                    }
                }
            }
            _ => continue,
        }
        draft.layers.push(layer);
    }
}

/// A file with a section for each environment, or for each value of another axis.
fn sections(
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
            let fits = |axis: &&crate::draft::Axis| {
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
        "environment" => crate::words::is_environment(table),
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
fn inherits(file: &SettingsFile, layer: &mut Layer) {
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

/// A key segment as a project file has it.
fn quoted_key(segment: &str) -> String {
    let is_bare = !segment.is_empty()
        && segment.bytes().all(|b| b.is_ascii_alphanumeric() || b"_-".contains(&b));
    if is_bare { segment.to_owned() } else { format!("'{segment}'") }
}

fn stem(path: &str) -> String {
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
    let name = family.pattern.rsplit('/').next().unwrap_or(&family.pattern);
    let words: Vec<String> =
        name.split(['.', '-', '_', '{', '}']).map(str::to_ascii_lowercase).collect();
    let has_shared = words.iter().any(|word| is_shared(word));
    let axes: Vec<String> = family.values.keys().cloned().collect();
    let is_ignored = files.iter().all(|file| file.is_ignored);
    let is_local = family.is_local;
    let is_module = first.format.name() == "module";
    let minor = u32::from(is_local) + u32::from(is_module && !axes.is_empty());
    let major = match (is_env, has_shared, axes.is_empty()) {
        _ if is_module => rank::MODULE,
        (true, true, _) => rank::DEFAULTS,
        (true, ..) => rank::ENV,
        (false, ..) if is_local => rank::LOCAL,
        (false, true, true) => rank::DEFAULTS,
        (false, _, true) => rank::SHARED,
        (false, ..) => rank::VARYING,
    };
    // Of env files, a local one is usually stronger than that of an environment.
    // What only parts the repository says nothing about strength.
    let specific = match is_env {
        true => usize::from(axes.iter().any(|it| it == "environment")) + usize::from(is_local) * 4,
        false => axes.len() + usize::from(axes.iter().any(|it| it != "environment")),
    };
    let mut layer = Layer {
        name: layer_name(&family.pattern, &axes, is_env),
        rank: (major, specific, minor, family.pattern.clone()),
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
    let is_strict = files.iter().all(|file| file.shape.fault.is_none());
    if !is_strict && ["env", "ini", "json", "properties"].contains(&first.format.name()) {
        let broken = files.iter().find_map(|file| Some((file, file.shape.fault.as_ref()?)));
        if let Some((file, (line, why))) = broken {
            layer.because.push(format!("{}:{line}: {why}; read as most programs do.", file.path));
        }
        layer.fields.push("tolerant = true".to_owned());
    }
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
        base if GENERIC.contains(&base) => format!("{by}{local}"),
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
            let axis = draft.axis("environment");
            axis.because.push(format!("{}: documents for {}", file.path, words.join(", ")));
            for word in words {
                if !axis.allowed.contains(&word) {
                    axis.allowed.push(word);
                }
            }
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

/// How the values of files refer to others.
fn references(layer: &mut Layer, files: &[&SettingsFile], names: &BTreeSet<&str>) {
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
fn known_names(seen: &Observations) -> BTreeSet<&str> {
    let files = seen.settings.iter().filter(|file| file.format.has_variables());
    let mut names: BTreeSet<&str> =
        files.flat_map(|file| file.shape.keys.iter().map(String::as_str)).collect();
    names.extend(seen.set.iter().map(String::as_str));
    names.extend(seen.images.iter().flat_map(|it| it.names.iter().map(String::as_str)));
    names.extend(seen.scripts.iter().flat_map(|it| it.assigns.keys().map(String::as_str)));
    names.extend(seen.code.reads.iter().map(|it| it.name.as_str()));
    names
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

/// The first place in code that names the files of a family.
fn loaded<'s>(seen: &'s Observations, family: &Family) -> Option<&'s Spot> {
    let name = family.pattern.rsplit('/').next().unwrap_or(&family.pattern);
    let is_meant = |text: &str| {
        let text = text.rsplit('/').next().unwrap_or(text);
        match name.split_once('{') {
            None => text == name,
            Some((before, rest)) => {
                let after = rest.split_once('}').map_or("", |(_, after)| after);
                text.starts_with(before)
                    && text.ends_with(after)
                    && text.len() > before.len() + after.len()
                    && text[before.len()..].contains(['$', '{', '#', '%', '+'])
            }
        }
    };
    seen.code.mentions.iter().find(|it| is_meant(&it.text)).map(|it| &it.spot)
}

/// What the comments at the heads of files say of where and how they are read, as a project file would have it.
pub(super) fn heads(seen: &Observations, draft: &mut Draft) {
    for layer in &mut draft.layers {
        let file = seen.settings.iter().find(|file| layer.files == [file.path.clone()]);
        for (name, word, line) in file.map(|file| file.shape.head.as_slice()).unwrap_or_default() {
            let field = match name.as_str() {
                "empty" if matches!(word.as_str(), "unset" | "value") => {
                    format!("empty = {}", quoted(word))
                }
                name if draft
                    .axes
                    .iter()
                    .any(|it| it.name == name && it.allowed.contains(word)) =>
                {
                    format!("when = {{ {name} = {} }}", quoted(word))
                }
                _ => continue,
            };
            if !layer.has(field.split(" =").next().unwrap_or_default()) {
                layer.because.push(format!(
                    "{}:{line}: a comment has {name} = {}",
                    layer.files[0],
                    quoted(word)
                ));
                layer.fields.push(field);
                layer
                    .axes
                    .extend(draft.axes.iter().map(|it| it.name.clone()).filter(|it| it == name));
            }
        }
    }
}

/// Files of a family that cannot be read are left out of it.
pub(super) fn leave_out_broken(seen: &Observations, draft: &mut Draft) {
    let broken = seen.settings.iter().filter(|file| file.shape.fault.is_some());
    for file in broken {
        let Some((line, why)) = &file.shape.fault else { continue };
        for layer in draft
            .layers
            .iter_mut()
            .filter(|it| it.files.contains(&file.path) && !it.has("tolerant"))
        {
            crate::prove::leave_out(layer, &file.path, &format!("{}:{line}: {why}", file.path));
        }
    }
}

/// A file for some values of an axis only is missing for the others.
pub(super) fn allow_gaps(draft: &mut Draft) {
    for layer in draft.layers.iter_mut().filter(|layer| layer.reads.starts_with("file =")) {
        let holes =
            draft.axes.iter().filter(|axis| layer.reads.contains(&format!("{{{}}}", axis.name)));
        let wanted: usize = holes.map(|axis| axis.allowed.len()).product();
        if layer.reads.contains('{') && wanted != layer.files.len() && !layer.has("optional") {
            layer.fields.push("optional = true".to_owned());
        }
    }
}

/// Files of keys from different folders may have the same names for different things: those with few names in
/// common get a key of their own in front.
fn keep_apart(draft: &mut Draft) {
    let mut groups: std::collections::BTreeMap<String, (BTreeSet<String>, bool)> =
        std::collections::BTreeMap::new();
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
    let mut apart: std::collections::BTreeMap<String, String> = std::collections::BTreeMap::new();
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
    let parts: Vec<&str> =
        folder.split('/').filter(|it| !crate::words::is_environment(it)).collect();
    const KEPT: [&str; 9] =
        ["config", "configs", "conf", "settings", "regions", "etc", "env", "envs", "environments"];
    let parts: Vec<&str> = parts.into_iter().filter(|it| !KEPT.contains(it)).collect();
    parts.join("/")
}
