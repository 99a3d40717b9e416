//! The client: permits, asks, keeps.

use crate::copies::{Copy, Shelf};
use crate::etcd::{Etcd, Session};
use crate::http::{Line, Log, problem};
use crate::permit::{self, Permit};
use crate::service::{Fresh, Service};
use crate::time::{age, now};
use crate::token::Token;
use crate::wire::WireScope;
use crate::{Change, WriteProblem};
use justwhy_core::Scope;
use justwhy_core::parallel::lock;
use justwhy_project::{Answered, Consent, Kept, Question, Store, StoreProblem, Stores};
use justwhy_system::Place;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, OnceLock};
use std::time::{Duration, Instant};
use ureq::Agent;

/// How a client asks.
#[derive(Clone, Debug)]
pub struct Options {
    /// Nothing is contacted; copies stand for answers.
    pub offline: bool,
    /// Where the user's own files are.
    pub place: Place,
}

/// A store, a scope and a variable of it.
type VariableName = (String, String, String);

/// Asks stores on behalf of the user who runs this process.
pub struct Client {
    options: Options,
    /// Where the repository is that wants stores to be asked.
    repository: OnceLock<PathBuf>,
    consent: OnceLock<Consent>,
    log: Log,
    /// One for each address and entry that allows it, so that a connection serves several questions.
    agents: Mutex<HashMap<(String, Option<String>), Agent>>,
    /// What each etcd store gave us for user and password.
    sessions: Mutex<HashMap<String, Token>>,
    told: Mutex<HashMap<String, Told>>,
    /// What tells the revision of each variable that was read from one of the same number elsewhere.
    marks: Mutex<HashMap<VariableName, (u64, String)>>,
    /// Until when all stores of the run may be asked.
    until: OnceLock<Instant>,
}

/// What a connection is for.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Purpose {
    Read,
    Write,
}

/// What was learnt about a store besides its scopes.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Told {
    /// The newest revision in its answers.
    pub revision: Option<u64>,
    /// How old the copy is that was used as an answer, as a clause.
    pub copy: Option<String>,
    /// Whether it said that a copy still holds.
    pub was_same: bool,
}

impl Client {
    /// A client that has asked nothing yet.
    pub fn new(options: Options) -> Client {
        Client {
            options,
            repository: OnceLock::new(),
            consent: OnceLock::new(),
            log: Mutex::default(),
            agents: Mutex::default(),
            sessions: Mutex::default(),
            told: Mutex::default(),
            marks: Mutex::default(),
            until: OnceLock::new(),
        }
    }

    /// The stores for which a copy was used, each with how old that is, as a clause.
    pub fn copies(&self) -> Vec<(String, String)> {
        let told = lock(&self.told);
        let copies =
            told.iter().filter_map(|(store, told)| Some((store.clone(), told.copy.clone()?)));
        let mut copies: Vec<(String, String)> = copies.collect();
        copies.sort();
        copies
    }

    /// When what is asked now must have been answered: all stores of a run have as long together as one
    /// may take.
    fn deadline(&self, timeout: Duration) -> Instant {
        let now = Instant::now();
        (now + timeout).min(*self.until.get_or_init(|| now + timeout))
    }

    /// Remembers by what each variable is told from another one of the same revision.
    fn remember(&self, store: &Store, scopes: &[WireScope]) {
        let mut marks = lock(&self.marks);
        for scope in scopes {
            for (name, variable) in scope.variables.iter().filter(|(_, it)| !it.mark.is_empty()) {
                let by = (store.name.clone(), scope.name.clone(), name.clone());
                marks.insert(by, (variable.revision, variable.mark.clone()));
            }
        }
    }

    /// Says which repository wants stores to be asked: what is in it is no word of the user.
    pub fn on_behalf_of(&self, repository: &Path) {
        let _ = self.repository.set(repository.to_owned());
    }

    /// What was asked so far, a line for each request; nothing in it comes from a store.
    pub fn log(&self) -> Vec<String> {
        lock(&self.log).clone()
    }

    /// Where the user's own files are.
    pub fn place(&self) -> &Place {
        &self.options.place
    }

    /// What was learnt about the store of that name.
    pub fn told(&self, store: &str) -> Told {
        lock(&self.told).get(store).cloned().unwrap_or_default()
    }

    /// As whom the store takes us, and in which role; `None` if it has no word for that.
    pub fn caller(&self, store: &Store) -> Result<Option<(String, Option<String>)>, StoreProblem> {
        if self.options.offline {
            return Err(StoreProblem::Unavailable("not contacted (--offline)".to_owned()));
        }
        let permits = self.permits(store)?;
        match &store.kept {
            Kept::File(_) => Ok(None),
            Kept::Service(_) => {
                let line = self.line(&permits, Purpose::Read)?;
                let caller = Service::new(line, 64 * 1024).caller()?;
                Ok(Some((caller.name, Some(caller.role))))
            }
            Kept::Etcd { root, .. } => {
                let etcd = self.etcd(store, self.lines(&permits, Purpose::Read)?, root, 64 * 1024);
                Ok(etcd.caller().map(|user| (user, None)))
            }
        }
    }

    /// Changes a variable if what is expected is there. Asks once: who is told that nobody knows
    /// whether the change was made must look.
    pub fn write(&self, store: &Store, change: &Change) -> Result<u64, WriteProblem> {
        let refused = WriteProblem::Refused;
        if self.options.offline {
            let why = "not written (--offline)".to_owned();
            return Err(refused(StoreProblem::Unavailable(why)));
        }
        let permits = self.permits(store).map_err(refused)?;
        const MOST: u64 = 1024 * 1024;
        match &store.kept {
            Kept::File(_) => {
                let why = "a store in a file is written as a file".to_owned();
                Err(refused(StoreProblem::Unavailable(why)))
            }
            Kept::Service(_) => {
                let line = self.line(&permits, Purpose::Write).map_err(refused)?;
                let by = (store.name.clone(), change.scope.clone(), change.variable.clone());
                let mark = lock(&self.marks).get(&by).cloned();
                Service::new(line, MOST).write(change, mark)
            }
            Kept::Etcd { root, .. } => {
                let lines = self.lines(&permits, Purpose::Write).map_err(refused)?;
                self.etcd(store, lines, root, MOST).write(change)
            }
        }
    }

    fn permits(&self, store: &Store) -> Result<Vec<Permit>, StoreProblem> {
        let here = || std::env::current_dir().unwrap_or_else(|_| PathBuf::from("/"));
        let repository = self.repository.get_or_init(here);
        let consent = self.consent.get_or_init(|| self.options.place.consent(repository));
        permit::permits(store, consent, &self.options.place, &|name| std::env::var_os(name))
    }

    /// What keeps connections for what a permit allows. Who writes takes a new one: nobody can find out
    /// whether a connection that was kept is still there until something was sent.
    fn agent(&self, permit: &Permit, purpose: Purpose) -> Result<Agent, StoreProblem> {
        // Each entry of `stores.toml` has authorities and a certificate of its own.
        let entry = (permit.address.clone(), permit.allowed.token_variable.clone());
        match (purpose, lock(&self.agents).get(&entry)) {
            (Purpose::Write, _) => return Line::agent(permit),
            (Purpose::Read, Some(known)) => return Ok(known.clone()),
            (Purpose::Read, None) => {}
        }
        let agent = Line::agent(permit)?;
        lock(&self.agents).insert(entry, agent.clone());
        Ok(agent)
    }

    fn line<'c>(
        &'c self,
        permits: &'c [Permit],
        purpose: Purpose,
    ) -> Result<Line<'c>, StoreProblem> {
        match permits.first() {
            Some(permit) => {
                let deadline = match purpose {
                    Purpose::Read => self.deadline(permit.allowed.timeout),
                    Purpose::Write => Instant::now() + permit.allowed.timeout,
                };
                Ok(Line::new(permit, self.agent(permit, purpose)?, &self.log, deadline))
            }
            None => Err(StoreProblem::Unavailable("the store has no address".to_owned())),
        }
    }

    /// A line to each node; all of them together have as long as one may take.
    fn lines<'c>(
        &'c self,
        permits: &'c [Permit],
        purpose: Purpose,
    ) -> Result<Vec<Line<'c>>, StoreProblem> {
        let began = Instant::now();
        let nodes = u32::try_from(permits.len()).unwrap_or(u32::MAX).max(1);
        let line = |(at, permit): (usize, &'c Permit)| {
            // A node that is silent must leave time for the next.
            let share = permit.allowed.timeout / nodes;
            let until = u32::try_from(at).unwrap_or(0).saturating_add(1);
            let deadline = began + share.max(Duration::from_millis(1)) * until;
            let deadline = match purpose {
                Purpose::Read => deadline.min(self.deadline(permit.allowed.timeout)),
                Purpose::Write => deadline,
            };
            Ok(Line::new(permit, self.agent(permit, purpose)?, &self.log, deadline))
        };
        permits.iter().enumerate().map(line).collect()
    }

    fn etcd<'c>(
        &'c self,
        store: &'c Store,
        lines: Vec<Line<'c>>,
        root: &'c str,
        most: u64,
    ) -> Etcd<'c> {
        Etcd::new(lines, root, most, Session { of: &store.name, known: &self.sessions })
    }

    /// Asks, and keeps what is answered.
    fn fresh(
        &self,
        store: &Store,
        question: &Question<'_>,
        shelf: Option<&Shelf>,
    ) -> Result<Vec<Arc<Scope>>, StoreProblem> {
        let unreadable = match &store.token_variable {
            Some(name) => format!("{} does not show it to the token in {name}", store.name),
            None => format!("{} does not show it without a token", store.name),
        };
        // Only what could be used is kept.
        let use_and_keep = |scopes: Vec<WireScope>, revision: u64, etag: Option<String>| {
            self.remember(store, &scopes);
            let text = shelf.map(|it| it.text_of(&scopes, revision, etag, question.is_secret));
            let used = used(store, scopes, &unreadable)?;
            self.learn(store, Some(revision), None, false);
            if let (Some(shelf), Some(text)) = (shelf, &text) {
                shelf.keep(text);
            }
            Ok(used)
        };
        let permits = self.permits(store)?;
        match &store.kept {
            Kept::File(_) => Err(StoreProblem::Unavailable("the store is a file".to_owned())),
            Kept::Service(_) => {
                let service = Service::new(self.line(&permits, Purpose::Read)?, question.most);
                // What was kept is of use only if nothing was left out of it.
                let copy = shelf.and_then(|shelf| shelf.take(question.is_secret));
                let copy = copy.filter(|copy| copy.etag.is_some());
                let etag = copy.as_ref().and_then(|copy| copy.etag.as_deref());
                match (service.read(question.asked, etag)?, copy) {
                    (Fresh::Same, Some(mut copy)) => {
                        if let Some(shelf) = shelf {
                            shelf.confirm(&mut copy);
                        }
                        self.learn(store, Some(copy.revision), None, true);
                        self.remember(store, &copy.scopes);
                        used(store, copy.scopes, &unreadable)
                    }
                    (Fresh::Same, None) => Err(problem(
                        &permits[0],
                        "store-answer",
                        "unexpected answer: not modified".to_owned(),
                    )),
                    (Fresh::New { scopes, revision, etag }, _) => {
                        let etag = Some(etag).filter(|etag| !etag.is_empty());
                        use_and_keep(scopes, revision, etag)
                    }
                }
            }
            Kept::Etcd { root, .. } => {
                let etcd =
                    self.etcd(store, self.lines(&permits, Purpose::Read)?, root, question.most);
                let (scopes, revision) = etcd.read(question.asked)?;
                use_and_keep(scopes, revision, None)
            }
        }
    }

    fn learn(&self, store: &Store, revision: Option<u64>, copy: Option<String>, same: bool) {
        let mut told = lock(&self.told);
        let told = told.entry(store.name.clone()).or_default();
        told.revision = told.revision.max(revision);
        told.was_same |= same;
        if copy.is_some() {
            told.copy = copy;
        }
    }

    /// The copy that stands for an answer.
    fn kept(
        &self,
        store: &Store,
        question: &Question<'_>,
        shelf: Option<&Shelf>,
    ) -> Result<(Copy, String), StoreProblem> {
        match shelf.and_then(|shelf| shelf.take(question.is_secret)) {
            Some(copy) => {
                let old =
                    format!("this is the cached copy of {} (--offline)", age(copy.kept_at, now()));
                self.learn(store, Some(copy.revision), Some(old.clone()), false);
                Ok((copy, old))
            }
            None => Err(StoreProblem::Unavailable(format!(
                "the store {} is not contacted (--offline), and has no cached copy",
                store.name
            ))),
        }
    }
}

impl Stores for Client {
    fn ask(&self, store: &Store, question: &Question<'_>) -> Result<Answered, StoreProblem> {
        let folder = self.options.place.copies.as_deref();
        let shelf = folder.map(|folder| Shelf::of(folder, store, question.asked));
        if !self.options.offline {
            let scopes = self.fresh(store, question, shelf.as_ref())?;
            return Ok(Answered { scopes, copy: None });
        }
        let (copy, old) = self.kept(store, question, shelf.as_ref())?;
        let unreadable = "secrets have no cached copy (--offline)";
        let scopes = used(store, copy.scopes, unreadable)?;
        Ok(Answered { scopes, copy: Some(old) })
    }
}

/// The scopes as the core knows them; `unreadable` is why a secret without a value has none.
fn used(
    store: &Store,
    scopes: Vec<WireScope>,
    unreadable: &str,
) -> Result<Vec<Arc<Scope>>, StoreProblem> {
    let scopes = scopes.into_iter().map(|scope| scope.into_scope(unreadable).map(Arc::new));
    scopes.collect::<Result<Vec<Arc<Scope>>, String>>().map_err(|reason| StoreProblem::Failed {
        code: "store-answer",
        address: store.place(),
        reason: format!("invalid answer: {reason}"),
        help: None,
    })
}
