//! Where a candidate comes from, and by which name.

use crate::model::candidate::CandidateId;
use crate::model::key::{KeyId, Keys};
use crate::model::layer::{LayerIndex, Names};
use crate::model::place::{Origin, Place, Position};
use crate::precedence::resolution::Resolution;
use crate::reading::Reading;

/// Where a candidate is.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Provenance {
    /// The candidate.
    pub candidate: CandidateId,
    /// Its layer.
    pub layer: LayerIndex,
    /// The place in what the layer reads.
    pub place: Place,
    /// The name that the setting has in the source, as a key.
    pub name: KeyId,
    /// Whether that name is a pattern of keys that the layer takes away.
    pub is_pattern: bool,
    /// Whether it is the name of a variable, which is no key whatever characters it has.
    pub is_variable: bool,
}

impl Provenance {
    /// Where `candidate` is.
    pub fn of(resolution: &Resolution, id: CandidateId) -> Provenance {
        let candidate = resolution.candidate(id);
        let reading = resolution.reading(candidate);
        let leaf = resolution.leaf(candidate);
        Provenance {
            candidate: id,
            layer: reading.layer,
            place: reading.place_of(leaf),
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

    /// The place for people; where that has no lines, what is there: a variable's name or an option.
    pub fn show(&self, keys: &Keys) -> String {
        let mut shown = String::new();
        self.push_shown(&mut shown, keys);
        shown
    }

    /// Writes the place as [`Provenance::show`] gives it.
    pub fn push_shown(&self, out: &mut String, keys: &Keys) {
        match (self.place.position(), &self.place.origin) {
            (Some(Position { line, column }), origin) => {
                let mut digits = itoa::Buffer::new();
                out.push_str(origin.name());
                out.push(':');
                out.push_str(digits.format(line));
                out.push(':');
                out.push_str(digits.format(column));
            }
            (None, Origin::Arguments) => out.push_str("--set or --unset"),
            (None, Origin::Process) => {
                out.push_str("environment variable ");
                out.push_str(&self.shown_name(keys));
            }
            (None, origin) => {
                out.push_str(&self.shown_name(keys));
                out.push_str(" in ");
                out.push_str(origin.name());
            }
        }
    }
}

/// Whether a name is that of a variable, which is no key whatever characters it has.
fn is_variable(resolution: &Resolution, reading: &Reading, name: KeyId) -> bool {
    *resolution.readings().layer(reading.layer).names_in(&reading.document) != Names::Keys
        && resolution.keys().depth(name) == 1
}

/// The name in the source, as it is shown.
pub(crate) fn name_of(resolution: &Resolution, reading: &Reading, name: KeyId) -> String {
    match is_variable(resolution, reading, name) {
        true => resolution.keys().segment(name).to_owned(),
        false => resolution.keys().show(name),
    }
}
