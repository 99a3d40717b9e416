//! The scopes of stores that layers read.

use super::{Opened, Reader, load};
use crate::error::Error;
use crate::project::ProjectLayer;
use crate::stores::{Answered, Asked, Kept, Question, Store, StoreProblem, file};
use hashbrown::HashMap;
use justwhy_core::{
    Context, Document, Former, KeyPath, Lack, Layer, Presence, Scope, SourceText, is_near, nearest,
    scope_segments_match,
};
use std::sync::Arc;

/// What was read of stores, for all contexts.
#[derive(Default)]
pub(super) struct Scopes {
    /// What each store was asked for, and what it said: the numbers of the scopes.
    asked: HashMap<(usize, Asked), Result<Known, StoreProblem>>,
    /// The scopes of each store that is a file, with its text.
    files: HashMap<usize, Result<KeptInFile, Vec<Error>>>,
    /// Every scope that was read, with its source.
    scopes: Vec<(Arc<Scope>, Arc<str>, Option<SourceText>)>,
    /// What each kind of context makes of a scope.
    documents: HashMap<(usize, Vec<Option<String>>), Arc<Document>>,
}

/// The numbers of scopes.
#[derive(Clone, Default)]
struct Known {
    scopes: Vec<usize>,
    /// How old the copy is that stands for the answer.
    copy: Option<String>,
}

#[derive(Clone)]
struct KeptInFile {
    /// The names and numbers of its scopes.
    scopes: Vec<(Arc<str>, usize)>,
}

impl Reader<'_> {
    /// The documents of the scopes that a layer reads here, weakest first; or why there are none.
    pub(super) fn open_scopes(
        &mut self,
        number: usize,
        (layer, store): (&mut Layer, usize),
        context: &Context,
    ) -> Result<Vec<Opened>, Error> {
        let project = self.project;
        let declared = &project.layers[number];
        let store_declared = &project.stores[store];
        let Some(wanted) = layer.scope.as_ref().map(|scope| scope.scope.clone()) else {
            return Ok(Vec::new());
        };
        let asked = Asked::of(&wanted);
        let known = match &store_declared.kept {
            Kept::File(path) => self.in_file(declared, store, path, &asked)?,
            _ => match self.ask(store, asked) {
                Ok(known) => known,
                Err(StoreProblem::Unavailable(why)) => {
                    layer.presence = Presence::Unavailable(why);
                    return Ok(Vec::new());
                }
                Err(problem) => return Err(self.cannot_ask(declared, store_declared, &problem)),
            },
        };
        if let Some(scope) = &mut layer.scope {
            scope.copy = known.copy;
        }
        let scopes = &self.scopes.scopes;
        let mut matching: Vec<usize> = known
            .scopes
            .into_iter()
            .filter(|number| scope_segments_match(&wanted, &scopes[*number].0.name))
            .collect();
        matching.sort_by(|one, other| scopes[*one].0.name.cmp(&scopes[*other].0.name));
        if matching.is_empty() {
            if !wanted.contains('*') && !declared.optional {
                return Err(self.missing_scope(declared, store, &wanted));
            }
            let store = store_declared.name.clone();
            layer.presence = Presence::Missing(Lack::Scope { store, scope: wanted });
        }
        let opened = matching.into_iter().map(|number| {
            let document = self.scope_document(number, context);
            (Arc::clone(&self.scopes.scopes[number].1), document, true)
        });
        Ok(opened.collect())
    }

    /// What a kind of context makes of a scope.
    fn scope_document(&mut self, number: usize, context: &Context) -> Arc<Document> {
        let (scope, _, text) = &self.scopes.scopes[number];
        let reasons = scope.reasons(context);
        if let Some(known) = self.scopes.documents.get(&(number, reasons.clone())) {
            return Arc::clone(known);
        }
        let keys = Arc::make_mut(&mut self.keys);
        let one_of = u32::try_from(number).ok();
        let document = scope.document(keys, context, text.as_ref());
        let document = Arc::new(Document { one_of, ..document });
        self.scopes.documents.insert((number, reasons), Arc::clone(&document));
        document
    }

    /// The scopes of a store that is a file.
    fn in_file(
        &mut self,
        declared: &ProjectLayer,
        store: usize,
        path: &str,
        asked: &Asked,
    ) -> Result<Known, Error> {
        let kept = match self.scopes.files.get(&store) {
            Some(known) => known.clone(),
            None => {
                let kept = self.read_store(declared, store, path);
                self.scopes.files.insert(store, kept.clone());
                kept
            }
        };
        let kept = kept.map_err(|mut errors| errors.swap_remove(0))?;
        let scopes = kept.scopes.iter().filter(|(name, _)| asked.has(name));
        Ok(Known { scopes: scopes.map(|(_, number)| *number).collect(), copy: None })
    }

    fn read_store(
        &mut self,
        declared: &ProjectLayer,
        store: usize,
        path: &str,
    ) -> Result<KeptInFile, Vec<Error>> {
        let one = |error| vec![error];
        let Some(text) = load(self.project, self.world, path).map_err(one)? else {
            let store = &self.project.stores[store];
            let message = format!(
                "the store {}, which the layer {} reads, is the file {path}, which is not there",
                store.name, declared.name
            );
            let error = Error::new("missing-file", message).at(path, None);
            let at = self.position(store.at);
            let error = error.also("declared at", &self.project.file, at);
            return Err(vec![error.help("create it: justwhy = 1, then [scope.NAME.variables]")]);
        };
        let scopes = file::read(path, &text, self.project.limits)?;
        let source: Arc<str> = path.into();
        let mut numbers = Vec::with_capacity(scopes.len());
        for scope in scopes {
            numbers.push((Arc::clone(&scope.name), self.scopes.scopes.len()));
            self.scopes.scopes.push((scope, Arc::clone(&source), Some(text.clone())));
        }
        Ok(KeptInFile { scopes: numbers })
    }

    /// The scopes of a store that is none.
    fn ask(&mut self, store: usize, asked: Asked) -> Result<Known, StoreProblem> {
        let by = (store, asked);
        if let Some(known) = self.scopes.asked.get(&by) {
            return known.clone();
        }
        let declared = &self.project.stores[store];
        let most = self.project.limits.file_bytes;
        let answer = match self.stores {
            Some(stores) => {
                let is_secret = |name: &str| self.is_secret_variable(name);
                stores.ask(declared, &Question { asked: &by.1, most, is_secret: &is_secret })
            }
            None => Err(StoreProblem::Unavailable("stores are not asked here".to_owned())),
        };
        let known = answer.map(|Answered { scopes, copy }| {
            let add = |scope: Arc<Scope>| {
                let source = format!("{}:{}", declared.name, scope.name).into();
                self.scopes.scopes.push((scope, source, None));
                self.scopes.scopes.len() - 1
            };
            Known { scopes: scopes.into_iter().map(add).collect(), copy }
        });
        self.scopes.asked.insert(by, known.clone());
        known
    }

    /// Whether a variable could be a secret by what the catalogue declares: whatever stands before it in
    /// the name of a layer, it ends as the key does. A near miss is taken for one.
    fn is_secret_variable(&self, name: &str) -> bool {
        let name = name.to_ascii_uppercase();
        let tail = name.rsplit("__").next().unwrap_or_default();
        let is_it = |end: &str| {
            let end = end.to_ascii_uppercase().replace('-', "_");
            name.ends_with(&end) || is_near(&end, tail)
        };
        let of_key = |key: &KeyPath| key.segments().last().is_some_and(is_it);
        let secret = self.project.declared.iter().filter(|it| it.secret == Some(true));
        secret.into_iter().any(|declared| {
            let mut formerly = declared.formerly.iter();
            of_key(&declared.key)
                || declared.variable.as_deref().is_some_and(is_it)
                || formerly.any(|former| match former {
                    Former::Variable(name) => is_it(name),
                    Former::Key(key) => of_key(key),
                })
        })
    }

    fn cannot_ask(&self, declared: &ProjectLayer, store: &Store, problem: &StoreProblem) -> Error {
        let (code, address, reason, help) = match problem {
            StoreProblem::Failed { code, address, reason, help } => {
                (*code, address.clone(), reason.as_str(), help.as_deref())
            }
            StoreProblem::Unavailable(why) => ("store-failed", store.place(), why.as_str(), None),
        };
        let message = format!(
            "the store {}, whose scopes the layer {} reads, cannot be used ({address}): {reason}",
            store.name, declared.name
        );
        let at = self.position(declared.at);
        let error = Error::new(code, message).at(&store.name, None);
        let error = error.also("the layer is declared at", &self.project.file, at);
        match help {
            Some(help) => error.help(help),
            None => error,
        }
    }

    fn missing_scope(&self, declared: &ProjectLayer, store: usize, wanted: &str) -> Error {
        let name = &self.project.stores[store].name;
        let message = format!(
            "the layer {} reads the scope {wanted} of the store {name}, which is not there",
            declared.name
        );
        let source = match &self.project.stores[store].kept {
            Kept::File(path) => path.clone(),
            _ => name.clone(),
        };
        let mut error = Error::new("missing-scope", message).at(source, None).also(
            "declared at",
            &self.project.file,
            self.position(declared.at),
        );
        if let Some(Ok(kept)) = self.scopes.files.get(&store) {
            let names = kept.scopes.iter().map(|(name, _)| name.as_ref());
            if let Some(near) = nearest(wanted, names) {
                error = error.help(format!("there is {near}: is its name misspelt?"));
            }
        }
        error.help("write the scope, or say that it may be missing: optional = true")
    }
}
