//! Tests of single checks, and of contexts in words.

use super::rules::bare_dollar::bare_dollar;
use super::rules::not_run::not_run;
use super::rules::stray_quotes::stray_quotes;
use super::{in_words, sum_up};
use crate::contexts::survey::ContextSet;
use crate::model::axis::{AxisOrigin, AxisValue, Context};

#[test]
fn tells_quotes_and_blanks_that_were_left_from_those_that_are_meant() {
    for (text, odd) in [
        ("\"x\"", true),
        ("'x y'", true),
        ("\"x", true),
        ("x\"", true),
        ("x'", true),
        ("x ", true),
        ("\tx", true),
        ("", false),
        ("   ", false),
        (", ", false),
        ("the gauges' readings", false),
        ("the gauges'", false),
        ("it's", false),
        ("say \"ah\"", false),
        ("\"Tide Desk\" <desk@tide.example>", false),
        ("two\nlines \n", false),
    ] {
        assert_eq!(stray_quotes(text).is_some(), odd, "{text:?}");
    }
}

#[test]
fn tells_commands_and_bare_variables_that_stay_literal() {
    for (text, is_env, odd) in [
        ("$(date)", false, true),
        ("at $(date -u) sharp", true, true),
        ("`date`", false, true),
        ("use `list` here", false, false),
        ("use `list` here", true, true),
        ("$(", true, false),
        ("`", true, false),
        ("a ` b", true, false),
    ] {
        assert_eq!(not_run(text, is_env).is_some(), odd, "{text:?}");
    }
    for (text, name) in [
        ("$HOME/data", Some("HOME")),
        ("a$DB_1", Some("DB_1")),
        ("$$HOME", None),
        ("$home", None),
        ("$5", None),
        ("^[A-Z]$", None),
        ("${HOME}", None),
        ("$Home", None),
        ("$A", None),
    ] {
        assert_eq!(bare_dollar(text, &[]), name, "{text:?}");
    }
    assert_eq!(bare_dollar("$HOME", &[0]), None);
}

fn contexts() -> Vec<Context> {
    let mut all = Vec::new();
    for environment in ["dev", "staging", "production"] {
        for region in ["north", "south"] {
            for row in ["", "1"] {
                let axis = |name: &str, value: &str| AxisValue {
                    axis: name.to_owned(),
                    value: (!value.is_empty()).then(|| value.to_owned()),
                    origin: AxisOrigin::Asked,
                    passed_over: Vec::new(),
                };
                let axes = vec![
                    axis("environment", environment),
                    axis("region", region),
                    axis("row", row),
                ];
                all.push(Context { axes });
            }
        }
    }
    all
}

#[test]
fn sums_contexts_up_in_words_that_mean_just_these() {
    let contexts = contexts();
    let contexts: Vec<&Context> = contexts.iter().collect();
    let all = ContextSet::all(contexts.len());
    let told = |is_meant: &dyn Fn(&str, &str, &str) -> bool| {
        let mut set = ContextSet::none(contexts.len());
        for (at, context) in contexts.iter().enumerate() {
            let value = |axis: &str| context.value(axis).unwrap_or_default();
            if is_meant(value("environment"), value("region"), value("row")) {
                set.insert(at);
            }
        }
        let choices = sum_up(&set, &all, &contexts);
        // What is told means just the contexts that are meant.
        for (at, context) in contexts.iter().enumerate() {
            let fits = choices.iter().any(|choice| {
                choice.axes.iter().all(|(axis, values)| {
                    values.iter().any(|value| value == context.value(axis).unwrap_or_default())
                })
            });
            assert_eq!(fits, set.has(at), "{choices:?}");
        }
        in_words(&choices, &all)
    };
    for (told, expected) in [
        (told(&|_, _, _| true), "every context"),
        (told(&|environment, _, _| environment == "production"), "environment=production"),
        (told(&|environment, _, _| environment != "dev"), "environment=staging|production"),
        (
            told(&|environment, region, _| environment == "dev" && region == "north"),
            "environment=dev,region=north",
        ),
        (
            told(&|environment, region, row| {
                environment == "dev" && region == "north" && row.is_empty()
            }),
            "environment=dev,region=north,row=unset",
        ),
        (
            told(&|environment, region, _| environment == "dev" || region == "north"),
            "environment=dev; environment=staging|production,region=north",
        ),
        (told(&|_, _, row| row == "1"), "row=1"),
    ] {
        assert_eq!(told, expected);
    }
}
