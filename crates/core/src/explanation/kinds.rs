//! What depends on the kind of source that a layer reads: why it sets nothing, where something would be
//! written, and how it is offered to people. A new kind is opened by the reader of the engine, and the compiler
//! asks for its arm in each `match` here.

use super::{Explanation, sources_of, variable_in};
use crate::answers::Answers;
use crate::model::fact::{Fact, Part};
use crate::model::key::{KeyId, KeyPath};
use crate::model::layer::{Kind, Lack, Layer, LayerIndex, Names, Presence};
use crate::model::place::Place;
use crate::model::scope::is_env_name;
use crate::model::variable::is_system_variable;
use crate::model::words::{changes as words, layers as layer_words, rows};
use crate::precedence::verdict::Verdict;
use crate::reading::Reading;

/// What a value is written into.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Holder {
    /// The file at this path, relative to the project's folder.
    File(String),
    /// The layer's own `values`, in the project file.
    Values,
    /// A scope.
    Scope {
        /// Its store.
        store: String,
        /// Its name.
        scope: String,
    },
}

/// Why a layer cannot set a setting: what is wrong, as a sentence, and how else it goes.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct NoDestination {
    /// What is wrong.
    pub problem: Fact,
    /// What to do instead.
    pub help: Fact,
}

pub(super) fn none(problem: Fact, help: &'static str) -> NoDestination {
    NoDestination { problem, help: Fact::new(help) }
}

/// One way of changing a setting.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Advice {
    /// The layer to change, `arguments` for a trial.
    pub layer: LayerIndex,
    /// What to write there, or which line to change.
    pub write: String,
    /// Where to write it.
    pub at: Fact,
    /// The file that it would be written to, relative to the project's folder.
    pub file: Option<String>,
    /// Whether that file, or the scope, is not there yet.
    pub is_new: bool,
    /// In which contexts that takes effect, as a clause; empty if in every one.
    pub reach: String,
}

/// Why a layer that was read has no candidate, where nothing of it is near the setting.
pub(super) fn silence(
    answers: &Answers<'_>,
    index: LayerIndex,
    key: KeyId,
    variable: Option<&str>,
) -> Fact {
    let readings = answers.resolution().readings();
    let layer = readings.layer(index);
    let of_variable = |form, variable| Fact::new(form).with("name", variable);
    match (layer.kind, variable) {
        (Kind::Code, _) => fallback_of(answers, index, key),
        (Kind::Catalogue, _) => Fact::new(match readings.catalogue.is_empty() {
            true => rows::NO_CATALOGUE,
            false => rows::NO_DEFAULT,
        }),
        (Kind::Arguments, _) => Fact::new(rows::NO_ARGUMENT),
        _ if readings.name_in(index, key).is_none() => {
            let into = layer.into.as_ref().map(ToString::to_string).unwrap_or_default();
            Fact::new(rows::ALL_BELOW).with("key", into)
        }
        (Kind::Values, None) => Fact::new(rows::NOT_AMONG_VALUES),
        (Kind::Process, Some(variable)) => {
            let form = match is_named(answers, index, variable) {
                false => rows::VARIABLE_NOT_SET,
                true if is_system_variable(variable) => rows::SYSTEM_VARIABLE,
                true => rows::VARIABLE_NOT_READ,
            };
            of_variable(form, variable)
        }
        (
            Kind::File
            | Kind::Files
            | Kind::Rows
            | Kind::Scope
            | Kind::Scopes
            | Kind::CommandLine
            | Kind::Values
            | Kind::Process,
            variable,
        ) => {
            let (what, are_several) = what_is_read(answers, index);
            let form = if are_several { rows::DO_NOT_SET } else { rows::DOES_NOT_SET };
            of_variable(form, variable.unwrap_or("it")).with("what", what)
        }
    }
}

/// Why a layer of source code has no fallback for a setting.
fn fallback_of(answers: &Answers<'_>, index: LayerIndex, key: KeyId) -> Fact {
    for reading in sources_of(answers, index) {
        let mut needs = reading.needs.iter().filter(|need| need.key == key);
        if let Some(first) = needs.next() {
            let more = Some(needs.count()).filter(|more| *more > 0);
            let more = more.map(|more| Fact::new(rows::AND_MORE_IN_FILE).with("count", more));
            return Fact::new(rows::READ_WITHOUT_FALLBACK)
                .with("place", reading.place(first.leaf).to_string())
                .with_some("more", more);
        }
    }
    Fact::new(rows::NO_FALLBACK)
}

/// Whether a source of the layer has that name, whatever it is read for.
pub(super) fn is_named(answers: &Answers<'_>, index: LayerIndex, name: &str) -> bool {
    let keys = answers.resolution().keys();
    let mut leaves = sources_of(answers, index).flat_map(|reading| &reading.document.leaves);
    leaves.any(|leaf| keys.parent(leaf.name) == KeyId::ROOT && keys.segment(leaf.name) == name)
}

/// What a layer reads here, and whether that is several things.
fn what_is_read(answers: &Answers<'_>, index: LayerIndex) -> (Part, bool) {
    let layer = answers.resolution().readings().layer(index);
    let of_store = |form, store: &str| Fact::new(form).with("store", store);
    if let (Kind::Scope, Some(scope)) = (layer.kind, &layer.scope) {
        let fact = of_store(rows::THE_SCOPE, &scope.store).with("scope", &scope.scope);
        return (fact.into(), false);
    }
    if let (Kind::Scopes, Some(scope)) = (layer.kind, &layer.scope) {
        let names = sources_of(answers, index).filter_map(|it| it.document.scope.as_ref());
        let names: Vec<&str> = names.map(|scope| scope.name.as_ref()).collect();
        let are_several = names.len() != 1;
        let fact = match names.as_slice() {
            [name] => of_store(rows::THE_SCOPE, &scope.store).with("scope", *name),
            [_, _] | [_, _, _] => of_store(rows::THE_SCOPES, &scope.store).with("scopes", names),
            names => of_store(rows::SCOPES_THAT_MATCH, &scope.store)
                .with("count", names.len())
                .with("scope", &scope.scope),
        };
        return (fact.into(), are_several);
    }
    let mut sources: Vec<&str> =
        sources_of(answers, index).map(|reading| reading.origin.name()).collect();
    sources.dedup();
    let path = layer.path.as_deref();
    let (count, are_several) = (sources.len(), sources.len() > 1);
    let counted = |form, count: usize| {
        Part::from(Fact::new(form).with("path", path.unwrap_or("")).with("count", count))
    };
    let what: Part = match count {
        0 => path.unwrap_or(rows::THE_LAYER).into(),
        1..=3 => sources.into(),
        count if layer.kind == Kind::File => counted(rows::READ_WITH, count - 1),
        count => counted(rows::FILES_THAT_MATCH, count),
    };
    let what = match layer.row {
        Some(row) => Fact::new(rows::ROW_OF).with("row", row).with("what", what).into(),
        None => what,
    };
    match &layer.under {
        Some(section) => {
            let fact = Fact::new(rows::SECTION_OF).with("section", section.to_string());
            (fact.with("what", what).into(), false)
        }
        None => (what, are_several),
    }
}

/// Why nothing can be written to a layer, whatever it is.
pub(super) fn refusal(
    answers: &Answers<'_>,
    index: LayerIndex,
    path: &KeyPath,
) -> Option<NoDestination> {
    let layer = answers.resolution().readings().layer(index);
    let of_layer = |form| Fact::new(form).with("layer", &layer.name);
    let (problem, help) = match layer.kind {
        Kind::Catalogue => (Fact::new(words::ONLY_DEFAULTS), Fact::new(words::WRITE_DEFAULT)),
        Kind::Arguments => (Fact::new(words::ONLY_ARGUMENTS), Fact::new(words::USE_SET_KEY)),
        Kind::Process => {
            let variable = variable_of(answers, index, path);
            let problem = of_layer(words::READS_VARIABLES);
            let help = Fact::new(words::SET_VARIABLE).with_some("name", variable);
            (problem, help)
        }
        Kind::CommandLine => {
            let problem = of_layer(words::READS_COMMAND_LINE);
            let help = by_hand(answers, index, path, words::EDIT_PLACE);
            let help = help.unwrap_or_else(|| Fact::new(words::EDIT_COMMAND_LINE));
            (problem, help)
        }
        Kind::Code => {
            let problem = of_layer(words::READS_CODE);
            let help = by_hand(answers, index, path, words::EDIT_PLACE_OR);
            let help = help.unwrap_or_else(|| Fact::new(words::OTHER_LAYER));
            (problem, help)
        }
        Kind::Rows => (of_layer(words::READS_ROWS), Fact::new(words::EDIT_ROW)),
        Kind::File | Kind::Files | Kind::Values | Kind::Scope | Kind::Scopes => return None,
    };
    Some(NoDestination { problem, help })
}

/// What to do instead, where the layer has a value of the setting.
fn by_hand(
    answers: &Answers<'_>,
    index: LayerIndex,
    path: &KeyPath,
    form: &'static str,
) -> Option<Fact> {
    let key = answers.resolution().readings().keys.find(KeyId::ROOT, path)?;
    let place = place_in(answers, index, key)?;
    Some(Fact::new(form).with("place", place.to_string()))
}

/// Where the layer has the strongest value of a setting.
fn place_in(answers: &Answers<'_>, index: LayerIndex, key: KeyId) -> Option<Place> {
    let resolution = answers.resolution();
    let mut candidates = resolution.candidates(key).map(|id| resolution.candidate(id));
    let candidate = candidates.find(|it| resolution.layer_of(it) == index)?;
    let place = resolution.reading(candidate).place(candidate.leaf);
    place.has_line().then_some(place)
}

/// What a new value of the layer would be written into.
pub(super) fn holder(
    answers: &Answers<'_>,
    index: LayerIndex,
    key: Option<KeyId>,
) -> Result<Holder, NoDestination> {
    let layer = answers.resolution().readings().layer(index);
    match layer.kind {
        Kind::Values => Ok(Holder::Values),
        Kind::Scope | Kind::Scopes => {
            let scope = scope_to_write(answers, index, key);
            let Some((store, scope, is_new)) = scope else {
                let problem = Fact::new(words::SCOPES_FOR_OTHERS).with("layer", &layer.name);
                return Err(none(problem, words::CHOOSE_ONE));
            };
            if is_new && scope.contains('*') {
                let problem = Fact::new(layer_words::NO_SCOPE_MATCHES);
                let problem = problem.with("store", store).with("scope", scope);
                return Err(none(problem, words::CREATE_SCOPE));
            }
            Ok(Holder::Scope { store, scope })
        }
        Kind::File
        | Kind::Files
        | Kind::Rows
        | Kind::Catalogue
        | Kind::CommandLine
        | Kind::Code
        | Kind::Process
        | Kind::Arguments => {
            let strongest = sources_of(answers, index).last();
            let path = strongest.map(|reading| reading.origin.to_string());
            let is_pattern = layer.kind == Kind::Files;
            let path = path.or_else(|| layer.path.clone().filter(|_| !is_pattern));
            path.map(Holder::File).ok_or_else(|| {
                let pattern = layer.path.clone().unwrap_or_default();
                none(Fact::new(layer_words::NO_MATCH).with("path", pattern), words::CREATE_FILE)
            })
        }
    }
}

/// The variable by which the layer would set a key.
pub(super) fn variable_of(
    answers: &Answers<'_>,
    index: LayerIndex,
    path: &KeyPath,
) -> Option<String> {
    let readings = answers.resolution().readings();
    let layer = readings.layer(index);
    if let Some(key) = readings.keys.find(KeyId::ROOT, path) {
        return readings.variable(index, key);
    }
    let Names::Variables(naming) = &layer.names else { return None };
    let below = crate::reading::segments_below(layer.into.as_ref(), path.segments())?;
    Some(naming.variable_of(below.iter().map(String::as_str)))
}

/// Writing the setting in a layer that is active here.
pub(super) fn way(
    answers: &Answers<'_>,
    index: LayerIndex,
    explanation: &Explanation,
) -> Option<Advice> {
    let readings = answers.resolution().readings();
    let layer = readings.layer(index);
    if matches!(layer.presence, Presence::Inactive(_) | Presence::Unavailable(_)) {
        return None;
    }
    let key = answers.resolution().keys().show(explanation.key);
    let advice = |write: String, at: Fact| {
        let reach = layer.reach(&readings.context);
        Some(Advice { layer: index, write, at, file: None, is_new: false, reach })
    };
    let variable = variable_in(answers, index, explanation.key);
    let name = readings.name_in(index, explanation.key)?.to_string();
    // Neither env files nor shells take every name that is made of a key.
    let is_in_store = matches!(layer.kind, Kind::Scope | Kind::Scopes);
    if variable.as_ref().is_some_and(|name| !is_in_store && !is_env_name(name)) {
        return None;
    }
    match (layer.kind, variable) {
        (Kind::Catalogue | Kind::CommandLine | Kind::Code, _) => None,
        (Kind::Arguments, _) => advice(format!("--set {key}=…"), Fact::new(words::FOR_ONE_RUN)),
        // What a shell means by it is not read for a setting unless the catalogue asks for it.
        (Kind::Process, Some(variable))
            if is_system_variable(&variable)
                && readings
                    .catalogue
                    .declared(explanation.key)
                    .is_none_or(|declared| declared.variable.is_none()) =>
        {
            None
        }
        (Kind::Process, Some(variable)) => {
            advice(format!("{variable}=…"), Fact::new(words::ENVIRONMENT_VARIABLE))
        }
        (Kind::Process, None) => None,
        (Kind::Values, _) => {
            advice(name, Fact::new(words::IN_PROJECT_FILE).with("layer", &layer.name))
        }
        (Kind::Scope | Kind::Scopes, variable) => {
            let name = variable.unwrap_or(name);
            let (store, scope, is_new) = scope_to_write(answers, index, Some(explanation.key))?;
            let at = Fact::new(words::IN_SCOPE).with("scope", scope).with("store", store);
            let at = at.with_some("new", is_new.then(|| Fact::new(words::NEW)));
            Some(Advice { is_new, ..advice(format!("{name}=…"), at)? })
        }
        (Kind::File | Kind::Files | Kind::Rows, variable) => {
            let (at, path, is_new) = file(answers, index, layer);
            let write = variable.map_or(name, |variable| format!("{variable}=…"));
            Some(Advice { file: Some(path), is_new, ..advice(write, at)? })
        }
    }
}

/// The store and the scope, and whether it is not there yet. `None` if all that are there are meant for
/// others.
fn scope_to_write(
    answers: &Answers<'_>,
    index: LayerIndex,
    key: Option<KeyId>,
) -> Option<(String, String, bool)> {
    let resolution = answers.resolution();
    let layer = resolution.readings().layer(index);
    let scope = layer.scope.as_ref()?;
    let is_withheld = |reading: &Reading| {
        let mut candidates = key.into_iter().flat_map(|key| resolution.candidates(key));
        reading.document.scope.as_ref().is_some_and(|scope| scope.is_withheld)
            || candidates.any(|id| {
                let candidate = resolution.candidate(id);
                candidate.verdict == Verdict::Withheld
                    && std::ptr::eq(resolution.reading(candidate), reading)
            })
    };
    let meant = sources_of(answers, index).filter(|reading| !is_withheld(reading)).last();
    let (name, is_new) = match (&layer.presence, meant.and_then(|it| it.document.scope.as_ref())) {
        (_, Some(of)) => (of.name.to_string(), false),
        // Everything that is there is meant for others.
        (Presence::Read, None) => return None,
        _ => (scope.scope.clone(), true),
    };
    Some((scope.store.clone(), name, is_new))
}

/// The file to write to, its path, and whether it is new: of several the strongest.
fn file(answers: &Answers<'_>, index: LayerIndex, layer: &Layer) -> (Fact, String, bool) {
    let strongest = sources_of(answers, index).last().map(|reading| reading.origin.to_string());
    let path = strongest.or_else(|| layer.path.clone()).unwrap_or_default();
    let row = layer.row.map(|row| Fact::new(words::ROW).with("row", row));
    let section = layer.under.as_ref().map(ToString::to_string);
    let section = section.map(|section| Fact::new(words::SECTION).with("section", section));
    let new = match &layer.presence {
        Presence::Missing(Lack::File(_) | Lack::InFolders(_)) => Some(Fact::new(words::NEW)),
        Presence::Missing(Lack::Match(_)) => Some(Fact::new(words::A_NEW_FILE)),
        _ => None,
    };
    let is_new = new.is_some();
    let at = Fact::new(words::IN_FILE)
        .with("path", &path)
        .with_some("row", row)
        .with_some("new", new)
        .with_some("section", section);
    (at, path, is_new)
}
