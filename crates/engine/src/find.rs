//! Which settings have a value, in any context, and where it is written.

use crate::reader::first_of;
use crate::{Snapshot, exhausted};
use hashbrown::HashMap;
use justwhy_core::{Context, ContextSet, Hit, KeyId, Resolution, Sight, Survey, Value, find_in};
use justwhy_project::Error;
use std::sync::Arc;

/// What was found.
#[derive(Debug)]
pub struct Occurrences<S> {
    /// Each place once, in no particular order.
    pub places: Vec<Occurrence<S>>,
    /// The contexts that were looked into.
    pub contexts: Vec<Context>,
    /// How many the axes form.
    pub formed: usize,
    /// Whether where one is is none of those, and was looked into besides.
    pub is_apart: bool,
    /// The contexts that could not be read.
    pub unread: Vec<(Context, Error)>,
}

/// Something found, and in which of the contexts.
#[derive(Debug)]
pub struct Occurrence<S> {
    /// The setting.
    pub key: String,
    /// What is shown of where it is.
    pub shown: S,
    /// What it has there.
    pub value: Value,
    /// Whether only references or conversion made it so.
    pub is_made: bool,
    /// Where it is, for people.
    pub place: String,
    /// Whether its layer is local.
    pub is_local: bool,
    /// Where it takes effect.
    pub in_force: ContextSet,
    /// Where it decides, and cannot be used.
    pub breaks: ContextSet,
    /// Where it is a candidate.
    pub candidate_in: ContextSet,
}

/// What makes two hits the same one.
type Same = (KeyId, usize, String, bool, String);

/// Looks for a value in every context that the axes form, and in the current one. `reads` is told how many
/// those are; `show` keeps of each hit what is shown.
pub fn find<S: Send>(
    snapshot: &Snapshot,
    here: &Context,
    value: &str,
    reads: &dyn Fn(usize),
    show: impl Fn(&Resolution, &Hit) -> S + Sync,
) -> Result<Occurrences<S>, Vec<Error>> {
    let mut contexts = snapshot.contexts(here).map_err(|it| vec![it])?;
    let formed = contexts.len();
    // Where one is counts even if the axes cannot form it.
    let is_apart = !contexts.iter().any(|context| context.is_same_place(here));
    contexts.extend(is_apart.then(|| here.clone()));
    reads(formed);
    let mut readings = Vec::with_capacity(contexts.len());
    let mut unread: Vec<(Context, Error)> = Vec::new();
    for (context, read) in contexts.iter().zip(snapshot.read_all(&contexts)) {
        match read {
            Ok(read) => readings.push(Arc::new(read)),
            Err(errors) => unread.push((context.clone(), first_of(errors))),
        }
    }
    if let (true, Some((_, error))) = (readings.is_empty(), unread.first()) {
        return Err(vec![error.clone()]);
    }
    let survey = Survey::of(readings);
    let places = places(snapshot, &survey, value, show)?;
    let contexts = survey.contexts().iter().map(|it| it.context.clone()).collect();
    Ok(Occurrences { places, contexts, formed, is_apart, unread })
}

fn places<S: Send>(
    snapshot: &Snapshot,
    survey: &Survey,
    value: &str,
    show: impl Fn(&Resolution, &Hit) -> S + Sync,
) -> Result<Vec<Occurrence<S>>, Vec<Error>> {
    let none = || ContextSet::none(survey.contexts().len());
    let mut places: HashMap<Same, Occurrence<S>> = HashMap::new();
    let mut is_exhausted = false;
    let look = |sight: Sight<'_>| {
        let answers = &sight.answers;
        let resolution = answers.resolution();
        let keys = resolution.keys();
        let mut found = Vec::new();
        for (key, group) in &sight.settings {
            if answers.is_exhausted() {
                break;
            }
            for hit in find_in(answers, *key, value) {
                let place = hit.stand.show(keys);
                let same = (*key, hit.stand.layer.0, place.clone(), hit.is_made, hit.value.show());
                let place = Occurrence {
                    key: keys.show(*key),
                    shown: show(resolution, &hit),
                    value: hit.value,
                    is_made: hit.is_made,
                    place,
                    is_local: resolution.readings().layer(hit.stand.layer).is_local(),
                    in_force: none(),
                    breaks: none(),
                    candidate_in: none(),
                };
                found.push((same, place, (hit.is_in_force, hit.breaks), Arc::clone(group)));
            }
        }
        (found, answers.is_exhausted())
    };
    survey.look(snapshot, snapshot.limits(), look, |(found, is_too_much)| {
        is_exhausted |= is_too_much;
        for (same, place, (is_in_force, breaks), group) in found {
            let place = places.entry(same).or_insert(place);
            place.candidate_in.add(&group);
            if is_in_force {
                place.in_force.add(&group);
            }
            if breaks {
                place.breaks.add(&group);
            }
        }
    });
    match is_exhausted {
        true => Err(vec![exhausted()]),
        false => Ok(places.into_values().collect()),
    }
}
