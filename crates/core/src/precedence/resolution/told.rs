//! What is told of a candidate: its characters, what a store adds, the rule for its verdict.

use super::{Candidate, Resolution};
use crate::model::note::Note;
use crate::model::value::Value;
use crate::precedence::verdict::{Rule, Verdict};

impl Resolution {
    /// The very characters of a number or a truth value which are not those that it is shown with, such
    /// as `1.10` and `0644`; none of what is secret.
    pub fn raw(&self, candidate: &Candidate) -> Option<&str> {
        let leaf = self.leaf(candidate);
        let is_changed =
            matches!(leaf.value, Value::Integer(_) | Value::Number(_) | Value::Boolean(_));
        if !is_changed || self.hides(candidate) {
            return None;
        }
        let text = self.reading(candidate).document.text.as_ref()?.text();
        let at = leaf.at?;
        let raw = text.get(at.start as usize..at.end as usize)?.trim();
        let is_scalar =
            raw.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"+-._".contains(&byte));
        (is_scalar && !raw.is_empty() && raw != leaf.value.show()).then_some(raw)
    }

    /// What the store sets for `candidate` besides its value.
    pub fn note(&self, candidate: &Candidate) -> Option<&Note> {
        self.reading(candidate).document.note(candidate.leaf)
    }

    /// Whether what the candidate has is secret whatever its setting is: a store marks it so, or there
    /// is a secret's name in it.
    pub fn hides(&self, candidate: &Candidate) -> bool {
        self.reading(candidate).document.hides(candidate.leaf)
    }

    /// The rule that gave the candidate its verdict.
    pub fn rule(&self, candidate: &Candidate) -> Rule {
        let by = candidate.by.map(|by| self.candidate(by));
        match candidate.verdict {
            Verdict::Wins if candidate.beneath.is_some() => Rule::Gather,
            Verdict::Wins => Rule::Precedence,
            Verdict::Overridden if by.is_some_and(|by| by.reading == candidate.reading) => {
                Rule::BetterName
            }
            Verdict::Overridden => Rule::Precedence,
            Verdict::Contributes => Rule::Gather,
            Verdict::Reshaped => Rule::Shape,
            Verdict::Blocked => Rule::Pin,
            Verdict::Empty => Rule::Empty,
            Verdict::Removes if self.reading(candidate).is_removal => Rule::Remove,
            Verdict::Removed if by.is_some_and(|by| self.reading(by).is_removal) => Rule::Remove,
            Verdict::Removes | Verdict::Removed => Rule::Null,
            Verdict::Withheld => Rule::Audience,
            Verdict::Unreadable => Rule::Unreadable,
        }
    }
}
