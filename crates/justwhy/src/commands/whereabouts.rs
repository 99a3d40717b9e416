//! `justwhy` alone: the context, the state of the settings, and the layers.

use super::check::counted;
use super::{axes, in_context};
use crate::json::{self, Word};
use crate::look::{Cell, Look, Role, width};
use crate::outcome::Outcome;
use crate::running::Answering;
use justwhy_core::{
    AxisValue, ContextSet, Explanation, Kind, LayerIndex, LayerState, NearName, Presence, Severity,
    Status, Survey, list_values,
};
use justwhy_engine::{CheckWanted, Checked, Checking, select};
use justwhy_project::Error;
use serde::Serialize;

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct WhereaboutsBody {
    #[serde(skip_serializing_if = "Option::is_none")]
    name: Option<String>,
    axes: Vec<ShownAxis>,
    layers: Vec<ShownLayer>,
    settings: Counts,
    near: Vec<json::Near>,
    check: ShownCheck,
}

/// What `check --here` would complain of.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
#[serde(rename_all = "snake_case")]
enum ShownCheck {
    /// How much, by severity.
    Found { error: usize, warning: usize, note: usize },
    /// Why it is unknown.
    NotRun(String),
}

/// An axis: its value, where that is from, and what was passed over before.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct ShownAxis {
    axis: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    value: Option<String>,
    from: String,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    passed_over: Vec<String>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownLayer {
    layer: String,
    state: Word,
    #[serde(default, skip_serializing_if = "String::is_empty")]
    because: String,
    sources: Vec<String>,
    #[serde(skip)]
    reads: String,
    /// How many settings it has a candidate for.
    sets: usize,
    /// How many of them take effect.
    wins: usize,
}

#[derive(Serialize, Clone, Copy)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct Counts {
    all: usize,
    set: usize,
    absent: usize,
    error: usize,
    #[serde(default, skip_serializing_if = "is_zero")]
    unreadable: usize,
    #[serde(default, skip_serializing_if = "is_zero")]
    uncertain: usize,
}

fn is_zero(count: &usize) -> bool {
    *count == 0
}

pub(crate) fn run(answering: &Answering<'_>) -> Result<Outcome, Vec<Error>> {
    let layers = layers(answering);
    let counts = counts(answering);
    let near = select::stray_names(answering.resolution());
    let checked = check_here(answering);
    let result = if answering.as_json() {
        let body = WhereaboutsBody {
            name: answering.snapshot.project().name.clone(),
            axes: answering.context().axes.iter().map(shown_axis).collect(),
            layers,
            settings: counts,
            near: near.iter().map(json::Near::of).collect(),
            check: match &checked {
                Ok(checked) => ShownCheck::Found {
                    error: checked.count(Severity::Error),
                    warning: checked.count(Severity::Warning),
                    note: checked.count(Severity::Note),
                },
                Err(why) => ShownCheck::NotRun(why.clone()),
            },
        };
        json::text(&json::Answer::new("where", answering.context(), body))
    } else {
        text(answering, &layers, counts, &near, &checked)
    };
    Ok(answering.outcome(result, String::new(), true))
}

pub(crate) fn shown_axis(axis: &AxisValue) -> ShownAxis {
    ShownAxis {
        axis: axis.axis.clone(),
        value: axis.value.clone(),
        from: axis.origin.phrase().to_string(),
        passed_over: axis.passed_over.iter().map(ToString::to_string).collect(),
    }
}

/// The layers, strongest first.
fn layers(answering: &Answering<'_>) -> Vec<ShownLayer> {
    let resolution = answering.resolution();
    let readings = resolution.readings();
    let decides = resolution.decided_by_layer();
    let mut shown = Vec::new();
    for (index, layer) in readings.layers.iter().enumerate().rev() {
        let of_layer: Vec<_> = readings
            .readings
            .iter()
            .filter(|reading| reading.layer == LayerIndex(index) && !reading.is_removal)
            .collect();
        let because = layer.absence().map(|why| why.to_string()).unwrap_or_default();
        let state = match layer.presence {
            Presence::Read => "read",
            _ => LayerState::of(&layer.presence).name(),
        };
        let mut sources: Vec<String> =
            of_layer.iter().map(|reading| reading.origin.to_string()).collect();
        sources.dedup();
        let scopes = of_layer.iter().filter_map(|it| it.document.scope.as_ref());
        let scopes = scopes.map(|scope| scope.name.as_ref());
        let scopes: Vec<&str> = scopes.collect();
        let reads = match (layer.kind, &layer.scope) {
            (Kind::Process, _) => "environment variables".to_owned(),
            (Kind::Arguments, _) => "--set and --unset".to_owned(),
            (_, Some(scope)) if scopes.is_empty() => scope.scope.clone(),
            (_, Some(scope)) => {
                let copy = scope.copy.as_ref().map(|copy| format!("; {copy}"));
                format!(
                    "{} of {}{}",
                    list_values(&scopes, "and"),
                    scope.store,
                    copy.unwrap_or_default()
                )
            }
            _ => sources.join(", "),
        };
        shown.push(ShownLayer {
            layer: layer.name.clone(),
            state: state.into(),
            because,
            sources,
            reads,
            sets: of_layer.iter().map(|reading| reading.offers.len()).sum(),
            wins: decides[index],
        });
    }
    shown
}

fn counts(answering: &Answering<'_>) -> Counts {
    let mut counts = Counts { all: 0, set: 0, absent: 0, error: 0, unreadable: 0, uncertain: 0 };
    for key in answering.resolution().settings() {
        counts.all += 1;
        match Explanation::of(answering.answers, key).status {
            Status::Set => counts.set += 1,
            Status::Absent => counts.absent += 1,
            Status::Error { .. } => counts.error += 1,
            Status::Unreadable { .. } => counts.unreadable += 1,
            Status::Uncertain { .. } => counts.uncertain += 1,
        }
    }
    counts
}

fn text(
    answering: &Answering<'_>,
    layers: &[ShownLayer],
    counts: Counts,
    near: &[NearName],
    checked: &Result<Checked, String>,
) -> String {
    let look = answering.look;
    let is_full = answering.common.full;
    let project = answering.snapshot.project();
    let name = project.name.clone().unwrap_or_else(|| project.file.clone());
    let name = look.text(&name);
    let context = look.text(&in_context(answering.context()));
    let mut out = look.paint(Role::Key, &name);
    match look.width {
        Some(columns) if width(&name) + 1 + width(&context) > columns => {
            out.push('\n');
            look.styled(&mut out, Role::Plain, &context, "  ");
        }
        _ => out.push_str(format!(" {context}").trim_end()),
    }
    if !out.ends_with('\n') {
        out.push('\n');
    }
    if is_full {
        let path = project.folder.join(&project.file).display().to_string();
        look.styled(&mut out, Role::Place, &path, "  ");
        axes(look, answering.context(), &mut out);
    }
    look.styled(&mut out, role_of(checked), &state(counts, checked), "  ");
    if let Err(why) = checked {
        look.styled(&mut out, Role::Wrong, &format!("check cannot run: {why}"), "  ");
    }
    for near in near.iter().take(if is_full { near.len() } else { MOST_NEAR }) {
        let place = if near.line().is_some() { near.show_line() } else { String::new() };
        let place = if place.is_empty() { place } else { format!(" ({place})") };
        let told =
            format!("{}{place} is set but not used; did you mean {}?", near.name, near.meant);
        look.styled(&mut out, Role::Warning, &told, "  ");
    }
    if near.len() > MOST_NEAR && !is_full {
        let more =
            format!("{} more names are set but not used (details: --full)", near.len() - MOST_NEAR);
        look.styled(&mut out, Role::Warning, &more, "  ");
    }
    out.push('\n');
    let more = table(look, layers, is_full, &mut out);
    let folded = layers.iter().filter(|layer| !is_shown(layer, is_full));
    let folded: Vec<&ShownLayer> = folded.collect();
    let apart = folded.iter().filter(|layer| layer.state == "read").count();
    let sentences = [
        (more, "more layer sets something", "more layers set something"),
        (apart, "layer sets nothing here", "layers set nothing here"),
        (folded.len() - apart, "layer does not apply here", "layers do not apply here"),
    ];
    let sentences: Vec<String> = sentences
        .into_iter()
        .filter(|(count, ..)| *count > 0)
        .map(|(count, one, many)| format!("{count} {}", if count == 1 { one } else { many }))
        .collect();
    if !sentences.is_empty() {
        let folded = format!("{} (details: --full).", sentences.join("; "));
        look.paragraph(&mut out, &folded, "  ");
    }
    out
}

/// How many settings are set, and what check finds.
fn state(counts: Counts, checked: &Result<Checked, String>) -> String {
    let mut state = format!("{} of {} are set", counts.set, settings(counts.all));
    let odd = [
        (counts.error, "invalid"),
        (counts.unreadable, "unreadable"),
        (counts.uncertain, "uncertain"),
    ];
    for (count, what) in odd.into_iter().filter(|(count, _)| *count > 0) {
        state.push_str(&format!(", {count} {what}"));
    }
    match checked {
        Ok(checked) => match counted(checked) {
            Some(counted) => format!("{state}; check --here finds {counted}"),
            None => format!("{state}; check --here finds nothing"),
        },
        Err(_) => state,
    }
}

fn role_of(checked: &Result<Checked, String>) -> Role {
    match checked {
        Ok(checked) if checked.count(Severity::Error) > 0 => Role::Wrong,
        Ok(checked) if counted(checked).is_some() => Role::Warning,
        Ok(_) => Role::Value,
        Err(_) => Role::Wrong,
    }
}

/// Whether a layer is shown on a line of its own.
fn is_shown(layer: &ShownLayer, is_full: bool) -> bool {
    is_full || layer.sets > 0 || layer.state == "unavailable"
}

/// The most layers that are shown one by one, and the most names.
const MOST: usize = 7;
const MOST_NEAR: usize = 2;

/// The layers, strongest first; gives how many more there are.
fn table(look: &Look, layers: &[ShownLayer], is_full: bool, out: &mut String) -> usize {
    let shown: Vec<&ShownLayer> = layers.iter().filter(|layer| is_shown(layer, is_full)).collect();
    let head = ["layer", "sets", "wins", "reads"].map(|head| Cell::new(Role::Heading, head));
    let mut records = vec![head.to_vec()];
    let most = if is_full { usize::MAX } else { MOST };
    records.extend(shown.iter().take(most).map(|layer| {
        let (role, detail) = match layer.because.as_str() {
            "" => (Role::Place, layer.reads.clone()),
            because => (Role::Lost, because.to_owned()),
        };
        let number = |count: usize| match (&*layer.state, look.width) {
            ("read", Some(_)) => format!("{count:>4}"),
            ("read", None) => count.to_string(),
            _ => String::new(),
        };
        vec![
            Cell::new(Role::Layer, layer.layer.clone()),
            Cell::new(Role::Plain, number(layer.sets)),
            Cell::new(if layer.wins > 0 { Role::Value } else { Role::Lost }, number(layer.wins)),
            Cell::new(role, detail),
        ]
    }));
    look.records(out, 2, &records);
    shown.len().saturating_sub(most)
}

/// Checks what was read here.
fn check_here(answering: &Answering<'_>) -> Result<Checked, String> {
    let checking = Checking { snapshot: answering.snapshot };
    let survey = Survey::of(vec![answering.resolution().shared_readings()]);
    let wanted = CheckWanted { here: true, is_everywhere: false, with_local: true, allow: &[] };
    let checked = checking.check(&survey, &ContextSet::all(1), wanted);
    checked.map_err(|errors| errors.first().map(ToString::to_string).unwrap_or_default())
}

fn settings(count: usize) -> String {
    match count {
        1 => "1 setting".to_owned(),
        count => format!("{count} settings"),
    }
}
