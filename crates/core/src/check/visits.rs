//! Lets every rule see what it wants to see.

use super::rules::{CheckRule, Needs, State, Visit};
use super::seen::{Seen, TextSaid};
use super::{Extent, Look};
use crate::model::candidate::CandidateId;
use crate::model::layer::Kind;
use crate::precedence::resolution::Candidate;
use hashbrown::HashSet;

type OfSetting = fn(&mut Look<'_>, &Seen<'_>);
type OfCandidate = fn(&mut Look<'_>, &Seen<'_>, &Candidate);
type OfText = fn(&mut Look<'_>, &Seen<'_>, &TextSaid<'_>);

/// The rules of one check, by what they look at.
#[derive(Default)]
pub(super) struct Visits {
    settings: Vec<OfSetting>,
    working: Vec<OfSetting>,
    candidates: Vec<OfCandidate>,
    texts_of: Vec<OfCandidate>,
    texts: Vec<OfText>,
    /// In the order of the rules: what one finds out last another may build upon.
    last: Vec<Last>,
    /// Candidates whose texts look fine, and those of which something was told.
    fine: HashSet<(usize, u32, bool)>,
    odd: HashSet<(usize, u32, bool)>,
}

enum Last {
    Finish(fn(&mut Look<'_>)),
    State(Box<dyn State>),
}

impl Visits {
    /// Begins with every rule that can run.
    pub(super) fn begin(extent: Extent<'_>) -> Visits {
        let mut visits = Visits::default();
        let can_run = |rule: &CheckRule| match rule.needs() {
            Needs::EveryContext => extent.is_everywhere,
            Needs::Code => extent.has_code,
            _ => true,
        };
        for rule in CheckRule::all().filter(can_run) {
            match (rule.0.begin)() {
                Visit::Nothing => {}
                Visit::Setting(visit) => visits.settings.push(visit),
                Visit::Working(visit) => visits.working.push(visit),
                Visit::Candidate(visit) => visits.candidates.push(visit),
                Visit::TextOf(visit) => visits.texts_of.push(visit),
                Visit::Text(visit) => visits.texts.push(visit),
                Visit::Finish(finish) => visits.last.push(Last::Finish(finish)),
                Visit::State(state) => visits.last.push(Last::State(state)),
            }
        }
        visits
    }

    pub(super) fn setting(&mut self, look: &mut Look<'_>, seen: &Seen<'_>) {
        self.settings.iter().for_each(|visit| visit(look, seen));
        for state in self.last.iter_mut().filter_map(Last::state) {
            state.group(look, seen);
        }
        if seen.full.is_empty() {
            return;
        }
        let ids: Vec<CandidateId> = seen.resolution().candidates(seen.key).collect();
        for id in ids {
            let candidate = seen.resolution().candidate(id);
            self.candidates.iter().for_each(|visit| visit(look, seen, candidate));
            self.texts_of(look, seen, candidate);
        }
        self.working.iter().for_each(|visit| visit(look, seen));
        for state in self.last.iter_mut().filter_map(Last::state) {
            state.working(look, seen);
        }
    }

    /// What a text looks like is the same wherever it is, and most look fine.
    fn texts_of(&mut self, look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
        let resolution = seen.resolution();
        let reading = resolution.reading(candidate);
        let kind = resolution.readings().layer(reading.layer).kind;
        let at = (std::ptr::from_ref(reading) as usize, candidate.leaf, seen.answer.secret);
        if reading.is_removal || kind == Kind::Arguments || self.fine.contains(&at) {
            return;
        }
        let before = look.findings.count();
        self.texts_of.iter().for_each(|visit| visit(look, seen, candidate));
        for said in seen.texts(candidate) {
            self.texts.iter().for_each(|visit| visit(look, seen, &said));
        }
        if look.findings.count() == before && !self.odd.contains(&at) {
            self.fine.insert(at);
        } else {
            self.odd.insert(at);
        }
    }

    /// Lets every rule report what shows once everything was seen.
    pub(super) fn finish(self, look: &mut Look<'_>) {
        for last in self.last {
            match last {
                Last::Finish(finish) => finish(look),
                Last::State(mut state) => state.finish(look),
            }
        }
    }
}

impl Last {
    fn state(&mut self) -> Option<&mut Box<dyn State>> {
        match self {
            Last::State(state) => Some(state),
            Last::Finish(_) => None,
        }
    }
}
