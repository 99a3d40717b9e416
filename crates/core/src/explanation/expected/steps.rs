//! The edits that a step is made of.

use super::found::{Act, Change, ChangedAt};
use crate::answers::Answers;
use crate::explanation::trial::Trial;
use crate::model::candidate::CandidateId;
use crate::model::key::KeyId;
use crate::model::place::{Origin, Place};
use crate::precedence::provenance::Provenance;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;
use crate::reading::{Edit, Readings};
use std::sync::Arc;

/// What would be after the edits.
pub(super) fn tried<'a>(answers: &'a Answers<'_>, edits: &[(Edit, Change)]) -> Option<Trial<'a>> {
    let edits: Vec<Edit> = edits.iter().map(|(edit, _)| edit.clone()).collect();
    Trial::of(answers, &edits)
}

/// What keeps the candidate of that leaf from being effective after the edits, as one more edit.
pub(super) fn obstacle(
    answers: &Answers<'_>,
    then: &Answers<'_>,
    key: KeyId,
    at: (usize, u32),
    edits: &[(Edit, Change)],
) -> Option<(Edit, Change)> {
    let resolution = then.resolution();
    let before = answers.resolution().readings();
    let is_it = |id: &CandidateId| {
        let candidate = resolution.candidate(*id);
        let input = resolution.readings().input_of(candidate.reading);
        input == Some(at.0) && original(before, edits, at.0, candidate.leaf) == at.1
    };
    let id = resolution.candidates(key).find(is_it)?;
    let candidate = resolution.candidate(id);
    if candidate.verdict == Verdict::Empty {
        return Some(counting_empty(then, candidate));
    }
    let by = candidate.by?;
    let stand = Provenance::of(resolution, by);
    let other = resolution.candidate(by);
    let name = stand.shown_name(resolution.keys());
    match resolution.readings().input_of(other.reading) {
        Some(input) => {
            let leaf = original(before, edits, input, other.leaf);
            let before = before.inputs.inputs.get(input)?;
            let said = before.document.leaves.get(leaf as usize)?;
            let at = ChangedAt::Place(before.place_of(said));
            let change = Change { act: Act::TakeOut, at, name, to: None };
            Some((Edit::TakeOut { input, leaf }, change))
        }
        None => {
            let at = ChangedAt::Place(stand.place.clone());
            let change = Change { act: Act::StopRemoving, at, name: name.clone(), to: None };
            Some((Edit::StopRemoving { layer: stand.layer, written: name }, change))
        }
    }
}

/// An edit by which the empty text counts.
pub(super) fn counting_empty(answers: &Answers<'_>, candidate: &Candidate) -> (Edit, Change) {
    let resolution = answers.resolution();
    let readings = resolution.readings();
    let by_catalogue =
        readings.catalogue.declared(candidate.key).is_some_and(|it| it.empty.is_some());
    let layer = resolution.layer_of(candidate);
    let name = match by_catalogue {
        true => format!("[setting.\"{}\"]", resolution.keys().show(candidate.key)),
        false => format!("the layer {}", readings.layer(layer).name),
    };
    let file = readings.inputs.catalogues.first().map(|(file, _)| Arc::clone(file));
    let at = ChangedAt::Place(Place::whole(Origin::File(file.unwrap_or_default())));
    let change = Change { act: Act::CountEmpty, at, name, to: None };
    (Edit::CountEmpty { layer, key: candidate.key }, change)
}

/// The leaf as it was numbered before others were taken out of its document.
pub(super) fn original(
    readings: &Readings,
    edits: &[(Edit, Change)],
    input: usize,
    leaf: u32,
) -> u32 {
    let first = readings.first_of_document(input);
    let mut taken: Vec<u32> = edits
        .iter()
        .filter_map(|(edit, _)| match edit {
            Edit::TakeOut { input, leaf } if readings.first_of_document(*input) == first => {
                Some(*leaf)
            }
            _ => None,
        })
        .collect();
    taken.sort_unstable();
    taken.dedup();
    let mut leaf = leaf;
    for gone in taken {
        if gone <= leaf {
            leaf += 1;
        }
    }
    leaf
}
