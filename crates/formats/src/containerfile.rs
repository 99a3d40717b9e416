//! Container files: the variables that an image has by `ENV`.

use crate::Limits;
use crate::edit::lines::text_of;
use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::splice::{Splice, Way, line_end, names, whole_lines};
use crate::tree::{Children, Kind, Node, NodeId, Tree};
use crate::words::{self, is_name};
use crate::write::unwritable;
use justwhy_core::{Span, Value};

/// Container files.
pub(crate) struct Containerfile;

impl FileFormat for Containerfile {
    fn about(&self) -> About {
        About {
            name: "containerfile",
            endings: &[],
            claims: |name| name.starts_with("Dockerfile") || name.starts_with("Containerfile"),
            has_variables: true,
            is_untyped: true,
            has_stages: true,
            effort: 3,
            ..About::of_typed_values()
        }
    }

    fn read<'t>(
        &self,
        text: &'t str,
        manner: Manner<'_>,
        _: Limits,
        faults: &mut Faults,
    ) -> Tree<'t> {
        read(text, manner, faults)
    }

    fn put(
        &self,
        text: &str,
        tree: &Tree<'_>,
        way: &Way<'_>,
        value: &Value,
    ) -> Result<Splice, Fault> {
        let value = text_of(value)?;
        if value.contains(['\n', '\r']) {
            return Err(unwritable("a string of several lines"));
        }
        let value = quoted(&value);
        if let Some(there) = way.there {
            return Ok(Splice::replace(tree.node(there).at, value));
        }
        let [name] = names(way.rest)[..] else { return Err(unwritable("this name")) };
        let last = tree.entries(way.table).last().map(|id| tree.node(id).at.end as usize);
        match last.filter(|_| is_name(name)) {
            Some(end) => Ok(whole_lines(text, line_end(text, end), &format!("ENV {name}={value}"))),
            None => Err(unwritable("a first variable")),
        }
    }

    fn take_out(
        &self,
        text: &str,
        tree: &Tree<'_>,
        (_, there): (NodeId, NodeId),
    ) -> Result<Splice, Fault> {
        let node = tree.node(there);
        let start = crate::splice::line_start(text, node.name_at.start as usize);
        let end = line_end(text, node.at.end as usize);
        let before = text[start..node.name_at.start as usize].trim();
        let after = text[node.at.end as usize..end].trim();
        match before.eq_ignore_ascii_case("env") && after.is_empty() {
            true => Ok(Splice { range: start..end, with: String::new() }),
            false => Err(unwritable("an edit of an instruction with several variables")),
        }
    }

    fn snippet(&self, segments: &[&str], value: &str) -> Option<String> {
        let [name] = segments else { return None };
        Some(format!("ENV {name}={value}"))
    }
}

/// A value as the instruction takes it.
fn quoted(text: &str) -> String {
    let is_plain = |byte: u8| byte.is_ascii_alphanumeric() || b"._-=,:@/+%".contains(&byte);
    if !text.is_empty() && text.bytes().all(is_plain) {
        return text.to_owned();
    }
    let mut out = String::from("\"");
    for c in text.chars() {
        if matches!(c, '"' | '\\' | '$') {
            out.push('\\');
        }
        out.push(c);
    }
    out + "\""
}

/// A stage: its name and its variables.
struct Stage {
    name: String,
    root: NodeId,
}

/// The variables of the last stage; of every stage, as a document each, where one can be chosen.
fn read<'t>(text: &'t str, manner: Manner<'_>, faults: &mut Faults) -> Tree<'t> {
    let mut tree = Tree::for_text(text.len());
    tree.repeats = true;
    let mut stages: Vec<Stage> = Vec::new();
    let mut at = 0;
    while at < text.len() && !faults.are_enough() {
        let end = instruction_end(text, at);
        let line = &text[at..end];
        let trimmed = line.trim_start();
        let word_length = trimmed.find(|c: char| c.is_whitespace()).unwrap_or(trimmed.len());
        let (word, rest) = trimmed.split_at(word_length);
        let from = at + (line.len() - trimmed.len()) + word_length;
        if word.eq_ignore_ascii_case("from") {
            let mut words = rest.split_whitespace().filter(|word| !word.starts_with("--"));
            let base = words.next().unwrap_or_default().to_owned();
            let name = match (words.next(), words.next()) {
                (Some(alias), Some(name)) if alias.eq_ignore_ascii_case("as") => name.to_owned(),
                _ => stages.len().to_string(),
            };
            let at = Span::new(at, end);
            let root = tree.push(Node::new(at, Kind::Table(Children::default())));
            // What it is built on is a weaker document.
            let built_on = stages.iter().rev().find(|it| it.name.eq_ignore_ascii_case(&base));
            tree.bases.extend(built_on.map(|stage| (root, stage.root)));
            stages.push(Stage { name, root });
        } else if word.eq_ignore_ascii_case("env") {
            match stages.last() {
                Some(stage) => {
                    let root = stage.root;
                    faults.unless(variables(&mut tree, root, text, (from, end)));
                }
                None => faults.note(
                    Fault::new(Span::new(from, from), "ENV before the first FROM")
                        .help("move it below FROM"),
                ),
            }
        }
        at = end;
    }
    if manner.is_any {
        for stage in &stages {
            tree.node_mut(stage.root).name = stage.name.clone().into();
            tree.documents.push(stage.root);
        }
        return tree;
    }
    let last = stages.last().map(|stage| stage.root);
    for root in last.map(|root| tree.with_bases(root)).unwrap_or_default() {
        let entries: Vec<NodeId> = tree.entries(root).collect();
        for id in entries {
            let node = tree.node(id);
            let copy = Node::named(node.name.clone(), node.name_at, node.at, node.kind.clone());
            tree.push_child(Tree::ROOT, copy);
        }
    }
    tree
}

/// The byte after an instruction, with its continued lines and the comments between them.
fn instruction_end(text: &str, from: usize) -> usize {
    let mut at = from;
    loop {
        let end = line_end(text, at);
        let line = text[at..end].trim();
        let is_first = at == from;
        let goes_on = if is_first && line.starts_with('#') {
            false
        } else {
            line.ends_with('\\') || !is_first && line.starts_with('#')
        };
        if !goes_on || end >= text.len() {
            return end;
        }
        at = end;
    }
}

/// `A=1 B="x y"`, or `A rest of the line`.
fn variables(
    tree: &mut Tree<'_>,
    root: NodeId,
    text: &str,
    (from, end): (usize, usize),
) -> Result<(), Fault> {
    let inside = &text[from..end];
    let first = inside.trim_start();
    let head: String = first.chars().take_while(|c| !c.is_whitespace()).collect();
    if !head.contains('=') {
        let start = from + (inside.len() - first.len());
        let rest = first[head.len()..].trim();
        let value_at = start
            + head.len()
            + (first.len() - head.len() - first[head.len()..].trim_start().len());
        if rest.is_empty() {
            let fault = Fault::new(Span::new(start, start), "expected NAME=VALUE");
            return Err(fault.help("write ENV NAME=VALUE"));
        }
        let kind = match rest.find('$') {
            Some(dollar) => unread(&rest[dollar..]),
            None => Kind::Text(rest.to_owned().into()),
        };
        let name_at = Span::new(start, start + head.len());
        let at = Span::new(value_at, value_at + rest.len());
        tree.push_child(root, Node::named(head.into(), name_at, at, kind));
        return Ok(());
    }
    let mut at = from;
    while at < end {
        let parsed = words::command(&text[..end], at).map_err(|open| {
            Fault::new(Span::new(open, open + 1), "unterminated quote").help("close the quote")
        })?;
        for word in &parsed.0 {
            let Some((name, from)) = word.assignment() else {
                return Err(
                    Fault::new(word.at, "expected NAME=VALUE").help("quote a value with blanks")
                );
            };
            let name_at = Span::new(word.at.start as usize, word.at.start as usize + name.len());
            let kind = match word.expands {
                Some(span) => unread(&text[span.start as usize..span.end as usize]),
                None => Kind::Text(word.text[from..].to_owned().into()),
            };
            tree.push_child(
                root,
                Node::named(name.to_owned().into(), name_at, word.place(from), kind),
            );
        }
        at = parsed.2.max(at + 1);
    }
    Ok(())
}

fn unread<'s>(found: &str) -> Kind<'s> {
    let shown: String = found.chars().take(60).collect();
    Kind::Unread(format!("the build fills in {}", shown.trim_end()).into())
}
