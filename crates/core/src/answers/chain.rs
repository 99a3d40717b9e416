//! The hops that references make, for an explanation.

use super::earlier::Earlier;
use super::early::place_of;
use super::expand::{Referent, meaning_for, no_file, pieces_of};
use super::texts::references_of;
use super::{Answers, Asked};
use crate::model::fact::Fact;
use crate::model::key::KeyId;
use crate::model::place::{Origin, Place};
use crate::model::reference::{Piece, Reference, Replaces};
use crate::model::secret::{hide_address_password, is_secret_name};
use crate::model::value::Value;
use crate::model::words::answers as words;
use crate::precedence::resolution::{Candidate, Resolution};
use hashbrown::HashSet;
use std::sync::Arc;

/// The most hops that are told: more would hide the ones that matter.
const MOST_HOPS: usize = 200;

/// One reference on the way to a value, and those that what it found holds in turn.
#[derive(Clone, Debug)]
pub struct Hop {
    /// The reference as written, without the text of its fallback.
    pub reference: String,
    /// The setting that it means, in words; none for a variable or file.
    pub setting: Option<String>,
    /// What it found.
    pub found: HopValue,
    /// The layer that decided the setting.
    pub layer: Option<String>,
    /// The place that decided: in a source of the layer, in the process for a variable, or a file.
    pub place: Option<Place>,
    /// The name there.
    pub name: Option<String>,
    /// Whether its fallback replaces it.
    pub falls_back: bool,
    /// Whether the hops from there were told already.
    pub is_repeated: bool,
    /// The references in what it found, or in its fallback.
    pub hops: Vec<Hop>,
}

/// What a reference found.
#[derive(Clone, PartialEq, Debug)]
pub enum HopValue {
    /// A value, passwords of addresses hidden.
    Value(Value),
    /// A secret.
    Secret,
    /// Nothing, and why, as a clause.
    Nothing(Fact),
    /// Something that is in error, and why, as a clause.
    Error(Fact),
}

struct ChainWalk<'a, 'o> {
    answers: &'a Answers<'o>,
    told: HashSet<Asked>,
    left: usize,
}

impl Answers<'_> {
    /// The references in what takes effect for the setting, and where each leads.
    pub fn chain(&self, key: KeyId) -> Vec<Hop> {
        let mut walk = ChainWalk { answers: self, told: HashSet::new(), left: MOST_HOPS };
        walk.from(Asked { context: 0, key })
    }
}

impl ChainWalk<'_, '_> {
    fn from(&mut self, asked: Asked) -> Vec<Hop> {
        let resolution = self.answers.resolution_of(asked.context);
        self.told.insert(asked);
        let mut hops = Vec::new();
        let mut in_force: Vec<_> = resolution.in_force(asked.key).collect();
        in_force.reverse();
        for id in in_force {
            let candidate = resolution.candidate(id);
            if !resolution.readings().layer(resolution.layer_of(candidate)).references {
                continue;
            }
            for pieces in pieces_of(self.answers, &resolution, candidate) {
                hops.extend(self.pieces(asked.context, &pieces, &resolution, candidate));
            }
        }
        hops
    }

    fn pieces(
        &mut self,
        context: u32,
        pieces: &[Piece],
        resolution: &Resolution,
        candidate: &Candidate,
    ) -> Vec<Hop> {
        let mut references = Vec::new();
        references_of(pieces, &mut references);
        let mut hops = Vec::new();
        for reference in references {
            if self.left == 0 {
                break;
            }
            self.left -= 1;
            hops.push(self.hop(context, reference, resolution, candidate));
        }
        hops
    }

    fn hop(
        &mut self,
        context: u32,
        reference: &Reference,
        resolution: &Resolution,
        candidate: &Candidate,
    ) -> Hop {
        let mut hop = Hop {
            reference: reference.show(),
            setting: None,
            found: HopValue::Nothing(Fact::new(words::NULL)),
            layer: None,
            place: None,
            name: None,
            falls_back: false,
            is_repeated: false,
            hops: Vec::new(),
        };
        match meaning_for(self.answers, context, reference, resolution, candidate) {
            Err(problem) => hop.found = HopValue::Error(problem),
            Ok(Referent::Nothing(why)) => hop.found = HopValue::Nothing(why),
            Ok(Referent::Uncertain(why)) => hop.found = HopValue::Error(why),
            Ok(Referent::Early(Earlier::Nothing(why))) => hop.found = HopValue::Nothing(why),
            Ok(Referent::Early(Earlier::Leaf(reading, leaf))) => {
                let asked = Asked { context, key: candidate.key };
                let at = (reading, leaf);
                let (found, is_secret) = self.answers.earlier_value(asked, resolution, at);
                hop.found = match found {
                    Ok(Some(_)) if is_secret => HopValue::Secret,
                    Ok(Some(value)) => HopValue::Value(hide_address_password(&value).into_owned()),
                    Ok(None) => HopValue::Nothing(Fact::new(words::NULL)),
                    Err(failure) => HopValue::Error(failure.fact),
                };
                let (place, layer, name) = place_of(resolution, at);
                (hop.place, hop.layer, hop.name) = (Some(place), Some(layer), Some(name));
            }
            Ok(Referent::Variable(name) | Referent::Early(Earlier::Variable(name))) => {
                let found = self.answers.outside.variable(&name);
                let is_secret = self.answers.is_secret_variable(context, &name);
                hop.found =
                    text(found, is_secret, Fact::new(words::NAME_NOT_SET).with("name", &name));
                hop.place = Some(Place::whole(Origin::Process));
                hop.name = Some(name);
            }
            Ok(Referent::File(path)) => {
                let found = self.answers.outside.file(&path);
                let is_secret = is_secret_name(&path.replace('/', "."));
                hop.found = text(found, is_secret, no_file(&path));
                hop.place = Some(Place::whole(Origin::File(path.into())));
            }
            Ok(Referent::Setting(asked)) => self.setting(asked, &mut hop),
        }
        let is_empty = matches!(&hop.found, HopValue::Value(value) if value.is_empty_text());
        let is_nothing = is_empty || matches!(hop.found, HopValue::Nothing(_));
        let falls_back = match reference.replaces {
            Replaces::Empty => is_nothing,
            Replaces::Unset => matches!(hop.found, HopValue::Nothing(_)),
            Replaces::NotEmpty => !is_nothing,
            Replaces::Set => !matches!(hop.found, HopValue::Nothing(_)),
            Replaces::DemandsValue | Replaces::Demands => false,
        };
        if let Some(fallback) = reference.fallback.as_deref().filter(|_| falls_back) {
            hop.falls_back = true;
            hop.hops = self.pieces(context, fallback, resolution, candidate);
        }
        hop
    }

    fn setting(&mut self, asked: Asked, hop: &mut Hop) {
        let answers = self.answers;
        hop.setting = Some(answers.name(asked));
        let outcome = answers.outcome_of(asked);
        hop.found = match &outcome.result {
            Ok(Some(_)) if outcome.secret => HopValue::Secret,
            Ok(Some(value)) => HopValue::Value(hide_address_password(value).into_owned()),
            Ok(None) => HopValue::Nothing(Fact::new(words::NOT_SET_HERE)),
            Err(failure) => HopValue::Error(failure.fact.clone()),
        };
        let resolution = answers.resolution_of(asked.context);
        if let Some(winner) = resolution.winner(asked.key) {
            let candidate = resolution.candidate(winner);
            let reading = resolution.reading(candidate);
            let leaf = resolution.leaf(candidate);
            hop.layer = Some(resolution.readings().layer(reading.layer).name.clone());
            hop.place = Some(reading.place_of(leaf));
            hop.name =
                Some(crate::precedence::provenance::name_of(&resolution, reading, leaf.name));
        }
        if self.told.contains(&asked) {
            // A circle is told by its error; what is found the second time was told before.
            hop.is_repeated =
                !matches!(hop.found, HopValue::Error(_)) && answers.refers(&resolution, asked.key);
        } else {
            hop.hops = self.from(asked);
        }
    }
}

fn text(found: Result<Option<Arc<str>>, String>, is_secret: bool, nothing: Fact) -> HopValue {
    match found {
        Ok(Some(_)) if is_secret => HopValue::Secret,
        Ok(Some(text)) => {
            HopValue::Value(hide_address_password(&Value::Text(text.into())).into_owned())
        }
        Ok(None) => HopValue::Nothing(nothing),
        Err(problem) => HopValue::Error(Fact::told(problem)),
    }
}
