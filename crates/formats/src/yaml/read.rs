//! YAML 1.2 with its core schema: one document, aliases and `<<` followed.

use crate::Limits;
use crate::fault::{Fault, too_deep};
use crate::manner::{Manner, second_document};
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use granit_parser::{
    ErrorKind, Event, Options, Parser, ScalarStyle, ScanError, StructureStyle, Tag,
};
use hashbrown::HashMap;
use justwhy_core::Span;
use std::borrow::Cow;

mod scalar;

pub(crate) fn parse<'t>(
    text: &'t str,
    limits: Limits,
    manner: Manner<'_>,
) -> Result<Tree<'t>, Fault> {
    let mut options = Options::default();
    options.emit_anchor_events = true;
    options.emit_comments = false;
    // The parser looks ahead, and would otherwise see the end of a deep file before we do.
    options.flow_nesting_limit = limits.depth;
    options.block_nesting_limit = limits.depth;
    let mut reader = TreeReader {
        text,
        limits,
        tree: Tree::for_text(text.len()),
        open: Vec::new(),
        anchors: HashMap::new(),
        last_node: None,
        last_end: 0,
        is_any: manner.is_any,
        root: Some(Tree::ROOT),
        documents: 0,
    };
    for event in Parser::new_from_str_with_options(text, options) {
        let (event, span) = event.map_err(|error| syntax_fault(&error, text, limits))?;
        reader.event(event, &span)?;
    }
    reader.end_document();
    Ok(reader.tree)
}

/// A list or table that is open.
struct Open<'s> {
    node: NodeId,
    is_table: bool,
    /// Of a block: how far it is indented. Of a flow collection: none.
    indent: Option<usize>,
    /// The name whose value comes next, and whether it is the merge key.
    name: Option<(Cow<'s, str>, Span, bool)>,
}

struct TreeReader<'s> {
    text: &'s str,
    limits: Limits,
    tree: Tree<'s>,
    open: Vec<Open<'s>>,
    /// The node of each anchor, and the number of its name in the tree.
    anchors: HashMap<usize, (NodeId, usize)>,
    /// The node that the last event made, for the anchor event that may follow.
    last_node: Option<NodeId>,
    /// Where the last token ended, to look for indicators that the parser gives no place for.
    last_end: usize,
    is_any: bool,
    /// The root of the document that is read, if it is there before its first token.
    root: Option<NodeId>,
    documents: usize,
}

impl<'s> TreeReader<'s> {
    fn event(&mut self, event: Event<'s>, at: &granit_parser::Span) -> Result<(), Fault> {
        let range = at.byte_range().unwrap_or(self.last_end..self.last_end);
        let range = range.start.min(self.text.len())..range.end.min(self.text.len());
        match event {
            Event::DocumentStart(..) => {
                self.documents += 1;
                if self.documents > 1 {
                    let at = Span::new(range.start, range.start);
                    if !self.is_any {
                        return Err(second_document(at));
                    }
                    self.end_document();
                    let table = Node::new(at, Kind::Table(Children::default()));
                    self.root = Some(self.tree.push(table));
                }
                self.last_end = range.end;
            }
            Event::Scalar(text, style, anchor, tag) => {
                self.scalar(text, style, anchor, tag.as_deref(), range)?;
            }
            Event::SequenceStart(style, anchor, tag) => {
                let start = match style {
                    StructureStyle::Block => self.block_list_start(range.start),
                    StructureStyle::Flow => range.start,
                };
                let at = Span::new(start, start + 1);
                self.core_tag(tag.as_deref(), "seq", at)?;
                let indent = self.indent(start, style);
                self.start(Kind::List(Children::default()), anchor, at, indent)?;
                self.last_end = start + 1;
            }
            Event::MappingStart(style, anchor, tag) => {
                let at = Span::new(range.start, range.start);
                self.core_tag(tag.as_deref(), "map", at)?;
                let indent = self.indent(range.start, style);
                self.start(Kind::Table(Children::default()), anchor, at, indent)?;
                if style == StructureStyle::Flow {
                    self.last_end = range.end;
                }
            }
            Event::SequenceEnd | Event::MappingEnd => self.end(range)?,
            Event::Alias(id) => self.alias(id, range)?,
            Event::Anchor(id, name) => {
                if let Some(node) = self.last_node {
                    self.anchors.insert(id, (node, self.tree.anchors.len()));
                    self.tree.anchors.push(name.as_ref().into());
                }
            }
            _ => {}
        }
        Ok(())
    }

    fn scalar(
        &mut self,
        text: Cow<'s, str>,
        style: ScalarStyle,
        anchor: usize,
        tag: Option<&Tag>,
        range: std::ops::Range<usize>,
    ) -> Result<(), Fault> {
        let is_left_out = range.is_empty() && style == ScalarStyle::Plain;
        let start = match style {
            ScalarStyle::Literal | ScalarStyle::Folded => self.indicator_after(&['|', '>']),
            _ if is_left_out && self.text[range.start..].starts_with(':') => Some(range.start + 1),
            _ => None,
        };
        let start = start.unwrap_or(range.start);
        let at = Span::new(start, range.end.max(start));
        self.last_end = range.end;
        if matches!(style, ScalarStyle::SingleQuoted | ScalarStyle::DoubleQuoted) {
            self.check_lines(start..range.end, false)?;
        }
        if self.expects_name() {
            if tag.is_some_and(|tag| !scalar::is_non_specific(tag) && !tag.is_yaml_core_schema()) {
                return Err(scalar::foreign_tag(at));
            }
            let is_merge = style == ScalarStyle::Plain && text == "<<";
            let name = if is_left_out { Cow::Borrowed("") } else { text };
            self.last_node = None;
            if anchor != 0 {
                // An anchor on a name can be used as a value elsewhere.
                let node = Node::new(at, Kind::Text(name.clone()));
                self.last_node = Some(self.tree.push(node));
            }
            self.name(name, at, is_merge);
            return Ok(());
        }
        let other = match (style, tag) {
            (ScalarStyle::Plain, None) => scalar::lookalike(&text),
            _ => None,
        };
        let kind = scalar::resolve(text, style, tag, is_left_out, at)?;
        let node = self.place(kind, at)?;
        self.last_node = Some(node);
        if let Some(other) = other {
            self.tree.lookalikes.push((node, other));
        }
        Ok(())
    }

    fn alias(&mut self, id: usize, range: std::ops::Range<usize>) -> Result<(), Fault> {
        let at = Span::new(range.start, range.end);
        self.last_end = range.end;
        let Some(&(target, anchor)) = self.anchors.get(&id) else {
            return Err(Fault::new(at, "unknown anchor"));
        };
        if self.open.iter().any(|open| open.node == target) {
            return Err(Fault::new(at, "this alias is inside its own anchor"));
        }
        if !self.expects_name() {
            self.last_node = Some(self.place(Kind::Alias(target, anchor), at)?);
            return Ok(());
        }
        let node = self.tree.node(target);
        let name = match &node.kind {
            Kind::Text(text) => text.clone(),
            Kind::Null | Kind::Boolean(_) | Kind::Integer(_) | Kind::Number(_) => {
                let written = node.at.start as usize..node.at.end as usize;
                Cow::Borrowed(self.text.get(written).unwrap_or_default())
            }
            _ => return Err(no_scalar_name(at)),
        };
        self.name(name, at, false);
        Ok(())
    }

    fn expects_name(&self) -> bool {
        self.open.last().is_some_and(|open| open.is_table && open.name.is_none())
    }

    fn name(&mut self, name: Cow<'s, str>, at: Span, is_merge: bool) {
        if let Some(open) = self.open.last_mut() {
            open.name = Some((name, at, is_merge));
        }
    }

    /// Adds a value to what is open.
    fn place(&mut self, kind: Kind<'s>, at: Span) -> Result<NodeId, Fault> {
        let Some(open) = self.open.last_mut() else {
            if matches!(kind, Kind::LeftOut) {
                // An empty document is an empty table.
                return Ok(self.root.unwrap_or(Tree::ROOT));
            }
            if self.is_any {
                let root = self.tree.push(Node::new(at, kind));
                self.root = Some(root);
                return Ok(root);
            }
            return Err(Fault::new(at, "expected one mapping").help("write `name: value` lines"));
        };
        let parent = open.node;
        let node = match open.name.take() {
            Some((name, name_at, merges)) => {
                let mut node = Node::named(name, name_at, at, kind);
                node.merges = merges;
                self.tree.has_merges |= merges;
                node
            }
            None if open.is_table => return Err(no_scalar_name(at)),
            None => Node::new(at, kind),
        };
        Ok(self.tree.push_child(parent, node))
    }

    fn start(
        &mut self,
        kind: Kind<'s>,
        anchor: usize,
        at: Span,
        indent: Option<usize>,
    ) -> Result<(), Fault> {
        if self.open.len() >= self.limits.depth {
            return Err(too_deep(at, self.limits));
        }
        let is_table = matches!(kind, Kind::Table(_));
        let node = if let (true, true, Some(root)) = (self.open.is_empty(), is_table, self.root) {
            self.tree.node_mut(root).at = at;
            root
        } else {
            self.place(kind, at)?
        };
        self.last_node = (anchor != 0).then_some(node);
        self.open.push(Open { node, is_table, indent, name: None });
        Ok(())
    }

    /// Notes the root of a document that is complete.
    fn end_document(&mut self) {
        self.tree.documents.extend(self.root.take().filter(|_| self.documents > 0));
    }

    /// How far a block collection is indented that begins there.
    fn indent(&self, start: usize, style: StructureStyle) -> Option<usize> {
        if style == StructureStyle::Flow {
            return None;
        }
        let line = self.text[..start].rfind('\n').map_or(0, |end| end + 1);
        let before = &self.text[line..start];
        let mut column = 0;
        // A collection may begin on the line of the one that it is in.
        for c in before.chars() {
            if !matches!(c, ' ' | '-' | '?' | ':') {
                break;
            }
            column += 1;
        }
        Some(column)
    }

    /// Refuses lines of a quoted string or a flow collection that are indented less than the block in which
    /// it is asks for. A line that only closes brackets may be at the indentation of the block, as most
    /// readers have it.
    fn check_lines(&self, range: std::ops::Range<usize>, is_flow: bool) -> Result<(), Fault> {
        let Some(text) = self.text.get(range.clone()) else { return Ok(()) };
        if !text.contains('\n') {
            return Ok(());
        }
        let Some(indent) = self.open.iter().rev().find_map(|open| open.indent) else {
            return Ok(());
        };
        if self.open.last().is_some_and(|open| open.indent.is_none()) {
            // The outermost collection is looked at as a whole.
            return Ok(());
        }
        let mut at = range.start;
        for (number, line) in text.split('\n').enumerate() {
            let spaces = line.len() - line.trim_start_matches(' ').len();
            let rest = line.trim();
            let is_blank = rest.is_empty() || is_flow && rest.starts_with('#');
            let closes = is_flow && rest.starts_with([']', '}']) && spaces >= indent;
            if number > 0 && !is_blank && !closes && spaces <= indent {
                let place = at + spaces;
                let fault = Fault::new(Span::new(place, place), "this line is not indented enough");
                return Err(fault.help("indent it more than the key that it belongs to"));
            }
            at += line.len() + 1;
        }
        Ok(())
    }

    fn end(&mut self, range: std::ops::Range<usize>) -> Result<(), Fault> {
        // A flow collection ends with its bracket, a block one with what is in it.
        if !range.is_empty() {
            self.last_end = range.end;
        }
        if let Some(closed) = self.open.pop() {
            let at = &mut self.tree.node_mut(closed.node).at;
            at.end = Span::new(0, self.last_end).end.max(at.start);
            if closed.indent.is_none() {
                let whole = at.start as usize..at.end as usize;
                self.check_lines(whole, true)?;
            }
        }
        Ok(())
    }

    fn core_tag(&self, tag: Option<&Tag>, wanted: &str, at: Span) -> Result<(), Fault> {
        match tag {
            Some(tag) if !scalar::is_non_specific(tag) && !tag.is_yaml_core_schema_tag(wanted) => {
                Err(scalar::foreign_tag(at))
            }
            _ => Ok(()),
        }
    }

    /// Where a block list begins, which the parser reports wrongly if its dashes are not indented
    /// below the name of the list.
    fn block_list_start(&self, reported: usize) -> usize {
        let is_value_of_name = self.open.last().is_some_and(|open| open.name.is_some());
        if is_value_of_name { self.indicator_after(&['-']).unwrap_or(reported) } else { reported }
    }

    /// The first of `indicators` after the last token: over blanks, line ends, comments, the `:` or
    /// `-` that introduces the value, tags and anchors.
    fn indicator_after(&self, indicators: &[char]) -> Option<usize> {
        let mut at = self.last_end;
        let mut after_blank = true;
        loop {
            let c = self.text.get(at..)?.chars().next()?;
            if indicators.contains(&c) {
                return Some(at);
            }
            let rest = &self.text[at..];
            match c {
                '#' if after_blank => at += rest.find('\n').unwrap_or(rest.len()),
                '&' | '!' => at += rest.find(char::is_whitespace).unwrap_or(rest.len()),
                ' ' | '\t' | '\n' | '\r' | ':' | '-' | '?' | '[' | '{' | ',' => {
                    at += c.len_utf8();
                }
                _ => return None,
            }
            after_blank = c.is_whitespace();
        }
    }
}

fn no_scalar_name(at: Span) -> Fault {
    Fault::new(at, "expected a single string or number as a key")
        .help("a list or mapping cannot be a key")
}

/// The parser's reason and place.
fn syntax_fault(error: &ScanError, text: &str, limits: Limits) -> Fault {
    let offset = error.marker().byte_offset().unwrap_or(text.len()).min(text.len());
    let at = Span::new(offset, offset);
    if matches!(error.kind(), ErrorKind::RecursionLimitExceeded) {
        return too_deep(at, limits);
    }
    // A tab that indents is sometimes reported at the end of the line before.
    let line_start = text[..offset].rfind('\n').map_or(0, |end| end + 1);
    let next_start = text[offset..].find('\n').map_or(text.len(), |end| offset + end + 1);
    let tab = [line_start, next_start].into_iter().find_map(|start| {
        let line = text[start..].split('\n').next().unwrap_or_default();
        let blanks = line.len() - line.trim_start_matches([' ', '\t']).len();
        line[..blanks].find('\t').map(|at| start + at)
    });
    if let Some(tab) = tab {
        let at = Span::new(tab, tab + 1);
        return Fault::new(at, "tab in the indentation").help("indent with spaces");
    }
    let reason = match error.kind() {
        // It could be a part of a value. All else that the parser quotes is of YAML.
        ErrorKind::UnexpectedCharacter { .. } => "unexpected character".to_owned(),
        kind => kind.to_string(),
    };
    Fault::new(at, format!("invalid YAML: {reason}"))
}

/// Whether a text can be without quotes and be read back as the same text, by others too.
pub(crate) fn is_plain_text(text: &str, in_flow: bool) -> bool {
    let is_fine = |c: char| {
        c.is_alphanumeric() || "_./@+- ".contains(c) || c == ':' || !in_flow && ",()".contains(c)
    };
    let first = text.starts_with(|c: char| c.is_alphanumeric() || c == '/' || c == '_');
    let is_apart = text.ends_with([' ', ':']) || text.contains(": ") || text.contains("  ");
    first
        && !is_apart
        && text.chars().all(is_fine)
        && scalar::lookalike(text).is_none()
        && matches!(scalar::plain(Cow::Borrowed(text), Span::default()), Ok(Kind::Text(_)))
}
