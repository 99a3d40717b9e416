//! The tree that every format is parsed into.

use hashbrown::HashSet;
use justwhy_core::{Lookalike, Span};
use std::borrow::Cow;
use std::num::NonZeroU32;
use std::sync::Arc;

/// The position of a node in its tree.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct NodeId(NonZeroU32);

impl NodeId {
    /// The node at that position. Numbered from 1, so that having none takes no more room.
    fn at(index: usize) -> NodeId {
        // A text has fewer than 2^32 bytes, and every node takes at least one of them.
        NodeId(NonZeroU32::MIN.saturating_add(u32::try_from(index).unwrap_or(u32::MAX)))
    }

    /// Its number among the nodes of the tree, in which parents come before children.
    pub fn index(self) -> usize {
        self.0.get() as usize - 1
    }
}

/// A parsed text whose nodes still borrow from it. Flat, so that dropping a deep one is no
/// recursion.
#[derive(Debug)]
pub struct Tree<'s> {
    nodes: Vec<Node<'s>>,
    named: usize,
    /// The names of anchors, for [`Kind::Alias`].
    pub anchors: Vec<Arc<str>>,
    /// For texts in which a `$` was written so that it begins no reference: the bytes of those `$`
    /// in the value, by node, ascending.
    pub literal_dollars: Vec<(NodeId, Arc<[u32]>)>,
    /// Whether any table takes in the entries of another one (`<<`).
    pub has_merges: bool,
    /// Whether no table has two entries of one name, as who built it saw to.
    pub(crate) has_unique_names: bool,
    /// What was read although the format refuses it: where and what.
    pub(crate) tolerated: Vec<(Span, String)>,
    /// Whether a name may be there several times: the later one is stronger.
    pub(crate) repeats: bool,
    /// Whether it was read as a shell reads it: its lines count in their order, and quotes are gone.
    pub(crate) is_shell: bool,
    /// How many lines with something else than comments were passed over.
    pub(crate) passed_over: usize,
    /// Entries that only count where nothing weaker sets them, ascending.
    pub(crate) yielding: Vec<NodeId>,
    /// The roots of the documents of a file that may have several, or be something else than a table.
    pub documents: Vec<NodeId>,
    /// Roots of documents, each with the one that it is built on.
    pub(crate) bases: Vec<(NodeId, NodeId)>,
    /// Scalars that other readers of the format take for something else, and for what, by node,
    /// ascending.
    pub lookalikes: Vec<(NodeId, Lookalike)>,
}

/// A value, a list or a table, with its name if it is an entry.
#[derive(Debug)]
pub struct Node<'s> {
    /// The name under which its table has it; empty for items of lists.
    pub name: Cow<'s, str>,
    /// Where the name is.
    pub name_at: Span,
    /// Where the value is. A table that is no value of its own, but what headers or dotted names
    /// lead to, is where it is first named.
    pub at: Span,
    /// What it is.
    pub kind: Kind<'s>,
    /// Whether a table takes in the entries of this one (`<<`).
    pub merges: bool,
    next: Option<NodeId>,
}

/// What a node is.
#[derive(Clone, Debug)]
pub enum Kind<'s> {
    /// Nothing was written where a value could be (YAML).
    LeftOut,
    /// A null that is written.
    Null,
    /// True or false.
    Boolean(bool),
    /// A whole number.
    Integer(i64),
    /// Any other number.
    Number(f64),
    /// A text.
    Text(Cow<'s, str>),
    /// Items.
    List(Children),
    /// Entries.
    Table(Children),
    /// The value of another node, through the anchor of this number.
    Alias(NodeId, usize),
    /// A value that cannot be known from the file: why, as a clause.
    Unread(Arc<str>),
    /// The value that the process variable of the same name has.
    OfProcess,
}

/// The children of a list or table, each linked to the next.
#[derive(Clone, Copy, Debug, Default)]
pub struct Children {
    ends: Option<(NodeId, NodeId)>,
    pub(crate) count: u32,
}

impl Children {
    /// Whether there are none.
    pub fn is_empty(self) -> bool {
        self.ends.is_none()
    }
}

/// # Building
impl<'s> Tree<'s> {
    /// A tree whose root is an empty table, for a text of so many bytes.
    pub fn for_text(bytes: usize) -> Tree<'s> {
        // A line of a settings file is longer than this; growing would copy all that there is.
        const BYTES_PER_NODE: usize = 24;
        let nodes = Vec::with_capacity(bytes / BYTES_PER_NODE + 1);
        let mut tree = Tree {
            nodes,
            named: 0,
            anchors: Vec::new(),
            literal_dollars: Vec::new(),
            has_merges: false,
            has_unique_names: false,
            tolerated: Vec::new(),
            repeats: false,
            is_shell: false,
            passed_over: 0,
            yielding: Vec::new(),
            documents: Vec::new(),
            lookalikes: Vec::new(),
            bases: Vec::new(),
        };
        tree.push(Node::new(Span::default(), Kind::Table(Children::default())));
        tree
    }

    /// One to which nobody adds two entries of one name, so that nobody looks for them.
    pub fn with_unique_names(self) -> Tree<'s> {
        Tree { has_unique_names: true, ..self }
    }

    /// The table that all others are in.
    pub const ROOT: NodeId = NodeId(NonZeroU32::MIN);

    /// How many nodes are entries of tables.
    pub fn count_named(&self) -> usize {
        self.named
    }

    /// Adds a node that is nobody's child yet.
    pub fn push(&mut self, node: Node<'s>) -> NodeId {
        let id = NodeId::at(self.nodes.len());
        self.named += usize::from(node.name_at.end > 0);
        self.nodes.push(node);
        id
    }

    /// Adds a node as the last child of a list or table.
    pub fn push_child(&mut self, parent: NodeId, node: Node<'s>) -> NodeId {
        let id = self.push(node);
        self.adopt(parent, id);
        id
    }

    /// A node.
    pub fn node(&self, id: NodeId) -> &Node<'s> {
        &self.nodes[id.index()]
    }

    /// A node, to be changed.
    pub fn node_mut(&mut self, id: NodeId) -> &mut Node<'s> {
        &mut self.nodes[id.index()]
    }

    /// The nodes below a list or a table, in the order of the text.
    pub fn children(&self, children: Children) -> impl Iterator<Item = NodeId> + '_ {
        let mut at = children.ends.map(|(first, _)| first);
        std::iter::from_fn(move || {
            let here = at?;
            at = self.node(here).next;
            Some(here)
        })
    }

    /// The last of them.
    pub fn last_child(&self, children: Children) -> Option<NodeId> {
        children.ends.map(|(_, last)| last)
    }

    /// The entries of a table; none of anything else.
    pub fn entries(&self, table: NodeId) -> impl Iterator<Item = NodeId> + '_ {
        self.children(self.children_of(table))
    }

    /// Every node, parents before children.
    pub(crate) fn ids(&self) -> impl Iterator<Item = NodeId> + use<> {
        (0..self.nodes.len()).map(NodeId::at)
    }

    /// How many nodes there are.
    pub(crate) fn len(&self) -> usize {
        self.nodes.len()
    }

    /// The root of a document, and before it those that it is built on.
    pub(crate) fn with_bases(&self, root: NodeId) -> Vec<NodeId> {
        let mut roots = vec![root];
        // Every base comes before what is built on it, so that this ends.
        while let Some((_, base)) = self.bases.iter().find(|(root, _)| roots.last() == Some(root)) {
            roots.push(*base);
        }
        roots.reverse();
        roots
    }

    /// The node itself, or what it is an alias of at last.
    pub(crate) fn followed(&self, id: NodeId) -> NodeId {
        let mut at = id;
        // Aliases only ever point to nodes that are complete before them, so this ends.
        while let Kind::Alias(target, _) = self.node(at).kind {
            at = target;
        }
        at
    }

    /// The entries of a table by name: its own, then those that it merges and has not itself.
    pub(crate) fn members(&self, table: NodeId) -> Vec<(&str, NodeId)> {
        let mut members: Vec<(&str, NodeId)> = Vec::new();
        let (mut tables, mut seen) = (vec![self.followed(table)], HashSet::new());
        let mut names: HashSet<&str> = HashSet::new();
        while let Some(table) = tables.pop() {
            if !seen.insert(table) {
                continue;
            }
            // Pushed from the last to the first, so that the first is taken first.
            let mut merged = Vec::new();
            for id in self.entries(table) {
                let node = self.node(id);
                if !node.merges {
                    let is_own = seen.len() == 1;
                    if !self.has_merges || names.insert(&node.name) || is_own {
                        members.push((&node.name, id));
                    }
                    continue;
                }
                let target = self.followed(id);
                match self.node(target).kind {
                    Kind::List(items) => {
                        merged.extend(self.children(items).map(|it| self.followed(it)))
                    }
                    _ => merged.push(target),
                }
            }
            tables.extend(merged.into_iter().rev());
        }
        members
    }

    /// Makes a node the last child of a list or table.
    pub(crate) fn adopt(&mut self, parent: NodeId, id: NodeId) {
        if let Kind::List(children) | Kind::Table(children) = &mut self.nodes[parent.index()].kind {
            let before = children.ends;
            children.ends = Some((before.map_or(id, |(first, _)| first), id));
            children.count += 1;
            if let Some((_, last)) = before {
                self.nodes[last.index()].next = Some(id);
            }
        }
    }

    /// What is in a table or a list.
    pub(crate) fn inside(&self, id: NodeId) -> impl Iterator<Item = NodeId> + '_ {
        self.children(match &self.node(id).kind {
            Kind::Table(children) | Kind::List(children) => *children,
            _ => Children::default(),
        })
    }

    pub(crate) fn children_of(&self, table: NodeId) -> Children {
        match &self.node(table).kind {
            Kind::Table(children) => *children,
            _ => Children::default(),
        }
    }
}

impl<'s> Node<'s> {
    /// A node without a name, as an item of a list.
    pub fn new(at: Span, kind: Kind<'s>) -> Node<'s> {
        Node { name: Cow::Borrowed(""), name_at: at, at, kind, merges: false, next: None }
    }

    /// A node with a name, as an entry of a table.
    pub fn named(name: Cow<'s, str>, name_at: Span, at: Span, kind: Kind<'s>) -> Node<'s> {
        Node { name, name_at, at, kind, merges: false, next: None }
    }
}
