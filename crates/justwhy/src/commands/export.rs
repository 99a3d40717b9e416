//! `export`: the effective settings, for a program to read.

use super::effective::{Effective, Refused, is_null, refusal, taken};
use super::list;
use crate::json::{self, Word};
use crate::outcome::Outcome;
use crate::printable::printable_json;
use crate::running::Answering;
use crate::running::Running;
use crate::running::Runs;
use clap::{Args, ValueEnum};
use justwhy_core::list_values;
use justwhy_formats::{Export, Exported};
use justwhy_project::Error;
use serde::Serialize;

#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum ExportForm {
    /// NAME=VALUE lines: an env file
    Env,
    /// export NAME='VALUE' lines: for a POSIX shell
    Shell,
    /// One JSON object
    Json,
    /// One YAML document
    Yaml,
    /// One TOML document
    Toml,
    /// key=value lines: Java properties
    Properties,
}

#[derive(Args, Debug)]
pub(crate) struct ExportArguments {
    /// Keys, branches, patterns, variables or FILE:LINE [default: all]
    #[arg(value_name = "KEY")]
    pub(crate) patterns: Vec<String>,
    /// The format
    #[arg(long = "as", value_enum, value_name = "FORM")]
    pub(crate) form: ExportForm,
    /// Export secrets too
    #[arg(long)]
    pub(crate) reveal: bool,
}

impl Runs for ExportArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.answer(|answering| run(answering, &self.patterns, self.form, self.reveal))
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct ExportBody {
    /// The format of the text.
    #[serde(rename = "as")]
    form: Word,
    text: String,
    /// The keys of settings that are not exported: secrets, and nulls where the format has none.
    left_out: Vec<String>,
}

pub(crate) fn run(
    answering: &Answering<'_>,
    patterns: &[String],
    form: ExportForm,
    reveal: bool,
) -> Result<Outcome, Vec<Error>> {
    let (chosen, mut notes) = list::chosen(answering, patterns)?;
    let (form, name) = match form {
        ExportForm::Env => (Export::Env, "env"),
        ExportForm::Shell => (Export::Shell, "shell"),
        ExportForm::Json => (Export::Json, "json"),
        ExportForm::Yaml => (Export::Yaml, "yaml"),
        ExportForm::Toml => (Export::Toml, "toml"),
        ExportForm::Properties => (Export::Properties, "properties"),
    };
    let mut effective = match Effective::of(answering, &chosen) {
        Ok(effective) => effective,
        Err(refused) => return Ok(refusal(answering, "export", refused)),
    };
    let secrets = effective.leave_out(|setting| reveal || !setting.is_secret);
    let nulls = effective.leave_out(|setting| form.has_nulls() || !is_null(setting));
    let taken = match form.has_variables() {
        true => taken(answering, &effective.settings),
        false => Vec::new(),
    };
    if !taken.is_empty() {
        return Ok(refusal(answering, "export", taken));
    }
    let text = match form.written(&effective.settings) {
        Ok(text) => text,
        Err(refused) => {
            let refused = refused.into_iter().map(Refused::from).collect();
            return Ok(refusal(answering, "export", refused));
        }
    };
    let mut note = |left_out: &[Exported], what: &str| {
        let names: Vec<String> = left_out.iter().map(|it| it.key.to_string()).collect();
        if !names.is_empty() {
            let told = format!("note: not exported, {what}: {}", list_values(&names, "and"));
            notes.push_str(&answering.look.text(&told));
            notes.push('\n');
        }
    };
    note(&secrets, "secrets (--reveal exports them)");
    note(&nulls, &format!("nulls, which {name} does not have"));
    let result = match answering.as_json() {
        true => {
            let left_out = secrets.iter().chain(&nulls).map(|it| it.key.to_string()).collect();
            let body = ExportBody { form: name.into(), text, left_out };
            json::text(&json::Answer::new("export", answering.context(), body))
        }
        false if form == Export::Json => printable_json(text),
        false => text,
    };
    Ok(answering.outcome(result, notes, true))
}
