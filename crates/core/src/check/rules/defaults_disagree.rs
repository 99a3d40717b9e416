//! Two places with different fallbacks for one setting.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::{CheckRule, Evidence};
use crate::model::fact::Fact;
use crate::model::layer::Kind;
use crate::model::value::Value;
use crate::precedence::resolution::Candidate;

const PLACES: &str = "{key} has different fallbacks in code";
const LAYERS: &str = "{key} has different fallbacks in {layer} and {other}";
const FALLBACK: &str = "the fallback of {layer}";

pub(crate) static DEFAULTS_DISAGREE: About = About::new(
    "defaults-disagree",
    Severity::Warning,
    "different fallbacks for one setting",
    &[PLACES, LAYERS],
    || Visit::Candidate(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let resolution = seen.resolution();
    let kind =
        |candidate: &Candidate| resolution.readings().layer(resolution.layer_of(candidate)).kind;
    if kind(candidate) != Kind::Code {
        return;
    }
    let rule = CheckRule(&DEFAULTS_DISAGREE);
    let rivals = resolution.reading(candidate).document.rivals(candidate.leaf);
    if !rivals.is_empty() {
        let mut finding = seen.finding(rule, Fact::new(PLACES)).at(seen.spot(candidate, None));
        let other = |place: &_| Evidence::of(Clone::clone(place), "another fallback");
        finding.places.extend(rivals.iter().map(other));
        look.findings.add(finding.help("use one fallback, or declare `default` and remove them"));
        return;
    }
    // Of a text and a number that are written alike a program makes the same.
    let bare = |value: &Value| value.as_text().map_or_else(|| value.show(), str::to_owned);
    let others = resolution.candidates(seen.key).map(|id| resolution.candidate(id));
    let value = &resolution.leaf(candidate).value;
    for other in others {
        let is_default = matches!(kind(other), Kind::Code | Kind::Catalogue)
            && resolution.layer_of(other) < resolution.layer_of(candidate);
        let their = &resolution.leaf(other).value;
        let is_known = *value != Value::Unread && *their != Value::Unread;
        if !is_default || !is_known || bare(value) == bare(their) {
            continue;
        }
        let fact =
            Fact::new(LAYERS).with("layer", seen.layer(candidate)).with("other", seen.layer(other));
        let what = Some(Fact::new(FALLBACK).with("layer", seen.layer(other)));
        let finding = seen.finding(rule, fact).at(seen.spot(candidate, None));
        let finding = finding.at(seen.spot(other, what));
        look.findings.add(finding.help("use one fallback, or declare `default` and remove them"));
    }
}
