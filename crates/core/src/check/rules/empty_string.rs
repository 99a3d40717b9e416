//! An empty string that overrides a value.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::model::fact::Fact;
use crate::model::value::Value;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;

const WINS: &str = "{layer} sets {key} to an empty string, which overrides a value";
const LOSES: &str = "{layer} sets {value}";

pub(crate) static EMPTY_STRING: About = About::new(
    "empty-string",
    Severity::Warning,
    "an empty string that overrides a value",
    &[WINS],
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
    let fact = Fact::new(WINS).with("layer", seen.layer(winner));
    let loses = Fact::new(LOSES).with("layer", seen.layer(lost)).with("value", seen.says(lost));
    look.findings.merge(
        seen.finding(CheckRule(&EMPTY_STRING), fact)
            .at(seen.spot(winner, None))
            .at(seen.spot(lost, Some(loses)))
            .help("remove the line, or set empty = \"unset\" for the layer or the setting"),
    );
}
