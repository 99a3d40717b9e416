//! Tests of keys.

use crate::model::key::{KeyId, KeyPath, Keys};

fn interned(keys: &mut Keys, text: &str) -> KeyId {
    keys.intern(KeyId::ROOT, &KeyPath::parse(text).unwrap())
}

#[test]
fn shows_a_key_as_it_would_be_written() {
    for (segments, shown) in [
        (vec!["database", "pool", "max"], "database.pool.max"),
        (vec!["headers", "x.y"], r#"headers."x.y""#),
        (vec![""], r#""""#),
        (vec!["a b", "Ω"], r#""a b"."Ω""#),
        (vec!["say \"hi\"", "back\\slash"], r#""say \"hi\""."back\\slash""#),
        (vec!["tab\there", "esc\u{1b}"], r#""tab\there"."esc\u001b""#),
    ] {
        let path = KeyPath::from_segments(segments.iter().map(|s| s.to_string()).collect());
        let path = path.unwrap();
        assert_eq!(path.to_string(), shown);
        assert_eq!(KeyPath::parse(shown).unwrap(), path, "{shown} reads back");
        let mut keys = Keys::default();
        let key = keys.intern(KeyId::ROOT, &path);
        assert_eq!(keys.show(key), shown);
        assert_eq!(keys.segments(key), segments);
    }
}

#[test]
fn refuses_what_is_no_key_at_the_right_byte() {
    for (text, at) in [
        ("", 0),
        (".a", 0),
        ("a.", 2),
        ("a..b", 2),
        ("a b", 1),
        ("a.é", 2),
        ("a.\"b", 2),
        ("'a", 0),
        ("\"a\"b", 3),
        ("\"\\q\"", 1),
        ("\"\\ud800\"", 1),
        ("\"\\u12\"", 1),
    ] {
        assert_eq!(KeyPath::parse(text).unwrap_err().at, at, "{text}");
    }
    let deep = vec!["a"; 251].join(".");
    assert!(KeyPath::parse(&deep).is_err());
    assert!(KeyPath::parse(&deep[2..]).is_ok());
}

#[test]
fn interns_each_key_once_and_knows_what_is_within_what() {
    let mut keys = Keys::default();
    let url = interned(&mut keys, "database.url");
    assert_eq!(interned(&mut keys, "database.url"), url);
    let database = interned(&mut keys, "database");
    assert_eq!(keys.parent(url), database);
    assert_eq!(keys.count(), 3, "the root, the branch and the key");
    assert!(keys.is_within(url, database) && keys.is_within(url, url));
    assert!(!keys.is_within(database, url));
    let other = interned(&mut keys, "databases.url");
    assert!(!keys.is_within(other, database));
    assert_eq!(keys.above(url).collect::<Vec<_>>(), [database]);
    assert_eq!(keys.find(KeyId::ROOT, &KeyPath::parse("database.port").unwrap()), None);
}

#[test]
fn moves_a_key_from_one_branch_below_another() {
    let mut keys = Keys::default();
    let key = interned(&mut keys, "dev.database.url");
    let section = interned(&mut keys, "dev");
    let moved = keys.moved(key, section, KeyId::ROOT);
    assert_eq!(keys.show(moved), "database.url");
    let below = interned(&mut keys, "copy");
    let moved = keys.moved(key, section, below);
    assert_eq!(keys.show(moved), "copy.database.url");
    assert_eq!(keys.moved(section, section, below), below);
}

#[test]
fn sorts_by_the_byte_order_of_segments() {
    let mut keys = Keys::default();
    // As whole texts `a-b` would come before `a.b`; segment by segment `a` comes first.
    let texts = ["b", "a.c", "a", "a-b", "a.b.c", "a.b", "B", "é"];
    let ids: Vec<KeyId> = texts
        .iter()
        .map(|text| {
            let path = KeyPath::parse(text).unwrap_or_else(|_| KeyPath::single(*text));
            keys.intern(KeyId::ROOT, &path)
        })
        .collect();
    let sorted = keys.sorted(ids.iter().chain(&ids[..2]).copied());
    let shown: Vec<String> = sorted.into_iter().map(|key| keys.show(key)).collect();
    assert_eq!(shown, ["B", "a", "a.b", "a.b.c", "a.c", "a-b", "b", "\"é\""]);
}
