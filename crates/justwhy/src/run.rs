//! From arguments to an outcome.

use crate::arguments::Form;
use crate::command_line::{Arguments, Command};
use crate::commands;
use crate::failure;
use crate::given;
use crate::help;
use crate::outcome::{Outcome, Terminal};
use crate::printable::printable;
use crate::running::{Asked, Running, requests};
use clap::Parser as _;
use justwhy_encryption::Keyring;
use justwhy_project::{Error, World};
use justwhy_stores::{Client, Options};
use justwhy_system::Place;
use std::ffi::OsString;
use std::sync::Arc;

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
        Err(error) => return of_launch(words, help::of_arguments(&error, words, terminal)),
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
    let answer = match misplaced_form(&arguments).or_else(|| misplaced_option(&arguments)) {
        Some(error) => Err(vec![error]),
        None => {
            let program = help::program;
            let running = Running { asked, world, program, again: run };
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
        .map(|(store, copy)| look.text(&format!("note: store {store}: {copy}")) + "\n");
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
        Form::Csv | Form::Html => "only grid has the forms csv and html",
        Form::Sarif => "only check and uses have the form sarif",
        Form::Junit => "only check has the form junit",
        Form::Text | Form::Json => return None,
    };

    Some(Error::new("bad-argument", message).help("every command has --output json"))
}

/// Refuses a common option that does nothing in the command.
fn misplaced_option(arguments: &Arguments) -> Option<Error> {
    let entry = arguments.command.as_ref()?.entry();
    let option = entry.without.iter().find(|option| arguments.common.has(option))?;
    let message = format!("{} has no option {}", entry.name, help::option(option));
    Some(Error::new("bad-argument", message).help(match (*option, entry.name) {
        ("context", "compare") => "compare takes its contexts as arguments".to_owned(),
        ("set" | "unset", "put" | "drop" | "move" | "encrypt") => {
            "it is for one run only; justwhy suppose shows what it changes".to_owned()
        }
        _ => format!("justwhy {} --help lists its options", entry.name),
    }))
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
