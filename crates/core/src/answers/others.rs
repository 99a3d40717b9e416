//! The other contexts that references look into.

use crate::model::axis::Context;
use crate::model::fact::Fact;
use crate::precedence::resolution::Resolution;
use hashbrown::HashMap;
use std::sync::Arc;

/// Axes and their new values; `None` unsets one.
pub(super) type Changes = Vec<(String, Option<String>)>;

/// The other contexts that references look into, numbered from 1 in the order in which they lead there.
pub(super) struct Others {
    pub(super) resolutions: Vec<Arc<Resolution>>,
    pub(super) by_context: HashMap<Vec<Option<String>>, u32>,
    pub(super) by_changes: HashMap<(u32, Changes), Result<u32, Fact>>,
}

/// Precedence in one of the contexts that were looked into. That of the context that was asked about is
/// had without counting who has it, which threads would do in turns.
pub(super) enum There<'a> {
    Here(&'a Resolution),
    Elsewhere(Arc<Resolution>),
}

impl std::ops::Deref for There<'_> {
    type Target = Resolution;

    fn deref(&self) -> &Resolution {
        match self {
            There::Here(resolution) => resolution,
            There::Elsewhere(resolution) => resolution,
        }
    }
}

/// What distinguishes a context from others.
pub(super) fn values_of(context: &Context) -> Vec<Option<String>> {
    context.axes.iter().map(|axis| axis.value.clone()).collect()
}
