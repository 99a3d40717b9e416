//! JSON, as RFC 8259 has it, and the same with comments and trailing commas.

use crate::Limits;
use crate::edit::braces;
use crate::edit::{Splice, Way};
use crate::fault::Fault;
use crate::format::FileFormat;
use crate::tree::{NodeId, Tree};
use crate::write::json_text;
use justwhy_core::Value;

mod edit;
mod read;

pub(crate) use edit::written;
pub(crate) use read::{Dialect, parse, parse_rows};

/// JSON of a kind.
pub(crate) struct Json(pub(crate) Dialect);

impl FileFormat for Json {
    fn name(&self) -> &'static str {
        match self.0 {
            Dialect::Strict => "json",
            Dialect::Commented => "jsonc",
        }
    }

    fn endings(&self) -> &'static [&'static str] {
        match self.0 {
            Dialect::Strict => &["json"],
            Dialect::Commented => &["jsonc"],
        }
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
        "{}\n"
    }

    fn effort(&self) -> u64 {
        3
    }

    fn parse<'t>(&self, text: &'t str, limits: Limits) -> Result<Tree<'t>, Fault> {
        read::parse(text, limits, self.0)
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
        braces::take_out(text, tree, in_table)
    }

    fn snippet(&self, segments: &[&str], value: &str) -> Option<String> {
        let (last, above) = segments.split_last()?;
        let mut line = format!("{}: {value}", json_text(last));
        for segment in above.iter().rev() {
            line = format!("{}: {{ {line} }}", json_text(segment));
        }
        Some(line)
    }
}
