//! What the fuzz targets drive that is nobody's business otherwise. Only built with the feature
//! `fuzzing`.

use crate::model::near::KnownNames;
use crate::model::near::{is_near, nearest, nearest_few};

/// Looks up the first line of a text among the others, in each way in which that is done.
///
/// # Panics
///
/// If they do not find the same, or if nearness has a direction.
pub fn near(text: &str) {
    let mut lines = text.split('\n');
    let name = lines.next().unwrap_or_default();
    let others: Vec<&str> = lines.collect();
    let all = || others.iter().copied();
    let found = nearest(name, all());
    let known: KnownNames = others.iter().map(|other| (*other).to_owned()).collect();
    assert_eq!(known.nearest(name), found);
    assert_eq!(nearest_few(name, all(), 1).first().copied(), found);
    for other in all() {
        assert_eq!(is_near(name, other), is_near(other, name), "{other:?}");
    }
    let each = all().enumerate().filter(|(_, other)| nearest(name, [*other]).is_some());
    assert_eq!(known.meant_by(name), each.collect::<Vec<_>>());
    // Of very many names only those one edit away are found, and they are found.
    let indexed = KnownNames::indexed(others.iter().map(|other| (*other).to_owned()));
    let found = indexed.meant_by(name);
    let lower = name.to_ascii_lowercase();
    let is_one_away = |other: &str| strsim::osa_distance(&lower, &other.to_ascii_lowercase()) <= 1;
    let expected = known.meant_by(name).into_iter().filter(|(_, other)| is_one_away(other));
    assert_eq!(found, expected.collect::<Vec<_>>());
}
