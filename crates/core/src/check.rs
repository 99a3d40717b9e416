//! Checking: what will go wrong, or is not meant so, in any context.
//!
//! [`Check::of`] looks at every setting of a [`Survey`] once in each group of contexts in which it is
//! the same, lets every rule of `rules` see it, and keeps each [`Finding`] once, with all contexts in which it holds. What needs the
//! world outside (files that nobody reads, what git tracks) and rules between settings are added by
//! the caller.

use crate::answers::{ExpansionLimits, Outside};
use crate::contexts::survey::Sight;
use crate::contexts::survey::{ContextSet, Survey};
use crate::explanation::Explanation;
use crate::model::candidate::CandidateId;
use crate::model::key::KeyId;
use crate::model::layer::Kind;
use crate::model::near::{KnownNames, distance_within};
use crate::precedence::verdict::Verdict;
use hashbrown::HashSet;

mod finding;
mod rules;
mod seen;
mod summary;
#[cfg(test)]
mod tests;
mod visits;

pub use finding::{Evidence, Finding, Findings};
pub use rules::{CheckRule, Needs, Severity, rule_named};
pub use summary::{Choice, UNSET, in_words, sum_up};

use finding::Lines;
use seen::Seen;
use visits::Visits;

/// What a check came to.
#[derive(Debug)]
pub struct Check {
    /// What was found.
    pub findings: Findings,
    /// Secrets that are in sources: only bad where git tracks the source.
    pub exposed: Vec<Finding>,
    /// Whether values grew past what one run may hold, so that not all of it can be told.
    pub is_exhausted: bool,
}

/// What is looked at.
#[derive(Clone, Copy, Debug)]
pub struct Extent<'a> {
    /// The contexts in which somebody works; the others only count where something is known of all.
    pub full: &'a ContextSet,
    /// Whether local layers are read.
    pub with_local: bool,
    /// Whether these are all contexts there are, so that what is nowhere can be told.
    pub is_everywhere: bool,
    /// Whether source code is searched, too: its rules then report variables that only code has.
    pub has_code: bool,
    /// Axes that may have values which nobody lists, so that not all of their contexts are there.
    pub open: &'a [String],
}

/// What is known while settings are looked at.
pub(crate) struct Look<'a> {
    pub(crate) survey: &'a Survey,
    pub(crate) extent: Extent<'a>,
    /// Which lines of sources may be shown.
    pub(crate) lines: &'a Lines<'a>,
    pub(crate) findings: Findings,
    /// Secrets that are in sources.
    pub(crate) exposed: Vec<Finding>,
    /// Whether the catalogue is one of all settings, once that was found out.
    pub(crate) is_catalogued: bool,
    /// The keys that are declared.
    pub(crate) declared: Vec<KeyId>,
    /// Their names, in the same order, for those that are nearly theirs.
    names: KnownNames,
}

impl Look<'_> {
    /// The declared setting of which a name is a slip of the pen.
    pub(crate) fn near_declared(&self, shown: &str) -> Option<(KeyId, String)> {
        let (number, name) = meant_by_slip(shown, &self.names)?;
        Some((self.declared[number], name.to_owned()))
    }
}

/// The name of which another one is a slip of the pen, and its number.
pub fn meant_by_slip<'n>(name: &str, names: &'n KnownNames) -> Option<(usize, &'n str)> {
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
    ///
    /// `see` is shown what each comes to where somebody works, and whether that is a fallback in source code.
    pub fn of(
        survey: &Survey,
        extent: Extent<'_>,
        outside: &dyn Outside,
        limits: ExpansionLimits,
        see: &mut dyn FnMut(&Explanation, bool),
    ) -> Check {
        let lines = Lines::of(survey);
        let declared: Vec<KeyId> = survey.contexts().first().map_or_else(Vec::new, |first| {
            first.catalogue.settings().map(|(key, _)| key).collect()
        });
        let shown = |key: &KeyId| Some(survey.keys()?.show(*key));
        let names = declared.iter().filter_map(shown).collect();
        let mut look = Look {
            survey,
            extent,
            lines: &lines,
            findings: Findings::default(),
            exposed: Vec::new(),
            is_catalogued: false,
            declared,
            names,
        };
        let mut visits = Visits::begin(extent);
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
                let full = group.and(extent.full);
                let (key, lines, felt) = (*key, look.lines, &felt);
                if extent.has_code && !full.is_empty() {
                    let layer = answer.winner.as_ref().map(|winner| winner.layer);
                    let kind = layer.map(|layer| resolution.readings().layer(layer).kind);
                    see(&answer, kind == Some(Kind::Code));
                }
                visits.setting(&mut look, &Seen { answers, key, full, group, answer, lines, felt });
            }
            is_exhausted |= answers.is_exhausted();
        });
        visits.finish(&mut look);
        Check { findings: look.findings, exposed: look.exposed, is_exhausted }
    }
}

/// What the settings of a sight come to.
fn answered(sight: Sight<'_>) -> (Sight<'_>, Vec<Explanation>) {
    let settings = sight.settings.iter();
    let said = settings.map(|(key, _)| Explanation::of(&sight.answers, *key)).collect();
    (sight, said)
}
