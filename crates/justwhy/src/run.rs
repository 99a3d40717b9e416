//! From arguments to an outcome.

use crate::arguments::{Arguments, Command, Common, Form};
use crate::commands;
use crate::commands::Answering;
use crate::failure;
use crate::given;
use crate::look::Look;
use crate::printable::printable;
use crate::progress::Progress;
use crate::unfreed::Unfreed;
use clap::Parser as _;
use justwhy_core::{Decrypts, Encrypts};
use justwhy_encryption::Keyring;
use justwhy_engine::{Overlay, Ports, Session, Snapshot, exhausted};
use justwhy_project::{Error, Stores, World};
use justwhy_stores::{Client, Options};
use justwhy_system::Place;
use std::ffi::OsString;
use std::path::Path;
use std::sync::Arc;

/// What is known about where the output goes.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Terminal {
    pub(crate) look: Look,
    pub(crate) errors_in_colour: bool,
}

/// What a command comes to.
#[derive(Debug)]
pub(crate) struct Outcome {
    /// For stdout.
    pub(crate) result: Pieces,
    /// For stderr.
    pub(crate) notes: String,
    /// The exit code.
    pub(crate) code: u8,
    /// What was written, which must be said even if the result cannot be printed.
    pub(crate) done: Vec<String>,
}

/// A text in pieces, as several threads write a large one; nobody puts them together only to print them.
#[derive(Debug, Default)]
pub(crate) struct Pieces(Vec<String>);

impl Pieces {
    pub(crate) fn push(&mut self, piece: String) {
        self.0.push(piece);
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = &str> {
        self.0.iter().map(String::as_str)
    }

    pub(crate) fn into_each(self) -> impl Iterator<Item = String> {
        self.0.into_iter()
    }

    pub(crate) fn together(self) -> String {
        self.0.concat()
    }
}

impl From<String> for Pieces {
    fn from(text: String) -> Pieces {
        Pieces(vec![text])
    }
}

/// Runs the command line `words`, the program's name first.
pub(crate) fn run(words: &[OsString], terminal: &Terminal, world: &Arc<dyn World>) -> Outcome {
    // Scripts ask for no more than that, many times.
    if let [_, word] = words
        && matches!(word.to_str(), Some("--version" | "-V"))
    {
        let result = format!("justwhy {}\n", env!("CARGO_PKG_VERSION"));
        return Outcome { result: result.into(), notes: String::new(), code: 0, done: Vec::new() };
    }
    let arguments = match Arguments::try_parse_from(words) {
        Ok(arguments) => arguments,
        Err(error) => return of_launch(words, failure::of_arguments(&error, words, terminal)),
    };
    let common = &arguments.common;
    let given = match given::read(words) {
        Ok(given) => given,
        Err(error) => return of_launch(words, failure::of_common(&[error], common, terminal)),
    };
    let look = terminal.look.with_colour(common.color);
    let options = Options { offline: common.offline, place: Place::of_process() };
    let stores = &Arc::new(Client::new(options));
    let keyring = &Arc::new(Keyring::of_process());
    let asked = Asked { common, look: &look, given: &given, stores, keyring };
    let answer = match misplaced_form(&arguments) {
        Some(error) => Err(vec![error]),
        None => {
            let running = Running { asked, world };
            match &arguments.command {
                Some(command) => command.runs().run(&running),
                None => running.answer(commands::whereabouts::run),
            }
        }
    };
    let outcome = answer.unwrap_or_else(|errors| failure::of_common(&errors, common, terminal));
    let outcome = Outcome { result: printable(outcome.result, common.output), ..outcome };
    let copies = stores
        .copies()
        .into_iter()
        .map(|(store, copy)| look.text(&format!("note: of the store {store} {copy}")) + "\n");
    let outcome = Outcome { notes: copies.collect::<String>() + &outcome.notes, ..outcome };
    let is_launch = matches!(arguments.command, Some(Command::Launch(_)));
    let outcome = if is_launch { commands::launch::as_own_failure(outcome) } else { outcome };
    match common.verbose {
        true => Outcome { notes: requests(stores, &look) + &outcome.notes, ..outcome },
        false => outcome,
    }
}

/// Refuses a form of output that only another command has.
fn misplaced_form(arguments: &Arguments) -> Option<Error> {
    let form = arguments.common.output;
    let own = arguments.command.as_ref().map_or(&[][..], |command| command.runs().own_forms());
    if own.contains(&form) {
        return None;
    }
    let message = match form {
        Form::Csv | Form::Html => "only grid prints a table or a page",
        Form::Sarif | Form::Junit => "only check prints findings as SARIF or JUnit XML",
        Form::Text | Form::Json => return None,
    };
    Some(Error::new("bad-argument", message).help("--output json is understood everywhere"))
}

/// What arguments that could not be understood come to: a failure of `launch` is told from those of the
/// program that it would have run.
fn of_launch(words: &[OsString], outcome: Outcome) -> Outcome {
    let mut before = words.iter().skip(1).take_while(|word| *word != "--");
    match outcome.code != 0 && before.any(|word| word == "launch") {
        true => commands::launch::as_own_failure(outcome),
        false => outcome,
    }
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
        command: impl FnOnce(&commands::suppose::Supposing<'_>) -> Result<Outcome, Vec<Error>>,
    ) -> Result<Outcome, Vec<Error>> {
        let progress = &Progress::begin("reading the project");
        let Running { asked, world } = *self;
        command(&commands::suppose::Supposing { asked, world, progress })
    }

    /// Reads the project and all that it names here, resolves it, and lets a command answer from that.
    pub(crate) fn answer(
        &self,
        command: impl FnOnce(&Answering<'_>) -> Result<Outcome, Vec<Error>>,
    ) -> Result<Outcome, Vec<Error>> {
        let one = |error| vec![error];
        let Asked { common, look, given, keyring, .. } = self.asked;
        let snapshot = self.asked.session(self.world)?.snapshot(given.clone(), true);
        let snapshot = &Unfreed::new(snapshot, keyring.may_decrypt());
        let context = snapshot.here(common.context.as_deref()).map_err(one)?;
        let answers = snapshot.at(context).map_err(one)?;
        let answers = Unfreed::new(answers, keyring.may_decrypt());
        let outcome = command(&Answering { snapshot, answers: &answers, common, look, given })?;
        let unread = snapshot.unread_elsewhere();
        let notes = unread.iter().map(|what| {
            let told = format!(
                "note: {what} cannot be read: a variable for a setting that only stands there is not recognised"
            );
            look.text(&told) + "\n"
        });
        let outcome = Outcome { notes: notes.collect::<String>() + &outcome.notes, ..outcome };
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
    Ok(Some(Arc::new(Overlay::new(Arc::clone(world), variables))))
}

/// The environment of the process of that number, or of a dump of one.
fn other_process(from: &str, world: &dyn World) -> Result<Vec<(OsString, OsString)>, Error> {
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
            Err(error.help("--process-from takes the number of a process or a dump made by env"))
        }
    }
}
