//! All that a value is made of, for values that nobody can find out.

use super::earlier::Earlier;
use super::expand::{LEFT_OUT, Referent, meaning_for};
use super::texts::{all_references, rules_of};
use super::{Answers, Asked};
use crate::model::candidate::CandidateId;
use crate::model::fact::Fact;
use crate::model::key::KeyId;
use crate::model::layer::Kind;
use crate::model::place::Origin;
use crate::model::reference::Reference;
use crate::model::value::Value;
use crate::precedence::provenance::Provenance;
use crate::precedence::resolution::{Candidate, Resolution};
use hashbrown::{HashMap, HashSet};
use std::sync::Arc;

/// Past so many nobody looks on.
const MOST: usize = 10_000;

/// A part of what a value is made of. Values that are made of the same are the same.
#[derive(Clone, PartialEq, Debug)]
pub(crate) enum Ingredient {
    /// What a source has.
    Said { origin: Origin, name: String, revision: Option<u64>, written: Value },
    /// What one has encrypted, which is the same wherever it is.
    Encrypted(Arc<str>),
    /// What a reference found, or why it found nothing.
    Found(String, Result<Option<Value>, Fact>),
}

impl Ingredient {
    pub(crate) fn said(resolution: &Resolution, id: CandidateId) -> Ingredient {
        let candidate = resolution.candidate(id);
        let note = resolution.note(candidate);
        if let Some(encrypted) = note.and_then(|note| note.encrypted.clone()) {
            return Ingredient::Encrypted(encrypted);
        }
        let stand = Provenance::of(resolution, id);
        Ingredient::Said {
            origin: stand.place.origin.clone(),
            name: stand.shown_name(resolution.keys()),
            revision: note.and_then(|it| it.revision),
            written: resolution.leaf(candidate).value.clone(),
        }
    }
}

/// Whether what a candidate has is what somebody gives who asks, rather than what she asks about.
pub type IsGiven<'f> = &'f (dyn Fn(&Resolution, CandidateId) -> bool + Sync);

/// Finds out of many settings which come out of something that the caller gave: an argument, a process
/// variable, or what follows from them. Keeps what it has found out, as settings come out of each other.
pub(crate) struct Gifts<'f> {
    is_given: IsGiven<'f>,
    known: HashMap<Asked, bool>,
}

impl<'f> Gifts<'f> {
    pub(crate) fn new(is_given: IsGiven<'f>) -> Gifts<'f> {
        Gifts { is_given, known: HashMap::new() }
    }

    pub(crate) fn has(&mut self, answers: &Answers<'_>, key: KeyId) -> bool {
        let first = Asked { context: 0, key };
        let mut seen = HashSet::new();
        let is_given = self.leads_to_one(answers, first, &mut seen);
        match is_given {
            true => drop(self.known.insert(first, true)),
            // Nor is anything on the way.
            false => self.known.extend(seen.into_iter().map(|asked| (asked, false))),
        }
        is_given
    }

    fn leads_to_one(&self, answers: &Answers<'_>, first: Asked, seen: &mut HashSet<Asked>) -> bool {
        let mut open = vec![first];
        while let Some(asked) = open.pop() {
            match self.known.get(&asked) {
                Some(true) => return true,
                Some(false) => continue,
                None if !seen.insert(asked) => continue,
                None => {}
            }
            // In doubt it is.
            if seen.len() > MOST {
                return true;
            }
            let resolution = answers.resolution_of(asked.context);
            for id in resolution.in_force(asked.key) {
                let candidate = resolution.candidate(id);
                let layer = resolution.readings().layer(resolution.layer_of(candidate));
                if matches!(layer.kind, Kind::Process | Kind::Arguments)
                    || (self.is_given)(&resolution, id)
                {
                    return true;
                }
                if !layer.references {
                    continue;
                }
                for reference in answers.references_of(&resolution, candidate) {
                    match meaning_for(answers, asked.context, &reference, &resolution, candidate) {
                        Ok(Referent::Setting(other)) => open.push(other),
                        // Whose leaf it is does not show whether somebody gave it.
                        Ok(Referent::Variable(_) | Referent::Early(_)) => return true,
                        _ => {}
                    }
                }
            }
        }
        false
    }
}

impl Answers<'_> {
    fn references_of(&self, resolution: &Resolution, candidate: &Candidate) -> Vec<Reference> {
        let layer = resolution.readings().layer(resolution.layer_of(candidate));
        let reading = resolution.reading(candidate);
        let rules = rules_of(reading, layer, candidate.leaf, self.limits.depth);
        all_references(&resolution.leaf(candidate).value, rules)
    }

    /// What the setting is made of here; none if not all of that is known.
    pub(crate) fn ingredients(&self, key: KeyId) -> Option<Vec<Ingredient>> {
        let mut all = Vec::new();
        let mut seen = HashSet::new();
        let mut open = vec![Asked { context: 0, key }];
        while let Some(asked) = open.pop() {
            if !seen.insert(asked) {
                continue;
            }
            let resolution = self.resolution_of(asked.context);
            if resolution.uncertain_by(asked.key).is_some() || all.len() > MOST {
                return None;
            }
            for id in resolution.in_force(asked.key) {
                let candidate = resolution.candidate(id);
                all.push(Ingredient::said(&resolution, id));
                self.referred((asked.context, &resolution, candidate), &mut open, &mut all)?;
            }
        }
        Some(all)
    }

    fn referred(
        &self,
        (context, resolution, candidate): (u32, &Resolution, &Candidate),
        open: &mut Vec<Asked>,
        all: &mut Vec<Ingredient>,
    ) -> Option<()> {
        let layer = resolution.readings().layer(resolution.layer_of(candidate));
        if !layer.references {
            return Some(());
        }
        let references = self.references_of(resolution, candidate);
        let text = |found: Result<Option<Arc<str>>, String>| {
            let found = found.map(|text| text.map(|text| Value::Text(text.into())));
            found.map_err(Fact::told)
        };
        for reference in references {
            let found = match meaning_for(self, context, &reference, resolution, candidate) {
                Ok(Referent::Setting(asked)) => match &self.outcome_of(asked).result {
                    Ok(value) => Ok(value.clone()),
                    // What it is made of is looked at for itself.
                    Err(_) => {
                        open.push(asked);
                        continue;
                    }
                },
                Ok(Referent::Variable(_) | Referent::Early(Earlier::Variable(_)))
                    if !self.outside.reads_variables() =>
                {
                    Err(Fact::new(LEFT_OUT))
                }
                Ok(Referent::Variable(name) | Referent::Early(Earlier::Variable(name))) => {
                    text(self.outside.variable(&name))
                }
                Ok(Referent::File(path)) => text(self.outside.file(&path)),
                Ok(Referent::Early(Earlier::Leaf(reading, leaf))) => {
                    let asked = Asked { context, key: candidate.key };
                    let (found, _) = self.earlier_value(asked, resolution, (reading, leaf));
                    found.map_err(|failure| failure.from_here())
                }
                Ok(Referent::Nothing(_) | Referent::Early(Earlier::Nothing(_))) => Ok(None),
                Ok(Referent::Uncertain(_)) => return None,
                Err(problem) => Err(problem),
            };
            all.push(Ingredient::Found(reference.show(), found));
        }
        Some(())
    }
}
