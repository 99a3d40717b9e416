//! TOML 1.0 (and of 1.1 what the parser knows).

use crate::Limits;
use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::splice::{Splice, Way};
use crate::tree::{NodeId, Tree};
use justwhy_core::{KeyPath, Value};

mod edit;
mod read;

pub(crate) use edit::written;

/// TOML.
pub(crate) struct Toml;

impl FileFormat for Toml {
    fn about(&self) -> About {
        About { name: "toml", endings: &["toml"], effort: 4, ..About::of_typed_values() }
    }

    fn read<'t>(
        &self,
        text: &'t str,
        _: Manner<'_>,
        limits: Limits,
        faults: &mut Faults,
    ) -> Tree<'t> {
        read::read(text, limits, faults)
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
