//! Every command on the demo project, as people and programs see it.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::{Place, settled};

/// A snapshot of each of these runs on the demo project, named after the row.
fn check(rows: &[(&str, &[&str])]) {
    let demo = Place::demo();
    settled(|| {
        for (name, arguments) in rows {
            let run = demo.run(arguments);
            insta::assert_snapshot!(*name, run.all(), &arguments.join(" "));
        }
    });
}

#[test]
fn says_where_you_are() {
    check(&[
        ("where-dev", &[]),
        ("where-shift", &["--process-from", "shift.env"]),
        ("where-json", &["--process-from", "shift.env", "--output", "json"]),
        ("where-colour", &["--color", "always"]),
    ]);
}

#[test]
fn lists_every_effective_value() {
    check(&[
        ("list-dev", &["list"]),
        ("list-production-north", &["list", "--in", "production,north"]),
        ("list-patterns", &["list", "alert.*", "database", "TIDE_SMS__SENDER"]),
        ("list-json", &["list", "--in", "staging", "--output", "json"]),
        ("list-colour", &["list", "alert", "--color", "always"]),
        ("list-nothing", &["list", "nothing.**"]),
        ("list-unknown", &["list", "alert.treshold_cm"]),
    ]);
}

#[test]
fn shows_scopes_and_whom_they_are_meant_for() {
    check(&[
        ("stores", &["stores", "--in", "production,alerts"]),
        ("stores-json", &["stores", "--in", "production,alerts,north", "--output", "json"]),
        ("stores-colour", &["stores", "--color", "always"]),
        (
            "explain-withheld",
            &["explain", "sms.gateway", "--in", "production,forecast,team=shorewatch"],
        ),
    ]);
}

#[test]
fn explains_chains_pins_lists_and_rows() {
    check(&[
        ("explain-chain", &["explain", "alert.feed", "--in", "production,alerts"]),
        (
            "explain-chain-json",
            &["explain", "alert.feed", "--in", "production,alerts", "--output", "json"],
        ),
        ("explain-gathered", &["explain", "alert.recipients", "--in", "production,north"]),
        (
            "explain-gathered-json",
            &["explain", "alert.recipients", "--in", "production,north", "--output", "json"],
        ),
        ("explain-pinned", &["explain", "audit.days", "--in", "production,alerts"]),
        ("explain-row", &["explain", "TIDE_GAUGE__NAME", "--in", "row=2"]),
    ]);
}

#[test]
fn says_why_it_is_not_what_was_expected() {
    check(&[
        (
            "expected-overridden",
            &["explain", "alert.threshold_cm", "--in", "production,north", "--expected", "120"],
        ),
        ("expected-elsewhere", &["explain", "alert.threshold_cm", "--expected", "140"]),
        (
            "expected-near-name",
            &["explain", "database.url", "--process-from", "shift.env", "--expected", "process"],
        ),
        (
            "expected-json",
            &[
                "explain",
                "alert.threshold_cm",
                "--in",
                "production,south",
                "--expected",
                "90",
                "--output",
                "json",
            ],
        ),
    ]);
}

#[test]
fn finds_where_a_value_is() {
    check(&[
        ("find", &["find", "desk@tide.example"]),
        ("find-json", &["find", "140", "--in", "production,row=,service=", "--output", "json"]),
        ("find-nothing", &["find", "no such thing"]),
    ]);
}

#[test]
fn explains_why_a_value_is_in_force() {
    check(&[
        ("explain-overridden", &["explain", "alert.threshold_cm", "--in", "production,north"]),
        ("explain-near-miss", &["explain", "database.url", "--process-from", "shift.env"]),
        (
            "explain-converted",
            &["explain", "collector.poll_seconds", "--process-from", "shift.env"],
        ),
        (
            "explain-not-converted",
            &["explain", "TIDE_FORECAST__HORIZON_HOURS", "--process-from", "shift.env"],
        ),
        ("explain-empty", &["explain", "alert.contact", "--in", "production,south"]),
        ("explain-anchor", &["explain", "status-page.address", "--in", "staging"]),
        ("explain-secret", &["explain", "sms.api_key", "--process-from", "shift.env"]),
        (
            "explain-long",
            &["explain", "web.greeting", "collector.gauges", "--in", "production,north"],
        ),
        (
            "explain-process-elsewhere",
            &["explain", "sms.sender", "--in", "staging", "--set", "sms.sender=x"],
        ),
        (
            "explain-colour",
            &["explain", "alert.threshold_cm", "--in", "production,north", "--color", "always"],
        ),
        (
            "explain-json",
            &["explain", "alert.threshold_cm", "--in", "production,north", "--output", "json"],
        ),
        (
            "explain-json-secret",
            &["explain", "sms.api_key", "--process-from", "shift.env", "--output", "json"],
        ),
        (
            "explain-json-near",
            &["explain", "database.url", "--process-from", "shift.env", "--output", "json"],
        ),
    ]);
}

#[test]
fn explains_why_no_value_is_in_force() {
    check(&[
        ("explain-removed", &["explain", "collector.simulate", "--in", "production"]),
        ("explain-unset", &["explain", "alert.quiet_from", "--unset", "alert"]),
        ("explain-reshaped", &["explain", "forecast.model"]),
        (
            "explain-absent-json",
            &["explain", "collector.simulate", "--in", "production", "--output", "json"],
        ),
        ("explain-unknown", &["explain", "alert.treshold_cm"]),
        ("explain-unknown-json", &["explain", "alert.treshold_cm", "--output", "json"]),
        ("explain-no-match", &["explain", "nothing.*"]),
    ]);
}

#[test]
fn says_that_the_process_decides_in_a_context_that_was_asked_for() {
    let demo = Place::demo();
    let variables = [("TIDE_SMS__SENDER", "SHIFT")];
    let run = demo.run_with(&["explain", "sms.sender", "--in", "staging"], &variables);
    settled(|| insta::assert_snapshot!("explain-local", run.all()));
    let here = demo.run_with(&["explain", "sms.sender"], &variables);
    assert!(!here.stdout.contains("where you stand now"), "{}", here.stdout);
}

#[test]
fn falls_back_to_ascii_where_the_locale_is_not_utf8() {
    let demo = Place::demo();
    for locale in
        [&[("LC_ALL", "C")][..], &[("LANG", "")], &[("LC_CTYPE", "POSIX"), ("LANG", "en_US.UTF-8")]]
    {
        let run =
            demo.run_with(&["explain", "alert.threshold_cm", "--in", "production,north"], locale);
        assert!(run.stdout.is_ascii(), "{locale:?}: {}", run.stdout);
        assert!(run.stdout.contains("  set by  by-region"), "{locale:?}");
    }
}

#[test]
fn walks_through_the_demo() {
    let place = Place::new(&[]);
    settled(|| {
        let run = place.run_with(&["demo"], &[("TMPDIR", "/tmp")]);
        insta::assert_snapshot!("demo", run.all());
        // It is left for people to go on in, not for tests.
        let written = run.stdout.split_whitespace().find(|word| word.contains("/justwhy-demo-"));
        std::fs::remove_dir_all(written.unwrap()).unwrap();
    });
    let run = place.run(&["demo", "new/tide", "--output", "json"]);
    assert_eq!(run.code, 0, "{}", run.stderr);
    let answer: serde_json::Value = serde_json::from_str(&run.stdout).unwrap();
    let steps = answer["steps"].as_array().unwrap();
    let codes: Vec<i64> = steps.iter().map(|step| step["code"].as_i64().unwrap()).collect();
    assert_eq!(codes, [0, 0, 0, 1, 0, 0, 1]);
    // What was written is the demo that stands in the repository, and it works.
    let demo = Place::demo();
    for file in answer["files"].as_array().unwrap() {
        let file = file.as_str().unwrap();
        let written = std::fs::read(place.path().join("new/tide").join(file)).unwrap();
        assert_eq!(written, std::fs::read(demo.path().join(file)).unwrap(), "{file}");
    }
    let listed = place.run(&["list", "--project", "new/tide"]);
    assert_eq!((listed.stdout, listed.code), (demo.run(&["list"]).stdout, 0));
}

#[test]
fn writes_the_demo_only_where_nothing_is() {
    let place = Place::new(&[("full/mine.txt", "mine"), ("file", "mine")]);
    for target in ["full", "file", "file/below"] {
        let run = place.run(&["demo", target]);
        assert_eq!(run.code, 2, "{target}: {}", run.all());
        assert!(run.stderr.starts_with("error"), "{}", run.stderr);
    }
    let left: Vec<_> = std::fs::read_dir(place.path().join("full")).unwrap().collect();
    assert_eq!(left.len(), 1);
    assert_eq!(std::fs::read_dir(place.path()).unwrap().count(), 2, "nothing half written is left");
    std::fs::create_dir(place.path().join("empty")).unwrap();
    assert_eq!(place.run(&["demo", "empty"]).code, 0);
    assert!(place.path().join("empty/justwhy.toml").is_file());
}

#[test]
fn prints_completions_and_manual_pages() {
    let place = Place::new(&[]);
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let run = place.run(&["completions", shell]);
        assert_eq!(run.code, 0);
        assert!(run.stdout.contains("explain"), "{shell}");
    }
    for (page, title) in [
        (&["manual"][..], ".TH justwhy 1"),
        (&["manual", "explain"], ".TH justwhy-explain 1"),
        (&["manual", "list"], ".TH justwhy-list 1"),
    ] {
        let run = place.run(page);
        assert_eq!(run.code, 0);
        assert!(run.stdout.contains(title), "{page:?}: {}", run.stdout);
    }
    let wrong = place.run(&["manual", "explian"]);
    assert_eq!((wrong.code, wrong.stderr.contains("did you mean explain?")), (2, true));
    let json = place.run(&["manual", "--output", "json"]);
    let answer: serde_json::Value = serde_json::from_str(&json.stdout).unwrap();
    assert_eq!(answer["command"], "manual");
    assert!(answer["text"].as_str().unwrap().contains("SYNOPSIS"));
}

#[test]
fn helps_and_tells_its_version() {
    let place = Place::new(&[]);
    for arguments in [&["--help"][..], &["-h"], &["explain", "--help"], &["--version"]] {
        let run = place.run(arguments);
        assert_eq!((run.code, run.stderr.as_str()), (0, ""), "{arguments:?}");
        assert!(run.stdout.contains("justwhy") || run.stdout.contains("Usage"), "{arguments:?}");
    }
    // Whichever way it is asked for.
    let version = format!("justwhy {}\n", env!("CARGO_PKG_VERSION"));
    for arguments in [&["--version"][..], &["-V"], &["--color", "never", "--version"]] {
        assert_eq!(place.run(arguments).stdout, version, "{arguments:?}");
    }
}
