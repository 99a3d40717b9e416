//! `[[axis]]` tables.

use super::Never;
use super::fields::{Fields, Sink};
use super::parsed::format_named;
use crate::error::Error;
use crate::glob::Glob;
use crate::ports::World;
use justwhy_core::{Axis, BadAxisValue, Condition, Span, nearest};
use justwhy_formats::{Format, Kind, NodeId, Under, shown_name};
use std::path::Path;

mod allowed;

use allowed::{AllowedValues, allowed};

/// An axis as declared.
#[derive(Debug)]
pub struct ProjectAxis {
    /// Its name and the values that it may have.
    pub axis: Axis,
    /// Its value when nothing else gives one.
    pub default: Option<String>,
    /// The ways to find its value, first hit first.
    pub read: Vec<Way>,
    /// The pattern of the folders whose names are allowed.
    pub directories: Option<String>,
    /// The file that lists the allowed values, relative to the project's folder.
    pub allowed_file: Option<String>,
    /// The values of other axes with which it exists; elsewhere it is unset.
    pub only: Vec<Condition>,
    /// Whether it may be unset where commands go through contexts.
    pub may_be_unset: bool,
    /// Whether it is not declared, and only there because layers read rows by it.
    pub is_implied: bool,
}

/// Where the value of an axis may come from.
#[derive(Debug)]
pub enum Way {
    /// A process variable.
    Variable(String),
    /// A process variable, and what each of its values gives.
    VariableMap {
        /// The variable.
        name: String,
        /// Its values and what each gives.
        map: Vec<(String, String)>,
        /// Where the map is.
        at: Span,
    },
    /// What a file of any format has at a place.
    FileKey {
        /// The file.
        path: String,
        /// How it is read.
        format: Format,
        /// The place.
        under: Under,
        /// Where the place is named.
        at: Span,
    },
    /// The name of the host: patterns, as written too, and the value that each gives.
    Host(Vec<(Glob, String, String)>),
    /// The git tags that HEAD has: patterns, as written too, and the value that each gives.
    Tag(Vec<(Glob, String, String)>),
    /// The text of a file.
    File(String),
    /// A variable in an env file.
    FileVariable {
        /// The file.
        path: String,
        /// The variable.
        name: String,
    },
    /// The git branch: patterns, as written too, and the value that each gives.
    Branch(Vec<(Glob, String, String)>),
    /// The folder that the working directory is in, and the pattern as written.
    Folder(Glob, String),
    /// Another axis: its values and what each gives, with their places.
    Axis {
        /// Its name.
        axis: String,
        /// Its values, what each gives, and where that is.
        map: Vec<(String, String, Span)>,
        /// Where its name is.
        at: Span,
    },
}

impl Way {
    /// Whether it reads the file at that path.
    pub fn reads_file(&self, path: &str) -> bool {
        match self {
            Way::File(file)
            | Way::FileVariable { path: file, .. }
            | Way::FileKey { path: file, .. } => file == path,
            _ => false,
        }
    }
}

pub(super) const FIELDS: Fields = Fields {
    of: "an axis",
    known: &["name", "allowed", "open", "default", "read", "only", "may_be_unset"],
};

/// The most axes of a project: each may be read from another, all the way.
const MOST_AXES: usize = 256;

pub(super) fn read_all(sink: &mut Sink<'_>, world: &dyn World, folder: &Path) -> Vec<ProjectAxis> {
    let mut axes: Vec<(ProjectAxis, Span)> = Vec::new();
    let tables = sink.tables("axis");
    if let Some(table) = tables.get(MOST_AXES) {
        let error = Error::new("limit", format!("more than {MOST_AXES} axes"));
        let at = sink.tree.node(*table).at;
        sink.error(error.help("the rest was not read"), at);
    }
    for table in tables.into_iter().take(MOST_AXES) {
        let names_are_fine = sink.check_names(table, &FIELDS);
        let Some((axis, at)) = read(sink, table, names_are_fine, (world, folder)) else {
            continue;
        };
        if let Some((_, first)) = axes.iter().find(|(other, _)| other.axis.name == axis.axis.name) {
            sink.repeated("axes", &axis.axis.name, at, *first);
        }
        axes.push((axis, at));
    }
    let axes: Vec<ProjectAxis> = axes.into_iter().map(|(axis, _)| axis).collect();
    check_maps(sink, &axes);
    axes
}

fn read(
    sink: &mut Sink<'_>,
    table: NodeId,
    names_are_fine: bool,
    place: (&dyn World, &Path),
) -> Option<(ProjectAxis, Span)> {
    let (name, name_at) = required_name(sink, table, "an axis")?;
    if !is_axis_name(&name) {
        sink.error(
            Error::new("bad-project", format!("invalid name of an axis: {}", shown_name(&name)))
                .help("a name begins with a-z and has a-z, 0-9, `_` and `-`"),
            name_at,
        );
        return None;
    }
    let open = sink.boolean(table, "open").unwrap_or_default();
    let AllowedValues { values: allowed, directories, file: allowed_file } =
        allowed(sink, table, place);
    let axis = Axis { name, allowed, open };
    // A misspelt `allowed` has been reported.
    if names_are_fine && !open && axis.allowed.is_empty() && sink.field(table, "allowed").is_none()
    {
        sink.error(
            Error::new("bad-project", format!("the axis {} has no allowed values", axis.name))
                .help("list them: allowed = [\"…\"], or allow any: open = true"),
            name_at,
        );
    }
    let default = sink.text(table, "default").map(|(value, at)| {
        check_value(sink, &axis, &value, at);
        value
    });
    let read = reads(sink, table, &axis);
    let may_be_unset = sink.boolean(table, "may_be_unset").unwrap_or_default();
    let axis = ProjectAxis {
        axis,
        default,
        read,
        directories,
        allowed_file,
        only: Vec::new(),
        may_be_unset,
        is_implied: false,
    };
    Some((axis, name_at))
}

/// The `name` of an axis or layer, which it must have.
pub(super) fn required_name(
    sink: &mut Sink<'_>,
    table: NodeId,
    what: &str,
) -> Option<(String, Span)> {
    if sink.field(table, "name").is_none() {
        let at = sink.tree.node(table).at;
        let error = Error::new("bad-project", format!("{what} has no name"));
        sink.error(error.help("add: name = \"…\""), at);
    }
    sink.text(table, "name")
}

fn is_axis_name(name: &str) -> bool {
    let fine =
        |byte: u8| byte.is_ascii_lowercase() || byte.is_ascii_digit() || b"_-".contains(&byte);
    name.bytes().all(fine) && name.starts_with(|c: char| c.is_ascii_lowercase())
}

/// The format that a table names, or else the name of its file.
fn format_of(sink: &mut Sink<'_>, table: NodeId, path: &str) -> Option<Format> {
    if sink.field(table, "format").is_some() {
        return format_named(sink, table, "format");
    }
    let found = Format::of_path(path);
    if found.is_none() {
        let at = sink.place(table, "file");
        let error = Error::new("bad-project", "unknown format");
        sink.error(error.help("add format = \"toml\", or another one"), at);
    }
    found
}

/// A key or query, in which no axis can be.
fn under(sink: &mut Sink<'_>, table: NodeId) -> Option<Under> {
    let (text, at) = sink.text(table, "under")?;
    let made = match text.starts_with('$') {
        true => justwhy_formats::Query::parse(&text).map(Under::Query),
        false => justwhy_core::KeyPath::parse(&text)
            .map(Under::Key)
            .map_err(|error| (error.at, error.problem.to_owned())),
    };
    match made {
        Ok(under) => Some(under),
        Err((_, problem)) => {
            sink.error(Error::new("bad-project", format!("invalid place: {problem}")), at);
            None
        }
    }
}

/// A pattern of paths below the project's folder.
pub(super) fn pattern_of(sink: &mut Sink<'_>, pattern: &str, at: Span) -> Option<Glob> {
    Glob::parse(pattern)
        .map_err(|problem| {
            let error = Error::new("bad-project", format!("invalid pattern of paths: {problem}"));
            sink.error(error.help("for example \"services/*\""), at);
        })
        .ok()
}

fn characters(value: &str) -> Error {
    let message = format!("invalid value of an axis: {}", shown_name(value));
    Error::new("bad-project", message)
        .help("a value has A-Z, a-z, 0-9, `.`, `_` and `-`, and is neither `.` nor `..`")
}

/// Checks a value that the project file itself gives to an axis.
pub(super) fn check_value(sink: &mut Sink<'_>, axis: &Axis, value: &str, at: Span) {
    match axis.check(value) {
        Ok(()) => {}
        Err(BadAxisValue::Characters) => sink.error(characters(value), at),
        // A list that was itself in error has been reported.
        Err(BadAxisValue::NotAllowed) if axis.allowed.is_empty() => {}
        Err(BadAxisValue::NotAllowed) => {
            let message =
                format!("{} is not allowed for the axis {}", shown_name(value), axis.name);
            let mut error = Error::new("bad-project", message);
            if let Some(near) = nearest(value, axis.allowed.iter().map(String::as_str)) {
                error = error.help(format!("did you mean \"{near}\"?"));
            }
            sink.error(error.help(format!("it allows {}", axis.allowed.join(", "))), at);
        }
    }
}

fn reads(sink: &mut Sink<'_>, table: NodeId, axis: &Axis) -> Vec<Way> {
    const FIELDS: Fields = Fields {
        of: "a way to read an axis",
        known: &[
            "variable", "file", "under", "format", "branch", "folder", "host", "tag", "axis", "map",
        ],
    };
    let mut reads = Vec::new();
    for item in sink.list(table, "read").unwrap_or_default() {
        if !matches!(sink.tree.node(item).kind, Kind::Table(_)) {
            sink.wrong_type(item, "a table such as { variable = \"NAME\" }");
            continue;
        }
        if !sink.check_names(item, &FIELDS) {
            continue;
        }
        let at = sink.tree.node(item).at;
        reads.extend(way(sink, item, axis, at));
    }
    reads
}

fn way(sink: &mut Sink<'_>, item: NodeId, axis: &Axis, at: Span) -> Option<Way> {
    let names: Vec<String> =
        sink.tree.entries(item).map(|id| sink.tree.node(id).name.to_string()).collect();
    let mut names: Vec<&str> = names.iter().map(String::as_str).collect();
    names.sort_unstable();
    match names.as_slice() {
        ["variable"] => Some(Way::Variable(variable(sink, item)?)),
        ["file"] => Some(Way::File(file(sink, item)?)),
        ["file", "variable"] => {
            Some(Way::FileVariable { path: file(sink, item)?, name: variable(sink, item)? })
        }
        ["map", "variable"] => {
            let name = variable(sink, item)?;
            let at = sink.place(item, "map");
            let map = map(sink, item, "map", axis)?;
            let map = map.into_iter().map(|(from, _, to)| (from, to)).collect();
            Some(Way::VariableMap { name, map, at })
        }
        ["file", "under"] | ["file", "format", "under"] => {
            let path = file(sink, item)?;
            let format = format_of(sink, item, &path)?;
            let at = sink.place(item, "under");
            Some(Way::FileKey { path, format, under: under(sink, item)?, at })
        }
        ["branch"] => Some(Way::Branch(patterns(sink, item, "branch", axis)?)),
        ["host"] => Some(Way::Host(patterns(sink, item, "host", axis)?)),
        ["tag"] => Some(Way::Tag(patterns(sink, item, "tag", axis)?)),
        ["folder"] => {
            let (pattern, at) = sink.text(item, "folder")?;
            Some(Way::Folder(pattern_of(sink, &pattern, at)?, pattern))
        }
        ["axis", "map"] => {
            let (other, at) = sink.text(item, "axis")?;
            let map = map(sink, item, "map", axis)?;
            let map = map.into_iter().map(|(from, at, to)| (from, to, at)).collect();
            Some(Way::Axis { axis: other, map, at })
        }
        ["axis"] => {
            let error = Error::new("bad-project", "no `map` from the values of the other axis");
            sink.error(error.help("add: map = { \"value of the other axis\" = \"value\" }"), at);
            None
        }
        [] => {
            let error = Error::new("bad-project", "nothing to read the axis from");
            sink.error(error.help("write { variable = \"NAME\" }"), at);
            None
        }
        several => {
            let several = justwhy_core::list_values(several, "and");
            let message = format!("{several} cannot be combined in one entry");
            let error = Error::new("bad-project", message).help(
                "an entry has one source: `variable`, `file`, `branch`, `folder`, `host`, `tag` or `axis`",
            );
            sink.error(error, at);
            None
        }
    }
}

/// The patterns of a table, each with the value that it gives.
fn patterns(
    sink: &mut Sink<'_>,
    item: NodeId,
    field: &str,
    axis: &Axis,
) -> Option<Vec<(Glob, String, String)>> {
    let mut patterns = Vec::new();
    for (pattern, name_at, value) in map(sink, item, field, axis)? {
        patterns.push((pattern_of(sink, &pattern, name_at)?, pattern, value));
    }
    Some(patterns)
}

fn variable(sink: &mut Sink<'_>, item: NodeId) -> Option<String> {
    let (variable, at) = sink.text(item, "variable")?;
    if variable.is_empty() || variable.contains(['=', '\0']) {
        sink.error(Error::new("bad-project", "invalid name of a variable"), at);
        return None;
    }
    Some(variable)
}

fn file(sink: &mut Sink<'_>, item: NodeId) -> Option<String> {
    let (path, at) = sink.text(item, "file")?;
    if path.is_empty() || path.ends_with('/') || path.contains('\0') {
        sink.error(Error::new("bad-project", "invalid path of a file"), at);
        return None;
    }
    Some(path)
}

/// A table from texts to values of the axis, in the order of the file.
fn map(
    sink: &mut Sink<'_>,
    item: NodeId,
    field: &str,
    axis: &Axis,
) -> Option<Vec<(String, Span, String)>> {
    let table = sink.table(item, field)?;
    let mut map = Vec::new();
    let entries: Vec<NodeId> = sink.tree.entries(table).collect();
    for entry in entries {
        let node = sink.tree.node(entry);
        let (name, name_at) = (node.name.to_string(), node.name_at);
        if let Some((value, at)) = sink.text_of(entry) {
            check_value(sink, axis, &value, at);
            map.push((name, name_at, value));
        }
    }
    Some(map)
}

/// Axes that are read from other axes: these must exist, have the values that are named, and lead
/// round in no circle.
fn check_maps(sink: &mut Sink<'_>, axes: &[ProjectAxis]) {
    for axis in axes {
        for read in &axis.read {
            let Way::Axis { axis: other, map, at } = read else { continue };
            let Some(from) = named(sink, axes, other, *at) else { continue };
            for (value, _, at) in map {
                check_value(sink, &from.axis, value, *at);
            }
            if leads_to(axes, other, &axis.axis.name, &mut Vec::new()) {
                let message = format!("the axis {} reads itself", axis.axis.name);
                let error = Error::new("bad-project", message);
                sink.error(error.help("read one of the axes from something else"), *at);
            }
        }
    }
}

/// Whether the axis is read, over others, from the one that is looked for.
fn leads_to(axes: &[ProjectAxis], axis: &str, wanted: &str, seen: &mut Vec<String>) -> bool {
    if axis == wanted {
        return true;
    }
    if seen.iter().any(|other| other == axis) {
        return false;
    }
    seen.push(axis.to_owned());
    let reads = axes.iter().filter(|other| other.axis.name == axis).flat_map(|axis| &axis.read);
    let mut from = reads.filter_map(|read| match read {
        Way::Axis { axis, .. } => Some(axis),
        _ => None,
    });
    from.any(|other| leads_to(axes, other, wanted, seen))
}

/// `[[never]]` tables: combinations that do not exist.
pub(super) fn nevers(sink: &mut Sink<'_>, axes: &[ProjectAxis]) -> Vec<Never> {
    let mut nevers = Vec::new();
    for table in sink.tables("never") {
        let at = sink.tree.node(table).at;
        let entries: Vec<NodeId> = sink.tree.entries(table).collect();
        let mut values = Vec::new();
        for entry in &entries {
            let node = sink.tree.node(*entry);
            let (name, name_at) = (node.name.to_string(), node.name_at);
            let axis = named(sink, axes, &name, name_at);
            let items: Vec<NodeId> = match &sink.tree.node(*entry).kind {
                Kind::List(items) => sink.tree.children(*items).collect(),
                _ => vec![*entry],
            };
            if items.is_empty() {
                let at = sink.tree.node(*entry).at;
                sink.error(Error::new("bad-project", "an empty list of values never matches"), at);
            }
            let mut of_axis = Vec::new();
            for item in items {
                let Some((value, value_at)) = sink.text_of(item) else { continue };
                if let Some(axis) = axis {
                    check_value(sink, &axis.axis, &value, value_at);
                }
                of_axis.push(value);
            }
            values.push((name, of_axis));
        }
        if entries.is_empty() {
            let error = Error::new("bad-project", "empty combination");
            sink.error(error.help("for example service = \"alerts\", region = \"south\""), at);
        } else {
            nevers.push(Never { values, at });
        }
    }
    nevers
}

/// The axis that `when`, `unless`, a path or a section names.
pub(super) fn named<'a>(
    sink: &mut Sink<'_>,
    axes: &'a [ProjectAxis],
    name: &str,
    at: Span,
) -> Option<&'a ProjectAxis> {
    if let Some(axis) = axes.iter().find(|axis| axis.axis.name == name) {
        return Some(axis);
    }
    let error = Error::new("bad-project", format!("no axis has the name {}", shown_name(name)));
    let names = axes.iter().map(|axis| axis.axis.name.as_str());
    let error = match nearest(name, names.clone()) {
        Some(near) => error.help(format!("did you mean {near}?")),
        None if axes.is_empty() => error.help("declare it with [[axis]]"),
        None => error.help(format!("the axes are {}", names.collect::<Vec<_>>().join(", "))),
    };
    sink.error(error, at);
    None
}
