//! `put`, `drop`, `move` and `encrypt`: change a value in a layer, and show what that changes.

use super::suppose::{self, Act};
use crate::outcome::Outcome;
use crate::running::{Running, Runs, Supposing};
use clap::Args;
use justwhy_core::{KeyPath, Pattern, Text};
use justwhy_engine::{Edits, Session, select};
use justwhy_project::Error;
use justwhy_system::{CHANGED, EditLock};
use std::io::Read as _;
use std::time::Duration;
use zeroize::Zeroizing;

// How whatever writes goes about it. (What is written for the help here would be there for all of
// the command.)
#[derive(Args, Clone, Copy, Debug)]
pub(crate) struct Writing {
    /// Show what would change; write nothing
    #[arg(long, short = 'n')]
    pub(crate) dry_run: bool,
    /// Include local layers and environment variables
    #[arg(long)]
    pub(crate) with_local: bool,
    /// Write even if check finds a new error, if a secret is less protected, or if an effective value
    /// changes by move or encrypt
    #[arg(long)]
    pub(crate) accept: bool,
}

#[derive(Args, Debug)]
pub(crate) struct PutArguments {
    /// The setting: a key, a variable, FILE:LINE, or a pattern that matches one
    #[arg(value_name = "KEY")]
    pub(crate) key: String,
    /// The value; `-` reads it from standard input, as a secret should be
    #[arg(value_name = "VALUE", allow_negative_numbers = true)]
    pub(crate) value: String,
    /// The layer to write to, in the context of --in
    #[arg(long, short, value_name = "LAYER")]
    pub(crate) layer: String,
    /// Write the value encrypted
    #[arg(long)]
    pub(crate) encrypt: bool,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

impl Runs for PutArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        let Self { value, layer, encrypt, .. } = self;
        let edit = EditCommand::Put { value, layer, encrypts: *encrypt };
        running.supposing(|supposing| run(supposing, &self.key, edit, self.writing))
    }
}

#[derive(Args, Debug)]
pub(crate) struct DropArguments {
    /// The setting: a key, a variable, FILE:LINE, or a pattern that matches one
    #[arg(value_name = "KEY")]
    pub(crate) key: String,
    /// The layer to remove it from, in the context of --in
    #[arg(long, short, value_name = "LAYER")]
    pub(crate) layer: String,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

impl Runs for DropArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        let edit = EditCommand::Drop { layer: &self.layer };
        running.supposing(|supposing| run(supposing, &self.key, edit, self.writing))
    }
}

#[derive(Args, Debug)]
pub(crate) struct MoveArguments {
    /// The setting: a key, a variable, FILE:LINE, or a pattern that matches one
    #[arg(value_name = "KEY")]
    pub(crate) key: String,
    /// The layer that sets it, in the context of --in
    #[arg(long, value_name = "LAYER")]
    pub(crate) from: String,
    /// The layer to set it, in the same context
    #[arg(long, value_name = "LAYER")]
    pub(crate) to: String,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

impl Runs for MoveArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        let edit = EditCommand::Move { from: &self.from, to: &self.to };
        running.supposing(|supposing| run(supposing, &self.key, edit, self.writing))
    }
}

#[derive(Args, Debug)]
#[command(
    after_help = "Encrypted values are decrypted in memory, with the identities in the file of \
                  JUSTWHY_IDENTITY."
)]
pub(crate) struct EncryptArguments {
    /// The setting: a key, a variable, FILE:LINE, or a pattern that matches one
    #[arg(value_name = "KEY")]
    pub(crate) key: String,
    /// The layer that sets it, in the context of --in
    #[arg(long, short, value_name = "LAYER")]
    pub(crate) layer: String,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

impl Runs for EncryptArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        let edit = EditCommand::Encrypt { layer: &self.layer };
        running.supposing(|supposing| run(supposing, &self.key, edit, self.writing))
    }
}

/// How long others may edit before it is given up.
const PATIENCE: Duration = Duration::from_secs(60);

/// What is done to what layers have of a setting.
#[derive(Clone, Copy)]
pub(crate) enum EditCommand<'a> {
    Put { value: &'a str, layer: &'a str, encrypts: bool },
    Drop { layer: &'a str },
    Move { from: &'a str, to: &'a str },
    Encrypt { layer: &'a str },
}

impl EditCommand<'_> {
    fn name(self) -> &'static str {
        match self {
            EditCommand::Put { .. } => "put",
            EditCommand::Drop { .. } => "drop",
            EditCommand::Move { .. } => "move",
            EditCommand::Encrypt { .. } => "encrypt",
        }
    }

    /// The layers that set something else then.
    fn layers(&self) -> Vec<&str> {
        match self {
            EditCommand::Put { layer, .. }
            | EditCommand::Drop { layer }
            | EditCommand::Encrypt { layer } => vec![layer],
            EditCommand::Move { from, to } => vec![from, to],
        }
    }

    /// If nobody's value is to change or go: what is printed then should one do.
    fn keeps_values(self) -> Option<&'static str> {
        match self {
            EditCommand::Put { .. } | EditCommand::Drop { .. } => None,
            EditCommand::Move { .. } => Some("an effective value would change"),
            EditCommand::Encrypt { .. } => Some(
                "an effective value would change: encrypted values are read as strings; declare the \
                 type in the catalogue",
            ),
        }
    }
}

pub(crate) fn run(
    supposing: &Supposing<'_>,
    key: &str,
    change: EditCommand<'_>,
    writing: Writing,
) -> Result<Outcome, Vec<Error>> {
    let one = |error| vec![error];
    let command = change.name();
    if supposing.asked.given.keys().next().is_some() {
        let message = format!("{command} writes; --set and --unset are for one run only");
        let error = Error::new("bad-argument", message);
        return Err(one(error.help("remove them, or use suppose")));
    }
    let session = supposing.session()?;
    let key = single(supposing, &session, key)?;
    let project = session.project();
    let is_typed = matches!(change, EditCommand::Put { value, .. } if value != "-");
    let put = match change {
        EditCommand::Put { value, .. } if is_typed => Some(value.into()),
        EditCommand::Put { .. } => Some(read_value(project.limits.file_bytes).map_err(one)?),
        _ => None,
    };
    let puts = &[(key.clone(), put)];
    let edits = match change {
        EditCommand::Put { layer, encrypts, .. } => Edits::Say { layer, puts, encrypts },
        EditCommand::Drop { layer } => Edits::Say { layer, puts, encrypts: false },
        EditCommand::Move { from, to, .. } => Edits::Move { key: &key, from, to },
        EditCommand::Encrypt { layer } => Edits::Encrypt { key: &key, layer },
    };
    // What it changes must be seen, and where you are may be where it is set.
    let is_local = |layer: &&str| project.layer_named(layer).is_ok_and(|it| project.is_local(it));
    let is_seen_here = change.layers().iter().any(is_local);
    // From here on nobody else edits, so that what is foretold is what happens.
    let lock = match writing.dry_run {
        true => None,
        false => Some(EditLock::of(&project.folder, PATIENCE).map_err(one)?),
    };
    let run = || {
        suppose::run(
            supposing,
            &suppose::SupposeOptions {
                variables: &[],
                no_variables: &[],
                without: &[],
                edits,
                keeps_values: change.keeps_values(),
                accepts: writing.accept,
                everywhere: true,
                with_local: writing.with_local || is_seen_here,
                is_typed,
                command,
                act: if writing.dry_run { Act::WriteNothing } else { Act::Write },
            },
        )
    };
    let outcome = until_nobody_else_edits(run);
    drop(lock);
    outcome
}

/// The one setting that is meant: it need not be there yet, unless it is given by a pattern or a place.
fn single(supposing: &Supposing<'_>, session: &Session, text: &str) -> Result<KeyPath, Vec<Error>> {
    let one = |error| vec![error];
    let invalid = |error: &dyn std::fmt::Display| {
        let error = Error::new("bad-argument", format!("invalid key: {error}"));
        one(error.help("write the key as justwhy list shows it, or its variable"))
    };
    let is_place = text.rsplit_once(':').is_some_and(|(_, line)| line.parse::<usize>().is_ok());
    if !is_place && !Pattern::has_wildcard(text) {
        return KeyPath::parse(text).map_err(|error| invalid(&error));
    }
    let common = supposing.asked.common;
    let snapshot = session.snapshot(supposing.asked.given.clone(), true);
    let context = snapshot.here(common.context.as_deref()).map_err(one)?;
    let answers = snapshot.at(context).map_err(one)?;
    let resolution = answers.resolution();
    let found = select::settings(resolution, snapshot.inside(), text).map_err(one)?;
    let shown: Vec<String> = found.iter().map(|key| resolution.keys().show(*key)).collect();
    match shown.as_slice() {
        [key] => KeyPath::parse(key).map_err(|error| invalid(&error)),
        [] => {
            let error = Error::new("unknown-key", format!("no setting matches {text}"));
            Err(one(error.help("justwhy list shows all settings")))
        }
        several => Err(one(several_match(text, several))),
    }
}

/// Several settings where a single one is needed.
pub(crate) fn several_match(text: &str, keys: &[String]) -> Error {
    const MOST: usize = 12;
    let message = format!("{text} matches {} settings, but a single one is needed", keys.len());
    let mut shown: Vec<String> = keys.iter().take(MOST).cloned().collect();
    if keys.len() > MOST {
        shown.push(format!("{} more", keys.len() - MOST));
    }
    Error::new("bad-argument", message)
        .help(format!("name one of {}", justwhy_core::list_values(&shown, "and")))
}

/// Somebody may edit the same file for another project: then it is looked at anew.
fn until_nobody_else_edits(
    run: impl Fn() -> Result<Outcome, Vec<Error>>,
) -> Result<Outcome, Vec<Error>> {
    const TRIES: u32 = 50;
    let mut outcome = run();
    for number in 1..TRIES {
        let was_changed = |errors: &Vec<Error>| errors.iter().any(|error| error.code() == CHANGED);
        if !outcome.as_ref().is_err_and(was_changed) {
            break;
        }
        // Two that go on in step would lose against each other for ever.
        let pause = (std::process::id() + 3 * number) % 11;
        std::thread::sleep(Duration::from_millis(u64::from(pause)));
        outcome = run();
    }
    outcome
}

/// What is on standard input, without the line end after it. It may be a secret.
fn read_value(most: u64) -> Result<Text, Error> {
    let refused = |why: &str| {
        let error = Error::new("bad-argument", format!("the value on standard input {why}"));
        error.help("nothing was written")
    };
    // Nothing of a secret stays behind where it was read to, unless it is a very long one.
    let mut bytes = Zeroizing::new(Vec::with_capacity(64 * 1024));
    let input = std::io::stdin().lock();
    let read = input.take(most + 1).read_to_end(&mut bytes);
    read.map_err(|error| refused(&format!("cannot be read: {error}")))?;
    if bytes.len() as u64 > most {
        return Err(refused(&format!("has more than {most} bytes (`file_bytes` under [limits])")));
    }
    let value = std::str::from_utf8(&bytes).map_err(|_| refused("is not UTF-8"))?;
    let line = value.strip_suffix('\n');
    let value = line.map_or(value, |line| line.strip_suffix('\r').unwrap_or(line));
    Ok(Text::secret(value.to_owned()))
}
