//! Files that a layer would read for a value that its axis does not allow.

use justwhy_core::{Context, Position, nearest_few};
use justwhy_project::{Error, Glob, PathTemplate, Piece, Project, Reads, Wanted, World};
use std::collections::HashSet;

/// Names by which people mark a file that is only there to be copied.
const SAMPLES: [&str; 6] = ["example", "sample", "template", "dist", "tmpl", "default"];

/// A file that no context reads, although a layer's path would produce it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Orphan {
    /// Its path.
    pub path: String,
    /// The layer.
    pub layer: String,
    /// Where that is declared in the project file.
    pub declared_at: Position,
    /// The axis, and its value that would lead there.
    pub value: (String, String),
    /// The allowed value that was probably meant.
    pub near: Option<String>,
}

/// Finds the orphans of a project, `read` being the paths that are read in some context.
pub fn orphans(
    project: &Project,
    world: &dyn World,
    read: &HashSet<String>,
    contexts: &[Context],
) -> Result<Vec<Orphan>, Error> {
    let mut orphans: Vec<Orphan> = Vec::new();
    for layer in &project.layers {
        let (Reads::File(path, _) | Reads::Rows { path, .. }) = &layer.reads else { continue };
        if layer.per_directory || path.axes().next().is_none() || path.is_absolute() {
            continue;
        }
        let Ok(glob) = Glob::parse(&pattern(path)) else { continue };
        let produced: HashSet<String> =
            contexts.iter().filter_map(|context| path.fill(context).ok()).collect();
        for found in glob.find(world, &project.folder, Wanted::Files)? {
            let is_known = read.contains(&found)
                || could_read(project, &found)
                || produced.contains(&found)
                || is_named(project, &found)
                || orphans.iter().any(|orphan| orphan.path == found);
            if is_known {
                continue;
            }
            let Some(values) = path.values_in(&found) else { continue };
            let Some((axis, value, near)) = first_not_allowed(project, &values) else { continue };
            let is_sample = SAMPLES.iter().any(|sample| value.contains(sample));
            // What is beside the files of the layer is probably meant as one of them; in the
            // project's own folder there are files for many other things, unless their names begin alike.
            let folder = |path: &str| path.rsplit_once('/').map(|(folder, _)| folder.to_owned());
            let has_siblings = produced
                .iter()
                .any(|other| read.contains(other) && folder(other) == folder(&found));
            let is_named = path.pieces().first().is_some_and(|first| match first {
                Piece::Text(text) => !text.trim_start_matches("./").is_empty(),
                Piece::Axis(_) => false,
            });
            let is_meant = near.is_some() || has_siblings && (folder(&found).is_some() || is_named);
            if is_sample || !is_meant {
                continue;
            }
            orphans.push(Orphan {
                path: found.clone(),
                layer: layer.name.clone(),
                declared_at: project.text.position(layer.at.start),
                value: (axis, value),
                near,
            });
        }
    }
    Ok(orphans)
}

/// The path with a wildcard for each axis.
pub fn pattern(path: &PathTemplate) -> String {
    let mut pattern = String::new();
    for piece in path.pieces() {
        match piece {
            Piece::Axis(_) if pattern.ends_with('*') => {}
            Piece::Axis(_) => pattern.push('*'),
            Piece::Text(text) => {
                for c in text.chars() {
                    match c {
                        '*' | '?' | '[' => pattern.extend(['[', c, ']']),
                        c => pattern.push(c),
                    }
                }
            }
        }
    }
    pattern
}

/// Whether the project file itself names the path, for something else than settings.
fn is_named(project: &Project, path: &str) -> bool {
    let named = project.catalogues.iter().any(|(file, _)| file.as_ref() == path);
    named || project.axes.iter().flat_map(|axis| &axis.read).any(|way| way.reads_file(path))
}

/// Whether a layer reads the path for values that its axes allow, be they listed or not.
fn could_read(project: &Project, path: &str) -> bool {
    project.layers.iter().any(|layer| {
        let (Reads::File(template, _) | Reads::Rows { path: template, .. }) = &layer.reads else {
            return false;
        };
        let values = template.values_in(path);
        values.is_some_and(|values| first_not_allowed(project, &values).is_none())
    })
}

/// The first of the values that its axis does not allow, and the one that was probably meant. An
/// open axis allows any value, so that only one that is near a listed one counts.
fn first_not_allowed(
    project: &Project,
    values: &[(String, String)],
) -> Option<(String, String, Option<String>)> {
    values.iter().find_map(|(name, value)| {
        let axis = &project.axis(name)?.axis;
        let allowed = axis.allowed.iter().map(String::as_str);
        if axis.allowed.contains(value) {
            return None;
        }
        let near = nearest_few(value, allowed, 1).first().map(|near| (*near).to_owned());
        (!axis.open || near.is_some()).then(|| (name.clone(), value.clone(), near))
    })
}
