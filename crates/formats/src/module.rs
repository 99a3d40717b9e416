//! Settings modules in JavaScript, TypeScript and Python: what they export or assign, without running them.

use crate::Limits;
use crate::edit::braces;
use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::splice::{Splice, Way, indent_at, names, newline, whole_line, whole_lines};
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use crate::write::{json_text, unwritable};
use justwhy_code::expression::{Constant, shown};
use justwhy_code::module::{Entry, Item, Language, read};
use justwhy_core::{Span, Value};
use std::ops::Range;
use std::sync::Arc;

/// A settings module.
pub(crate) struct Module(pub(crate) Language);

impl FileFormat for Module {
    fn about(&self) -> About {
        let endings: &[&str] = match self.0 {
            Language::Node => &["js", "mjs", "cjs", "ts", "mts", "cts"],
            Language::Python => &["py"],
        };
        About { name: "module", endings, effort: 6, ..About::of_typed_values() }
    }

    fn read<'t>(
        &self,
        text: &'t str,
        manner: Manner<'_>,
        limits: Limits,
        faults: &mut Faults,
    ) -> Tree<'t> {
        let mut tree = Tree::for_text(text.len());
        let module = match read(text, self.0) {
            Ok(module) => module,
            Err(bad) => {
                faults.note(Fault::new(span(&bad.at), bad.problem).help(bad.help));
                return tree;
            }
        };
        tree.passed_over = module.hidden;
        let entries = if manner.chooses { module.all } else { module.exported };
        let mut builder = TreeOf { tree: &mut tree, limits };
        let built = builder.entries(Tree::ROOT, entries, 1);
        faults.unless(built);
        // A module is one document.
        tree.documents = vec![Tree::ROOT];
        tree
    }

    fn put(
        &self,
        text: &str,
        tree: &Tree<'_>,
        way: &Way<'_>,
        value: &Value,
    ) -> Result<Splice, Fault> {
        if let Some(there) = way.there {
            let node = tree.node(there);
            if matches!(node.kind, Kind::Unread(_)) {
                return Err(unwritable("a value that the module works out"));
            }
            if node.name_at == node.at {
                return Err(unwritable("a value that is elsewhere in the module"));
            }
            return Ok(Splice::replace(node.at, self.written(value)?));
        }
        let [name] = names(way.rest)[..] else {
            return Err(unwritable("a new object"));
        };
        let value = self.written(value)?;
        if way.table == Tree::ROOT && self.0 == Language::Python {
            let is_name = name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_');
            if !is_name || name.starts_with(|c: char| c.is_ascii_digit()) {
                return Err(unwritable("such a name in a Python module"));
            }
            return Ok(whole_lines(text, text.len(), &format!("{name} = {value}")));
        }
        // Behind the last entry, whose object then goes on.
        let Some(last) = tree.inside(way.table).last() else {
            return Err(unwritable("the first entry of an object"));
        };
        let name = match self.0 == Language::Node && is_identifier(name) {
            true => name.to_owned(),
            false => json_text(name),
        };
        let end = tree.node(last).at.end as usize;
        let start = tree.node(last).name_at.start as usize;
        let is_own_line = text[..start].trim_end_matches([' ', '\t']).ends_with(['\n', '\r']);
        let entry = format!("{name}: {value}");
        Ok(Splice::insert(
            end,
            match is_own_line {
                true => format!(",{}{}{entry}", newline(text), indent_at(text, start)),
                false => format!(", {entry}"),
            },
        ))
    }

    fn take_out(
        &self,
        text: &str,
        tree: &Tree<'_>,
        (table, there): (NodeId, NodeId),
    ) -> Result<Splice, Fault> {
        if table != Tree::ROOT {
            return braces::take_out(text, tree, (table, there));
        }
        let node = tree.node(there);
        match self.0 {
            Language::Python => {
                Ok(whole_line(text, (node.name_at.start as usize, node.at.end as usize)))
            }
            Language::Node => Err(unwritable("a removal from what a module exports")),
        }
    }

    fn snippet(&self, segments: &[&str], value: &str) -> Option<String> {
        match (self.0, segments) {
            (Language::Python, [name]) => Some(format!("{name} = {value}")),
            _ => None,
        }
    }
}

impl Module {
    fn written(&self, value: &Value) -> Result<String, Fault> {
        let python = self.0 == Language::Python;
        Ok(match value {
            Value::Null => if python { "None" } else { "null" }.to_owned(),
            Value::Boolean(value) if python => if *value { "True" } else { "False" }.to_owned(),
            Value::Boolean(_) | Value::Integer(_) => value.show(),
            Value::Number(number) if number.is_finite() => value.show(),
            Value::Text(text) => json_text(text),
            Value::List(items) => {
                let items: Result<Vec<String>, Fault> =
                    items.iter().map(|item| self.written(&item.value)).collect();
                format!("[{}]", items?.join(", "))
            }
            Value::Number(_) | Value::Map(_) | Value::Unread => {
                return Err(unwritable("such a value in a module"));
            }
        })
    }
}

fn is_identifier(name: &str) -> bool {
    let first = name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_');
    first && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_')
}

fn span(range: &Range<usize>) -> Span {
    Span::new(range.start, range.end)
}

struct TreeOf<'b, 's> {
    tree: &'b mut Tree<'s>,
    limits: Limits,
}

impl TreeOf<'_, '_> {
    fn entries(&mut self, table: NodeId, entries: Vec<Entry>, depth: usize) -> Result<(), Fault> {
        for Entry { name, name_at, value } in entries {
            let name = (name, span(&name_at));
            self.value(table, Some(name), value.item, &value.at, depth)?;
        }
        Ok(())
    }

    fn value(
        &mut self,
        parent: NodeId,
        name: Option<(String, Span)>,
        item: Item,
        at: &Range<usize>,
        depth: usize,
    ) -> Result<(), Fault> {
        if depth > self.limits.depth {
            return Err(crate::fault::too_deep(span(at), self.limits));
        }
        if self.tree.len() >= self.limits.nodes {
            let limit = self.limits.nodes as u64;
            return Err(Fault::past_limit(span(at), "nodes", limit, "values"));
        }
        let mut dollars: Option<Arc<[u32]>> = None;
        let (kind, inside) = match item {
            Item::Constant(constant) => {
                if let Constant::Text(text) = &constant {
                    dollars = literal_dollars(text);
                }
                (kind_of(constant), Inside::Nothing)
            }
            Item::Variable { name, fallback } => (reference(&name, &fallback), Inside::Nothing),
            Item::Unknown(why) => (Kind::Unread(why.into()), Inside::Nothing),
            Item::Table(entries) => (Kind::Table(Children::default()), Inside::Entries(entries)),
            Item::List(items) => (Kind::List(Children::default()), Inside::Items(items)),
        };
        let node = match name {
            Some((name, name_at)) => Node::named(name.into(), name_at, span(at), kind),
            None => Node::new(span(at), kind),
        };
        let id = self.tree.push_child(parent, node);
        if let Some(dollars) = dollars {
            self.tree.literal_dollars.push((id, dollars));
        }
        match inside {
            Inside::Nothing => Ok(()),
            Inside::Entries(entries) => self.entries(id, entries, depth + 1),
            Inside::Items(items) => {
                for item in items {
                    self.value(id, None, item.item, &item.at, depth + 1)?;
                }
                Ok(())
            }
        }
    }
}

/// What is in a value.
enum Inside {
    Nothing,
    Entries(Vec<Entry>),
    Items(Vec<justwhy_code::module::Value>),
}

/// No `$` of a string of a module begins a reference.
fn literal_dollars(text: &str) -> Option<Arc<[u32]>> {
    let at = |(at, _): (usize, &str)| u32::try_from(at).unwrap_or(u32::MAX);
    let dollars: Vec<u32> = text.match_indices('$').map(at).collect();
    (!dollars.is_empty()).then(|| dollars.into())
}

fn kind_of(constant: Constant) -> Kind<'static> {
    match constant {
        Constant::Null => Kind::Null,
        Constant::Boolean(value) => Kind::Boolean(value),
        Constant::Integer(number) => Kind::Integer(number),
        Constant::Number(number) => Kind::Number(number),
        Constant::Text(text) => Kind::Text(text.into()),
    }
}

/// A read of a variable with a fallback is a reference to that variable.
fn reference(name: &str, fallback: &Constant) -> Kind<'static> {
    let fallback = match fallback {
        Constant::Null => String::new(),
        other => shown(other),
    };
    // Such a fallback would end the reference, or begin another one.
    if fallback.contains(['$', '{', '}']) {
        return Kind::Unread(format!("it reads {name}, with a fallback of its own").into());
    }
    Kind::Text(format!("${{variable:{name}:-{fallback}}}").into())
}
