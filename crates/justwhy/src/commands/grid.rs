//! `grid`: settings by contexts. Rows are settings, columns contexts; each different answer is found out
//! once.

use crate::arguments::Form;
use crate::fingerprint::Fingerprints;
use crate::json::{self, Setting, ShownContext, Written};
use crate::outcome::{Outcome, Pieces};
use crate::running::Running;
use crate::running::Runs;
use crate::running::Surveying;
use crate::running::{looking, reading};
use crate::unfreed::Unfreed;
use clap::Args;
use justwhy_core::{
    Answers, Context, Explanation, GridRow, KeyId, KeyPath, Keys, Pattern, Resolution, Survey,
    parallel,
};
use justwhy_engine::{left_out, select};
use justwhy_project::Error;
use serde::Serialize;
use std::collections::{HashMap, HashSet};
use std::hash::Hash;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

mod page;
mod table;

pub(super) use table::GridCell;

#[derive(Args, Debug)]
pub(crate) struct GridArguments {
    /// Keys, branches, patterns, variables or FILE:LINE [default: all; in text those that change]
    #[arg(value_name = "KEY")]
    pub(crate) patterns: Vec<String>,
    /// The axes whose values make the columns [default: the axes that make a difference]
    #[arg(long, value_name = "AXIS,…", value_delimiter = ',')]
    pub(crate) across: Vec<String>,
    /// Include local layers and environment variables
    #[arg(long)]
    pub(crate) with_local: bool,
}

impl Runs for GridArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.survey(self.with_local, |surveying| run(surveying, self))
    }

    fn own_forms(&self) -> &'static [Form] {
        &[Form::Csv, Form::Html]
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct GridBody {
    /// The axes whose values make the contexts.
    across: Vec<String>,
    contexts: Vec<ShownContext>,
    /// Local layers that were not included.
    left_out: Vec<String>,
    /// Contexts that cannot be read, which are not among `contexts`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    not_read: Vec<ShownUnread>,
    settings: Vec<ShownRow>,
}

/// A context that cannot be read, and why.
#[derive(Serialize, Clone)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct ShownUnread {
    context: ShownContext,
    because: String,
}

impl ShownUnread {
    pub(crate) fn of((context, error): &(Context, Error)) -> ShownUnread {
        ShownUnread { context: ShownContext(context.clone()), because: error.to_string() }
    }
}

/// About how many bytes the number of a cell takes.
const BYTES_PER_NUMBER: usize = 3;
/// How many rows one thread writes out before it takes others.
const ROWS_AT_ONCE: usize = 64;

/// A setting: each different answer once, and for each context the number of its answer.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct ShownRow {
    key: String,
    /// Each as `list` has it; null where it is not set.
    #[cfg_attr(test, schemars(with = "Vec<Option<Setting>>"))]
    cells: Vec<Option<Written>>,
    at: Vec<u32>,
}

/// Whether a setting is one that was asked for.
type Wanted<'w> = dyn Fn(KeyId) -> bool + Sync + 'w;

/// What a grid is made of.
pub(crate) struct Gridded<'a, 's> {
    pub(crate) surveying: &'a Surveying<'s>,
    pub(crate) survey: &'a Survey,
    pub(crate) contexts: Vec<&'a Context>,
    pub(crate) across: Vec<String>,
    pub(crate) left_out: Vec<String>,
    /// Whether some settings were named, so that all of these are wanted.
    pub(crate) is_chosen: bool,
    /// Contexts that cannot be read, which have no column.
    unread: Vec<ShownUnread>,
    /// Whether values grew past all bounds anywhere.
    is_exhausted: AtomicBool,
}

impl Gridded<'_, '_> {
    /// The rows of the settings that are wanted, each answer described once.
    pub(crate) fn rows<C: Clone + Eq + Hash + Send>(
        &self,
        wanted: &Wanted<'_>,
        describe: impl Fn(&Answers<'_>, &Explanation) -> C + Sync,
    ) -> Vec<GridRow<C>> {
        let snapshot = self.surveying.snapshot;
        self.survey.grid(wanted, snapshot, snapshot.limits(), |answers, answer| {
            let cell = describe(answers, answer);
            self.is_exhausted.fetch_or(answers.is_exhausted(), Ordering::Relaxed);
            cell
        })
    }

    /// What distinguishes a context from the others: the values of the axes that were named.
    pub(crate) fn values(&self, context: &Context) -> Vec<String> {
        let value = |axis: &String| context.value(axis).unwrap_or("(unset)").to_owned();
        self.across.iter().map(value).collect()
    }
}

pub(crate) fn run(
    surveying: &Surveying<'_>,
    options: &GridArguments,
) -> Result<Outcome, Vec<Error>> {
    let one = |error| vec![error];
    let snapshot = surveying.snapshot;
    // Where you are may be a place that does not exist, as long as the columns do.
    let from = match surveying.common.context.as_deref() {
        None => snapshot.stand(),
        asked => snapshot.here(asked),
    };
    let from = from.map_err(one)?;
    let chosen_axes = match options.across.is_empty() {
        true => axes_that_matter(surveying, options)?,
        false => options.across.clone(),
    };
    let names: Vec<&str> = chosen_axes.iter().map(|name| name.trim()).collect();
    let contexts = snapshot.across(&from, &names).map_err(one)?;
    surveying.progress.now(|| reading(contexts.len()));
    let mut readings = Vec::with_capacity(contexts.len());
    let mut unread: Vec<(Context, Error)> = Vec::new();
    for (context, read) in contexts.iter().zip(snapshot.read_all(&contexts)) {
        let read = read.map_err(justwhy_engine::first_of);
        match read {
            Ok(read) => readings.push(Arc::new(read)),
            Err(error) => unread.push((context.clone(), error)),
        }
    }
    if let (true, Some((context, error))) = (readings.is_empty(), unread.first()) {
        let where_ = format!("this happens in {}", justwhy_engine::plain_context(context));
        return Err(one(error.clone().help(where_)));
    }
    surveying.progress.now(looking);
    let survey = Unfreed::new(Survey::of(readings), surveying.keyring.may_decrypt());
    let wanted = chosen(surveying, &survey, &options.patterns)?;
    let wanted = |key: KeyId| wanted.as_ref().is_none_or(|wanted| wanted.contains(&key));
    let left_out = if options.with_local { Vec::new() } else { left_out(&survey) };
    let gridded = Gridded {
        surveying,
        survey: &survey,
        contexts: survey.contexts().iter().map(|readings| &readings.context).collect(),
        across: names.iter().map(|name| (*name).to_owned()).collect(),
        left_out,
        is_chosen: !options.patterns.is_empty(),
        unread: unread.iter().map(ShownUnread::of).collect(),
        is_exhausted: AtomicBool::new(false),
    };
    let (notes, code) =
        (super::unread_notes(surveying.look, &unread), u8::from(!unread.is_empty()));
    let result = match surveying.common.output {
        Form::Json => as_json(&gridded, &from, &wanted),
        Form::Csv => as_csv(&gridded, &wanted).into(),
        Form::Html => page::html(&gridded, &wanted).into(),
        _ => table::text(&gridded, &wanted).into(),
    };
    match gridded.is_exhausted.into_inner() {
        true => Err(one(justwhy_engine::exhausted())),
        false => Ok(Outcome { result, notes, code, done: Vec::new() }),
    }
}

/// The axes without which values of the settings that are asked for could not be distinguished: of those that
/// follow from others, the others. The first axis that varies if none makes a difference.
fn axes_that_matter(
    surveying: &Surveying<'_>,
    options: &GridArguments,
) -> Result<Vec<String>, Vec<Error>> {
    let asked = surveying.common.context.as_deref();
    let progress = surveying.progress;
    let surveyed =
        surveying.snapshot.survey(asked, false, &|count| progress.now(|| reading(count)))?;
    let survey = Unfreed::new(surveyed.survey, surveying.keyring.may_decrypt());
    let wanted = chosen(surveying, &survey, &options.patterns)?;
    let wanted = |key: KeyId| wanted.as_ref().is_none_or(|wanted| wanted.contains(&key));
    let contexts: Vec<&Context> = survey.contexts().iter().map(|it| &it.context).collect();
    let snapshot = surveying.snapshot;
    let fingerprints = Fingerprints::new();
    let rows = survey.grid(&wanted, snapshot, snapshot.limits(), |answers, answer| {
        GridCell::of(answers.resolution(), answer, &fingerprints).into_value()
    });
    // Contexts in which all of it is the same have one number.
    let at: Vec<Vec<Option<u32>>> = rows.iter().map(|row| row.at(contexts.len())).collect();
    let mut numbers: HashMap<Vec<Option<u32>>, usize> = HashMap::new();
    let mut number_of = |context: usize| {
        let next = numbers.len();
        *numbers.entry(at.iter().map(|row| row[context]).collect()).or_insert(next)
    };
    let alike: Vec<usize> = (0..contexts.len()).map(&mut number_of).collect();
    let first = contexts.first().map(|context| context.axes.as_slice()).unwrap_or_default();
    let may_be_named = |name: &String| {
        snapshot
            .project()
            .axes
            .iter()
            .any(|it| it.axis.name == *name && !it.axis.allowed.is_empty())
    };
    let varies = |name: &String| {
        contexts.iter().any(|context| context.value(name) != contexts[0].value(name))
    };
    let names = first.iter().map(|axis| axis.axis.clone());
    let mut axes: Vec<String> = names.filter(|name| may_be_named(name) && varies(name)).collect();
    let varying = axes.clone();
    for name in varying.iter().rev() {
        let others: Vec<&String> = axes.iter().filter(|other| *other != name).collect();
        let mut known: HashMap<Vec<Option<&str>>, usize> = HashMap::new();
        let is_told_apart = contexts.iter().zip(&alike).all(|(context, number)| {
            let values = others.iter().map(|axis| context.value(axis)).collect();
            *known.entry(values).or_insert(*number) == *number
        });
        if is_told_apart {
            axes.retain(|other| other != name);
        }
    }
    if axes.is_empty() {
        axes.extend(varying.into_iter().next());
    }
    match axes.is_empty() {
        true => {
            let error = Error::new("bad-context", "no axis has several values");
            Err(vec![error.help("justwhy list shows the values of the one context")])
        }
        false => Ok(axes),
    }
}

/// The settings that the patterns mean in any of the contexts; all without one.
pub(super) fn chosen(
    surveying: &Surveying<'_>,
    survey: &Survey,
    patterns: &[String],
) -> Result<Option<HashSet<KeyId>>, Vec<Error>> {
    if patterns.is_empty() {
        return Ok(None);
    }
    let Some(keys) = survey.keys() else { return Ok(None) };
    let mut found: HashSet<KeyId> = HashSet::new();
    for pattern in patterns {
        let matching = matching(survey, keys, pattern);
        if !matching.is_empty() || Pattern::has_wildcard(pattern) {
            found.extend(matching);
            continue;
        }
        // A former key, a variable or a place: as where the first of the contexts is.
        let Some(first) = survey.contexts().first() else { continue };
        let resolution = Resolution::of(Arc::clone(first));
        let inside = surveying.snapshot.inside();
        let chosen = select::settings(&resolution, inside, pattern).map_err(|error| vec![error])?;
        found.extend(chosen);
    }
    Ok(Some(found))
}

/// The settings of any context that a pattern matches, or that are at or below a key.
fn matching(survey: &Survey, keys: &Keys, pattern: &str) -> Vec<KeyId> {
    let settings = survey.settings().iter().copied();
    if Pattern::has_wildcard(pattern) {
        let Ok(pattern) = Pattern::parse(pattern) else { return Vec::new() };
        return settings.filter(|key| pattern.matches(keys, *key)).collect();
    }
    let path = KeyPath::parse(pattern).ok();
    let Some(key) = path.and_then(|path| keys.find(KeyId::ROOT, &path)) else { return Vec::new() };
    settings.filter(|other| keys.is_within(*other, key)).collect()
}

fn as_json(gridded: &Gridded<'_, '_>, from: &Context, wanted: &Wanted<'_>) -> Pieces {
    let fingerprints = Fingerprints::new();
    let contexts = gridded.contexts.len();
    let rows = gridded.rows(wanted, |answers, answer| {
        let setting = Setting::of(answers.resolution(), answer, &fingerprints);
        Written::of(&setting)
    });
    let mut rows = rows.into_iter();
    let keys = gridded.survey.keys();
    let shown = |row: GridRow<Written>| {
        let at = row.at(contexts);
        let absent = u32::try_from(row.cells.len()).unwrap_or(u32::MAX);
        let mut cells: Vec<Option<Written>> = row.cells.into_iter().map(Some).collect();
        if at.contains(&None) {
            cells.push(None);
        }
        let key = keys.map(|keys| keys.show(row.key)).unwrap_or_default();
        ShownRow { key, cells, at: at.into_iter().map(|cell| cell.unwrap_or(absent)).collect() }
    };
    let body = GridBody {
        across: gridded.across.clone(),
        contexts: gridded.contexts.iter().map(|it| ShownContext((*it).clone())).collect(),
        left_out: gridded.left_out.clone(),
        not_read: gridded.unread.clone(),
        settings: Vec::new(),
    };
    // What all of them share.
    let mut head = from.clone();
    for axis in &mut head.axes {
        let is_shared =
            gridded.contexts.iter().all(|it| it.value(&axis.axis) == axis.value.as_deref());
        axis.value = axis.value.take().filter(|_| is_shared);
    }
    let mut settings = json::Listing::of(&json::Answer::new("grid", &head, body));
    let part = || Some(rows.by_ref().take(ROWS_AT_ONCE).collect::<Vec<_>>());
    let parts = std::iter::from_fn(part).take_while(|part| !part.is_empty()).collect();
    let write = |part: Vec<GridRow<Written>>| {
        let mut items = json::Items::with_room(ROWS_AT_ONCE * contexts * BYTES_PER_NUMBER);
        part.into_iter().for_each(|row| items.push(&shown(row)));
        items
    };
    parallel::in_order(parts, true, write, |items| settings.push(items));
    settings.text()
}

fn as_csv(gridded: &Gridded<'_, '_>, wanted: &Wanted<'_>) -> String {
    let rows = table::rows(gridded, wanted);
    let contexts = gridded.contexts.len();
    let mut writer = csv::Writer::from_writer(Vec::new());
    let names = gridded.contexts.iter().map(|context| {
        let axes =
            gridded.across.iter().map(|axis| (axis, context.value(axis).unwrap_or_default()));
        axes.map(|(axis, value)| format!("{axis}={value}")).collect::<Vec<_>>().join(",")
    });
    let head: Vec<String> = std::iter::once("key".to_owned()).chain(names).collect();
    // A list in memory takes everything.
    let _ = writer.write_record(&head);
    for row in rows {
        let key = gridded.survey.keys().map(|keys| keys.show(row.key)).unwrap_or_default();
        // What begins with a sign is a formula to who opens the table.
        let key = if key.starts_with('-') { format!("\"{key}\"") } else { key };
        let cells = row.at(contexts).into_iter().map(|cell| {
            let cell = cell.and_then(|cell| row.cells.get(cell as usize));
            cell.map(|cell| cell.value.clone()).unwrap_or_default()
        });
        let record: Vec<String> = std::iter::once(key).chain(cells).collect();
        let _ = writer.write_record(&record);
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}
