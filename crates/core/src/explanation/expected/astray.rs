//! Which references lead to another value than was expected.

use super::Wanted;
use crate::answers::Answers;
use crate::answers::{Hop, HopValue, Piece, winning_pieces};
use crate::model::key::KeyId;
use crate::model::value::Value;

/// A reference that gives something else than what was expected needs.
#[derive(Clone, Debug)]
pub struct Astray {
    /// The reference, and what it found.
    pub hop: Hop,
    /// What it would have to give.
    pub wanted: String,
}

impl Wanted {
    /// The references of what takes effect that keep it from being what was expected: with other values of
    /// theirs it would be that. None where anything is secret, as nothing is compared with that.
    pub fn astray(&self, answers: &Answers<'_>, key: KeyId) -> Vec<Astray> {
        if self.layer.is_some() || answers.is_secret(key) {
            return Vec::new();
        }
        let Some(pieces) = winning_pieces(answers, key) else { return Vec::new() };
        let mut hops = answers.chain(key).into_iter();
        // The text before each reference, what that gives, and the text after the last.
        let mut before = vec![String::new()];
        let mut gives: Vec<(Hop, Option<String>)> = Vec::new();
        for piece in pieces {
            match piece {
                Piece::Text(text) => {
                    before.last_mut().into_iter().for_each(|it| it.push_str(&text))
                }
                Piece::Reference(_) => {
                    let Some(hop) = hops.next() else { return Vec::new() };
                    let text = match &hop.found {
                        HopValue::Secret => return Vec::new(),
                        HopValue::Value(Value::Text(text)) => Some(text.to_string()),
                        HopValue::Value(value) => Some(value.show()),
                        HopValue::Nothing(_) | HopValue::Error(_) => None,
                    };
                    gives.push((hop, text));
                    before.push(String::new());
                }
            }
        }
        let is_other = |at: &usize, wanted: &str| gives[*at].1.as_deref() != Some(wanted);
        let numbers = 0..gives.len();
        let alone = numbers.clone().find_map(|at| {
            let head = joined(&before[..at], &gives[..at])? + &before[at];
            let rest: Option<String> = (at + 1..gives.len())
                .map(|later| Some(before[later].clone() + gives[later].1.as_ref()?))
                .collect();
            let tail = rest? + before.last()?;
            let wanted = self.text.strip_prefix(&head)?.strip_suffix(&tail)?;
            is_other(&at, wanted).then(|| vec![(at, wanted.to_owned())])
        });
        let wanted = alone.or_else(|| {
            let parts = between(&self.text, &before)?;
            Some(parts.into_iter().enumerate().filter(|(at, part)| is_other(at, part)).collect())
        });
        let wanted = wanted.unwrap_or_default().into_iter();
        wanted.map(|(at, wanted)| Astray { hop: gives[at].0.clone(), wanted }).collect()
    }
}

/// The texts with what is after each.
fn joined(before: &[String], gives: &[(Hop, Option<String>)]) -> Option<String> {
    before
        .iter()
        .zip(gives)
        .map(|(text, (_, gives))| Some(text.clone() + gives.as_ref()?))
        .collect()
}

/// What is between the texts, each found as early as it can be; none if they are not there.
fn between(text: &str, around: &[String]) -> Option<Vec<String>> {
    let (first, rest) = around.split_first()?;
    let (last, inner) = rest.split_last()?;
    let mut left = text.strip_prefix(first.as_str())?.strip_suffix(last.as_str())?;
    let mut parts = Vec::new();
    for text in inner {
        // Nobody can find out where one ends and the next begins.
        if text.is_empty() {
            return None;
        }
        let at = left.find(text.as_str())?;
        parts.push(left[..at].to_owned());
        left = &left[at + text.len()..];
    }
    parts.push(left.to_owned());
    Some(parts)
}
