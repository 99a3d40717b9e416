//! Reads a store that is a file.

use crate::error::Error;
use crate::project::fields::{Fields, Sink};
use justwhy_core::{
    Audience, Note, Scope, ScopeVariable, SourceText, Span, is_env_name, is_scope_name,
};
use justwhy_formats::{Format, Kind, Limits, NodeId, Tree, decode};
use std::sync::Arc;

pub(crate) const FILE_FIELDS: Fields = Fields { of: "a store file", known: &["justwhy", "scope"] };
pub(crate) const SCOPE_FIELDS: Fields =
    Fields { of: "a scope", known: &["about", "visible_to", "variables"] };
pub(crate) const VARIABLE_FIELDS: Fields =
    Fields { of: "a variable", known: &["value", "secret", "visible_to", "updated", "by"] };

/// The code of what is wrong in a store file.
const CODE: &str = "bad-store";

/// The scopes that a store file of these bytes has, for who keeps them elsewhere.
pub fn read_store_file(file: &str, bytes: Vec<u8>) -> Result<Vec<Arc<Scope>>, Vec<Error>> {
    let (text, verdict) = decode(bytes);
    verdict.map_err(|fault| vec![crate::error::attach(fault, file, &text)])?;
    read(file, &text, Limits::default())
}

/// The scopes that a store file has, in the order in which they are written.
pub fn read(file: &str, text: &SourceText, limits: Limits) -> Result<Vec<Arc<Scope>>, Vec<Error>> {
    let tree = Format::TOML
        .parse(text.text(), limits)
        .map_err(|fault| vec![crate::error::attach(fault, file, text)])?;
    let mut sink = Sink::new(file, text, &tree).with_code(CODE);
    sink.check_names(Tree::ROOT, &FILE_FIELDS);
    match sink.integer(Tree::ROOT, "justwhy") {
        Some((1, _)) => {}
        Some((_, at)) => sink.error(
            Error::new(CODE, "unknown version of a store file")
                .help("this program reads version 1: write justwhy = 1"),
            at,
        ),
        None if sink.field(Tree::ROOT, "justwhy").is_some() => {}
        None => sink.error(
            Error::new(CODE, "no version in the store file")
                .help("begin the file with: justwhy = 1"),
            Span::default(),
        ),
    }
    let mut scopes = Vec::new();
    if let Some(table) = sink.table(Tree::ROOT, "scope") {
        for id in tree.entries(table) {
            scopes.extend(scope(&mut sink, id).map(Arc::new));
        }
    }
    let errors = sink.into_errors();
    if errors.is_empty() { Ok(scopes) } else { Err(errors) }
}

fn scope(sink: &mut Sink<'_>, id: NodeId) -> Option<Scope> {
    let node = sink.tree.node(id);
    let (name, name_at) = (node.name.clone(), node.name_at);
    if !matches!(node.kind, Kind::Table(_)) {
        sink.wrong_type(id, "a table with the variables of the scope");
        return None;
    }
    if !is_scope_name(&name) {
        let error = Error::new(CODE, "invalid name of a scope");
        let help = "a name has A-Z, a-z, 0-9, `.`, `_` and `-`, with `/` between the parts, for example \
                    \"team/shorewatch\"";
        sink.error(error.help(help), name_at);
        return None;
    }
    sink.check_names(id, &SCOPE_FIELDS);
    let about = sink.text(id, "about").map(|(about, _)| about.into());
    let audience = audience(sink, id);
    let mut variables = Vec::new();
    if let Some(table) = sink.table(id, "variables") {
        let tree = sink.tree;
        for id in tree.entries(table) {
            variables.extend(variable(sink, id));
        }
    }
    Some(Scope { name: name.as_ref().into(), about, audience, variables })
}

fn variable(sink: &mut Sink<'_>, id: NodeId) -> Option<ScopeVariable> {
    let node = sink.tree.node(id);
    let name = node.name.clone();
    if !is_env_name(&name) {
        let error = Error::new(CODE, "invalid name of a variable");
        let help = "a name has letters, digits and `_`, and does not begin with a digit";
        sink.error(error.help(help), node.name_at);
        return None;
    }
    let plain = |value: &str, at: Span| ScopeVariable {
        name: name.as_ref().into(),
        value: Some(value.into()),
        at: Some(at),
        ..ScopeVariable::default()
    };
    match &node.kind {
        Kind::Text(value) => Some(plain(value, node.at)),
        Kind::Table(_) => {
            sink.check_names(id, &VARIABLE_FIELDS);
            let secret = sink.boolean(id, "secret").unwrap_or_default();
            let audience = audience(sink, id);
            let updated = sink.text(id, "updated").map(|(text, _)| text.into());
            let by = sink.text(id, "by").map(|(text, _)| text.into());
            if sink.field(id, "value").is_none() {
                let error = Error::new(CODE, format!("the variable {name} has no `value`"));
                sink.error(error.help("write value = \"…\", a string"), sink.tree.node(id).name_at);
                return None;
            }
            let (value, at) = sink.text(id, "value")?;
            let note = Note { secret, updated, by, ..Note::default() };
            Some(ScopeVariable { audience, note, ..plain(&value, at) })
        }
        _ => {
            sink.wrong_type(id, "a string (variables have no types), or a table with its `value`");
            None
        }
    }
}

/// Whom a scope or variable is meant for.
fn audience(sink: &mut Sink<'_>, table: NodeId) -> Option<Audience> {
    let id = sink.table(table, "visible_to")?;
    let tree = sink.tree;
    let mut entries = Vec::new();
    for entry in tree.entries(id) {
        let node = tree.node(entry);
        let items: Vec<NodeId> = match &node.kind {
            Kind::List(items) => tree.children(*items).collect(),
            _ => vec![entry],
        };
        if items.is_empty() {
            let error = Error::new(CODE, "an empty list of values never matches");
            sink.error(error.help("remove the entry if it is meant for everybody"), node.at);
        }
        let values = items.into_iter().filter_map(|item| sink.text_of(item));
        let values: Vec<String> = values.map(|(value, _)| value).collect();
        entries.push((node.name.clone().into_owned(), values));
    }
    Some(Audience { entries })
}
