//! Tests of variables: every rule of how a flat name becomes a setting.

use crate::{KeyId, KeyPath, Keys, Known, Naming};

fn naming(prefix: &str, nest: &str, claims_every_name: bool) -> Naming {
    Naming { prefix: prefix.into(), nest: nest.into(), claims_every_name }
}

fn settings(keys: &mut Keys, texts: &[&str]) -> Vec<KeyId> {
    texts.iter().map(|text| keys.intern(KeyId::ROOT, &KeyPath::parse(text).unwrap())).collect()
}

#[test]
fn names_the_variable_of_a_setting() {
    let mut keys = Keys::default();
    for (key, prefix, nest, variable) in [
        ("database.pool-max", "TIDE_", "__", "TIDE_DATABASE__POOL_MAX"),
        ("database.pool-max", "", "_", "DATABASE_POOL_MAX"),
        ("a.B.c_d", "x", "-", "xA-B-C_D"),
        ("\"é.x\"", "", "__", "é.X"),
    ] {
        let key = settings(&mut keys, &[key])[0];
        assert_eq!(naming(prefix, nest, true).variable(&keys, key), variable);
    }
}

#[test]
fn claims_names_in_the_order_of_the_contract() {
    for (row, name, naming, expected) in [
        (
            "known, whatever its case below",
            "TIDE_DATABASE__POOL_MAX",
            naming("TIDE_", "__", false),
            Some("database.pool-max"),
        ),
        (
            "known, also without a prefix",
            "DATABASE__POOL_MAX",
            naming("", "__", false),
            Some("database.pool-max"),
        ),
        (
            "new below the prefix",
            "TIDE_SMS__API_KEY",
            naming("TIDE_", "__", false),
            Some("sms.api_key"),
        ),
        (
            "one underscore too few makes another key",
            "TIDE_DATABASE_POOL_MAX",
            naming("TIDE_", "__", false),
            Some("database_pool_max"),
        ),
        ("three underscores", "TIDE_A___B", naming("TIDE_", "__", false), Some("a._b")),
        ("lower case after the prefix", "TIDE_sms__x", naming("TIDE_", "__", false), Some("sms.x")),
        ("another prefix", "HOME", naming("TIDE_", "__", false), None),
        ("the prefix in another case", "tide_SMS", naming("TIDE_", "__", false), None),
        ("the prefix alone", "TIDE_", naming("TIDE_", "__", false), None),
        ("an empty first segment", "TIDE___X", naming("TIDE_", "__", false), None),
        ("an empty last segment", "TIDE_X__", naming("TIDE_", "__", false), None),
        ("an empty prefix in a process", "PATH", naming("", "__", false), None),
        ("an empty prefix in a file", "PATH", naming("", "__", true), Some("path")),
        ("an empty prefix in a file, nested", "A__B", naming("", "__", true), Some("a.b")),
        ("nest of one underscore", "TIDE_A_B", naming("TIDE_", "_", false), Some("a.b")),
    ] {
        let mut keys = Keys::default();
        let known = settings(&mut keys, &["database.pool-max"]);
        let known = Known::new(&keys, &known, &naming);
        let claimed = naming.claim(&mut keys, &known, name).unwrap();
        assert_eq!(claimed.map(|claim| keys.show(claim.key)).as_deref(), expected, "{row}");
    }
}

#[test]
fn refuses_a_name_that_two_settings_have() {
    let mut keys = Keys::default();
    let known = settings(&mut keys, &["pool-max", "pool_max", "other"]);
    let naming = naming("T_", "__", false);
    let index = Known::new(&keys, &known, &naming);
    let clash = naming.claim(&mut keys, &index, "T_POOL_MAX").unwrap_err();
    assert_eq!((clash.one, clash.other), (known[0], known[1]));
    let claimed = naming.claim(&mut keys, &index, "T_OTHER").unwrap().unwrap();
    assert_eq!((claimed.key, claimed.is_own, claimed.is_known), (known[2], true, true));
}
