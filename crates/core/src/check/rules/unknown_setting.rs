//! A setting that is not declared.

use super::{About, Look, Needs, Seen, Severity, State, Visit};
use crate::check::{CheckRule, Finding};
use crate::contexts::survey::ContextSet;
use crate::model::fact::Fact;
use crate::model::fact::list_values;
use crate::model::key::KeyId;
use crate::model::layer::{Kind, Names};
use crate::precedence::resolution::Candidate;
use hashbrown::HashMap;

const UNDECLARED: &str = "{key} is not declared";
const MANY: &str = "{count} settings are not declared, such as {examples}";
const MEANT: &str = "did you mean {near}? Otherwise declare {key}";

pub(crate) static UNKNOWN_SETTING: About = About::new(
    "unknown-setting",
    Severity::Warning,
    "a setting that is not declared",
    &[UNDECLARED, MANY],
    || Visit::State(Box::new(Unknown::default())),
)
.needing(Needs::Catalogue);

/// The settings that were found, to be reported together.
#[derive(Default)]
struct Unknown {
    unknown: Vec<Finding>,
}

impl State for Unknown {
    fn working(&mut self, look: &mut Look<'_>, seen: &Seen<'_>) {
        let resolution = seen.resolution();
        let catalogue = &resolution.readings().catalogue;
        if !catalogue.declares_keys() || seen.declared().is_some() {
            return;
        }
        let said: Vec<&Candidate> = resolution
            .candidates(seen.key)
            .map(|id| resolution.candidate(id))
            .filter(|candidate| {
                let layer = resolution.readings().layer(resolution.layer_of(candidate));
                // What only variables have is reported as a stray variable.
                !resolution.reading(candidate).is_removal
                    && layer.kind != Kind::Arguments
                    && *layer.names_in(&resolution.reading(candidate).document) == Names::Keys
            })
            .collect();
        let Some(first) = said.last() else { return };
        let is_said_by = |key: KeyId| {
            said.iter().any(|candidate| {
                let reading = resolution.reading(candidate);
                reading.offers.iter().any(|offer| offer.key == key)
            })
        };
        let near = look.near_declared(&seen.shown()).filter(|(near, _)| !is_said_by(*near));
        let mut finding = match near {
            Some((_, near)) => {
                let mut finding =
                    seen.finding(CheckRule(&UNKNOWN_SETTING), Fact::new(UNDECLARED)).help(
                        Fact::new(MEANT).with("near", near.to_string()).with("key", seen.shown()),
                    );
                finding.severity = Severity::Error;
                finding
            }
            None => seen.finding(CheckRule(&UNKNOWN_SETTING), Fact::new(UNDECLARED)),
        };
        finding = finding.at(seen.spot_of_name(first, None));
        self.unknown.push(finding);
    }

    /// Where only a few of many settings are declared, reporting each of the others would bury all else.
    fn finish(&mut self, look: &mut Look<'_>) {
        const FEW: usize = 12;
        let mut unknown: Vec<Finding> = Vec::new();
        let mut numbers: HashMap<Option<String>, usize> = HashMap::new();
        for finding in std::mem::take(&mut self.unknown) {
            // A setting is reported once, with all places that say it.
            match numbers.get(&finding.key) {
                Some(at) => {
                    let same = &mut unknown[*at];
                    same.contexts.add(&finding.contexts);
                    let more = finding.places.into_iter();
                    let is_new = more.filter(|place| !same.places.contains(place));
                    same.places.extend(is_new.collect::<Vec<_>>());
                }
                None => {
                    numbers.insert(finding.key.clone(), unknown.len());
                    unknown.push(finding);
                }
            }
        }
        let (near, plain): (Vec<Finding>, Vec<Finding>) =
            unknown.into_iter().partition(|finding| finding.severity == Severity::Error);
        near.into_iter().for_each(|finding| look.findings.add(finding));
        let is_flood = plain.len() > FEW && plain.len() > look.declared.len();
        if !is_flood {
            plain.into_iter().for_each(|finding| look.findings.add(finding));
            look.is_catalogued = !look.declared.is_empty();
            return;
        }
        let shown: Vec<&str> = plain.iter().filter_map(|it| it.key.as_deref()).take(3).collect();
        let fact = Fact::new(MANY)
            .with("count", plain.len().to_string())
            .with("examples", list_values(&shown, "and"));
        let mut contexts = ContextSet::none(look.extent.full.of());
        plain.iter().for_each(|finding| contexts.add(&finding.contexts));
        let mut finding = Finding::new(CheckRule(&UNKNOWN_SETTING), fact, contexts);
        finding.places.extend(plain.first().and_then(|first| first.places.first().cloned()));
        look.findings.add(finding.help("declare them, or use --allow unknown-setting"));
    }
}
