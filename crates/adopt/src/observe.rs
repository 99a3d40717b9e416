//! Looks at the files of a repository, and notes what they have.

use crate::code::{self, InCode};
use crate::listing::{Listing, is_env_name};
use crate::meant;
use crate::observation::{
    Compose, Image, Left, Manifest, Observations, Script, SettingsFile, Spot, Workflow,
};
use crate::shape::{Seen, are_environments, shape};
use crate::structured;
use crate::words::{is_environment, is_generic, is_sample_ending, is_settings_folder, is_shared};
use justwhy_code::{is_sample, is_sample_folder};
use justwhy_core::parallel;
use justwhy_formats::{Format, decode};
use justwhy_project::{ReadProblem, World};
use std::collections::BTreeSet;
use std::path::Path;

/// A settings file with more bytes than this is one that nobody writes by hand.
const MOST_SETTINGS: u64 = 1024 * 1024;
/// A file of code with more bytes than this was not written by hand.
const MOST_CODE: u64 = 512 * 1024;
/// More files that could be settings than this are not all read.
const MOST_UNHINTED: usize = 5_000;
/// How many files a thread looks at before it takes others.
const AT_ONCE: usize = 64;

/// Why a file is not read that is there.
const LINK: &str = "it is a link, which is not followed, or may not be read";

/// What a path makes of a file.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Role {
    /// Settings; whether more than its format says so.
    Settings(Format, bool),
    Compose,
    Workflow,
    Image,
    /// A shell script.
    Script,
    /// The description of a package.
    Package,
    /// The description of a chart.
    Chart,
    Code(&'static str),
}

/// Files with settings of tools, packages and formats, which nobody asks about here.
const TOOLS: [&str; 44] = [
    "package.json",
    "package-lock.json",
    "npm-shrinkwrap.json",
    "composer.json",
    "composer.lock",
    "pyproject.toml",
    "cargo.toml",
    "cargo.lock",
    "rust-toolchain.toml",
    "rustfmt.toml",
    "clippy.toml",
    "deny.toml",
    "pom.xml",
    "build.gradle",
    "gradle.properties",
    "gradle-wrapper.properties",
    "tsconfig.json",
    "jsconfig.json",
    "setup.cfg",
    "tox.ini",
    "pytest.ini",
    "mypy.ini",
    "mkdocs.yml",
    "renovate.json",
    "dependabot.yml",
    "codecov.yml",
    "openapi.yaml",
    "openapi.yml",
    "openapi.json",
    "swagger.json",
    "lerna.json",
    "turbo.json",
    "nx.json",
    "chart.lock",
    "pipfile",
    "go.mod",
    "go.sum",
    "manifest.json",
    "launch.json",
    "tasks.json",
    "logback.xml",
    "alembic.ini",
    "kustomization.yaml",
    "pnpm-workspace.yaml",
];

/// Other folders in which settings are kept.
const FOLDERS: [&str; 7] =
    ["deploy", "deployment", "deployments", "profiles", "infra", "infrastructure", "group_vars"];

/// Folders in which files of the same formats are no settings.
const OTHER_FOLDERS: [&str; 12] = [
    "locales",
    "locale",
    "i18n",
    "l10n",
    "translations",
    "lang",
    "templates",
    "migrations",
    "schemas",
    "schema",
    "assets",
    "public",
];

/// Other first words of the names of files of settings.
const STEMS: [&str; 5] = ["values", "params", "local", "defaults", "default"];

fn role(path: &str) -> Option<Role> {
    let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
    let lower = name.to_ascii_lowercase();
    let ending = lower.rsplit_once('.').map_or("", |(_, ending)| ending);
    let is_yaml = matches!(ending, "yaml" | "yml");
    if is_env_name(name) {
        return Some(Role::Settings(Format::ENV, true));
    }
    if name.rsplit_once('.').is_some_and(|(stem, last)| is_sample_ending(last) && is_env_name(stem))
    {
        return Some(Role::Settings(Format::ENV, true));
    }
    if lower.contains("compose") && is_yaml {
        return Some(Role::Compose);
    }
    if is_yaml && (folder.ends_with("workflows") || folder == "workflows") {
        return Some(Role::Workflow);
    }
    match lower.as_str() {
        "package.json" => return Some(Role::Package),
        "chart.yaml" => return Some(Role::Chart),
        "justwhy.toml" => return None,
        _ => {}
    }
    if TOOLS.contains(&lower.as_str())
        || lower.starts_with("tsconfig.")
        || lower.starts_with("gradle")
        || lower.ends_with(".schema.json")
        || lower.ends_with(".lock")
    {
        return None;
    }
    let format = Format::of_path(path);
    if format.is_some_and(Format::has_stages) {
        return Some(Role::Image);
    }
    if is_sample(path) {
        return None;
    }
    let set = code::set_of(path);
    if set == Some("shell") {
        return Some(Role::Script);
    }
    if let Some(set) = set {
        return Some(Role::Code(set));
    }
    let format = format.filter(|it| !matches!(it.name(), "assignments" | "module" | "xml"))?;
    // Texts for people, and what other programs fill in or look at.
    let is_other = |part: &str| OTHER_FOLDERS.contains(&part.to_ascii_lowercase().as_str());
    if folder.split('/').any(is_other) {
        return None;
    }
    // Settings of an editor or another tool of whoever works here.
    if name.starts_with('.') || folder.split('/').any(|part| part.starts_with('.')) {
        return None;
    }
    let parts = folder.split('/').map(str::to_ascii_lowercase);
    let words = lower.rsplit_once('.').map_or(lower.as_str(), |(stem, _)| stem);
    let mut words = words.split(['.', '-', '_']);
    let first = words.clone().next().unwrap_or_default();
    let is_hinted = parts.clone().any(|part| {
        is_settings_folder(&part) || FOLDERS.contains(&part.as_str()) || is_environment(&part)
    }) || is_generic(first)
        || STEMS.contains(&first)
        || words.any(|word| is_environment(word) || is_shared(word))
        || matches!(ending, "ini" | "conf" | "cfg" | "properties" | "tfvars");
    Some(Role::Settings(format, is_hinted))
}

/// What one file has.
#[derive(Default)]
struct InFile {
    settings: Option<SettingsFile>,
    is_hinted: bool,
    compose: Option<Compose>,
    workflow: Option<Workflow>,
    manifests: Vec<Manifest>,
    image: Option<Image>,
    script: Option<Script>,
    package_scripts: Vec<(String, Spot)>,
    chart: Option<String>,
    code: Option<(&'static str, String, InCode)>,
    set_to: Vec<(String, String, Spot)>,
    set: BTreeSet<String>,
    left: Vec<Left>,
}

/// Looks at all files of a folder. `progress` is told how many were looked at, now and then.
pub(crate) fn observe(
    world: &dyn World,
    folder: &Path,
    listing: &Listing,
    progress: &dyn Fn(usize, usize),
) -> Observations {
    let mut seen = Observations { files: listing.files.len(), ..Observations::default() };
    let mut unhinted = 0;
    let mut wanted: Vec<(&str, Role)> = Vec::new();
    for path in &listing.files {
        let Some(role) = role(path) else { continue };
        // What tests and samples have is not what the program of the repository gets.
        if path.rsplit_once('/').is_some_and(|(folder, _)| is_sample_folder(folder)) {
            seen.samples += usize::from(!matches!(role, Role::Code(_) | Role::Script));
            continue;
        }
        if let Role::Code(_) = role {
            let ending = path.rsplit_once('.').map_or("", |(_, ending)| ending);
            seen.code.endings.entry(ending.to_owned()).or_default().push(path.clone());
        }
        if matches!(role, Role::Settings(_, false)) {
            unhinted += 1;
            if unhinted > MOST_UNHINTED {
                continue;
            }
        }
        wanted.push((path, role));
    }
    let all = wanted.len();
    let mut done = 0;
    let mut loose: Vec<SettingsFile> = Vec::new();
    let work = |files: &[(&str, Role)]| -> Vec<InFile> {
        files.iter().map(|(path, role)| look(world, folder, listing, path, *role)).collect()
    };
    let take = |found: Vec<InFile>| {
        done += found.len();
        progress(done, all);
        for it in found {
            take_in(&mut seen, &mut loose, it);
        }
    };
    parallel::in_order(wanted.chunks(AT_ONCE).collect(), true, work, take);
    meant::keep(&mut seen, loose);
    let link = |path: &String| Left { spot: Spot::new(path, 1), why: LINK.to_owned() };
    seen.left.extend(listing.links.iter().map(link));
    seen.settings.sort_by(|one, other| one.path.cmp(&other.path));
    seen.left.sort();
    seen.left.dedup();
    seen
}

fn take_in(seen: &mut Observations, loose: &mut Vec<SettingsFile>, it: InFile) {
    match it.settings {
        Some(file) if it.is_hinted => seen.settings.push(file),
        Some(file) => loose.push(file),
        None => {}
    }
    seen.composes.extend(it.compose);
    seen.workflows.extend(it.workflow);
    seen.manifests.extend(it.manifests);
    seen.images.extend(it.image);
    seen.scripts.extend(it.script);
    seen.package_scripts.extend(it.package_scripts);
    seen.charts.extend(it.chart);
    seen.set.extend(it.set);
    seen.left.extend(it.left);
    for (name, word, spot) in it.set_to {
        seen.code.set_to.entry(name).or_default().entry(word).or_insert(spot);
    }
    if let Some((set, path, code)) = it.code {
        if code.reads.iter().any(|read| read.has_fallback || !read.is_key) {
            seen.code.files.entry(set).or_default().insert(path);
        }
        seen.code.reads.extend(code.reads);
        seen.code.mentions.extend(code.mentions);
        for (name, word, spot) in code.beside {
            seen.code.beside.entry(name).or_default().entry(word).or_insert(spot);
        }
    }
}

fn look(world: &dyn World, folder: &Path, listing: &Listing, path: &str, role: Role) -> InFile {
    let mut found = InFile::default();
    if let Role::Chart = role {
        found.chart = Some(path.rsplit_once('/').map_or("", |(folder, _)| folder).to_owned());
        return found;
    }
    let most = if matches!(role, Role::Code(_)) { MOST_CODE } else { MOST_SETTINGS };
    let mut bytes = Vec::new();
    let left = |line: usize, why: String| Left { spot: Spot::new(path, line), why };
    match world.read_plain(&folder.join(path), most, &mut bytes) {
        Ok(()) => {}
        Err(_) if matches!(role, Role::Code(_)) => return found,
        Err(ReadProblem::Missing) => return found,
        Err(ReadProblem::NotAFile(what)) => {
            found.left.push(left(1, format!("it is {what}")));
            return found;
        }
        Err(ReadProblem::TooLarge) => {
            found.left.push(left(1, format!("it has more than {} KiB", most / 1024)));
            return found;
        }
        // A link leads elsewhere, and is not followed.
        Err(ReadProblem::Refused(_)) => {
            found.left.push(left(1, LINK.to_owned()));
            return found;
        }
    }
    let (text, verdict) = decode(bytes);
    if verdict.is_err() {
        if !matches!(role, Role::Code(_)) {
            found.left.push(left(1, "it is not UTF-8".to_owned()));
        }
        return found;
    }
    let text = text.text();
    match role {
        Role::Chart => {}
        Role::Code(set) => {
            found.code = Some((set, path.to_owned(), code::code(path, set, text)));
            if is_module(path, set) {
                module(path, text, &mut found);
            }
        }
        Role::Script => {
            found.script = Some(code::script(path, text));
            found.set_to = code::environments_in(path, text);
            found.code = Some(("shell", path.to_owned(), code::code(path, "shell", text)));
        }
        Role::Image => {
            let Some(format) = Format::of_path(path) else { return found };
            let (seen, _) = Seen::read(text, format);
            let root = seen.roots().last().copied();
            let names = root.map(|it| seen.entries(it)).unwrap_or_default();
            let names: BTreeSet<String> = names.into_iter().map(|(name, _)| name).collect();
            found.set_to = code::environments_in(path, text);
            found.image = (!names.is_empty()).then(|| Image { path: path.to_owned(), names });
        }
        Role::Package => {
            let (seen, fault) = Seen::read(text, Format::named("json").unwrap_or(Format::TOML));
            if fault.is_none() {
                found.package_scripts = structured::package_scripts(path, &seen);
            }
        }
        Role::Compose | Role::Workflow => structure(path, text, role, &mut found),
        Role::Settings(format, is_hinted) => {
            settings(listing, path, text, format, is_hinted, &mut found)
        }
    }
    found
}

/// Whether a file of code may be a settings module, by its name and folder.
fn is_module(path: &str, set: &str) -> bool {
    let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
    let stem = name.split('.').next().unwrap_or(name);
    let is_named = |word: &str| matches!(word, "settings" | "config" | "configuration" | "conf");
    let last = folder.rsplit('/').next().unwrap_or_default();
    let first = stem.split(['-', '_']).next().unwrap_or(stem);
    matches!(set, "python" | "node") && (is_named(first) || is_named(last))
}

/// A settings module: more than half of what it has is written in it.
fn module(path: &str, text: &str, found: &mut InFile) {
    let Some(format) = Format::of_path(path) else { return };
    let shape = shape(text, format);
    let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
    let stem = name.split('.').next().unwrap_or(name);
    let is_called_so = !matches!(
        folder.rsplit('/').next(),
        Some("config" | "settings" | "conf" | "configuration")
    ) || is_environment(stem)
        || is_shared(stem)
        || matches!(stem, "settings" | "config");
    let has_sections = are_environments(shape.tables.iter().map(String::as_str));
    let read = shape.keys.len().saturating_sub(shape.unread);
    if shape.fault.is_none() && read > shape.unread && (is_called_so || has_sections) {
        found.is_hinted = true;
        found.settings =
            Some(SettingsFile { path: path.to_owned(), format, is_ignored: false, shape });
    }
}

fn structure(path: &str, text: &str, role: Role, found: &mut InFile) {
    let Some(format) = Format::of_path(path) else { return };
    let (seen, fault) = Seen::read(text, format);
    if let Some((line, why)) = fault {
        found.left.push(Left { spot: Spot::new(path, line), why });
        return;
    }
    found.set_to = code::environments_in(path, text);
    match role {
        Role::Compose => {
            found.set = structured::names_in(&seen, &["environment"]);
            found.compose = structured::compose(path, text, &seen, &mut found.left);
        }
        _ => {
            found.set = structured::names_in(&seen, &["env"]);
            found.workflow = structured::workflow(path, &seen, &mut found.left);
        }
    }
}

fn settings(
    listing: &Listing,
    path: &str,
    text: &str,
    format: Format,
    is_hinted: bool,
    found: &mut InFile,
) {
    let is_yaml = format.has_documents();
    if is_yaml && text.contains("jobs:") && text.contains("steps:") {
        structure(path, text, Role::Workflow, found);
        if found.workflow.is_some() {
            return;
        }
    }
    if is_yaml && text.contains("kind:") && text.contains("metadata:") {
        let (seen, fault) = Seen::read(text, format);
        if let Some((line, why)) = fault {
            found.left.push(Left { spot: Spot::new(path, line), why });
            return;
        }
        found.manifests = structured::manifests(path, text, &seen, &mut found.left);
        if !found.manifests.is_empty() {
            found.set = structured::names_in(&seen, &["env", "data"]);
            return;
        }
    }
    let shape = shape(text, format);
    if !is_hinted && (shape.keys.is_empty() || shape.fault.is_some()) {
        return;
    }
    found.is_hinted = is_hinted;
    let is_ignored = listing.ignored.contains(path);
    found.settings = Some(SettingsFile { path: path.to_owned(), format, is_ignored, shape });
}
