//! The values that an axis may have: a list, what a file lists, the names of folders.

use super::{characters, file, format_of, pattern_of, under};
use crate::beyond;
use crate::error::Error;
use crate::glob::Wanted;
use crate::ports::World;
use crate::project::fields::{Fields, Sink};
use justwhy_core::{Span, check_axis_value};
use justwhy_formats::{Format, Kind, Limits, NodeId, Under};
use std::path::Path;

/// The allowed values, and where they are from.
#[derive(Default)]
pub(super) struct AllowedValues {
    pub(super) values: Vec<String>,
    /// The pattern of the folders whose names they are.
    pub(super) directories: Option<String>,
    /// The file that lists them.
    pub(super) file: Option<String>,
}

/// The field `allowed` of an axis.
pub(super) fn allowed(
    sink: &mut Sink<'_>,
    table: NodeId,
    place: (&dyn World, &Path),
) -> AllowedValues {
    let Some(id) = sink.field(table, "allowed") else {
        return AllowedValues::default();
    };
    if matches!(sink.tree.node(id).kind, Kind::Table(_)) {
        const FIELDS: Fields =
            Fields { of: "`allowed`", known: &["directories", "file", "under", "format"] };
        sink.check_names(id, &FIELDS);
        if sink.field(id, "file").is_some() {
            return listed(sink, id, place).unwrap_or_default();
        }
        let (values, directories) = directories(sink, id, place);
        return AllowedValues { values, directories, file: None };
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
    let values = allowed.into_iter().map(|(value, _)| value).collect();
    AllowedValues { values, ..AllowedValues::default() }
}

/// The strings or keys that a file has at a place.
fn listed(
    sink: &mut Sink<'_>,
    table: NodeId,
    (world, folder): (&dyn World, &Path),
) -> Option<AllowedValues> {
    let path = file(sink, table)?;
    let at = sink.place(table, "file");
    let format = format_of(sink, table, &path)?;
    let under = match sink.field(table, "under") {
        Some(_) => Some(under(sink, table)?),
        None => None,
    };
    let repository = beyond::repository_of(world, folder);
    let read = texts_of(world, (folder, &repository), (&path, format, under.as_ref()));
    let file = Some(path.clone());
    match read {
        Err(error) => {
            sink.error(error, at);
            Some(AllowedValues { file, ..AllowedValues::default() })
        }
        Ok(found) => {
            let mut values: Vec<String> = Vec::new();
            for value in found {
                if check_axis_value(&value).is_err() {
                    sink.error(characters(&value).also("listed in", &path, None), at);
                } else if !values.contains(&value) {
                    values.push(value);
                }
            }
            Some(AllowedValues { values, file, ..AllowedValues::default() })
        }
    }
}

/// The strings of a list, or the keys of a table, that a file has at a place.
fn texts_of(
    world: &dyn World,
    (folder, repository): (&Path, &Path),
    (path, format, under): (&str, Format, Option<&Under>),
) -> Result<Vec<String>, Error> {
    let full = folder.join(path);
    beyond::check(world, repository, &full, path)?;
    let limits = Limits::default();
    let bytes = world
        .read_file(&full, limits.file_bytes)
        .map_err(|problem| crate::project::unreadable(&problem, path).at(path, None))?;
    let (text, verdict) = justwhy_formats::decode(bytes);
    let attach = |fault| crate::error::attach(fault, path, &text);
    verdict.map_err(attach)?;
    justwhy_formats::names_at(format, text.text(), under, limits).map_err(attach)
}

/// The names of the folders that match; one that no axis can have for a value is left out.
fn directories(
    sink: &mut Sink<'_>,
    table: NodeId,
    (world, folder): (&dyn World, &Path),
) -> (Vec<String>, Option<String>) {
    let Some((pattern, at)) = sink.text(table, "directories") else {
        return (Vec::new(), None);
    };
    let Some(glob) = pattern_of(sink, &pattern, at) else {
        return (Vec::new(), Some(pattern));
    };
    let found = glob.find(world, folder, Wanted::Folders).unwrap_or_else(|error| {
        sink.error(error, at);
        Vec::new()
    });
    // What a link leads to elsewhere is nobody's name.
    let repository = beyond::repository_of(world, folder);
    let is_inside =
        |path: &&String| beyond::leaves(world, &repository, &folder.join(path)).is_none();
    let name = |path: &String| path.rsplit('/').next().unwrap_or_default().to_owned();
    let mut names: Vec<String> = found
        .iter()
        .filter(is_inside)
        .map(name)
        .filter(|name| check_axis_value(name).is_ok())
        .collect();
    names.sort();
    names.dedup();
    (names, Some(pattern))
}
