//! `adopt` on repositories of many kinds: what it proposes answers as the programs themselves would.

mod common;

use common::Place;
use insta::assert_snapshot;
use serde_json::Value;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

/// A line of a table of facts: what the program itself would get.
#[derive(Debug)]
struct Fact {
    name: String,
    context: String,
    value: String,
    place: String,
}

/// How an answer compares with a fact.
#[derive(Debug, PartialEq, Eq)]
enum Outcome {
    Exact,
    /// The value is right, the place is another.
    Elsewhere(String),
    /// Not known, or unreadable.
    Missed(String),
    False(String),
}

fn repositories() -> Vec<(String, PathBuf)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/repositories");
    let mut all: Vec<(String, PathBuf)> = std::fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap())
        .map(|entry| (entry.file_name().to_string_lossy().into_owned(), entry.path()))
        .collect();
    all.sort();
    all
}

/// A repository as somebody has it. Its ignore file has another name here, so that git keeps what it names.
fn place(repository: &Path) -> Place {
    fn copy(place: &Place, from: &Path, below: &Path) {
        for entry in std::fs::read_dir(from).unwrap() {
            let entry = entry.unwrap();
            let name = entry.file_name().to_string_lossy().replace("_gitignore", ".gitignore");
            let path = below.join(name);
            match entry.file_type().unwrap().is_dir() {
                true => copy(place, &entry.path(), &path),
                false => {
                    let bytes = std::fs::read(entry.path()).unwrap();
                    place.file(path.to_str().unwrap(), &bytes);
                }
            }
        }
    }
    let place = Place::new(&[]);
    copy(&place, &repository.join("files"), Path::new(""));
    place.git(&["init", "--quiet"]);
    place
}

fn facts(repository: &Path) -> Vec<Fact> {
    let text = std::fs::read_to_string(repository.join("facts.txt")).unwrap();
    let lines = text.lines().filter(|line| !line.starts_with('#') && !line.is_empty());
    lines
        .map(|line| {
            let parts: Vec<&str> = line.split(" | ").collect();
            let [name, context, value, place] = parts.as_slice() else { panic!("{line}") };
            let [name, context, value, place] =
                [name, context, value, place].map(|it| (*it).to_owned());
            Fact { name, context, value, place }
        })
        .collect()
}

/// A value as a person reads it: a number and a string of its digits are the same there.
fn plain(value: &Value) -> String {
    match value {
        Value::String(text) => text.clone(),
        other => other.to_string(),
    }
}

fn asked(place: &Place, fact: &Fact) -> Outcome {
    let mut words = vec!["explain", &fact.name, "--output", "json", "--reveal"];
    if fact.context != "-" {
        words.extend(["--in", &fact.context]);
    }
    let run = place.run(&words);
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let Some(setting) = answer["settings"].as_array().and_then(|all| all.first()) else {
        let why = answer["error"]["message"].as_str().unwrap_or("unknown").to_owned();
        return match fact.value.as_str() {
            "not set" | "unreadable"
                if run.stdout.contains("unknown") || run.stdout.contains("no setting") =>
            {
                Outcome::Exact
            }
            _ => Outcome::Missed(why),
        };
    };
    let status = setting["status"].as_str().unwrap();
    let winner = &setting["winner"];
    let at = format!("{}:{}", winner["source"].as_str().unwrap_or("-"), winner["line"]);
    match (status, fact.value.as_str()) {
        ("set", "not set" | "unreadable") => {
            Outcome::False(format!("{} at {at}", setting["value"]))
        }
        ("set", wanted) => {
            let wanted: Value = serde_json::from_str(wanted).unwrap();
            match (plain(&setting["value"]) == plain(&wanted), at == fact.place) {
                (true, true) => Outcome::Exact,
                (true, false) => Outcome::Elsewhere(at),
                (false, _) => Outcome::False(format!("{} at {at}", setting["value"])),
            }
        }
        ("absent", "not set") | ("unreadable", "unreadable") => Outcome::Exact,
        (status, _) => Outcome::Missed(status.to_owned()),
    }
}

#[test]
fn what_is_proposed_answers_as_the_programs_themselves() {
    let (mut told, mut all, mut exact) = (String::new(), 0, 0);
    let mut false_answers = Vec::new();
    for (name, repository) in repositories() {
        let place = place(&repository);
        let run = place.run(&["adopt", "--write"]);
        assert_eq!(run.code, 0, "{name}: {}", run.all());
        let facts = facts(&repository);
        let mut misses = String::new();
        let mut right = 0;
        for fact in &facts {
            let outcome = asked(&place, fact);
            right += usize::from(outcome == Outcome::Exact);
            if outcome != Outcome::Exact {
                let line = format!(
                    "  {} in {}: {} at {}: {outcome:?}\n",
                    fact.name, fact.context, fact.value, fact.place
                );
                misses.push_str(&line);
                if matches!(outcome, Outcome::False(_) | Outcome::Elsewhere(_)) {
                    false_answers.push(format!("{name}: {line}"));
                }
            }
        }
        let _ = write!(told, "{name}: {right} of {}\n{misses}", facts.len());
        all += facts.len();
        exact += right;
    }
    println!("{told}\n{exact} of {all}");
    assert!(false_answers.is_empty(), "answered falsely:\n{}", false_answers.concat());
    assert!(exact * 10 >= all * 9, "{exact} of {all}\n{told}");
    assert_snapshot!("adopting_facts", told);
}
