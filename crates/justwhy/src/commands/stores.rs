//! `stores`: the stores whose scopes the project reads, and whether they answer.

use crate::arguments::Form;
use crate::commands::push_context;
use crate::json::{self, Word};
use crate::look::{Cell, Look, Role};
use crate::outcome::Outcome;
use crate::running::Running;
use crate::running::Runs;
use crate::running::Surveying;
use clap::Args;
use justwhy_core::{Context, Scope, show_date};
use justwhy_engine::{NotRead, ScopeLayer};
use justwhy_project::{Error, Kept, Store, StoreProblem};
use justwhy_stores::how_to_allow;
use serde::Serialize;

#[derive(Args, Debug)]
pub(crate) struct StoresArguments {}

impl Runs for StoresArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.survey(true, run)
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct StoresBody {
    stores: Vec<ShownStore>,
}

/// A store, and whether it answers.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownStore {
    store: String,
    /// `file`, `service` or `etcd`.
    kind: Word,
    /// Its file, or its addresses.
    at: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    token_variable: Option<String>,
    /// `answers`, `not-allowed`, `fails`, `unavailable` or `unused`.
    state: Word,
    #[serde(skip_serializing_if = "Option::is_none")]
    because: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    help: Option<String>,
    /// As whom it takes us.
    #[serde(skip_serializing_if = "Option::is_none")]
    caller: Option<ShownCaller>,
    /// The newest revision in its answers.
    #[serde(skip_serializing_if = "Option::is_none")]
    revision: Option<u64>,
    /// The newest change among what was read.
    #[serde(skip_serializing_if = "Option::is_none")]
    changed: Option<String>,
    /// How old the cached copy is that was used.
    #[serde(skip_serializing_if = "Option::is_none")]
    copy: Option<String>,
    /// What to write into which file to allow it to be asked.
    #[serde(skip_serializing_if = "Option::is_none")]
    allow: Option<Allow>,
    reads: Vec<ShownReading>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownCaller {
    name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    role: Option<String>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct Allow {
    #[serde(skip_serializing_if = "Option::is_none")]
    file: Option<String>,
    /// Whether that file is to be created.
    is_new: bool,
    text: String,
}

/// A layer that reads scopes of the store, and those that it reads here.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownReading {
    layer: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    scope: Option<String>,
    /// Why the layer is not active here.
    #[serde(skip_serializing_if = "Option::is_none")]
    inactive: Option<String>,
    scopes: Vec<ShownScope>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownScope {
    scope: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    about: Option<String>,
    variables: usize,
    /// How many of them are marked as secret.
    secret: usize,
    /// How many of them cannot be read.
    unreadable: usize,
    /// How many of them are not meant for this context.
    withheld: usize,
}

pub(crate) fn run(surveying: &Surveying<'_>) -> Result<Outcome, Vec<Error>> {
    let context = surveying.snapshot.here(surveying.common.context.as_deref());
    let context = context.map_err(|error| vec![error])?;
    let layers = surveying.snapshot.scope_layers(&context);
    let stores = surveying.snapshot.project().stores.iter().enumerate();
    let shown: Vec<ShownStore> = stores
        .map(|(number, store)| {
            let of_store = layers.iter().filter(|layer| layer.store == number);
            shown_store(surveying, &context, store, &of_store.collect::<Vec<_>>())
        })
        .collect();
    let is_yes = shown.iter().all(|store| matches!(&*store.state, "answers" | "unused"));
    let result = match surveying.common.output {
        Form::Json => {
            json::text(&json::Answer::new("stores", &context, StoresBody { stores: shown }))
        }
        _ => text(surveying.look, &context, &shown),
    };
    Ok(Outcome {
        result: result.into(),
        notes: String::new(),
        code: u8::from(!is_yes),
        done: Vec::new(),
    })
}

/// When something was changed last, and by whom.
type LastChange = (String, Option<String>);

/// What is reported of a scope; `newest` is the latest change that was seen.
fn shown_scope(scope: &Scope, context: &Context, newest: &mut Option<LastChange>) -> ShownScope {
    let document = scope.document(0, &mut Default::default(), context, None);
    let notes = || document.notes.iter().map(|(_, note)| note);
    for note in notes() {
        if let Some(updated) = note.updated.as_deref()
            && newest.as_ref().is_none_or(|(newest, _)| newest.as_str() < updated)
        {
            *newest = Some((updated.to_owned(), note.by.as_deref().map(str::to_owned)));
        }
    }
    ShownScope {
        scope: scope.name.to_string(),
        about: scope.about.as_deref().map(str::to_owned),
        variables: scope.variables.len(),
        secret: notes().filter(|note| note.secret).count(),
        unreadable: notes().filter(|note| note.unreadable.is_some()).count(),
        withheld: notes().filter(|note| note.withheld.is_some()).count(),
    }
}

fn shown_store(
    surveying: &Surveying<'_>,
    context: &Context,
    store: &Store,
    layers: &[&ScopeLayer],
) -> ShownStore {
    let at = match &store.kept {
        Kept::File(path) => vec![path.clone()],
        _ => store.addresses().to_vec(),
    };
    let mut shown = ShownStore {
        store: store.name.clone(),
        kind: store.kind().into(),
        at,
        token_variable: store.token_variable.clone(),
        state: if layers.is_empty() { "unused".into() } else { "answers".into() },
        because: layers.is_empty().then(|| "no layer reads one of its scopes".to_owned()),
        help: None,
        caller: None,
        revision: None,
        changed: None,
        copy: None,
        allow: None,
        reads: Vec::new(),
    };
    let mut newest: Option<LastChange> = None;
    for layer in layers {
        let mut reading = ShownReading {
            layer: layer.layer.clone(),
            scope: layer.scope.as_ref().ok().cloned(),
            inactive: layer.scope.as_ref().err().cloned(),
            scopes: Vec::new(),
        };
        match surveying.snapshot.scopes_of(layer) {
            Ok(scopes) => {
                let scopes = scopes.iter().map(|scope| shown_scope(scope, context, &mut newest));
                reading.scopes.extend(scopes);
                if reading.scopes.is_empty() && reading.scope.is_some() && !layer.optional {
                    let wanted = reading.scope.clone().unwrap_or_default();
                    if !wanted.contains('*') {
                        shown.state = "fails".into();
                        shown.because = Some(format!("scope not found: {wanted}"));
                    }
                }
            }
            Err(NotRead::Unavailable(why)) => {
                shown.state = "unavailable".into();
                shown.because = Some(why);
            }
            Err(NotRead::Failed(error, reason)) => {
                shown.state = match error.code() {
                    "store-not-allowed" => "not-allowed".into(),
                    _ => "fails".into(),
                };
                shown.because = Some(reason);
                shown.help = error.helps().first().cloned();
            }
        }
        shown.reads.push(reading);
    }
    if shown.state == "not-allowed" {
        let file = surveying.stores.place().allowed.as_ref();
        let is_new = file.is_none_or(|path| !surveying.snapshot.world().is_file(path));
        let file = file.map(|path| path.display().to_string());
        let begin = if is_new { "justwhy = 1\n\n" } else { "" };
        shown.allow = Some(Allow { file, is_new, text: format!("{begin}{}", how_to_allow(store)) });
        shown.help = None;
    }
    if shown.state == "answers" && !matches!(store.kept, Kept::File(_)) {
        tell_answer(surveying, store, &mut shown);
    }
    shown.changed = newest.map(|(updated, by)| match by {
        Some(by) => format!("{} by {by}", show_date(&updated)),
        None => show_date(&updated),
    });
    shown
}

/// What a store that was asked reported of itself and of us.
fn tell_answer(surveying: &Surveying<'_>, store: &Store, shown: &mut ShownStore) {
    let told = surveying.stores.told(&store.name);
    (shown.revision, shown.copy) = (told.revision, told.copy);
    match surveying.stores.caller(store) {
        Ok(caller) => {
            shown.caller = caller.map(|(name, role)| ShownCaller { name, role });
        }
        Err(StoreProblem::Unavailable(_)) => {}
        Err(StoreProblem::Failed { reason, .. }) => {
            shown.because = Some(format!("the store does not answer who you are: {reason}"));
        }
    }
}

fn text(look: &Look, context: &Context, stores: &[ShownStore]) -> String {
    let mut out = String::new();
    let bad = stores.iter().filter(|store| !matches!(&*store.state, "answers" | "unused")).count();
    let (role, answer) = match (stores.len(), bad) {
        (0, _) => (Role::Plain, "the project declares no stores ([store.NAME])".to_owned()),
        (1, 0) => (Role::Value, "1 store, without problems".to_owned()),
        (count, 0) => (Role::Value, format!("{count} stores, without problems")),
        (1, _) => (Role::Wrong, "1 store cannot be read".to_owned()),
        (count, bad) => (Role::Wrong, format!("{bad} of {count} stores cannot be read")),
    };
    look.styled(&mut out, role, &answer, "");
    if stores.is_empty() {
        return out;
    }
    push_context(look, context, &mut out);
    for store in stores {
        out.push('\n');
        one(look, store, &mut out);
    }
    out
}

fn one(look: &Look, store: &ShownStore, out: &mut String) {
    let role = match &*store.state {
        "answers" => Role::Value,
        "unused" => Role::Lost,
        _ => Role::Wrong,
    };
    let cells = [
        (Role::Key, store.store.clone()),
        (Role::Plain, store.kind.to_string()),
        (role, facts(store).join("; ")),
        (Role::Place, store.at.join(", ")),
    ];
    look.records(out, 0, &[cells.map(|(role, text)| Cell::new(role, text)).to_vec()]);
    if let Some(because) = &store.because {
        look.styled(out, role, because, "  ");
    }
    if let Some(help) = &store.help {
        look.paragraph(out, &format!("help: {help}"), "  ");
    }
    if let Some(allow) = &store.allow {
        how_to_allow_it(look, allow, out);
    }
    readings(look, store, out);
}

/// What is known of a store.
fn facts(store: &ShownStore) -> Vec<String> {
    let mut facts: Vec<String> = Vec::new();
    match &*store.state {
        "answers" => facts.push(match (&store.caller, &store.copy) {
            (_, Some(copy)) => format!("cached copy: {copy}"),
            (Some(ShownCaller { name, role: Some(role) }), _) => {
                format!("answers; you are {name} ({role})")
            }
            (Some(ShownCaller { name, role: None }), _) => format!("answers; you are {name}"),
            (None, _) => "answers".to_owned(),
        }),
        "not-allowed" => facts.push("not allowed".to_owned()),
        "unused" => facts.push("not read".to_owned()),
        state => facts.push(state.to_owned()),
    }
    facts.extend(store.revision.map(|revision| format!("revision {revision}")));
    facts.extend(store.changed.as_ref().map(|changed| format!("changed {changed}")));
    if let (Some(name), true) = (&store.token_variable, store.state == "answers") {
        facts.push(format!("token from {name}"));
    }
    facts
}

/// What to write where, so that a store is asked.
fn how_to_allow_it(look: &Look, allow: &Allow, out: &mut String) {
    let file = match &allow.file {
        Some(file) if allow.is_new => {
            format!("If you trust this project with it, create {file} with:")
        }
        Some(file) => format!("If you trust this project with it, add to {file}:"),
        None => "If you trust this project with it, add to the file in JUSTWHY_STORES:".to_owned(),
    };
    look.paragraph(out, &file, "  ");
    for line in allow.text.lines() {
        let line = look.paint(Role::Value, &look.text(line));
        out.push_str(if line.is_empty() { "" } else { "    " });
        out.push_str(&line);
        out.push('\n');
    }
    out.push('\n');
}

/// What each layer reads of a store: a line for each scope.
fn readings(look: &Look, store: &ShownStore, out: &mut String) {
    let mut records = Vec::new();
    for reading in &store.reads {
        let wanted = reading.scope.clone().unwrap_or_default();
        let mut push = |scope: String, text: String| {
            records.push(vec![
                Cell::new(Role::Layer, reading.layer.clone()),
                Cell::new(Role::Place, scope),
                Cell::new(Role::Plain, text),
            ]);
        };
        match (&reading.inactive, reading.scopes.is_empty()) {
            (Some(why), _) => push(String::new(), format!("does not apply here: {why}")),
            (None, true) if store.state == "answers" => push(wanted, "no such scope".to_owned()),
            (None, true) => push(wanted, String::new()),
            (None, false) => {
                reading.scopes.iter().for_each(|it| push(it.scope.clone(), counted(it)));
            }
        }
    }
    look.records(out, 2, &records);
}

/// `3 variables (1 secret)`.
fn counted(scope: &ShownScope) -> String {
    let s = if scope.variables == 1 { "" } else { "s" };
    let mut parts = Vec::new();
    if scope.secret > 0 {
        parts.push(format!("{} secret", scope.secret));
    }
    if scope.unreadable > 0 {
        parts.push(format!("{} unreadable", scope.unreadable));
    }
    if scope.withheld > 0 {
        parts.push(format!("{} withheld here", scope.withheld));
    }
    let parts = match parts.is_empty() {
        true => String::new(),
        false => format!(" ({})", parts.join(", ")),
    };
    format!("{} variable{s}{parts}", scope.variables)
}
