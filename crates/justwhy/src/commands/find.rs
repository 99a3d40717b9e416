//! `find`: which settings have a value, in any context, and where it is written.

use super::grid::ShownUnread;
use crate::json::{self, ShownContext, ShownProvenance, ShownValue};
use crate::look::{Role, Symbol};
use crate::outcome::Outcome;
use crate::progress::Progress;
use crate::running::Answering;
use crate::running::Running;
use crate::running::Runs;
use crate::running::reading;
use clap::Args;
use justwhy_core::{Context, ContextSet, Hit, Resolution, list_values};
use justwhy_engine::{Occurrence, Occurrences, find};
use justwhy_project::Error;
use serde::Serialize;

#[derive(Args, Debug)]
pub(crate) struct FindArguments {
    /// What the value is or contains; what is secret is never found
    #[arg(value_name = "VALUE")]
    pub(crate) value: String,
}

impl Runs for FindArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.answer(|answering| run(answering, &self.value))
    }
}

/// The most contexts that are named one by one in the text.
const MOST_NAMED: usize = 4;

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct FindBody<'a> {
    value: &'a str,
    contexts: usize,
    hits: Vec<ShownHit>,
    /// Contexts that cannot be read, which are not counted in `contexts`.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    not_read: Vec<ShownUnread>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownHit {
    key: String,
    #[serde(flatten)]
    stand: ShownProvenance,
    value: ShownValue,
    /// Whether only references or conversion made it so.
    made: bool,
    in_force: Vec<ShownContext>,
    /// Where it decides, and the setting is in error, unreadable or uncertain for that.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    breaks: Vec<ShownContext>,
    candidate_in: usize,
    #[serde(skip_serializing_if = "json::is_false")]
    local: bool,
}

pub(crate) fn run(answering: &Answering<'_>, value: &str) -> Result<Outcome, Vec<Error>> {
    if value.is_empty() {
        let error = Error::new("bad-argument", "find looks for a value, and this one is empty");
        return Err(vec![error.help("every value contains nothing; name a part of one")]);
    }
    let progress = Progress::begin("reading the project");
    let here = answering.context();
    let reads = |count: usize| progress.now(|| reading(count));
    let show = |resolution: &Resolution, hit: &Hit| ShownProvenance::of(resolution, &hit.stand);
    let finding = find(answering.snapshot, here, value, &reads, show)?;
    let Occurrences { mut places, contexts: read, formed: count, is_apart, unread } = finding;
    places.sort_by(|one, other| {
        let by = |it: &Occurrence<ShownProvenance>| (it.candidate_in.first(), it.is_made);
        (&one.key, other.shown.rank(), &one.place, by(one)).cmp(&(
            &other.key,
            one.shown.rank(),
            &other.place,
            by(other),
        ))
    });
    // What was not looked at could have it.
    let is_yes = !places.is_empty() && unread.is_empty();
    let notes = super::unread_notes(answering.look, &unread);
    let result = if answering.as_json() {
        let hits = places.into_iter().map(|place| ShownHit {
            key: place.key,
            stand: place.shown,
            value: ShownValue(place.value),
            made: place.is_made,
            in_force: place.in_force.iter().map(|at| ShownContext(read[at].clone())).collect(),
            breaks: place.breaks.iter().map(|at| ShownContext(read[at].clone())).collect(),
            candidate_in: place.candidate_in.len(),
            local: place.is_local,
        });
        let not_read = unread.iter().map(ShownUnread::of).collect();
        let body = FindBody { value, contexts: read.len(), hits: hits.collect(), not_read };
        json::text(&json::Answer::new("find", answering.context(), body))
    } else {
        let looked = looked(count, is_apart.then_some(here), unread.len());
        text(answering, value, &places, &read, &looked)
    };
    Ok(answering.outcome(result, notes, is_yes))
}

fn text(
    answering: &Answering<'_>,
    value: &str,
    found: &[Occurrence<ShownProvenance>],
    read: &[Context],
    looked: &str,
) -> String {
    let look = answering.look;
    let mut out = String::new();
    let mut last = "";
    for place in found {
        if place.key != last {
            if !out.is_empty() {
                out.push('\n');
            }
            out.push_str(&look.paint(Role::Key, &place.key));
            out.push('\n');
            last = &place.key;
        }
        let is_in_force = !place.in_force.is_empty();
        let (symbol, role) = match (is_in_force, place.breaks.is_empty()) {
            (true, _) => (Symbol::Decides, Role::Value),
            (false, false) => (Symbol::Decides, Role::Warning),
            (false, true) => (Symbol::Lost, Role::Lost),
        };
        let shown = look.cut(&look.text(&place.value.show()), look.columns().max(60) - 4);
        let symbol = look.paint(role, look.symbol(symbol));
        out.push_str(&format!("  {symbol} {}\n", look.paint(role, &shown)));
        let made = if place.is_made { ", made by references or conversion" } else { "" };
        let local = if place.is_local { ", which describes where you stand now" } else { "" };
        let stand = format!("{}, {}{made}{local}", place.shown.layer(), place.place);
        let in_force = || format!("in force {}", summary(&place.in_force, read));
        let breaks = || format!("it decides {}, and cannot be used", summary(&place.breaks, read));
        let force = match (is_in_force, place.breaks.is_empty()) {
            (true, true) => in_force(),
            (true, false) => format!("{}; {}", in_force(), breaks()),
            (false, false) => breaks(),
            (false, true) => "in force in none of them".to_owned(),
        };
        for (role, line) in [(Role::Place, stand), (Role::Lost, force)] {
            for line in look.wrap(&line, look.columns().saturating_sub(4)) {
                out.push_str(&format!("    {}\n", look.paint(role, &line)));
            }
        }
    }
    if found.is_empty() {
        out.push_str(&look.text(&format!("nothing that is not secret is or contains {value}")));
        out.push('\n');
    }
    out.push_str(&format!("\n{}\n", look.paint(Role::Lost, looked)));
    out
}

/// Where it was looked, as a sentence: of `count` contexts that the axes form, and where one stands.
fn looked(count: usize, apart: Option<&Context>, unread: usize) -> String {
    let apart = match apart {
        Some(here) => format!(" and in the current one, {}", justwhy_engine::plain_context(here)),
        None => String::new(),
    };
    let contexts = if count == 1 { "context" } else { "contexts" };
    match unread {
        0 => format!("Looked at {count} {contexts}{apart}."),
        1 => format!("Looked at {count} {contexts}{apart}; 1 of them could not be read."),
        unread => {
            format!("Looked at {count} {contexts}{apart}; {unread} of them could not be read.")
        }
    }
}

/// In which contexts, in as few words as there are.
fn summary(numbers: &ContextSet, all: &[Context]) -> String {
    if numbers.len() == all.len() {
        return match all.len() {
            1 => "here".to_owned(),
            _ => "in every context".to_owned(),
        };
    }
    let Some(first) = all.first() else {
        return String::new();
    };
    let shown = |value: Option<&str>| value.unwrap_or("unset").to_owned();
    // As a product of values of axes, if it is one.
    let mut clauses: Vec<String> = Vec::new();
    let mut allowed: Vec<(usize, Vec<Option<&str>>)> = Vec::new();
    for (axis, value) in first.axes.iter().enumerate() {
        let values_in = |numbers: &mut dyn Iterator<Item = usize>| {
            let mut values: Vec<Option<&str>> = Vec::new();
            for number in numbers {
                let value = all[number].axes[axis].value.as_deref();
                if !values.contains(&value) {
                    values.push(value);
                }
            }
            values
        };
        let here = values_in(&mut numbers.iter());
        let everywhere = values_in(&mut (0..all.len()));
        if here.len() < everywhere.len() {
            let values: Vec<String> = here.iter().map(|value| shown(*value)).collect();
            clauses.push(format!("{}={}", value.axis, list_values(&values, "or")));
            allowed.push((axis, here));
        }
    }
    let is_allowed = |context: &Context| {
        allowed.iter().all(|(axis, values)| values.contains(&context.axes[*axis].value.as_deref()))
    };
    if all.iter().filter(|context| is_allowed(context)).count() == numbers.len() {
        return format!("for {}", clauses.join(", "));
    }
    if numbers.len() <= MOST_NAMED {
        let named: Vec<String> = numbers.iter().map(|number| all[number].to_string()).collect();
        return format!("in {}", list_values(&named, "and"));
    }
    format!("in {} of {} contexts", numbers.len(), all.len())
}
