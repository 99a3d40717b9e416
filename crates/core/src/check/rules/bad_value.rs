//! A value that its declaration refuses.

use super::missing_required::stands_for_nothing;
use super::{About, Look, Seen, Severity, Visit};
use crate::check::{CheckRule, Finding};
use crate::model::fact::Fact;

const EMPTY: &str = "{key} is an empty string, which is not allowed";
const INVALID: &str = "{key} is invalid: {problem}";

pub(crate) static BAD_VALUE: About = About::new(
    "bad-value",
    Severity::Error,
    "a value that its type, bounds, choice or pattern does not allow",
    &[EMPTY, INVALID],
    || Visit::Setting(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>) {
    let Some((code, problem, winner)) = seen.own_error() else { return };
    let found = |fact: Fact| -> Finding {
        let finding = seen.finding(CheckRule(&BAD_VALUE), fact).at(seen.spot(winner, None));
        seen.declared_here().into_iter().fold(finding, Finding::at)
    };
    if stands_for_nothing(seen) {
        // Where it is required, that it is missing is told instead.
        if seen.required_in(look).is_empty() {
            look.findings.add(found(Fact::new(EMPTY)));
        }
    } else if code == "bad-value" && !seen.answer.failure().is_some_and(|it| it.is_echo) {
        look.findings.add(found(Fact::new(INVALID).with("problem", problem.clone())));
    }
}
