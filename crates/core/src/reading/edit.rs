//! Changes to what sources have.

use crate::model::key::{KeyId, KeyPath};
use crate::model::layer::LayerIndex;
use crate::model::value::Value;

/// A change to what sources have, to find out what would be then.
#[derive(Clone, Debug)]
pub enum Edit {
    /// A leaf is taken out.
    TakeOut {
        /// The number of the input.
        input: usize,
        /// The leaf.
        leaf: u32,
    },
    /// A leaf sets something else.
    Change {
        /// The number of the input.
        input: usize,
        /// The leaf.
        leaf: u32,
        /// What it has.
        value: Value,
    },
    /// A leaf gets another name, in its source's own terms.
    Rename {
        /// The number of the input.
        input: usize,
        /// The leaf.
        leaf: u32,
        /// The name, the section included.
        name: KeyPath,
    },
    /// A layer takes a pattern away no more.
    StopRemoving {
        /// The layer.
        layer: LayerIndex,
        /// The pattern as written.
        written: String,
    },
    /// An empty text counts.
    CountEmpty {
        /// The layer that has it.
        layer: LayerIndex,
        /// The setting.
        key: KeyId,
    },
}

impl Edit {
    /// The input that it is about.
    pub(crate) fn input(&self) -> Option<usize> {
        match self {
            Edit::TakeOut { input, .. }
            | Edit::Change { input, .. }
            | Edit::Rename { input, .. } => Some(*input),
            Edit::StopRemoving { .. } | Edit::CountEmpty { .. } => None,
        }
    }

    /// The leaf that it is about.
    pub(crate) fn leaf(&self) -> Option<u32> {
        match self {
            Edit::TakeOut { leaf, .. } | Edit::Change { leaf, .. } | Edit::Rename { leaf, .. } => {
                Some(*leaf)
            }
            Edit::StopRemoving { .. } | Edit::CountEmpty { .. } => None,
        }
    }
}
