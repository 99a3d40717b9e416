//! What a layer reads: the one field that says so.

use super::code;
use super::path::path;
use crate::error::Error;
use crate::project::axis::{named, pattern_of};
use crate::project::fields::{Fields, Sink};
use crate::project::parsed::{format_named, template};
use crate::project::template::{PathTemplate, Piece};
use crate::project::{ProjectAxis, Reads};
use crate::stores::Store;
use justwhy_core::{Keys, Span, Value, is_scope_name, nearest};
use justwhy_formats::{Format, Kind, Limits, Lowering, NodeId, RowFormat, shown_name};

/// The axis that gives the row if a layer names none; it need not be declared.
pub(super) const ROW_AXIS: &str = "row";
/// Each of these shows what a layer reads, and a layer has exactly one of them.
const READS: [&str; 9] =
    ["file", "files", "entries", "rows", "values", "command_line", "code", "process", "scope"];

pub(super) fn reads(
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
                "add one of `file`, `files`, `entries`, `rows`, `scope`, `values`, `command_line`, `code`, `process`",
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
        ["code"] => code::files(sink, table, axes),
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

fn files(sink: &mut Sink<'_>, table: NodeId, axes: &[ProjectAxis]) -> Option<Reads> {
    let (template, pattern, at) = path(sink, table, "files", axes)?;
    // The value of an axis has no wildcard in it, so that the pattern stays one.
    pattern_of(sink, &pattern, at)?;
    let format = match sink.field(table, "format") {
        Some(_) => Some(format(sink, table)?.in_file(&pattern)),
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
        Some(_) => format(sink, table)?.in_file(&path),
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
    let names = Format::names();
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
