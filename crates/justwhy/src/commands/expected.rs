//! `explain --expected`: why a setting is not what somebody expected.

use super::{Answering, look_into};
use crate::json::{ShownContext, ShownPlace, ShownValue, is_false};
use crate::look::{Look, Role};
use justwhy_core::{
    Answers, Astray, Context, Explanation, Found, HopValue, How, KeyId, KeyPath, Presence,
    Resolution, Stand, Value, Wanted, unread_layers,
};
use justwhy_engine::select;
use justwhy_project::Error;
use serde::Serialize;
use std::sync::Arc;

/// What the search came to.
pub(crate) struct Search {
    text: String,
    is_met: bool,
    /// Whether the setting is secret, so that values were not compared.
    is_secret: bool,
    /// What was found, first what comes first in the order of the search.
    found: Vec<(Found, Option<Context>)>,
    /// The references that lead to another value.
    astray: Vec<Astray>,
    candidates: usize,
    contexts: usize,
    /// Whether there are more other contexts than are looked at, so that none was.
    too_many: bool,
    unreadable: usize,
    inactive: Vec<String>,
    sources: usize,
}

/// Looks for `text` among the candidates of the setting, then in other contexts, in layers that were
/// not read, under near names, and outside of sections.
pub(crate) fn search(
    answering: &Answering<'_>,
    key: KeyId,
    text: &str,
) -> Result<Search, Vec<Error>> {
    let answers = answering.answers;
    let resolution = answers.resolution();
    let wanted = Wanted::of(answers, text);
    let mut search = Search {
        text: text.to_owned(),
        is_met: wanted.is_met(answers, key),
        is_secret: answers.is_secret(key),
        found: Vec::new(),
        astray: Vec::new(),
        candidates: resolution.candidates(key).count(),
        contexts: 0,
        too_many: false,
        unreadable: 0,
        inactive: Vec::new(),
        sources: resolution.readings().inputs.inputs.len(),
    };
    if search.is_met {
        return Ok(search);
    }
    search.astray = wanted.astray(answers, key);
    let here = wanted.among_candidates(answers, key).map(|found| (found, None));
    search.found.extend(here);
    if search.found.is_empty() {
        in_other_contexts(answering, key, &wanted, &mut search)?;
    }
    if search.found.is_empty() {
        in_inactive_layers(answering, key, &wanted, &mut search);
    }
    search.found.extend(wanted.under_near_names(answers, key).map(|found| (found, None)));
    search.found.extend(wanted.outside_of_sections(answers, key).map(|found| (found, None)));
    Ok(search)
}

/// The nearest context in which it is in force, or else the nearest in which it is a candidate.
fn in_other_contexts(
    answering: &Answering<'_>,
    key: KeyId,
    wanted: &Wanted,
    search: &mut Search,
) -> Result<(), Vec<Error>> {
    let here = answering.context();
    let contexts = match other_contexts(answering) {
        Err(error) if error.code() == "limit" => {
            search.too_many = true;
            return Ok(());
        }
        contexts => contexts.map_err(|error| vec![error])?,
    };
    let mut second: Option<(Found, Option<Context>)> = None;
    let looked = look_into(answering, contexts, |context, there| {
        let way = || answering.snapshot.way_to(here, context);
        match wanted.in_other_context(there, key, &way) {
            Some(found) if found.how == How::InForceElsewhere => {
                search.found.push((found, Some(context.clone())));
                false
            }
            Some(found) => {
                second.get_or_insert_with(|| (found, Some(context.clone())));
                true
            }
            None => true,
        }
    });
    search.contexts = looked.read;
    search.unreadable = looked.refused.len();
    if search.found.is_empty() {
        search.found.extend(second);
    }
    Ok(())
}

fn in_inactive_layers(answering: &Answering<'_>, key: KeyId, wanted: &Wanted, search: &mut Search) {
    let answers = answering.answers;
    for layer in unread_layers(answers.resolution().readings()) {
        let context = answering.context().clone();
        let Ok(readings) = answering.snapshot.read_as_if_active(context, layer) else { continue };
        if matches!(readings.layer(layer).presence, Presence::Inactive(_)) {
            // It needs an axis that is unset, which the other contexts are there for.
            continue;
        }
        let resolution = Resolution::of(Arc::new(readings));
        let forced = Answers::new(resolution, answers.outside(), answers.limits());
        let name = answers.resolution().readings().layer(layer).name.clone();
        search.inactive.push(name);
        let place = answering.snapshot.declared_at(layer);
        if let Some(found) = wanted.in_inactive_layer(answers, &forced, layer, key, &place) {
            search.found.push((found, None));
            return;
        }
    }
}

/// The error that there is no such setting here, with the nearest context in which it is what was
/// expected, or else in which there is one.
pub(crate) fn where_it_is(
    answering: &Answering<'_>,
    key: &str,
    expected: &str,
    error: Error,
) -> Error {
    let Ok(path) = KeyPath::parse(key) else {
        return error;
    };
    let here = answering.context();
    let Ok(contexts) = other_contexts(answering) else {
        return error;
    };
    let wanted = Wanted::of(answering.answers, expected);
    let (mut found, mut any): (Option<String>, Option<String>) = (None, None);
    look_into(answering, contexts, |context, there| {
        let resolution = there.resolution();
        let Some(key) = resolution.keys().find(KeyId::ROOT, &path) else {
            return true;
        };
        let is_met = wanted.is_met(there, key);
        if let Some(winner) = resolution.winner(key).filter(|_| is_met || any.is_none()) {
            let way = answering.snapshot.way_to(here, context);
            let stand = Stand::of(resolution, winner);
            let layer = &resolution.readings().layer(stand.layer).name;
            let place = stand.place(resolution.keys());
            match is_met {
                true => found = Some(format!("with --in {way} it is that: {layer} ({place})")),
                false => any = Some(format!("with --in {way} there is: {layer} sets it ({place})")),
            }
        }
        found.is_none()
    });
    match found.or(any) {
        Some(help) => error.help(help),
        None => error.help("nor is there in any other context"),
    }
}

/// The error that no such source is read here, with the nearest context in which it is.
pub(crate) fn where_it_is_read(answering: &Answering<'_>, place: &str, error: Error) -> Error {
    let Ok(contexts) = other_contexts(answering) else {
        return error;
    };
    let mut found: Option<String> = None;
    look_into(answering, contexts, |context, there| {
        if select::has_source(there.resolution(), answering.snapshot.inside(), place) {
            found = Some(answering.snapshot.way_to(answering.context(), context));
        }
        found.is_none()
    });
    match found {
        Some(way) => error.help(format!("it is read with --in {way}")),
        None => error.help("nor is it in any other context"),
    }
}

/// The contexts that are not this one, the nearest first.
fn other_contexts(answering: &Answering<'_>) -> Result<Vec<Context>, Error> {
    let here = answering.context();
    let differs = |context: &Context| {
        let axes = context.axes.iter().zip(&here.axes);
        axes.filter(|(one, other)| one.value != other.value).count()
    };
    // What --in names may vary too, unless that makes too many.
    let all = answering.snapshot.contexts(&Context::default());
    let mut contexts = match all {
        Err(error) if error.code() == "limit" => answering.snapshot.contexts(here)?,
        all => all?,
    };
    contexts.retain(|context| differs(context) > 0);
    contexts.sort_by_key(differs);
    Ok(contexts)
}

/// # As text
impl Search {
    pub(crate) fn text(&self, look: &Look, answer: &Explanation, out: &mut String) {
        let text = match self.text.as_str() {
            "" => "\"\"",
            text => text,
        };
        let mut lines: Vec<(Role, String)> = Vec::new();
        if self.is_met {
            lines.push((Role::Value, format!("It is {text}, as expected.")));
        }
        for (number, (found, _)) in self.found.iter().enumerate() {
            let place = match found.position {
                Some(position) => {
                    format!("{}:{}:{}", found.source, position.line, position.column)
                }
                None if found.source.as_ref() == "process" => {
                    format!("the variable {}", found.name)
                }
                None => found.source.to_string(),
            };
            let says = match &found.says {
                Some(value) => format!("says {}", value.show()),
                None if found.is_pattern => format!("takes away {}", found.name),
                None => "says a secret".to_owned(),
            };
            let lead = if number == 0 { format!("Expected {text}: ") } else { "Also: ".to_owned() };
            let what = format!("{lead}{} {says} ({place}).", found.layer);
            lines.push((Role::Plain, what));
            lines.push((Role::Warning, format!("It is not in force here: {}.", found.keeps)));
            let steps: Vec<String> = found.steps.iter().map(|step| step.show()).collect();
            match steps.as_slice() {
                [] => lines
                    .push((Role::Lost, "No single change would put it in force here.".to_owned())),
                [one] => lines.push((Role::Value, format!("Smallest step: {one}."))),
                several => lines.push((
                    Role::Value,
                    format!("Smallest steps, all of them: {}.", several.join("; ")),
                )),
            }
        }
        let told = match self.found.is_empty() {
            true => format!("Expected {text}: "),
            false => "Also: ".to_owned(),
        };
        for (number, Astray { hop, wanted }) in self.astray.iter().enumerate() {
            let lead = if number == 0 { told.as_str() } else { "And " };
            let finds = match &hop.found {
                HopValue::Value(value) => format!("gives {}", value.show()),
                HopValue::Nothing(_) => "finds nothing".to_owned(),
                HopValue::Secret | HopValue::Error(_) => "is in error".to_owned(),
            };
            let place = match (&hop.source, hop.position) {
                (Some(source), Some(at)) => format!(" ({source}:{}:{})", at.line, at.column),
                (Some(source), None) => format!(" ({source})"),
                (None, _) => String::new(),
            };
            let reference = &hop.reference;
            let line = format!(
                "{lead}{reference} {finds}{place}, and that needs {}.",
                Value::Text(wanted.as_str().into()).show()
            );
            lines.push((Role::Warning, line));
            // One of another context would have to be asked for there.
            if let Some(setting) = hop.setting.as_ref().filter(|setting| !setting.contains('@')) {
                let ask = format!("Next: justwhy explain {setting} --expected …");
                lines.push((Role::Value, ask));
            }
        }
        if !self.is_met && self.found.is_empty() && self.astray.is_empty() {
            let told = match answer.secret {
                true => "the setting is secret, and nothing was compared with that",
                false => "it is nowhere",
            };
            lines.push((Role::Warning, format!("Expected {text}: {told}.")));
            lines.push((Role::Plain, self.looked_at(answer)));
        }
        for (role, line) in lines {
            for line in look.wrap(&line, look.columns().saturating_sub(2)) {
                out.push_str(&format!("  {}\n", look.paint(role, &line)));
            }
        }
        out.push('\n');
    }

    /// What was searched, as a sentence.
    fn looked_at(&self, answer: &Explanation) -> String {
        let count = |count: usize, one: &str, many: &str| match count {
            1 => format!("1 {one}"),
            count => format!("{count} {many}"),
        };
        let mut looked = vec![
            count(self.candidates, "candidate here", "candidates here"),
            count(self.contexts, "other context", "other contexts"),
        ];
        if !self.inactive.is_empty() {
            looked.push(format!("the inactive {}", self.inactive.join(", ")));
        }
        let sources = count(self.sources, "source", "sources");
        looked.push(format!("near names and other sections in {sources}"));
        let looked = justwhy_core::list_values(&looked, "and");
        let mut sentence = format!("Looked at {looked}.");
        if self.too_many {
            sentence.push_str(
                " The axes form too many other contexts to look at: keep some fixed with --in.",
            );
        }
        if self.unreadable > 0 {
            let contexts = count(self.unreadable, "context", "contexts");
            sentence.push_str(&format!(" {contexts} could not be read."));
        }
        if answer.secret {
            sentence.push_str(" Name a layer or a source instead of a value.");
        }
        sentence
    }
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

impl Search {
    pub(crate) fn shown(&self) -> ShownSearch {
        let found = |(found, context): &(Found, Option<Context>)| ShownFound {
            sense: found.sense.name(),
            how: found.how.name(),
            layer: found.layer.clone(),
            place: ShownPlace::of(&found.source, found.position),
            name: found.name.clone(),
            says: found.says.clone().map(ShownValue),
            context: context.clone().map(ShownContext),
            keeps: found.keeps.clone(),
            steps: found
                .steps
                .iter()
                .map(|step| ShownStep {
                    act: step.act.name(),
                    at: step.at.clone(),
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
            text: self.text.clone(),
            is_met: self.is_met,
            secret: self.is_secret,
            found: self.found.iter().map(found).collect(),
            astray: self.astray.iter().map(astray).collect(),
            searched: Searched {
                candidates: self.candidates,
                contexts: self.contexts,
                too_many_contexts: self.too_many,
                unreadable_contexts: self.unreadable,
                inactive_layers: self.inactive.clone(),
                sources: self.sources,
            },
        }
    }
}
