//! Settings modules in JavaScript and TypeScript.

use super::changes::changes;
use super::value::{Entry, Item, Value, ValueReader, put};
use super::{BadModule, Module, Source};
use std::collections::HashSet;
use std::ops::Range;

/// What a statement at the top of a module does.
enum Statement<'t> {
    /// Declares a name with the value at a place.
    Declares { name: &'t str, name_at: Range<usize>, value_at: usize, is_exported: bool },
    /// Exports a value as the module itself.
    ExportsAll { value_at: usize },
    /// Exports a value under a name.
    Exports { name: &'t str, name_at: Range<usize>, value_at: usize },
    /// Exports names that are declared elsewhere, each as another.
    ExportsNames(Vec<(&'t str, &'t str, usize)>),
    /// Brings names in that cannot be seen.
    Hides,
}

pub(super) fn read(source: &Source<'_>) -> Result<Module, BadModule> {
    let statements = statements(source);
    let names: HashSet<&str> = statements
        .iter()
        .filter_map(|it| match it {
            Statement::Declares { name, .. } => Some(*name),
            _ => None,
        })
        .collect();
    let mut declared: HashSet<usize> = HashSet::new();
    for statement in &statements {
        if let Statement::Declares { name_at, .. } = statement {
            declared.insert(name_at.start);
        }
    }
    let changed = changes(source, &names, &declared, &|_| false);
    let mut all: Vec<Entry> = Vec::new();
    let mut module = Module::default();
    let mut exports: Vec<Entry> = Vec::new();
    let mut whole: Option<Value> = None;
    let mut later: Vec<(&str, &str, usize)> = Vec::new();
    for statement in statements {
        let values = ValueReader { source: *source, known: &all };
        match statement {
            Statement::Declares { name, name_at, value_at, is_exported } => {
                let (value, _) = values.read(value_at, 0);
                let mut entry = Entry { name: name.to_owned(), name_at, value };
                if let Some(line) = changed.get(name) {
                    entry = entry.doubted(&format!("{name} is changed in line {line}"));
                } else if all.iter().any(|other| other.name == name) {
                    entry = entry.doubted(&format!("{name} is declared twice"));
                }
                if is_exported {
                    put(&mut exports, entry.clone());
                }
                put(&mut all, entry);
            }
            Statement::ExportsAll { value_at } => whole = Some(values.read(value_at, 0).0),
            Statement::Exports { name, name_at, value_at } => {
                let (value, _) = values.read(value_at, 0);
                put(&mut exports, Entry { name: name.to_owned(), name_at, value });
            }
            Statement::ExportsNames(names) => later.extend(names),
            Statement::Hides => module.hidden += 1,
        }
    }
    for (name, exported, at) in later {
        let Some(entry) = all.iter().find(|entry| entry.name == name) else { continue };
        match exported {
            "default" => whole = Some(entry.value.clone()),
            exported => {
                let name_at = at..at + exported.len();
                put(
                    &mut exports,
                    Entry { name: exported.to_owned(), name_at, value: entry.value.clone() },
                );
            }
        }
    }
    settle(module, all, exports, whole)
}

/// What a module exports, from all that it has.
fn settle(
    mut module: Module,
    all: Vec<Entry>,
    exports: Vec<Entry>,
    whole: Option<Value>,
) -> Result<Module, BadModule> {
    module.all.clone_from(&all);
    match whole {
        Some(Value { item: Item::Table(entries), .. }) => {
            entries.iter().chain(&exports).for_each(|entry| put(&mut module.all, entry.clone()));
            module.exported = entries;
        }
        // With names of their own its parts can still be read.
        Some(value) if all.is_empty() => {
            return Err(BadModule {
                at: value.at,
                problem: "what the module exports is not an object that can be read",
                help: "export an object literal, or choose a constant with `under`",
            });
        }
        Some(_) => {}
        None if exports.is_empty() => module.exported = all,
        None => {
            exports.iter().for_each(|entry| put(&mut module.all, entry.clone()));
            module.exported = exports;
        }
    }
    Ok(module)
}

/// The statements at the top that matter.
fn statements<'t>(source: &Source<'t>) -> Vec<Statement<'t>> {
    let mut statements = Vec::new();
    let mut at = 0;
    loop {
        at = source.past_blanks(at);
        let rest = source.rest(at);
        if rest.is_empty() {
            return statements;
        }
        if rest.starts_with(';') {
            at += 1;
            continue;
        }
        let end = statement(source, at, &mut statements).unwrap_or_else(|| source.end_of(at));
        at = end.max(at + rest.chars().next().map_or(1, char::len_utf8));
    }
}

/// Reads the statement at a byte; none if it does not matter, else its end.
fn statement<'t>(source: &Source<'t>, at: usize, into: &mut Vec<Statement<'t>>) -> Option<usize> {
    let word = source.name(at);
    let next = source.past_blanks(at + word.len());
    match word {
        "export" => match source.name(next) {
            "default" => {
                let value_at = source.past_blanks(next + "default".len());
                let is_code = matches!(source.name(value_at), "function" | "class" | "async");
                if !is_code {
                    into.push(Statement::ExportsAll { value_at });
                }
                Some(source.end_of(value_at))
            }
            "const" | "let" | "var" => declarations(source, next, true, into),
            "" if source.rest(next).starts_with('*') => {
                into.push(Statement::Hides);
                None
            }
            "" if source.rest(next).starts_with('{') => {
                let close = next + source.rest(next).find('}')?;
                let is_elsewhere = source.rest(close + 1).trim_start().starts_with("from");
                let names = listed(source, next + 1, close);
                into.extend((!is_elsewhere).then_some(Statement::ExportsNames(names)));
                None
            }
            _ => None,
        },
        "const" | "let" | "var" => declarations(source, at, false, into),
        "module" | "exports" => {
            let end =
                at + source.rest(at).find(|c: char| !c.is_alphanumeric() && !"._$".contains(c))?;
            let target = &source.text[at..end];
            let equals = source.past_blanks(end);
            let is_assigned =
                source.rest(equals).starts_with('=') && !source.rest(equals).starts_with("==");
            let value_at = source.past_blanks(equals + 1);
            let name =
                target.strip_prefix("module.exports").or_else(|| target.strip_prefix("exports"))?;
            if !is_assigned {
                return None;
            }
            // `exports = module.exports = {`
            if matches!(source.name(value_at), "module" | "exports") {
                return statement(source, value_at, into);
            }
            match name.strip_prefix('.') {
                None => into.push(Statement::ExportsAll { value_at }),
                Some(name) if !name.contains('.') => {
                    into.push(Statement::Exports {
                        name,
                        name_at: end - name.len()..end,
                        value_at,
                    });
                }
                Some(_) => {}
            }
            Some(source.end_of(value_at))
        }
        _ => None,
    }
}

/// `const a = 1, b: Type = 2`.
fn declarations<'t>(
    source: &Source<'t>,
    at: usize,
    is_exported: bool,
    into: &mut Vec<Statement<'t>>,
) -> Option<usize> {
    let mut at = source.past_blanks(at + source.name(at).len());
    loop {
        let name = source.name(at);
        if name.is_empty() {
            return None;
        }
        let name_at = at..at + name.len();
        let equals = equals(source, name_at.end)?;
        let value_at = source.past_blanks(equals + 1);
        into.push(Statement::Declares { name, name_at, value_at, is_exported });
        let end = source.end_of(value_at);
        if !source.rest(end).starts_with(',') {
            return Some(end);
        }
        at = source.past_blanks(end + 1);
    }
}

/// The `=` after a name and the type that it may have.
fn equals(source: &Source<'_>, from: usize) -> Option<usize> {
    let mut depth = 0_i32;
    let text = source.rest(from);
    for (at, byte) in text.bytes().enumerate().take(2_000) {
        match byte {
            b'(' | b'[' | b'{' | b'<' => depth += 1,
            b'>' if text[..at].ends_with('=') => {}
            b')' | b']' | b'}' | b'>' => depth -= 1,
            b'=' if depth == 0 && !text[at + 1..].starts_with(['=', '>']) => {
                return Some(from + at);
            }
            b';' if depth == 0 => return None,
            _ => {}
        }
    }
    None
}

/// `a, b as c`: each with the name that others see, and where that is.
fn listed<'t>(source: &Source<'t>, from: usize, to: usize) -> Vec<(&'t str, &'t str, usize)> {
    let mut names = Vec::new();
    let mut at = from;
    for part in source.text[from..to].split(',') {
        let start = at + (part.len() - part.trim_start().len());
        let name = source.name(start);
        let trimmed = part.trim();
        let exported = trimmed.rsplit_once(" as ").map_or(name, |(_, exported)| exported.trim());
        if !name.is_empty() {
            names.push((name, exported, start));
        }
        at += part.len() + 1;
    }
    names
}
