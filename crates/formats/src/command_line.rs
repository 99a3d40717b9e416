//! Command lines: options as keys, and the assignments in front of them as variables. Words are split as a
//! POSIX shell splits them; nothing is expanded, and nothing is run.

use crate::fault::Fault;
use crate::string_map::Map;
use crate::tree::{Kind, NodeId, Tree};
use crate::words::{self, End, Word, is_name};
use hashbrown::HashMap;
use justwhy_core::{Document, Element, KeyId, KeyPath, Keys, Leaf, Note, Span, Value, folded};
use std::hash::{Hash, Hasher};
use std::sync::Arc;

/// What an option takes.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Takes {
    /// Nothing: it is a switch.
    Nothing,
    /// A value.
    Value,
    /// A value, and if it is repeated each is an item of a list.
    Item,
}

/// What a project knows about options.
#[derive(Clone, Debug, Default)]
pub struct Options {
    known: Vec<(KeyPath, Takes)>,
    /// By the options that settings name themselves, with their dashes.
    named: HashMap<String, usize>,
    /// By keys, with `.` between their segments.
    by_key: HashMap<String, usize>,
    /// The same without case, `-` and `_`, where names are loose.
    by_loose: Option<HashMap<String, usize>>,
}

impl PartialEq for Options {
    fn eq(&self, other: &Options) -> bool {
        self.known == other.known && self.named == other.named
    }
}

impl Eq for Options {}

impl Hash for Options {
    fn hash<H: Hasher>(&self, state: &mut H) {
        // A project has one of these; what tells others apart is not worth the time.
        self.known.len().hash(state);
    }
}

impl Options {
    /// What is known where names are loose or not.
    pub fn new(is_loose: bool) -> Options {
        Options { by_loose: is_loose.then(HashMap::new), ..Options::default() }
    }

    /// Makes a setting known, with the options that it names itself.
    pub fn add(&mut self, key: &KeyPath, takes: Takes, named: impl Iterator<Item = String>) {
        let number = self.known.len();
        self.known.push((key.clone(), takes));
        for name in named {
            if let (Some(by_loose), Some(name)) = (&mut self.by_loose, name.strip_prefix("--")) {
                by_loose.entry(folded(name).into_owned()).or_insert(number);
            }
            self.named.entry(name).or_insert(number);
        }
        let key = key.segments().collect::<Vec<_>>().join(".");
        if let Some(by_loose) = &mut self.by_loose {
            by_loose.entry(folded(&key).into_owned()).or_insert(number);
        }
        self.by_key.entry(key).or_insert(number);
    }

    /// The setting that a word names as its option.
    fn named(&self, option: &str) -> Option<&(KeyPath, Takes)> {
        self.named.get(option).map(|number| &self.known[*number])
    }

    /// The setting that has the name of a long option, and what it takes.
    fn of_key(&self, name: &str) -> Option<&(KeyPath, Takes)> {
        let loose = || self.by_loose.as_ref().and_then(|known| known.get(folded(name).as_ref()));
        self.by_key.get(name).or_else(loose).map(|number| &self.known[*number])
    }
}

/// What one reads a command line with.
#[derive(Clone, Copy)]
pub(crate) struct LineReader<'r> {
    pub(crate) options: &'r Options,
    /// Where the bytes of a word stand in the text.
    pub(crate) place: &'r dyn Fn(Span) -> Span,
}

/// A word with the places of its bytes.
enum Item {
    /// Of a line that a shell would read.
    Word(Word),
    /// One that stands for itself.
    Alone { text: String, at: Option<Span>, is_verbatim: bool },
}

impl Item {
    fn text(&self) -> &str {
        match self {
            Item::Word(word) => &word.text,
            Item::Alone { text, .. } => text,
        }
    }

    /// Where the text from a byte on is, before it is mapped.
    fn place(&self, byte: usize) -> Option<Span> {
        match self {
            Item::Word(word) => Some(word.place(byte)),
            Item::Alone { at, is_verbatim, .. } => at.map(|at| {
                let first = at.start as usize + 1 + byte;
                match is_verbatim {
                    true => Span::new(first, (at.end as usize).saturating_sub(1).max(first)),
                    false => at,
                }
            }),
        }
    }

    /// What a shell would make something else of.
    fn expands(&self, line: &str) -> Option<String> {
        let Item::Word(word) = self else { return None };
        if let Some(at) = word.expands {
            let found = line.get(at.start as usize..at.end as usize).unwrap_or_default();
            return Some(format!("a shell expands {found}"));
        }
        word.matches_files.then(|| "a shell may put names of files in its place".to_owned())
    }
}

/// The documents of a line that a shell would read, the weaker first.
pub(crate) fn read_line(
    line: &str,
    reader: LineReader<'_>,
    keys: &mut Keys,
) -> Result<Vec<Document>, Fault> {
    let (words, end, _) = words::command(line, 0).map_err(|open| {
        let at = (reader.place)(Span::new(open, open + 1));
        Fault::new(at, "unterminated quote").help("close the quote")
    })?;
    let items: Vec<Item> = words.into_iter().map(Item::Word).collect();
    let mut made = Made::new(keys, reader, line);
    made.read(&items);
    if let End::Operator(at) = end {
        let written: String = line[at..].chars().take_while(|c| "|;&<>()".contains(*c)).collect();
        let place = (reader.place)(Span::new(at, at + written.len()));
        made.options.ends = Some((place, written.into()));
    }
    Ok(made.documents())
}

/// The documents of a list of words in a file, which no shell reads.
pub(crate) fn read_list(
    tree: &Tree<'_>,
    list: NodeId,
    text: &str,
    options: &Options,
    keys: &mut Keys,
) -> Result<Vec<Document>, Fault> {
    let mut items = Vec::new();
    let Kind::List(children) = tree.node(list).kind else { return Ok(Vec::new()) };
    for id in tree.children(children) {
        let node = tree.node(tree.followed(id));
        let word = match &node.kind {
            Kind::Text(word) => word.to_string(),
            Kind::Integer(number) => number.to_string(),
            Kind::Number(number) => number.to_string(),
            Kind::Boolean(value) => value.to_string(),
            _ => return Err(Fault::new(node.at, "expected a word of the command line")),
        };
        let raw = text.get(node.at.start as usize..node.at.end as usize).unwrap_or_default();
        let quoted = raw.get(1..raw.len().saturating_sub(1)).unwrap_or_default();
        let is_verbatim = quoted == word && raw.starts_with(['"', '\'']);
        items.push(Item::Alone { text: word, at: Some(node.at), is_verbatim });
    }
    let reader = LineReader { options, place: &|at| at };
    let mut made = Made::new(keys, reader, "");
    made.read(&items);
    Ok(made.documents())
}

/// The documents of the words of a process.
pub fn command_line_of(words: &[String], options: &Options, keys: &mut Keys) -> Vec<Document> {
    let alone = |text: &String| Item::Alone { text: text.clone(), at: None, is_verbatim: false };
    let items: Vec<Item> = words.iter().map(alone).collect();
    let mut made = Made::new(keys, LineReader { options, place: &|at| at }, "");
    // The first word is the program, whatever it is called.
    made.options_of(items.get(1..).unwrap_or_default());
    made.documents()
}

/// The documents of a command line that is a string at a place of a text.
pub fn command_line(
    (text, at): (&str, Span),
    line: &str,
    options: &Options,
    keys: &mut Keys,
) -> Result<Vec<Document>, Fault> {
    let map = Map::of(line, text, at);
    read_line(line, LineReader { options, place: &|span| map.span(span) }, keys)
}

/// What is made of a command line.
struct Made<'m> {
    keys: &'m mut Keys,
    reader: LineReader<'m>,
    line: &'m str,
    front: Document,
    options: Document,
    /// The leaf of each list that gathers.
    lists: HashMap<KeyId, usize>,
}

impl<'m> Made<'m> {
    fn new(keys: &'m mut Keys, reader: LineReader<'m>, line: &'m str) -> Made<'m> {
        let front = Document { are_variables: true, ..Document::default() };
        Made { keys, reader, line, front, options: Document::default(), lists: HashMap::new() }
    }

    fn documents(self) -> Vec<Document> {
        match self.front.leaves.is_empty() {
            true => vec![self.options],
            false => vec![self.front, self.options],
        }
    }

    fn read(&mut self, items: &[Item]) {
        let mut rest = items;
        while let Some(item) = rest.first() {
            let Some((name, value)) = item.text().split_once('=').filter(|it| is_name(it.0)) else {
                break;
            };
            let at = item.place(name.len() + 1);
            let name_at = item
                .place(0)
                .map(|at| Span::new(at.start as usize, at.start as usize + name.len()));
            let key = self.keys.child(KeyId::ROOT, name);
            let value = Value::Text(value.into());
            let (at, name_at) = (self.mapped(at), self.mapped(name_at));
            push(&mut self.front, (key, at, name_at), value, item.expands(self.line));
            rest = &rest[1..];
        }
        // The program.
        self.options_of(rest.get(1..).unwrap_or_default());
    }

    fn mapped(&self, at: Option<Span>) -> Option<Span> {
        at.map(|at| (self.reader.place)(at))
    }

    fn options_of(&mut self, items: &[Item]) {
        let mut at = 0;
        while let Some(item) = items.get(at) {
            if item.text() == "--" {
                return;
            }
            at += 1 + usize::from(self.option(item, items.get(at + 1)));
        }
    }

    /// Reads an option; whether it takes the word behind it.
    fn option(&mut self, item: &Item, next: Option<&Item>) -> bool {
        let known = self.reader.options;
        let text = item.text();
        let (head, value) = match text.find('=') {
            Some(equals) => (&text[..equals], Some(equals + 1)),
            None => (text, None),
        };
        if !head.starts_with('-') || head.len() < 2 {
            return false;
        }
        if let Some((key, takes)) = known.named(head) {
            return self.declared(item, (key.clone(), *takes), value, next);
        }
        if let Some(name) = head.strip_prefix("--") {
            if let Some((key, takes)) = known.of_key(name) {
                let (key, takes) = (key.clone(), *takes);
                let key = self.as_written(name).filter(|_| known.by_loose.is_none()).unwrap_or(key);
                return self.declared(item, (key, takes), value, next);
            }
            if let Some(positive) = name.strip_prefix("no-").filter(|_| value.is_none()) {
                let found = known.of_key(positive).map(|(key, _)| key.clone());
                let Some(key) = found.or_else(|| self.as_written(positive)) else { return false };
                self.add(&key, item, 0, (Value::Boolean(false), None), Takes::Nothing);
                return false;
            }
            let Some(key) = self.as_written(name) else { return false };
            return self.undeclared(item, &key, value, next);
        }
        if let Some(define) = head.strip_prefix("-D").filter(|define| !define.is_empty()) {
            let found = known.of_key(define).map(|(key, takes)| (key.clone(), *takes));
            let written = self.as_written(define).map(|key| (key, Takes::Value));
            let Some((key, takes)) = found.or(written) else { return false };
            let from = value.unwrap_or(text.len());
            let value = Value::Text(text[from..].into());
            self.add(&key, item, from, (value, item.expands(self.line)), takes);
            return false;
        }
        self.glued(item)
    }

    /// A single-letter option with its value right behind it: `-b3`.
    fn glued(&mut self, item: &Item) -> bool {
        let text = item.text();
        let Some(second) = text.char_indices().nth(2).map(|(at, _)| at) else { return false };
        let Some((key, takes)) = self.reader.options.named(&text[..second]) else { return false };
        if *takes != Takes::Nothing {
            let (key, takes) = (key.clone(), *takes);
            let value = Value::Text(text[second..].into());
            self.add(&key, item, second, (value, item.expands(self.line)), takes);
        }
        false
    }

    /// The key that a name is as it stands.
    fn as_written(&self, name: &str) -> Option<KeyPath> {
        let segments: Vec<String> = name.split('.').map(str::to_owned).collect();
        let is_key = segments.iter().all(|segment| !segment.is_empty());
        KeyPath::from_segments(segments).filter(|_| is_key)
    }

    fn declared(
        &mut self,
        item: &Item,
        (key, takes): (KeyPath, Takes),
        value: Option<usize>,
        next: Option<&Item>,
    ) -> bool {
        if let Some(from) = value {
            let value = Value::Text(item.text()[from..].into());
            self.add(&key, item, from, (value, item.expands(self.line)), takes);
            return false;
        }
        if takes == Takes::Nothing {
            self.add(&key, item, 0, (Value::Boolean(true), None), takes);
            return false;
        }
        let is_value = |text: &str| {
            !text.starts_with('-')
                || text.len() == 1
                || text[1..].starts_with(|c: char| c.is_ascii_digit() || c == '.')
        };
        match next.filter(|next| is_value(next.text())) {
            Some(next) => {
                let value = Value::Text(next.text().into());
                self.add(&key, next, 0, (value, next.expands(self.line)), takes);
                true
            }
            None => {
                let why = format!("{} has no value", item.text());
                self.add(&key, item, 0, (Value::Unread, Some(why)), takes);
                false
            }
        }
    }

    fn undeclared(
        &mut self,
        item: &Item,
        key: &KeyPath,
        value: Option<usize>,
        next: Option<&Item>,
    ) -> bool {
        if let Some(from) = value {
            let value = Value::Text(item.text()[from..].into());
            self.add(key, item, from, (value, item.expands(self.line)), Takes::Value);
            return false;
        }
        match next.filter(|next| !next.text().starts_with('-')) {
            Some(next) => {
                let why = format!(
                    "{} may be a switch, or {} its value: declare the setting",
                    item.text(),
                    crate::fault::shown_name(next.text())
                );
                // The word may be a secret; its place says which it is.
                let why = match justwhy_core::is_secret_name(&key.to_string()) {
                    true => format!("{} may be a switch, or the next word its value", item.text()),
                    false => why,
                };
                self.add(key, item, 0, (Value::Unread, Some(why)), Takes::Value);
            }
            None => self.add(key, item, 0, (Value::Boolean(true), None), Takes::Nothing),
        }
        false
    }

    fn add(
        &mut self,
        key: &KeyPath,
        item: &Item,
        from: usize,
        (value, why): (Value, Option<String>),
        takes: Takes,
    ) {
        let at = self.mapped(item.place(from));
        let name_at = self.mapped(item.place(0));
        let key = self.keys.intern(KeyId::ROOT, key);
        if takes == Takes::Item && why.is_none() {
            if let Some(leaf) = self.lists.get(&key) {
                let leaf = &mut self.options.leaves[*leaf];
                let mut items = match &leaf.value {
                    Value::List(items) => items.to_vec(),
                    one => vec![Element { value: one.clone(), at: leaf.at.unwrap_or_default() }],
                };
                items.push(Element { value, at: at.unwrap_or_default() });
                leaf.value = Value::List(items.into());
                return;
            }
            self.lists.insert(key, self.options.leaves.len());
        }
        push(&mut self.options, (key, at, name_at), value, why);
    }
}

fn push(
    document: &mut Document,
    (name, at, name_at): (KeyId, Option<Span>, Option<Span>),
    value: Value,
    why: Option<String>,
) {
    let value = if why.is_some() { Value::Unread } else { value };
    if let Some(why) = why {
        let note = Note { unreadable: Some(why.into()), ..Note::default() };
        document.notes.push((document.leaves.len(), Arc::new(note)));
    }
    document.leaves.push(Leaf { name, value, at, name_at });
}
