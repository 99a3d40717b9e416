//! From documents to readings: each layer's names become keys, and what layers take away is told.

use super::{BadReading, From, Reading};
use crate::model::axis::Context;
use crate::model::catalogue::{Catalogue, Declared};
use crate::model::document::{Document, Leaf};
use crate::model::key::{KeyId, KeyPath, Keys};
use crate::model::layer::{Kind, Layer, LayerIndex, Names, Presence};
use crate::model::place::{Origin, Place, SourceText};
use crate::model::variable::VariableRules;
use crate::model::variable::is_system_variable;
use crate::model::variable::{Claims, Known, Naming};
use hashbrown::{HashMap, HashSet};
use std::sync::Arc;

mod finish;
mod removal;

use finish::finish;
use removal::removal;

/// A document that a layer reads, and how.
#[derive(Clone, Debug)]
pub struct Input {
    /// The layer.
    pub layer: LayerIndex,
    /// Where the source comes from.
    pub origin: Origin,
    /// What the source has.
    pub document: Arc<Document>,
    /// The section to read, all without one.
    pub section: Option<KeyPath>,
    /// Whether it is no error if the section is not there.
    pub may_lack_section: bool,
    /// Whether its texts carry no type of their own.
    pub untyped: bool,
}

impl Input {
    /// The place of one of the leaves of its document.
    pub(crate) fn place_of(&self, leaf: &Leaf) -> Place {
        let place = Place::in_text(self.origin.clone(), self.document.text.as_ref(), leaf.at);
        place.named(leaf.name_at)
    }
}

/// All that readings are made of.
#[derive(Clone, Debug)]
pub struct Inputs {
    /// All keys; those of the documents are among them.
    pub keys: Arc<Keys>,
    /// Where the question is asked.
    pub context: Context,
    /// The layers, weakest first.
    pub layers: Vec<Layer>,
    /// What they read, weakest source first.
    pub inputs: Vec<Input>,
    /// What the catalogue declares.
    pub declared: Arc<[Declared]>,
    /// What the same layers read in other contexts, for the names of settings that it has; the same
    /// in all contexts.
    pub others: Arc<[Input]>,
    /// How the project names variables, where no layer has its own way.
    pub naming: Option<Naming>,
    /// Names of variables that are never settings, such as those from which an axis is read.
    pub never: Arc<HashSet<String>>,
    /// The names and texts of the files that declare settings; `remove` patterns are in the first,
    /// the project file.
    pub catalogues: Arc<[(Arc<str>, SourceText)]>,
}

/// An input that cannot be read as its layer asks.
#[derive(Clone, Debug)]
pub struct BadInput {
    /// It.
    pub input: Input,
    /// What is wrong.
    pub problem: BadReading,
    /// All keys, for those that the problem names.
    pub keys: Arc<Keys>,
}

/// Everything that was read for one context.
#[derive(Debug)]
pub struct Readings {
    /// All keys; shared with what was read for other contexts.
    pub keys: Arc<Keys>,
    /// Where the question is asked.
    pub context: Context,
    /// The layers, weakest first.
    pub layers: Vec<Layer>,
    /// What they read, weakest source first; what a layer takes away is before its sources.
    /// Contexts that were read together share what is the same in them.
    pub readings: Vec<Arc<Reading>>,
    /// What the project declares about settings.
    pub catalogue: Arc<Catalogue>,
    /// What this was made of.
    pub inputs: Inputs,
    /// The number of the input of each reading; none for what a layer only takes away.
    pub(super) numbers: Vec<Option<usize>>,
}

/// # Assembling
impl Readings {
    /// Whether any name of a variable means no setting here and could mean one that only another
    /// context has.
    pub fn could_mean_others(&self) -> bool {
        let names = self.layers.iter().flat_map(Layer::all_names);
        let namings = names.filter_map(|names| match names {
            Names::Variables(naming) => Some((&naming.prefix, &naming.nest)),
            Names::Keys => None,
        });
        let mut namings: Vec<_> = namings.collect();
        namings.dedup();
        self.readings.iter().any(|reading| {
            let names = self.layer(reading.layer).names_in(&reading.document);
            let Names::Variables(naming) = names else { return false };
            reading.strangers.iter().any(|stranger| {
                let name = self.keys.segment(stranger.key);
                let is_ours = name.starts_with(&naming.prefix) || namings.len() > 1;
                match naming.claims {
                    Claims::Every => is_ours,
                    Claims::Known | Claims::Own => is_ours && !is_system_variable(name),
                    Claims::Nothing => false,
                }
            })
        })
    }

    /// Applies each layer's naming. Layers whose names are keys go first, as they make settings
    /// known that variables are then read for.
    pub fn assemble(mut inputs: Inputs) -> Result<Readings, Box<BadInput>> {
        let keys = std::mem::take(&mut inputs.keys);
        let mut one = Readings::assemble_all(keys, vec![inputs]);
        // One comes out for each that goes in.
        one.1.swap_remove(0)
    }

    /// The same for many contexts of one project, whose documents have all their names in `keys`:
    /// what is read in the same way in several contexts is read once, and shared.
    pub fn assemble_all(mut keys: Arc<Keys>, all: Vec<Inputs>) -> (Arc<Keys>, Vec<Assembled>) {
        let mut together = Together::new(Arc::make_mut(&mut keys), &all);
        let keyed: Vec<Read<Vec<Slot>>> =
            all.iter().map(|inputs| together.read_keys(inputs)).collect();
        // Three steps: what has keys for names makes settings known, then files and scopes of
        // variables do, and what the process means by its names comes last.
        together.read_other_keys(&all);
        together.index(&all, false);
        let flat: Vec<Read<Vec<Slot>>> = all
            .iter()
            .zip(keyed)
            .map(|(inputs, keyed)| {
                keyed.and_then(|slots| together.read_variables(inputs, slots, false))
            })
            .collect();
        if all.iter().any(has_process) {
            together.read_other_variables(&all);
            together.index(&all, true);
        }
        let mut read = Vec::with_capacity(all.len());
        for (inputs, flat) in all.iter().zip(flat) {
            let slots = flat.and_then(|slots| together.read_variables(inputs, slots, true));
            let removals = together.removals(inputs);
            read.push(slots.map(|slots| (slots, removals)));
        }
        let catalogue = Arc::new(together.catalogue);
        let finish = |(mut inputs, read): (Inputs, Read<SlotsAndRemovals>)| {
            inputs.keys = Arc::clone(&keys);
            match read {
                Ok((slots, removals)) => Ok(finish(inputs, slots, removals, &catalogue)),
                Err((number, problem)) => {
                    let input = inputs.inputs.swap_remove(number);
                    Err(Box::new(BadInput { input, problem, keys: Arc::clone(&keys) }))
                }
            }
        };
        let finished = all.into_iter().zip(read).map(finish).collect();
        (keys, finished)
    }

    /// The first input that reads the same document: an edit to one is an edit to all of them.
    pub(crate) fn first_of_document(&self, input: usize) -> usize {
        let document = &self.inputs.inputs[input].document;
        let all = self.inputs.inputs.iter();
        all.take(input).position(|it| Arc::ptr_eq(&it.document, document)).unwrap_or(input)
    }
}

/// What becomes of the inputs of one context.
pub type Assembled = Result<Readings, Box<BadInput>>;

type Read<T> = Result<T, (usize, BadReading)>;

/// A reading, unless its section is not there and need not be.
type Slot = Option<Arc<Reading>>;

/// What was read of the inputs of a context, and what each of its layers takes away.
type SlotsAndRemovals = (Vec<Slot>, Vec<Slot>);

/// What was read of a document whose names are variables.
#[derive(Default)]
struct Flat {
    /// The settings, known in any context, that its names could mean.
    could_mean: Vec<KeyId>,
    /// Which of those were known, the section, and what was read then.
    read: Vec<(Vec<bool>, Option<KeyPath>, Slot)>,
}

/// What is read for several contexts.
struct Together<'k> {
    keys: &'k mut Keys,
    catalogue: Catalogue,
    /// What was read of documents whose names are keys.
    keyed: Vec<(Input, Slot)>,
    keyed_by: HashMap<(*const Document, LayerIndex), Vec<usize>>,
    /// What was read of documents whose names are variables, which depends on what is known besides.
    flat: HashMap<(*const Document, LayerIndex), Flat>,
    /// The known settings by their variables. Layers mostly share one naming, and its index is the
    /// only costly thing about it.
    indexes: Vec<(Naming, Known)>,
    /// The settings that are known in any context, in the order in which they become so.
    known: Vec<KeyId>,
    is_known: Vec<bool>,
    /// What files and scopes mean by names that are no known setting's variable.
    spelled: HashMap<String, KeyId>,
    /// Names that are never settings.
    never: HashSet<String>,
    removals: Vec<Slot>,
    /// What was read of such documents where there is but one context.
    flat_alone: Vec<Arc<Reading>>,
    /// Whether there is more than one context, so that what is known differs.
    are_many: bool,
}

impl<'k> Together<'k> {
    fn new(keys: &'k mut Keys, all: &[Inputs]) -> Together<'k> {
        let declared = all.first().map(|inputs| Arc::clone(&inputs.declared)).unwrap_or_default();
        let catalogue = Catalogue::new(keys, &declared);
        let given: HashSet<&str> =
            declared.iter().filter_map(|declared| declared.variable.as_deref()).collect();
        let never = all.first().map(|inputs| Arc::clone(&inputs.never)).unwrap_or_default();
        let never = never.iter().filter(|name| !given.contains(name.as_str())).cloned().collect();
        if keys.is_loose() {
            spell(keys, &catalogue, all);
        }
        Together {
            keys,
            catalogue,
            keyed: Vec::new(),
            keyed_by: HashMap::new(),
            flat: HashMap::new(),
            indexes: Vec::new(),
            known: Vec::new(),
            is_known: Vec::new(),
            spelled: HashMap::new(),
            never,
            removals: Vec::new(),
            flat_alone: Vec::new(),
            are_many: all.len() > 1 || all.iter().any(|inputs| !inputs.others.is_empty()),
        }
    }

    /// Reads what has keys for names.
    fn read_keys(&mut self, inputs: &Inputs) -> Read<Vec<Slot>> {
        let mut slots: Vec<Slot> = vec![None; inputs.inputs.len()];
        for (number, input) in inputs.inputs.iter().enumerate() {
            if *names_of(inputs, input) != Names::Keys {
                continue;
            }
            let by = (Arc::as_ptr(&input.document), input.layer);
            let known = self.keyed_by.entry(by).or_default();
            let same = known.iter().find(|at| self.keyed[**at].0.section == input.section);
            if let Some(same) = same {
                slots[number].clone_from(&self.keyed[*same].1);
                continue;
            }
            let reading = Reading::of_keys(self.keys, from(&inputs.layers, input), &self.catalogue);
            let slot = settle(input, reading).map_err(|problem| (number, problem))?;
            known.push(self.keyed.len());
            self.keyed.push((input.clone(), slot.clone()));
            slots[number] = slot;
        }
        Ok(slots)
    }

    /// Makes the settings known that an offer is about.
    fn note(&mut self, key: KeyId) {
        if self.is_known.len() <= key.index() {
            self.is_known.resize(self.keys.count().max(key.index() + 1), false);
        }
        if !std::mem::replace(&mut self.is_known[key.index()], true) {
            self.known.push(key);
        }
    }

    /// Notes the settings that sources with keys for names know, here and in other contexts.
    fn read_other_keys(&mut self, all: &[Inputs]) {
        let here: Vec<KeyId> = self.keyed.iter().flat_map(|(_, slot)| offered(slot)).collect();
        here.into_iter().for_each(|key| self.note(key));
        let Some(first) = all.first() else { return };
        for input in others(first).filter(|input| names_of(first, input) == &Names::Keys) {
            let by = (Arc::as_ptr(&input.document), input.layer);
            let known = self.keyed_by.get(&by).into_iter().flatten();
            if known.into_iter().any(|at| self.keyed[*at].0.section == input.section) {
                continue;
            }
            // What cannot be read there makes nothing known here.
            let from = from(&first.layers, input);
            if let Ok(reading) = Reading::of_keys(self.keys, from, &self.catalogue) {
                reading.offers.iter().for_each(|offer| self.note(offer.key));
            }
        }
    }

    /// The same for files and scopes of variables, and what they mean by their names.
    fn read_other_variables(&mut self, all: &[Inputs]) {
        let mut slots: Vec<Arc<Reading>> = Vec::new();
        for flat in self.flat.values() {
            slots.extend(flat.read.iter().filter_map(|(_, _, slot)| slot.clone()));
        }
        slots.extend(std::mem::take(&mut self.flat_alone));
        // By their layers, so that no order of hashes shows.
        slots.sort_by(|one, other| {
            (one.layer, &one.origin, one.offers.len()).cmp(&(
                other.layer,
                &other.origin,
                other.offers.len(),
            ))
        });
        let none: Vec<bool> = vec![false; self.keys.count()];
        if let Some(first) = all.first() {
            for input in others(first) {
                let layer = &first.layers[input.layer.0];
                let Names::Variables(naming) = names_of(first, input) else { continue };
                if layer.kind == Kind::Process {
                    continue;
                }
                let Some(index) = self.index_of(naming) else { continue };
                let rules = VariableRules {
                    naming,
                    known: &self.indexes[index].1,
                    here: Some(&none),
                    spelled: None,
                    catalogue: &self.catalogue,
                    never: &self.never,
                };
                let from = from(&first.layers, input);
                if let Ok(reading) = Reading::of_variables(self.keys, from, &rules) {
                    slots.push(Arc::new(reading));
                }
            }
        }
        for reading in slots {
            for offer in &reading.offers {
                self.note(offer.key);
                let name = reading.document.leaves[offer.leaf as usize].name;
                let section = reading.section.unwrap_or(KeyId::ROOT);
                if self.keys.parent(name) == section {
                    let name = self.keys.segment(name).to_owned();
                    self.spelled.entry(name).or_insert(offer.key);
                }
            }
        }
    }

    /// Indexes all that is known in any of the contexts by its variables, for files and scopes or for
    /// the process.
    fn index(&mut self, all: &[Inputs], for_process: bool) {
        self.indexes.clear();
        let layers = all.iter().flat_map(|inputs| &inputs.layers);
        for names in layers.flat_map(Layer::all_names) {
            let Names::Variables(naming) = names else { continue };
            if self.index_of(naming).is_none() {
                // Most processes have no variable of the project's, and then nothing is looked up.
                let settings: &[KeyId] = match has_prefix(self.keys, all, naming, for_process) {
                    true => &self.known,
                    false => &[],
                };
                let known = Known::new(self.keys, settings, &self.catalogue, naming);
                self.indexes.push((naming.clone(), known));
            }
        }
    }

    fn index_of(&self, naming: &Naming) -> Option<usize> {
        let same = |(other, _): &(Naming, Known)| {
            other.prefix == naming.prefix && other.nest == naming.nest
        };
        self.indexes.iter().position(same)
    }

    /// Reads what has variables for names, in the light of what has keys.
    fn read_variables(
        &mut self,
        inputs: &Inputs,
        mut slots: Vec<Slot>,
        for_process: bool,
    ) -> Read<Vec<Slot>> {
        let mut here: Option<Vec<bool>> = None;
        for (number, input) in inputs.inputs.iter().enumerate() {
            let layer = &inputs.layers[input.layer.0];
            let Names::Variables(naming) = names_of(inputs, input) else { continue };
            if (layer.kind == Kind::Process) != for_process {
                continue;
            }
            if self.are_many && here.is_none() {
                here = Some(known_here(self.keys, &slots));
            }
            // Every naming of these layers was indexed.
            let Some(index) = self.index_of(naming) else { continue };
            let by = (Arc::as_ptr(&input.document), input.layer);
            let known = here.as_ref().map(|here| {
                let flat = self.flat.entry(by).or_insert_with(|| {
                    let index = &self.indexes[index].1;
                    Flat {
                        could_mean: index.all_meanings(self.keys, &input.document),
                        read: Vec::new(),
                    }
                });
                let is_known = |key: &KeyId| here[key.index()];
                flat.could_mean.iter().map(is_known).collect::<Vec<bool>>()
            });
            let before = self.flat.get(&by).into_iter().flat_map(|flat| &flat.read);
            let same = before.into_iter().find(|(before, section, _)| {
                Some(before) == known.as_ref() && *section == input.section
            });
            if let Some((_, _, slot)) = same {
                slots[number].clone_from(slot);
                continue;
            }
            let rules = VariableRules {
                naming,
                known: &self.indexes[index].1,
                here: here.as_deref(),
                spelled: for_process.then_some(&self.spelled),
                catalogue: &self.catalogue,
                never: &self.never,
            };
            let reading = Reading::of_variables(self.keys, from(&inputs.layers, input), &rules);
            let Some(reading) = settle(input, reading).map_err(|problem| (number, problem))? else {
                continue;
            };
            let flat = self.flat.entry(by).or_default();
            let same = flat.read.iter().filter_map(|(_, _, slot)| slot.as_ref());
            let same = same.into_iter().find(|before| before.says_the_same(&reading)).cloned();
            let slot = Some(same.unwrap_or(reading));
            match known {
                Some(known) => flat.read.push((known, input.section.clone(), slot.clone())),
                None if !for_process => self.flat_alone.extend(slot.clone()),
                None => {}
            }
            slots[number] = slot;
        }
        Ok(slots)
    }

    /// What each layer takes away, by layer.
    fn removals(&mut self, inputs: &Inputs) -> Vec<Slot> {
        self.removals.resize(inputs.layers.len(), None);
        let mut removals: Vec<Slot> = vec![None; inputs.layers.len()];
        for (index, layer) in inputs.layers.iter().enumerate() {
            if layer.removes.is_empty() || layer.presence != Presence::Read {
                continue;
            }
            let known = self.removals[index].get_or_insert_with(|| {
                Arc::new(removal(self.keys, LayerIndex(index), &layer.removes, &inputs.catalogues))
            });
            removals[index] = Some(Arc::clone(known));
        }
        removals
    }
}

/// Settles the spelling of all names: the first in the order of layers and of their files' paths.
fn spell(keys: &mut Keys, catalogue: &Catalogue, all: &[Inputs]) {
    let Some(first) = all.first() else { return };
    let elsewhere = others(first);
    let mut inputs: Vec<&Input> = all.iter().flat_map(|it| &it.inputs).chain(elsewhere).collect();
    inputs.sort_by(|one, other| (one.layer, &one.origin).cmp(&(other.layer, &other.origin)));
    inputs.dedup_by(|one, other| {
        one.layer == other.layer && Arc::ptr_eq(&one.document, &other.document)
    });
    for input in inputs.into_iter().filter(|input| names_of(first, input) == &Names::Keys) {
        let section = input.section.as_ref().map(|section| keys.intern(KeyId::ROOT, section));
        let section = section.unwrap_or(KeyId::ROOT);
        let into = first.layers[input.layer.0].into.as_ref();
        let into = into.map_or(KeyId::ROOT, |into| keys.intern(KeyId::ROOT, into));
        for leaf in &input.document.leaves {
            if section == KeyId::ROOT || keys.is_within(leaf.name, section) {
                let key = keys.moved(leaf.name, section, into);
                catalogue.spelled(keys, key);
            }
        }
    }
}

/// What the layers read in other contexts.
fn others(inputs: &Inputs) -> impl Iterator<Item = &Input> {
    inputs.others.iter().filter(|input| input.layer.0 < inputs.layers.len())
}

fn names_of<'i>(inputs: &'i Inputs, input: &Input) -> &'i Names {
    inputs.layers[input.layer.0].names_in(&input.document)
}

fn has_process(inputs: &Inputs) -> bool {
    inputs.inputs.iter().any(|input| inputs.layers[input.layer.0].kind == Kind::Process)
}

fn offered(slot: &Slot) -> impl Iterator<Item = KeyId> + '_ {
    slot.iter().flat_map(|reading| reading.offers.iter().map(|offer| offer.key))
}

/// Whether any name that is read under that naming has its prefix, as each variable of a setting has.
fn has_prefix(keys: &Keys, all: &[Inputs], naming: &Naming, for_process: bool) -> bool {
    let is_so_named = |inputs: &&Inputs, input: &&Input| {
        let layer = &inputs.layers[input.layer.0];
        (layer.kind == Kind::Process) == for_process
            && matches!(layer.names_in(&input.document), Names::Variables(other) if other.prefix == naming.prefix)
    };
    let has_it = |document: &Document| {
        let mut has_it = document.unreadable.iter().any(|name| name.starts_with(&naming.prefix));
        for leaf in &document.leaves {
            keys.for_each_segment(leaf.name, |_, name| {
                has_it |= name.starts_with(&naming.prefix);
            });
            if has_it {
                break;
            }
        }
        has_it
    };
    all.iter().any(|inputs| {
        let read = inputs.inputs.iter().chain(inputs.others.iter());
        let mut read = read.filter(|input| is_so_named(&inputs, input));
        read.any(|input| has_it(&input.document))
    })
}

/// Whether each key is a setting that what has keys for names makes known.
fn known_here(keys: &Keys, slots: &[Slot]) -> Vec<bool> {
    let mut known = vec![false; keys.count()];
    for offer in slots.iter().flatten().flat_map(|reading| &reading.offers) {
        known[offer.key.index()] = true;
    }
    known
}

fn from<'a>(layers: &'a [Layer], input: &'a Input) -> From<'a> {
    From {
        layer: input.layer,
        origin: &input.origin,
        document: &input.document,
        section: input.section.as_ref(),
        into: layers[input.layer.0].into.as_ref(),
        may_repeat: matches!(
            layers[input.layer.0].kind,
            Kind::Arguments | Kind::CommandLine | Kind::Code
        ),
    }
}

fn settle(input: &Input, read: Result<Reading, BadReading>) -> Result<Slot, BadReading> {
    match read {
        Ok(reading) => Ok(Some(Arc::new(Reading { untyped: input.untyped, ..reading }))),
        Err(BadReading::NoSection) if input.may_lack_section => Ok(None),
        Err(problem) => Err(problem),
    }
}

/// The segments of a key after those that are put before every key; `None` if it is not below them.
pub(crate) fn segments_below<'s>(
    into: Option<&KeyPath>,
    mut segments: impl Iterator<Item = &'s str>,
) -> Option<Vec<String>> {
    for before in into.into_iter().flat_map(KeyPath::segments) {
        if segments.next() != Some(before) {
            return None;
        }
    }
    let rest: Vec<String> = segments.map(str::to_owned).collect();
    (!rest.is_empty()).then_some(rest)
}
