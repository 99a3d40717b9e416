//! A world in which some things are otherwise than they are.

use crate::reader::real_path;
use justwhy_project::{
    Branch, Clock, Consent, Consents, Files, FolderEntry, History, Process, ReadProblem, Sources,
    Stamp, Tracking, World,
};
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Another world with the process environment replaced, and perhaps the current folder and what is in
/// some files.
#[derive(Clone)]
pub struct Overlay {
    /// Where everything else comes from.
    pub inner: Arc<dyn World>,
    /// The variables.
    pub variables: Vec<(OsString, OsString)>,
    /// How the process is called, and the words that it was started with, if it is another.
    pub command_line: Option<(String, Vec<String>)>,
    /// The current folder, if it is another.
    pub folder: Option<PathBuf>,
    /// What files hold, by their paths without links.
    pub(crate) files: BTreeMap<PathBuf, Arc<[u8]>>,
}

impl std::fmt::Debug for Overlay {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Overlay").field("folder", &self.folder).finish_non_exhaustive()
    }
}

impl Overlay {
    /// A world in which nothing is otherwise but the variables.
    pub fn new(inner: Arc<dyn World>, variables: Vec<(OsString, OsString)>) -> Overlay {
        Overlay { inner, variables, command_line: None, folder: None, files: BTreeMap::new() }
    }

    /// The same where the process is called so, and was started with these words.
    #[must_use]
    pub fn started_as(self, command_line: Option<(String, Vec<String>)>) -> Overlay {
        Overlay { command_line, ..self }
    }

    /// The same in another folder.
    #[must_use]
    pub fn in_folder(self, folder: PathBuf) -> Overlay {
        Overlay { folder: Some(folder), ..self }
    }

    /// The same with files that hold something else, by their paths without links.
    pub(crate) fn holding(self, files: BTreeMap<PathBuf, Arc<[u8]>>) -> Overlay {
        Overlay { files, ..self }
    }

    /// The same with a file that holds something else, or a new one.
    #[must_use]
    pub fn with_file(mut self, path: &Path, bytes: Vec<u8>) -> Overlay {
        self.write(path, bytes);
        self
    }

    /// Lets a file hold something else, or a new file be there.
    pub(crate) fn write(&mut self, path: &Path, bytes: Vec<u8>) {
        let path = self.real(path);
        self.files.insert(path, bytes.into());
    }

    fn real(&self, path: &Path) -> PathBuf {
        real_path(&*self.inner, path)
    }

    fn held(&self, path: &Path) -> Option<&Arc<[u8]>> {
        // Looking for links takes longer than reading most files.
        if self.files.is_empty() {
            return None;
        }
        self.files.get(&self.real(path))
    }

    /// The first parts of the paths of files below a folder, and whether more follow.
    fn held_in(&self, folder: &Path) -> Vec<(OsString, bool)> {
        if self.files.is_empty() {
            return Vec::new();
        }
        let folder = self.real(folder);
        let below = self.files.keys().filter_map(|path| {
            let mut parts = path.strip_prefix(&folder).ok()?.components();
            let first = parts.next()?.as_os_str().to_owned();
            Some((first, parts.next().is_some()))
        });
        below.collect()
    }
}

impl Files for Overlay {
    fn read_file(&self, path: &Path, most: u64) -> Result<Vec<u8>, ReadProblem> {
        match self.held(path) {
            Some(bytes) if bytes.len() as u64 > most => Err(ReadProblem::TooLarge),
            Some(bytes) => Ok(bytes.to_vec()),
            None => self.inner.read_file(path, most),
        }
    }

    fn read_plain(&self, path: &Path, most: u64, into: &mut Vec<u8>) -> Result<(), ReadProblem> {
        match self.held(path) {
            Some(_) => {
                *into = self.read_file(path, most)?;
                Ok(())
            }
            None => self.inner.read_plain(path, most, into),
        }
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        match self.held(path) {
            // What is locked stays so.
            Some(bytes) => Some(Stamp { bytes: bytes.len() as u64, ..Stamp::default() }),
            None => self.inner.stamp(path),
        }
    }

    fn is_file(&self, path: &Path) -> bool {
        self.held(path).is_some() || self.inner.is_file(path)
    }

    fn is_folder(&self, path: &Path) -> bool {
        self.inner.is_folder(path) || !self.held_in(path).is_empty()
    }

    fn names_in(&self, folder: &Path) -> Vec<OsString> {
        let mut names = self.inner.names_in(folder);
        for (name, _) in self.held_in(folder) {
            if !names.contains(&name) {
                names.push(name);
            }
        }
        names
    }

    fn entries(&self, folder: &Path) -> io::Result<Vec<FolderEntry>> {
        let held = self.held_in(folder);
        let mut entries = match self.inner.entries(folder) {
            Err(_) if !held.is_empty() => Vec::new(),
            entries => entries?,
        };
        for (name, is_folder) in held {
            if !entries.iter().any(|entry| entry.name == name) {
                entries.push(FolderEntry { name, is_folder, is_link: false });
            }
        }
        Ok(entries)
    }

    fn is_open_to_others(&self, path: &Path) -> bool {
        self.inner.is_open_to_others(path)
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        match self.inner.canonical(path) {
            Err(_) if self.held(path).is_some() => Ok(self.real(path)),
            real => real,
        }
    }
}

impl Process for Overlay {
    fn host(&self) -> Option<String> {
        self.inner.host()
    }

    fn current_folder(&self) -> io::Result<PathBuf> {
        self.folder.clone().map_or_else(|| self.inner.current_folder(), Ok)
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        self.variables.clone()
    }

    fn command_line(&self) -> Option<(String, Vec<String>)> {
        self.command_line.clone().or_else(|| self.inner.command_line())
    }
}

impl History for Overlay {
    fn tags(&self, folder: &Path) -> Result<Vec<String>, String> {
        self.inner.tags(folder)
    }

    fn branch(&self, folder: &Path) -> Branch {
        self.inner.branch(folder)
    }

    fn sources(&self, folder: &Path) -> Result<Sources, String> {
        let mut sources = self.inner.sources(folder)?;
        let real = self.real(folder);
        let held = self.files.keys().filter_map(|path| path.strip_prefix(&real).ok());
        sources.files.extend(held.map(Path::to_owned));
        sources.files.sort();
        sources.files.dedup();
        Ok(sources)
    }

    fn tracking(&self, folder: &Path, files: &[PathBuf]) -> Tracking {
        self.inner.tracking(folder, files)
    }
}

impl Clock for Overlay {
    fn today(&self) -> String {
        self.inner.today()
    }
}

impl Consents for Overlay {
    fn consent(&self, repository: &Path) -> Consent {
        self.inner.consent(repository)
    }

    fn consent_file(&self) -> String {
        self.inner.consent_file()
    }
}
