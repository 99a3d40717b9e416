//! `[[layer]]` tables.

use super::axis::{check_value, named, required_name};
use super::fields::{Fields, Sink};
use super::part::{self, PartTemplate};
use super::{KeyTemplate, ProjectAxis, ProjectLayer, Reads, nest, prefix};
use crate::error::Error;
use crate::stores::Store;
use justwhy_core::{
    Axis, Condition, Dialect, Empty, KeyPath, Null, Pattern, Pins, Removal, Span, Within, nearest,
};
use justwhy_formats::{Format, Kind, NodeId, shown_name};
use std::sync::Arc;

mod code;
mod path;
mod reads;

use reads::{ROW_AXIS, reads};

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
        "code",
        "indirect",
        "only_for_references",
        "includes",
        "includes_are",
    ],
};

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
    let source = SourceKind::of(sink, table, reads.as_ref());
    let SourceKind { is_line, is_code, .. } = source;
    let (optional, per_directory) = source.fields(sink, table, reads.as_ref());
    let (references, dialect) = references(sink, table);
    let references =
        references.unwrap_or(!is_line && !is_code && !matches!(reads, Some(Reads::Process)));
    let lookup = lookup(sink, table);
    let (part, under) = source.part(sink, table, axes, (reads.as_ref(), dialect));
    let local = sink.boolean(table, "local").unwrap_or_default();
    let into = into(sink, table);
    let pins = pins(sink, table);
    let removes = removes(sink, table);
    let front = (is_line || is_code).then(|| {
        let own = (prefix(sink, table), nest(sink, table));
        (own.0.unwrap_or_else(|| naming.0.clone()), own.1.unwrap_or_else(|| naming.1.clone()))
    });
    let variables = match source.has_own_names() {
        Some(why) => {
            refuse(sink, table, "names", why);
            None
        }
        None => variables(sink, table, (reads.as_ref(), part.as_ref()), naming),
    };
    let indirect = indirect(sink, table, variables.is_some());
    let only_for_references = sink.boolean(table, "only_for_references").unwrap_or_default();
    if only_for_references && variables.is_none() {
        let message = "`only_for_references` is for layers whose names are variables";
        refuse(sink, table, "only_for_references", message);
    }
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
        only_for_references,
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

/// What a layer reads, as far as its other fields depend on that.
#[derive(Clone, Copy)]
struct SourceKind {
    is_line: bool,
    is_entries: bool,
    is_code: bool,
    is_file: bool,
    /// A file, or a pattern of files that are read as such.
    is_files: bool,
}

impl SourceKind {
    fn of(sink: &Sink<'_>, table: NodeId, reads: Option<&Reads>) -> SourceKind {
        let is_line = sink.field(table, "command_line").is_some();
        let is_entries = sink.field(table, "entries").is_some();
        let is_code = sink.field(table, "code").is_some();
        let is_file = matches!(reads, Some(Reads::File(..))) && !is_line;
        let is_files =
            is_file || matches!(reads, Some(Reads::Files(..))) && !is_entries && !is_code;
        SourceKind { is_line, is_entries, is_code, is_file, is_files }
    }

    /// Why nobody chooses how its names are read.
    fn has_own_names(self) -> Option<&'static str> {
        match (self.is_line, self.is_code) {
            (true, _) => Some("the names of a command line are those of its options"),
            (false, true) => Some("the names in code are those that it reads"),
            (false, false) => None,
        }
    }

    /// Which part of what it reads counts, and the section.
    fn part(
        self,
        sink: &mut Sink<'_>,
        table: NodeId,
        axes: &[ProjectAxis],
        (reads, dialect): (Option<&Reads>, Dialect),
    ) -> (Option<PartTemplate>, Option<KeyTemplate>) {
        match reads {
            Some(Reads::File(..)) if self.is_line => {
                (part::of_command_line(sink, table, axes, reads), None)
            }
            _ if self.is_code => (code::part(sink, table), None),
            _ if self.is_files || self.is_entries => {
                part::read(sink, table, axes, (reads, dialect))
            }
            _ => (None, None),
        }
    }

    /// Refuses fields that only layers of other kinds have; tells whether it is optional, and one for each
    /// folder.
    fn fields(self, sink: &mut Sink<'_>, table: NodeId, reads: Option<&Reads>) -> (bool, bool) {
        let SourceKind { is_line, is_entries, is_file, is_files, .. } = self;
        let (one, several) = ("a file", "files");
        let is_scope = matches!(reads, Some(Reads::Scope(..)));
        only_for(sink, table, "store", is_scope, "a scope", &["scope"]);
        let may_be = is_file || is_scope || is_line && matches!(reads, Some(Reads::File(..)));
        let kinds = ["file", "scope"];
        let optional = only_for(sink, table, "optional", may_be, "a file or a scope", &kinds);
        let optional = optional && sink.boolean(table, "optional").unwrap_or_default();
        let per_directory = only_for(sink, table, "per_directory", is_file, one, &["file"]);
        let per_directory =
            per_directory && sink.boolean(table, "per_directory").unwrap_or_default();
        only_for(sink, table, "under", is_files, several, &["file", "files"]);
        for field in part::FIELDS {
            let may_be = is_files
                || is_entries && part::OF_ENTRIES.contains(&field)
                || is_line && part::OF_COMMAND_LINES.contains(&field);
            only_for(sink, table, field, may_be, several, &["file", "files"]);
        }
        only_for(sink, table, "format", is_files, several, &["file", "files"]);
        let is_rows = matches!(reads, Some(Reads::Rows { .. }));
        only_for(sink, table, "axis", is_rows, "rows", &["rows"]);
        if let (true, Some(Reads::File(path, _))) = (per_directory, reads)
            && path.is_absolute()
        {
            let at = sink.place(table, "file");
            let message = "`per_directory` needs a relative path";
            sink.error(Error::new("bad-project", message), at);
        }
        (optional, per_directory)
    }
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
