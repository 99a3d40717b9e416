//! YAML 1.2 with its core schema: one document.

use crate::Limits;
use crate::fault::{Fault, Faults};
use crate::format::{About, FileFormat};
use crate::manner::Manner;
use crate::splice::{Splice, Way};
use crate::tree::{NodeId, Tree};
use crate::write::json_text;
use justwhy_core::Value;

mod edit;
mod read;

pub(crate) use edit::{name, written};

/// YAML.
pub(crate) struct Yaml;

impl FileFormat for Yaml {
    fn about(&self) -> About {
        About {
            name: "yaml",
            endings: &["yaml", "yml"],
            effort: 6,
            has_documents: true,
            ..About::of_typed_values()
        }
    }

    fn read<'t>(
        &self,
        text: &'t str,
        manner: Manner<'_>,
        limits: Limits,
        faults: &mut Faults,
    ) -> Tree<'t> {
        let read = read::parse(text, limits, manner);
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
        edit::take_out(text, tree, in_table)
    }

    fn snippet(&self, segments: &[&str], value: &str) -> Option<String> {
        let is_plain = |segment: &str| {
            let first = segment.starts_with(|c: char| c.is_ascii_alphabetic());
            first && segment.bytes().all(|b| b.is_ascii_alphanumeric() || b"_-".contains(&b))
        };
        let name = |segment: &&str| match is_plain(segment) {
            true => (*segment).to_owned(),
            false => json_text(segment),
        };
        let (last, above) = segments.split_last()?;
        let mut lines = String::new();
        for (depth, segment) in above.iter().enumerate() {
            lines.push_str(&format!("{:1$}{2}:\n", "", depth * 2, name(segment)));
        }
        lines.push_str(&format!("{:1$}{2}: {value}", "", above.len() * 2, name(last)));
        Some(lines)
    }
}
