//! From documents to readings: each layer's names become keys, and what layers take away is told.

use super::{BadReading, From, NearName, Reading, VariableRules, narrow};
use crate::{
    Catalogue, Context, Declared, Document, KeyId, KeyPath, Keys, Known, Lack, Layer, LayerIndex,
    Leaf, Names, Naming, Presence, Removal, SourceText, Value,
};
use hashbrown::HashSet;
use std::sync::Arc;

/// A document that a layer reads, and how.
#[derive(Clone, Debug)]
pub struct Input {
    /// The layer.
    pub layer: LayerIndex,
    /// The name of the source: a path relative to the project's folder, `process` or `arguments`.
    pub source: Arc<str>,
    /// What the source says.
    pub document: Arc<Document>,
    /// The section to read, all without one.
    pub section: Option<KeyPath>,
    /// Whether it is no error if the section is not there.
    pub may_lack_section: bool,
    /// Whether its texts carry no type of their own.
    pub untyped: bool,
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
    /// Names of variables that are never settings, such as those from which an axis is read.
    pub never: Arc<HashSet<String>>,
    /// The name and text of the project file, in which `remove` patterns stand.
    pub project: (Arc<str>, SourceText),
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
    /// What they read, weakest source first; what a layer takes away stands before its sources.
    pub readings: Vec<Reading>,
    /// What the project declares about settings.
    pub catalogue: Catalogue,
    /// What this was made of.
    pub inputs: Inputs,
}

/// A change to what sources say, to find out what would be then.
#[derive(Clone, Debug)]
pub enum Edit {
    /// A leaf is taken out.
    TakeOut {
        /// The number of the input.
        input: usize,
        /// The leaf.
        leaf: u32,
    },
    /// A leaf says something else.
    Change {
        /// The number of the input.
        input: usize,
        /// The leaf.
        leaf: u32,
        /// What it says.
        value: Value,
    },
    /// A leaf gets another name, in its source's own terms.
    Rename {
        /// The number of the input.
        input: usize,
        /// The leaf.
        leaf: u32,
        /// The name, the section included.
        name: KeyPath,
    },
    /// A layer takes a pattern away no more.
    StopRemoving {
        /// The layer.
        layer: LayerIndex,
        /// The pattern as written.
        written: String,
    },
    /// An empty text counts.
    CountEmpty {
        /// The layer that says it.
        layer: LayerIndex,
        /// The setting.
        key: KeyId,
    },
}

impl Edit {
    /// The input that it is about.
    pub(crate) fn input(&self) -> Option<usize> {
        match self {
            Edit::TakeOut { input, .. }
            | Edit::Change { input, .. }
            | Edit::Rename { input, .. } => Some(*input),
            Edit::StopRemoving { .. } | Edit::CountEmpty { .. } => None,
        }
    }

    /// The leaf that it is about.
    pub(crate) fn leaf(&self) -> Option<u32> {
        match self {
            Edit::TakeOut { leaf, .. } | Edit::Change { leaf, .. } | Edit::Rename { leaf, .. } => {
                Some(*leaf)
            }
            Edit::StopRemoving { .. } | Edit::CountEmpty { .. } => None,
        }
    }
}

/// # Assembling
impl Readings {
    /// Applies each layer's naming. Layers whose names are keys go first, as they make settings
    /// known that variables are then read for.
    pub fn assemble(mut inputs: Inputs) -> Result<Readings, Box<BadInput>> {
        let mut layers = std::mem::take(&mut inputs.layers);
        let mut keys = std::mem::take(&mut inputs.keys);
        let work = Arc::make_mut(&mut keys);
        let catalogue = Catalogue::new(work, &inputs.declared);
        let mut readings: Vec<Option<Reading>> = Vec::new();
        readings.resize_with(inputs.inputs.len(), || None);
        let read =
            read_keys(work, &catalogue, &layers, &inputs, &mut readings).and_then(|settings| {
                read_variables(work, &catalogue, &layers, &inputs, &settings, &mut readings)
            });
        if let Err((input, problem)) = read {
            let input = inputs.inputs[input].clone();
            return Err(Box::new(BadInput { input, problem, keys }));
        }
        inputs.layers.clone_from(&layers);
        lacking_sections(&mut layers, &inputs, &readings);
        let readings = with_removals(work, &layers, &inputs, readings);
        inputs.keys = Arc::clone(&keys);
        let context = inputs.context.clone();
        Ok(Readings { keys, context, layers, readings, catalogue, inputs })
    }

    /// The first input that reads the same document: an edit to one is an edit to all of them.
    pub(crate) fn first_of_document(&self, input: usize) -> usize {
        let document = &self.inputs.inputs[input].document;
        let all = self.inputs.inputs.iter();
        all.take(input).position(|it| Arc::ptr_eq(&it.document, document)).unwrap_or(input)
    }
}

type Read<T> = Result<T, (usize, BadReading)>;

fn from<'a>(layers: &'a [Layer], input: &'a Input) -> From<'a> {
    From {
        layer: input.layer,
        source: &input.source,
        document: &input.document,
        section: input.section.as_ref(),
        into: layers[input.layer.0].into.as_ref(),
    }
}

/// A reading, unless its section is not there and need not be.
fn settle(
    number: usize,
    input: &Input,
    read: Result<Reading, BadReading>,
) -> Read<Option<Reading>> {
    match read {
        Ok(reading) => Ok(Some(Reading { untyped: input.untyped, input: Some(number), ..reading })),
        Err(BadReading::NoSection) if input.may_lack_section => Ok(None),
        Err(problem) => Err((number, problem)),
    }
}

/// Reads what has keys for names; gives the settings that are known by that.
fn read_keys(
    keys: &mut Keys,
    catalogue: &Catalogue,
    layers: &[Layer],
    inputs: &Inputs,
    readings: &mut [Option<Reading>],
) -> Read<Vec<KeyId>> {
    let mut settings: Vec<KeyId> = Vec::new();
    let mut seen: Vec<bool> = Vec::new();
    for (number, input) in inputs.inputs.iter().enumerate() {
        if layers[input.layer.0].names != Names::Keys {
            continue;
        }
        let reading = Reading::of_keys(keys, from(layers, input), catalogue);
        let reading = settle(number, input, reading)?;
        seen.resize(keys.count(), false);
        for offer in reading.iter().flat_map(|reading| &reading.offers) {
            if !std::mem::replace(&mut seen[offer.key.index()], true) {
                settings.push(offer.key);
            }
        }
        readings[number] = reading;
    }
    Ok(settings)
}

fn read_variables(
    keys: &mut Keys,
    catalogue: &Catalogue,
    layers: &[Layer],
    inputs: &Inputs,
    settings: &[KeyId],
    readings: &mut [Option<Reading>],
) -> Read<()> {
    let given: HashSet<&str> =
        catalogue.settings().filter_map(|(_, declared)| declared.variable.as_deref()).collect();
    let never = inputs.never.iter().filter(|name| !given.contains(name.as_str()));
    let never: HashSet<String> = never.cloned().collect();
    // Layers mostly share one naming, and its index is the only costly thing about it.
    let mut indexes: Vec<(Naming, Known)> = Vec::new();
    for (number, input) in inputs.inputs.iter().enumerate() {
        let Names::Variables(naming) = &layers[input.layer.0].names else {
            continue;
        };
        let same = |(other, _): &(Naming, Known)| {
            other.prefix == naming.prefix && other.nest == naming.nest
        };
        let at = match indexes.iter().position(same) {
            Some(at) => at,
            None => {
                let known = Known::new(keys, settings, catalogue, naming);
                indexes.push((naming.clone(), known));
                indexes.len() - 1
            }
        };
        let rules = VariableRules { naming, known: &indexes[at].1, catalogue, never: &never };
        let reading = Reading::of_variables(keys, from(layers, input), &rules);
        readings[number] = settle(number, input, reading)?;
    }
    Ok(())
}

/// A layer whose sources all lack its section is missing.
fn lacking_sections(layers: &mut [Layer], inputs: &Inputs, readings: &[Option<Reading>]) {
    let mut lacks: Vec<Option<bool>> = vec![None; layers.len()];
    for (input, reading) in inputs.inputs.iter().zip(readings) {
        let lacks = &mut lacks[input.layer.0];
        *lacks = Some(lacks.unwrap_or(true) && reading.is_none());
    }
    for (layer, _) in layers.iter_mut().zip(lacks).filter(|(_, lacks)| *lacks == Some(true)) {
        let path = layer.path.clone().unwrap_or_default();
        let section = layer.under.as_ref().map(KeyPath::to_string).unwrap_or_default();
        layer.presence = Presence::Missing(Lack::Section { path, section });
    }
}

/// The readings, with what each layer takes away before what it says.
fn with_removals(
    keys: &mut Keys,
    layers: &[Layer],
    inputs: &Inputs,
    readings: Vec<Option<Reading>>,
) -> Vec<Reading> {
    let removes = |layer: &Layer| !layer.removes.is_empty() && layer.presence == Presence::Read;
    let mut all: Vec<Reading> = Vec::with_capacity(readings.len());
    let mut readings = readings.into_iter().flatten().peekable();
    for (index, layer) in layers.iter().enumerate() {
        let index = LayerIndex(index);
        if removes(layer) {
            all.push(removal(keys, index, &layer.removes, &inputs.project));
        }
        while let Some(reading) = readings.next_if(|reading| reading.layer == index) {
            all.push(reading);
        }
    }
    all
}

fn removal(
    keys: &mut Keys,
    layer: LayerIndex,
    removes: &[Removal],
    project: &(Arc<str>, SourceText),
) -> Reading {
    let leaf = |removal: &Removal| Leaf {
        name: keys.child(KeyId::ROOT, &removal.written),
        value: Value::Null,
        at: Some(removal.at),
    };
    let leaves = removes.iter().map(leaf).collect();
    let document = Document { text: Some(project.1.clone()), leaves, ..Document::default() };
    Reading::empty(layer, &project.0, &Arc::new(document))
}

/// # Questions
impl Readings {
    /// The layer at `index`.
    pub fn layer(&self, index: LayerIndex) -> &Layer {
        &self.layers[index.0]
    }

    /// The name by which the layer would be told of the setting, in its source's own terms and
    /// without its section; `None` if all its keys stand elsewhere.
    pub fn name_in(&self, layer: LayerIndex, key: KeyId) -> Option<KeyPath> {
        let layer = self.layer(layer);
        if let Some(variable) = self.variable_in(layer, key)? {
            return Some(KeyPath::single(variable));
        }
        KeyPath::from_segments(self.below_into(layer, key)?)
    }

    /// The variable by which the layer would be told of the setting, if it reads variables.
    pub fn variable(&self, layer: LayerIndex, key: KeyId) -> Option<String> {
        self.variable_in(self.layer(layer), key).flatten()
    }

    fn variable_in(&self, layer: &Layer, key: KeyId) -> Option<Option<String>> {
        let Names::Variables(naming) = &layer.names else {
            return Some(None);
        };
        if layer.into.is_none() {
            let own = self.catalogue.declared(key).and_then(|declared| declared.variable.clone());
            return Some(Some(own.unwrap_or_else(|| naming.variable(&self.keys, key))));
        }
        let segments = self.below_into(layer, key)?;
        Some(Some(naming.variable_of(segments.iter().map(String::as_str))))
    }

    /// The segments of `key` after what the layer puts before every key.
    fn below_into(&self, layer: &Layer, key: KeyId) -> Option<Vec<String>> {
        let mut segments = self.keys.segments(key).into_iter();
        for before in layer.into.iter().flat_map(KeyPath::segments) {
            if segments.next() != Some(before) {
                return None;
            }
        }
        let rest: Vec<String> = segments.map(str::to_owned).collect();
        (!rest.is_empty()).then_some(rest)
    }

    /// The variable names, among those that no known setting has, that are near misses of the
    /// variable of `key`, which is `meant`, in the readings of `layer`, and are not read for it.
    pub fn near_names(&self, layer: LayerIndex, key: KeyId, meant: &str) -> Vec<NearName> {
        let mut found = Vec::new();
        for (number, reading) in self.readings.iter().enumerate() {
            if reading.layer != layer {
                continue;
            }
            for stranger in &reading.strangers {
                let name = self.keys.segment(stranger.key);
                if !crate::is_near(name, meant) || reading.offers(stranger.leaf, key) {
                    continue;
                }
                let leaf = &reading.document.leaves[stranger.leaf as usize];
                let position = reading.document.position(leaf.at);
                found.push(NearName {
                    name: name.to_owned(),
                    meant: meant.to_owned(),
                    source: reading.source.to_string(),
                    line: position.map(|position| position.line),
                    reading: narrow(number),
                    leaf: stranger.leaf,
                });
            }
        }
        found
    }
}
