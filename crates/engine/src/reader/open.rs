//! What the layers read, opened.

use super::files::document_of;
use super::{Opened, Reader, Written};
use crate::arguments::Instead;
use justwhy_core::{Lack, Layer, Origin, Presence, nearest};
use justwhy_formats::{Format, View};
use justwhy_project::{Error, Glob, ProjectLayer, Reads, Wanted};
use std::path::Path;
use std::sync::Arc;

impl Reader {
    pub(super) fn unknown_format(&self, declared: &ProjectLayer, file: &str) -> Error {
        if Format::of_path(file).is_some_and(Format::has_variables) {
            let message =
                format!("{file} is an env file, but the names of {} are keys", declared.name);
            return Error::new("bad-file", message)
                .at(file, None)
                .also("declared at", &self.project.file, self.position(declared.at))
                .help(
                    "add names = \"variables\" to the layer, or exclude the file from the pattern",
                );
        }
        let message = format!("unknown format: {} reads {file}", declared.name);
        Error::new("bad-file", message)
            .at(file, None)
            .also("declared at", &self.project.file, self.position(declared.at))
            .help("add format = \"…\" to the layer, or exclude the file from the pattern")
    }

    pub(super) fn files_matching(
        &mut self,
        declared: &ProjectLayer,
        pattern: &str,
    ) -> Result<Vec<String>, Error> {
        if let Some(known) = self.matches.get(pattern) {
            return Ok(known.clone());
        }
        let glob = Glob::parse(pattern).map_err(|problem| {
            let message = format!("invalid pattern {pattern}: {problem}");
            let at = self.position(declared.at);
            Error::new("bad-project", message).at(&self.project.file, at)
        })?;
        let found = glob.find(&*self.world, &self.project.folder, Wanted::Files)?;
        self.matches.insert(pattern.to_owned(), found.clone());
        Ok(found)
    }

    /// The documents of a layer that is active here, weakest first; or why it is missing.
    pub(super) fn open(
        &mut self,
        number: usize,
        layer: &mut Layer,
        wanted: &[(String, View)],
    ) -> Result<Vec<Opened>, Vec<Error>> {
        let project = Arc::clone(&self.project);
        let declared = &project.layers[number];
        let path = layer.path.clone().unwrap_or_default();
        let mut opened = Vec::new();
        match &declared.reads {
            Reads::Values(_) => {
                let file = self.project.file.as_str().into();
                let values = self.values(Written::Layer(number));
                opened.push(Opened::new(file, values, false));
            }
            Reads::Process => {
                opened.push(Opened::new(Origin::Process, self.process(), true));
            }
            Reads::CommandLine { .. } => opened = self.open_line(number)?,
            Reads::ProcessLine => match self.open_process_line() {
                Some(found) => opened = found,
                None => {
                    layer.presence = Presence::Missing(Lack::CommandLine);
                }
            },
            // Scopes are opened for themselves.
            Reads::Scope(..) => {}
            Reads::Rows { format, .. } => {
                let row = layer.row.unwrap_or_default();
                let document =
                    self.row(declared, &path, *format, row).map_err(|error| vec![error])?;
                opened.push(Opened::new(path.into(), document, format.is_untyped()));
            }
            Reads::File(..) | Reads::Files(..) => {
                let lack = self.open_files(declared, wanted, &mut opened)?;
                if opened.is_empty() {
                    let is_pattern = matches!(declared.reads, Reads::Files(..));
                    let missing = match (is_pattern, declared.per_directory) {
                        (true, _) => Lack::Match(path),
                        (false, true) => Lack::InFolders(path),
                        (false, false) => Lack::File(path),
                    };
                    layer.presence = Presence::Missing(lack.unwrap_or(missing));
                }
            }
        }
        Ok(opened)
    }

    /// The documents of the files that a layer reads; why there is none in one that is there.
    fn open_files(
        &mut self,
        declared: &ProjectLayer,
        wanted: &[(String, View)],
        opened: &mut Vec<Opened>,
    ) -> Result<Option<Lack>, Vec<Error>> {
        let is_pattern = matches!(declared.reads, Reads::Files(..));
        let mut errors: Vec<Error> = Vec::new();
        let mut lack = None;
        for (path, view) in wanted {
            let content = match self.file(path, view) {
                Ok(Some(content)) => content,
                Ok(None) if declared.optional || declared.per_directory => continue,
                Ok(None) => {
                    errors.push(match is_pattern {
                        true => not_there_any_more(path),
                        false => self.missing_file(declared, path),
                    });
                    continue;
                }
                Err(more) => {
                    errors.extend(more);
                    continue;
                }
            };
            let (untyped, has_section) = (view.is_untyped(), self.has_section(declared, view));
            for document in &content.documents {
                let document = self.with_process(document);
                let origin = path.as_str().into();
                opened.push(Opened { origin, document, untyped, has_section });
            }
            let why = match &content.nothing {
                Some(error) if declared.optional => error.message(),
                Some(error) => {
                    errors.push(self.nothing_there(declared, error));
                    continue;
                }
                None if content.documents.is_empty() => "no document applies here",
                None => continue,
            };
            lack.get_or_insert_with(|| Lack::Part { path: path.clone(), why: why.to_owned() });
        }
        if errors.is_empty() { Ok(lack) } else { Err(errors) }
    }

    /// The documents of what a layer reads instead of its file.
    pub(super) fn open_instead(
        &mut self,
        declared: &ProjectLayer,
        layer: &mut Layer,
        view: &View,
        instead: &Instead,
    ) -> Result<Vec<Opened>, Vec<Error>> {
        let named = (instead.path.clone(), view.clone());
        let bytes = instead.bytes.to_vec();
        let (documents, nothing, own) = document_of(&named, bytes, self.project.limits)?;
        match nothing {
            Some(error) if !declared.optional => {
                return Err(vec![self.nothing_there(declared, &error)]);
            }
            Some(error) => {
                let (path, why) = (instead.path.clone(), error.message().to_owned());
                layer.presence = Presence::Missing(Lack::Part { path, why });
            }
            None => {}
        }
        let here = Arc::make_mut(&mut self.keys).absorb(own);
        layer.path = Some(instead.path.clone());
        let origin = Origin::from(instead.path.as_str());
        let mut opened = Vec::with_capacity(documents.len());
        for mut document in documents {
            document.rename(|key| here[key.index()]);
            let document = self.decrypted(document);
            let document = self.with_process(&document);
            opened.push(Opened::new(origin.clone(), document, view.is_untyped()));
        }
        Ok(opened)
    }

    /// The error that the part of a file that a layer reads is not there.
    fn nothing_there(&self, declared: &ProjectLayer, error: &Error) -> Error {
        let at = self.position(declared.at);
        let error = error.clone().also("declared at", &self.project.file, at);
        error.help("correct `under` of the layer, or add optional = true")
    }

    fn missing_file(&self, declared: &ProjectLayer, path: &str) -> Error {
        let message = format!("file not found: {} reads {path}", declared.name);
        let mut error = Error::new("missing-file", message).at(path, None).also(
            "declared at",
            &self.project.file,
            self.position(declared.at),
        );
        let full = self.project.folder.join(path);
        if let (Some(folder), Some(name)) = (full.parent(), full.file_name()) {
            let names = self.world.names_in(folder);
            let names: Vec<String> =
                names.into_iter().filter_map(|name| name.into_string().ok()).collect();
            let name = name.to_string_lossy();
            if let Some(near) = nearest(&name, names.iter().map(String::as_str)) {
                let near = Path::new(path).with_file_name(near);
                error = error.help(format!("did you mean {}?", near.display()));
            }
        }
        error.help("create it, or add optional = true to the layer")
    }
}

fn not_there_any_more(path: &str) -> Error {
    let message = format!("{path} cannot be read: it is gone, or its name is not UTF-8");
    Error::new("missing-file", message).at(path, None)
}
