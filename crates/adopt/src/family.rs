//! Families: files whose paths differ only in parts that vary.

use crate::observation::{Mention, SettingsFile};
use crate::words::{
    self, is_environment, is_sample_ending, is_settings_folder, is_value, singular, spelled_out,
};
use std::collections::{BTreeMap, BTreeSet};

/// Files whose paths follow from one pattern.
#[derive(Clone, Debug)]
pub(crate) struct Family {
    /// The path with `{axis}` in place of what varies.
    pub(crate) pattern: String,
    /// The axes that vary, with their values.
    pub(crate) values: BTreeMap<String, Vec<String>>,
    /// The numbers of its files.
    pub(crate) files: Vec<usize>,
    /// Whether it is of one machine.
    pub(crate) is_local: bool,
}

/// What becomes of the files of settings.
#[derive(Debug, Default)]
pub(crate) struct Families {
    pub(crate) families: Vec<Family>,
    /// Samples: files that show which names there are.
    pub(crate) samples: Vec<usize>,
    /// The folder of which each axis that is no environment has the names.
    pub(crate) folders: BTreeMap<String, String>,
    /// Axes of environments that are spelled otherwise: the map from the first one.
    pub(crate) spellings: BTreeMap<String, Vec<(String, String)>>,
}

/// A part of a path with what varies in it.
#[derive(Clone, Debug)]
struct Way {
    file: usize,
    /// Folders and the name, `{environment}` in place of an environment.
    parts: Vec<String>,
    environment: Option<String>,
    is_local: bool,
}

/// Groups files by their patterns.
pub(crate) fn families(files: &[SettingsFile], mentions: &[Mention]) -> Families {
    let mut found = Families::default();
    let mut ways = Vec::new();
    for (number, file) in files.iter().enumerate() {
        match is_sample(&file.path) {
            true => found.samples.push(number),
            false => ways.push(way(number, &file.path)),
        }
    }
    let mut patterns: BTreeMap<Vec<String>, Vec<Way>> = BTreeMap::new();
    for way in ways {
        patterns.entry(way.parts.clone()).or_default().push(way);
    }
    alone_is_no_family(&mut patterns);
    spell(&mut patterns, &mut found);
    let mut groups: Vec<(Vec<String>, Vec<Way>)> = patterns.into_iter().collect();
    let mut second: BTreeMap<usize, (String, usize)> = BTreeMap::new();
    across(files, &groups, mentions, &mut second, &mut found);
    let mut merged: BTreeMap<String, Family> = BTreeMap::new();
    for (number, (parts, ways)) in groups.drain(..).enumerate() {
        let mut parts = parts;
        let mut values: BTreeMap<String, Vec<String>> = BTreeMap::new();
        if let Some((axis, at)) = second.get(&number) {
            let (value, pattern) = varying(&parts, *at, axis);
            values.entry(axis.clone()).or_default().push(value);
            parts = pattern;
        }
        let axis = parts.iter().find_map(|part| {
            placeholder(part).filter(|it| second.get(&number).is_none_or(|(axis, _)| axis != it))
        });
        for way in &ways {
            if let (Some(axis), Some(environment)) = (&axis, &way.environment) {
                let all = values.entry(axis.clone()).or_default();
                if !all.contains(environment) {
                    all.push(environment.clone());
                }
            }
        }
        let pattern = parts.join("/");
        let family = merged.entry(pattern.clone()).or_insert_with(|| Family {
            pattern,
            values: BTreeMap::new(),
            files: Vec::new(),
            is_local: ways.iter().all(|way| way.is_local),
        });
        family.files.extend(ways.iter().map(|way| way.file));
        for (axis, more) in values {
            let all = family.values.entry(axis).or_default();
            all.extend(more);
            all.sort();
            all.dedup();
        }
    }
    found.families = merged.into_values().collect();
    found
}

/// Whether a file shows which names there are.
pub(crate) fn is_sample(path: &str) -> bool {
    let name = path.rsplit('/').next().unwrap_or(path);
    name.split(['.', '-', '_']).any(is_sample_ending) && !name.starts_with("dist")
}

/// The axis in a part of a path.
fn placeholder(part: &str) -> Option<String> {
    let (_, rest) = part.split_once('{')?;
    Some(rest.split_once('}')?.0.to_owned())
}

/// A path with its environment taken out: the first in the name of the file, else the last folder that is one.
fn way(file: usize, path: &str) -> Way {
    let mut parts: Vec<String> = path.split('/').map(str::to_owned).collect();
    let mut environment = None;
    let mut is_local = false;
    if let Some(name) = parts.last_mut() {
        let mut pieces: Vec<String> = Vec::new();
        let mut rest = name.as_str();
        loop {
            let end = rest.find(['.', '-', '_']).unwrap_or(rest.len());
            let (word, after) = rest.split_at(end);
            if word.eq_ignore_ascii_case("local") {
                is_local = true;
            }
            if environment.is_none() && is_environment(word) {
                environment = Some(word.to_owned());
                pieces.push("{environment}".to_owned());
            } else {
                pieces.push(word.to_owned());
            }
            if after.is_empty() {
                break;
            }
            let (separator, after) = after.split_at(1);
            pieces.push(separator.to_owned());
            rest = after;
        }
        *name = pieces.concat();
    }
    if environment.is_none() {
        let count = parts.len();
        let above = parts.iter_mut().take(count - 1).rev().find(|part| is_environment(part));
        if let Some(part) = above {
            environment = Some(std::mem::replace(part, "{environment}".to_owned()));
        }
    }
    Way { file, parts, environment, is_local }
}

/// A word that names an environment in one file only, where no other file has it in its name, is part of a name.
fn alone_is_no_family(patterns: &mut BTreeMap<Vec<String>, Vec<Way>>) {
    let mut all: BTreeSet<String> = BTreeSet::new();
    for ways in patterns.values() {
        all.extend(ways.iter().filter_map(|way| way.environment.clone()));
    }
    // Beside what holds everywhere, one environment is one of several that are to come.
    let has_shared = |parts: &[String]| {
        patterns.keys().any(|other| {
            let (name, folder) = other.split_last().map_or(("", &[][..]), |(name, it)| (name, it));
            folder == &parts[..parts.len() - 1] && words::is_shared(stem(name))
        })
    };
    let is_family = all.len() > 1
        || patterns.keys().any(|parts| {
            let name = parts.last().map_or("", String::as_str);
            let is_in_folder = !name.contains('{') && parts.iter().any(|part| part.contains('{'));
            let is_part = name.contains('{') && stem(name) != "{environment}";
            is_in_folder || is_part || name.contains('{') && has_shared(parts)
        });
    if is_family {
        return;
    }
    let mut kept: BTreeMap<Vec<String>, Vec<Way>> = BTreeMap::new();
    for (parts, ways) in std::mem::take(patterns) {
        for way in ways {
            let parts: Vec<String> = match &way.environment {
                Some(environment) => {
                    parts.iter().map(|part| part.replace("{environment}", environment)).collect()
                }
                None => parts.clone(),
            };
            let way = Way { parts: parts.clone(), environment: None, ..way };
            kept.entry(parts).or_default().push(way);
        }
    }
    *patterns = kept;
}

/// Gives environments that are spelled in two ways an axis for each spelling.
fn spell(patterns: &mut BTreeMap<Vec<String>, Vec<Way>>, found: &mut Families) {
    let mut sets: Vec<(Vec<String>, BTreeSet<String>)> = patterns
        .iter()
        .map(|(parts, ways)| {
            (parts.clone(), ways.iter().filter_map(|it| it.environment.clone()).collect())
        })
        .filter(|(_, set): &(_, BTreeSet<String>)| !set.is_empty())
        .collect();
    sets.sort_by_key(|(_, set)| std::cmp::Reverse(set.len()));
    let mut first: BTreeMap<String, String> = BTreeMap::new();
    let mut moved: Vec<(Vec<String>, BTreeSet<String>)> = Vec::new();
    for (parts, set) in sets {
        let fits = set.iter().all(|it| first.get(&spelled_out(it)).is_none_or(|known| known == it));
        match fits {
            true => first.extend(set.into_iter().map(|it| (spelled_out(&it), it))),
            false => moved.push((parts, set)),
        }
    }
    let mut map: BTreeMap<String, String> = BTreeMap::new();
    for (parts, set) in moved {
        let Some(mut ways) = patterns.remove(&parts) else { continue };
        for it in &set {
            let whole = spelled_out(it);
            let from = first.entry(whole).or_insert_with(|| it.clone()).clone();
            map.entry(from).or_insert_with(|| it.clone());
        }
        let parts: Vec<String> =
            parts.iter().map(|it| it.replace("{environment}", "{stage}")).collect();
        ways.iter_mut().for_each(|way| way.parts.clone_from(&parts));
        patterns.entry(parts).or_default().extend(ways);
    }
    if !map.is_empty() {
        found.spellings.insert("stage".to_owned(), map.into_iter().collect());
    }
}

/// Paths that differ in one part only.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord)]
struct Hole {
    /// Whether that part is the name of the file, rather than a folder.
    is_name: bool,
    /// The place of the part.
    at: usize,
    /// The path with `*` in its place.
    holed: Vec<String>,
}

impl Hole {
    /// The folder that the part is in.
    fn above(&self) -> &str {
        self.at.checked_sub(1).and_then(|at| self.holed.get(at)).map_or("", String::as_str)
    }

    /// What comes before the part.
    fn before(&self) -> String {
        self.holed[..self.at].join("/")
    }

    /// What a path has in that place, without the ending of a name.
    fn value<'p>(&self, parts: &'p [String]) -> &'p str {
        if self.is_name { stem(&parts[self.at]) } else { &parts[self.at] }
    }
}

/// The paths that differ in one part, folders before names and larger groups before smaller ones.
fn holes(groups: &[(Vec<String>, Vec<Way>)]) -> Vec<(Hole, Vec<usize>)> {
    let mut holes: BTreeMap<Hole, Vec<usize>> = BTreeMap::new();
    for (number, (parts, _)) in groups.iter().enumerate() {
        for (at, part) in parts.iter().enumerate() {
            let is_name = at + 1 == parts.len();
            if part.contains('{') || words::is_shared(stem(part)) {
                continue;
            }
            let mut holed = parts.clone();
            holed[at] = match is_name {
                true => format!("*{}", ending(part)),
                false => "*".to_owned(),
            };
            let hole = Hole { is_name, at, holed };
            if is_value(hole.value(parts)) && !part.starts_with('.') {
                holes.entry(hole).or_default().push(number);
            }
        }
    }
    let mut holes: Vec<(Hole, Vec<usize>)> = holes.into_iter().collect();
    holes.sort_by_key(|(hole, members)| (hole.is_name, std::cmp::Reverse(members.len())));
    holes
}

/// Looks for a second part that varies: a folder, or the name of a file among others in a folder.
fn across(
    files: &[SettingsFile],
    groups: &[(Vec<String>, Vec<Way>)],
    mentions: &[Mention],
    second: &mut BTreeMap<usize, (String, usize)>,
    found: &mut Families,
) {
    // The axis of the folders at a place, with their names.
    let mut known: BTreeMap<(String, usize), (String, BTreeSet<&str>)> = BTreeMap::new();
    let holes = holes(groups);
    // What is alike makes a family, and that may make others one.
    for (hole, members) in holes.iter().chain(&holes) {
        let is_free = |it: &usize| !second.contains_key(it);
        let members: Vec<usize> = members.iter().copied().filter(is_free).collect();
        let parts: BTreeSet<&str> =
            members.iter().map(|it| groups[*it].0[hole.at].as_str()).collect();
        let place = (hole.before(), hole.at);
        let same = known.get(&place).filter(|(_, all)| !hole.is_name && parts.is_subset(all));
        let axis = match same {
            _ if members.is_empty() => continue,
            Some((axis, _)) => axis.clone(),
            None if members.len() < 2 || !is_family(files, groups, mentions, hole, &members) => {
                continue;
            }
            None => axis_of(groups, mentions, hole, &members),
        };
        if !hole.is_name {
            let (_, all) = known.entry(place).or_insert_with(|| (axis.clone(), BTreeSet::new()));
            all.extend(parts);
        }
        found.folders.entry(axis.clone()).or_insert_with(|| hole.before());
        second.extend(members.into_iter().map(|it| (it, (axis.clone(), hole.at))));
    }
}

/// Whether files that differ in one part of their paths are variants of each other.
fn is_family(
    files: &[SettingsFile],
    groups: &[(Vec<String>, Vec<Way>)],
    mentions: &[Mention],
    hole: &Hole,
    members: &[usize],
) -> bool {
    let above = hole.above();
    let is_plural = above.ends_with('s') && !is_settings_folder(above);
    let is_like = are_alike(files, groups, members);
    let are_regions = || members.iter().all(|it| words::is_region(hole.value(&groups[*it].0)));
    match hole.is_name {
        // Files beside each other are a family if their folder is called after what they are for.
        true => {
            is_like
                && (is_plural && !above.contains('{')
                    || put_in(mentions, &hole.holed[hole.at]).is_some()
                    || are_regions())
        }
        false => {
            members.first().is_some_and(|it| !is_settings_folder(&groups[*it].0[hole.at]))
                && (is_like || is_plural)
        }
    }
}

/// What the axis of a family is called: by its values, by what code puts there, or by the folder.
fn axis_of(
    groups: &[(Vec<String>, Vec<Way>)],
    mentions: &[Mention],
    hole: &Hole,
    members: &[usize],
) -> String {
    if members.iter().all(|it| words::is_region(hole.value(&groups[*it].0))) {
        return "region".to_owned();
    }
    let is_free = |name: &String| words::is_name(name) && name != "environment";
    let named = put_in(mentions, &hole.holed[hole.at]).filter(is_free);
    let above = hole.above();
    let of_folder = (!above.is_empty() && !above.contains('{')).then(|| singular(above));
    named.or(of_folder.filter(is_free)).unwrap_or_else(|| "part".to_owned())
}

/// The name of what code puts into a part of a path: `region` of `envs/$env/$region.tfvars`.
fn put_in(mentions: &[Mention], holed: &str) -> Option<String> {
    let (before, after) = holed.split_once('*')?;
    if before.is_empty() && after.is_empty() {
        return None;
    }
    mentions.iter().find_map(|mention| {
        let last = mention.text.rsplit('/').next()?;
        let put = last.strip_prefix(before)?.strip_suffix(after)?;
        let is_put = put.starts_with(['$', '#', '{']);
        let name: String = put.chars().filter(|c| c.is_ascii_alphanumeric() || *c == '_').collect();
        let name = name.to_ascii_lowercase();
        (is_put && !name.is_empty() && !words::is_chooser(&name)).then_some(name)
    })
}

/// Whether files have names in common, so that they can be variants of each other.
fn are_alike(
    files: &[SettingsFile],
    groups: &[(Vec<String>, Vec<Way>)],
    members: &[usize],
) -> bool {
    let keys = |number: usize| {
        let mut keys: BTreeSet<&str> = BTreeSet::new();
        for way in &groups[number].1 {
            keys.extend(files[way.file].shape.keys.iter().map(String::as_str));
        }
        keys
    };
    let Some((first, rest)) = members.split_first() else { return false };
    let first = keys(*first);
    rest.iter().any(|it| keys(*it).intersection(&first).next().is_some())
}

fn stem(name: &str) -> &str {
    name.rsplit_once('.').map_or(name, |(stem, _)| stem)
}

fn ending(name: &str) -> &str {
    &name[stem(name).len()..]
}

/// The value that a part of a path has for an axis, and the path with the axis in its place.
fn varying(parts: &[String], at: usize, axis: &str) -> (String, Vec<String>) {
    let mut pattern = parts.to_vec();
    let part = &parts[at];
    let is_name = at + 1 == parts.len();
    let (value, holed) = match is_name {
        true => (stem(part).to_owned(), format!("{{{axis}}}{}", ending(part))),
        false => (part.clone(), format!("{{{axis}}}")),
    };
    pattern[at] = holed;
    (value, pattern)
}
