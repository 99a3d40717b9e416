//! `demo`: the tide-gauge project, and seven questions about it.

use crate::arguments::Form;
use crate::json::{self, Word};
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
    /// A new or empty folder for the project [default: a temporary one]
    #[arg(value_name = "DIR")]
    pub(crate) folder: Option<PathBuf>,
}

impl Runs for DemoArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        run(self.folder.as_deref(), running)
    }
}

/// A file of the demo project, as it is in the repository.
macro_rules! files {
    ($($path:literal),* $(,)?) => {
        [$(($path, include_str!(concat!("../../demo/", $path)))),*]
    };
}

const FILES: [(&str, &str); 20] = files![
    "README.md",
    "data/gauges.csv",
    "deploy.env",
    "justwhy.toml",
    "local.env",
    "services/alerts/alerts.ts",
    "services/alerts/here.toml",
    "services/collector/here.toml",
    "services/forecast/here.toml",
    "services/forecast/tide.py",
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
const QUESTIONS: [(&str, &[&str]); 7] = [
    (
        "I am on the night shift. Which context is this, and is all well?",
        &["--process-from", "shift.env"],
    ),
    (
        "production.yaml sets the alarm to 120 cm. Why is it 140 in the north?",
        &["explain", "alert.threshold_cm", "--in", "production,north"],
    ),
    (
        "I set a database for this shift. Why is it not used?",
        &["explain", "database.url", "--process-from", "shift.env"],
    ),
    (
        "Who switched the simulation off in production?",
        &["explain", "collector.simulate", "--in", "production"],
    ),
    (
        "What is different about the alarm in production?",
        &["compare", "staging,north", "production,north", "alert"],
    ),
    (
        "What changes if the north gets 150 cm? Write nothing yet.",
        &["put", "alert.threshold_cm", "150", "--layer", "by-region", "--in", "north", "--dry-run"],
    ),
    ("What goes wrong in production?", &["check", "--in", "production"]),
];

/// Commands to go on with.
const NEXT: [&str; 5] = [
    "justwhy list --in production,north",
    "justwhy find 140",
    "justwhy grid alert",
    "justwhy needs --in production",
    "justwhy --help",
];

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct DemoBody {
    folder: String,
    files: Vec<Word>,
    steps: Vec<Step>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct Step {
    question: Word,
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
                files: FILES.iter().map(|(path, _)| (*path).into()).collect(),
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
        question: question.into(),
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
    let folder = folder.display().to_string();
    let mut out = String::new();
    let head = format!("The tide-gauge network: {} files in", FILES.len());
    look.styled(&mut out, Role::Heading, &head, "");
    look.styled(&mut out, Role::Place, &folder, "  ");
    for (number, step) in steps.iter().enumerate() {
        out.push('\n');
        let question = format!("{}. {}", number + 1, step.question);
        look.styled(&mut out, Role::Heading, &question, "");
        out.push_str(&format!("$ {}\n", look.paint(Role::Layer, &step.command)));
        out.push_str(&step.result);
        out.push_str(&step.notes);
        if step.code != 0 {
            let meaning = if step.code == 1 { "a problem was found" } else { "it failed" };
            let line = format!("(exit code {}: {meaning})", step.code);
            look.styled(&mut out, Role::Lost, &line, "");
        }
    }
    out.push('\n');
    look.styled(&mut out, Role::Heading, "Go on: edit the files and ask again.", "");
    out.push_str(&format!("$ {}\n", look.paint(Role::Layer, &format!("cd {folder}"))));
    for command in NEXT {
        out.push_str(&format!("$ {}\n", look.paint(Role::Layer, command)));
    }
    out
}
