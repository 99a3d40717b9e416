//! Where a candidate stands, and by which name.

use crate::model::candidate::CandidateId;
use crate::model::key::{KeyId, Keys};
use crate::model::layer::{LayerIndex, Names};
use crate::model::place::Position;
use crate::precedence::resolution::Resolution;
use crate::reading::Reading;
use std::sync::Arc;

/// Where a candidate stands.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Stand {
    /// The candidate.
    pub candidate: CandidateId,
    /// Its layer.
    pub layer: LayerIndex,
    /// Its source.
    pub source: Arc<str>,
    /// Its line and column, if the source has lines.
    pub position: Option<Position>,
    /// The name that the setting has in the source, as a key.
    pub name: KeyId,
    /// Whether that name is a pattern of keys that the layer takes away.
    pub is_pattern: bool,
    /// Whether it is the name of a variable, which is no key whatever characters it has.
    pub is_variable: bool,
}

impl Stand {
    /// Where `candidate` stands.
    pub fn of(resolution: &Resolution, id: CandidateId) -> Stand {
        let candidate = resolution.candidate(id);
        let reading = resolution.reading(candidate);
        let leaf = resolution.leaf(candidate);
        Stand {
            candidate: id,
            layer: reading.layer,
            source: Arc::clone(&reading.source),
            position: reading.document.position(leaf.at),
            name: leaf.name,
            is_pattern: reading.is_removal,
            is_variable: is_variable(resolution, reading, leaf.name),
        }
    }

    /// The name in the source.
    pub fn shown_name(&self, keys: &Keys) -> String {
        match self.is_pattern || self.is_variable {
            true => keys.segment(self.name).to_owned(),
            false => keys.show(self.name),
        }
    }

    /// `source:line:column`; where the source has no lines, what is said there: a variable's name
    /// or an option.
    pub fn place(&self, keys: &Keys) -> String {
        let mut place = String::new();
        self.push_place(&mut place, keys);
        place
    }

    /// Writes the place as [`Stand::place`] gives it.
    pub fn push_place(&self, out: &mut String, keys: &Keys) {
        match (self.position, self.source.as_ref()) {
            (Some(Position { line, column }), source) => {
                let mut digits = itoa::Buffer::new();
                out.push_str(source);
                out.push(':');
                out.push_str(digits.format(line));
                out.push(':');
                out.push_str(digits.format(column));
            }
            (None, "arguments") => out.push_str("--set or --unset"),
            (None, "process") => {
                out.push_str("the variable ");
                out.push_str(&self.shown_name(keys));
            }
            (None, scope) => {
                out.push_str(&self.shown_name(keys));
                out.push_str(" in ");
                out.push_str(scope);
            }
        }
    }
}

/// Whether a name is that of a variable, which is no key whatever characters it has.
fn is_variable(resolution: &Resolution, reading: &Reading, name: KeyId) -> bool {
    resolution.readings().layer(reading.layer).names != Names::Keys
        && resolution.keys().depth(name) == 1
}

/// The name in the source, as it is shown.
pub(crate) fn name_of(resolution: &Resolution, reading: &Reading, name: KeyId) -> String {
    match is_variable(resolution, reading, name) {
        true => resolution.keys().segment(name).to_owned(),
        false => resolution.keys().show(name),
    }
}
