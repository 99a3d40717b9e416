//! What a format of settings files has to know.

use crate::Limits;
use crate::fault::{Fault, Faults};
use crate::manner::Manner;
use crate::splice::{Splice, Way};
use crate::tree::{NodeId, Tree};
use justwhy_core::Value;

/// What is to be known of a format before a text is read.
#[derive(Clone, Copy)]
pub(crate) struct About {
    /// The name in a project file.
    pub(crate) name: &'static str,
    /// The endings of names of files that have it, without the dot.
    pub(crate) endings: &'static [&'static str],
    /// Whether a file of that name has it whatever it ends in.
    pub(crate) claims: fn(&str) -> bool,
    /// Whether its texts carry no type of their own, as everything in it is a text.
    pub(crate) is_untyped: bool,
    /// Whether its names are those of variables, not of keys.
    pub(crate) has_variables: bool,
    /// Whether a file of it has stages, the last of which is read if none is named.
    pub(crate) has_stages: bool,
    /// Whether a file of it may have several documents.
    pub(crate) has_documents: bool,
    /// The text of a file of it that sets nothing.
    pub(crate) empty: &'static str,
    /// How long a byte of it takes to read, compared with the others.
    pub(crate) effort: u64,
}

impl About {
    /// Of a format whose values have types and whose names are keys; it has no name yet.
    pub(crate) fn of_typed_values() -> About {
        About {
            name: "",
            endings: &[],
            claims: |_| false,
            is_untyped: false,
            has_variables: false,
            has_stages: false,
            has_documents: false,
            empty: "",
            effort: 1,
        }
    }
}

/// A format: what is to be known of it, reading and editing.
pub(crate) trait FileFormat: Sync {
    /// What is to be known of it before a text is read.
    fn about(&self) -> About;

    /// Reads a text: each value at its exact place. What is wrong in it is noted, and what can be known all
    /// the same is read.
    fn read<'t>(
        &self,
        text: &'t str,
        manner: Manner<'_>,
        limits: Limits,
        faults: &mut Faults,
    ) -> Tree<'t>;

    /// What to write where, so that there is a value at the end of the way.
    fn put(
        &self,
        text: &str,
        tree: &Tree<'_>,
        way: &Way<'_>,
        value: &Value,
    ) -> Result<Splice, Fault>;

    /// What to take out, so that `there`, which is in `table`, is gone.
    fn take_out(
        &self,
        text: &str,
        tree: &Tree<'_>,
        in_table: (NodeId, NodeId),
    ) -> Result<Splice, Fault>;

    /// The lines that give a setting a value in a file of it; none where a line depends on those around
    /// it. There is at least one segment.
    fn snippet(&self, segments: &[&str], value: &str) -> Option<String>;
}
