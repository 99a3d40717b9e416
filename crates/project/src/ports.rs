//! What is asked of the outside, by what it is: files, a process, version control, a clock, the user's
//! consent. Tests, other revisions of a project and other processes replace the machine by
//! implementing these. Nothing here has an answer of its own.

use crate::consent::Consent;
use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};

/// A tree of files.
pub trait Files: Send + Sync {
    /// The bytes of a regular file of at most `most` bytes.
    fn read_file(&self, path: &Path, most: u64) -> Result<Vec<u8>, ReadProblem>;

    /// Puts the bytes of a regular file of at most `most` bytes, which is no link, in place of what `into` has.
    fn read_plain(&self, path: &Path, most: u64, into: &mut Vec<u8>) -> Result<(), ReadProblem>;

    /// What distinguishes one state of a file from another; none if there is nothing, or nobody can find out.
    fn stamp(&self, path: &Path) -> Option<Stamp>;

    /// Whether there is a regular file or a link to one.
    fn is_file(&self, path: &Path) -> bool;

    /// Whether there is a folder or a link to one.
    fn is_folder(&self, path: &Path) -> bool;

    /// The names in a folder, in no particular order; none if it cannot be listed. Only ever used
    /// to suggest what was meant.
    fn names_in(&self, folder: &Path) -> Vec<OsString>;

    /// What is in a folder, in no particular order.
    fn entries(&self, folder: &Path) -> io::Result<Vec<FolderEntry>>;

    /// Whether others than its owner may read a file that is there.
    fn is_open_to_others(&self, path: &Path) -> bool;

    /// The path without links and `..`.
    fn canonical(&self, path: &Path) -> io::Result<PathBuf>;
}

/// What distinguishes one state of a file from another without reading it.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Stamp {
    /// How many bytes it has.
    pub bytes: u64,
    /// When it was written, in nanoseconds since 1970.
    pub written: u128,
    /// The number of the file, where files have one: another one may have taken its place.
    pub number: u64,
}

/// A process: where it is and what it was given.
pub trait Process: Send + Sync {
    /// The folder in which the question is asked.
    fn current_folder(&self) -> io::Result<PathBuf>;

    /// The process environment.
    fn variables(&self) -> Vec<(OsString, OsString)>;

    /// The name of the host; none if nobody knows it.
    fn host(&self) -> Option<String>;

    /// How the process that was named is called, and the words that it was started with; none if none was
    /// named, or nobody may see them.
    fn command_line(&self) -> Option<(String, Vec<String>)>;
}

/// Version control.
pub trait History: Send + Sync {
    /// The git branch that is checked out where `folder` is.
    fn branch(&self, folder: &Path) -> Branch;

    /// The git tags that HEAD has, in the order of their names; an error is a clause.
    fn tags(&self, folder: &Path) -> Result<Vec<String>, String>;

    /// The files of a folder that could be source code: those that git tracks or would track, or where there is no repository,
    /// all that its ignore files do not leave out. An error is a clause.
    fn sources(&self, folder: &Path) -> Result<Sources, String>;

    /// Whether git tracks files, or would, `folder` being where they are relative to.
    fn tracking(&self, folder: &Path, files: &[PathBuf]) -> Tracking;
}

/// A clock.
pub trait Clock: Send + Sync {
    /// The date of today in UTC, `YYYY-MM-DD`.
    fn today(&self) -> String;
}

/// The user's own word.
pub trait Consents: Send + Sync {
    /// What the user allows a project in this repository.
    fn consent(&self, repository: &Path) -> Consent;

    /// The file in which the user would allow something, for a help.
    fn consent_file(&self) -> String;
}

/// All of the outside.
pub trait World: Files + Process + History + Clock + Consents {}

impl<W: Files + Process + History + Clock + Consents + ?Sized> World for W {}

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

/// What git has about a folder.
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

/// The files of a folder that could be source code.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Sources {
    /// Their paths below the folder, each once, in byte order.
    pub files: Vec<PathBuf>,
    /// Whether these are the files that git tracks, or would.
    pub are_tracked: bool,
    /// Whether there are more than these.
    pub are_cut: bool,
}

/// What git has about files.
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

/// A file whose content is to become another.
#[derive(Clone, PartialEq, Eq)]
pub struct FileEdit {
    /// Its path as people are shown it.
    pub path: String,
    /// Its whole path.
    pub full: PathBuf,
    /// What it has now; none if it is not there.
    pub before: Option<Vec<u8>>,
    /// What it shall say.
    pub after: Vec<u8>,
    /// Whether a secret is written into it, so that a new one is for its owner alone.
    pub is_secret: bool,
}

impl std::fmt::Debug for FileEdit {
    /// Without what it has, which may be secret.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("FileEdit").field("path", &self.path).finish_non_exhaustive()
    }
}

impl FileEdit {
    /// Whether there is anything to do.
    pub fn changes_anything(&self) -> bool {
        self.before.as_deref() != Some(&self.after)
    }
}
