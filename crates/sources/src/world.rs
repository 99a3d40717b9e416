//! The world outside: files, folders and the process environment.

use crate::user::{Consent, Place};
use std::ffi::OsString;
use std::fs::{File, Metadata};
use std::io::{self, Read as _};
use std::path::{Path, PathBuf};

mod git;
mod overlay;
#[cfg(test)]
pub(crate) mod tests;

pub use overlay::Overlay;

/// All that is ever asked of the outside. Tests, other revisions of a project and other processes
/// stand in for the machine by implementing it.
pub trait World: Sync {
    /// The folder in which the question is asked.
    fn current_folder(&self) -> io::Result<PathBuf>;

    /// The bytes of a regular file of at most `most` bytes.
    fn read_file(&self, path: &Path, most: u64) -> Result<Vec<u8>, ReadProblem>;

    /// How many bytes a file has; 0 if that cannot be told. Only ever used to share out work.
    fn size(&self, _path: &Path) -> u64 {
        0
    }

    /// Whether there is a regular file or a link to one.
    fn is_file(&self, path: &Path) -> bool;

    /// Whether there is a folder or a link to one.
    fn is_folder(&self, path: &Path) -> bool;

    /// The names in a folder, in no particular order; none if it cannot be listed. Only ever used
    /// to suggest what was meant.
    fn names_in(&self, folder: &Path) -> Vec<OsString>;

    /// What is in a folder, in no particular order.
    fn entries(&self, folder: &Path) -> io::Result<Vec<FolderEntry>>;

    /// The path without links and `..`.
    fn canonical(&self, path: &Path) -> io::Result<PathBuf>;

    /// The git branch that is checked out where `folder` is.
    fn branch(&self, folder: &Path) -> Branch;

    /// Whether git tracks files, or would, `folder` being where they are relative to.
    fn tracking(&self, folder: &Path, files: &[PathBuf]) -> Tracking;

    /// The date of today in UTC, `YYYY-MM-DD`.
    fn today(&self) -> String;

    /// The process environment.
    fn variables(&self) -> Vec<(OsString, OsString)>;

    /// What the user allows a project in this repository.
    fn consent(&self, repository: &Path) -> Consent;
}

/// Something in a folder.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct FolderEntry {
    /// Its name.
    pub name: OsString,
    /// Whether it is a folder, or a link to one.
    pub is_folder: bool,
    /// Whether it is a link.
    pub is_link: bool,
}

/// What git says about a folder.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Branch {
    /// This branch is checked out.
    On(String),
    /// A commit is checked out, and no branch.
    Detached,
    /// It is in no repository.
    NoRepository,
    /// Git could not be asked, or did not answer: why, as a clause.
    Unknown(String),
}

/// What git says about files.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Tracking {
    /// Whether it tracks each of them, or would if they were added.
    Known(Vec<bool>),
    /// They are in no repository.
    NoRepository,
    /// Git could not be asked, or did not answer: why, as a clause.
    Unknown(String),
}

/// Why a file could not be read.
#[derive(Debug)]
pub enum ReadProblem {
    /// There is nothing at that path.
    Missing,
    /// There is something else than a regular file: what it is.
    NotAFile(&'static str),
    /// It has more bytes than it may.
    TooLarge,
    /// The system refused.
    Refused(io::Error),
}

/// The machine as it is.
#[derive(Clone, Copy, Debug, Default)]
pub struct System;

impl World for System {
    fn current_folder(&self) -> io::Result<PathBuf> {
        std::env::current_dir()
    }

    fn read_file(&self, path: &Path, most: u64) -> Result<Vec<u8>, ReadProblem> {
        // Looked at before opening, as opening a pipe or a device can block or have effects, and
        // again after, as it may have been swapped in between.
        regular(&std::fs::metadata(path).map_err(problem)?, most)?;
        let mut file = open(path).map_err(problem)?;
        let metadata = file.metadata().map_err(problem)?;
        regular(&metadata, most)?;
        let mut bytes = Vec::with_capacity(usize::try_from(metadata.len()).unwrap_or(0) + 1);
        // A file may grow, and the files of /proc say that they are empty.
        file.by_ref().take(most + 1).read_to_end(&mut bytes).map_err(problem)?;
        if bytes.len() as u64 > most {
            return Err(ReadProblem::TooLarge);
        }
        Ok(bytes)
    }

    fn size(&self, path: &Path) -> u64 {
        std::fs::metadata(path).map_or(0, |metadata| metadata.len())
    }

    fn is_file(&self, path: &Path) -> bool {
        path.is_file()
    }

    fn is_folder(&self, path: &Path) -> bool {
        path.is_dir()
    }

    fn names_in(&self, folder: &Path) -> Vec<OsString> {
        let Ok(entries) = std::fs::read_dir(folder) else {
            return Vec::new();
        };
        entries.flatten().map(|entry| entry.file_name()).take(10_000).collect()
    }

    fn entries(&self, folder: &Path) -> io::Result<Vec<FolderEntry>> {
        let entry = |entry: io::Result<std::fs::DirEntry>| {
            let entry = entry?;
            let is_link = entry.file_type()?.is_symlink();
            let is_folder = match is_link {
                true => entry.path().is_dir(),
                false => entry.file_type()?.is_dir(),
            };
            Ok(FolderEntry { name: entry.file_name(), is_folder, is_link })
        };
        std::fs::read_dir(folder)?.map(entry).collect()
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        std::fs::canonicalize(path)
    }

    fn branch(&self, folder: &Path) -> Branch {
        git::branch(folder)
    }

    fn tracking(&self, folder: &Path, files: &[PathBuf]) -> Tracking {
        git::tracking(folder, files)
    }

    fn today(&self) -> String {
        let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
        date_of_day(now.map_or(0, |since| since.as_secs() / 86_400))
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        std::env::vars_os().collect()
    }

    fn consent(&self, repository: &Path) -> Consent {
        Place::of_process().consent(repository)
    }
}

/// The date of a day, counted from the first of 1970 in the Gregorian calendar.
pub fn date_of_day(day: u64) -> String {
    // Counted from the first of March of the year 0, so that a leap day is the last of its year.
    let days = day + 719_468;
    let (era, of_era) = (days / 146_097, days % 146_097);
    let year = (of_era - of_era / 1_460 + of_era / 36_524 - of_era / 146_096) / 365;
    let of_year = of_era - (365 * year + year / 4 - year / 100);
    let month = (5 * of_year + 2) / 153;
    let day = of_year - (153 * month + 2) / 5 + 1;
    let month = if month < 10 { month + 3 } else { month - 9 };
    let year = year + era * 400 + u64::from(month <= 2);
    format!("{year:04}-{month:02}-{day:02}")
}

fn open(path: &Path) -> io::Result<File> {
    let mut options = std::fs::OpenOptions::new();
    options.read(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt as _;
        // A pipe that was swapped in must not block us until somebody writes to it.
        options.custom_flags(libc::O_NONBLOCK);
    }
    options.open(path)
}

fn regular(metadata: &Metadata, most: u64) -> Result<(), ReadProblem> {
    let kind = metadata.file_type();
    if kind.is_dir() {
        return Err(ReadProblem::NotAFile("a folder"));
    }
    if !kind.is_file() {
        return Err(ReadProblem::NotAFile("a pipe, socket or device"));
    }
    if metadata.len() > most {
        return Err(ReadProblem::TooLarge);
    }
    Ok(())
}

fn problem(error: io::Error) -> ReadProblem {
    match error.kind() {
        io::ErrorKind::NotFound | io::ErrorKind::NotADirectory => ReadProblem::Missing,
        _ => ReadProblem::Refused(error),
    }
}

impl World for &dyn World {
    fn current_folder(&self) -> io::Result<PathBuf> {
        (**self).current_folder()
    }

    fn read_file(&self, path: &Path, most: u64) -> Result<Vec<u8>, ReadProblem> {
        (**self).read_file(path, most)
    }

    fn size(&self, path: &Path) -> u64 {
        (**self).size(path)
    }

    fn is_file(&self, path: &Path) -> bool {
        (**self).is_file(path)
    }

    fn is_folder(&self, path: &Path) -> bool {
        (**self).is_folder(path)
    }

    fn names_in(&self, folder: &Path) -> Vec<OsString> {
        (**self).names_in(folder)
    }

    fn entries(&self, folder: &Path) -> io::Result<Vec<FolderEntry>> {
        (**self).entries(folder)
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        (**self).canonical(path)
    }

    fn branch(&self, folder: &Path) -> Branch {
        (**self).branch(folder)
    }

    fn tracking(&self, folder: &Path, files: &[PathBuf]) -> Tracking {
        (**self).tracking(folder, files)
    }

    fn today(&self) -> String {
        (**self).today()
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        (**self).variables()
    }

    fn consent(&self, repository: &Path) -> Consent {
        (**self).consent(repository)
    }
}

/// Reads a dump of a process environment: `NAME=VALUE` records that end in NUL (as `env -0` and
/// `/proc/PID/environ` have them) or, if there is no NUL, in line ends (as `env` has them, where a
/// line that begins with no name goes on with the value before).
pub fn read_dump(bytes: &[u8]) -> Vec<(OsString, OsString)> {
    let by_lines = !bytes.contains(&0);
    let mut records: Vec<Vec<u8>> = Vec::new();
    for record in bytes.split(|&byte| byte == if by_lines { b'\n' } else { 0 }) {
        match records.last_mut() {
            Some(last) if by_lines && !begins_with_name(record) => {
                last.push(b'\n');
                last.extend_from_slice(record);
            }
            _ => records.push(record.to_vec()),
        }
    }
    // What follows the last line end is no record.
    if let Some(last) = records.last_mut().filter(|last| by_lines && last.ends_with(b"\n")) {
        last.pop();
    }
    let pairs = records.iter().filter_map(|record| {
        // A name may begin with `=` on some systems; it never is empty.
        let at = 1 + record.iter().skip(1).position(|&byte| byte == b'=')?;
        Some((os_string(&record[..at]), os_string(&record[at + 1..])))
    });
    pairs.collect()
}

fn begins_with_name(line: &[u8]) -> bool {
    let name = line.split(|&byte| byte == b'=').next().unwrap_or_default();
    name.len() < line.len()
        && name.first().is_some_and(|byte| byte.is_ascii_alphabetic() || *byte == b'_')
        && name.iter().all(|byte| byte.is_ascii_alphanumeric() || *byte == b'_')
}

#[cfg(unix)]
fn os_string(bytes: &[u8]) -> OsString {
    use std::os::unix::ffi::OsStringExt as _;
    OsString::from_vec(bytes.to_vec())
}

#[cfg(not(unix))]
fn os_string(bytes: &[u8]) -> OsString {
    String::from_utf8_lossy(bytes).into_owned().into()
}
