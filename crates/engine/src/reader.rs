//! Reads every source that the layers of a project name in a context, each file once.

use crate::Arguments;
use crate::cache::Cache;
use crate::folders::{ancestors, inside};
use hashbrown::{HashMap, HashSet};
use justwhy_core::{
    Claims, Context, Decrypts, Document, Inactivity, Input, Inputs, KeyPath, Keys, Kind, Layer,
    LayerIndex, Names, Naming, Origin, Position, Presence, Readings, ScopeOf, SourceText, Span,
    Text,
};
use justwhy_formats::{Format, View, shown_name};
use justwhy_project::{Error, PartTemplate, Project, ProjectLayer, Reads, Stamp, Stores, World};
use std::path::PathBuf;
use std::sync::Arc;

mod fallbacks;
mod files;
mod includes;
mod indirect;
mod lines;
mod open;
mod others;
mod refused;
mod scopes;
mod sources;
#[cfg(test)]
mod tests;
mod touched;

pub(crate) use files::{load, read_bytes};
use others::Others;
pub use scopes::NotRead;
use scopes::Scopes;
pub(crate) use touched::{Touched, real_path};

/// Reads the sources of a project. Keeps what it has read, so that a file that several layers or
/// contexts use is read and parsed once.
pub(crate) struct Reader {
    project: Arc<Project>,
    world: Arc<dyn World>,
    /// Grows with everything that is read, so that a document read for one context serves the others.
    keys: Arc<Keys>,
    files: Cache<(String, View), Fetched>,
    rows: Cache<(String, usize), Result<Arc<Document>, Error>>,
    texts: Cache<String, Result<Option<SourceText>, Error>>,
    /// What all of those were when they were read.
    stamps: Cache<String, Option<Stamp>>,
    /// The paths of all of those without links, once it is asked which of them are meant.
    real_paths: Cache<String, PathBuf>,
    /// What each pattern of paths matches.
    matches: HashMap<String, Vec<String>>,
    process: Option<Arc<Document>>,
    /// The documents of the command lines in the project file, by layer.
    lines: HashMap<usize, Vec<Arc<Document>>>,
    arguments: Option<(Arguments, Arc<Document>)>,
    values: HashMap<Written, Arc<Document>>,
    /// Who asks stores that are not files.
    stores: Option<Arc<dyn Stores>>,
    /// Who decrypts values.
    decrypts: Arc<dyn Decrypts>,
    scopes: Arc<Scopes>,
    /// The folders from the project's down to the working directory.
    folders: Option<Vec<String>>,
    never: Arc<HashSet<String>>,
    /// What the layers read in other contexts, once a name could mean a setting that only they have.
    others: Option<Others>,
    /// Whether local layers are left out.
    without_local: bool,
}

/// Fewer bytes than this are parsed sooner than a thread is started.
const WORTH_A_THREAD: u64 = 128 * 1024;

/// Values that are in the project file or in one of the catalogue.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
enum Written {
    /// Those of the layer of that number.
    Layer(usize),
    /// The defaults in the file of that number.
    Defaults(usize),
}

/// Files, and how each is read.
type FilesOf = Vec<(String, View)>;

/// What a file has, `None` if it is not there; all that is wrong with it, if anything is.
type Fetched = Result<Option<Arc<Content>>, Vec<Error>>;

/// What there is of the part of a file that is read.
#[derive(Debug, Default)]
struct Content {
    /// Its documents, weakest first.
    documents: Vec<Arc<Document>>,
    /// Why that part is not there.
    nothing: Option<Error>,
}

/// A document that a layer reads.
struct Opened {
    /// Where it comes from.
    origin: Origin,
    document: Arc<Document>,
    /// Whether its texts have no type.
    untyped: bool,
    /// Whether the section that the layer reads is one of it; else all of it is read.
    has_section: bool,
}

impl Opened {
    fn new(origin: Origin, document: Arc<Document>, untyped: bool) -> Opened {
        Opened { origin, document, untyped, has_section: true }
    }
}

/// # Reading
impl Reader {
    /// A reader that has read nothing yet.
    pub(crate) fn new(project: Arc<Project>, world: Arc<dyn World>) -> Reader {
        let never = project.axis_variables().chain(project.token_variables());
        let never = Arc::new(never.map(str::to_owned).collect());
        let mut keys = Keys::default();
        if project.is_loose {
            keys.loosen();
        }
        Reader {
            project,
            world,
            keys: Arc::new(keys),
            files: Cache::default(),
            rows: Cache::default(),
            texts: Cache::default(),
            stamps: Cache::default(),
            real_paths: Cache::default(),
            matches: HashMap::new(),
            process: None,
            lines: HashMap::new(),
            arguments: None,
            values: HashMap::new(),
            stores: None,
            decrypts: Arc::new(Nobody),
            scopes: Arc::default(),
            folders: None,
            never,
            others: None,
            without_local: false,
        }
    }

    /// Asks stores that are not files through `stores`; without it they are unavailable.
    #[must_use]
    pub(crate) fn asking(mut self, stores: Option<Arc<dyn Stores>>) -> Reader {
        self.stores = stores;
        self
    }

    /// Has values decrypted by `decrypts`; without it those that are encrypted cannot be read.
    #[must_use]
    pub(crate) fn decrypting(mut self, decrypts: Arc<dyn Decrypts>) -> Reader {
        self.decrypts = decrypts;
        self
    }

    /// What a source has, with what can be decrypted in place of what is encrypted.
    fn decrypted(&self, mut document: Document) -> Arc<Document> {
        document.decrypt(&*self.decrypts);
        Arc::new(document)
    }

    /// Leaves out the local layers.
    #[must_use]
    pub(crate) fn without_local(mut self) -> Reader {
        self.without_local = true;
        self
    }

    /// Reads what every layer has in `context`.
    pub(crate) fn read(
        &mut self,
        context: Context,
        arguments: &Arguments,
    ) -> Result<Readings, Error> {
        self.read_with(context, arguments, &[])
    }

    /// The same as if the conditions of the layers `met` were met.
    pub(crate) fn read_with(
        &mut self,
        context: Context,
        arguments: &Arguments,
        met: &[LayerIndex],
    ) -> Result<Readings, Error> {
        let inputs = self.inputs(context, arguments, met).map_err(first_of)?;
        let mut read = self.assembled(vec![inputs]);
        // One comes out for each that goes in.
        read.swap_remove(0).map_err(|bad| self.refused(&bad))
    }

    /// Reads what every layer has in many contexts, and shares what is the same in them.
    pub(crate) fn read_all(
        &mut self,
        contexts: &[Context],
        arguments: &Arguments,
    ) -> Vec<Result<Readings, Vec<Error>>> {
        let mut all = Vec::with_capacity(contexts.len());
        let mut failed: Vec<Option<Vec<Error>>> = Vec::with_capacity(contexts.len());
        for context in contexts {
            match self.inputs(context.clone(), arguments, &[]) {
                Ok(inputs) => {
                    all.push(inputs);
                    failed.push(None);
                }
                Err(errors) => failed.push(Some(errors)),
            }
        }
        let mut read = self.assembled(all).into_iter();
        let each = failed.into_iter().filter_map(|failed| match failed {
            Some(errors) => Some(Err(errors)),
            None => read.next().map(|read| read.map_err(|bad| vec![self.refused(&bad)])),
        });
        each.collect()
    }

    /// The layers in a context, and the files that each of the declared ones reads, which are fetched.
    fn wanted(
        &mut self,
        context: &Context,
        arguments: &Arguments,
        met: &[LayerIndex],
    ) -> Result<(Vec<Layer>, Vec<FilesOf>), Vec<Error>> {
        let one = |error| vec![error];
        let project = Arc::clone(&self.project);
        let mut layers = vec![Layer::new("catalogue", Kind::Catalogue, Names::Keys)];
        let mut wanted = Vec::new();
        for (number, declared) in project.layers.iter().enumerate() {
            let is_met = met.contains(&LayerIndex(number + 1));
            let layer = self.layer(declared, context, is_met).map_err(one)?;
            let is_replaced = arguments.instead_of(LayerIndex(number + 1)).is_some();
            if layer.presence == Presence::Read && !is_replaced {
                wanted.push(self.files_of(declared, &layer, context).map_err(one)?);
            } else {
                wanted.push(Vec::new());
            }
            layers.push(layer);
        }
        self.fetch(wanted.iter().flatten());
        for (number, wanted) in wanted.iter_mut().enumerate() {
            let declared = &project.layers[number];
            if !wanted.is_empty() && declared.part.as_ref().is_some_and(PartTemplate::has_includes)
            {
                *wanted = self.with_included(declared, std::mem::take(wanted))?;
            }
        }
        Ok((layers, wanted))
    }

    /// What every layer reads in a context.
    fn inputs(
        &mut self,
        context: Context,
        arguments: &Arguments,
        met: &[LayerIndex],
    ) -> Result<Inputs, Vec<Error>> {
        let one = |error| vec![error];
        let project = Arc::clone(&self.project);
        let (mut layers, wanted) = self.wanted(&context, arguments, met)?;
        let mut inputs = self.defaults();
        let mut errors: Vec<Error> = Vec::new();
        for (number, declared) in project.layers.iter().enumerate() {
            // The catalogue is below all of them.
            let index = LayerIndex(number + 1);
            let layer = &mut layers[index.0];
            if layer.presence != Presence::Read {
                continue;
            }
            let may_lack_section = declared.optional
                || declared.per_directory
                || matches!(declared.reads, Reads::Files(..));
            let opened = match declared.reads {
                Reads::File(_, format) if let Some(instead) = arguments.instead_of(index) => {
                    let view = declared.view(format, &context);
                    self.open_instead(declared, layer, &view, instead)
                }
                Reads::Scope(_, store) => {
                    self.open_scopes(number, (layer, store), &context).map_err(one)
                }
                _ => self.open(number, layer, &wanted[number]),
            };
            let opened = match &declared.indirect {
                Some(suffix) => opened.map(|opened| self.followed(layer, suffix, opened)),
                None => opened,
            };
            let opened = match layer.kind {
                Kind::Code => opened.map(|opened| self.agreed(opened)),
                _ => opened,
            };
            // Who asks for all that is wrong gets it at once.
            let opened = opened.unwrap_or_else(|more| {
                errors.extend(more);
                Vec::new()
            });
            // What is called as variables are has texts as variables have.
            let are_variables = layer.names != Names::Keys;
            for opened in opened {
                let untyped = opened.untyped || are_variables;
                let section = layer.under.clone().filter(|_| opened.has_section);
                let opened = Opened { untyped, ..opened };
                inputs.push(input(index, opened, section, may_lack_section));
            }
        }
        if !errors.is_empty() {
            return Err(errors);
        }
        let index = LayerIndex(layers.len());
        layers.push(Layer::new("arguments", Kind::Arguments, Names::Keys));
        let said = self.arguments(arguments);
        let said = Opened::new(Origin::Arguments, said, true);
        inputs.push(input(index, said, None, false));
        Ok(Inputs {
            naming: Some(project.naming.clone()),
            others: self
                .others
                .as_ref()
                .map(|others| Arc::clone(&others.inputs))
                .unwrap_or_default(),
            keys: Arc::default(),
            context,
            layers,
            inputs,
            declared: Arc::clone(&project.declared),
            never: Arc::clone(&self.never),
            catalogues: Arc::clone(&project.catalogues),
        })
    }

    /// The defaults of each file that declares settings.
    fn defaults(&mut self) -> Vec<Input> {
        let catalogues = Arc::clone(&self.project.catalogues);
        let mut inputs = Vec::new();
        for (number, (file, _)) in catalogues.iter().enumerate() {
            let defaults = self.values(Written::Defaults(number));
            if !defaults.leaves.is_empty() {
                let opened = Opened::new(Origin::File(Arc::clone(file)), defaults, false);
                inputs.push(input(LayerIndex(0), opened, None, false));
            }
        }
        inputs
    }

    fn layer(
        &self,
        declared: &ProjectLayer,
        context: &Context,
        is_met: bool,
    ) -> Result<Layer, Error> {
        let (kind, reads_process) = match declared.reads {
            Reads::File(..) if declared.front.is_some() => (Kind::CommandLine, false),
            Reads::Files(_, Some(format)) if format == Format::CODE => (Kind::Code, false),
            Reads::CommandLine { .. } | Reads::ProcessLine => (Kind::CommandLine, false),
            Reads::File(..) => (Kind::File, false),
            Reads::Files(..) => (Kind::Files, false),
            Reads::Rows { .. } => (Kind::Rows, false),
            Reads::Values(_) => (Kind::Values, false),
            Reads::Scope(ref scope, _) if scope.has_wildcard() => (Kind::Scopes, false),
            Reads::Scope(..) => (Kind::Scope, false),
            Reads::Process => (Kind::Process, true),
        };
        let names = match &declared.variables {
            Some((prefix, nest)) => Names::Variables(Naming {
                prefix: prefix.clone(),
                nest: nest.clone(),
                claims: match (declared.only_for_references, reads_process) {
                    (true, _) => Claims::Nothing,
                    (false, true) => Claims::Known,
                    (false, false) => Claims::Every,
                },
            }),
            None => Names::Keys,
        };
        let mut layer = Layer::new(declared.name.clone(), kind, names);
        layer.front = declared.front.as_ref().map(|(prefix, nest)| {
            Names::Variables(Naming {
                prefix: prefix.clone(),
                nest: nest.clone(),
                claims: Claims::Own,
            })
        });
        layer.empty = declared.empty;
        layer.null = declared.null;
        layer.pins = declared.pins.clone();
        layer.removes = Arc::clone(&declared.removes);
        layer.references = declared.references;
        layer.dialect = declared.dialect;
        layer.lookup = Arc::clone(&declared.lookup);
        layer.into.clone_from(&declared.into);
        layer.local = declared.local || matches!(declared.reads, Reads::ProcessLine);
        layer.when = declared.when.clone();
        layer.unless = declared.unless.clone();
        layer.at = Some(declared.at);
        let path_axes: Vec<String> = match &declared.reads {
            Reads::File(path, _) | Reads::Files(path, _) | Reads::Scope(path, _) => {
                path.axes().map(str::to_owned).collect()
            }
            Reads::Rows { path, axis, .. } => {
                path.axes().map(str::to_owned).chain([axis.clone()]).collect()
            }
            _ => Vec::new(),
        };
        let under_axes = declared.under.iter().flat_map(|under| under.axes().map(str::to_owned));
        let part_axes = declared.part.iter().flat_map(|part| part.axes().map(str::to_owned));
        let order =
            |name: &String| self.project.axes.iter().position(|axis| axis.axis.name == *name);
        layer.axes = path_axes.into_iter().chain(under_axes).chain(part_axes).collect();
        layer.axes.sort_by_key(order);
        layer.axes.dedup();
        let inactivity = Inactivity::of(&declared.when, &declared.unless, context);
        if let Some(inactivity) = inactivity.filter(|_| !is_met) {
            layer.presence = Presence::Inactive(inactivity);
        }
        if self.without_local && layer.is_local() {
            layer.presence = Presence::Inactive(Inactivity::LeftOut);
        }
        self.settle_place(declared, &mut layer, context)?;
        Ok(layer)
    }

    /// Finds out which file, section and row a layer reads here; it may need an axis that is unset.
    fn settle_place(
        &self,
        declared: &ProjectLayer,
        layer: &mut Layer,
        context: &Context,
    ) -> Result<(), Error> {
        let needs = |axis: &str| Inactivity::Needs { axis: axis.to_owned() };
        if let Some(Err(axis)) = declared.part.as_ref().map(|part| part.fill(context)) {
            become_inactive(layer, needs(axis));
        }
        if let Some(under) = &declared.under {
            match under.fill(context) {
                Ok(section) => layer.under = Some(section),
                Err(axis) => become_inactive(layer, needs(axis)),
            }
        }
        if let Reads::File(path, _) | Reads::Files(path, _) | Reads::Rows { path, .. } =
            &declared.reads
        {
            match path.fill(context) {
                Ok(path) => layer.path = Some(path),
                Err(axis) => become_inactive(layer, needs(axis)),
            }
        }
        if let Reads::Scope(scope, store) = &declared.reads {
            match scope.fill(context) {
                Ok(scope) => {
                    let store = self.project.stores[*store].name.clone();
                    layer.scope = Some(ScopeOf { store, scope, copy: None });
                }
                Err(axis) => become_inactive(layer, needs(axis)),
            }
        }
        if let Reads::Rows { axis, .. } = &declared.reads {
            match context.value(axis) {
                None => become_inactive(layer, needs(axis)),
                Some(value) => layer.row = Some(self.row_number(declared, axis, value)?),
            }
        }
        Ok(())
    }

    fn row_number(&self, declared: &ProjectLayer, axis: &str, value: &str) -> Result<usize, Error> {
        let number = value.parse::<usize>().ok().filter(|row| *row > 0);
        number.ok_or_else(|| {
            let message = format!(
                "{} reads a row by the axis {axis}, but {} is not a row number",
                declared.name,
                shown_name(value)
            );
            Error::new("bad-context", message)
                .also("declared at", &self.project.file, self.position(declared.at))
                .help("row numbers begin with 1")
        })
    }

    /// The paths that a layer which is active here reads, with their formats; rows not included.
    fn files_of(
        &mut self,
        declared: &ProjectLayer,
        layer: &Layer,
        context: &Context,
    ) -> Result<Vec<(String, View)>, Error> {
        let path = layer.path.clone().unwrap_or_default();
        match &declared.reads {
            Reads::File(_, format) if declared.per_directory => {
                let world = &*self.world;
                let folder = &self.project.folder;
                let folders = self.folders.get_or_insert_with(|| {
                    let inside = inside(world, folder).unwrap_or_default();
                    let mut folders: Vec<String> =
                        ancestors(&inside).into_iter().map(|path| format!("{path}/")).collect();
                    folders.push(String::new());
                    folders.reverse();
                    folders
                });
                let view = declared.view(*format, context);
                Ok(folders.iter().map(|above| (format!("{above}{path}"), view.clone())).collect())
            }
            Reads::File(_, format) => Ok(vec![(path, declared.view(*format, context))]),
            Reads::Files(_, format) => {
                let mut files = Vec::new();
                let is_code = layer.kind == Kind::Code;
                for file in self.files_matching(declared, &path)? {
                    // A test has fallbacks of its own, and somebody else's code other settings.
                    if is_code && !self.project.reads_code(&file) {
                        continue;
                    }
                    let of_file = format.or_else(|| Format::of_path(&file));
                    let of_file = of_file
                        .filter(|format| !format.has_variables() || layer.names != Names::Keys);
                    let Some(format) = of_file else {
                        return Err(self.unknown_format(declared, &file));
                    };
                    let view = declared.view(format, context);
                    files.push(named_entry(file, view));
                }
                Ok(files)
            }
            _ => Ok(Vec::new()),
        }
    }

    fn position(&self, at: Span) -> Option<Position> {
        Some(self.project.text.position(at.start))
    }
}

/// The error to report where one is enough.
pub fn first_of(errors: Vec<Error>) -> Error {
    let none = || Error::new("bad-file", "cannot be read");
    errors.into_iter().next().unwrap_or_else(none)
}

/// Decrypts nothing.
struct Nobody;

impl Decrypts for Nobody {
    fn decrypt(&self, _: &str) -> Result<Text, String> {
        Err("encrypted, and not decrypted here".to_owned())
    }
}

/// A file and how it is read, which is by its name if it is one value or source code.
fn named_entry(path: String, view: View) -> (String, View) {
    let is_named = view.format == Format::ENTRY || view.format == Format::CODE;
    let view = match is_named {
        true => view.of_entry(path.rsplit('/').next().unwrap_or(&path)),
        false => view,
    };
    (path, view)
}

fn input(
    layer: LayerIndex,
    opened: Opened,
    section: Option<KeyPath>,
    may_lack_section: bool,
) -> Input {
    let Opened { origin, document, untyped, .. } = opened;
    Input { layer, origin, document, section, may_lack_section, untyped }
}

fn become_inactive(layer: &mut Layer, inactivity: Inactivity) {
    if layer.presence == Presence::Read {
        layer.presence = Presence::Inactive(inactivity);
    }
}
