//! Files are replaced whole: whoever reads one sees the old one or the new one.
//!
//! The new text is written beside the old file, brought to the disk, and takes the old one's name. All
//! that can fail does so before that. Who else edits with this program waits for the lock; who edits with
//! anything else is noticed by what the file says.

use crate::error::Error;
use std::fs::{File, OpenOptions, TryLockError};
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

#[cfg(test)]
mod tests;

/// A file whose content is to become another.
#[derive(Clone, PartialEq, Eq)]
pub struct FileEdit {
    /// Its path as people are shown it.
    pub path: String,
    /// Its whole path.
    pub full: PathBuf,
    /// What it says now; none if it is not there.
    pub before: Option<Vec<u8>>,
    /// What it shall say.
    pub after: Vec<u8>,
}

impl std::fmt::Debug for FileEdit {
    /// Without what it says, which may be secret.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("FileEdit").field("path", &self.path).finish_non_exhaustive()
    }
}

/// Keeps others of this program from editing in a folder until it is dropped, or the process ends.
#[derive(Debug)]
pub struct EditLock {
    _folder: Option<File>,
}

impl EditLock {
    /// Waits until nobody else edits in the folder.
    pub fn of(folder: &Path, patience: Duration) -> Result<EditLock, Error> {
        let refused = |error: io::Error| {
            let message = format!("the folder {} cannot be locked: {error}", folder.display());
            Error::new("not-written", message).help("nothing was written")
        };
        // Elsewhere a folder is no file that could be locked; what a file says is compared all the same.
        if !cfg!(unix) {
            return Ok(EditLock { _folder: None });
        }
        let lock = File::open(folder).map_err(refused)?;
        let started = Instant::now();
        loop {
            match lock.try_lock() {
                Ok(()) => return Ok(EditLock { _folder: Some(lock) }),
                Err(TryLockError::WouldBlock) if started.elapsed() < patience => {
                    std::thread::sleep(Duration::from_millis(5));
                }
                Err(TryLockError::WouldBlock) => {
                    let message = format!("somebody else has been editing in {}", folder.display());
                    let message = format!("{message} for {} seconds", patience.as_secs());
                    return Err(
                        Error::new("not-written", message).help("nothing was written; try again")
                    );
                }
                Err(TryLockError::Error(error)) => return Err(refused(error)),
            }
        }
    }
}

impl FileEdit {
    /// Whether there is anything to do.
    pub fn changes_anything(&self) -> bool {
        self.before.as_deref() != Some(&self.after)
    }

    /// Replaces the file, if it still says what it said.
    pub fn write(&self) -> Result<(), Error> {
        self.replace().map_err(|why| {
            let (reason, help) = match why {
                Refusal::Io(what, error) => (format!("{what}: {error}"), "it is as it was"),
                Refusal::Changed => (
                    "somebody else has changed it meanwhile".to_owned(),
                    "look at what it says now, and try again",
                ),
                Refusal::ReadOnly => {
                    ("it is read-only".to_owned(), "make it writable if it is to be edited")
                }
            };
            Error::new("not-written", format!("{} was not written: {reason}", self.path)).help(help)
        })
    }

    fn replace(&self) -> Result<(), Refusal> {
        // Where a link leads is what is edited; the link stays.
        let target = match &self.before {
            Some(_) => {
                self.full.canonicalize().map_err(|it| Refusal::Io("it cannot be found", it))?
            }
            None => self.full.clone(),
        };
        let (Some(folder), Some(name)) = (target.parent(), target.file_name()) else {
            return Err(Refusal::Changed);
        };
        if self.before.is_none() {
            let made = std::fs::create_dir_all(folder);
            made.map_err(|it| Refusal::Io("its folder cannot be made", it))?;
        }
        let kept = match &self.before {
            Some(_) => {
                Some(std::fs::metadata(&target).map_err(|it| Refusal::Io("it is gone", it))?)
            }
            None => None,
        };
        if kept.as_ref().is_some_and(|kept| kept.permissions().readonly()) {
            return Err(Refusal::ReadOnly);
        }
        let new = NewFile::beside(folder, &name.to_string_lossy(), kept.is_some())
            .map_err(|it| Refusal::Io("there is no writing in its folder", it))?;
        let write = |it| Refusal::Io("the new one cannot be written", it);
        (&new.file).write_all(&self.after).map_err(write)?;
        if let Some(kept) = &kept {
            new.keep(kept)
                .map_err(|it| Refusal::Io("its owner and permissions cannot be kept", it))?;
        }
        new.file.sync_all().map_err(write)?;
        if std::fs::read(&target).ok() != self.before {
            return Err(Refusal::Changed);
        }
        new.take_the_name_of(&target).map_err(|it| Refusal::Io("it cannot be replaced", it))?;
        // It is there now, and a loss of power right after is all that this guards against.
        if cfg!(unix) {
            let _ = File::open(folder).and_then(|folder| folder.sync_all());
        }
        Ok(())
    }
}

/// Why a file was not replaced.
enum Refusal {
    Io(&'static str, io::Error),
    Changed,
    ReadOnly,
}

/// A file that is taken away again unless it gets its name.
struct NewFile {
    file: File,
    path: Option<PathBuf>,
}

impl NewFile {
    /// Readable for nobody else at first if it shall get the permissions of another one.
    fn beside(folder: &Path, name: &str, is_private: bool) -> io::Result<NewFile> {
        const TRIES: u32 = 1_000;
        clear(folder, name);
        for number in 0..TRIES {
            let path = folder.join(format!(".{name}.{}-{number}.new", std::process::id()));
            let mut options = OpenOptions::new();
            options.write(true).create_new(true);
            #[cfg(unix)]
            if is_private {
                std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
            }
            match options.open(&path) {
                Ok(file) => return Ok(NewFile { file, path: Some(path) }),
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
                Err(error) => return Err(error),
            }
        }
        Err(io::ErrorKind::AlreadyExists.into())
    }

    #[cfg(unix)]
    fn keep(&self, kept: &std::fs::Metadata) -> io::Result<()> {
        use std::os::unix::fs::MetadataExt as _;
        let own = self.file.metadata()?;
        if (own.uid(), own.gid()) != (kept.uid(), kept.gid()) {
            std::os::unix::fs::fchown(&self.file, Some(kept.uid()), Some(kept.gid()))?;
        }
        self.file.set_permissions(kept.permissions())
    }

    #[cfg(not(unix))]
    fn keep(&self, kept: &std::fs::Metadata) -> io::Result<()> {
        self.file.set_permissions(kept.permissions())
    }

    fn take_the_name_of(mut self, target: &Path) -> io::Result<()> {
        if let Some(path) = &self.path {
            std::fs::rename(path, target)?;
            self.path = None;
        }
        Ok(())
    }
}

/// Takes away what others left beside a file who were ended before they could give it their name.
fn clear(folder: &Path, name: &str) {
    const LONG_AGO: Duration = Duration::from_secs(600);
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let other = entry.file_name();
        let other = other.to_string_lossy();
        let number = other.strip_prefix('.').and_then(|it| it.strip_prefix(name));
        let number = number.and_then(|it| it.strip_prefix('.')?.strip_suffix(".new"));
        let is_ours = number.is_some_and(|number| {
            !number.is_empty() && number.bytes().all(|it| it.is_ascii_digit() || it == b'-')
        });
        let age = || entry.metadata().ok()?.modified().ok()?.elapsed().ok();
        if is_ours && age().is_some_and(|age| age > LONG_AGO) {
            // What cannot be taken away does no harm.
            let _ = std::fs::remove_file(entry.path());
        }
    }
}

impl Drop for NewFile {
    fn drop(&mut self) {
        if let Some(path) = &self.path {
            // Should it stay, its name tells what it is.
            let _ = std::fs::remove_file(path);
        }
    }
}
