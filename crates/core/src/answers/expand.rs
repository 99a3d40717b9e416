//! Rule 6: what `${…}` in the texts of a candidate becomes.

use super::earlier::{Earlier, Early};
use super::texts::{collect_texts, rules_of};
use super::{Answers, Asked, Failure, LONGEST_WAY, UNCERTAIN, UNREADABLE, Weight};
use crate::model::convert::show_in_text;
use crate::model::fact::Fact;
use crate::model::key::{KeyId, KeyPath};
use crate::model::layer::{Layer, Names};
use crate::model::reference::{
    BadText, Dialect, Piece, Reference, Replaces, Target, TextRules, Within, take_apart,
};
use crate::model::secret::is_secret_name;
use crate::model::text::Growing;
use crate::model::value::{Element, Entry, Value};
use crate::model::variable::Naming;
use crate::model::words::{answers as words, layers as layer_words};
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
    Nothing(Fact),
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
    /// What a source had before, as a shell knows it.
    Early(Earlier),
    /// Nothing, and why, as a clause.
    Nothing(Fact),
    /// Nobody can find out, and why, as a clause.
    Uncertain(Fact),
}

/// The expansion of what takes effect for one setting. Goes on over answers that are not known yet, to
/// learn of all of them at once.
pub(super) struct Expansion<'a, 'o> {
    pub(super) answers: &'a Answers<'o>,
    asked: Asked,
    pub(super) needs: Vec<Asked>,
    pub(super) secret: bool,
    pub(super) height: usize,
    pub(super) failure: Option<Failure>,
    /// What was found of what sources had before.
    pub(super) early: Early<Expanded>,
}

/// How the texts of a leaf are read.
pub(super) struct TextContext<'r> {
    pub(super) resolution: &'r Resolution,
    /// The number of the reading and of the leaf.
    pub(super) at: (u32, u32),
    naming: Option<&'r Naming>,
    pub(super) layer: &'r Layer,
    is_from_store: bool,
}

impl<'a, 'o> Expansion<'a, 'o> {
    pub(super) fn new(answers: &'a Answers<'o>, asked: Asked) -> Expansion<'a, 'o> {
        Expansion {
            answers,
            asked,
            needs: Vec::new(),
            secret: false,
            height: 0,
            failure: None,
            early: Early::default(),
        }
    }

    pub(super) fn expand(&mut self, resolution: &Resolution, candidate: &Candidate) -> Expanded {
        let reading = TextContext::of(resolution, candidate);
        self.value(&resolution.leaf(candidate).value, &reading)
    }

    pub(super) fn fail(&mut self, failure: Failure) -> Expanded {
        self.failure.get_or_insert(failure);
        Expanded::nothing()
    }

    fn unresolved(&mut self, fact: Fact) -> Expanded {
        self.fail(Failure::new("unresolved-reference", fact))
    }

    pub(super) fn value(&mut self, value: &Value, reading: &TextContext<'_>) -> Expanded {
        match value {
            Value::Text(text) if reading.layer.dialect.may_refer(text) => self.text(text, reading),
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
            let fact = Fact::new(words::PROJECT_TOO_LARGE);
            return self.fail(Failure::new("reference-too-deep", fact));
        }
        match take_apart(text, reading.rules(self.answers.limits.depth)) {
            Ok(pieces) => self.pieces(&pieces, reading),
            Err(bad) => self.fail(bad_text(bad)),
        }
    }

    fn pieces(&mut self, pieces: &[Piece], reading: &TextContext<'_>) -> Expanded {
        match pieces {
            [] => Expanded::of(Value::Text("".into())),
            // Alone it keeps the other's type, but where everything is text.
            [Piece::Reference(reference)] if reference.dialect != Dialect::Posix => {
                self.reference(reference, reading)
            }
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
                    let fact = Fact::new(words::NO_PART_OF_STRING)
                        .with("reference", reference.show())
                        .with("kind", kind.with_article());
                    return self.unresolved(fact);
                }
            }
            if out.len() as u64 > self.answers.limits.bytes {
                let most = self.answers.limits.bytes;
                let fact = Fact::new(words::TOO_MANY_BYTES).with("most", most);
                return self.fail(Failure::new("reference-too-deep", fact));
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
        let empty = || Expanded::of(Value::Text("".into()));
        let (found, why_not) = match found {
            Lookup::NotYet => return Expanded::nothing(),
            Lookup::Value(expanded) => (Some(expanded), Fact::new(words::EMPTY)),
            Lookup::Nothing(why) => (None, why),
        };
        let is_full = found.as_ref().is_some_and(|found| !found.value.is_empty_text());
        let counts = match reference.replaces {
            Replaces::Empty | Replaces::NotEmpty | Replaces::DemandsValue => is_full,
            Replaces::Unset | Replaces::Set | Replaces::Demands => found.is_some(),
        };
        let is_demand = matches!(reference.replaces, Replaces::DemandsValue | Replaces::Demands);
        match (&reference.fallback, reference.replaces, found) {
            (None, _, Some(found)) => found,
            (Some(pieces), Replaces::NotEmpty | Replaces::Set, _) => match counts {
                true => self.pieces(pieces, reading),
                false => empty(),
            },
            (Some(_), _, Some(found)) if counts => found,
            (Some(_), ..) if is_demand => {
                let why = Fact::new(words::PROGRAM_ENDS).with("why", why_not);
                self.unresolved(of_reference(reference, why))
            }
            (fallback, _, found) => {
                self.replaced(reference, fallback.as_deref(), found, why_not, reading)
            }
        }
    }

    /// What takes the place of a reference that comes to nothing.
    fn replaced(
        &mut self,
        reference: &Reference,
        fallback: Option<&[Piece]>,
        found: Option<Expanded>,
        why_not: Fact,
        reading: &TextContext<'_>,
    ) -> Expanded {
        match fallback {
            Some(pieces) => self.pieces(pieces, reading),
            None if found.is_some() => found.unwrap_or_else(Expanded::nothing),
            // To a shell a name that is not set is an empty string.
            None if reference.dialect == Dialect::Posix
                && self.answers.outside.reads_variables() =>
            {
                Expanded::of(Value::Text("".into()))
            }
            None if self.is_unknown(reference, reading) => {
                let why = Fact::new(words::NO_VARIABLES_HERE);
                self.fail(Failure::new(LEFT_OUT, of_reference(reference, why)))
            }
            None => self.unresolved(of_reference(reference, why_not)),
        }
    }

    /// Whether it names a process variable, and nobody looks at those.
    fn is_unknown(&self, reference: &Reference, reading: &TextContext<'_>) -> bool {
        let answers = self.answers;
        !answers.outside.reads_variables()
            && matches!(
                meaning(answers, self.asked.context, reference, reading),
                Ok(Referent::Variable(_) | Referent::Early(Earlier::Variable(_)))
            )
    }

    fn find(
        &mut self,
        reference: &Reference,
        reading: &TextContext<'_>,
    ) -> Result<Lookup, Failure> {
        let answers = self.answers;
        let bad =
            |problem: Fact| Failure::new("unresolved-reference", of_reference(reference, problem));
        match meaning(answers, self.asked.context, reference, reading).map_err(bad)? {
            Referent::Nothing(why) => Ok(Lookup::Nothing(why)),
            Referent::Uncertain(why) => Err(Failure::new(UNCERTAIN, of_reference(reference, why))),
            Referent::Variable(name) => self.variable(&name).map_err(bad),
            Referent::File(path) => {
                self.secret |= is_secret_name(&path.replace('/', "."));
                self.height = self.height.max(1);
                Ok(match answers.outside.file(&path).map_err(|why| bad(Fact::told(why)))? {
                    Some(text) => Lookup::Value(Expanded::of(Value::Text(text.into()))),
                    None => Lookup::Nothing(no_file(&path)),
                })
            }
            Referent::Early(earlier) => self.earlier(earlier, reading),
            Referent::Setting(asked) => self.setting(asked),
        }
    }

    /// The process variable of that name.
    pub(super) fn variable(&mut self, name: &str) -> Result<Lookup, Fact> {
        self.secret |= self.answers.is_secret_variable(self.asked.context, name);
        self.height = self.height.max(1);
        Ok(match self.answers.outside.variable(name).map_err(Fact::told)? {
            Some(text) => Lookup::Value(Expanded::of(Value::Text(text.into()))),
            None => Lookup::Nothing(Fact::new(words::VARIABLE_NOT_SET).with("name", name)),
        })
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
            Ok(None) => {
                let fact = Fact::new(words::KEY_NOT_SET_HERE).with("key", answers.name(asked));
                Ok(Lookup::Nothing(fact))
            }
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
        TextContext::at(resolution, (candidate.reading, candidate.leaf))
    }

    /// Of a leaf of a reading.
    pub(super) fn at(resolution: &'r Resolution, at: (u32, u32)) -> TextContext<'r> {
        let reading = &resolution.readings().readings[at.0 as usize];
        let layer = resolution.readings().layer(reading.layer);
        let naming = match layer.names_in(&reading.document) {
            Names::Variables(naming) => Some(naming),
            Names::Keys => None,
        };
        TextContext { resolution, at, naming, layer, is_from_store: layer.reads_scopes() }
    }

    fn rules(&self, depth: usize) -> TextRules<'r> {
        let reading = &self.resolution.readings().readings[self.at.0 as usize];
        rules_of(reading, self.layer, self.at.1, depth)
    }

    /// How a shell's names are known here.
    pub(super) fn naming(&self) -> Option<&'r Naming> {
        self.naming.or_else(|| first_naming(self.resolution))
    }

    /// Whether process variables are looked for before anything else.
    fn has_process_first(&self) -> bool {
        self.layer.lookup.first() == Some(&Within::Process)
    }

    fn looks_in(&self, place: Within) -> bool {
        self.layer.lookup.contains(&place)
    }
}

/// What is wrong with a reference, or why it comes to nothing.
fn of_reference(reference: &Reference, why: Fact) -> Fact {
    Fact::new(words::OF_REFERENCE).with("reference", reference.show()).with("why", why)
}

pub(super) fn no_file(path: &str) -> Fact {
    Fact::new(layer_words::NO_FILE).with("path", path)
}

fn bad_text(bad: BadText) -> Failure {
    let code = match bad.too_deep {
        _ if bad.is_unknown => UNREADABLE,
        true => "reference-too-deep",
        false => "unresolved-reference",
    };
    Failure::new(code, bad.problem)
}

/// What a reference means for a text that is in the context of that number.
fn meaning(
    answers: &Answers<'_>,
    context: u32,
    reference: &Reference,
    reading: &TextContext<'_>,
) -> Result<Referent, Fact> {
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
                    let fact = Fact::new(words::COULD_SET).with("why", why);
                    let fact = fact.with("layer", &layer.name);
                    Referent::Uncertain(fact.with_some("absence", layer.absence()))
                }
            },
        },
        Target::Shell(name) => Referent::Early(answers.earlier(name, reading)?),
        Target::Beside(name) => match beside(&resolution, reading, name) {
            Some(key) => setting(key),
            None => Referent::Nothing(Fact::new(words::NOT_BESIDE).with("name", name)),
        },
        Target::Name(name) | Target::Any(name) => {
            let has_variable = || answers.outside.variable(name).is_ok_and(|it| it.is_some());
            let is_process_first = reading.has_process_first() && !reading.is_from_store;
            let meant = match &reference.target {
                _ if is_process_first && answers.outside.reads_variables() && has_variable() => {
                    None
                }
                _ if !reading.looks_in(Within::File) && !reading.looks_in(Within::Weaker) => None,
                Target::Any(name) => match setting_of_key(&resolution, name) {
                    Some(key) => Some(key),
                    None => setting_of_variable(&resolution, reading, name)?,
                },
                _ => setting_of_variable(&resolution, reading, name)?,
            };
            match meant {
                Some(key) => setting(key),
                // Who writes into a store must not learn what this machine has.
                None if reading.is_from_store => {
                    Referent::Nothing(Fact::new(words::NO_SETTING_OF_VARIABLE).with("name", name))
                }
                None if !reading.looks_in(Within::Process) => {
                    Referent::Nothing(Fact::new(words::NO_SETTING).with("key", name))
                }
                None => Referent::Variable(name.clone()),
            }
        }
    };
    match meaning {
        // Who writes into a store must not learn what this machine has.
        Referent::Variable(_) | Referent::File(_) | Referent::Early(Earlier::Variable(_))
            if reading.is_from_store =>
        {
            Err(Fact::new(words::STORE_REFERS_TO_SETTINGS))
        }
        meaning => Ok(meaning),
    }
}

/// The setting whose variable has that name.
fn setting_of_variable(
    resolution: &Resolution,
    reading: &TextContext<'_>,
    name: &str,
) -> Result<Option<KeyId>, Fact> {
    let Some(naming) = reading.naming() else { return Ok(None) };
    resolution.setting_named(naming, name).map_err(|clash| {
        let keys = resolution.keys();
        Fact::new(words::BOTH_HAVE_VARIABLE)
            .with("one", keys.show(clash.one))
            .with("other", keys.show(clash.other))
    })
}

/// The setting that has such a key, whatever characters are in its segments.
fn setting_of_key(resolution: &Resolution, name: &str) -> Option<KeyId> {
    let segments: Vec<String> = name.split('.').map(str::to_owned).collect();
    setting_at(resolution, &KeyPath::from_segments(segments)?).ok()
}

/// The setting of that name beside the one that a text is for: in any case, as who reads such files has it.
fn beside(resolution: &Resolution, reading: &TextContext<'_>, name: &str) -> Option<KeyId> {
    let offers = &resolution.readings().readings[reading.at.0 as usize].offers;
    let own = offers.iter().find(|offer| offer.leaf == reading.at.1)?.key;
    let keys = resolution.keys();
    let above = keys.parent(own);
    let exact = keys.find_child(above, name).filter(|key| resolution.is_setting(*key));
    exact.or_else(|| {
        let mut others = keys.children(above).filter(|key| resolution.is_setting(*key));
        others.find(|key| keys.segment(*key).eq_ignore_ascii_case(name))
    })
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
fn setting_at(resolution: &Resolution, path: &KeyPath) -> Result<KeyId, Fact> {
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
            return Err(Fact::new(words::KEYS_BELOW).with("key", path.to_string()));
        }
    }
    match resolution.names().nearest(&path.to_string()) {
        Some(near) => Err(Fact::new(words::NO_SETTING_BUT_NEAR)
            .with("key", path.to_string())
            .with("near", near)),
        None => Err(Fact::new(words::NO_SETTING).with("key", path.to_string())),
    }
}

/// The references in the texts of a candidate, in order, taken apart as the expansion does.
pub(super) fn pieces_of(
    answers: &Answers<'_>,
    resolution: &Resolution,
    candidate: &Candidate,
) -> Vec<Vec<Piece>> {
    let reading = TextContext::of(resolution, candidate);
    let mut texts = Vec::new();
    collect_texts(&resolution.leaf(candidate).value, reading.layer.dialect, &mut texts);
    texts
        .into_iter()
        .filter_map(|text| take_apart(text, reading.rules(answers.limits.depth)).ok())
        .collect()
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

/// What a reference of a candidate means.
pub(super) fn meaning_for(
    answers: &Answers<'_>,
    context: u32,
    reference: &Reference,
    resolution: &Resolution,
    candidate: &Candidate,
) -> Result<Referent, Fact> {
    meaning(answers, context, reference, &TextContext::of(resolution, candidate))
}
