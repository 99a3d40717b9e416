//! An empty text that wins over one that is not empty.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::model::value::Value;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;

pub(crate) static EMPTY_TEXT: About = About::new(
    "empty-text",
    Severity::Warning,
    "an empty text that wins over one that is not empty",
    || Visit::Working(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>) {
    let resolution = seen.resolution();
    let Some(winner) = resolution.winner(seen.key).map(|id| resolution.candidate(id)) else {
        return;
    };
    if !resolution.leaf(winner).value.is_empty_text() || resolution.gather(seen.key).is_some() {
        return;
    }
    let has_more = |candidate: &&Candidate| {
        let value = &resolution.leaf(candidate).value;
        candidate.verdict == Verdict::Overridden && *value != Value::Null && !value.is_empty_text()
    };
    let candidates = resolution.candidates(seen.key).map(|id| resolution.candidate(id));
    let Some(lost) = candidates.into_iter().find(has_more) else { return };
    let message = format!(
        "{} says an empty text, which wins over a text that is not empty",
        seen.layer(winner)
    );
    let loses = format!("{} says {}", seen.layer(lost), seen.says(lost));
    look.findings.merge(
        seen.finding(CheckRule(&EMPTY_TEXT), message)
            .at(seen.spot(winner, None))
            .at(seen.spot(lost, Some(loses)))
            .help("take the line out, or say empty = \"unset\" for the layer or the setting"),
    );
}
