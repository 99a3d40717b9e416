//! Tests of layers.

use crate::model::axis::{AxisOrigin, AxisValue, Context};
use crate::model::fact::list_values;
use crate::model::layer::{Condition, Inactivity};

fn context(axes: &[(&str, Option<&str>)]) -> Context {
    let axes = axes.iter().map(|(axis, value)| AxisValue {
        axis: axis.to_string(),
        value: value.map(str::to_owned),
        origin: AxisOrigin::Asked,
        passed_over: Vec::new(),
    });
    Context { axes: axes.collect() }
}

fn condition(axis: &str, values: &[&str]) -> Condition {
    let values = values.iter().map(|value| value.to_string()).collect();
    Condition { axis: axis.to_owned(), values }
}

#[test]
fn is_active_if_all_of_when_and_none_of_unless_is_met() {
    let here = context(&[("environment", Some("dev")), ("region", None)]);
    let because = |when: &[Condition], unless: &[Condition]| {
        Inactivity::of(when, unless, &here).map(|inactivity| inactivity.because().to_string())
    };
    let dev = condition("environment", &["dev", "test"]);
    let production = condition("environment", &["production", "staging", "test"]);
    let north = condition("region", &["north"]);
    assert_eq!(because(&[], &[]), None);
    assert_eq!(because(std::slice::from_ref(&dev), &[]), None);
    assert_eq!(because(&[], &[production.clone(), north.clone()]), None, "unset matches nothing");
    assert_eq!(
        because(&[dev.clone(), production.clone()], &[]).unwrap(),
        "applies only to environment=production|staging|test; here environment is dev"
    );
    assert_eq!(
        because(std::slice::from_ref(&north), &[]).unwrap(),
        "applies only to region=north; here region is unset"
    );
    assert_eq!(
        because(std::slice::from_ref(&dev), &[production, dev.clone()]).unwrap(),
        "does not apply to environment=dev"
    );
}

#[test]
fn lists_values_as_a_sentence_does() {
    assert_eq!(list_values::<&str>(&[], "or"), "");
    assert_eq!(list_values(&["a"], "or"), "a");
    assert_eq!(list_values(&["a", "b"], "or"), "a or b");
    assert_eq!(list_values(&["a", "b", "c"], "and"), "a, b and c");
}
