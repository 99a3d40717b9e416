//! Names as a shell knows them: what was set before the text is read.

use super::earlier::Earlier;
use super::expand::{Expanded, Expansion, Lookup, TextContext};
use super::{Answers, Asked, Failure, UNREADABLE};
use crate::model::convert::show_in_text;
use crate::model::document::Document;
use crate::model::fact::Fact;
use crate::model::key::{KeyId, Keys};
use crate::model::layer::Names;
use crate::model::place::Place;
use crate::model::reference::Within;
use crate::model::value::Value;
use crate::model::words::answers as words;
use crate::parallel::lock;
use crate::precedence::resolution::Resolution;
use crate::reading::Reading;
use hashbrown::HashMap;
use std::sync::{Arc, Mutex};

/// The leaves of a document by their names, those of a name in order.
type ByName = Arc<HashMap<KeyId, Vec<u32>>>;

/// Where documents have their names, and for which settings readings offer them.
#[derive(Default)]
pub(super) struct LeavesByName {
    by_name: Mutex<HashMap<usize, ByName>>,
    keys: Mutex<HashMap<usize, KeysOf>>,
}

/// The setting for which each leaf is offered.
type KeysOf = Arc<HashMap<u32, KeyId>>;

impl LeavesByName {
    fn of(&self, document: &Arc<Document>) -> ByName {
        let by = Arc::as_ptr(document) as usize;
        let mut known = lock(&self.by_name);
        let found = known.entry(by).or_insert_with(|| {
            let mut leaves: HashMap<KeyId, Vec<u32>> = HashMap::new();
            for (number, leaf) in document.leaves.iter().enumerate() {
                let number = u32::try_from(number).unwrap_or(u32::MAX);
                leaves.entry(leaf.name).or_default().push(number);
            }
            Arc::new(leaves)
        });
        Arc::clone(found)
    }

    fn keys_of(&self, reading: &Arc<Reading>) -> KeysOf {
        let mut known = lock(&self.keys);
        let found = known.entry(Arc::as_ptr(reading) as usize).or_insert_with(|| {
            Arc::new(reading.offers.iter().map(|offer| (offer.leaf, offer.key)).collect())
        });
        Arc::clone(found)
    }
}

impl Answers<'_> {
    /// What a name was set to where a text is read.
    pub(super) fn earlier(&self, name: &str, at: &TextContext<'_>) -> Result<Earlier, Fact> {
        for place in at.layer.lookup.iter() {
            let found = match place {
                Within::File => self.in_file(name, at),
                Within::Weaker => self.in_weaker(name, at)?,
                Within::Process => {
                    let found = self.outside.variable(name).map_err(Fact::told)?;
                    found.map(|_| Earlier::Variable(name.to_owned()))
                }
            };
            if let Some(found) = found {
                return Ok(found);
            }
        }
        Ok(match at.layer.lookup.contains(&Within::Process) && !self.outside.reads_variables() {
            // Whether a process has it is not known then.
            true => Earlier::Variable(name.to_owned()),
            false => Earlier::Nothing(Fact::new(words::NAME_NOT_SET_BEFORE).with("name", name)),
        })
    }

    /// In the lines before, or anywhere in a file whose lines have no order.
    fn in_file(&self, name: &str, at: &TextContext<'_>) -> Option<Earlier> {
        let reading = &at.resolution.readings().readings[at.at.0 as usize];
        let keys = at.resolution.keys();
        let own = reading.document.leaves.get(at.at.1 as usize)?;
        let wanted = keys.find_child(keys.parent(own.name), name)?;
        let names = self.names.of(&reading.document);
        let mut leaves = names.get(&wanted)?.iter().rev().copied();
        let is_before = |leaf: &u32| match reading.document.is_shell {
            true => *leaf < at.at.1,
            false => *leaf != at.at.1,
        };
        leaves.find(is_before).map(|leaf| Earlier::Leaf(at.at.0, leaf))
    }

    /// In a weaker source, the strongest first.
    fn in_weaker(&self, name: &str, at: &TextContext<'_>) -> Result<Option<Earlier>, Fact> {
        let resolution = at.resolution;
        let keys = resolution.keys();
        let all = &resolution.readings().readings;
        let meant = match at.naming() {
            Some(naming) => resolution.setting_named(naming, name).ok().flatten(),
            None => None,
        };
        let of_setting = meant.and_then(|key| {
            let candidates = resolution.candidates(key).map(|id| resolution.candidate(id));
            let weaker = candidates.into_iter().filter(|it| it.reading < at.at.0);
            weaker.map(|it| (it.reading, it.leaf)).max()
        });
        for number in (0..at.at.0).rev() {
            let reading = &all[number as usize];
            if of_setting.is_some_and(|(reading, _)| reading == number) {
                break;
            }
            let layer = resolution.readings().layer(reading.layer);
            let are_variables = matches!(layer.names_in(&reading.document), Names::Variables(_));
            if reading.is_removal || !are_variables {
                continue;
            }
            let section = reading.section.unwrap_or(KeyId::ROOT);
            let Some(wanted) = keys.find_child(section, name) else { continue };
            let names = self.names.of(&reading.document);
            if let Some(leaf) = names.get(&wanted).and_then(|leaves| leaves.last()) {
                return Ok(Some(Earlier::Leaf(number, *leaf)));
            }
        }
        Ok(of_setting.map(|(reading, leaf)| Earlier::Leaf(reading, leaf)))
    }

    /// What a reference to something that was set before comes to, and whether that is secret.
    pub(super) fn earlier_value(
        &self,
        asked: Asked,
        resolution: &Resolution,
        at: (u32, u32),
    ) -> (Result<Option<Value>, Failure>, bool) {
        const MOST_ROUNDS: usize = 100;
        for _ in 0..MOST_ROUNDS {
            let mut expansion = Expansion::new(self, asked);
            let found = expansion.leaf(resolution, at);
            if expansion.needs.is_empty() {
                let secret = expansion.secret;
                let value = found.value.clone();
                let result = match expansion.failure {
                    Some(failure) => Err(failure),
                    None => Ok(Some(value).filter(|value| *value != Value::Null)),
                };
                return (result, secret);
            }
            expansion.needs.into_iter().for_each(|need| drop(self.outcome_of(need)));
        }
        let failure = Failure::new("reference-too-deep", Fact::new(words::TOO_FAR));
        (Err(failure), true)
    }
}

impl Expansion<'_, '_> {
    /// What a name comes to that was set before.
    pub(super) fn earlier(
        &mut self,
        earlier: Earlier,
        reading: &TextContext<'_>,
    ) -> Result<Lookup, Failure> {
        let (number, leaf) = match earlier {
            Earlier::Nothing(why) => return Ok(Lookup::Nothing(why)),
            Earlier::Variable(name) => {
                return self.variable(&name).map_err(|why| {
                    let fact = Fact::new(words::OF_NAME).with("name", name).with("why", why);
                    Failure::new("unresolved-reference", fact)
                });
            }
            Earlier::Leaf(number, leaf) => (number, leaf),
        };
        let found = self.leaf(reading.resolution, (number, leaf));
        if !self.needs.is_empty() || self.failure.is_some() {
            return Ok(Lookup::NotYet);
        }
        Ok(match found.value {
            Value::Null => Lookup::Nothing(Fact::new(words::NULL)),
            _ => Lookup::Value(Expanded { value: found.value.clone(), weight: found.weight }),
        })
    }

    /// A leaf, as a string, with what its own references come to.
    pub(super) fn leaf(&mut self, resolution: &Resolution, at: (u32, u32)) -> Arc<Expanded> {
        if let Some(known) = self.early.known.get(&at) {
            return Arc::clone(known);
        }
        let context = TextContext::at(resolution, at);
        let reading = &resolution.readings().readings[at.0 as usize];
        let leaf = &reading.document.leaves[at.1 as usize];
        let place = || reading.place(at.1).to_string();
        if self.early.open.contains(&at) {
            let fact = Fact::new(words::CIRCLE).with("way", self.way(resolution, at));
            return Arc::new(self.fail(Failure::new("reference-cycle", fact)));
        }
        if self.early.open.len() >= self.answers.limits().depth {
            let depth = self.answers.limits().depth;
            let fact = Fact::new(words::TOO_MANY_IN_A_ROW).with("most", depth);
            return Arc::new(self.fail(Failure::new("reference-too-deep", fact)));
        }
        let names = &self.answers.names;
        self.secret |= reading.document.hides(at.1) || is_secret(names, resolution, at);
        if leaf.value == Value::Unread {
            let note = reading.document.note(at.1);
            let why = note.and_then(|note| note.unreadable.as_deref()).unwrap_or("unknown");
            let fact = Fact::new(words::NOT_READ_BECAUSE).with("what", place()).with("why", why);
            return Arc::new(self.fail(Failure::new(UNREADABLE, fact)));
        }
        self.early.open.push(at);
        let height = self.early.open.len();
        let found = match context.layer.may_refer(&leaf.value) {
            true => self.value(&leaf.value, &context),
            false => Expanded::of(leaf.value.clone()),
        };
        self.early.open.pop();
        self.height = self.height.max(height);
        if !self.needs.is_empty() || self.failure.is_some() {
            return Arc::new(found);
        }
        let found = match (&found.value, show_in_text(&found.value)) {
            (Value::Null | Value::Text(_), _) => found,
            (_, Ok(shown)) => Expanded::of(Value::Text(shown.to_string().into())),
            (_, Err(kind)) => {
                let fact = Fact::new(words::PLACE_NO_PART_OF_STRING)
                    .with("place", place())
                    .with("kind", kind.with_article());
                return Arc::new(self.fail(Failure::new("unresolved-reference", fact)));
            }
        };
        let found = Arc::new(found);
        self.early.known.insert(at, Arc::clone(&found));
        found
    }

    fn way(&self, resolution: &Resolution, to: (u32, u32)) -> String {
        let from = self.early.open.iter().position(|at| *at == to).unwrap_or_default();
        let all = self.early.open[from..].iter().chain([&to]);
        let name = |at: &(u32, u32)| {
            let reading = &resolution.readings().readings[at.0 as usize];
            let leaf = &reading.document.leaves[at.1 as usize];
            resolution.keys().segment(leaf.name).to_owned()
        };
        all.map(name).collect::<Vec<_>>().join(" → ")
    }
}

/// Whether a leaf, or the setting that it is offered for, is secret.
fn is_secret(names: &LeavesByName, resolution: &Resolution, (reading, leaf): (u32, u32)) -> bool {
    let keys: &Keys = resolution.keys();
    let read = &resolution.readings().readings[reading as usize];
    let name = read.document.leaves[leaf as usize].name;
    match names.keys_of(read).get(&leaf) {
        Some(key) => resolution.secrets().has(*key),
        None => {
            crate::model::secret::is_secret_name(&keys.segments(name).join("."))
                || resolution.is_secret_variable(keys.segment(name))
        }
    }
}

/// The place of something that was set before, and the layer that has it.
pub(super) fn place_of(resolution: &Resolution, at: (u32, u32)) -> (Place, String, String) {
    let reading = &resolution.readings().readings[at.0 as usize];
    let leaf = &reading.document.leaves[at.1 as usize];
    let layer = resolution.readings().layer(reading.layer).name.clone();
    (reading.place(at.1), layer, resolution.keys().segment(leaf.name).to_owned())
}
