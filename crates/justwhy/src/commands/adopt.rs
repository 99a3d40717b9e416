//! `adopt`: proposes a project file for a repository that has none.

use crate::arguments::Form;
use crate::json;
use crate::look::{Look, Role};
use crate::outcome::{Outcome, Terminal};
use crate::progress::Progress;
use crate::putting::word;
use crate::running::{Asked, Running, Runs};
use clap::Args;
use justwhy_adopt::{Addition, Proposal, Question};
use justwhy_core::Context;
use justwhy_engine::Overlay;
use justwhy_project::{Error, FileEdit, World};
use justwhy_system::{EditLock, write};
use serde::Serialize;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// The project file.
const FILE: &str = "justwhy.toml";
/// How long others may edit before this gives up.
const PATIENCE: Duration = Duration::from_secs(10);

#[derive(Args, Debug)]
pub(crate) struct AdoptArguments {
    /// The folder of the repository [default: the current one]
    #[arg(value_name = "DIR")]
    pub(crate) folder: Option<PathBuf>,
    /// Write justwhy.toml, and answer the first questions from it
    #[arg(long)]
    pub(crate) write: bool,
    /// Print what an existing justwhy.toml lacks, as a diff
    #[arg(long)]
    pub(crate) update: bool,
}

impl Runs for AdoptArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        let folder = self.folder(running)?;
        match self.update {
            true => self.update(&folder, running),
            false => self.propose(&folder, running),
        }
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct AdoptBody {
    /// The folder that was looked at.
    folder: String,
    /// How many files it has that could be read.
    files: usize,
    /// The project file that is proposed, or the one that was updated.
    #[serde(skip_serializing_if = "Option::is_none")]
    project: Option<String>,
    /// What is added to the project file that is there, as a diff.
    #[serde(skip_serializing_if = "Option::is_none")]
    diff: Option<String>,
    /// Its axes.
    axes: Vec<String>,
    /// Its layers, weakest first.
    layers: Vec<String>,
    /// How many things were seen and cannot be carried.
    not_carried: usize,
    /// Whether the file was written.
    written: bool,
    /// The settings that most layers set.
    settings: Vec<AskedSetting>,
}

/// A setting that many layers set.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct AskedSetting {
    key: String,
    /// The context in which they do, as `--in` takes it.
    #[serde(rename = "in", skip_serializing_if = "Option::is_none")]
    context: Option<String>,
    layers: usize,
}

impl AdoptArguments {
    fn folder(&self, running: &Running<'_>) -> Result<PathBuf, Vec<Error>> {
        let world = running.world;
        let here = world.current_folder().unwrap_or_default();
        let asked = self.folder.as_deref().unwrap_or(Path::new("."));
        let folder = here.join(asked);
        let bad = |message: String| {
            vec![Error::new("no-folder", message).help("name the folder of a repository")]
        };
        if !world.is_folder(&folder) {
            return Err(bad(format!("{} is not a folder", asked.display())));
        }
        world.canonical(&folder).map_err(|error| bad(format!("{}: {error}", asked.display())))
    }

    fn propose(&self, folder: &Path, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        let Asked { common, look, .. } = running.asked;
        let path = folder.join(FILE);
        if running.world.is_file(&path) || running.world.stamp(&path).is_some() {
            let error = Error::new("project-exists", format!("{} exists", path.display()));
            let help = "justwhy adopt --update prints what it lacks";
            return Err(vec![error.help(help)]);
        }
        let progress = Progress::begin("listing the files");
        let told = |done, all| progress.now(|| format!("{done} of {all} files looked at"));
        let proposal = justwhy_adopt::adopt(running.world, folder, FILE, &told)?;
        let questions = match self.write || common.output == Form::Json {
            true => justwhy_adopt::questions(running.world, folder, FILE, &proposal.text),
            false => Vec::new(),
        };
        drop(progress);
        let mut done = Vec::new();
        if self.write {
            write_new(&path, None, &proposal.text)?;
            done.push(path.display().to_string());
        }
        let result = match (common.output, self.write) {
            (Form::Json, _) => self.body(folder, &proposal, questions),
            (_, false) => proposal.text.clone(),
            (_, true) => first_answers(folder, &proposal, &questions, running),
        };
        let notes = match common.output {
            Form::Json => String::new(),
            _ => notes(&proposal, self.write, look),
        };
        Ok(Outcome { result: result.into(), notes, code: 0, done })
    }

    fn body(&self, folder: &Path, proposal: &Proposal, questions: Vec<Question>) -> String {
        let asked =
            |it: Question| AskedSetting { key: it.key, context: it.context, layers: it.layers };
        let body = AdoptBody {
            folder: folder.display().to_string(),
            files: proposal.files,
            project: Some(proposal.text.clone()),
            diff: None,
            axes: proposal.axes.clone(),
            layers: proposal.layers.clone(),
            not_carried: proposal.left,
            written: self.write,
            settings: questions.into_iter().map(asked).collect(),
        };
        json::text(&json::Answer::new("adopt", &Context::default(), body))
    }

    fn update(&self, folder: &Path, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        let Asked { common, look, .. } = running.asked;
        let path = folder.join(FILE);
        if !running.world.is_file(&path) {
            let error = Error::new("no-project", format!("no {FILE} in {}", folder.display()));
            return Err(vec![error.help("justwhy adopt proposes one")]);
        }
        let progress = Progress::begin("listing the files");
        let told = |done, all| progress.now(|| format!("{done} of {all} files looked at"));
        let addition = justwhy_adopt::update(running.world, folder, FILE, &told)?;
        drop(progress);
        let mut done = Vec::new();
        if self.write && !addition.diff.is_empty() {
            write_new(&path, Some(addition.before.clone()), &addition.text)?;
            done.push(path.display().to_string());
        }
        let result = match common.output {
            Form::Json => {
                let Addition { text, diff, axes, layers, files, .. } = addition.clone();
                let body = AdoptBody {
                    folder: folder.display().to_string(),
                    files,
                    project: Some(text),
                    diff: Some(diff),
                    axes,
                    layers,
                    not_carried: 0,
                    written: !done.is_empty(),
                    settings: Vec::new(),
                };
                json::text(&json::Answer::new("adopt", &Context::default(), body))
            }
            _ => addition.diff.clone(),
        };
        let told = match (addition.diff.is_empty(), self.write) {
            (true, _) => format!("{FILE} reads every family of files that was found"),
            (false, true) => format!("{FILE} was written; nothing in it was removed or changed"),
            (false, false) => "justwhy adopt --update --write writes this".to_owned(),
        };
        let notes = match common.output {
            Form::Json => String::new(),
            _ => look.text(&format!("note: {told}")) + "\n",
        };
        Ok(Outcome { result: result.into(), notes, code: 0, done })
    }
}

/// Writes the project file, if it still is as it was.
fn write_new(path: &Path, before: Option<Vec<u8>>, text: &str) -> Result<(), Vec<Error>> {
    let one = |error| vec![error];
    let folder = path.parent().unwrap_or(Path::new("."));
    let _lock = EditLock::of(folder, PATIENCE).map_err(one)?;
    let edit = FileEdit {
        path: FILE.to_owned(),
        full: path.to_owned(),
        before,
        after: text.as_bytes().to_vec(),
        is_secret: false,
    };
    write(&edit).map_err(one)
}

fn counted(count: usize, one: &str, many: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { many })
}

/// What was found, and what was not carried.
fn summary(proposal: &Proposal) -> String {
    let layers = counted(proposal.layers.len(), "layer", "layers");
    let axes = counted(proposal.axes.len(), "axis", "axes");
    format!("{layers} and {axes} from {}", counted(proposal.files, "file", "files"))
}

fn notes(proposal: &Proposal, is_written: bool, look: &Look) -> String {
    let mut told = Vec::new();
    if proposal.are_cut {
        told.push(format!("more files than {} are not looked at", proposal.files));
    }
    if proposal.unnameable > 0 {
        let files = counted(proposal.unnameable, "file has", "files have");
        told.push(format!("{files} a name that no project file can contain; not looked at"));
    }
    if proposal.left > 0 && !is_written {
        let things = counted(proposal.left, "thing was", "things were");
        told.push(format!("{things} seen but not carried; comments in the file list them"));
    }
    if proposal.layers.len() == 1 {
        told.push("no file that sets anything was found".to_owned());
    }
    if !is_written {
        told.insert(
            0,
            format!("{}; justwhy adopt --write writes this to {FILE}", summary(proposal)),
        );
    }
    told.iter().map(|it| look.text(&format!("note: {it}")) + "\n").collect()
}

/// What `justwhy` alone prints, why the settings that most layers set are as they are, and what to look at next.
fn first_answers(
    folder: &Path,
    proposal: &Proposal,
    questions: &[Question],
    running: &Running<'_>,
) -> String {
    let Running { asked: Asked { look, .. }, world, again, .. } = *running;
    let variables = world.variables();
    let there = Overlay::new(Arc::clone(world), variables).in_folder(folder.to_owned());
    let there: Arc<dyn World> = Arc::new(there);
    let terminal = Terminal { look: *look, errors_in_colour: look.colour };
    let mut out = String::new();
    let head = format!("{FILE} was written: {}", summary(proposal));
    look.styled(&mut out, Role::Heading, &head, "");
    let ask = |words: &[String], out: &mut String| {
        let line = words.iter().map(|it| word(it)).collect::<Vec<_>>().join(" ");
        out.push_str(&format!("\n$ {}\n", look.paint(Role::Layer, &look.text(&line))));
        let words: Vec<OsString> = words.iter().map(OsString::from).collect();
        let outcome = again(&words, &terminal, &there);
        out.push_str(&outcome.result.together());
        out.push_str(&outcome.notes);
    };
    ask(&["justwhy".to_owned()], &mut out);
    for question in questions {
        let mut words = vec!["justwhy".to_owned(), "explain".to_owned(), question.key.clone()];
        if let Some(context) = &question.context {
            words.extend(["--in".to_owned(), context.clone()]);
        }
        ask(&words, &mut out);
    }
    out.push('\n');
    look.styled(&mut out, Role::Heading, "Look at these next:", "");
    for (command, why) in next(proposal, questions) {
        let line = format!(
            "{}  {}",
            look.paint(Role::Layer, &look.text(&command)),
            look.paint(Role::Lost, why)
        );
        out.push_str(&format!("  {line}\n"));
    }
    out
}

/// The next three things to look at.
fn next(proposal: &Proposal, questions: &[Question]) -> Vec<(String, &'static str)> {
    let mut next = Vec::new();
    if proposal.left > 0 {
        next.push((FILE.to_owned(), "its comments give the evidence, and what is not carried"));
    } else {
        next.push((FILE.to_owned(), "its comments give the evidence for every line"));
    }
    next.push(("justwhy check".to_owned(), "finds likely mistakes in every context"));
    let context = questions.iter().find_map(|it| it.context.as_ref());
    next.push(match (proposal.axes.is_empty(), context) {
        (false, Some(context)) => {
            (format!("justwhy list --in {}", word(context)), "lists every value there")
        }
        _ => ("justwhy list".to_owned(), "lists every value"),
    });
    next
}
