//! The first questions to ask of a project: the settings that most layers set.

use crate::prove::open;
use justwhy_core::{LayerIndex, Resolution};
use justwhy_engine::plain_context;
use justwhy_project::World;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::Arc;

/// How many settings are asked about.
const MOST: usize = 3;
/// More contexts than this are not looked at.
const MOST_CONTEXTS: usize = 24;

/// A setting that many layers set, and where.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Question {
    /// Its key.
    pub key: String,
    /// The context, as `--in` takes it; none where no axis has a value.
    pub context: Option<String>,
    /// How many layers set it there.
    pub layers: usize,
}

/// The settings that most layers set, for a project file of that text.
pub fn questions(world: &Arc<dyn World>, folder: &Path, file: &str, text: &str) -> Vec<Question> {
    let Ok(session) = open(world, folder, file, text) else { return Vec::new() };
    // What is only of this machine is no good example.
    let snapshot = session.snapshot(justwhy_engine::Arguments::default(), false);
    let Ok(fixed) = snapshot.fixed(None) else { return Vec::new() };
    let contexts = snapshot.contexts(&fixed).unwrap_or_default();
    let step = contexts.len().div_ceil(MOST_CONTEXTS).max(1);
    let contexts: Vec<_> = contexts.into_iter().step_by(step).collect();
    let mut best: BTreeMap<String, Question> = BTreeMap::new();
    for read in snapshot.read_all(&contexts).into_iter().flatten() {
        let resolution = Resolution::of(Arc::new(read));
        for key in resolution.settings() {
            let candidates = resolution.candidates(key).map(|id| resolution.candidate(id));
            let setters: BTreeSet<usize> = candidates.map(|it| resolution.layer_of(it).0).collect();
            let shown = resolution.keys().show(key);
            let layers = setters.len();
            if layers > best.get(&shown).map_or(0, |it| it.layers) {
                let context = context_of(&resolution, &setters);
                best.insert(shown.clone(), Question { key: shown, context, layers });
            }
        }
    }
    let mut all: Vec<Question> = best.into_values().collect();
    all.sort_by(|one, other| (other.layers, &one.key).cmp(&(one.layers, &other.key)));
    all.truncate(MOST);
    all
}

/// The axes on which some layers depend, with their values, as `--in` takes them.
fn context_of(resolution: &Resolution, layers: &BTreeSet<usize>) -> Option<String> {
    let readings = resolution.readings();
    let mut names: BTreeSet<&str> = BTreeSet::new();
    for layer in layers.iter().map(|number| readings.layer(LayerIndex(*number))) {
        names.extend(layer.axes.iter().map(String::as_str));
        names.extend(layer.when.iter().map(|condition| condition.axis.as_str()));
    }
    let mut context = readings.context.clone();
    context.axes.retain(|it| it.value.is_some() && names.contains(it.axis.as_str()));
    (!context.axes.is_empty()).then(|| plain_context(&context))
}
