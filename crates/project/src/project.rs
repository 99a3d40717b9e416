//! The project file, `justwhy.toml`.

use crate::beyond;
use crate::error::Error;
use crate::ports::{ReadProblem, World};
use crate::stores::Store;
use justwhy_core::{
    Condition, Declaration, Declared, Dialect, Empty, Former, KeyPath, Null, Pins, Removal, Span,
    Value, Within,
};
use justwhy_formats::{Fault, Format, Kind, Limits, Options, RowFormat, Takes, Tree, decode};
use std::path::{Path, PathBuf};
use std::sync::Arc;

mod asked;
mod axis;
mod code;
pub(crate) mod fields;
mod find;
mod layer;
mod layers;
mod limits;
mod only;
mod parsed;
mod part;
mod rule;
#[cfg(test)]
mod schema;
mod setting;
mod store;
mod template;
#[cfg(test)]
mod tests;

pub use axis::{ProjectAxis, Way};
pub use code::CodeSearch;
pub use part::PartTemplate;
pub use rule::{Accept, ProjectRule};
pub use template::{KeyTemplate, PathTemplate, Piece};

use fields::{Fields, Sink};
use find::find;
use limits::{limits, recipients};

/// The name of the project file.
const FILE_NAME: &str = "justwhy.toml";

/// A project: the axes in which its settings vary and the layers that give them, weakest first.
#[derive(Debug)]
pub struct Project {
    /// The project's name, if it has one.
    pub name: Option<String>,
    /// The folder to which all paths in it are relative.
    pub folder: PathBuf,
    /// The folder of the repository that it is in, without links; its own where there is none.
    pub repository: PathBuf,
    /// The name of the project file in that folder.
    pub file: String,
    /// How large and deep a file may be.
    pub limits: Limits,
    /// The axes, in order.
    pub axes: Vec<ProjectAxis>,
    /// The layers that the file declares, weakest first.
    pub layers: Vec<ProjectLayer>,
    /// How settings are named where names are variables.
    pub naming: justwhy_core::Naming,
    /// Whether names that differ in case, `-` and `_` alone mean the same.
    pub is_loose: bool,
    /// The stores whose scopes they read.
    pub stores: Vec<Store>,
    /// For whom values are encrypted, and where each is named.
    pub recipients: Vec<(String, justwhy_core::Position)>,
    /// Combinations of values that do not exist.
    pub nevers: Vec<Never>,
    /// What is declared about settings.
    pub declared: Arc<[Declared]>,
    /// What command lines know of them.
    pub options: Arc<Options>,
    /// Their defaults, with their keys and places, by the file that they are in.
    pub defaults: Vec<Vec<setting::Default>>,
    /// The names and texts of the files that declare settings, the project file first.
    pub catalogues: Arc<[(Arc<str>, justwhy_core::SourceText)]>,
    /// What settings must satisfy together.
    pub rules: Vec<ProjectRule>,
    /// Findings that are known already.
    pub accepts: Vec<Accept>,
    /// Where source code is searched, if the project says so.
    pub code: Option<CodeSearch>,
    /// Folders besides the project's from which references may read files.
    pub read_folders: Vec<String>,
    /// The text of the project file, for places.
    pub text: justwhy_core::SourceText,
}

/// A combination of values that does not exist.
#[derive(Debug)]
pub struct Never {
    /// The axes, each with its values.
    pub values: Vec<(String, Vec<String>)>,
    /// Where it is declared.
    pub at: Span,
}

/// A layer as declared.
#[derive(Debug)]
pub struct ProjectLayer {
    /// Its name.
    pub name: String,
    /// What it reads.
    pub reads: Reads,
    /// Where it is active.
    pub when: Vec<Condition>,
    /// Where it is not.
    pub unless: Vec<Condition>,
    /// Whether it is fine if there is nothing to read.
    pub optional: bool,
    /// The part of its file that it reads, and as what.
    pub part: Option<PartTemplate>,
    /// The section of the settings that it reads.
    pub under: Option<KeyTemplate>,
    /// The prefix and what nests, where names are variables.
    pub variables: Option<(String, String)>,
    /// The same of the variables in front of a command line.
    pub front: Option<(String, String)>,
    /// What the name of a variable ends in whose value is the path of the file with the value.
    pub indirect: Option<String>,
    /// Whether its variables are no settings, but only what references find.
    pub only_for_references: bool,
    /// Whether the files that its file names are stronger than it.
    pub includes_are_stronger: bool,
    /// What an empty text means.
    pub empty: Empty,
    /// What a null means.
    pub null: Null,
    /// The key below which its settings come to be.
    pub into: Option<KeyPath>,
    /// Whether it describes where somebody is.
    pub local: bool,
    /// What no stronger layer may change.
    pub pins: Pins,
    /// What it takes away from weaker layers.
    pub removes: Arc<[Removal]>,
    /// Whether its texts may hold references.
    pub references: bool,
    /// How those are written.
    pub dialect: Dialect,
    /// Where the names in them are looked for, in that order.
    pub lookup: Arc<[Within]>,
    /// Whether its file is read in every folder down to the working directory.
    pub per_directory: bool,
    /// Where its name is, for messages about it.
    pub at: Span,
}

/// What a layer reads.
#[derive(Debug)]
pub enum Reads {
    /// One file.
    File(PathTemplate, Format),
    /// A pattern, and the format if not each file's name shows it.
    Files(PathTemplate, Option<Format>),
    /// A row of a file.
    Rows {
        /// The file.
        path: PathTemplate,
        /// Its format.
        format: RowFormat,
        /// The axis that numbers the rows.
        axis: String,
    },
    /// Values in the project file: key, value and place of each.
    Values(Vec<(Vec<String>, Value, Span)>),
    /// A scope or a pattern of scopes of the store of that number.
    Scope(PathTemplate, usize),
    /// A command line, which is a string of the project file at that place.
    CommandLine {
        /// It.
        line: String,
        /// Where it is.
        at: Span,
    },
    /// The command line of a process.
    ProcessLine,
    /// The process environment.
    Process,
}

/// Whether names are loose.
fn loose(sink: &mut Sink<'_>) -> bool {
    const FIELDS: Fields = Fields { of: "`names`", known: &["loose"] };
    let Some(table) = sink.table(Tree::ROOT, "names") else { return false };
    sink.check_names(table, &FIELDS);
    sink.boolean(table, "loose").unwrap_or_default()
}

/// What command lines know of the settings that are declared.
fn options_of(declared: &[Declared], is_loose: bool) -> Options {
    let mut options = Options::new(is_loose);
    for setting in declared {
        let takes = match setting.shape.kind {
            Declaration::Boolean => Takes::Nothing,
            Declaration::List => Takes::Item,
            _ => Takes::Value,
        };
        let also = setting.also.iter().filter_map(|name| match name {
            Former::Key(path) => Some(format!("--{path}")),
            Former::Variable(_) => None,
        });
        options.add(&setting.key, takes, setting.options.iter().cloned().chain(also));
    }
    options
}

/// What is wrong with a file: what its text is, and if that is fine, what it has.
fn of_file(
    file: &str,
    text: &justwhy_core::SourceText,
    faults: Vec<Fault>,
    says: Vec<Error>,
) -> Vec<Error> {
    match faults.is_empty() {
        true => says,
        // Whatever a line that cannot be read would have said is missing elsewhere.
        false => faults.into_iter().map(|it| crate::error::attach(it, file, text)).collect(),
    }
}

/// # Finding and reading
impl Project {
    /// Finds the project file, from `asked` (a file or folder) or by walking up from the current
    /// folder, and reads it. Gives every error that it finds, not only the first.
    pub fn load(world: &dyn World, asked: Option<&Path>) -> Result<Project, Vec<Error>> {
        let (project, errors) = Project::read(world, asked)?;
        if errors.is_empty() { Ok(project) } else { Err(errors) }
    }

    /// The same, with all that can be known of a project in which something is wrong; an error alone only if
    /// there is no text to read.
    pub fn read(
        world: &dyn World,
        asked: Option<&Path>,
    ) -> Result<(Project, Vec<Error>), Vec<Error>> {
        let path = find(world, asked).map_err(|error| vec![error])?;
        let folder = path.parent().map(Path::to_path_buf).unwrap_or_default();
        let file = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let most = Limits::default().file_bytes;
        let repository = beyond::repository_of(world, &folder);
        beyond::check(world, &repository, &path, &file).map_err(|error| vec![error])?;
        let bytes = world.read_file(&path, most).map_err(|problem| {
            vec![unreadable(&problem, &file).at(path.display().to_string(), None)]
        })?;
        let (text, verdict) = decode(bytes);
        let attach = |fault| vec![crate::error::attach(fault, &file, &text)];
        verdict.map_err(attach)?;
        let (tree, faults) = Format::TOML.read(text.text(), Limits::default());
        let mut sink = Sink::new(&file, &text, &tree);
        let (mut project, mut declarations, paths) = read(&mut sink, world, folder, file.clone());
        let mut errors = of_file(&file, &text, faults, sink.into_errors());
        let mut catalogues = vec![(Arc::from(file.as_str()), text.clone())];
        for named in paths {
            let at = text.position(named.at.start);
            let path = named.path.clone();
            match project.read_catalogue(world, &named, at, &mut declarations) {
                Ok((text, more)) => {
                    catalogues.push((path.into(), text));
                    errors.extend(more);
                }
                Err(more) => errors.extend(more),
            }
        }
        errors.extend(declarations.check_former());
        if project.is_loose {
            errors.extend(declarations.check_loose());
        }
        project.catalogues = catalogues.into();
        // A token is secret, whatever the catalogue has about it.
        for declared in &mut declarations.declared {
            let variable = declared.variable.as_deref();
            if variable.is_some_and(|name| project.token_variables().any(|token| token == name)) {
                declared.secret = Some(true);
            }
        }
        let options = Arc::new(options_of(&declarations.declared, project.is_loose));
        for layer in &mut project.layers {
            layer.part.iter_mut().for_each(|part| part.know(&options));
        }
        project.options = options;
        project.declared = declarations.declared.into();
        project.defaults = declarations.defaults;
        Ok((Project { text, ..project }, errors))
    }

    /// Reads a file of the catalogue, which the project file names at `at`.
    fn read_catalogue(
        &mut self,
        world: &dyn World,
        named: &NamedFile,
        at: justwhy_core::Position,
        declarations: &mut setting::Declarations,
    ) -> Result<(justwhy_core::SourceText, Vec<Error>), Vec<Error>> {
        let path = named.path.as_str();
        let full = self.folder.join(path);
        let also = |error: Error| vec![error.also("named at", &self.file, Some(at))];
        beyond::check(world, &self.repository, &full, path).map_err(also)?;
        let bytes = world.read_file(&full, self.limits.file_bytes).map_err(|problem| {
            let error = unreadable(&problem, path).at(path, None);
            vec![error.also("named at", &self.file, Some(at))]
        })?;
        let (text, verdict) = decode(bytes);
        let attach = |fault| vec![crate::error::attach(fault, path, &text)];
        verdict.map_err(attach)?;
        if Format::of_path(path) == Some(Format::ENV) {
            let (tree, faults) = Format::ENV.read(text.text(), self.limits);
            let required = named.required_when_empty;
            declarations.read_sample((path, &text, &tree), &self.naming, required);
            return Ok((text.clone(), of_file(path, &text, faults, Vec::new())));
        }
        let (tree, faults) = Format::TOML.read(text.text(), self.limits);
        let mut sink = Sink::new(path, &text, &tree);
        sink.check_names(Tree::ROOT, &CATALOGUE_FIELDS);
        if sink.field(Tree::ROOT, "justwhy").is_some() {
            version(&mut sink);
        }
        declarations.read(&mut sink, &self.axes);
        rule::rules(&mut sink, &self.axes, &mut self.rules);
        let errors = of_file(path, &text, faults, sink.into_errors());
        Ok((text.clone(), errors))
    }

    /// Whether another reading of the same project declares the same: by the texts of its files, and by the
    /// folders whose names axes allow.
    pub fn says_the_same(&self, other: &Project) -> bool {
        let texts = |project: &Project| -> Vec<(Arc<str>, String)> {
            let all = project.catalogues.iter();
            all.map(|(file, text)| (Arc::clone(file), text.text().to_owned())).collect()
        };
        let allowed = |project: &Project| -> Vec<Vec<String>> {
            project.axes.iter().map(|axis| axis.axis.allowed.clone()).collect()
        };
        self.folder == other.folder
            && self.repository == other.repository
            && self.layers.len() == other.layers.len()
            && texts(self) == texts(other)
            && allowed(self) == allowed(other)
    }

    /// Every name of a process variable from which an axis is read; none of them is a setting.
    pub fn axis_variables(&self) -> impl Iterator<Item = &str> {
        let reads = self.axes.iter().flat_map(|axis| &axis.read);
        reads.filter_map(|read| match read {
            Way::Variable(name) | Way::VariableMap { name, .. } => Some(name.as_str()),
            _ => None,
        })
    }

    /// Every name of a process variable that holds the token of a store; none of them is a setting
    /// unless the catalogue names it.
    pub fn token_variables(&self) -> impl Iterator<Item = &str> {
        self.stores.iter().filter_map(|store| store.token_variable.as_deref())
    }

    /// What a process variable of that name is for, if it is no setting's: an axis or a store, as a clause.
    pub fn purpose_of(&self, variable: &str) -> Option<String> {
        let is_it = |way: &Way| match way {
            Way::Variable(name) | Way::VariableMap { name, .. } => name == variable,
            _ => false,
        };
        let axis = self.axes.iter().find(|axis| axis.read.iter().any(is_it));
        let store =
            self.stores.iter().find(|store| store.token_variable.as_deref() == Some(variable));
        match (axis, store) {
            (Some(axis), _) => Some(format!("the axis {} reads it", axis.axis.name)),
            (None, Some(store)) => Some(format!("it has the token of the store {}", store.name)),
            (None, None) => None,
        }
    }

    /// The names of the axes that may have values which nobody lists.
    pub fn open_axes(&self) -> Vec<String> {
        let open = self.axes.iter().filter(|axis| axis.axis.open && axis.axis.allowed.is_empty());
        open.map(|axis| axis.axis.name.clone()).collect()
    }

    /// The format of the file that a layer reads, if it reads one.
    pub fn format_of(&self, layer: justwhy_core::LayerIndex) -> Option<Format> {
        let declared = layer.0.checked_sub(1).and_then(|number| self.layers.get(number))?;
        match &declared.reads {
            Reads::File(_, format) => Some(*format),
            Reads::Files(_, format) => *format,
            // The project file is TOML.
            Reads::Values(_) => Some(Format::TOML),
            Reads::CommandLine { .. } => Some(Format::TOML),
            Reads::Rows { .. } | Reads::Scope(..) | Reads::ProcessLine | Reads::Process => None,
        }
    }

    /// The axis of that name.
    pub fn axis(&self, name: &str) -> Option<&ProjectAxis> {
        self.axes.iter().find(|axis| axis.axis.name == name)
    }
}

/// Why a file that was named could not be read.
pub fn unreadable(problem: &ReadProblem, what: &str) -> Error {
    match problem {
        ReadProblem::Missing => Error::new("missing-file", format!("file not found: {what}")),
        ReadProblem::NotAFile(kind) => {
            Error::new("not-a-file", format!("{what} is {kind}, not a regular file"))
        }
        ReadProblem::TooLarge => {
            Error::new("limit", format!("{what} is larger than the limit for files"))
        }
        ReadProblem::Refused(error) => {
            Error::new("unreadable-file", format!("{what} cannot be read: {error}"))
        }
    }
}

const FIELDS: Fields = Fields {
    of: "the project file",
    known: &[
        "justwhy",
        "name",
        "catalogue",
        "variables",
        "names",
        "limits",
        "secrets",
        "axis",
        "never",
        "layer",
        "store",
        "code",
        "setting",
        "rule",
        "accept",
    ],
};

const CATALOGUE_FIELDS: Fields =
    Fields { of: "a file of the catalogue", known: &["justwhy", "setting", "rule"] };

/// A file of the catalogue that the project file names, and where it does.
struct NamedFile {
    path: String,
    at: Span,
    /// Of an env file: whether a name with an empty value is required.
    required_when_empty: bool,
}

fn read(
    sink: &mut Sink<'_>,
    world: &dyn World,
    folder: PathBuf,
    file: String,
) -> (Project, setting::Declarations, Vec<NamedFile>) {
    let root = Tree::ROOT;
    sink.check_names(root, &FIELDS);
    version(sink);
    let name = sink.text(root, "name");
    let naming = variables(sink);
    let is_loose = loose(sink);
    let (limits, read_folders) = limits(sink);
    let recipients = recipients(sink);
    let mut axes = axis::read_all(sink, world, &folder);
    let stores = store::read_all(sink);
    let layers = layer::read_all(sink, &mut axes, &stores, &naming);
    only::only(sink, &mut axes);
    let nevers = axis::nevers(sink, &axes);
    let mut declarations = setting::Declarations::default();
    declarations.read(sink, &axes);
    let mut rules = Vec::new();
    rule::rules(sink, &axes, &mut rules);
    let accepts = rule::accepts(sink);
    let code = code::search(sink);
    let mut paths: Vec<NamedFile> = Vec::new();
    for item in sink.list(root, "catalogue").unwrap_or_default() {
        let (named, required_when_empty) = match sink.tree.node(item).kind {
            Kind::Table(_) => {
                let fields = Fields {
                    of: "a file of the catalogue",
                    known: &["file", "required_when_empty"],
                };
                sink.check_names(item, &fields);
                (sink.text(item, "file"), sink.boolean(item, "required_when_empty"))
            }
            _ => (sink.text_of(item), None),
        };
        let Some((path, at)) = named else { continue };
        if path.is_empty() || path.ends_with('/') || path.contains('\0') {
            sink.error(Error::new("bad-project", "invalid path of a file"), at);
        } else if paths.iter().any(|other| other.path == path) {
            let message =
                format!("duplicate catalogue file: {}", justwhy_formats::shown_name(&path));
            sink.error(Error::new("bad-project", message), at);
        } else {
            let required_when_empty = required_when_empty.unwrap_or(true);
            paths.push(NamedFile { path, at, required_when_empty });
        }
    }
    let project = Project {
        name: name.map(|(name, _)| name),
        repository: beyond::repository_of(world, &folder),
        folder,
        file,
        limits,
        axes,
        layers,
        naming: justwhy_core::Naming {
            prefix: naming.0,
            nest: naming.1,
            claims: justwhy_core::Claims::Known,
        },
        is_loose,
        stores,
        recipients,
        nevers,
        declared: Arc::new([]),
        options: Arc::default(),
        defaults: Vec::new(),
        catalogues: Arc::new([]),
        rules,
        accepts,
        code,
        read_folders,
        text: justwhy_core::SourceText::new("".into()),
    };
    (project, declarations, paths)
}

fn version(sink: &mut Sink<'_>) {
    match sink.integer(Tree::ROOT, "justwhy") {
        Some((1, _)) => {}
        Some((_, at)) => sink.error(
            Error::new("bad-project", "unknown version")
                .help("this program reads version 1: write justwhy = 1"),
            at,
        ),
        None if sink.field(Tree::ROOT, "justwhy").is_some() => {}
        None => sink.error(
            Error::new("bad-project", "no version in the project file")
                .help("begin the file with: justwhy = 1"),
            Span::default(),
        ),
    }
}

/// The prefix and what nests, of `[variables]`.
fn variables(sink: &mut Sink<'_>) -> (String, String) {
    const FIELDS: Fields = Fields { of: "[variables]", known: &["prefix", "nest"] };
    let Some(table) = sink.table(Tree::ROOT, "variables") else {
        return (String::new(), "__".to_owned());
    };
    sink.check_names(table, &FIELDS);
    (prefix(sink, table).unwrap_or_default(), nest(sink, table).unwrap_or_else(|| "__".to_owned()))
}

fn prefix(sink: &mut Sink<'_>, table: justwhy_formats::NodeId) -> Option<String> {
    sink.text(table, "prefix").map(|(prefix, _)| prefix)
}

fn nest(sink: &mut Sink<'_>, table: justwhy_formats::NodeId) -> Option<String> {
    let (nest, at) = sink.text(table, "nest")?;
    if nest.is_empty() {
        sink.error(
            Error::new("bad-project", "`nest` must not be empty")
                .help("the default is nest = \"__\""),
            at,
        );
        return None;
    }
    Some(nest)
}
