//! A value that a pin blocks.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::model::fact::Fact;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;

const PINNED: &str = "{layer} cannot change {key}: {pin} pins it";

pub(crate) static BLOCKED: About =
    About::new("blocked", Severity::Warning, "a value that a pin blocks", &[PINNED], || {
        Visit::Candidate(visit)
    });

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let Some(by) = candidate.by.filter(|_| candidate.verdict == Verdict::Blocked) else { return };
    let by = seen.resolution().candidate(by);
    let fact = Fact::new(PINNED).with("layer", seen.layer(candidate)).with("pin", seen.layer(by));
    let finding = seen.finding(CheckRule(&BLOCKED), fact).at(seen.spot(candidate, None));
    look.findings.add(finding.at(seen.spot(by, Some("pinned here".into()))));
}
