//! Two names of one source for one setting.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::model::fact::Fact;
use crate::model::layer::Kind;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::{Rule, Verdict};

const NAMES: &str = "{key} has two names in one source: {name} and {other}";
const SAME: &str = "{key} is set twice in one source";
const COUNTS: &str = "this one counts";
const WINS: &str = "{name} wins";

pub(crate) static SAID_TWICE: About = About::new(
    "said-twice",
    Severity::Warning,
    "two names in one source for one setting",
    &[NAMES, SAME],
    || Visit::Candidate(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let resolution = seen.resolution();
    let is_beaten = candidate.verdict == Verdict::Overridden
        && resolution.rule(candidate) == Rule::BetterName
        && resolution.readings().layer(resolution.layer_of(candidate)).kind != Kind::Arguments;
    let Some(by) = candidate.by.filter(|_| is_beaten) else { return };
    let by = resolution.candidate(by);
    let name = |candidate: &Candidate| resolution.keys().show(resolution.leaf(candidate).name);
    let (fact, winner) = match name(candidate) == name(by) {
        true => (Fact::new(SAME), Fact::new(COUNTS)),
        false => {
            let fact = Fact::new(NAMES).with("name", name(candidate)).with("other", name(by));
            (fact, Fact::new(WINS).with("name", name(by)))
        }
    };
    let winner = Some(winner);
    let finding = seen.finding(CheckRule(&SAID_TWICE), fact).at(seen.spot_of_name(candidate, None));
    look.findings.add(finding.at(seen.spot(by, winner)));
}
