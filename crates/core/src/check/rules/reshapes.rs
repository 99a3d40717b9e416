//! A value where a weaker layer has a branch, or the other way round.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;

pub(crate) static RESHAPES: About = About::new(
    "reshapes",
    Severity::Warning,
    "a value in place of a branch, or a branch in place of a value",
    || Visit::Candidate(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let resolution = seen.resolution();
    let Some(by) = candidate.by.filter(|_| candidate.verdict == Verdict::Reshaped) else { return };
    let by = resolution.candidate(by);
    let makes_a_branch = resolution.keys().is_within(by.key, candidate.key);
    let message = match makes_a_branch {
        true => format!("{} makes it a branch, where a weaker layer has a value", seen.layer(by)),
        false => format!("{} puts a value in place of a branch", seen.layer(by)),
    };
    // It is told of the branch, once for all that is lost.
    let about = match makes_a_branch {
        true => seen.shown(),
        false => resolution.keys().show(by.key),
    };
    let lost = format!("{} of {} is lost", seen.shown(), seen.layer(candidate));
    let finding = seen.finding(CheckRule(&RESHAPES), message).about(about);
    let finding = finding.at(seen.spot(by, None));
    look.findings.merge(finding.at(seen.spot(candidate, Some(lost))));
}
