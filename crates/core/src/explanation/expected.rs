//! Why a setting is not what somebody expected: where that is, what keeps it from being in
//! force, and the smallest step that would put it there.

use crate::answers::Answers;
use crate::explanation::{Explanation, Status};
use crate::explanation::{because_of, hides};
use crate::model::candidate::CandidateId;
use crate::model::fact::Fact;
use crate::model::key::{KeyId, KeyPath};
use crate::model::layer::{Kind, LayerIndex, Names, Presence};
use crate::model::near::is_near;
use crate::model::place::Place;
use crate::model::secret::hide_address_password;
use crate::model::value::Value;
use crate::model::words::changes as words;
use crate::precedence::provenance::Provenance;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::Verdict;
use crate::reading::{Edit, Readings};

mod astray;
mod found;
mod steps;

pub use astray::Astray;
pub use found::{Act, Change, ChangedAt, Found, How, Sense};

use steps::{obstacle, tried};

/// The most changes that are put together to one step.
const MOST_CHANGES: usize = 16;

/// What somebody expected a setting to be: a value, or what a layer or a source has.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Wanted {
    text: String,
    layer: Option<LayerIndex>,
}

/// # What is looked for
impl Wanted {
    /// What `text` means where the layers are those of `answers`.
    pub fn of(answers: &Answers<'_>, text: &str) -> Wanted {
        let layers = &answers.resolution().readings().layers;
        let layer = layers.iter().position(|layer| layer.name == text).map(LayerIndex);
        Wanted { text: text.strip_prefix("./").unwrap_or(text).to_owned(), layer }
    }

    /// Whether the value is the expected one, or a list that has it.
    pub fn fits(&self, value: &Value) -> bool {
        let value = hide_address_password(value);
        let is_it = |value: &Value| {
            value.as_text() == Some(self.text.as_str()) || value.show() == self.text
        };
        match value.as_ref() {
            Value::List(items) => is_it(&value) || items.iter().any(|item| is_it(&item.value)),
            value => is_it(value),
        }
    }

    /// In what sense the candidate is what was expected. What is secret is not compared.
    fn sense(&self, answers: &Answers<'_>, candidate: &Candidate) -> Option<Sense> {
        let resolution = answers.resolution();
        let reading = resolution.reading(candidate);
        if self.layer.is_some() {
            return (self.layer == Some(reading.layer)).then_some(Sense::Layer);
        }
        if reading.origin.name() == self.text {
            return Some(Sense::Source);
        }
        let value = &resolution.leaf(candidate).value;
        let is_it = !hides(answers, candidate) && !reading.is_removal && self.fits(value);
        is_it.then_some(Sense::Value)
    }

    /// Whether the setting is what was expected.
    pub fn is_met(&self, answers: &Answers<'_>, key: KeyId) -> bool {
        let explanation = Explanation::of(answers, key);
        if explanation.status != Status::Set {
            return false;
        }
        if explanation.value().is_some_and(|value| self.layer.is_none() && self.fits(&value)) {
            return true;
        }
        let resolution = answers.resolution();
        resolution.in_force(key).any(|id| {
            let reading = resolution.reading(resolution.candidate(id));
            match self.layer {
                Some(layer) => reading.layer == layer,
                None => reading.origin.name() == self.text,
            }
        })
    }
}

/// # Looking for it
impl Wanted {
    /// Among the candidates of the setting, strongest first.
    pub fn among_candidates(&self, answers: &Answers<'_>, key: KeyId) -> Option<Found> {
        let resolution = answers.resolution();
        let mut best: Option<Found> = None;
        for id in resolution.candidates(key) {
            let candidate = resolution.candidate(id);
            let sense = self.sense(answers, candidate);
            // What its references make of it may be what was expected, which only a trial can find out.
            let may_become_it = sense.is_none()
                && self.layer.is_none()
                && !hides(answers, candidate)
                && resolution.may_refer(candidate);
            if sense.is_none() && !may_become_it {
                continue;
            }
            let steps = self.steps_for(answers, key, candidate);
            if may_become_it && steps.is_none() {
                continue;
            }
            let sense = sense.unwrap_or(Sense::Value);
            let found = Found {
                how: How::Candidate(candidate.verdict),
                keeps: self.keeps(answers, id),
                steps: steps.unwrap_or_default(),
                ..self.found(answers, id, sense)
            };
            if !found.steps.is_empty() {
                return Some(found);
            }
            best = best.or(Some(found));
        }
        best
    }

    /// In another context: effective there, or else at least a candidate. `way` gives what to say after
    /// `--in` for it, and is only asked if something is found.
    pub fn in_other_context(
        &self,
        there: &Answers<'_>,
        key: KeyId,
        way: &dyn Fn() -> String,
    ) -> Option<Found> {
        let resolution = there.resolution();
        if !resolution.is_setting(key) {
            return None;
        }
        let ask = |context: &String| Change {
            act: Act::AskIn,
            at: ChangedAt::Context(context.clone()),
            name: resolution.keys().show(key),
            to: Some(context.clone()),
        };
        if self.is_met(there, key) {
            let winner = resolution
                .in_force(key)
                .find(|id| self.sense(there, resolution.candidate(*id)).is_some());
            let winner = winner.or_else(|| resolution.winner(key))?;
            let sense = self.sense(there, resolution.candidate(winner)).unwrap_or(Sense::Value);
            let context = way();
            return Some(Found {
                how: How::InForceElsewhere,
                keeps: Fact::new(words::ELSEWHERE).with("context", &context),
                steps: vec![ask(&context)],
                ..self.found(there, winner, sense)
            });
        }
        let mut found = self.among_candidates(there, key)?;
        let context = way();
        if let How::Candidate(verdict) = found.how {
            found.how = How::CandidateElsewhere(verdict);
        }
        found.keeps =
            Fact::new(words::READ_ELSEWHERE).with("context", &context).with("why", found.keeps);
        if !found.steps.is_empty() {
            found.steps.insert(0, ask(&context));
        }
        Some(found)
    }

    /// In a layer that is not active here; `forced` are answers with that layer active.
    pub fn in_inactive_layer(
        &self,
        here: &Answers<'_>,
        forced: &Answers<'_>,
        layer: LayerIndex,
        key: KeyId,
        place: &Place,
    ) -> Option<Found> {
        let resolution = forced.resolution();
        let id = resolution.candidates(key).find(|id| {
            let candidate = resolution.candidate(*id);
            resolution.layer_of(candidate) == layer && self.sense(forced, candidate).is_some()
        })?;
        let candidate = resolution.candidate(id);
        let declared = here.resolution().readings().layer(layer);
        let activate = Change {
            act: Act::Activate,
            at: ChangedAt::Place(place.clone()),
            name: declared.name.clone(),
            to: Some(place.to_string()),
        };
        let steps = match self.is_met(forced, key) {
            true => Some(Vec::new()),
            false => self.steps_for(forced, key, candidate),
        };
        let steps = steps.map(|more| {
            let mut steps = vec![activate];
            steps.extend(more);
            steps
        });
        Some(Found {
            how: How::Inactive,
            keeps: Fact::new(words::NOT_ACTIVE).with_some("why", declared.absence()),
            steps: steps.unwrap_or_default(),
            ..self.found(forced, id, self.sense(forced, candidate)?)
        })
    }

    /// Under a name that is nearly that of the setting.
    pub fn under_near_names(&self, answers: &Answers<'_>, key: KeyId) -> Option<Found> {
        self.near_variables(answers, key).or_else(|| self.near_keys(answers, key))
    }

    fn near_variables(&self, answers: &Answers<'_>, key: KeyId) -> Option<Found> {
        let readings = answers.resolution().readings();
        for index in (0..readings.layers.len()).rev().map(LayerIndex) {
            let Some(variable) = readings.variable(index, key) else { continue };
            let Names::Variables(naming) = &readings.layer(index).names else { continue };
            let mut near = readings.near_names(index, key, &variable);
            near.extend(readings.without_prefix(index, &variable, &naming.prefix));
            for name in near {
                let reading = &readings.readings[name.reading as usize];
                if reading.is_removal {
                    continue;
                }
                let Some(input) = readings.input_of(name.reading) else { continue };
                let from = Elsewhere { input, leaf: name.leaf, hidden: false };
                let found = self.renamed(answers, key, &from, &KeyPath::single(name.meant));
                if found.is_some() {
                    return found;
                }
            }
        }
        None
    }

    fn near_keys(&self, answers: &Answers<'_>, key: KeyId) -> Option<Found> {
        let resolution = answers.resolution();
        let keys = resolution.keys();
        let wanted = keys.show(key);
        let near: Vec<KeyId> = resolution
            .settings()
            .into_iter()
            .filter(|other| *other != key)
            .filter(|other| {
                let other = keys.show(*other);
                is_near(&other, &wanted) || crate::model::near::is_spelled_alike(&other, &wanted)
            })
            .collect();
        for other in near {
            for id in resolution.candidates(other) {
                let candidate = resolution.candidate(id);
                let reading = resolution.reading(candidate);
                let Some(name) = resolution.readings().name_in(reading.layer, key) else {
                    continue;
                };
                let is_variable = resolution.readings().variable(reading.layer, key).is_some();
                let input = resolution.readings().input_of(candidate.reading);
                let Some(input) = input.filter(|_| !is_variable) else {
                    continue;
                };
                let hidden = hides(answers, candidate);
                let from = Elsewhere { input, leaf: candidate.leaf, hidden };
                let found = self.renamed(answers, key, &from, &name);
                if found.is_some() {
                    return found;
                }
            }
        }
        None
    }

    /// Outside of the section that a layer reads.
    pub fn outside_of_sections(&self, answers: &Answers<'_>, key: KeyId) -> Option<Found> {
        let resolution = answers.resolution();
        let readings = resolution.readings();
        let keys = resolution.keys();
        for (number, input) in readings.inputs.inputs.iter().enumerate().rev() {
            let Some(section) = &input.section else { continue };
            let Some(name) = readings.name_in(input.layer, key) else { continue };
            let wanted: Vec<&str> = name.segments().collect();
            for (leaf, said) in input.document.leaves.iter().enumerate() {
                let segments = keys.segments(said.name);
                let inside: Vec<&str> = section.segments().chain(wanted.iter().copied()).collect();
                if !segments.ends_with(&wanted) || segments == inside {
                    continue;
                }
                let leaf = u32::try_from(leaf).unwrap_or(u32::MAX);
                let from = Elsewhere { input: number, leaf, hidden: false };
                let found = self.moved(answers, key, &from, &name);
                if found.is_some() {
                    return found;
                }
            }
        }
        None
    }
}

/// Something that a source has under another name or in another section.
struct Elsewhere {
    input: usize,
    leaf: u32,
    /// Whether it is secret where it is.
    hidden: bool,
}

/// # Steps
impl Wanted {
    /// A candidate as what was found.
    fn found(&self, answers: &Answers<'_>, id: CandidateId, sense: Sense) -> Found {
        let resolution = answers.resolution();
        let candidate = resolution.candidate(id);
        let stand = Provenance::of(resolution, id);
        let hidden = hides(answers, candidate) || stand.is_pattern;
        let value = || hide_address_password(&resolution.leaf(candidate).value).into_owned();
        Found {
            sense,
            layer: resolution.readings().layer(stand.layer).name.clone(),
            name: stand.shown_name(resolution.keys()),
            is_pattern: stand.is_pattern,
            place: stand.place,
            says: (!hidden).then(value),
            how: How::Candidate(candidate.verdict),
            keeps: Fact::told(""),
            steps: Vec::new(),
        }
    }

    fn keeps(&self, answers: &Answers<'_>, id: CandidateId) -> Fact {
        let candidate = answers.resolution().candidate(id);
        match candidate.verdict {
            Verdict::Wins | Verdict::Contributes | Verdict::Unreadable => {
                let explanation = Explanation::of(answers, candidate.key);
                match (&explanation.status, explanation.value()) {
                    (Status::Error { fact, .. }, _) => {
                        Fact::new(words::WINS_INVALID).with("why", fact.clone())
                    }
                    (Status::Unreadable { because } | Status::Uncertain { because }, _) => {
                        Fact::new(words::WINS_UNREAD).with("why", because.clone())
                    }
                    (_, Some(value)) => Fact::new(words::BECOMES).with("value", value.show()),
                    _ => Fact::new(words::BECOMES_OTHER),
                }
            }
            _ => because_of(answers, candidate),
        }
    }

    /// The fewest changes that make the candidate take effect: taking out what is in its way, or else
    /// writing what it has where the setting is decided. Each is tried, and none is called a step
    /// unless the setting is what was expected after it.
    fn steps_for(
        &self,
        answers: &Answers<'_>,
        key: KeyId,
        candidate: &Candidate,
    ) -> Option<Vec<Change>> {
        let resolution = answers.resolution();
        let at = (resolution.readings().input_of(candidate.reading)?, candidate.leaf);
        let cleared = self.cleared(answers, key, Vec::new(), at);
        let edits = match cleared {
            Some(edits) if edits.len() <= 1 => edits,
            several if hides(answers, candidate) => several?,
            several => {
                let value = &resolution.leaf(candidate).value;
                let written = self.written_where_it_is_decided(answers, key, value);
                written.map(|edit| vec![edit]).or(several)?
            }
        };
        Some(edits.into_iter().map(|(_, change)| change).collect())
    }

    /// Takes out what is in the way of the leaf, one after the other, until the setting is what
    /// was expected.
    fn cleared(
        &self,
        answers: &Answers<'_>,
        key: KeyId,
        mut edits: Vec<(Edit, Change)>,
        at: (usize, u32),
    ) -> Option<Vec<(Edit, Change)>> {
        for _ in 0..=MOST_CHANGES {
            let trial = tried(answers, &edits)?;
            let then = trial.answers();
            if self.is_met(&then, key) {
                return Some(edits);
            }
            edits.push(obstacle(answers, &then, key, at, &edits)?);
        }
        None
    }

    /// Writing the value in the line that decides now.
    fn written_where_it_is_decided(
        &self,
        answers: &Answers<'_>,
        key: KeyId,
        value: &Value,
    ) -> Option<(Edit, Change)> {
        if self.layer.is_some() {
            return None;
        }
        let resolution = answers.resolution();
        let winner = resolution.winner(key)?;
        let candidate = resolution.candidate(winner);
        let reading = resolution.reading(candidate);
        let input = resolution.readings().input_of(candidate.reading)?;
        // What has no types holds texts only.
        let value = match (reading.untyped, value) {
            (true, Value::Null | Value::List(_) | Value::Map(_)) => return None,
            (true, Value::Text(_)) | (false, _) => value.clone(),
            (true, other) => Value::Text(other.show().into()),
        };
        // A step may be read by anybody. A store that is a file is TOML, with quotes around its texts.
        let is_bare = reading.untyped
            && (reading.document.scope.is_none() || reading.document.text.is_none());
        let to = match (hide_address_password(&value).as_ref(), is_bare) {
            (Value::Text(text), true) => text.to_string(),
            (value, _) => value.show(),
        };
        let edit = Edit::Change { input, leaf: candidate.leaf, value };
        let stand = Provenance::of(resolution, winner);
        let change = Change {
            act: Act::Write,
            at: ChangedAt::Place(stand.place.clone()),
            name: stand.shown_name(resolution.keys()),
            to: Some(to),
        };
        let edits = [(edit, change)];
        let is_met = self.is_met(&tried(answers, &edits)?.answers(), key);
        let [step] = edits;
        is_met.then_some(step)
    }

    /// A leaf of a reading under another name.
    fn renamed(
        &self,
        answers: &Answers<'_>,
        key: KeyId,
        from: &Elsewhere,
        meant: &KeyPath,
    ) -> Option<Found> {
        let found = self.moved(answers, key, from, meant)?;
        Some(Found {
            how: How::NearName,
            keeps: Fact::new(words::OTHER_NAME)
                .with("name", &found.name)
                .with("meant", meant.to_string()),
            ..found
        })
    }

    /// Something that a source has under another name, as if it was under `name` in the section.
    fn moved(
        &self,
        answers: &Answers<'_>,
        key: KeyId,
        from: &Elsewhere,
        name: &KeyPath,
    ) -> Option<Found> {
        let resolution = answers.resolution();
        let readings = resolution.readings();
        let keys = resolution.keys();
        let input = &readings.inputs.inputs[from.input];
        let said = input.document.leaves.get(from.leaf as usize)?;
        let is_secret = from.hidden
            || answers.is_secret(key)
            || crate::model::secret::is_secret_name(&keys.show(said.name))
            || input.document.hides(from.leaf);
        let sense = match self.layer {
            Some(layer) => (layer == input.layer).then_some(Sense::Layer)?,
            None if input.origin.name() == self.text => Sense::Source,
            None => (!is_secret && self.fits(&said.value)).then_some(Sense::Value)?,
        };
        let section = input.section.iter().flat_map(KeyPath::segments);
        let full: Vec<String> = section.chain(name.segments()).map(str::to_owned).collect();
        let full = KeyPath::from_segments(full)?;
        let place = input.place_of(said);
        let change = Change {
            act: Act::Rename,
            at: ChangedAt::Place(place.clone()),
            name: keys.show(said.name),
            to: Some(full.to_string()),
        };
        // A file in which the name is there already would say it twice.
        let segments: Vec<&str> = full.segments().collect();
        let is_taken = input.document.leaves.iter().any(|leaf| {
            let there = keys.segments(leaf.name);
            let both = there.len().min(segments.len());
            there[..both] == segments[..both] && leaf.name != said.name
        });
        let edit = Edit::Rename { input: from.input, leaf: from.leaf, name: full };
        let edits = vec![(edit, change)];
        let steps = match is_taken {
            false => self.cleared(answers, key, edits, (from.input, from.leaf)),
            true if is_secret => None,
            true => {
                let written = self.written_where_it_is_decided(answers, key, &said.value);
                written.map(|edit| vec![edit])
            }
        };
        let steps: Vec<Change> = steps.into_iter().flatten().map(|(_, change)| change).collect();
        let section: Vec<&str> = input.section.iter().flat_map(KeyPath::segments).collect();
        let segments = keys.segments(said.name);
        let shown = input.section.as_ref().map(KeyPath::to_string).unwrap_or_default();
        let (how, keeps) = match segments.strip_prefix(section.as_slice()) {
            Some(inside) => {
                let inside =
                    KeyPath::from_segments(inside.iter().map(|it| (*it).to_owned()).collect())?;
                (How::Deeper, Fact::new(words::DEEPER).with("key", inside.to_string()))
            }
            None => (How::OutsideSection, Fact::new(words::OUTSIDE_SECTION)),
        };
        let keeps = keeps.with("section", shown);
        Some(Found {
            sense,
            layer: readings.layer(input.layer).name.clone(),
            place,
            name: keys.show(said.name),
            is_pattern: false,
            says: (!is_secret).then(|| hide_address_password(&said.value).into_owned()),
            how,
            keeps,
            steps,
        })
    }
}

/// Layers that were not read here, strongest first.
pub fn unread_layers(readings: &Readings) -> Vec<LayerIndex> {
    let is_unread = |index: &usize| {
        let layer = &readings.layers[*index];
        matches!(layer.presence, Presence::Inactive(_))
            && !matches!(layer.kind, Kind::Arguments | Kind::Catalogue)
    };
    (0..readings.layers.len()).rev().filter(is_unread).map(LayerIndex).collect()
}
