//! A project and all that is around it at one moment: every question, in whatever context, is answered from
//! the same.

use crate::Arguments;
use crate::changes::Changes;
use crate::reader::{NotRead, Reader, Touched};
use crate::session::{Ports, Session};
use crate::situate::{Situation, exists, follows, led_to};
use hashbrown::HashMap;
use justwhy_core::parallel::lock;
use justwhy_core::{
    Answers, AxisOrigin, AxisValue, Context, ExpansionLimits, Inactivity, Kind, LayerIndex,
    Outside, Place, Readings, Resolution, Scope, Shared,
};
use justwhy_formats::{decode, shown_name};
use justwhy_project::{Error, Project, ReadProblem, Reads, Sources, Way, World, beyond};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::JoinHandle;

/// A project as it is, or as it would be, with all that its layers read. It keeps what it has read, and gives
/// references what they ask of the outside: process variables, files, other contexts.
pub struct Snapshot {
    /// What it was at first, before any changes.
    session: Session,
    changes: Changes,
    project: Arc<Project>,
    world: Arc<dyn World>,
    arguments: Arguments,
    situation: Arc<Situation>,
    reader: Mutex<Reader>,
    files: Mutex<HashMap<String, FileText>>,
    /// The files that could be source code, while somebody finds out which those are.
    sources: Mutex<Option<JoinHandle<Result<Sources, String>>>>,
    /// The same one as that of another snapshot if references find the same outside of the settings.
    outside: Arc<()>,
    /// The same one as that of a snapshot that began with what this one has read, or the other way round.
    lineage: Arc<()>,
    /// Whether local layers are left out, and process variables with them.
    without_local: bool,
}

/// A layer that reads scopes, in one context.
#[derive(Clone, Debug)]
pub struct ScopeLayer {
    /// Its name.
    pub layer: String,
    /// Its number among those that the project file declares.
    number: usize,
    /// The number of its store.
    pub store: usize,
    /// The name or pattern of the scopes that it reads, or why it is not active, as a clause.
    pub scope: Result<String, String>,
    /// Whether it is fine if there is none.
    pub optional: bool,
}

/// The trimmed text of a file; none if it is not there, and why if it cannot be read.
type FileText = Result<Option<Arc<str>>, String>;

impl std::fmt::Debug for Snapshot {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Snapshot").finish_non_exhaustive()
    }
}

impl Snapshot {
    pub(crate) fn new(session: &Session, arguments: Arguments) -> Snapshot {
        let Session { ports, project } = session;
        let mut reader = Reader::new(Arc::clone(project), Arc::clone(&ports.world));
        reader = reader.asking(ports.stores.clone());
        if let Some(decrypts) = &ports.decrypts {
            reader = reader.decrypting(Arc::clone(decrypts));
        }
        Snapshot {
            session: session.clone(),
            changes: Changes::default(),
            situation: Arc::new(Situation::new(Arc::clone(project), Arc::clone(&ports.world))),
            reader: Mutex::new(reader),
            outside: Arc::default(),
            lineage: Arc::default(),
            project: Arc::clone(project),
            world: Arc::clone(&ports.world),
            arguments,
            files: Mutex::default(),
            sources: Mutex::default(),
            without_local: false,
        }
    }

    /// Begins to list the files that could be source code, as it is known that they will be searched.
    pub fn expect_code(&self) {
        let (world, folder) = (Arc::clone(&self.world), self.project.folder.clone());
        let thread = std::thread::Builder::new();
        *lock(&self.sources) = thread.spawn(move || world.sources(&folder)).ok();
    }

    /// The files that could be source code; an error is a clause.
    pub(crate) fn sources(&self) -> Result<Sources, String> {
        let listed = lock(&self.sources).take().and_then(|thread| thread.join().ok());
        listed.unwrap_or_else(|| self.world.sources(&self.project.folder))
    }

    /// What this one becomes by changes, `changes` being all that were made so far.
    pub(crate) fn become_otherwise(
        &self,
        project: Arc<Project>,
        ports: Ports,
        changes: Changes,
        touched: &Touched<'_>,
    ) -> Snapshot {
        let is_outside_same = touched.files.is_empty() && !touched.process;
        let is_situation_same = is_outside_same && Arc::ptr_eq(&project, &self.project);
        let reader = lock(&self.reader).with(Arc::clone(&project), &ports, touched);
        Snapshot {
            session: self.session.clone(),
            arguments: changes.arguments.clone().unwrap_or_else(|| self.arguments.clone()),
            changes,
            situation: match is_situation_same {
                true => Arc::clone(&self.situation),
                false => Arc::new(Situation::new(Arc::clone(&project), Arc::clone(&ports.world))),
            },
            reader: Mutex::new(reader),
            files: match is_outside_same {
                true => Mutex::new(lock(&self.files).clone()),
                false => Mutex::default(),
            },
            outside: match is_outside_same {
                true => Arc::clone(&self.outside),
                false => Arc::default(),
            },
            sources: Mutex::default(),
            lineage: Arc::clone(&self.lineage),
            without_local: self.without_local,
            project,
            world: ports.world,
        }
    }

    /// What it was at first.
    pub(crate) fn session(&self) -> &Session {
        &self.session
    }

    /// The files that are otherwise than they were when they were read.
    pub(crate) fn stale(&self) -> BTreeSet<PathBuf> {
        lock(&self.reader).stale()
    }

    /// What became otherwise since.
    pub(crate) fn changes(&self) -> &Changes {
        &self.changes
    }

    /// What it has in common with another one.
    pub fn shared_with(&self, other: &Snapshot) -> Shared {
        Shared {
            keys: Arc::ptr_eq(&self.lineage, &other.lineage),
            project: Arc::ptr_eq(&self.project, &other.project),
            outside: Arc::ptr_eq(&self.outside, &other.outside)
                && self.without_local == other.without_local,
            contents: true,
        }
    }

    /// The project, to be kept.
    pub(crate) fn project_shared(&self) -> Arc<Project> {
        Arc::clone(&self.project)
    }

    /// The project.
    pub fn project(&self) -> &Project {
        &self.project
    }

    /// The outside.
    pub fn world(&self) -> &dyn World {
        &*self.world
    }

    /// How far references are followed.
    pub fn limits(&self) -> ExpansionLimits {
        let limits = self.project.limits;
        ExpansionLimits {
            depth: limits.depth,
            bytes: limits.file_bytes,
            nodes: limits.nodes as u64,
        }
    }

    /// Reads every source in a context, and answers from that.
    pub fn at(&self, context: Context) -> Result<Answers<'_>, Error> {
        let resolution = Resolution::of(Arc::new(self.read(context)?));
        Ok(Answers::new(resolution, self, self.limits()))
    }

    /// Whether the local layers are read, as they are without this, or left out
    /// in every context.
    #[must_use]
    pub fn with_local(self, with_local: bool) -> Snapshot {
        if with_local {
            return self;
        }
        let reader = self.reader.into_inner().unwrap_or_else(PoisonError::into_inner);
        Snapshot { without_local: true, reader: Mutex::new(reader.without_local()), ..self }
    }

    /// Reads every source in each of many contexts, and shares what is the same in them. Of one that cannot
    /// be read all errors are told.
    pub fn read_all(&self, contexts: &[Context]) -> Vec<Result<Readings, Vec<Error>>> {
        lock(&self.reader).read_all(contexts, &self.arguments)
    }

    /// Files of other contexts that could not be read, each with the reason, so that variables which
    /// mean settings that only they have are not known.
    pub fn unread_elsewhere(&self) -> Vec<String> {
        lock(&self.reader).unread_elsewhere().to_vec()
    }

    /// The context that `asked`, the text of `--in`, leads to.
    pub fn here(&self, asked: Option<&str>) -> Result<Context, Error> {
        self.situation.here(asked)
    }

    /// The axes that `asked`, the text of `--in`, fixes; the others are as nobody had asked.
    pub fn fixed(&self, asked: Option<&str>) -> Result<Context, Error> {
        self.situation.fixed(asked)
    }

    /// Reads every source in a context.
    pub fn read(&self, context: Context) -> Result<Readings, Error> {
        lock(&self.reader).read(context, &self.arguments)
    }

    /// The layers that read scopes, weakest first, and what each reads in a context.
    pub fn scope_layers(&self, context: &Context) -> Vec<ScopeLayer> {
        let layers = self.project.layers.iter().enumerate();
        let read = layers.filter_map(|(number, declared)| {
            let Reads::Scope(scope, store) = &declared.reads else { return None };
            let inactive = Inactivity::of(&declared.when, &declared.unless, context);
            let filled = scope
                .fill(context)
                .map_err(|axis| Inactivity::Needs { axis: axis.to_owned() }.because().to_string());
            let scope = match inactive {
                Some(inactivity) => Err(inactivity.because().to_string()),
                None => filled,
            };
            let scope = scope.and_then(|scope| {
                let sent = lock(&self.reader).may_be_sent(declared, *store, context);
                sent.map(|()| scope).map_err(|error| clause(&error))
            });
            let optional = declared.optional;
            Some(ScopeLayer {
                layer: declared.name.clone(),
                number,
                store: *store,
                scope,
                optional,
            })
        });
        read.collect()
    }

    /// The scopes that such a layer reads, in the order of their strength.
    pub fn scopes_of(&self, layer: &ScopeLayer) -> Result<Vec<Arc<Scope>>, NotRead> {
        match &layer.scope {
            Ok(scope) => lock(&self.reader).scopes_of(layer.number, layer.store, scope),
            Err(_) => Ok(Vec::new()),
        }
    }

    /// Reads every source in a context as if the conditions of these layers were met there.
    pub fn read_as_if_active(
        &self,
        context: Context,
        layers: &[LayerIndex],
    ) -> Result<Readings, Error> {
        lock(&self.reader).read_with(context, &self.arguments, layers)
    }

    /// The place at which a layer is declared.
    pub fn declared_at(&self, layer: LayerIndex) -> Place {
        let declared = layer.0.checked_sub(1).and_then(|number| self.project.layers.get(number));
        let (file, text) = (self.project.file.as_str(), &self.project.text);
        Place::in_text(file.into(), Some(text), declared.map(|declared| declared.at))
    }

    /// The path of the working directory below the project's folder; none if it is outside.
    pub fn inside(&self) -> Option<&str> {
        self.situation.inside()
    }

    /// What to say after `--in` for the context `wanted`: the axes on which it differs from here, or
    /// all of them if others would follow.
    pub fn way_to(&self, here: &Context, wanted: &Context) -> String {
        let text = |only_changes: bool, with_unset: bool, with_following: bool| {
            let axes = wanted.axes.iter().zip(&here.axes);
            let told = axes.filter(|(wanted, here)| {
                !only_changes
                    || wanted.value != here.value
                    || here.origin == AxisOrigin::Asked && here.value.is_some()
            });
            let follows = |value: &AxisValue| {
                self.project.axis(&value.axis).is_some_and(|axis| follows(axis, value))
            };
            let told = told.filter(|(wanted, _)| with_following || !follows(wanted));
            let told = told.filter(|(wanted, here)| {
                with_unset || wanted.value.is_some() || here.value.is_some()
            });
            let told = told.map(|(wanted, _)| {
                format!("{}={}", wanted.axis, wanted.value.as_deref().unwrap_or_default())
            });
            told.collect::<Vec<_>>().join(",")
        };
        let leads_there = |text: &str| {
            self.situation.here(Some(text)).is_ok_and(|context| {
                context.axes.iter().zip(&wanted.axes).all(|(one, other)| one.value == other.value)
            })
        };
        let ways = [text(true, false, false), text(false, false, false), text(false, true, false)];
        ways.into_iter().find(|way| leads_there(way)).unwrap_or_else(|| text(false, true, true))
    }

    /// Every context that the axes can form, besides combinations that do not exist: those of `fixed` have their
    /// values there, the others each allowed one, and none if they have no default.
    pub fn contexts(&self, fixed: &Context) -> Result<Vec<Context>, Error> {
        let rows = |axis: &str| lock(&self.reader).rows_of(axis);
        self.situation.contexts(fixed, &rows)
    }

    /// Where you are, even if that is a combination that does not exist.
    pub fn stand(&self) -> Result<Context, Error> {
        self.situation.stand()
    }

    /// The contexts that differ from `from` only in some axes, the first of which changes most slowly.
    pub fn across(&self, from: &Context, names: &[&str]) -> Result<Vec<Context>, Error> {
        let rows = |axis: &str| lock(&self.reader).rows_of(axis);
        self.situation.across(from, names, &rows)
    }

    /// The contexts that differ from one in a single axis, and in those that follow it.
    pub(crate) fn beside(&self, from: &Context) -> Vec<Context> {
        let axes = self.project.axes.iter();
        let values = axes.flat_map(|axis| {
            let allowed = axis.axis.allowed.iter();
            allowed.map(|value| (axis.axis.name.clone(), Some(value.clone())))
        });
        values.filter_map(|change| self.situation.changed(from, &[change]).ok()).collect()
    }

    /// Whether somebody works in the context, one of those that `fixed` leaves: every axis that lists
    /// values has one of them, and an axis that is read from another one has what that leads to.
    pub fn is_full(&self, context: &Context, fixed: &Context) -> bool {
        let axes = context.axes.iter().zip(&self.project.axes).zip(&fixed.axes);
        axes.into_iter().all(|((value, axis), fixed)| {
            let only_follows = matches!(axis.read.as_slice(), [Way::Axis { .. }]);
            if fixed.origin == AxisOrigin::Asked && !only_follows {
                return true;
            }
            match led_to(axis, context) {
                Some(Some(led)) => value.value.as_deref() == Some(led),
                Some(None) => true,
                None => {
                    value.value.is_some()
                        || axis.axis.allowed.is_empty()
                        || axis.may_be_unset
                        || !exists(axis, context)
                }
            }
        })
    }

    fn load(&self, path: &str) -> FileText {
        let full = self.project.folder.join(path);
        let shown = shown_name(path);
        // What is not there must be in one of the folders too: whether there is something elsewhere is
        // nobody's business.
        self.may_read(&full, &shown)?;
        let canonical = match self.world.canonical(&full) {
            Ok(canonical) => canonical,
            Err(error) => {
                return match error.kind() {
                    std::io::ErrorKind::NotFound | std::io::ErrorKind::NotADirectory => Ok(None),
                    _ => Err(format!("{shown} cannot be read: {error}")),
                };
            }
        };
        let most = self.project.limits.file_bytes;
        let bytes = match self.world.read_file(&canonical, most) {
            Ok(bytes) => bytes,
            Err(ReadProblem::Missing) => return Ok(None),
            Err(problem) => {
                let what = shown.to_string();
                return Err(justwhy_project::unreadable(&problem, &what).message().to_owned());
            }
        };
        let (text, verdict) = decode(bytes);
        verdict.map_err(|fault| format!("{shown} cannot be read: {}", fault.message))?;
        Ok(Some(text.text().trim().into()))
    }

    /// Whether a reference may read a path: it must be in the project's folder or in one that the
    /// project lists, and one that is beyond the repository only if the user allows it.
    fn may_read(&self, path: &Path, shown: &str) -> Result<(), String> {
        let (project, world) = (&*self.project, &*self.world);
        let folder = world.canonical(&project.folder).unwrap_or_else(|_| project.folder.clone());
        let Some(target) = beyond::leaves(world, &folder, path) else { return Ok(()) };
        let mut listed = project.read_folders.iter().map(|folder| project.folder.join(folder));
        let is_listed = listed
            .any(|folder| world.canonical(&folder).is_ok_and(|folder| target.starts_with(folder)));
        if !is_listed {
            return Err(format!(
                "{shown} is outside the project's folder; `read_folders` under [limits] lists other \
                 folders to read"
            ));
        }
        if target.starts_with(&project.repository) {
            return Ok(());
        }
        beyond::is_allowed(world, &project.repository, &target).map_err(|why| {
            let why = why.map(|why| format!(": {why}")).unwrap_or_default();
            let how = beyond::how_to_allow(world, &target);
            format!("{shown} is outside the repository, which you do not allow{why} ({how})")
        })
    }
}

impl Outside for Snapshot {
    fn is_secret_variable(&self, name: &str) -> bool {
        self.project.token_variables().any(|token| token == name)
    }

    fn reads_variables(&self) -> bool {
        !self.without_local
    }

    fn variable(&self, name: &str) -> Result<Option<Arc<str>>, String> {
        if self.without_local {
            return Ok(None);
        }
        match self.situation.process_variable(name).map(|value| value.to_str()) {
            None => Ok(None),
            Some(Some(value)) => Ok(Some(value.into())),
            Some(None) => {
                Err(format!("the environment variable {} is not UTF-8", shown_name(name)))
            }
        }
    }

    fn file(&self, path: &str) -> FileText {
        if let Some(known) = lock(&self.files).get(path) {
            return known.clone();
        }
        let loaded = self.load(path);
        lock(&self.files).insert(path.to_owned(), loaded.clone());
        loaded
    }

    fn changed(
        &self,
        from: &Context,
        changes: &[(String, Option<String>)],
    ) -> Result<Arc<Readings>, String> {
        let context = self.situation.changed(from, changes).map_err(|error| clause(&error))?;
        self.read(context).map(Arc::new).map_err(|error| clause(&error))
    }
}

/// An error, and how to mend it, in a clause.
fn clause(error: &Error) -> String {
    match error.helps().first() {
        Some(help) => format!("{error} ({help})"),
        None => error.to_string(),
    }
}

/// The local layers, which a question about several contexts leaves out.
pub fn local_layers(readings: &Readings) -> Vec<String> {
    let local =
        readings.layers.iter().filter(|layer| layer.is_local() && layer.kind != Kind::Arguments);
    local.map(|layer| layer.name.clone()).collect()
}

/// What references put together grew past all bounds.
pub fn exhausted() -> Error {
    Error::new("limit", "references make the values of the project too large")
        .help("to allow more, raise `file_bytes` under [limits] in the project file")
}
