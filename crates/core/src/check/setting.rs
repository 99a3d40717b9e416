//! What is wrong with single settings and with what is said about them.

use super::finding::{Evidence, Finding, Lines};
use super::text::{bare_dollar, not_run, stray_quotes};
use super::{CheckRule, Look, Severity};
use crate::answers::Answers;
use crate::contexts::survey::ContextSet;
use crate::explanation::{Explanation, Status};
use crate::model::candidate::CandidateId;
use crate::model::catalogue::{Declared, EmptyText};
use crate::model::convert::Declaration;
use crate::model::document::Lookalike;
use crate::model::key::KeyId;
use crate::model::layer::{Kind, LayerIndex, Names, list_values};
use crate::model::value::{Type, Value};
use crate::precedence::resolution::{Candidate, Resolution};
use crate::precedence::resolution::{Rule, Verdict};
use hashbrown::HashSet;

/// One setting in a group of contexts.
pub(super) struct Seen<'a> {
    pub(super) answers: &'a Answers<'a>,
    pub(super) key: KeyId,
    /// The contexts of the group in which somebody works.
    pub(super) full: ContextSet,
    /// All contexts of the group.
    pub(super) group: &'a ContextSet,
    pub(super) answer: Explanation,
    pub(super) lines: &'a Lines<'a>,
    /// The nulls of the context that take something away or block something.
    pub(super) felt: &'a HashSet<CandidateId>,
}

impl<'a> Seen<'a> {
    pub(super) fn resolution(&self) -> &'a Resolution {
        self.answers.resolution()
    }

    /// The key, as it is shown.
    pub(super) fn shown(&self) -> String {
        self.resolution().keys().show(self.key)
    }

    pub(super) fn declared(&self) -> Option<&'a Declared> {
        self.resolution().readings().catalogue.declared(self.key)
    }

    fn finding(&self, rule: CheckRule, message: impl Into<String>) -> Finding {
        Finding::new(rule, message, self.full.clone()).about(self.shown())
    }

    /// Where a candidate stands.
    pub(super) fn spot(&self, candidate: &Candidate, what: Option<String>) -> Evidence {
        let reading = self.resolution().reading(candidate);
        let hides = self.answer.secret || self.resolution().hides(candidate);
        self.lines.spot(reading, candidate.leaf, what, hides)
    }

    fn layer(&self, candidate: &Candidate) -> &'a str {
        let resolution = self.resolution();
        &resolution.readings().layer(resolution.layer_of(candidate)).name
    }

    /// What a candidate says, for a sentence.
    fn says(&self, candidate: &Candidate) -> String {
        crate::explanation::shown(self.answers, candidate)
    }

    /// Where the setting is declared.
    fn declaration(&self) -> Option<Evidence> {
        let readings = self.resolution().readings();
        let declared = self.declared()?;
        let place = readings.declared_at(declared)?;
        let position = place.position()?;
        let text = readings.inputs.catalogues.get(declared.at.0).map(|(_, text)| text);
        // The header of a declaration is a key in brackets, nothing else.
        let text = text.filter(|text| text.line(position.line).trim_end().ends_with(']'));
        let line = text.map(|text| text.around(declared.at.1.start));
        Some(Evidence { line, ..Evidence::at(place) })
    }

    fn declared_here(&self) -> Option<Evidence> {
        let mut place = self.declaration()?;
        place.what = Some("it is declared here".to_owned());
        place.line = None;
        Some(place)
    }
}

pub(super) fn check(look: &mut Look<'_>, seen: &Seen<'_>) {
    status(look, seen);
    if seen.full.is_empty() {
        return;
    }
    let ids: Vec<CandidateId> = seen.resolution().candidates(seen.key).collect();
    for id in &ids {
        let candidate = seen.resolution().candidate(*id);
        verdict(look, seen, candidate);
        // What a text looks like is the same wherever it stands, and most look fine.
        let reading = std::ptr::from_ref(seen.resolution().reading(candidate)) as usize;
        let at = (reading, candidate.leaf, seen.answer.secret);
        if !look.fine.contains(&at) {
            let before = look.findings.count();
            text(look, seen, candidate);
            if look.findings.count() == before && !look.odd.contains(&at) {
                look.fine.insert(at);
            } else {
                look.odd.insert(at);
            }
        }
    }
    empty_text(look, seen);
    unknown(look, seen, &ids);
}

/// Required and absent, or in error.
fn status(look: &mut Look<'_>, seen: &Seen<'_>) {
    let resolution = seen.resolution();
    let winner = seen.answer.winner.as_ref().map(|it| resolution.candidate(it.candidate));
    match (&seen.answer.status, winner) {
        (Status::Absent, _) => missing(look, seen),
        (Status::Error { code, message }, Some(winner)) => {
            let failure = seen.answer.failure();
            if failure.is_some_and(|failure| !failure.way.is_empty()) {
                // It is told of the setting that is at fault.
                return;
            }
            if *code == crate::answers::LEFT_OUT {
                return;
            }
            let declared = seen.declared();
            let is_refused = declared.is_some_and(|it| it.empty == Some(EmptyText::Error))
                && seen.answer.refuses_empty();
            if is_refused
                && declared
                    .is_some_and(|it| it.required != crate::model::catalogue::Required::Never)
            {
                return missing_as_empty(look, seen, winner);
            }
            let rule = match *code {
                "bad-value" => CheckRule::BadValue,
                _ => CheckRule::BrokenReference,
            };
            if failure.is_some_and(|failure| failure.is_echo) {
                return;
            }
            let mut finding = seen.finding(rule, message.clone()).at(seen.spot(winner, None));
            finding.places.extend(seen.declared_here().filter(|_| rule == CheckRule::BadValue));
            look.findings.add(finding);
        }
        _ => {}
    }
}

/// The contexts of the group in which the setting is required.
fn required_in(look: &Look<'_>, seen: &Seen<'_>) -> ContextSet {
    let mut required = ContextSet::none(seen.full.of());
    if let Some(declared) = seen.declared() {
        let contexts = look.survey.contexts();
        let is_required = |at: &usize| declared.required.holds(&contexts[*at].context);
        seen.full.iter().filter(is_required).for_each(|at| required.insert(at));
    }
    required
}

fn missing(look: &mut Look<'_>, seen: &Seen<'_>) {
    let required = required_in(look, seen);
    if required.is_empty() {
        return;
    }
    let resolution = seen.resolution();
    let strongest = resolution.candidates(seen.key).next().map(|id| resolution.candidate(id));
    let mut finding = match strongest {
        Some(null) if null.verdict == Verdict::Removes => {
            let message = format!("it is required, and {} takes its value away", seen.layer(null));
            seen.finding(CheckRule::MissingRequired, message).at(seen.spot(null, None))
        }
        _ => {
            seen.finding(CheckRule::MissingRequired, "it is required, and nothing gives it a value")
        }
    };
    finding.contexts = required;
    finding.places.extend(match finding.places.is_empty() {
        true => seen.declaration(),
        false => seen.declared_here(),
    });
    finding.help = withheld(seen).or_else(|| variables_left_out(look, seen));
    look.findings.add(finding);
}

/// A value that a store keeps for others.
fn withheld(seen: &Seen<'_>) -> Option<String> {
    let resolution = seen.resolution();
    let mut candidates = resolution.candidates(seen.key).map(|id| resolution.candidate(id));
    let withheld = candidates.find(|candidate| candidate.verdict == Verdict::Withheld)?;
    let why = resolution.note(withheld)?.withheld.as_deref()?;
    Some(format!("{} has one, which does not count here: {why}", seen.layer(withheld)))
}

/// What could still give a value, although it was left out of the check.
fn variables_left_out(look: &Look<'_>, seen: &Seen<'_>) -> Option<String> {
    let readings = seen.resolution().readings();
    if look.with_local {
        return None;
    }
    let layers = (0..readings.layers.len()).rev().map(LayerIndex);
    let local = layers.filter(|at| readings.layer(*at).is_local());
    let places: Vec<String> = local
        .filter_map(|at| match readings.layer(at) {
            layer if layer.kind == Kind::Process => {
                Some(format!("{} in the process", readings.variable(at, seen.key)?))
            }
            layer if matches!(layer.kind, Kind::Arguments) => None,
            layer => Some(format!("the layer {}", layer.name)),
        })
        .collect();
    if places.is_empty() {
        return None;
    }
    let places = list_values(&places, "and");
    Some(format!("what is left out here may give one: {places}; justwhy needs lists every place"))
}

fn missing_as_empty(look: &mut Look<'_>, seen: &Seen<'_>, winner: &Candidate) {
    let required = required_in(look, seen);
    let rule = match required.is_empty() {
        true => CheckRule::BadValue,
        false => CheckRule::MissingRequired,
    };
    let message = match rule {
        CheckRule::MissingRequired => "it is required, and an empty text stands for it",
        _ => "it is an empty text, which is refused for it",
    };
    let mut finding = seen.finding(rule, message).at(seen.spot(winner, None));
    finding.places.extend(seen.declared_here());
    if !required.is_empty() {
        finding.contexts = required;
    }
    look.findings.add(finding);
}

/// What became of a candidate that is worth telling.
fn verdict(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let resolution = seen.resolution();
    if resolution.reading(candidate).is_old_name(candidate.leaf) {
        let name = resolution.keys().show(resolution.leaf(candidate).name);
        let message = format!("{name} is what it was called once; it is {} now", seen.shown());
        look.findings.add(
            seen.finding(CheckRule::OldName, message)
                .at(seen.spot(candidate, None))
                .help("write the new name; the old one is still read"),
        );
    }
    let Some(by) = candidate.by.map(|by| resolution.candidate(by)) else { return };
    match (candidate.verdict, resolution.rule(candidate)) {
        (Verdict::Blocked, _) => {
            let message = format!(
                "{} changes nothing: {} pins what it says about it",
                seen.layer(candidate),
                seen.layer(by)
            );
            look.findings.add(
                seen.finding(CheckRule::Blocked, message)
                    .at(seen.spot(candidate, None))
                    .at(seen.spot(by, Some("it is pinned here".to_owned()))),
            );
        }
        (Verdict::Overridden, Rule::BetterName) => {
            if resolution.readings().layer(resolution.layer_of(candidate)).kind == Kind::Arguments {
                return;
            }
            let name =
                |candidate: &Candidate| resolution.keys().show(resolution.leaf(candidate).name);
            let message = format!("both {} and {} mean it", name(candidate), name(by));
            let winner = Some(format!("{} counts", name(by)));
            look.findings.add(
                seen.finding(CheckRule::SaidTwice, message)
                    .at(seen.spot(candidate, None))
                    .at(seen.spot(by, winner)),
            );
        }
        (Verdict::Overridden, _) => changes_type(look, seen, candidate, by),
        (Verdict::Reshaped, _) => {
            let message = match resolution.keys().is_within(by.key, candidate.key) {
                true => format!(
                    "{} makes it a branch, where a weaker layer has a value",
                    seen.layer(by)
                ),
                false => format!("{} puts a value in place of a branch", seen.layer(by)),
            };
            // It is told of the branch, once for all that is lost.
            let about = match resolution.keys().is_within(by.key, candidate.key) {
                true => seen.shown(),
                false => resolution.keys().show(by.key),
            };
            let lost = format!("{} of {} is lost", seen.shown(), seen.layer(candidate));
            look.findings.merge(
                seen.finding(CheckRule::Reshapes, message)
                    .about(about)
                    .at(seen.spot(by, None))
                    .at(seen.spot(candidate, Some(lost))),
            );
        }
        _ => {}
    }
}

/// A stronger value of another type than the one that it overrides.
fn changes_type(look: &mut Look<'_>, seen: &Seen<'_>, weaker: &Candidate, stronger: &Candidate) {
    let resolution = seen.resolution();
    // A declared type is checked by itself.
    let is_typed =
        seen.declared().is_some_and(|it| it.shape.kind != Declaration::Any || it.gather.is_some());
    let value = |candidate: &Candidate| resolution.leaf(candidate).value.clone();
    if is_typed || crate::answers::holds_reference(&value(stronger)) {
        return;
    }
    let untyped = |candidate: &Candidate| resolution.reading(candidate).untyped;
    let (weak, strong) = (value(weaker).kind(), value(stronger).kind());
    let has_none = |kind: Type| matches!(kind, Type::Null | Type::Unread);
    if untyped(weaker) || has_none(strong) || has_none(weak) {
        return;
    }
    if untyped(stronger) {
        let reads = value(stronger)
            .as_text()
            .map(|text| crate::model::convert::read_like(text, weak).is_some());
        let matters = matches!(weak, Type::Boolean | Type::Integer | Type::Number);
        // An integer may become a number and the other way round.
        let as_number = value(stronger).as_text().is_some_and(|text| {
            matches!(weak, Type::Integer | Type::Number)
                && crate::model::convert::read_like(text, Type::Number).is_some()
        });
        if !matters || reads == Some(true) || as_number || value(stronger).is_empty_text() {
            return;
        }
    } else {
        let are_numbers = |kind: Type| matches!(kind, Type::Integer | Type::Number);
        if weak == strong || are_numbers(weak) && are_numbers(strong) {
            return;
        }
    }
    let message = format!(
        "{} says {}, {}, where a weaker layer has {}",
        seen.layer(stronger),
        strong.with_article(),
        seen.says(stronger),
        weak.with_article()
    );
    let weak = format!("{} says {}", seen.layer(weaker), seen.says(weaker));
    look.findings.merge(
        seen.finding(CheckRule::ChangesType, message)
            .at(seen.spot(stronger, None))
            .at(seen.spot(weaker, Some(weak)))
            .help("write it as the other type, or declare its type in the catalogue"),
    );
}

/// What is odd about the texts that a candidate says.
fn text(look: &mut Look<'_>, seen: &Seen<'_>, candidate: &Candidate) {
    let resolution = seen.resolution();
    let reading = resolution.reading(candidate);
    let layer = resolution.readings().layer(reading.layer);
    if reading.is_removal || matches!(layer.kind, Kind::Arguments) {
        return;
    }
    let leaf = resolution.leaf(candidate);
    let first =
        reading.document.lookalikes.partition_point(|(at, ..)| *at < candidate.leaf as usize);
    for (at, span, other) in &reading.document.lookalikes[first..] {
        if *at != candidate.leaf as usize {
            break;
        }
        let (message, help) = match other {
            Lookalike::Other(other) => (
                format!("other readers of YAML take this for {other}"),
                "put it in quotes if it is a text; else write it as both read it",
            ),
            Lookalike::Shortened => (
                "the last zeros of this number are lost when it is read".to_owned(),
                "put it in quotes if it is a text, such as a version; else leave the zeros out",
            ),
        };
        let mut place = seen.spot(candidate, None);
        place.place = reading.place_at(Some(*span));
        let text = reading.document.text.as_ref();
        place.line = place.line.and_then(|_| seen.lines.line(&reading.origin, text, Some(*span)));
        look.findings.add(seen.finding(CheckRule::LooksLike, message).at(place).help(help));
    }
    let mut texts = Vec::new();
    all_texts(&leaf.value, &mut texts);
    let is_shell_like = layer.names != Names::Keys;
    let literal = reading.document.literal_dollars(candidate.leaf as usize);
    // Any text may stand in a secret.
    let hides = seen.answer.secret || resolution.hides(candidate);
    for text in texts {
        let mut add = |rule: CheckRule, message: String, help: &str| {
            look.findings
                .add(seen.finding(rule, message).at(seen.spot(candidate, None)).help(help));
        };
        if let Some(why) = stray_quotes(text) {
            add(CheckRule::StrayQuotes, why.to_owned(), "take it out, if it was left by mistake");
        }
        // What a process hands down went through its shell already.
        if layer.kind == Kind::Process {
            continue;
        }
        if let Some(why) = not_run(text, is_shell_like) {
            let help = "nothing in a file is ever executed: write the value itself";
            add(CheckRule::NotRun, why.to_owned(), help);
        }
        if let Some(name) = bare_dollar(text, literal).filter(|_| !hides) {
            let message = format!("${name} is no reference here, it stays in the text");
            let help = match is_shell_like {
                true => format!("write ${{{name}}} if it is meant as one"),
                false => format!("write ${{variable:{name}}} if the process variable is meant"),
            };
            add(CheckRule::BareDollar, message, &help);
        }
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

/// An empty text that decides although weaker layers have something.
fn empty_text(look: &mut Look<'_>, seen: &Seen<'_>) {
    let resolution = seen.resolution();
    let Some(winner) = resolution.winner(seen.key).map(|id| resolution.candidate(id)) else {
        return;
    };
    if !resolution.leaf(winner).value.is_empty_text() || resolution.gather(seen.key).is_some() {
        return;
    }
    let has_more = |candidate: &&Candidate| {
        let value = &resolution.leaf(candidate).value;
        candidate.verdict == Verdict::Overridden && *value != Value::Null && !value.is_empty_text()
    };
    let candidates = resolution.candidates(seen.key).map(|id| resolution.candidate(id));
    let Some(lost) = candidates.into_iter().find(has_more) else { return };
    let message = format!(
        "{} says an empty text, which wins over a text that is not empty",
        seen.layer(winner)
    );
    let loses = format!("{} says {}", seen.layer(lost), seen.says(lost));
    look.findings.merge(
        seen.finding(CheckRule::EmptyText, message)
            .at(seen.spot(winner, None))
            .at(seen.spot(lost, Some(loses)))
            .help("take the line out, or say empty = \"unset\" for the layer or the setting"),
    );
}

/// A setting that the catalogue does not have.
fn unknown(look: &mut Look<'_>, seen: &Seen<'_>, ids: &[CandidateId]) {
    let resolution = seen.resolution();
    let catalogue = &resolution.readings().catalogue;
    if catalogue.is_empty() || seen.declared().is_some() {
        return;
    }
    let said: Vec<&Candidate> = ids
        .iter()
        .map(|id| resolution.candidate(*id))
        .filter(|candidate| {
            let layer = resolution.readings().layer(resolution.layer_of(candidate));
            // What only variables say is told of as a stray variable.
            !resolution.reading(candidate).is_removal
                && layer.kind != Kind::Arguments
                && layer.names == Names::Keys
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
            let mut finding = seen
                .finding(
                    CheckRule::UnknownSetting,
                    format!("it is not in the catalogue, which has {near}"),
                )
                .help(format!("write {near} if that is meant; else declare {}", seen.shown()));
            finding.severity = Severity::Error;
            finding
        }
        None => seen.finding(CheckRule::UnknownSetting, "it is not in the catalogue"),
    };
    finding = finding.at(seen.spot(first, None));
    look.unknown.push(finding);
}
