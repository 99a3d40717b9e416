//! Findings: what a check came to, each once.

use super::{CheckRule, Severity};
use crate::contexts::survey::{ContextSet, Survey};
use crate::model::fact::Fact;
use crate::model::place::{Origin, Place, ShownLine, SourceText, Span};
use crate::reading::Reading;
use hashbrown::{HashMap, HashSet};
use std::cell::RefCell;
use std::rc::Rc;

const VARIABLE: &str = "the variable {name}";

/// A place that a finding is about.
#[derive(Clone, Debug)]
pub struct Evidence {
    /// It.
    pub place: Place,
    /// What is there, if it is not what the finding is about, as a clause.
    pub what: Option<Fact>,
    /// The line as it may be shown: none of a secret, and none on which a secret could be.
    pub line: Option<ShownLine>,
}

impl Evidence {
    /// A place, and nothing more.
    pub fn at(place: Place) -> Evidence {
        Evidence { place, what: None, line: None }
    }

    /// The same with the name in the place of the value, where that is known: it is what is wrong.
    #[must_use]
    pub(crate) fn of_name(mut self) -> Evidence {
        if let Some(place) = self.place.of_name() {
            self.line = self.line.and_then(|_| place.line());
            self.place = place;
        }
        self
    }

    /// A place with what is there.
    #[must_use]
    pub fn of(place: Place, what: impl Into<Fact>) -> Evidence {
        Evidence { what: Some(what.into()), ..Evidence::at(place) }
    }
}

impl PartialEq for Evidence {
    fn eq(&self, other: &Evidence) -> bool {
        self.place == other.place && self.what == other.what
    }
}

impl Eq for Evidence {}

impl std::hash::Hash for Evidence {
    fn hash<H: std::hash::Hasher>(&self, state: &mut H) {
        self.place.hash(state);
        self.what.hash(state);
    }
}

/// One result of a check.
#[derive(Clone, Debug)]
pub struct Finding {
    /// What it is about.
    pub rule: CheckRule,
    /// How bad it is.
    pub severity: Severity,
    /// The setting, variable or layer that it is about.
    pub key: Option<String>,
    /// What is wrong, without any secret.
    pub fact: Fact,
    /// How to mend it.
    pub help: Option<Fact>,
    /// Where: the first place is the one to look at.
    pub places: Vec<Evidence>,
    /// In which contexts.
    pub contexts: ContextSet,
}

impl Finding {
    /// A finding of a rule, anywhere.
    pub fn new(rule: CheckRule, fact: Fact, contexts: ContextSet) -> Finding {
        debug_assert!(rule.says().contains(&fact.form()), "{rule:?} does not list {fact:?}");
        Finding {
            rule,
            severity: rule.severity(),
            key: None,
            fact,
            help: None,
            places: Vec::new(),
            contexts,
        }
    }

    /// What is wrong, as a sentence without a full stop.
    pub fn message(&self) -> String {
        self.fact.sentence(self.key.as_deref())
    }

    /// About a setting, variable or layer.
    #[must_use]
    pub fn about(mut self, key: impl Into<String>) -> Finding {
        self.key = Some(key.into());
        self
    }

    /// At a place.
    #[must_use]
    pub fn at(mut self, place: Evidence) -> Finding {
        self.places.push(place);
        self
    }

    /// With how to mend it.
    #[must_use]
    pub fn help(mut self, help: impl Into<Fact>) -> Finding {
        self.help = Some(help.into());
        self
    }
}

/// Findings, in which the same one is kept once, with all contexts in which it was found.
#[derive(Debug, Default)]
pub struct Findings {
    all: Vec<Finding>,
    by: HashMap<(CheckRule, Option<String>, Fact, Vec<Evidence>), usize>,
    /// The places of findings that were merged, by the number of the finding.
    merged: HashMap<usize, HashSet<Evidence>>,
}

impl Findings {
    /// Takes a finding in, unless it is found in no context.
    pub fn add(&mut self, finding: Finding) {
        if finding.contexts.is_empty() {
            return;
        }
        let by = (finding.rule, finding.key.clone(), finding.fact.clone(), finding.places.clone());
        match self.by.get(&by) {
            Some(known) => self.all[*known].contexts.add(&finding.contexts),
            None => {
                self.by.insert(by, self.all.len());
                self.all.push(finding);
            }
        }
    }

    /// How many there are.
    pub(super) fn count(&self) -> usize {
        self.all.len()
    }

    /// Takes a finding in that is about one place and has to do with others: the same one is kept once,
    /// with all of them.
    pub(super) fn merge(&mut self, finding: Finding) {
        if finding.contexts.is_empty() {
            return;
        }
        let is_same = |other: &Finding| {
            other.rule == finding.rule
                && other.key == finding.key
                && other.fact == finding.fact
                && other.places.first() == finding.places.first()
        };
        // What is merged was found about one setting, so that the last ones are the ones to look at.
        const LAST: usize = 64;
        let mut last = self.all.iter_mut().enumerate().rev().take(LAST);
        let Some((number, same)) = last.find(|(_, other)| is_same(other)) else {
            return self.add(finding);
        };
        same.contexts.add(&finding.contexts);
        let known =
            self.merged.entry(number).or_insert_with(|| same.places.iter().cloned().collect());
        let is_new = |place: &Evidence| known.insert(place.clone());
        same.places.extend(finding.places.into_iter().filter(is_new));
    }

    /// Takes a finding in, if there is one.
    pub(super) fn add_some(&mut self, finding: Option<Finding>) {
        finding.into_iter().for_each(|finding| self.add(finding));
    }

    /// All of them, the worst first, then by their places.
    pub fn sorted(self) -> Vec<Finding> {
        let mut all = self.all;
        let place = |finding: &Finding| {
            let first = finding.places.first();
            first.map(|it| (it.place.origin.name().to_owned(), it.place.position()))
        };
        all.sort_by_cached_key(|finding| {
            let place = place(finding);
            // What has no place comes last.
            (finding.severity, place.is_none(), place, finding.rule, finding.key.clone())
        });
        all
    }
}

/// Which lines of sources may be shown: not those on which a secret, or a part of one, is.
pub(crate) struct Lines<'s> {
    survey: &'s Survey,
    hidden: RefCell<HashMap<Origin, Rc<HashSet<usize>>>>,
    /// Whether long lines may be shown.
    long: RefCell<HashMap<(Origin, usize), bool>>,
}

/// Nobody reads a longer line twice to find out whether it may be shown.
const LONG_LINE: usize = 1_000;

impl<'s> Lines<'s> {
    pub(super) fn of(survey: &'s Survey) -> Lines<'s> {
        Lines { survey, hidden: RefCell::default(), long: RefCell::default() }
    }

    /// Where a leaf of a reading is, with its line if that may be shown.
    pub(super) fn spot(
        &self,
        reading: &Reading,
        leaf: u32,
        what: Option<Fact>,
        is_secret: bool,
    ) -> Evidence {
        let document = &reading.document;
        let said = &document.leaves[leaf as usize];
        let place = reading.place_of(said);
        let line = match is_secret {
            true => None,
            false => self.line(&reading.origin, document.text.as_ref(), said.at),
        };
        let what = what.or_else(|| {
            // Where there are no lines, the variable's name tells the place.
            let keys = self.survey.keys()?;
            (!place.has_line()).then(|| Fact::new(VARIABLE).with("name", keys.show(said.name)))
        });
        Evidence { place, what, line }
    }

    /// The line of a source on which a place is, if it may be shown.
    pub(super) fn line(
        &self,
        origin: &Origin,
        text: Option<&SourceText>,
        at: Option<Span>,
    ) -> Option<ShownLine> {
        let (text, at) = (text?, at?);
        let number = text.position(at.start).line;
        let line = text.line(number);
        let may_be_shown = || {
            let names_one = crate::model::secret::speaks_of_a_secret(line)
                || crate::model::secret::may_hold_password(line);
            !names_one && !self.hidden(origin).contains(&number)
        };
        let may_be_shown = match line.len() > LONG_LINE {
            true => {
                let mut long = self.long.borrow_mut();
                *long.entry((origin.clone(), number)).or_insert_with(may_be_shown)
            }
            false => may_be_shown(),
        };
        may_be_shown.then(|| text.around(at))
    }

    /// The lines of a source on which secrets are, whichever layer reads them.
    fn hidden(&self, origin: &Origin) -> Rc<HashSet<usize>> {
        if let Some(known) = self.hidden.borrow().get(origin) {
            return Rc::clone(known);
        }
        let mut hidden = HashSet::new();
        let of_source = self.survey.readings().filter(|(reading, _)| reading.origin == *origin);
        for (reading, _) in of_source {
            let Some(text) = &reading.document.text else { continue };
            for offer in &reading.offers {
                let leaf = &reading.document.leaves[offer.leaf as usize];
                let is_secret =
                    self.survey.secrets().has(offer.key) || reading.document.hides(offer.leaf);
                if let Some(at) = leaf.at.filter(|_| is_secret) {
                    let (start, end) = (text.position(at.start).line, text.position(at.end).line);
                    hidden.extend(start..=end.max(start));
                }
            }
        }
        let hidden = Rc::new(hidden);
        self.hidden.borrow_mut().insert(origin.clone(), Rc::clone(&hidden));
        hidden
    }
}
