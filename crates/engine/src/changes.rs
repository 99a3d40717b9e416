//! Changes to what a snapshot was made of, and the snapshot that they lead to.

use crate::overlay::Overlay;
use crate::reader::{Touched, real_path};
use crate::session::Ports;
use crate::{Arguments, Snapshot};
use justwhy_core::{Scope, ScopeVariable};
use justwhy_project::{Answered, Error, Project, Question, Store, StoreProblem, Stores, World};
use std::collections::{BTreeMap, BTreeSet};
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// What is otherwise than it was. Nothing of it is written anywhere.
#[derive(Clone, Default)]
pub struct Changes {
    pub(crate) files: BTreeMap<PathBuf, Arc<[u8]>>,
    variables: Option<Vec<(OsString, OsString)>>,
    without: Vec<String>,
    pub(crate) arguments: Option<Arguments>,
    stores: Vec<VariableEdit>,
}

impl std::fmt::Debug for Changes {
    /// Without what files and variables have, which may be secret.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let files: Vec<&PathBuf> = self.files.keys().collect();
        f.debug_struct("Changes")
            .field("files", &files)
            .field("without", &self.without)
            .finish_non_exhaustive()
    }
}

/// A variable of a store that is no file, and what it would be.
#[derive(Clone, PartialEq, Eq)]
pub struct VariableEdit {
    /// The name of the store.
    pub store: String,
    /// The scope.
    pub scope: String,
    /// The variable.
    pub variable: String,
    /// The revision in which it is now; none if it is not there.
    pub revision: Option<u64>,
    /// Its value; none to take it out.
    pub value: Option<Arc<str>>,
    /// Whether that is secret.
    pub is_secret: bool,
}

impl std::fmt::Debug for VariableEdit {
    /// Without its value, which may be secret.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("VariableEdit").field("variable", &self.variable).finish_non_exhaustive()
    }
}

impl Changes {
    /// A file holds something else, or a new one is there: its whole path.
    #[must_use]
    pub fn file(mut self, path: PathBuf, bytes: impl Into<Arc<[u8]>>) -> Changes {
        self.files.insert(path, bytes.into());
        self
    }

    /// The process has these variables.
    #[must_use]
    pub fn variables(self, variables: Vec<(OsString, OsString)>) -> Changes {
        Changes { variables: Some(variables), ..self }
    }

    /// The project has no such layers.
    #[must_use]
    pub fn without(mut self, layers: &[String]) -> Changes {
        self.without.extend_from_slice(layers);
        self
    }

    /// The command line sets this for settings.
    #[must_use]
    pub fn arguments(self, arguments: Arguments) -> Changes {
        Changes { arguments: Some(arguments), ..self }
    }

    /// A variable of a store is another.
    #[must_use]
    pub fn variable_of_store(mut self, edit: VariableEdit) -> Changes {
        self.stores.push(edit);
        self
    }

    /// These, and then those.
    fn and(&self, later: &Changes) -> Changes {
        let mut all = self.clone();
        all.files.extend(later.files.iter().map(|(path, bytes)| (path.clone(), bytes.clone())));
        if later.variables.is_some() {
            all.variables.clone_from(&later.variables);
        }
        if later.arguments.is_some() {
            all.arguments.clone_from(&later.arguments);
        }
        all.without.extend_from_slice(&later.without);
        all.stores.extend_from_slice(&later.stores);
        all
    }

    /// A world in which they were made.
    fn made_in(&self, ports: &Ports) -> Ports {
        let Ports { world, stores, .. } = ports.clone();
        let is_same = self.files.is_empty() && self.variables.is_none();
        let variables = || self.variables.clone().unwrap_or_else(|| world.variables());
        let changed: Arc<dyn World> = match is_same {
            true => Arc::clone(&world),
            false => {
                Arc::new(Overlay::new(Arc::clone(&world), variables()).holding(self.files.clone()))
            }
        };
        let edits = &self.stores;
        let stores = match edits.is_empty() {
            true => stores,
            false => stores.map(|inner| -> Arc<dyn Stores> {
                Arc::new(ChangedStores { inner, edits: edits.clone() })
            }),
        };
        Ports { world: changed, stores, ..ports.clone() }
    }
}

impl Snapshot {
    /// All as it would be after some changes. What they do not touch is shared with this one, and not read
    /// again; the project file is read again only if they may be about what it declares.
    pub fn with(&self, changes: &Changes) -> Result<Snapshot, Vec<Error>> {
        let old = self.project_shared();
        let world = self.world();
        let real: BTreeMap<PathBuf, Arc<[u8]>> = changes
            .files
            .iter()
            .map(|(path, bytes)| (real_path(world, path), Arc::clone(bytes)))
            .collect();
        let changes = &Changes { files: real, ..changes.clone() };
        let all = self.changes().and(changes);
        let ports = all.made_in(&self.session().ports);
        let paths: BTreeSet<PathBuf> = changes.files.keys().cloned().collect();
        // A new file may make a folder, which an axis may count.
        let is_any_new = paths.iter().any(|path| !world.is_file(path));
        let is_declared_there = |(file, _): &(Arc<str>, _)| {
            paths.contains(&real_path(world, &old.folder.join(Path::new(file.as_ref()))))
        };
        let is_declared_otherwise = is_any_new
            || !changes.without.is_empty()
            || old.catalogues.iter().any(is_declared_there);
        let project = match is_declared_otherwise {
            false => old,
            true => {
                let mut project = Project::load(&*ports.world, Some(&old.folder.join(&old.file)))?;
                project.take_out(&all.without);
                Arc::new(project)
            }
        };
        let touched = Touched {
            files: &paths,
            is_any_new,
            process: changes.variables.is_some(),
            stores: !changes.stores.is_empty(),
        };
        Ok(self.become_otherwise(project, ports, all, &touched))
    }

    /// All as it is now. Files that are as they were, by their stamps, are not read again; stores are asked
    /// again.
    pub fn again(&self) -> Result<Snapshot, Vec<Error>> {
        let old = self.project_shared();
        let mut project = Project::load(self.world(), Some(&old.folder.join(&old.file)))?;
        project.take_out(&self.changes().without);
        let project = match project.says_the_same(&old) {
            true => old,
            false => Arc::new(project),
        };
        let touched = Touched {
            files: &self.stale(),
            // Files may be there that no pattern has matched before.
            is_any_new: true,
            process: false,
            stores: true,
        };
        let ports = self.changes().made_in(&self.session().ports);
        Ok(self.become_otherwise(project, ports, self.changes().clone(), &touched))
    }
}

/// Stores that would set something else.
struct ChangedStores {
    inner: Arc<dyn Stores>,
    edits: Vec<VariableEdit>,
}

impl std::fmt::Debug for ChangedStores {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("ChangedStores").finish_non_exhaustive()
    }
}

impl Stores for ChangedStores {
    fn ask(&self, store: &Store, question: &Question<'_>) -> Result<Answered, StoreProblem> {
        let mut answered = self.inner.ask(store, question)?;
        let of_store = self.edits.iter().filter(|edit| edit.store == store.name);
        for VariableEdit { scope, variable, value, .. } in of_store {
            if !question.asked.has(scope) {
                continue;
            }
            let at = answered.scopes.iter().position(|it| it.name.as_ref() == scope);
            let at = at.unwrap_or_else(|| {
                let name = scope.as_str().into();
                answered.scopes.push(Arc::new(Scope { name, ..Scope::default() }));
                answered.scopes.len() - 1
            });
            let scope = Arc::make_mut(&mut answered.scopes[at]);
            let there = scope.variables.iter().position(|it| it.name.as_ref() == variable);
            match (there, value) {
                (Some(there), Some(value)) => {
                    let there = &mut scope.variables[there];
                    there.value = Some(Arc::clone(value));
                    there.note.unreadable = None;
                }
                (Some(there), None) => drop(scope.variables.remove(there)),
                (None, Some(value)) => scope.variables.push(ScopeVariable {
                    name: variable.as_str().into(),
                    value: Some(Arc::clone(value)),
                    ..ScopeVariable::default()
                }),
                (None, None) => {}
            }
        }
        Ok(answered)
    }
}
