//! JSON, as RFC 8259 has it, and the same with comments and trailing commas.

use crate::Limits;
use crate::edit::braces;
use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::splice::{Splice, Way};
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
    fn about(&self) -> About {
        let (name, endings): (_, &'static [_]) = match self.0 {
            Dialect::Strict => ("json", &["json"]),
            Dialect::Commented => ("jsonc", &["jsonc"]),
        };
        About { name, endings, empty: "{}\n", effort: 3, ..About::of_typed_values() }
    }

    fn read<'t>(
        &self,
        text: &'t str,
        manner: Manner<'_>,
        limits: Limits,
        faults: &mut Faults,
    ) -> Tree<'t> {
        let read = read::parse(text, limits, self.0, manner);
        let read = match (read, self.0) {
            (Err(refused), Dialect::Strict) if manner.tolerant => {
                let read = read::parse(text, limits, Dialect::Commented, manner);
                read.map(|mut tree| {
                    tree.tolerated.push((refused.at, refused.message));
                    tree
                })
            }
            (read, _) => read,
        };
        faults.unless(read).unwrap_or_else(|| Tree::for_text(0))
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
