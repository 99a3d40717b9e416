//! `[[rule]]` and `[[accept]]` tables: what settings must satisfy together, and which findings are
//! known already.

use super::ProjectAxis;
use super::axis::required_name;
use super::fields::{Fields, Sink};
use super::layer::conditions;
use crate::error::Error;
use justwhy_core::{Condition, Pattern, Position, ShownLine, Span};
use justwhy_formats::{Kind, NodeId, shown_name};

pub(super) const RULE_FIELDS: Fields =
    Fields { of: "a rule", known: &["name", "require", "message", "when"] };
pub(super) const ACCEPT_FIELDS: Fields =
    Fields { of: "an accepted finding", known: &["rule", "setting", "reason", "until"] };

/// The longest expression: the evaluator recurses over it.
const MOST_EXPRESSION: usize = 4096;

/// What settings must satisfy together.
#[derive(Clone, Debug)]
pub struct ProjectRule {
    /// Its name.
    pub name: String,
    /// The expression.
    pub require: String,
    /// What to show when it does not hold.
    pub message: Option<String>,
    /// Where it counts.
    pub when: Vec<Condition>,
    /// The file that it is in.
    pub file: String,
    /// The place of its expression there.
    pub at: Position,
    /// The line on which that begins.
    pub line: ShownLine,
    pub(crate) name_at: Position,
}

/// A finding that is known and shall be quiet.
#[derive(Clone, Debug)]
pub struct Accept {
    /// The rule whose findings it is about.
    pub rule: String,
    /// The settings that it is about, all without any, and the pattern as written.
    pub setting: Option<(Pattern, String)>,
    /// Why it is known.
    pub reason: String,
    /// The last day on which it is quiet, `YYYY-MM-DD`.
    pub until: Option<String>,
    /// Where it is in the project file.
    pub at: Position,
    /// The line on which that is.
    pub line: ShownLine,
}

pub(super) fn rules(sink: &mut Sink<'_>, axes: &[ProjectAxis], rules: &mut Vec<ProjectRule>) {
    for table in sink.tables("rule") {
        sink.check_names(table, &RULE_FIELDS);
        let Some((name, name_at)) = required_name(sink, table, "a rule") else { continue };
        let when = conditions(sink, table, "when", axes);
        let message = sink.text(table, "message").map(|(text, _)| text);
        let require = sink.text(table, "require");
        let Some((require, at)) = require else {
            if sink.field(table, "require").is_none() {
                let error = Error::new("bad-project", format!("the rule {name} has no `require`"));
                sink.error(error.help("add require = \"…\", an expression over settings"), name_at);
            }
            continue;
        };
        if require.len() > MOST_EXPRESSION {
            let message = format!("an expression of more than {MOST_EXPRESSION} bytes");
            sink.error(Error::new("bad-project", message).help("split it into several rules"), at);
            continue;
        }
        if let Some(first) = rules.iter().find(|other| other.name == name) {
            let message = format!("duplicate name: two rules have the name {}", shown_name(&name));
            let error = Error::new("bad-project", message);
            let error = error.also("first at", &first.file, Some(first.name_at));
            sink.error(error.help("choose another name for one of them"), name_at);
        }
        let (file, line) = (sink.file().to_owned(), sink.around(at));
        let (at, name_at) = (sink.position(at), sink.position(name_at));
        rules.push(ProjectRule { name, require, message, when, file, at, line, name_at });
    }
}

pub(super) fn accepts(sink: &mut Sink<'_>) -> Vec<Accept> {
    let mut accepts = Vec::new();
    for table in sink.tables("accept") {
        sink.check_names(table, &ACCEPT_FIELDS);
        let at = sink.tree.node(table).at;
        let rule = needed(sink, table, "rule", "the rule whose findings are accepted");
        let reason = needed(sink, table, "reason", "why they are accepted");
        let setting =
            sink.text(table, "setting").and_then(|(text, at)| match Pattern::parse(&text) {
                Ok(pattern) => Some((pattern, text)),
                Err(error) => {
                    let message = format!("invalid pattern of keys: {}", error.problem);
                    sink.error(Error::new("bad-project", message), at);
                    None
                }
            });
        let until = until(sink, table);
        let (at, line) = (sink.position(at), sink.around(at));
        if let (Some((rule, rule_at)), Some((reason, reason_at))) = (rule, reason) {
            if reason.trim().is_empty() {
                let message = "empty `reason`";
                sink.error(Error::new("bad-project", message), reason_at);
            }
            if let Err(near) = justwhy_core::rule_named(&rule) {
                let message = format!("no rule has the name {}", shown_name(&rule));
                let error = Error::new("bad-project", message);
                let error = match near {
                    Some(near) => error.help(format!("did you mean \"{near}\"?")),
                    None => error.help("`justwhy check --help` lists them"),
                };
                sink.error(error, rule_at);
            }
            accepts.push(Accept { rule, setting, reason, until, at, line });
        }
    }
    accepts
}

fn needed(sink: &mut Sink<'_>, table: NodeId, field: &str, what: &str) -> Option<(String, Span)> {
    if sink.field(table, field).is_none() {
        let error =
            Error::new("bad-project", format!("an accepted finding needs `{field}`: {what}"));
        let at = sink.tree.node(table).at;
        sink.error(error, at);
    }
    sink.text(table, field)
}

/// A date as TOML has it, or as a text.
fn until(sink: &mut Sink<'_>, table: NodeId) -> Option<String> {
    let id = sink.field(table, "until")?;
    let node = sink.tree.node(id);
    let at = node.at;
    let date = match &node.kind {
        Kind::Text(text) if is_date(text) => Some(text.to_string()),
        _ => None,
    };
    if date.is_none() {
        let error = Error::new("bad-project", "`until` must be a date");
        sink.error(error.help("write until = 2027-01-31"), at);
    }
    date
}

/// Whether `text` is a date of the calendar, `YYYY-MM-DD`.
fn is_date(text: &str) -> bool {
    text.len() == 10
        && text.parse::<toml_datetime::Datetime>().is_ok_and(|date| date.time.is_none())
}
