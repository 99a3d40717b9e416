//! What is stated, in parts: the form of a sentence, and what stands in it.

use std::fmt;

#[cfg(test)]
mod tests;

/// What is so, in parts. Two facts are the same if their forms and parts are: none of a finding has a place in
/// it, so that a finding stays the same when its line moves. Sentences are made of facts here, and nowhere
/// else in this crate; the forms are in `model::words`, those of a rule beside the rule.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct Fact {
    form: &'static str,
    parts: Vec<(&'static str, Part)>,
}

/// What stands for a name in a form.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum Part {
    /// A key, a layer, a place, a value, a number: as it is shown.
    Shown(String),
    /// Another fact.
    Fact(Box<Fact>),
    /// Several, of which the last is joined by `and`.
    All(Vec<Part>),
}

impl Fact {
    /// A fact of that form, in which `{key}` stands for what a finding is about, and `{{` for a brace.
    pub fn new(form: &'static str) -> Fact {
        Fact { form, parts: Vec::new() }
    }

    /// What somebody else states, in their words.
    pub fn told(words: impl Into<String>) -> Fact {
        Fact::new("{words}").with("words", words.into())
    }

    /// The same with what stands for `{name}`.
    #[must_use]
    pub fn with(mut self, name: &'static str, part: impl Into<Part>) -> Fact {
        self.parts.push((name, part.into()));
        self
    }

    /// The same with what stands for `{name}`, which is nothing if there is no such part.
    #[must_use]
    pub fn with_some(self, name: &'static str, part: Option<impl Into<Part>>) -> Fact {
        match part {
            Some(part) => self.with(name, part),
            None => self,
        }
    }

    /// The form, which tells kinds of facts apart.
    pub fn form(&self) -> &'static str {
        self.form
    }

    /// The parts, by their names.
    pub fn parts(&self) -> &[(&'static str, Part)] {
        &self.parts
    }

    /// The sentence, or the clause, that states it, without a full stop where it is a finding.
    pub fn sentence(&self, key: Option<&str>) -> String {
        let mut sentence = String::new();
        // Writing to a text cannot fail.
        let _ = self.write(&mut sentence, key);
        sentence
    }

    fn write(&self, out: &mut impl fmt::Write, key: Option<&str>) -> fmt::Result {
        let mut rest = self.form;
        while let Some((before, after)) = rest.split_once('{') {
            out.write_str(before)?;
            if let Some(after) = after.strip_prefix('{') {
                out.write_char('{')?;
                rest = after;
                continue;
            }
            let (name, after) = after.split_once('}').unwrap_or((after, ""));
            match self.parts.iter().find(|(other, _)| *other == name) {
                Some((_, part)) => write!(out, "{part}")?,
                None if name == "key" => out.write_str(key.unwrap_or_default())?,
                None => {}
            }
            rest = after;
        }
        out.write_str(rest)
    }
}

impl fmt::Display for Fact {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.write(out, None)
    }
}

impl fmt::Display for Part {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Part::Shown(shown) => out.write_str(shown),
            Part::Fact(fact) => fact.fmt(out),
            Part::All(parts) => {
                let shown: Vec<String> = parts.iter().map(Part::to_string).collect();
                out.write_str(&list_values(&shown, "and"))
            }
        }
    }
}

/// The form of a fact without parts.
impl From<&'static str> for Fact {
    fn from(form: &'static str) -> Fact {
        Fact::new(form)
    }
}

impl From<String> for Part {
    fn from(shown: String) -> Part {
        Part::Shown(shown)
    }
}

impl From<&String> for Part {
    fn from(shown: &String) -> Part {
        Part::Shown(shown.clone())
    }
}

impl From<&str> for Part {
    fn from(shown: &str) -> Part {
        Part::Shown(shown.to_owned())
    }
}

impl From<usize> for Part {
    fn from(number: usize) -> Part {
        Part::Shown(number.to_string())
    }
}

impl From<u64> for Part {
    fn from(number: u64) -> Part {
        Part::Shown(number.to_string())
    }
}

impl From<Fact> for Part {
    fn from(fact: Fact) -> Part {
        Part::Fact(Box::new(fact))
    }
}

impl<P: Into<Part>> From<Vec<P>> for Part {
    fn from(parts: Vec<P>) -> Part {
        Part::All(parts.into_iter().map(Into::into).collect())
    }
}

/// Several facts, told one after the other with `; ` in between.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default)]
pub struct Clauses(pub Vec<Fact>);

impl fmt::Display for Clauses {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (number, fact) in self.0.iter().enumerate() {
            if number > 0 {
                out.write_str("; ")?;
            }
            fact.fmt(out)?;
        }
        Ok(())
    }
}

/// `a`, `a or b`, `a, b or c`.
pub fn list_values<S: AsRef<str>>(values: &[S], conjunction: &str) -> String {
    match values {
        [] => String::new(),
        [one] => one.as_ref().to_owned(),
        [start @ .., last] => {
            let start: Vec<&str> = start.iter().map(AsRef::as_ref).collect();
            format!("{} {conjunction} {}", start.join(", "), last.as_ref())
        }
    }
}
