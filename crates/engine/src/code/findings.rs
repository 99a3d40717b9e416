//! What `check` finds in source code.

use super::names::NO_SETTING;
use super::{Code, CodeMention, Names, Wanted};
use crate::Snapshot;
use hashbrown::{HashMap, HashSet};
use justwhy_code::{NameKind, Values, is_distinctive, is_distinctive_secret};
use justwhy_core::{
    CheckRule, ContextSet, Evidence, Explanation, Fact, Finding, Findings, KeyId, Keys, KnownNames,
    Origin, Place, Position, Survey, Value, meant_by_slip,
};
use justwhy_project::Error;
use std::sync::Arc;

/// What settings come to, to be looked for in code.
#[derive(Debug, Default)]
pub(crate) struct Seen {
    plain: HashMap<String, KeyId>,
    secret: HashMap<String, KeyId>,
    numbers: HashMap<KeyId, HashSet<String>>,
}

impl Seen {
    /// Takes in what a setting comes to; a fallback in code is no value that code repeats.
    pub(crate) fn see(&mut self, answer: &Explanation, is_fallback: bool) {
        let Some(value) = answer.effective().filter(|_| !is_fallback) else { return };
        let key = answer.key;
        match value {
            Value::Text(_) if answer.secret => {
                let text = value.revealed();
                let text = text.trim_matches('"');
                if is_distinctive_secret(text) {
                    self.secret.entry(text.to_owned()).or_insert(key);
                }
            }
            _ if answer.secret => {}
            Value::Text(text) => self.text(text, key),
            Value::Integer(_) | Value::Number(_) => {
                let shown = value.show();
                // Nobody can tell whose 0 or 1 it is.
                if shown.len() > 1 {
                    self.numbers.entry(key).or_default().insert(shown);
                }
            }
            Value::List(items) => {
                let texts = items.iter().filter_map(|item| item.value.as_text());
                texts.for_each(|text| self.text(text, key));
            }
            _ => {}
        }
    }

    fn text(&mut self, text: &str, key: KeyId) {
        if is_distinctive(text) {
            self.plain.entry(text.to_owned()).or_insert(key);
        }
    }
}

/// Searches source code, and reports what is wrong with it.
pub(crate) fn find(
    snapshot: &Snapshot,
    (survey, full): (&Survey, &ContextSet),
    seen: Seen,
    findings: &mut Findings,
) -> Result<(), Error> {
    let Some(keys) = survey.keys() else { return Ok(()) };
    let names = Names::of(survey, survey.settings().to_vec(), true);
    let numbers = names.numbers();
    let by_id = |values: HashMap<String, KeyId>| {
        Values::new(values.into_iter().filter_map(|(text, key)| Some((text, *numbers.get(&key)?))))
    };
    let plain: HashMap<String, KeyId> =
        seen.plain.into_iter().filter(|(text, _)| !seen.secret.contains_key(text)).collect();
    let of_numbers = seen.numbers.into_iter();
    let wanted = Wanted {
        numbers: of_numbers
            .filter_map(|(key, shown)| Some((*numbers.get(&key)?, shown.into_iter().collect())))
            .collect(),
        plain: by_id(plain),
        secret: by_id(seen.secret),
    };
    let code = snapshot.search_code(survey, &names, Some(&wanted))?;
    let report = Report { keys, names: &names, code: &code, full };
    report.literals(findings);
    report.strangers(findings);
    report.unused(survey, findings);
    Ok(())
}

struct Report<'r> {
    keys: &'r Keys,
    names: &'r Names,
    code: &'r Code,
    full: &'r ContextSet,
}

/// So many places are shown of a finding.
const MOST_PLACES: usize = 3;

impl Report<'_> {
    fn place(&self, mention: &CodeMention) -> Evidence {
        let file = Arc::clone(&self.code.files[mention.file as usize]);
        let position = Position { line: mention.line as usize, column: mention.column as usize };
        Evidence::at(Place::known(Origin::File(file), Some(position)))
    }

    /// Values of settings, and secrets.
    fn literals(&self, findings: &mut Findings) {
        for literal in &self.code.literals {
            let Some(key) = self.names.setting(literal.id) else { continue };
            let evidence =
                Evidence { line: literal.line.clone(), ..Evidence::at(literal.place.clone()) };
            let finding = match literal.is_secret {
                true => {
                    let fact = Fact::new("the secret {key} is written in source code");
                    let finding = Finding::new(CheckRule::SECRET_IN_CODE, fact, self.full.clone());
                    finding.help(
                        "read it from its setting, and change the secret: the history has the old one",
                    )
                }
                false => {
                    let fact = Fact::new("the value of {key} is written in source code");
                    let finding = Finding::new(CheckRule::HARD_CODED, fact, self.full.clone());
                    finding.help("read the setting instead")
                }
            };
            findings.add(finding.about(self.keys.show(key)).at(evidence));
        }
    }

    /// Variables with the prefix that mean nothing.
    fn strangers(&self, findings: &mut Findings) {
        let mut by_name: HashMap<&str, Vec<&CodeMention>> = HashMap::new();
        for mention in self.code.mentions.iter().filter(|it| it.id.is_none()) {
            if let Some(name) = mention.written.as_deref() {
                by_name.entry(name).or_default().push(mention);
            }
        }
        if by_name.is_empty() {
            return;
        }
        let mut known: Vec<String> = self.names.variables().map(str::to_owned).collect();
        known.sort();
        let known: KnownNames = known.into_iter().collect();
        let mut names: Vec<&str> = by_name.keys().copied().collect();
        names.sort_unstable();
        for name in names {
            let places = &by_name[name];
            let near = meant_by_slip(name, &known).map(|(_, near)| near.to_owned());
            let fact = match &near {
                Some(near) => {
                    Fact::new("code mentions {key}, but nothing sets it; it is similar to {near}")
                        .with("near", near.as_str())
                }
                None => Fact::new("code mentions {key}, but nothing sets or declares it"),
            };
            let mut finding = Finding::new(CheckRule::READ_NOT_DECLARED, fact, self.full.clone())
                .about(name)
                .help(match &near {
                    Some(near) => format!("did you mean {near}?"),
                    None => "declare the setting, or correct the name".to_owned(),
                });
            if near.is_some() {
                finding.severity = justwhy_core::Severity::Error;
            }
            finding.places = self.some(places);
            findings.add(finding);
        }
    }

    /// The first of some places, and how many more there are.
    fn some(&self, mentions: &[&CodeMention]) -> Vec<Evidence> {
        let mut places: Vec<Evidence> =
            mentions.iter().take(MOST_PLACES).map(|mention| self.place(mention)).collect();
        let more = mentions.len().saturating_sub(MOST_PLACES);
        if let (Some(last), true) = (places.last_mut(), more > 0) {
            let what = if more == 1 { "place" } else { "places" };
            last.what = Some(format!("and {more} more {what}"));
        }
        places
    }

    /// Settings that no code mentions, and to which no other setting refers.
    fn unused(&self, survey: &Survey, findings: &mut Findings) {
        let referred = survey.referred();
        let count = self.names.settings.len() + self.names.parents.len();
        let mut used = vec![false; count];
        // Of what only parts of keys are mentioned: where.
        let mut partly: HashMap<u32, &CodeMention> = HashMap::new();
        for mention in &self.code.mentions {
            let Some(id) = mention.id.filter(|id| *id != NO_SETTING) else { continue };
            let is_read = mention.kind != NameKind::Parent || mention.is_quoted || self.is_long(id);
            if is_read {
                used[id as usize] = true;
            }
            partly.entry(id).or_insert(mention);
        }
        let numbers = self.names.numbers();
        for (number, key) in self.names.settings.iter().enumerate() {
            let above = || self.keys.above(*key).filter_map(|above| numbers.get(&above));
            let is_read = used[number] || above().any(|above| used[*above as usize]);
            if is_read || referred.contains(key) || survey.is_above_others(*key) {
                continue;
            }
            let own = u32::try_from(number).unwrap_or(NO_SETTING);
            let part = std::iter::once(&own).chain(above()).find_map(|id| {
                let mention = partly.get(id)?;
                let key = self.names.setting(*id).or_else(|| self.names.parent(*id))?;
                Some((self.keys.show(key), *mention))
            });
            let (fact, place) = match part {
                Some((part, mention)) => (
                    Fact::new(
                        "no code mentions {key}; it may be read through {part}, which is mentioned",
                    )
                    .with("part", part),
                    Some(self.place(mention)),
                ),
                None => (Fact::new("no code mentions {key} or any part of it"), None),
            };
            let rule = CheckRule::UNUSED_SETTING;
            let mut finding =
                Finding::new(rule, fact, self.full.clone()).about(self.keys.show(*key));
            finding.places.extend(survey.known_at(*key).map(Evidence::at));
            finding.places.extend(place.map(|place| {
                let what = "mentioned here".to_owned();
                Evidence { what: Some(what), ..place }
            }));
            findings.add(finding);
        }
    }

    /// Whether a key above settings has several words, so that nobody writes it by chance.
    fn is_long(&self, id: u32) -> bool {
        self.names.parent(id).is_some_and(|key| self.keys.depth(key) > 1)
    }
}
