//! References: `${…}` in texts, taken apart.

use crate::model::catalogue::is_variable_name;
use crate::model::key::KeyPath;
use std::fmt::Write as _;

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
    /// What replaces something absent or empty.
    pub fallback: Option<Vec<Piece>>,
}

/// What a reference names.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Target {
    /// A setting.
    Key(KeyPath),
    /// The setting of that variable, else the process variable of that name.
    Name(String),
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
            Target::Name(name) => name.clone(),
            Target::Variable(name) => format!("variable:{name}"),
            Target::File(path) => format!("file:{path}"),
        }
    }
}

impl Reference {
    /// The reference as it is written, but for the text of its fallback.
    pub fn show(&self) -> String {
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
    /// The clause.
    pub problem: String,
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
}

/// Whether `text` could hold a reference, or a `$${` that stands for `${`.
pub fn may_refer(text: &str) -> bool {
    text.as_bytes().contains(&b'$') && text.contains("${")
}

/// Takes a text apart, from left to right.
pub fn take_apart(text: &str, rules: TextRules<'_>) -> Result<Vec<Piece>, BadText> {
    let mut parser = Parser { text, at: 0, rules };
    parser.pieces(0)
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
            let problem = format!("fallbacks nest more than {} deep", self.rules.depth);
            return Err(BadText { too_deep: true, problem });
        }
        let start = self.at;
        let target = self.target()?;
        let written = self.text[start..self.at].to_owned();
        let mut changes = Vec::new();
        if self.rest().starts_with('@') {
            if !matches!(target, Target::Key(_) | Target::Name(_)) {
                return Err(bad("only a setting can have a context (`@`)".to_owned()));
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
                _ => bad(format!("expected `}}` or `:-` after `${{{}`", target.show())),
            });
        }
        self.at += 1;
        Ok(Reference { target, written, changes, fallback })
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
                    return Err(bad(format!("expected a name after `${{{word}`")));
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
        let (path, after) = KeyPath::parse_start(rest).map_err(|error| {
            bad(format!("expected the key of a setting after `${{`: {}", error.problem))
        })?;
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
        changes.ok_or_else(|| {
            bad("expected `axis=value` after `@`, several separated by commas".to_owned())
        })
    }
}

fn bad(problem: String) -> BadText {
    BadText { too_deep: false, problem }
}

fn unterminated() -> BadText {
    bad("unterminated `${`; write `$${` for a literal `${`".to_owned())
}
