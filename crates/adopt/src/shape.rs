//! What a file of settings has: names, tables, documents, and how its values refer to others.

use crate::observation::{Marks, Shape};
use crate::words::{is_environment, is_value, spelled_out};
use justwhy_formats::{Format, Kind, Limits, NodeId, Tree};
use regex::Regex;
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// More names than these are not remembered of one file.
const MOST_KEYS: usize = 2_000;

/// The lines of a text, for places in it.
pub(crate) struct Lines {
    breaks: Vec<usize>,
}

impl Lines {
    pub(crate) fn of(text: &str) -> Lines {
        Lines { breaks: memchr::memchr_iter(b'\n', text.as_bytes()).collect() }
    }

    /// The line that has a byte, from 1.
    pub(crate) fn at(&self, byte: usize) -> usize {
        self.breaks.partition_point(|it| *it < byte) + 1
    }
}

/// A tree with the lines of its text.
pub(crate) struct Seen<'t> {
    pub(crate) tree: Tree<'t>,
    pub(crate) lines: Lines,
}

impl<'t> Seen<'t> {
    pub(crate) fn read(text: &'t str, format: Format) -> (Seen<'t>, Option<(usize, String)>) {
        let (tree, faults) = match format.has_documents() {
            true => format.read_any(text, Limits::default()),
            false => format.read(text, Limits::default()),
        };
        let seen = Seen { tree, lines: Lines::of(text) };
        let fault = faults.into_iter().next();
        let fault = fault.map(|fault| (seen.lines.at(fault.at.start as usize), fault.message));
        (seen, fault)
    }

    /// The roots of its documents.
    pub(crate) fn roots(&self) -> Vec<NodeId> {
        match self.tree.documents.as_slice() {
            [] => vec![Tree::ROOT],
            roots => roots.to_vec(),
        }
    }

    /// The node that aliases lead to.
    pub(crate) fn real(&self, id: NodeId) -> NodeId {
        let mut at = id;
        while let Kind::Alias(target, _) = self.tree.node(at).kind {
            at = target;
        }
        at
    }

    /// An entry of a table.
    pub(crate) fn get(&self, table: NodeId, name: &str) -> Option<NodeId> {
        let table = self.real(table);
        let id = self.tree.entries(table).find(|id| self.tree.node(*id).name == name)?;
        Some(self.real(id))
    }

    /// What is at the end of a way through tables.
    pub(crate) fn at(&self, from: NodeId, way: &str) -> Option<NodeId> {
        way.split('.').try_fold(from, |at, name| self.get(at, name))
    }

    pub(crate) fn text(&self, id: NodeId) -> Option<&str> {
        match &self.tree.node(id).kind {
            Kind::Text(text) => Some(text),
            _ => None,
        }
    }

    /// The entries of a table by name.
    pub(crate) fn entries(&self, table: NodeId) -> Vec<(String, NodeId)> {
        let table = self.real(table);
        let entry = |id: NodeId| (self.tree.node(id).name.to_string(), self.real(id));
        self.tree.entries(table).map(entry).collect()
    }

    /// The items of a list.
    pub(crate) fn items(&self, id: NodeId) -> Vec<NodeId> {
        match self.tree.node(id).kind {
            Kind::List(children) => self.tree.children(children).map(|it| self.real(it)).collect(),
            _ => Vec::new(),
        }
    }

    pub(crate) fn is_table(&self, id: NodeId) -> bool {
        matches!(self.tree.node(id).kind, Kind::Table(_))
    }

    pub(crate) fn is_list(&self, id: NodeId) -> bool {
        matches!(self.tree.node(id).kind, Kind::List(_))
    }

    /// The line at which a node begins.
    pub(crate) fn line(&self, id: NodeId) -> usize {
        let node = self.tree.node(id);
        self.lines.at(node.name_at.start.min(node.at.start) as usize)
    }
}

/// Looks at a file of settings.
pub(crate) fn shape(text: &str, format: Format) -> Shape {
    let (seen, fault) = Seen::read(text, format);
    let mut shape = Shape { fault, merges: seen.tree.has_merges, ..Shape::default() };
    let roots = seen.roots();
    shape.documents = roots.len();
    for root in &roots {
        for id in seen.tree.entries(*root) {
            let node = seen.tree.node(id);
            let line = seen.lines.at(node.name_at.start as usize);
            shape.lines.entry(node.name.to_string()).or_insert(line);
            match node.kind {
                Kind::Table(_) => shape.tables.push(node.name.to_string()),
                _ => shape.plain += 1,
            }
            if let Some(text) = seen.text(id) {
                if text.is_empty() {
                    shape.empty.insert(node.name.to_string());
                } else if is_value(text) && text.len() <= 40 {
                    shape.words.insert(node.name.to_string(), text.to_owned());
                }
            }
        }
        walk(&seen, *root, &mut shape);
    }
    shape.applies = applies(&seen, &roots);
    shape.marks = marks(text, &mut shape.refers);
    shape.head = head(text);
    if format.name() == "ini" {
        let has_comment = |line: &str| {
            let is_comment = line.trim_start().starts_with([';', '#']);
            !is_comment && line.contains('=') && (line.contains(" ; ") || line.contains(" # "))
        };
        shape.inline_comment = text.lines().position(has_comment).map(|at| at + 1);
    }
    shape
}

static FIELD: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r#"\b([a-z][a-z0-9_-]*) = "([A-Za-z0-9._-]+)""#).ok());

/// What the comment at the head of a text has that is written as a project file would have it.
fn head(text: &str) -> Vec<(String, String, usize)> {
    const MOST_LINES: usize = 20;
    let is_comment = |line: &&str| line.starts_with(['#', ';']) || line.starts_with("//");
    let lines = text.lines().take(MOST_LINES).take_while(is_comment).enumerate();
    let mut found = Vec::new();
    for (number, line) in lines {
        for it in FIELD.iter().flat_map(|it| it.captures_iter(line)) {
            let (Some(name), Some(word)) = (it.get(1), it.get(2)) else { continue };
            found.push((name.as_str().to_owned(), word.as_str().to_owned(), number + 1));
        }
    }
    found
}

/// The dotted names of all values.
fn walk(seen: &Seen<'_>, root: NodeId, shape: &mut Shape) {
    let mut open = vec![(root, String::new())];
    while let Some((table, above)) = open.pop() {
        for id in seen.tree.entries(table) {
            if shape.keys.len() >= MOST_KEYS {
                return;
            }
            let node = seen.tree.node(id);
            let key = match above.as_str() {
                "" => node.name.to_string(),
                above => format!("{above}.{}", node.name),
            };
            match node.kind {
                Kind::Table(_) => open.push((id, key)),
                Kind::Alias(..) if node.merges => {}
                Kind::Unread(_) => {
                    shape.unread += 1;
                    shape.keys.insert(key);
                }
                _ => drop(shape.keys.insert(key)),
            }
        }
    }
}

/// The key by which later documents say where they apply: one that they have and the first one has not, with
/// nothing but names in it.
fn applies(seen: &Seen<'_>, roots: &[NodeId]) -> Option<(String, Vec<String>)> {
    let [first, rest @ ..] = roots else { return None };
    if rest.is_empty() {
        return None;
    }
    let mut found: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for root in rest {
        let mut open = vec![(*root, String::new(), 0)];
        while let Some((table, above, depth)) = open.pop() {
            for id in seen.tree.entries(table) {
                let node = seen.tree.node(id);
                let key = if above.is_empty() {
                    node.name.to_string()
                } else {
                    format!("{above}.{}", node.name)
                };
                match &node.kind {
                    Kind::Table(_) if depth < 5 => open.push((id, key, depth + 1)),
                    Kind::Text(text)
                        if text
                            .split([',', '|'])
                            .all(|it| is_value(it.trim().trim_start_matches('!'))) =>
                    {
                        let words = text
                            .split([',', '|'])
                            .map(|it| it.trim().trim_start_matches('!').to_owned());
                        found.entry(key).or_default().extend(words);
                    }
                    _ => {}
                }
            }
        }
    }
    let is_sign = |(key, words): &(String, Vec<String>)| {
        seen.at(*first, key).is_none()
            && words.len() >= rest.len()
            && words.iter().any(|word| is_environment(word))
            && key.rsplit('.').next().is_some_and(|last| {
                ["profile", "environment", "applies", "stage", "env", "active", "only"]
                    .iter()
                    .any(|word| last.to_ascii_lowercase().contains(word))
            })
    };
    found.into_iter().find(is_sign)
}

static COLON: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r"\$\{([A-Za-z][\w.-]*):([^-}?+=][^}]*)?\}").ok());
static POSIX: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(r"\$\{([A-Z_a-z][A-Z0-9_a-z]*)(?::?[-+?][^}]*)?\}|\$([A-Z_][A-Z0-9_]*)").ok()
});
static PERCENT: LazyLock<Option<Regex>> = LazyLock::new(|| Regex::new(r"%\([\w.-]+\)s").ok());
static PARENS: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r"\$\([A-Z_][A-Z0-9_]*\)").ok());
static OWN: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r"\$\{[a-z][\w-]*(\.[\w-]+)+\}").ok());

/// How the values of a text refer to something else.
pub(crate) fn marks(text: &str, refers: &mut std::collections::BTreeSet<String>) -> Marks {
    let mut marks = Marks::default();
    if !text.contains(['$', '%']) && !text.contains("{{") {
        return marks;
    }
    for (number, line) in text.lines().enumerate().map(|(at, line)| (at + 1, line)) {
        if line.trim_start().starts_with(['#', ';']) || !line.contains(['$', '%', '{']) {
            continue;
        }
        let is =
            |regex: &LazyLock<Option<Regex>>| regex.as_ref().is_some_and(|it| it.is_match(line));
        if line.contains("${{") {
            marks.elsewhere.get_or_insert((number, "${{ * }}"));
            continue;
        }
        if line.contains("{{") {
            marks.elsewhere.get_or_insert((number, "{{ * }}"));
            continue;
        }
        let note = |mark: &mut Option<usize>, is: bool| {
            if is {
                mark.get_or_insert(number);
            }
        };
        // Ours: `${variable:X}`, `${file:PATH}`.
        let is_ours = line.contains("${variable:") || line.contains("${file:");
        note(&mut marks.colon, !is_ours && is(&COLON));
        note(&mut marks.percent, is(&PERCENT));
        note(&mut marks.parens, is(&PARENS));
        note(&mut marks.own, is(&OWN));
        note(&mut marks.posix, is(&POSIX));
        for found in POSIX.iter().flat_map(|it| it.captures_iter(line)) {
            let name = found.get(1).or(found.get(2)).map_or("", |name| name.as_str());
            let whole = found.get(0).map_or("", |it| it.as_str());
            if whole.trim_end_matches('}').ends_with(name) {
                marks.bare.insert(name.to_owned());
            }
            refers.insert(name.to_owned());
        }
    }
    marks
}

/// Whether words are environments, none twice under two spellings.
pub(crate) fn are_environments<'a>(words: impl Iterator<Item = &'a str>) -> bool {
    let mut whole: Vec<String> = words.filter(|it| is_environment(it)).map(spelled_out).collect();
    let count = whole.len();
    whole.sort();
    whole.dedup();
    count >= 2 && whole.len() == count
}
