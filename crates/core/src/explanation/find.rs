//! Backwards: which settings have a value, and where it is written.

use crate::answers::Answers;
use crate::explanation::Explanation;
use crate::model::key::KeyId;
use crate::model::secret::hide_address_password;
use crate::model::value::Value;
use crate::precedence::provenance::Provenance;

/// Something that is or contains the value that was looked for.
#[derive(Clone, PartialEq, Debug)]
pub struct Hit {
    /// The candidate that has it, or from which the effective value is.
    pub stand: Provenance,
    /// The value: as it is written, or the effective one if only that has it.
    pub value: Value,
    /// Whether only references or conversion made it so.
    pub is_made: bool,
    /// Whether it takes effect.
    pub is_in_force: bool,
    /// Whether it decides, and the setting has no value for it.
    pub breaks: bool,
}

/// Every candidate and effective value of a setting that is or contains `text`; never a secret, and
/// never the password of an address.
pub fn find_in(answers: &Answers<'_>, key: KeyId, text: &str) -> Vec<Hit> {
    let resolution = answers.resolution();
    let mut hits = Vec::new();
    let mut candidates = resolution.candidates(key).peekable();
    if candidates.peek().is_none() || answers.is_secret(key) {
        return hits;
    }
    let explanation = Explanation::of(answers, key);
    let is_set = explanation.value().is_some();
    for id in candidates {
        let candidate = resolution.candidate(id);
        let value = &resolution.leaf(candidate).value;
        let is_hidden = resolution.reading(candidate).is_removal || resolution.hides(candidate);
        let has_it = has(&hide_address_password(value), text)
            || resolution.raw(candidate).is_some_and(|raw| raw.contains(text));
        if is_hidden || !has_it {
            continue;
        }
        hits.push(Hit {
            stand: Provenance::of(resolution, id),
            value: hide_address_password(value).into_owned(),
            is_made: false,
            is_in_force: is_set && candidate.verdict.is_in_force(),
            breaks: !is_set && candidate.verdict.is_in_force(),
        });
    }
    let is_told = hits.iter().any(|hit| hit.is_in_force);
    let made = explanation.value().filter(|value| !is_told && has(value, text));
    if let (Some(value), Some(stand)) = (made, explanation.winner) {
        hits.push(Hit { stand, value, is_made: true, is_in_force: true, breaks: false });
    }
    hits
}

/// Whether a value is or contains a text.
fn has(value: &Value, text: &str) -> bool {
    match value {
        Value::Text(said) => said.contains(text),
        Value::List(items) => items.iter().any(|item| has(&item.value, text)),
        Value::Map(entries) => {
            entries.iter().any(|entry| entry.name.contains(text) || has(&entry.value, text))
        }
        other => other.show().contains(text),
    }
}
