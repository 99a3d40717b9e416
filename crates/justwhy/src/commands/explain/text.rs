//! The explanation for people: the answer, the context, the evidence, and what to do next.

use super::change;
use super::evidence::{Detail, Evidence};
use crate::commands::grid::GridCell;
use crate::commands::{axes, expected, push_context};
use crate::fingerprint::Fingerprints;
use crate::look::{Cell, Look, Role, width};
use crate::running::Answering;
use justwhy_core::{
    Answers, Explanation, Fact, Hop, HopValue, Item, KeyId, Meaning, Origin, Provenance,
    Resolution, Status, Without, hide_address_password,
};
use justwhy_engine::{Everywhere, NotHere, Search};

/// The most items of a gathered list that are listed.
const MOST_ITEMS: usize = 40;

/// The most characters that are shown of what a reference found.
const MOST_FOUND: usize = 200;
/// The most values of other contexts that are listed.
const MOST_VALUES: usize = 12;

/// What is known of a setting beside its answer.
pub(super) struct Beside<'a> {
    pub(super) search: Option<&'a Search>,
    pub(super) without: Option<Without>,
    /// The contexts in which it is set, in words.
    pub(super) set_in: Option<&'a str>,
    /// The other contexts, once somebody wants to see all.
    pub(super) everywhere: &'a Everywhere<'a>,
    /// What layers set that do not apply here.
    pub(super) not_here: Vec<&'a NotHere>,
    /// Where source code uses it, as a sentence.
    pub(super) used: Option<String>,
}

pub(super) fn text(
    answering: &Answering<'_>,
    answers: &Answers<'_>,
    answer: &Explanation,
    Beside { search, without, set_in, everywhere, not_here, used }: Beside<'_>,
    fingerprints: &Fingerprints,
) -> String {
    let look = answering.look;
    let is_full = answering.common.full;
    let resolution = answers.resolution();
    let mut out = headline(look, resolution, answer, fingerprints);
    push_context(look, answering.context(), &mut out);
    if let Some(because) = reason(answer) {
        look.styled(&mut out, Role::Wrong, &because.to_string(), "  ");
    }
    if let Some(set_in) = set_in {
        look.paragraph(&mut out, &format!("It is set in {set_in}."), "  ");
    }
    if is_full {
        declared(look, resolution, answer, &mut out);
        axes(look, answering.context(), &mut out);
    }
    if let Some(search) = search {
        expected::text(look, search, answer, &mut out);
    }
    let detail = if is_full { Detail::Full } else { Detail::Short };
    let evidence = Evidence::of(answers, answer, &not_here, detail);
    if !evidence.is_empty() {
        out.push('\n');
        evidence.push(look, &mut out);
    }
    look.records(&mut out, 2, &references(answers, answer.key));
    let sentences = answer.notes(answers).into_iter().map(|fact| fact.to_string());
    let mut sentences: Vec<String> = sentences.collect();
    if answer.status.is_refusal() && answer.winner.is_some() {
        sentences.insert(0, "No weaker value is used instead.".to_owned());
    }
    sentences.extend(without.map(|without| without_it(resolution, answer, &without)));
    if answer.winner.is_none() && evidence.is_empty() {
        sentences.extend(answer.why(answers).iter().map(Fact::to_string));
    }
    sentences.extend(used);
    sentences.extend(evidence.folded());
    if !sentences.is_empty() {
        out.push('\n');
    }
    sentences.iter().for_each(|sentence| look.paragraph(&mut out, sentence, "  "));
    if is_full {
        details(look, answers, answer, &mut out);
        in_contexts(look, resolution, answer, everywhere, &mut out);
    }
    change::push(look, answers, answer, is_full, &mut out);
    out
}

/// Why it has no value that can be used.
pub(in crate::commands) fn reason(answer: &Explanation) -> Option<&Fact> {
    match &answer.status {
        Status::Set | Status::Absent => None,
        Status::Error { fact, .. } => Some(fact),
        Status::Unreadable { because } | Status::Uncertain { because } => Some(because),
    }
}

/// What the catalogue has about it.
fn declared(look: &Look, resolution: &Resolution, answer: &Explanation, out: &mut String) {
    let Some(declared) = resolution.readings().catalogue.declared(answer.key) else { return };
    let owner = declared.owner.as_ref().map(|owner| format!("owner: {owner}"));
    let known: Vec<String> = declared.about.iter().cloned().chain(owner).collect();
    if !known.is_empty() {
        look.paragraph(out, &known.join("; "), "  ");
    }
}

/// The parts of an address, and the items of a list.
fn details(look: &Look, answers: &Answers<'_>, answer: &Explanation, out: &mut String) {
    if let Some(Meaning::Address(address)) = answer.meaning(answers) {
        let parts = address.parts().into_iter();
        let parts = parts.map(|(name, part)| {
            vec![Cell::new(Role::Plain, name.to_owned()), Cell::new(Role::Value, part)]
        });
        out.push('\n');
        look.records(out, 2, &parts.collect::<Vec<_>>());
    }
    if !answer.items().is_empty() {
        out.push('\n');
        items(look, answers.resolution(), answer.items(), out);
    }
}

/// What it is in each of the contexts, and who sets it there.
fn in_contexts(
    look: &Look,
    resolution: &Resolution,
    answer: &Explanation,
    everywhere: &Everywhere<'_>,
    out: &mut String,
) {
    let fingerprints = Fingerprints::new();
    let segments = resolution.keys().segments(answer.key);
    let cell = |answers: &Answers<'_>, key| {
        let answer = Explanation::of(answers, key);
        let is_set = answer.status != Status::Absent;
        is_set.then(|| GridCell::of(answers.resolution(), &answer, &fingerprints))
    };
    let Some(values) = everywhere.each(&segments, cell) else { return };
    if values.len() < 2 {
        return;
    }
    out.push('\n');
    look.styled(out, Role::Plain, "in all contexts", "  ");
    let record =
        |(cell, words): &(Option<GridCell>, String)| GridCell::record(cell.as_ref(), words);
    let shown: Vec<Vec<Cell>> = values.iter().take(MOST_VALUES).map(record).collect();
    look.records(out, 4, &shown);
    if values.len() > MOST_VALUES {
        let more = values.len() - MOST_VALUES;
        let line = format!("{more} more (justwhy grid KEY shows them)");
        look.paragraph(out, &line, "    ");
    }
}

fn headline(
    look: &Look,
    resolution: &Resolution,
    answer: &Explanation,
    fingerprints: &Fingerprints,
) -> String {
    let key = look.text(&resolution.keys().show(answer.key));
    let key_width = width(&key);
    let key = look.paint(Role::Key, &key);
    let (role, link, value) =
        match (&answer.status, fingerprints.shown(answer), answer.secret_value()) {
            (Status::Absent, ..) => (Role::Warning, " ", "is not set".to_owned()),
            (Status::Error { .. }, ..) => (Role::Wrong, " ", "is invalid".to_owned()),
            (Status::Unreadable { .. }, ..) => (Role::Wrong, " ", "cannot be read".to_owned()),
            (Status::Uncertain { .. }, ..) => (Role::Wrong, " ", "is uncertain".to_owned()),
            (_, Some(value), _) => (Role::Value, " = ", value.show()),
            (_, None, Some(secret)) => (
                Role::Value,
                " = ",
                format!("(secret, fingerprint {})", fingerprints.of(answer, secret)),
            ),
            (_, None, None) => (Role::Value, " ", String::new()),
        };
    let value = look.text(&value);
    if look.width.is_none() || key_width + link.len() + width(&value) <= look.columns() {
        return format!("{key}{link}{}\n", look.paint(role, &value));
    }
    // A long value starts a line of its own and is never cut: it is what was asked for.
    let mut out = format!("{key}{}\n", link.trim_end());
    for line in look.wrap(&value, look.columns() - 2) {
        out.push_str(&format!("  {}\n", look.paint(role, &line)));
    }
    out
}

/// What would be without the candidate that wins.
fn without_it(resolution: &Resolution, answer: &Explanation, without: &Without) -> String {
    let name = |layer| resolution.readings().layer(layer).name.as_str();
    let winner = answer.winner.as_ref().map_or("it", |winner| name(winner.layer));
    let next = without.decided_by.as_ref().map_or("", |(layer, ..)| name(*layer));
    // Another source or name of the same layer.
    let (winner, next) = match next == winner {
        true => {
            (answer.winner.as_ref().map_or_else(String::new, |it| it.show(resolution.keys())), "")
        }
        false => (winner.to_owned(), next),
    };
    let by = if next.is_empty() { String::new() } else { format!(" (set by {next})") };
    match (&without.status, &without.value) {
        (Status::Absent, _) => format!("Without {winner} it would not be set."),
        (Status::Error { .. }, _) => format!("Without {winner} it would be invalid{by}."),
        (Status::Unreadable { .. }, _) => format!("Without {winner} it could not be read{by}."),
        (Status::Uncertain { .. }, _) => format!("Without {winner} it would be uncertain."),
        (Status::Set, Some(value)) => {
            let shown = value.show();
            match shown.chars().count() {
                0..=60 => format!("Without {winner} it would be {shown}."),
                _ => format!("Without {winner} it would have another value{by}."),
            }
        }
        (Status::Set, None) => format!("Without {winner} it would be another secret{by}."),
    }
}

/// A reference on each line, what it gives and where from, and below it the references of that.
pub(in crate::commands) fn references(answers: &Answers<'_>, key: KeyId) -> Vec<Vec<Cell>> {
    let mut records = Vec::new();
    push_references(&answers.chain(key), 0, &mut records);
    records
}

fn push_references(hops: &[Hop], depth: usize, records: &mut Vec<Vec<Cell>>) {
    for hop in hops {
        let (role, found) = match &hop.found {
            HopValue::Value(value) => (Role::Value, value.show()),
            HopValue::Secret => (Role::Value, "(secret)".to_owned()),
            HopValue::Nothing(why) => (Role::Warning, why.to_string()),
            HopValue::Error(why) => (Role::Wrong, why.to_string()),
        };
        let found = match found.char_indices().nth(MOST_FOUND) {
            Some((end, _)) => format!("{}…", &found[..end]),
            None => found,
        };
        let mut place = whereabouts(hop);
        if hop.falls_back {
            place = join(place, "the fallback is used");
        }
        if hop.is_repeated {
            place = join(place, "as above");
        }
        let layer = hop.layer.clone().unwrap_or_default();
        let label = format!("{:1$}refers to", "", depth * 2);
        records.push(vec![
            Cell::new(Role::Plain, label.clone()),
            Cell::new(Role::Key, hop.reference.clone()),
            Cell::new(role, found),
            Cell::new(Role::Layer, layer),
            Cell::new(Role::Place, place),
        ]);
        push_references(&hop.hops, depth + 1, records);
    }
}

fn join(text: String, more: &str) -> String {
    if text.is_empty() { more.to_owned() } else { format!("{text}; {more}") }
}

/// Where a reference found what it found.
fn whereabouts(hop: &Hop) -> String {
    match &hop.place {
        None => String::new(),
        Some(place) if place.has_line() => place.to_string(),
        Some(place) => match (&place.origin, &hop.name) {
            (Origin::Process, Some(name)) => format!("environment variable {name}"),
            (Origin::Arguments, _) => "--set".to_owned(),
            (origin, _) => format!("file {origin}"),
        },
    }
}

/// The items of a gathered list, each with its place.
fn items(look: &Look, resolution: &Resolution, items: &[Item], out: &mut String) {
    let record = |item: &Item| {
        let reading = resolution.reading(resolution.candidate(item.candidate));
        let layer = &resolution.readings().layer(reading.layer).name;
        let place = reading.place_at(item.at);
        let place = match place.has_line() {
            true => place.to_string(),
            false => Provenance::of(resolution, item.candidate).show(resolution.keys()),
        };
        vec![
            Cell::new(Role::Plain, "item"),
            Cell::new(Role::Value, hide_address_password(&item.value).show()),
            Cell::new(Role::Layer, layer.clone()),
            Cell::new(Role::Place, place),
        ]
    };
    look.records(out, 2, &items.iter().take(MOST_ITEMS).map(record).collect::<Vec<_>>());
    if items.len() > MOST_ITEMS {
        let more = items.len() - MOST_ITEMS;
        look.paragraph(out, &format!("{more} more items are only in the JSON output."), "  ");
    }
}
