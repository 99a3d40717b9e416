//! Tests of the world: a stand-in for the machine, and reading dumps.

use super::{Branch, FolderEntry, ReadProblem, System, Tracking, World, date_of_day, read_dump};
use crate::user::Consent;
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};

/// A machine that is nothing but these files and variables.
#[derive(Debug, Default)]
pub(crate) struct Memory {
    pub(crate) folder: PathBuf,
    pub(crate) files: BTreeMap<PathBuf, Vec<u8>>,
    pub(crate) variables: Vec<(OsString, OsString)>,
    /// What git says.
    pub(crate) branch: Option<Branch>,
    /// How often each file was read.
    pub(crate) reads: std::sync::Mutex<BTreeMap<PathBuf, usize>>,
}

impl Memory {
    /// Files of the folder `/p`, in which we stand.
    pub(crate) fn new(files: &[(&str, &str)]) -> Memory {
        let folder = PathBuf::from("/p");
        let files = files.iter().map(|(path, text)| (folder.join(path), text.as_bytes().to_vec()));
        Memory { files: files.collect(), folder, ..Memory::default() }
    }

    pub(crate) fn with_variables(mut self, variables: &[(&str, &str)]) -> Memory {
        self.variables =
            variables.iter().map(|(name, value)| (name.into(), value.into())).collect();
        self
    }
}

impl World for Memory {
    fn current_folder(&self) -> io::Result<PathBuf> {
        Ok(self.folder.clone())
    }

    fn read_file(&self, path: &Path, most: u64) -> Result<Vec<u8>, ReadProblem> {
        *self.reads.lock().unwrap().entry(path.to_owned()).or_default() += 1;
        let bytes = self.files.get(path).ok_or(ReadProblem::Missing)?;
        if bytes.len() as u64 > most { Err(ReadProblem::TooLarge) } else { Ok(bytes.clone()) }
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

    fn branch(&self, _: &Path) -> Branch {
        self.branch.clone().unwrap_or(Branch::NoRepository)
    }

    fn tracking(&self, _: &Path, _: &[PathBuf]) -> Tracking {
        Tracking::NoRepository
    }

    fn today(&self) -> String {
        "2026-03-02".to_owned()
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        self.variables.clone()
    }

    fn consent(&self, _: &Path) -> Consent {
        Consent::NoFile
    }
}

#[test]
fn reads_a_dump_with_line_ends_or_with_nuls() {
    for (row, dump, expected) in [
        ("lines", "A=1\nB=x=y\n", vec![("A", "1"), ("B", "x=y")]),
        ("no last line end", "A=1\nB=", vec![("A", "1"), ("B", "")]),
        ("a value over lines", "A=x\n y\n\nz\nB=2\n", vec![("A", "x\n y\n\nz"), ("B", "2")]),
        ("NULs", "A=x\ny\0B=2\0", vec![("A", "x\ny"), ("B", "2")]),
        ("records without =", "A=1\0rubbish\0B=2", vec![("A", "1"), ("B", "2")]),
        ("nothing", "", vec![]),
    ] {
        let expected: Vec<(OsString, OsString)> =
            expected.into_iter().map(|(name, value)| (name.into(), value.into())).collect();
        assert_eq!(read_dump(dump.as_bytes()), expected, "{row}");
    }
}

#[test]
fn reads_only_regular_files_that_are_small_enough() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("a.toml");
    std::fs::write(&file, "a = 1\n").unwrap();
    assert_eq!(System.read_file(&file, 6).unwrap(), b"a = 1\n");
    assert!(matches!(System.read_file(&file, 5), Err(ReadProblem::TooLarge)));
    assert!(matches!(System.read_file(folder.path(), 99), Err(ReadProblem::NotAFile("a folder"))));
    let below_a_file = file.join("b.toml");
    assert!(matches!(System.read_file(&below_a_file, 99), Err(ReadProblem::Missing)));
    #[cfg(target_os = "linux")]
    {
        let device = System.read_file(Path::new("/dev/zero"), 99);
        assert!(matches!(device, Err(ReadProblem::NotAFile("a pipe, socket or device"))));
        // The files of /proc say that they are empty, and are not.
        assert!(matches!(
            System.read_file(Path::new("/proc/self/maps"), 9),
            Err(ReadProblem::TooLarge)
        ));
    }
}

#[test]
fn tells_the_date_of_a_day() {
    for (day, date) in [
        (0, "1970-01-01"),
        (59, "1970-03-01"),
        (789, "1972-02-29"),
        (11_016, "2000-02-29"),
        (20_514, "2026-03-02"),
        (20_453, "2025-12-31"),
    ] {
        assert_eq!(date_of_day(day), date);
    }
}
