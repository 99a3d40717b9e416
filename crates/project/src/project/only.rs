//! Axes that exist only together with values of others.

use super::ProjectAxis;
use super::axis::Way;
use super::fields::Sink;
use super::layer::conditions_of;
use crate::error::Error;
use justwhy_formats::{Kind, Node, NodeId, Tree};

/// Where each axis exists, now that all of them are known.
pub(super) fn only(sink: &mut Sink<'_>, axes: &mut [ProjectAxis]) {
    let tables: Vec<NodeId> = match sink.field(Tree::ROOT, "axis").map(|id| sink.tree.node(id)) {
        Some(Node { kind: Kind::List(items), .. }) => sink.tree.children(*items).collect(),
        _ => Vec::new(),
    };
    for table in tables {
        if sink.field(table, "only").is_none() {
            continue;
        }
        let Some(id) = sink.table(table, "only") else { continue };
        let at = sink.tree.node(id).at;
        let Some((name, _)) = sink.text(table, "name") else { continue };
        let conditions = conditions_of(sink, id, axes);
        let from: Vec<String> = conditions.iter().map(|it| it.axis.clone()).collect();
        let is_circle = from.iter().any(|other| exists_by(axes, other, &name, &mut Vec::new()));
        if is_circle {
            let message = format!("`only` of the axis {name} depends on {name}");
            sink.error(Error::new("bad-project", message), at);
            continue;
        }
        if let Some(axis) = axes.iter_mut().find(|axis| axis.axis.name == name) {
            axis.only = conditions;
        }
    }
}

/// Whether it depends on the axis that is looked for whether another one exists, or which value it has.
fn exists_by(axes: &[ProjectAxis], axis: &str, wanted: &str, seen: &mut Vec<String>) -> bool {
    if axis == wanted {
        return true;
    }
    if seen.iter().any(|other| other == axis) {
        return false;
    }
    seen.push(axis.to_owned());
    let Some(found) = axes.iter().find(|other| other.axis.name == axis) else { return false };
    let mut from: Vec<&str> = found.only.iter().map(|it| it.axis.as_str()).collect();
    from.extend(found.read.iter().filter_map(|way| match way {
        Way::Axis { axis, .. } => Some(axis.as_str()),
        _ => None,
    }));
    from.into_iter().any(|other| exists_by(axes, other, wanted, seen))
}
