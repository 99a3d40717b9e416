//! Files are replaced whole: the reader of one sees the old one or the new one.
//!
//! The new text is written into a file without a name, brought to the disk, and takes the old one's name.
//! All that can fail does so before that. Who else edits with this program waits for the lock of the
//! file; who edits with anything else is noticed by what the file has.

use justwhy_project::{Error, FileEdit};
use std::fs::{File, OpenOptions, TryLockError};
use std::io::{self, Read as _, Seek as _, Write as _};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

#[cfg(test)]
mod tests;

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
        // Elsewhere a folder is no file that could be locked; what a file has is compared all the same.
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
                    let message = format!("another process is editing in {}", folder.display());
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

/// Replaces a file, if it still has what it had.
pub fn write(edit: &FileEdit) -> Result<(), Error> {
    Writing(edit).write()
}

/// An edit that is being made.
struct Writing<'e>(&'e FileEdit);

impl Writing<'_> {
    fn write(&self) -> Result<(), Error> {
        self.replace().map_err(|why| {
            let code = if matches!(why, Refusal::Changed) { CHANGED } else { "not-written" };
            let (reason, help) = match why {
                Refusal::Io(what, error) => (format!("{what}: {error}"), "nothing was written"),
                Refusal::Changed => (
                    "it changed while it was being edited".to_owned(),
                    "look at the new value, and try again",
                ),
                Refusal::ReadOnly => ("it is read-only".to_owned(), "make it writable"),
                Refusal::NotAFile => {
                    ("not a regular file".to_owned(), "only regular files are edited")
                }
                Refusal::LeadsNowhere => {
                    ("it is a broken link".to_owned(), "create its target, or remove the link")
                }
                Refusal::Attribute(name) => (
                    format!("its extended attribute {name} cannot be kept"),
                    "nothing was written; only a user who can set this attribute can edit it",
                ),
                Refusal::Busy => (
                    "it changed while it was being edited".to_owned(),
                    "nothing was written; try again",
                ),
            };
            Error::new(code, format!("{} was not written: {reason}", self.0.path)).help(help)
        })
    }

    fn replace(&self) -> Result<(), Refusal> {
        match &self.0.before {
            Some(before) => self.replace_old(before),
            None => self.make_new(),
        }
    }

    fn replace_old(&self, before: &[u8]) -> Result<(), Refusal> {
        let gone = |error| Refusal::Io("it cannot be resolved", error);
        // Where a link leads is what is edited; the link stays.
        let target = self.0.full.canonicalize().map_err(gone)?;
        let (Some(folder), Some(name)) = (target.parent(), target.file_name()) else {
            return Err(Refusal::Changed);
        };
        // Who replaces a file holds its lock until it is replaced, whichever project it edits for.
        let old = locked(&target)?;
        let kept = old.metadata().map_err(gone)?;
        if kept.permissions().readonly() {
            return Err(Refusal::ReadOnly);
        }
        // Who has lost the race reads anew as early as can be: else, while this is brought to the disk, the
        // next one reads the file and is ahead again.
        if !has_still(&old, before) {
            return Err(Refusal::Changed);
        }
        let new = NewFile::beside(folder, &name.to_string_lossy(), true)?;
        self.fill(&new)?;
        let keep = |it| Refusal::Io("its owner and permissions cannot be kept", it);
        new.keep(&kept).map_err(keep)?;
        attributes::keep(&old, &new.file).map_err(Refusal::Attribute)?;
        new.file.sync_all().map_err(cannot_write)?;
        if !has_still(&old, before) || !is_same(&old, &target) {
            return Err(Refusal::Changed);
        }
        new.take_the_name_of(&target, true)?;
        sync(folder);
        Ok(())
    }

    fn make_new(&self) -> Result<(), Refusal> {
        let (Some(folder), Some(name)) = (self.0.full.parent(), self.0.full.file_name()) else {
            return Err(Refusal::Changed);
        };
        if std::fs::symlink_metadata(&self.0.full).is_ok() {
            let is_there = std::fs::metadata(&self.0.full).is_ok();
            return Err(if is_there { Refusal::Changed } else { Refusal::LeadsNowhere });
        }
        let made = std::fs::create_dir_all(folder);
        made.map_err(|it| Refusal::Io("its folder cannot be created", it))?;
        let new = NewFile::beside(folder, &name.to_string_lossy(), self.0.is_secret)?;
        self.fill(&new)?;
        new.file.sync_all().map_err(cannot_write)?;
        new.take_the_name_of(&self.0.full, false)?;
        sync(folder);
        Ok(())
    }

    fn fill(&self, new: &NewFile) -> Result<(), Refusal> {
        (&new.file).write_all(&self.0.after).map_err(cannot_write)
    }
}

/// The code of an edit that was not made as the file sets something else by now.
pub const CHANGED: &str = "changed";

fn cannot_write(error: io::Error) -> Refusal {
    Refusal::Io("the new file cannot be written", error)
}

/// Brings a folder to the disk. What has taken its name is there, and a loss of power right after is all
/// that this guards against.
fn sync(folder: &Path) {
    if cfg!(unix) {
        let _ = File::open(folder).and_then(|folder| folder.sync_all());
    }
}

/// Opens a file of its own kind, and waits until nobody else edits it.
fn locked(target: &Path) -> Result<File, Refusal> {
    const PATIENCE: Duration = Duration::from_secs(30);
    let started = Instant::now();
    loop {
        let mut options = OpenOptions::new();
        options.read(true);
        #[cfg(unix)]
        // A pipe that was put in its place must not block us.
        std::os::unix::fs::OpenOptionsExt::custom_flags(&mut options, libc::O_NONBLOCK);
        let file = options.open(target).map_err(|it| Refusal::Io("it cannot be read", it))?;
        if !file.metadata().is_ok_and(|it| it.is_file()) {
            return Err(Refusal::NotAFile);
        }
        match file.try_lock() {
            // Who had it before has replaced it; then it is the new one that counts.
            Ok(()) if is_same(&file, target) => return Ok(file),
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => std::thread::sleep(Duration::from_millis(2)),
            // Not everything that holds files can lock them; what it has is compared all the same.
            Err(TryLockError::Error(_)) => return Ok(file),
        }
        if started.elapsed() > PATIENCE {
            return Err(Refusal::Busy);
        }
    }
}

/// Whether an open file has just what it had before.
fn has_still(mut file: &File, before: &[u8]) -> bool {
    let mut now = Vec::with_capacity(before.len() + 1);
    let most = before.len() as u64 + 1;
    let read = file.rewind().and_then(|()| file.take(most).read_to_end(&mut now));
    read.is_ok() && now == before
}

/// Whether a path still leads to the file that was opened.
#[cfg(unix)]
fn is_same(file: &File, path: &Path) -> bool {
    use std::os::unix::fs::MetadataExt as _;
    match (file.metadata(), std::fs::symlink_metadata(path)) {
        (Ok(one), Ok(other)) => (one.dev(), one.ino()) == (other.dev(), other.ino()),
        _ => false,
    }
}

#[cfg(not(unix))]
fn is_same(_file: &File, path: &Path) -> bool {
    path.is_file()
}

/// Why a file was not replaced.
enum Refusal {
    Io(&'static str, io::Error),
    Changed,
    ReadOnly,
    NotAFile,
    LeadsNowhere,
    /// The name of one.
    Attribute(String),
    Busy,
}

/// A file that nobody sees until it gets its name, where the system can do that; else one that is taken
/// away again unless it gets it.
struct NewFile {
    file: File,
    /// Under which name it is meanwhile; none if it has none yet.
    path: Option<PathBuf>,
    /// Where it would be meanwhile.
    beside: PathBuf,
}

impl NewFile {
    fn beside(folder: &Path, name: &str, is_private: bool) -> Result<NewFile, Refusal> {
        const TRIES: u32 = 1_000;
        let refused = |it| Refusal::Io("its folder is not writable", it);
        clear(folder, name);
        let beside =
            |number: u32| folder.join(format!(".{name}.{}-{number}.new", std::process::id()));
        if let Some(file) = unnamed(folder, is_private) {
            return Ok(NewFile { file, path: None, beside: beside(0) });
        }
        for number in 0..TRIES {
            let path = beside(number);
            let mut options = OpenOptions::new();
            options.write(true).create_new(true);
            #[cfg(unix)]
            if is_private {
                std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
            }
            match options.open(&path) {
                Ok(file) => return Ok(NewFile { file, path: Some(path.clone()), beside: path }),
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
                Err(error) => return Err(refused(error)),
            }
        }
        Err(refused(io::ErrorKind::AlreadyExists.into()))
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

    fn take_the_name_of(mut self, target: &Path, replaces: bool) -> Result<(), Refusal> {
        let refused = |it| Refusal::Io("it cannot be replaced", it);
        if !replaces {
            // Somebody else may have made it meanwhile.
            let made = match &self.path {
                None => link(&self.file, target),
                Some(path) => std::fs::hard_link(path, target),
            };
            return made.map_err(|error| match error.kind() {
                io::ErrorKind::AlreadyExists => Refusal::Changed,
                _ => refused(error),
            });
        }
        if self.path.is_none() {
            let _ = std::fs::remove_file(&self.beside);
            link(&self.file, &self.beside).map_err(refused)?;
            self.path = Some(self.beside.clone());
        }
        if let Some(path) = &self.path {
            std::fs::rename(path, target).map_err(refused)?;
            self.path = None;
        }
        Ok(())
    }
}

/// A file without a name, which is gone if we are ended.
#[cfg(target_os = "linux")]
fn unnamed(folder: &Path, is_private: bool) -> Option<File> {
    use rustix::fs::{CWD, Mode, OFlags, openat};
    let mode = Mode::from_raw_mode(if is_private { 0o600 } else { 0o666 });
    let flags = OFlags::TMPFILE | OFlags::WRONLY | OFlags::CLOEXEC;
    let file = File::from(openat(CWD, folder, flags, mode).ok()?);
    // It is of use only where it can be given a name afterwards.
    Path::new("/proc/self/fd").exists().then_some(file)
}

#[cfg(not(target_os = "linux"))]
fn unnamed(_folder: &Path, _is_private: bool) -> Option<File> {
    None
}

/// Gives a file without a name one that nothing has.
#[cfg(target_os = "linux")]
fn link(file: &File, path: &Path) -> io::Result<()> {
    use rustix::fs::{AtFlags, CWD, linkat};
    use std::os::fd::AsRawFd as _;
    let own = format!("/proc/self/fd/{}", file.as_raw_fd());
    Ok(linkat(CWD, own, CWD, path, AtFlags::SYMLINK_FOLLOW)?)
}

#[cfg(not(target_os = "linux"))]
fn link(_file: &File, _path: &Path) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}

/// Extended attributes, access lists among them: they define who may read a file as much as its mode does.
#[cfg(any(target_os = "linux", target_os = "android"))]
mod attributes {
    use rustix::fs::{XattrFlags, fgetxattr, flistxattr, fremovexattr, fsetxattr};
    use rustix::io::Errno;
    use std::fs::File;

    /// Gives `new` just what `old` has; an error is the name of one that it cannot be given.
    pub(super) fn keep(old: &File, new: &File) -> Result<(), String> {
        let wanted = names(old);
        for name in names(new) {
            // What a folder gives to new files in it.
            if !wanted.contains(&name) && fremovexattr(new, name.as_str()).is_err() {
                return Err(name);
            }
        }
        for name in wanted {
            let value = value(old, &name);
            if value.is_none() || value == self::value(new, &name) {
                continue;
            }
            let value = value.unwrap_or_default();
            if fsetxattr(new, name.as_str(), &value, XattrFlags::empty()).is_err() {
                return Err(name);
            }
        }
        Ok(())
    }

    fn names(file: &File) -> Vec<String> {
        let mut bytes = vec![0; 64 * 1024];
        let Ok(length) = flistxattr(file, bytes.as_mut_slice()) else { return Vec::new() };
        let names = bytes[..length].split(|byte| *byte == 0).filter(|name| !name.is_empty());
        names.map(|name| String::from_utf8_lossy(name).into_owned()).collect()
    }

    fn value(file: &File, name: &str) -> Option<Vec<u8>> {
        let mut bytes = vec![0; 64 * 1024];
        match fgetxattr(file, name, bytes.as_mut_slice()) {
            Ok(length) => Some(bytes[..length].to_vec()),
            Err(Errno::NODATA) => None,
            // What cannot even be read cannot be kept, and differs from all that could be.
            Err(_) => Some(Vec::new()),
        }
    }
}

#[cfg(not(any(target_os = "linux", target_os = "android")))]
mod attributes {
    pub(super) fn keep(_old: &std::fs::File, _new: &std::fs::File) -> Result<(), String> {
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
            // Should it stay, its name reports what it is.
            let _ = std::fs::remove_file(path);
        }
    }
}
