//! Trees of formats whose names are paths: sections, dotted names, columns.

use crate::fault::Fault;
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use hashbrown::HashMap;
use justwhy_core::Span;
use std::borrow::Cow;

/// Fills a tree by paths, and refuses a repeated key and one that is both a value and a table.
pub(crate) struct Paths<'s> {
    pub(crate) tree: Tree<'s>,
    index: HashMap<(NodeId, String), NodeId>,
}

impl<'s> Paths<'s> {
    pub(crate) fn for_text(bytes: usize) -> Paths<'s> {
        Paths { tree: Tree::for_text(bytes), index: HashMap::new() }
    }

    /// The table `name` in `parent`, which is made if it is not there.
    pub(crate) fn table(&mut self, parent: NodeId, name: &str, at: Span) -> Result<NodeId, Fault> {
        let asked = (parent, name.to_owned());
        if let Some(there) = self.index.get(&asked) {
            return match self.tree.node(*there).kind {
                Kind::Table(_) => Ok(*there),
                _ => Err(self.both(at, *there)),
            };
        }
        let kind = Kind::Table(Children::default());
        let id = self.tree.push_child(parent, Node::named(asked.1.clone().into(), at, at, kind));
        self.index.insert(asked, id);
        Ok(id)
    }

    /// The value `name` in `parent`.
    pub(crate) fn value(
        &mut self,
        parent: NodeId,
        name: &str,
        name_at: Span,
        at: Span,
        value: Cow<'s, str>,
    ) -> Result<(), Fault> {
        let asked = (parent, name.to_owned());
        if let Some(there) = self.index.get(&asked) {
            let node = self.tree.node(*there);
            return Err(match node.kind {
                Kind::Table(_) => self.both(name_at, *there),
                _ => Fault::repeated(name_at, node.name_at),
            });
        }
        let node = Node::named(asked.1.clone().into(), name_at, at, Kind::Text(value));
        let id = self.tree.push_child(parent, node);
        self.index.insert(asked, id);
        Ok(())
    }

    fn both(&self, at: Span, there: NodeId) -> Fault {
        let message = "a key is both a value and a table";
        Fault::new(at, message)
            .also("first at", self.tree.node(there).name_at)
            .help("give one of the two another name")
    }
}
