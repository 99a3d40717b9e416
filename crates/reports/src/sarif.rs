//! SARIF 2.1.0, the format of an open standard for results of analysis.

use crate::{NotRun, Reported};
use justwhy_core::{CheckRule, Evidence, Place, Severity};
use serde_json::json;
use serde_sarif::sarif;

const SCHEMA: &str =
    "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json";

/// All findings as one log with one run of the program of that version, which reports what did not run.
pub fn sarif(findings: &[Reported<'_>], not_run: &[NotRun<'_>], version: &str) -> String {
    let rules: Vec<sarif::ReportingDescriptor> = CheckRule::all().map(descriptor).collect();
    let driver =
        sarif::ToolComponent::builder().name("justwhy").version(version).rules(rules).build();
    let notifications = not_run.iter().map(|NotRun { rule, why }| {
        let about = sarif::ReportingDescriptorReference::builder().id(rule.name()).build();
        sarif::Notification::builder()
            .message(message(&format!("{} was skipped: {why}", rule.name())))
            .level(json!("warning"))
            .associated_rule(about)
            .build()
    });
    let invocation = sarif::Invocation::builder()
        .execution_successful(true)
        .tool_configuration_notifications(notifications.collect::<Vec<_>>())
        .build();
    let run = sarif::Run::builder()
        .invocations(vec![invocation])
        .tool(sarif::Tool::builder().driver(driver).build())
        // A column is a character, as people count.
        .column_kind(json!("unicodeCodePoints"))
        .results(findings.iter().map(result).collect::<Vec<_>>())
        .build();
    written(run)
}

/// A place that mentions a setting.
#[derive(Clone, Debug)]
pub struct Mentioned {
    /// The key of the setting.
    pub key: String,
    /// The place.
    pub place: Place,
}

/// Places that mention settings as one log: results that are no problems.
pub fn sarif_of_mentions(mentioned: &[Mentioned], version: &str) -> String {
    let rule = sarif::ReportingDescriptor::builder()
        .id("use")
        .short_description(text("a place that mentions a setting"))
        .build();
    let driver =
        sarif::ToolComponent::builder().name("justwhy").version(version).rules(vec![rule]).build();
    let result = |it: &Mentioned| {
        sarif::Result::builder()
            .rule_id("use")
            .rule_index(0)
            .kind(sarif::ResultKind::Informational)
            .level(sarif::ResultLevel::None)
            .message(message(&format!("{} is used here", it.key)))
            .locations(vec![location(&Evidence::at(it.place.clone()))])
            .build()
    };
    let run = sarif::Run::builder()
        .tool(sarif::Tool::builder().driver(driver).build())
        .column_kind(json!("unicodeCodePoints"))
        .results(mentioned.iter().map(result).collect::<Vec<_>>())
        .build();
    written(run)
}

/// A log with one run.
fn written(run: sarif::Run) -> String {
    let log =
        sarif::Sarif::builder().version(json!("2.1.0")).schema(SCHEMA).runs(vec![run]).build();
    // Nothing that is serialised here can fail: every map has texts for names.
    let mut text = serde_json::to_string_pretty(&log).unwrap_or_default();
    text.push('\n');
    text
}

fn level(severity: Severity) -> sarif::ResultLevel {
    match severity {
        Severity::Error => sarif::ResultLevel::Error,
        Severity::Warning => sarif::ResultLevel::Warning,
        Severity::Note => sarif::ResultLevel::Note,
    }
}

fn text(text: &str) -> sarif::MultiformatMessageString {
    sarif::MultiformatMessageString::builder().text(text).build()
}

fn message(text: &str) -> sarif::Message {
    sarif::Message::builder().text(text).build()
}

fn descriptor(rule: CheckRule) -> sarif::ReportingDescriptor {
    let usual =
        sarif::ReportingConfiguration::builder().level(json!(rule.severity().name())).build();
    sarif::ReportingDescriptor::builder()
        .id(rule.name())
        .short_description(text(rule.about()))
        .default_configuration(usual)
        .build()
}

fn result(reported: &Reported<'_>) -> sarif::Result {
    let finding = reported.finding;
    let index = finding.rule.number();
    let mut places = finding.places.iter();
    let first: Vec<sarif::Location> = places.next().map(location).into_iter().collect();
    let mut result = sarif::Result::builder()
        .rule_id(finding.rule.name())
        .rule_index(i64::try_from(index).unwrap_or_default())
        .level(level(finding.severity))
        .message(message(&reported.message()))
        .locations(first)
        .build();
    let others: Vec<sarif::Location> = places.map(location).collect();
    if !others.is_empty() {
        result.related_locations = Some(others);
    }
    if let Some(reason) = reported.accepted {
        let kind = json!("inSource");
        let suppression = sarif::Suppression::builder().kind(kind).justification(reason).build();
        result.suppressions = Some(vec![suppression]);
    }
    result
}

fn location(place: &Evidence) -> sarif::Location {
    let number = |number: usize| i64::try_from(number).unwrap_or(i64::MAX);
    let artifact = sarif::ArtifactLocation::builder().uri(uri(place.place.origin.name())).build();
    let mut physical = sarif::PhysicalLocation::builder().artifact_location(artifact).build();
    if let Some(position) = place.place.position() {
        let region = sarif::Region::builder()
            .start_line(number(position.line))
            .start_column(number(position.column))
            .build();
        physical.region = Some(region);
    }
    let mut location = sarif::Location::builder().physical_location(physical).build();
    if let Some(what) = &place.what {
        location.message = Some(message(&what.to_string()));
    }
    location
}

/// A path as a relative reference: what is not allowed in one is written in hexadecimal.
fn uri(path: &str) -> String {
    let mut uri = String::new();
    for byte in path.bytes() {
        match byte {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'/' | b'-' | b'.' | b'_' | b'~' => {
                uri.push(char::from(byte));
            }
            byte => uri.push_str(&format!("%{byte:02X}")),
        }
    }
    uri
}
