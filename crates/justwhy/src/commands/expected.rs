//! `explain --expected`: why a setting is not what somebody expected.

use crate::json::{ShownContext, ShownPlace, ShownValue, Word, is_false};
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
        lines.push((Role::Value, format!("it is {expected}, as expected")));
    }
    for (number, (found, _)) in search.found.iter().enumerate() {
        let lead = match number {
            0 => format!("expected {expected}: "),
            _ => "also: ".to_owned(),
        };
        lines.extend(found_lines(found, &lead));
    }
    for (number, astray) in search.astray.iter().enumerate() {
        let lead = match (number, search.found.is_empty()) {
            (0, true) => format!("expected {expected}: "),
            (0, false) => "also: ".to_owned(),
            _ => "and ".to_owned(),
        };
        lines.extend(astray_lines(astray, &lead));
    }
    if !search.is_met && search.found.is_empty() && search.astray.is_empty() {
        let told = match answer.secret {
            true => "the setting is secret, so its values were not compared",
            false => "no layer sets it in any context",
        };
        lines.push((Role::Warning, format!("expected {expected}: {told}")));
        lines.push((Role::Plain, looked_at(search, answer)));
    }
    for (role, line) in lines {
        look.styled(out, role, &line, "  ");
    }
}

fn found_lines(found: &Found, lead: &str) -> Vec<(Role, String)> {
    let place = match &found.place.origin {
        Origin::Process => format!("environment variable {}", found.name),
        _ => found.place.to_string(),
    };
    let says = match &found.says {
        Some(value) => format!("sets {}", value.show()),
        None if found.is_pattern => format!("removes {}", found.name),
        None => "sets a secret".to_owned(),
    };
    let steps: Vec<String> = found.steps.iter().map(|step| step.fact().to_string()).collect();
    let step = match steps.as_slice() {
        [] => (Role::Lost, "no single change makes it take effect here".to_owned()),
        [one] => (Role::Value, format!("smallest change: {one}")),
        several => (Role::Value, format!("smallest changes, all needed: {}", several.join("; "))),
    };
    vec![
        (Role::Plain, format!("{lead}{} {says} ({place})", found.layer)),
        (Role::Warning, format!("no effect here: {}", found.keeps)),
        step,
    ]
}

fn astray_lines(Astray { hop, wanted }: &Astray, lead: &str) -> Vec<(Role, String)> {
    let finds = match &hop.found {
        HopValue::Value(value) => format!("gives {}", value.show()),
        HopValue::Nothing(_) => "is not set".to_owned(),
        HopValue::Secret | HopValue::Error(_) => "is invalid".to_owned(),
    };
    let place = hop.place.as_ref().map(|place| format!(" ({place})")).unwrap_or_default();
    let reference = &hop.reference;
    let line = format!(
        "{lead}{reference} {finds}{place}, but would have to give {}",
        Value::Text(wanted.as_str().into()).show()
    );
    let mut lines = vec![(Role::Warning, line)];
    // One of another context would have to be asked for there.
    if let Some(setting) = hop.setting.as_ref().filter(|setting| !setting.contains('@')) {
        lines.push((Role::Value, format!("next: justwhy explain {setting} --expected …")));
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
        looked.push(format!("{} (not applied here)", search.inactive.join(", ")));
    }
    let sources = count(search.sources, "source", "sources");
    looked.push(format!("similar names and other sections in {sources}"));
    let looked = justwhy_core::list_values(&looked, "and");
    let mut sentence = format!("Searched {looked}.");
    if search.too_many {
        sentence.push_str(" There are too many other contexts to search: fix some axes with --in.");
    }
    if search.unreadable > 0 {
        let contexts = count(search.unreadable, "context", "contexts");
        sentence.push_str(&format!(" {contexts} cannot be read."));
    }
    if answer.secret {
        sentence.push_str(" Name a layer or a source instead of a value.");
    }
    sentence
}

/// # As JSON
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct ShownSearch {
    text: String,
    is_met: bool,
    #[serde(default, skip_serializing_if = "is_false")]
    secret: bool,
    found: Vec<ShownFound>,
    /// The references of the value that would have to give something else.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    astray: Vec<ShownAstray>,
    searched: Searched,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownAstray {
    reference: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    setting: Option<String>,
    /// What it gives; none if that is nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(test, serde(deserialize_with = "crate::json::present"))]
    gives: Option<ShownValue>,
    wanted: String,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct Searched {
    candidates: usize,
    contexts: usize,
    #[serde(default, skip_serializing_if = "is_false")]
    too_many_contexts: bool,
    #[serde(default, skip_serializing_if = "is_zero")]
    unreadable_contexts: usize,
    inactive_layers: Vec<String>,
    sources: usize,
}

fn is_zero(count: &usize) -> bool {
    *count == 0
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownFound {
    sense: Word,
    how: Word,
    layer: String,
    #[serde(flatten)]
    place: ShownPlace,
    name: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(test, serde(deserialize_with = "crate::json::present"))]
    says: Option<ShownValue>,
    #[serde(skip_serializing_if = "Option::is_none")]
    context: Option<ShownContext>,
    keeps: String,
    steps: Vec<ShownStep>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownStep {
    act: Word,
    at: String,
    name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    to: Option<String>,
    step: String,
}

pub(crate) fn shown(search: &Search) -> ShownSearch {
    let found = |(found, context): &(Found, Option<Context>)| ShownFound {
        sense: found.sense.name().into(),
        how: found.how.name().into(),
        layer: found.layer.clone(),
        place: ShownPlace::of(&found.place),
        name: found.name.clone(),
        says: found.says.clone().map(ShownValue),
        context: context.clone().map(ShownContext),
        keeps: found.keeps.to_string(),
        steps: found
            .steps
            .iter()
            .map(|step| ShownStep {
                act: step.act.name().into(),
                at: step.at.to_string(),
                name: step.name.clone(),
                to: step.to.clone(),
                step: step.fact().to_string(),
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
