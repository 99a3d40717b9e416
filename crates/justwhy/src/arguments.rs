//! What all commands have in common on the command line.

use clap::{Args, ValueEnum};
use std::path::PathBuf;

/// `--set` and `--unset` are declared here for the help and the completions; what they say is read by
/// [`crate::given`], in the order in which they stand.
#[derive(Args, Clone, Debug)]
pub(crate) struct Common {
    /// The project file or its folder [default: the nearest justwhy.toml here or above]
    #[arg(long, global = true, value_name = "PATH")]
    pub(crate) project: Option<PathBuf>,
    /// Where to ask: values of axes, such as production,region=north
    #[arg(long = "in", global = true, value_name = "CONTEXT")]
    pub(crate) context: Option<String>,
    /// Try a value, stronger than every source (repeatable)
    #[arg(long, global = true, value_name = "KEY=VALUE")]
    pub(crate) set: Vec<String>,
    /// Try a setting without its value (repeatable)
    #[arg(long, global = true, value_name = "KEY")]
    pub(crate) unset: Vec<String>,
    /// Use another process's environment: its number, or a dump made by env or env -0
    #[arg(long, global = true, value_name = "PID|FILE")]
    pub(crate) process_from: Option<String>,
    /// Show what is folded: every layer, every note, every place
    #[arg(long, global = true)]
    pub(crate) full: bool,
    /// Use cached copies instead of contacting remote stores
    #[arg(long, global = true)]
    pub(crate) offline: bool,
    /// Say on stderr which requests were made to stores
    #[arg(long, global = true)]
    pub(crate) verbose: bool,
    /// How to print the result
    #[arg(long, global = true, value_enum, value_name = "FORM", default_value_t = Form::Text)]
    pub(crate) output: Form,
    /// Whether to colour it
    #[arg(long, global = true, value_enum, value_name = "WHEN", default_value_t = When::Auto)]
    pub(crate) color: When,
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
