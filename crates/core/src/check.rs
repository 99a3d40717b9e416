//! Checking: what will go wrong, or is not meant so, in any context.

mod rules;

pub use rules::{CheckRule, Severity, rule_named};
