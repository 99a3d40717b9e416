//! Tests of patterns.

use crate::model::pattern::Pattern;

#[test]
fn matches_keys_segment_by_segment() {
    for (pattern, key, expected) in [
        ("audit.**", "audit", true),
        ("audit.**", "audit.log.path", true),
        ("audit.**", "auditor", false),
        ("**", "a.b.c", true),
        ("**.url", "url", true),
        ("**.url", "a.b.url", true),
        ("**.url", "a.url.b", false),
        ("a.**.z", "a.z", true),
        ("a.**.z", "a.b.c.z", true),
        ("a.**.z", "a.b.c", false),
        ("**.a.**.b.**", "x.a.y.a.b", true),
        ("*", "a", true),
        ("*", "a.b", false),
        ("a.*", "a", false),
        ("po*l.*x", "pool.max", true),
        ("po*l", "pol", true),
        ("a*a", "a", false),
        ("*ab*ab", "abab", true),
        ("*ab*ab", "ab", false),
        ("a", "a", true),
        ("a", "A", false),
    ] {
        let segments: Vec<&str> = key.split('.').collect();
        let parsed = Pattern::parse(pattern).unwrap();
        assert_eq!(parsed.matches_segments(&segments), expected, "{pattern} on {key}");
    }
}

#[test]
fn takes_a_star_in_quotes_for_a_star() {
    let pattern = Pattern::parse(r#"headers."x*y""#).unwrap();
    assert!(pattern.matches_segments(&["headers", "x*y"]));
    assert!(!pattern.matches_segments(&["headers", "xzy"]));
    assert!(!Pattern::has_wildcard(r#"headers."x*y""#));
    assert!(Pattern::has_wildcard(r#""a".*"#));
}

#[test]
fn refuses_what_is_no_pattern() {
    for (text, at) in [("", 0), ("a.", 2), ("a b", 1), ("\"a", 0), ("\"a\"b", 3), ("a.[b]", 2)] {
        assert_eq!(Pattern::parse(text).unwrap_err().at, at, "{text}");
    }
}

#[test]
fn takes_no_longer_on_a_hostile_pattern() {
    let pattern = Pattern::parse("**.a.".repeat(200).trim_end_matches('.')).unwrap();
    let segments = vec!["a"; 5000];
    assert!(pattern.matches_segments(&segments));
    let mut other = segments.clone();
    other.push("b");
    assert!(!pattern.matches_segments(&other));
}
