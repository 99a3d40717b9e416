//! What only shows across contexts: values that decide nothing anywhere, that repeat weaker ones
//! everywhere, or that are the same where they must not be; and secrets, wherever they stand.

use super::finding::{Finding, Lines};
use super::setting::Seen;
use super::{CheckRule, Extent, Look};
use crate::contexts::survey::{ContextSet, Survey};
use crate::model::key::KeyId;
use crate::model::layer::{Kind, LayerIndex, list_values};
use crate::model::value::Value;
use crate::precedence::resolution::Candidate;
use crate::precedence::resolution::{Rule, Verdict};
use crate::reading::Reading;
use hashbrown::{HashMap, HashSet};
use std::sync::Arc;

/// What was seen so far.
pub(super) struct Across<'a> {
    survey: &'a Survey,
    extent: Extent<'a>,
    lines: &'a Lines<'a>,
    /// What is said anywhere, in the order in which it was seen.
    said: Vec<Said>,
    said_by: HashMap<((usize, usize), u32, KeyId), usize>,
    /// Of settings that must differ: each value that they have, where, and who says it.
    values: Vec<(KeyId, Vec<Same>)>,
    exposed: Vec<Finding>,
}

/// A value that a source says, in all contexts.
struct Said {
    key: KeyId,
    reading: Arc<Reading>,
    leaf: u32,
    /// The contexts in which somebody works, of those in which it is said.
    full: ContextSet,
    is_secret: bool,
    /// Whether anything comes of it anywhere.
    counts: bool,
    /// Whether something else was found about it that says why nothing comes of it.
    is_told: bool,
    /// Whether a weaker value is the same wherever this one decides; none if it never does.
    repeats: Option<bool>,
    /// The value that it repeats.
    weaker: Option<(Arc<Reading>, u32)>,
}

/// A value that a setting has in several contexts.
struct Same {
    value: Value,
    contexts: ContextSet,
    winners: Vec<(Arc<Reading>, u32)>,
    is_secret: bool,
}

impl<'a> Across<'a> {
    pub(super) fn new(survey: &'a Survey, extent: Extent<'a>, lines: &'a Lines<'a>) -> Across<'a> {
        Across {
            survey,
            extent,
            lines,
            said: Vec::new(),
            said_by: HashMap::new(),
            values: Vec::new(),
            exposed: Vec::new(),
        }
    }

    pub(super) fn into_exposed(self) -> Vec<Finding> {
        self.exposed
    }

    /// Takes in what is said of a setting in a group of contexts.
    pub(super) fn see(&mut self, seen: &Seen<'_>) {
        let resolution = seen.resolution();
        let like = seen.answer.conversion.as_ref().and_then(|conversion| conversion.like);
        for id in resolution.candidates(seen.key) {
            let candidate = resolution.candidate(id);
            let reading = &resolution.readings().readings[candidate.reading as usize];
            let kind = resolution.readings().layer(reading.layer).kind;
            if reading.is_removal || kind == Kind::Arguments {
                continue;
            }
            let (repeats, weaker) = repeats(seen, candidate);
            let does = candidate.verdict.is_in_force()
                || like == Some(id)
                || (candidate.verdict == Verdict::Removes && seen.felt.contains(&id));
            let is_told =
                matches!(candidate.verdict, Verdict::Blocked | Verdict::Reshaped | Verdict::Empty)
                    || resolution.rule(candidate) == Rule::BetterName
                    || kind == Kind::Catalogue;
            let said = self.said_of(seen, candidate, reading);
            said.full.add(&seen.full);
            said.counts |= does;
            said.is_told |= is_told;
            said.is_secret |= seen.answer.secret || resolution.hides(candidate);
            if candidate.verdict == Verdict::Wins {
                said.repeats = Some(said.repeats.unwrap_or(true) && repeats);
                if repeats {
                    said.weaker = weaker;
                }
            }
            self.expose(seen, candidate, reading);
        }
        self.differs(seen);
    }

    fn said_of(
        &mut self,
        seen: &Seen<'_>,
        candidate: &Candidate,
        reading: &Arc<Reading>,
    ) -> &mut Said {
        // What a scope says is one thing, for whomever it is meant.
        let scope = reading.document.scope.as_ref();
        let by = scope.map(|scope| (scope.number, reading.layer.0));
        let by = by.unwrap_or((Arc::as_ptr(reading) as usize, usize::MAX));
        let by = (by, candidate.leaf, seen.key);
        let all = &mut self.said;
        let at = *self.said_by.entry(by).or_insert_with(|| {
            all.push(Said {
                key: seen.key,
                reading: Arc::clone(reading),
                leaf: candidate.leaf,
                full: ContextSet::none(seen.group.of()),
                is_secret: false,
                counts: false,
                is_told: false,
                repeats: None,
                weaker: None,
            });
            all.len() - 1
        });
        &mut all[at]
    }

    /// A secret that can be read where it stands.
    fn expose(&mut self, seen: &Seen<'_>, candidate: &Candidate, reading: &Reading) {
        let resolution = seen.resolution();
        let leaf = resolution.leaf(candidate);
        if leaf.at.is_none() || seen.full.is_empty() {
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
        let place = self.lines.spot(reading, candidate.leaf, None, true);
        let finding = Finding::new(CheckRule::SecretExposed, message, seen.full.clone());
        let finding = finding.about(seen.shown()).at(place);
        let same = self
            .exposed
            .iter_mut()
            .find(|other| other.key == finding.key && other.places == finding.places);
        match same {
            Some(same) => same.contexts.add(&finding.contexts),
            None => self.exposed.push(finding.help(match reading.document.scope {
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

    /// Remembers the values of a setting that must differ.
    fn differs(&mut self, seen: &Seen<'_>) {
        let must = seen.declared().is_some_and(|declared| !declared.differs_by.is_empty());
        let Some(value) = seen.answer.effective().filter(|_| must && !seen.full.is_empty()) else {
            return;
        };
        let resolution = seen.resolution();
        let Some(winner) = resolution.winner(seen.key).map(|id| resolution.candidate(id)) else {
            return;
        };
        let reading = Arc::clone(&resolution.readings().readings[winner.reading as usize]);
        let at = match self.values.iter().position(|(key, _)| *key == seen.key) {
            Some(at) => at,
            None => {
                self.values.push((seen.key, Vec::new()));
                self.values.len() - 1
            }
        };
        let all = &mut self.values[at].1;
        let same = match all.iter().position(|same| same.value == *value) {
            Some(same) => same,
            None => {
                all.push(Same {
                    value: value.clone(),
                    contexts: ContextSet::none(seen.full.of()),
                    winners: Vec::new(),
                    is_secret: false,
                });
                all.len() - 1
            }
        };
        let same = &mut all[same];
        same.contexts.add(&seen.full);
        same.is_secret |= seen.answer.secret;
        let is_there = |(other, leaf): &(Arc<Reading>, u32)| {
            Arc::ptr_eq(other, &reading) && *leaf == winner.leaf
        };
        if !same.winners.iter().any(is_there) {
            same.winners.push((reading, winner.leaf));
        }
    }

    /// Tells what shows once everything was seen.
    pub(super) fn finish(&mut self, look: &mut Look<'_>) {
        if self.extent.is_everywhere {
            self.excuse_repeated();
            for said in &self.said {
                look.findings.add_some(self.idle(said));
            }
        }
        for (key, values) in &self.values {
            for same in values {
                self.same_across(*key, same, look);
            }
        }
    }

    /// A value that a stronger one repeats decides nothing only as long as that one is there: one of
    /// the two is told, not both.
    fn excuse_repeated(&mut self) {
        let repeated: HashSet<(usize, u32)> = self
            .said
            .iter()
            .filter(|said| said.repeats == Some(true))
            .filter_map(|said| said.weaker.as_ref())
            .map(|(reading, leaf)| (Arc::as_ptr(reading) as usize, *leaf))
            .collect();
        for said in &mut self.said {
            said.is_told |= repeated.contains(&(Arc::as_ptr(&said.reading) as usize, said.leaf))
                && !said.counts;
        }
    }

    /// A value that decides nothing, or nothing new.
    fn idle(&self, said: &Said) -> Option<Finding> {
        let first = self.survey.contexts().first()?;
        let layer = first.layer(said.reading.layer);
        let pins = layer.pins.has(&first.keys, said.key);
        if said.is_told || layer.is_local() || said.full.is_empty() {
            return None;
        }
        let shown = first.keys.show(said.key);
        let spot = |reading: &Reading, leaf: u32, what: Option<String>| {
            self.lines.spot(reading, leaf, what, said.is_secret)
        };
        let at = spot(&said.reading, said.leaf, None);
        let name = |layer: LayerIndex| &first.layer(layer).name;
        if !said.counts {
            let message = format!(
                "what {} says here decides nothing in any context",
                name(said.reading.layer)
            );
            let finding = Finding::new(CheckRule::NeverWins, message, said.full.clone());
            return Some(finding.about(shown).at(at));
        }
        let (weaker, leaf) =
            said.weaker.as_ref().filter(|_| said.repeats == Some(true) && !pins)?;
        let message = format!(
            "{} says what {} says already, wherever it decides",
            name(said.reading.layer),
            name(weaker.layer)
        );
        let finding = Finding::new(CheckRule::RepeatsWeaker, message, said.full.clone());
        let weaker = spot(weaker, *leaf, Some("it says the same".to_owned()));
        Some(finding.about(shown).at(at).at(weaker))
    }

    /// A value that contexts share which must differ in it.
    fn same_across(&self, key: KeyId, same: &Same, look: &mut Look<'_>) {
        let contexts = self.survey.contexts();
        let Some(first) = contexts.first() else { return };
        let Some(declared) = first.catalogue.declared(key) else { return };
        for axis in &declared.differs_by {
            let mut values: Vec<&str> = Vec::new();
            for at in same.contexts.iter() {
                if let Some(value) = contexts[at].context.value(axis)
                    && !values.contains(&value)
                {
                    values.push(value);
                }
            }
            if values.len() < 2 {
                continue;
            }
            let message = format!(
                "{} have the same value, which must differ by {axis}",
                list_values(&values, "and")
            );
            let finding = Finding::new(CheckRule::SameAcross, message, same.contexts.clone());
            let mut finding = finding.about(first.keys.show(key));
            for (reading, leaf) in &same.winners {
                let within: Vec<&str> = values
                    .iter()
                    .copied()
                    .filter(|value| self.is_said_for(reading, axis, value))
                    .collect();
                let what = format!("for {}", list_values(&within, "and"));
                let what = (!within.is_empty()).then_some(what);
                let hides = same.is_secret || self.survey.secrets().has(key);
                finding = finding.at(self.lines.spot(reading, *leaf, what, hides));
            }
            look.findings.add(finding);
        }
    }

    /// Whether a reading is read in a context with that value of an axis.
    fn is_said_for(&self, reading: &Arc<Reading>, axis: &str, value: &str) -> bool {
        let contexts = self.survey.contexts();
        let mut readings = self.survey.readings();
        let read = readings.find(|(other, _)| Arc::ptr_eq(other, reading));
        read.is_some_and(|(_, read)| {
            let mut read = read.iter();
            read.any(|at| contexts[at].context.value(axis) == Some(value))
        })
    }
}

/// Whether a candidate says just what it overrides, and what that is.
fn repeats(seen: &Seen<'_>, candidate: &Candidate) -> (bool, Option<(Arc<Reading>, u32)>) {
    let resolution = seen.resolution();
    let is_plain = candidate.verdict == Verdict::Wins && resolution.gather(seen.key).is_none();
    if !is_plain || resolution.reading(candidate).is_old_name(candidate.leaf) {
        return (false, None);
    }
    let id = resolution.winner(seen.key);
    let candidates = resolution.candidates(seen.key).map(|id| resolution.candidate(id));
    let mut beneath = candidates.filter(|other| other.by == id);
    let overridden = |other: &&Candidate| {
        other.verdict == Verdict::Overridden && resolution.rule(other) == Rule::Precedence
    };
    let Some(weaker) = beneath.find(overridden) else { return (false, None) };
    let (own, other) = (&resolution.leaf(candidate).value, &resolution.leaf(weaker).value);
    let refers = crate::answers::holds_reference(own) || crate::answers::holds_reference(other);
    let is_same = match refers {
        true => own == other && resolution.layer_of(candidate) != resolution.layer_of(weaker),
        // Conversion makes a text what the weaker one is.
        false => own == other || seen.answer.effective() == Some(other),
    };
    let reading = &resolution.readings().readings[weaker.reading as usize];
    (is_same, is_same.then(|| (Arc::clone(reading), weaker.leaf)))
}
