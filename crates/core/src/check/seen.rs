//! A setting as the rules see it.

use super::finding::{Evidence, Finding, Lines};
use super::{CheckRule, Look};
use crate::answers::Answers;
use crate::contexts::survey::ContextSet;
use crate::explanation::{Explanation, Status};
use crate::model::candidate::CandidateId;
use crate::model::catalogue::Declared;
use crate::model::fact::Fact;
use crate::model::key::KeyId;
use crate::model::layer::Names;
use crate::model::reference::Dialect;
use crate::model::value::Value;
use crate::precedence::resolution::{Candidate, Resolution};
use hashbrown::HashSet;

/// One setting in a group of contexts.
pub(crate) struct Seen<'a> {
    pub(crate) answers: &'a Answers<'a>,
    pub(crate) key: KeyId,
    /// The contexts of the group in which somebody works.
    pub(crate) full: ContextSet,
    /// All contexts of the group.
    pub(crate) group: &'a ContextSet,
    pub(crate) answer: Explanation,
    pub(crate) lines: &'a Lines<'a>,
    /// The nulls of the context that take something away or block something.
    pub(crate) felt: &'a HashSet<CandidateId>,
}

impl<'a> Seen<'a> {
    pub(crate) fn resolution(&self) -> &'a Resolution {
        self.answers.resolution()
    }

    /// The key, as it is shown.
    pub(crate) fn shown(&self) -> String {
        self.resolution().keys().show(self.key)
    }

    pub(crate) fn declared(&self) -> Option<&'a Declared> {
        self.resolution().readings().catalogue.declared(self.key)
    }

    pub(crate) fn finding(&self, rule: CheckRule, fact: Fact) -> Finding {
        Finding::new(rule, fact, self.full.clone()).about(self.shown())
    }

    /// Where a candidate is.
    pub(crate) fn spot(&self, candidate: &Candidate, what: Option<Fact>) -> Evidence {
        let reading = self.resolution().reading(candidate);
        let hides = self.answer.secret || self.resolution().hides(candidate);
        self.lines.spot(reading, candidate.leaf, what, hides)
    }

    /// Where the name of a candidate is.
    pub(crate) fn spot_of_name(&self, candidate: &Candidate, what: Option<Fact>) -> Evidence {
        self.spot(candidate, what).of_name()
    }

    pub(crate) fn layer(&self, candidate: &Candidate) -> &'a str {
        let resolution = self.resolution();
        &resolution.readings().layer(resolution.layer_of(candidate)).name
    }

    /// What a candidate has, for a sentence.
    pub(crate) fn says(&self, candidate: &Candidate) -> String {
        crate::explanation::shown(self.answers, candidate)
    }

    /// Where the setting is declared.
    pub(crate) fn declaration(&self) -> Option<Evidence> {
        let readings = self.resolution().readings();
        let declared = self.declared()?;
        let place = readings.declared_at(declared)?;
        let position = place.position()?;
        let text = readings.inputs.catalogues.get(declared.at.0).map(|(_, text)| text);
        // The header of a declaration is a key in brackets, nothing else.
        let text = text.filter(|text| text.line(position.line).trim_end().ends_with(']'));
        let line = text.map(|text| text.around(declared.at.1));
        Some(Evidence { line, ..Evidence::at(place) })
    }

    pub(crate) fn declared_here(&self) -> Option<Evidence> {
        let mut place = self.declaration()?;
        place.what = Some("declared here".into());
        place.line = None;
        Some(place)
    }
}

/// A text of a candidate, wherever it is in its value.
pub(crate) struct TextSaid<'s> {
    pub(crate) candidate: &'s Candidate,
    pub(crate) text: &'s str,
    /// Whether the names of its layer are those of variables, as a shell's are.
    pub(crate) is_shell_like: bool,
    /// Whether a process handed it down, so that it went through its shell already.
    pub(crate) is_handed_down: bool,
    /// The bytes of every `$` that begins no reference.
    pub(crate) literal: &'s [u32],
    /// Whether its references are written as those of another program.
    pub(crate) is_of_dialect: bool,
    /// Whether it is in a secret, in which any text may.
    pub(crate) is_hidden: bool,
}

impl<'a> Seen<'a> {
    /// The contexts of the group in which the setting is required.
    pub(crate) fn required_in(&self, look: &Look<'_>) -> ContextSet {
        let mut required = ContextSet::none(self.full.of());
        if let Some(declared) = self.declared() {
            let contexts = look.survey.contexts();
            let is_required = |at: &usize| declared.required.holds(&contexts[*at].context);
            self.full.iter().filter(is_required).for_each(|at| required.insert(at));
        }
        required
    }

    /// The error that the setting is in, if it is its own fault and nobody chose that it cannot be told: its
    /// code, what it has, and the candidate that decides.
    pub(crate) fn own_error(&self) -> Option<(&'static str, &Fact, &'a Candidate)> {
        let Status::Error { code, fact } = &self.answer.status else { return None };
        let winner = self.answer.winner.as_ref()?.candidate;
        // What comes from another setting is reported for that one.
        let is_from_other = self.answer.failure().is_some_and(|failure| !failure.way.is_empty());
        let is_own = !is_from_other && *code != crate::answers::LEFT_OUT;
        is_own.then(|| (*code, fact, self.resolution().candidate(winner)))
    }

    /// Every text that a candidate has.
    pub(crate) fn texts(&self, candidate: &'a Candidate) -> Vec<TextSaid<'a>> {
        let resolution = self.resolution();
        let reading = resolution.reading(candidate);
        let layer = resolution.readings().layer(reading.layer);
        let mut texts = Vec::new();
        all_texts(&resolution.leaf(candidate).value, &mut texts);
        let said = |text| TextSaid {
            candidate,
            text,
            is_shell_like: *layer.names_in(&reading.document) != Names::Keys,
            is_of_dialect: layer.references && layer.dialect != Dialect::Own,
            is_handed_down: layer.kind == crate::model::layer::Kind::Process,
            literal: reading.document.literal_dollars(candidate.leaf as usize),
            is_hidden: self.answer.secret || resolution.hides(candidate),
        };
        texts.into_iter().map(said).collect()
    }
}

fn all_texts<'v>(value: &'v Value, texts: &mut Vec<&'v str>) {
    match value {
        Value::Text(text) => texts.push(text),
        Value::List(items) => items.iter().for_each(|item| all_texts(&item.value, texts)),
        Value::Map(entries) => entries.iter().for_each(|entry| all_texts(&entry.value, texts)),
        _ => {}
    }
}
