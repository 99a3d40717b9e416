//! Proves a proposal: it loads, and every context can be read; what cannot is turned into a comment.

use crate::draft::{Draft, Layer};
use justwhy_core::Origin;
use justwhy_engine::{Arguments, Overlay, Ports, Session};
use justwhy_project::{Error, Project, World};
use std::collections::BTreeSet;
use std::path::Path;
use std::sync::Arc;

/// More contexts than this are not all read: those are, spread over all.
const MOST_CONTEXTS: usize = 60;

/// Turns into comments what keeps the proposal from loading or from being read, and gives its text.
pub(crate) fn prove(
    world: &Arc<dyn World>,
    folder: &Path,
    file: &str,
    draft: &mut Draft,
) -> Result<String, Vec<Error>> {
    // Each round takes at least one thing out.
    let most =
        draft.layers.len() + draft.catalogue.len() + draft.declared.len() + draft.axes.len() + 2;
    for _ in 0..most {
        let text = draft.text();
        let errors = problems(world, folder, file, &text);
        if errors.is_empty() {
            return Ok(text);
        }
        let refused = errors.iter().filter(|error| refuse(draft, file, &text, error)).count();
        if refused == 0 {
            return Err(errors);
        }
    }
    Err(vec![Error::new("no-proposal", "the proposal cannot be made to load")])
}

/// The project that a project file of that text would be; no process has variables in it.
pub(crate) fn open(
    world: &Arc<dyn World>,
    folder: &Path,
    file: &str,
    text: &str,
) -> Result<Session, Vec<Error>> {
    let path = folder.join(file);
    let there = Overlay::new(Arc::clone(world), Vec::new()).in_folder(folder.to_owned());
    let proposed = there.clone().with_file(&path, text.as_bytes().to_vec());
    let project = Project::load(&proposed, Some(&path))?;
    // Only the project file is otherwise: what it names is read as it is.
    Ok(Session::of(Ports::of(Arc::new(there)), project))
}

/// What is wrong with a project file of that text.
pub(crate) fn problems(
    world: &Arc<dyn World>,
    folder: &Path,
    file: &str,
    text: &str,
) -> Vec<Error> {
    let session = match open(world, folder, file, text) {
        Ok(session) => session,
        Err(errors) => return errors,
    };
    let snapshot = session.snapshot(Arguments::default(), true);
    let fixed = match snapshot.fixed(None) {
        Ok(fixed) => fixed,
        Err(error) => return vec![error],
    };
    let contexts = match snapshot.contexts(&fixed) {
        Ok(contexts) => contexts,
        Err(error) => return vec![error],
    };
    let step = contexts.len().div_ceil(MOST_CONTEXTS).max(1);
    let contexts: Vec<_> = contexts.into_iter().step_by(step).chain([fixed]).collect();
    let mut found: Vec<Error> = Vec::new();
    for read in snapshot.read_all(&contexts) {
        for error in read.err().unwrap_or_default() {
            if !found.iter().any(|known| known.is_same(&error)) {
                found.push(error);
            }
        }
    }
    found
}

/// Turns what an error is about into a comment; whether there was something.
fn refuse(draft: &mut Draft, file: &str, text: &str, error: &Error) -> bool {
    let place = error.place();
    let source = place.and_then(|it| match &it.origin {
        Origin::File(path) => Some(path.to_string()),
        _ => None,
    });
    let line = place.and_then(|it| it.position()).map(|it| it.line);
    let why = reason(error);
    match (source, line) {
        (Some(source), Some(line)) if source == file => refuse_line(draft, text, line, &why),
        (Some(source), _) => refuse_file(draft, &source, &why),
        (None, _) => match error.message() {
            _ if error.code() == "limit" => open_axis(draft),
            message => {
                let named = draft.layers.iter().find(|it| {
                    it.refused.is_none()
                        && it.files.iter().any(|file| message.contains(file.as_str()))
                });
                let named = named.map(|it| it.name.clone());
                named.is_some_and(|name| refuse_layer(draft, |layer| layer.name == name, &why))
            }
        },
    }
}

/// Opens the axis with the most values, so that commands over many contexts do not go through it.
fn open_axis(draft: &mut Draft) -> bool {
    let closed =
        draft.axes.iter_mut().filter(|axis| !axis.allowed.is_empty() && !axis.is_listed_only);
    let most = closed.max_by_key(|axis| (axis.name != "environment", axis.allowed.len()));
    let Some(axis) = most else { return false };
    axis.is_listed_only = true;
    axis.is_open = true;
    true
}

/// What is wrong, with its place; a message never has a value in it.
fn reason(error: &Error) -> String {
    match error.place() {
        Some(place) => format!("{place}: {}", error.message()),
        None => error.message().to_owned(),
    }
}

fn refuse_layer(draft: &mut Draft, is_meant: impl Fn(&Layer) -> bool, why: &str) -> bool {
    let mut done = false;
    for layer in draft.layers.iter_mut().filter(|layer| layer.refused.is_none()) {
        if is_meant(layer) {
            layer.refused = Some(why.to_owned());
            done = true;
        }
    }
    done
}

/// The layers of a file, or the entry of the catalogue.
fn refuse_file(draft: &mut Draft, source: &str, why: &str) -> bool {
    let mut done = false;
    for (entry, _, refused) in draft.catalogue.iter_mut().filter(|(.., refused)| refused.is_none())
    {
        if entry.contains(&format!("\"{source}\"")) {
            *refused = Some(why.to_owned());
            done = true;
        }
    }
    for layer in draft.layers.iter_mut().filter(|layer| layer.refused.is_none()) {
        if layer.files.iter().any(|it| it == source) {
            if !leave_out(layer, source, why) {
                layer.refused = Some(why.to_owned());
            }
            done = true;
        }
    }
    done
}

/// Leaves one file out of a family; whether that is possible.
pub(crate) fn leave_out(layer: &mut Layer, source: &str, why: &str) -> bool {
    let pattern = layer.reads.strip_prefix("file = \"").and_then(|it| it.strip_suffix('"'));
    let Some((before, rest)) = pattern.and_then(|it| it.split_once('{')) else { return false };
    let Some((axis, after)) = rest.split_once('}') else { return false };
    let value = source.strip_prefix(before).and_then(|it| it.strip_suffix(after));
    let is_only = layer.files.len() - layer.left_out.len() <= 1;
    match value.filter(|it| !is_only && crate::words::is_value(it) && !after.contains('{')) {
        Some(value) if !layer.left_out.iter().any(|(_, known)| known == value) => {
            layer.because.push(format!("Not read: {why}"));
            layer.left_out.push((axis.to_owned(), value.to_owned()));
            true
        }
        _ => false,
    }
}

/// What the line of the proposal is in.
fn refuse_line(draft: &mut Draft, text: &str, line: usize, why: &str) -> bool {
    let lines: Vec<&str> = text.lines().collect();
    let head = lines[..line.min(lines.len())].iter().rposition(|it| it.starts_with('['));
    let Some(head) = head else { return false };
    let block: BTreeSet<&str> =
        lines[head..].iter().skip(1).take_while(|it| !it.starts_with('[')).copied().collect();
    match lines[head] {
        "[[layer]]" => {
            let name = block.iter().find_map(|it| it.strip_prefix("name = \"")?.strip_suffix('"'));
            name.is_some_and(|name| refuse_layer(draft, |layer| layer.name == name, why))
        }
        "[[axis]]" => {
            let name = block.iter().find_map(|it| it.strip_prefix("name = \"")?.strip_suffix('"'));
            let Some(axis) =
                name.and_then(|name| draft.axes.iter_mut().find(|axis| axis.name == name))
            else {
                return false;
            };
            let had = !axis.reads.is_empty() || axis.default.is_some();
            axis.reads.clear();
            axis.default = None;
            axis.instead.push(format!("not carried: {why}"));
            had
        }
        head => {
            let key = head.strip_prefix("[setting.\"").and_then(|it| it.strip_suffix("\"]"));
            let before = draft.declared.len();
            if let Some(key) = key {
                draft.declared.retain(|(known, ..)| known != key);
            }
            draft.declared.len() < before
        }
    }
}
