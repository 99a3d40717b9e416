//! Reads every source that the layers of a project name in a context, each file once.

use crate::error::Error;
use crate::format::Format;
use crate::parallel::parse_each;
use crate::project::{Project, ProjectLayer, Reads, unreadable};
use crate::tree::{Fault, Lowering, Tree};
use crate::world::{ReadProblem, World};
use crate::{Arguments, text};
use hashbrown::{HashMap, HashSet};
use justwhy_core::{
    BadReading, Context, Document, Inactivity, KeyId, KeyPath, Keys, Kind, Known, Layer,
    LayerIndex, Leaf, Names, Naming, Presence, Reading, Readings, SourceText, Span, VariableRules,
    list_values, nearest,
};
use std::path::Path;
use std::sync::Arc;

/// Reads the sources of a project. Keeps what it has read, so that a file that several layers or
/// contexts use is read and parsed once.
pub struct Reader<'p> {
    project: &'p Project,
    world: &'p dyn World,
    /// Grows with everything that is read, so that a document read for one context serves the others.
    keys: Arc<Keys>,
    files: HashMap<(String, Format), Fetched>,
    process: Option<Arc<Document>>,
}

/// What a file says, `None` if it is not there.
type Fetched = Result<Option<Arc<Document>>, Error>;

/// A document that a layer reads, and how.
struct Pending {
    layer: LayerIndex,
    source: String,
    document: Arc<Document>,
    section: Option<KeyPath>,
    untyped: bool,
}

/// Says where a fault of `source` is.
pub(crate) fn attach(fault: Fault, source: &str, text: &SourceText) -> Error {
    let position = |at: Span| Some(text.position(at.start));
    let mut error = Error::new(fault.code, fault.message).at(source, position(fault.at));
    if let Some((what, at)) = fault.also {
        error = error.also(what, source, position(at));
    }
    match fault.help {
        Some(help) => error.help(help),
        None => error,
    }
}

impl<'p> Reader<'p> {
    /// A reader that has read nothing yet.
    pub fn new(project: &'p Project, world: &'p dyn World) -> Reader<'p> {
        Reader { project, world, keys: Arc::default(), files: HashMap::new(), process: None }
    }

    /// Reads what every layer says in `context`.
    pub fn read(&mut self, context: Context, arguments: &Arguments) -> Result<Readings, Error> {
        let mut layers = vec![Layer::new("catalogue", Kind::Catalogue, Names::Keys)];
        let mut wanted = Vec::new();
        for declared in &self.project.layers {
            let layer = self.layer(declared, &context);
            if let (Reads::File(_, format), Presence::Read, Some(path)) =
                (&declared.reads, &layer.presence, &layer.path)
            {
                wanted.push((path.clone(), *format));
            }
            layers.push(layer);
        }
        self.fetch(wanted);
        let mut pending = Vec::new();
        for (index, declared) in self.project.layers.iter().enumerate() {
            // The catalogue is below all of them.
            let index = LayerIndex(index + 1);
            pending.extend(self.open(declared, &mut layers[index.0], index)?);
        }
        let index = LayerIndex(layers.len());
        layers.push(Layer::new("arguments", Kind::Arguments, Names::Keys));
        pending.push(Pending {
            layer: index,
            source: "arguments".to_owned(),
            document: Arc::new(arguments.document(Arc::make_mut(&mut self.keys))),
            section: None,
            untyped: true,
        });
        let readings = self.readings(&mut layers, pending)?;
        Ok(Readings { keys: Arc::clone(&self.keys), context, layers, readings })
    }

    fn layer(&self, declared: &ProjectLayer, context: &Context) -> Layer {
        let (kind, reads_process) = match declared.reads {
            Reads::File(..) => (Kind::File, false),
            Reads::Values(_) => (Kind::Values, false),
            Reads::Process => (Kind::Process, true),
        };
        let names = match &declared.variables {
            Some((prefix, nest)) => Names::Variables(Naming {
                prefix: prefix.clone(),
                nest: nest.clone(),
                claims_every_name: !reads_process,
            }),
            None => Names::Keys,
        };
        let mut layer = Layer::new(declared.name.clone(), kind, names);
        layer.empty = declared.empty;
        layer.null = declared.null;
        let path_axes: Vec<String> = match &declared.reads {
            Reads::File(path, _) => path.axes().map(str::to_owned).collect(),
            _ => Vec::new(),
        };
        let under_axes = declared.under.iter().flat_map(|under| under.axes().map(str::to_owned));
        layer.when = declared.when.clone();
        layer.unless = declared.unless.clone();
        let order =
            |name: &String| self.project.axes.iter().position(|axis| axis.axis.name == *name);
        layer.axes = path_axes.into_iter().chain(under_axes).collect();
        layer.axes.sort_by_key(order);
        layer.axes.dedup();
        Self::settle_place(declared, &mut layer, context);
        layer
    }

    /// Finds out whether a layer is active here and which file and section it reads.
    fn settle_place(declared: &ProjectLayer, layer: &mut Layer, context: &Context) {
        let needs = |axis: &str| Inactivity::Needs { axis: axis.to_owned() };
        if let Some(inactivity) = Inactivity::of(&declared.when, &declared.unless, context) {
            layer.presence = Presence::Inactive(inactivity);
        }
        if let Some(under) = &declared.under {
            match under.fill(context) {
                Ok(section) => layer.under = Some(section),
                Err(axis) => become_inactive(layer, needs(axis)),
            }
        }
        if let Reads::File(path, _) = &declared.reads {
            match path.fill(context) {
                Ok(path) => layer.path = Some(path),
                Err(axis) => become_inactive(layer, needs(axis)),
            }
        }
    }

    /// The document of a layer that is active here.
    fn open(
        &mut self,
        declared: &ProjectLayer,
        layer: &mut Layer,
        index: LayerIndex,
    ) -> Result<Option<Pending>, Error> {
        if layer.presence != Presence::Read {
            return Ok(None);
        }
        let (source, document, untyped) = match &declared.reads {
            Reads::Values(values) => (self.project.file.clone(), self.values(values), false),
            Reads::Process => ("process".to_owned(), self.process(), true),
            Reads::File(_, format) => {
                let path = layer.path.clone().unwrap_or_default();
                match self.file(&path, *format)? {
                    Some(document) => (path, document, format.is_untyped()),
                    None if declared.optional => {
                        layer.presence = Presence::Missing { path, section: None };
                        return Ok(None);
                    }
                    None => return Err(self.missing_file(declared, &path)),
                }
            }
        };
        let section = layer.under.clone();
        Ok(Some(Pending { layer: index, source, document, section, untyped }))
    }

    fn missing_file(&self, declared: &ProjectLayer, path: &str) -> Error {
        let message = format!("the layer {} reads {path}, which is not there", declared.name);
        let mut error = Error::new("missing-file", message).at(path, None).also(
            "declared at",
            &self.project.file,
            self.position(declared.at),
        );
        let full = self.project.folder.join(path);
        if let (Some(folder), Some(name)) = (full.parent(), full.file_name()) {
            let names = self.world.names_in(folder);
            let names: Vec<String> =
                names.into_iter().filter_map(|name| name.into_string().ok()).collect();
            let name = name.to_string_lossy();
            if let Some(near) = nearest(&name, names.iter().map(String::as_str)) {
                let near = Path::new(path).with_file_name(near);
                error = error.help(format!("there is {}: is its name misspelt?", near.display()));
            }
        }
        error.help("create it, or say that it may be missing: optional = true")
    }

    fn position(&self, at: Span) -> Option<justwhy_core::Position> {
        Some(self.project.text.position(at.start))
    }

    /// The document of a file, `None` if it is not there. Every file that any layer reads here was
    /// read by [`Reader::fetch`].
    fn file(&self, path: &str, format: Format) -> Fetched {
        let wanted = (path.to_owned(), format);
        self.files.get(&wanted).cloned().unwrap_or(Ok(None))
    }

    /// Reads and parses files that were not read before. What is wrong with one is kept for the
    /// layer that reads it.
    fn fetch(&mut self, wanted: Vec<(String, Format)>) {
        let mut texts: Vec<(String, Format, SourceText)> = Vec::new();
        let mut seen = HashSet::new();
        for (path, format) in wanted {
            let key = (path, format);
            if self.files.contains_key(&key) || !seen.insert(key.clone()) {
                continue;
            }
            match self.load(&key.0) {
                Ok(Some(text)) => texts.push((key.0, format, text)),
                Ok(None) => drop(self.files.insert(key, Ok(None))),
                Err(error) => drop(self.files.insert(key, Err(error))),
            }
        }
        let limits = self.project.limits;
        let jobs: Vec<(Format, &str)> =
            texts.iter().map(|(_, format, text)| (*format, text.text())).collect();
        let (keys, files) = (Arc::make_mut(&mut self.keys), &mut self.files);
        parse_each(&jobs, limits, |index, parsed| {
            let (path, format, text) = &texts[index];
            let lowered =
                parsed.and_then(|tree| Lowering::new(&tree, keys, limits).lower(Tree::ROOT));
            let result = match lowered {
                Ok(document) => {
                    Ok(Some(Arc::new(Document { text: Some(text.clone()), ..document })))
                }
                Err(fault) => Err(attach(fault, path, text)),
            };
            files.insert((path.clone(), *format), result);
        });
    }

    /// The text of a file, `None` if it is not there.
    fn load(&self, path: &str) -> Result<Option<SourceText>, Error> {
        let most = self.project.limits.file_bytes;
        let bytes = match self.world.read_file(&self.project.folder.join(path), most) {
            Ok(bytes) => bytes,
            Err(ReadProblem::Missing) => return Ok(None),
            Err(problem) => {
                let error = unreadable(&problem, path).at(path, None);
                return Err(match problem {
                    ReadProblem::TooLarge => error.help(format!(
                        "the limit is {most} bytes; raise `file_bytes` under [limits] in the \
                         project file if this is wanted"
                    )),
                    _ => error,
                });
            }
        };
        let (text, verdict) = text::decode(bytes);
        match verdict {
            Ok(()) => Ok(Some(text)),
            Err(fault) => Err(attach(fault, path, &text)),
        }
    }

    fn values(&mut self, values: &[(Vec<String>, justwhy_core::Value, Span)]) -> Arc<Document> {
        let keys = Arc::make_mut(&mut self.keys);
        let mut document =
            Document { text: Some(self.project.text.clone()), ..Document::default() };
        for (path, value, at) in values {
            let name = path.iter().fold(KeyId::ROOT, |key, segment| keys.child(key, segment));
            document.leaves.push(Leaf { name, value: value.clone(), at: Some(*at) });
        }
        Arc::new(document)
    }

    /// The process environment, in the byte order of its names.
    fn process(&mut self) -> Arc<Document> {
        if let Some(known) = &self.process {
            return Arc::clone(known);
        }
        let mut variables = self.world.variables();
        variables.sort();
        let keys = Arc::make_mut(&mut self.keys);
        let mut document = Document::default();
        for (name, value) in variables {
            match (name.to_str(), value.into_string()) {
                (Some(name), Ok(value)) => {
                    let name = keys.child(KeyId::ROOT, name);
                    let value = justwhy_core::Value::Text(value.into());
                    document.leaves.push(Leaf { name, value, at: None });
                }
                _ => document.unreadable.push(name.to_string_lossy().into_owned()),
            }
        }
        let document = Arc::new(document);
        self.process = Some(Arc::clone(&document));
        document
    }

    /// Applies each layer's naming. Layers whose names are keys go first, as they make settings
    /// known that variables are then read for.
    fn readings(
        &mut self,
        layers: &mut [Layer],
        pending: Vec<Pending>,
    ) -> Result<Vec<Reading>, Error> {
        let mut readings: Vec<Option<Reading>> = Vec::new();
        readings.resize_with(pending.len(), || None);
        let mut settings: Vec<KeyId> = Vec::new();
        let mut seen: HashSet<KeyId> = HashSet::new();
        for (slot, pending) in pending.iter().enumerate() {
            if layers[pending.layer.0].names != Names::Keys {
                continue;
            }
            let reading = Reading::of_keys(
                Arc::make_mut(&mut self.keys),
                pending.layer,
                &pending.source,
                &pending.document,
                pending.section.as_ref(),
            );
            if let Some(reading) = self.settle(reading, &mut layers[pending.layer.0], pending)? {
                let keys = reading.offers.iter().map(|offer| offer.key);
                settings.extend(keys.filter(|key| seen.insert(*key)));
                readings[slot] = Some(reading);
            }
        }
        let never: HashSet<String> = self.project.axis_variables().map(str::to_owned).collect();
        // Layers mostly share one naming, and its index is the only costly thing about it.
        let mut indexes: Vec<(Naming, Known)> = Vec::new();
        for (slot, pending) in pending.iter().enumerate() {
            let Names::Variables(naming) = layers[pending.layer.0].names.clone() else {
                continue;
            };
            let same = |(other, _): &(Naming, Known)| {
                other.prefix == naming.prefix && other.nest == naming.nest
            };
            let at = indexes.iter().position(same).unwrap_or_else(|| {
                let known = Known::new(&self.keys, &settings, &naming);
                indexes.push((naming.clone(), known));
                indexes.len() - 1
            });
            let rules = VariableRules { naming: &naming, known: &indexes[at].1, never: &never };
            let reading = Reading::of_variables(
                Arc::make_mut(&mut self.keys),
                pending.layer,
                &pending.source,
                &pending.document,
                pending.section.as_ref(),
                &rules,
            );
            readings[slot] = self.settle(reading, &mut layers[pending.layer.0], pending)?;
        }
        Ok(readings.into_iter().flatten().collect())
    }

    /// A reading, or why there is none: a missing section of an optional layer is no error.
    fn settle(
        &self,
        reading: Result<Reading, BadReading>,
        layer: &mut Layer,
        pending: &Pending,
    ) -> Result<Option<Reading>, Error> {
        let bad = match reading {
            Ok(reading) => {
                return Ok(Some(Reading { untyped: pending.untyped, ..reading }));
            }
            Err(bad) => bad,
        };
        let source = &pending.source;
        let place = |at: Option<Span>| pending.document.position(at);
        let section = pending.section.as_ref().map(KeyPath::to_string).unwrap_or_default();
        let declared = self.project.layers.iter().find(|declared| declared.name == layer.name);
        match bad {
            BadReading::NoSection if declared.is_some_and(|declared| declared.optional) => {
                let section = Some(section);
                layer.presence = Presence::Missing { path: source.clone(), section };
                Ok(None)
            }
            BadReading::NoSection => {
                let message = format!(
                    "the layer {} reads the section {section} of {source}, which is not there",
                    layer.name
                );
                let at = declared.and_then(|declared| self.position(declared.at));
                Err(Error::new("missing-section", message)
                    .at(source, None)
                    .also("declared at", &self.project.file, at)
                    .help("add the section, or say that it may be missing: optional = true"))
            }
            BadReading::NotATable(at) => Err(Error::new(
                "bad-file",
                format!("the section {section}, which the layer {} reads, is no table", layer.name),
            )
            .at(source, place(at))),
            BadReading::Clash { variable, clash, at } => {
                let keys = [self.keys.show(clash.one), self.keys.show(clash.other)];
                let message = format!(
                    "the variable {variable} could mean {}: both settings have it",
                    list_values(&keys, "or")
                );
                Err(Error::new("variable-clash", message)
                    .at(source, place(at))
                    .help("rename one of the settings, or take the variable out"))
            }
            BadReading::NotText { variable } => {
                Err(Error::new("bad-variable", format!("the variable {variable} is not UTF-8"))
                    .at(source, None)
                    .help("set it anew, or unset it"))
            }
        }
    }
}

fn become_inactive(layer: &mut Layer, inactivity: Inactivity) {
    if layer.presence == Presence::Read {
        layer.presence = Presence::Inactive(inactivity);
    }
}
