//! `explain`: why a setting has its value.

use super::expected;
use super::put::several_match;
use super::whereabouts::{ShownAxis, shown_axis};
use crate::commands::uses::{self, UsedSetting};
use crate::failure;
use crate::fingerprint::Fingerprints;
use crate::json;
use crate::outcome::Outcome;
use crate::progress::Progress;
use crate::running::Answering;
use crate::running::Running;
use crate::running::Runs;
use clap::Args;
use justwhy_core::{Answers, Explanation, KeyId, KeyPath, Resolution, Status};
use justwhy_engine::{
    Asking, Everywhere, NotHere, Search, search, select, where_it_is, where_it_is_read,
};
use justwhy_project::Error;
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::Arc;

mod change;
mod evidence;
mod text;

pub(super) use change::first_way;
pub(super) use evidence::Evidence;
use text::{Beside, text};
pub(super) use text::{reason, references};

#[derive(Args, Debug)]
pub(crate) struct ExplainArguments {
    /// Keys, branches, patterns (`*`, `**`), variables or FILE:LINE
    #[arg(value_name = "KEY", required = true)]
    pub(crate) keys: Vec<String>,
    /// Explain why it is not this value, layer or source
    #[arg(long, value_name = "TEXT")]
    pub(crate) expected: Option<String>,
    /// Print the effective value of a secret
    #[arg(long)]
    pub(crate) reveal: bool,
}

impl Runs for ExplainArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.answer(|it| run(it, &self.keys, self.expected.as_deref(), self.reveal))
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct ExplainBody {
    axes: Vec<ShownAxis>,
    settings: Vec<json::Setting>,
    #[serde(skip_serializing_if = "Option::is_none")]
    expected: Option<expected::ShownSearch>,
    /// Of settings that are not set here: where they are set.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    set_in: Vec<SetIn>,
    /// What layers set that do not apply here.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    not_here: Vec<ShownNotHere>,
    /// Where source code uses the settings, if the project has it searched.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    uses: Vec<UsedSetting>,
    /// What was asked for and is a setting in no context.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    unknown: Vec<String>,
}

/// Where a setting is set that is not set here.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct SetIn {
    key: String,
    /// Tables as `when` has them: together they describe the contexts.
    contexts: Vec<BTreeMap<String, Vec<String>>>,
    #[serde(skip)]
    words: String,
}

/// A key that a layer sets, and that the layer's conditions keep from this context.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownNotHere {
    key: String,
    layer: String,
    #[serde(flatten)]
    place: json::ShownPlace,
    /// Where the layer applies.
    because: String,
}

fn shown_not_here(resolution: &Resolution, it: &NotHere) -> ShownNotHere {
    ShownNotHere {
        key: resolution.keys().show(it.key),
        layer: resolution.readings().layer(it.layer).name.clone(),
        place: json::ShownPlace::of(&it.at.place),
        because: it.applies.to_string(),
    }
}

/// For more settings at once it is not worked out what would be without the winner: that means to resolve
/// the whole project anew for each.
const MOST_WITHOUT: usize = 12;

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
                Err(error.help("justwhy list shows all settings"))
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

/// Of settings that are not set here: where they are set.
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

/// Looks into other contexts, while it is shown how many there are.
fn with_progress<R>(answering: &Answering<'_>, look: impl FnOnce(&Asking<'_>) -> R) -> R {
    let progress = Progress::begin("reading the contexts");
    let begins = |number: usize, of: usize| progress.now(|| format!("context {number} of {of}"));
    let Answering { snapshot, answers, .. } = *answering;
    look(&Asking { snapshot, answers, begins: &begins })
}

/// Why the one setting is not what was expected.
fn searched(
    answering: &Answering<'_>,
    resolution: &Resolution,
    explained: &[Explanation],
    wanted: &str,
) -> Result<Search, Vec<Error>> {
    match explained {
        [answer] => with_progress(answering, |it| search(it, answer.key, wanted)),
        several => {
            let shown: Vec<String> =
                several.iter().map(|answer| resolution.keys().show(answer.key)).collect();
            Err(vec![several_match("--expected", &shown)])
        }
    }
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
    let search = match wanted {
        None => None,
        Some(wanted) => Some(searched(answering, resolution, &explained, wanted)?),
    };
    let tells = explained.len() <= MOST_WITHOUT;
    let without = |answer: &Explanation| if tells { answer.without(answers) } else { None };
    let is_yes = explained.iter().all(|answer| answer.status == Status::Set);
    let set_in = set_elsewhere(resolution, &explained, everywhere);
    let keys_explained: Vec<KeyId> = explained.iter().map(|answer| answer.key).collect();
    let not_here = answering.snapshot.not_here(resolution.readings(), &keys_explained);
    let uses = uses::of_settings(answering, resolution, keys_explained)?;
    let uses = uses.map(|uses| uses.settings).unwrap_or_default();
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
                not_here: not_here.iter().map(|it| shown_not_here(resolution, it)).collect(),
                uses: uses.iter().map(|it| UsedSetting::of(resolution.keys(), it)).collect(),
                unknown: unknown.iter().map(|(key, _)| key.clone()).collect(),
            };
            json::text(&json::Answer::new("explain", answering.context(), body))
        }
        false => {
            let told = |answer: &Explanation| {
                let key = resolution.keys().show(answer.key);
                let beside = Beside {
                    search: search.as_ref(),
                    without: without(answer),
                    set_in: set_in.iter().find(|it| it.key == key).map(|it| it.words.as_str()),
                    everywhere,
                    not_here: not_here.iter().filter(|it| it.key == answer.key).collect(),
                    used: uses
                        .iter()
                        .find(|(key, _)| *key == answer.key)
                        .map(|(_, uses)| uses::sentence(uses)),
                };
                text(answering, answers, answer, beside, &fingerprints)
            };
            explained.iter().map(told).collect::<Vec<String>>().join("\n")
        }
    };
    let errors = unknown.iter().map(|(_, error)| failure::render(error, answering.look));
    let outcome = answering.outcome(result, errors.collect(), is_yes);
    Ok(match unknown.is_empty() {
        true => outcome,
        false => Outcome { code: 2, ..outcome },
    })
}
