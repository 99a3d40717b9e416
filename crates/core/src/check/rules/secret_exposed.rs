//! A secret in a file that git tracks or would track: whether it does is asked of it at the end.

use super::{About, Look, Seen, Severity, Visit};
use crate::check::{CheckRule, Finding};
use crate::model::layer::Kind;
use crate::model::value::Value;
use crate::precedence::resolution::Candidate;

pub(crate) static SECRET_EXPOSED: About = About::new(
    "secret-exposed",
    Severity::Error,
    "a secret in a file that git tracks or would track",
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
    let refers = crate::answers::holds_reference(&leaf.value)
        && resolution.readings().layer(reading.layer).references;
    let message = match &leaf.value {
        Value::Unread => return,
        _ if resolution.note(candidate).is_some_and(|note| note.encrypted.is_some()) => return,
        _ if refers => return,
        Value::Text(text) if text.is_empty() => return,
        Value::Text(text) if !is_secret => match crate::model::secret::holds_password(text) {
            true => "the address here has a password in it, for all who can read the file",
            false => return,
        },
        Value::Text(_) | Value::List(_) | Value::Map(_) if is_secret => {
            // `token_ttl = "60s"` is no secret to speak of, whatever its name has in it.
            let is_amount = seen.declared().is_some_and(|declared| declared.shape.is_amount());
            if is_amount && declared != Some(true) {
                return;
            }
            "the secret stands here for all who can read the file"
        }
        Value::Integer(_) | Value::Number(_) if declared == Some(true) => {
            "the secret stands here for all who can read the file"
        }
        _ => return,
    };
    let place = seen.lines.spot(reading, candidate.leaf, None, true);
    let finding = Finding::new(CheckRule(&SECRET_EXPOSED), message, seen.full.clone());
    let finding = finding.about(seen.shown()).at(place);
    let same = look
        .exposed
        .iter_mut()
        .find(|other| other.key == finding.key && other.places == finding.places);
    match same {
        Some(same) => same.contexts.add(&finding.contexts),
        None => look.exposed.push(finding.help(match reading.document.scope {
            Some(_) => {
                "encrypt it, keep the store where git does not look, or move it to one that is \
                 no file; and give it a new value, as the old one is in the history"
            }
            None => {
                "encrypt it, or move it to a scope or a file that git ignores; and give it a new \
                 value, as the old one is in the history"
            }
        })),
    }
}
