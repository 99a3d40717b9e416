//! The command line: the list of all commands.

use crate::arguments::Common;
use crate::commands::{
    check, compare, demo, explain, export, find, grid, identity, launch, list, needs, put, stores,
    suppose, texts,
};
use crate::running::Runs;
use clap::{Parser, Subcommand};

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

macro_rules! commands {
    ($($(#[$about:meta])* $name:ident($arguments:ty),)*) => {
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
        }
    };
}

commands! {
    /// Every effective value, with the layer and place that decided it
    List(list::ListArguments),
    /// Why a setting has its value: every layer, and what became of what it says
    Explain(explain::ExplainArguments),
    /// Backwards: which settings have a value, in any context, and where it is written
    Find(find::FindArguments),
    /// What differs between two contexts, and who decides it on either side
    Compare(compare::CompareArguments),
    /// Settings by contexts: where each value changes, and which layer makes it change
    Grid(grid::GridArguments),
    /// What would change if a source said something else, here or everywhere; nothing is written
    Suppose(suppose::SupposeArguments),
    /// What will go wrong, or is not meant so, in any context
    Check(check::CheckArguments),
    /// Write a value where a layer is told of it, and say what that changes
    Put(put::PutArguments),
    /// Take out what a layer says of a setting, and say what that changes
    Drop(put::DropArguments),
    /// Move what one layer says of a setting to another, and say who gains and who loses by it
    Move(put::MoveArguments),
    /// Encrypt what a layer says of a setting for the recipients that the project names
    Encrypt(put::EncryptArguments),
    /// Identities, with which what is encrypted is read
    Identity(identity::IdentityArguments),
    /// The effective settings, for a program to read
    Export(export::ExportArguments),
    /// Run a program with the effective settings as its variables
    Launch(launch::LaunchArguments),
    /// Required settings that have no value here, and every place where one could be given
    Needs(needs::NeedsArguments),
    /// The stores whose scopes the project reads: whether they answer, as whom, and how to allow one
    Stores(stores::StoresArguments),
    /// Write the demo project and walk through real questions on it
    Demo(demo::DemoArguments),
    /// Print completions for a shell
    Completions(texts::CompletionsArguments),
    /// Print the manual page of justwhy, or of one of its commands
    Manual(texts::ManualArguments),
}
