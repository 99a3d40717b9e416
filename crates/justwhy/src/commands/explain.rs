//! `explain`: why a setting has its value.

use super::whereabouts::{ShownAxis, shown_axis};
use super::{context_line, expected};
use crate::failure;
use crate::fingerprint::Fingerprints;
use crate::json;
use crate::look::{Look, Role, Symbol, fill, width};
use crate::outcome::Outcome;
use crate::progress::Progress;
use crate::running::Answering;
use crate::running::Running;
use crate::running::Runs;
use clap::Args;
use justwhy_core::{
    Advice, Answers, Explanation, Hop, HopValue, Item, KeyId, KeyPath, Meaning, Origin, Provenance,
    Resolution, Status, Without, hide_address_password,
};
use justwhy_engine::{Asking, Everywhere, Search, search, select, where_it_is, where_it_is_read};
use justwhy_project::Error;
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::Arc;

mod ladder;

use ladder::{layer_name, rung};

#[derive(Args, Debug)]
pub(crate) struct ExplainArguments {
    /// Keys, branches of keys, patterns, names of variables, or places (FILE:LINE)
    #[arg(value_name = "KEY", required = true)]
    pub(crate) keys: Vec<String>,
    /// Say why it is not that: a value, a layer or a source
    #[arg(long, value_name = "TEXT")]
    pub(crate) expected: Option<String>,
    /// Print the effective value of a secret too; what else is said of it stays hidden
    #[arg(long)]
    pub(crate) reveal: bool,
}

impl Runs for ExplainArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.answer(|it| run(it, &self.keys, self.expected.as_deref(), self.reveal))
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct ExplainBody {
    axes: Vec<ShownAxis>,
    settings: Vec<json::Setting>,
    #[serde(skip_serializing_if = "Option::is_none")]
    expected: Option<expected::ShownSearch>,
    /// Of settings that are absent here: where they are set.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    set_in: Vec<SetIn>,
    /// What was asked for and is a setting in no context.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    unknown: Vec<String>,
}

/// Where a setting that is absent here is set.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct SetIn {
    key: String,
    /// Tables as `when` has them: together they describe the contexts.
    contexts: Vec<BTreeMap<String, Vec<String>>>,
    #[serde(skip)]
    words: String,
}

/// For more settings at once it is not told what would be without what decides: that is found out
/// by resolving the whole project anew.
const MOST_WITHOUT: usize = 12;
/// The most items of a gathered list that are told.
const MOST_ITEMS: usize = 40;

pub(crate) fn run(
    answering: &Answering<'_>,
    keys: &[String],
    wanted: Option<&str>,
    reveals: bool,
) -> Result<Outcome, Vec<Error>> {
    let resolution = answering.resolution();
    let everywhere = Everywhere::new(answering.snapshot, resolution);
    let mut chosen = Vec::new();
    let (mut others, mut unknown): (Vec<KeyId>, Vec<(String, Error)>) = (Vec::new(), Vec::new());
    for key in keys {
        let found = select::settings(resolution, answering.snapshot.inside(), key);
        let found = found.and_then(|found| match found.is_empty() {
            false => Ok(found),
            true => {
                let error = Error::new("unknown-key", format!("no setting matches {key}"));
                Err(error.help("justwhy list shows all that there are"))
            }
        });
        match (found, wanted) {
            (Ok(found), _) => chosen.extend(found),
            (Err(error), Some(wanted)) if error.code() == "unknown-key" => {
                return Err(vec![with_progress(answering, |it| {
                    where_it_is(it, key, wanted, error)
                })]);
            }
            (Err(error), _) if error.code() == "unknown-key" => {
                let found = everywhere.settings(key);
                if found.is_empty() {
                    unknown.push((key.clone(), everywhere.unknown(key, error)));
                }
                others.extend(found);
            }
            (Err(error), _) if error.code() == "unread-source" => {
                return Err(vec![with_progress(answering, |it| where_it_is_read(it, key, error))]);
            }
            (Err(error), _) => return Err(vec![error]),
        }
    }
    if chosen.is_empty() && others.is_empty() {
        return Err(unknown.into_iter().map(|(_, error)| error).collect());
    }
    let asked = Question { keys, wanted, reveals, unknown, everywhere: &everywhere };
    if others.is_empty() {
        return explain(answering, answering.answers, asked, chosen);
    }
    // What only other contexts have is known by now; here it is absent.
    let readings = answering.snapshot.read(answering.context().clone()).map_err(|it| vec![it])?;
    let answers = Answers::new(
        Resolution::of(Arc::new(readings)),
        answering.snapshot,
        answering.answers.limits(),
    );
    chosen.extend(others);
    explain(answering, &answers, asked, chosen)
}

/// Of settings that are absent here: where they are set.
fn set_elsewhere(
    resolution: &Resolution,
    explained: &[Explanation],
    everywhere: &Everywhere<'_>,
) -> Vec<SetIn> {
    let keys = resolution.keys();
    let set_in = |answer: &Explanation| {
        let (words, choices) = everywhere.set_in(&keys.segments(answer.key))?;
        let contexts = choices.into_iter().map(|choice| choice.axes.into_iter().collect());
        Some(SetIn { key: keys.show(answer.key), contexts: contexts.collect(), words })
    };
    let absent = explained.iter().filter(|answer| answer.status == Status::Absent);
    absent.filter_map(set_in).collect()
}

/// Looks into other contexts, while it is said how many there are.
fn with_progress<R>(answering: &Answering<'_>, look: impl FnOnce(&Asking<'_>) -> R) -> R {
    let progress = Progress::begin("reading the contexts");
    let begins = |number: usize, of: usize| progress.now(|| format!("context {number} of {of}"));
    let Answering { snapshot, answers, .. } = *answering;
    look(&Asking { snapshot, answers, begins: &begins })
}

/// What is asked for.
struct Question<'a> {
    keys: &'a [String],
    wanted: Option<&'a str>,
    reveals: bool,
    /// What is a setting in no context.
    unknown: Vec<(String, Error)>,
    everywhere: &'a Everywhere<'a>,
}

fn explain(
    answering: &Answering<'_>,
    answers: &Answers<'_>,
    asked: Question<'_>,
    chosen: Vec<KeyId>,
) -> Result<Outcome, Vec<Error>> {
    let Question { keys, wanted, reveals, unknown, everywhere } = asked;
    let resolution = answers.resolution();
    let mut chosen = resolution.keys().sorted(chosen);
    // A key may be a setting and, in weaker layers, a branch; what is expected is about the setting.
    let exact = |text: &String| {
        let path = KeyPath::parse(text).ok()?;
        resolution.keys().find(KeyId::ROOT, &path).filter(|key| chosen.contains(key))
    };
    if let (Some(_), [one]) = (wanted, keys)
        && let Some(key) = exact(one)
    {
        chosen = vec![key];
    }
    let explained: Vec<Explanation> =
        chosen.into_iter().map(|key| Explanation::of(answers, key)).collect();
    let search = match (wanted, explained.as_slice()) {
        (None, _) => None,
        (Some(wanted), [answer]) => {
            Some(with_progress(answering, |it| search(it, answer.key, wanted))?)
        }
        (Some(_), several) => {
            let message =
                format!("--expected is about one setting, and these are {}", several.len());
            let error = Error::new("bad-argument", message);
            return Err(vec![error.help("name one of them")]);
        }
    };
    let tells = explained.len() <= MOST_WITHOUT;
    let without = |answer: &Explanation| if tells { answer.without(answers) } else { None };
    let is_yes = explained.iter().all(|answer| answer.status == Status::Set);
    let set_in = set_elsewhere(resolution, &explained, everywhere);
    let fingerprints = Fingerprints::revealing(reveals);
    let result = match answering.as_json() {
        true => {
            let settings = explained
                .iter()
                .map(|answer| {
                    let without = without(answer);
                    json::Setting::with_reasons(answers, answer, without, &fingerprints)
                })
                .collect();
            let body = ExplainBody {
                axes: answering.context().axes.iter().map(shown_axis).collect(),
                settings,
                expected: search.as_ref().map(expected::shown),
                set_in,
                unknown: unknown.iter().map(|(key, _)| key.clone()).collect(),
            };
            json::text(&json::Answer::new("explain", answering.context(), body))
        }
        false => {
            let told = |answer: &Explanation| {
                let key = resolution.keys().show(answer.key);
                let set_in = set_in.iter().find(|it| it.key == key).map(|it| it.words.as_str());
                let told = Besides { search: search.as_ref(), without: without(answer), set_in };
                text(answering, answers, answer, told, &fingerprints)
            };
            explained.iter().map(told).collect::<Vec<String>>().join("\n\n")
        }
    };
    let errors = unknown.iter().map(|(_, error)| failure::render(error, answering.look));
    let outcome = answering.outcome(result, errors.collect(), is_yes);
    Ok(match unknown.is_empty() {
        true => outcome,
        false => Outcome { code: 2, ..outcome },
    })
}

/// What is told of a setting besides its answer.
struct Besides<'a> {
    search: Option<&'a Search>,
    without: Option<Without>,
    /// The contexts in which it is set, in words.
    set_in: Option<&'a str>,
}

fn text(
    answering: &Answering<'_>,
    answers: &Answers<'_>,
    answer: &Explanation,
    Besides { search, without, set_in }: Besides<'_>,
    fingerprints: &Fingerprints,
) -> String {
    let look = answering.look;
    let resolution = answers.resolution();
    let mut out = headline(look, resolution, answer, fingerprints);
    let context = context_line(answering.context());
    if !context.is_empty() {
        let mut line = String::new();
        look.paragraph(&mut line, &format!("in {context}"), "  ");
        for line in line.lines() {
            out.push_str(&look.paint(Role::Lost, line));
            out.push('\n');
        }
    }
    if let Some(set_in) = set_in {
        look.paragraph(&mut out, &format!("it is set in {set_in}"), "  ");
    }
    if let Some(declared) = resolution.readings().catalogue.declared(answer.key) {
        let owner = declared.owner.as_ref().map(|owner| format!("owner: {owner}"));
        let told: Vec<String> = declared.about.iter().cloned().chain(owner).collect();
        if !told.is_empty() {
            look.paragraph(&mut out, &told.join("; "), "  ");
        }
    }
    out.push('\n');
    if let Some(search) = search {
        expected::text(look, search, answer, &mut out);
    }
    look.paragraph(&mut out, &answer.why(answers).join(" "), "  ");
    if let Some(without) = without {
        look.paragraph(&mut out, &without_it(resolution, &without), "  ");
    }
    out.push('\n');
    if let Some(Meaning::Address(address)) = answer.meaning(answers) {
        out.push_str(&look.paint(Role::Heading, "The address"));
        out.push('\n');
        for (name, part) in address.parts() {
            let name = fill(&look.paint(Role::Lost, name), name.len(), "password".len());
            out.push_str(&format!("  {name}  {}\n", look.paint(Role::Value, &part)));
        }
        out.push('\n');
    }
    let hops = answers.chain(answer.key);
    if !hops.is_empty() {
        out.push_str(&look.paint(Role::Heading, "References"));
        out.push('\n');
        tree(look, &hops, "", &mut out);
        out.push('\n');
    }
    if !answer.items().is_empty() {
        items(look, resolution, answer.items(), &mut out);
    }
    out.push_str(&look.paint(Role::Heading, "Layers, strongest first"));
    out.push('\n');
    let rows = answer.rows(answers);
    let names = rows.iter().map(|row| layer_name(resolution, row).len()).max().unwrap_or(0);
    for (at, row) in rows.iter().enumerate() {
        rung(look, resolution, row, names, at + 1 < rows.len(), &mut out);
    }
    let advice = answer.advice(answers);
    if !advice.is_empty() {
        out.push('\n');
        ways(look, &advice, answer, &mut out);
    }
    out
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
            (Status::Absent, ..) => (Role::Warning, " ", "has no value here".to_owned()),
            (Status::Error { .. }, ..) => (Role::Wrong, " ", "is in error".to_owned()),
            (Status::Unreadable { .. }, ..) => {
                (Role::Wrong, " ", "has a value that cannot be read".to_owned())
            }
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
    if key_width + link.len() + width(&value) <= look.columns() {
        return format!("{key}{link}{}\n", look.paint(role, &value));
    }
    // A long value starts a line of its own and is never cut: it is what was asked for.
    let mut out = format!("{key}{}\n", link.trim_end());
    for line in look.wrap(&value, look.columns() - 2) {
        out.push_str(&format!("  {}\n", look.paint(role, &line)));
    }
    out
}

/// What would be if what decides now were taken out.
fn without_it(resolution: &Resolution, without: &Without) -> String {
    let by = without
        .decided_by
        .as_ref()
        .map(|(layer, _, place)| format!("{} ({place})", resolution.readings().layer(*layer).name));
    let by = by.unwrap_or_default();
    match (&without.status, &without.value) {
        (Status::Absent, _) => "Without it there would be no value.".to_owned(),
        (Status::Error { .. }, _) => format!("Without it {by} would decide, and be in error."),
        (Status::Unreadable { .. }, _) => {
            format!("Without it {by} would decide, and could not be read.")
        }
        (Status::Uncertain { .. }, _) => "Without it the value would be uncertain.".to_owned(),
        (Status::Set, Some(value)) => {
            let shown = value.show();
            match shown.chars().count() {
                0..=60 => format!("Without it {by} would decide, and give {shown}."),
                _ => format!("Without it {by} would decide."),
            }
        }
        (Status::Set, None) => format!("Without it {by} would decide, and give a secret."),
    }
}

/// A reference on each line, what it found and where, and below it what that refers to.
fn tree(look: &Look, hops: &[Hop], rail: &str, out: &mut String) {
    for (at, hop) in hops.iter().enumerate() {
        let is_last = at + 1 == hops.len();
        let branch = look.symbol(if is_last { Symbol::LastBranch } else { Symbol::Branch });
        let (role, found) = match &hop.found {
            HopValue::Value(value) => (Role::Value, value.show()),
            HopValue::Secret => (Role::Value, "(secret)".to_owned()),
            HopValue::Nothing(why) => (Role::Warning, why.clone()),
            HopValue::Error(why) => (Role::Wrong, why.clone()),
        };
        let mut place = whereabouts(hop);
        if hop.falls_back {
            place.push_str(if place.is_empty() {
                "its fallback stands in"
            } else {
                "; its fallback stands in"
            });
        }
        if hop.is_repeated {
            place.push_str("; as above");
        }
        let lead = format!("  {}{} ", look.paint(Role::Lost, rail), look.paint(Role::Lost, branch));
        let indent = 2 + width(rail) + width(branch) + 1;
        let room = look.columns().saturating_sub(indent).max(20);
        let reference = look.cut(&look.text(&hop.reference), room);
        let found = look.cut(&look.text(&found), 200);
        out.push_str(&lead);
        out.push_str(&look.paint(Role::Key, &reference));
        let below = look.symbol(if is_last { Symbol::Gap } else { Symbol::Rail });
        let below = format!("{rail}{below} ");
        let arrow = look.symbol(Symbol::Leads);
        let used = width(&reference) + width(arrow) + 2;
        let margin = format!("  {}", look.paint(Role::Lost, &below));
        if used + width(&found) <= room {
            out.push_str(&format!(" {arrow} {}\n", look.paint(role, &found)));
        } else {
            out.push('\n');
            for line in look.wrap(&found, room) {
                out.push_str(&format!("{margin}{}\n", look.paint(role, &line)));
            }
        }
        for line in look.wrap(&place, room).iter().filter(|line| !line.is_empty()) {
            out.push_str(&format!("{margin}{}\n", look.paint(Role::Place, line)));
        }
        tree(look, &hop.hops, &below, out);
    }
}

/// Where a reference found what it found.
fn whereabouts(hop: &Hop) -> String {
    let place = match &hop.place {
        None => String::new(),
        Some(place) if place.has_line() => place.to_string(),
        Some(place) => match (&place.origin, &hop.name) {
            (Origin::Process, Some(name)) => format!("the variable {name}"),
            (Origin::Arguments, _) => "--set".to_owned(),
            (origin, _) => format!("the file {origin}"),
        },
    };
    match &hop.layer {
        Some(layer) => format!("{layer}, {place}"),
        None => place,
    }
}

/// The items of a gathered list, each with its place.
fn items(look: &Look, resolution: &Resolution, items: &[Item], out: &mut String) {
    out.push_str(&look.paint(Role::Heading, "Items, in order"));
    out.push('\n');
    let rows: Vec<(String, String)> = items
        .iter()
        .take(MOST_ITEMS)
        .map(|item| {
            let reading = resolution.reading(resolution.candidate(item.candidate));
            let layer = &resolution.readings().layer(reading.layer).name;
            let place = reading.place_at(item.at);
            let place = match place.has_line() {
                true => place.to_string(),
                false => Provenance::of(resolution, item.candidate).show(resolution.keys()),
            };
            let value = look.text(&hide_address_password(&item.value).show());
            (look.cut(&value, look.columns() / 2), look.text(&format!("{layer}, {place}")))
        })
        .collect();
    let widest = rows.iter().map(|(value, _)| width(value)).max().unwrap_or(0);
    let longest = rows.iter().map(|(_, place)| width(place)).max().unwrap_or(0);
    let is_narrow = widest + longest + 4 > look.columns();
    for (value, place) in rows {
        let painted = look.paint(Role::Value, &value);
        if is_narrow {
            out.push_str(&format!("  {painted}\n"));
            for line in look.wrap(&place, look.columns().saturating_sub(4)) {
                out.push_str(&format!("    {}\n", look.paint(Role::Place, &line)));
            }
        } else {
            let value = fill(&painted, width(&value), widest);
            out.push_str(&format!("  {value}  {}\n", look.paint(Role::Place, &place)));
        }
    }
    if items.len() > MOST_ITEMS {
        let more = items.len() - MOST_ITEMS;
        out.push_str(&look.text(&format!("  … {more} more\n")));
    }
    out.push('\n');
}

/// How to change the setting from here.
fn ways(look: &Look, advice: &[Advice], answer: &Explanation, out: &mut String) {
    let title =
        if answer.winner.is_some() { "To change it from here" } else { "To give it a value here" };
    out.push_str(&look.paint(Role::Heading, title));
    out.push('\n');
    let widest = advice.iter().map(|way| width(&look.text(&way.at))).max().unwrap_or(0);
    for way in advice {
        let at = look.text(&way.at);
        let place = fill(&look.paint(Role::Place, &at), width(&at), widest);
        let reach = match way.reach.as_str() {
            "" => String::new(),
            reach => format!(" ({reach})"),
        };
        let tail = format!("{}{reach}", way.write);
        // Where both do not fit beside each other, what to write stands below its place.
        let is_narrow = widest + 4 + 24 > look.columns();
        let indent = if is_narrow { 4 } else { widest + 4 };
        if is_narrow {
            out.push_str(&format!("  {}\n", look.paint(Role::Place, &at)));
        }
        let lines = look.wrap(&tail, look.columns().saturating_sub(indent).max(24));
        for (number, line) in lines.iter().enumerate() {
            match number {
                0 if !is_narrow => out.push_str(&format!("  {place}  {line}\n")),
                _ => out.push_str(&format!("{:indent$}{line}\n", "")),
            }
        }
    }
}
