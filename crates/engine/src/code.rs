//! Source code: which files are searched, and every place in them that mentions a setting.
//!
//! [`Snapshot::search_code`] reads each file once, on all processors, and looks for all names at once.
//! [`Names`] is what is looked for; `findings.rs` is what `check` makes of it.

use crate::Snapshot;
use crate::orphans::pattern;
use file::Places;
use hashbrown::{HashMap, HashSet};
use justwhy_code::{Finder, NameKind, Values};
use justwhy_core::{Kind, Origin, Place, Position, Readings, ShownLine, parallel};
use justwhy_formats::Format;
use justwhy_project::{CodeSearch, Error, Glob, Kept, Piece as Part, ReadProblem, Reads};
use std::borrow::Cow;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

mod file;
mod findings;
mod names;
mod uses;

pub(crate) use findings::{Seen, find as find_in_code};
pub use names::Names;
pub use uses::{Use, Uses};

/// A file with more bytes than this is no source code that somebody wrote.
const MOST_BYTES: u64 = 8 * 1024 * 1024;
/// A file with a byte 0 among the first so many is no text.
const LOOKED_AT: usize = 8 * 1024;
/// How many files a thread looks at before it takes others.
const AT_ONCE: usize = 32;

/// What was found in source code.
#[derive(Debug, Default)]
pub struct Code {
    /// The files in which something was found.
    pub files: Vec<Arc<str>>,
    /// Every mention, by files and places.
    pub mentions: Vec<CodeMention>,
    /// Values that stand there literally.
    pub(crate) literals: Vec<Literal>,
    /// What was searched.
    pub searched: Searched,
    /// Every file that was.
    pub(crate) all: Vec<PathBuf>,
}

/// A place in source code that mentions a setting.
#[derive(Clone, Debug)]
pub struct CodeMention {
    /// The number of its file.
    pub file: u32,
    /// Its line, from 1.
    pub line: u32,
    /// Its character within the line, from 1.
    pub column: u32,
    /// What it mentions: a setting, or a key above settings, by its number in [`Names`]; none for a variable
    /// that means nothing.
    pub id: Option<u32>,
    /// What the name is.
    pub kind: NameKind,
    /// Whether its file is a test, a sample or a document.
    pub is_sample: bool,
    /// The name as it is written, where that does not follow from what it is.
    pub written: Option<Box<str>>,
}

/// A value that stands in source code.
#[derive(Debug)]
pub(crate) struct Literal {
    /// The number of the setting in [`Names`].
    pub(crate) id: u32,
    pub(crate) is_secret: bool,
    pub(crate) place: Place,
    /// The line, unless it may not be shown.
    pub(crate) line: Option<ShownLine>,
}

/// What was searched, and what was not.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Searched {
    /// How many files were searched.
    pub files: usize,
    /// How many were not, as they are no text.
    pub binary: usize,
    /// How many were not, as they are too long.
    pub long: usize,
    /// How many could not be read.
    pub unreadable: usize,
    /// Whether these are the files that git tracks, or would.
    pub are_tracked: bool,
    /// Whether there are more files than are searched.
    pub are_cut: bool,
}

/// Values to look for.
#[derive(Debug)]
pub(crate) struct Wanted {
    pub(crate) plain: Values,
    pub(crate) secret: Values,
    /// Numbers by setting: they count only beside its name.
    pub(crate) numbers: HashMap<u32, Vec<String>>,
}

impl Snapshot {
    /// Searches the source code of the project for names, and for values if any are wanted. Files that layers
    /// read as settings are none; `contexts` tells which those are.
    pub(crate) fn search_code(
        &self,
        contexts: &[Arc<Readings>],
        names: &Names,
        wanted: Option<&Wanted>,
    ) -> Result<Code, Error> {
        let files = self.code_files(contexts)?;
        let mut code = Code::default();
        (code.searched.are_tracked, code.searched.are_cut) = (files.are_tracked, files.are_cut);
        let rules = self.code_rules();
        let search = CodeScan { snapshot: self, rules: &rules, finder: names.finder(), wanted };
        let chunks: Vec<&[PathBuf]> = files.files.chunks(AT_ONCE).collect();
        parallel::in_order(chunks, true, |files| search.files(files), |found| code.take(found));
        code.all = files.files;
        Ok(code)
    }

    /// The first place of each of these words in files of source code that are neither tests nor samples.
    pub(crate) fn words_in_code(
        &self,
        files: &[PathBuf],
        words: &[&str],
    ) -> HashMap<String, Place> {
        let mut found: HashMap<String, Place> = HashMap::new();
        let values =
            Values::of_words(words.iter().zip(0..).map(|(word, id)| ((*word).to_owned(), id)));
        let rules = self.code_rules();
        let missing = AtomicUsize::new(words.len());
        let look = |files: &[PathBuf]| {
            let (mut there, mut bytes) = (Vec::new(), Vec::new());
            for file in files {
                let path = file.to_str().filter(|path| !rules.is_sample(path));
                let Some(path) = path.filter(|_| missing.load(Ordering::Relaxed) > 0) else {
                    continue;
                };
                let full = self.project().folder.join(file);
                if self.world().read_plain(&full, MOST_BYTES, &mut bytes).is_err()
                    || is_binary(&bytes)
                {
                    continue;
                }
                let mut places = Places::of(&bytes);
                values.find(&bytes, |id, at| {
                    let (line, column) = places.at(at.start);
                    there.push((id, place(Origin::file(path), line, column)));
                });
            }
            there
        };
        let take = |there: Vec<(u32, Place)>| {
            for (id, place) in there {
                let Some(word) = words.get(id as usize) else { continue };
                found.entry((*word).to_owned()).or_insert_with(|| {
                    missing.fetch_sub(1, Ordering::Relaxed);
                    place
                });
            }
        };
        parallel::in_order(files.chunks(AT_ONCE).collect(), true, look, take);
        found
    }

    /// Which files are searched: what `[code]` says.
    fn code_rules(&self) -> Cow<'_, CodeSearch> {
        match &self.project().code {
            Some(rules) => Cow::Borrowed(rules),
            None => Cow::Owned(CodeSearch::default()),
        }
    }

    /// The files that are searched.
    fn code_files(&self, contexts: &[Arc<Readings>]) -> Result<justwhy_project::Sources, Error> {
        let (project, world) = (self.project(), self.world());
        let mut sources = self.sources().map_err(|why| {
            Error::new("no-code", format!("the files of the project cannot be listed: {why}"))
        })?;
        let is_settings = Settings::of(self, contexts);
        let rules = self.code_rules();
        let mut folders: HashMap<String, bool> = HashMap::new();
        let real = world.canonical(&project.folder).unwrap_or_else(|_| project.folder.clone());
        let is_searched = |path: &PathBuf| {
            let Some(text) = path.to_str() else { return false };
            let folder = text.rsplit_once('/').map_or("", |(folder, _)| folder);
            let is_inside = *folders.entry_ref(folder).or_insert_with(|| {
                // A link on the way leads elsewhere.
                let there = world.canonical(&project.folder.join(folder));
                rules.has_folder(folder) && there.is_ok_and(|there| there == real.join(folder))
            });
            is_inside && !rules.leaves_out(text) && !is_settings.has(text)
        };
        sources.files.retain(is_searched);
        Ok(sources)
    }
}

/// The files that layers read as settings, in any context.
struct Settings {
    files: HashSet<String>,
    patterns: Vec<Glob>,
}

impl Settings {
    fn of(snapshot: &Snapshot, contexts: &[Arc<Readings>]) -> Settings {
        let project = snapshot.project();
        let mut files: HashSet<String> =
            project.catalogues.iter().map(|(file, _)| file.to_string()).collect();
        files.insert(project.file.clone());
        for readings in contexts {
            for input in &readings.inputs.inputs {
                if let Origin::File(path) = &input.origin
                    && readings.layers[input.layer.0].kind != Kind::Code
                {
                    files.insert(path.to_string());
                }
            }
        }
        let mut patterns = Vec::new();
        for layer in &project.layers {
            let path = match &layer.reads {
                Reads::Files(_, Some(format)) if *format == Format::CODE => continue,
                Reads::File(path, _) | Reads::Files(path, _) | Reads::Rows { path, .. } => path,
                _ => continue,
            };
            match path.pieces() {
                [Part::Text(path)] if !path.contains(['*', '?', '[']) => {
                    files.insert(path.trim_start_matches("./").to_owned());
                }
                _ => patterns.extend(Glob::parse(&pattern(path))),
            }
            if layer.per_directory {
                patterns.extend(Glob::parse(&format!("**/{}", pattern(path))));
            }
        }
        for store in &project.stores {
            if let Kept::File(path) = &store.kept {
                files.insert(path.to_string());
            }
        }
        Settings { files, patterns }
    }

    fn has(&self, path: &str) -> bool {
        self.files.contains(path) || self.patterns.iter().any(|glob| glob.matches(path))
    }
}

/// What a thread looks for.
struct CodeScan<'s> {
    snapshot: &'s Snapshot,
    rules: &'s CodeSearch,
    finder: &'s Finder,
    wanted: Option<&'s Wanted>,
}

/// What some files have.
#[derive(Default)]
struct InFiles {
    files: Vec<Arc<str>>,
    mentions: Vec<CodeMention>,
    literals: Vec<Literal>,
    searched: Searched,
}

impl Code {
    fn take(&mut self, found: InFiles) {
        let before = u32::try_from(self.files.len()).unwrap_or(u32::MAX);
        self.files.extend(found.files);
        let moved = |it: CodeMention| CodeMention { file: it.file + before, ..it };
        self.mentions.extend(found.mentions.into_iter().map(moved));
        self.literals.extend(found.literals);
        self.searched.files += found.searched.files;
        self.searched.binary += found.searched.binary;
        self.searched.long += found.searched.long;
        self.searched.unreadable += found.searched.unreadable;
    }
}

impl CodeScan<'_> {
    fn files(&self, files: &[PathBuf]) -> InFiles {
        let mut found = InFiles::default();
        let mut bytes = Vec::new();
        let world = self.snapshot.world();
        for file in files {
            let Some(path) = file.to_str() else { continue };
            let full = self.snapshot.project().folder.join(file);
            match world.read_plain(&full, MOST_BYTES, &mut bytes) {
                Ok(()) => {}
                // A folder is another repository; a link is searched where it leads.
                Err(ReadProblem::Missing | ReadProblem::NotAFile(_)) => continue,
                Err(ReadProblem::TooLarge) => {
                    found.searched.long += 1;
                    continue;
                }
                Err(ReadProblem::Refused(_)) if is_link(self.snapshot, &full) => continue,
                Err(ReadProblem::Refused(_)) => {
                    found.searched.unreadable += 1;
                    continue;
                }
            }
            if is_binary(&bytes) {
                found.searched.binary += 1;
                continue;
            }
            found.searched.files += 1;
            self.file(path, &bytes, &mut found);
        }
        found
    }
}

/// A place in a file of source code.
fn place(file: Origin, line: u32, column: u32) -> Place {
    Place::known(file, Some(Position { line: line as usize, column: column as usize }))
}

fn is_binary(bytes: &[u8]) -> bool {
    memchr::memchr(0, &bytes[..bytes.len().min(LOOKED_AT)]).is_some()
}

fn is_link(snapshot: &Snapshot, path: &Path) -> bool {
    let (Some(folder), Some(name)) = (path.parent(), path.file_name()) else { return false };
    let entries = snapshot.world().entries(folder).unwrap_or_default();
    entries.iter().any(|entry| entry.is_link && entry.name == name)
}
