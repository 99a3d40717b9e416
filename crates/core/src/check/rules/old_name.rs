//! A former name that is still used.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::precedence::resolution::Candidate;

pub(crate) static OLD_NAME: About =
    About::new("old-name", Severity::Warning, "a former name that is still used", || {
        Visit::Candidate(visit)
    });

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let resolution = seen.resolution();
    if !resolution.reading(candidate).is_old_name(candidate.leaf) {
        return;
    }
    let name = resolution.keys().show(resolution.leaf(candidate).name);
    let message = format!("{name} is what it was called once; it is {} now", seen.shown());
    let finding = seen.finding(CheckRule(&OLD_NAME), message).at(seen.spot(candidate, None));
    look.findings.add(finding.help("write the new name; the old one is still read"));
}
