//! Why a setting is not what somebody expected: where that is, looked for in this context, in others, in
//! layers that are not read, under near names and outside of sections.

use crate::{Snapshot, select};
use hashbrown::HashSet;
use justwhy_core::{
    Answers, Astray, Context, Found, How, KeyId, KeyPath, Presence, Provenance, Resolution, Wanted,
    unread_layers,
};
use justwhy_project::Error;
use std::sync::Arc;

/// Who asks, and in which context.
#[derive(Clone, Copy)]
pub struct Asking<'a> {
    /// Where other contexts are found.
    pub snapshot: &'a Snapshot,
    /// What is answered here.
    pub answers: &'a Answers<'a>,
    /// Is told that a context is being read, and of how many.
    pub begins: &'a dyn Fn(usize, usize),
}

impl std::fmt::Debug for Asking<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Asking").finish_non_exhaustive()
    }
}

impl<'a> Asking<'a> {
    fn context(&self) -> &'a Context {
        &self.answers.resolution().readings().context
    }
}

/// What the search came to.
#[derive(Debug)]
pub struct Search {
    /// What was expected.
    pub text: String,
    /// Whether it is that.
    pub is_met: bool,
    /// Whether the setting is secret, so that values were not compared.
    pub is_secret: bool,
    /// What was found, first what comes first in the order of the search.
    pub found: Vec<(Found, Option<Context>)>,
    /// The references that lead to another value.
    pub astray: Vec<Astray>,
    /// How many candidates there are here.
    pub candidates: usize,
    /// How many other contexts were looked into.
    pub contexts: usize,
    /// Whether there are more other contexts than are looked at, so that none was.
    pub too_many: bool,
    /// How many could not be read.
    pub unreadable: usize,
    /// The layers that were read although they are inactive.
    pub inactive: Vec<String>,
    /// How many sources are read here.
    pub sources: usize,
}

/// Looks for `text` among the candidates of the setting, then in other contexts, in layers that were
/// not read, under near names, and outside of sections.
pub fn search(asking: &Asking<'_>, key: KeyId, text: &str) -> Result<Search, Vec<Error>> {
    let answers = asking.answers;
    let resolution = answers.resolution();
    let wanted = Wanted::of(answers, text);
    let mut search = Search {
        text: text.to_owned(),
        is_met: wanted.is_met(answers, key),
        is_secret: answers.is_secret(key),
        found: Vec::new(),
        astray: Vec::new(),
        candidates: resolution.candidates(key).count(),
        contexts: 0,
        too_many: false,
        unreadable: 0,
        inactive: Vec::new(),
        sources: resolution.readings().inputs.inputs.len(),
    };
    if search.is_met {
        return Ok(search);
    }
    search.astray = wanted.astray(answers, key);
    let here = wanted.among_candidates(answers, key).map(|found| (found, None));
    search.found.extend(here);
    if search.found.is_empty() {
        in_other_contexts(asking, key, &wanted, &mut search)?;
    }
    if search.found.is_empty() {
        in_inactive_layers(asking, key, &wanted, &mut search);
    }
    search.found.extend(wanted.under_near_names(answers, key).map(|found| (found, None)));
    search.found.extend(wanted.outside_of_sections(answers, key).map(|found| (found, None)));
    Ok(search)
}

/// The nearest context in which it takes effect, or else the nearest in which it is a candidate.
fn in_other_contexts(
    asking: &Asking<'_>,
    key: KeyId,
    wanted: &Wanted,
    search: &mut Search,
) -> Result<(), Vec<Error>> {
    let here = asking.context();
    let contexts = match other_contexts(asking) {
        Err(error) if error.code() == "limit" => {
            search.too_many = true;
            return Ok(());
        }
        contexts => contexts.map_err(|error| vec![error])?,
    };
    let mut second: Option<(Found, Option<Context>)> = None;
    let looked = look_into(asking, contexts, |context, there| {
        let way = || asking.snapshot.way_to(here, context);
        match wanted.in_other_context(there, key, &way) {
            Some(found) if found.how == How::InForceElsewhere => {
                search.found.push((found, Some(context.clone())));
                false
            }
            Some(found) => {
                second.get_or_insert_with(|| (found, Some(context.clone())));
                true
            }
            None => true,
        }
    });
    search.contexts = looked.read;
    search.unreadable = looked.unreadable;
    if search.found.is_empty() {
        search.found.extend(second);
    }
    Ok(())
}

fn in_inactive_layers(asking: &Asking<'_>, key: KeyId, wanted: &Wanted, search: &mut Search) {
    let answers = asking.answers;
    for layer in unread_layers(answers.resolution().readings()) {
        let context = asking.context().clone();
        let Ok(readings) = asking.snapshot.read_as_if_active(context, &[layer]) else { continue };
        if matches!(readings.layer(layer).presence, Presence::Inactive(_)) {
            // It needs an axis that is unset, which the other contexts are there for.
            continue;
        }
        let resolution = Resolution::of(Arc::new(readings));
        let forced = Answers::new(resolution, answers.outside(), answers.limits());
        let name = answers.resolution().readings().layer(layer).name.clone();
        search.inactive.push(name);
        let place = asking.snapshot.declared_at(layer);
        if let Some(found) = wanted.in_inactive_layer(answers, &forced, layer, key, &place) {
            search.found.push((found, None));
            return;
        }
    }
}

/// The error that there is no such setting here, with the nearest context in which it is what was
/// expected, or else in which there is one.
pub fn where_it_is(asking: &Asking<'_>, key: &str, expected: &str, error: Error) -> Error {
    let Ok(path) = KeyPath::parse(key) else {
        return error;
    };
    let here = asking.context();
    let Ok(contexts) = other_contexts(asking) else {
        return error;
    };
    let wanted = Wanted::of(asking.answers, expected);
    let (mut found, mut any): (Option<String>, Option<String>) = (None, None);
    look_into(asking, contexts, |context, there| {
        let resolution = there.resolution();
        let Some(key) = resolution.keys().find(KeyId::ROOT, &path) else {
            return true;
        };
        let is_met = wanted.is_met(there, key);
        if let Some(winner) = resolution.winner(key).filter(|_| is_met || any.is_none()) {
            let way = asking.snapshot.way_to(here, context);
            let stand = Provenance::of(resolution, winner);
            let layer = &resolution.readings().layer(stand.layer).name;
            let place = stand.show(resolution.keys());
            match is_met {
                true => {
                    found = Some(format!("it has this value with --in {way}: {layer} ({place})"))
                }
                false => any = Some(format!("it is set with --in {way}: {layer} ({place})")),
            }
        }
        found.is_none()
    });
    match found.or(any) {
        Some(help) => error.help(help),
        None => error.help("no other context has it either"),
    }
}

/// The error that no such source is read here, with the nearest context in which it is.
pub fn where_it_is_read(asking: &Asking<'_>, place: &str, error: Error) -> Error {
    let Ok(contexts) = other_contexts(asking) else {
        return error;
    };
    let mut found: Option<String> = None;
    look_into(asking, contexts, |context, there| {
        if select::has_source(there.resolution(), asking.snapshot.inside(), place) {
            found = Some(asking.snapshot.way_to(asking.context(), context));
        }
        found.is_none()
    });
    match found {
        Some(way) => error.help(format!("it is read with --in {way}")),
        None => error.help("no other context reads it either"),
    }
}

/// The contexts that are not this one, the nearest first.
fn other_contexts(asking: &Asking<'_>) -> Result<Vec<Context>, Error> {
    let here = asking.context();
    let differs = |context: &Context| {
        let axes = context.axes.iter().zip(&here.axes);
        axes.filter(|(one, other)| one.value != other.value).count()
    };
    // What --in names may vary too, unless that makes too many.
    let all = asking.snapshot.contexts(&Context::default());
    let mut contexts = match all {
        Err(error) if error.code() == "limit" => asking.snapshot.contexts(here)?,
        all => all?,
    };
    // Nearer than any of them may be one in which a single axis is otherwise.
    contexts.extend(asking.snapshot.beside(here));
    contexts.retain(|context| differs(context) > 0);
    contexts.sort_by_key(differs);
    let mut seen = HashSet::new();
    contexts.retain(|context| {
        let values = context.axes.iter().map(|axis| axis.value.clone());
        seen.insert(values.collect::<Vec<_>>())
    });
    Ok(contexts)
}

/// What came of looking into contexts.
struct Looked {
    /// How many were looked into.
    read: usize,
    /// How many could not be read.
    unreadable: usize,
}

/// Resolves the project in each context and looks into it, until `look` gives false.
fn look_into(
    asking: &Asking<'_>,
    contexts: Vec<Context>,
    mut look: impl FnMut(&Context, &Answers<'_>) -> bool,
) -> Looked {
    let mut looked = Looked { read: 0, unreadable: 0 };
    let of = contexts.len();
    for (number, context) in contexts.into_iter().enumerate() {
        (asking.begins)(number + 1, of);
        let Ok(there) = asking.snapshot.at(context.clone()) else {
            looked.unreadable += 1;
            continue;
        };
        looked.read += 1;
        if !look(&context, &there) {
            break;
        }
    }
    looked
}
