//! `justwhy`: which value a setting has here, which source gave it, and why every other source
//! lost.
//!
//! [`run::run`] reads like a table of contents. Everything is rendered to a `String`; only this
//! file writes to the terminal and exits.

mod arguments;
mod command_line;
mod commands;
mod dumps;
mod everyday;
mod failure;
mod fingerprint;
mod given;
mod help;
mod json;
mod look;
mod outcome;
mod printable;
mod progress;
mod putting;
mod run;
mod running;
#[cfg(test)]
mod schema;
mod unfreed;

use look::Look;
use outcome::{Outcome, Terminal};
use std::io::{IsTerminal as _, Write as _};
use std::process::ExitCode;
use std::sync::Arc;

fn main() -> ExitCode {
    let words: Vec<std::ffi::OsString> = std::env::args_os().collect();
    dumps::leave_out();
    let world: Arc<dyn justwhy_project::World> = Arc::new(justwhy_system::System);
    let outcome = run::run(&words, &terminal(), &world);
    write_out(&outcome)
}

/// What is known about where the output goes.
fn terminal() -> Terminal {
    let variable = |name: &str| std::env::var(name).ok().filter(|value| !value.is_empty());
    let locale = ["LC_ALL", "LC_CTYPE", "LANG"].into_iter().find_map(variable);
    let locale = locale.unwrap_or_default().to_ascii_lowercase();
    let is_terminal = std::io::stdout().is_terminal();
    let width = terminal_size::terminal_size_of(std::io::stdout());
    let is_dumb = variable("TERM").is_some_and(|term| term == "dumb");
    Terminal {
        look: Look {
            width: width.map(|(width, _)| usize::from(width.0)),
            colour: is_terminal && variable("NO_COLOR").is_none() && !is_dumb,
            symbols: locale.contains("utf-8") || locale.contains("utf8"),
        },
        errors_in_colour: std::io::stderr().is_terminal()
            && variable("NO_COLOR").is_none()
            && !is_dumb,
    }
}

/// Writes the result and what was noticed besides. A reader that has seen enough and closed the
/// pipe is no failure.
fn write_out(outcome: &Outcome) -> ExitCode {
    // Who closed the error stream does not want to read it.
    let _ = std::io::stderr().write_all(outcome.notes.as_bytes());
    let mut stdout = std::io::stdout().lock();
    let mut pieces = outcome.result.iter();
    let written = pieces.try_for_each(|piece| stdout.write_all(piece.as_bytes()));
    let written = written.and_then(|()| stdout.flush());
    match written {
        Err(error) if error.kind() != std::io::ErrorKind::BrokenPipe => {
            let done = match outcome.done.as_slice() {
                [] => String::new(),
                done => format!("; written to {}", justwhy_core::list_values(done, "and")),
            };
            let message = format!("justwhy: the result cannot be printed: {error}{done}\n");
            let _ = std::io::stderr().write_all(message.as_bytes());
            ExitCode::from(2)
        }
        _ => ExitCode::from(outcome.code),
    }
}
