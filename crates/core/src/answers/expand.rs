//! Rule 6: what `${…}` in the texts of a candidate becomes.

use super::{Answers, Asked, Failure, LONGEST_WAY, UNCERTAIN, Weight};
use crate::model::convert::show_in_text;
use crate::model::key::{KeyId, KeyPath};
use crate::model::layer::{Layer, Names};
use crate::model::reference::{
    BadText, Piece, Reference, Target, TextRules, may_refer, take_apart,
};
use crate::model::secret::is_secret_name;
use crate::model::text::Growing;
use crate::model::value::{Element, Entry, Value};
use crate::model::variable::Naming;
use crate::precedence::resolution::{Candidate, Resolution};
use std::sync::Arc;

/// The code of a setting that process variables decide, where these are left out.
pub(crate) const LEFT_OUT: &str = "left-out";

/// A value in which every reference was replaced, and its size.
pub(super) struct Expanded {
    pub(super) value: Value,
    pub(super) weight: Weight,
}

impl Expanded {
    pub(super) fn of(value: Value) -> Expanded {
        let weight = Weight::of(&value);
        Expanded { value, weight }
    }

    /// A value that nobody weighs unless something refers to it.
    pub(super) fn plain(value: Value) -> Expanded {
        Expanded { value, weight: Weight::default() }
    }

    fn nothing() -> Expanded {
        Expanded { value: Value::Null, weight: Weight::default() }
    }
}

/// What a reference comes to.
pub(super) enum Lookup {
    /// A value.
    Value(Expanded),
    /// Nothing, and why, as a clause.
    Nothing(String),
    /// It is not known yet.
    NotYet,
}

/// What a target means in the context of the text.
pub(super) enum Referent {
    /// A setting.
    Setting(Asked),
    /// A process variable.
    Variable(String),
    /// A file.
    File(String),
    /// Nothing, and why, as a clause.
    Nothing(String),
    /// Nobody can find out, and why, as a clause.
    Uncertain(String),
}

/// The expansion of what takes effect for one setting. Goes on over answers that are not known yet, to
/// learn of all of them at once.
pub(super) struct Expansion<'a, 'o> {
    answers: &'a Answers<'o>,
    asked: Asked,
    pub(super) needs: Vec<Asked>,
    pub(super) secret: bool,
    pub(super) height: usize,
    pub(super) failure: Option<Failure>,
}

/// How the texts of a candidate are read.
struct TextContext<'r> {
    resolution: &'r Resolution,
    literal_dollars: &'r [u32],
    naming: Option<&'r Naming>,
    is_from_store: bool,
}

impl<'a, 'o> Expansion<'a, 'o> {
    pub(super) fn new(answers: &'a Answers<'o>, asked: Asked) -> Expansion<'a, 'o> {
        Expansion { answers, asked, needs: Vec::new(), secret: false, height: 0, failure: None }
    }

    pub(super) fn expand(&mut self, resolution: &Resolution, candidate: &Candidate) -> Expanded {
        let reading = TextContext::of(resolution, candidate);
        self.value(&resolution.leaf(candidate).value, &reading)
    }

    fn fail(&mut self, failure: Failure) -> Expanded {
        self.failure.get_or_insert(failure);
        Expanded::nothing()
    }

    fn unresolved(&mut self, message: impl Into<String>) -> Expanded {
        self.fail(Failure::new("unresolved-reference", message))
    }

    fn value(&mut self, value: &Value, reading: &TextContext<'_>) -> Expanded {
        match value {
            Value::Text(text) if may_refer(text) => self.text(text, reading),
            Value::List(items) => {
                let mut weight = Weight { nodes: 1, ..Weight::default() };
                let mut expanded = Vec::with_capacity(items.len());
                for item in items.iter() {
                    let part = self.value(&item.value, reading);
                    weight = weight.and(part.weight.inside());
                    expanded.push(Element { value: part.value, at: item.at });
                }
                Expanded { value: Value::List(expanded.into()), weight }
            }
            Value::Map(entries) => {
                let mut weight = Weight { nodes: 1, ..Weight::default() };
                let mut expanded = Vec::with_capacity(entries.len());
                for entry in entries.iter() {
                    let part = self.value(&entry.value, reading);
                    weight = weight.and(part.weight.inside());
                    let name = Arc::clone(&entry.name);
                    expanded.push(Entry { name, value: part.value, at: entry.at });
                }
                Expanded { value: Value::Map(expanded.into()), weight }
            }
            other => Expanded::of(other.clone()),
        }
    }

    fn text(&mut self, text: &str, reading: &TextContext<'_>) -> Expanded {
        if self.answers.is_exhausted() {
            // The run ends in an error, whatever is known of this one; before all memory does.
            let message = "references make the values of the project too large";
            return self.fail(Failure::new("reference-too-deep", message));
        }
        match take_apart(text, reading.rules(self.answers)) {
            Ok(pieces) => self.pieces(&pieces, reading),
            Err(bad) => self.fail(bad_text(bad)),
        }
    }

    fn pieces(&mut self, pieces: &[Piece], reading: &TextContext<'_>) -> Expanded {
        match pieces {
            [] => Expanded::of(Value::Text("".into())),
            // Alone it keeps the other's type.
            [Piece::Reference(reference)] => self.reference(reference, reading),
            pieces => self.longer_text(pieces, reading),
        }
    }

    fn longer_text(&mut self, pieces: &[Piece], reading: &TextContext<'_>) -> Expanded {
        let mut out = Growing::new();
        for piece in pieces {
            let reference = match piece {
                Piece::Text(text) => {
                    out.push(text);
                    continue;
                }
                Piece::Reference(reference) => reference,
            };
            let part = self.reference(reference, reading);
            if self.failure.is_some() {
                return Expanded::nothing();
            }
            if !self.needs.is_empty() {
                continue;
            }
            match show_in_text(&part.value) {
                Ok(shown) if self.secret => out.push_secret(&shown),
                Ok(shown) => out.push(&shown),
                Err(kind) => {
                    let message = format!(
                        "`{}` is {}, which cannot be a part of a string",
                        reference.show(),
                        kind.with_article()
                    );
                    return self.unresolved(message);
                }
            }
            if out.len() as u64 > self.answers.limits.bytes {
                let bytes = self.answers.limits.bytes;
                let message = format!("with its references it has more than {bytes} bytes");
                return self.fail(Failure::new("reference-too-deep", message));
            }
        }
        Expanded::of(Value::Text(out.done()))
    }

    fn reference(&mut self, reference: &Reference, reading: &TextContext<'_>) -> Expanded {
        if self.failure.is_some() {
            // What comes after it is not looked at, whether it is known by now or not.
            return Expanded::nothing();
        }
        let found = match self.find(reference, reading) {
            Ok(found) => found,
            Err(failure) => return self.fail(failure),
        };
        let why_not = match found {
            Lookup::NotYet => return Expanded::nothing(),
            Lookup::Value(expanded)
                if !(reference.fallback.is_some() && expanded.value.is_empty_text()) =>
            {
                return expanded;
            }
            Lookup::Value(_) => String::new(),
            Lookup::Nothing(why) => why,
        };
        match &reference.fallback {
            Some(pieces) => self.pieces(pieces, reading),
            None if self.is_unknown(reference, reading) => {
                let message =
                    format!("`{}`: environment variables are not included here", reference.show());
                self.fail(Failure::new(LEFT_OUT, message))
            }
            None => self.unresolved(format!("`{}`: {why_not}", reference.show())),
        }
    }

    /// Whether it names a process variable, and nobody looks at those.
    fn is_unknown(&self, reference: &Reference, reading: &TextContext<'_>) -> bool {
        let answers = self.answers;
        !answers.outside.reads_variables()
            && matches!(
                meaning(answers, self.asked.context, reference, reading),
                Ok(Referent::Variable(_))
            )
    }

    fn find(
        &mut self,
        reference: &Reference,
        reading: &TextContext<'_>,
    ) -> Result<Lookup, Failure> {
        let answers = self.answers;
        let text = |text: Option<Arc<str>>, nothing: String| match text {
            Some(text) => Lookup::Value(Expanded::of(Value::Text(text.into()))),
            None => Lookup::Nothing(nothing),
        };
        let bad = |problem: String| {
            Failure::new("unresolved-reference", format!("`{}`: {problem}", reference.show()))
        };
        match meaning(answers, self.asked.context, reference, reading).map_err(bad)? {
            Referent::Nothing(why) => Ok(Lookup::Nothing(why)),
            Referent::Uncertain(why) => {
                let message = format!("`{}`: {why}", reference.show());
                Err(Failure::new(UNCERTAIN, message))
            }
            Referent::Variable(name) => {
                self.secret |= answers.is_secret_variable(self.asked.context, &name);
                self.height = self.height.max(1);
                let found = answers.outside.variable(&name).map_err(bad)?;
                Ok(text(found, format!("the environment variable {name} is not set")))
            }
            Referent::File(path) => {
                self.secret |= is_secret_name(&path.replace('/', "."));
                self.height = self.height.max(1);
                let found = answers.outside.file(&path).map_err(bad)?;
                Ok(text(found, format!("file not found: {path}")))
            }
            Referent::Setting(asked) => self.setting(asked),
        }
    }

    fn setting(&mut self, asked: Asked) -> Result<Lookup, Failure> {
        let answers = self.answers;
        let known = answers.recall(&asked);
        // One that refers to nothing itself need not be waited for.
        let known = known.or_else(|| answers.plain(asked).map(Arc::new));
        let Some(outcome) = known else {
            self.needs.push(asked);
            return Ok(Lookup::NotYet);
        };
        self.secret |= outcome.secret;
        self.height = self.height.max(outcome.height + 1);
        match &outcome.result {
            Ok(Some(value)) => {
                Ok(Lookup::Value(Expanded { value: value.clone(), weight: outcome.weight_of() }))
            }
            Ok(None) => Ok(Lookup::Nothing(format!("{} is not set here", answers.name(asked)))),
            Err(failure) => {
                let mut failure = failure.clone();
                if failure.way.len() < LONGEST_WAY {
                    failure.way.insert(0, answers.name(asked));
                }
                Err(failure)
            }
        }
    }
}

impl super::Outcome {
    fn weight_of(&self) -> Weight {
        match self.value() {
            // Nothing was put together, so that it is no larger than it is written.
            Some(value) if self.weight == Weight::default() => Weight::of(value),
            _ => self.weight,
        }
    }
}

impl<'r> TextContext<'r> {
    fn of(resolution: &'r Resolution, candidate: &Candidate) -> TextContext<'r> {
        let reading = resolution.reading(candidate);
        let layer = resolution.readings().layer(reading.layer);
        let naming = match layer.names_in(&reading.document) {
            Names::Variables(naming) => Some(naming),
            Names::Keys => None,
        };
        let literal_dollars = reading.document.literal_dollars(candidate.leaf as usize);
        let is_from_store = layer.reads_scopes();
        TextContext { resolution, literal_dollars, naming, is_from_store }
    }

    fn rules(&self, answers: &Answers<'_>) -> TextRules<'r> {
        TextRules {
            literal_dollars: self.literal_dollars,
            names_are_variables: self.naming.is_some(),
            depth: answers.limits.depth,
        }
    }
}

fn bad_text(bad: BadText) -> Failure {
    let code = if bad.too_deep { "reference-too-deep" } else { "unresolved-reference" };
    Failure::new(code, bad.problem)
}

/// What a reference means for a text that is in the context of that number.
fn meaning(
    answers: &Answers<'_>,
    context: u32,
    reference: &Reference,
    reading: &TextContext<'_>,
) -> Result<Referent, String> {
    let there = answers.context_of(context, &reference.changes)?;
    let resolution = answers.resolution_of(there);
    let setting = |key: KeyId| Referent::Setting(Asked { context: there, key });
    let meaning = match &reference.target {
        Target::Variable(name) => Referent::Variable(name.clone()),
        Target::File(path) => Referent::File(path.clone()),
        Target::Key(path) => match setting_at(&resolution, path) {
            Ok(key) => setting(key),
            Err(why) => match resolution.unasked().next() {
                None => Referent::Nothing(why),
                Some(layer) => {
                    let layer = resolution.readings().layer(layer);
                    let absence = layer.absence().unwrap_or_default();
                    Referent::Uncertain(format!("{why}; {} could set it: {absence}", layer.name))
                }
            },
        },
        Target::Name(name) => {
            let naming = reading.naming.or_else(|| first_naming(reading.resolution));
            let meant = match naming {
                Some(naming) => resolution.setting_named(naming, name).map_err(|clash| {
                    let keys = [clash.one, clash.other].map(|key| resolution.keys().show(key));
                    format!("both {} and {} have that variable", keys[0], keys[1])
                })?,
                None => None,
            };
            match meant {
                Some(key) => setting(key),
                // Who writes into a store must not learn what this machine has.
                None if reading.is_from_store => {
                    Referent::Nothing(format!("no setting has the variable {name}"))
                }
                None => Referent::Variable(name.clone()),
            }
        }
    };
    match meaning {
        // Who writes into a store must not learn what this machine has.
        Referent::Variable(_) | Referent::File(_) if reading.is_from_store => {
            Err("a value from a store can refer to settings only".to_owned())
        }
        meaning => Ok(meaning),
    }
}

fn first_naming(resolution: &Resolution) -> Option<&Naming> {
    let names = resolution.readings().layers.iter().flat_map(Layer::all_names);
    let mut names = names;
    names.find_map(|names| match names {
        Names::Variables(naming) => Some(naming),
        Names::Keys => None,
    })
}

/// The setting at a key or at the key that it had once, or why there is none.
fn setting_at(resolution: &Resolution, path: &KeyPath) -> Result<KeyId, String> {
    let keys = resolution.keys();
    let found = keys.find(KeyId::ROOT, path);
    if let Some(key) = found {
        if resolution.is_setting(key) {
            return Ok(key);
        }
        if let Some(now) = resolution.readings().catalogue.successor(key) {
            return Ok(now);
        }
        if keys.below(key).any(|below| resolution.is_setting(below)) {
            return Err(format!("{path} is not a setting; it has keys below it"));
        }
    }
    match resolution.names().nearest(&path.to_string()) {
        Some(near) => Err(format!("no setting {path} here; did you mean {near}?")),
        None => Err(format!("no setting {path} here")),
    }
}

/// What the chain of an explanation needs to know about a text.
pub(super) fn references_of<'p>(pieces: &'p [Piece], into: &mut Vec<&'p Reference>) {
    for piece in pieces {
        if let Piece::Reference(reference) = piece {
            into.push(reference);
        }
    }
}

/// Every reference in the texts of a leaf, those in fallbacks too; none where a text is no proper one.
pub(crate) fn all_references(
    value: &Value,
    literal_dollars: &[u32],
    names_are_variables: bool,
    depth: usize,
) -> Vec<Reference> {
    let rules = TextRules { literal_dollars, names_are_variables, depth };
    let mut texts = Vec::new();
    collect_texts(value, &mut texts);
    let texts = texts.into_iter().filter(|text| may_refer(text));
    let mut open: Vec<Piece> =
        texts.filter_map(|text| take_apart(text, rules).ok()).flatten().collect();
    let mut references = Vec::new();
    while let Some(piece) = open.pop() {
        if let Piece::Reference(mut reference) = piece {
            open.extend(reference.fallback.take().into_iter().flatten());
            references.push(reference);
        }
    }
    references
}

/// The references in the texts of a candidate, in order, taken apart as the expansion does.
pub(super) fn pieces_of(
    answers: &Answers<'_>,
    resolution: &Resolution,
    candidate: &Candidate,
) -> Vec<Vec<Piece>> {
    let reading = TextContext::of(resolution, candidate);
    let mut texts = Vec::new();
    collect_texts(&resolution.leaf(candidate).value, &mut texts);
    texts.into_iter().filter_map(|text| take_apart(text, reading.rules(answers)).ok()).collect()
}

/// The pieces of the text that decides a setting alone; none if that is no text with references.
pub(crate) fn winning_pieces(answers: &Answers<'_>, key: KeyId) -> Option<Vec<Piece>> {
    let resolution = answers.resolution();
    let mut in_force = resolution.in_force(key);
    let (Some(only), None) = (in_force.next(), in_force.next()) else { return None };
    let candidate = resolution.candidate(only);
    let refers = resolution.readings().layer(resolution.layer_of(candidate)).references;
    if !refers || !matches!(resolution.leaf(candidate).value, Value::Text(_)) {
        return None;
    }
    pieces_of(answers, resolution, candidate).pop()
}

fn collect_texts<'v>(value: &'v Value, texts: &mut Vec<&'v str>) {
    match value {
        Value::Text(text) if may_refer(text) => texts.push(text),
        Value::List(items) => items.iter().for_each(|item| collect_texts(&item.value, texts)),
        Value::Map(entries) => {
            entries.iter().for_each(|entry| collect_texts(&entry.value, texts));
        }
        _ => {}
    }
}

/// What a reference of a candidate means.
pub(super) fn meaning_for(
    answers: &Answers<'_>,
    context: u32,
    reference: &Reference,
    resolution: &Resolution,
    candidate: &Candidate,
) -> Result<Referent, String> {
    meaning(answers, context, reference, &TextContext::of(resolution, candidate))
}
