//! The help, and the error for a command line that cannot be understood.

use crate::command_line::{Arguments, Entry, entries};
use crate::everyday::meant;
use crate::failure::{CODE, render};
use crate::json;
use crate::look::Look;
use crate::outcome::{Outcome, Terminal};
use clap::builder::StyledStr;
use clap::{Command, CommandFactory as _};
use justwhy_project::Error;
use std::ffi::OsString;
use std::fmt::Write as _;

/// The entry of a command.
fn entry(name: &str) -> Option<Entry> {
    entries().into_iter().find(|entry| entry.name == name)
}

/// The command line for the help, the manual and the completions: grouped, with examples, and in each
/// command only the options that work there.
pub(crate) fn program() -> Command {
    let mut program = Arguments::command();
    program.build();
    let groups = groups(&program);
    let template = format!(
        "{{about-with-newline}}\n{{usage-heading}} {{usage}}\n\n{groups}\nOptions:\n{{options}}{{after-help}}"
    );
    let names: Vec<String> =
        program.get_subcommands().map(|command| command.get_name().to_owned()).collect();
    for name in names {
        let Some(entry) = entry(&name) else { continue };
        program = program.mut_subcommand(name, |command| with_entry(command, &entry));
    }
    program.help_template(template)
}

/// The commands by their groups, each with what it does.
fn groups(program: &Command) -> String {
    let mut out = String::new();
    let mut last = "";
    let entries = entries();
    let widest = entries.iter().map(|entry| entry.name.len()).max().unwrap_or(0);
    for entry in &entries {
        if entry.group != last {
            // Writing to a String cannot fail.
            let _ = writeln!(out, "{}{}:", if last.is_empty() { "" } else { "\n" }, entry.group);
            last = entry.group;
        }
        let about = program.find_subcommand(entry.name).and_then(Command::get_about);
        let about = about.map(StyledStr::to_string).unwrap_or_default();
        let _ = writeln!(out, "  {:widest$}  {about}", entry.name);
    }
    out
}

fn with_entry(mut command: Command, entry: &Entry) -> Command {
    for option in entry.without {
        if command.get_arguments().any(|argument| argument.get_id() == option) {
            command = command.mut_arg(option, |argument| argument.hide(true));
        }
    }
    let forms = match entry.name {
        "check" => "Output form: text, json, sarif or junit",
        "grid" => "Output form: text, json, csv or html",
        _ => "Output form: text or json",
    };
    if command.get_arguments().any(|argument| argument.get_id() == "output") {
        command = command.mut_arg("output", |argument| argument.help(forms));
    }
    let examples: String = entry.examples.iter().map(|line| format!("  {line}\n")).collect();
    let mut text = format!("Examples:\n{}", examples.trim_end());
    if let Some(note) = command.get_after_help() {
        text = format!("{note}\n\n{text}");
    }
    command.after_help(text)
}

/// The help that these words ask for.
pub(crate) fn asked(words: &[OsString]) -> StyledStr {
    let mut program = program();
    let mut named = words.iter().skip(1).filter_map(|word| word.to_str());
    let name = named.find(|word| program.find_subcommand(word).is_some()).map(str::to_owned);
    let mut command = match name.and_then(|name| program.find_subcommand_mut(&name).cloned()) {
        Some(command) => command,
        None => program.clone(),
    };
    let inner = named.find(|word| command.find_subcommand(word).is_some()).map(str::to_owned);
    if let Some(inner) = inner.and_then(|name| command.find_subcommand(&name).cloned()) {
        command = inner;
    }
    command.render_help()
}

/// What is wrong with a command line, and what to do about it.
pub(crate) fn problem(error: &clap::Error) -> (String, Vec<String>) {
    use clap::error::{ContextKind, ContextValue, ErrorKind};
    if error.kind() == ErrorKind::InvalidSubcommand
        && let Some(ContextValue::String(name)) = error.get(ContextKind::InvalidSubcommand)
    {
        let names: Vec<&str> = entries().iter().map(|entry| entry.name).collect();
        let help = match meant(name, &names) {
            Some(command) => format!("did you mean justwhy {command}?"),
            None => "justwhy --help lists the commands".to_owned(),
        };
        return (format!("no command has the name {name}"), vec![help]);
    }
    let plain = error.render().to_string();
    let mut message: Vec<&str> = Vec::new();
    let mut helps = Vec::new();
    for line in plain.lines().map(str::trim) {
        if line.starts_with("Usage:") || line.starts_with("For more information") {
            break;
        }
        match line.strip_prefix("tip: ") {
            Some(tip) => helps.push(tip.to_owned()),
            None if line.is_empty() || !helps.is_empty() => {}
            None => message.push(line),
        }
    }
    let message = message.join(" ");
    let message = message.strip_prefix("error: ").unwrap_or(&message).to_owned();
    if helps.is_empty() {
        let usage = plain.lines().find_map(|line| line.trim().strip_prefix("Usage: "));
        helps.extend(usage.map(|usage| format!("the usage is {usage}")));
    }
    (message, helps)
}

/// The option of that name that a command does not have, as people write it.
pub(crate) fn option(name: &str) -> String {
    match name {
        "context" => "--in".to_owned(),
        name => format!("--{}", name.replace('_', "-")),
    }
}

/// What clap made of the arguments: help and the version are no errors.
pub(crate) fn of_arguments(
    error: &clap::Error,
    words: &[OsString],
    terminal: &Terminal,
) -> Outcome {
    if !error.use_stderr() {
        let text = match error.kind() {
            clap::error::ErrorKind::DisplayHelp => asked(words),
            _ => error.render(),
        };
        let text = match terminal.look.colour {
            true => text.ansi().to_string(),
            false => text.to_string(),
        };
        return Outcome { result: text.into(), notes: String::new(), code: 0, done: Vec::new() };
    }
    let (message, helps) = problem(error);
    let problem = helps.into_iter().fold(Error::new("bad-argument", message), Error::help);
    let look = Look { colour: terminal.errors_in_colour, ..terminal.look };
    let is_json = |word: &OsString| word == "json";
    let is_output = |word: &OsString| word == "--output" || word == "-o";
    let wants_json = words.windows(2).any(|pair| is_output(&pair[0]) && is_json(&pair[1]))
        || words.iter().any(|word| word == "--output=json" || word == "-ojson");
    let result = match wants_json {
        true => crate::printable::printable_json(json::failure(&problem)),
        false => String::new(),
    };
    Outcome { result: result.into(), notes: render(&problem, &look), code: CODE, done: Vec::new() }
}
