//! Variables whose value is the path of the file that has the value.

use super::{Opened, Reader};
use hashbrown::HashSet;
use justwhy_core::{
    Claims, Document, Former, KeyId, Layer, NamedBy, Names, Naming, Note, Origin, Place, Value,
};
use justwhy_formats::{Format, View};
use std::sync::Arc;

/// What is to be done with a leaf.
enum Found {
    /// The file has the value.
    Content(Box<Document>, Origin),
    /// Nobody knows the value: why.
    Unread(String),
}

impl Reader {
    /// The same, with the contents of the files that variables name by a suffix.
    pub(super) fn followed(
        &mut self,
        layer: &Layer,
        suffix: &str,
        opened: Vec<Opened>,
    ) -> Vec<Opened> {
        let Names::Variables(naming) = layer.names.clone() else { return opened };
        let naming = &naming;
        let known = match naming.prefix.is_empty() && naming.claims == Claims::Known {
            true => Some(self.declared_variables(naming)),
            false => None,
        };
        let mut all = Vec::with_capacity(opened.len());
        for one in opened {
            let mut gone: Vec<usize> = Vec::new();
            let mut unread: Vec<(usize, KeyId, String)> = Vec::new();
            for (number, leaf) in one.document.leaves.iter().enumerate() {
                let written = self.keys.segment(leaf.name).to_owned();
                let Some(name) = written.strip_suffix(suffix).filter(|name| !name.is_empty())
                else {
                    continue;
                };
                let is_ours = name.starts_with(&naming.prefix)
                    && known.as_ref().is_none_or(|known| known.contains(name));
                if !is_ours
                    || one.document.note(narrow(number)).is_some_and(|it| it.unreadable.is_some())
                {
                    continue;
                }
                let (name, above) = (name.to_owned(), self.keys.parent(leaf.name));
                let value = leaf.value.clone();
                let key = Arc::make_mut(&mut self.keys).child(above, &name);
                match self.content(&name, above, &value) {
                    Found::Content(mut document, origin) => {
                        gone.push(number);
                        let by = Place::in_text(
                            one.origin.clone(),
                            one.document.text.as_ref(),
                            one.document.leaves[number].at,
                        );
                        let who = match by.has_line() {
                            true => format!("{written} ({})", by),
                            false => written.clone(),
                        };
                        document.named = Some(NamedBy { who: who.into(), is_value: true });
                        let document = self.decrypted(*document);
                        let has_section = one.has_section;
                        all.push(Opened { origin, document, untyped: true, has_section });
                    }
                    Found::Unread(why) => unread.push((number, key, why)),
                }
            }
            if gone.is_empty() && unread.is_empty() {
                all.push(one);
                continue;
            }
            let mut document = Document::clone(&one.document);
            for (number, name, why) in unread {
                let leaf = &mut document.leaves[number];
                (leaf.name, leaf.value) = (name, Value::Unread);
                let note = Arc::new(Note { unreadable: Some(why.into()), ..Note::default() });
                match document.notes.binary_search_by_key(&number, |(leaf, _)| *leaf) {
                    Ok(at) => document.notes[at].1 = note,
                    Err(at) => document.notes.insert(at, (number, note)),
                }
            }
            let document = document.with_leaves(|number, _| gone.binary_search(&number).is_err());
            all.push(Opened { document: Arc::new(document), ..one });
        }
        all
    }

    /// What the file has that a variable names.
    fn content(&mut self, name: &str, above: KeyId, value: &Value) -> Found {
        let Some(path) = value.as_text() else {
            return Found::Unread("the name of its file cannot be read".to_owned());
        };
        let path = path.to_string();
        if path.is_empty() {
            return Found::Unread("it names no file".to_owned());
        }
        if path.contains("${") {
            return Found::Unread("the name of its file has a reference in it".to_owned());
        }
        match self.text(&path) {
            Ok(Some(text)) => {
                let view = View::whole(Format::ENTRY).of_entry(name);
                let mut own = justwhy_core::Keys::default();
                let read = view.read(text.text(), &mut own, self.project.limits);
                let Ok(justwhy_formats::Seen::Documents(documents)) = read else {
                    return Found::Unread(format!("its file {path} cannot be read"));
                };
                let here = Arc::make_mut(&mut self.keys);
                let mut document = documents.into_iter().next().unwrap_or_default();
                document.leaves.iter_mut().for_each(|leaf| leaf.name = here.child(above, name));
                document.text = Some(text);
                Found::Content(Box::new(document), Origin::file(&path))
            }
            Ok(None) => Found::Unread(format!("its file {path} was not found")),
            Err(error) => Found::Unread(format!("its file cannot be read: {}", error.message())),
        }
    }

    /// The variables of all that is declared.
    fn declared_variables(&self, naming: &Naming) -> HashSet<String> {
        let mut names = HashSet::new();
        for declared in self.project.declared.iter() {
            names.insert(match &declared.variable {
                Some(variable) => variable.clone(),
                None => naming.variable_of(declared.key.segments()),
            });
            names.extend(declared.also.iter().map(|name| match name {
                Former::Variable(name) => name.clone(),
                Former::Key(path) => naming.variable_of(path.segments()),
            }));
        }
        names
    }
}

/// Documents have fewer leaves than that.
fn narrow(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}
