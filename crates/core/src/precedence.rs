//! Which source wins: **open `resolution.rs` first**, where the order of precedence is written, once.

pub(crate) mod provenance;
pub(crate) mod resolution;
pub(crate) mod verdict;
