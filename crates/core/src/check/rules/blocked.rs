//! A value that a pin blocks.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;

pub(crate) static BLOCKED: About =
    About::new("blocked", Severity::Warning, "a value that a pin blocks", || {
        Visit::Candidate(visit)
    });

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let Some(by) = candidate.by.filter(|_| candidate.verdict == Verdict::Blocked) else { return };
    let by = seen.resolution().candidate(by);
    let message = format!(
        "{} changes nothing: {} pins what it says about it",
        seen.layer(candidate),
        seen.layer(by)
    );
    let finding = seen.finding(CheckRule(&BLOCKED), message).at(seen.spot(candidate, None));
    look.findings.add(finding.at(seen.spot(by, Some("it is pinned here".to_owned()))));
}
