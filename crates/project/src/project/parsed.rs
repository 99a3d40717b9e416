//! Fields whose strings are read further: formats and templates.

use super::fields::Sink;
use super::template::TemplateError;
use crate::error::Error;
use justwhy_core::{Span, nearest};
use justwhy_formats::{Format, NodeId, shown_name};

/// The format that a field names.
pub(super) fn format_named(sink: &mut Sink<'_>, table: NodeId, field: &str) -> Option<Format> {
    let (name, at) = sink.text(table, field)?;
    if let Some(format) = Format::named(&name) {
        return Some(format);
    }
    let names = Format::names();
    let error = Error::new("bad-project", format!("no format has the name {}", shown_name(&name)));
    let error = match nearest(&name, names.iter().copied()) {
        Some(near) => error.help(format!("did you mean \"{near}\"?")),
        None => error.help(format!("the formats are {}", names.join(", "))),
    };
    sink.error(error, at);
    None
}

/// What a string with axes in it was parsed into.
pub(super) fn template<T>(
    sink: &mut Sink<'_>,
    parsed: Result<T, TemplateError>,
    what: &str,
    at: Span,
) -> Option<T> {
    match parsed {
        Ok(template) => Some(template),
        Err((offset, problem)) => {
            // The text begins after its opening quote; escapes before the problem would shift it,
            // and no sensible path has any.
            let start = at.start as usize + 1 + offset;
            let message = format!("invalid {what}: {problem}");
            sink.error(Error::new("bad-project", message), Span::new(start, start));
            None
        }
    }
}
