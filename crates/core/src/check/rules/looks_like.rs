//! A string that other readers of its format take for something else.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::model::document::Lookalike;
use crate::model::fact::Fact;
use crate::precedence::resolution::Candidate;

const OTHER: &str = "{key} is a string here, but other YAML readers take it for {other}";
const SHORTENED: &str = "{key} is a number and loses its last zeros";

pub(crate) static LOOKS_LIKE: About = About::new(
    "looks-like",
    Severity::Warning,
    "a YAML string that other YAML readers take for something else",
    &[OTHER, SHORTENED],
    || Visit::TextOf(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let reading = seen.resolution().reading(candidate);
    let leaf = candidate.leaf as usize;
    let all = &reading.document.lookalikes;
    let first = all.partition_point(|(at, ..)| *at < leaf);
    for (_, span, other) in all[first..].iter().take_while(|(at, ..)| *at == leaf) {
        let (fact, help) = match other {
            Lookalike::Other(other) => (
                Fact::new(OTHER).with("other", *other),
                "quote it if it is a string; otherwise write it so that all readers agree",
            ),
            Lookalike::Shortened => (
                Fact::new(SHORTENED),
                "quote it if it is a string, such as a version; otherwise remove the zeros",
            ),
        };
        let mut place = seen.spot(candidate, None);
        place.place = reading.place_at(Some(*span));
        let text = reading.document.text.as_ref();
        place.line = place.line.and_then(|_| seen.lines.line(&reading.origin, text, Some(*span)));
        look.findings.add(seen.finding(CheckRule(&LOOKS_LIKE), fact).at(place).help(help));
    }
}
