//! Axes: their values, and the variables by which code chooses one.

use crate::draft::{Axis, Draft, Layer, quoted};
use crate::family::Families;
use crate::observation::{Observations, Spot};
use crate::words::{is_chooser, is_environment, is_value, spelled_out};
use std::collections::{BTreeMap, BTreeSet};

/// More values than this are only counted in comments.
const MOST_SHOWN: usize = 12;

/// The axes of all families.
pub(super) fn of_families(families: &Families, draft: &mut Draft) {
    for family in &families.families {
        for (name, values) in &family.values {
            let because = match values.as_slice() {
                [one] => format!("{}: a file for {one}", family.pattern),
                values if values.len() > MOST_SHOWN => {
                    format!("{}: files for {} values", family.pattern, values.len())
                }
                values => format!("{}: files for {}", family.pattern, values.join(", ")),
            };
            draft.axis(name).allow(values, because);
        }
    }
    for (name, folder) in &families.folders {
        if let Some(axis) = draft.axes.iter_mut().find(|axis| axis.name == *name) {
            let glob = if folder.is_empty() { "*".to_owned() } else { format!("{folder}/*") };
            let is_folder =
                families.families.iter().any(|it| it.pattern.contains(&format!("{{{name}}}/")));
            if is_folder && !glob.contains('{') {
                axis.folder = Some(folder.clone());
                axis.reads.push(format!("{{ folder = {} }}", quoted(&glob)));
                let allowed = format!("{{ directories = {} }}", quoted(&glob));
                match axis.allowed.len() > MOST_SHOWN {
                    true => axis.directories = Some(allowed),
                    false => axis.instead.push(format!("allowed = {allowed}")),
                }
            }
        }
    }
    for (name, map) in &families.spellings {
        let entries: Vec<String> =
            map.iter().map(|(from, to)| format!("{} = {}", quoted(from), quoted(to))).collect();
        let axis = draft.axis(name);
        axis.because.push("The same environments, spelled otherwise in these files.".to_owned());
        axis.reads =
            vec![format!("{{ axis = \"environment\", map = {{ {} }} }}", entries.join(", "))];
    }
}

/// What speaks for a variable as that by which an axis is chosen.
#[derive(Default)]
struct Selector {
    score: u32,
    because: Vec<String>,
    default: Option<(String, Spot)>,
    words: BTreeSet<String>,
    /// What its values lead to, where those are names of modules.
    map: Vec<(String, String)>,
}

/// The endings of names of variables that choose something.
const CHOOSERS: [&str; 9] = [
    "ENV",
    "ENVIRONMENT",
    "STAGE",
    "PROFILE",
    "PROFILES_ACTIVE",
    "MODE",
    "REGION",
    "TENANT",
    "TARGET",
];

/// Finds the variables by which axes are chosen.
pub(super) fn selectors(seen: &Observations, families: &Families, draft: &mut Draft) {
    // A variable chooses one axis: the one that it is called after goes first.
    let mut order: Vec<usize> = (0..draft.axes.len()).collect();
    order.sort_by_key(|number| {
        !matches!(draft.axes[*number].name.as_str(), "environment" | "region" | "service")
    });
    let mut taken: BTreeSet<String> = BTreeSet::new();
    for number in order {
        let axis = &draft.axes[number];
        if families.spellings.contains_key(&axis.name) || axis.only.is_some() || axis.name == "job"
        {
            continue;
        }
        let mut all: BTreeMap<String, Selector> = BTreeMap::new();
        in_code(seen, axis, families, &mut all);
        in_scripts(seen, axis, families, &mut all);
        in_files(seen, axis, &mut all);
        all.retain(|name, _| !taken.contains(name));
        for (name, selector) in &mut all {
            let last = name.rsplit('_').next().unwrap_or(name);
            let is_chooser = CHOOSERS.iter().any(|it| name.ends_with(it))
                || last.eq_ignore_ascii_case(&axis.name);
            selector.score += u32::from(is_chooser);
        }
        // What is only set somewhere chooses nothing.
        all.retain(|name, _| is_read_by_something(seen, name));
        let best =
            all.iter().max_by_key(|(name, it)| (it.score, std::cmp::Reverse((*name).clone())));
        let Some((name, _)) = best.filter(|(_, it)| it.score >= 3) else {
            undecided(&mut draft.axes[number]);
            continue;
        };
        let name = name.clone();
        taken.insert(name.clone());
        if let Some(selector) = all.remove(&name) {
            choose(seen, &name, selector, number, draft);
        }
    }
}

/// Whether code, a script or an env file has a variable.
fn is_read_by_something(seen: &Observations, name: &str) -> bool {
    let mut sourced = seen.scripts.iter().flat_map(|it| &it.sourced);
    let mut files = seen.settings.iter().filter(|file| file.format.has_variables());
    seen.code.reads.iter().any(|read| read.name == name)
        || seen.code.mentions.iter().any(|it| it.variable.as_deref() == Some(name))
        || sourced.any(|it| it.text.contains(name))
        || files.any(|file| file.shape.keys.contains(name))
}

fn undecided(axis: &mut Axis) {
    let has_folder = !axis.reads.is_empty();
    if !has_folder {
        let variable = axis.name.to_ascii_uppercase().replace('-', "_");
        axis.instead
            .push(format!("Nothing in the repository chooses it; use --in {}=…", axis.name));
        axis.instead.push(format!("read = [{{ variable = \"{variable}\" }}]"));
    }
}

/// Whether a word is a value of an axis, one spelled otherwise, or an environment without a file of its own that a
/// variable with the name of one has.
fn fits(axis: &Axis, variable: &str, word: &str) -> bool {
    axis.allowed.iter().any(|it| it == word)
        || axis.name == "environment"
            && is_environment(word)
            && (is_chooser(variable)
                || axis.allowed.iter().any(|it| spelled_out(it) == spelled_out(word)))
}

fn in_code(
    seen: &Observations,
    axis: &Axis,
    families: &Families,
    all: &mut BTreeMap<String, Selector>,
) {
    for read in seen.code.reads.iter().filter(|read| !read.is_key) {
        let Some(fallback) = read.fallback.as_ref().filter(|it| fits(axis, &read.name, it)) else {
            continue;
        };
        let selector = all.entry(read.name.clone()).or_default();
        if selector.default.is_none() {
            selector.score += 3;
            selector
                .because
                .push(format!("{} reads {} with the fallback {fallback}", read.spot, read.name));
            selector.default = Some((fallback.clone(), read.spot.clone()));
        }
        selector.words.insert(fallback.clone());
    }
    of_modules(seen, axis, families, all);
    for (name, words) in &seen.code.beside {
        // A fallback was counted already.
        let counted = all.get(name).and_then(|it| it.default.as_ref()).map(|(_, at)| at.clone());
        let hits: Vec<(&String, &Spot)> = words
            .iter()
            .filter(|(word, spot)| counted.as_ref() != Some(*spot) && fits(axis, name, word))
            .collect();
        if let Some((word, spot)) = hits.first() {
            let selector = all.entry(name.clone()).or_default();
            selector.score += 2;
            selector.because.push(format!("{spot} compares {name} with {word}"));
            selector.words.extend(hits.iter().map(|(word, _)| (*word).clone()));
        }
    }
    for mention in &seen.code.mentions {
        let Some(name) = &mention.variable else { continue };
        if names_family(&mention.text, axis, families) {
            let selector = all.entry(name.clone()).or_default();
            selector.score += 5;
            selector.because.push(format!("{} puts {name} into the path of a file", mention.spot));
        }
    }
    for (name, words) in &seen.code.set_to {
        let hits: Vec<(&String, &Spot)> =
            words.iter().filter(|(word, _)| fits(axis, name, word)).collect();
        if let Some((word, spot)) = hits.first() {
            let selector = all.entry(name.clone()).or_default();
            selector.score += 2;
            selector.because.push(format!("{spot} sets {name} to {word}"));
            selector.words.extend(hits.iter().map(|(word, _)| (*word).clone()));
        }
    }
}

/// Env files that set a variable to a value of the axis; which one is not shown.
fn in_files(seen: &Observations, axis: &Axis, all: &mut BTreeMap<String, Selector>) {
    for file in seen.settings.iter().filter(|file| file.format.has_variables()) {
        for (name, word) in &file.shape.words {
            let selector = all.entry(name.clone()).or_default();
            if axis.allowed.contains(word)
                && !selector.because.iter().any(|it| it.ends_with(IN_FILE))
            {
                selector.score += 2;
                selector.because.push(format!("{} sets {name} {IN_FILE}", file.path));
            }
        }
    }
}

const IN_FILE: &str = "to one of its values";

/// Variables whose fallback is the name of a settings module of a family: `tide.settings.development`.
fn of_modules(
    seen: &Observations,
    axis: &Axis,
    families: &Families,
    all: &mut BTreeMap<String, Selector>,
) {
    let hole = format!("{{{}}}", axis.name);
    for read in seen.code.reads.iter().filter(|read| !read.is_key) {
        let Some(fallback) = &read.fallback else { continue };
        let found = families.families.iter().find_map(|family| {
            let (path, _) = family.pattern.rsplit_once('.')?;
            let module = path.replace('/', ".");
            let (before, after) = module.split_once(&hole)?;
            let value = fallback.strip_prefix(before)?.strip_suffix(after)?;
            let is_value = axis.allowed.iter().any(|it| it == value);
            is_value.then(|| (before.to_owned(), after.to_owned(), value.to_owned()))
        });
        let Some((before, after, value)) = found else { continue };
        let selector = all.entry(read.name.clone()).or_default();
        selector.score += 5;
        selector
            .because
            .push(format!("{} reads {} with the fallback {fallback}", read.spot, read.name));
        selector.map =
            axis.allowed.iter().map(|it| (format!("{before}{it}{after}"), it.clone())).collect();
        selector.default.get_or_insert((value, read.spot.clone()));
    }
}

/// Whether a text with something put in names a family that varies by an axis.
fn names_family(text: &str, axis: &Axis, families: &Families) -> bool {
    let hole = format!("{{{}}}", axis.name);
    families.families.iter().any(|family| {
        let Some((before, after)) = family.pattern.split_once(&hole) else { return false };
        let before = before.rsplit('/').next().unwrap_or(before);
        let after = after.split('/').next().unwrap_or(after);
        let last = text.rsplit('/').find(|it| it.contains(['$', '{', '#', '%'])).unwrap_or(text);
        last.contains(['$', '{', '#', '%']) && last.starts_with(before) && last.ends_with(after)
    })
}

/// `${TIDE_ENV:-dev}` in the path of a file that a script sources.
fn in_scripts(
    seen: &Observations,
    axis: &Axis,
    families: &Families,
    all: &mut BTreeMap<String, Selector>,
) {
    for script in &seen.scripts {
        for sourced in &script.sourced {
            if !names_family(&sourced.text, axis, families) {
                continue;
            }
            let Some((name, fallback)) = variable_in(&sourced.text) else { continue };
            let spot = Spot::new(&script.path, sourced.line);
            let selector = all.entry(name.clone()).or_default();
            selector.score += 5;
            selector.because.push(format!("{spot} puts {name} into the path of a file"));
            if let Some(fallback) = fallback.filter(|it| fits(axis, &name, it)) {
                selector.words.insert(fallback.clone());
                selector.default.get_or_insert((fallback, spot));
            }
        }
    }
}

/// The last variable in a text of a shell, with its fallback.
pub(super) fn variable_in(text: &str) -> Option<(String, Option<String>)> {
    let rest = &text[text.rfind('$')? + 1..];
    let is_name = |c: char| c.is_ascii_alphanumeric() || c == '_';
    let (rest, is_braced) = match rest.strip_prefix('{') {
        Some(rest) => (rest, true),
        None => (rest, false),
    };
    let end = rest.find(|c| !is_name(c)).unwrap_or(rest.len());
    let (name, after) = rest.split_at(end);
    let fallback = match is_braced {
        true => {
            after.strip_prefix(":-").or(after.strip_prefix('-')).and_then(|it| it.split('}').next())
        }
        false => None,
    };
    (!name.is_empty()).then(|| (name.to_owned(), fallback.map(str::to_owned)))
}

/// Lets a variable choose an axis.
fn choose(seen: &Observations, name: &str, selector: Selector, number: usize, draft: &mut Draft) {
    let axis = &mut draft.axes[number];
    let mut other: Vec<(String, String)> = Vec::new();
    for word in selector.words.iter().filter(|it| is_value(it)) {
        match axis.allowed.iter().find(|it| spelled_out(it) == spelled_out(word)) {
            Some(meant) if meant != word => other.push((word.clone(), meant.clone())),
            Some(_) => {}
            None => axis.allowed.push(word.clone()),
        }
    }
    let read = match other.is_empty() && selector.map.is_empty() {
        true => format!("{{ variable = {} }}", quoted(name)),
        false => {
            let is_plain = selector.map.is_empty();
            let same = axis.allowed.iter().filter(|_| is_plain).map(|it| (it.clone(), it.clone()));
            let all = same.chain(other).chain(selector.map.iter().cloned());
            let map: Vec<String> =
                all.map(|(from, to)| format!("{} = {}", quoted(&from), quoted(&to))).collect();
            format!("{{ variable = {}, map = {{ {} }} }}", quoted(name), map.join(", "))
        }
    };
    let has_map = read.contains("map =");
    axis.reads.insert(0, read);
    axis.because.extend(selector.because.into_iter().take(3));
    if let Some((word, spot)) = selector.default {
        let meant =
            axis.allowed.iter().find(|it| **it == word || spelled_out(it) == spelled_out(&word));
        if let Some(meant) = meant.cloned() {
            axis.because.push(format!("{spot}: without {name} it is {meant}"));
            axis.default = Some(meant);
        }
    }
    let mut reads = 1;
    for file in seen
        .settings
        .iter()
        .filter(|file| file.format.has_variables() && !crate::family::is_sample(&file.path))
    {
        let Some(word) = file.shape.words.get(name) else { continue };
        let is_plain = draft.layers.iter().any(|layer| {
            layer.axes.is_empty() && layer.files.contains(&file.path) && is_read(layer)
        });
        if !is_plain {
            continue;
        }
        let axis = &mut draft.axes[number];
        if has_map && !axis.allowed.contains(word) {
            continue;
        }
        axis.reads.insert(
            reads,
            format!("{{ file = {}, variable = {} }}", quoted(&file.path), quoted(name)),
        );
        reads += 1;
        axis.because.push(format!("{} sets {name}", file.path));
        if !axis.allowed.contains(word) && is_value(word) {
            axis.is_open = true;
        }
    }
}

/// Whether something reads the file of a layer, so that it can choose for all others.
fn is_read(layer: &Layer) -> bool {
    let is_usual = |file: &String| matches!(file.rsplit('/').next(), Some(".env" | ".env.local"));
    layer.loaded.is_some() || layer.files.iter().any(is_usual)
}

/// Ways to run a program: each is one beside others, and beside none at all.
const RUNS: [&str; 3] = ["service", "workflow", "script"];

/// A program that a container runs is run by no pipeline, and the other way round; at a desk it is run by neither.
pub(super) fn runs(draft: &mut Draft) {
    let mut seen: Vec<(String, Vec<String>)> = Vec::new();
    for axis in &mut draft.axes {
        let is_run = RUNS.contains(&axis.name.as_str()) && axis.folder.is_none();
        axis.may_be_unset = is_run || axis.name == "step";
        if is_run {
            let this = (axis.name.clone(), axis.allowed.clone());
            draft.never.extend(seen.iter().map(|other| [other.clone(), this.clone()]));
            seen.push(this);
        }
    }
}

/// Axes that no layer needs are left out.
pub(super) fn unused(draft: &mut Draft) {
    let needed: BTreeSet<String> =
        draft.layers.iter().flat_map(|layer| layer.axes.iter().cloned()).collect();
    let others: BTreeSet<String> =
        draft.axes.iter().filter_map(|axis| Some(axis.only.as_ref()?.0.clone())).collect();
    draft.axes.retain(|axis| {
        !axis.allowed.is_empty() && (needed.contains(&axis.name) || others.contains(&axis.name))
    });
    for axis in &mut draft.axes {
        axis.because.dedup();
        const MOST: usize = 8;
        if axis.because.len() > MOST {
            let more = axis.because.len() - MOST;
            axis.because.truncate(MOST);
            axis.because.push(format!("and {more} more places"));
        }
    }
    // What follows another axis comes after it.
    draft.axes.sort_by_key(|axis| {
        let follows = axis.only.is_some() || axis.reads.iter().any(|it| it.contains("axis ="));
        (follows, axis.name != "environment")
    });
}
