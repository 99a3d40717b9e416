//! The sources that are read, each once: files, rows, values of the project file, the arguments, the process.

use super::files::{document_of, load, read_bytes};
use super::{Content, Fetched, Reader, WORTH_A_THREAD, Written};
use crate::Arguments;
use hashbrown::HashSet;
use justwhy_core::{Context, Document, KeyId, Leaf, SourceText, Value, parallel};
use justwhy_formats::{RowFormat, View};
use justwhy_project::{Error, ProjectLayer, Reads};
use std::sync::Arc;

impl Reader {
    /// The document of a file, `None` if it is not there. Every file that any layer reads here was
    /// read by [`Reader::fetch`].
    pub(super) fn file(&self, path: &str, view: &View) -> Fetched {
        let wanted = (path.to_owned(), view.clone());
        self.files.get(&wanted).cloned().unwrap_or(Ok(None))
    }

    /// A row of a file of rows.
    pub(super) fn row(
        &mut self,
        declared: &ProjectLayer,
        path: &str,
        format: RowFormat,
        row: usize,
    ) -> Result<Arc<Document>, Error> {
        let asked = (path.to_owned(), row);
        if let Some(known) = self.rows.get(&asked) {
            return known.clone();
        }
        let Some(text) = self.text(path)? else {
            return Err(self.missing_rows(declared, path));
        };
        let keys = Arc::make_mut(&mut self.keys);
        let document = match format.row(text.text(), row, keys, self.project.limits) {
            Ok(document) => Ok(self.decrypted(Document { text: Some(text), ..document })),
            Err(fault) => Err(justwhy_project::attach(fault, path, &text)),
        };
        self.rows.insert(asked, document.clone());
        document
    }

    pub(super) fn missing_rows(&self, declared: &ProjectLayer, path: &str) -> Error {
        let message = format!("file not found: {} reads rows of {path}", declared.name);
        let at = self.position(declared.at);
        let error = Error::new("missing-file", message).at(path, None);
        error.also("declared at", &self.project.file, at).help("create it, or remove the layer")
    }

    /// How many rows the axis numbers in the files that do not depend on other axes.
    pub(crate) fn rows_of(&mut self, axis: &str) -> usize {
        let project = Arc::clone(&self.project);
        let mut most = 0;
        for declared in &project.layers {
            let Reads::Rows { path, format, axis: by } = &declared.reads else { continue };
            if by != axis {
                continue;
            }
            let Ok(path) = path.fill(&Context::default()) else { continue };
            most = most.max(match self.text(&path) {
                Ok(Some(text)) => format.count(text.text(), self.project.limits),
                Ok(None) => 0,
                // So that the first one is asked for, and why it cannot be read is shown.
                Err(_) => 1,
            });
        }
        most
    }

    /// The text of a file of which each row is read for itself, `None` if it is not there.
    pub(super) fn text(&mut self, path: &str) -> Result<Option<SourceText>, Error> {
        let asked = path.to_owned();
        if let Some(known) = self.texts.get(&asked) {
            return known.clone();
        }
        self.note_stamp(path);
        let loaded = load(&self.project, &*self.world, path);
        self.texts.insert(asked, loaded.clone());
        loaded
    }

    /// Notes what a file is before it is read, so that what is written meanwhile is seen the next time.
    pub(super) fn note_stamp(&mut self, path: &str) {
        let stamp = self.world.stamp(&self.project.folder.join(path));
        self.stamps.insert(path.to_owned(), stamp);
    }

    /// Reads and parses files that were not read before. What is wrong with one is kept for the
    /// layer that reads it.
    pub(super) fn fetch<'w>(&mut self, wanted: impl Iterator<Item = &'w (String, View)>) {
        let (project, world, decrypts) = (&*self.project, &*self.world, &*self.decrypts);
        let mut found: Vec<(&(String, View), u64)> = Vec::new();
        let mut seen = HashSet::new();
        for key in wanted {
            if self.files.get(key).is_none() && seen.insert(key) {
                let stamp = world.stamp(&project.folder.join(&key.0));
                self.stamps.insert(key.0.clone(), stamp);
                found.push((key, stamp.map_or(0, |stamp| stamp.bytes)));
            }
        }
        let bytes = found.iter().fold(0_u64, |sum, (_, bytes)| sum.saturating_add(*bytes));
        // What takes longest first, so that no thread is left alone with it in the end.
        found.sort_by_key(|(key, bytes)| {
            std::cmp::Reverse(bytes.saturating_mul(key.1.format.effort()))
        });
        let is_much = bytes >= WORTH_A_THREAD;
        let (keys, files) = (Arc::make_mut(&mut self.keys), &mut self.files);
        parallel::in_order(
            found,
            is_much,
            |(key, _)| {
                let bytes = read_bytes(project, world, &key.0).map_err(|error| vec![error]);
                let read = bytes.and_then(|bytes| {
                    let Some(bytes) = bytes else { return Ok(None) };
                    let (mut documents, nothing, keys) = document_of(key, bytes, project.limits)?;
                    for document in &mut documents {
                        document.decrypt(decrypts);
                        if is_much {
                            // Threads that ask for places would wait for the one that asks first.
                            document.text.iter().for_each(SourceText::index_lines);
                        }
                    }
                    Ok(Some((documents, nothing, keys)))
                });
                (key, read)
            },
            |(key, read)| {
                let read = read.map(|read| {
                    let (mut documents, nothing, own) = read?;
                    let here = keys.absorb(own);
                    for document in &mut documents {
                        document.rename(|key| here[key.index()]);
                    }
                    let documents = documents.into_iter().map(Arc::new).collect();
                    Some(Arc::new(Content { documents, nothing }))
                });
                files.insert(key.clone(), read);
            },
        );
    }

    /// What the project file and those of the catalogue say themselves.
    pub(super) fn values(&mut self, written: Written) -> Arc<Document> {
        if let Some(known) = self.values.get(&written) {
            return Arc::clone(known);
        }
        let project = Arc::clone(&self.project);
        let (values, text) = match written {
            Written::Layer(number) => match &project.layers[number].reads {
                Reads::Values(values) => (values.as_slice(), &project.text),
                _ => (&[][..], &project.text),
            },
            Written::Defaults(number) => {
                (project.defaults[number].as_slice(), &project.catalogues[number].1)
            }
        };
        let keys = Arc::make_mut(&mut self.keys);
        let mut document = Document { text: Some(text.clone()), ..Document::default() };
        for (path, value, at) in values {
            let name = path.iter().fold(KeyId::ROOT, |key, segment| keys.child(key, segment));
            document.leaves.push(Leaf { name, value: value.clone(), at: Some(*at), name_at: None });
        }
        let document = self.decrypted(document);
        self.values.insert(written, Arc::clone(&document));
        document
    }

    /// What the arguments say: one document in all contexts, so that a trial changes it in all of
    /// them.
    pub(super) fn arguments(&mut self, arguments: &Arguments) -> Arc<Document> {
        if let Some((known, document)) = &self.arguments
            && known == arguments
        {
            return Arc::clone(document);
        }
        let document = arguments.document(Arc::make_mut(&mut self.keys));
        let document = self.decrypted(document);
        self.arguments = Some((arguments.clone(), Arc::clone(&document)));
        document
    }

    /// The document with the values that process variables give it.
    pub(super) fn with_process(&mut self, document: &Arc<Document>) -> Arc<Document> {
        if document.of_process.is_empty() {
            return Arc::clone(document);
        }
        let process = self.process();
        let value_of = |name: KeyId| process.leaves.iter().find(|leaf| leaf.name == name);
        let (mut document, mut missing) = (Document::clone(document), Vec::new());
        for number in document.of_process.clone() {
            let leaf = &mut document.leaves[number];
            match value_of(leaf.name) {
                Some(variable) => leaf.value = variable.value.clone(),
                None => missing.push(number),
            }
        }
        document.of_process.clear();
        let document = document.with_leaves(|number, _| missing.binary_search(&number).is_err());
        Arc::new(document)
    }

    /// The process environment, in the byte order of its names.
    pub(super) fn process(&mut self) -> Arc<Document> {
        if let Some(known) = &self.process {
            return Arc::clone(known);
        }
        let mut variables = self.world.variables();
        variables.sort();
        let keys = Arc::make_mut(&mut self.keys);
        let mut document = Document::default();
        for (name, value) in variables {
            match (name.to_str(), value.into_string()) {
                (Some(name), Ok(value)) => {
                    let name = keys.child(KeyId::ROOT, name);
                    let value = Value::Text(value.into());
                    document.leaves.push(Leaf { name, value, at: None, name_at: None });
                }
                _ => document.unreadable.push(name.to_string_lossy().into_owned()),
            }
        }
        let document = self.decrypted(document);
        self.process = Some(Arc::clone(&document));
        document
    }
}
