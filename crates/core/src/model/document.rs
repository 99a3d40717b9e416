//! What one source has, before any layer looks at it.

use crate::model::key::{KeyId, Keys};
use crate::model::note::Note;
use crate::model::place::{Place, Position, SourceText, Span};
use crate::model::secret::names_a_secret_inside;
use crate::model::value::Value;
use std::sync::Arc;

/// One value in a document, under the name that it has there.
#[derive(Clone, Debug)]
pub struct Leaf {
    /// The name in the source, as a key: the path of tables that leads to it, or a variable's name.
    pub name: KeyId,
    /// The value as written.
    pub value: Value,
    /// Where the value is written; `None` if the source has no lines (a process variable).
    pub at: Option<Span>,
    /// Where the name is written, if that is known.
    pub name_at: Option<Span>,
}

/// A scope of which a document is what one kind of context makes.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct OfScope {
    /// Its number among all that were read.
    pub number: usize,
    /// Its name.
    pub name: Arc<str>,
    /// Whether it is meant for others as a whole.
    pub is_withheld: bool,
}

/// Why a value may not be what who wrote it meant.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Lookalike {
    /// Other readers of the format take it for this, a noun with its article.
    Other(&'static str),
    /// A number does not keep it as it is written, such as `1.10`.
    Shortened,
}

/// What names a file, if its layer does not.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct NamedBy {
    /// The place, or the variable.
    pub who: Arc<str>,
    /// Whether the file is one value, that of the variable.
    pub is_value: bool,
}

/// The values of one file, of the process environment or of the arguments, in the order in which
/// they are written. A file is read into one document, however many layers and contexts use it.
#[derive(Clone, Debug, Default)]
pub struct Document {
    /// The text, for lines and columns; `None` if the source has none.
    pub text: Option<SourceText>,
    /// The values.
    pub leaves: Vec<Leaf>,
    /// Where each table begins, but for the whole file.
    pub tables: Vec<(KeyId, Span)>,
    /// Tables without entries: they offer nothing, but they are there.
    pub empty_tables: Vec<(KeyId, Span)>,
    /// Where something was that a trial has taken out: the tables around it are still there.
    pub emptied: Vec<KeyId>,
    /// Names whose value was left out altogether (YAML): they offer nothing either.
    pub left_out: Vec<(KeyId, Span)>,
    /// For leaves that came through a YAML alias or merge: the anchor's name, by leaf index,
    /// ascending.
    pub through: Vec<(usize, Arc<str>)>,
    /// For texts in which a `$` was written so that it begins no reference (env files): the bytes
    /// of those `$` in the value, by leaf index, ascending.
    pub literal_dollars: Vec<(usize, Arc<[u32]>)>,
    /// For values that other readers of the format take for something else (YAML): the leaf that they
    /// are or are in, ascending, their place, and what others take them for.
    pub lookalikes: Vec<(usize, Span, Lookalike)>,
    /// Names that cannot be read as text (a process variable that is not UTF-8).
    pub unreadable: Vec<String>,
    /// The scope of which this is what one kind of context makes.
    pub scope: Option<OfScope>,
    /// Leaves whose value is that of the process variable of the same name, by leaf index, ascending.
    pub of_process: Vec<usize>,
    /// What was read although the format refuses it: where, and what, as a clause.
    pub tolerated: Vec<(Span, Arc<str>)>,
    /// Leaves that only count where nothing weaker sets their key, by leaf index, ascending.
    pub yielding: Vec<usize>,
    /// Whether its names are those of variables, whatever those of its layer are (a command line).
    pub are_variables: bool,
    /// How many lines were passed over, as they assign nothing.
    pub passed_over: usize,
    /// Whether it was read as a shell reads it: its lines count in their order, and quotes are gone.
    pub is_shell: bool,
    /// The files that this one names and that are read with it, each with the place of its name.
    pub includes: Vec<(String, Span)>,
    /// What names the file that this is read of, if that is not the layer.
    pub named: Option<NamedBy>,
    /// Where reading stopped before the end, and at what (an operator in a command line).
    pub ends: Option<(Span, Arc<str>)>,
    /// Whether it is what source code has in place of variables that nothing sets.
    pub is_code: bool,
    /// Leaves that set nothing: the code reads them without a fallback; and whether it fails then. By leaf index,
    /// ascending.
    pub unset: Vec<(usize, bool)>,
    /// Leaves whose value other places have otherwise (code): where those are, by leaf index, ascending.
    pub rivals: Vec<(usize, Arc<[Place]>)>,
    /// What a store sets for its variables besides their values, by leaf index, ascending.
    pub notes: Vec<(usize, Arc<Note>)>,
}

/// What a document has at a section that a layer wants to read.
pub(crate) enum Section {
    /// A table, perhaps an empty one.
    Table,
    /// Nothing.
    Missing,
    /// A value or a list, here or above, with its place.
    NotATable(Option<Span>),
}

impl Document {
    /// The line and column of `at`; nothing if this source has no lines.
    pub fn position(&self, at: Option<Span>) -> Option<Position> {
        Some(self.text.as_ref()?.position(at?.start))
    }

    /// Gives every name the key that `key_of` has for it.
    pub fn rename(&mut self, key_of: impl Fn(KeyId) -> KeyId) {
        let leaves = self.leaves.iter_mut().map(|leaf| &mut leaf.name);
        let empty = self.empty_tables.iter_mut().map(|(key, _)| key);
        let left_out = self.left_out.iter_mut().map(|(key, _)| key);
        let tables = self.tables.iter_mut().map(|(key, _)| key);
        for key in leaves.chain(tables).chain(empty).chain(left_out).chain(&mut self.emptied) {
            *key = key_of(*key);
        }
    }

    /// Whether the leaf only counts where nothing weaker sets its key.
    pub fn is_yielding(&self, leaf: u32) -> bool {
        self.yielding.binary_search(&(leaf as usize)).is_ok()
    }

    /// Makes all its values secret.
    pub fn make_secret(&mut self) {
        let mut known = std::mem::take(&mut self.notes).into_iter().peekable();
        for index in 0..self.leaves.len() {
            let note = known.next_if(|(leaf, _)| *leaf == index).map(|(_, note)| note);
            let mut note = note.as_deref().cloned().unwrap_or_default();
            note.secret = true;
            self.notes.push((index, Arc::new(note)));
        }
    }

    /// The document with those leaves that are to be kept; tables stay as they are.
    #[must_use]
    pub fn with_leaves(mut self, keep: impl Fn(usize, &Leaf) -> bool) -> Document {
        let mut kept = Vec::with_capacity(self.leaves.len());
        let mut numbers: Vec<Option<usize>> = Vec::with_capacity(self.leaves.len());
        for (number, leaf) in std::mem::take(&mut self.leaves).into_iter().enumerate() {
            let is_kept = keep(number, &leaf);
            numbers.push(is_kept.then_some(kept.len()));
            if is_kept {
                kept.push(leaf);
            }
        }
        self.leaves = kept;
        let of = |number: usize| numbers.get(number).copied().flatten();
        fn moved<T>(list: &mut Vec<(usize, T)>, of: impl Fn(usize) -> Option<usize>) {
            let all = std::mem::take(list).into_iter();
            *list = all.filter_map(|(number, it)| Some((of(number)?, it))).collect();
        }
        moved(&mut self.through, of);
        moved(&mut self.literal_dollars, of);
        moved(&mut self.notes, of);
        moved(&mut self.unset, of);
        moved(&mut self.rivals, of);
        let lookalikes = std::mem::take(&mut self.lookalikes).into_iter();
        self.lookalikes =
            lookalikes.filter_map(|(it, at, what)| Some((of(it)?, at, what))).collect();
        self.of_process = std::mem::take(&mut self.of_process).into_iter().filter_map(of).collect();
        self.yielding = std::mem::take(&mut self.yielding).into_iter().filter_map(of).collect();
        self
    }

    /// The anchor through which the leaf at `index` came.
    pub fn anchor(&self, index: usize) -> Option<&str> {
        let found = self.through.binary_search_by_key(&index, |(leaf, _)| *leaf).ok()?;
        Some(&self.through[found].1)
    }

    /// Whether the leaf sets nothing, as code reads it without a fallback; and if so, whether it fails then.
    pub fn unset(&self, index: usize) -> Option<bool> {
        let found = self.unset.binary_search_by_key(&index, |(leaf, _)| *leaf).ok()?;
        Some(self.unset[found].1)
    }

    /// The other places that have another value for the leaf at `index`.
    pub fn rivals(&self, index: u32) -> &[Place] {
        let found = self.rivals.binary_search_by_key(&(index as usize), |(leaf, _)| *leaf);
        found.map_or(&[], |found| &self.rivals[found].1)
    }

    /// What a store sets for the leaf at `index`.
    pub fn note(&self, index: u32) -> Option<&Note> {
        let index = index as usize;
        let found = self.notes.binary_search_by_key(&index, |(leaf, _)| *leaf).ok()?;
        Some(&self.notes[found].1)
    }

    /// Whether what the leaf has is secret whatever its setting is: a store marks it so, or there is a
    /// secret's name in it.
    pub fn hides(&self, leaf: u32) -> bool {
        self.note(leaf).is_some_and(|note| note.secret)
            || self.leaves.get(leaf as usize).is_some_and(|leaf| names_a_secret_inside(&leaf.value))
    }

    /// The bytes of every `$` in the text of the leaf at `index` that begins no reference.
    pub fn literal_dollars(&self, index: usize) -> &[u32] {
        let found = self.literal_dollars.binary_search_by_key(&index, |(leaf, _)| *leaf);
        found.map_or(&[], |found| &self.literal_dollars[found].1)
    }

    /// What is at `section`, and whether it can be read as a table of settings.
    pub(crate) fn section(&self, keys: &Keys, section: KeyId) -> Section {
        let mut found = Section::Missing;
        for leaf in &self.leaves {
            if keys.is_within(section, leaf.name) {
                return Section::NotATable(leaf.at);
            }
            if keys.is_within(leaf.name, section) {
                found = Section::Table;
            }
        }
        let nothings = self.empty_tables.iter().chain(&self.left_out).map(|(name, _)| *name);
        let mut nothing_in_it = nothings.chain(self.emptied.iter().copied());
        if nothing_in_it.any(|name| keys.is_within(name, section)) {
            found = Section::Table;
        }
        found
    }
}
