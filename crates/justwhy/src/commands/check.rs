//! `check`: errors and likely mistakes in every context.

use crate::arguments::Form;
use crate::json::{self, Word};
use crate::look::{Cell, Look, Role, fill, width};
use crate::outcome::Outcome;
use crate::running::Running;
use crate::running::Runs;
use crate::running::Surveying;
use crate::running::{looking, reading};
use crate::unfreed::Unfreed;
use clap::Args;
use justwhy_core::{CheckRule, Context, Evidence, Fact, Finding, KeyId, Severity, rule_named};
use justwhy_engine::{CheckWanted, Checked, CheckedFinding, Checking, Surveyed, left_out};
use justwhy_project::Error;
use justwhy_reports::{Reported, junit, sarif};
use serde::Serialize;
use std::collections::{BTreeMap, HashSet};

#[derive(Args, Debug)]
pub(crate) struct CheckArguments {
    /// Findings about these only: keys, branches, patterns, variables or FILE:LINE
    #[arg(value_name = "KEY")]
    pub(crate) keys: Vec<String>,
    /// Check the current context only, or that of --in
    #[arg(long)]
    pub(crate) here: bool,
    /// Include local layers and environment variables
    #[arg(long)]
    pub(crate) with_local: bool,
    /// Exit 1 for warnings too
    #[arg(long)]
    pub(crate) warnings_as_errors: bool,
    /// Ignore findings of this rule (repeatable)
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
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct CheckBody {
    /// How many contexts were looked at.
    looked_at: usize,
    findings: Vec<ShownFinding>,
    /// Rules that could not run.
    not_run: Vec<NotRun>,
    /// Local layers that were not included.
    left_out: Vec<String>,
    /// The current context, if it is not among those that were checked.
    #[serde(skip_serializing_if = "Option::is_none")]
    here_not_checked: Option<json::ShownContext>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct NotRun {
    rule: Word,
    why: String,
}

/// A finding, as programs read it.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct ShownFinding {
    rule: Word,
    severity: Word,
    #[serde(skip_serializing_if = "Option::is_none")]
    key: Option<String>,
    /// What is wrong, as a sentence.
    message: String,
    /// The parts of that sentence, without the key: layers, names, values.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    parts: BTreeMap<Word, String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    help: Option<String>,
    places: Vec<ShownSpot>,
    /// Tables as `when` has them: together they describe the contexts of the finding or change.
    contexts: Vec<BTreeMap<String, Vec<String>>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    accepted: Option<String>,
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
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
    if surveying.snapshot.project().code.is_some() && !options.here {
        surveying.snapshot.expect_code();
    }
    let Surveyed { survey, full, head, faults, .. } =
        surveying.snapshot.survey(asked, options.here, &|count| progress.now(|| reading(count)))?;
    progress.now(looking);
    let survey = Unfreed::new(survey, surveying.keyring.may_decrypt());
    let checking = Checking { snapshot: surveying.snapshot };
    let is_everywhere = !options.here && !head.is_asked() && faults.is_empty();
    let CheckArguments { here, with_local, .. } = *options;
    let wanted = CheckWanted { here, is_everywhere, with_local, allow: &allow };
    let mut checked = checking.check(&survey, &full, wanted)?;
    if !allow.contains(&CheckRule::CANNOT_READ) {
        let of = survey.contexts().len();
        checked.findings.splice(0..0, justwhy_engine::cannot_read(&faults, of));
    }
    if let Some(keys) = super::grid::chosen(surveying, &survey, &options.keys)? {
        let shown = |key: &KeyId| survey.keys().map(|keys| keys.show(*key)).unwrap_or_default();
        let names: HashSet<String> = keys.iter().map(shown).collect();
        let is_meant = |told: &CheckedFinding| {
            told.finding.key.as_ref().is_some_and(|key| names.contains(key))
        };
        checked.findings.retain(is_meant);
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
                    .map(|(rule, why)| NotRun { rule: rule.name().into(), why: why.to_string() })
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
        _ => {
            let (left_out, not_among) = (&left_out[..], not_among.as_ref());
            let is_full = surveying.common.full;
            text(surveying.look, &Summary { checked: &checked, left_out, not_among, is_full })
        }
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
                let error =
                    Error::new("bad-argument", format!("--allow: no rule has the name {name}"));
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
            rule: finding.rule.name().into(),
            severity: finding.severity.name().into(),
            key: finding.key.clone(),
            message: finding.message(),
            parts: (finding.fact.parts().iter())
                .map(|(name, part)| ((*name).into(), part.to_string()))
                .collect(),
            help: finding.help.as_ref().map(ToString::to_string),
            places: finding
                .places
                .iter()
                .map(|place| ShownSpot {
                    place: json::ShownPlace::of(&place.place),
                    what: place.what.as_ref().map(ToString::to_string),
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

/// What there is to say about a check as a whole.
struct Summary<'a> {
    checked: &'a Checked,
    left_out: &'a [String],
    not_among: Option<&'a Context>,
    is_full: bool,
}

fn text(look: &Look, summary: &Summary<'_>) -> String {
    let mut out = String::new();
    summary.push(look, &mut out);
    let open: Vec<&CheckedFinding> = summary.checked.open().collect();
    if !open.is_empty() {
        out.push('\n');
    }
    let mut folded: Vec<(&CheckedFinding, usize)> = Vec::new();
    for told in open {
        // Notes are folded by rule, warnings if there are many of one cause in one file.
        let most = match told.finding.severity {
            _ if summary.is_full => usize::MAX,
            Severity::Error => usize::MAX,
            Severity::Warning => MOST_ALIKE,
            Severity::Note => 0,
        };
        let alike = folded.iter_mut().find(|(other, _)| is_alike(other, told));
        let count = match alike {
            Some((_, count)) => {
                *count += 1;
                *count
            }
            None => {
                folded.push((told, 1));
                1
            }
        };
        if count <= most {
            finding(look, told, &mut out);
        }
    }
    for (told, count) in folded {
        fold(look, told, count, summary.is_full, &mut out);
    }
    out
}

/// The most warnings of one cause that are shown one by one.
const MOST_ALIKE: usize = 4;

/// Whether two findings have one cause: notes their rule, others also their fact and their file.
fn is_alike(one: &CheckedFinding, other: &CheckedFinding) -> bool {
    let (one, other) = (&one.finding, &other.finding);
    let file = |finding: &Finding| finding.places.first().map(|it| it.place.origin.clone());
    one.rule == other.rule
        && one.severity == other.severity
        && (one.severity == Severity::Note
            || one.fact.form() == other.fact.form() && file(one) == file(other))
}

/// How many findings are folded into one line.
fn fold(look: &Look, told: &CheckedFinding, count: usize, is_full: bool, out: &mut String) {
    let finding = &told.finding;
    let about = finding.rule.about();
    let text = match finding.severity {
        _ if is_full => return,
        Severity::Note if count == 1 => format!("1 finding: {about} (details: --full)"),
        Severity::Note => format!("{count} findings: {about} (details: --full)"),
        Severity::Warning if count > MOST_ALIKE => {
            let file = finding.places.first().map(|it| format!(" in {}", it.place.origin));
            let (more, file) = (count - MOST_ALIKE, file.unwrap_or_default());
            format!(
                "{more} more {} like this{file} (details: --full)",
                if more == 1 { "finding" } else { "findings" }
            )
        }
        _ => return,
    };
    headline(look, finding, &text, out);
}

/// The columns before the text of a finding.
const INDENT: &str = "         ";

/// The severity, what is wrong, and the rule.
fn headline(look: &Look, finding: &Finding, text: &str, out: &mut String) {
    let (role, word, rule) = (role(finding.severity), finding.severity.name(), finding.rule.name());
    let label = look.paint(role, word);
    if look.width.is_none() {
        out.push_str(&format!("{label}: {} [{rule}]\n", look.text(text)));
        return;
    }
    let columns = look.columns();
    let lines = look.wrap(text, columns - INDENT.len());
    for (number, line) in lines.iter().enumerate() {
        let start = match number {
            0 => fill(&label, word.len(), INDENT.len()),
            _ => INDENT.to_owned(),
        };
        out.push_str(&format!("{start}{line}"));
        let used = INDENT.len() + width(line);
        let is_last = number + 1 == lines.len();
        match is_last.then(|| columns.checked_sub(used + rule.len())) {
            Some(Some(gap @ 2..)) => {
                out.push_str(&format!("{:gap$}{}", "", look.paint(Role::Lost, rule)));
            }
            Some(_) => out.push_str(&format!("\n{INDENT}{}", look.paint(Role::Lost, rule))),
            None => {}
        }
        out.push('\n');
    }
}

/// A finding: on a terminal with its line and help, elsewhere in one line.
pub(crate) fn finding(look: &Look, told: &CheckedFinding, out: &mut String) {
    if look.width.is_none() {
        return record(look, told, out);
    }
    let finding = &told.finding;
    headline(look, finding, &finding.message(), out);
    let is_everywhere = told.choices.iter().all(|choice| choice.axes.is_empty());
    if !told.contexts.is_empty() && !is_everywhere {
        look.styled(out, Role::Lost, &format!("in {}", told.contexts), INDENT);
    }
    for (number, place) in finding.places.iter().enumerate() {
        spot(look, place, number == 0, role(finding.severity), out);
    }
    if let Some(help) = &finding.help {
        look.paragraph(out, &format!("help: {help}"), INDENT);
    }
}

/// A finding in one line, its place first.
fn record(look: &Look, told: &CheckedFinding, out: &mut String) {
    let finding = &told.finding;
    if let Some(place) = finding.places.first() {
        let place = look.text(&place.place.to_string());
        out.push_str(&format!("{}: ", look.paint(Role::Place, &place)));
    }
    headline(look, finding, &finding.message(), out);
    let is_everywhere = told.choices.iter().all(|choice| choice.axes.is_empty());
    if !told.contexts.is_empty() && !is_everywhere {
        out.truncate(out.trim_end().len());
        out.push_str(&format!(" {}\n", look.text(&told.contexts)));
    }
    if let Some(help) = &finding.help {
        out.truncate(out.trim_end().len());
        out.push_str(&format!("; help: {}\n", look.text(&help.to_string())));
    }
}

fn spot(look: &Look, place: &Evidence, is_first: bool, role: Role, out: &mut String) {
    let what = place.what.as_ref().map(ToString::to_string).unwrap_or_default();
    let cells = [(Role::Place, place.place.to_string()), (Role::Lost, what)];
    let cells = cells.map(|(role, text)| Cell::new(role, text)).to_vec();
    look.records(out, INDENT.len(), &[cells]);
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
    (!shown.is_empty()).then(|| shown.join(", "))
}

impl Summary<'_> {
    fn push(&self, look: &Look, out: &mut String) {
        let checked = self.checked;
        let contexts = match checked.contexts {
            1 => "1 context".to_owned(),
            count => format!("{count} contexts"),
        };
        let found = counted(checked).unwrap_or_else(|| "no findings".to_owned());
        let worst = checked.open().map(|told| told.finding.severity).min();
        let role = worst.map_or(Role::Value, role);
        let mut line = format!("{found} in {contexts}");
        let accepted = checked.findings.len() - checked.open().count();
        if accepted > 0 {
            line.push_str(&format!("; {accepted} accepted"));
        }
        let skipped = self.skipped();
        for (count, why) in &skipped {
            let rules = if *count == 1 { "rule" } else { "rules" };
            line.push_str(&format!("; {count} {rules} skipped ({why})"));
        }
        look.styled(out, role, &line, "");
        if self.is_full {
            for (rule, why) in &checked.not_run {
                look.paragraph(out, &format!("{} skipped: {why}", rule.name()), "  ");
            }
        }
        if let Some(line) = super::not_included(self.left_out) {
            look.paragraph(out, &line, "  ");
        }
        if let Some(here) = self.not_among {
            let here = justwhy_engine::plain_context(here);
            let line = format!("The current context is not among them: {here} (see --here).");
            look.paragraph(out, &line, "  ");
        }
    }

    /// How many rules could not run, for each reason.
    fn skipped(&self) -> Vec<(usize, &Fact)> {
        let mut reasons: Vec<(usize, &Fact)> = Vec::new();
        for (_, why) in &self.checked.not_run {
            match reasons.iter_mut().find(|(_, other)| *other == why) {
                Some((count, _)) => *count += 1,
                None => reasons.push((1, why)),
            }
        }
        reasons
    }
}
