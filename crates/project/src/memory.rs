//! A stand-in for the machine, for tests.

use crate::consent::Consent;
use crate::ports::{
    Branch, Clock, Consents, Files, FolderEntry, History, Process, ReadProblem, Sources, Stamp,
    Tracking,
};
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};

/// A machine that is nothing but these files and variables.
#[derive(Debug, Default)]
pub struct Memory {
    /// Where we are.
    pub folder: PathBuf,
    /// What its files hold.
    pub files: BTreeMap<PathBuf, Vec<u8>>,
    /// The variables of the process.
    pub variables: Vec<(OsString, OsString)>,
    /// What git has.
    pub branch: Option<Branch>,
    /// How often each file was read.
    pub reads: std::sync::Mutex<BTreeMap<PathBuf, usize>>,
}

impl Memory {
    /// Files of the folder `/p`, in which we are.
    pub fn new(files: &[(&str, &str)]) -> Memory {
        let folder = PathBuf::from("/p");
        let files = files.iter().map(|(path, text)| (folder.join(path), text.as_bytes().to_vec()));
        Memory { files: files.collect(), folder, ..Memory::default() }
    }

    /// The same with variables.
    #[must_use]
    pub fn with_variables(mut self, variables: &[(&str, &str)]) -> Memory {
        self.variables =
            variables.iter().map(|(name, value)| (name.into(), value.into())).collect();
        self
    }
}

impl Files for Memory {
    fn read_file(&self, path: &Path, most: u64) -> Result<Vec<u8>, ReadProblem> {
        *self
            .reads
            .lock()
            .unwrap_or_else(std::sync::PoisonError::into_inner)
            .entry(path.to_owned())
            .or_default() += 1;
        let bytes = self.files.get(path).ok_or(ReadProblem::Missing)?;
        if bytes.len() as u64 > most { Err(ReadProblem::TooLarge) } else { Ok(bytes.clone()) }
    }

    fn read_plain(&self, path: &Path, most: u64, into: &mut Vec<u8>) -> Result<(), ReadProblem> {
        *into = self.read_file(path, most)?;
        Ok(())
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        let bytes = self.files.get(path)?.len() as u64;
        Some(Stamp { bytes, ..Stamp::default() })
    }

    fn is_file(&self, path: &Path) -> bool {
        self.files.contains_key(path)
    }

    fn is_folder(&self, path: &Path) -> bool {
        self.files.keys().any(|file| file != path && file.starts_with(path))
    }

    fn names_in(&self, folder: &Path) -> Vec<OsString> {
        let inside = self.files.keys().filter_map(|file| file.strip_prefix(folder).ok());
        inside.filter_map(|path| Some(path.components().next()?.as_os_str().to_owned())).collect()
    }

    fn entries(&self, folder: &Path) -> io::Result<Vec<FolderEntry>> {
        let inside = self.files.keys().filter_map(|file| file.strip_prefix(folder).ok());
        let mut entries: BTreeMap<OsString, bool> = BTreeMap::new();
        for path in inside {
            let mut parts = path.components();
            if let Some(first) = parts.next() {
                entries.insert(first.as_os_str().to_owned(), parts.next().is_some());
            }
        }
        if entries.is_empty() {
            return Err(io::ErrorKind::NotFound.into());
        }
        let entry = |(name, is_folder)| FolderEntry { name, is_folder, is_link: false };
        Ok(entries.into_iter().map(entry).collect())
    }

    fn is_open_to_others(&self, _path: &Path) -> bool {
        false
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        let mut plain = PathBuf::new();
        for part in path.components() {
            match part {
                std::path::Component::ParentDir => drop(plain.pop()),
                std::path::Component::CurDir => {}
                part => plain.push(part),
            }
        }
        match self.is_file(&plain) || self.is_folder(&plain) || plain == self.folder {
            true => Ok(plain),
            false => Err(io::ErrorKind::NotFound.into()),
        }
    }
}

impl Process for Memory {
    fn host(&self) -> Option<String> {
        None
    }

    fn current_folder(&self) -> io::Result<PathBuf> {
        Ok(self.folder.clone())
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        self.variables.clone()
    }

    fn command_line(&self) -> Option<(String, Vec<String>)> {
        None
    }
}

impl History for Memory {
    fn tags(&self, _: &Path) -> Result<Vec<String>, String> {
        Ok(Vec::new())
    }

    fn branch(&self, _: &Path) -> Branch {
        self.branch.clone().unwrap_or(Branch::NoRepository)
    }

    fn sources(&self, folder: &Path) -> Result<Sources, String> {
        let below = self.files.keys().filter_map(|path| path.strip_prefix(folder).ok());
        let files = below.map(Path::to_owned).collect();
        Ok(Sources { files, ..Sources::default() })
    }

    fn tracking(&self, _: &Path, _: &[PathBuf]) -> Tracking {
        Tracking::NoRepository
    }
}

impl Clock for Memory {
    fn today(&self) -> String {
        "2026-03-02".to_owned()
    }
}

impl Consents for Memory {
    fn consent(&self, _: &Path) -> Consent {
        Consent::NoFile
    }

    fn consent_file(&self) -> String {
        "stores.toml".to_owned()
    }
}
