//! How a tree becomes a document.

use crate::Limits;
use crate::fault::{Fault, too_deep};
use crate::tree::{Kind, Node, NodeId, Tree};
use hashbrown::HashMap;
use justwhy_core::{Document, Element, Entry, KeyId, Keys, Leaf, Note, Span, Value};
use std::sync::Arc;

/// Turns a tree, or a table in it, into a document: tables lead to keys, everything else is a leaf.
/// Aliases and merges are followed, and counted against the limits as if they were written out.
pub struct Lowering<'t, 's, 'k> {
    tree: &'t Tree<'s>,
    keys: &'k mut Keys,
    limits: Limits,
    nodes: usize,
    text_bytes: u64,
    document: Document,
    /// The items of lists that are being read.
    items: Vec<Element>,
    /// What separates the segments of a key within a name.
    dotted: Option<&'t str>,
    /// Whether a list is a branch with the keys `0`, `1`, ….
    numbered: bool,
    /// Whether a name may be there several times: the later one is stronger.
    repeats: bool,
    /// Why a value in what is being read cannot be known.
    unread: Option<Arc<str>>,
    /// Lists and maps that aliases stand for, built once and shared, with what they count.
    shared: HashMap<NodeId, Counted>,
}

/// What an alias stands for, with the nodes and bytes that it counts, and why it cannot be known.
type Counted = (Value, usize, u64, Option<Arc<str>>);

/// An entry of a table, after merges.
struct Member {
    node: NodeId,
    /// The anchor through which it came.
    through: Option<usize>,
}

impl<'t, 's, 'k> Lowering<'t, 's, 'k> {
    /// Of a tree; its names become keys of `keys`.
    pub fn new(tree: &'t Tree<'s>, keys: &'k mut Keys, limits: Limits) -> Self {
        Lowering {
            tree,
            keys,
            limits,
            nodes: 0,
            text_bytes: 0,
            document: Document::default(),
            items: Vec::new(),
            dotted: None,
            numbered: false,
            repeats: tree.repeats,
            unread: None,
            shared: HashMap::new(),
        }
    }

    /// With names in which `separator` is between the segments of a key.
    #[must_use]
    pub(crate) fn dotted(self, separator: Option<&'t str>) -> Self {
        Lowering { dotted: separator, ..self }
    }

    /// With lists that are branches.
    #[must_use]
    pub(crate) fn numbered(self, numbered: bool) -> Self {
        Lowering { numbered, ..self }
    }

    /// With names that may be there several times.
    #[must_use]
    pub(crate) fn repeating(self, repeats: bool) -> Self {
        Lowering { repeats: repeats || self.repeats, ..self }
    }

    /// Lowers `table`, which must be a table.
    pub fn lower(mut self, table: NodeId) -> Result<Document, Fault> {
        if table == Tree::ROOT {
            self.document.leaves.reserve(self.tree.count_named());
        }
        if !self.tree.anchors.is_empty() {
            self.refuse_bombs(table)?;
        }
        self.table(table, KeyId::ROOT, 1, None)?;
        let tolerated = self.tree.tolerated.iter().map(|(at, what)| (*at, what.as_str().into()));
        self.document.tolerated = tolerated.collect();
        self.document.is_shell = self.tree.is_shell;
        self.document.passed_over = self.tree.passed_over;
        if self.dotted.is_some() || self.numbered {
            self.refuse_overlaps()?;
        }
        Ok(self.document)
    }

    /// Refuses what its aliases make too large before any of that is written out.
    fn refuse_bombs(&self, table: NodeId) -> Result<(), Fault> {
        let (mut known, mut nodes) = (HashMap::new(), 1_u64);
        for id in self.tree.entries(table).filter(|id| !self.tree.node(*id).merges) {
            nodes = nodes.saturating_add(self.weight(id, 1, &mut known));
            if nodes > self.limits.nodes as u64 {
                let (at, limit) = (self.tree.node(id).at, self.limits.nodes as u64);
                return Err(Fault::past_limit(at, "nodes", limit, "values, tables and lists"));
            }
        }
        Ok(())
    }

    /// How many nodes one stands for at least, as if aliases were written out. What is merged may be there
    /// already, and counts for nothing here.
    fn weight(&self, id: NodeId, depth: usize, known: &mut HashMap<NodeId, u64>) -> u64 {
        let (target, _) = self.follow(id, None);
        if depth > self.limits.depth {
            return 1;
        }
        if let Some(weight) = known.get(&target) {
            return *weight;
        }
        let children = match self.tree.node(target).kind {
            Kind::Table(children) | Kind::List(children) => children,
            _ => return 1,
        };
        let mut weight: u64 = 1;
        for child in self.tree.children(children).filter(|it| !self.tree.node(*it).merges) {
            weight = weight.saturating_add(self.weight(child, depth + 1, known));
        }
        if target != id {
            known.insert(target, weight);
        }
        weight
    }

    /// The value of a node; a table is a map.
    pub fn lower_value(mut self, node: NodeId) -> Result<Value, Fault> {
        self.value(node, 1)
    }

    fn table(
        &mut self,
        table: NodeId,
        key: KeyId,
        depth: usize,
        through: Option<usize>,
    ) -> Result<(), Fault> {
        self.enter(table, depth)?;
        let tree = self.tree;
        if key != KeyId::ROOT {
            self.document.tables.push((key, tree.node(table).at));
        }
        if let (Kind::List(items), true) = (&tree.node(table).kind, self.numbered) {
            let items: Vec<NodeId> = tree.children(*items).collect();
            return items.into_iter().enumerate().try_for_each(|(number, id)| {
                let child = self.keys.child(key, &number.to_string());
                self.member(Member { node: id, through }, child, depth)
            });
        }
        let children = tree.children_of(table);
        if tree.has_merges {
            let members = self.members(table, depth, through)?;
            if members.is_empty() && key != KeyId::ROOT {
                self.document.empty_tables.push((key, tree.node(table).at));
            }
            return members.into_iter().try_for_each(|member| {
                let child = self.key_of(key, &tree.node(member.node).name);
                self.member(member, child, depth)
            });
        }
        if children.is_empty() && key != KeyId::ROOT {
            self.document.empty_tables.push((key, tree.node(table).at));
        }
        let mut seen: Option<NamesSeen<'_>> = None;
        for id in tree.children(children) {
            let node = tree.node(id);
            let known = self.keys.count();
            let child = self.key_of(key, &node.name);
            // Who makes a key known is the first of that name.
            if child.index() < known && !tree.has_unique_names && !self.repeats && seen.is_none() {
                let mut before = NamesSeen::new(children.count as usize);
                let others = tree.children(children).take_while(|other| *other != id);
                others.map(|other| tree.node(other)).try_for_each(|it| before.insert_new(it))?;
                seen = Some(before);
            }
            if let Some(seen) = &mut seen {
                seen.insert_new(node)?;
            }
            self.member(Member { node: id, through }, child, depth)?;
        }
        Ok(())
    }

    /// The key of a name below another key.
    fn key_of(&mut self, above: KeyId, name: &str) -> KeyId {
        let Some(separator) = self.dotted else { return self.keys.child(above, name) };
        let mut key = above;
        for segment in name.split(separator) {
            let (first, mut rest) = match segment.find('[') {
                Some(at) if self.numbered => segment.split_at(at),
                _ => (segment, ""),
            };
            if !first.is_empty() || rest.is_empty() {
                key = self.keys.child(key, first);
            }
            // `a[0][1]`, as some programs write the items of lists.
            while let Some((number, more)) =
                rest.strip_prefix('[').and_then(|it| it.split_once(']'))
            {
                key = self.keys.child(key, number);
                rest = more;
            }
            if !rest.is_empty() {
                key = self.keys.child(key, rest);
            }
        }
        key
    }

    /// Refuses a key that is there twice, or is both a value and a table, now that names are paths.
    fn refuse_overlaps(&self) -> Result<(), Fault> {
        let place = |leaf: &Leaf| leaf.name_at.or(leaf.at).unwrap_or_default();
        let mut leaves: HashMap<KeyId, Span> = HashMap::new();
        for leaf in &self.document.leaves {
            if let Some(first) = leaves.insert(leaf.name, place(leaf)).filter(|_| !self.repeats) {
                return Err(Fault::repeated(place(leaf), first));
            }
        }
        for leaf in &self.document.leaves {
            for above in self.keys.above(leaf.name) {
                if let Some(first) = leaves.get(&above) {
                    let fault = Fault::new(place(leaf), "a key is both a value and a table");
                    let fault = fault.also("first at", *first);
                    return Err(fault.help("give one of the two another name"));
                }
            }
        }
        Ok(())
    }

    /// Lowers an entry of a table, which has the key `child`.
    fn member(&mut self, member: Member, child: KeyId, depth: usize) -> Result<(), Fault> {
        let (target, through) = self.follow(member.node, member.through);
        let target_node = self.tree.node(target);
        match &target_node.kind {
            Kind::Table(_) => self.table(target, child, depth + 1, through)?,
            Kind::List(_) if self.numbered => self.table(target, child, depth + 1, through)?,
            Kind::LeftOut => self.document.left_out.push((child, target_node.at)),
            _ => {
                let mut value = self.value(target, depth + 1)?;
                if let Some(reason) = self.unread.take() {
                    // Nobody knows the whole if a part of it is not known.
                    value = Value::Unread;
                    let note = Note { unreadable: Some(reason), ..Note::default() };
                    self.document.notes.push((self.document.leaves.len(), Arc::new(note)));
                }
                if self.tree.yielding.binary_search(&member.node).is_ok() {
                    self.document.yielding.push(self.document.leaves.len());
                }
                if matches!(target_node.kind, Kind::OfProcess) {
                    self.document.of_process.push(self.document.leaves.len());
                }
                if let Some(anchor) = through {
                    let name = Arc::clone(&self.tree.anchors[anchor]);
                    self.document.through.push((self.document.leaves.len(), name));
                }
                let literal = &self.tree.literal_dollars;
                if let Ok(found) = literal.binary_search_by_key(&target, |(node, _)| *node) {
                    let dollars = Arc::clone(&literal[found].1);
                    self.document.literal_dollars.push((self.document.leaves.len(), dollars));
                }
                let at = Some(target_node.at);
                let name_at = Some(self.tree.node(member.node).name_at);
                self.document.leaves.push(Leaf { name: child, value, at, name_at });
            }
        }
        Ok(())
    }

    /// The entries of a table: its own, then those that it merges and has not itself, earlier
    /// merges first.
    fn members(
        &mut self,
        table: NodeId,
        depth: usize,
        through: Option<usize>,
    ) -> Result<Vec<Member>, Fault> {
        let count = self.tree.children_of(table).count as usize;
        let mut members: Vec<Member> = Vec::with_capacity(count);
        let mut merges = Vec::new();
        let mut seen = NamesSeen::new(count);
        let mut merged_at = None;
        for id in self.tree.entries(table) {
            let node = self.tree.node(id);
            if node.merges {
                if let Some(first) = merged_at.replace(node.name_at) {
                    return Err(Fault::repeated(node.name_at, first));
                }
                merges.push(id);
            } else {
                seen.insert_new(node)?;
                members.push(Member { node: id, through });
            }
        }
        for merge in merges {
            let (target, anchor) = self.follow(merge, through);
            let sources = match &self.tree.node(target).kind {
                Kind::List(children) => self.tree.children(*children).collect(),
                _ => vec![target],
            };
            for source in sources {
                let (source, anchor) = self.follow(source, anchor);
                if !matches!(self.tree.node(source).kind, Kind::Table(_)) {
                    let at = self.tree.node(merge).name_at;
                    return Err(Fault::new(at, "`<<` can only merge tables")
                        .help("write the alias of a table, or a list of such aliases"));
                }
                self.enter(source, depth + 1)?;
                for member in self.members(source, depth + 1, anchor)? {
                    let node = self.tree.node(member.node);
                    if seen.insert(&node.name, node.name_at).is_none() {
                        members.push(member);
                    }
                }
            }
        }
        Ok(members)
    }

    /// The node that an alias stands for at last, and the anchor through which it was reached.
    fn follow(&self, id: NodeId, through: Option<usize>) -> (NodeId, Option<usize>) {
        let mut at = (id, through);
        // Aliases only ever point to nodes that are complete before them, so this ends.
        while let Kind::Alias(target, anchor) = self.tree.node(at.0).kind {
            at = (target, Some(anchor));
        }
        at
    }

    fn value(&mut self, id: NodeId, depth: usize) -> Result<Value, Fault> {
        let tree = self.tree;
        let node = tree.node(id);
        let value = match &node.kind {
            Kind::LeftOut | Kind::Null | Kind::OfProcess => Value::Null,
            Kind::Unread(reason) => {
                self.unread.get_or_insert_with(|| Arc::clone(reason));
                Value::Null
            }
            Kind::Boolean(value) => Value::Boolean(*value),
            Kind::Integer(value) => Value::Integer(*value),
            Kind::Number(value) => Value::Number(*value),
            Kind::Text(text) => {
                self.count_text(node.at, text.len())?;
                Value::Text(text.as_ref().into())
            }
            Kind::List(children) => {
                self.enter(id, depth)?;
                let first = self.items.len();
                for item in tree.children(*children) {
                    let item = self.element(item, depth)?;
                    self.items.push(item);
                }
                return Ok(Value::List(self.items.drain(first..).collect()));
            }
            Kind::Table(_) => {
                self.enter(id, depth)?;
                let mut entries = Vec::new();
                for member in self.members(id, depth, None)? {
                    let name = tree.node(member.node).name.as_ref().into();
                    let Element { value, at } = self.element(member.node, depth)?;
                    entries.push(Entry { name, value, at });
                }
                return Ok(Value::Map(entries.into()));
            }
            Kind::Alias(target, _) => return self.aliased(*target, depth),
        };
        self.count(node.at, 1)?;
        if let Ok(found) = tree.lookalikes.binary_search_by_key(&id, |(node, _)| *node) {
            let other = tree.lookalikes[found].1;
            self.document.lookalikes.push((self.document.leaves.len(), node.at, other));
        }
        Ok(value)
    }

    fn element(&mut self, id: NodeId, depth: usize) -> Result<Element, Fault> {
        let (target, _) = self.follow(id, None);
        let at = self.tree.node(target).at;
        let value = if target == id {
            self.value(id, depth + 1)?
        } else {
            self.aliased(target, depth + 1)?
        };
        Ok(Element { value, at })
    }

    fn aliased(&mut self, target: NodeId, depth: usize) -> Result<Value, Fault> {
        if let Some((value, nodes, bytes, unread)) = self.shared.get(&target) {
            let (value, nodes, bytes) = (value.clone(), *nodes, *bytes);
            self.unread = self.unread.take().or_else(|| unread.clone());
            let at = self.tree.node(target).at;
            self.count(at, nodes)?;
            self.count_text_bytes(at, bytes)?;
            return Ok(value);
        }
        let before = (self.nodes, self.text_bytes, self.unread.take());
        let value = self.value(target, depth)?;
        let (nodes, bytes) = (self.nodes - before.0, self.text_bytes - before.1);
        let counted = (value.clone(), nodes, bytes, self.unread.clone());
        self.unread = before.2.or(self.unread.take());
        self.shared.insert(target, counted);
        Ok(value)
    }

    fn enter(&mut self, id: NodeId, depth: usize) -> Result<(), Fault> {
        let at = self.tree.node(id).at;
        if depth > self.limits.depth {
            return Err(too_deep(at, self.limits));
        }
        self.count(at, 1)
    }

    fn count(&mut self, at: Span, nodes: usize) -> Result<(), Fault> {
        self.nodes = self.nodes.saturating_add(nodes);
        if self.nodes > self.limits.nodes {
            let limit = self.limits.nodes as u64;
            return Err(Fault::past_limit(at, "nodes", limit, "values, tables and lists"));
        }
        Ok(())
    }

    fn count_text(&mut self, at: Span, bytes: usize) -> Result<(), Fault> {
        self.count_text_bytes(at, bytes as u64)
    }

    fn count_text_bytes(&mut self, at: Span, bytes: u64) -> Result<(), Fault> {
        self.text_bytes = self.text_bytes.saturating_add(bytes);
        if self.text_bytes > self.limits.file_bytes {
            let limit = self.limits.file_bytes;
            return Err(Fault::past_limit(at, "file_bytes", limit, "bytes, with aliases,"));
        }
        Ok(())
    }
}

/// The names of a table so far. Most tables are small, and comparing a few names is cheaper than
/// hashing them.
struct NamesSeen<'t> {
    few: Vec<(&'t str, Span)>,
    many: HashMap<&'t str, Span>,
}

impl<'t> NamesSeen<'t> {
    const FEW: usize = 12;

    /// For a table of about so many names.
    fn new(count: usize) -> NamesSeen<'t> {
        NamesSeen { few: Vec::with_capacity(count.min(Self::FEW)), many: HashMap::new() }
    }

    /// Adds the name of an entry; that it was there before is a fault.
    fn insert_new(&mut self, node: &'t Node<'_>) -> Result<(), Fault> {
        match self.insert(&node.name, node.name_at) {
            Some(first) => Err(Fault::repeated(node.name_at, first)),
            None => Ok(()),
        }
    }

    /// Adds a name; gives its first place if it was there before.
    fn insert(&mut self, name: &'t str, at: Span) -> Option<Span> {
        if self.many.is_empty() {
            // Names of one table often differ only at their ends.
            let last = |name: &str| (name.len(), name.as_bytes().last().copied());
            let ends = last(name);
            let same = |other: &str| last(other) == ends && other == name;
            if let Some((_, first)) = self.few.iter().find(|(other, _)| same(other)) {
                return Some(*first);
            }
            self.few.push((name, at));
            if self.few.len() > Self::FEW {
                self.many.extend(self.few.drain(..));
            }
            return None;
        }
        match self.many.entry(name) {
            hashbrown::hash_map::Entry::Occupied(entry) => Some(*entry.get()),
            hashbrown::hash_map::Entry::Vacant(entry) => {
                entry.insert(at);
                None
            }
        }
    }
}
