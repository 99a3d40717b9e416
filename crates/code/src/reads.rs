//! Where code reads variables, and with which fallbacks.

use crate::expression::{self, Constant, Outcome, no_names};
use crate::syntax::{Piece, Pieces, Syntax};
use hashbrown::{HashMap, HashSet};
use regex::bytes::{Captures, Regex, RegexBuilder};
use std::collections::BTreeMap;
use std::hash::{Hash, Hasher};
use std::ops::Range;
use std::sync::{Arc, LazyLock, OnceLock};

#[cfg(test)]
mod tests;

/// The shipped sets.
const SETS: &str = include_str!("reads.txt");

/// How a place reads a variable.
#[derive(Clone, PartialEq, Debug)]
pub enum Reading {
    /// With this fallback.
    Fallback(Fallback),
    /// Without one, and without a value the code fails.
    Required,
    /// Without one; the code goes on without a value.
    Plain,
    /// Only to find out whether it is set, or with a null as its fallback.
    Tested,
}

/// What code has in place of a variable that nothing sets.
#[derive(Clone, PartialEq, Debug)]
pub enum Fallback {
    /// A value.
    Known(Constant),
    /// Something that only who runs the code can know: its text.
    Unknown(String),
}

/// A place at which code reads a variable.
#[derive(Clone, PartialEq, Debug)]
pub struct Read {
    /// The name of the variable, or of a key with dots.
    pub name: String,
    /// Whether it is a key.
    pub is_key: bool,
    /// Where the name is.
    pub name_at: Range<usize>,
    /// Where the fallback is, or the name if there is none.
    pub at: Range<usize>,
    /// How it is read.
    pub reading: Reading,
}

/// What a form that matches means; the first of them counts.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
enum Means {
    Write,
    Fallback,
    Required,
    Test,
    Read,
}

/// A way to read a variable.
#[derive(Debug)]
struct Form {
    means: Means,
    written: String,
    regex: OnceLock<Option<Regex>>,
}

/// A shipped set.
#[derive(Debug)]
struct Set {
    name: String,
    languages: Vec<String>,
    forms: Vec<Arc<Form>>,
    /// For tests: each with the code and what is to be found in it.
    #[cfg(test)]
    examples: Vec<(String, String)>,
}

static SHIPPED: LazyLock<Vec<Set>> = LazyLock::new(|| parse(SETS));

/// The names of the shipped sets.
pub fn named_sets() -> impl Iterator<Item = &'static str> {
    let named = SHIPPED.iter().filter(|set| !set.languages.is_empty());
    named.map(|set| set.name.as_str())
}

fn parse(text: &str) -> Vec<Set> {
    let mut sets: Vec<Set> = Vec::new();
    for line in text.lines() {
        if let Some(_example) = line.strip_prefix("  ") {
            #[cfg(test)]
            if let Some(set) = sets.last_mut() {
                let (code, found) = _example.rsplit_once(" => ").unwrap_or((_example, ""));
                set.examples.push((code.to_owned(), found.to_owned()));
            }
            continue;
        }
        let Some((word, rest)) = line.split_once(' ') else { continue };
        let means = match word {
            "set" => {
                let (name, languages) = rest.split_once(':').unwrap_or((rest, ""));
                sets.push(Set {
                    name: name.to_owned(),
                    languages: languages.split_whitespace().map(str::to_owned).collect(),
                    forms: Vec::new(),
                    #[cfg(test)]
                    examples: Vec::new(),
                });
                continue;
            }
            "also" => {
                let others = sets.iter().find(|set| set.name == rest);
                let others = others.map(|set| set.forms.clone()).unwrap_or_default();
                if let Some(set) = sets.last_mut() {
                    set.forms.extend(others);
                }
                continue;
            }
            "write" => Means::Write,
            "fallback" => Means::Fallback,
            "required" => Means::Required,
            "test" => Means::Test,
            "read" => Means::Read,
            _ => continue,
        };
        if let Some(set) = sets.last_mut() {
            let written = rest.to_owned();
            set.forms.push(Arc::new(Form { means, written, regex: OnceLock::new() }));
        }
    }
    sets
}

/// The longest pattern that a project may have.
const LONGEST: usize = 1_000;

impl Form {
    /// A form of a project's own: the error is a clause.
    fn own(pattern: &str) -> Result<Form, String> {
        if pattern.len() > LONGEST {
            return Err(format!("the pattern has more than {LONGEST} bytes"));
        }
        let regex = compiled(pattern).map_err(|error| match error {
            regex::Error::CompiledTooBig(_) => "the pattern is too large".to_owned(),
            error => {
                let shown = error.to_string();
                let last = shown.lines().last().unwrap_or_default();
                format!("invalid pattern: {}", last.trim_start_matches("error: "))
            }
        })?;
        let has = |group: &str| regex.capture_names().flatten().any(|name| name == group);
        let means = match (has("name") || has("key"), has("value")) {
            (false, _) => {
                return Err("the pattern has no group `name` or `key`".to_owned());
            }
            (true, true) => Means::Fallback,
            (true, false) => Means::Read,
        };
        Ok(Form { means, written: pattern.to_owned(), regex: OnceLock::from(Some(regex)) })
    }

    fn regex(&self) -> Option<&Regex> {
        self.regex.get_or_init(|| compiled(&self.written).ok()).as_ref()
    }
}

fn compiled(pattern: &str) -> Result<Regex, regex::Error> {
    let mut written = String::with_capacity(pattern.len() * 2);
    let (mut in_class, mut is_escaped) = (false, false);
    for c in pattern.chars() {
        match c {
            ' ' if !in_class && !is_escaped => written.push_str(r"\s*"),
            _ => written.push(c),
        }
        in_class = match c {
            '[' if !is_escaped => true,
            ']' if !is_escaped => false,
            _ => in_class,
        };
        is_escaped = c == '\\' && !is_escaped;
    }
    let written = written
        .replace("{name}", r#"["'`](?<name>[A-Za-z_]\w*)["'`]"#)
        .replace("{same}", r#"["'`](?<same>[A-Za-z_]\w*)["'`]"#)
        .replace("{key}", r#"["'`](?<key>[A-Za-z_][\w.:-]*)["'`]"#)
        .replace("{value}", r"\s*(?<value>)");
    RegexBuilder::new(&written).unicode(false).multi_line(true).size_limit(1 << 20).build()
}

/// Which ways to read variables are looked for.
#[derive(Clone, Debug, Default)]
pub struct ReadSet {
    /// As the project has them.
    items: Vec<String>,
    sets: Vec<&'static str>,
    own: Vec<Arc<Form>>,
}

impl PartialEq for ReadSet {
    fn eq(&self, other: &ReadSet) -> bool {
        self.items == other.items
    }
}

impl Eq for ReadSet {}

impl Hash for ReadSet {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.items.hash(state);
    }
}

impl ReadSet {
    /// Shipped sets by their names, and forms of a project's own. The error is a clause, with the number of
    /// the item.
    pub fn of(items: &[String]) -> Result<ReadSet, (usize, String)> {
        let mut set = ReadSet { items: items.to_vec(), ..ReadSet::default() };
        for (number, item) in items.iter().enumerate() {
            if let Some(name) = named_sets().find(|name| name == item) {
                set.sets.push(name);
                continue;
            }
            let is_word = item.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-');
            if is_word {
                return Err((number, format!("no shipped set has the name {item}")));
            }
            let form = Form::own(item).map_err(|why| (number, why))?;
            set.own.push(Arc::new(form));
        }
        Ok(set)
    }

    /// The ways that may be in files of a language, and how that is written.
    fn forms(&self, syntax: Option<&'static Syntax>) -> (Vec<Arc<Form>>, &'static Syntax) {
        let mut forms = self.own.clone();
        let mut seen: HashSet<*const Form> = HashSet::new();
        let mut first = None;
        for set in SHIPPED.iter().filter(|set| self.sets.contains(&set.name.as_str())) {
            let is_meant = |it: &Syntax| set.languages.iter().any(|language| language == it.name);
            if syntax.is_none_or(is_meant) {
                first = first.or_else(|| Syntax::named(set.languages.first()?));
                let new = set.forms.iter().filter(|form| seen.insert(Arc::as_ptr(form)));
                forms.extend(new.cloned());
            }
        }
        let syntax = syntax.or(first).or_else(|| Syntax::named("c"));
        (forms, syntax.unwrap_or(&NOTHING))
    }

    /// Every place in a text of a file of that path at which a variable is read, in the order of the text; none
    /// where finding them takes more work than any file that somebody wrote.
    pub fn reads(&self, path: &str, text: &str) -> Option<Vec<Read>> {
        let (forms, syntax) = self.forms(Syntax::of_file(path, text.as_bytes()));
        let pieces = syntax.pieces(text.as_bytes());
        let bare = pieces.without_comments(text.as_bytes());
        // Only whole comments are gone, each byte of them a space.
        let bare = std::str::from_utf8(&bare).ok()?;
        let look = Look { text: bare, pieces: &pieces, syntax };
        let mut found: Vec<Found> = Vec::new();
        let mut work = MOST_WORK + 16 * text.len();
        for form in &forms {
            look.find(form, &mut found, &mut work)?;
        }
        Some(settled(found, syntax))
    }
}

static NOTHING: Syntax = Syntax::nothing();

/// So many bytes may be in matches that overlap.
const MOST_WORK: usize = 16 * 1024 * 1024;

struct Look<'t> {
    text: &'t str,
    pieces: &'t Pieces,
    syntax: &'static Syntax,
}

/// A match of a form.
struct Found {
    means: Means,
    read: Read,
    /// All that belongs to it.
    whole: Range<usize>,
}

impl Look<'_> {
    /// The matches of a form; none if that takes more `work` than is left.
    fn find(&self, form: &Form, found: &mut Vec<Found>, work: &mut usize) -> Option<()> {
        let Some(regex) = form.regex() else { return Some(()) };
        let names: Vec<&str> = regex.capture_names().flatten().collect();
        let mut at = 0;
        while let Some(captures) = regex.captures_at(self.text.as_bytes(), at) {
            let whole = captures.get(0).map_or(at..at + 1, |whole| whole.range());
            let name = captures.name("name").or_else(|| captures.name("key"));
            // The next one may begin within what follows the name of this one.
            at = name.map_or(whole.end, |name| name.end()).max(whole.start + 1);
            let mut length = whole.len();
            if let Some(one) = self.read(form, &names, &captures, whole) {
                length = length.max(one.whole.len());
                found.push(one);
            }
            *work = work.checked_sub(length)?;
            if at > self.text.len() {
                break;
            }
        }
        Some(())
    }

    fn read(
        &self,
        form: &Form,
        names: &[&str],
        captures: &Captures<'_>,
        whole: Range<usize>,
    ) -> Option<Found> {
        if !self.is_code(whole.start) {
            return None;
        }
        let (name, is_key) = match captures.name("name") {
            Some(name) => (name, false),
            None => (captures.name("key")?, true),
        };
        let mut same = names.iter().filter(|group| group.starts_with("same"));
        let first = match same.clone().count() {
            // One alone is the same as the name.
            1 => Some(name.as_bytes()),
            _ => same.next().and_then(|group| captures.name(group)).map(|it| it.as_bytes()),
        };
        if !same.all(|group| captures.name(group).map(|it| it.as_bytes()) == first) {
            return None;
        }
        let text = std::str::from_utf8(name.as_bytes()).ok()?;
        let name_text = if is_key { text.replace(':', ".") } else { text.to_owned() };
        let (mut at, mut end) = (name.range(), whole.end);
        let reading = match form.means {
            Means::Write | Means::Read => Reading::Plain,
            Means::Required => Reading::Required,
            Means::Test => Reading::Tested,
            Means::Fallback if captures.name("nothing").is_some() => {
                Reading::Fallback(Fallback::Known(Constant::Text(String::new())))
            }
            Means::Fallback => {
                let value = captures.name("value")?;
                let (reading, place) = self.fallback(value.range());
                end = end.max(place.end);
                at = place;
                reading
            }
        };
        let means = match (&form.means, &reading) {
            (Means::Fallback, Reading::Required) => Means::Required,
            (means, _) => *means,
        };
        let read = Read { name: name_text, is_key, name_at: name.range(), at, reading };
        Some(Found { means, read, whole: whole.start..end })
    }

    /// Whether what begins there is code, and not within a string or a comment.
    fn is_code(&self, at: usize) -> bool {
        let is_shell = matches!(self.syntax.name, "shell" | "containerfile");
        match self.pieces.at(at) {
            Piece::Code => true,
            Piece::Comment => false,
            Piece::Verbatim => false,
            Piece::Text if is_shell => true,
            Piece::Text => at == 0 || self.pieces.at(at - 1) != Piece::Text,
        }
    }

    /// Whether what begins there is no code, but text that stands for itself.
    fn is_raw(&self, at: usize) -> bool {
        matches!(self.syntax.name, "shell" | "containerfile")
            || self.pieces.at(at) == Piece::Text && at > 0 && self.pieces.at(at - 1) == Piece::Text
    }

    /// What the fallback is, and where.
    fn fallback(&self, value: Range<usize>) -> (Reading, Range<usize>) {
        let known = |constant| Reading::Fallback(Fallback::Known(constant));
        let unknown = |text: &str| Reading::Fallback(Fallback::Unknown(shortened(text)));
        if !value.is_empty() {
            let written = &self.text[value.clone()];
            let string = expression::string_at(self.text, value.start, self.syntax, &no_names);
            let reading = match string {
                Some((end, Some(text))) if end == value.end => known(Constant::Text(text)),
                Some((end, None)) if end == value.end => unknown(written),
                _ if !self.is_raw(value.start) => {
                    let read = expression::read(written, 0, self.syntax, &no_names);
                    match read.outcome {
                        Outcome::Constant(Constant::Null) => Reading::Tested,
                        Outcome::Constant(constant) if read.end == written.len() => known(constant),
                        _ => unknown(written),
                    }
                }
                _ if is_plain(written) => known(Constant::Text(written.to_owned())),
                _ => unknown(written),
            };
            return (reading, value);
        }
        // `${X:-}`
        if self.is_raw(value.start) {
            return (known(Constant::Text(String::new())), value);
        }
        let read = expression::read(self.text, value.start, self.syntax, &no_names);
        let place = read.start..read.end;
        let reading = match read.outcome {
            Outcome::Constant(Constant::Null) => Reading::Tested,
            Outcome::Constant(constant) => known(constant),
            Outcome::Fails => Reading::Required,
            Outcome::Unknown => unknown(&self.text[place.clone()]),
        };
        (reading, place)
    }
}

/// Whether a text that a pattern takes stands for itself.
fn is_plain(text: &str) -> bool {
    !text.contains(['$', '`', '{', '}', '(', ')', '"', '\'', '\\', '\n'])
}

/// An expression on one line, as long as a reason may be. What is in its strings could be a secret.
pub(crate) fn shortened(text: &str) -> String {
    const MOST: usize = 60;
    let mut bare = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(start) = rest.find(['"', '\'', '`']) {
        let quote = rest[start..].chars().next().unwrap_or('"');
        let inside = &rest[start + 1..];
        let end = inside.find(quote);
        bare.push_str(&rest[..start]);
        bare.extend([quote, '…', quote]);
        rest = end.map_or("", |end| &inside[end + 1..]);
    }
    bare.push_str(rest);
    let mut words = bare.split_whitespace().collect::<Vec<_>>().join(" ");
    if let Some((end, _)) = words.char_indices().nth(MOST) {
        words.truncate(end);
        words.push('…');
    }
    words
}

/// One read for each name in the text: what matched best.
fn settled(mut found: Vec<Found>, syntax: &Syntax) -> Vec<Read> {
    found.sort_by_key(|it| (it.means, it.read.name_at.start, std::cmp::Reverse(it.whole.end)));
    // What a shell script sets itself is no variable that it is given.
    let own: HashSet<String> = match syntax.name {
        "shell" => {
            let writes = found.iter().filter(|it| it.means == Means::Write);
            writes.map(|it| it.read.name.clone()).collect()
        }
        _ => HashSet::new(),
    };
    let mut taken: HashSet<usize> = HashSet::new();
    let mut covered: HashMap<String, BTreeMap<usize, usize>> = HashMap::new();
    let mut reads = Vec::new();
    for Found { means, read, whole } in found {
        let of_name = covered.entry(read.name.clone()).or_default();
        let before = of_name.range(..=read.name_at.start).next_back();
        let is_within = before.is_some_and(|(_, end)| read.name_at.start < *end);
        if is_within || !taken.insert(read.name_at.start) {
            continue;
        }
        let is_own = own.contains(&read.name) && means >= Means::Test;
        of_name.insert(whole.start, whole.end);
        if means != Means::Write && !is_own {
            reads.push(read);
        }
    }
    reads.sort_by_key(|read| read.name_at.start);
    reads
}
