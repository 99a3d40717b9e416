//! Checking a project: the settings, the rules between them, files that nobody reads, and what git
//! tracks, brought together.

use crate::{Snapshot, exhausted, orphans};
use justwhy_core::{
    Answers, AxisOrigin, Check, CheckRule, Choice, Context, ContextSet, Evidence, Explanation,
    Extent, Fact, Finding, Findings, KeyId, Needs, Origin, Place, Severity, Status, Survey,
    in_words, sum_up,
};
use justwhy_project::{Accept, Error, ProjectRule, Tracking};
use justwhy_rules::{BadExpression, Expression, Judgement, Named};
use std::collections::{HashMap, HashSet};
use std::path::PathBuf;
use std::sync::Arc;

mod unknown;

pub use unknown::cannot_read;
use unknown::not_known;

/// What a check looks at.
#[derive(Clone, Copy, Debug)]
pub struct CheckWanted<'a> {
    /// Only in one context.
    pub here: bool,
    /// Whether every context is looked at, so that what is nowhere can be told.
    pub is_everywhere: bool,
    /// Whether local layers are read.
    pub with_local: bool,
    /// Rules whose findings are not told.
    pub allow: &'a [CheckRule],
}

/// What a check came to.
#[derive(Debug)]
pub struct Checked {
    /// What was found, the worst first.
    pub findings: Vec<CheckedFinding>,
    /// How many contexts were looked at.
    pub contexts: usize,
    /// Rules that could not run, and why.
    pub not_run: Vec<(CheckRule, Fact)>,
}

/// A finding with what is told besides.
#[derive(Debug)]
pub struct CheckedFinding {
    /// What was found.
    pub finding: Finding,
    /// The contexts in words; empty if there is only one.
    pub contexts: String,
    /// The contexts for programs.
    pub choices: Vec<Choice>,
    /// Why it is accepted, if it is.
    pub accepted: Option<String>,
}

impl Checked {
    /// The findings that are not accepted.
    pub fn open(&self) -> impl Iterator<Item = &CheckedFinding> {
        self.findings.iter().filter(|told| told.accepted.is_none())
    }

    /// How many findings of a severity are not accepted.
    pub fn count(&self, severity: Severity) -> usize {
        self.open().filter(|told| told.finding.severity == severity).count()
    }
}

impl Checked {
    /// The findings that another check does not have. A finding moves with its line, so that its place in
    /// the file is no part of it.
    pub(crate) fn besides<'c>(
        &'c self,
        other: &'c Checked,
        same_contexts: bool,
    ) -> Vec<&'c CheckedFinding> {
        let by = |told: &CheckedFinding| {
            let finding = &told.finding;
            let source = finding.places.first().map(|place| place.place.origin.to_string());
            (finding.rule, finding.key.clone(), finding.fact.clone(), source)
        };
        let mut known: HashMap<_, Vec<&ContextSet>> = HashMap::new();
        for told in other.open() {
            known.entry(by(told)).or_default().push(&told.finding.contexts);
        }
        let is_new = |told: &&CheckedFinding| match known.get(&by(told)) {
            None => true,
            Some(contexts) => {
                let is_there = |it: &&ContextSet| told.finding.contexts.is_within(it);
                same_contexts && !contexts.iter().any(is_there)
            }
        };
        self.open().filter(is_new).collect()
    }
}

/// All that a check asks.
#[derive(Clone, Copy, Debug)]
pub struct Checking<'a> {
    /// Of what.
    pub snapshot: &'a Snapshot,
}

impl Checking<'_> {
    /// Checks what was read in some contexts, `full` being those in which somebody works.
    pub fn check(
        &self,
        survey: &Survey,
        full: &ContextSet,
        wanted: CheckWanted<'_>,
    ) -> Result<Checked, Vec<Error>> {
        let one = |error| vec![error];
        let rules = self.expressions()?;
        let open = self.snapshot.project().open_axes();
        let CheckWanted { with_local, is_everywhere, .. } = wanted;
        // A name that means nothing here may be that of a setting elsewhere.
        let is_searched = self.snapshot.project().code.is_some();
        let has_code = is_searched && is_everywhere;
        let extent = Extent { full, with_local, is_everywhere, has_code, open: &open };
        let mut seen = crate::code::Seen::default();
        let see = &mut |answer: &Explanation, is_fallback| seen.see(answer, is_fallback);
        let check = Check::of(survey, extent, self.snapshot, self.snapshot.limits(), see);
        let Check { mut findings, exposed, is_exhausted } = check;
        if is_exhausted {
            return Err(vec![exhausted()]);
        }
        let mut not_run: Vec<(CheckRule, Fact)> = Vec::new();
        if has_code {
            crate::code::find_in_code(self.snapshot, (survey, full), seen, &mut findings)
                .map_err(one)?;
        }
        for (rule, expression) in &rules {
            self.judge(survey, full, rule, expression, &mut findings, &mut not_run);
        }
        if !is_everywhere {
            let why = "not every context is checked";
            let is_narrowed = wanted.here || fixes_what_must_differ(survey);
            let cannot = |rule: &CheckRule| match rule.needs() {
                Needs::EveryContext => true,
                Needs::EveryValueOfTheirAxes => is_narrowed,
                Needs::Code => is_searched,
                Needs::Nothing | Needs::Catalogue => false,
            };
            not_run.extend(CheckRule::all().filter(cannot).map(|rule| (rule, Fact::new(why))));
        } else {
            self.orphans(survey, full, &mut findings).map_err(one)?;
        }
        let catalogue = survey.contexts().first().map(|first| &first.catalogue);
        if let Some(catalogue) = catalogue.filter(|it| !it.declares_keys()) {
            let why = match catalogue.is_empty() {
                true => "no setting is declared",
                false => "only samples declare settings",
            };
            let needy = CheckRule::all().filter(|rule| rule.needs() == Needs::Catalogue);
            not_run.extend(needy.map(|rule| (rule, Fact::new(why))));
        }
        not_run.extend(not_known(survey));
        self.exposed(exposed, &mut findings, &mut not_run);
        let told = self.tell(findings, survey, full, wanted);
        not_run.retain(|(rule, _)| !wanted.allow.contains(rule));
        Ok(Checked { findings: told, contexts: full.len(), not_run })
    }

    fn expressions(&self) -> Result<Vec<(&ProjectRule, Expression)>, Vec<Error>> {
        let mut read = Vec::new();
        let mut errors = Vec::new();
        for rule in &self.snapshot.project().rules {
            match Expression::parse(&rule.require) {
                Ok(expression) => read.push((rule, expression)),
                Err(BadExpression { problem, at }) => {
                    let place = match at {
                        Some((line, column)) => format!(" (at its {line}:{column})"),
                        None => String::new(),
                    };
                    let message =
                        format!("invalid expression in the rule {}: {problem}{place}", rule.name);
                    let error = Error::new("bad-project", message);
                    errors.push(error.at(rule.file.clone(), Some(rule.at)).help(
                        "an expression compares settings by their keys, for example \
                         forecast.timeout < 30; other names need brackets: database[\"pool-max\"]",
                    ));
                }
            }
        }
        if errors.is_empty() { Ok(read) } else { Err(errors) }
    }

    /// What a rule looks at in each group of contexts in which all of that is the same, and the settings that
    /// keep it from being judged, with why.
    fn cases(&self, survey: &Survey, named: &[KeyId], holds_in: &ContextSet) -> Cases {
        let mut cases = Vec::new();
        let mut seen: Vec<(ContextSet, Vec<Saw>)> = Vec::new();
        let mut in_error: Vec<(String, &str)> = Vec::new();
        survey.look_together(named, self.snapshot, self.snapshot.limits(), |answers, group| {
            let contexts = group.and(holds_in);
            if contexts.is_empty() {
                return;
            }
            match gather(answers, named) {
                Ok((settings, saw)) => {
                    cases.push(settings);
                    seen.push((contexts, saw));
                }
                Err((key, status)) => {
                    let how = match status {
                        Status::Unreadable { .. } => "cannot be read",
                        Status::Uncertain { .. } => "is uncertain",
                        _ => "is invalid",
                    };
                    if !in_error.contains(&(key.clone(), how)) {
                        in_error.push((key, how));
                    }
                }
            }
        });
        if named.is_empty() && !holds_in.is_empty() && cases.is_empty() {
            cases.push(Vec::new());
            seen.push((holds_in.clone(), Vec::new()));
        }
        Cases { cases, seen, in_error }
    }

    /// Judges a rule in each group of contexts in which all that it looks at is the same.
    fn judge(
        &self,
        survey: &Survey,
        full: &ContextSet,
        rule: &ProjectRule,
        expression: &Expression,
        findings: &mut Findings,
        not_run: &mut Vec<(CheckRule, Fact)>,
    ) {
        let Some(keys) = survey.keys() else { return };
        let mut holds_in = ContextSet::none(full.of());
        for at in full.iter() {
            let context = &survey.contexts()[at].context;
            if rule.when.iter().all(|condition| condition.holds(context)) {
                holds_in.insert(at);
            }
        }
        // What a path names may also be inside of the value of a setting above.
        let named: Vec<KeyId> = expression
            .paths()
            .iter()
            .filter_map(|path| {
                let above = (1..path.len()).rev().filter_map(|length| {
                    keys.find_segments(&path[..length]).filter(|key| survey.is_setting(*key))
                });
                keys.find_segments(path).into_iter().chain(above).next()
            })
            .collect();
        let Cases { cases, seen, in_error } = self.cases(survey, &named, &holds_in);
        for (key, how) in in_error {
            let why = Fact::new("{rule} cannot be evaluated where {key} {how}")
                .with("rule", &rule.name)
                .with("key", key)
                .with("how", how);
            not_run.push((CheckRule::RULE_BROKEN, why));
        }
        for (judgement, (contexts, saw)) in expression.judge(&cases).into_iter().zip(seen) {
            let shown = !saw.is_empty();
            let fact = match judgement {
                Judgement::Holds => continue,
                Judgement::Broken => match &rule.message {
                    Some(message) => {
                        let form = if shown { "{message} ({values})" } else { "{message}" };
                        Fact::new(form).with("message", message.as_str())
                    }
                    None => {
                        let form = match shown {
                            true => "{expression} does not hold ({values})",
                            false => "{expression} does not hold",
                        };
                        Fact::new(form).with("expression", rule.require.as_str())
                    }
                },
                // What it could not do could show a secret.
                Judgement::Unclear(_) if saw.iter().any(|saw| saw.hides) => {
                    Fact::new(match shown {
                        true => "the rule {key} cannot be evaluated with these values ({values})",
                        false => "the rule {key} cannot be evaluated with these values",
                    })
                }
                Judgement::Unclear(why) => {
                    let form = match shown {
                        true => "the rule {key} cannot be evaluated: {problem} ({values})",
                        false => "the rule {key} cannot be evaluated: {problem}",
                    };
                    Fact::new(form).with("problem", why)
                }
            };
            let told: Vec<String> =
                saw.iter().map(|saw| format!("{} = {}", saw.key, saw.shown)).collect();
            let fact = fact.with("values", told.join(", "));
            let place = Place::known(rule.file.as_str().into(), Some(rule.at));
            let place = Evidence { line: Some(rule.line.clone()), ..Evidence::at(place) };
            let mut finding = Finding::new(CheckRule::RULE_BROKEN, fact, contexts)
                .about(rule.name.clone())
                .at(place);
            finding.places.extend(saw.into_iter().filter_map(|saw| saw.place));
            findings.add(finding);
        }
    }

    fn orphans(
        &self,
        survey: &Survey,
        full: &ContextSet,
        findings: &mut Findings,
    ) -> Result<(), Error> {
        // A file without anything in it that counts is read all the same.
        let inputs = survey.contexts().iter().flat_map(|readings| &readings.inputs.inputs);
        let read: HashSet<String> = inputs.map(|input| input.origin.to_string()).collect();
        let contexts: Vec<Context> =
            survey.contexts().iter().map(|readings| readings.context.clone()).collect();
        let found = orphans(self.snapshot.project(), self.snapshot.world(), &read, &contexts)?;
        for orphan in found {
            let (axis, value) = &orphan.value;
            let fact = Fact::new("{file} is never read: {axis}={value} is not allowed")
                .with("file", orphan.path.as_str())
                .with("axis", axis.as_str())
                .with("value", value.as_str());
            let place = Evidence::at(Place::whole(Origin::file(&orphan.path)));
            let file = self.snapshot.project().file.as_str();
            let declared = Place::known(file.into(), Some(orphan.declared_at));
            let what =
                Fact::new("{layer} reads files of this name").with("layer", orphan.layer.as_str());
            let declared = Evidence::of(declared, what);
            let finding = Finding::new(CheckRule::ORPHAN_FILE, fact, full.clone());
            let help = match &orphan.near {
                Some(near) => Fact::new("did you mean {near}? Otherwise remove the file")
                    .with("near", near.as_str()),
                None => Fact::new(
                    "allow {value} for {axis} (justwhy adopt --update prints the change), or remove the file",
                )
                .with("value", value.as_str())
                .with("axis", axis.as_str()),
            };
            findings.add(finding.at(place).at(declared).help(help));
        }
        Ok(())
    }

    /// Of the secrets that are in files, those that git tracks or would track.
    fn exposed(
        &self,
        exposed: Vec<Finding>,
        findings: &mut Findings,
        not_run: &mut Vec<(CheckRule, Fact)>,
    ) {
        let mut files: Vec<PathBuf> = Vec::new();
        for place in exposed.iter().flat_map(|finding| &finding.places) {
            let file = PathBuf::from(place.place.origin.name());
            if !files.contains(&file) {
                files.push(file);
            }
        }
        let tracked = match self.snapshot.world().tracking(&self.snapshot.project().folder, &files)
        {
            Tracking::Known(tracked) => tracked,
            Tracking::NoRepository => {
                let why = Fact::new("no git repository");
                return not_run.push((CheckRule::SECRET_EXPOSED, why));
            }
            Tracking::Unknown(why) => {
                return not_run.push((CheckRule::SECRET_EXPOSED, Fact::told(why)));
            }
        };
        for finding in exposed {
            let file = finding.places.first().map(|place| PathBuf::from(place.place.origin.name()));
            let at = files.iter().position(|other| Some(other) == file.as_ref());
            if at.and_then(|at| tracked.get(at)).copied().unwrap_or_default() {
                findings.add(finding);
            }
        }
    }

    /// What is told: allowed rules left out, accepted findings marked, contexts summed up.
    fn tell(
        &self,
        findings: Findings,
        survey: &Survey,
        full: &ContextSet,
        wanted: CheckWanted<'_>,
    ) -> Vec<CheckedFinding> {
        let today = self.snapshot.world().today();
        let contexts: Vec<&Context> =
            survey.contexts().iter().map(|readings| &readings.context).collect();
        let mut summed: HashMap<ContextSet, (String, Vec<Choice>)> = HashMap::new();
        let mut used = vec![false; self.snapshot.project().accepts.len()];
        let mut told: Vec<CheckedFinding> = Vec::new();
        for mut finding in findings.sorted() {
            let accepted = self.accepted(&mut finding, &today, &mut used);
            if wanted.allow.contains(&finding.rule) {
                continue;
            }
            let (words, choices) = summed
                .entry(finding.contexts.clone())
                .or_insert_with(|| {
                    let choices = sum_up(&finding.contexts, full, &contexts);
                    (in_words(&choices, full), choices)
                })
                .clone();
            told.push(CheckedFinding { finding, contexts: words, choices, accepted });
        }
        let is_told = !wanted.is_everywhere || wanted.allow.contains(&CheckRule::IDLE_ACCEPT);
        if !is_told {
            let idle =
                self.snapshot.project().accepts.iter().zip(&used).filter(|(_, used)| !**used);
            let idle: Vec<Finding> = idle.map(|(accept, _)| self.idle(accept, full)).collect();
            let at = told.partition_point(|told| told.finding.severity <= Severity::Warning);
            let words = String::new();
            let choices = vec![Choice { axes: Vec::new() }];
            let idle = idle.into_iter().map(|finding| CheckedFinding {
                finding,
                contexts: words.clone(),
                choices: choices.clone(),
                accepted: None,
            });
            told.splice(at..at, idle);
        }
        told
    }

    /// Why a finding is accepted, if it is; one whose acceptance has run out says that.
    fn accepted(&self, finding: &mut Finding, today: &str, used: &mut [bool]) -> Option<String> {
        for (number, accept) in self.snapshot.project().accepts.iter().enumerate() {
            let is_meant = accept.rule == finding.rule.name()
                && accept.setting.as_ref().is_none_or(|(pattern, written)| {
                    finding
                        .key
                        .as_deref()
                        .is_some_and(|key| written == key || pattern.matches_text(key))
                });
            if !is_meant {
                continue;
            }
            used[number] = true;
            match &accept.until {
                Some(until) if until.as_str() < today => {
                    let said = Fact::new("accepted until {until} ({reason})")
                        .with("until", until.as_str())
                        .with("reason", accept.reason.as_str());
                    finding.help = Some(match finding.help.take() {
                        Some(help) => {
                            Fact::new("{said}; {help}").with("said", said).with("help", help)
                        }
                        None => said,
                    });
                }
                _ => return Some(accept.reason.clone()),
            }
        }
        None
    }

    fn idle(&self, accept: &Accept, full: &ContextSet) -> Finding {
        let fact = match &accept.setting {
            Some((_, written)) => {
                Fact::new("this [[accept]] matches no finding of {rule} for {setting}")
                    .with("setting", written.as_str())
            }
            None => Fact::new("this [[accept]] matches no finding of {rule}"),
        };
        let fact = fact.with("rule", accept.rule.as_str());
        let file = self.snapshot.project().file.as_str();
        let place = Place::known(file.into(), Some(accept.at));
        let place = Evidence { line: Some(accept.line.clone()), ..Evidence::at(place) };
        Finding::new(CheckRule::IDLE_ACCEPT, fact, full.clone())
            .at(place)
            .help("remove it, or correct its rule and setting")
    }
}

/// Whether `--in` fixes an axis by which settings must differ.
fn fixes_what_must_differ(survey: &Survey) -> bool {
    let Some(first) = survey.contexts().first() else { return false };
    let is_fixed = |name: &String| {
        let mut axes = first.context.axes.iter();
        axes.any(|axis| axis.axis == *name && axis.origin == AxisOrigin::Asked)
            && survey
                .contexts()
                .iter()
                .all(|it| it.context.value(name) == first.context.value(name))
    };
    first.catalogue.settings().any(|(_, declared)| declared.differs_by.iter().any(is_fixed))
}

/// A setting that a rule looked at.
struct Saw {
    key: String,
    /// Its value, as it may be shown.
    shown: String,
    /// Whether it, or a part of it, is hidden.
    hides: bool,
    /// Where that is.
    place: Option<Evidence>,
}

/// What a rule looks at.
struct Cases {
    /// The settings, for each group of contexts.
    cases: Vec<Vec<Named>>,
    /// The contexts, and what is reported of the settings.
    seen: Vec<(ContextSet, Vec<Saw>)>,
    /// Settings that keep it from being judged, and why.
    in_error: Vec<(String, &'static str)>,
}

/// The values that are named, with how they are shown and where they are; else the key of one that
/// is in error, or of which nobody can find out what it is.
fn gather(
    answers: &Answers<'_>,
    named: &[KeyId],
) -> Result<(Vec<Named>, Vec<Saw>), (String, Status)> {
    let resolution = answers.resolution();
    let keys = resolution.keys();
    let catalogue = &resolution.readings().catalogue;
    let mut settings = Vec::new();
    let mut saw = Vec::new();
    for key in resolution.settings() {
        let is_named =
            named.iter().any(|name| keys.is_within(key, *name) || keys.is_within(*name, key));
        if !is_named {
            continue;
        }
        let answer = Explanation::of(answers, key);
        if answer.status.is_refusal() {
            return Err((keys.show(key), answer.status.clone()));
        }
        let Some(value) = answer.effective() else { continue };
        let segments = keys.segments(key).into_iter().map(str::to_owned).collect();
        let shape = catalogue.declared(key).map(|declared| Arc::clone(&declared.shape));
        settings.push((segments, value.clone(), shape));
        let shown = match answer.value() {
            Some(value) => value.show(),
            None => "(secret)".to_owned(),
        };
        let winner = answer.winner.as_ref();
        let place =
            winner.map(|winner| Evidence::of(winner.place.clone(), Fact::told(keys.show(key))));
        let hides = answer.value().as_ref() != Some(value);
        saw.push(Saw { key: keys.show(key), shown, hides, place });
    }
    Ok((settings, saw))
}

/// The local layers, which a survey without them left out.
pub fn left_out(survey: &Survey) -> Vec<String> {
    let first = survey.contexts().first();
    first.map_or(Vec::new(), |first| crate::local_layers(first))
}
