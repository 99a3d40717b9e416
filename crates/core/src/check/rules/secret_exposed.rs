//! A secret in a file that git tracks or would track: whether it does is asked of it at the end.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::{CheckRule, Finding};
use crate::model::fact::Fact;
use crate::model::layer::Kind;
use crate::model::value::Value;
use crate::precedence::resolution::Candidate;

const SECRET: &str = "{key} is a secret in a file that git tracks";
const PASSWORD: &str = "{key} is an address with a password, in a file that git tracks";

pub(crate) static SECRET_EXPOSED: About = About::new(
    "secret-exposed",
    Severity::Error,
    "a secret in a file that git tracks, or would track",
    &[SECRET, PASSWORD],
    || Visit::Candidate(visit),
);

fn visit(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let resolution = seen.resolution();
    let reading = resolution.reading(candidate);
    if reading.is_removal || resolution.readings().layer(reading.layer).kind == Kind::Arguments {
        return;
    }
    let leaf = resolution.leaf(candidate);
    if leaf.at.is_none() {
        return;
    }
    let declared = seen.declared().and_then(|declared| declared.secret);
    let is_secret = resolution.secrets().has(seen.key) || resolution.hides(candidate);
    let refers = resolution.may_refer(candidate);
    let form = match &leaf.value {
        Value::Unread => return,
        _ if resolution.note(candidate).is_some_and(|note| note.encrypted.is_some()) => return,
        _ if refers => return,
        Value::Text(text) if text.is_empty() => return,
        Value::Text(text) if !is_secret => match crate::model::secret::holds_password(text) {
            true => PASSWORD,
            false => return,
        },
        Value::Text(_) | Value::List(_) | Value::Map(_) if is_secret => {
            // `token_ttl = "60s"` is no secret to set, whatever its name suggests in it.
            let is_amount = seen.declared().is_some_and(|declared| declared.shape.is_amount());
            if is_amount && declared != Some(true) {
                return;
            }
            SECRET
        }
        Value::Integer(_) | Value::Number(_) if declared == Some(true) => SECRET,
        _ => return,
    };
    let place = seen.lines.spot(reading, candidate.leaf, None, true);
    let finding = Finding::new(CheckRule(&SECRET_EXPOSED), Fact::new(form), seen.full.clone());
    let finding = finding.about(seen.shown()).at(place);
    let same = look
        .exposed
        .iter_mut()
        .find(|other| other.key == finding.key && other.places == finding.places);
    match same {
        Some(same) => same.contexts.add(&finding.contexts),
        None => look.exposed.push(finding.help(match reading.document.scope {
            Some(_) => {
                "encrypt it, or move it to a store that git does not track; then change the secret: \
                 the history has the old one"
            }
            None => {
                "encrypt it, or move it to a scope or a file that git ignores; then change the \
                 secret: the history has the old one"
            }
        })),
    }
}
