//! Where source code is searched: `[code]`.

use super::axis::pattern_of;
use super::fields::{Fields, Sink};
use crate::glob::Glob;
use justwhy_formats::{NodeId, Tree, is_sample};

/// Which files are searched as source code.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct CodeSearch {
    /// The folders that are searched; all, if there are none.
    folders: Vec<Glob>,
    /// What is never searched.
    ignore: Vec<Glob>,
    /// What is a test, a sample or a document, if that is not what usually is.
    samples: Option<Vec<Glob>>,
}

impl CodeSearch {
    /// Whether files of a folder are searched, by its path below the project's; that may be empty.
    pub fn has_folder(&self, folder: &str) -> bool {
        let inside = format!("{folder}/");
        let is_within = self.folders.is_empty() || is_below(&self.folders, &inside);
        is_within && !is_below(&self.ignore, &inside)
    }

    /// Whether a file is left out that is in a folder which is searched.
    pub fn leaves_out(&self, path: &str) -> bool {
        self.ignore.iter().any(|glob| glob.matches(path))
    }

    /// Whether it is never searched.
    pub fn is_ignored(&self, path: &str) -> bool {
        self.leaves_out(path) || is_below(&self.ignore, path)
    }

    /// Whether it is a test, a sample, a document or somebody else's code: values and variables there are
    /// those of nobody's program.
    pub fn is_sample(&self, path: &str) -> bool {
        match &self.samples {
            Some(samples) => {
                samples.iter().any(|glob| glob.matches(path)) || is_below(samples, path)
            }
            None => is_sample(path),
        }
    }
}

/// Whether a path is within a folder that a pattern matches.
fn is_below(folders: &[Glob], path: &str) -> bool {
    let ends = path.match_indices('/').map(|(end, _)| &path[..end]);
    let above: Vec<&str> = ends.collect();
    above.iter().any(|folder| folders.iter().any(|glob| glob.matches(folder)))
}

/// `[code]`.
pub(super) fn search(sink: &mut Sink<'_>) -> Option<CodeSearch> {
    const FIELDS: Fields = Fields { of: "[code]", known: &["folders", "ignore", "samples"] };
    let table = sink.table(Tree::ROOT, "code")?;
    sink.check_names(table, &FIELDS);
    let folders = globs(sink, table, "folders").unwrap_or_default();
    let ignore = globs(sink, table, "ignore").unwrap_or_default();
    let samples = globs(sink, table, "samples");
    Some(CodeSearch { folders, ignore, samples })
}

fn globs(sink: &mut Sink<'_>, table: NodeId, field: &str) -> Option<Vec<Glob>> {
    sink.field(table, field)?;
    let mut globs = Vec::new();
    for item in sink.list(table, field).unwrap_or_default() {
        let Some((text, at)) = sink.text_of(item) else { continue };
        globs.extend(pattern_of(sink, text.trim_end_matches('/'), at));
    }
    Some(globs)
}
