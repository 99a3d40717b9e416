//! A former name that is still used.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::model::fact::Fact;
use crate::precedence::resolution::Candidate;

const FORMER: &str = "{name} is a former name of {key}";

pub(crate) static OLD_NAME: About = About::new(
    "old-name",
    Severity::Warning,
    "a former name that is still used",
    &[FORMER],
    || Visit::Candidate(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let resolution = seen.resolution();
    if !resolution.reading(candidate).is_old_name(candidate.leaf) {
        return;
    }
    let name = resolution.keys().show(resolution.leaf(candidate).name);
    let finding = seen
        .finding(CheckRule(&OLD_NAME), Fact::new(FORMER).with("name", name))
        .at(seen.spot_of_name(candidate, None));
    look.findings.add(finding.help("use the new name; the former one is still read"));
}
