//! Paths of files that layers read.

use crate::error::Error;
use crate::project::ProjectAxis;
use crate::project::axis::named;
use crate::project::fields::Sink;
use crate::project::parsed::template;
use crate::project::template::PathTemplate;
use justwhy_core::Span;
use justwhy_formats::NodeId;

/// The path that a field gives, with its text and place.
pub(super) fn path(
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
