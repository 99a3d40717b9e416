//! What candidates come to: the value of one, or of a list that several gather.

use super::expand::Expanded;
use super::weight::Weight;
use super::{Failure, Item, Outcome};
use crate::model::candidate::CandidateId;
use crate::model::catalogue::{Declared, EmptyText, Gather};
use crate::model::convert::{Conversion, Declaration, NotAList, Shape, read_like, read_list};
use crate::model::fact::Fact;
use crate::model::value::{Element, Value};
use crate::model::words::answers as words;
use crate::precedence::resolution::Resolution;
use hashbrown::HashMap;

/// Rule 7 for a setting that one candidate decides.
pub(super) fn single(
    resolution: &Resolution,
    winner: CandidateId,
    declared: Option<&Declared>,
    secret: bool,
    part: Expanded,
) -> Outcome {
    let Expanded { value, weight } = part;
    let candidate = resolution.candidate(winner);
    let is_refused = declared.is_some_and(|declared| declared.empty == Some(EmptyText::Error));
    if value.is_empty_text() && is_refused {
        return Outcome::new(Err(Failure::new("bad-value", Fact::new(words::EMPTY_REFUSED))));
    }
    let shape = shape_of(declared);
    if let Some(shape) = shape.filter(|shape| shape.kind != Declaration::Any) {
        let at = resolution.leaf(candidate).at.unwrap_or_default();
        return match shape.fit(&value, at) {
            Ok(fitting) if fitting.kind() == value.kind() => {
                Outcome { weight, ..Outcome::new(Ok(Some(fitting))) }
            }
            Ok(fitting) => {
                let conversion = Conversion { like: None, to: fitting.kind(), from: value };
                let conversion = Some(conversion);
                Outcome { conversion, ..Outcome::new(Ok(Some(fitting))) }
            }
            Err(misfit) => Outcome::new(Err(Failure::new("bad-value", misfit.fact(secret)))),
        };
    }
    let converted =
        value.as_text().filter(|_| resolution.reading(candidate).untyped).and_then(|text| {
            let (like, to) = resolution.type_giver(candidate)?;
            let like = Some(like);
            Some((read_like(text, to)?, Conversion { like, to, from: value.clone() }))
        });
    let (value, conversion) = match converted {
        Some((value, conversion)) => (value, Some(conversion)),
        None => (value, None),
    };
    // Without a declared type there may still be bounds.
    if let Some(shape) = shape
        && let Err(misfit) = shape.fit(&value, resolution.leaf(candidate).at.unwrap_or_default())
    {
        return Outcome::new(Err(Failure::new("bad-value", misfit.fact(secret))));
    }
    let weight = if conversion.is_some() { Weight::default() } else { weight };
    Outcome { conversion, weight, ..Outcome::new(Ok(Some(value))) }
}

/// What the values of a setting must be, if the catalogue sets anything about that.
fn shape_of(declared: Option<&Declared>) -> Option<&Shape> {
    declared.map(|declared| &*declared.shape).filter(|shape| !shape.is_open())
}

/// Rule 5: the lists of all parts, the winner's first as `parts` has them.
pub(super) fn gathered(
    resolution: &Resolution,
    gather: Gather,
    declared: Option<&Declared>,
    secret: bool,
    parts: Vec<(CandidateId, Expanded)>,
) -> Outcome {
    let shape = shape_of(declared);
    let mut weight = Weight::default();
    let mut items: Vec<Item> = Vec::new();
    let in_order: Box<dyn Iterator<Item = (CandidateId, Expanded)>> = match gather {
        Gather::Before => Box::new(parts.into_iter()),
        Gather::After | Gather::Distinct => Box::new(parts.into_iter().rev()),
    };
    for (id, part) in in_order {
        weight = weight.and(part.weight);
        let candidate = resolution.candidate(id);
        let is_refused = declared.is_some_and(|declared| declared.empty == Some(EmptyText::Error));
        if part.value.is_empty_text() && is_refused {
            return Outcome::new(Err(Failure::new("bad-value", Fact::new(words::EMPTY_REFUSED))));
        }
        let list = match part.value {
            Value::List(items) => Ok(items),
            Value::Text(text) => {
                let at = resolution.leaf(candidate).at.unwrap_or_default();
                read_list(&text, at)
            }
            other => Err(NotAList::Kind(other.kind())),
        };
        let list = match list {
            Ok(list) => list,
            Err(problem) => {
                let layer = &resolution.readings().layer(resolution.layer_of(candidate)).name;
                let place = resolution.reading(candidate).place(candidate.leaf);
                let fact = Fact::new(words::JOINS_LISTS)
                    .with("layer", layer)
                    .with("what", problem.show())
                    .with("place", place.to_string());
                return Outcome::new(Err(Failure::new("bad-value", fact)));
            }
        };
        let at = resolution.leaf(candidate).at;
        let has_lines = at.is_some();
        let list = match shape.map(|shape| shape.fit_items(&list, at.unwrap_or_default())) {
            None => list,
            Some(Ok(list)) => list,
            Some(Err(misfit)) => {
                let place = resolution.reading(candidate).place(candidate.leaf);
                let fact = Fact::new(words::AT_PLACE)
                    .with("why", misfit.fact(secret))
                    .with("place", place.to_string());
                return Outcome::new(Err(Failure::new("bad-value", fact)));
            }
        };
        items.extend(list.iter().map(|item| Item {
            value: item.value.clone(),
            candidate: id,
            at: has_lines.then_some(item.at),
        }));
    }
    if gather == Gather::Distinct {
        items = distinct(items);
    }
    let elements = items
        .iter()
        .map(|item| Element { value: item.value.clone(), at: item.at.unwrap_or_default() });
    let value = Value::List(elements.collect());
    if let Some(Err(misfit)) = shape.map(|shape| shape.check_bounds(&value)) {
        return Outcome::new(Err(Failure::new("bad-value", misfit.fact(secret))));
    }
    Outcome { items, weight, ..Outcome::new(Ok(Some(value))) }
}

/// The first of equal items, over the whole list.
fn distinct(items: Vec<Item>) -> Vec<Item> {
    let mut seen: HashMap<String, Vec<usize>> = HashMap::new();
    let mut kept: Vec<Item> = Vec::new();
    for item in items {
        // Equal values look alike, so only those that look alike are compared.
        let alike = seen.entry(item.value.show()).or_default();
        if alike.iter().any(|at| kept[*at].value == item.value) {
            continue;
        }
        alike.push(kept.len());
        kept.push(item);
    }
    kept
}
