//! Patterns of paths: `conf.d/*.toml`, `services/**`.

use crate::error::Error;
use crate::ports::World;
use glob::{MatchOptions, Pattern};
use std::io;
use std::path::Path;

#[cfg(test)]
mod tests;

/// How many things in folders are looked at for one pattern.
const MOST_VISITS: usize = 100_000;

/// Within a name, and a leading dot only if it is written.
const OPTIONS: MatchOptions = MatchOptions {
    case_sensitive: true,
    require_literal_separator: true,
    require_literal_leading_dot: true,
};

/// A pattern of paths whose parts are between slashes.
#[derive(Clone, PartialEq, Debug)]
pub struct Glob {
    parts: Vec<Part>,
}

#[derive(Clone, PartialEq, Debug)]
enum Part {
    /// A name without a wildcard.
    Name(String),
    /// A name with wildcards.
    Wild(Pattern),
    /// `**`: any number of folders, none included.
    Folders,
}

/// What a pattern is to find.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Wanted {
    /// Regular files.
    Files,
    /// Folders.
    Folders,
}

impl Glob {
    /// Reads a pattern; the error is a clause.
    pub fn parse(text: &str) -> Result<Glob, String> {
        let part = |part: &str| {
            if part == "**" {
                return Ok(Part::Folders);
            }
            if part.contains("**") {
                return Err("`**` must be alone between two slashes".to_owned());
            }
            if !part.contains(['*', '?', '[']) {
                return Ok(Part::Name(part.to_owned()));
            }
            Pattern::new(part).map(Part::Wild).map_err(|_| "unterminated `[`".to_owned())
        };
        let parts = text.split('/').filter(|part| !part.is_empty() && *part != ".");
        let parts: Vec<Part> = parts.map(part).collect::<Result<_, _>>()?;
        match parts.is_empty() {
            true => Err("it is empty".to_owned()),
            false => Ok(Glob { parts }),
        }
    }

    /// Whether a path, or the name of a branch, matches as a whole.
    pub fn matches(&self, path: &str) -> bool {
        let names: Vec<&str> = path.split('/').filter(|name| !name.is_empty()).collect();
        matches(&self.parts, &names)
    }

    /// The paths below `folder` that match, in byte order, with `/` between their parts.
    pub fn find(
        &self,
        world: &dyn World,
        folder: &Path,
        wanted: Wanted,
    ) -> Result<Vec<String>, Error> {
        let mut search = Search { world, folder, wanted, visits: 0, found: Vec::new() };
        search.walk(&self.parts, "")?;
        search.found.sort();
        search.found.dedup();
        Ok(search.found)
    }
}

fn matches(parts: &[Part], names: &[&str]) -> bool {
    let Some((first, rest)) = parts.split_first() else {
        return names.is_empty();
    };
    if *first == Part::Folders {
        let most = names.iter().take_while(|name| !name.starts_with('.')).count();
        return (0..=most).any(|skipped| matches(rest, &names[skipped..]));
    }
    let Some((name, names)) = names.split_first() else {
        return false;
    };
    let is_it = match first {
        Part::Name(written) => written == name,
        Part::Wild(pattern) => pattern.matches_with(name, OPTIONS),
        Part::Folders => false,
    };
    is_it && matches(rest, names)
}

struct Search<'w> {
    world: &'w dyn World,
    folder: &'w Path,
    wanted: Wanted,
    visits: usize,
    found: Vec<String>,
}

impl Search<'_> {
    fn walk(&mut self, parts: &[Part], above: &str) -> Result<(), Error> {
        let Some((first, rest)) = parts.split_first() else {
            return Ok(());
        };
        match first {
            Part::Name(name) => {
                let path = joined(above, name);
                let full = self.folder.join(&path);
                match rest.is_empty() {
                    true => self.keep(path, self.world.is_folder(&full), self.world.is_file(&full)),
                    false => self.walk(rest, &path)?,
                }
            }
            Part::Wild(pattern) => {
                for (name, is_folder, _) in self.entries(above)? {
                    if !pattern.matches_with(&name, OPTIONS) {
                        continue;
                    }
                    let path = joined(above, &name);
                    if rest.is_empty() {
                        self.keep(path, is_folder, !is_folder);
                    } else if is_folder {
                        self.walk(rest, &path)?;
                    }
                }
            }
            Part::Folders => self.folders(rest, above)?,
        }
        Ok(())
    }

    /// Any number of folders, links left out: they could lead round in a circle.
    fn folders(&mut self, rest: &[Part], above: &str) -> Result<(), Error> {
        let mut open = vec![above.to_owned()];
        while let Some(path) = open.pop() {
            if rest.is_empty() && !path.is_empty() {
                self.keep(path.clone(), true, false);
            }
            self.walk(rest, &path)?;
            for (name, is_folder, is_link) in self.entries(&path)? {
                if name.starts_with('.') {
                    continue;
                }
                let inner = joined(&path, &name);
                if rest.is_empty() {
                    self.keep(inner.clone(), is_folder, !is_folder);
                }
                if is_folder && !is_link {
                    open.push(inner);
                }
            }
        }
        Ok(())
    }

    fn keep(&mut self, path: String, is_folder: bool, is_file: bool) {
        let is_wanted = match self.wanted {
            Wanted::Files => is_file,
            Wanted::Folders => is_folder,
        };
        if is_wanted {
            self.found.push(path);
        }
    }

    /// The names in a folder, whether each is a folder and whether it is a link.
    fn entries(&mut self, path: &str) -> Result<Vec<(String, bool, bool)>, Error> {
        let entries = match self.world.entries(&self.folder.join(path)) {
            Ok(entries) => entries,
            Err(error) => {
                return match error.kind() {
                    io::ErrorKind::NotFound | io::ErrorKind::NotADirectory => Ok(Vec::new()),
                    _ => {
                        let message = format!("the folder cannot be listed: {error}");
                        Err(Error::new("unreadable-file", message).at(path, None))
                    }
                };
            }
        };
        self.visits += entries.len();
        if self.visits > MOST_VISITS {
            let message = format!("a pattern visits more than {MOST_VISITS} files and folders");
            let error = Error::new("limit", message).at(path, None);
            return Err(error.help("begin the pattern with a narrower folder"));
        }
        let entry = |entry: crate::ports::FolderEntry| {
            // A name that is no text is shown so and cannot be read as a source; nothing is lost, as
            // no axis value and no pattern can be meant for it.
            (entry.name.to_string_lossy().into_owned(), entry.is_folder, entry.is_link)
        };
        Ok(entries.into_iter().map(entry).collect())
    }
}

fn joined(above: &str, name: &str) -> String {
    if above.is_empty() { name.to_owned() } else { format!("{above}/{name}") }
}
