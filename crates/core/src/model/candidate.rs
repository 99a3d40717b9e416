//! The number of a candidate, by which it is known where candidates are not.

use std::num::NonZeroU32;

/// The position of a candidate among all of its context, weakest first.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct CandidateId(NonZeroU32);

impl CandidateId {
    /// The candidate at that position; there are at most as many as leaves, which the limits of their files
    /// keep below 2^32. Numbered from 1, so that having none takes no more room.
    pub(crate) fn at(index: usize) -> CandidateId {
        CandidateId(NonZeroU32::MIN.saturating_add(u32::try_from(index).unwrap_or(u32::MAX)))
    }

    /// That position.
    pub(crate) fn index(self) -> usize {
        self.0.get() as usize - 1
    }
}
