//! Settings modules in Python.

use super::changes::changes;
use super::value::{Entry, Item, Value, ValueReader, put};
use super::{Module, Source};
use std::collections::{HashMap, HashSet};

/// A line as Python counts them: brackets and strings may go over several.
struct Line {
    start: usize,
    end: usize,
    /// What its block does to a name that is assigned in it.
    block: Block,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Block {
    /// It is always run.
    Always,
    /// It is run under a condition.
    Condition,
    /// Names in it are other ones.
    Local,
}

pub(super) fn read(source: &Source<'_>) -> Module {
    let lines = lines(source);
    let mut module = Module::default();
    let mut names: HashSet<&str> = HashSet::new();
    let mut declared: HashSet<usize> = HashSet::new();
    let mut twice: HashMap<&str, usize> = HashMap::new();
    for line in lines.iter().filter(|line| line.block != Block::Local) {
        if let Some((name, _)) = assigned(source, line) {
            declared.insert(line.start);
            if !names.insert(name) {
                twice.insert(name, line_number(source, line.start));
            }
        }
    }
    let block_at = |at: usize| {
        let after = lines.partition_point(|line| line.start <= at);
        after.checked_sub(1).map_or(Block::Always, |number| lines[number].block)
    };
    let changed = changes(source, &names, &declared, &|at| block_at(at) == Block::Local);
    for line in &lines {
        let text = &source.text[line.start..line.end];
        if line.block != Block::Local
            && text.starts_with("from ")
            && text.trim_end().ends_with("import *")
        {
            module.hidden += 1;
            let why = format!("{} after it may give it another value", text.trim_end());
            let before = std::mem::take(&mut module.all);
            module.all = before.into_iter().map(|entry| entry.doubted(&why)).collect();
            continue;
        }
        let Some((name, value_at)) = assigned(source, line) else { continue };
        if line.block == Block::Local {
            continue;
        }
        let values = ValueReader { source: *source, known: &module.all };
        let (value, end) = values.read(value_at, 0);
        // `a = b = 1`, and what else follows a value.
        let is_whole = (source.text.get(end..line.end))
            .is_some_and(|after| after.trim().trim_end_matches(';').is_empty());
        let value = match is_whole {
            true => value,
            false => tuple(&values, value_at, line.end),
        };
        let name_at = line.start..line.start + name.len();
        let mut entry = Entry { name: name.to_owned(), name_at, value };
        let number = twice.get(name).or_else(|| changed.get(name));
        if line.block == Block::Condition {
            entry = entry.doubted("it is assigned under a condition");
        } else if let Some(number) = number {
            entry = entry.doubted(&format!("{name} is changed in line {number}"));
        }
        put(&mut module.all, entry);
    }
    let is_public = |entry: &&Entry| !entry.name.starts_with('_');
    module.exported = module.all.iter().filter(is_public).cloned().collect();
    module
}

/// `a = 1, 2` is a list without brackets; everything else that follows a value is not read.
fn tuple(values: &ValueReader<'_, '_>, from: usize, to: usize) -> Value {
    let source = &values.source;
    // What is left empty ends where its line does.
    let start = source.past_blanks(from).min(to);
    let mut items = Vec::new();
    let mut at = from;
    loop {
        let (value, end) = values.read(at, 1);
        items.push(value);
        // None where an operator at the end of a line makes the next line a part of it.
        let rest = source.text.get(end..to).map(str::trim);
        if matches!(rest, Some("" | ",")) {
            return Value { at: start..end, item: Item::List(items) };
        }
        if !rest.is_some_and(|rest| rest.starts_with(',')) {
            let text = super::value::shortened(source.text[from..to].trim());
            let item = Item::Unknown(format!("not a literal: {text}"));
            return Value { at: start..to, item };
        }
        at = source.past_blanks(end) + 1;
    }
}

fn line_number(source: &Source<'_>, at: usize) -> usize {
    source.text[..at].matches('\n').count() + 1
}

/// The name that a line assigns, and where its value begins: `NAME = `, `NAME: type = `.
fn assigned<'t>(source: &Source<'t>, line: &Line) -> Option<(&'t str, usize)> {
    let name = source.name(line.start);
    const KEYWORDS: [&str; 8] =
        ["else", "try", "finally", "except", "lambda", "if", "while", "for"];
    if name.is_empty() || KEYWORDS.contains(&name) {
        return None;
    }
    let text = &source.text[line.start + name.len()..line.end];
    let mut at = text.len() - text.trim_start_matches([' ', '\t']).len();
    if text[at..].starts_with(':') {
        at = text.find('=')?;
    }
    let is_assignment = text[at..].starts_with('=') && !text[at..].starts_with("==");
    let value_at = line.start + name.len() + at + 1;
    is_assignment.then_some((name, value_at))
}

/// Every line that has code.
fn lines(source: &Source<'_>) -> Vec<Line> {
    let bytes = source.text.as_bytes();
    let mut lines: Vec<Line> = Vec::new();
    // The blocks around, each with the indentation of what begins it.
    let mut blocks: Vec<(usize, Block)> = Vec::new();
    let mut at = 0;
    while at < bytes.len() {
        let indent = bytes[at..].iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
        let start = at + indent;
        let end = line_end(source, start);
        at = end + 1;
        let text = source.text[start..end].trim_end();
        if text.is_empty() {
            continue;
        }
        while blocks.last().is_some_and(|(around, _)| *around >= indent) {
            blocks.pop();
        }
        let block = blocks.last().map_or(Block::Always, |(_, block)| *block);
        lines.push(Line { start, end, block });
        if text.ends_with(':') {
            blocks.push((indent, inside(text, block)));
        }
    }
    lines
}

/// What the block does that a line begins.
fn inside(text: &str, around: Block) -> Block {
    const LOCAL: [&str; 3] = ["def ", "class ", "async def "];
    let is_main = text.starts_with("if __name__");
    match around {
        Block::Local => Block::Local,
        _ if is_main || LOCAL.iter().any(|word| text.starts_with(word)) => Block::Local,
        _ => Block::Condition,
    }
}

fn line_end(source: &Source<'_>, start: usize) -> usize {
    let bytes = source.text.as_bytes();
    let (mut at, mut depth) = (start, 0_usize);
    while at < bytes.len() {
        match bytes[at] {
            b'\n' if depth == 0 && source.is_code(at) && !source.text[..at].ends_with('\\') => {
                return at;
            }
            b'(' | b'[' | b'{' if source.is_code(at) => depth += 1,
            b')' | b']' | b'}' if source.is_code(at) => depth = depth.saturating_sub(1),
            _ => {}
        }
        at += 1;
    }
    bytes.len()
}
