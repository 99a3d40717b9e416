//! Which settings a person means by what they typed.

use justwhy_core::{
    Former, KeyId, KeyPath, Layer, LayerIndex, Names, Naming, NearName, Pattern, Reading,
    Resolution, is_variable_name, nearest_few,
};
use justwhy_project::Error;

/// The settings meant by `text`: a key, a branch of keys, a pattern, a key that a setting had once,
/// the name of a variable, or the place of a line; a key that exists comes first. None only for a
/// pattern that matches nothing.
///
/// `inside` is where the working directory is below the project's folder, for `FILE:LINE`.
pub fn settings(
    resolution: &Resolution,
    inside: Option<&str>,
    text: &str,
) -> Result<Vec<KeyId>, Error> {
    let keys = resolution.keys();
    if Pattern::has_wildcard(text) {
        let pattern = Pattern::parse(text).map_err(|error| bad_key(text, &error))?;
        let matching = |key: &KeyId| pattern.matches(keys, *key);
        return Ok(resolution.settings().into_iter().filter(matching).collect());
    }
    let parsed = KeyPath::parse(text);
    if let Ok(path) = &parsed
        && let Some(key) = keys.find(KeyId::ROOT, path)
    {
        let found = within(resolution, key);
        if !found.is_empty() {
            return Ok(found);
        }
    }
    if let Some(key) = parsed.as_ref().ok().and_then(|path| once_called(resolution, path)) {
        return Ok(vec![key]);
    }
    if let Some(key) = of_variable(resolution, text) {
        return Ok(vec![key]);
    }
    if let Some((file, line)) = place(text) {
        return at_line(resolution, inside, file, line);
    }
    match parsed {
        Ok(_) => Err(unknown(resolution, text)),
        Err(error) => Err(bad_key(text, &error)),
    }
}

/// The settings at `key` and below it.
fn within(resolution: &Resolution, key: KeyId) -> Vec<KeyId> {
    let keys = resolution.keys();
    let all = std::iter::once(key).chain(keys.below(key));
    keys.sorted(all.filter(|key| resolution.is_setting(*key)))
}

/// The key that a person means who names one: itself if anything mentions it, else that of the setting
/// whose variable it is.
///
/// A key may be new, but what looks like a variable and is none of any setting is a slip.
pub fn path_meant(resolution: &Resolution, path: KeyPath) -> Result<KeyPath, Error> {
    let keys = resolution.keys();
    let known = keys.find(KeyId::ROOT, &path).is_some_and(|key| resolution.is_setting(key));
    let name = path.segments().next().filter(|_| !known && path.segments().count() == 1);
    let names = resolution.readings().layers.iter().flat_map(Layer::all_names);
    let mut namings = names.filter_map(|names| match names {
        Names::Variables(naming) => Some(&naming.prefix),
        Names::Keys => None,
    });
    let mut is_ours = |name: &&str| {
        is_variable_name(name)
            && namings.any(|prefix| !prefix.is_empty() && name.starts_with(prefix.as_str()))
    };
    let Some(name) = name.filter(&mut is_ours) else { return Ok(path) };
    let Some(key) = of_variable(resolution, name) else { return Err(unknown(resolution, name)) };
    let segments = keys.segments(key).into_iter().map(str::to_owned).collect();
    Ok(KeyPath::from_segments(segments).unwrap_or(path))
}

/// The setting whose variable, as some layer reads it, has that name.
fn of_variable(resolution: &Resolution, name: &str) -> Option<KeyId> {
    let settings = resolution.settings();
    let mut namings: Vec<&Naming> = Vec::new();
    for names in resolution.readings().layers.iter().flat_map(Layer::all_names) {
        if let Names::Variables(naming) = names {
            namings.push(naming);
        }
    }
    // Without a layer of variables a program may still have some: those that are handed over.
    namings.extend(&resolution.readings().inputs.naming);
    let mut declared = resolution.readings().catalogue.settings();
    let given = declared.find(|(_, declared)| declared.variable.as_deref() == Some(name));
    if let Some((key, _)) = given {
        return Some(key);
    }
    namings.into_iter().find_map(|naming| {
        // Indexing would cost as much as asking every setting once.
        settings.iter().copied().find(|key| naming.variable(resolution.keys(), *key) == name)
    })
}

/// The setting that was once called so.
fn once_called(resolution: &Resolution, path: &KeyPath) -> Option<KeyId> {
    let readings = resolution.readings();
    let by_variable = |name: &str| {
        let mut declared = readings.catalogue.settings();
        declared.find_map(|(key, declared)| {
            let is_it = |former: &Former| matches!(former, Former::Variable(it) if it == name);
            declared.formerly.iter().any(is_it).then_some(key)
        })
    };
    let key = resolution.keys().find(KeyId::ROOT, path);
    key.and_then(|key| readings.catalogue.successor(key)).or_else(|| by_variable(&path.to_string()))
}

/// `FILE:LINE`, or `FILE:LINE:COLUMN` as places are shown.
fn place(text: &str) -> Option<(&str, usize)> {
    let number = |text: &str| text.parse::<usize>().ok().filter(|number| *number > 0);
    let (before, last) = text.rsplit_once(':')?;
    let last = number(last)?;
    match before.rsplit_once(':') {
        Some((file, line)) if number(line).is_some() => Some((file, number(line)?)),
        _ => (!before.is_empty()).then_some((before, last)),
    }
}

/// The paths, relative to the project's folder, that a file could mean.
fn paths(inside: Option<&str>, file: &str) -> Vec<String> {
    let file = file.strip_prefix("./").unwrap_or(file);
    let from_here = inside.filter(|inside| !inside.is_empty());
    let from_here = from_here.map(|inside| format!("{inside}/{file}"));
    from_here.into_iter().chain([file.to_owned()]).collect()
}

/// Whether what was read has the file of a place, `FILE:LINE`.
pub fn has_source(resolution: &Resolution, inside: Option<&str>, text: &str) -> bool {
    let Some((file, _)) = place(text) else {
        return false;
    };
    let paths = paths(inside, file);
    let mut readings = resolution.readings().readings.iter();
    readings.any(|reading| paths.iter().any(|path| *path == *reading.origin.name()))
}

/// The settings written at a line of a file, whose path is relative to the working directory or to
/// the project.
fn at_line(
    resolution: &Resolution,
    inside: Option<&str>,
    file: &str,
    line: usize,
) -> Result<Vec<KeyId>, Error> {
    let mut is_read = false;
    for path in paths(inside, file) {
        let (mut exact, mut covering) = (Vec::new(), Vec::new());
        for id in resolution.all_candidates() {
            let candidate = resolution.candidate(id);
            let reading = resolution.reading(candidate);
            if reading.origin.name() != path {
                continue;
            }
            is_read = true;
            let at = resolution.leaf(candidate).at;
            let Some(start) = reading.document.position(at) else { continue };
            let end =
                at.and_then(|at| reading.document.text.as_ref().map(|it| it.position(at.end)));
            if start.line == line {
                exact.push(candidate.key);
            } else if start.line < line && end.is_some_and(|end| line <= end.line) {
                covering.push(candidate.key);
            }
        }
        let found = if exact.is_empty() { covering } else { exact };
        if !found.is_empty() {
            return Ok(resolution.keys().sorted(found));
        }
    }
    let error = match is_read {
        true => {
            let message = format!("no value begins at line {line} of {file}");
            Error::new("unknown-key", message)
        }
        false => {
            let message = format!("no layer reads {file} here");
            Error::new("unread-source", message)
        }
    };
    Err(error.help("write FILE:LINE, from the working directory or the project's folder"))
}

fn bad_key(text: &str, error: &justwhy_core::NameError) -> Error {
    let at = text.get(..error.at).map_or(0, |start| start.chars().count()) + 1;
    Error::new("bad-argument", format!("invalid key: {} (character {at})", error.problem)).help(
        "write a dotted path such as database.pool.max; quote a segment with other \
               characters, as in headers.\"x.y\"",
    )
}

fn unknown(resolution: &Resolution, text: &str) -> Error {
    let mut error = Error::new("unknown-key", format!("no setting {text} here"));
    if let Some(place) = left_out_at(resolution, text) {
        error = error.help(format!("{place} is a key without a value"));
    }
    let keys = resolution.keys();
    let path = justwhy_core::KeyPath::parse(text).ok();
    let key = path.and_then(|path| keys.find(KeyId::ROOT, &path));
    let map = key.and_then(|key| resolution.readings().catalogue.map_at(keys, key));
    if let Some(map) = map {
        let map = keys.show(map);
        return error.help(format!("{map} is a table with one value as a whole; ask for {map}"));
    }
    let near = near_keys(resolution, text);
    match near.as_slice() {
        [] => error.help("justwhy list shows all settings"),
        near => error.help(format!("did you mean {}?", justwhy_core::list_values(near, "or"))),
    }
}

/// Where a source has the name and nothing behind it.
fn left_out_at(resolution: &Resolution, text: &str) -> Option<String> {
    let keys = resolution.keys();
    let key = keys.find(KeyId::ROOT, &KeyPath::parse(text).ok()?)?;
    resolution.readings().readings.iter().find_map(|reading| {
        let (_, at) = reading.document.left_out.iter().find(|(name, _)| *name == key)?;
        let place = reading.place_at(Some(*at));
        place.has_line().then(|| place.to_string())
    })
}

/// The keys and variables nearest to a text that is none.
pub fn near_keys(resolution: &Resolution, text: &str) -> Vec<String> {
    const MOST: usize = 3;
    let keys = resolution.keys();
    let settings = resolution.settings();
    let branches = settings.iter().flat_map(|key| keys.above(*key));
    let all = keys.sorted(settings.iter().copied().chain(branches));
    let shown: Vec<String> = all.into_iter().map(|key| keys.show(key)).collect();
    let mut near: Vec<String> = nearest_few(text, shown.iter().map(String::as_str), MOST)
        .into_iter()
        .map(str::to_owned)
        .collect();
    if near.is_empty() {
        // The start of a key was forgotten.
        let ending = format!(".{text}");
        near.extend(shown.iter().filter(|key| key.ends_with(&ending)).take(MOST).cloned());
    }
    if near.is_empty() {
        near.extend(near_variables(resolution, text));
    }
    near
}

fn near_variables(resolution: &Resolution, text: &str) -> Vec<String> {
    let readings = resolution.readings();
    let mut found = Vec::new();
    for index in (0..readings.layers.len()).map(LayerIndex) {
        if readings.layer(index).names == Names::Keys {
            continue;
        }
        for key in resolution.settings() {
            let Some(name) = readings.variable(index, key) else { continue };
            if justwhy_core::is_near(&name, text) && !found.contains(&name) {
                found.push(name);
            }
        }
    }
    found.truncate(3);
    found
}

/// Names of variables in what was read that are nearly the variable of a known setting and are not
/// read for it.
pub fn stray_names(resolution: &Resolution) -> Vec<NearName> {
    let readings = resolution.readings();
    let mut found = Vec::new();
    for index in (0..readings.layers.len()).map(LayerIndex) {
        let has_strangers = |reading: &std::sync::Arc<Reading>| {
            reading.layer == index && !reading.strangers.is_empty()
        };
        let names_are_keys = readings.layer(index).names == Names::Keys;
        if names_are_keys || !readings.readings.iter().any(has_strangers) {
            continue;
        }
        for key in resolution.settings() {
            if !is_known(resolution, key) {
                continue;
            }
            if let Some(variable) = readings.variable(index, key) {
                found.extend(readings.near_names(index, key, &variable));
            }
        }
    }
    found
}

/// Whether the setting is declared, or a layer whose names are keys sets it, so that it is surely
/// meant.
fn is_known(resolution: &Resolution, key: KeyId) -> bool {
    let is_declared = resolution.readings().catalogue.declared(key).is_some();
    is_declared
        || resolution.candidates(key).any(|id| {
            let layer = resolution.layer_of(resolution.candidate(id));
            resolution.readings().layer(layer).names == Names::Keys
        })
}
