//! Strings that another program fills in.

use crate::fault::Fault;
use crate::registry::Format;
use crate::tree::{Kind, NodeId, Tree};
use hashbrown::HashSet;
use justwhy_core::Span;

/// A pattern of what another program fills in: `${{ * }}`, where `*` is any run of characters.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct Filled(Vec<String>);

/// What was found of it in a text.
pub(super) type Place = Span;

/// The most characters of it that are shown.
const MOST_SHOWN: usize = 80;

impl Filled {
    /// A pattern that begins and ends with something else than `*`, or has none; why it is none.
    pub fn parse(text: &str) -> Result<Filled, &'static str> {
        let pieces: Vec<String> = text.split('*').map(|it| it.trim().to_owned()).collect();
        match pieces.as_slice() {
            [only] if only.is_empty() => Err("empty pattern; for example \"${{ * }}\""),
            [_] => Ok(Filled(pieces)),
            [first, .., last] if first.is_empty() || last.is_empty() => {
                Err("the pattern must begin and end with the marks around what is filled in")
            }
            _ => Ok(Filled(pieces)),
        }
    }

    /// The first place at or after `from`.
    fn find(&self, text: &str, from: usize) -> Option<Span> {
        let (first, rest) = self.0.split_first()?;
        let start = from + text.get(from..)?.find(first.as_str())?;
        let mut at = start + first.len();
        for piece in rest {
            at += text.get(at..)?.find(piece.as_str())? + piece.len();
        }
        Some(Span::new(start, at))
    }
}

/// Every place at which one of the patterns is, in order and apart.
pub(super) fn places(text: &str, patterns: &[Filled]) -> Vec<Place> {
    let mut found: Vec<Span> = Vec::new();
    for pattern in patterns {
        let mut from = 0;
        while let Some(place) = pattern.find(text, from) {
            from = place.end as usize;
            found.push(place);
        }
    }
    found.sort_by_key(|place| (place.start, std::cmp::Reverse(place.end)));
    let mut end = 0;
    found.retain(|place| {
        let is_apart = place.start >= end;
        if is_apart {
            end = place.end;
        }
        is_apart
    });
    found
}

/// The text with a word of the same length in each place, if it does not parse as it is.
pub(super) fn masked(text: &str, places: &[Place], format: Format) -> Option<String> {
    if places.is_empty() || format.is_readable(text) {
        return None;
    }
    let mut masked = String::with_capacity(text.len());
    let mut at = 0;
    for place in places {
        let (start, end) = (place.start as usize, place.end as usize);
        masked.push_str(text.get(at..start)?);
        masked.extend(std::iter::repeat_n('x', end - start));
        at = end;
    }
    masked.push_str(text.get(at..)?);
    Some(masked)
}

/// Marks every scalar below `node` in which one of the places is as one that cannot be read.
pub(super) fn mark(
    tree: &mut Tree<'_>,
    node: NodeId,
    (places, patterns): (&[Place], &[Filled]),
    text: &str,
) -> Result<(), Fault> {
    if places.is_empty() {
        return Ok(());
    }
    let touching = |at: Span| {
        let first = places.partition_point(|place| place.end <= at.start);
        places.get(first).filter(|place| place.start < at.end)
    };
    let (mut open, mut seen) = (vec![node], HashSet::new());
    while let Some(id) = open.pop() {
        let id = tree.followed(id);
        if !seen.insert(id) {
            continue;
        }
        let node = tree.node(id);
        match &node.kind {
            Kind::List(children) | Kind::Table(children) => {
                for child in tree.children(*children) {
                    let name_at = tree.node(child).name_at;
                    if tree.node(child).name.is_empty() || touching(name_at).is_none() {
                        open.push(child);
                        continue;
                    }
                    return Err(Fault::new(name_at, "another program fills in this key").help(
                        "read what that program writes instead, for example with --read LAYER=PATH",
                    ));
                }
                continue;
            }
            Kind::Unread(_) | Kind::OfProcess | Kind::LeftOut | Kind::Alias(..) => continue,
            _ => {}
        }
        let place = touching(node.at).and_then(|it| text.get(it.start as usize..it.end as usize));
        let found = match (place, &node.kind) {
            (Some(place), _) => Some(place.to_owned()),
            // What is written with escapes has no places inside.
            (None, Kind::Text(own)) => patterns.iter().find_map(|pattern| {
                let place = pattern.find(own, 0)?;
                own.get(place.start as usize..place.end as usize).map(str::to_owned)
            }),
            _ => None,
        };
        if let Some(found) = found {
            let shown: String = found.chars().take(MOST_SHOWN).collect();
            let reason = format!("another program fills in {shown}");
            tree.node_mut(id).kind = Kind::Unread(reason.into());
        }
    }
    Ok(())
}
