//! How to change a setting from here: the command that does it, or what to edit.

use crate::look::{Cell, Look, Role};
use crate::putting::{command, word};
use justwhy_core::{Advice, Answers, Explanation};

/// The way to change it: the first that `put` can take, else the first of all. All of them if it is `full`.
pub(super) fn push(
    look: &Look,
    answers: &Answers<'_>,
    answer: &Explanation,
    is_full: bool,
    out: &mut String,
) {
    // A misspelt name is not to be set: the way on is to the setting that was meant.
    if let Some(meant) = answer.meant(answers) {
        let meant = word(&answers.resolution().keys().show(meant));
        let command = format!("justwhy explain {meant}");
        out.push('\n');
        let label = Cell::new(Role::Plain, "explain it");
        look.records(out, 2, &[vec![label, Cell::command(command)]]);
        return;
    }
    let label = if answer.winner.is_some() { "change it" } else { "set it" };
    let ways = ways(answers, answer);
    let shown: Vec<&Way> = match is_full {
        true => ways.iter().collect(),
        false => chosen(answer, &ways).into_iter().collect(),
    };
    let records = shown.into_iter().map(|(command, way)| {
        let way_to_go = match command {
            Some(command) => Cell::command(command.clone()),
            None => Cell::new(Role::Plain, in_words(answers, way)),
        };
        let mut cells = vec![Cell::new(Role::Plain, label), way_to_go];
        // A command that names its context shows where it reaches.
        let names_context = command.as_ref().is_some_and(|command| command.contains(" -i "));
        if is_full && !names_context {
            cells.push(Cell::new(Role::Lost, way.reach.clone()));
        }
        cells
    });
    let records: Vec<Vec<Cell>> = records.collect();
    if !records.is_empty() {
        out.push('\n');
        look.records(out, 2, &records);
    }
}

/// A way to change it: a command if there is one, and what it is.
type Way = (Option<String>, Advice);

fn ways(answers: &Answers<'_>, answer: &Explanation) -> Vec<Way> {
    let advice = answer.advice(answers).into_iter();
    advice.map(|way| (command(answers, answer, way.layer), way)).collect()
}

/// What wins is changed where it is; a new value goes where a command can write it.
fn chosen<'w>(answer: &Explanation, ways: &'w [Way]) -> Option<&'w Way> {
    let writable = ways.iter().find(|(command, _)| command.is_some());
    match answer.winner {
        Some(_) => ways.first(),
        None => writable.or(ways.first()),
    }
}

/// The way that is shown first, in words or as a command.
pub(in crate::commands) fn first_way(
    answers: &Answers<'_>,
    answer: &Explanation,
) -> Option<String> {
    let ways = ways(answers, answer);
    let (command, way) = chosen(answer, &ways)?;
    Some(command.clone().unwrap_or_else(|| in_words(answers, way)))
}

/// What to edit where no command can.
fn in_words(answers: &Answers<'_>, way: &Advice) -> String {
    let readings = answers.resolution().readings();
    match readings.layer(way.layer).kind {
        justwhy_core::Kind::Arguments => format!("{} (for one run)", way.write),
        justwhy_core::Kind::Process => {
            format!("set the environment variable {}", way.write.trim_end_matches("=…"))
        }
        _ => format!("edit {} at {}", way.write, way.at),
    }
}
