//! A text that other readers of its format take for something else.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::model::document::Lookalike;
use crate::precedence::resolution::Candidate;

pub(crate) static LOOKS_LIKE: About = About::new(
    "looks-like",
    Severity::Warning,
    "a YAML text that other readers of YAML take for something else",
    || Visit::TextOf(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let reading = seen.resolution().reading(candidate);
    let leaf = candidate.leaf as usize;
    let all = &reading.document.lookalikes;
    let first = all.partition_point(|(at, ..)| *at < leaf);
    for (_, span, other) in all[first..].iter().take_while(|(at, ..)| *at == leaf) {
        let (message, help) = match other {
            Lookalike::Other(other) => (
                format!("other readers of YAML take this for {other}"),
                "put it in quotes if it is a text; else write it as both read it",
            ),
            Lookalike::Shortened => (
                "the last zeros of this number are lost when it is read".to_owned(),
                "put it in quotes if it is a text, such as a version; else leave the zeros out",
            ),
        };
        let mut place = seen.spot(candidate, None);
        place.place = reading.place_at(Some(*span));
        let text = reading.document.text.as_ref();
        place.line = place.line.and_then(|_| seen.lines.line(&reading.origin, text, Some(*span)));
        look.findings.add(seen.finding(CheckRule(&LOOKS_LIKE), message).at(place).help(help));
    }
}
