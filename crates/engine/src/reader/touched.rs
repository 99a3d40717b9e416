//! What a reader knows that is still so after changes.

use super::Reader;
use crate::cache::Cache;
use crate::session::Ports;
use justwhy_project::{Kept, Project, Store, World};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// What is otherwise for a reader than it was.
pub(crate) struct Touched<'t> {
    /// Files that set something else, by their paths without links.
    pub(crate) files: &'t BTreeSet<PathBuf>,
    /// Whether any of them was not there.
    pub(crate) is_any_new: bool,
    /// Whether the process has other variables.
    pub(crate) process: bool,
    /// Whether stores set something else.
    pub(crate) stores: bool,
}

/// A path without links, as far as it is there.
pub(crate) fn real_path(world: &dyn World, path: &Path) -> PathBuf {
    if let Ok(real) = world.canonical(path) {
        return real;
    }
    match (path.parent(), path.file_name()) {
        (Some(parent), Some(name)) => real_path(world, parent).join(name),
        _ => path.to_owned(),
    }
}

impl Reader {
    /// A reader of what is otherwise in some things, with all that is known here and not touched by that.
    pub(crate) fn with(
        &mut self,
        project: Arc<Project>,
        ports: &Ports,
        touched: &Touched<'_>,
    ) -> Reader {
        let Ports { world, stores, decrypts, .. } = ports;
        let mut next = Reader::new(Arc::clone(&project), Arc::clone(world)).asking(stores.clone());
        next.decrypts = decrypts.clone().unwrap_or(next.decrypts);
        next.without_local = self.without_local;
        next.keys = Arc::clone(&self.keys);
        let is_same_project = Arc::ptr_eq(&project, &self.project);
        let old = &*self.project;
        let reads_alike = old.folder == project.folder
            && old.repository == project.repository
            && old.limits == project.limits;
        if reads_alike {
            self.note_real_paths();
            let (is_new, paths) = (touched.is_any_new, touched.files);
            let is_touched = |real: &Cache<String, PathBuf>, path: &String| {
                !paths.is_empty() && real.get(path).is_none_or(|real| paths.contains(real))
            };
            next.real_paths = self.real_paths.branch();
            next.stamps = self.stamps.branch();
            let real = &next.real_paths;
            next.files = self.files.branch();
            next.files.forget(|(path, _)| is_touched(real, path));
            next.rows = self.rows.branch();
            next.rows.forget(|(path, _)| is_touched(real, path));
            next.texts = self.texts.branch();
            next.texts.forget(|path| is_touched(real, path));
            if !is_new {
                next.matches.clone_from(&self.matches);
            }
        }
        if !touched.process {
            next.process.clone_from(&self.process);
        }
        next.arguments.clone_from(&self.arguments);
        next.folders.clone_from(&self.folders);
        if is_same_project {
            next.values.clone_from(&self.values);
            next.never = Arc::clone(&self.never);
            if !touched.stores && touched.files.is_empty() {
                next.others.clone_from(&self.others);
            }
            let is_kept_there = |store: &Store| match &store.kept {
                Kept::File(path) => {
                    let real = real_path(&**world, &project.folder.join(path));
                    touched.files.contains(&real)
                }
                _ => false,
            };
            if !touched.stores && !project.stores.iter().any(is_kept_there) {
                next.scopes = Arc::clone(&self.scopes);
            }
        }
        next
    }

    /// The files that are otherwise than they were when they were read, by their paths without links.
    pub(crate) fn stale(&self) -> BTreeSet<PathBuf> {
        let folder = &self.project.folder;
        let is_stale = |path: &&String| {
            let before = self.stamps.get(path).copied().flatten();
            self.world.stamp(&folder.join(path)) != before
        };
        let stale = self.stamps.keys().filter(is_stale);
        stale.map(|path| real_path(&*self.world, &folder.join(path))).collect()
    }

    /// Finds the path without links of every file that was read or looked for.
    fn note_real_paths(&mut self) {
        let read = self.files.keys().map(|(path, _)| path);
        let read = read.chain(self.texts.keys()).chain(self.rows.keys().map(|(path, _)| path));
        let new = read.filter(|path| self.real_paths.get(path).is_none());
        let new: Vec<String> = new.cloned().collect();
        for path in new {
            let real = real_path(&*self.world, &self.project.folder.join(&path));
            self.real_paths.insert(path, real);
        }
    }
}
