//! `explain --expected`: why a setting is not what somebody expected.

use crate::json::{ShownContext, ShownPlace, ShownValue, is_false};
use crate::look::{Look, Role};
use justwhy_core::{Astray, Context, Explanation, Found, HopValue, Origin, Value};
use justwhy_engine::Search;
use serde::Serialize;

/// The answer for people.
pub(crate) fn text(look: &Look, search: &Search, answer: &Explanation, out: &mut String) {
    let expected = match search.text.as_str() {
        "" => "\"\"",
        text => text,
    };
    let mut lines: Vec<(Role, String)> = Vec::new();
    if search.is_met {
        lines.push((Role::Value, format!("It is {expected}, as expected.")));
    }
    for (number, (found, _)) in search.found.iter().enumerate() {
        let lead = match number {
            0 => format!("Expected {expected}: "),
            _ => "Also: ".to_owned(),
        };
        lines.extend(found_lines(found, &lead));
    }
    for (number, astray) in search.astray.iter().enumerate() {
        let lead = match (number, search.found.is_empty()) {
            (0, true) => format!("Expected {expected}: "),
            (0, false) => "Also: ".to_owned(),
            _ => "And ".to_owned(),
        };
        lines.extend(astray_lines(astray, &lead));
    }
    if !search.is_met && search.found.is_empty() && search.astray.is_empty() {
        let told = match answer.secret {
            true => "the setting is secret, and nothing was compared with that",
            false => "it is nowhere",
        };
        lines.push((Role::Warning, format!("Expected {expected}: {told}.")));
        lines.push((Role::Plain, looked_at(search, answer)));
    }
    for (role, line) in lines {
        for line in look.wrap(&line, look.columns().saturating_sub(2)) {
            out.push_str(&format!("  {}\n", look.paint(role, &line)));
        }
    }
    out.push('\n');
}

fn found_lines(found: &Found, lead: &str) -> Vec<(Role, String)> {
    let place = match &found.place.origin {
        Origin::Process => format!("the variable {}", found.name),
        _ => found.place.to_string(),
    };
    let says = match &found.says {
        Some(value) => format!("says {}", value.show()),
        None if found.is_pattern => format!("takes away {}", found.name),
        None => "says a secret".to_owned(),
    };
    let steps: Vec<String> = found.steps.iter().map(|step| step.show()).collect();
    let step = match steps.as_slice() {
        [] => (Role::Lost, "No single change would put it in force here.".to_owned()),
        [one] => (Role::Value, format!("Smallest step: {one}.")),
        several => (Role::Value, format!("Smallest steps, all of them: {}.", several.join("; "))),
    };
    vec![
        (Role::Plain, format!("{lead}{} {says} ({place}).", found.layer)),
        (Role::Warning, format!("It is not in force here: {}.", found.keeps)),
        step,
    ]
}

fn astray_lines(Astray { hop, wanted }: &Astray, lead: &str) -> Vec<(Role, String)> {
    let finds = match &hop.found {
        HopValue::Value(value) => format!("gives {}", value.show()),
        HopValue::Nothing(_) => "finds nothing".to_owned(),
        HopValue::Secret | HopValue::Error(_) => "is in error".to_owned(),
    };
    let place = hop.place.as_ref().map(|place| format!(" ({place})")).unwrap_or_default();
    let reference = &hop.reference;
    let line = format!(
        "{lead}{reference} {finds}{place}, and that needs {}.",
        Value::Text(wanted.as_str().into()).show()
    );
    let mut lines = vec![(Role::Warning, line)];
    // One of another context would have to be asked for there.
    if let Some(setting) = hop.setting.as_ref().filter(|setting| !setting.contains('@')) {
        lines.push((Role::Value, format!("Next: justwhy explain {setting} --expected …")));
    }
    lines
}

/// What was searched, as a sentence.
fn looked_at(search: &Search, answer: &Explanation) -> String {
    let count = |count: usize, one: &str, many: &str| match count {
        1 => format!("1 {one}"),
        count => format!("{count} {many}"),
    };
    let mut looked = vec![
        count(search.candidates, "candidate here", "candidates here"),
        count(search.contexts, "other context", "other contexts"),
    ];
    if !search.inactive.is_empty() {
        looked.push(format!("the inactive {}", search.inactive.join(", ")));
    }
    let sources = count(search.sources, "source", "sources");
    looked.push(format!("near names and other sections in {sources}"));
    let looked = justwhy_core::list_values(&looked, "and");
    let mut sentence = format!("Looked at {looked}.");
    if search.too_many {
        sentence.push_str(
            " The axes form too many other contexts to look at: keep some fixed with --in.",
        );
    }
    if search.unreadable > 0 {
        let contexts = count(search.unreadable, "context", "contexts");
        sentence.push_str(&format!(" {contexts} could not be read."));
    }
    if answer.secret {
        sentence.push_str(" Name a layer or a source instead of a value.");
    }
    sentence
}

/// # As JSON
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct ShownSearch {
    text: String,
    is_met: bool,
    #[serde(skip_serializing_if = "is_false")]
    secret: bool,
    found: Vec<ShownFound>,
    /// The references of what is in force with other values of which it would be what was expected.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    astray: Vec<ShownAstray>,
    searched: Searched,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownAstray {
    reference: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    setting: Option<String>,
    /// What it gives; none if that is nothing.
    #[serde(skip_serializing_if = "Option::is_none")]
    gives: Option<ShownValue>,
    wanted: String,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct Searched {
    candidates: usize,
    contexts: usize,
    #[serde(skip_serializing_if = "is_false")]
    too_many_contexts: bool,
    #[serde(skip_serializing_if = "is_zero")]
    unreadable_contexts: usize,
    inactive_layers: Vec<String>,
    sources: usize,
}

fn is_zero(count: &usize) -> bool {
    *count == 0
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownFound {
    sense: &'static str,
    how: &'static str,
    layer: String,
    #[serde(flatten)]
    place: ShownPlace,
    name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    says: Option<ShownValue>,
    #[serde(skip_serializing_if = "Option::is_none")]
    context: Option<ShownContext>,
    keeps: String,
    steps: Vec<ShownStep>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownStep {
    act: &'static str,
    at: String,
    name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    to: Option<String>,
    step: String,
}

pub(crate) fn shown(search: &Search) -> ShownSearch {
    let found = |(found, context): &(Found, Option<Context>)| ShownFound {
        sense: found.sense.name(),
        how: found.how.name(),
        layer: found.layer.clone(),
        place: ShownPlace::of(&found.place),
        name: found.name.clone(),
        says: found.says.clone().map(ShownValue),
        context: context.clone().map(ShownContext),
        keeps: found.keeps.clone(),
        steps: found
            .steps
            .iter()
            .map(|step| ShownStep {
                act: step.act.name(),
                at: step.at.to_string(),
                name: step.name.clone(),
                to: step.to.clone(),
                step: step.show(),
            })
            .collect(),
    };
    let astray = |Astray { hop, wanted }: &Astray| ShownAstray {
        reference: hop.reference.clone(),
        setting: hop.setting.clone(),
        gives: match &hop.found {
            HopValue::Value(value) => Some(ShownValue(value.clone())),
            _ => None,
        },
        wanted: wanted.clone(),
    };
    ShownSearch {
        text: search.text.clone(),
        is_met: search.is_met,
        secret: search.is_secret,
        found: search.found.iter().map(found).collect(),
        astray: search.astray.iter().map(astray).collect(),
        searched: Searched {
            candidates: search.candidates,
            contexts: search.contexts,
            too_many_contexts: search.too_many,
            unreadable_contexts: search.unreadable,
            inactive_layers: search.inactive.clone(),
            sources: search.sources,
        },
    }
}
