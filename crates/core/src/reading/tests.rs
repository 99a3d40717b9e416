//! Tests of readings.

use crate::model::catalogue::Catalogue;
use crate::model::document::{Document, Leaf};
use crate::model::key::{KeyId, KeyPath, Keys};
use crate::model::layer::LayerIndex;
use crate::model::place::{Origin, Span};
use crate::model::value::Value;
use crate::model::variable::VariableRules;
use crate::model::variable::{Claims, Known, Naming};
use crate::reading::{BadReading, From, Reading};
use hashbrown::HashSet;
use std::sync::Arc;

const LAYER: LayerIndex = LayerIndex(0);

/// A document that has these names, in this order; the value of each is its number.
fn document(keys: &mut Keys, names: &[&str]) -> Arc<Document> {
    let leaves = names.iter().enumerate().map(|(number, name)| Leaf {
        name: keys.intern(KeyId::ROOT, &KeyPath::parse(name).unwrap()),
        value: Value::Integer(number as i64),
        at: Some(Span::new(number, number + 1)),
        name_at: None,
    });
    Arc::new(Document { leaves: leaves.collect(), ..Document::default() })
}

fn from<'a>(
    origin: &'a Origin,
    document: &'a Arc<Document>,
    section: Option<&'a KeyPath>,
) -> From<'a> {
    From { layer: LAYER, origin, document, section, into: None, may_repeat: false }
}

fn read_keys(
    keys: &mut Keys,
    document: &Arc<Document>,
    section: Option<&KeyPath>,
) -> Result<Reading, BadReading> {
    Reading::of_keys(keys, from(&"x.toml".into(), document, section), &Catalogue::default())
}

fn shown(keys: &Keys, reading: &Reading) -> Vec<String> {
    let shown = |offer: &crate::reading::Offer| format!("{}={}", keys.show(offer.key), offer.leaf);
    reading.offers.iter().map(shown).collect()
}

/// Reads names as variables with prefix `T_`, `known` being the known settings.
fn read_variables(
    names: &[&str],
    known: &[&str],
    never: &[&str],
) -> (Keys, Result<Reading, BadReading>) {
    let mut keys = Keys::default();
    let known: Vec<KeyId> =
        known.iter().map(|text| keys.intern(KeyId::ROOT, &KeyPath::parse(text).unwrap())).collect();
    let naming = Naming { prefix: "T_".into(), nest: "__".into(), claims: Claims::Every };
    let none = Catalogue::default();
    let known = Known::new(&keys, &known, &none, &naming);
    let never: HashSet<String> = never.iter().map(|name| name.to_string()).collect();
    let document = document(&mut keys, names);
    let rules = VariableRules {
        naming: &naming,
        known: &known,
        here: None,
        spelled: None,
        catalogue: &none,
        never: &never,
    };
    let reading = Reading::of_variables(&mut keys, from(&"x.env".into(), &document, None), &rules);
    (keys, reading)
}

#[test]
fn reads_a_section_and_takes_its_name_off() {
    let mut keys = Keys::default();
    let document = document(&mut keys, &["dev.a", "prod.a.b", "prod.c", "production.a"]);
    let section = KeyPath::parse("prod").unwrap();
    let reading = read_keys(&mut keys, &document, Some(&section)).unwrap();
    assert_eq!(shown(&keys, &reading), ["a.b=1", "c=2"]);
    let whole = read_keys(&mut keys, &document, None).unwrap();
    assert_eq!(whole.offers.len(), 4);
}

#[test]
fn tells_a_missing_section_from_one_that_is_no_table() {
    let mut keys = Keys::default();
    let document = document(&mut keys, &["dev.a"]);
    let mut read = |section: &str| {
        let section = KeyPath::parse(section).unwrap();
        read_keys(&mut keys, &document, Some(&section)).map(|_| ())
    };
    assert_eq!(read("dev"), Ok(()));
    assert_eq!(read("prod"), Err(BadReading::NoSection));
    let at = Some(Span::new(0, 1));
    assert_eq!(read("dev.a"), Err(BadReading::NotATable(at)), "a value");
    assert_eq!(read("dev.a.b"), Err(BadReading::NotATable(at)), "below a value");
}

#[test]
fn finds_a_section_that_holds_nothing() {
    let mut keys = Keys::default();
    let name = keys.intern(KeyId::ROOT, &KeyPath::parse("dev.database").unwrap());
    let document = Document { left_out: vec![(name, Span::default())], ..Document::default() };
    let document = Arc::new(document);
    for (section, is_there) in [("dev", true), ("dev.database", true), ("dev.database.x", false)] {
        let section = KeyPath::parse(section).unwrap();
        let read = read_keys(&mut keys, &document, Some(&section));
        assert_eq!(read.is_ok(), is_there, "{section}");
    }
}

#[test]
fn orders_what_one_source_says_twice() {
    for (row, names, known, expected) in [
        (
            "the own variable wins though it comes first",
            vec!["T_POOL_MAX", "T_pool_max"],
            vec!["pool_max"],
            vec!["pool_max=1", "pool_max=0"],
        ),
        (
            "it wins as well if it comes last",
            vec!["T_pool_max", "T_POOL_MAX"],
            vec!["pool_max"],
            vec!["pool_max=0", "pool_max=1"],
        ),
        (
            "of others the later one",
            vec!["T_a__b", "T_A__b", "T_X"],
            vec![],
            vec!["a.b=0", "a.b=1", "x=2"],
        ),
        (
            "the loser moves to the winner, so that nothing between undoes it",
            vec!["T_A__B", "T_A", "T_a__b"],
            vec!["a.b"],
            vec!["a.b=2", "a.b=0", "a=1"],
        ),
        ("overlapping keys stay as written", vec!["T_A__B", "T_A"], vec![], vec!["a.b=0", "a=1"]),
    ] {
        let (keys, reading) = read_variables(&names, &known, &[]);
        assert_eq!(shown(&keys, &reading.unwrap()), expected, "{row}");
    }
}

#[test]
fn reads_on_below_a_claimed_name_and_leaves_others_alone() {
    let (keys, reading) =
        read_variables(&["T_DATABASE.pool.max", "OTHER", "T_ENV", "T_A__"], &[], &["T_ENV"]);
    let reading = reading.unwrap();
    assert_eq!(shown(&keys, &reading), ["database.pool.max=0"]);
    let strangers: Vec<String> =
        reading.strangers.iter().map(|stranger| keys.show(stranger.key)).collect();
    assert_eq!(strangers, ["T_DATABASE", "OTHER", "T_A__"], "what an axis reads is none");
}

#[test]
fn refuses_a_clash_only_if_the_variable_is_used() {
    let (_, unused) = read_variables(&["T_OTHER"], &["a-b", "a_b"], &[]);
    assert!(unused.is_ok());
    let (_, used) = read_variables(&["T_OTHER", "T_A_B"], &["a-b", "a_b"], &[]);
    assert!(matches!(used, Err(BadReading::Clash { variable, .. }) if variable == "T_A_B"));
}
