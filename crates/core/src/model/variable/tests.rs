//! Tests of variables: every rule of how a flat name becomes a setting.

use crate::model::catalogue::{Catalogue, Declared, Former, Standing};
use crate::model::key::{KeyId, KeyPath, Keys};
use crate::model::variable::VariableRules;
use crate::model::variable::{Claims, Known, Naming};
use std::sync::Arc;

fn naming(prefix: &str, nest: &str, claims_every_name: bool) -> Naming {
    let claims = if claims_every_name { Claims::Every } else { Claims::Known };
    Naming { prefix: prefix.into(), nest: nest.into(), claims }
}

fn settings(keys: &mut Keys, texts: &[&str]) -> Vec<KeyId> {
    texts.iter().map(|text| keys.intern(KeyId::ROOT, &KeyPath::parse(text).unwrap())).collect()
}

fn rules<'a>(naming: &'a Naming, known: &'a Known, catalogue: &'a Catalogue) -> VariableRules<'a> {
    static NEVER: std::sync::LazyLock<hashbrown::HashSet<String>> =
        std::sync::LazyLock::new(hashbrown::HashSet::new);
    VariableRules { naming, known, here: None, spelled: None, catalogue, never: &NEVER }
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
        let naming = naming(prefix, nest, true);
        assert_eq!(naming.variable(&keys, key), variable);
        assert!(naming.is_variable(&keys, key, variable));
        let shorter = &variable[..variable.len() - 1];
        for other in [shorter, &format!("{variable}X"), &format!("X{variable}"), ""] {
            assert!(!naming.is_variable(&keys, key, other), "{other}");
        }
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
        let none = Catalogue::default();
        let known = Known::new(&keys, &known, &none, &naming);
        let claimed = naming.claim(&mut keys, &rules(&naming, &known, &none), name).unwrap();
        assert_eq!(claimed.map(|claim| keys.show(claim.key)).as_deref(), expected, "{row}");
    }
}

#[test]
fn refuses_a_name_that_two_settings_have() {
    let mut keys = Keys::default();
    let known = settings(&mut keys, &["pool-max", "pool_max", "other"]);
    let naming = naming("T_", "__", false);
    let none = Catalogue::default();
    let index = Known::new(&keys, &known, &none, &naming);
    let clash = naming.claim(&mut keys, &rules(&naming, &index, &none), "T_POOL_MAX").unwrap_err();
    assert_eq!((clash.one, clash.other), (known[0], known[1]));
    let claimed =
        naming.claim(&mut keys, &rules(&naming, &index, &none), "T_OTHER").unwrap().unwrap();
    assert_eq!(claimed.key, known[2]);
    assert_eq!((claimed.standing, claimed.is_known), (Standing::Own, true));
}

#[test]
fn reads_names_that_the_catalogue_gives() {
    let mut keys = Keys::default();
    let declared = |key: &str, variable: Option<&str>, formerly: &[&str]| Declared {
        variable: variable.map(str::to_owned),
        formerly: formerly.iter().map(|text| Former::parse(text).unwrap()).collect(),
        ..Declared::new(KeyPath::parse(key).unwrap())
    };
    let declared: Arc<[Declared]> = Arc::new([
        declared("database.url", Some("DATABASE_URL"), &["db.address", "DB"]),
        declared("alert.level", None, &[]),
    ]);
    let catalogue = Catalogue::new(&mut keys, &declared);
    let naming = naming("T_", "__", false);
    let known = Known::new(&keys, &[], &catalogue, &naming);
    for (name, expected) in [
        ("DATABASE_URL", Some(("database.url", Standing::Own, true))),
        ("T_DB__ADDRESS", Some(("database.url", Standing::Former(0), true))),
        ("DB", Some(("database.url", Standing::Former(1), true))),
        ("T_DATABASE__URL", Some(("database.url", Standing::Current, true))),
        ("T_ALERT__LEVEL", Some(("alert.level", Standing::Own, true))),
        ("T_db__address__x", Some(("database.url.x", Standing::Former(0), true))),
        ("OTHER", None),
    ] {
        let claimed = naming.claim(&mut keys, &rules(&naming, &known, &catalogue), name).unwrap();
        let shown = claimed.map(|claim| (keys.show(claim.key), claim.standing, claim.is_known));
        let shown = shown.as_ref().map(|(key, standing, known)| (key.as_str(), *standing, *known));
        assert_eq!(shown, expected, "{name}");
    }
}
