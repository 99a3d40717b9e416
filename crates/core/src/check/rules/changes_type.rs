//! A stronger value of another type.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::CheckRule;
use crate::model::convert::Declaration;
use crate::model::fact::Fact;
use crate::model::value::Type;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::{Rule, Verdict};

const OTHER_TYPE: &str = "{layer} sets {key} to {is}, a weaker layer sets {was}";
const TYPE: &str = "{type} ({value})";
const WEAKER: &str = "{layer} sets {value}";

pub(crate) static CHANGES_TYPE: About = About::new(
    "changes-type",
    Severity::Warning,
    "a stronger value of another type",
    &[OTHER_TYPE],
    || Visit::Candidate(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let resolution = seen.resolution();
    let is_overridden =
        candidate.verdict == Verdict::Overridden && resolution.rule(candidate) != Rule::BetterName;
    if let Some(by) = candidate.by.filter(|_| is_overridden) {
        changes_type(look, seen, candidate, resolution.candidate(by));
    }
}

/// A stronger value of another type than the one that it overrides.
fn changes_type(look: &mut Look<'_>, seen: &Seen<'_>, weaker: &Candidate, stronger: &Candidate) {
    let resolution = seen.resolution();
    // A declared type is checked by itself.
    let is_typed =
        seen.declared().is_some_and(|it| it.shape.kind != Declaration::Any || it.gather.is_some());
    let value = |candidate: &Candidate| resolution.leaf(candidate).value.clone();
    if is_typed || resolution.may_refer(stronger) {
        return;
    }
    let untyped = |candidate: &Candidate| resolution.reading(candidate).untyped;
    let (weak, strong) = (value(weaker).kind(), value(stronger).kind());
    let has_none = |kind: Type| matches!(kind, Type::Null | Type::Unread);
    if untyped(weaker) || has_none(strong) || has_none(weak) {
        return;
    }
    if untyped(stronger) {
        let reads = value(stronger)
            .as_text()
            .map(|text| crate::model::convert::read_like(text, weak).is_some());
        let matters = matches!(weak, Type::Boolean | Type::Integer | Type::Number);
        // An integer may become a number and the other way round.
        let as_number = value(stronger).as_text().is_some_and(|text| {
            matches!(weak, Type::Integer | Type::Number)
                && crate::model::convert::read_like(text, Type::Number).is_some()
        });
        if !matters || reads == Some(true) || as_number || value(stronger).is_empty_text() {
            return;
        }
    } else {
        let are_numbers = |kind: Type| matches!(kind, Type::Integer | Type::Number);
        if weak == strong || are_numbers(weak) && are_numbers(strong) {
            return;
        }
    }
    let is = Fact::new(TYPE).with("type", strong.with_article()).with("value", seen.says(stronger));
    let fact = Fact::new(OTHER_TYPE)
        .with("layer", seen.layer(stronger))
        .with("is", is)
        .with("was", weak.with_article());
    let weak = Fact::new(WEAKER).with("layer", seen.layer(weaker)).with("value", seen.says(weaker));
    look.findings.merge(
        seen.finding(CheckRule(&CHANGES_TYPE), fact)
            .at(seen.spot(stronger, None))
            .at(seen.spot(weaker, Some(weak)))
            .help("use the same type, or declare the type in the catalogue"),
    );
}
