//! HCL: attributes and objects with literal values. Expressions are seen, and never worked out.

use crate::Limits;
use crate::edit::lines;
use crate::fault::{Fault, Faults, too_deep};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::splice::{Splice, Way, names, whole_lines};
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use crate::write::{json_text, unwritable};
use hcl_edit::Span as _;
use hcl_edit::expr::{Expression, ObjectKey};
use hcl_edit::structure::{Body, Structure};
use hcl_edit::template::Element;
use justwhy_core::{Span, Value};

/// HCL.
pub(crate) struct Hcl;

impl FileFormat for Hcl {
    fn about(&self) -> About {
        About { name: "hcl", endings: &["hcl", "tfvars"], effort: 8, ..About::of_typed_values() }
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
        let value = written(value)?;
        if let Some(there) = way.there {
            return Ok(Splice::replace(tree.node(there).at, value));
        }
        match names(way.rest).as_slice() {
            [name] if way.table == Tree::ROOT && is_identifier(name) => {
                Ok(whole_lines(text, text.len(), &format!("{name} = {value}")))
            }
            _ => Err(unwritable("a new value in a block or object")),
        }
    }

    fn take_out(
        &self,
        text: &str,
        tree: &Tree<'_>,
        (table, there): (NodeId, NodeId),
    ) -> Result<Splice, Fault> {
        match table == Tree::ROOT {
            true => lines::take_out(text, tree, there),
            false => Err(unwritable("an edit of a block or object")),
        }
    }

    fn snippet(&self, segments: &[&str], value: &str) -> Option<String> {
        let [name] = segments else { return None };
        Some(format!("{name} = {value}"))
    }
}

fn is_identifier(name: &str) -> bool {
    let first = name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_');
    first && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"_-".contains(&byte))
}

fn written(value: &Value) -> Result<String, Fault> {
    Ok(match value {
        Value::Null => "null".to_owned(),
        Value::Unread => return Err(unwritable("a value that cannot be read")),
        Value::Boolean(_) | Value::Integer(_) => value.show(),
        Value::Number(number) if number.is_finite() => value.show(),
        Value::Number(_) => return Err(unwritable("a number without an end")),
        // `${` and `%{` would begin an expression.
        Value::Text(text) => json_text(text).replace("${", "$${").replace("%{", "%%{"),
        Value::List(items) => {
            let items: Result<Vec<String>, Fault> =
                items.iter().map(|item| written(&item.value)).collect();
            format!("[{}]", items?.join(", "))
        }
        Value::Map(_) => return Err(unwritable("a table")),
    })
}

fn read(text: &str, limits: Limits) -> Result<Tree<'_>, Fault> {
    check_depth(text, limits)?;
    let body = hcl_edit::parser::parse_body(text).map_err(|error| {
        let at = place(text, error.location().line(), error.location().column());
        Fault::new(at, "invalid HCL").help("write name = value, or a block { … }")
    })?;
    let mut tree = Tree::for_text(text.len());
    let mut reader = BlockReader { tree: &mut tree, text };
    reader.body(Tree::ROOT, &body)?;
    Ok(tree)
}

/// The parser is recursive.
fn check_depth(text: &str, limits: Limits) -> Result<(), Fault> {
    let (mut depth, most) = (0_usize, limits.depth.min(100));
    for (at, byte) in text.bytes().enumerate() {
        match byte {
            b'{' | b'[' | b'(' => depth += 1,
            b'}' | b']' | b')' => depth = depth.saturating_sub(1),
            _ => {}
        }
        if depth > most {
            return Err(too_deep(Span::new(at, at + 1), limits));
        }
    }
    Ok(())
}

fn place(text: &str, line: usize, column: usize) -> Span {
    let start =
        text.split_inclusive('\n').take(line.saturating_sub(1)).map(str::len).sum::<usize>();
    let rest = text.get(start..).unwrap_or_default();
    let offset = rest.char_indices().nth(column.saturating_sub(1)).map_or(rest.len(), |(at, _)| at);
    Span::new(start + offset, start + offset)
}

struct BlockReader<'t, 's> {
    tree: &'t mut Tree<'s>,
    text: &'s str,
}

impl<'s> BlockReader<'_, 's> {
    fn body(&mut self, table: NodeId, body: &Body) -> Result<(), Fault> {
        for structure in body.iter() {
            match structure {
                Structure::Attribute(attribute) => {
                    let name_at = span(attribute.key.span());
                    self.value(
                        table,
                        attribute.key.as_str().to_owned(),
                        name_at,
                        &attribute.value,
                    )?;
                }
                Structure::Block(block) => {
                    let at = span(block.span());
                    let name_at = span(block.ident.span());
                    let mut table = self.table(table, block.ident.as_str(), name_at, at)?;
                    for label in &block.labels {
                        let name_at = span(label.span());
                        table = self.table(table, label.as_str(), name_at, at)?;
                    }
                    self.body(table, &block.body)?;
                }
            }
        }
        Ok(())
    }

    /// The table of a name in another one, which is made if it is not there.
    fn table(
        &mut self,
        parent: NodeId,
        name: &str,
        name_at: Span,
        at: Span,
    ) -> Result<NodeId, Fault> {
        let there = self.tree.entries(parent).find(|id| self.tree.node(*id).name == name);
        match there.map(|id| (id, &self.tree.node(id).kind)) {
            Some((id, Kind::Table(_))) => Ok(id),
            Some((id, _)) => {
                let fault = Fault::new(name_at, "a key is both a value and a table");
                Err(fault.also("first at", self.tree.node(id).name_at))
            }
            None => {
                let kind = Kind::Table(Children::default());
                let node = Node::named(name.to_owned().into(), name_at, at, kind);
                Ok(self.tree.push_child(parent, node))
            }
        }
    }

    fn value(
        &mut self,
        parent: NodeId,
        name: String,
        name_at: Span,
        value: &Expression,
    ) -> Result<(), Fault> {
        let at = span(value.span());
        let kind = self.kind(value, at);
        let node = match name.is_empty() {
            true => Node::new(at, kind),
            false => Node::named(name.into(), name_at, at, kind),
        };
        let id = self.tree.push_child(parent, node);
        match value {
            Expression::Array(items) => {
                for item in items.iter() {
                    self.value(id, String::new(), name_at, item)?;
                }
            }
            Expression::Object(object) => {
                for (key, value) in object.iter() {
                    let name_at = span(key.span());
                    let name = match key {
                        ObjectKey::Ident(ident) => ident.as_str().to_owned(),
                        ObjectKey::Expression(Expression::String(text)) => text.value().clone(),
                        ObjectKey::Expression(Expression::Number(number)) => {
                            number.value().to_string()
                        }
                        ObjectKey::Expression(_) => {
                            let fault =
                                Fault::new(name_at, "a key that is worked out cannot be read");
                            return Err(fault.help("write the key itself"));
                        }
                    };
                    self.value(id, name, name_at, value.expr())?;
                }
            }
            _ => {}
        }
        Ok(())
    }

    fn kind(&self, value: &Expression, at: Span) -> Kind<'s> {
        match value {
            Expression::Null(_) => Kind::Null,
            Expression::Bool(value) => Kind::Boolean(*value.value()),
            Expression::Number(number) => match number.value().as_i64() {
                Some(integer) => Kind::Integer(integer),
                None => number.value().as_f64().map_or(Kind::Null, Kind::Number),
            },
            Expression::String(text) => Kind::Text(text.value().clone().into()),
            Expression::Array(_) => Kind::List(Children::default()),
            Expression::Object(_) => Kind::Table(Children::default()),
            Expression::HeredocTemplate(document)
                if let Some(text) = literal(&document.template) =>
            {
                Kind::Text(text.into())
            }
            Expression::StringTemplate(template) if let Some(text) = literal(template.iter()) => {
                Kind::Text(text.into())
            }
            _ => {
                let written = self.text.get(at.start as usize..at.end as usize).unwrap_or_default();
                let shown: String = written.trim().chars().take(60).collect();
                Kind::Unread(format!("the expression is worked out elsewhere: {shown}").into())
            }
        }
    }
}

/// The text of a template without anything that is worked out.
fn literal<'e>(elements: impl IntoIterator<Item = &'e Element>) -> Option<String> {
    let mut text = String::new();
    for element in elements {
        let Element::Literal(literal) = element else { return None };
        text.push_str(literal);
    }
    Some(text)
}

fn span(range: Option<std::ops::Range<usize>>) -> Span {
    range.map_or_else(Span::default, |range| Span::new(range.start, range.end))
}
