//! What is known of names that were set before.

use crate::model::fact::Fact;
use hashbrown::HashMap;
use std::sync::Arc;

/// What a name was set to before.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Earlier {
    /// This leaf of that reading.
    Leaf(u32, u32),
    /// The process variable of that name.
    Variable(String),
    /// Nothing, and why, as a clause.
    Nothing(Fact),
}

/// What one expansion has found of what sources had before.
pub(super) struct Early<E> {
    pub(super) known: HashMap<(u32, u32), Arc<E>>,
    /// Those that are being found out.
    pub(super) open: Vec<(u32, u32)>,
}

impl<E> Default for Early<E> {
    fn default() -> Self {
        Early { known: HashMap::new(), open: Vec::new() }
    }
}
