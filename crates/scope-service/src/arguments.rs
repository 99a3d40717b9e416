//! The command line.

use crate::database::Role;
use clap::{Args, Parser, Subcommand};
use std::net::SocketAddr;
use std::path::PathBuf;

/// Keeps scopes and hands them out over HTTP: a stand-in for hosted team scopes.
#[derive(Parser, Debug)]
#[command(name = "scope-service", version, about, args_conflicts_with_subcommands = true)]
pub(crate) struct Arguments {
    #[command(flatten)]
    pub(crate) serve: Serve,
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
}

#[derive(Args, Debug)]
pub(crate) struct Serve {
    /// The file in which everything is kept; made if it is not there
    #[arg(long, value_name = "FILE")]
    pub(crate) data: Option<PathBuf>,
    /// Where to listen, on this machine; port 0 takes a free one
    #[arg(long, value_name = "ADDRESS")]
    pub(crate) listen: Option<SocketAddr>,
    /// A store file whose scopes to take in, if nothing is kept yet
    #[arg(long, value_name = "FILE")]
    pub(crate) seed: Option<PathBuf>,
}

#[derive(Subcommand, Debug)]
pub(crate) enum Command {
    /// Make a token and print it, once: only its hash is kept
    Token {
        /// Whose token it is; changes are made in this name
        #[arg(value_name = "NAME")]
        name: String,
        /// What it may do: reader (no secret's value), runner (values too), writer
        #[arg(long, value_enum)]
        role: Role,
        /// The file in which everything is kept
        #[arg(long, value_name = "FILE")]
        data: PathBuf,
    },
    /// Take the tokens of somebody back
    Revoke {
        /// Whose
        #[arg(value_name = "NAME")]
        name: String,
        /// The file in which everything is kept
        #[arg(long, value_name = "FILE")]
        data: PathBuf,
    },
}
