//! The scopes of stores that layers read.

use super::{Opened, Reader, load};
use hashbrown::HashMap;
use justwhy_core::{
    AxisOrigin, Context, Document, Fact, Former, KeyPath, Lack, Layer, Origin, Place, Presence,
    Scope, SourceText, is_near, nearest, scope_segments_match,
};
use justwhy_project::{
    Answered, Asked, Error, Kept, ProjectLayer, Question, Reads, Store, StoreProblem,
    store_file as file,
};
use std::sync::Arc;

/// What was read of stores, for all contexts.
#[derive(Clone, Default)]
pub(super) struct Scopes {
    /// What each store was asked for, and what it had: the numbers of the scopes.
    asked: HashMap<(usize, Asked), Result<Known, StoreProblem>>,
    /// The scopes of each store that is a file, with its text.
    files: HashMap<usize, Result<KeptInFile, Vec<Error>>>,
    /// Every scope that was read, with its source.
    scopes: Vec<(Arc<Scope>, Origin, Option<SourceText>)>,
    /// What each kind of context makes of a scope.
    documents: HashMap<(usize, Vec<Option<Fact>>), Arc<Document>>,
}

/// The numbers of scopes.
#[derive(Clone, Default)]
struct Known {
    scopes: Vec<usize>,
    /// How old the copy is that stands for the answer.
    copy: Option<String>,
}

/// Why no scopes were read.
pub enum NotRead {
    /// The store is not asked here: why, as a clause.
    Unavailable(String),
    /// It cannot be read: the error, and its reason alone, as a clause.
    Failed(Error, String),
}

#[derive(Clone)]
struct KeptInFile {
    /// The names and numbers of its scopes.
    scopes: Vec<(Arc<str>, usize)>,
}

impl Reader {
    /// The documents of the scopes that a layer reads here, weakest first; or why there are none.
    pub(super) fn open_scopes(
        &mut self,
        number: usize,
        (layer, store): (&mut Layer, usize),
        context: &Context,
    ) -> Result<Vec<Opened>, Error> {
        let project = Arc::clone(&self.project);
        let declared = &project.layers[number];
        let Some(wanted) = layer.scope.as_ref().map(|scope| scope.scope.clone()) else {
            return Ok(Vec::new());
        };
        self.may_be_sent(declared, store, context)?;
        let known = match self.matching(declared, store, &wanted) {
            Ok(known) => known,
            Err(NotRead::Unavailable(why)) => {
                layer.presence = Presence::Unavailable(why);
                return Ok(Vec::new());
            }
            Err(NotRead::Failed(error, _)) => return Err(error),
        };
        if let Some(scope) = &mut layer.scope {
            scope.copy = known.copy;
        }
        if known.scopes.is_empty() {
            if !wanted.contains('*') && !declared.optional {
                return Err(self.missing_scope(declared, store, &wanted));
            }
            let store = project.stores[store].name.clone();
            layer.presence = Presence::Missing(Lack::Scope { store, scope: wanted });
        }
        let opened = known.scopes.into_iter().map(|number| {
            let document = self.scope_document(number, context);
            Opened::new(self.scopes.scopes[number].1.clone(), document, true)
        });
        Ok(opened.collect())
    }

    /// Refuses to send a value to a store that came out of this machine and that nobody has listed: it
    /// could be anything that is in a variable or a file.
    pub(crate) fn may_be_sent(
        &self,
        declared: &ProjectLayer,
        store: usize,
        context: &Context,
    ) -> Result<(), Error> {
        let Reads::Scope(scope, _) = &declared.reads else { return Ok(()) };
        let kept = &self.project.stores[store];
        if matches!(kept.kept, Kept::File(_)) {
            return Ok(());
        }
        for name in scope.axes() {
            let Some(value) = context.axes.iter().find(|value| value.axis == name) else {
                continue;
            };
            let is_from_here = matches!(
                value.origin,
                AxisOrigin::Variable(_) | AxisOrigin::File(_) | AxisOrigin::FileVariable { .. }
            );
            let is_listed = self.project.axis(name).is_some_and(|axis| {
                axis.axis.allowed.iter().any(|allowed| Some(allowed) == value.value.as_ref())
            });
            if !is_from_here || is_listed {
                continue;
            }
            let consent = self.world.consent(&self.project.repository);
            if consent.user().is_some_and(|user| user.open_axes.iter().any(|axis| axis == name)) {
                continue;
            }
            let from = value.origin.phrase();
            let message = format!(
                "{} would send the value of the axis {name} to the store {}; it is from {from}, and not \
                 listed in `allowed`",
                declared.name, kept.name
            );
            let file = self.world.consent_file();
            return Err(Error::new("not-sent", message)
                .also("declared at", &self.project.file, self.position(declared.at))
                .help(format!(
                    "list it in `allowed`, or add to {file}: open_axes = [\"{name}\"]"
                )));
        }
        Ok(())
    }

    /// The scopes that a layer would read here, for who asks about the store rather than about
    /// settings: see [`Snapshot::scopes_of`](crate::Snapshot::scopes_of).
    pub(crate) fn scopes_of(
        &mut self,
        number: usize,
        store: usize,
        wanted: &str,
    ) -> Result<Vec<Arc<Scope>>, NotRead> {
        let known = self.matching(&Arc::clone(&self.project).layers[number], store, wanted)?;
        let scopes = known.scopes.into_iter().map(|number| &self.scopes.scopes[number].0);
        Ok(scopes.map(Arc::clone).collect())
    }

    /// The scopes that match a name or pattern, in byte order of their names.
    fn matching(
        &mut self,
        declared: &ProjectLayer,
        store: usize,
        wanted: &str,
    ) -> Result<Known, NotRead> {
        let asked = Asked::of(wanted);
        let project = Arc::clone(&self.project);
        let store_declared = &project.stores[store];
        let mut known = match &store_declared.kept {
            Kept::File(path) => {
                let failed = |error: Error| {
                    let reason = error.to_string();
                    NotRead::Failed(error, reason)
                };
                self.in_file(declared, store, path, &asked).map_err(failed)?
            }
            _ => self.ask(store, asked).map_err(|problem| match problem {
                StoreProblem::Unavailable(why) => NotRead::Unavailable(why),
                StoreProblem::Failed { ref reason, .. } => {
                    let reason = reason.clone();
                    let error = self.cannot_ask(declared, store_declared, &problem);
                    NotRead::Failed(error, reason)
                }
            })?,
        };
        let scopes = &self.scopes.scopes;
        known.scopes.retain(|number| scope_segments_match(wanted, &scopes[*number].0.name));
        known.scopes.sort_by(|one, other| scopes[*one].0.name.cmp(&scopes[*other].0.name));
        Ok(known)
    }

    /// What a kind of context makes of a scope.
    fn scope_document(&mut self, number: usize, context: &Context) -> Arc<Document> {
        let (scope, _, text) = &self.scopes.scopes[number];
        let reasons = scope.reasons(context);
        if let Some(known) = self.scopes.documents.get(&(number, reasons.clone())) {
            return Arc::clone(known);
        }
        let keys = Arc::make_mut(&mut self.keys);
        let document = scope.document(number, keys, context, text.as_ref());
        let document = self.decrypted(document);
        Arc::make_mut(&mut self.scopes).documents.insert((number, reasons), Arc::clone(&document));
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
                Arc::make_mut(&mut self.scopes).files.insert(store, kept.clone());
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
        self.note_stamp(path);
        let Some(text) = load(&self.project, &*self.world, path).map_err(one)? else {
            let store = &self.project.stores[store];
            let message = format!(
                "file not found: the store {} of the layer {} is {path}",
                store.name, declared.name
            );
            let error = Error::new("missing-file", message).at(path, None);
            let at = self.position(store.at);
            let error = error.also("declared at", &self.project.file, at);
            return Err(vec![error.help("create it: justwhy = 1, then [scope.NAME.variables]")]);
        };
        let scopes = file::read(path, &text, self.project.limits)?;
        let origin = Origin::file(path);
        let mut numbers = Vec::with_capacity(scopes.len());
        for scope in scopes {
            numbers.push((Arc::clone(&scope.name), self.scopes.scopes.len()));
            Arc::make_mut(&mut self.scopes).scopes.push((
                scope,
                origin.clone(),
                Some(text.clone()),
            ));
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
        let answer = match &self.stores {
            Some(stores) => {
                let is_secret = |name: &str| self.is_secret_variable(name);
                stores.ask(declared, &Question { asked: &by.1, most, is_secret: &is_secret })
            }
            None => Err(StoreProblem::Unavailable("stores are not contacted here".to_owned())),
        };
        let known = answer.map(|Answered { scopes, copy }| {
            let add = |scope: Arc<Scope>| {
                let source = format!("{}:{}", declared.name, scope.name);
                let source = Origin::Scope(source.into());
                Arc::make_mut(&mut self.scopes).scopes.push((scope, source, None));
                self.scopes.scopes.len() - 1
            };
            Known { scopes: scopes.into_iter().map(add).collect(), copy }
        });
        Arc::make_mut(&mut self.scopes).asked.insert(by, known.clone());
        known
    }

    /// Whether a variable could be a secret by what the catalogue declares: whatever is before it in
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
            "the store {} of the layer {} cannot be used ({address}): {reason}",
            store.name, declared.name
        );
        let at = self.position(declared.at);
        let error = Error::new(code, message)
            .at_place(Place::whole(Origin::Scope(store.name.as_str().into())));
        let error = error.also("declared at", &self.project.file, at);
        match help {
            Some(help) => error.help(help),
            None => error,
        }
    }

    fn missing_scope(&self, declared: &ProjectLayer, store: usize, wanted: &str) -> Error {
        let name = &self.project.stores[store].name;
        let message = format!(
            "scope not found: {} reads the scope {wanted} of the store {name}",
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
                error = error.help(format!("did you mean {near}?"));
            }
        }
        error.help("create the scope, or add optional = true to the layer")
    }
}
