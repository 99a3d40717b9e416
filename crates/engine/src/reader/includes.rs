//! Files that files name, and that are read with them.

use super::{Content, Reader};
use hashbrown::HashSet;
use justwhy_core::{Document, NamedBy, Origin, Place, SourceText, Span};
use justwhy_formats::{Format, View};
use justwhy_project::{Error, ProjectLayer, Reads};
use std::sync::Arc;

/// The most files that a layer reads because others name them.
const MOST_FILES: usize = 1_000;

impl Reader {
    /// The files of a layer with those that they name, the weakest first.
    pub(super) fn with_included(
        &mut self,
        declared: &ProjectLayer,
        files: Vec<(String, View)>,
    ) -> Result<Vec<(String, View)>, Vec<Error>> {
        let mut all = Vec::new();
        for file in files {
            self.follow(declared, file, &mut Vec::new(), &mut all)?;
        }
        // A file that several name counts where it is strongest.
        let mut seen = HashSet::new();
        let mut once: Vec<(String, View)> =
            all.into_iter().rev().filter(|file| seen.insert(file.clone())).collect();
        once.reverse();
        Ok(once)
    }

    fn follow(
        &mut self,
        declared: &ProjectLayer,
        file: (String, View),
        way: &mut Vec<String>,
        all: &mut Vec<(String, View)>,
    ) -> Result<(), Vec<Error>> {
        let Some((text, included)) = self.included(&file) else {
            all.push(file);
            return Ok(());
        };
        if way.is_empty() {
            way.push(file.0.clone());
        }
        let (path, view) = file;
        if declared.includes_are_stronger {
            all.push((path.clone(), view.clone()));
        }
        for (named, at) in included {
            let target = beside(&path, &named);
            let error = |code, message: String| {
                let at = text.position(at.start);
                vec![Error::new(code, message).at(path.clone(), Some(at))]
            };
            if way.contains(&target) {
                let message = format!("these files name each other: {}, {target}", way.join(", "));
                return Err(error("bad-file", message));
            }
            if all.len() + way.len() >= MOST_FILES {
                let message = format!("more than {MOST_FILES} files are named");
                return Err(error("limit", message));
            }
            let view = view.of_included(&target);
            let are_keys = declared.variables.is_none();
            if view.format.has_variables() && view.format != Format::ENTRY && are_keys {
                let message =
                    format!("{target} has variables, but the names of {} are keys", declared.name);
                let help =
                    "add names = \"variables\" to the layer, or make another one for the file";
                return Err(error("bad-file", message)
                    .into_iter()
                    .map(|it| it.help(help))
                    .collect());
            }
            let file = (target.clone(), view);
            self.fetch(std::iter::once(&file));
            if matches!(self.file(&file.0, &file.1), Ok(None)) {
                if declared.optional {
                    continue;
                }
                let help = "create it, remove its name, or add optional = true to the layer";
                let errors = error("missing-file", format!("file not found: {target}"));
                return Err(errors.into_iter().map(|it| it.help(help)).collect());
            }
            let place = Place::in_text(Origin::file(&path), Some(&text), Some(at));
            self.note_who_names(&file, &place.to_string());
            way.push(target);
            self.follow(declared, file, way, all)?;
            way.pop();
        }
        if !declared.includes_are_stronger {
            all.push((path, view));
        }
        Ok(())
    }

    /// Notes what names a file, for who asks where its values are from.
    fn note_who_names(&mut self, file: &(String, View), place: &str) {
        let Ok(Some(content)) = self.file(&file.0, &file.1) else { return };
        if content.documents.iter().all(|document| document.named.is_some()) {
            return;
        }
        let named = NamedBy { who: place.into(), is_value: false };
        let with = |document: &Arc<Document>| {
            let mut document = Document::clone(document);
            document.named.get_or_insert_with(|| named.clone());
            Arc::new(document)
        };
        let documents = content.documents.iter().map(with).collect();
        let content = Content { documents, nothing: content.nothing.clone() };
        self.files.insert(file.clone(), Ok(Some(Arc::new(content))));
    }

    /// The text of a file and the files that it names; none if it names none, or cannot be read, which is
    /// reported where it is read.
    fn included(&self, (path, view): &(String, View)) -> Option<(SourceText, Vec<(String, Span)>)> {
        if view.part.as_ref().is_none_or(|part| part.includes.is_none()) {
            return None;
        }
        let Ok(Some(content)) = self.file(path, view) else { return None };
        let first = content.documents.first()?;
        match first.includes.is_empty() {
            true => None,
            false => Some((first.text.clone()?, first.includes.clone())),
        }
    }

    /// Whether the section that a layer reads is one of a file that is read so: of files that others name,
    /// only those of the same format have it.
    pub(super) fn has_section(&self, declared: &ProjectLayer, view: &View) -> bool {
        match &declared.reads {
            Reads::File(_, format) => view.format == *format,
            _ => true,
        }
    }
}

/// The path of a file that another one names.
fn beside(path: &str, named: &str) -> String {
    if named.starts_with('/') {
        return named.to_owned();
    }
    let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
    let mut parts: Vec<&str> = folder.split('/').filter(|part| !part.is_empty()).collect();
    let mut above = 0;
    for part in named.split('/') {
        match part {
            "" | "." => {}
            ".." if parts.pop().is_none() => above += 1,
            ".." => {}
            part => parts.push(part),
        }
    }
    let root = if path.starts_with('/') { "/" } else { "" };
    format!("{root}{}{}", "../".repeat(above), parts.join("/"))
}
