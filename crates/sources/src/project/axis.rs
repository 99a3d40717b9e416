//! `[[axis]]` tables.

use super::ProjectAxis;
use super::fields::{Fields, Sink};
use crate::error::Error;
use crate::tree::{Kind, NodeId, shown_name};
use justwhy_core::{Axis, BadAxisValue, Span, check_axis_value, nearest};

const FIELDS: Fields =
    Fields { of: "an axis", known: &["name", "allowed", "open", "default", "read"], later: &[] };

pub(super) fn read_all(sink: &mut Sink<'_>) -> Vec<ProjectAxis> {
    let mut axes: Vec<(ProjectAxis, Span)> = Vec::new();
    for table in sink.tables("axis") {
        let names_are_fine = sink.check_names(table, &FIELDS);
        let Some((axis, at)) = read(sink, table, names_are_fine) else {
            continue;
        };
        if let Some((_, first)) = axes.iter().find(|(other, _)| other.axis.name == axis.axis.name) {
            sink.repeated("axes", &axis.axis.name, at, *first);
        }
        axes.push((axis, at));
    }
    axes.into_iter().map(|(axis, _)| axis).collect()
}

fn read(sink: &mut Sink<'_>, table: NodeId, names_are_fine: bool) -> Option<(ProjectAxis, Span)> {
    let (name, name_at) = required_name(sink, table, "an axis")?;
    if !is_axis_name(&name) {
        sink.error(
            Error::new("bad-project", format!("{} cannot name an axis", shown_name(&name)))
                .help("a name begins with a-z and goes on with a-z, 0-9, `_` and `-`"),
            name_at,
        );
        return None;
    }
    let open = sink.boolean(table, "open").unwrap_or_default();
    let allowed = allowed(sink, table);
    let axis = Axis { name, allowed, open };
    // A misspelt `allowed` has been reported.
    if names_are_fine && !open && axis.allowed.is_empty() && sink.field(table, "allowed").is_none()
    {
        sink.error(
            Error::new("bad-project", format!("no value is allowed for the axis {}", axis.name))
                .help("list them: allowed = [\"…\"], or take any: open = true"),
            name_at,
        );
    }
    let default = sink.text(table, "default").map(|(value, at)| {
        check_value(sink, &axis, &value, at);
        value
    });
    let read = reads(sink, table);
    Some((ProjectAxis { axis, default, read }, name_at))
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

fn allowed(sink: &mut Sink<'_>, table: NodeId) -> Vec<String> {
    let Some(id) = sink.field(table, "allowed") else {
        return Vec::new();
    };
    if matches!(sink.tree.node(id).kind, Kind::Table(_)) {
        const FIELDS: Fields = Fields { of: "`allowed`", known: &[], later: &["directories"] };
        sink.check_names(id, &FIELDS);
        return Vec::new();
    }
    let mut allowed: Vec<(String, Span)> = Vec::new();
    for item in sink.list(table, "allowed").unwrap_or_default() {
        let Some((value, at)) = sink.text_of(item) else {
            continue;
        };
        if check_axis_value(&value).is_err() {
            sink.error(characters(&value), at);
        } else if let Some((_, first)) = allowed.iter().find(|(other, _)| *other == value) {
            sink.repeated("allowed values", &value, at, *first);
        } else {
            allowed.push((value, at));
        }
    }
    allowed.into_iter().map(|(value, _)| value).collect()
}

fn characters(value: &str) -> Error {
    let message = format!("{} cannot be the value of an axis", shown_name(value));
    Error::new("bad-project", message)
        .help("a value is made of A-Z, a-z, 0-9, `.`, `_` and `-`, and is neither `.` nor `..`")
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

fn reads(sink: &mut Sink<'_>, table: NodeId) -> Vec<(String, Span)> {
    const FIELDS: Fields = Fields {
        of: "a way to read an axis",
        known: &["variable"],
        later: &["file", "branch", "folder", "axis", "map"],
    };
    let mut reads = Vec::new();
    for item in sink.list(table, "read").unwrap_or_default() {
        if !matches!(sink.tree.node(item).kind, Kind::Table(_)) {
            sink.wrong_type(item, "a table such as { variable = \"NAME\" }");
            continue;
        }
        sink.check_names(item, &FIELDS);
        if let Some((variable, at)) = sink.text(item, "variable") {
            if variable.is_empty() || variable.contains(['=', '\0']) {
                let error = Error::new("bad-project", "this cannot be the name of a variable");
                sink.error(error, at);
            } else {
                reads.push((variable, at));
            }
        } else if sink.tree.entries(item).next().is_none() {
            let at = sink.tree.node(item).at;
            let error = Error::new("bad-project", "this way to read an axis reads nothing");
            sink.error(error.help("write { variable = \"NAME\" }"), at);
        }
    }
    reads
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
    let error = Error::new("bad-project", format!("there is no axis {}", shown_name(name)));
    let names = axes.iter().map(|axis| axis.axis.name.as_str());
    let error = match nearest(name, names.clone()) {
        Some(near) => error.help(format!("did you mean {near}?")),
        None if axes.is_empty() => error.help("declare it with [[axis]]"),
        None => error.help(format!("the axes are {}", names.collect::<Vec<_>>().join(", "))),
    };
    sink.error(error, at);
    None
}
