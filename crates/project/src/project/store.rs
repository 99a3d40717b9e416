//! `[store.NAME]` tables.

use super::fields::{Fields, Sink};
use crate::error::Error;
use crate::stores::{Kept, Store, check_address};
use justwhy_core::{Span, is_env_name, is_scope_name, list_values};
use justwhy_formats::{Kind, NodeId, Tree, shown_name};

pub(super) const FIELDS: Fields =
    Fields { of: "a store", known: &["file", "url", "etcd", "root", "token_variable"] };

/// What every key in etcd begins with, unless the store decides otherwise.
const ROOT: &str = "/justwhy";

/// The stores of the project.
pub(super) fn read_all(sink: &mut Sink<'_>) -> Vec<Store> {
    let Some(table) = sink.table(Tree::ROOT, "store") else { return Vec::new() };
    let tree = sink.tree;
    tree.entries(table).filter_map(|id| store(sink, id)).collect()
}

fn store(sink: &mut Sink<'_>, id: NodeId) -> Option<Store> {
    let node = sink.tree.node(id);
    if !matches!(node.kind, Kind::Table(_)) {
        sink.wrong_type(id, "a table with the place of the store");
        return None;
    }
    let (name, at) = (node.name.clone().into_owned(), node.name_at);
    super::layer::check_name(sink, &name, at, "a store")?;
    sink.check_names(id, &FIELDS);
    let token_variable = token_variable(sink, id);
    let kept = kept(sink, id, at)?;
    if matches!(kept, Kept::File(_)) {
        refuse(sink, id, "token_variable", "a store in a file needs no token");
    }
    Some(Store { name, kept, token_variable, at })
}

fn kept(sink: &mut Sink<'_>, id: NodeId, at: Span) -> Option<Kept> {
    let kinds = ["file", "url", "etcd"];
    let there: Vec<&str> =
        kinds.into_iter().filter(|field| sink.field(id, field).is_some()).collect();
    if there != ["etcd"] && !there.is_empty() {
        refuse(sink, id, "root", "`root` is for etcd stores");
    }
    match there.as_slice() {
        ["file"] => {
            let (path, at) = sink.text(id, "file")?;
            if path.is_empty() || path.ends_with('/') || path.contains('\0') {
                sink.error(Error::new("bad-project", "invalid path of a file"), at);
                return None;
            }
            Some(Kept::File(path))
        }
        ["url"] => {
            let (address, at) = sink.text(id, "url")?;
            Some(Kept::Service(checked(sink, &address, at)?))
        }
        ["etcd"] => {
            let mut endpoints = Vec::new();
            for item in sink.list(id, "etcd")? {
                let (address, at) = sink.text_of(item)?;
                endpoints.push(checked(sink, &address, at)?);
            }
            if endpoints.is_empty() {
                let at = sink.place(id, "etcd");
                let error = Error::new("bad-project", "empty list of nodes");
                sink.error(error.help("for example etcd = [\"https://etcd-1.example:2379\"]"), at);
                return None;
            }
            let root = match sink.text(id, "root") {
                Some((root, at)) => self::root(sink, &root, at)?,
                None => ROOT.to_owned(),
            };
            Some(Kept::Etcd { endpoints, root })
        }
        [] => {
            let error = Error::new("bad-project", "the store has no place");
            let help = "add one of: file = \"…\", url = \"https://…\", etcd = [\"https://…\"]";
            sink.error(error.help(help), at);
            None
        }
        several => {
            let message = format!("the store has two places: {}", list_values(several, "and"));
            let at = sink.place(id, several[1]);
            sink.error(Error::new("bad-project", message).help("make two stores"), at);
            None
        }
    }
}

fn refuse(sink: &mut Sink<'_>, id: NodeId, field: &str, message: &str) {
    if let Some(field) = sink.field(id, field) {
        let at = sink.tree.node(field).name_at;
        sink.error_at_name(Error::new("bad-project", message).help("remove it"), at, "");
    }
}

fn checked(sink: &mut Sink<'_>, address: &str, at: Span) -> Option<String> {
    match check_address(address) {
        Ok(url) => Some(url.as_str().trim_end_matches('/').to_owned()),
        Err(problem) => {
            let help = "for example https://scopes.tides.example";
            sink.error(Error::new("bad-project", problem).help(help), at);
            None
        }
    }
}

fn root(sink: &mut Sink<'_>, root: &str, at: Span) -> Option<String> {
    match root.strip_prefix('/').filter(|rest| is_scope_name(rest)) {
        Some(_) => Some(root.to_owned()),
        None => {
            let message = format!("invalid root of a store: {}", shown_name(root));
            let help = "begin with `/` and do not end with one, for example \"/tides\"";
            sink.error(Error::new("bad-project", message).help(help), at);
            None
        }
    }
}

fn token_variable(sink: &mut Sink<'_>, id: NodeId) -> Option<String> {
    let (name, at) = sink.text(id, "token_variable")?;
    if is_env_name(&name) {
        return Some(name);
    }
    // What is here may be the token itself.
    let error = Error::new("bad-project", "`token_variable` is not the name of a variable");
    sink.error(error.help("write the name of the variable with the token, never the token"), at);
    None
}
