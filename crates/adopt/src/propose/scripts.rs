//! What shell scripts source and assign, and the process environment.

use super::rank;
use crate::draft::{Draft, Layer, counted, quoted};
use crate::observation::{Left, Observations, Script, Spot};
use std::collections::BTreeSet;

/// Puts the files that a script sources in its order, and reads what it assigns itself.
pub(super) fn sourced(seen: &Observations, draft: &mut Draft) {
    let mut best: Option<(&Script, Vec<(usize, usize)>)> = None;
    for script in &seen.scripts {
        let order = order(script, draft);
        if order.len() > best.as_ref().map_or(0, |(_, order)| order.len()) {
            best = Some((script, order));
        }
    }
    if let Some((script, order)) = &best {
        for (place, (layer, line)) in order.iter().enumerate() {
            let layer = &mut draft.layers[*layer];
            let place = u32::try_from(place).unwrap_or(0);
            layer.rank = (rank::SCRIPT, 0, place, String::new());
            layer.because.push(format!("{}:{line} sources it, in this order.", script.path));
            if !layer.has("references") {
                layer.fields.push("references = \"posix\"".to_owned());
            }
        }
    }
    let used = used(seen);
    for script in &seen.scripts {
        for line in script.inline.iter().take(5) {
            let why = "variables in front of a command in a script".to_owned();
            draft.left.push(Left { spot: Spot::new(&script.path, *line), why });
        }
        let is_start = best.as_ref().is_some_and(|(it, _)| it.path == script.path);
        let is_config = draft.layers.iter().any(|layer| layer.files.contains(&script.path));
        if is_config || script.assigns.is_empty() {
            continue;
        }
        let exported: Vec<(&String, &usize)> = script
            .assigns
            .iter()
            .filter(|(name, _)| {
                script.exports_all
                    || script.exports.contains(*name)
                    || is_start && used.contains(name.as_str())
            })
            .collect();
        if exported.is_empty() {
            continue;
        }
        assigned(script, &exported, is_start, seen.scripts.len(), draft);
    }
}

/// Names that are known elsewhere.
fn used(seen: &Observations) -> BTreeSet<&str> {
    let files = seen.settings.iter().filter(|file| file.format.has_variables());
    let mut used: BTreeSet<&str> =
        files.flat_map(|file| file.shape.keys.iter().map(String::as_str)).collect();
    used.extend(seen.code.reads.iter().map(|read| read.name.as_str()));
    used
}

/// A layer of what a script assigns and hands on.
fn assigned(
    script: &Script,
    exported: &[(&String, &usize)],
    is_start: bool,
    scripts: usize,
    draft: &mut Draft,
) {
    let lines = || exported.iter().map(|(_, line)| **line);
    let first_source = script.sourced.iter().map(|it| it.line).min();
    let last_source = script.sourced.iter().map(|it| it.line).max();
    let minor = match (first_source, last_source) {
        (None, _) | (_, None) => 500,
        (_, Some(last)) if lines().all(|line| line > last) => 500,
        (Some(first), _) if lines().all(|line| line < first) => 0,
        _ => {
            let why = "it assigns before and after it sources files; which is stronger depends on the line".to_owned();
            draft.left.push(Left {
                spot: Spot::new(&script.path, exported.first().map_or(1, |(_, line)| **line)),
                why,
            });
            return;
        }
    };
    if !is_start && scripts > 1 && first_source.is_none() {
        let why = format!(
            "it exports {} variables for what it starts; other scripts do not have them",
            exported.len()
        );
        draft.left.push(Left {
            spot: Spot::new(&script.path, exported.first().map_or(1, |(_, line)| **line)),
            why,
        });
        return;
    }
    let name = script.path.rsplit('/').next().unwrap_or(&script.path);
    let layer = Layer {
        name: crate::words::as_name(name),
        rank: (rank::SCRIPT, if minor == 0 { 0 } else { 1 }, minor, script.path.clone()),
        reads: format!("file = {}", quoted(&script.path)),
        fields: vec!["references = \"posix\"".to_owned()],
        because: vec![format!(
            "{}: assigns {} for what it starts.",
            script.path,
            counted(exported.len(), "variable")
        )],
        files: vec![script.path.clone()],
        ..Layer::default()
    };
    draft.layers.push(layer);
}

/// The layers whose files a script sources, in its order, each with the line.
fn order(script: &Script, draft: &Draft) -> Vec<(usize, usize)> {
    let mut order: Vec<(usize, usize)> = Vec::new();
    for sourced in &script.sourced {
        let wanted = as_pattern(&sourced.text);
        let found = draft.layers.iter().position(|layer| {
            let is_env = layer.rank.0 == rank::ENV || layer.rank.0 == rank::DEFAULTS;
            // What is filled in is an axis.
            is_env
                && layer.axes.is_empty() != wanted.contains('*')
                && layer.files.iter().any(|file| is_meant(&script.path, file, &wanted))
        });
        if let Some(layer) = found.filter(|it| order.iter().all(|(known, _)| known != it)) {
            order.push((layer, sourced.line));
        }
    }
    order
}

/// A path in a script, with `*` for what is filled in.
fn as_pattern(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find('$') {
        out.push_str(&rest[..at]);
        let after = &rest[at + 1..];
        let end = match after.chars().next() {
            Some('{') => after.find('}').map_or(after.len(), |end| end + 1),
            Some('(') => after.find(')').map_or(after.len(), |end| end + 1),
            _ => {
                after.find(|c: char| !c.is_ascii_alphanumeric() && c != '_').unwrap_or(after.len())
            }
        };
        out.push('*');
        rest = &after[end..];
    }
    out.push_str(rest);
    let out = out.trim_start_matches("./");
    // A folder that is filled in is that of the script, or the current one.
    out.strip_prefix("*/").unwrap_or(out).to_owned()
}

/// Whether a file is what a script means by a path, relative to its folder or to that of the project.
fn is_meant(script: &str, file: &str, wanted: &str) -> bool {
    let folder = script.rsplit_once('/').map_or("", |(folder, _)| folder);
    let matches = |pattern: &str| {
        let pieces: Vec<&str> = pattern.split('*').collect();
        match pieces.as_slice() {
            [whole] => file == *whole,
            [before, after] => {
                file.len() >= before.len() + after.len()
                    && file.starts_with(before)
                    && file.ends_with(after)
                    && !file[before.len()..file.len() - after.len()].contains('/')
            }
            _ => false,
        }
    };
    matches(wanted)
        || super::running::beside(script, &wanted.replace('*', "\u{1}"))
            .is_some_and(|it| matches(&it.replace('\u{1}', "*")))
            && !folder.is_empty()
}

/// The process environment: stronger than all files, but for those that a script sources after it was started.
pub(super) fn process(draft: &mut Draft) {
    let has_script = draft.layers.iter().any(|layer| layer.rank.0 == rank::SCRIPT);
    let because = match has_script {
        true => {
            "The environment that the script is started with; what it sources and assigns is stronger."
        }
        false => {
            "Usual order: the environment is stronger than files; nothing in the repository contradicts it."
        }
    };
    draft.layers.push(Layer {
        name: "process".to_owned(),
        rank: (rank::PROCESS, 0, 0, String::new()),
        reads: "process = true".to_owned(),
        because: vec![because.to_owned()],
        ..Layer::default()
    });
}
