//! `identity new`: makes an identity, with which what is encrypted for it is read.

use crate::arguments::{Common, Form};
use crate::json;
use crate::look::{Look, Role};
use crate::outcome::Outcome;
use crate::running::Runs;
use crate::running::{Asked, Running};
use clap::{Args, Subcommand};
use justwhy_core::Context;
use justwhy_encryption::{IDENTITY_VARIABLE, new_identity};
use justwhy_project::{Error, Tracking, World};
use serde::Serialize;
use std::io;
use std::path::Path;
use std::path::PathBuf;

#[derive(Subcommand, Debug)]
pub(crate) enum IdentityAct {
    /// Write a new identity to a file that only you can read, and print its recipient
    New {
        /// The new file
        #[arg(value_name = "FILE")]
        file: PathBuf,
    },
}

#[derive(Args, Debug)]
pub(crate) struct IdentityArguments {
    #[command(subcommand)]
    pub(crate) act: IdentityAct,
}

impl Runs for IdentityArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        let Asked { common, look, .. } = running.asked;
        let IdentityAct::New { file } = &self.act;
        new(file, common, look, &**running.world)
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct IdentityBody {
    /// The file with the identity.
    file: String,
    /// What is encrypted for it is encrypted for this.
    recipient: String,
    /// Whether git tracks the file, or would; null if that is unknown.
    tracked: Option<bool>,
}

pub(crate) fn new(
    file: &Path,
    common: &Common,
    look: &Look,
    world: &dyn World,
) -> Result<Outcome, Vec<Error>> {
    let shown = file.display().to_string();
    let full = world.current_folder().unwrap_or_default().join(file);
    let made = format!("made by justwhy on {}", world.today());
    let recipient = new_identity(&full, &made).map_err(|error| vec![not_made(&shown, &error)])?;
    let (tracked, warning) = tracking(&full, &shown, world);
    let mut notes = String::new();
    if let Some(warning) = warning {
        let label = look.paint(Role::Warning, "warning");
        notes.push_str(&format!("{label}: {}\n", look.text(&warning)));
    }
    let told = format!(
        "The identity is in {shown}; only you can read it. To decrypt, set {IDENTITY_VARIABLE} to \
         this path. The recipient is public: add it to `recipients` under [secrets] in the project \
         file."
    );
    look.paragraph(&mut notes, &told, "");
    let result = match common.output {
        Form::Json => {
            let body = IdentityBody { file: shown, recipient: recipient.clone(), tracked };
            json::text(&json::Answer::new("identity new", &Context::default(), body))
        }
        _ => format!("{recipient}\n"),
    };
    Ok(Outcome { result: result.into(), notes, code: 0, done: Vec::new() })
}

fn not_made(shown: &str, error: &io::Error) -> Error {
    match error.kind() {
        io::ErrorKind::AlreadyExists => {
            let message = format!("{shown} exists, and may be the only key to something");
            Error::new("not-written", message).help("name a new file; nothing was written")
        }
        io::ErrorKind::NotFound => {
            let message = format!("{shown} cannot be created: its folder does not exist");
            Error::new("not-written", message).help("create the folder, or name another file")
        }
        io::ErrorKind::Unsupported => {
            let message = format!("{shown} cannot be created: {error}");
            Error::new("not-written", message)
                .help("build it with the feature `encryption`, which is on by default")
        }
        _ => Error::new("not-written", format!("{shown} cannot be created: {error}"))
            .help("name a file in a folder of your own"),
    }
}

/// Whether git tracks the file, or would; and what to warn of.
fn tracking(full: &Path, shown: &str, world: &dyn World) -> (Option<bool>, Option<String>) {
    let (Some(folder), Some(name)) = (full.parent(), full.file_name()) else {
        return (None, None);
    };
    match world.tracking(folder, &[name.into()]) {
        Tracking::Known(tracked) if tracked.contains(&true) => {
            let warning = format!(
                "git would track {shown}; with it, everybody who reads the repository can decrypt. \
                 Add it to .gitignore, or move it outside the repository"
            );
            (Some(true), Some(warning))
        }
        Tracking::Known(_) | Tracking::NoRepository => (Some(false), None),
        Tracking::Unknown(why) => {
            (None, Some(format!("whether git would track {shown} is uncertain: {why}")))
        }
    }
}
