//! Where a layer would set a setting, and what a text given for it would be there.

use crate::answers::Answers;
use crate::explanation::kinds::{Holder, NoDestination, holder, none, refusal, variable_of};
use crate::explanation::sources_of;
use crate::model::convert::{Declaration, Shape, read_like, read_list};
use crate::model::fact::Fact;
use crate::model::key::{KeyId, KeyPath};
use crate::model::layer::{Kind, LayerIndex, Names, Presence};
use crate::model::place::Span;
use crate::model::value::{Type, Value};
use crate::model::words::changes as words;
use crate::precedence::provenance::Provenance;
use crate::precedence::verdict::Verdict;
use std::sync::Arc;

/// The place in a source at which a layer sets something of a setting, or would.
#[derive(Clone, PartialEq, Debug)]
pub struct Destination {
    /// The layer.
    pub layer: LayerIndex,
    /// The file, or what is read where there is none.
    pub holder: Holder,
    /// The name in it, its section included.
    pub name: KeyPath,
    /// What the layer has there now: decrypted, if it is encrypted and can be.
    pub says: Option<Value>,
    /// What is there now, if it is encrypted.
    pub encrypted: Option<Arc<str>>,
    /// Whether everything is a text there.
    pub is_untyped: bool,
    /// The revision in which a store has it, if it tells.
    pub revision: Option<u64>,
    /// Whether the whole file is this value, as a variable names the file.
    pub is_file: bool,
}

/// Where the layer would set the setting in this context: where it sets something already, else
/// in the strongest of its sources.
pub fn destination(
    answers: &Answers<'_>,
    index: LayerIndex,
    path: &KeyPath,
) -> Result<Destination, NoDestination> {
    let resolution = answers.resolution();
    let readings = resolution.readings();
    let layer = readings.layer(index);
    let of_layer = |form| Fact::new(form).with("layer", &layer.name);
    if let Some(refusal) = refusal(answers, index, path) {
        return Err(refusal);
    }
    if let (Presence::Inactive(_) | Presence::Unavailable(_), Some(why)) =
        (&layer.presence, layer.absence())
    {
        return Err(none(
            of_layer(words::LAYER_NOT_ACTIVE).with("why", why),
            words::CHOOSE_CONTEXT,
        ));
    }
    let key = readings.keys.find(KeyId::ROOT, path);
    if let Some(said) = key.and_then(|key| said(answers, index, key)) {
        return said;
    }
    let holder = holder(answers, index, key)?;
    let Some(own) = name_in(answers, index, path) else {
        let into = layer.into.as_ref().map(KeyPath::to_string).unwrap_or_default();
        return Err(none(of_layer(words::ALL_BELOW).with("key", into), words::OTHER_LAYER));
    };
    let section = layer.under.iter().flat_map(KeyPath::segments);
    let segments: Vec<String> = section.map(str::to_owned).chain(own).collect();
    let Some(name) = KeyPath::from_segments(segments) else {
        let problem = of_layer(words::NO_NAME).with("key", path.to_string());
        return Err(none(problem, words::OTHER_KEY));
    };
    let is_untyped = match &holder {
        Holder::Scope { .. } => true,
        Holder::Values => false,
        Holder::File(_) => sources_of(answers, index).next().is_some_and(|it| it.untyped),
    };
    Ok(Destination {
        layer: index,
        holder,
        name,
        says: None,
        encrypted: None,
        is_untyped,
        is_file: false,
        revision: None,
    })
}

/// Where the layer sets something of the setting already.
fn said(
    answers: &Answers<'_>,
    index: LayerIndex,
    key: KeyId,
) -> Option<Result<Destination, NoDestination>> {
    let resolution = answers.resolution();
    let layer = resolution.readings().layer(index);
    // From the strongest.
    let mut of_layer = resolution.candidates(key).filter(|id| {
        let candidate = resolution.candidate(*id);
        let reading = resolution.reading(candidate);
        reading.layer == index && !reading.is_removal && candidate.verdict != Verdict::Withheld
    });
    let id = of_layer.next()?;
    let candidate = resolution.candidate(id);
    let reading = resolution.reading(candidate);
    let stand = Provenance::of(resolution, id);
    let mut says = resolution.leaf(candidate).value.clone();
    if reading.document.leaves.len() <= candidate.leaf as usize
        || matches!(says, Value::Map(_)) && !reading.untyped
    {
        let problem = Fact::new(words::IS_TABLE).with("layer", &layer.name);
        return Some(Err(none(problem, words::EDIT_ENTRIES)));
    }
    let dollars = reading.document.literal_dollars(candidate.leaf as usize);
    if let Some(text) = says.as_text().filter(|_| layer.references && !dollars.is_empty()) {
        says = Value::Text(with_doubled(text, dollars).into());
    }
    let segments = resolution.keys().segments(stand.name).into_iter().map(str::to_owned);
    let name = KeyPath::from_segments(segments.collect())?;
    let holder = match (layer.kind, &reading.document.scope, &layer.scope) {
        (Kind::Values, ..) => Holder::Values,
        (Kind::Scope | Kind::Scopes, Some(of), Some(read)) => {
            Holder::Scope { store: read.store.clone(), scope: of.name.to_string() }
        }
        _ => Holder::File(reading.origin.to_string()),
    };
    Some(Ok(Destination {
        layer: index,
        holder,
        name,
        says: Some(says),
        encrypted: resolution.note(candidate).and_then(|note| note.encrypted.clone()),
        is_untyped: reading.untyped,
        is_file: reading.document.named.as_ref().is_some_and(|named| named.is_value),
        revision: resolution.note(candidate).and_then(|note| note.revision),
    }))
}

/// The text as other sources write it, which cannot say by quotes that a `$` begins no reference.
fn with_doubled(text: &str, literal_dollars: &[u32]) -> String {
    let mut doubled = text.to_owned();
    for dollar in literal_dollars.iter().rev() {
        let at = *dollar as usize;
        if text.get(at..).is_some_and(|rest| rest.starts_with("${")) {
            doubled.insert(at, '$');
        }
    }
    doubled
}

/// The name by which the layer would set a key, in its source's own terms and without its
/// section.
fn name_in(answers: &Answers<'_>, index: LayerIndex, path: &KeyPath) -> Option<Vec<String>> {
    let layer = answers.resolution().readings().layer(index);
    if let Names::Variables(_) = &layer.names {
        return Some(vec![variable_of(answers, index, path)?]);
    }
    let below = crate::reading::segments_below(layer.into.as_ref(), path.segments())?;
    Some(below)
}

/// # Texts
/// The value that a text is at a destination: what the catalogue declares, else what is there, else
/// what the setting is now (`like`), else what it reads as.
pub fn as_written(
    text: &str,
    destination: &Destination,
    shape: Option<&Shape>,
    like: Option<Type>,
) -> Value {
    let plain = || Value::Text(text.into());
    if destination.is_untyped {
        return plain();
    }
    let list = || read_list(text, Span::default()).ok().map(Value::List);
    let kind = shape.map_or(Declaration::Any, |shape| shape.kind);
    let is_integer = |value: &Option<Value>| matches!(value, Some(Value::Integer(_)));
    let read = match kind {
        Declaration::Any => {
            let says =
                destination.says.as_ref().map(Value::kind).filter(|kind| *kind != Type::Null);
            match says.or(like.filter(|like| *like != Type::Null)) {
                Some(Type::List) => list(),
                // Another number is a number, whether it was whole before or not.
                Some(Type::Integer | Type::Number) => {
                    read_like(text, Type::Integer).or_else(|| read_like(text, Type::Number))
                }
                Some(Type::Boolean) => is_bare_boolean(text),
                Some(Type::Text) => None,
                _ => by_itself(text),
            }
        }
        Declaration::Boolean => read_like(text, Type::Boolean),
        Declaration::Integer => read_like(text, Type::Integer),
        Declaration::Number => {
            read_like(text, Type::Integer).or_else(|| read_like(text, Type::Number))
        }
        Declaration::Size if is_integer(&destination.says) => read_like(text, Type::Integer),
        Declaration::Choice => {
            let values = shape.into_iter().flat_map(|shape| shape.one_of.iter());
            let mut typed = values.filter(|value| value.as_text().is_none());
            typed.find(|value| value.show() == text).cloned()
        }
        Declaration::List => list(),
        Declaration::Map => crate::model::convert::read_map(text),
        Declaration::Text
        | Declaration::Duration
        | Declaration::Size
        | Declaration::Url
        | Declaration::Path => None,
    };
    read.unwrap_or_else(plain)
}

fn is_bare_boolean(text: &str) -> Option<Value> {
    matches!(text, "true" | "false").then(|| Value::Boolean(text == "true"))
}

/// What a text is where nothing is known: as TOML and JSON would read it, if they read it alike.
fn by_itself(text: &str) -> Option<Value> {
    let is_list = text.starts_with('[');
    is_bare_boolean(text)
        .or_else(|| read_like(text, Type::Integer))
        .or_else(|| read_like(text, Type::Number))
        .or_else(|| read_list(text, Span::default()).ok().filter(|_| is_list).map(Value::List))
}
