use super::*;
use crate::model::axis::{AxisOrigin, AxisValue};

fn context(axes: &[(&str, &str)]) -> Context {
    let axis = |(axis, value): &(&str, &str)| AxisValue {
        axis: (*axis).to_owned(),
        value: (!value.is_empty()).then(|| (*value).to_owned()),
        origin: AxisOrigin::Nothing,
        passed_over: Vec::new(),
    };
    Context { axes: axes.iter().map(axis).collect() }
}

fn audience(entries: &[(&str, &[&str])]) -> Audience {
    let entry = |(axis, values): &(&str, &[&str])| {
        ((*axis).to_owned(), values.iter().map(|value| (*value).to_owned()).collect())
    };
    Audience { entries: entries.iter().map(entry).collect() }
}

#[test]
fn every_entry_of_an_audience_must_match() {
    let both = audience(&[("service", &["alerts", "forecast-*"]), ("region", &["north"])]);
    for (axes, refusal) in [
        (&[("service", "alerts"), ("region", "north")][..], None),
        (&[("service", "forecast-tides"), ("region", "north")][..], None),
        (
            &[("service", "forecast"), ("region", "north")][..],
            Some("meant for service=alerts|forecast-*; here service is forecast"),
        ),
        (
            &[("service", "alerts"), ("region", "")][..],
            Some("meant for region=north; here region is unset"),
        ),
        (
            &[("region", "north")][..],
            Some("meant for service=alerts|forecast-*; here service is unset"),
        ),
    ] {
        assert_eq!(
            both.refuses(&context(axes)).map(|it| it.to_string()).as_deref(),
            refusal,
            "{axes:?}"
        );
    }
}

#[test]
fn a_star_is_any_run_within_a_segment() {
    for (pattern, name, expected) in [
        ("team/*", "team/shorewatch", true),
        ("team/*", "team", false),
        ("team/*", "team/shore/watch", false),
        ("*", "everyone", true),
        ("*/*-night", "job/model-night", true),
        ("job/a*a", "job/a", false),
        ("job/a*b*c", "job/aXbYbZc", true),
        ("job/a*b*c", "job/acb", false),
        ("team/shorewatch", "team/shorewatch", true),
        ("team/shorewatch", "team/shorewatch2", false),
    ] {
        assert_eq!(scope_segments_match(pattern, name), expected, "{pattern} {name}");
    }
}

#[test]
fn names_of_scopes_never_leave_their_store() {
    for name in ["everyone", "team/shorewatch", "job/nightly.2", "a/b/c-d_e"] {
        assert!(is_scope_name(name), "{name}");
    }
    for name in ["", "/", "team/", "/team", "a//b", "a/../b", ".", "a b", "ä", "a/\u{0}"] {
        assert!(!is_scope_name(name), "{name:?}");
    }
}

#[test]
fn variables_have_names_as_processes_have_them() {
    for (name, expected) in [
        ("TIDE_X", true),
        ("http_proxy", true),
        ("_", true),
        ("A1", true),
        ("1A", false),
        ("", false),
        ("A-B", false),
        ("A B", false),
        ("Ä", false),
    ] {
        assert_eq!(is_env_name(name), expected, "{name}");
    }
}

#[test]
fn a_note_tells_as_much_history_as_is_known() {
    let note = |updated: &str, by: &str, revision: Option<u64>| Note {
        updated: (!updated.is_empty()).then(|| updated.into()),
        by: (!by.is_empty()).then(|| by.into()),
        revision,
        ..Note::default()
    };
    for (note, expected) in [
        (
            note("2026-03-03T09:00:00Z", "mara", Some(42)),
            Some("set 3 March 2026 by mara, revision 42"),
        ),
        (note("2026-12-31T23:59:59Z", "", None), Some("set 31 December 2026")),
        (note("", "mara", None), Some("set by mara")),
        (note("", "", Some(7)), Some("revision 7")),
        (note("yesterday", "", None), Some("set yesterday")),
        (note("2026-13-01T00:00:00Z", "", None), Some("set 2026-13-01T00:00:00Z")),
        (note("", "", None), None),
    ] {
        assert_eq!(note.history().map(|it| it.to_string()).as_deref(), expected);
    }
}
