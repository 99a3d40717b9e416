//! Every string that the product can print, and every guide, in plain engineering English: usual words, one
//! word for one thing, short sentences.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::Place;
use std::path::{Path, PathBuf};

/// Words and phrases that are not used of things, each with the usual one.
const NOT: &[(&str, &str)] = &[
    ("says", "sets, prints, shows"),
    ("said", "set, written"),
    ("speaks", "sets"),
    ("speak", "set"),
    ("speaks of", "sets"),
    ("tells", "shows"),
    ("told", "shown"),
    ("offers", "sets"),
    ("stands", "is"),
    ("stand for", "are used instead of"),
    ("where you stand", "here, local layers"),
    ("where somebody", "here"),
    ("holds", "has"),
    ("in force", "takes effect"),
    ("decides", "wins"),
    ("decided", "set"),
    ("nobody can tell", "uncertain"),
    ("nobody knows", "uncertain"),
    ("whoever", "the person who"),
    ("therein", "in it"),
    ("besides", "also"),
    ("meanwhile", "in the meantime"),
    ("is silent", "does not set it"),
    ("is inactive", "does not apply here"),
    ("no value here", "not set"),
    ("is absent", "is not set"),
    ("text value", "string"),
    ("empty text", "empty string"),
    ("a text", "a string"),
    ("take out", "remove"),
    ("taken out", "removed"),
    ("takes away", "removes"),
    ("take away", "remove"),
    ("take the", "remove the"),
    ("misspelt?", "did you mean"),
    ("the answer is no", "a problem was found"),
    ("no more found", "fixed"),
    ("left out", "not included"),
    ("is left out", "is not included"),
    ("it is said that", "(leave it out)"),
    ("is not there", "not found, does not exist"),
    ("there is no", "no …, not found"),
    ("is no ", "is not a"),
    ("to mend", "to fix"),
    ("anew", "again"),
];

/// Sentences of more words are two.
const MOST_WORDS: usize = 25;

/// Strings that may have such words, with the reason.
const EXCEPTIONS: &[(&str, &str)] =
    &[("stand-in", "the name of the demo service's kind"), ("absence", "not the word for a state")];

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn files(folder: &Path, ending: &str, all: &mut Vec<PathBuf>) {
    let mut entries: Vec<PathBuf> =
        std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    entries.sort();
    for path in entries {
        if path.is_dir() {
            files(&path, ending, all);
        } else if path.to_str().unwrap().ends_with(ending) {
            all.push(path);
        }
    }
}

/// The string literals of a source file, with the line of each.
fn literals(source: &str) -> Vec<(usize, String)> {
    let bytes = source.as_bytes();
    let (mut all, mut at, mut line) = (Vec::new(), 0, 1);
    while at < bytes.len() {
        match bytes[at] {
            b'\n' => line += 1,
            b'/' if bytes.get(at + 1) == Some(&b'/') => {
                while at < bytes.len() && bytes[at] != b'\n' {
                    at += 1;
                }
                continue;
            }
            // A character, which may be a quote.
            b'\'' if bytes.get(at + 2) == Some(&b'\'') => at += 2,
            b'\'' if bytes.get(at + 1) == Some(&b'\\') && bytes.get(at + 3) == Some(&b'\'') => {
                at += 3;
            }
            b'"' => {
                let (start, first) = (at + 1, line);
                at += 1;
                while at < bytes.len() && bytes[at] != b'"' {
                    line += usize::from(bytes[at] == b'\n');
                    if bytes[at] == b'\\' {
                        at += 1;
                        line += usize::from(bytes.get(at) == Some(&b'\n'));
                    }
                    at += 1;
                }
                let text = source[start..at.min(bytes.len())].to_owned();
                let mut parts = text.split("\\\n").map(str::to_owned).collect::<Vec<String>>();
                parts.iter_mut().skip(1).for_each(|part| *part = part.trim_start().to_owned());
                all.push((first, parts.concat()));
            }
            _ => {}
        }
        at += 1;
    }
    all
}

/// Whether a literal is meant for people: words with blanks between them.
fn is_prose(text: &str) -> bool {
    let words = text.split_whitespace().filter(|word| word.chars().all(|c| c.is_alphabetic()));
    words.count() >= 2 && !text.contains("justwhy = 1")
}

/// What is wrong with a text, if anything is.
fn faults(text: &str) -> Vec<String> {
    let mut lower = format!(" {} ", text.to_lowercase());
    for (exception, _) in EXCEPTIONS {
        lower = lower.replace(exception, "");
    }
    let plain: String = lower
        .chars()
        .map(|c| if c.is_alphanumeric() || "'?-_`".contains(c) { c } else { ' ' })
        .collect();
    let plain = format!(" {} ", plain.split_whitespace().collect::<Vec<_>>().join(" "));
    let mut faults: Vec<String> = NOT
        .iter()
        .filter(|(word, _)| plain.contains(&format!(" {} ", word.trim())))
        .map(|(word, better)| format!("`{}` ({better})", word.trim()))
        .collect();
    for sentence in text.split(['.', '!', '?', ':', ';', '\n', '|']) {
        let count = sentence.split_whitespace().count();
        if count > MOST_WORDS {
            faults.push(format!("{count} words: {}", sentence.trim()));
        }
    }
    faults
}

fn report(found: Vec<String>) {
    assert!(found.is_empty(), "{} places:\n{}", found.len(), found.join("\n"));
}

#[test]
fn every_message_is_in_plain_words() {
    let mut sources = Vec::new();
    for entry in std::fs::read_dir(root().join("crates")).unwrap() {
        files(&entry.unwrap().path().join("src"), ".rs", &mut sources);
    }
    let (mut found, mut count) = (Vec::new(), 0);
    for path in sources {
        let shown = path.strip_prefix(root()).unwrap().display().to_string();
        if shown.contains("/tests") {
            continue;
        }
        for (line, text) in literals(&std::fs::read_to_string(&path).unwrap()) {
            if is_prose(&text) {
                count += 1;
                let faults = faults(&text);
                found.extend(faults.iter().map(|fault| format!("{shown}:{line}: {fault}: {text}")));
            }
        }
    }
    assert!(count > 1_000, "{count} messages");
    report(found);
}

#[test]
fn every_help_is_in_plain_words_and_every_example_runs() {
    let demo = Place::demo();
    let all = demo.run(&["--help"]).stdout;
    let commands: Vec<&str> = all
        .lines()
        .skip_while(|line| *line != "Look:")
        .take_while(|line| !line.starts_with("Options:"))
        .filter_map(|line| line.strip_prefix("  ")?.split_whitespace().next())
        .collect();
    assert_eq!(commands.len(), 21, "{commands:?}");
    let (mut found, mut examples) = (Vec::new(), 0);
    found.extend(faults(&all));
    for command in commands {
        let help = demo.run(&[command, "--help"]).stdout;
        for line in help.lines() {
            found.extend(faults(line).iter().map(|fault| format!("{command}: {fault}")));
        }
        let lines = help.lines().skip_while(|line| *line != "Examples:").skip(1);
        for example in lines.filter_map(|line| line.strip_prefix("  justwhy ")) {
            examples += 1;
            let words: Vec<String> =
                example.split_whitespace().map(|word| word.trim_matches('\'').to_owned()).collect();
            let place = Place::demo();
            let run = place.run(&words.iter().map(String::as_str).collect::<Vec<_>>());
            // What encrypts needs recipients, which the demo does not have.
            let is_known = command == "encrypt" && run.stderr.contains("no recipients");
            assert!(run.code < 2 || is_known, "justwhy {example}: {}", run.all());
        }
    }
    assert!(examples > 40, "{examples} examples");
    report(found);
}

/// The prose of a document: without code, links and the marks of tables.
fn prose(text: &str) -> Vec<(usize, String)> {
    let mut paragraphs: Vec<(usize, String)> = Vec::new();
    let (mut is_code, mut is_open) = (false, false);
    for (number, line) in text.lines().enumerate() {
        if line.trim_start().starts_with("```") {
            is_code = !is_code;
            is_open = false;
            continue;
        }
        let trimmed = line.trim_start_matches(['>', ' ', '#']).trim();
        if is_code || trimmed.is_empty() {
            is_open = false;
            continue;
        }
        // The inside of backticks is code, and of a link only its text is read.
        let outside = trimmed.split('`').step_by(2).collect::<Vec<_>>().join("x");
        let begins = trimmed.starts_with(['-', '*', '|']) || line.starts_with('#');
        match paragraphs.last_mut().filter(|_| is_open && !begins) {
            Some((_, text)) => {
                text.push(' ');
                text.push_str(&outside);
            }
            None => paragraphs.push((number + 1, outside)),
        }
        is_open = !trimmed.starts_with('|') && !line.starts_with('#');
    }
    paragraphs
}

#[test]
fn every_guide_is_in_plain_words() {
    let mut guides = Vec::new();
    files(&root().join("docs"), ".md", &mut guides);
    guides.extend(["README.md", "CONTRIBUTING.md"].map(|name| root().join(name)));
    guides.push(root().join("crates/justwhy/demo/README.md"));
    let mut found = Vec::new();
    for path in &guides {
        let shown = path.strip_prefix(root()).unwrap().display().to_string();
        for (line, text) in prose(&std::fs::read_to_string(path).unwrap()) {
            found.extend(faults(&text).iter().map(|fault| format!("{shown}:{line}: {fault}")));
        }
    }
    assert!(guides.len() > 12);
    report(found);
}

#[test]
fn every_schema_is_described_in_plain_words() {
    let mut schemas = Vec::new();
    files(&root().join("docs/schema"), ".json", &mut schemas);
    let mut found = Vec::new();
    for path in &schemas {
        let shown = path.strip_prefix(root()).unwrap().display().to_string();
        let text = std::fs::read_to_string(path).unwrap();
        for (number, line) in text.lines().enumerate() {
            let Some(text) = line.trim().strip_prefix("\"description\": \"") else { continue };
            let text = text.split('`').step_by(2).collect::<Vec<_>>().join("x");
            found.extend(faults(&text).iter().map(|it| format!("{shown}:{}: {it}", number + 1)));
        }
    }
    assert!(schemas.len() > 15);
    report(found);
}
