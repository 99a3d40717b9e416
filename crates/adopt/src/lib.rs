//! Proposes a project for a repository that has none, with the evidence for every line.
//!
//! [`adopt`] goes three ways: `observe` notes what files, code and scripts have (`observation.rs`: facts with
//! their places), `propose` makes a draft of axes and layers of that, each with what speaks for it, and `prove`
//! loads it and reads every context, so that what a project cannot carry becomes a comment.
//!
//! Nothing of the repository is run, nothing outside of it is read, and no value of an env file is shown.

mod code;
mod draft;
mod family;
mod listing;
mod meant;
mod observation;
mod observe;
mod propose;
mod prove;
mod questions;
mod shape;
mod structured;
#[cfg(test)]
mod tests;
mod update;
mod words;

pub use questions::{Question, questions};
pub use update::{Addition, update};

use justwhy_project::{Error, World};
use listing::Listing;
use std::path::Path;
use std::sync::Arc;

/// A proposed project.
#[derive(Clone, Debug)]
pub struct Proposal {
    /// The text of the project file.
    pub text: String,
    /// How many files were looked at.
    pub files: usize,
    /// Whether there are more files than those.
    pub are_cut: bool,
    /// How many have a name that no project file can name.
    pub unnameable: usize,
    /// The axes.
    pub axes: Vec<String>,
    /// The layers, weakest first.
    pub layers: Vec<String>,
    /// How many things were seen and cannot be carried.
    pub left: usize,
}

/// Proposes a project for a folder, in which nothing is written. `progress` is told how many files were looked at
/// out of how many.
pub fn adopt(
    world: &Arc<dyn World>,
    folder: &Path,
    file: &str,
    progress: &dyn Fn(usize, usize),
) -> Result<Proposal, Vec<Error>> {
    let listing = Listing::of(&**world, folder).map_err(|error| vec![error])?;
    let seen = observe::observe(&**world, folder, &listing, progress);
    let name = folder
        .file_name()
        .map_or_else(|| "project".to_owned(), |it| it.to_string_lossy().into_owned());
    let mut draft = propose::propose(&name, &seen);
    draft.about = about(&seen);
    let text = prove::prove(world, folder, file, &mut draft)?;
    let refused = draft.layers.iter().filter(|it| it.refused.is_some()).count()
        + draft.layers.iter().map(|it| it.left_out.len()).sum::<usize>()
        + draft.catalogue.iter().filter(|(.., it)| it.is_some()).count();
    Ok(Proposal {
        text,
        files: listing.files.len(),
        are_cut: listing.are_cut,
        unnameable: listing.unnameable,
        axes: draft.axes.iter().map(|it| it.name.clone()).collect(),
        layers: draft
            .layers
            .iter()
            .filter(|it| it.refused.is_none())
            .map(|it| it.name.clone())
            .collect(),
        left: draft.left.len() + refused,
    })
}

fn about(seen: &observation::Observations) -> Vec<String> {
    let files = draft::counted(seen.files, "file");
    let mut about = vec![
        format!("Proposed by justwhy adopt from {files}. Every line can be edited."),
        "Layers are listed weakest first: a later one overrides an earlier one.".to_owned(),
    ];
    if seen.samples > 0 {
        let samples = draft::counted(seen.samples, "file");
        about.push(format!("Not looked at: {samples} in folders of tests, samples and documents."));
    }
    about
}
