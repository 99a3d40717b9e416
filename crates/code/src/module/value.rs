//! ValueReader of a settings module: what stands at a place.

use super::{DEEPEST, Source, constant, constant_of, table_or_constant};
use crate::expression::Constant;
use crate::reads::{Fallback, ReadSet, Reading};
use std::ops::Range;
use std::sync::LazyLock;

/// A name with its value.
#[derive(Clone, PartialEq, Debug)]
pub struct Entry {
    /// The name.
    pub name: String,
    /// Where it is.
    pub name_at: Range<usize>,
    /// The value.
    pub value: Value,
}

/// A value at a place.
#[derive(Clone, PartialEq, Debug)]
pub struct Value {
    /// Where it is.
    pub at: Range<usize>,
    /// What it is.
    pub item: Item,
}

/// What a value is.
#[derive(Clone, PartialEq, Debug)]
pub enum Item {
    /// A constant.
    Constant(Constant),
    /// Entries.
    Table(Vec<Entry>),
    /// Items.
    List(Vec<Value>),
    /// What a variable has, or else a constant.
    Variable {
        /// The name of the variable.
        name: String,
        /// The constant.
        fallback: Constant,
    },
    /// Something that only running the module could show: why, as a clause.
    Unknown(String),
}

impl Entry {
    /// The same, but that nobody can know what it has.
    pub(super) fn doubted(mut self, why: &str) -> Entry {
        self.value.doubt(why);
        self
    }
}

impl Value {
    fn doubt(&mut self, why: &str) {
        match &mut self.item {
            Item::Table(entries) if !entries.is_empty() => {
                entries.iter_mut().for_each(|entry| entry.value.doubt(why));
            }
            Item::Unknown(_) => {}
            item => *item = Item::Unknown(why.to_owned()),
        }
    }
}

/// Puts an entry in, in place of one of the same name before it.
pub(super) fn put(entries: &mut Vec<Entry>, entry: Entry) {
    match entries.iter().position(|other| other.name == entry.name) {
        // The later one counts, and stands where it is written.
        Some(at) => {
            entries.remove(at);
            entries.push(entry);
        }
        None => entries.push(entry),
    }
}

/// Reads values, `known` being the constants before them.
pub(super) struct ValueReader<'s, 'k> {
    pub(super) source: Source<'s>,
    pub(super) known: &'k [Entry],
}

impl ValueReader<'_, '_> {
    /// The value that begins at a byte, and where it ends.
    pub(super) fn read(&self, at: usize, depth: usize) -> (Value, usize) {
        let source = &self.source;
        let read = source.evaluate(at, &|name| constant_of(self.known, name));
        let end = read.end;
        let (mut from, mut to) = (read.start, end);
        let unknown = |text: &str| Item::Unknown(format!("not a literal: {}", shortened(text)));
        let value = |item| (Value { at: read.start..end, item }, end);
        if let Some(constant) = constant(&read.outcome) {
            return value(Item::Constant(constant.clone()));
        }
        if depth > DEEPEST {
            return value(Item::Unknown("it is nested too deeply".to_owned()));
        }
        self.peel(&mut from, &mut to);
        let text = &source.text[from..to];
        let closes = |close: char| text.ends_with(close) && self.is_one(from, to);
        let item = match text.chars().next() {
            Some('{') if closes('}') => self.table(from, to, depth),
            Some('[') if closes(']') => self.list(from, to, depth),
            Some('(') if source.syntax.name == "python" && closes(')') => {
                self.list(from, to, depth)
            }
            _ => None,
        };
        let item = item.or_else(|| self.named(text)).or_else(|| self.variable(text));
        let item = item.unwrap_or_else(|| unknown(text));
        // A table that stands elsewhere keeps its places.
        (Value { at: from..to, item }, end)
    }

    /// Goes past what does not change a value: `as const`, `Object.freeze(…)`.
    fn peel(&self, from: &mut usize, to: &mut usize) {
        if self.source.syntax.name != "node" {
            return;
        }
        loop {
            let text = &self.source.text[*from..*to];
            if let Some(inside) =
                text.strip_prefix("Object.freeze(").and_then(|it| it.strip_suffix(')'))
            {
                let start = *from + "Object.freeze(".len();
                *to = start + inside.trim_end().trim_end_matches(',').trim_end().len();
                *from = start + (inside.len() - inside.trim_start().len());
                continue;
            }
            // A type comes after the last bracket of the value.
            if !text.starts_with(['{', '[', '(']) {
                return;
            }
            let Some(close) = self.close_of(*from, *to) else { return };
            let after = self.source.text[close..*to].trim_start();
            if after.starts_with("as ") || after.starts_with("satisfies ") {
                *to = close;
            }
            return;
        }
    }

    /// Whether the bracket that opens a text is closed by its last byte.
    fn is_one(&self, from: usize, to: usize) -> bool {
        self.close_of(from, to) == Some(to)
    }

    /// The byte after the bracket that closes the one with which a text begins.
    fn close_of(&self, from: usize, to: usize) -> Option<usize> {
        let mut depth = 0_usize;
        for (at, byte) in self.source.text[from..to].bytes().enumerate() {
            let is_bracket = matches!(byte, b'(' | b'[' | b'{' | b')' | b']' | b'}');
            if !is_bracket || !self.source.is_code(from + at) {
                continue;
            }
            match byte {
                b'(' | b'[' | b'{' => depth += 1,
                _ => depth = depth.saturating_sub(1),
            }
            if depth == 0 {
                return Some(from + at + 1);
            }
        }
        None
    }

    /// The entries in braces; none if it is something else.
    fn table(&self, from: usize, to: usize, depth: usize) -> Option<Item> {
        let source = &self.source;
        let mut entries: Vec<Entry> = Vec::new();
        let mut at = from + 1;
        loop {
            at = source.past_commas(at);
            if at + 1 >= to {
                break;
            }
            let rest = source.rest(at);
            let spread = ["...", "**"].into_iter().find(|mark| rest.starts_with(mark));
            if spread.is_some() || rest.starts_with('[') {
                let mut end = source.end_of(at + spread.map_or(0, str::len));
                if source.rest(end).starts_with(':') {
                    end = source.end_of(end + 1);
                }
                let what = shortened(&source.text[at..end]);
                let why = format!("{what} after it may give it another value");
                entries = entries.into_iter().map(|entry| entry.doubted(&why)).collect();
                at = end.max(at + 1);
                continue;
            }
            let (entry, end) = self.entry(at, depth)?;
            put(&mut entries, entry);
            at = end.max(at + 1);
        }
        Some(Item::Table(entries))
    }

    fn entry(&self, at: usize, depth: usize) -> Option<(Entry, usize)> {
        let source = &self.source;
        let (name, name_at, mut after) = self.entry_name(at)?;
        after = source.past_blanks(after);
        let entry = |value| Entry { name: name.clone(), name_at: name_at.clone(), value };
        if source.rest(after).starts_with(':') {
            let (value, end) = self.read(after + 1, depth + 1);
            return Some((entry(value), end));
        }
        if source.syntax.name != "node" {
            return None;
        }
        if source.rest(after).starts_with([',', '}']) {
            let item = self.named(&name);
            let why = || Item::Unknown(format!("{name} is not a constant of this module"));
            let value = Value { at: name_at.clone(), item: item.unwrap_or_else(why) };
            return Some((entry(value), after));
        }
        // A method, or a value that is worked out when it is asked for.
        let end = source.end_of(at);
        let item = Item::Unknown("it is a function".to_owned());
        let last = source.text[at..end].split('(').next().unwrap_or_default();
        let last = last.rsplit([' ', '*']).next().unwrap_or_default().to_owned();
        let value = Value { at: at..end, item };
        Some((Entry { name: if last.is_empty() { name } else { last }, name_at, value }, end))
    }

    /// The name of an entry: a word, or a constant.
    fn entry_name(&self, at: usize) -> Option<(String, Range<usize>, usize)> {
        let source = &self.source;
        let word = source.name(at);
        if source.syntax.name == "node" && !word.is_empty() {
            return Some((word.to_owned(), at..at + word.len(), at + word.len()));
        }
        let read = source.evaluate(at, &|name| constant_of(self.known, name));
        let name = match constant(&read.outcome)? {
            Constant::Text(text) => text.clone(),
            Constant::Integer(number) => number.to_string(),
            _ => return None,
        };
        Some((name, read.start..read.end, read.end))
    }

    /// The items in brackets.
    fn list(&self, from: usize, to: usize, depth: usize) -> Option<Item> {
        let source = &self.source;
        let mut items = Vec::new();
        let mut at = from + 1;
        loop {
            at = source.past_commas(at);
            if at + 1 >= to {
                break;
            }
            let (value, end) = self.read(at, depth + 1);
            items.push(value);
            at = end.max(at + 1);
        }
        Some(Item::List(items))
    }

    /// A constant of the module, by its name.
    fn named(&self, text: &str) -> Option<Item> {
        let is_name = |c: char| c.is_alphanumeric() || matches!(c, '_' | '$' | '.');
        if text.is_empty() || !text.chars().all(is_name) {
            return None;
        }
        match &table_or_constant(self.known, text)?.item {
            Item::Unknown(_) => None,
            item => Some(item.clone()),
        }
    }

    /// A variable that is read with a fallback, and nothing else.
    fn variable(&self, text: &str) -> Option<Item> {
        static SETS: LazyLock<[Option<ReadSet>; 2]> =
            LazyLock::new(|| ["node", "python"].map(|set| ReadSet::of(&[set.to_owned()]).ok()));
        if !text.contains("env") || text.len() > 1_000 {
            return None;
        }
        let (set, file) = match self.source.syntax.name {
            "python" => (&SETS[1], "a.py"),
            _ => (&SETS[0], "a.ts"),
        };
        let reads = set.as_ref()?.reads(file, text)?;
        let [read] = reads.as_slice() else { return None };
        let Reading::Fallback(Fallback::Known(fallback)) = &read.reading else { return None };
        // Around it there may be what only gives it another type.
        const BEFORE: [&str; 12] = [
            "Number",
            "parseInt",
            "parseFloat",
            "String",
            "int",
            "float",
            "str",
            "process.env",
            "os.environ.get",
            "os.getenv",
            "environ.get",
            "getenv",
        ];
        let before = text[..read.name_at.start].split(['(', '[', '.', '"', '\'', ' ']);
        let words: Vec<&str> = before.filter(|word| !word.is_empty()).collect();
        let known = |word: &&str| {
            BEFORE.contains(word)
                || matches!(*word, "process" | "env" | "os" | "environ" | "get" | "import" | "meta")
        };
        let after = text[read.at.end..].replace(", 10", "");
        let is_all = words.iter().all(known) && after.trim().chars().all(|c| c == ')');
        let name = read.name.clone();
        is_all.then(|| Item::Variable { name, fallback: fallback.clone() })
    }
}

/// An expression on one line, as long as a reason may be. What is in its strings could be a secret.
pub(super) fn shortened(text: &str) -> String {
    crate::reads::shortened(text)
}
