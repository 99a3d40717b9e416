//! Tests of contexts: which there are, and what follows what.

use super::Situation;
use justwhy_core::Context;
use justwhy_project::Project;
use justwhy_project::memory::Memory;
use std::sync::Arc;

const PROJECT: &str = "justwhy = 1
[[axis]]
name = \"env\"
allowed = [\"dev\", \"prod\"]
default = \"dev\"
[[axis]]
name = \"service\"
allowed = [\"alerts\", \"forecast\"]
may_be_unset = true
[[axis]]
name = \"team\"
open = true
allowed = [\"shore\", \"model\"]
may_be_unset = true
read = [{ variable = \"TEAM\" }, { axis = \"service\", map = { alerts = \"shore\", forecast = \"model\" } }]
[[axis]]
name = \"desk\"
open = true
read = [{ axis = \"team\", map = { shore = \"north\" } }]
[[never]]
service = \"forecast\"
env = \"dev\"
[[layer]]
name = \"rows\"
rows = \"rows.jsonl\"
";

/// The values of a context: `env=dev team=shore`.
fn shown(context: &Context) -> String {
    context.set().map(|(axis, value)| format!("{axis}={value}")).collect::<Vec<_>>().join(" ")
}

fn change(axis: &str, value: &str) -> (String, Option<String>) {
    (axis.to_owned(), (!value.is_empty()).then(|| value.to_owned()))
}

#[test]
fn lets_axes_follow_the_axis_that_they_are_read_from() {
    let world = Arc::new(Memory::new(&[("justwhy.toml", PROJECT)]));
    let project = Project::load(&*world, None).unwrap();
    let situation = Situation::new(Arc::new(project), world);
    let here = situation.here(Some("alerts")).unwrap();
    assert_eq!(shown(&here), "env=dev service=alerts team=shore desk=north");
    for (changes, expected) in [
        (
            vec![change("service", "forecast"), change("env", "prod")],
            "env=prod service=forecast team=model",
        ),
        (vec![change("service", "")], "env=dev"),
        (vec![change("team", "other")], "env=dev service=alerts team=other"),
        (vec![change("team", "")], "env=dev service=alerts"),
        (vec![change("desk", "x")], "env=dev service=alerts team=shore desk=x"),
    ] {
        let changed = situation.changed(&here, &changes).unwrap();
        assert_eq!(shown(&changed), expected);
    }
    let twice = situation.changed(&here, &[change("team", "model")]).unwrap();
    let twice = situation.changed(&twice, &[change("env", "prod")]).unwrap();
    assert_eq!(shown(&twice), "env=prod service=alerts team=model", "what @ named stays");
    for changes in
        [vec![change("service", "forecast")], vec![change("env", "prdo")], vec![change("x", "y")]]
    {
        assert!(situation.changed(&here, &changes).is_err(), "{changes:?}");
    }
}

#[test]
fn keeps_what_a_variable_gave_when_another_axis_changes() {
    let world =
        Arc::new(Memory::new(&[("justwhy.toml", PROJECT)]).with_variables(&[("TEAM", "shore")]));
    let project = Project::load(&*world, None).unwrap();
    let situation = Situation::new(Arc::new(project), world);
    let here = situation.here(Some("prod,forecast")).unwrap();
    assert_eq!(shown(&here), "env=prod service=forecast team=shore desk=north");
    let changed = situation.changed(&here, &[change("service", "alerts")]).unwrap();
    assert_eq!(shown(&changed), "env=prod service=alerts team=shore desk=north");
}

#[test]
fn forms_every_context_once_and_none_that_does_not_exist() {
    let world = Arc::new(Memory::new(&[("justwhy.toml", PROJECT)]));
    let project = Project::load(&*world, None).unwrap();
    let situation = Situation::new(Arc::new(project), world);
    let contexts = |asked: Option<&str>, rows: usize| {
        let fixed = match asked {
            Some(_) => situation.here(asked).unwrap(),
            None => Context::default(),
        };
        let rows = move |axis: &str| if axis == "row" { rows } else { 0 };
        let contexts = situation.contexts(&fixed, &rows).unwrap();
        contexts.iter().map(shown).collect::<Vec<String>>()
    };
    let all = contexts(None, 0);
    // Two environments, three services, three teams, but for forecast in dev.
    assert_eq!(all.len(), 18 - 3);
    let mut distinct = all.clone();
    distinct.sort();
    distinct.dedup();
    assert_eq!(distinct.len(), all.len());
    assert!(all.iter().all(|context| !context.contains("env=dev service=forecast")));
    assert_eq!(
        contexts(Some("prod,alerts,team=shore"), 2),
        [
            "env=prod service=alerts team=shore desk=north row=1",
            "env=prod service=alerts team=shore desk=north row=2",
            "env=prod service=alerts team=shore desk=north",
        ]
    );
    assert_eq!(contexts(None, 500).len(), 15 * 501);
    let too_many = situation.contexts(&Context::default(), &|_| 1_000);
    assert_eq!(too_many.unwrap_err().code(), "limit");
}

#[test]
fn lets_a_chosen_value_follow_if_it_would() {
    let world = Arc::new(Memory::new(&[("justwhy.toml", PROJECT)]));
    let project = Project::load(&*world, None).unwrap();
    let situation = Situation::new(Arc::new(project), world);
    let contexts = situation.contexts(&Context::default(), &|_| 0).unwrap();
    let wanted = "env=prod service=alerts team=shore desk=north";
    let formed = contexts.iter().find(|context| shown(context) == wanted).unwrap();
    let changed = situation.changed(formed, &[change("service", "forecast")]).unwrap();
    assert_eq!(shown(&changed), "env=prod service=forecast team=model");
    let wanted = "env=prod service=alerts team=model";
    let formed = contexts.iter().find(|context| shown(context) == wanted).unwrap();
    let changed = situation.changed(formed, &[change("service", "forecast")]).unwrap();
    assert_eq!(shown(&changed), "env=prod service=forecast team=model");
    let changed = situation.changed(formed, &[change("service", "")]).unwrap();
    assert_eq!(shown(&changed), "env=prod team=model", "it was chosen");
}
