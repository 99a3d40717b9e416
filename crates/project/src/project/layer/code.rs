//! Layers of the fallbacks in source code: `code` of a layer.

use super::path::path;
use crate::error::Error;
use crate::project::axis::pattern_of;
use crate::project::fields::{Fields, Sink};
use crate::project::part::{self, PartTemplate};
use crate::project::{ProjectAxis, Reads};
use justwhy_core::nearest;
use justwhy_formats::{Format, Kind, NodeId, ReadSet, named_sets};

const FIELDS: Fields = Fields { of: "`code`", known: &["files", "reads"] };

/// The files of a layer of source code.
pub(super) fn files(sink: &mut Sink<'_>, table: NodeId, axes: &[ProjectAxis]) -> Option<Reads> {
    let inside = sink.table(table, "code")?;
    sink.check_names(inside, &FIELDS);
    for field in FIELDS.known {
        if sink.field(inside, field).is_none() {
            let at = sink.tree.node(inside).at;
            let error = Error::new("bad-project", format!("`code` needs `{field}`"));
            let help = "for example code = { files = \"src/**/*.py\", reads = \"python\" }";
            sink.error(error.help(help), at);
            return None;
        }
    }
    let (template, pattern, at) = path(sink, inside, "files", axes)?;
    pattern_of(sink, &pattern, at)?;
    Some(Reads::Files(template, Some(Format::CODE)))
}

/// How a layer of source code finds what is read.
pub(super) fn part(sink: &mut Sink<'_>, table: NodeId) -> Option<PartTemplate> {
    let inside = sink.field(table, "code")?;
    let id = sink.field(inside, "reads")?;
    let items: Vec<NodeId> = match &sink.tree.node(id).kind {
        Kind::List(items) => sink.tree.children(*items).collect(),
        Kind::Text(_) => vec![id],
        _ => {
            sink.wrong_type(id, "the name of a set, a pattern, or a list of them");
            return None;
        }
    };
    let texts = items.into_iter().filter_map(|item| sink.text_of(item));
    let texts: Vec<_> = texts.collect();
    let sets: Vec<String> = texts.iter().map(|(text, _)| text.clone()).collect();
    match ReadSet::of(&sets) {
        Ok(_) if sets.is_empty() => {
            let at = sink.tree.node(id).at;
            sink.error(Error::new("bad-project", "empty `reads`").help(sets_help()), at);
            None
        }
        Ok(reads) => Some(part::of_code(reads)),
        Err((number, why)) => {
            let (text, at) = &texts[number];
            let error = Error::new("bad-project", why);
            let near = nearest(text, named_sets());
            sink.error(
                match near {
                    Some(near) => error.help(format!("did you mean \"{near}\"?")),
                    None => error.help(sets_help()),
                },
                *at,
            );
            None
        }
    }
}

fn sets_help() -> String {
    let sets: Vec<&str> = named_sets().collect();
    format!(
        "the sets are {}; a pattern has the groups (?<name>…) and (?<value>…)",
        justwhy_core::list_values(&sets, "and")
    )
}
