//! Queries as RFC 9535 has them, on a tree.

use crate::Limits;
use crate::fault::Fault;
use crate::tree::{Kind, NodeId, Tree};
use hashbrown::{HashMap, HashSet};
use justwhy_core::Span;
use serde_json::{Map, Value as Json};
use serde_json_path::JsonPath;

/// A query that selects nodes of a file: `$.jobs.load.env`.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct Query(String);

/// Longer queries nobody writes.
const LONGEST: usize = 2_000;
/// The most brackets and parentheses inside each other, as the parser is recursive.
const DEEPEST: usize = 24;
/// About how many nodes a query may visit.
const MOST_VISITS: u64 = 20_000_000;

impl Query {
    /// A query, or why it is none: the byte and the reason.
    pub fn parse(text: &str) -> Result<Query, (usize, String)> {
        if text.len() > LONGEST {
            return Err((LONGEST, format!("a query has at most {LONGEST} bytes")));
        }
        let mut depth = 0_usize;
        for (at, c) in unquoted(text) {
            match c {
                '[' | '(' => depth += 1,
                ']' | ')' => depth = depth.saturating_sub(1),
                _ => {}
            }
            if depth > DEEPEST {
                return Err((at, format!("more than {DEEPEST} brackets inside each other")));
            }
        }
        match JsonPath::parse(text) {
            Ok(_) => Ok(Query(text.to_owned())),
            Err(error) => Err((error.position(), error.message().to_owned())),
        }
    }

    /// As it is written.
    pub fn text(&self) -> &str {
        &self.0
    }

    /// The nodes that it selects below `root`, each once, in the order of the query.
    pub(super) fn select(
        &self,
        tree: &Tree<'_>,
        root: NodeId,
        limits: Limits,
    ) -> Result<Vec<NodeId>, Fault> {
        let skeleton = Skeleton::of(tree, root, limits)?;
        self.check_cost(&skeleton, tree.node(root).at)?;
        Ok(skeleton.select(&self.0))
    }

    /// The longest start of the query that selects anything, and what it selects.
    pub(super) fn longest_start<'q>(
        &'q self,
        tree: &Tree<'_>,
        root: NodeId,
        limits: Limits,
    ) -> Option<(&'q str, Vec<NodeId>)> {
        let skeleton = Skeleton::of(tree, root, limits).ok()?;
        starts(&self.0).into_iter().rev().find_map(|end| {
            let start = &self.0[..end];
            let found = skeleton.select(start);
            (!found.is_empty()).then_some((start, found))
        })
    }

    /// Refuses what would go through the file over and over: every `..` after the first multiplies by the
    /// depth of the file, and every query from the root in a filter by its nodes.
    fn check_cost(&self, skeleton: &Skeleton, at: Span) -> Result<(), Fault> {
        let (mut descents, mut roots, mut before) = (0_u32, 0_u32, ' ');
        for (at, c) in unquoted(&self.0) {
            descents += u32::from(c == '.' && before == '.');
            roots += u32::from(c == '$' && at > 0);
            before = c;
        }
        let (nodes, depth) = (skeleton.nodes as u64, skeleton.depth as u64 + 1);
        let visits = nodes
            .saturating_mul(depth.saturating_pow(descents.saturating_sub(1)))
            .saturating_mul(nodes.saturating_pow(roots));
        if visits <= MOST_VISITS {
            return Ok(());
        }
        let mut fault = Fault::new(at, format!("the query {} visits too many nodes here", self.0));
        fault.code = "limit";
        Err(fault.help("name the way with fewer `..`, and without `$` in filters"))
    }
}

/// The characters outside of quotes, with their bytes.
fn unquoted(text: &str) -> impl Iterator<Item = (usize, char)> + '_ {
    let (mut quote, mut is_escaped) = (None, false);
    text.char_indices().filter(move |(_, c)| match quote {
        None => {
            quote = Some(*c).filter(|c| matches!(c, '\'' | '"'));
            quote.is_none()
        }
        Some(_) if is_escaped => {
            is_escaped = false;
            false
        }
        Some(open) => {
            is_escaped = *c == '\\';
            if *c == open {
                quote = None;
            }
            false
        }
    })
}

/// The bytes at which a query can end and still be one: after each of its segments.
fn starts(text: &str) -> Vec<usize> {
    let (mut ends, mut depth, mut before) = (Vec::new(), 0_usize, ' ');
    for (at, c) in unquoted(text) {
        let begins = depth == 0 && at > 0 && (c == '[' || c == '.') && before != '.';
        if begins {
            ends.push(at);
        }
        match c {
            '[' | '(' => depth += 1,
            ']' | ')' => depth = depth.saturating_sub(1),
            _ => {}
        }
        before = c;
    }
    ends
}

/// The tree as the query language sees it, and the way back from a location to a node.
struct Skeleton<'t, 's> {
    tree: &'t Tree<'s>,
    root: NodeId,
    json: Json,
    nodes: usize,
    depth: usize,
}

impl<'t, 's> Skeleton<'t, 's> {
    fn of(tree: &'t Tree<'s>, root: NodeId, limits: Limits) -> Result<Self, Fault> {
        let mut made = Skeleton { tree, root, json: Json::Null, nodes: 0, depth: 0 };
        // What aliases stand for is written out here, which must not grow with them.
        let limits = Limits { nodes: limits.nodes.min(tree.len() * 8 + 100_000), ..limits };
        made.json = made.value(root, 1, limits)?;
        Ok(made)
    }

    fn value(&mut self, id: NodeId, depth: usize, limits: Limits) -> Result<Json, Fault> {
        let id = self.tree.followed(id);
        let node = self.tree.node(id);
        self.nodes += 1;
        self.depth = self.depth.max(depth);
        if self.nodes > limits.nodes || depth > limits.depth {
            let of_what = "values, tables and lists";
            return Err(Fault::past_limit(node.at, "nodes", limits.nodes as u64, of_what));
        }
        Ok(match &node.kind {
            Kind::Boolean(value) => Json::Bool(*value),
            Kind::Integer(value) => Json::from(*value),
            Kind::Number(value) => Json::from(*value),
            Kind::Text(text) => Json::String(text.to_string()),
            Kind::List(children) => {
                let mut items = Vec::with_capacity(children.count as usize);
                for item in self.tree.children(*children) {
                    items.push(self.value(item, depth + 1, limits)?);
                }
                Json::Array(items)
            }
            Kind::Table(_) => {
                let mut map = Map::new();
                for (name, child) in self.tree.members(id) {
                    map.insert(name.to_owned(), self.value(child, depth + 1, limits)?);
                }
                Json::Object(map)
            }
            Kind::Null | Kind::LeftOut | Kind::Unread(_) | Kind::OfProcess | Kind::Alias(..) => {
                Json::Null
            }
        })
    }

    fn select(&self, query: &str) -> Vec<NodeId> {
        let Ok(path) = JsonPath::parse(query) else { return Vec::new() };
        let nodes = self.by_value();
        let (mut found, mut seen) = (Vec::new(), HashSet::new());
        for value in path.query(&self.json).iter() {
            let node = nodes.get(&std::ptr::from_ref::<Json>(value));
            found.extend(node.copied().filter(|node| seen.insert(*node)));
        }
        found
    }

    /// The node of each value, which is where it is in memory and nowhere else.
    fn by_value(&self) -> HashMap<*const Json, NodeId> {
        let mut nodes = HashMap::with_capacity(self.nodes);
        let mut open = vec![(&self.json, self.root)];
        while let Some((value, id)) = open.pop() {
            nodes.insert(std::ptr::from_ref(value), id);
            let target = self.tree.followed(id);
            match (value, &self.tree.node(target).kind) {
                (Json::Array(items), Kind::List(children)) => {
                    open.extend(items.iter().zip(self.tree.children(*children)));
                }
                (Json::Object(map), Kind::Table(_)) => {
                    let members = self.tree.members(target).into_iter();
                    open.extend(members.filter_map(|(name, node)| Some((map.get(name)?, node))));
                }
                _ => {}
            }
        }
        nodes
    }
}
