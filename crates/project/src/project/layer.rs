//! `[[layer]]` tables.

use super::axis::{check_value, named, pattern_of, required_name};
use super::fields::{Fields, Sink};
use super::parsed::{format_named, template};
use super::part::{self, PartTemplate};
use super::template::{PathTemplate, Piece};
use super::{ProjectAxis, ProjectLayer, Reads, nest, prefix};
use crate::error::Error;
use crate::stores::Store;
use justwhy_core::{
    Axis, Condition, Dialect, Empty, KeyPath, Keys, Null, Pattern, Pins, Removal, Span, Value,
    Within, is_scope_name, nearest,
};
use justwhy_formats::{Format, Kind, Limits, Lowering, NodeId, RowFormat, shown_name};
use std::sync::Arc;

pub(super) const FIELDS: Fields = Fields {
    of: "a layer",
    known: &[
        "name",
        "file",
        "files",
        "rows",
        "axis",
        "values",
        "process",
        "scope",
        "store",
        "when",
        "unless",
        "optional",
        "local",
        "format",
        "under",
        "into",
        "per_directory",
        "names",
        "prefix",
        "nest",
        "remove",
        "pin",
        "empty",
        "null",
        "references",
        "lookup",
        "document",
        "inner",
        "decode",
        "secret",
        "pairs",
        "dotted",
        "lists",
        "elsewhere",
        "inherit",
        "inline_comments",
        "repeat",
        "tolerant",
        "entries",
        "command_line",
        "indirect",
        "includes",
        "includes_are",
    ],
};

/// Each of these shows what a layer reads, and a layer has exactly one of them.
const READS: [&str; 8] =
    ["file", "files", "entries", "rows", "values", "command_line", "process", "scope"];
/// The axis that gives the row if a layer names none; it need not be declared.
const ROW_AXIS: &str = "row";

pub(super) fn read_all(
    sink: &mut Sink<'_>,
    axes: &mut Vec<ProjectAxis>,
    stores: &[Store],
    naming: &(String, String),
) -> Vec<ProjectLayer> {
    let mut layers: Vec<ProjectLayer> = Vec::new();
    imply_row_axis(sink, axes);
    for table in sink.tables("layer") {
        sink.check_names(table, &FIELDS);
        let Some(layer) = read(sink, table, axes, stores, naming) else {
            continue;
        };
        if let Some(first) = layers.iter().find(|other| other.name == layer.name) {
            sink.repeated("layers", &layer.name, layer.at, first.at);
        }
        layers.push(layer);
    }
    layers
}

/// Rows are numbered by the axis `row` unless a layer decides otherwise: open, and without a default.
fn imply_row_axis(sink: &mut Sink<'_>, axes: &mut Vec<ProjectAxis>) {
    let is_declared = axes.iter().any(|axis| axis.axis.name == ROW_AXIS);
    let needs_it = |table: &NodeId| {
        sink.field(*table, "rows").is_some() && sink.field(*table, "axis").is_none()
    };
    let tables: Vec<NodeId> = match sink.field(justwhy_formats::Tree::ROOT, "layer") {
        Some(list) => match &sink.tree.node(list).kind {
            Kind::List(items) => sink.tree.children(*items).collect(),
            _ => Vec::new(),
        },
        None => Vec::new(),
    };
    if !is_declared && tables.iter().any(needs_it) {
        let axis = Axis { name: ROW_AXIS.to_owned(), allowed: Vec::new(), open: true };
        axes.push(ProjectAxis {
            axis,
            default: None,
            read: Vec::new(),
            directories: None,
            allowed_file: None,
            only: Vec::new(),
            // Most runs look at no row.
            may_be_unset: true,
            is_implied: true,
        });
    }
}

fn read(
    sink: &mut Sink<'_>,
    table: NodeId,
    axes: &[ProjectAxis],
    stores: &[Store],
    naming: &(String, String),
) -> Option<ProjectLayer> {
    let (name, at) = required_name(sink, table, "a layer")?;
    check_name(sink, &name, at, "a layer")?;
    if name == "catalogue" || name == "arguments" {
        let message = format!("the layer {name} always exists and cannot be declared");
        sink.error(Error::new("bad-project", message).help("choose another name"), at);
        return None;
    }
    let when = conditions(sink, table, "when", axes);
    let unless = conditions(sink, table, "unless", axes);
    let reads = reads(sink, table, axes, stores, at);
    let is_line = sink.field(table, "command_line").is_some();
    let is_entries = sink.field(table, "entries").is_some();
    let is_file = matches!(reads, Some(Reads::File(..))) && !is_line;
    let is_files = is_file || matches!(reads, Some(Reads::Files(..))) && !is_entries;
    let one = "a file";
    let several = "files";
    let is_scope = matches!(reads, Some(Reads::Scope(..)));
    only_for(sink, table, "store", is_scope, "a scope", &["scope"]);
    let one_or_scope = "a file or a scope";
    let may_be = is_file || is_scope || is_line && matches!(reads, Some(Reads::File(..)));
    let optional = only_for(sink, table, "optional", may_be, one_or_scope, &["file", "scope"]);
    let optional = optional && sink.boolean(table, "optional").unwrap_or_default();
    let per_directory = only_for(sink, table, "per_directory", is_file, one, &["file"]);
    let per_directory = per_directory && sink.boolean(table, "per_directory").unwrap_or_default();
    only_for(sink, table, "under", is_files, several, &["file", "files"]);
    for field in part::FIELDS {
        let may_be = is_files
            || is_entries && part::OF_ENTRIES.contains(&field)
            || is_line && part::OF_COMMAND_LINES.contains(&field);
        only_for(sink, table, field, may_be, several, &["file", "files"]);
    }
    let (references, dialect) = references(sink, table);
    let references = references.unwrap_or(!is_line && !matches!(reads, Some(Reads::Process)));
    let lookup = lookup(sink, table);
    let (part, under) = match &reads {
        Some(Reads::File(..)) if is_line => {
            (part::of_command_line(sink, table, axes, reads.as_ref()), None)
        }
        _ if is_files || is_entries => part::read(sink, table, axes, (reads.as_ref(), dialect)),
        _ => (None, None),
    };
    only_for(sink, table, "format", is_files, several, &["file", "files"]);
    let is_rows = matches!(reads, Some(Reads::Rows { .. }));
    only_for(sink, table, "axis", is_rows, "rows", &["rows"]);
    if let (true, Some(Reads::File(path, _))) = (per_directory, &reads)
        && path.is_absolute()
    {
        let at = sink.place(table, "file");
        let message = "`per_directory` needs a relative path";
        sink.error(Error::new("bad-project", message), at);
    }
    let local = sink.boolean(table, "local").unwrap_or_default();
    let into = into(sink, table);
    let pins = pins(sink, table);
    let removes = removes(sink, table);
    let front = is_line.then(|| {
        let own = (prefix(sink, table), nest(sink, table));
        (own.0.unwrap_or_else(|| naming.0.clone()), own.1.unwrap_or_else(|| naming.1.clone()))
    });
    let variables = match is_line {
        true => {
            refuse(sink, table, "names", "the names of a command line are those of its options");
            None
        }
        false => variables(sink, table, (reads.as_ref(), part.as_ref()), naming),
    };
    let indirect = indirect(sink, table, variables.is_some());
    let includes_are = sink.word(table, "includes_are", &[("weaker", false), ("stronger", true)]);
    if includes_are.is_some() && sink.field(table, "includes").is_none() {
        refuse(sink, table, "includes_are", "`includes_are` needs `includes`");
    }
    let empty = [("value", Empty::Value), ("unset", Empty::Unset)];
    let null = [("unset", Null::Unset), ("value", Null::Value)];
    let empty = sink.word(table, "empty", &empty).unwrap_or_default();
    let null = sink.word(table, "null", &null).unwrap_or_default();
    Some(ProjectLayer {
        name,
        reads: reads?,
        when,
        unless,
        optional,
        part,
        under,
        variables,
        front,
        indirect,
        includes_are_stronger: includes_are.unwrap_or_default(),
        empty,
        null,
        into,
        local,
        pins,
        removes: removes.into(),
        references,
        dialect,
        lookup,
        per_directory,
        at,
    })
}

pub(super) fn check_name(sink: &mut Sink<'_>, name: &str, at: Span, what: &str) -> Option<()> {
    let fine = |byte: u8| byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'-';
    if name.is_empty() || !name.bytes().all(fine) || name.starts_with('-') {
        let error =
            Error::new("bad-project", format!("invalid name for {what}: {}", shown_name(name)));
        sink.error(error.help("a name has a-z, 0-9 and `-`, and does not begin with `-`"), at);
        return None;
    }
    Some(())
}

/// Whether a field that only layers of some kinds have is there and may be.
fn only_for(
    sink: &mut Sink<'_>,
    table: NodeId,
    field: &str,
    may_be: bool,
    what: &str,
    kinds: &[&str],
) -> bool {
    let Some(id) = sink.field(table, field) else {
        return false;
    };
    // What the layer reads may be wrong itself, which has been reported.
    if !may_be && kinds.iter().all(|kind| sink.field(table, kind).is_none()) {
        let at = sink.tree.node(id).name_at;
        let message = format!("`{field}` needs {what}, which this layer does not read");
        sink.error_at_name(Error::new("bad-project", message), at, "");
    }
    may_be
}

fn into(sink: &mut Sink<'_>, table: NodeId) -> Option<KeyPath> {
    let (text, at) = sink.text(table, "into")?;
    match KeyPath::parse(&text) {
        Ok(path) => Some(path),
        Err(error) => {
            let start = at.start as usize + 1 + error.at;
            let message = format!("invalid key: {}", error.problem);
            sink.error(Error::new("bad-project", message), Span::new(start, start));
            None
        }
    }
}

/// The patterns of a list, each as written and with its place.
fn patterns(sink: &mut Sink<'_>, items: Vec<NodeId>) -> Vec<(Pattern, String, Span)> {
    let mut patterns = Vec::new();
    for item in items {
        let Some((text, at)) = sink.text_of(item) else { continue };
        match Pattern::parse(&text) {
            Ok(pattern) => patterns.push((pattern, text, at)),
            Err(error) => {
                let start = at.start as usize + 1 + error.at;
                let message = format!("invalid pattern: {}", error.problem);
                let error = Error::new("bad-project", message);
                let help = "for example \"audit.**\": `*` within a segment, `**` over segments";
                sink.error(error.help(help), Span::new(start, start));
            }
        }
    }
    patterns
}

fn pins(sink: &mut Sink<'_>, table: NodeId) -> Pins {
    let Some(id) = sink.field(table, "pin") else {
        return Pins::Nothing;
    };
    match &sink.tree.node(id).kind {
        Kind::Boolean(true) => Pins::Everything,
        Kind::Boolean(false) => Pins::Nothing,
        Kind::List(items) => {
            let items = sink.tree.children(*items).collect();
            let patterns = patterns(sink, items);
            Pins::Keys(patterns.into_iter().map(|(pattern, ..)| pattern).collect())
        }
        _ => {
            sink.wrong_type(id, "true or a list of key patterns");
            Pins::Nothing
        }
    }
}

fn removes(sink: &mut Sink<'_>, table: NodeId) -> Vec<Removal> {
    let items = sink.list(table, "remove").unwrap_or_default();
    let removal = |(pattern, written, at): (Pattern, String, Span)| Removal {
        pattern,
        written: written.into(),
        at,
    };
    patterns(sink, items).into_iter().map(removal).collect()
}

fn reads(
    sink: &mut Sink<'_>,
    table: NodeId,
    axes: &[ProjectAxis],
    stores: &[Store],
    name_at: Span,
) -> Option<Reads> {
    let there: Vec<&str> =
        READS.into_iter().filter(|name| sink.field(table, name).is_some()).collect();
    match there.as_slice() {
        [] => {
            let error = Error::new("bad-project", "the layer reads nothing").help(
                "add one of `file`, `files`, `entries`, `rows`, `scope`, `values`, `command_line`, `process`",
            );
            sink.error(error, name_at);
            None
        }
        ["file"] => file(sink, table, axes),
        ["files"] => files(sink, table, axes),
        ["entries"] => {
            let (template, pattern, at) = path(sink, table, "entries", axes)?;
            pattern_of(sink, &pattern, at)?;
            Some(Reads::Files(template, Some(Format::ENTRY)))
        }
        ["command_line"] => command_line(sink, table, axes),
        ["rows"] => rows(sink, table, axes),
        ["values"] => values(sink, table),
        ["scope"] => scope(sink, table, axes, stores),
        ["process"] => match sink.boolean(table, "process")? {
            true => Some(Reads::Process),
            false => {
                let at = sink.place(table, "process");
                let error = Error::new("bad-project", "`process` can only be true");
                sink.error(error.help("remove the layer if it is not to be read"), at);
                None
            }
        },
        // There are no others in the list.
        [_] => None,
        [first, second, ..] => {
            let at = sink.place(table, second);
            let message = format!("the layer has both `{first}` and `{second}`");
            sink.error(Error::new("bad-project", message).help("make two layers"), at);
            None
        }
    }
}

/// A command line: itself, the file that has it, or the process that was given it.
fn command_line(sink: &mut Sink<'_>, table: NodeId, axes: &[ProjectAxis]) -> Option<Reads> {
    let id = sink.field(table, "command_line")?;
    match &sink.tree.node(id).kind {
        Kind::Text(line) => {
            Some(Reads::CommandLine { line: line.to_string(), at: sink.tree.node(id).at })
        }
        Kind::Table(_) => {
            const FIELDS: Fields =
                Fields { of: "a command line", known: &["file", "under", "format", "process"] };
            sink.check_names(id, &FIELDS);
            if sink.field(id, "process").is_none() {
                if sink.field(id, "file").is_none() {
                    sink.wrong_type(id, "a table with `file` or `process`");
                    return None;
                }
                return file(sink, id, axes);
            }
            if sink.boolean(id, "process")? {
                return Some(Reads::ProcessLine);
            }
            let at = sink.place(id, "process");
            let error = Error::new("bad-project", "`process` can only be true");
            sink.error(error.help("remove the layer if it is not to be read"), at);
            None
        }
        _ => {
            sink.wrong_type(id, "a string, or a table with `file` or `process`");
            None
        }
    }
}

/// Whether texts hold references, and how those are written.
fn references(sink: &mut Sink<'_>, table: NodeId) -> (Option<bool>, Dialect) {
    let Some(id) = sink.field(table, "references") else { return (None, Dialect::Own) };
    match &sink.tree.node(id).kind {
        Kind::Boolean(are_there) => (Some(*are_there), Dialect::Own),
        Kind::Text(name) => {
            let found = Dialect::NAMED.iter().find(|(known, _)| known == name);
            if let Some((_, dialect)) = found {
                return (Some(true), *dialect);
            }
            let names: Vec<&str> = Dialect::NAMED.iter().map(|(name, _)| *name).collect();
            let message = format!("no way to refer has the name {}", shown_name(name));
            let error = Error::new("bad-project", message);
            let error = match nearest(name, names.iter().copied()) {
                Some(near) => error.help(format!("did you mean \"{near}\"?")),
                None => error.help(format!(
                    "write true, false, or one of {}",
                    justwhy_core::list_values(&names, "and")
                )),
            };
            let at = sink.tree.node(id).at;
            sink.error(error, at);
            (None, Dialect::Own)
        }
        _ => {
            sink.wrong_type(id, "true, false, or the name of a way to refer, such as \"posix\"");
            (None, Dialect::Own)
        }
    }
}

/// Where names in references are looked for.
fn lookup(sink: &mut Sink<'_>, table: NodeId) -> Arc<[Within]> {
    const PLACES: [(&str, Within); 3] =
        [("file", Within::File), ("weaker", Within::Weaker), ("process", Within::Process)];
    if sink.field(table, "lookup").is_none() {
        return Within::USUAL.into();
    }
    let items = sink.list(table, "lookup").unwrap_or_default();
    let mut places: Vec<Within> = Vec::new();
    for item in items {
        let Some((word, at)) = sink.text_of(item) else { continue };
        match PLACES.iter().find(|(name, _)| *name == word) {
            Some((_, place)) if places.contains(place) => {
                sink.error(Error::new("bad-project", format!("{word} is there twice")), at);
            }
            Some((_, place)) => places.push(*place),
            None => {
                let error = Error::new("bad-project", "unknown place to look in");
                sink.error(error.help("write file, weaker or process"), at);
            }
        }
    }
    places.into()
}

/// What the name of a variable ends in whose value is the path of a file that has the value.
fn indirect(sink: &mut Sink<'_>, table: NodeId, are_variables: bool) -> Option<String> {
    let (suffix, at) = sink.text(table, "indirect")?;
    if suffix.is_empty() {
        let error = Error::new("bad-project", "empty `indirect`");
        sink.error(error.help("for example indirect = \"_FILE\""), at);
        return None;
    }
    if !are_variables {
        refuse(sink, table, "indirect", "`indirect` is for layers whose names are variables");
        return None;
    }
    Some(suffix)
}

fn refuse(sink: &mut Sink<'_>, table: NodeId, field: &str, message: &str) {
    if let Some(id) = sink.field(table, field) {
        let at = sink.tree.node(id).name_at;
        sink.error_at_name(Error::new("bad-project", message), at, "");
    }
}

/// The scope that a layer reads, or the pattern of scopes, and the number of its store.
fn scope(
    sink: &mut Sink<'_>,
    table: NodeId,
    axes: &[ProjectAxis],
    stores: &[Store],
) -> Option<Reads> {
    let (text, at) = sink.text(table, "scope")?;
    let template = template(sink, PathTemplate::parse(&text), "scope", at)?;
    for axis in template.axes() {
        named(sink, axes, axis, at)?;
    }
    // With anything in place of its axes and wildcards it must name a scope.
    let filled = template.pieces().iter().map(|piece| match piece {
        Piece::Text(text) => text.replace('*', "x"),
        Piece::Axis(_) => "x".to_owned(),
    });
    if !is_scope_name(&filled.collect::<String>()) {
        let error = Error::new("bad-project", "invalid name of a scope");
        let help = "for example \"team/{team}\" or \"job/*\": A-Z, a-z, 0-9, `.`, `_` and `-`, with `/` \
                    between the parts";
        sink.error(error.help(help), at);
        return None;
    }
    let names: Vec<&str> = stores.iter().map(|store| store.name.as_str()).collect();
    let Some((name, at)) = sink.text(table, "store") else {
        if sink.field(table, "store").is_some() {
            return None;
        }
        if let [_] = stores {
            return Some(Reads::Scope(template, 0));
        }
        let error = Error::new("bad-project", "the layer names no store for its scope");
        sink.error(error.help(declare_or_name(&names)), at);
        return None;
    };
    if let Some(number) = names.iter().position(|other| *other == name) {
        return Some(Reads::Scope(template, number));
    }
    let error = Error::new("bad-project", format!("no store has the name {}", shown_name(&name)));
    let error = match nearest(&name, names.iter().copied()) {
        Some(near) => error.help(format!("did you mean \"{near}\"?")),
        None => error.help(declare_or_name(&names)),
    };
    sink.error(error, at);
    None
}

fn declare_or_name(names: &[&str]) -> String {
    match names {
        [] => "declare one: [store.hq] with file = \"settings/scopes.toml\"".to_owned(),
        names => format!("the stores are {}", names.join(", ")),
    }
}

/// The path that a field gives, with its text and place.
fn path(
    sink: &mut Sink<'_>,
    table: NodeId,
    field: &str,
    axes: &[ProjectAxis],
) -> Option<(PathTemplate, String, Span)> {
    let (path, at) = sink.text(table, field)?;
    let template = template(sink, PathTemplate::parse(&path), "path", at)?;
    for axis in template.axes() {
        named(sink, axes, axis, at)?;
    }
    if path.is_empty() || path.ends_with('/') || path.contains('\0') {
        sink.error(Error::new("bad-project", "invalid path of a file"), at);
        return None;
    }
    Some((template, path, at))
}

fn files(sink: &mut Sink<'_>, table: NodeId, axes: &[ProjectAxis]) -> Option<Reads> {
    let (template, pattern, at) = path(sink, table, "files", axes)?;
    // The value of an axis has no wildcard in it, so that the pattern stays one.
    pattern_of(sink, &pattern, at)?;
    let format = match sink.field(table, "format") {
        Some(_) => Some(format(sink, table)?),
        None => Format::of_path(&pattern),
    };
    Some(Reads::Files(template, format))
}

fn rows(sink: &mut Sink<'_>, table: NodeId, axes: &[ProjectAxis]) -> Option<Reads> {
    let (template, path, at) = path(sink, table, "rows", axes)?;
    let axis = match sink.text(table, "axis") {
        Some((axis, at)) => {
            named(sink, axes, &axis, at)?;
            axis
        }
        None => ROW_AXIS.to_owned(),
    };
    let Some(format) = RowFormat::of_path(&path) else {
        let error = Error::new("bad-project", "unknown format of rows");
        sink.error(error.help("rows are read from .csv, .json, .jsonl and .ndjson files"), at);
        return None;
    };
    Some(Reads::Rows { path: template, format, axis })
}

fn file(sink: &mut Sink<'_>, table: NodeId, axes: &[ProjectAxis]) -> Option<Reads> {
    let (template, path, at) = path(sink, table, "file", axes)?;
    let format = match sink.field(table, "format") {
        Some(_) => format(sink, table)?,
        None => match Format::of_path(&path) {
            Some(format) => format,
            None => {
                sink.error(unknown_format(), at);
                return None;
            }
        },
    };
    Some(Reads::File(template, format))
}

fn unknown_format() -> Error {
    let names: Vec<&str> = Format::all().map(Format::name).collect();
    Error::new("bad-project", "unknown format").help(format!(
        "add format = \"toml\" (or {})",
        justwhy_core::list_values(&names[1..], "or")
    ))
}

fn format(sink: &mut Sink<'_>, table: NodeId) -> Option<Format> {
    format_named(sink, table, "format")
}

/// The settings written in the project file.
fn values(sink: &mut Sink<'_>, table: NodeId) -> Option<Reads> {
    let id = sink.table(table, "values")?;
    let mut keys = Keys::default();
    match Lowering::new(sink.tree, &mut keys, Limits::default()).lower(id) {
        Ok(document) => {
            let leaves: Vec<(Vec<String>, Value, Span)> = document
                .leaves
                .into_iter()
                .map(|leaf| {
                    let path = keys.segments(leaf.name).into_iter().map(str::to_owned).collect();
                    (path, leaf.value, leaf.at.unwrap_or_default())
                })
                .collect();
            Some(Reads::Values(leaves))
        }
        Err(fault) => {
            sink.error(Error::new(fault.code, fault.message), fault.at);
            None
        }
    }
}

pub(super) fn conditions(
    sink: &mut Sink<'_>,
    table: NodeId,
    field: &str,
    axes: &[ProjectAxis],
) -> Vec<Condition> {
    match sink.table(table, field) {
        Some(id) => conditions_of(sink, id, axes),
        None => Vec::new(),
    }
}

/// A table from axes to a value or list of values.
pub(super) fn conditions_of(
    sink: &mut Sink<'_>,
    id: NodeId,
    axes: &[ProjectAxis],
) -> Vec<Condition> {
    let mut conditions = Vec::new();
    let tree = sink.tree;
    for entry in tree.entries(id) {
        let node = tree.node(entry);
        let axis = named(sink, axes, &node.name, node.name_at);
        let items: Vec<NodeId> = match &node.kind {
            Kind::List(items) => tree.children(*items).collect(),
            _ => vec![entry],
        };
        if items.is_empty() {
            let error = Error::new("bad-project", "an empty list of values never matches");
            sink.error(error, node.at);
        }
        let mut values = Vec::new();
        for item in items {
            let Some((value, at)) = sink.text_of(item) else {
                continue;
            };
            if let Some(axis) = axis {
                check_value(sink, &axis.axis, &value, at);
            }
            values.push(value);
        }
        conditions.push(Condition { axis: node.name.clone().into_owned(), values });
    }
    conditions
}

/// The prefix and what nests, if the layer's names are variables.
fn variables(
    sink: &mut Sink<'_>,
    table: NodeId,
    (reads, part): (Option<&Reads>, Option<&PartTemplate>),
    naming: &(String, String),
) -> Option<(String, String)> {
    let inner = part.and_then(PartTemplate::inner);
    let usual = match reads {
        Some(Reads::Process | Reads::Scope(..)) => true,
        _ if part.is_some_and(PartTemplate::has_pairs) => true,
        Some(Reads::File(..) | Reads::Files(..)) if inner.is_some() => {
            inner.is_some_and(Format::has_variables)
        }
        Some(Reads::File(_, format) | Reads::Files(_, Some(format))) => format.has_variables(),
        _ => false,
    };
    let are_variables = match sink.word(table, "names", &[("keys", false), ("variables", true)]) {
        Some(false) if matches!(reads, Some(Reads::Process)) => {
            let at = sink.place(table, "names");
            let message = "the process environment has variables only, no keys";
            sink.error(Error::new("bad-project", message).help("remove `names`"), at);
            true
        }
        Some(chosen) => chosen,
        None => usual,
    };
    let own = (prefix(sink, table), nest(sink, table));
    if are_variables {
        return Some((
            own.0.unwrap_or_else(|| naming.0.clone()),
            own.1.unwrap_or_else(|| naming.1.clone()),
        ));
    }
    if reads.is_some() {
        for field in ["prefix", "nest"] {
            if let Some(id) = sink.field(table, field) {
                let at = sink.tree.node(id).name_at;
                let message =
                    format!("`{field}` is for variables, but the names of this layer are keys");
                let error = Error::new("bad-project", message);
                sink.error_at_name(
                    error.help("add names = \"variables\" if they are variables"),
                    at,
                    "",
                );
            }
        }
    }
    None
}
