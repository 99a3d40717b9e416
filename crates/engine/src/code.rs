//! Source code: which files are searched, and every place in them that mentions a setting.
//!
//! [`Snapshot::search_code`] reads each file once, on all processors, and looks for all names at once.
//! [`Names`] is what is looked for; `findings.rs` is what `check` makes of it.

use crate::Snapshot;
use crate::orphans::pattern;
use hashbrown::{HashMap, HashSet};
use justwhy_code::{Finder, Mention, NameKind, Piece, Pieces, Syntax, Values};
use justwhy_core::{
    Kind, Origin, Place, Position, Readings, ShownLine, SourceText, Span, parallel,
};
use justwhy_formats::Format;
use justwhy_project::{CodeSearch, Error, Glob, Kept, Piece as Part, ReadProblem, Reads};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

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
    /// Whether it stands alone between quotes.
    pub is_quoted: bool,
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
        let default = CodeSearch::default();
        let search = Search {
            snapshot: self,
            rules: self.project().code.as_ref().unwrap_or(&default),
            finder: names.finder(),
            wanted,
        };
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
        let rules = self.project().code.clone().unwrap_or_default();
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
                    let position = Position { line: line as usize, column: column as usize };
                    there.push((id, Place::known(Origin::file(path), Some(position))));
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

    /// The files that are searched.
    fn code_files(&self, contexts: &[Arc<Readings>]) -> Result<justwhy_project::Sources, Error> {
        let (project, world) = (self.project(), self.world());
        let mut sources = self.sources().map_err(|why| {
            Error::new("no-code", format!("the files of the project cannot be listed: {why}"))
        })?;
        let is_settings = Settings::of(self, contexts);
        let default = CodeSearch::default();
        let rules = project.code.as_ref().unwrap_or(&default);
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
struct Search<'s> {
    snapshot: &'s Snapshot,
    rules: &'s CodeSearch,
    finder: &'s Finder,
    wanted: Option<&'s Wanted>,
}

/// What some files have.
#[derive(Default)]
struct Found {
    files: Vec<Arc<str>>,
    mentions: Vec<CodeMention>,
    literals: Vec<Literal>,
    searched: Searched,
}

impl Code {
    fn take(&mut self, found: Found) {
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

impl Search<'_> {
    fn files(&self, files: &[PathBuf]) -> Found {
        let mut found = Found::default();
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

    /// What one file has.
    fn file(&self, path: &str, bytes: &[u8], found: &mut Found) {
        let mentions: Vec<Mention> = self.finder.find(bytes);
        let mut literals: Vec<(u32, bool, std::ops::Range<usize>)> = Vec::new();
        if let Some(wanted) = self.wanted {
            wanted.secret.find(bytes, |id, at| literals.push((id, true, at)));
            wanted.plain.find(bytes, |id, at| literals.push((id, false, at)));
        }
        if mentions.is_empty() && literals.is_empty() {
            return;
        }
        let is_sample = self.rules.is_sample(path);
        let mut look = Look { path, bytes, syntax: None, places: Places::of(bytes) };
        let number = u32::try_from(found.files.len()).unwrap_or(u32::MAX);
        let before = (found.mentions.len(), found.literals.len());
        let mut named: HashSet<(u32, u32)> = HashSet::new();
        for mention in &mentions {
            // A name that means nothing counts where a program could read a variable of it.
            if mention.id.is_none() && (is_sample || !look.may_be_variable(mention.range().start)) {
                continue;
            }
            let (line, column) = look.places.at(mention.range().start);
            let id = mention.id;
            if let Some(id) = id.filter(|_| self.wanted.is_some()) {
                named.insert((id, line));
                if self.is_number_beside(id, mention, bytes) && !is_sample {
                    literals.push((id, false, mention.range()));
                }
            }
            let written = self.written(mention, bytes);
            found.mentions.push(CodeMention {
                file: number,
                line,
                column,
                id,
                kind: mention.kind,
                is_quoted: mention.is_quoted,
                is_sample,
                written,
            });
        }
        literals.sort_by_key(|(_, is_secret, at)| (at.start, !is_secret));
        let secret_lines: HashSet<u32> = {
            let secrets = literals.iter().filter(|(_, is_secret, _)| *is_secret);
            let mut places = Places::of(bytes);
            secrets.map(|(_, _, at)| places.at(at.start).0).collect()
        };
        let mut places = Places::of(bytes);
        let mut text: Option<SourceText> = None;
        for (id, is_secret, at) in literals {
            let (line, column) = places.at(at.start);
            let is_number = mentions.iter().any(|mention| mention.range() == at);
            let is_fine = match (is_secret, is_number) {
                (true, _) => true,
                (false, true) => !look.is_comment(at.start),
                // What stands beside the name of its setting is its fallback.
                (false, false) => {
                    !is_sample && look.may_be_value(at.start) && !named.contains(&(id, line))
                }
            };
            if !is_fine {
                continue;
            }
            let origin = Origin::file(path);
            let shown = (!is_secret && !secret_lines.contains(&line)).then(|| {
                let text = text.get_or_insert_with(|| {
                    SourceText::new(String::from_utf8_lossy(bytes).into_owned().into())
                });
                let is_told = may_be_shown(text.line(line as usize));
                let is_text = std::str::from_utf8(bytes).is_ok();
                (is_told && is_text).then(|| text.around(Span::new(at.start, at.end)))
            });
            let position = Position { line: line as usize, column: column as usize };
            let place = Place::known(origin, Some(position));
            found.literals.push(Literal { id, is_secret, place, line: shown.flatten() });
        }
        if before != (found.mentions.len(), found.literals.len()) {
            found.files.push(path.into());
        }
    }

    fn written(&self, mention: &Mention, bytes: &[u8]) -> Option<Box<str>> {
        if mention.id.is_some() && (mention.kind == NameKind::Variable || !self.finder.is_loose()) {
            return None;
        }
        let text = std::str::from_utf8(bytes.get(mention.range())?).ok()?;
        (mention.id.is_none() || !self.finder.is_exact(text)).then(|| text.into())
    }

    /// Whether a number that is a value of the setting is given right beside its name.
    fn is_number_beside(&self, id: u32, mention: &Mention, bytes: &[u8]) -> bool {
        let Some(numbers) = self.wanted.and_then(|wanted| wanted.numbers.get(&id)) else {
            return false;
        };
        if mention.kind == NameKind::Parent {
            return false;
        }
        let rest = &bytes[mention.range().end..];
        let end = memchr::memchr(b'\n', rest).unwrap_or(rest.len()).min(120);
        let Ok(rest) = std::str::from_utf8(&rest[..end]) else { return false };
        let rest = rest.strip_prefix(['"', '\'', '`']).unwrap_or(rest).trim_start();
        let rest = rest.strip_prefix(']').unwrap_or(rest).trim_start();
        let given = rest.strip_prefix(":=").or_else(|| rest.strip_prefix(['=', ':']));
        let Some(given) = given else { return false };
        let given = given.trim_start().trim_start_matches(['"', '\'']);
        let is_part = |c: char| c.is_ascii_alphanumeric() || matches!(c, '.' | '_' | '-');
        let word: String =
            given.chars().take_while(|c| is_part(*c)).filter(|c| *c != '_').collect();
        numbers.contains(&word)
    }
}

/// Whether a line may be shown: it has no word of a secret, and nothing that could be a password.
fn may_be_shown(line: &str) -> bool {
    !justwhy_core::speaks_of_a_secret(line) && !justwhy_core::may_hold_password(line)
}

fn is_binary(bytes: &[u8]) -> bool {
    memchr::memchr(0, &bytes[..bytes.len().min(LOOKED_AT)]).is_some()
}

fn is_link(snapshot: &Snapshot, path: &Path) -> bool {
    let (Some(folder), Some(name)) = (path.parent(), path.file_name()) else { return false };
    let entries = snapshot.world().entries(folder).unwrap_or_default();
    entries.iter().any(|entry| entry.is_link && entry.name == name)
}

/// A file while it is looked at.
struct Look<'f> {
    path: &'f str,
    bytes: &'f [u8],
    /// Its language and what of it is what, once that was asked.
    syntax: Option<Option<(&'static Syntax, Pieces)>>,
    places: Places<'f>,
}

impl Look<'_> {
    fn pieces(&mut self) -> Option<&(&'static Syntax, Pieces)> {
        let known = self.syntax.get_or_insert_with(|| {
            let syntax = Syntax::of_file(self.path, self.bytes)?;
            Some((syntax, syntax.pieces(self.bytes)))
        });
        known.as_ref()
    }

    fn is_comment(&mut self, at: usize) -> bool {
        self.pieces().is_some_and(|(_, pieces)| pieces.at(at) == Piece::Comment)
    }

    /// Whether a name is that of a variable, and not of a constant in the code: it is in quotes or after a mark, or
    /// the language has no other names.
    fn may_be_variable(&mut self, at: usize) -> bool {
        let bytes = self.bytes;
        let before = at.checked_sub(1).and_then(|before| bytes.get(before));
        let is_marked =
            before.is_some_and(|it| b"\"'`".contains(it)) || justwhy_code::is_read(bytes, at);
        let has_constants = self.pieces().is_some_and(|(syntax, _)| syntax.has_strings());
        (is_marked || !has_constants) && !self.is_comment(at)
    }

    /// Whether what begins there can be a value: in a string, where the language has strings.
    fn may_be_value(&mut self, at: usize) -> bool {
        self.pieces().is_none_or(|(syntax, pieces)| match pieces.at(at) {
            Piece::Comment => false,
            Piece::Code => !syntax.has_strings(),
            Piece::Text | Piece::Verbatim => true,
        })
    }
}

/// Lines and columns of places that are asked for in their order.
struct Places<'f> {
    bytes: &'f [u8],
    line: u32,
    /// Where the line begins.
    start: usize,
    /// What was counted: the characters from the start of the line to there.
    counted: (usize, u32),
}

impl<'f> Places<'f> {
    fn of(bytes: &'f [u8]) -> Places<'f> {
        Places { bytes, line: 1, start: 0, counted: (0, 0) }
    }

    /// The line and column of a byte that is not before the last one that was asked for.
    fn at(&mut self, at: usize) -> (u32, u32) {
        let new = &self.bytes[self.counted.0..at.max(self.counted.0)];
        if let Some(last) = memchr::memrchr(b'\n', new) {
            let lines = memchr::memchr_iter(b'\n', new).count();
            self.line += u32::try_from(lines).unwrap_or(u32::MAX);
            self.start = self.counted.0 + last + 1;
            self.counted = (self.start, 0);
        }
        let rest = &self.bytes[self.counted.0..at.max(self.counted.0)];
        let characters = rest.iter().filter(|byte| **byte & 0xc0 != 0x80).count();
        let column = self.counted.1 + u32::try_from(characters).unwrap_or(u32::MAX);
        self.counted = (at.max(self.counted.0), column);
        (self.line, column + 1)
    }
}
