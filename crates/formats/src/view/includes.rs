//! Files that a file names, and that are read with it.

use super::{Part, Under, View, choose, elsewhere};
use crate::Limits;
use crate::fault::{Fault, Faults};
use crate::manner::Manner;
use crate::registry::Format;
use crate::tree::{Kind, NodeId, Tree};
use justwhy_core::Span;
use std::sync::Arc;

impl Part {
    /// The files that documents name where the part looks for such names, in the order of the text.
    pub(super) fn included(
        &self,
        tree: &Tree<'_>,
        roots: &[NodeId],
        limits: Limits,
    ) -> Result<Vec<(String, Span)>, Fault> {
        let Some(under) = &self.includes else { return Ok(Vec::new()) };
        let mut included = Vec::new();
        for root in roots {
            let nodes = match under {
                Under::Key(key) => choose::at_key(tree, *root, key).into_iter().collect(),
                Under::Query(query) => query.select(tree, *root, limits)?,
            };
            for node in nodes {
                named(tree, node, &mut included)?;
            }
        }
        for (path, at) in &included {
            if let Some(filled) = elsewhere::places(path, &self.elsewhere).first() {
                let filled = &path[filled.start as usize..filled.end as usize];
                let message = format!("another program fills in this path: {filled}");
                return Err(Fault::new(*at, message));
            }
        }
        Ok(included)
    }
}

impl View {
    /// How a file is read that a file of this view names: a file of the same format in the same way, any
    /// other as a whole.
    #[must_use]
    pub fn of_included(&self, path: &str) -> View {
        let format = Format::of_path(path).unwrap_or(self.format);
        if format == self.format {
            return self.clone();
        }
        let Some(part) = self.part.as_deref() else { return View::whole(format) };
        let kept = Part {
            secret: part.secret,
            dotted: part.dotted.clone(),
            numbered: part.numbered,
            elsewhere: part.elsewhere.clone(),
            tolerant: part.tolerant,
            ..Part::default()
        };
        let is_whole = kept == Part::default();
        View { format, part: (!is_whole).then(|| Arc::new(kept)) }
    }
}

/// The paths that a node names: a string, or a list of such nodes.
fn named(tree: &Tree<'_>, node: NodeId, included: &mut Vec<(String, Span)>) -> Result<(), Fault> {
    let node = tree.followed(node);
    let at = tree.node(node).at;
    match &tree.node(node).kind {
        Kind::Text(path) if path.is_empty() || path.contains('\0') => {
            Err(Fault::new(at, "invalid path of a file"))
        }
        Kind::Text(path) if path.contains("${") || path.contains("$(") => {
            let fault = Fault::new(at, "the path of this file is only known to its program");
            Err(fault.help("make a layer that reads the file, with {axis} in its path"))
        }
        Kind::Text(path) => {
            included.push((path.to_string(), at));
            Ok(())
        }
        Kind::List(items) => tree.children(*items).try_for_each(|item| named(tree, item, included)),
        Kind::Null | Kind::LeftOut => Ok(()),
        _ => Err(Fault::new(at, "expected the path of a file, or a list of paths")
            .help("make the query of `includes` select strings")),
    }
}

/// The tree of a text that may be any value; the first fault if it has any.
fn parsed(format: Format, text: &str, limits: Limits) -> Result<Tree<'_>, Fault> {
    let mut faults = Faults::default();
    let manner = Manner { is_any: true, ..Manner::default() };
    let tree = format.rules().read(text, manner, limits, &mut faults);
    if let Some(fault) = faults.in_order().into_iter().next() {
        return Err(fault);
    }
    Ok(tree)
}

/// The strings of a list, or the keys of a table, that a text has at a place.
pub fn names_at(
    format: Format,
    text: &str,
    under: Option<&Under>,
    limits: Limits,
) -> Result<Vec<String>, Fault> {
    let tree = parsed(format, text, limits)?;
    let mut names = Vec::new();
    for root in choose::documents(&tree, None)? {
        let nodes = match under {
            None => vec![root],
            Some(Under::Query(query)) => query.select(&tree, root, limits)?,
            Some(under) => vec![choose::node(&tree, root, under, limits)??],
        };
        for node in nodes {
            let node = tree.followed(node);
            match &tree.node(node).kind {
                Kind::Table(_) => {
                    names.extend(tree.members(node).into_iter().map(|(name, _)| name.to_owned()));
                }
                Kind::List(items) => {
                    for item in tree.children(*items) {
                        let text = choose::scalar(&tree, item);
                        let at = tree.node(item).at;
                        names.push(text.ok_or_else(|| Fault::new(at, "expected a string"))?);
                    }
                }
                _ => {
                    let at = tree.node(node).at;
                    let text = choose::scalar(&tree, node);
                    names.push(
                        text.ok_or_else(|| {
                            Fault::new(at, "expected a list of strings, or a table")
                        })?,
                    );
                }
            }
        }
    }
    Ok(names)
}

/// The one value that a text has at a place, and where; none if nothing is there.
pub fn scalar_at(
    format: Format,
    text: &str,
    under: &Under,
    limits: Limits,
) -> Result<Option<(String, Span)>, Fault> {
    let tree = parsed(format, text, limits)?;
    for root in choose::documents(&tree, None)? {
        let Ok(node) = choose::node(&tree, root, under, limits)? else { continue };
        let at = tree.node(tree.followed(node)).at;
        return match choose::scalar(&tree, node) {
            Some(text) => Ok(Some((text, at))),
            None => Err(Fault::new(at, "expected a single value")),
        };
    }
    Ok(None)
}
