//! The settings that a settings module exports or assigns: literals, tables and lists of them, constants that
//! stand for them, and reads of variables with a fallback. Nothing is run; what only running could show is
//! [`Item::Unknown`].

use crate::expression::{self, Constant, Outcome};
use crate::syntax::{Pieces, Syntax};
use std::ops::Range;

mod changes;
mod node;
mod python;
#[cfg(test)]
mod tests;
mod value;

pub use value::{Entry, Item, Value};

/// What a module has.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Module {
    /// What it exports; of one that exports nothing, its constants.
    pub exported: Vec<Entry>,
    /// All its constants, and what it exports.
    pub all: Vec<Entry>,
    /// How many statements bring in names that cannot be seen (`from x import *`).
    pub hidden: usize,
}

/// Why a module cannot be read.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct BadModule {
    /// Where.
    pub at: Range<usize>,
    /// What is wrong, as a clause.
    pub problem: &'static str,
    /// How to mend it.
    pub help: &'static str,
}

/// The language of a settings module.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Language {
    /// JavaScript and TypeScript.
    Node,
    /// Python.
    Python,
}

/// Tables in tables: more are nobody's settings.
const DEEPEST: usize = 32;

/// Reads a module.
pub fn read(text: &str, language: Language) -> Result<Module, BadModule> {
    let name = match language {
        Language::Node => "node",
        Language::Python => "python",
    };
    let Some(syntax) = Syntax::named(name) else { return Ok(Module::default()) };
    let pieces = syntax.pieces(text.as_bytes());
    let bare = pieces.without_comments(text.as_bytes());
    let bare = std::str::from_utf8(&bare).unwrap_or(text);
    let source = Source { text: bare, pieces: &pieces, syntax };
    check_brackets(&source)?;
    match language {
        Language::Node => node::read(&source),
        Language::Python => Ok(python::read(&source)),
    }
}

/// A module without its comments.
#[derive(Clone, Copy)]
struct Source<'t> {
    text: &'t str,
    pieces: &'t Pieces,
    syntax: &'static Syntax,
}

impl<'t> Source<'t> {
    fn rest(&self, at: usize) -> &'t str {
        self.text.get(at..).unwrap_or_default()
    }

    /// The byte after blanks, line ends included.
    fn past_blanks(&self, at: usize) -> usize {
        let rest = self.rest(at);
        at + (rest.len() - rest.trim_start().len())
    }

    /// The byte after blanks and commas: where the next entry of a table or a list begins.
    fn past_commas(&self, at: usize) -> usize {
        let rest = self.rest(at);
        let next = rest.trim_start_matches(|c: char| c.is_whitespace() || c == ',');
        at + (rest.len() - next.len())
    }

    /// The name that begins at a byte.
    fn name(&self, at: usize) -> &'t str {
        let rest = self.rest(at);
        let is_part = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
        let end = rest.find(|c: char| !is_part(c)).unwrap_or(rest.len());
        let name = &rest[..end];
        if name.starts_with(|c: char| c.is_ascii_digit()) { "" } else { name }
    }

    /// Where the expression at a byte ends.
    fn end_of(&self, at: usize) -> usize {
        expression::end_of(self.text, at, self.syntax)
    }

    fn evaluate(&self, at: usize, resolve: expression::Resolve<'_>) -> expression::Expression {
        expression::read(self.text, at, self.syntax, resolve)
    }

    /// Whether a byte is code.
    fn is_code(&self, at: usize) -> bool {
        self.pieces.at(at) == crate::Piece::Code
    }
}

/// Refuses a text in which brackets do not fit: nothing in it is where it seems.
fn check_brackets(source: &Source<'_>) -> Result<(), BadModule> {
    let mut open: Vec<(u8, usize)> = Vec::new();
    let bad = |at: usize, problem| BadModule {
        at: at..at + 1,
        problem,
        help: "correct the brackets; a quote may be missing before them",
    };
    for (at, byte) in source.text.bytes().enumerate() {
        if !matches!(byte, b'(' | b'[' | b'{' | b')' | b']' | b'}') || !source.is_code(at) {
            continue;
        }
        let expected = match byte {
            b')' => b'(',
            b']' => b'[',
            b'}' => b'{',
            _ => {
                open.push((byte, at));
                continue;
            }
        };
        match open.pop() {
            Some((other, _)) if other == expected => {}
            // The end of code within a string is told by the string.
            None if byte == b'}' => {}
            _ => return Err(bad(at, "a bracket without its counterpart")),
        }
    }
    match open.last() {
        Some((_, at)) => Err(bad(*at, "an unclosed bracket")),
        None => Ok(()),
    }
}

/// A constant that a name stands for, if it is one.
fn constant_of(entries: &[Entry], path: &str) -> Option<Constant> {
    match &table_or_constant(entries, path)?.item {
        Item::Constant(constant) => Some(constant.clone()),
        _ => None,
    }
}

/// What a name stands for: `name`, or `name.of.member`.
fn table_or_constant<'e>(entries: &'e [Entry], path: &str) -> Option<&'e Value> {
    let mut parts = path.split('.');
    let first = parts.next()?;
    let mut value = &entries.iter().rev().find(|entry| entry.name == first)?.value;
    for part in parts {
        let Item::Table(inside) = &value.item else { return None };
        value = &inside.iter().rev().find(|entry| entry.name == part)?.value;
    }
    Some(value)
}

/// The outcome of an expression, if it is a constant.
fn constant(outcome: &Outcome) -> Option<&Constant> {
    match outcome {
        Outcome::Constant(constant) => Some(constant),
        _ => None,
    }
}
