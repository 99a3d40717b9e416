//! What `check` finds in source code.

use super::{Code, CodeMention, Literal, Names, Wanted, place};
use crate::Snapshot;
use hashbrown::{HashMap, HashSet};
use justwhy_code::{NameKind, Values, is_distinctive, is_distinctive_secret};
use justwhy_core::{
    CheckRule, ContextSet, Evidence, Explanation, Fact, Finding, Findings, KeyId, Keys, Kind,
    KnownNames, Origin, Place, Survey, Value, meant_by_slip,
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
    let names = Names::of(survey.contexts(), survey.settings().to_vec(), true);
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
    let code = snapshot.search_code(survey.contexts(), &names, Some(&wanted))?;
    let report = Report { keys, names: &names, code: &code, full };
    report.literals(findings);
    report.strangers(survey, findings);
    report.unused(snapshot, survey, findings);
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
        Evidence::at(place(Origin::File(file), mention.line, mention.column))
    }

    /// Values of settings, and secrets: a finding for each file.
    fn literals(&self, findings: &mut Findings) {
        let mut alike: Vec<(&Literal, Vec<Evidence>)> = Vec::new();
        let mut by: HashMap<(u32, bool, &Origin), usize> = HashMap::new();
        for literal in &self.code.literals {
            let evidence =
                Evidence { line: literal.line.clone(), ..Evidence::at(literal.place.clone()) };
            let at = *by
                .entry((literal.id, literal.is_secret, &literal.place.origin))
                .or_insert_with(|| {
                    alike.push((literal, Vec::new()));
                    alike.len() - 1
                });
            alike[at].1.push(evidence);
        }
        for (literal, places) in alike {
            let Some(key) = self.names.setting(literal.id) else { continue };
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
            let mut finding = finding.about(self.keys.show(key));
            finding.places = first_of(places);
            findings.add(finding);
        }
    }

    /// Variables with the prefix that mean nothing, or what nothing but a fallback in code sets.
    fn strangers(&self, survey: &Survey, findings: &mut Findings) {
        let only_code = self.only_in_code(survey);
        let mut by_name: HashMap<&str, Vec<&CodeMention>> = HashMap::new();
        for mention in &self.code.mentions {
            let name = match mention.id {
                None => mention.written.as_deref(),
                Some(id) if mention.kind == NameKind::Variable && !mention.is_sample => {
                    let key = self.names.setting(id).filter(|key| only_code.contains(key));
                    key.and_then(|_| self.names.variable(id))
                }
                Some(_) => None,
            };
            if let Some(name) = name {
                by_name.entry(name).or_default().push(mention);
            }
        }
        if by_name.is_empty() {
            return;
        }
        let is_meant = |name: &&str| !by_name.contains_key(name);
        let mut known: Vec<String> =
            self.names.variables().filter(is_meant).map(str::to_owned).collect();
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
                    Some(near) => Fact::new("did you mean {near}?").with("near", near.as_str()),
                    None => Fact::new("declare the setting, or correct the name"),
                });
            if near.is_some() {
                finding.severity = justwhy_core::Severity::Error;
            }
            finding.places = self.some(places);
            findings.add(finding);
        }
    }

    /// The settings that are not declared, and that only fallbacks in code set.
    fn only_in_code(&self, survey: &Survey) -> HashSet<KeyId> {
        let Some(first) = survey.contexts().first() else { return HashSet::new() };
        let is_code = |layer| first.layer(layer).kind == Kind::Code;
        let mut set: HashSet<KeyId> = HashSet::new();
        let mut by_code: HashSet<KeyId> = HashSet::new();
        for (reading, _) in survey.readings() {
            let keys = reading.offers.iter().map(|offer| offer.key);
            match is_code(reading.layer) {
                true => by_code.extend(keys),
                false => set.extend(keys),
            }
        }
        by_code.retain(|key| !set.contains(key) && first.catalogue.declared(*key).is_none());
        by_code
    }

    /// The first of some places, and how many more there are.
    fn some(&self, mentions: &[&CodeMention]) -> Vec<Evidence> {
        first_of(mentions.iter().map(|mention| self.place(mention)).collect())
    }

    /// Settings that no code mentions, and to which no other setting refers.
    fn unused(&self, snapshot: &Snapshot, survey: &Survey, findings: &mut Findings) {
        let unused = self.without_use(survey);
        // A key can be read in parts that stand far from each other: its first word is a hint.
        let first = |key: &KeyId| self.keys.segments(*key).first().copied().unwrap_or_default();
        let mut words: Vec<&str> = unused.iter().map(first).filter(|it| !it.is_empty()).collect();
        words.sort_unstable();
        words.dedup();
        let parts = match words.is_empty() {
            true => HashMap::new(),
            false => snapshot.words_in_code(&self.code.all, &words),
        };
        for key in unused {
            let part = parts.get(first(&key)).map(|place| (first(&key), place));
            let fact = match part {
                Some((part, _)) => Fact::new(
                    "no code mentions {key}; it may be read through {part}, which is mentioned",
                )
                .with("part", part),
                None => Fact::new("no code mentions {key} or any part of it"),
            };
            let rule = CheckRule::UNUSED_SETTING;
            let mut finding =
                Finding::new(rule, fact, self.full.clone()).about(self.keys.show(key));
            finding.places.extend(survey.known_at(key).map(Evidence::at));
            let mentioned =
                |(_, place): (&str, &Place)| Evidence::of(place.clone(), "mentioned here");
            finding.places.extend(part.map(mentioned));
            findings.add(finding);
        }
    }

    /// The settings that no code mentions, nor any key above them, and to which no other setting refers.
    fn without_use(&self, survey: &Survey) -> Vec<KeyId> {
        let referred = survey.referred();
        let mut used = vec![false; self.names.settings.len() + self.names.parents.len()];
        for mention in &self.code.mentions {
            if let Some(used) = mention.id.and_then(|id| used.get_mut(id as usize)) {
                *used = true;
            }
        }
        let numbers = self.names.numbers();
        let catalogue = survey.contexts().first().map(|first| &first.catalogue);
        // What is not declared is a finding of its own.
        let is_known =
            |key: KeyId| catalogue.is_none_or(|it| it.is_empty() || it.declared(key).is_some());
        let is_used = |key: KeyId| {
            let mut keys = std::iter::once(key).chain(self.keys.above(key));
            keys.any(|key| numbers.get(&key).is_some_and(|id| used[*id as usize]))
        };
        let settings = self.names.settings.iter().copied().filter(|key| {
            !is_used(*key)
                && is_known(*key)
                && !referred.contains(key)
                && !survey.is_above_others(*key)
        });
        settings.collect()
    }
}

/// The first of some places, and how many more there are.
fn first_of(mut places: Vec<Evidence>) -> Vec<Evidence> {
    let more = places.len().saturating_sub(MOST_PLACES);
    places.truncate(MOST_PLACES);
    if let (Some(last), true) = (places.last_mut(), more > 0) {
        let form = if more == 1 { "and {more} more place" } else { "and {more} more places" };
        last.what = Some(Fact::new(form).with("more", more));
    }
    places
}
