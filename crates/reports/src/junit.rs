//! JUnit XML, which most pipelines show as the results of tests.

use crate::{NotRun, Reported};
use justwhy_core::{CheckRule, Severity};
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};

/// All findings, a case for each, and one that passed for each rule that found nothing; one that did not
/// run is skipped, with the reason.
///
/// Errors are failures; warnings too if `warnings_fail`; anything else is a case that was left out,
/// with what was found as its message.
pub fn junit(findings: &[Reported<'_>], not_run: &[NotRun<'_>], warnings_fail: bool) -> String {
    let mut report = Report::new("justwhy check");
    for rule in CheckRule::all() {
        let mut suite = TestSuite::new(rule.name());
        let of_rule: Vec<&Reported<'_>> =
            findings.iter().filter(|reported| reported.finding.rule == rule).collect();
        let reasons: Vec<String> =
            not_run.iter().filter(|it| it.rule == rule).map(|it| it.why.to_string()).collect();
        if of_rule.is_empty() || !reasons.is_empty() {
            let mut status = match reasons.is_empty() {
                true => TestCaseStatus::success(),
                false => TestCaseStatus::skipped(),
            };
            if !reasons.is_empty() {
                status.set_message(format!("skipped: {}", reasons.join("; ")));
            }
            let mut case = TestCase::new(rule.about(), status);
            case.set_classname(rule.name());
            suite.add_test_case(case);
        }
        for reported in of_rule {
            suite.add_test_case(case(reported, warnings_fail));
        }
        report.add_test_suite(suite);
    }
    let mut text = report.to_string().unwrap_or_default();
    if !text.ends_with('\n') {
        text.push('\n');
    }
    text
}

fn case(reported: &Reported<'_>, warnings_fail: bool) -> TestCase {
    let finding = reported.finding;
    let fails = match finding.severity {
        Severity::Error => true,
        Severity::Warning => warnings_fail,
        Severity::Note => false,
    };
    let mut status = match fails && reported.accepted.is_none() {
        true => TestCaseStatus::non_success(NonSuccessKind::Failure),
        false => TestCaseStatus::skipped(),
    };
    let message = match reported.accepted {
        Some(reason) => format!("accepted ({reason}): {}", reported.message()),
        None => reported.message(),
    };
    status.set_message(message);
    status.set_type(finding.severity.name());
    let places: Vec<String> = finding
        .places
        .iter()
        .map(|place| {
            let at = place.place.to_string();
            match &place.what {
                Some(what) => format!("{at} ({what})"),
                None => at,
            }
        })
        .collect();
    status.set_description(places.join("\n"));
    let name = match (&finding.key, finding.places.first()) {
        (Some(key), _) => key.clone(),
        (None, Some(place)) => place.place.origin.to_string(),
        (None, None) => finding.rule.name().to_owned(),
    };
    let mut case = TestCase::new(name, status);
    case.set_classname(finding.rule.name());
    case
}
