//! Many contexts at once, and one against another.

pub(crate) mod compare;
pub(crate) mod difference;
pub(crate) mod grid;
pub(crate) mod survey;
