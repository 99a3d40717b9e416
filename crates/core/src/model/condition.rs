//! Conditions on the context.

use crate::model::axis::Context;

/// A condition on the context: an axis and the values that it names.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Condition {
    /// The axis.
    pub axis: String,
    /// The values, at least one.
    pub values: Vec<String>,
}

impl Condition {
    /// Whether it holds; an unset axis matches nothing.
    pub fn holds(&self, context: &Context) -> bool {
        let actual = context.value(&self.axis);
        actual.is_some_and(|actual| self.values.iter().any(|value| value == actual))
    }
}
