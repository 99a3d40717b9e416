//! `[setting."…"]` tables: what is declared about settings.

use super::fields::{Fields, Sink};
use crate::Limits;
use crate::error::Error;
use crate::tree::{Kind, Lowering, NodeId, Tree, shown_name};
use justwhy_core::{Declared, EmptyText, Former, Gather, KeyPath, Keys, Span, Value};

const FIELDS: Fields = Fields {
    of: "a declared setting",
    known: &["default", "secret", "variable", "formerly", "gather", "empty"],
    later: &[
        "type",
        "items",
        "one_of",
        "required",
        "min",
        "max",
        "matches",
        "differs_by",
        "about",
        "owner",
    ],
};

/// A default: the path of its setting, its value and its place.
type Default = (Vec<String>, Value, Span);

pub(super) fn read_all(sink: &mut Sink<'_>) -> (Vec<Declared>, Vec<Default>) {
    let mut declared: Vec<(Declared, Span)> = Vec::new();
    let mut defaults = Vec::new();
    let Some(table) = sink.table(Tree::ROOT, "setting") else {
        return (Vec::new(), Vec::new());
    };
    let entries: Vec<NodeId> = sink.tree.entries(table).collect();
    for entry in entries {
        let node = sink.tree.node(entry);
        let (name, name_at) = (node.name.to_string(), node.name_at);
        if !matches!(node.kind, Kind::Table(_)) {
            sink.wrong_type(entry, "a table");
            continue;
        }
        let key = match KeyPath::parse(&name) {
            Ok(key) => key,
            Err(error) => {
                let message = format!("{} is no key: {}", shown_name(&name), error.problem);
                sink.error(Error::new("bad-project", message), name_at);
                continue;
            }
        };
        if is_split(sink, entry) {
            let inner = sink.tree.entries(entry).next();
            let inner = inner.map_or("…", |id| &sink.tree.node(id).name);
            let message = "the key of a declared setting stands in quotes, dots and all".to_owned();
            let error = Error::new("bad-project", message);
            sink.error(error.help(format!("write [setting.\"{name}.{inner}\"]")), name_at);
            continue;
        }
        sink.check_names(entry, &FIELDS);
        if let Some((_, first)) = declared.iter().find(|(other, _)| other.key == key) {
            sink.repeated("settings", &name, name_at, *first);
        }
        let setting = read(sink, entry, key);
        defaults.extend(default(sink, entry, &setting.key));
        declared.push((setting, name_at));
    }
    check_former(sink, &declared);
    (declared.into_iter().map(|(setting, _)| setting).collect(), defaults)
}

/// Whether the table holds the rest of a key rather than fields: `[setting.a.b]`.
fn is_split(sink: &Sink<'_>, table: NodeId) -> bool {
    let tree = sink.tree;
    let mut entries = tree.entries(table).peekable();
    entries.peek().is_some()
        && entries.all(|id| {
            let node = tree.node(id);
            let is_field = FIELDS.known.iter().chain(FIELDS.later).any(|field| *field == node.name);
            matches!(node.kind, Kind::Table(_)) && !is_field
        })
}

fn read(sink: &mut Sink<'_>, table: NodeId, key: KeyPath) -> Declared {
    let gather =
        [("after", Gather::After), ("before", Gather::Before), ("distinct", Gather::Distinct)];
    let empty =
        [("value", EmptyText::Value), ("unset", EmptyText::Unset), ("error", EmptyText::Error)];
    let variable = sink.text(table, "variable").and_then(|(name, at)| {
        if name.is_empty() || name.contains(['=', '\0']) {
            sink.error(Error::new("bad-project", "this cannot be the name of a variable"), at);
            return None;
        }
        Some(name)
    });
    let mut formerly = Vec::new();
    for item in sink.list(table, "formerly").unwrap_or_default() {
        let Some((text, at)) = sink.text_of(item) else { continue };
        match Former::parse(&text) {
            Ok(former) => formerly.push(former),
            Err(error) => {
                let message = format!("this is neither a key nor a variable: {}", error.problem);
                sink.error(Error::new("bad-project", message), at);
            }
        }
    }
    Declared {
        key,
        variable,
        secret: sink.boolean(table, "secret"),
        empty: sink.word(table, "empty", &empty),
        gather: sink.word(table, "gather", &gather),
        formerly,
    }
}

fn default(sink: &mut Sink<'_>, table: NodeId, key: &KeyPath) -> Option<Default> {
    let id = sink.field(table, "default")?;
    let at = sink.tree.node(id).at;
    if matches!(sink.tree.node(id).kind, Kind::Table(_)) {
        let message = "the default of a setting is a value or a list, and this is a table";
        let error = Error::new("bad-project", message);
        sink.error(error.help("declare each setting in it for itself"), at);
        return None;
    }
    let mut keys = Keys::default();
    let lowered = Lowering::new(sink.tree, &mut keys, Limits::default()).lower(table);
    match lowered {
        Ok(document) => {
            let is_default = |name| keys.segments(name) == ["default"];
            let leaf = document.leaves.into_iter().find(|leaf| is_default(leaf.name))?;
            Some((key.segments().map(str::to_owned).collect(), leaf.value, at))
        }
        Err(fault) => {
            sink.error(Error::new(fault.code, fault.message), fault.at);
            None
        }
    }
}

/// A former name belongs to one setting, and is not the name of another one.
fn check_former(sink: &mut Sink<'_>, declared: &[(Declared, Span)]) {
    for (number, (setting, at)) in declared.iter().enumerate() {
        for former in &setting.formerly {
            let is_own = |other: &Declared| match former {
                Former::Key(key) => other.key == *key,
                Former::Variable(name) => other.variable.as_ref() == Some(name),
            };
            let others = declared.iter().enumerate();
            let taken = others
                .filter(|(index, (other, _))| {
                    is_own(other) || *index < number && other.formerly.contains(former)
                })
                .map(|(_, (other, at))| (other.key.to_string(), *at))
                .next();
            if let Some((other, first)) = taken {
                let name = match former {
                    Former::Key(key) => key.to_string(),
                    Former::Variable(name) => name.clone(),
                };
                let message =
                    format!("the former name {name} of {} is also a name of {other}", setting.key);
                let error = Error::new("bad-project", message)
                    .help("a former name means one setting; take it out of one of the two");
                sink.error(sink.also_at(error, "declared at", first), *at);
            }
        }
    }
}
