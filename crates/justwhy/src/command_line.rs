//! The command line: the list of all commands.

use crate::arguments::Common;
use crate::commands::{
    adopt, check, compare, demo, explain, export, find, grid, identity, launch, list, needs, put,
    stores, suppose, texts, uses,
};
use crate::running::Runs;
use clap::{Parser, Subcommand};

/// Shows which value a setting really has, which source sets it, and why the others lose
#[derive(Parser, Debug)]
#[command(
    name = "justwhy",
    version,
    after_help = "Exit codes: 0 no problem; 1 a problem was found; 2 it could not be done.\n\
                  `justwhy COMMAND --help` shows the options of a command.",
    disable_help_subcommand = true,
    max_term_width = 100
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    pub(crate) common: Common,
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
}

/// What is to be known of a command besides its arguments.
pub(crate) struct Entry {
    /// Its name.
    pub(crate) name: &'static str,
    /// The heading under which the help lists it.
    pub(crate) group: &'static str,
    /// The common options that it does not have.
    pub(crate) without: &'static [&'static str],
    /// Command lines that run on the demo project.
    pub(crate) examples: &'static [&'static str],
}

macro_rules! commands {
    ($($(#[$about:meta])* $name:ident($arguments:ty) $entry:expr,)*) => {
        // What is not asked for is not put together.
        #[derive(Subcommand, Debug)]
        #[command(defer = true)]
        pub(crate) enum Command {
            $($(#[$about])* $name($arguments),)*
        }

        impl Command {
            pub(crate) fn runs(&self) -> &dyn Runs {
                match self {
                    $(Command::$name(arguments) => arguments,)*
                }
            }

            /// Its entry.
            pub(crate) fn entry(&self) -> Entry {
                match self {
                    $(Command::$name(_) => $entry,)*
                }
            }
        }

        /// Every command.
        pub(crate) fn entries() -> Vec<Entry> {
            vec![$($entry,)*]
        }
    };
}

const fn entry(
    name: &'static str,
    group: &'static str,
    without: &'static [&'static str],
    examples: &'static [&'static str],
) -> Entry {
    Entry { name, group, without, examples }
}

const LOOK: &str = "Look";
const CONTEXTS: &str = "Contexts";
const CHANGE: &str = "Change";
const HAND_OVER: &str = "Hand over";
const SET_UP: &str = "Set up";
/// What commands without folded details do not have.
const FLAT: &[&str] = &["full"];
/// What commands over many contexts do not have.
const MANY: &[&str] = &["read"];
/// Both.
const FLAT_MANY: &[&str] = &["full", "read"];
/// What commands that write do not have.
const WRITES: &[&str] = &["full", "set", "unset", "read"];
/// What commands about stores do not have.
const STORES: &[&str] = &["full", "set", "unset", "process_from", "read"];
/// What commands that read no project do not have.
const NO_PROJECT: &[&str] =
    &["project", "context", "set", "unset", "process_from", "full", "offline", "verbose", "read"];

commands! {
    /// Show which layer sets a setting, and why the others lose
    Explain(explain::ExplainArguments) entry("explain", LOOK, &[], &[
        "justwhy explain alert.threshold_cm --in production,north",
        "justwhy explain alert.threshold_cm --in production,north --expected 120",
        "justwhy explain database --in production --full",
    ]),
    /// List every effective value with its place
    List(list::ListArguments) entry("list", LOOK, FLAT, &[
        "justwhy list",
        "justwhy list alert --in production,north",
        "justwhy list 'database.**' TIDE_SMS__API_KEY",
    ]),
    /// Find the settings that have a value, in any context
    Find(find::FindArguments) entry("find", LOOK, FLAT_MANY, &[
        "justwhy find 140",
        "justwhy find tide.example",
        "justwhy find localhost --output json",
    ]),
    /// List where source code uses settings, and which it does not
    Uses(uses::UsesArguments) entry("uses", LOOK, MANY, &[
        "justwhy uses",
        "justwhy uses alert.threshold_cm",
        "justwhy uses 'database.**' --output json",
    ]),
    /// List required settings that are not set, and where to set them
    Needs(needs::NeedsArguments) entry("needs", LOOK, &[], &[
        "justwhy needs --in production",
        "justwhy needs sms --in production",
        "justwhy needs --in production --full",
    ]),
    /// Find errors and likely mistakes in every context
    Check(check::CheckArguments) entry("check", CONTEXTS, MANY, &[
        "justwhy check",
        "justwhy check 'alert.**' --in production",
        "justwhy check --full --output sarif",
    ]),
    /// Show the settings that differ between two contexts
    Compare(compare::CompareArguments) entry("compare", CONTEXTS, &["full", "context", "read"], &[
        "justwhy compare staging production",
        "justwhy compare staging,north production,north alert",
        "justwhy compare dev staging web --expect-same",
    ]),
    /// Show settings across contexts: where each value changes
    Grid(grid::GridArguments) entry("grid", CONTEXTS, FLAT_MANY, &[
        "justwhy grid",
        "justwhy grid alert.threshold_cm --across environment,region",
        "justwhy grid '**' --across environment --output csv",
    ]),
    /// Show what would change with other values; write nothing
    Suppose(suppose::SupposeArguments) entry("suppose", CONTEXTS, FLAT_MANY, &[
        "justwhy suppose --set alert.threshold_cm=150 --in production,north",
        "justwhy suppose --without by-region --everywhere",
        "justwhy suppose --put alert.threshold_cm=150 --layer by-region --in north",
    ]),
    /// Write a value to a layer, and show what changes
    Put(put::PutArguments) entry("put", CHANGE, WRITES, &[
        "justwhy put alert.threshold_cm 150 --layer by-region --in north --dry-run",
        "justwhy put web.domain tide.example -l defaults -n",
        "justwhy put alert.contact desk@tide.example -l by-environment -i production -n",
    ]),
    /// Remove a setting from a layer, and show what changes
    Drop(put::DropArguments) entry("drop", CHANGE, WRITES, &[
        "justwhy drop alert.threshold_cm --layer by-region --in north --dry-run",
        "justwhy drop audit.keep_days -l by-environment -i production -n",
        "justwhy drop alert.quiet_from -l defaults -n",
    ]),
    /// Move a setting from one layer to another, and show what changes
    Move(put::MoveArguments) entry("move", CHANGE, WRITES, &[
        "justwhy move alert.quiet_from --from defaults --to by-environment --in dev --dry-run",
        "justwhy move web.domain --from defaults --to by-environment -i production -n",
        "justwhy move alert.contact --from by-region --to by-environment -i dev,north -n",
    ]),
    /// Encrypt a value in a layer for the recipients of the project
    Encrypt(put::EncryptArguments) entry("encrypt", CHANGE, WRITES, &[
        "justwhy encrypt sms.api_key --layer by-environment --in production --dry-run",
        "justwhy encrypt sms.api_key -l defaults -n",
        "justwhy encrypt database.password -l deployment -i production -n",
    ]),
    /// Export the effective settings to another format
    Export(export::ExportArguments) entry("export", HAND_OVER, FLAT, &[
        "justwhy export --as env --in production,north",
        "justwhy export alert --as json --in production,north",
        "justwhy export 'database.**' --as yaml",
    ]),
    /// Run a program with the effective settings as environment variables
    Launch(launch::LaunchArguments) entry("launch", HAND_OVER, FLAT, &[
        "justwhy launch -- env",
        "justwhy launch --in staging,north -- env",
        "justwhy launch --set alert.threshold_cm=150 -- env",
    ]),
    /// Propose a project file for a repository that has none
    Adopt(adopt::AdoptArguments) entry("adopt", SET_UP, NO_PROJECT, &[
        "justwhy adopt services",
        "justwhy adopt services --write",
        "justwhy adopt --update",
    ]),
    /// List the stores, whether they answer, and how to allow one
    Stores(stores::StoresArguments) entry("stores", SET_UP, STORES, &[
        "justwhy stores",
        "justwhy stores --in production,alerts",
        "justwhy stores --offline --output json",
    ]),
    /// Create an identity, which decrypts values
    Identity(identity::IdentityArguments) entry("identity", SET_UP, NO_PROJECT, &[
        "justwhy identity new shift.key",
    ]),
    /// Write the demo project, and answer seven questions about it
    Demo(demo::DemoArguments) entry("demo", SET_UP, NO_PROJECT, &[
        "justwhy demo",
        "justwhy demo tide-gauges",
        "justwhy demo --output json",
    ]),
    /// Print a completion script for a shell
    Completions(texts::CompletionsArguments) entry("completions", SET_UP, NO_PROJECT, &[
        "justwhy completions bash",
        "justwhy completions zsh",
        "justwhy completions fish",
    ]),
    /// Print the manual page of justwhy, or of a command
    Manual(texts::ManualArguments) entry("manual", SET_UP, NO_PROJECT, &[
        "justwhy manual",
        "justwhy manual explain",
    ]),
}
