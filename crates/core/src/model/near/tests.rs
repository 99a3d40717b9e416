//! Tests of near misses.

use super::{KnownNames, Outline};
use crate::model::near::{is_near, nearest, nearest_few};
use proptest::prelude::*;

#[test]
fn knows_a_near_miss_from_another_name() {
    for (a, b, expected) in [
        ("TIDE_DATABASE_URL", "TIDE_DATABASE__URL", true),
        ("TIED_DATABASE__URL", "TIDE_DATABASE__URL", true),
        ("tide_database__url", "TIDE_DATABASE__URL", true),
        ("production", "prodution", true),
        ("staging", "stagnig", true),
        ("thresh", "threshold", false),
        ("same-name", "same-name", false),
        ("port", "part", false),
        ("ports", "parts", true),
        ("ports", "boast", false),
    ] {
        assert_eq!(is_near(a, b), expected, "{a} and {b}");
        assert_eq!(is_near(b, a), expected, "{b} and {a}");
    }
}

#[test]
fn suggests_the_nearest_first() {
    let known = ["production", "staging", "dev", "prod"];
    assert_eq!(nearest("prodution", known), Some("production"));
    assert_eq!(nearest("PRODUCTION", known), Some("production"));
    assert_eq!(nearest("prd", known), Some("prod"));
    assert_eq!(nearest("deb", known), Some("dev"));
    assert_eq!(nearest("x", known), None);
    assert_eq!(nearest("elsewhere", known), None);
    // Two letters in the wrong order are one slip, and less than that and another one.
    assert_eq!(nearest("gauge1.valeu", ["gauge0.value", "gauge1.value"]), Some("gauge1.value"));
    assert_eq!(nearest_few("poll", ["pool", "polls", "pole", "cell"], 2), ["pole", "polls"]);
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn never_rules_out_a_near_miss_by_its_outline(
        text in "[a-c._é🌊]{3,12}",
        edits in prop::collection::vec((any::<prop::sample::Index>(), 0..3_u8, "[a-dé🌊]"), 0..3),
    ) {
        let mut other: Vec<char> = text.chars().collect();
        for (at, kind, put) in edits {
            let at = at.index(other.len());
            let put = put.chars().next().unwrap();
            match kind {
                0 => other.insert(at, put),
                1 => other[at] = put,
                _ => drop(other.remove(at)),
            }
        }
        let other: String = other.into_iter().collect();
        prop_assert!(Outline::of(&text).could_be_near(&Outline::of(&other)), "{} {}", text, other);
    }

    #[test]
    fn finds_among_known_names_what_was_meant_among_all(
        name in "[abA.é🌊]{0,7}",
        others in prop::collection::vec("[abA.é🌊]{0,7}", 0..12),
    ) {
        let known: KnownNames = others.iter().cloned().collect();
        let all = || others.iter().map(String::as_str);
        prop_assert_eq!(known.nearest(&name), nearest(&name, all()));
        let each = all().enumerate().filter(|(_, other)| nearest(&name, [*other]).is_some());
        let each: Vec<(usize, &str)> = each.collect();
        prop_assert_eq!(known.meant_by(&name), each.as_slice());
        // By its index only those that are one edit away.
        let indexed = KnownNames::indexed(others.iter().cloned());
        let lower = name.to_ascii_lowercase();
        let is_one_away =
            |other: &str| strsim::osa_distance(&lower, &other.to_ascii_lowercase()) <= 1;
        let near: Vec<_> = each.into_iter().filter(|(_, other)| is_one_away(other)).collect();
        prop_assert_eq!(indexed.meant_by(&name), near);
    }
}

#[test]
fn of_very_many_names_those_one_edit_away_are_found() {
    let many = (0..5_000).map(|number| format!("gauge.station_{number:05}.threshold"));
    let known: KnownNames = many.collect();
    for (name, meant) in [
        ("gauge.station_00017.treshold", Some("gauge.station_00017.threshold")),
        ("gauge.station_00017.thresholdx", Some("gauge.station_00017.threshold")),
        ("gauge.station_00017.thershold", Some("gauge.station_00017.threshold")),
        ("gauge.station_00017.Threshold", Some("gauge.station_00017.threshold")),
        ("gauge.station_00017.tresold", None),
        ("something.else", None),
    ] {
        assert_eq!(known.nearest(name), meant, "{name}");
    }
}
