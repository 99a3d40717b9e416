//! Checking: what will go wrong, or is not meant so, in any context.
//!
//! [`Check::of`] looks at every setting of a [`Survey`] once in each group of contexts in which it is
//! the same, and keeps each [`Finding`] once, with all contexts in which it holds. What needs the
//! world outside (files that nobody reads, what git tracks) and rules between settings are added by
//! the caller.

use crate::answers::{ExpansionLimits, Outside};
use crate::contexts::survey::Sight;
use crate::contexts::survey::{ContextSet, Survey};
use crate::explanation::Explanation;
use crate::model::candidate::CandidateId;
use crate::model::key::KeyId;
use crate::model::near::{KnownNames, distance_within};
use crate::precedence::resolution::Verdict;
use hashbrown::{HashMap, HashSet};

mod across;
mod finding;
mod layers;
mod rules;
mod setting;
mod summary;
#[cfg(test)]
mod tests;
mod text;

pub use finding::{Evidence, Finding, Findings};
pub use rules::{CheckRule, Severity, rule_named};
pub use summary::{Choice, in_words, sum_up};

use across::Across;
use finding::Lines;
use setting::Seen;

/// What a check came to.
#[derive(Debug)]
pub struct Check {
    /// What was found.
    pub findings: Findings,
    /// Secrets that stand in sources: only bad where git tracks the source.
    pub exposed: Vec<Finding>,
    /// Whether values grew past what one run may hold, so that not all of it can be told.
    pub is_exhausted: bool,
}

/// What is looked at.
#[derive(Clone, Copy, Debug)]
pub struct Extent<'a> {
    /// The contexts in which somebody works; the others only count where something is said of all.
    pub full: &'a ContextSet,
    /// Whether layers that describe where you stand are read.
    pub with_local: bool,
    /// Whether these are all contexts there are, so that what is nowhere can be told.
    pub is_everywhere: bool,
    /// Axes that may have values which nobody lists, so that not all of their contexts are there.
    pub open: &'a [String],
}

/// What is known while settings are looked at.
struct Look<'a> {
    survey: &'a Survey,
    full: &'a ContextSet,
    with_local: bool,
    findings: Findings,
    /// Settings that the catalogue does not have.
    unknown: Vec<Finding>,
    /// Leaves of readings whose texts look fine, and those that do not.
    fine: HashSet<(usize, u32, bool)>,
    odd: HashSet<(usize, u32, bool)>,
    /// The keys that are declared.
    declared: Vec<KeyId>,
    /// Their names, in the same order, for those that are nearly theirs.
    names: KnownNames,
}

impl Look<'_> {
    /// The declared setting of which a name is a slip of the pen.
    fn near_declared(&self, shown: &str) -> Option<(KeyId, String)> {
        let (number, name) = meant_by_slip(shown, &self.names)?;
        Some((self.declared[number], name.to_owned()))
    }
}

/// The name of which another one is a slip of the pen, and its number.
fn meant_by_slip<'n>(name: &str, names: &'n KnownNames) -> Option<(usize, &'n str)> {
    let lower = name.to_ascii_lowercase();
    let near = names.meant_by(name).into_iter().filter_map(|(number, other)| {
        if other == name || lower.len() < 5 || other.len() < 5 {
            return None;
        }
        let other_lower = other.to_ascii_lowercase();
        let distance = distance_within(&lower, &other_lower, 2)?;
        is_slip(&lower, &other_lower, distance).then_some((distance, (number, other)))
    });
    near.min_by_key(|(distance, _)| *distance).map(|(_, meant)| meant)
}

/// Whether two near names could be one: `pool.max` and `pool.min`, or `gauge_1` and `gauge_2`, are
/// near and mean two things.
fn is_slip(one: &str, other: &str, distance: usize) -> bool {
    let without_digits = |name: &str| name.replace(|c: char| c.is_ascii_digit(), "");
    if without_digits(one) == without_digits(other) {
        return false;
    }
    let last = |name: &str| name.rsplit(['.', '_', '-']).next().map_or(0, str::len);
    distance < 2 || last(one).max(last(other)) >= 5
}

impl Check {
    /// Checks every setting, everywhere.
    pub fn of(
        survey: &Survey,
        extent: Extent<'_>,
        outside: &dyn Outside,
        limits: ExpansionLimits,
    ) -> Check {
        let lines = Lines::of(survey);
        let declared: Vec<KeyId> = survey.contexts().first().map_or_else(Vec::new, |first| {
            first.catalogue.settings().map(|(key, _)| key).collect()
        });
        let shown = |key: &KeyId| Some(survey.keys()?.show(*key));
        let names = declared.iter().filter_map(shown).collect();
        let mut look = Look {
            survey,
            full: extent.full,
            with_local: extent.with_local,
            findings: Findings::default(),
            unknown: Vec::new(),
            fine: HashSet::new(),
            odd: HashSet::new(),
            declared,
            names,
        };
        let mut across = Across::new(survey, extent, &lines);
        let mut is_exhausted = false;
        survey.look(outside, limits, answered, |(sight, said)| {
            let answers = &sight.answers;
            let resolution = answers.resolution();
            let is_felt = |id| {
                let candidate = resolution.candidate(id);
                let is_about = matches!(candidate.verdict, Verdict::Removed | Verdict::Blocked);
                candidate.by.filter(|_| is_about)
            };
            let felt: HashSet<CandidateId> =
                resolution.all_candidates().filter_map(is_felt).collect();
            for ((key, group), answer) in sight.settings.iter().zip(said) {
                let seen = Seen {
                    answers,
                    key: *key,
                    full: group.and(extent.full),
                    group,
                    answer,
                    lines: &lines,
                    felt: &felt,
                };
                setting::check(&mut look, &seen);
                across.see(&seen);
            }
            is_exhausted |= answers.is_exhausted();
        });
        across.finish(&mut look);
        let is_catalogued = add_unknown(&mut look);
        layers::check(&mut look, extent, is_catalogued, &lines);
        Check { findings: look.findings, exposed: across.into_exposed(), is_exhausted }
    }
}

/// What the settings of a sight come to.
fn answered(sight: Sight<'_>) -> (Sight<'_>, Vec<Explanation>) {
    let settings = sight.settings.iter();
    let said = settings.map(|(key, _)| Explanation::of(&sight.answers, *key)).collect();
    (sight, said)
}

/// Where only a few of many settings are declared, telling of each of the others would bury all else.
/// Gives whether the catalogue is one of all settings.
fn add_unknown(look: &mut Look<'_>) -> bool {
    const FEW: usize = 12;
    let mut unknown: Vec<Finding> = Vec::new();
    let mut numbers: HashMap<Option<String>, usize> = HashMap::new();
    for finding in std::mem::take(&mut look.unknown) {
        // A setting is told of once, with all places that say it.
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
        return !look.declared.is_empty();
    }
    let shown: Vec<&str> = plain.iter().filter_map(|it| it.key.as_deref()).take(3).collect();
    let message = format!(
        "{} settings are not in the catalogue, which has {}: {}, …",
        plain.len(),
        look.declared.len(),
        shown.join(", ")
    );
    let mut contexts = ContextSet::none(look.full.of());
    plain.iter().for_each(|finding| contexts.add(&finding.contexts));
    let mut finding = Finding::new(CheckRule::UnknownSetting, message, contexts);
    finding.places.extend(plain.first().and_then(|first| first.places.first().cloned()));
    look.findings.add(finding.help("declare them, or --allow unknown-setting until they are"));
    false
}
