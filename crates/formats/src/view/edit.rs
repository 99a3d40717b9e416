//! Edits of a part of a file: the one value changes, and every other byte stays.

use super::{Part, Seen, View, choose, elsewhere, inner, pairs};
use crate::Limits;
use crate::edit::refused;
use crate::fault::{Fault, Faults};
use crate::splice::{Splice, Step, Way};
use crate::tree::{Kind, NodeId, Tree};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use justwhy_core::{KeyId, Keys, Span, Value};
use std::sync::Arc;

impl View {
    /// A text in which `path` has `value`, all else being as it was.
    pub fn put(
        &self,
        text: &str,
        path: &[Step],
        value: &Value,
        limits: Limits,
    ) -> Result<String, Fault> {
        match self.part.as_deref() {
            None => crate::edit::put(self.format, text, path, value, limits),
            Some(part) => self.edited(part, text, path, Some(value), limits),
        }
    }

    /// A text in which there is nothing at `path`, all else being as it was. What is there must be a
    /// value, or, if it is wanted as a whole, may be a table.
    pub fn take_out(
        &self,
        text: &str,
        path: &[Step],
        is_whole: bool,
        limits: Limits,
    ) -> Result<String, Fault> {
        match self.part.as_deref() {
            None => crate::edit::take_out(self.format, text, path, is_whole, limits),
            Some(part) => self.edited(part, text, path, None, limits),
        }
    }

    fn edited(
        &self,
        part: &Part,
        text: &str,
        path: &[Step],
        value: Option<&Value>,
        limits: Limits,
    ) -> Result<String, Fault> {
        let names: Vec<&str> = crate::splice::names(path);
        let filled = elsewhere::places(text, &part.elsewhere);
        let masked = elsewhere::masked(text, &filled, self.format);
        let read = masked.as_deref().unwrap_or(text);
        let mut faults = Faults::default();
        let mut tree = self.format.rules().read(read, part.manner(), limits, &mut faults);
        if let Some(fault) = faults.in_order().into_iter().next() {
            return Err(fault);
        }
        let (document, node) = self.place(part, &tree, &names, limits)?;
        let way_to = Edit { view: self, part, text, names: &names, value, limits };
        let splice = way_to.splice(&mut tree, node)?;
        let (start, end) = (text.get(..splice.range.start), text.get(splice.range.end..));
        let (Some(start), Some(end)) = (start, end) else {
            return Err(crate::write::unwritable("this edit"));
        };
        let edited = [start, &splice.with, end].concat();
        match way_to.verify(document, &edited)? {
            // Another value of the same name would count now.
            true => self.edited(part, &edited, path, value, limits),
            false => Ok(edited),
        }
    }

    /// The document in which a name is to be, and the node of its settings: the strongest that has it, else
    /// the strongest of all.
    fn place(
        &self,
        part: &Part,
        tree: &Tree<'_>,
        names: &[&str],
        limits: Limits,
    ) -> Result<(usize, NodeId), Fault> {
        let roots = choose::documents(tree, part.documents.as_ref())?;
        let mut last = None;
        for (number, root) in roots.iter().enumerate().rev() {
            let node = match &part.under {
                None => *root,
                Some(under) => match choose::node(tree, *root, under, limits)? {
                    Ok(node) => node,
                    Err(nothing) => {
                        return Err(nothing.help("write the part that the layer reads first"));
                    }
                },
            };
            let is_there = || !part.is_plain() || find(tree, node, names, part).is_some();
            if is_there() {
                return Ok((number, node));
            }
            last.get_or_insert((number, node));
        }
        last.ok_or_else(|| Fault::new(Span::default(), "no document of the file applies here"))
    }
}

impl Part {
    /// Whether what is chosen is a table of settings as it stands.
    fn is_plain(&self) -> bool {
        self.inner.is_none() && self.pairs.is_none()
    }
}

/// An edit of a part.
struct Edit<'e> {
    view: &'e View,
    part: &'e Part,
    text: &'e str,
    names: &'e [&'e str],
    value: Option<&'e Value>,
    limits: Limits,
}

impl Edit<'_> {
    fn splice(&self, tree: &mut Tree<'_>, node: NodeId) -> Result<Splice, Fault> {
        let node = tree.followed(node);
        if let Some(format) = self.part.inner {
            return self.in_string(tree, node, format);
        }
        if self.part.pairs.is_some() && matches!(tree.node(node).kind, Kind::List(_)) {
            return pairs::edit(
                tree,
                node,
                self.part,
                (self.view.format, self.text),
                self.names,
                self.value,
            );
        }
        match tree.node(node).kind {
            Kind::Table(_) => {}
            Kind::List(_) if self.part.numbered => {}
            _ => return Err(choose::not_a_table(tree, node, self.part)),
        }
        let encoded = match (self.part.base64, self.value) {
            (true, Some(value)) => {
                let text = value.as_text().map_or_else(|| value.show(), str::to_owned);
                Some(Value::Text(STANDARD.encode(text).into()))
            }
            (_, value) => value.cloned(),
        };
        let rules = self.view.format.rules();
        let found = find(tree, node, self.names, self.part);
        if let Some((_, there)) = found {
            let is_branch = match tree.node(there).kind {
                Kind::Table(children) => !children.is_empty(),
                Kind::List(children) => self.part.numbered && !children.is_empty(),
                _ => false,
            };
            if is_branch {
                let message = format!("{} is a table, not a value", self.names.join("."));
                let fault = Fault::new(tree.node(there).name_at, message);
                return Err(fault.help("name one of its keys, or remove the table first"));
            }
        }
        match (found, encoded) {
            (Some((table, there)), Some(value)) => {
                if let Kind::Alias(..) = tree.node(there).kind {
                    let fault = Fault::new(tree.node(there).at, "the value here is an alias");
                    return Err(fault.help("change it at its anchor"));
                }
                let way = Way { table, there: Some(there), rest: &[], above: &[] };
                rules.put(self.text, tree, &way, &value)
            }
            (Some(found), None) => rules.take_out(self.text, tree, found),
            (None, None) => Err(Fault::new(Span::default(), "no value of its own here")
                .help("if it comes through an anchor, remove it there")),
            (None, Some(value)) => {
                let (table, rest) = stuck(tree, node, self.names, self.part);
                let above = way_to(tree, table);
                let way = Way { table, there: None, rest: &rest, above: &above };
                rules.put(self.text, tree, &way, &value)
            }
        }
    }

    /// The edit of a file that is a string of another one.
    fn in_string(
        &self,
        tree: &Tree<'_>,
        node: NodeId,
        format: crate::Format,
    ) -> Result<Splice, Fault> {
        let at = tree.node(node).at;
        let Kind::Text(before) = &tree.node(node).kind else {
            return Err(Fault::new(at, "expected a string that is a file itself"));
        };
        let path: Vec<Step> = self.names.iter().map(|it| Step::Name((*it).to_owned())).collect();
        let plain = Part {
            dotted: self.part.dotted.clone(),
            numbered: self.part.numbered,
            inherit: self.part.inherit.clone(),
            inline_comments: self.part.inline_comments,
            gathers: self.part.gathers,
            tolerant: self.part.tolerant,
            ..Part::default()
        };
        let part = (plain != Part::default()).then(|| Arc::new(plain));
        let view = View { format, part };
        let after = match self.value {
            Some(value) => view.put(before, &path, value, self.limits),
            None => view.take_out(before, &path, false, self.limits),
        };
        let after = after.map_err(|fault| Fault { at, also: None, ..fault })?;
        if let Some(splice) = inner::splice(self.text, at, before, &after) {
            return Ok(splice);
        }
        let table = Tree::ROOT;
        let way = Way { table, there: Some(node), rest: &[], above: &[] };
        self.view.format.rules().put(self.text, tree, &way, &Value::Text(after.into()))
    }

    /// Refuses a text that sets anything else than was wanted in that document, or that differs outside of
    /// the part. Gives whether a name that was to go is there once more.
    fn verify(&self, document: usize, after: &str) -> Result<bool, Fault> {
        let mut keys = Keys::default();
        let mut read = |text: &str| -> Result<Vec<(usize, KeyId, String)>, Fault> {
            let seen = self.view.read(text, &mut keys, self.limits);
            let first = |faults: Vec<Fault>| faults.into_iter().next();
            let seen = seen.map_err(|faults| {
                first(faults).unwrap_or_else(|| Fault::new(Span::default(), "cannot be read"))
            })?;
            let documents = match seen {
                Seen::Documents(documents) => documents,
                Seen::Nothing(fault) => return Err(fault),
            };
            let mut all = Vec::new();
            for (number, document) in documents.iter().enumerate() {
                for leaf in &document.leaves {
                    let value = match &leaf.value {
                        Value::Unread => "?".to_owned(),
                        value => value.show(),
                    };
                    all.push((number, leaf.name, value));
                }
            }
            Ok(all)
        };
        let whole = match self.value {
            Some(_) => "this value cannot be written here",
            None => "this value cannot be removed here",
        };
        let before = read(self.text)?;
        let now = read(after).map_err(|fault| {
            refused(whole, &format!("the file could not be read afterwards: {}", fault.message))
        })?;
        let target = self.names.iter().fold(KeyId::ROOT, |key, name| keys.child(key, name));
        let is_target = |it: &(usize, KeyId, String)| it.0 == document && it.1 == target;
        let others = |all: &[(usize, KeyId, String)]| -> Vec<(usize, KeyId, String)> {
            // Of a name that is there several times the last one changes.
            let last = all.iter().rposition(is_target);
            let kept = all.iter().enumerate().filter(|(at, _)| Some(*at) != last);
            let mut kept: Vec<_> = kept.map(|(_, it)| it.clone()).collect();
            kept.sort_by_key(|it| (it.0, it.1.index()));
            kept
        };
        let shown = self.value.map(|value| match (value, self.view.is_untyped()) {
            (Value::Text(_), _) | (_, false) => value.show(),
            // Everything is a string there.
            (value, true) => Value::Text(value.show().into()).show(),
        });
        let count = |all: &[(usize, KeyId, String)]| all.iter().filter(|it| is_target(it)).count();
        let is_there = now.iter().rev().find(|it| is_target(it)).map(|it| it.2.clone());
        let is_done = match &shown {
            Some(shown) => is_there.as_ref() == Some(shown),
            None => count(&now) + 1 == count(&before),
        };
        if !is_done {
            return Err(refused(whole, "the format would change the value"));
        }
        let same = match (shown.is_some(), count(&before)) {
            // It is new: all that was there is there.
            (true, 0) => others(&now) == sorted(before.clone()),
            (true, _) => others(&now) == others(&before),
            (false, _) => sorted(now.clone()) == others(&before),
        };
        if !same || self.outside(self.text)? != self.outside(after)? {
            return Err(refused(whole, "other values of the file would change"));
        }
        Ok(shown.is_none() && count(&now) > 0)
    }

    /// What the file has outside of the part that is read: each value with the way to it.
    fn outside(&self, text: &str) -> Result<Vec<String>, Fault> {
        let filled = elsewhere::places(text, &self.part.elsewhere);
        let masked = elsewhere::masked(text, &filled, self.view.format);
        let read = masked.as_deref().unwrap_or(text);
        let mut faults = Faults::default();
        let manner = self.part.manner();
        let tree = self.view.format.rules().read(read, manner, self.limits, &mut faults);
        let roots = match tree.documents.is_empty() {
            true => vec![Tree::ROOT],
            false => tree.documents.clone(),
        };
        let read_roots = choose::documents(&tree, self.part.documents.as_ref())?;
        let mut inside = Vec::new();
        for root in read_roots {
            inside.push(match &self.part.under {
                None => root,
                Some(under) => match choose::node(&tree, root, under, self.limits)? {
                    Ok(node) => tree.followed(node),
                    Err(fault) => return Err(fault),
                },
            });
        }
        let mut all = Vec::new();
        for (number, root) in roots.into_iter().enumerate() {
            let mut open = vec![(root, number.to_string())];
            while let Some((id, way)) = open.pop() {
                if inside.contains(&id) {
                    continue;
                }
                match &tree.node(id).kind {
                    Kind::List(children) | Kind::Table(children) => {
                        for (number, child) in tree.children(*children).enumerate() {
                            let name = &tree.node(child).name;
                            open.push((child, format!("{way}/{number}{name}")));
                        }
                    }
                    kind => all.push(format!("{way}={kind:?}")),
                }
            }
        }
        all.sort();
        Ok(all)
    }
}

fn sorted(mut all: Vec<(usize, KeyId, String)>) -> Vec<(usize, KeyId, String)> {
    all.sort_by_key(|it| (it.0, it.1.index()));
    all
}

/// The entry that has a name, whose segments may be within names, and the table in which it is.
fn find(tree: &Tree<'_>, node: NodeId, names: &[&str], part: &Part) -> Option<(NodeId, NodeId)> {
    let node = tree.followed(node);
    let entries: Vec<(String, NodeId)> = match &tree.node(node).kind {
        Kind::List(items) if part.numbered => {
            tree.children(*items).enumerate().map(|(at, id)| (at.to_string(), id)).collect()
        }
        _ => tree.entries(node).map(|id| (tree.node(id).name.to_string(), id)).collect(),
    };
    for (name, id) in entries {
        let count = match part.dotted.as_deref() {
            None => 1,
            Some(separator) => name.split(separator).count(),
        };
        let Some((own, rest)) = names.split_at_checked(count) else { continue };
        let is_its = match part.dotted.as_deref() {
            None => own == [name.as_str()],
            Some(separator) => name.split(separator).eq(own.iter().copied()),
        };
        if !is_its || tree.node(id).merges {
            continue;
        }
        if rest.is_empty() {
            return Some((node, id));
        }
        if let Some(found) = find(tree, id, rest, part) {
            return Some(found);
        }
    }
    None
}

/// The names and numbers that lead to a node in its document.
fn way_to(tree: &Tree<'_>, node: NodeId) -> Vec<Step> {
    let roots = match tree.documents.is_empty() {
        true => vec![Tree::ROOT],
        false => tree.documents.clone(),
    };
    // What is open, with how many steps lead there.
    let mut open: Vec<(NodeId, Vec<Step>)> = roots.into_iter().map(|it| (it, Vec::new())).collect();
    while let Some((id, way)) = open.pop() {
        if id == node {
            return way;
        }
        let is_list = matches!(tree.node(id).kind, Kind::List(_));
        let (Kind::List(children) | Kind::Table(children)) = tree.node(id).kind else { continue };
        for (number, child) in tree.children(children).enumerate() {
            let step = match is_list {
                true => Step::Item(number),
                false => Step::Name(tree.node(child).name.to_string()),
            };
            open.push((child, way.iter().cloned().chain([step]).collect()));
        }
    }
    Vec::new()
}

/// The table in which a new name goes, and what of it is not there.
fn stuck(tree: &Tree<'_>, node: NodeId, names: &[&str], part: &Part) -> (NodeId, Vec<Step>) {
    let mut table = tree.followed(node);
    let mut rest = names;
    while let Some((first, below)) = rest.split_first() {
        let next = tree.entries(table).find(|id| tree.node(*id).name == *first);
        match next.filter(|id| matches!(tree.node(*id).kind, Kind::Table(_)) && !below.is_empty()) {
            Some(next) => (table, rest) = (next, below),
            None => break,
        }
    }
    if let Some(separator) = part.dotted.as_deref() {
        // As the others are written.
        let is_dotted = tree.entries(table).any(|id| tree.node(id).name.contains(separator));
        if is_dotted {
            return (table, vec![Step::Name(rest.join(separator))]);
        }
    }
    (table, rest.iter().map(|name| Step::Name((*name).to_owned())).collect())
}
