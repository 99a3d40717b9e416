//! Tests of near misses.

use crate::{is_near, nearest, nearest_few};

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
    assert_eq!(nearest_few("poll", ["pool", "polls", "pole", "cell"], 2), ["pole", "polls"]);
}
