//! The machine as it is: its files, this process, git, the clock and what the user allows.
//!
//! Everything that touches the disk or starts a program is here, but for stores and identities.

use justwhy_project::{
    Branch, Clock, Consent, Consents, Files, FolderEntry, History, Process, ReadProblem, Sources,
    Stamp, Tracking, date_of_day,
};
use std::ffi::OsString;
use std::fs::{File, Metadata};
use std::io::{self, Read as _};
use std::path::{Path, PathBuf};
use std::time::UNIX_EPOCH;

mod dump;
mod folder;
mod git;
mod replace;
#[cfg(test)]
mod tests;
mod user;
mod walk;

pub use dump::read_dump;
pub use folder::{write_new_folder, write_temporary_folder};
pub use replace::{CHANGED, EditLock, write};
pub use user::Place;

/// The machine as it is.
#[derive(Clone, Copy, Debug, Default)]
pub struct System;

impl Files for System {
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

    fn read_plain(&self, path: &Path, most: u64, into: &mut Vec<u8>) -> Result<(), ReadProblem> {
        let mut file = open_plain(path).map_err(problem)?;
        let metadata = file.metadata().map_err(problem)?;
        regular(&metadata, most)?;
        // Mostly one question to the system: the file has as many bytes as it says. What is there from before is
        // written over, so that only what a buffer grows by is filled twice.
        into.resize(usize::try_from(metadata.len()).unwrap_or(0) + 1, 0);
        let mut filled = 0;
        while filled < into.len() {
            match file.read(&mut into[filled..]) {
                Ok(0) => break,
                Ok(read) => filled += read,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(problem(error)),
            }
            if filled as u64 == metadata.len() {
                break;
            }
        }
        into.truncate(filled);
        Ok(())
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        let metadata = std::fs::metadata(path).ok()?;
        let written = metadata.modified().ok().and_then(|at| at.duration_since(UNIX_EPOCH).ok());
        #[cfg(unix)]
        let number = std::os::unix::fs::MetadataExt::ino(&metadata);
        #[cfg(not(unix))]
        let number = 0;
        let written = written.map_or(0, |time| time.as_nanos());
        Some(Stamp { bytes: metadata.len(), written, number })
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

    #[cfg(unix)]
    fn is_open_to_others(&self, path: &Path) -> bool {
        use std::os::unix::fs::PermissionsExt as _;
        std::fs::metadata(path).is_ok_and(|metadata| metadata.permissions().mode() & 0o044 != 0)
    }

    #[cfg(not(unix))]
    fn is_open_to_others(&self, _path: &Path) -> bool {
        false
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        std::fs::canonicalize(path)
    }
}

#[cfg(unix)]
fn host_name() -> Option<String> {
    rustix::system::uname().nodename().to_str().ok().map(str::to_owned)
}

#[cfg(not(unix))]
fn host_name() -> Option<String> {
    std::env::var("COMPUTERNAME").ok()
}

impl Process for System {
    fn host(&self) -> Option<String> {
        host_name()
    }

    fn current_folder(&self) -> io::Result<PathBuf> {
        std::env::current_dir()
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        std::env::vars_os().collect()
    }

    fn command_line(&self) -> Option<(String, Vec<String>)> {
        None
    }
}

impl History for System {
    fn tags(&self, folder: &Path) -> Result<Vec<String>, String> {
        git::tags(folder)
    }

    fn branch(&self, folder: &Path) -> Branch {
        git::branch(folder)
    }

    fn sources(&self, folder: &Path) -> Result<Sources, String> {
        match git::tracked(folder)? {
            Some(files) => Ok(Sources { files, are_tracked: true, are_cut: false }),
            None => Ok(walk::files(folder)),
        }
    }

    fn tracking(&self, folder: &Path, files: &[PathBuf]) -> Tracking {
        git::tracking(self, folder, files)
    }
}

impl Clock for System {
    fn today(&self) -> String {
        let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
        date_of_day(now.map_or(0, |since| since.as_secs() / 86_400))
    }
}

impl Consents for System {
    fn consent(&self, repository: &Path) -> Consent {
        Place::of_process().consent(repository)
    }

    fn consent_file(&self) -> String {
        Place::of_process().file()
    }
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

/// Opens what is no link, without waiting for anybody.
#[cfg(unix)]
fn open_plain(path: &Path) -> io::Result<File> {
    use std::os::unix::fs::OpenOptionsExt as _;
    let mut options = std::fs::OpenOptions::new();
    options.read(true).custom_flags(libc::O_NONBLOCK | libc::O_NOFOLLOW).open(path)
}

#[cfg(not(unix))]
fn open_plain(path: &Path) -> io::Result<File> {
    match std::fs::symlink_metadata(path)?.file_type().is_file() {
        true => File::open(path),
        false => Err(io::ErrorKind::Unsupported.into()),
    }
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
