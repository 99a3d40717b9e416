//! XML: elements as keys, attributes as `@name`. No document type, no external entity.

use crate::Limits;
use crate::edit::lines::text_of;
use crate::fault::{Fault, Faults, too_deep};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::splice::{Splice, Way};
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use crate::write::unwritable;
use justwhy_core::{Span, Value};
use roxmltree::{Document, Node as Element, ParsingOptions};

/// XML.
pub(crate) struct Xml;

/// The name of the text of an element that has attributes or elements too.
const TEXT: &str = "#text";
/// What begins a section of characters in which nothing is escaped.
const SECTION: &str = "<![CDATA[";

impl FileFormat for Xml {
    fn about(&self) -> About {
        About {
            name: "xml",
            endings: &["xml", "config"],
            is_untyped: true,
            effort: 4,
            ..About::of_typed_values()
        }
    }

    fn read<'t>(
        &self,
        text: &'t str,
        _: Manner<'_>,
        limits: Limits,
        faults: &mut Faults,
    ) -> Tree<'t> {
        let read = read(text, limits);
        faults.unless(read).unwrap_or_else(|| Tree::for_text(0))
    }

    fn put(
        &self,
        text: &str,
        tree: &Tree<'_>,
        way: &Way<'_>,
        value: &Value,
    ) -> Result<Splice, Fault> {
        let Some(there) = way.there else { return Err(unwritable("a new element")) };
        let node = tree.node(there);
        let is_attribute = node.name.starts_with('@');
        let value = text_of(value)?;
        let is_section = text[..node.at.start as usize].trim_end().ends_with(SECTION);
        let escaped = match is_section {
            true if value.contains("]]>") => return Err(unwritable("this string")),
            true => value.into_owned(),
            false => escaped(&value, is_attribute),
        };
        let written = text.get(node.at.start as usize..node.at.end as usize).unwrap_or_default();
        if written.is_empty() && !is_attribute {
            return Err(unwritable("a value of an empty element"));
        }
        Ok(Splice::replace(node.at, escaped))
    }

    fn take_out(&self, _: &str, _: &Tree<'_>, _: (NodeId, NodeId)) -> Result<Splice, Fault> {
        Err(unwritable("an edit that removes an element"))
    }

    fn snippet(&self, _: &[&str], _: &str) -> Option<String> {
        None
    }
}

fn escaped(text: &str, is_attribute: bool) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' if is_attribute => out.push_str("&quot;"),
            '\'' if is_attribute => out.push_str("&apos;"),
            '\n' | '\r' | '\t' if is_attribute => out.push_str(&format!("&#{};", u32::from(c))),
            c => out.push(c),
        }
    }
    out
}

fn read(text: &str, limits: Limits) -> Result<Tree<'_>, Fault> {
    check_depth(text, limits)?;
    let nodes = u32::try_from(limits.nodes).unwrap_or(u32::MAX);
    let options =
        ParsingOptions { allow_dtd: false, nodes_limit: nodes, ..ParsingOptions::default() };
    let document = Document::parse_with_options(text, options).map_err(|error| {
        let at = place(text, error.pos());
        match error {
            roxmltree::Error::DtdDetected => {
                Fault::new(at, "a document type is not read").help("remove <!DOCTYPE …>")
            }
            roxmltree::Error::NodesLimitReached => {
                Fault::past_limit(at, "nodes", limits.nodes as u64, "elements and texts")
            }
            _ => Fault::new(at, "invalid XML").help("check that every element is closed"),
        }
    })?;
    let mut tree = Tree::for_text(text.len());
    let root = document.root_element();
    element(&mut tree, Tree::ROOT, root, text, Standing::Entry);
    Ok(tree)
}

fn place(text: &str, at: roxmltree::TextPos) -> Span {
    let lines = text.split_inclusive('\n').take(at.row.saturating_sub(1) as usize);
    let start = lines.map(str::len).sum::<usize>();
    let rest = text.get(start..).unwrap_or_default();
    let column = at.col.saturating_sub(1) as usize;
    let offset = rest.char_indices().nth(column).map_or(rest.len(), |(at, _)| at);
    Span::new(start + offset, start + offset)
}

/// What follows recurses over elements.
fn check_depth(text: &str, limits: Limits) -> Result<(), Fault> {
    let (mut depth, mut at) = (0_usize, 0);
    while let Some(open) = text[at..].find('<').map(|offset| at + offset) {
        let rest = &text[open..];
        let skipped = [("<!--", "-->"), ("<![CDATA[", "]]>"), ("<?", "?>")]
            .into_iter()
            .find(|(start, _)| rest.starts_with(start));
        if let Some((_, end)) = skipped {
            at = rest.find(end).map_or(text.len(), |offset| open + offset + end.len());
            continue;
        }
        let close = rest.find('>').map_or(text.len(), |offset| open + offset);
        if rest.starts_with("</") {
            depth = depth.saturating_sub(1);
        } else if !text[open..close].ends_with('/') {
            depth += 1;
        }
        if depth > limits.depth {
            return Err(too_deep(Span::new(open, open + 1), limits));
        }
        at = (close + 1).min(text.len());
    }
    Ok(())
}

/// Whether an element is an entry of a table, or an item of the list of those of its name.
#[derive(Clone, Copy)]
enum Standing {
    Entry,
    Item,
}

fn element<'s>(
    tree: &mut Tree<'s>,
    parent: NodeId,
    it: Element<'_, 's>,
    text: &'s str,
    place: Standing,
) {
    let range = it.range();
    let name = it.tag_name().name().to_owned();
    let name_at = Span::new(range.start + 1, range.start + 1 + name.len());
    let push = |tree: &mut Tree<'s>, at: Span, kind: Kind<'s>| {
        let node = match place {
            Standing::Entry => Node::named(name.clone().into(), name_at, at, kind),
            Standing::Item => Node::new(at, kind),
        };
        tree.push_child(parent, node)
    };
    let elements: Vec<Element<'_, 's>> = it.children().filter(Element::is_element).collect();
    let (value, value_at) = own_text(it, text);
    if elements.is_empty() && it.attributes().next().is_none() {
        push(tree, value_at, Kind::Text(value.into()));
        return;
    }
    let table = push(tree, Span::new(range.start, range.end), Kind::Table(Children::default()));
    for attribute in it.attributes() {
        let at = attribute.range_value();
        let name_range = attribute.range();
        let name_at = Span::new(name_range.start, name_range.start + attribute.name().len());
        let kind = Kind::Text(attribute.value().to_owned().into());
        let at = Span::new(at.start, at.end);
        tree.push_child(
            table,
            Node::named(format!("@{}", attribute.name()).into(), name_at, at, kind),
        );
    }
    if !value.trim().is_empty() {
        let kind = Kind::Text(value.into());
        tree.push_child(table, Node::named(TEXT.into(), name_at, value_at, kind));
    }
    let mut done: Vec<&str> = Vec::new();
    for child in &elements {
        let name = child.tag_name().name();
        if done.contains(&name) {
            continue;
        }
        done.push(name);
        let alike: Vec<&Element<'_, 's>> =
            elements.iter().filter(|other| other.tag_name().name() == name).collect();
        if let [one] = alike.as_slice() {
            element(tree, table, **one, text, Standing::Entry);
            continue;
        }
        let range = child.range();
        let name_at = Span::new(range.start + 1, range.start + 1 + name.len());
        let at = Span::new(range.start, range.end);
        let node =
            Node::named(name.to_owned().into(), name_at, at, Kind::List(Children::default()));
        let list = tree.push_child(table, node);
        alike.into_iter().for_each(|child| element(tree, list, *child, text, Standing::Item));
    }
}

/// The text that is right in an element, without the blanks around it, and where it is.
fn own_text(it: Element<'_, '_>, text: &str) -> (String, Span) {
    let texts: Vec<Element<'_, '_>> = it.children().filter(Element::is_text).collect();
    let value: String = texts.iter().filter_map(Element::text).collect();
    let start = texts.first().map(|first| first.range().start);
    let end = texts.last().map(|last| last.range().end);
    let (Some(start), Some(end)) = (start, end) else {
        // After the start of the element.
        let range = it.range();
        let open =
            text[range.start..range.end].find('>').map_or(range.end, |at| range.start + at + 1);
        return (String::new(), Span::new(open, open));
    };
    let raw = text.get(start..end).unwrap_or_default();
    let (start, raw) = match raw.strip_prefix(SECTION).and_then(|raw| raw.strip_suffix("]]>")) {
        Some(inside) => (start + SECTION.len(), inside),
        None => (start, raw),
    };
    let blanks = raw.len() - raw.trim_start().len();
    let at = Span::new(start + blanks, start + blanks + raw.trim().len());
    (value.trim().to_owned(), at)
}
