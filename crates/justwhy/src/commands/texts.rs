//! `completions` and `manual`: texts made from the command line's own definition.

use crate::arguments::{Common, Form};
use crate::json;
use crate::outcome::Outcome;
use crate::running::Running;
use crate::running::Runs;
use clap::Args;
use justwhy_core::Context;
use justwhy_project::Error;
use serde::Serialize;

#[derive(Args, Debug)]
pub(crate) struct CompletionsArguments {
    /// The shell
    #[arg(value_name = "SHELL", value_enum)]
    pub(crate) shell: clap_complete::Shell,
}

impl Runs for CompletionsArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        Ok(completions(self.shell, (running.program)(), running.asked.common))
    }
}

#[derive(Args, Debug)]
pub(crate) struct ManualArguments {
    /// The command
    #[arg(value_name = "COMMAND")]
    pub(crate) command: Option<String>,
}

impl Runs for ManualArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        manual(self.command.as_deref(), (running.program)(), running.asked.common)
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct TextsBody {
    text: String,
}

fn outcome(command: &'static str, text: String, common: &Common) -> Outcome {
    let result = match common.output {
        Form::Text | Form::Sarif | Form::Junit | Form::Csv | Form::Html => text,
        Form::Json => {
            json::text(&json::Answer::new(command, &Context::default(), TextsBody { text }))
        }
    };
    Outcome { result: result.into(), notes: String::new(), code: 0, done: Vec::new() }
}

pub(crate) fn completions(
    shell: clap_complete::Shell,
    mut program: clap::Command,
    common: &Common,
) -> Outcome {
    let mut script = Vec::new();
    clap_complete::generate(shell, &mut program, "justwhy", &mut script);
    outcome("completions", String::from_utf8_lossy(&script).into_owned(), common)
}

pub(crate) fn manual(
    command: Option<&str>,
    mut program: clap::Command,
    common: &Common,
) -> Result<Outcome, Vec<Error>> {
    program.build();
    let page = match command {
        None => program,
        Some(name) => {
            let found = program.get_subcommands().find(|found| found.get_name() == name);
            found.cloned().ok_or_else(|| vec![unknown_command(&program, name)])?
        }
    };
    let mut roff = Vec::new();
    // Writing to memory does not fail.
    let _ = clap_mangen::Man::new(page).render(&mut roff);
    Ok(outcome("manual", String::from_utf8_lossy(&roff).into_owned(), common))
}

fn unknown_command(program: &clap::Command, name: &str) -> Error {
    let names: Vec<&str> = program.get_subcommands().map(clap::Command::get_name).collect();
    let error = Error::new("bad-argument", format!("no command has the name {name}"));
    match crate::everyday::meant(name, &names) {
        Some(near) => error.help(format!("did you mean {near}?")),
        None => error.help(format!("the commands are {}", names.join(", "))),
    }
}
