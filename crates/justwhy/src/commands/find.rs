//! `find`: which settings have a value, in any context, and where it is written.

use super::grid::ShownUnread;
use crate::json::{self, ShownContext, ShownProvenance, ShownValue};
use crate::look::{Cell, Role};
use crate::outcome::Outcome;
use crate::progress::Progress;
use crate::running::Answering;
use crate::running::Running;
use crate::running::Runs;
use crate::running::reading;
use clap::Args;
use justwhy_core::{Context, ContextSet, Hit, Resolution, in_words, sum_up};
use justwhy_engine::{Occurrence, Occurrences, find};
use justwhy_project::Error;
use serde::Serialize;

#[derive(Args, Debug)]
pub(crate) struct FindArguments {
    /// The value, or a part of it; secrets are not searched
    #[arg(value_name = "VALUE")]
    pub(crate) value: String,
}

impl Runs for FindArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.answer(|answering| run(answering, &self.value))
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct FindBody {
    value: String,
    contexts: usize,
    hits: Vec<ShownHit>,
    /// Contexts that cannot be read, which are not counted in `contexts`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    not_read: Vec<ShownUnread>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownHit {
    key: String,
    #[serde(flatten)]
    stand: ShownProvenance,
    value: ShownValue,
    /// Whether only references or conversion made it so.
    made: bool,
    takes_effect: Vec<ShownContext>,
    /// Where it wins, and the setting is in error, unreadable or uncertain.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    breaks: Vec<ShownContext>,
    candidate_in: usize,
    #[serde(default, skip_serializing_if = "json::is_false")]
    local: bool,
}

pub(crate) fn run(answering: &Answering<'_>, value: &str) -> Result<Outcome, Vec<Error>> {
    if value.is_empty() {
        let error = Error::new("bad-argument", "the value to find is empty");
        return Err(vec![error.help("name a value or a part of one")]);
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
            takes_effect: place.in_force.iter().map(|at| ShownContext(read[at].clone())).collect(),
            breaks: place.breaks.iter().map(|at| ShownContext(read[at].clone())).collect(),
            candidate_in: place.candidate_in.len(),
            local: place.is_local,
        });
        let not_read = unread.iter().map(ShownUnread::of).collect();
        let body = FindBody {
            value: value.to_owned(),
            contexts: read.len(),
            hits: hits.collect(),
            not_read,
        };
        json::text(&json::Answer::new("find", answering.context(), body))
    } else {
        let looked = looked(count, is_apart.then_some(here), unread.len());
        text(answering, value, &places, &read, &looked)
    };
    Ok(answering.outcome(result, notes, is_yes))
}

/// The places where the value is, by setting; first those where it takes effect.
fn text(
    answering: &Answering<'_>,
    value: &str,
    found: &[Occurrence<ShownProvenance>],
    read: &[Context],
    looked: &str,
) -> String {
    let look = answering.look;
    let mut out = String::new();
    let (role, answer) = match found.len() {
        0 => (
            Role::Warning,
            format!("no setting has or contains {value} (secrets are not searched)"),
        ),
        1 => (Role::Value, format!("1 place has or contains {value}")),
        count => (Role::Value, format!("{count} places have or contain {value}")),
    };
    look.styled(&mut out, role, &answer, "");
    look.styled(&mut out, Role::Lost, looked, "  ");
    let mut last = "";
    let mut records = Vec::new();
    for place in found {
        if look.width.is_some() && place.key != last {
            records.push(vec![Cell::new(Role::Key, place.key.clone())]);
            last = &place.key;
        }
        let is_effective = !place.in_force.is_empty();
        let role = match (is_effective, place.breaks.is_empty()) {
            (true, _) => Role::Value,
            (false, false) => Role::Warning,
            (false, true) => Role::Lost,
        };
        let takes_effect = || format!("takes effect in {}", summary(&place.in_force, read));
        let breaks = || format!("wins in {}, but is invalid there", summary(&place.breaks, read));
        let mut effect = match (is_effective, place.breaks.is_empty()) {
            (true, true) => takes_effect(),
            (true, false) => format!("{}; {}", takes_effect(), breaks()),
            (false, false) => breaks(),
            (false, true) => "never takes effect".to_owned(),
        };
        if place.is_made {
            effect.push_str("; made by references or conversion");
        }
        if place.is_local {
            effect.push_str("; local layer");
        }
        let mut shown = place.value.show();
        if look.width.is_some() {
            shown = look.cut(&look.text(&shown), look.columns().max(60) - 4);
        }
        let key = if look.width.is_some() { "" } else { place.key.as_str() };
        records.push(vec![
            Cell::new(Role::Key, key),
            Cell::new(role, shown),
            Cell::new(Role::Layer, place.shown.layer()),
            Cell::new(Role::Place, place.place.to_string()),
            Cell::new(Role::Plain, effect),
        ]);
    }
    if !records.is_empty() {
        out.push('\n');
    }
    for record in &records {
        look.records(&mut out, 0, std::slice::from_ref(record));
    }
    out
}

/// Where it was searched: in the contexts that the axes form, and in the current one.
fn looked(count: usize, apart: Option<&Context>, unread: usize) -> String {
    let contexts = if count == 1 { "context" } else { "contexts" };
    let mut looked = format!("searched {count} {contexts}");
    if let Some(here) = apart {
        looked.push_str(&format!(" and the current one, {}", justwhy_engine::plain_context(here)));
    }
    if unread > 0 {
        looked.push_str(&format!("; {unread} cannot be read"));
    }
    looked
}

/// Contexts in short: those that are not meant if they are fewer.
fn summary(numbers: &ContextSet, all: &[Context]) -> String {
    let (count, among) = (all.len(), ContextSet::all(all.len()));
    if numbers.len() == count {
        return if count == 1 { "this context" } else { "every context" }.to_owned();
    }
    let contexts: Vec<&Context> = all.iter().collect();
    let show = |set: &ContextSet| {
        let choices = sum_up(set, &among, &contexts);
        (choices.len(), in_words(&choices, &among))
    };
    let mut others = ContextSet::none(count);
    (0..count).filter(|at| !numbers.has(*at)).for_each(|at| others.insert(at));
    let ((own, shown), (rest, without)) = (show(numbers), show(&others));
    match rest < own {
        true => format!("every context except {without}"),
        false => shown,
    }
}
