//! Findings in the forms that other programs read: SARIF 2.1.0 and JUnit XML.
//!
//! It is in a crate of its own, as the types of SARIF take long to build.

mod junit;
mod sarif;

pub use junit::junit;
pub use sarif::{Mentioned, sarif, sarif_of_mentions};

use justwhy_core::{CheckRule, Fact, Finding};

/// A finding, with what belongs to it.
#[derive(Clone, Copy, Debug)]
pub struct Reported<'a> {
    /// It.
    pub finding: &'a Finding,
    /// In which contexts, in words; empty if there is only one.
    pub contexts: &'a str,
    /// Why it is accepted, if it is.
    pub accepted: Option<&'a str>,
}

/// A rule that could not run, and why.
#[derive(Clone, Copy, Debug)]
pub struct NotRun<'a> {
    /// It.
    pub rule: CheckRule,
    /// Why, as a clause.
    pub why: &'a Fact,
}

impl Reported<'_> {
    /// What is wrong, where, and how to mend it, in one line.
    fn message(&self) -> String {
        let finding = self.finding;
        let mut message = finding.message();
        if !self.contexts.is_empty() {
            message.push_str(&format!(" (in {})", self.contexts));
        }
        if let Some(help) = &finding.help {
            message.push_str(&format!(". {help}"));
        }
        message
    }
}
