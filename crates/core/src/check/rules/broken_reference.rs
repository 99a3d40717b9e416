//! A reference to nothing, or back to itself.

use super::missing_required::stands_for_nothing;
use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::model::fact::Fact;

const BROKEN: &str = "{key} has a broken reference: {problem}";

pub(crate) static BROKEN_REFERENCE: About = About::new(
    "broken-reference",
    Severity::Error,
    "a reference to a setting that is not set, or back to itself",
    &[BROKEN],
    || Visit::Setting(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>) {
    let Some((code, problem, winner)) = seen.own_error() else { return };
    let is_other = code == "bad-value" || stands_for_nothing(seen);
    if is_other || seen.answer.failure().is_some_and(|failure| failure.is_echo) {
        return;
    }
    let fact = Fact::new(BROKEN).with("problem", problem.clone());
    let finding = seen.finding(CheckRule(&BROKEN_REFERENCE), fact);
    look.findings.add(finding.at(seen.spot(winner, None)));
}
