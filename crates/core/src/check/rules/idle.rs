//! Values that never take effect, and values that weaker layers set already: of two of which
//! one repeats the other only one is reported, so that both are found together.

use super::{About, Look, Needs, Seen, Severity, State, Visit};
use crate::check::{CheckRule, Finding};
use crate::contexts::survey::ContextSet;
use crate::model::fact::Fact;
use crate::model::key::KeyId;
use crate::model::layer::{Kind, LayerIndex};
use crate::model::place::Origin;
use crate::precedence::resolution::Candidate;
use crate::precedence::verdict::{Rule, Verdict};
use crate::reading::Reading;
use hashbrown::{HashMap, HashSet};
use std::sync::Arc;

const NEVER: &str = "{key} in {layer} never takes effect";
const REPEATS: &str = "{layer} sets {key} to the same value as {weaker}";

pub(crate) static NEVER_WINS: About =
    About::new("never-wins", Severity::Note, "a value that never takes effect", &[NEVER], || {
        Visit::State(Box::new(Idle::default()))
    })
    .needing(Needs::EveryContext);

pub(crate) static REPEATS_WEAKER: About = About::new(
    "repeats-weaker",
    Severity::Note,
    "a value that weaker layers set already",
    &[REPEATS],
    || Visit::Nothing,
)
.needing(Needs::EveryContext);

/// What is set anywhere, in the order in which it was seen.
#[derive(Default)]
struct Idle {
    said: Vec<Said>,
    said_by: HashMap<By, usize>,
}

/// What makes a value the same one in several contexts.
#[derive(PartialEq, Eq, Hash)]
enum By {
    /// A scope of that number, read by a layer: what it has is one thing, for whomever it is meant.
    Scope(usize, LayerIndex, u32, KeyId),
    /// A place in a file, which contexts may read as different documents.
    Place(LayerIndex, Origin, u32, KeyId),
    /// The leaf of a reading.
    Leaf(usize, u32, KeyId),
}

impl By {
    fn of(reading: &Arc<Reading>, leaf: u32, key: KeyId) -> By {
        if let Some(scope) = &reading.document.scope {
            return By::Scope(scope.number, reading.layer, leaf, key);
        }
        match reading.document.leaves.get(leaf as usize).and_then(|leaf| leaf.at) {
            Some(at) => By::Place(reading.layer, reading.origin.clone(), at.start, key),
            None => By::Leaf(Arc::as_ptr(reading) as usize, leaf, key),
        }
    }
}

/// A value that a source has, in all contexts.
struct Said {
    key: KeyId,
    reading: Arc<Reading>,
    leaf: u32,
    /// The contexts in which somebody works, of those in which it is set.
    full: ContextSet,
    is_secret: bool,
    /// Whether anything comes of it anywhere.
    counts: bool,
    /// Whether something else was found about it that shows why nothing comes of it.
    is_told: bool,
    /// Whether a weaker value is the same wherever this one decides; none if it never does.
    repeats: Option<bool>,
    /// The value that it repeats.
    weaker: Option<(Arc<Reading>, u32)>,
}

impl State for Idle {
    /// Takes in what is known of a setting in a group of contexts.
    fn group(&mut self, _: &mut Look<'_>, seen: &Seen<'_>) {
        let resolution = seen.resolution();
        let like = seen.answer.conversion.as_ref().and_then(|conversion| conversion.like);
        for id in resolution.candidates(seen.key) {
            let candidate = resolution.candidate(id);
            let reading = &resolution.readings().readings[candidate.reading as usize];
            let kind = resolution.readings().layer(reading.layer).kind;
            // A fallback in code is there to be overridden.
            if reading.is_removal || matches!(kind, Kind::Arguments | Kind::Code) {
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
        }
    }

    fn finish(&mut self, look: &mut Look<'_>) {
        self.excuse_repeated();
        for said in &self.said {
            let found = idle(look, said);
            look.findings.add_some(found);
        }
    }
}

impl Idle {
    fn said_of(
        &mut self,
        seen: &Seen<'_>,
        candidate: &Candidate,
        reading: &Arc<Reading>,
    ) -> &mut Said {
        let by = By::of(reading, candidate.leaf, seen.key);
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

    /// A value that a stronger one repeats decides nothing only as long as that one is there: one of
    /// the two is told, not both.
    fn excuse_repeated(&mut self) {
        let repeating = self.said.iter().filter(|said| said.repeats == Some(true));
        let repeated: HashSet<By> = repeating
            .filter_map(|said| said.weaker.as_ref().map(|weaker| (weaker, said.key)))
            .map(|((reading, leaf), key)| By::of(reading, *leaf, key))
            .collect();
        for said in &mut self.said {
            let by = By::of(&said.reading, said.leaf, said.key);
            said.is_told |= repeated.contains(&by) && !said.counts;
        }
    }
}

/// A value that decides nothing, or nothing new.
fn idle(look: &Look<'_>, said: &Said) -> Option<Finding> {
    let first = look.survey.contexts().first()?;
    let layer = first.layer(said.reading.layer);
    let pins = layer.pins.has(&first.keys, said.key);
    if said.is_told || layer.is_local() || said.full.is_empty() {
        return None;
    }
    let shown = first.keys.show(said.key);
    let spot = |reading: &Reading, leaf: u32, what: Option<Fact>| {
        look.lines.spot(reading, leaf, what, said.is_secret)
    };
    let at = spot(&said.reading, said.leaf, None);
    let name = |layer: LayerIndex| &first.layer(layer).name;
    if !said.counts {
        let fact = Fact::new(NEVER).with("layer", name(said.reading.layer).as_str());
        let finding = Finding::new(CheckRule(&NEVER_WINS), fact, said.full.clone());
        return Some(finding.about(shown).at(at));
    }
    let (weaker, leaf) = said.weaker.as_ref().filter(|_| said.repeats == Some(true) && !pins)?;
    let fact = Fact::new(REPEATS)
        .with("layer", name(said.reading.layer).as_str())
        .with("weaker", name(weaker.layer).as_str());
    let finding = Finding::new(CheckRule(&REPEATS_WEAKER), fact, said.full.clone());
    let weaker = spot(weaker, *leaf, Some("the same value".into()));
    Some(finding.about(shown).at(at).at(weaker))
}

/// Whether a candidate has just what it overrides, and what that is.
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
    let refers = resolution.may_refer(candidate) || resolution.may_refer(weaker);
    let is_same = match refers {
        true => own == other && resolution.layer_of(candidate) != resolution.layer_of(weaker),
        // Conversion makes a text what the weaker one is.
        false => own == other || seen.answer.effective() == Some(other),
    };
    let reading = &resolution.readings().readings[weaker.reading as usize];
    (is_same, is_same.then(|| (Arc::clone(reading), weaker.leaf)))
}
