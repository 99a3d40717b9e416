//! TOML 1.0 (and of 1.1 what the parser knows).

use crate::Limits;
use crate::edit::{Splice, Way};
use crate::fault::Fault;
use crate::format::FileFormat;
use crate::tree::{NodeId, Tree};
use justwhy_core::{KeyPath, Value};

mod edit;
mod read;

pub(crate) use edit::written;

/// TOML.
pub(crate) struct Toml;

impl FileFormat for Toml {
    fn name(&self) -> &'static str {
        "toml"
    }

    fn endings(&self) -> &'static [&'static str] {
        &["toml"]
    }

    fn claims(&self, _: &str) -> bool {
        false
    }

    fn is_untyped(&self) -> bool {
        false
    }

    fn has_variables(&self) -> bool {
        false
    }

    fn empty(&self) -> &'static str {
        ""
    }

    fn effort(&self) -> u64 {
        4
    }

    fn parse<'t>(&self, text: &'t str, limits: Limits) -> Result<Tree<'t>, Fault> {
        read::parse(text, limits)
    }

    fn put(
        &self,
        text: &str,
        tree: &Tree<'_>,
        way: &Way<'_>,
        value: &Value,
    ) -> Result<Splice, Fault> {
        edit::put(text, tree, way, value)
    }

    fn take_out(
        &self,
        text: &str,
        tree: &Tree<'_>,
        in_table: (NodeId, NodeId),
    ) -> Result<Splice, Fault> {
        edit::take_out(text, tree, in_table)
    }

    fn snippet(&self, segments: &[&str], value: &str) -> Option<String> {
        let key = KeyPath::from_segments(segments.iter().map(|it| (*it).to_owned()).collect())?;
        Some(format!("{key} = {value}"))
    }
}
