//! Trees of formats whose names are paths: sections, dotted names, columns.

use crate::fault::Fault;
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use hashbrown::HashMap;
use justwhy_core::Span;
use std::borrow::Cow;

/// What a repeated key does.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(crate) enum Repeated {
    /// It is a fault.
    #[default]
    IsRefused,
    /// The later value counts, and both are there.
    Replaces,
    /// The values become a list; an empty one starts it afresh.
    Gathers,
}

/// Fills a tree by paths, and refuses a repeated key and one that is both a value and a table.
pub(crate) struct Paths<'s> {
    pub(crate) tree: Tree<'s>,
    index: HashMap<(NodeId, String), NodeId>,
    /// What a repeated key does.
    pub(crate) repeated: Repeated,
}

impl<'s> Paths<'s> {
    pub(crate) fn for_text(bytes: usize) -> Paths<'s> {
        Paths { tree: Tree::for_text(bytes), index: HashMap::new(), repeated: Repeated::default() }
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
            let there = *there;
            let node = self.tree.node(there);
            match (&node.kind, self.repeated) {
                (Kind::Table(_), _) => return Err(self.both(name_at, there)),
                (_, Repeated::IsRefused) => return Err(Fault::repeated(name_at, node.name_at)),
                (_, Repeated::Replaces) => {
                    let what = "a key is there twice; the later one counts";
                    self.tree.tolerated.push((name_at, what.to_owned()));
                }
                (_, Repeated::Gathers) => {
                    self.gather(there, at, value);
                    return Ok(());
                }
            }
        }
        let node = Node::named(asked.1.clone().into(), name_at, at, Kind::Text(value));
        let id = self.tree.push_child(parent, node);
        self.index.insert(asked, id);
        Ok(())
    }

    /// Adds a value to those of a key.
    fn gather(&mut self, there: NodeId, at: Span, value: Cow<'s, str>) {
        if !matches!(self.tree.node(there).kind, Kind::List(_)) {
            let first = self.tree.node(there);
            let item = Node::new(first.at, first.kind.clone());
            let is_empty = matches!(&first.kind, Kind::Text(text) if text.is_empty());
            self.tree.node_mut(there).kind = Kind::List(Children::default());
            if !is_empty {
                self.tree.push_child(there, item);
            }
        }
        match value.is_empty() {
            true => self.tree.node_mut(there).kind = Kind::List(Children::default()),
            false => drop(self.tree.push_child(there, Node::new(at, Kind::Text(value)))),
        }
    }

    fn both(&self, at: Span, there: NodeId) -> Fault {
        let message = "a key is both a value and a table";
        Fault::new(at, message)
            .also("first at", self.tree.node(there).name_at)
            .help("give one of the two another name")
    }
}
