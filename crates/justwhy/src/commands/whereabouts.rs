//! `justwhy` alone: where am I?

use super::check::counted;
use crate::json;
use crate::look::{Role, Symbol, fill, width};
use crate::outcome::Outcome;
use crate::running::Answering;
use justwhy_core::{
    AxisOrigin, AxisValue, ContextSet, Explanation, Kind, LayerIndex, LayerState, NearName,
    Presence, Severity, Status, Survey, list_values,
};
use justwhy_engine::{CheckWanted, Checked, Checking, select};
use justwhy_project::Error;
use serde::Serialize;

/// The columns of what a layer says.
const SAYS: usize = 24;

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
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
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
enum ShownCheck {
    /// How much, by severity.
    Found { error: usize, warning: usize, note: usize },
    /// Why it could not be told.
    NotRun(String),
}

/// An axis: its value, where that is from, and what was passed over before.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct ShownAxis {
    axis: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    value: Option<String>,
    from: String,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    passed_over: Vec<String>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownLayer {
    layer: String,
    state: &'static str,
    #[serde(skip_serializing_if = "String::is_empty")]
    because: String,
    sources: Vec<String>,
    #[serde(skip)]
    reads: String,
    offers: usize,
    decides: usize,
}

#[derive(Serialize, Clone, Copy)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct Counts {
    all: usize,
    set: usize,
    absent: usize,
    error: usize,
    #[serde(skip_serializing_if = "is_zero")]
    unreadable: usize,
    #[serde(skip_serializing_if = "is_zero")]
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
        from: axis.origin.phrase(),
        passed_over: axis.passed_over.clone(),
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
        let because = layer.absence().unwrap_or_default();
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
            (Kind::Process | Kind::Arguments, _) => String::new(),
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
            state,
            because,
            sources,
            reads,
            offers: of_layer.iter().map(|reading| reading.offers.len()).sum(),
            decides: decides[index],
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
    let project = answering.snapshot.project();
    let path = project.folder.join(&project.file).display().to_string();
    let mut out = String::new();
    if let Some(name) = &project.name {
        out.push_str(&look.paint(Role::Key, name));
        out.push_str("  ");
    }
    out.push_str(&look.paint(Role::Place, &path));
    out.push_str("\n\n");
    axes(answering, &mut out);
    out.push_str(&look.paint(Role::Heading, "Layers, strongest first"));
    out.push('\n');
    let names = layers.iter().map(|layer| layer.layer.len()).max().unwrap_or(0);
    for layer in layers {
        rung(answering, layer, names, &mut out);
    }
    out.push('\n');
    out.push_str(&format!("{}: {} with a value", settings(counts.all), counts.set));
    if counts.absent > 0 {
        out.push_str(&format!(", {} without", counts.absent));
    }
    let refused = [
        (counts.error, "in error"),
        (counts.unreadable, "that cannot be read"),
        (counts.uncertain, "uncertain"),
    ];
    for (count, what) in refused.into_iter().filter(|(count, _)| *count > 0) {
        out.push_str(&format!(", {}", look.paint(Role::Wrong, &format!("{count} {what}"))));
    }
    out.push_str(".\n");
    for name in near {
        let text =
            format!("{} ({}) is nearly {}: misspelt?", name.name, name.show_line(), name.meant);
        for line in look.wrap(&text, look.columns()) {
            out.push_str(&look.paint(Role::Warning, &line));
            out.push('\n');
        }
    }
    let (role, line) = match checked {
        Ok(checked) => match (counted(checked), checked.count(Severity::Error)) {
            (None, _) => (Role::Value, "`justwhy check --here` finds nothing.".to_owned()),
            (Some(counted), 0) => {
                (Role::Warning, format!("`justwhy check --here` finds {counted}."))
            }
            (Some(counted), _) => (Role::Wrong, format!("`justwhy check --here` finds {counted}.")),
        },
        Err(why) => (Role::Wrong, format!("`justwhy check --here` cannot run: {why}.")),
    };
    for line in look.wrap(&line, look.columns()) {
        out.push_str(&look.paint(role, &line));
        out.push('\n');
    }
    out
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

fn axes(answering: &Answering<'_>, out: &mut String) {
    let look = answering.look;
    let axes = &answering.context().axes;
    if axes.is_empty() {
        return;
    }
    out.push_str(&look.paint(Role::Heading, "Where you stand"));
    out.push('\n');
    let names = axes.iter().map(|axis| axis.axis.len()).max().unwrap_or(0);
    let values = axes.iter().filter_map(|axis| axis.value.as_ref().map(String::len)).max();
    let values = values.unwrap_or(0).max("unset".len());
    for axis in axes {
        let (role, value) = match &axis.value {
            Some(value) => (Role::Value, value.as_str()),
            None => (Role::Lost, "unset"),
        };
        let start = format!(
            "  {}  {}  ",
            fill(&axis.axis, axis.axis.len(), names),
            fill(&look.paint(role, value), value.len(), values)
        );
        let mut from = match axis.origin {
            AxisOrigin::Nothing => "nothing gives it a value".to_owned(),
            _ => format!("from {}", axis.origin.phrase()),
        };
        if !axis.passed_over.is_empty() {
            from.push_str(&format!("; {}", axis.passed_over.join(", ")));
        }
        let indent = names + values + 6;
        for (at, line) in look.wrap(&from, look.columns().saturating_sub(indent)).iter().enumerate()
        {
            match at {
                0 => out.push_str(&format!("{start}{line}\n")),
                _ => out.push_str(&format!("{:indent$}{line}\n", "")),
            }
        }
    }
    out.push('\n');
}

fn rung(answering: &Answering<'_>, layer: &ShownLayer, names: usize, out: &mut String) {
    let look = answering.look;
    let (symbol, role) = match (layer.state, layer.decides) {
        ("read", 0) => (Symbol::Lost, Role::Lost),
        ("read", _) => (Symbol::Decides, Role::Value),
        _ => (Symbol::Quiet, Role::Lost),
    };
    let start = format!(
        "  {} {}  ",
        look.paint(role, look.symbol(symbol)),
        fill(&look.paint(Role::Layer, &layer.layer), layer.layer.len(), names)
    );
    let says = match (layer.state, layer.offers) {
        ("read", 0) => "says nothing".to_owned(),
        ("read", offers) => format!("speaks of {offers}, decides {}", layer.decides),
        (state, _) => state.to_owned(),
    };
    let says = fill(&look.text(&says), width(&says), SAYS);
    let (detail, role) = match layer.because.as_str() {
        "" => (layer.reads.clone(), Role::Place),
        because => (because.to_owned(), Role::Lost),
    };
    let indent = 4 + names + 2 + SAYS + 2;
    let lines = look.wrap(&detail, look.columns().saturating_sub(indent));
    let first = lines.first().map(|line| look.paint(role, line)).unwrap_or_default();
    out.push_str(format!("{start}{says}  {first}").trim_end());
    out.push('\n');
    for line in lines.iter().skip(1) {
        out.push_str(&format!("{:indent$}{}\n", "", look.paint(role, line)));
    }
}
