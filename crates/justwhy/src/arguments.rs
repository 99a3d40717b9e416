//! The command line.

use clap::{Args, Parser, Subcommand, ValueEnum};
use std::ffi::OsString;
use std::path::PathBuf;

/// Which value does this setting have here, which source gave it, and why did every other lose?
#[derive(Parser, Debug)]
#[command(
    name = "justwhy",
    version,
    about,
    long_about = "Which value does this setting really have here, which source gave it, and why \
                  did every other source lose?\n\nWithout a command: where am I? The context and \
                  what decided it, and the layers, strongest first.",
    after_help = "Exit codes: 0 done; 1 the answer is no (a setting in error, or one asked for \
                  that has no value); 2 it could not be done.",
    disable_help_subcommand = true,
    max_term_width = 100
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    pub(crate) common: Common,
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
}

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
    /// Ask no store that is not a file: copies of what they said stand for answers
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

#[derive(Subcommand, Debug)]
pub(crate) enum IdentityAct {
    /// Make one in a new file that nobody else can read, and print its recipient
    New {
        /// The file
        #[arg(value_name = "FILE")]
        file: PathBuf,
    },
}

// How whatever writes goes about it. (What is written for the help here would stand there for all of
// the command.)
#[derive(Args, Clone, Copy, Debug)]
pub(crate) struct Writing {
    /// Only say what it would change
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Look at the layers that describe where you stand too
    #[arg(long)]
    pub(crate) with_local: bool,
    /// Write it even if check would find a new error, if a secret is less protected then, or, of move
    /// and encrypt, if a value that somebody has changes or goes
    #[arg(long)]
    pub(crate) accept: bool,
}

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

#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum When {
    /// On a terminal
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

// What is not asked for is not put together.
#[derive(Subcommand, Debug)]
#[command(defer = true)]
pub(crate) enum Command {
    /// Every effective value, with the layer and place that decided it
    List {
        /// Keys, branches of keys or patterns (`*` within a segment, `**` over segments)
        #[arg(value_name = "PATTERN")]
        patterns: Vec<String>,
        /// Print the effective values of secrets too
        #[arg(long)]
        reveal: bool,
    },
    /// Why a setting has its value: every layer, and what became of what it says
    Explain {
        /// Keys, branches of keys, patterns, names of variables, or places (FILE:LINE)
        #[arg(value_name = "KEY", required = true)]
        keys: Vec<String>,
        /// Say why it is not that: a value, a layer or a source
        #[arg(long, value_name = "TEXT")]
        expected: Option<String>,
        /// Print the effective value of a secret too; what else is said of it stays hidden
        #[arg(long)]
        reveal: bool,
    },
    /// Backwards: which settings have a value, in any context, and where it is written
    Find {
        /// What the value is or contains; what is secret is never found
        #[arg(value_name = "VALUE")]
        value: String,
    },
    /// What differs between two contexts, and who decides it on either side
    Compare {
        /// One context, written as for --in: values of axes, such as production,north
        #[arg(value_name = "CONTEXT")]
        left: String,
        /// The other context
        #[arg(value_name = "CONTEXT")]
        right: String,
        /// Keys, branches of keys or patterns (`*` within a segment, `**` over segments)
        #[arg(value_name = "PATTERN")]
        patterns: Vec<String>,
        /// Say no (exit 1) if anything differs
        #[arg(long)]
        expect_same: bool,
        /// Read the layers that describe where you stand too: the process and local ones
        #[arg(long)]
        with_local: bool,
    },
    /// Settings by contexts: where each value changes, and which layer makes it change
    Grid {
        /// Keys, branches of keys or patterns [default: all; in text, those that change]
        #[arg(value_name = "PATTERN")]
        patterns: Vec<String>,
        /// The axes whose values make the columns, the first changing most slowly
        #[arg(long, value_name = "AXIS,…", required = true, value_delimiter = ',')]
        across: Vec<String>,
        /// Read the layers that describe where you stand too: the process and local ones
        #[arg(long)]
        with_local: bool,
    },
    /// What would change if a source said something else, here or everywhere; nothing is written
    #[command(after_help = "--set and --unset are supposed too.")]
    Suppose {
        /// Suppose that a process variable has this value (repeatable)
        #[arg(long, value_name = "NAME=VALUE")]
        variable: Vec<String>,
        /// Suppose that a process variable is not set (repeatable)
        #[arg(long, value_name = "NAME")]
        no_variable: Vec<String>,
        /// Suppose that there were no such layer (repeatable)
        #[arg(long, value_name = "LAYER")]
        without: Vec<String>,
        /// Suppose that a layer says this, where it would be written in the context of --in (repeatable)
        #[arg(long, value_name = "KEY=VALUE", requires = "layer")]
        put: Vec<String>,
        /// The layer that --put is about
        #[arg(long, value_name = "LAYER", requires = "put")]
        layer: Option<String>,
        /// Look at every context that the axes can form, whatever --in says
        #[arg(long)]
        everywhere: bool,
        /// Read the layers that describe where you stand with --everywhere too
        #[arg(long, requires = "everywhere")]
        with_local: bool,
    },
    /// What will go wrong, or is not meant so, in any context
    Check {
        /// Only where you stand, or where --in says
        #[arg(long)]
        here: bool,
        /// Read the layers that describe where you stand too: the process and local ones
        #[arg(long)]
        with_local: bool,
        /// Say no (exit 1) to warnings too
        #[arg(long)]
        warnings_as_errors: bool,
        /// Do not tell what this rule finds (repeatable)
        #[arg(long, value_name = "RULE")]
        allow: Vec<String>,
    },
    /// Write a value where a layer is told of it, and say what that changes
    Put {
        /// The setting: its key or its variable
        #[arg(value_name = "KEY")]
        key: String,
        /// Its value; `-` reads standard input, which keeps a secret off the command line
        #[arg(value_name = "VALUE", allow_negative_numbers = true)]
        value: String,
        /// The layer that is to say it, in the context of --in
        #[arg(long, value_name = "LAYER")]
        layer: String,
        /// Write it encrypted, so that nobody ever reads it in the file
        #[arg(long)]
        encrypt: bool,
        #[command(flatten)]
        writing: Writing,
    },
    /// Take out what a layer says of a setting, and say what that changes
    Drop {
        /// The setting: its key or its variable
        #[arg(value_name = "KEY")]
        key: String,
        /// The layer that is to say nothing of it, in the context of --in
        #[arg(long, value_name = "LAYER")]
        layer: String,
        #[command(flatten)]
        writing: Writing,
    },
    /// Move what one layer says of a setting to another, and say who gains and who loses by it
    Move {
        /// The setting: its key or its variable
        #[arg(value_name = "KEY")]
        key: String,
        /// The layer that says it, in the context of --in
        #[arg(long, value_name = "LAYER")]
        from: String,
        /// The layer that is to say it, in the same context
        #[arg(long, value_name = "LAYER")]
        to: String,
        #[command(flatten)]
        writing: Writing,
    },
    /// Encrypt what a layer says of a setting for the recipients that the project names
    #[command(
        after_help = "What is encrypted is decrypted in memory, with the identities in the file \
                            that JUSTWHY_IDENTITY names."
    )]
    Encrypt {
        /// The setting: its key or its variable
        #[arg(value_name = "KEY")]
        key: String,
        /// The layer that says it, in the context of --in
        #[arg(long, value_name = "LAYER")]
        layer: String,
        #[command(flatten)]
        writing: Writing,
    },
    /// Identities, with which what is encrypted is read
    Identity {
        #[command(subcommand)]
        act: IdentityAct,
    },
    /// The effective settings, for a program to read
    Export {
        /// Settings to write, all without one: as list understands them
        #[arg(value_name = "PATTERN")]
        patterns: Vec<String>,
        /// How to write them
        #[arg(long = "as", value_enum, value_name = "FORM")]
        form: ExportForm,
        /// Write secrets too
        #[arg(long)]
        reveal: bool,
    },
    /// Run a program with the effective settings as its variables
    Launch {
        /// The program and its arguments
        #[arg(value_name = "COMMAND", last = true, required = true)]
        command: Vec<OsString>,
    },
    /// Required settings that have no value here, and every place where one could be given
    Needs,
    /// The stores whose scopes the project reads: whether they answer, as whom, and how to allow one
    Stores,
    /// Write the demo project and walk through real questions on it
    Demo {
        /// The folder to write it to, new or empty [default: a temporary one]
        #[arg(value_name = "DIR")]
        folder: Option<PathBuf>,
    },
    /// Print completions for a shell
    Completions {
        /// The shell
        #[arg(value_name = "SHELL", value_enum)]
        shell: clap_complete::Shell,
    },
    /// Print the manual page of justwhy, or of one of its commands
    Manual {
        /// The command
        #[arg(value_name = "COMMAND")]
        command: Option<String>,
    },
}
