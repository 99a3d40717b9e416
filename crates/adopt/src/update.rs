//! What an existing project file lacks: layers and values of axes for files that no layer reads.

use crate::draft::{Draft, Layer, axis_text, quoted};
use crate::listing::Listing;
use crate::prove::{open, problems};
use crate::{observe, propose};
use justwhy_engine::pattern;
use justwhy_formats::{Format, Kind, Limits, NodeId, Tree};
use justwhy_project::{Error, Glob, Project, Reads, World};
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::Path;
use std::sync::Arc;

/// What is added to a project file.
#[derive(Clone, Debug)]
pub struct Addition {
    /// The bytes of the file as it is.
    pub before: Vec<u8>,
    /// Its text with what is added.
    pub text: String,
    /// The difference; empty if there is none.
    pub diff: String,
    /// The axes that are added or get more values.
    pub axes: Vec<String>,
    /// The layers that are added.
    pub layers: Vec<String>,
    /// How many files were looked at.
    pub files: usize,
}

/// Proposes what a project file lacks for the files of its folder. Nothing in it is removed or changed.
pub fn update(
    world: &Arc<dyn World>,
    folder: &Path,
    file: &str,
    progress: &dyn Fn(usize, usize),
) -> Result<Addition, Vec<Error>> {
    const MOST_BYTES: u64 = 4 * 1024 * 1024;
    let one = |error| vec![error];
    let path = folder.join(file);
    let before = world
        .read_file(&path, MOST_BYTES)
        .map_err(|problem| one(justwhy_project::unreadable(&problem, file)))?;
    let text = String::from_utf8(before.clone()).map_err(|_| {
        one(Error::new("bad-file", format!("{file} is not UTF-8")).help("save it as UTF-8"))
    })?;
    let session = open(world, folder, file, &text)?;
    let project = session.project();
    let listing = Listing::of(&**world, folder).map_err(one)?;
    let seen = observe::observe(&**world, folder, &listing, progress);
    let name = project.name.clone().unwrap_or_default();
    let draft = propose::propose(&name, &seen);
    let lacking = Lacking::of(project, &draft);
    let mut kept: Vec<usize> = lacking.layers.clone();
    let mut edited = edit(&text, project, &draft, &lacking, &kept);
    if !problems(world, folder, file, &edited.text).is_empty() {
        // One that cannot be read keeps no other out.
        let alone = |it: &usize| {
            let edited = edit(&text, project, &draft, &lacking, &[*it]);
            problems(world, folder, file, &edited.text).is_empty()
        };
        kept.retain(alone);
        edited = edit(&text, project, &draft, &lacking, &kept);
        let errors = problems(world, folder, file, &edited.text);
        if !errors.is_empty() {
            return Err(errors);
        }
    }
    let layers = kept.iter().map(|it| draft.layers[*it].name.clone()).collect();
    let axes = lacking.values.keys().cloned().chain(edited.axes.iter().cloned()).collect();
    let diff = edited.diff(file, &text);
    Ok(Addition { before, text: edited.text, diff, axes, layers, files: listing.files.len() })
}

/// What a project lacks.
struct Lacking {
    /// Values that its axes do not allow, by axis.
    values: BTreeMap<String, Vec<String>>,
    /// Layers of the draft of which it reads no file.
    layers: Vec<usize>,
    /// The layer of the project that reads the files of a layer of the draft.
    same: BTreeMap<usize, usize>,
}

/// How a project reads a file.
enum ReadBy {
    /// By the layer of that number.
    Layer(usize),
    /// By none, but one would if an axis had another value.
    WithValue(usize, String, String),
    Nothing,
}

impl Lacking {
    fn of(project: &Project, draft: &Draft) -> Lacking {
        let mut lacking =
            Lacking { values: BTreeMap::new(), layers: Vec::new(), same: BTreeMap::new() };
        for (number, layer) in draft.layers.iter().enumerate() {
            if layer.files.is_empty() {
                continue;
            }
            let mut is_read = false;
            for file in &layer.files {
                match read_by(project, file) {
                    ReadBy::Layer(by) => {
                        is_read = true;
                        lacking.same.insert(number, by);
                    }
                    ReadBy::WithValue(by, axis, value) => {
                        is_read = true;
                        lacking.same.insert(number, by);
                        let values = lacking.values.entry(axis).or_default();
                        if !values.contains(&value) {
                            values.push(value);
                        }
                    }
                    ReadBy::Nothing => {}
                }
            }
            if !is_read {
                lacking.layers.push(number);
            }
        }
        lacking
    }
}

fn read_by(project: &Project, file: &str) -> ReadBy {
    if project.catalogues.iter().any(|(path, _)| path.trim_start_matches("./") == file) {
        return ReadBy::Layer(0);
    }
    let mut near = None;
    for (number, layer) in project.layers.iter().enumerate() {
        let path = match &layer.reads {
            Reads::File(path, _) | Reads::Files(path, _) | Reads::Rows { path, .. } => path,
            _ => continue,
        };
        let pattern = pattern(path);
        let pattern = pattern.trim_start_matches("./");
        let Ok(glob) = Glob::parse(pattern) else { continue };
        let in_any = layer.per_directory
            && Glob::parse(&format!("**/{pattern}")).is_ok_and(|it| it.matches(file));
        if !glob.matches(file) && !in_any {
            continue;
        }
        let values = path.values_in(file).unwrap_or_default();
        let unknown = values.into_iter().find(|(axis, value)| {
            let axis = project.axis(axis);
            axis.is_some_and(|it| !it.axis.open && !it.axis.allowed.contains(value))
        });
        match unknown {
            None => return ReadBy::Layer(number),
            Some((axis, value)) if crate::words::is_value(&value) => {
                near.get_or_insert((number, axis.to_owned(), value.to_owned()));
            }
            Some(_) => {}
        }
    }
    match near {
        Some((number, axis, value)) if !crate::family::is_sample(file) => {
            ReadBy::WithValue(number, axis, value)
        }
        _ => ReadBy::Nothing,
    }
}

/// The lines of a text, with the carriage returns that they end in.
fn lines_of(text: &str) -> Vec<&str> {
    text.split_terminator('\n').collect()
}

/// A text with what was added, by the lines at which it was.
struct Edited {
    text: String,
    /// Lines that take the place of one, or come before one: the line, how many are replaced, and the new ones.
    changes: BTreeMap<usize, (usize, Vec<String>)>,
    axes: Vec<String>,
}

fn edit(
    text: &str,
    project: &Project,
    draft: &Draft,
    lacking: &Lacking,
    layers: &[usize],
) -> Edited {
    let lines = lines_of(text);
    let end = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let (tree, _) = Format::TOML.read(text, Limits::default());
    let mut changes: BTreeMap<usize, (usize, Vec<String>)> = BTreeMap::new();
    let mut values = lacking.values.clone();
    let mut axes = Vec::new();
    let mut blocks = Vec::new();
    for number in layers {
        for name in &draft.layers[*number].axes {
            let Some(proposed) = draft.axes.iter().find(|axis| axis.name == *name) else {
                continue;
            };
            match project.axis(name) {
                Some(known) if known.axis.open => {}
                Some(known) => {
                    let more =
                        proposed.allowed.iter().filter(|it| !known.axis.allowed.contains(it));
                    let all = values.entry(name.clone()).or_default();
                    for value in more {
                        if !all.contains(value) {
                            all.push(value.clone());
                        }
                    }
                }
                None if axes.contains(name) => {}
                None => {
                    axes.push(name.clone());
                    let mut block = String::new();
                    axis_text(proposed, &mut block);
                    blocks.push(block);
                }
            }
        }
    }
    let first_layer = block_of(&lines, heads(&lines).first().copied().unwrap_or(lines.len()));
    for block in blocks {
        insert(&mut changes, first_layer, &block);
    }
    for (name, more) in values.iter().filter(|(_, more)| !more.is_empty()) {
        allow(text, &lines, &tree, name, more, &mut changes);
    }
    for number in layers {
        let layer = &draft.layers[*number];
        let at = place(project, draft, lacking, *number, &lines);
        insert(&mut changes, at, &named(project, layer).text());
    }
    let mut out = String::new();
    for at in 0..=lines.len() {
        let (gone, new) = changes.get(&at).cloned().unwrap_or_default();
        for line in &new {
            out.push_str(line.trim_end_matches('\r'));
            out.push_str(end);
        }
        if at < lines.len() && gone == 0 {
            out.push_str(lines[at]);
            out.push('\n');
        }
    }
    Edited { text: out, changes, axes }
}

/// A layer under a name that the project does not have.
fn named(project: &Project, layer: &Layer) -> Layer {
    let mut named = layer.clone();
    let mut number = 2;
    while project.layers.iter().any(|it| it.name == named.name) {
        named.name = format!("{}-{number}", layer.name);
        number += 1;
    }
    named
}

/// The lines at which layers begin.
fn heads(lines: &[&str]) -> Vec<usize> {
    let is_head = |line: &str| line.trim_start().starts_with("[[layer]]");
    lines.iter().enumerate().filter(|(_, line)| is_head(line)).map(|(at, _)| at).collect()
}

/// The first line of the comments above a line.
fn block_of(lines: &[&str], head: usize) -> usize {
    let above = lines[..head.min(lines.len())].iter().rev();
    head - above.take_while(|line| line.trim_start().starts_with('#')).count()
}

/// The line before which a layer belongs: that of the next stronger one that the project has, or of the process.
fn place(
    project: &Project,
    draft: &Draft,
    lacking: &Lacking,
    number: usize,
    lines: &[&str],
) -> usize {
    let heads = heads(lines);
    let next = (number + 1..draft.layers.len()).find_map(|it| lacking.same.get(&it).copied());
    let process = project.layers.iter().position(|layer| matches!(layer.reads, Reads::Process));
    match next.or(process).and_then(|layer| heads.get(layer).copied()) {
        Some(head) => block_of(lines, head),
        None => lines.len(),
    }
}

/// Adds a block before a line.
fn insert(changes: &mut BTreeMap<usize, (usize, Vec<String>)>, at: usize, block: &str) {
    let (_, new) = changes.entry(at).or_default();
    new.extend(block.lines().map(str::to_owned));
    new.push(String::new());
}

/// Adds values to those that an axis allows.
fn allow(
    text: &str,
    lines: &[&str],
    tree: &Tree<'_>,
    name: &str,
    more: &[String],
    changes: &mut BTreeMap<usize, (usize, Vec<String>)>,
) {
    let entry =
        |table: NodeId, name: &str| tree.entries(table).find(|id| tree.node(*id).name == name);
    let Some(all) = entry(Tree::ROOT, "axis") else { return };
    let Kind::List(items) = tree.node(all).kind else { return };
    let axis = tree.children(items).find(|item| {
        entry(*item, "name")
            .is_some_and(|id| matches!(&tree.node(id).kind, Kind::Text(text) if text == name))
    });
    let Some(allowed) = axis.and_then(|axis| entry(axis, "allowed")) else { return };
    let Kind::List(items) = tree.node(allowed).kind else { return };
    let Some(last) = tree.last_child(items) else { return };
    let end = tree.node(last).at.end as usize;
    let added: String = more.iter().map(|value| format!(", {}", quoted(value))).collect();
    let at = text[..end].matches('\n').count();
    let begin = text[..end].rfind('\n').map_or(0, |it| it + 1);
    let line = lines.get(at).copied().unwrap_or_default();
    let column = end - begin;
    let new =
        format!("{}{added}{}", &line[..column.min(line.len())], &line[column.min(line.len())..]);
    changes.entry(at).or_insert_with(|| (1, vec![new]));
}

impl Edited {
    /// The difference, with three lines around each change.
    fn diff(&self, file: &str, text: &str) -> String {
        const AROUND: usize = 3;
        let lines = lines_of(text);
        if self.changes.is_empty() {
            return String::new();
        }
        let mut out = format!("--- {file}\n+++ {file}\n");
        let places: Vec<usize> = self.changes.keys().copied().collect();
        let mut done = 0;
        let mut grown = 0isize;
        while done < places.len() {
            let mut last = done;
            while last + 1 < places.len() && places[last + 1] <= places[last] + 2 * AROUND {
                last += 1;
            }
            let from = places[done].saturating_sub(AROUND);
            let to = (places[last] + AROUND).min(lines.len());
            let mut body = String::new();
            let (mut old, mut new) = (0usize, 0usize);
            for at in from..=to {
                let (gone, added) = self.changes.get(&at).cloned().unwrap_or_default();
                if gone > 0 && at < lines.len() {
                    let _ = writeln!(body, "-{}", lines[at]);
                    old += 1;
                }
                for line in &added {
                    let _ = writeln!(body, "+{line}");
                    new += 1;
                }
                if gone == 0 && at < to {
                    let _ = writeln!(body, " {}", lines[at]);
                    old += 1;
                    new += 1;
                }
            }
            let start = from.checked_add_signed(grown).unwrap_or(0);
            let _ = writeln!(out, "@@ -{},{old} +{},{new} @@", from + 1, start + 1);
            out.push_str(&body);
            grown += new.cast_signed() - old.cast_signed();
            done = last + 1;
        }
        out
    }
}
