//! Command lines: of the project file, and of processes.

use super::{Opened, Reader};
use justwhy_core::{Document, Keys, Origin};
use justwhy_project::{Error, Reads, attach};
use std::sync::Arc;

impl Reader {
    /// The documents of a command line that is in the project file.
    pub(super) fn open_line(&mut self, number: usize) -> Result<Vec<Opened>, Vec<Error>> {
        let project = Arc::clone(&self.project);
        let Reads::CommandLine { line, at } = &project.layers[number].reads else {
            return Ok(Vec::new());
        };
        if !self.lines.contains_key(&number) {
            let mut own = Keys::default();
            let text = (project.text.text(), *at);
            let read = justwhy_formats::command_line(text, line, &project.options, &mut own);
            let documents = match read {
                Ok(documents) => documents,
                Err(fault) => return Err(vec![attach(fault, &project.file, &project.text)]),
            };
            let with_text = |it: Document| Document { text: Some(project.text.clone()), ..it };
            let documents = self.taken_in(documents.into_iter().map(with_text).collect(), own);
            self.lines.insert(number, documents);
        }
        let documents = self.lines.get(&number).into_iter().flatten();
        let origin = Origin::from(project.file.as_str());
        Ok(documents.map(|it| Opened::new(origin.clone(), Arc::clone(it), true)).collect())
    }

    /// Those of the process that the question is asked for, if it is known.
    pub(super) fn open_process_line(&mut self) -> Option<Vec<Opened>> {
        let (name, words) = self.world.command_line()?;
        let mut own = Keys::default();
        let documents = justwhy_formats::command_line_of(&words, &self.project.options, &mut own);
        let documents = self.taken_in(documents, own);
        let origin = Origin::CommandLine(name.into());
        let opened = documents.into_iter().map(|it| Opened::new(origin.clone(), it, true));
        Some(opened.collect())
    }

    /// Documents whose names become keys here.
    fn taken_in(&mut self, documents: Vec<Document>, own: Keys) -> Vec<Arc<Document>> {
        let here = Arc::make_mut(&mut self.keys).absorb(own);
        let mut taken = Vec::with_capacity(documents.len());
        for mut document in documents {
            document.rename(|key| here[key.index()]);
            taken.push(self.decrypted(document));
        }
        taken
    }
}
