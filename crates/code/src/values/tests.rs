//! Which values mean their setting, and where one stands.

use super::{Values, is_distinctive, is_distinctive_secret};
use proptest::prelude::*;

#[test]
fn hosts_addresses_paths_and_long_identifiers_mean_their_setting() {
    for value in [
        "forecast.tide.example",
        "db.internal",
        "https://tide.example/levels",
        "postgres://tide@db.dev.tide.example/readings",
        "shore-desk@tide.example",
        "10.20.30.40",
        "10.20.30.40:8443",
        "forecast.tide.example:8443",
        "/var/lib/tide/readings",
        "~/tide/data/levels",
        "7f3a9c21-40ab-4b8e",
        "tide-net-7f3a9c-1b2d",
    ] {
        assert!(is_distinctive(value), "{value}");
    }
}

#[test]
fn words_and_what_everybody_writes_do_not() {
    for value in [
        "",
        "info",
        "localhost",
        "http://localhost:8080",
        "127.0.0.1",
        "0.0.0.0",
        "north",
        "harmonic",
        "true",
        "application/json",
        "utf-8",
        "iso-8859-1",
        "python3.11",
        "ubuntu-22.04",
        "tide.py",
        "settings.toml",
        "org.example.tide",
        "com.example.tide.app",
        "/dev/null",
        "/usr/bin/env",
        "/tmp/x",
        "/health",
        "2026-03-02",
        "a b c d e f g",
        "tide_forecast_level",
        "1.2.3-beta.4",
        "x86_64-linux",
        "shore desk@tide.example",
        "[::1]",
        "us-north-1",
        "v1.10.2",
        "/api/v1",
    ] {
        assert!(!is_distinctive(value), "{value}");
    }
    for value in ["password", "changeme", "secret", "tides", "aaaaaaaaaaaaaaaa", "demo"] {
        assert!(!is_distinctive_secret(value), "{value}");
    }
    for value in ["Xk29!hdWq0", "hush-hush-tides", "barnacle-in-a-url", "abcd1234efgh"] {
        assert!(is_distinctive_secret(value), "{value}");
    }
}

fn found(values: &[&str], text: &str) -> Vec<(u32, String)> {
    let values = Values::new(values.iter().zip(0..).map(|(it, id)| ((*it).to_owned(), id)));
    let mut found = Vec::new();
    values.find(text.as_bytes(), |id, at| found.push((id, text[at].to_owned())));
    found
}

#[test]
fn a_value_stands_alone() {
    let host = ["db.tide.example"];
    for text in [
        "'db.tide.example'",
        "//db.tide.example/x",
        "db.tide.example:5432",
        "(db.tide.example).",
        "=db.tide.example,",
    ] {
        assert_eq!(found(&host, text).len(), 1, "{text}");
    }
    for text in [
        "x.db.tide.example",
        "db.tide.example.org",
        "db.tide.examples",
        "a@db.tide.example",
        "my-db.tide.example",
    ] {
        assert_eq!(found(&host, text).len(), 0, "{text}");
    }
    let longer = ["https://tide.example", "https://tide.example/levels"];
    assert_eq!(
        found(&longer, "\"https://tide.example/levels\""),
        [(1, "https://tide.example/levels".to_owned())]
    );
    assert_eq!(
        found(&longer, "\"https://tide.example/other\""),
        [(0, "https://tide.example".to_owned())]
    );
    assert_eq!(found(&[], "anything"), []);
}

proptest! {
    #[test]
    fn finds_what_looking_for_each_value_finds(
        values in proptest::collection::btree_set("[ab/]{1,9}", 0..6),
        text in "[ab/ ]{0,60}",
    ) {
        let values: Vec<&str> = values.iter().map(String::as_str).collect();
        let naive = |at: usize| {
            let mut fits = values.iter().filter(|value| text[at..].starts_with(**value)).collect::<Vec<_>>();
            fits.sort_by_key(|value| value.len());
            fits.last().map(|value| value.len())
        };
        let mut expected = Vec::new();
        let mut at = 0;
        while at < text.len() {
            match naive(at) {
                Some(length) if super::stands_alone(text.as_bytes(), at, at + length) => {
                    expected.push(text[at..at + length].to_owned());
                    at += length;
                }
                _ => at += 1,
            }
        }
        let found: Vec<String> = found(&values, &text).into_iter().map(|(_, it)| it).collect();
        prop_assert_eq!(found, expected);
    }
}
