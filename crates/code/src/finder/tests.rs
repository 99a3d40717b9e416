//! What is a mention and what is not; and the same as looking for each name for itself.

use super::{Finder, Name, NameKind};
use crate::words;
use proptest::prelude::*;

fn name(text: &str, kind: NameKind, id: u32) -> Name {
    let is_variable = text.bytes().all(|byte| byte.is_ascii_uppercase() || byte == b'_');
    Name { text: text.to_owned(), kind, is_variable, id }
}

fn tide(is_loose: bool) -> Finder {
    let names = [
        name("TIDE_ALERT__THRESHOLD_CM", NameKind::Variable, 0),
        name("alert.threshold_cm", NameKind::Key, 0),
        name("TIDE_LEVEL", NameKind::Variable, 1),
        name("level", NameKind::Key, 1),
        name("alert", NameKind::Parent, 2),
        name("retry-policy.max", NameKind::Key, 3),
        name("a.b", NameKind::Key, 4),
        name("PORT", NameKind::Variable, 5),
    ];
    Finder::new(&names, "TIDE_", is_loose)
}

/// What is found, each with its number, or `?` for a variable that nobody knows.
fn found(finder: &Finder, text: &str) -> String {
    let shown = finder.find(text.as_bytes()).into_iter().map(|mention| {
        let id = mention.id.map_or("?".to_owned(), |id| id.to_string());
        let kind = match mention.kind {
            NameKind::Variable => "v",
            NameKind::Key => "k",
            NameKind::Parent => "p",
        };
        format!("{}={id}{kind}", &text[mention.range()])
    });
    shown.collect::<Vec<_>>().join(" ")
}

#[test]
fn finds_names_as_whole_words() {
    let finder = tide(false);
    for (text, expected) in [
        ("process.env.TIDE_LEVEL ?? 5", "TIDE_LEVEL=1v"),
        ("XTIDE_LEVEL TIDE_LEVELS éTIDE_LEVEL TIDE_LEVELé", "TIDE_LEVELS=?v TIDE_LEVELé=?v"),
        ("«TIDE_LEVEL»", "TIDE_LEVEL=1v"),
        ("config.alert.threshold_cm.toString()", "alert.threshold_cm=0k"),
        ("alert.threshold_cms my_alert.threshold_cm", ""),
        ("get(\"alert\") 'level' level", "alert=2p level=1k"),
        ("retry-policy.max and x-retry-policy.max", "retry-policy.max=3k retry-policy.max=3k"),
        ("a.b aa.b a.bb (a.b)", "a.b=4k a.b=4k"),
        ("$PORT ${PORT} env.PORT PORT \"PORT\" x.PORT", "PORT=5v PORT=5v PORT=5v PORT=5v"),
        ("\"TIDE_\" + name; TIDE_ALERT__ TIDE_", ""),
        ("TIDE_ALERT__THRESHOLD_CM", "TIDE_ALERT__THRESHOLD_CM=0v"),
    ] {
        assert_eq!(found(&finder, text), expected, "{text}");
    }
}

#[test]
fn loose_keys_are_found_in_every_spelling() {
    let finder = tide(true);
    for text in
        ["alert.threshold-cm", "alert.thresholdCm", "Alert.ThresholdCM", "ALERT.threshold_cm"]
    {
        assert_eq!(found(&finder, text), format!("{text}=0k"));
    }
    assert_eq!(found(&finder, "retryPolicy.max"), "retryPolicy.max=3k");
    assert_eq!(found(&finder, "\"LEVEL\""), "LEVEL=1k");
}

#[test]
fn without_names_nothing_is_found() {
    let finder = Finder::new(&[], "", false);
    assert!(finder.find(b"TIDE_LEVEL a.b \"level\"").is_empty());
}

/// Looks for each name for itself.
fn naive(names: &[Name], text: &str) -> Vec<(usize, usize)> {
    let is_boundary = |at: usize| {
        let before = text[..at].chars().next_back().is_some_and(words::is_word);
        let after = text[at..].chars().next().is_some_and(words::is_word);
        !(before && after)
    };
    let mut found = Vec::new();
    for name in names {
        for (at, _) in text.match_indices(name.text.as_str()) {
            let end = at + name.text.len();
            if is_boundary(at) && is_boundary(end) {
                found.push((at, end));
            }
        }
    }
    found.sort_by_key(|(start, end)| (*start, std::cmp::Reverse(*end)));
    let mut past = 0;
    found.retain(|(start, end)| {
        let is_new = *start >= past;
        if is_new {
            past = *end;
        }
        is_new
    });
    found
}

proptest! {
    #[test]
    fn finds_what_looking_for_each_name_finds(
        keys in proptest::collection::vec("[ab]{1,3}(-[ab])?(\\.[ab_]{1,2}){1,2}", 1..6),
        variables in proptest::collection::vec("[AB]{1,2}_[AB_]{0,2}[AB]", 0..6),
        text in "[abAB_.é \"-]{0,60}",
    ) {
        let keys = keys.iter().enumerate().map(|(at, key)| (key, at, false));
        let variables = variables.iter().enumerate().map(|(at, it)| (it, at, true));
        let names: Vec<Name> = keys
            .chain(variables)
            .map(|(text, at, is_variable)| Name {
                text: text.clone(),
                kind: if is_variable { NameKind::Variable } else { NameKind::Key },
                is_variable,
                id: u32::try_from(at).unwrap(),
            })
            .collect();
        let finder = Finder::new(&names, "", false);
        let found: Vec<(usize, usize)> =
            finder.find(text.as_bytes()).iter().map(|it| (it.range().start, it.range().end)).collect();
        prop_assert_eq!(found, naive(&names, &text), "{} {:?}", text, names);
    }
}
