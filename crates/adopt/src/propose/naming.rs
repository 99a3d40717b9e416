//! How names of variables and keys belong together.

use super::code::fold;
use super::rank;
use crate::draft::{Draft, counted};
use crate::observation::Observations;
use std::collections::{BTreeMap, BTreeSet};

/// A way to make the name of a variable of a key.
struct Naming {
    prefix: String,
    nest: &'static str,
    /// Variables that are a key's under it, with those keys.
    hits: BTreeMap<String, String>,
}

pub(super) fn of_variables(seen: &Observations, draft: &mut Draft) {
    let keys: BTreeSet<String> = draft
        .layers
        .iter()
        .filter(|it| !it.has("into"))
        .flat_map(|it| it.keys.iter().cloned())
        .collect();
    let mut variables: BTreeSet<String> = BTreeSet::new();
    for file in seen.settings.iter().filter(|file| file.format.has_variables()) {
        variables.extend(
            file.shape.keys.iter().filter(|it| !justwhy_core::is_system_variable(it)).cloned(),
        );
    }
    variables.extend(seen.set.iter().cloned());
    variables.extend(seen.images.iter().flat_map(|image| image.names.iter().cloned()));
    variables.extend(
        seen.code
            .reads
            .iter()
            .filter(|it| !it.is_key && is_variable(&it.name))
            .map(|it| it.name.clone()),
    );
    // What a file of keys refers to is no other name of its keys.
    let refers = seen.settings.iter().filter(|file| !file.format.has_variables());
    for name in refers.flat_map(|file| &file.shape.refers) {
        variables.remove(name);
    }
    mixed_spelling(draft);
    if keys.is_empty() || variables.is_empty() {
        draft.naming.push(match keys.is_empty() {
            true => {
                "Every name is a variable of its own: no file has keys that variables could mean."
                    .to_owned()
            }
            false => "No variable was seen that could mean a key.".to_owned(),
        });
        env_before_keys(seen, draft);
        return;
    }
    let best = best(&keys, &variables);
    match best {
        Some(naming) => take(naming, &variables, seen, draft),
        None => {
            let loose: Vec<(&String, &String)> = variables
                .iter()
                .filter_map(|it| {
                    Some((it, keys.iter().find(|key| key.contains('.') && fold(key) == fold(it))?))
                })
                .collect();
            let is_nested = loose.iter().any(|(variable, _)| variable.contains("__"));
            if (loose.len() >= 2 || is_nested) && !draft.is_loose {
                draft.is_loose = true;
                draft.loosely.push(format!(
                    "{} variables mean keys without separators: {} is {}.",
                    loose.len(),
                    loose[0].0,
                    loose[0].1
                ));
            }
            draft.naming.push(
                "No variable was seen that is a key of several parts: names without a prefix."
                    .to_owned(),
            );
        }
    }
    env_before_keys(seen, draft);
    images_after_keys(seen, &keys, draft);
}

/// Variables of an image are part of the environment: where they mean keys, they are stronger than files of those.
fn images_after_keys(seen: &Observations, keys: &BTreeSet<String>, draft: &mut Draft) {
    let prefix = fold(&draft.prefix);
    let folded: BTreeMap<String, &String> =
        keys.iter().map(|key| (format!("{prefix}{}", fold(key)), key)).collect();
    for layer in draft.layers.iter_mut().filter(|layer| layer.rank.0 == rank::IMAGE) {
        let image = seen.images.iter().find(|image| layer.files.contains(&image.path));
        let hit = image
            .and_then(|image| image.names.iter().find_map(|it| Some((it, folded.get(&fold(it))?))));
        if let Some((variable, key)) = hit {
            layer.rank.0 = rank::ENVIRONMENT;
            layer.because.push(format!(
                "{variable} means {key}: the environment is usually stronger than files of keys."
            ));
        }
    }
}

fn is_variable(name: &str) -> bool {
    name.bytes().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit() || b == b'_')
}

/// The naming under which most variables are keys of several parts, or have a prefix.
fn best(keys: &BTreeSet<String>, variables: &BTreeSet<String>) -> Option<Naming> {
    let mut prefixes: BTreeSet<String> = BTreeSet::from([String::new()]);
    for variable in variables {
        for (at, _) in variable.match_indices('_') {
            prefixes.insert(variable[..=at].to_owned());
            if variable[at..].starts_with("__") {
                prefixes.insert(variable[..at + 2].to_owned());
            }
        }
    }
    let mut all: Vec<Naming> = Vec::new();
    for prefix in prefixes {
        if !prefix.is_empty() && variables.iter().filter(|it| it.starts_with(&prefix)).count() < 2 {
            continue;
        }
        for nest in ["__", "_"] {
            let mut hits = BTreeMap::new();
            for key in keys {
                let parts: Vec<String> = key
                    .split('.')
                    .map(|part| part.to_ascii_uppercase().replace('-', "_"))
                    .collect();
                let variable = format!("{prefix}{}", parts.join(nest));
                if variables.contains(&variable) && (parts.len() > 1 || !prefix.is_empty()) {
                    hits.insert(variable, key.clone());
                }
            }
            all.push(Naming { prefix: prefix.clone(), nest, hits });
        }
    }
    let with =
        |naming: &Naming| variables.iter().filter(|it| it.starts_with(&naming.prefix)).count();
    // One name that is a key by chance proves nothing.
    all.retain(|naming| {
        let several = naming.hits.values().filter(|key| key.contains('.')).count();
        match naming.prefix.as_str() {
            "" => several >= 2,
            _ => several >= 1 || naming.hits.len() >= 3 && naming.hits.len() * 2 >= with(naming),
        }
    });
    all.into_iter()
        .max_by_key(|it| (it.hits.len(), it.nest == "__", std::cmp::Reverse(it.prefix.len())))
}

fn take(naming: Naming, variables: &BTreeSet<String>, seen: &Observations, draft: &mut Draft) {
    let Naming { prefix, nest, hits } = naming;
    let shown = hits
        .iter()
        .next()
        .map(|(variable, key)| format!("{variable} is {key}"))
        .unwrap_or_default();
    draft.naming.push(format!(
        "{} of {} variables are keys by this rule: {shown}.",
        hits.len(),
        variables.len()
    ));
    draft.prefix.clone_from(&prefix);
    if nest != "__" {
        draft.nest = Some(nest.to_owned());
    }
    if prefix.is_empty() {
        return;
    }
    // Names without the prefix are settings of their own.
    let known: BTreeSet<String> = draft.declared.iter().map(|(_, name, _)| name.clone()).collect();
    for name in variables.iter().filter(|it| {
        !it.starts_with(&prefix) && !known.contains(*it) && !justwhy_core::is_system_variable(it)
    }) {
        let file = seen
            .settings
            .iter()
            .find(|file| file.format.has_variables() && file.shape.keys.contains(name));
        let read = seen.code.reads.iter().find(|read| read.name == *name);
        let because = match (file, read) {
            (Some(file), _) => format!("{} sets it, without the prefix {prefix}", file.path),
            (None, Some(read)) => format!("{} reads it, without the prefix {prefix}", read.spot),
            (None, None) => continue,
        };
        let is_sampled = seen
            .settings
            .iter()
            .any(|file| crate::family::is_sample(&file.path) && file.shape.keys.contains(name));
        if !is_sampled {
            draft.declared.push((name.to_ascii_lowercase(), name.clone(), because));
        }
    }
}

/// Keys that are the same but for their spelling.
fn mixed_spelling(draft: &mut Draft) {
    let mut spelled: BTreeMap<String, (&String, &String)> = BTreeMap::new();
    let mut pairs = Vec::new();
    for layer in draft.layers.iter().filter(|it| !it.has("into")) {
        for key in &layer.keys {
            let folded: Vec<String> = key.split('.').map(fold).collect();
            match spelled.get(&folded.join(".")) {
                Some((other, from)) if *other != key => {
                    pairs.push(format!("{} ({}) and {key} ({})", other, from, layer.files[0]))
                }
                Some(_) => {}
                None => {
                    if let Some(file) = layer.files.first() {
                        spelled.insert(folded.join("."), (key, file));
                    }
                }
            }
        }
    }
    if let Some(first) = pairs.first() {
        draft.is_loose = true;
        draft
            .loosely
            .push(format!("{} in several spellings: {first}.", counted(pairs.len(), "key")));
    }
}

/// Files of keys that refer to variables find only what is weaker: env files have to come before them then.
fn env_before_keys(seen: &Observations, draft: &mut Draft) {
    let mut names: BTreeSet<&String> = BTreeSet::new();
    let mut place = None;
    for file in seen.settings.iter().filter(|file| !file.format.has_variables()) {
        let is_posix = draft.layers.iter().any(|layer| {
            layer.files.contains(&file.path)
                && layer.fields.iter().any(|it| it == "references = \"posix\"")
        });
        if is_posix {
            names.extend(&file.shape.refers);
            place = place.or_else(|| Some(format!("{}:{}", file.path, file.shape.marks.posix?)));
        }
    }
    let Some(place) = place else { return };
    for layer in draft.layers.iter_mut().filter(|layer| layer.rank.0 == rank::ENV) {
        let has = seen.settings.iter().any(|file| {
            layer.files.contains(&file.path) && file.shape.keys.iter().any(|it| names.contains(it))
        });
        if has {
            layer.rank.0 = rank::REFERRED;
            layer.because.push(format!(
                "It comes before the files of keys: {place} refers to its variables."
            ));
        }
    }
}
