//! Settings of other contexts: what is absent here may be set elsewhere, and a name that means nothing
//! here may mean something there.

use crate::{Snapshot, select};
use justwhy_core::{
    Answers, Choice, Context, ContextSet, KeyId, KeyPath, Keys, LayerIndex, Pattern, Presence,
    Resolution, Survey, in_words, nearest_few, sum_up,
};
use justwhy_project::Error;
use std::cell::OnceCell;
use std::sync::Arc;

/// All contexts that the axes form, read once somebody asks for what is not here.
pub struct Everywhere<'a> {
    snapshot: &'a Snapshot,
    /// What is resolved here.
    resolution: &'a Resolution,
    /// What could be read, and whether that is all.
    survey: OnceCell<Option<(Survey, bool)>>,
}

impl std::fmt::Debug for Everywhere<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Everywhere").finish_non_exhaustive()
    }
}

impl<'a> Everywhere<'a> {
    /// Nothing is read yet.
    pub fn new(snapshot: &'a Snapshot, resolution: &'a Resolution) -> Everywhere<'a> {
        Everywhere { snapshot, resolution, survey: OnceCell::new() }
    }

    /// None if there are too many contexts, or none can be read.
    fn survey(&self) -> Option<&Survey> {
        let read = || {
            let snapshot = self.snapshot;
            let contexts = snapshot.contexts(&Context::default()).ok()?;
            let read = snapshot.read_all(&contexts).into_iter().filter_map(Result::ok);
            let readings: Vec<_> = read.map(Arc::new).collect();
            let is_all = readings.len() == contexts.len();
            (!readings.is_empty()).then(|| (Survey::of(readings), is_all))
        };
        self.survey.get_or_init(read).as_ref().map(|(survey, _)| survey)
    }

    /// The settings of other contexts that a text means; none if it means none in any.
    pub fn settings(&self, text: &str) -> Vec<KeyId> {
        let Some(survey) = self.survey() else { return Vec::new() };
        let Some(keys) = survey.keys() else { return Vec::new() };
        let all = || survey.settings().iter().copied();
        if Pattern::has_wildcard(text) {
            let Ok(pattern) = Pattern::parse(text) else { return Vec::new() };
            return keys.sorted(all().filter(|key| pattern.matches(keys, *key)));
        }
        let path = KeyPath::parse(text).ok();
        let key = path.and_then(|path| keys.find(KeyId::ROOT, &path));
        let found: Vec<KeyId> = key
            .into_iter()
            .flat_map(|key| all().filter(move |it| keys.is_within(*it, key)))
            .collect();
        if !found.is_empty() {
            return keys.sorted(found);
        }
        let Some(first) = survey.contexts().first() else { return Vec::new() };
        let layers = || (0..first.layers.len()).map(LayerIndex);
        let is_its = |key: &KeyId| {
            layers().any(|layer| first.variable(layer, *key).as_deref() == Some(text))
        };
        all().find(is_its).into_iter().collect()
    }

    /// Where a setting is set: in words, and as choices.
    pub fn set_in(&self, segments: &[&str]) -> Option<(String, Vec<Choice>)> {
        let survey = self.survey()?;
        let key = survey.keys()?.find_segments(segments)?;
        let count = survey.contexts().len();
        let mut set = ContextSet::none(count);
        let limits = self.snapshot.limits();
        survey.look_together(&[key], self.snapshot, limits, |answers, contexts| {
            if !matches!(answers.outcome(key).result, Ok(None)) {
                set.add(contexts);
            }
        });
        if set.is_empty() {
            return None;
        }
        let contexts: Vec<&Context> = survey.contexts().iter().map(|it| &it.context).collect();
        let all = ContextSet::all(count);
        let choices = sum_up(&set, &all, &contexts);
        let is_all = self.survey.get().and_then(Option::as_ref).is_some_and(|(_, is_all)| *is_all);
        let words = match in_words(&choices, &all) {
            words if !words.is_empty() => words,
            _ if is_all => "every context".to_owned(),
            _ => "every context that can be read".to_owned(),
        };
        Some((words, choices))
    }

    /// What a setting is in the contexts, as `describe` has it: each different description once, with the
    /// contexts in words, the commonest first. None where they cannot be gone through.
    pub fn each<C: PartialEq>(
        &self,
        segments: &[&str],
        describe: impl Fn(&Answers<'_>, KeyId) -> C,
    ) -> Option<Vec<(C, String)>> {
        let survey = self.survey()?;
        let key = survey.keys()?.find_segments(segments)?;
        let count = survey.contexts().len();
        let mut values: Vec<(C, ContextSet)> = Vec::new();
        survey.look_together(&[key], self.snapshot, self.snapshot.limits(), |answers, contexts| {
            let value = describe(answers, key);
            match values.iter_mut().find(|(other, _)| *other == value) {
                Some((_, set)) => set.add(contexts),
                None => {
                    let mut set = ContextSet::none(count);
                    set.add(contexts);
                    values.push((value, set));
                }
            }
        });
        values.sort_by_key(|(_, set)| std::cmp::Reverse(set.len()));
        let contexts: Vec<&Context> = survey.contexts().iter().map(|it| &it.context).collect();
        let all = ContextSet::all(count);
        let words = |set: &ContextSet| match in_words(&sum_up(set, &all, &contexts), &all) {
            words if !words.is_empty() => words,
            _ => "every context".to_owned(),
        };
        Some(values.into_iter().map(|(value, set)| (value, words(&set))).collect())
    }

    /// The error that a text means no setting in any context, with what was probably meant.
    pub fn unknown(&self, text: &str, error: Error) -> Error {
        let resolution = self.resolution;
        let mut error = error;
        for layer in &resolution.readings().layers {
            if let Presence::Missing(justwhy_core::Lack::Section { path, section }) =
                &layer.presence
            {
                let name = &layer.name;
                error = error.help(format!(
                    "section not found: {name} reads the section {section} of {path}"
                ));
            }
        }
        // Here nothing was near, so that what other contexts have is of use.
        if !select::near_keys(resolution, text).is_empty() {
            return error;
        }
        let Some((survey, keys)) = self.survey().and_then(|it| Some((it, it.keys()?))) else {
            return error;
        };
        let shown = |keys: &Keys, key: &KeyId| keys.show(*key);
        let names: Vec<String> = survey.settings().iter().map(|key| shown(keys, key)).collect();
        let near = nearest_few(text, names.iter().map(String::as_str), 3);
        match near.as_slice() {
            [] => error,
            near => error
                .help(format!("other contexts have {}", justwhy_core::list_values(near, "and"))),
        }
    }
}
