//! What a layer that was not asked could change.

use super::Resolution;
use crate::model::candidate::CandidateId;
use crate::model::key::KeyId;
use crate::model::layer::{LayerIndex, Presence};
use crate::model::value::{Type, Value};
use crate::precedence::verdict::Verdict;

impl Resolution {
    /// The weakest of the layers that could not be asked and could change what the setting comes to.
    pub fn uncertain_by(&self, key: KeyId) -> Option<LayerIndex> {
        self.unasked().find(|layer| self.could_be_changed_by(*layer, key))
    }

    /// The layers that could not be asked, weakest first.
    pub(crate) fn unasked(&self) -> impl Iterator<Item = LayerIndex> + '_ {
        let layers = self.readings.layers.iter().enumerate();
        layers
            .filter(|(_, layer)| matches!(layer.presence, Presence::Unavailable(_)))
            .map(|(index, _)| LayerIndex(index))
    }

    fn could_be_changed_by(&self, unasked: LayerIndex, key: KeyId) -> bool {
        let keys = self.keys();
        let layer = self.readings.layer(unasked);
        if let Some(into) = &layer.into {
            // All that it has is in one branch.
            let branch = keys.segments(key).first().copied();
            if into.segments().next() != branch {
                return false;
            }
        }
        let pinned_below = |id: CandidateId| {
            let (candidate, layer) = (self.candidate(id), self.layer_of(self.candidate(id)));
            layer < unasked
                && candidate.verdict.is_in_force()
                && self.readings.layer(layer).pins.has(keys, candidate.key)
        };
        if self.winner(key).is_some_and(pinned_below) {
            return false;
        }
        // What is stronger and decides here, above or below takes the place of all that it could say.
        let around = std::iter::once(key).chain(keys.above(key)).chain(keys.below(key));
        let leaves = around.filter_map(|key| self.winner(key));
        let nulls =
            self.candidates(key).filter(|id| self.candidate(*id).verdict == Verdict::Removes);
        let strongest = leaves.chain(nulls).map(|id| self.layer_of(self.candidate(id))).max();
        let is_decided_above = strongest.is_some_and(|strongest| strongest > unasked);
        let gathers = self.gather(key).is_some() && self.winner(key).is_some();
        // What it pins would block the stronger, or what reshapes that, anywhere in the same branch; and
        // what it takes away could have given the stronger a type.
        let top = keys.above(key).last().unwrap_or(key);
        let meets = layer.pins.could_meet(keys, top)
            || layer.removes.iter().any(|removal| removal.pattern.could_meet(keys, top));
        !is_decided_above || gathers || meets || self.could_keep_type(unasked, key)
    }

    /// Whether a text that decides could have a type from a candidate that was taken away: one whose
    /// place the layer that was not asked takes before that counts all the same.
    fn could_keep_type(&self, unasked: LayerIndex, key: KeyId) -> bool {
        let is_text = |id| matches!(self.leaf(self.candidate(id)).value, Value::Text(_));
        let gives_type = |id: CandidateId| {
            let candidate = self.candidate(id);
            let taken_by = candidate.by.map(|by| self.layer_of(self.candidate(by)));
            let kind = self.leaf(candidate).value.kind();
            candidate.verdict == Verdict::Removed
                && self.layer_of(candidate) < unasked
                && taken_by.is_some_and(|layer| layer > unasked)
                && matches!(kind, Type::Boolean | Type::Integer | Type::Number)
        };
        self.winner(key).is_some_and(is_text) && self.candidates(key).any(gives_type)
    }
}
