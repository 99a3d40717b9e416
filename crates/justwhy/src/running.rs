//! What commands run in: what they are asked with, and the project that they read.

use crate::arguments::{Common, Form};
use crate::look::Look;
use crate::outcome::{Outcome, Pieces, Terminal};
use crate::progress::Progress;
use crate::unfreed::Unfreed;
use justwhy_core::{Answers, Context, Decrypts, Encrypts, KeyId, Kind, Resolution};
use justwhy_encryption::Keyring;
use justwhy_engine::{Overlay, Ports, Session, Snapshot, Waits, exhausted, select};
use justwhy_project::{Error, Stores, World};
use justwhy_stores::Client;
use std::ffi::OsString;
use std::path::Path;
use std::sync::Arc;

mod instead;

/// What runs a command.
pub(crate) trait Runs {
    /// Runs it.
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>>;

    /// Forms of output that no other command has.
    fn own_forms(&self) -> &'static [Form] {
        &[]
    }
}

/// What a command answers from.
pub(crate) struct Answering<'a> {
    pub(crate) snapshot: &'a Snapshot,
    pub(crate) answers: &'a Answers<'a>,
    pub(crate) common: &'a Common,
    pub(crate) look: &'a Look,
    pub(crate) given: &'a justwhy_engine::Arguments,
}

impl<'a> Answering<'a> {
    pub(crate) fn as_json(&self) -> bool {
        self.common.output == Form::Json
    }

    pub(crate) fn resolution(&self) -> &'a Resolution {
        self.answers.resolution()
    }

    pub(crate) fn context(&self) -> &'a Context {
        &self.resolution().readings().context
    }

    /// The outcome of a command that could be done, with what was noticed about the arguments.
    pub(crate) fn outcome(
        &self,
        result: impl Into<Pieces>,
        notes: String,
        is_yes: bool,
    ) -> Outcome {
        let notes = self.notes_on_unset() + &notes;
        Outcome { result: result.into(), notes, code: u8::from(!is_yes), done: Vec::new() }
    }

    /// An `--unset` of something that nothing mentions is probably a slip.
    fn notes_on_unset(&self) -> String {
        let mut notes = String::new();
        for path in self.given.unset_keys() {
            let keys = self.resolution().keys();
            let is_mentioned =
                keys.find(KeyId::ROOT, path).is_some_and(|key| self.is_mentioned(key));
            if is_mentioned {
                continue;
            }
            let shown = path.to_string();
            let near: Vec<String> = select::near_keys(self.resolution(), &shown)
                .into_iter()
                .filter(|near| *near != shown)
                .collect();
            let hint = match near.as_slice() {
                [] => String::new(),
                near => format!("; did you mean {}?", justwhy_core::list_values(near, "or")),
            };
            notes.push_str(
                &self.look.text(&format!("note: --unset {shown}: no layer sets it{hint}")),
            );
            notes.push('\n');
        }
        notes
    }

    /// Whether anything but the arguments sets `key` or of a key below it.
    fn is_mentioned(&self, key: KeyId) -> bool {
        let resolution = self.resolution();
        let is_other = |id| {
            let layer = resolution.layer_of(resolution.candidate(id));
            resolution.readings().layer(layer).kind != Kind::Arguments
        };
        let catalogue = &resolution.readings().catalogue;
        let mut keys = std::iter::once(key).chain(resolution.keys().below(key));
        keys.any(|key| {
            resolution.candidates(key).any(is_other) || catalogue.declared(key).is_some()
        })
    }
}

/// What a command that supposes or edits works with.
pub(crate) struct Supposing<'a> {
    pub(crate) asked: Asked<'a>,
    pub(crate) world: &'a Arc<dyn World>,
    pub(crate) progress: &'a Progress,
}

impl Supposing<'_> {
    /// The project as it is now: who writes looks at it again once nobody else does.
    pub(crate) fn session(&self) -> Result<Session, Vec<Error>> {
        self.asked.session(self.world)
    }
}

impl Waits for Supposing<'_> {
    fn reads(&self, contexts: usize) {
        self.progress.now(|| reading(contexts));
    }

    fn looks(&self) {
        self.progress.now(looking);
    }
}

/// What is being done while many contexts are read.
pub(crate) fn reading(contexts: usize) -> String {
    format!("reading {contexts} contexts")
}

/// What is being done while settings are looked at in many contexts.
pub(crate) fn looking() -> String {
    "looking at the settings".to_owned()
}

/// What was asked of stores, a line for each request.
pub(crate) fn requests(stores: &Client, look: &Look) -> String {
    stores.log().iter().map(|line| format!("asked: {}\n", look.text(line))).collect()
}

/// What every command that reads a project is asked with.
#[derive(Clone, Copy)]
pub(crate) struct Asked<'a> {
    pub(crate) common: &'a Common,
    pub(crate) look: &'a Look,
    pub(crate) given: &'a justwhy_engine::Arguments,
    pub(crate) stores: &'a Arc<Client>,
    pub(crate) keyring: &'a Arc<Keyring>,
}

impl Asked<'_> {
    /// The project that is asked about, with the environment of another process if one is asked for.
    pub(crate) fn session(&self, world: &Arc<dyn World>) -> Result<Session, Vec<Error>> {
        let other = with_variables(self.common, world)?;
        let ports = Ports {
            world: other.unwrap_or_else(|| Arc::clone(world)),
            stores: Some(Arc::clone(self.stores) as Arc<dyn Stores>),
            decrypts: Some(Arc::clone(self.keyring) as Arc<dyn Decrypts>),
            encrypts: Some(Arc::clone(self.keyring) as Arc<dyn Encrypts>),
        };
        let session = Session::open(ports, self.common.project.as_deref())?;
        self.stores.on_behalf_of(&session.project().repository);
        Ok(session)
    }
}

/// What a command about many contexts works with: nothing is read yet.
pub(crate) struct Surveying<'a> {
    pub(crate) snapshot: &'a Snapshot,
    pub(crate) common: &'a Common,
    pub(crate) look: &'a Look,
    pub(crate) stores: &'a Client,
    pub(crate) keyring: &'a Keyring,
    pub(crate) progress: &'a Progress,
}

/// What a command runs in.
pub(crate) struct Running<'a> {
    pub(crate) asked: Asked<'a>,
    pub(crate) world: &'a Arc<dyn World>,
    /// The whole command line, for those who describe it.
    pub(crate) program: fn() -> clap::Command,
    /// Runs another command line, as the demo does.
    pub(crate) again: fn(&[OsString], &Terminal, &Arc<dyn World>) -> Outcome,
}

impl Running<'_> {
    /// Reads the project file, and lets a command read what it wants.
    pub(crate) fn survey(
        &self,
        with_local: bool,
        command: impl FnOnce(&Surveying<'_>) -> Result<Outcome, Vec<Error>>,
    ) -> Result<Outcome, Vec<Error>> {
        let Asked { common, look, given, stores, keyring } = self.asked;
        let progress = &Progress::begin("reading the project");
        let snapshot = self.asked.session(self.world)?.snapshot(given.clone(), with_local);
        let snapshot = &Unfreed::new(snapshot, keyring.may_decrypt());
        command(&Surveying { snapshot, common, look, stores, keyring, progress })
    }

    /// Lets a command suppose something of a project that it opens itself.
    pub(crate) fn supposing(
        &self,
        command: impl FnOnce(&Supposing<'_>) -> Result<Outcome, Vec<Error>>,
    ) -> Result<Outcome, Vec<Error>> {
        let progress = &Progress::begin("reading the project");
        let Running { asked, world, .. } = *self;
        command(&Supposing { asked, world, progress })
    }

    /// Reads the project and all that it names here, resolves it, and lets a command answer from that.
    pub(crate) fn answer(
        &self,
        command: impl FnOnce(&Answering<'_>) -> Result<Outcome, Vec<Error>>,
    ) -> Result<Outcome, Vec<Error>> {
        let one = |error| vec![error];
        let Asked { common, look, given, keyring, .. } = self.asked;
        let mut given = given.clone();
        let (session, replaced) = instead::session(&self.asked, self.world, &mut given)?;
        let (snapshot, given) = (session.snapshot(given.clone(), true), &given);
        let snapshot = &Unfreed::new(snapshot, keyring.may_decrypt());
        let context = snapshot.here(common.context.as_deref()).map_err(one)?;
        let answers = snapshot.at(context).map_err(one)?;
        let answers = Unfreed::new(answers, keyring.may_decrypt());
        let outcome = command(&Answering { snapshot, answers: &answers, common, look, given })?;
        let unread = snapshot.unread_elsewhere();
        let notes = unread.iter().map(|what| {
            let told = format!(
                "note: {what} cannot be read; variables of settings that only it sets are not recognised"
            );
            look.text(&told) + "\n"
        });
        let replaced = replaced.iter().map(|what| look.text(&format!("note: {what}")) + "\n");
        let notes = replaced.chain(notes).collect::<String>() + &outcome.notes;
        let outcome = Outcome { notes, ..outcome };
        match answers.is_exhausted() {
            true => Err(vec![exhausted()]),
            false => Ok(outcome),
        }
    }
}

/// The world with the environment of another process, if one is asked for.
fn with_variables(
    common: &Common,
    world: &Arc<dyn World>,
) -> Result<Option<Arc<dyn World>>, Vec<Error>> {
    let Some(from) = &common.process_from else { return Ok(None) };
    let variables = other_process(from, &**world).map_err(|error| vec![error])?;
    let other = Overlay::new(Arc::clone(world), variables);
    Ok(Some(Arc::new(other.started_as(words_of(from, &**world)))))
}

/// How a process of that number is called, and the words that it was started with; none if nobody may see
/// them.
fn words_of(from: &str, world: &dyn World) -> Option<(String, Vec<String>)> {
    const MOST_BYTES: u64 = 4 * 1024 * 1024;
    if from.is_empty() || !from.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let path = Path::new("/proc").join(from).join("cmdline");
    let bytes = world.read_file(&path, MOST_BYTES).ok()?;
    let text = String::from_utf8_lossy(bytes.strip_suffix(b"\0").unwrap_or(&bytes)).into_owned();
    let words = text.split('\0').map(str::to_owned).collect();
    Some((format!("the command line of process {from}"), words))
}

/// The environment of the process of that number, or of a dump of one.
pub(crate) fn other_process(
    from: &str,
    world: &dyn World,
) -> Result<Vec<(OsString, OsString)>, Error> {
    const MOST_BYTES: u64 = 64 * 1024 * 1024;
    let is_number = !from.is_empty() && from.bytes().all(|byte| byte.is_ascii_digit());
    let path = match is_number {
        true => Path::new("/proc").join(from).join("environ"),
        false => world.current_folder().unwrap_or_default().join(from),
    };
    match world.read_file(&path, MOST_BYTES) {
        Ok(bytes) => Ok(justwhy_system::read_dump(&bytes)),
        Err(problem) => {
            let what = match is_number {
                true => format!("the environment of process {from}"),
                false => from.to_owned(),
            };
            let error = justwhy_project::unreadable(&problem, &what);
            Err(error.help("give a process ID, or a file that env wrote"))
        }
    }
}
