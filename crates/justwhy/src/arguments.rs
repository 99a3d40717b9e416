//! What all commands have in common on the command line.

use clap::{Args, ValueEnum};
use std::path::PathBuf;

/// `--set` and `--unset` are declared here for the help and the completions; their values are read by
/// [`crate::given`], in the order of the command line.
#[derive(Args, Clone, Debug)]
pub(crate) struct Common {
    /// Project file or its folder [default: the nearest justwhy.toml here or above]
    #[arg(long, short, global = true, value_name = "PATH", help_heading = HEADING)]
    pub(crate) project: Option<PathBuf>,
    /// Context, for example production,region=north
    #[arg(long = "in", short = 'i', global = true, value_name = "CONTEXT", help_heading = HEADING)]
    pub(crate) context: Option<String>,
    /// Set a key for this run only; overrides every source (repeatable)
    #[arg(long, global = true, value_name = "KEY=VALUE", help_heading = HEADING)]
    pub(crate) set: Vec<String>,
    /// Unset a key for this run only (repeatable)
    #[arg(long, global = true, value_name = "KEY", help_heading = HEADING)]
    pub(crate) unset: Vec<String>,
    /// Read PATH (- is standard input) instead of the file of a layer (repeatable)
    #[arg(long, global = true, value_name = "LAYER=PATH", help_heading = HEADING)]
    pub(crate) read: Vec<String>,
    /// Environment of another process: its ID, or a file that env wrote
    #[arg(long, global = true, value_name = "PID|FILE", help_heading = HEADING)]
    pub(crate) process_from: Option<String>,
    /// Show the details that are folded
    #[arg(long, global = true, help_heading = HEADING)]
    pub(crate) full: bool,
    /// Use cached copies instead of contacting remote stores
    #[arg(long, global = true, help_heading = HEADING)]
    pub(crate) offline: bool,
    /// Print the requests to stores on stderr
    #[arg(long, global = true, help_heading = HEADING)]
    pub(crate) verbose: bool,
    /// Output form: text or json
    #[arg(
        long,
        short,
        global = true,
        value_enum,
        value_name = "FORM",
        default_value_t = Form::Text,
        hide_possible_values = true,
        hide_default_value = true,
        help_heading = HEADING
    )]
    pub(crate) output: Form,
    /// Colour: auto, always or never
    #[arg(
        long,
        global = true,
        value_enum,
        value_name = "WHEN",
        default_value_t = When::Auto,
        hide_possible_values = true,
        hide_default_value = true,
        help_heading = HEADING
    )]
    pub(crate) color: When,
}

/// The heading of the options that several commands have.
const HEADING: &str = "Common options";

impl Common {
    /// Whether the option of that name was given.
    pub(crate) fn has(&self, option: &str) -> bool {
        match option {
            "project" => self.project.is_some(),
            "context" => self.context.is_some(),
            "set" => !self.set.is_empty(),
            "unset" => !self.unset.is_empty(),
            "read" => !self.read.is_empty(),
            "process_from" => self.process_from.is_some(),
            "full" => self.full,
            "offline" => self.offline,
            "verbose" => self.verbose,
            _ => false,
        }
    }
}

#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Form {
    /// For people
    Text,
    /// For programs
    Json,
    /// Results of analysis, SARIF 2.1.0 (only check)
    Sarif,
    /// Results of tests, JUnit XML (only check)
    Junit,
    /// A table, comma-separated values (only grid)
    Csv,
    /// A page for a browser, whole in itself (only grid)
    Html,
}

#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum When {
    /// On a terminal
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}
