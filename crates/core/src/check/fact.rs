//! What a finding states: the form of a sentence, and the parts that are in it.

/// What is wrong, in parts. Two facts of a rule are the same if their forms and parts are: no fact has a
/// place in it, so that a finding stays the same when its line moves.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct Fact {
    form: &'static str,
    parts: Vec<(&'static str, String)>,
}

impl Fact {
    /// A fact of that form, in which `{key}` stands for the subject of the finding.
    pub fn new(form: &'static str) -> Fact {
        Fact { form, parts: Vec::new() }
    }

    /// The same with what stands for `{name}`.
    #[must_use]
    pub fn with(mut self, name: &'static str, part: impl Into<String>) -> Fact {
        self.parts.push((name, part.into()));
        self
    }

    /// The form, which tells kinds of facts apart.
    pub fn form(&self) -> &'static str {
        self.form
    }

    /// The parts, by their names.
    pub fn parts(&self) -> &[(&'static str, String)] {
        &self.parts
    }

    /// The sentence, without a full stop.
    pub fn sentence(&self, key: Option<&str>) -> String {
        let mut sentence = String::new();
        let mut rest = self.form;
        while let Some((before, after)) = rest.split_once('{') {
            sentence.push_str(before);
            let (name, after) = after.split_once('}').unwrap_or((after, ""));
            let part = self.parts.iter().find(|(other, _)| *other == name);
            match (name, part) {
                (_, Some((_, part))) => sentence.push_str(part),
                ("key", None) => sentence.push_str(key.unwrap_or_default()),
                _ => {}
            }
            rest = after;
        }
        sentence.push_str(rest);
        sentence
    }
}
