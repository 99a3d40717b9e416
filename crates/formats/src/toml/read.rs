//! TOML 1.0 (and of 1.1 what the parser knows).
//!
//! `toml_parser` gives events; which tables a header or a dotted key may open is decided here, so
//! that a repeated key can be shown with both of its places and the order of the file is kept.

use crate::Limits;
use crate::fault::{Fault, Faults, integer_too_large, number_too_large, too_deep};
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use hashbrown::{DefaultHashBuilder, HashTable};
use justwhy_core::Span;
use std::borrow::Cow;
use std::hash::BuildHasher as _;
use std::num::{IntErrorKind, ParseIntError};
use toml_parser::decoder::{Encoding, ScalarKind};
use toml_parser::parser::{EventReceiver, ValidateWhitespace};
use toml_parser::{ErrorSink, Expected, ParseError, Raw, Source};

pub(crate) fn read<'t>(text: &'t str, limits: Limits, faults: &mut Faults) -> Tree<'t> {
    if text.starts_with('\u{feff}') {
        // The one that a file may begin with is gone already, and the parser would take another.
        let fault = Fault::new(Span::new(0, 3), "a second byte order mark");
        faults.note(fault.help("remove it"));
        return Tree::for_text(0);
    }
    let source = Source::new(text);
    let tokens = source.lex().into_vec();
    let mut builder = Builder::new(source, limits);
    let mut errors: Vec<ParseError> = Vec::new();
    let mut receiver = ValidateWhitespace::new(&mut builder, source);
    toml_parser::parser::parse_document(&tokens, &mut receiver, &mut errors);
    builder.faults.into_iter().for_each(|fault| faults.note(fault));
    errors.iter().for_each(|error| faults.note(syntax_fault(error, text.len())));
    builder.tree
}

/// Of a settings file; with fewer the index grows, with more it has some room left.
const BYTES_PER_ENTRY: usize = 32;

/// How a node came to be, which decides who may still add to it.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Origin {
    /// A value, a list in brackets or an inline table: complete where it is.
    Value,
    /// A table that a header below it implies: its own header may still come.
    Implied,
    /// A table with a header of its own.
    Header,
    /// A table that a dotted key opened: other dotted keys and headers below it may add to it.
    Dotted,
    /// A list of tables with `[[…]]` headers.
    Tables,
}

/// The segments of a key, and where they are.
type Path<'s> = Vec<(Cow<'s, str>, Span)>;

struct Builder<'s> {
    source: Source<'s>,
    limits: Limits,
    tree: Tree<'s>,
    origins: Vec<Origin>,
    parents: Vec<NodeId>,
    index: HashTable<NodeId>,
    hasher: DefaultHashBuilder,
    /// The key that is being read.
    path: Path<'s>,
    /// Where the header that is being read begins, and whether it is a `[[`.
    header: Option<(Span, bool)>,
    /// The table that plain keys belong to.
    current: NodeId,
    /// Lists and inline tables that are open.
    open: Vec<NodeId>,
    /// The node whose value comes next, if it is an entry of a table.
    slot: Option<NodeId>,
    /// How many brackets are open, refused ones included.
    depth: usize,
    faults: Vec<Fault>,
    /// Whether something on this line could not be read, so that the rest of it means nothing.
    is_lost: bool,
    /// Whether the same is so of everything up to the next header.
    skips: bool,
}

impl<'s> Builder<'s> {
    fn new(source: Source<'s>, limits: Limits) -> Builder<'s> {
        Builder {
            source,
            limits,
            // What is already there under a name is found before anything is added.
            tree: Tree::for_text(source.input().len()).with_unique_names(),
            origins: vec![Origin::Header],
            parents: vec![Tree::ROOT],
            index: HashTable::with_capacity(source.input().len() / BYTES_PER_ENTRY),
            hasher: DefaultHashBuilder::default(),
            path: Vec::new(),
            header: None,
            current: Tree::ROOT,
            open: Vec::new(),
            slot: None,
            depth: 0,
            faults: Vec::new(),
            is_lost: false,
            skips: false,
        }
    }

    fn fail(&mut self, fault: Fault) {
        if !self.is_lost {
            self.faults.push(fault);
        }
        self.is_lost = true;
    }

    fn hash(&self, parent: NodeId, name: &str) -> u64 {
        self.hasher.hash_one((parent, name))
    }

    fn find(&self, parent: NodeId, name: &str) -> Option<NodeId> {
        let same = |id: &NodeId| {
            self.parents[id.index()] == parent && self.tree.node(*id).name.as_ref() == name
        };
        self.index.find(self.hash(parent, name), same).copied()
    }

    fn add(&mut self, parent: NodeId, node: Node<'s>, origin: Origin) -> NodeId {
        let is_entry = matches!(self.tree.node(parent).kind, Kind::Table(_));
        let hash = self.hash(parent, &node.name);
        let id = self.tree.push_child(parent, node);
        self.origins.push(origin);
        self.parents.push(parent);
        if is_entry {
            let Builder { index, tree, parents, hasher, .. } = self;
            index.insert_unique(hash, id, |id| {
                hasher.hash_one((parents[id.index()], tree.node(*id).name.as_ref()))
            });
        }
        id
    }

    fn add_table(&mut self, parent: NodeId, key: (Cow<'s, str>, Span), origin: Origin) -> NodeId {
        let (name, at) = key;
        let node = Node::named(name, at, at, Kind::Table(Children::default()));
        self.add(parent, node, origin)
    }

    /// The table to which the next step of a header goes: into a list of tables, its last one.
    fn inside(&self, id: NodeId) -> Option<NodeId> {
        match (&self.tree.node(id).kind, self.origins[id.index()]) {
            (Kind::List(tables), Origin::Tables) => self.tree.last_child(*tables),
            (Kind::Table(_), Origin::Implied | Origin::Header | Origin::Dotted) => Some(id),
            _ => None,
        }
    }

    /// A key that is in the way of `name_at`.
    fn clash(&mut self, name_at: Span, existing: NodeId) {
        let existing = self.tree.node(existing);
        let is_table = matches!(existing.kind, Kind::Table(_));
        let first = existing.name_at;
        let fault = if is_table {
            let what = "duplicate table";
            Fault::new(name_at, what).also("first at", first).help("join the two")
        } else {
            Fault::repeated(name_at, first)
        };
        self.fail(fault);
    }

    fn not_a_table(&mut self, name_at: Span, existing: NodeId) {
        let existing = self.tree.node(existing);
        let first = existing.name_at;
        if matches!(existing.kind, Kind::Table(_)) {
            let what = "a table in braces cannot be extended";
            let fault = Fault::new(name_at, what).also("it is at", first);
            return self.fail(fault.help("write the key into the braces"));
        }
        let what = "a key is both a value and a table";
        self.fail(Fault::new(name_at, what).also("it is a value at", first));
    }

    fn open_header(&mut self, at: Span, is_list: bool) {
        let mut path = std::mem::take(&mut self.path);
        self.open_header_of(&mut path, at, is_list);
        self.path = path;
    }

    fn open_header_of(&mut self, path: &mut Path<'s>, at: Span, is_list: bool) {
        let Some(last) = path.pop() else { return };
        let mut table = Tree::ROOT;
        for key in path.drain(..) {
            table = match self.find(table, &key.0) {
                None => self.add_table(table, key, Origin::Implied),
                Some(existing) => match self.inside(existing) {
                    Some(inside) => inside,
                    None => return self.not_a_table(key.1, existing),
                },
            };
        }
        let existing = self.find(table, &last.0);
        let origin = existing.map(|id| self.origins[id.index()]);
        self.current = match (existing, origin, is_list) {
            (None, _, false) => {
                let id = self.add_table(table, last, Origin::Header);
                self.tree.node_mut(id).at = at;
                id
            }
            (Some(id), Some(Origin::Implied), false) => {
                self.origins[id.index()] = Origin::Header;
                let node = self.tree.node_mut(id);
                (node.name_at, node.at) = (last.1, at);
                id
            }
            (None, _, true) => {
                let node = Node::named(last.0, last.1, at, Kind::List(Children::default()));
                let list = self.add(table, node, Origin::Tables);
                self.add_item_table(list, at)
            }
            (Some(list), Some(Origin::Tables), true) => self.add_item_table(list, at),
            (Some(existing), Some(Origin::Value), _)
                if !matches!(self.tree.node(existing).kind, Kind::Table(_)) =>
            {
                return self.not_a_table(last.1, existing);
            }
            (Some(existing), ..) => return self.clash(last.1, existing),
        };
    }

    fn add_item_table(&mut self, list: NodeId, at: Span) -> NodeId {
        self.add(list, Node::new(at, Kind::Table(Children::default())), Origin::Header)
    }

    /// Makes the entry for the key just read and leaves it in `slot`.
    fn open_entry(&mut self) {
        let mut path = std::mem::take(&mut self.path);
        self.open_entry_of(&mut path);
        self.path = path;
    }

    fn open_entry_of(&mut self, path: &mut Path<'s>) {
        let Some((name, name_at)) = path.pop() else {
            return;
        };
        let mut table = self.open.last().copied().unwrap_or(self.current);
        for key in path.drain(..) {
            table = match self.find(table, &key.0) {
                None => self.add_table(table, key, Origin::Dotted),
                Some(existing) => match self.origins[existing.index()] {
                    Origin::Dotted => existing,
                    Origin::Implied => {
                        // A header of its own may come no more.
                        self.origins[existing.index()] = Origin::Dotted;
                        existing
                    }
                    Origin::Header => return self.clash(key.1, existing),
                    Origin::Value | Origin::Tables => {
                        return self.not_a_table(key.1, existing);
                    }
                },
            };
        }
        if let Some(existing) = self.find(table, &name) {
            let first = self.tree.node(existing).name_at;
            return self.fail(Fault::repeated(name_at, first));
        }
        let node = Node::named(name, name_at, name_at, Kind::Null);
        self.slot = Some(self.add(table, node, Origin::Value));
    }

    /// Puts a value where it belongs: into the entry that waits for it, or at the end of the
    /// innermost list.
    fn put(&mut self, at: Span, kind: Kind<'s>) -> Option<NodeId> {
        if let Some(id) = self.slot.take() {
            let node = self.tree.node_mut(id);
            node.at = at;
            node.kind = kind;
            return Some(id);
        }
        let list = self.open.last().copied()?;
        matches!(self.tree.node(list).kind, Kind::List(_))
            .then(|| self.add(list, Node::new(at, kind), Origin::Value))
    }

    fn open_value(&mut self, at: Span, kind: Kind<'s>) -> bool {
        self.depth += 1;
        if self.depth >= self.limits.depth {
            self.fail(too_deep(at, self.limits));
        }
        if self.is_lost {
            return false;
        }
        let opened = self.put(at, kind);
        self.open.extend(opened);
        opened.is_some()
    }

    fn close_value(&mut self, at: Span) {
        self.depth = self.depth.saturating_sub(1);
        if !self.is_lost
            && let Some(closed) = self.open.pop()
        {
            self.tree.node_mut(closed).at.end = at.end;
        }
    }

    fn raw(&self, span: toml_parser::Span, kind: Option<Encoding>) -> Raw<'s> {
        let text = self.source.input().get(span.start()..span.end()).unwrap_or_default();
        Raw::new_unchecked(text, kind, span)
    }

    fn scalar_kind(&mut self, raw: Raw<'s>, at: Span, error: &mut dyn ErrorSink) -> Kind<'s> {
        let mut text = Cow::Borrowed("");
        let written = raw.as_str();
        // What the parser calls no number is not one that is too large.
        let mut is_told = false;
        let mut report = |fault| {
            is_told = true;
            error.report_error(fault);
        };
        let fault = match raw.decode_scalar(&mut text, &mut report) {
            ScalarKind::String => return Kind::Text(text),
            ScalarKind::Boolean(value) => return Kind::Boolean(value),
            ScalarKind::DateTime => match text.parse::<toml_datetime::Datetime>() {
                Ok(_) => return Kind::Text(Cow::Borrowed(written)),
                Err(_) => Fault::new(at, "invalid date or time"),
            },
            ScalarKind::Integer(radix) => match i64::from_str_radix(&text, radix.value()) {
                Ok(value) => return Kind::Integer(value),
                Err(error) if is_overflow(&error) => integer_too_large(at),
                Err(_) => Fault::new(at, "invalid number"),
            },
            ScalarKind::Float => match text.parse::<f64>() {
                Ok(value) if !value.is_infinite() || text.contains("inf") => {
                    return Kind::Number(value);
                }
                Ok(_) => number_too_large(at),
                Err(_) => Fault::new(at, "invalid number"),
            },
        };
        match is_told {
            true => self.is_lost = true,
            false => self.fail(fault),
        }
        Kind::Null
    }
}

fn is_overflow(error: &ParseIntError) -> bool {
    matches!(error.kind(), IntErrorKind::PosOverflow | IntErrorKind::NegOverflow)
}

fn span(span: toml_parser::Span) -> Span {
    Span::new(span.start(), span.end())
}

impl EventReceiver for Builder<'_> {
    fn newline(&mut self, _: toml_parser::Span, _: &mut dyn ErrorSink) {
        if self.depth == 0 && self.is_lost {
            self.is_lost = self.skips;
            self.path.clear();
            self.open.clear();
            self.slot = None;
        }
    }

    fn std_table_open(&mut self, at: toml_parser::Span, _: &mut dyn ErrorSink) {
        self.is_lost = false;
        self.path.clear();
        self.header = Some((span(at), false));
    }

    fn array_table_open(&mut self, at: toml_parser::Span, _: &mut dyn ErrorSink) {
        self.is_lost = false;
        self.path.clear();
        self.header = Some((span(at), true));
    }

    fn std_table_close(&mut self, _: toml_parser::Span, _: &mut dyn ErrorSink) {
        if let Some((at, is_list)) = self.header.take().filter(|_| !self.is_lost) {
            self.open_header(at, is_list);
            self.skips = self.is_lost;
        }
    }

    fn array_table_close(&mut self, at: toml_parser::Span, error: &mut dyn ErrorSink) {
        self.std_table_close(at, error);
    }

    fn simple_key(
        &mut self,
        at: toml_parser::Span,
        kind: Option<Encoding>,
        error: &mut dyn ErrorSink,
    ) {
        if self.is_lost {
            return;
        }
        let mut name = Cow::Borrowed("");
        self.raw(at, kind).decode_key(&mut name, error);
        self.path.push((name, span(at)));
    }

    fn key_val_sep(&mut self, _: toml_parser::Span, _: &mut dyn ErrorSink) {
        if !self.is_lost {
            self.open_entry();
        }
    }

    fn scalar(&mut self, at: toml_parser::Span, kind: Option<Encoding>, error: &mut dyn ErrorSink) {
        if self.is_lost {
            return;
        }
        let value = self.scalar_kind(self.raw(at, kind), span(at), error);
        self.put(span(at), value);
    }

    fn array_open(&mut self, at: toml_parser::Span, _: &mut dyn ErrorSink) -> bool {
        self.open_value(span(at), Kind::List(Children::default()))
    }

    fn array_close(&mut self, at: toml_parser::Span, _: &mut dyn ErrorSink) {
        self.close_value(span(at));
    }

    fn inline_table_open(&mut self, at: toml_parser::Span, _: &mut dyn ErrorSink) -> bool {
        self.open_value(span(at), Kind::Table(Children::default()))
    }

    fn inline_table_close(&mut self, at: toml_parser::Span, _: &mut dyn ErrorSink) {
        self.close_value(span(at));
    }
}

/// The parser's reason. Its descriptions name grammar, never a text of the file.
fn syntax_fault(error: &ParseError, end: usize) -> Fault {
    let at = error.unexpected().or(error.context());
    let at = at.map_or(Span::new(end, end), span);
    let mut message = error.description().to_owned();
    if let Some(expected) = error.expected() {
        let words = expected.iter().map(|expected| match expected {
            Expected::Literal("\n") => "a line end".to_owned(),
            Expected::Literal(literal) if literal.chars().any(char::is_control) => {
                format!("`{}`", literal.escape_debug())
            }
            Expected::Literal(literal) => format!("`{literal}`"),
            Expected::Description(description) => (*description).to_owned(),
            _ => "unexpected text".to_owned(),
        });
        let words: Vec<String> = words.collect();
        if !words.is_empty() {
            message.push_str(&format!(", expected {}", justwhy_core::list_values(&words, "or")));
        }
    }
    Fault::new(at, message)
}
