//! How large a value is when all that it shares with others is counted.

use crate::model::value::Value;

/// The size of a value, written out. What references put together shares its parts, so that a small
/// file could make a value that no machine can print.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(super) struct Weight {
    pub(super) bytes: u64,
    pub(super) nodes: u64,
    pub(super) depth: usize,
}

impl Weight {
    /// Of a value that is in a file as it is.
    pub(super) fn of(value: &Value) -> Weight {
        let own = Weight { nodes: 1, ..Weight::default() };
        match value {
            Value::Text(text) => Weight { bytes: text.len() as u64, ..own },
            Value::List(items) => {
                items.iter().fold(own, |weight, item| weight.and(Weight::of(&item.value).inside()))
            }
            Value::Map(entries) => entries
                .iter()
                .fold(own, |weight, entry| weight.and(Weight::of(&entry.value).inside())),
            _ => own,
        }
    }

    /// Of two values side by side.
    pub(super) fn and(self, other: Weight) -> Weight {
        Weight {
            bytes: self.bytes.saturating_add(other.bytes),
            nodes: self.nodes.saturating_add(other.nodes),
            depth: self.depth.max(other.depth),
        }
    }

    /// Of the value as part of a list or map.
    pub(super) fn inside(self) -> Weight {
        Weight { depth: self.depth + 1, ..self }
    }
}
