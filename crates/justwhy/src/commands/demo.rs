//! `demo`: the tide-gauge project, and real questions about it.

use crate::arguments::Form;
use crate::json;
use crate::look::{Look, Role};
use crate::outcome::{Outcome, Terminal};
use crate::running::{Asked, Running, Runs};
use clap::Args;
use justwhy_core::Context;
use justwhy_engine::Overlay;
use justwhy_project::{Error, World};
use justwhy_system::{write_new_folder, write_temporary_folder};
use serde::Serialize;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::sync::Arc;

#[derive(Args, Debug)]
pub(crate) struct DemoArguments {
    /// The folder to write it to, new or empty [default: a temporary one]
    #[arg(value_name = "DIR")]
    pub(crate) folder: Option<PathBuf>,
}

impl Runs for DemoArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        run(self.folder.as_deref(), running)
    }
}

/// A file of the demo project, as it stands in the repository.
macro_rules! files {
    ($($path:literal),* $(,)?) => {
        [$(($path, include_str!(concat!("../../demo/", $path)))),*]
    };
}

const FILES: [(&str, &str); 18] = files![
    "README.md",
    "data/gauges.csv",
    "deploy.env",
    "justwhy.toml",
    "local.env",
    "services/alerts/here.toml",
    "services/collector/here.toml",
    "services/forecast/here.toml",
    "settings/catalogue.toml",
    "settings/defaults.toml",
    "settings/dev.yaml",
    "settings/production.yaml",
    "settings/regions/north.json",
    "settings/regions/south.json",
    "settings/scopes.toml",
    "settings/services.toml",
    "settings/staging.yaml",
    "shift.env",
];

/// Questions, each with the arguments that answer it.
const QUESTIONS: [(&str, &[&str]); 22] = [
    (
        "I am on the night shift. Where do I stand, and which files count here?",
        &["--process-from", "shift.env"],
    ),
    (
        "Which values does the alarm have in the north?",
        &["list", "alert", "--in", "production,north"],
    ),
    (
        "Why is the alarm raised at 140 cm there, and not at 120 as production.yaml says?",
        &["explain", "alert.threshold_cm", "--in", "production,north"],
    ),
    (
        "And what would it take to have the 120?",
        &["explain", "alert.threshold_cm", "--in", "production,north", "--expected", "120"],
    ),
    (
        "From which address do the alerts read the forecast, and who says so?",
        &["explain", "alert.feed", "--in", "production,alerts"],
    ),
    (
        "Who is told in the north, and which file adds whom?",
        &["explain", "alert.recipients", "--in", "production,north"],
    ),
    (
        "production.yaml keeps the audit for 30 days. Why do the alerts keep it for 400?",
        &["explain", "audit.keep_days", "--in", "production,alerts"],
    ),
    ("Where is 140 set, and where does it hold?", &["find", "140"]),
    (
        "I gave the shift a database of its own. Why is it not used?",
        &["explain", "database.url", "--process-from", "shift.env"],
    ),
    (
        "Who switched the simulation off in production?",
        &["explain", "collector.simulate", "--in", "production"],
    ),
    (
        "Which key for text messages is used, and can it leak?",
        &["explain", "sms.api_key", "--process-from", "shift.env"],
    ),
    (
        "The shore desk keeps a gateway for messages in its scope. Why has the forecast none?",
        &["explain", "sms.gateway", "--in", "production,forecast,team=shorewatch"],
    ),
    ("Which scopes are read for the alerts?", &["stores", "--in", "production,alerts"]),
    (
        "Somebody writes `okay` where only yes or no make sense. Is that a no?",
        &["explain", "collector.simulate", "--set", "collector.simulate=okay"],
    ),
    (
        "What is different about the alarm in production?",
        &["compare", "staging,north", "production,north", "alert"],
    ),
    (
        "Where does its threshold change, and which file changes it?",
        &["grid", "alert.threshold_cm", "--across", "environment,region"],
    ),
    (
        "If nobody read the files of the regions, who would notice?",
        &["suppose", "--without", "by-region", "--everywhere"],
    ),
    (
        "150 in the north, then: what does that change, before it is written?",
        &["put", "alert.threshold_cm", "150", "--layer", "by-region", "--in", "north", "--dry-run"],
    ),
    (
        "And a program wants the alarm's settings as variables.",
        &["export", "alert", "--as", "env", "--in", "production,north"],
    ),
    ("What will go wrong in production?", &["check", "--in", "production"]),
    ("And what is still to be given there?", &["needs", "--in", "production"]),
    ("And if I misspell the environment?", &["list", "--in", "prodution"]),
];

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct DemoBody {
    folder: String,
    files: Vec<&'static str>,
    steps: Vec<Step>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct Step {
    question: &'static str,
    command: String,
    result: String,
    notes: String,
    code: u8,
}

fn run(folder: Option<&Path>, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
    let one = |error| vec![error];
    let Running { asked: Asked { common, look, .. }, world, again, .. } = *running;
    let here = world.current_folder().unwrap_or_default();
    let folder = match folder {
        Some(folder) => {
            let folder = here.join(folder);
            write_new_folder(&folder, &FILES).map_err(one)?;
            folder
        }
        None => write_temporary_folder("justwhy-demo-", &FILES).map_err(one)?,
    };
    let world = Overlay::new(Arc::clone(world), Vec::new()).in_folder(folder.clone());
    let world: Arc<dyn World> = Arc::new(world);
    let look = match common.output {
        Form::Json => Look { width: None, colour: false, ..*look },
        _ => *look,
    };
    let steps: Vec<Step> = QUESTIONS
        .iter()
        .map(|step| ask(step, &look, |words, terminal| again(words, terminal, &world)))
        .collect();
    let result = match common.output {
        Form::Json => {
            let body = DemoBody {
                folder: folder.display().to_string(),
                files: FILES.iter().map(|(path, _)| *path).collect(),
                steps,
            };
            json::text(&json::Answer::new("demo", &Context::default(), body))
        }
        _ => text(&folder, &steps, &look),
    };
    Ok(Outcome { result: result.into(), notes: String::new(), code: 0, done: Vec::new() })
}

/// Runs one command in the demo's folder, as if typed there.
fn ask(
    step: &(&'static str, &[&str]),
    look: &Look,
    run: impl FnOnce(&[OsString], &Terminal) -> Outcome,
) -> Step {
    let (question, arguments) = *step;
    let words: Vec<OsString> =
        std::iter::once("justwhy").chain(arguments.iter().copied()).map(OsString::from).collect();
    let terminal = Terminal { look: *look, errors_in_colour: look.colour };
    let outcome = run(&words, &terminal);
    Step {
        question,
        command: std::iter::once("justwhy")
            .chain(arguments.iter().copied())
            .collect::<Vec<_>>()
            .join(" "),
        result: outcome.result.together(),
        notes: outcome.notes,
        code: outcome.code,
    }
}

fn text(folder: &Path, steps: &[Step], look: &Look) -> String {
    let mut out = look.paint(Role::Heading, "The tide-gauge network");
    out.push('\n');
    look.paragraph(
        &mut out,
        &format!("A made-up project of {} files, written to {}", FILES.len(), folder.display()),
        "",
    );
    for (number, step) in steps.iter().enumerate() {
        out.push('\n');
        let question = format!("{}. {}", number + 1, step.question);
        for line in look.wrap(&question, look.columns()) {
            out.push_str(&look.paint(Role::Heading, &line));
            out.push('\n');
        }
        out.push_str(&format!("$ {}\n\n", look.paint(Role::Layer, &step.command)));
        out.push_str(&step.result);
        out.push_str(&step.notes);
        if step.code != 0 {
            let meaning = if step.code == 1 { "the answer is no" } else { "it could not be done" };
            let line = format!("(exit code {}: {meaning})", step.code);
            out.push_str(&look.paint(Role::Lost, &line));
            out.push('\n');
        }
    }
    out.push('\n');
    look.paragraph(
        &mut out,
        &format!("Go on in {}: the files are yours to change.", folder.display()),
        "",
    );
    out
}
