//! References: `${…}` in texts, taken apart.

use crate::model::catalogue::is_variable_name;
use crate::model::fact::Fact;
use crate::model::key::KeyPath;
use crate::model::words::texts as words;
use std::fmt::Write as _;

mod dialects;
#[cfg(test)]
mod tests;

/// A part of a text.
#[derive(Clone, PartialEq, Debug)]
pub enum Piece {
    /// Characters that stand for themselves.
    Text(String),
    /// A reference.
    Reference(Reference),
}

/// A reference to something that is looked up.
#[derive(Clone, PartialEq, Debug)]
pub struct Reference {
    /// What it names.
    pub target: Target,
    /// The name as it is written: in quotes a name that looks like a variable is a key.
    pub written: String,
    /// The axes that it changes for the look-up; `None` unsets one.
    pub changes: Vec<(String, Option<String>)>,
    /// What replaces it.
    pub fallback: Option<Vec<Piece>>,
    /// When the fallback does.
    pub replaces: Replaces,
    /// In which dialect it is written.
    pub dialect: Dialect,
}

/// A way of writing references in texts.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default)]
pub enum Dialect {
    /// `${key}`, `${key:-fallback}`: our own.
    #[default]
    Own,
    /// `$NAME`, `${NAME:-word}`: a POSIX shell's, which knows what was set before.
    Posix,
    /// `${key}` and `${key:default}`.
    Colon,
    /// `%(key)s`, of the same section.
    Percent,
    /// `$(NAME)`.
    Parens,
}

/// When the fallback of a reference takes its place.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Replaces {
    /// Where nothing is set, or an empty string.
    #[default]
    Empty,
    /// Where nothing is set.
    Unset,
    /// Where a string is set that is not empty; else it comes to an empty one.
    NotEmpty,
    /// Where anything is set; else it comes to an empty string.
    Set,
    /// Nowhere: without a value, or with an empty one, its program ends with that message.
    DemandsValue,
    /// Nowhere: without a value its program ends with that message.
    Demands,
}

/// Where a name in a reference is looked for.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum Within {
    /// In the file that refers to it.
    File,
    /// In weaker sources.
    Weaker,
    /// In the process environment.
    Process,
}

impl Within {
    /// The usual order.
    pub const USUAL: [Within; 3] = [Within::File, Within::Weaker, Within::Process];
}

impl Dialect {
    /// Every dialect that has a name in a project file, with that name.
    pub const NAMED: [(&'static str, Dialect); 4] = [
        ("posix", Dialect::Posix),
        ("colon", Dialect::Colon),
        ("percent", Dialect::Percent),
        ("parens", Dialect::Parens),
    ];

    /// Whether a text could hold a reference, or something that stands for the sign of one.
    pub fn may_refer(self, text: &str) -> bool {
        match self {
            Dialect::Own | Dialect::Colon => text.as_bytes().contains(&b'$') && text.contains("${"),
            Dialect::Posix => text.contains(['$', '`']),
            Dialect::Percent => text.contains('%'),
            Dialect::Parens => text.contains('$'),
        }
    }
}

/// What a reference names.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Target {
    /// A setting.
    Key(KeyPath),
    /// The setting of that variable, else the process variable of that name.
    Name(String),
    /// The setting of that key, else of that variable, else the process variable of that name.
    Any(String),
    /// The setting of that name beside the one that refers to it.
    Beside(String),
    /// What a shell has for that name where it reads the text.
    Shell(String),
    /// A process variable.
    Variable(String),
    /// The trimmed text of a file.
    File(String),
}

impl Target {
    /// The target as it is written.
    pub fn show(&self) -> String {
        match self {
            Target::Key(path) => path.to_string(),
            Target::Name(name) | Target::Any(name) | Target::Beside(name) | Target::Shell(name) => {
                name.clone()
            }
            Target::Variable(name) => format!("variable:{name}"),
            Target::File(path) => format!("file:{path}"),
        }
    }
}

impl Reference {
    /// The reference as it is written, but for the text of its fallback.
    pub fn show(&self) -> String {
        let written = &self.written;
        match self.dialect {
            Dialect::Own => {}
            Dialect::Posix => {
                let operator = match (&self.fallback, self.replaces) {
                    (None, _) => "",
                    (_, Replaces::Empty) => ":-…",
                    (_, Replaces::Unset) => "-…",
                    (_, Replaces::NotEmpty) => ":+…",
                    (_, Replaces::Set) => "+…",
                    (_, Replaces::DemandsValue) => ":?…",
                    (_, Replaces::Demands) => "?…",
                };
                return format!("${{{written}{operator}}}");
            }
            Dialect::Colon => {
                let fallback = if self.fallback.is_some() { ":…" } else { "" };
                return format!("${{{written}{fallback}}}");
            }
            Dialect::Percent => return format!("%({written})s"),
            Dialect::Parens => return format!("$({written})"),
        }
        let mut shown = format!("${{{}", self.written);
        for (number, (axis, value)) in self.changes.iter().enumerate() {
            let sign = if number == 0 { '@' } else { ',' };
            // Writing to a String cannot fail.
            let _ = write!(shown, "{sign}{axis}={}", value.as_deref().unwrap_or_default());
        }
        if self.fallback.is_some() {
            shown.push_str(":-…");
        }
        shown.push('}');
        shown
    }
}

/// What is wrong with a text, in a clause that repeats nothing of it but names.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct BadText {
    /// Whether it nests too deep, rather than being written wrongly.
    pub too_deep: bool,
    /// Whether only the program that reads it can know what it comes to.
    pub is_unknown: bool,
    /// The clause.
    pub problem: Fact,
}

/// How a text is read.
#[derive(Clone, Copy, Debug)]
pub struct TextRules<'a> {
    /// The bytes of every `$` that begins no reference, ascending.
    pub literal_dollars: &'a [u32],
    /// Whether a name of capitals, digits and `_` is that of a variable.
    pub names_are_variables: bool,
    /// How deep fallbacks may nest.
    pub depth: usize,
    /// How references are written.
    pub dialect: Dialect,
    /// Whether a `\` before a `$` is still there, as nobody has taken quotes away.
    pub has_escapes: bool,
}

/// Takes a text apart, from left to right.
pub fn take_apart(text: &str, rules: TextRules<'_>) -> Result<Vec<Piece>, BadText> {
    match rules.dialect {
        Dialect::Own => Parser { text, at: 0, rules }.pieces(0),
        _ => dialects::take_apart(text, rules),
    }
}

struct Parser<'t> {
    text: &'t str,
    at: usize,
    rules: TextRules<'t>,
}

impl<'t> Parser<'t> {
    fn rest(&self) -> &'t str {
        &self.text[self.at..]
    }

    fn is_literal(&self, at: usize) -> bool {
        u32::try_from(at).is_ok_and(|at| self.rules.literal_dollars.binary_search(&at).is_ok())
    }

    /// The pieces up to the end, or up to the `}` that closes the fallback that they are.
    fn pieces(&mut self, depth: usize) -> Result<Vec<Piece>, BadText> {
        let mut pieces = Vec::new();
        let mut plain = String::new();
        loop {
            let rest = self.rest().as_bytes();
            let next = match depth {
                0 => memchr::memchr(b'$', rest),
                _ => memchr::memchr2(b'$', b'}', rest),
            };
            let Some(next) = next else {
                if depth > 0 {
                    return Err(unterminated());
                }
                plain.push_str(self.rest());
                self.at = self.text.len();
                break;
            };
            plain.push_str(&self.rest()[..next]);
            self.at += next;
            let rest = self.rest();
            if rest.starts_with('}') {
                break;
            }
            let is_literal = self.is_literal(self.at);
            if !is_literal && rest.starts_with("$${") && !self.is_literal(self.at + 1) {
                plain.push_str("${");
                self.at += 3;
            } else if !is_literal && rest.starts_with("${") {
                if !plain.is_empty() {
                    pieces.push(Piece::Text(std::mem::take(&mut plain)));
                }
                self.at += 2;
                pieces.push(Piece::Reference(self.reference(depth + 1)?));
            } else {
                plain.push('$');
                self.at += 1;
            }
        }
        if !plain.is_empty() {
            pieces.push(Piece::Text(plain));
        }
        Ok(pieces)
    }

    /// What follows `${`, its `}` included.
    fn reference(&mut self, depth: usize) -> Result<Reference, BadText> {
        if depth > self.rules.depth {
            return Err(too_deep(self.rules.depth));
        }
        let start = self.at;
        let target = self.target()?;
        let written = self.text[start..self.at].to_owned();
        let mut changes = Vec::new();
        if self.rest().starts_with('@') {
            if !matches!(target, Target::Key(_) | Target::Name(_)) {
                return Err(bad(Fact::new(words::ONLY_SETTINGS_HAVE_CONTEXTS)));
            }
            self.at += 1;
            changes = self.changes()?;
        }
        let fallback = if self.rest().starts_with(":-") {
            self.at += 2;
            Some(self.pieces(depth)?)
        } else {
            None
        };
        if !self.rest().starts_with('}') {
            return Err(match self.rest() {
                "" => unterminated(),
                _ => bad(Fact::new(words::END_EXPECTED).with("target", target.show())),
            });
        }
        self.at += 1;
        let (replaces, dialect) = (Replaces::default(), Dialect::Own);
        Ok(Reference { target, written, changes, fallback, replaces, dialect })
    }

    fn target(&mut self) -> Result<Target, BadText> {
        let rest = self.rest();
        for (word, make) in
            [("variable:", Target::Variable as fn(String) -> Target), ("file:", Target::File)]
        {
            if let Some(after) = rest.strip_prefix(word) {
                let end = after.find('}').ok_or_else(unterminated)?;
                let end = after.find(":-").map_or(end, |fallback| fallback.min(end));
                let name = after[..end].to_owned();
                if name.is_empty() || name.contains(['\0', '\n']) {
                    return Err(bad(Fact::new(words::NAME_EXPECTED).with("word", word)));
                }
                self.at += word.len() + end;
                return Ok(make(name));
            }
        }
        if self.rules.names_are_variables {
            let is_name = |c: char| c.is_ascii_alphanumeric() || c == '_';
            let end = rest.find(|c| !is_name(c)).unwrap_or(rest.len());
            if is_variable_name(&rest[..end]) && !rest[end..].starts_with('.') {
                self.at += end;
                return Ok(Target::Name(rest[..end].to_owned()));
            }
        }
        if !rest.contains('}') {
            return Err(unterminated());
        }
        let (path, after) = KeyPath::parse_start(rest)
            .map_err(|error| bad(Fact::new(words::KEY_EXPECTED).with("why", error.problem)))?;
        self.at = self.text.len() - after.len();
        Ok(Target::Key(path))
    }

    fn changes(&mut self) -> Result<Vec<(String, Option<String>)>, BadText> {
        let rest = self.rest();
        let end = rest.find('}').ok_or_else(unterminated)?;
        let end = rest.find(":-").map_or(end, |fallback| fallback.min(end));
        self.at += end;
        let change = |item: &str| {
            let (axis, value) = item.split_once('=').filter(|(axis, _)| !axis.is_empty())?;
            Some((axis.to_owned(), (!value.is_empty()).then(|| value.to_owned())))
        };
        let changes: Option<Vec<_>> = rest[..end].split(',').map(change).collect();
        changes.ok_or_else(|| bad(Fact::new(words::CHANGES_EXPECTED)))
    }
}

fn bad(problem: Fact) -> BadText {
    BadText { too_deep: false, is_unknown: false, problem }
}

fn unterminated() -> BadText {
    bad(Fact::new(words::UNTERMINATED))
}

fn too_deep(most: usize) -> BadText {
    let problem = Fact::new(words::NESTS_TOO_DEEP).with("most", most);
    BadText { too_deep: true, is_unknown: false, problem }
}
