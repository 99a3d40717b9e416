//! `launch`: runs a program with the effective settings as its variables.

use super::effective::{Effective, Refused, is_null, refusal, taken};
use super::guarded::is_guarded;
use crate::outcome::Outcome;
use crate::running::Answering;
use crate::running::Runs;
use crate::running::{Asked, Running, requests};
use crate::{failure, json};
use clap::Args;
use justwhy_formats::variables;
use justwhy_project::Error;
use std::collections::HashSet;
use std::ffi::{OsStr, OsString};
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};
use std::process::Command;

#[derive(Args, Debug)]
pub(crate) struct LaunchArguments {
    /// The program and its arguments
    #[arg(value_name = "COMMAND", last = true, required = true)]
    pub(crate) command: Vec<OsString>,
}

impl Runs for LaunchArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        let Asked { common, look, stores, .. } = running.asked;
        // The program takes the place of all that would say it afterwards.
        let asked_for = || if common.verbose { requests(stores, look) } else { String::new() };
        running.answer(|answering| run(answering, &self.command, &asked_for))
    }
}

/// The exit codes that shells and their like have for what they could not run.
const OWN_FAILURE: u8 = 125;
const NOT_EXECUTABLE: u8 = 126;
const NOT_FOUND: u8 = 127;

/// The same with the exit code that means that it is ours, and not the program's.
pub(crate) fn as_own_failure(outcome: Outcome) -> Outcome {
    let is_said = matches!(outcome.code, NOT_EXECUTABLE | NOT_FOUND);
    Outcome { code: if is_said { outcome.code } else { OWN_FAILURE }, ..outcome }
}

/// Comes back only if the program could not be run. What is to be noted is written before it is.
pub(crate) fn run(
    answering: &Answering<'_>,
    command: &[OsString],
    requests: &dyn Fn() -> String,
) -> Result<Outcome, Vec<Error>> {
    let Some((program, arguments)) = command.split_first() else {
        return Err(vec![Error::new("bad-argument", "no program to run")]);
    };
    let mut effective = match Effective::of(answering, &answering.resolution().settings()) {
        Ok(effective) => effective,
        Err(refused) => return Ok(refusal(answering, "launch", refused)),
    };
    // What references put together past all bounds is not handed over in part.
    if answering.answers.is_exhausted() {
        return Err(vec![justwhy_engine::exhausted()]);
    }
    let nulls = effective.leave_out(|setting| !is_null(setting));
    let taken = taken(answering, &effective.settings);
    if !taken.is_empty() {
        return Ok(refusal(answering, "launch", taken));
    }
    let said = match variables(&effective.settings) {
        Ok(said) => said,
        Err(refused) => {
            let refused = refused.into_iter().map(Refused::from).collect();
            return Ok(refusal(answering, "launch", refused));
        }
    };
    let gone: HashSet<&OsStr> = effective
        .gone
        .iter()
        .chain(nulls.iter().map(|null| &null.variable))
        .filter(|name| answering.snapshot.project().purpose_of(name).is_none() && !is_guarded(name))
        .map(OsStr::new)
        .collect();
    let shown = answering.look.text(&program.to_string_lossy());
    let Some(found) = find(program) else {
        return Ok(not_run(answering, NOT_FOUND, &format!("program not found: {shown}"), NAME_ONE));
    };
    let mut child = Command::new(found);
    named(&mut child, program).args(arguments).env_clear();
    let around = answering.snapshot.world().variables();
    child.envs(around.into_iter().filter(|(name, _)| !gone.contains(name.as_os_str())));
    child.envs(said);
    let Outcome { notes, .. } = answering.outcome(String::new(), String::new(), true);
    // Who closed the error stream does not want to read it.
    let _ = io::stderr().write_all((requests() + &notes).as_bytes());
    crate::dumps::allow_again();
    let problem = become_it(&mut child);
    crate::dumps::leave_out();
    let (code, message, help) = match problem.kind() {
        io::ErrorKind::NotFound => (NOT_FOUND, format!("program not found: {shown}"), NAME_ONE),
        io::ErrorKind::ArgumentListTooLong => (
            OWN_FAILURE,
            format!("{shown} cannot be run: its arguments and variables are too long"),
            "use justwhy export and a file instead",
        ),
        _ => (
            NOT_EXECUTABLE,
            format!("{shown} cannot be run: {problem}"),
            "name an executable program",
        ),
    };
    Ok(not_run(answering, code, &message, help))
}

const NAME_ONE: &str = "name a program in PATH";

fn not_run(answering: &Answering<'_>, code: u8, message: &str, help: &str) -> Outcome {
    let error = Error::new("not-run", message).help(help);
    let result = if answering.as_json() { json::failure(&error) } else { String::new() };
    Outcome {
        result: result.into(),
        notes: failure::render(&error, answering.look),
        code,
        done: Vec::new(),
    }
}

/// The program of that name, by the `PATH` of the caller: never by one that a setting gives.
fn find(program: &OsStr) -> Option<PathBuf> {
    if program.to_string_lossy().contains(std::path::is_separator) {
        return Some(program.into());
    }
    let path = std::env::var_os("PATH").unwrap_or_default();
    let there = || std::env::split_paths(&path).map(|folder| folder.join(program));
    // One that may not be run is reported as such, if there is no other.
    there().find(|file| is_runnable(file)).or_else(|| there().find(|file| file.is_file()))
}

#[cfg(unix)]
fn is_runnable(file: &Path) -> bool {
    use std::os::unix::fs::PermissionsExt as _;
    std::fs::metadata(file).is_ok_and(|it| it.is_file() && it.permissions().mode() & 0o111 != 0)
}

#[cfg(not(unix))]
fn is_runnable(file: &Path) -> bool {
    file.is_file()
}

/// Lets the program know itself by the name that was asked for.
fn named<'c>(child: &'c mut Command, program: &OsStr) -> &'c mut Command {
    #[cfg(unix)]
    std::os::unix::process::CommandExt::arg0(child, program);
    #[cfg(not(unix))]
    let _ = program;
    child
}

/// Takes on the program, so that signals and the exit code are its own.
#[cfg(unix)]
fn become_it(child: &mut Command) -> io::Error {
    use std::os::unix::process::CommandExt as _;
    child.exec()
}

/// Runs the program, and ends as it does.
#[cfg(not(unix))]
fn become_it(child: &mut Command) -> io::Error {
    match child.status() {
        Ok(status) => std::process::exit(status.code().unwrap_or(OWN_FAILURE.into())),
        Err(error) => error,
    }
}
