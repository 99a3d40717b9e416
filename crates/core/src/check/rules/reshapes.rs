//! A value where a weaker layer has a branch, or the other way round.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::model::fact::Fact;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;

const BRANCH: &str = "{layer} sets keys below {key}, which has a value in a weaker layer";
const VALUE: &str = "{layer} sets {key}, which replaces the keys below it";
const LOST: &str = "{key} of {layer} is lost";

pub(crate) static RESHAPES: About = About::new(
    "reshapes",
    Severity::Warning,
    "a value where a weaker layer has keys below it, or the other way round",
    &[BRANCH, VALUE],
    || Visit::Candidate(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let resolution = seen.resolution();
    let Some(by) = candidate.by.filter(|_| candidate.verdict == Verdict::Reshaped) else { return };
    let by = resolution.candidate(by);
    let makes_a_branch = resolution.keys().is_within(by.key, candidate.key);
    let form = if makes_a_branch { BRANCH } else { VALUE };
    let fact = Fact::new(form).with("layer", seen.layer(by));
    // It is reported for the branch, once for all that is lost.
    let about = match makes_a_branch {
        true => seen.shown(),
        false => resolution.keys().show(by.key),
    };
    let lost = Fact::new(LOST).with("key", seen.shown()).with("layer", seen.layer(candidate));
    let finding = seen.finding(CheckRule(&RESHAPES), fact).about(about);
    let finding = finding.at(seen.spot(by, None));
    look.findings.merge(finding.at(seen.spot(candidate, Some(lost))));
}
