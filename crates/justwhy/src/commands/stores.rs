//! `stores`: the stores whose scopes the project reads, and whether they answer.

use crate::arguments::Form;
use crate::commands::context_line;
use crate::json;
use crate::look::{Look, Role, Symbol, fill, width};
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
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct StoresBody {
    stores: Vec<ShownStore>,
}

/// A store, and whether it answers.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownStore {
    store: String,
    /// `file`, `service` or `etcd`.
    kind: &'static str,
    /// Its file, or its addresses.
    at: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    token_variable: Option<String>,
    /// `answers`, `not-allowed`, `fails`, `unavailable` or `unused`.
    state: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    because: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    help: Option<String>,
    /// As whom it takes us.
    #[serde(skip_serializing_if = "Option::is_none")]
    caller: Option<ShownCaller>,
    /// The newest revision that it told of.
    #[serde(skip_serializing_if = "Option::is_none")]
    revision: Option<u64>,
    /// The newest change among what was read.
    #[serde(skip_serializing_if = "Option::is_none")]
    changed: Option<String>,
    /// How old the copy is that stands for an answer.
    #[serde(skip_serializing_if = "Option::is_none")]
    copy: Option<String>,
    /// What to write into which file to allow it to be asked.
    #[serde(skip_serializing_if = "Option::is_none")]
    allow: Option<Allow>,
    reads: Vec<ShownReading>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownCaller {
    name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    role: Option<String>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct Allow {
    #[serde(skip_serializing_if = "Option::is_none")]
    file: Option<String>,
    /// Whether that file is not there yet.
    is_new: bool,
    text: String,
}

/// A layer that reads scopes of the store, and those that it reads here.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
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
#[cfg_attr(test, derive(schemars::JsonSchema))]
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
    let is_yes = shown.iter().all(|store| matches!(store.state, "answers" | "unused"));
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

/// What is told of a scope; `newest` is the latest change that was seen.
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
        kind: store.kind(),
        at,
        token_variable: store.token_variable.clone(),
        state: if layers.is_empty() { "unused" } else { "answers" },
        because: layers.is_empty().then(|| "no layer reads a scope of it".to_owned()),
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
                        shown.state = "fails";
                        shown.because = Some(format!("it has no scope {wanted}"));
                    }
                }
            }
            Err(NotRead::Unavailable(why)) => {
                shown.state = "unavailable";
                shown.because = Some(why);
            }
            Err(NotRead::Failed(error, reason)) => {
                shown.state = match error.code() {
                    "store-not-allowed" => "not-allowed",
                    _ => "fails",
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

/// What a store that was asked told of itself, and of us.
fn tell_answer(surveying: &Surveying<'_>, store: &Store, shown: &mut ShownStore) {
    let told = surveying.stores.told(&store.name);
    (shown.revision, shown.copy) = (told.revision, told.copy);
    match surveying.stores.caller(store) {
        Ok(caller) => {
            shown.caller = caller.map(|(name, role)| ShownCaller { name, role });
        }
        Err(StoreProblem::Unavailable(_)) => {}
        Err(StoreProblem::Failed { reason, .. }) => {
            shown.because = Some(format!("it does not say as whom it takes us: {reason}"));
        }
    }
}

fn text(look: &Look, context: &Context, stores: &[ShownStore]) -> String {
    if stores.is_empty() {
        let mut out = String::new();
        let told = "This project reads no stores: none is declared ([store.NAME]).";
        look.paragraph(&mut out, told, "");
        return out;
    }
    let mut out = String::new();
    let line = context_line(context);
    if !line.is_empty() {
        let mut lines = String::new();
        look.paragraph(&mut lines, &format!("in {line}"), "");
        for line in lines.lines() {
            out.push_str(&look.paint(Role::Lost, line));
            out.push('\n');
        }
        out.push('\n');
    }
    let parts: Vec<String> = stores.iter().map(|store| one(look, store)).collect();
    out + &parts.join("\n")
}

fn one(look: &Look, store: &ShownStore) -> String {
    let mut out = String::new();
    let (symbol, role) = match store.state {
        "answers" => (Symbol::Decides, Role::Value),
        "unused" => (Symbol::Quiet, Role::Lost),
        _ => (Symbol::Quiet, Role::Wrong),
    };
    out.push_str(&format!(
        "{} {}  {}  {}\n",
        look.paint(role, look.symbol(symbol)),
        look.paint(Role::Key, &look.text(&store.store)),
        store.kind,
        look.paint(Role::Place, &look.text(&store.at.join(", ")))
    ));
    let mut lines = String::new();
    look.paragraph(&mut lines, &facts(store).join("; "), "  ");
    for line in lines.lines() {
        out.push_str(&look.paint(if role == Role::Wrong { role } else { Role::Plain }, line));
        out.push('\n');
    }
    for told in store.because.iter().chain(&store.help) {
        look.paragraph(&mut out, &sentence(told), "  ");
    }
    if let Some(allow) = &store.allow {
        how_to_allow_it(look, allow, &mut out);
    }
    readings(look, store, &mut out);
    out
}

/// What is known of a store.
fn facts(store: &ShownStore) -> Vec<String> {
    let mut facts: Vec<String> = Vec::new();
    match store.state {
        "answers" => facts.push(match (&store.caller, &store.copy) {
            (_, Some(copy)) => format!("a copy answers: {copy}"),
            (Some(ShownCaller { name, role: Some(role) }), _) => {
                format!("answers, and takes us for {name} ({role})")
            }
            (Some(ShownCaller { name, role: None }), _) => {
                format!("answers, and takes us for {name}")
            }
            (None, _) => "answers".to_owned(),
        }),
        "not-allowed" => facts.push("is not asked".to_owned()),
        "fails" => facts.push("fails".to_owned()),
        "unused" => facts.push("is not read".to_owned()),
        state => facts.push(format!("is {state}")),
    }
    facts.extend(store.revision.map(|revision| format!("revision {revision}")));
    facts.extend(store.changed.as_ref().map(|changed| format!("last change read: {changed}")));
    if let (Some(name), true) = (&store.token_variable, store.state == "answers") {
        facts.push(format!("with the token in {name}"));
    }
    facts
}

/// What to write where, so that a store is asked.
fn how_to_allow_it(look: &Look, allow: &Allow, out: &mut String) {
    {
        let file = match &allow.file {
            Some(file) if allow.is_new => {
                format!("If you trust this project with it, write to {file}:")
            }
            Some(file) => format!("If you trust this project with it, add to {file}:"),
            None => "If you trust this project with it, write to the file that JUSTWHY_STORES \
                     names:"
                .to_owned(),
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
}

/// What each layer reads of a store.
fn readings(look: &Look, store: &ShownStore, out: &mut String) {
    let names = store.reads.iter().map(|reading| reading.layer.len()).max().unwrap_or(0);
    let wanted = |reading: &ShownReading| reading.scope.clone().unwrap_or_default();
    let widest = store.reads.iter().map(|reading| width(&wanted(reading))).max().unwrap_or(0);
    for reading in &store.reads {
        let scope = wanted(reading);
        let start = format!(
            "  {}  {}  ",
            fill(&look.paint(Role::Layer, &reading.layer), reading.layer.len(), names),
            fill(&look.paint(Role::Place, &scope), width(&scope), widest)
        );
        let says = match (&reading.inactive, reading.scopes.is_empty()) {
            (Some(why), _) => format!("inactive: {why}"),
            (None, true) if store.state == "answers" => "no such scope".to_owned(),
            (None, true) => String::new(),
            (None, false) => {
                let counts = reading.scopes.iter().map(|it| counted(it, &scope));
                counts.collect::<Vec<_>>().join("; ")
            }
        };
        let indent = names + widest + 6;
        let room = look.columns().saturating_sub(indent).max(24);
        let wrapped = look.wrap(&says, room);
        out.push_str(format!("{start}{}", wrapped.first().cloned().unwrap_or_default()).trim_end());
        out.push('\n');
        for line in wrapped.iter().skip(1) {
            out.push_str(&format!("{:indent$}{line}\n", ""));
        }
    }
}

/// `team/shorewatch has 3 variables (1 secret)`, without the name if it stands beside it.
fn counted(scope: &ShownScope, wanted: &str) -> String {
    let s = if scope.variables == 1 { "" } else { "s" };
    let mut parts = Vec::new();
    if scope.secret > 0 {
        parts.push(format!("{} secret", scope.secret));
    }
    if scope.unreadable > 0 {
        parts.push(format!("{} that cannot be read", scope.unreadable));
    }
    if scope.withheld > 0 {
        parts.push(format!("{} not meant for here", scope.withheld));
    }
    let parts = match parts.is_empty() {
        true => String::new(),
        false => format!(" ({})", parts.join(", ")),
    };
    let counts = format!("{} variable{s}{parts}", scope.variables);
    match scope.scope == wanted {
        true => counts,
        false => format!("{} has {counts}", scope.scope),
    }
}

fn sentence(clause: &str) -> String {
    let mut letters = clause.chars();
    let first = letters.next().map(|first| first.to_uppercase().to_string()).unwrap_or_default();
    format!("{first}{}.", letters.as_str())
}
