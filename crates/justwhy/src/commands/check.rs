//! `check`: what will go wrong, or is not meant so, in any context.

use crate::arguments::Form;
use crate::json;
use crate::look::{Look, Role, fill};
use crate::outcome::Outcome;
use crate::running::Running;
use crate::running::Runs;
use crate::running::Surveying;
use crate::running::{looking, reading};
use crate::unfreed::Unfreed;
use clap::Args;
use justwhy_core::{CheckRule, Context, Evidence, Severity, rule_named};
use justwhy_engine::{CheckWanted, Checked, CheckedFinding, Checking, Surveyed, left_out};
use justwhy_project::Error;
use justwhy_reports::{Reported, junit, sarif};
use serde::Serialize;
use std::collections::BTreeMap;

#[derive(Args, Debug)]
pub(crate) struct CheckArguments {
    /// Only where you stand, or where --in says
    #[arg(long)]
    pub(crate) here: bool,
    /// Read the layers that describe where you stand too: the process and local ones
    #[arg(long)]
    pub(crate) with_local: bool,
    /// Say no (exit 1) to warnings too
    #[arg(long)]
    pub(crate) warnings_as_errors: bool,
    /// Do not tell what this rule finds (repeatable)
    #[arg(long, value_name = "RULE")]
    pub(crate) allow: Vec<String>,
}

impl Runs for CheckArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.survey(self.with_local || self.here, |surveying| run(surveying, self))
    }

    fn own_forms(&self) -> &'static [Form] {
        &[Form::Sarif, Form::Junit]
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct CheckBody {
    /// How many contexts were looked at.
    looked_at: usize,
    findings: Vec<ShownFinding>,
    /// Rules that could not run.
    not_run: Vec<NotRun>,
    /// Layers that describe where you stand and were left out.
    left_out: Vec<String>,
    /// The current context, if it is not among those that were checked.
    #[serde(skip_serializing_if = "Option::is_none")]
    here_not_checked: Option<json::ShownContext>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct NotRun {
    rule: &'static str,
    why: String,
}

/// A finding, as programs read it.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(crate) struct ShownFinding {
    rule: &'static str,
    severity: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    key: Option<String>,
    message: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    help: Option<String>,
    places: Vec<ShownSpot>,
    /// Tables as `when` has them: together they describe the contexts in which it holds.
    contexts: Vec<BTreeMap<String, Vec<String>>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    accepted: Option<String>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct ShownSpot {
    #[serde(flatten)]
    place: json::ShownPlace,
    #[serde(skip_serializing_if = "Option::is_none")]
    what: Option<String>,
}

pub(crate) fn run(
    surveying: &Surveying<'_>,
    options: &CheckArguments,
) -> Result<Outcome, Vec<Error>> {
    let allow = allowed(&options.allow)?;
    let asked = surveying.common.context.as_deref();
    let progress = surveying.progress;
    let Surveyed { survey, full, head, faults, .. } =
        surveying.snapshot.survey(asked, options.here, &|count| progress.now(|| reading(count)))?;
    progress.now(looking);
    let survey = Unfreed::new(survey, surveying.keyring.may_decrypt());
    let checking = Checking { snapshot: surveying.snapshot };
    let is_everywhere = !options.here && !head.is_asked();
    let CheckArguments { here, with_local, .. } = *options;
    let wanted = CheckWanted { here, is_everywhere, with_local, allow: &allow };
    let mut checked = checking.check(&survey, &full, wanted)?;
    if !allow.contains(&CheckRule::CANNOT_READ) {
        let of = survey.contexts().len();
        checked.findings.splice(0..0, justwhy_engine::cannot_read(&faults, of));
    }
    let not_among = match options.here {
        true => None,
        false => surveying.snapshot.not_among(&survey),
    };
    let left_out = if options.with_local { Vec::new() } else { left_out(&survey) };
    let fails = checked.count(Severity::Error) > 0
        || options.warnings_as_errors && checked.count(Severity::Warning) > 0;
    let result = match surveying.common.output {
        Form::Json => json::text(&json::Answer::new(
            "check",
            &head,
            CheckBody {
                looked_at: checked.contexts,
                findings: checked.findings.iter().map(ShownFinding::of).collect(),
                not_run: checked
                    .not_run
                    .iter()
                    .map(|(rule, why)| NotRun { rule: rule.name(), why: why.clone() })
                    .collect(),
                left_out,
                here_not_checked: not_among.clone().map(json::ShownContext),
            },
        )),
        Form::Sarif => {
            sarif(&reported(&checked), &rules_not_run(&checked), env!("CARGO_PKG_VERSION"))
        }
        Form::Junit => {
            junit(&reported(&checked), &rules_not_run(&checked), options.warnings_as_errors)
        }
        _ => text(surveying.look, &checked, &left_out, not_among.as_ref()),
    };
    Ok(Outcome {
        result: result.into(),
        notes: String::new(),
        code: u8::from(fails),
        done: Vec::new(),
    })
}

/// The rules that `--allow` names.
fn allowed(names: &[String]) -> Result<Vec<CheckRule>, Vec<Error>> {
    let mut rules = Vec::new();
    for name in names {
        match rule_named(name) {
            Ok(rule) => rules.push(rule),
            Err(near) => {
                let error = Error::new("bad-argument", format!("--allow: there is no rule {name}"));
                let names: Vec<&str> = CheckRule::all().map(CheckRule::name).collect();
                return Err(vec![match near {
                    Some(near) => error.help(format!("did you mean {near}?")),
                    None => error.help(format!("the rules are {}", names.join(", "))),
                }]);
            }
        }
    }
    Ok(rules)
}

fn rules_not_run(checked: &Checked) -> Vec<justwhy_reports::NotRun<'_>> {
    let not_run = checked.not_run.iter();
    not_run.map(|(rule, why)| justwhy_reports::NotRun { rule: *rule, why }).collect()
}

fn reported(checked: &Checked) -> Vec<Reported<'_>> {
    let reported = checked.findings.iter().map(|told| Reported {
        finding: &told.finding,
        contexts: &told.contexts,
        accepted: told.accepted.as_deref(),
    });
    reported.collect()
}

impl ShownFinding {
    pub(crate) fn of(told: &CheckedFinding) -> ShownFinding {
        let finding = &told.finding;
        ShownFinding {
            rule: finding.rule.name(),
            severity: finding.severity.name(),
            key: finding.key.clone(),
            message: finding.message.clone(),
            help: finding.help.clone(),
            places: finding
                .places
                .iter()
                .map(|place| ShownSpot {
                    place: json::ShownPlace::of(&place.place),
                    what: place.what.clone(),
                })
                .collect(),
            contexts: told
                .choices
                .iter()
                .map(|choice| choice.axes.iter().cloned().collect())
                .collect(),
            accepted: told.accepted.clone(),
        }
    }
}

fn text(
    look: &Look,
    checked: &Checked,
    left_out: &[String],
    not_among: Option<&Context>,
) -> String {
    let mut out = String::new();
    for told in checked.open() {
        finding(look, told, &mut out);
        out.push('\n');
    }
    summary(look, checked, left_out, &mut out);
    if let Some(here) = not_among {
        let told = format!(
            "The current context is not among them: {} (--here checks it).",
            justwhy_engine::plain_context(here)
        );
        look.paragraph(&mut out, &told, "");
    }
    out
}

/// The columns before what is told of a finding.
const INDENT: &str = "         ";

pub(crate) fn finding(look: &Look, told: &CheckedFinding, out: &mut String) {
    let finding = &told.finding;
    let role = role(finding.severity);
    let word = finding.severity.name();
    out.push_str(&fill(&look.paint(role, word), word.len(), INDENT.len()));
    let file = finding.places.first().filter(|_| finding.rule == CheckRule::ORPHAN_FILE);
    if let Some(key) = finding.key.as_deref().or(file.map(|it| it.place.origin.name())) {
        out.push_str(&look.paint(Role::Key, &look.text(key)));
        out.push_str("  ");
    }
    out.push_str(&look.paint(Role::Lost, finding.rule.name()));
    out.push('\n');
    let message = capital(&finding.message);
    let mut said = format!("{}.", message.trim_end_matches('.'));
    let is_everywhere = told.choices.iter().all(|choice| choice.axes.is_empty());
    if !told.contexts.is_empty() && !is_everywhere {
        said = format!("In {}: {}.", told.contexts, finding.message.trim_end_matches('.'));
    }
    look.paragraph(out, &said, INDENT);
    for (number, place) in finding.places.iter().enumerate() {
        spot(look, place, number == 0, role, out);
    }
    if let Some(help) = &finding.help {
        look.paragraph(out, &format!("{}.", capital(help).trim_end_matches('.')), INDENT);
    }
}

fn spot(look: &Look, place: &Evidence, is_first: bool, role: Role, out: &mut String) {
    let at = place.place.to_string();
    let what = place.what.as_ref().map(|what| format!("  {what}")).unwrap_or_default();
    let at = look.paint(Role::Place, &look.text(&at));
    out.push_str(&format!("{INDENT}{at}{}\n", look.paint(Role::Lost, &look.text(&what))));
    let (Some(line), Some(position)) = (&place.line, place.place.position()) else { return };
    // Beside the first place it is the line that matters; others are mostly like it.
    if is_first {
        out.push_str(&crate::failure::marked_line(look, position.line, line, role, INDENT));
    }
}

fn role(severity: Severity) -> Role {
    match severity {
        Severity::Error => Role::Wrong,
        Severity::Warning => Role::Warning,
        Severity::Note => Role::Lost,
    }
}

fn capital(text: &str) -> String {
    // What begins with a name keeps it: only these words are none.
    const WORDS: [&str; 42] = [
        "a", "above", "accepted", "add", "allow", "an", "another", "both", "choose", "declare",
        "encrypt", "give", "in", "it", "keep", "mend", "move", "name", "no", "nobody", "none",
        "nothing", "one", "only", "other", "put", "read", "remove", "rename", "say", "several",
        "some", "take", "the", "there", "these", "this", "two", "what", "where", "without",
        "write",
    ];
    let is_word = text.split([' ', ',']).next().is_some_and(|word| WORDS.contains(&word));
    match text.chars().next() {
        Some(first) if is_word => first.to_uppercase().chain(text.chars().skip(1)).collect(),
        _ => text.to_owned(),
    }
}

/// How many there are of each severity, in words; none if nothing was found.
pub(crate) fn counted(checked: &Checked) -> Option<String> {
    let counts = [
        (checked.count(Severity::Error), "error", "errors"),
        (checked.count(Severity::Warning), "warning", "warnings"),
        (checked.count(Severity::Note), "note", "notes"),
    ];
    let shown: Vec<String> = counts
        .into_iter()
        .filter(|(count, ..)| *count > 0)
        .map(|(count, one, many)| format!("{count} {}", if count == 1 { one } else { many }))
        .collect();
    (!shown.is_empty()).then(|| justwhy_core::list_values(&shown, "and"))
}

fn summary(look: &Look, checked: &Checked, left_out: &[String], out: &mut String) {
    let contexts = match checked.contexts {
        1 => "1 context".to_owned(),
        count => format!("{count} contexts"),
    };
    let found = counted(checked).unwrap_or_else(|| "nothing found".to_owned());
    let worst = checked.open().map(|told| told.finding.severity).min();
    let role = worst.map_or(Role::Value, role);
    out.push_str(&format!("{} in {contexts}", look.paint(role, &capital(&found))));
    let accepted = checked.findings.len() - checked.open().count();
    if accepted > 0 {
        out.push_str(&format!("; {accepted} accepted"));
    }
    out.push_str(".\n");
    let mut told = Vec::new();
    told.extend(super::told_left_out(left_out));
    // Rules that could not run for one reason are told together.
    let mut reasons: Vec<(&str, Vec<&str>)> = Vec::new();
    for (rule, why) in &checked.not_run {
        match reasons.iter_mut().find(|(other, _)| other == why) {
            Some((_, rules)) => rules.push(rule.name()),
            None => reasons.push((why, vec![rule.name()])),
        }
    }
    for (why, rules) in reasons {
        let rules = justwhy_core::list_values(&rules, "and");
        told.push(format!("Could not run: {rules}; {why}."));
    }
    for line in told {
        look.paragraph(out, &line, "");
    }
}
