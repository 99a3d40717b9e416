//! `adopt` on repositories of many kinds: what it proposes answers as the programs themselves would.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]
#![allow(clippy::print_stdout, reason = "a run that fails prints what it came to")]

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
    named(|| assert_snapshot!("adopting_facts", told));
}

/// Everything that a command over the whole project prints must be an answer, not a failure.
#[test]
fn every_command_runs_on_what_is_proposed() {
    let commands: [&[&str]; 6] =
        [&[], &["list"], &["check"], &["grid"], &["needs"], &["find", "tide"]];
    for (name, repository) in repositories() {
        let place = place(&repository);
        place.run(&["adopt", "--write"]);
        for command in commands {
            let run = place.run(command);
            // There is no grid where nothing varies.
            let is_one = run.stderr.contains("no axis has several values");
            assert!(run.code < 2 || is_one, "{name} {command:?}: {}", run.all());
        }
    }
}

#[test]
fn no_value_of_an_env_file_is_in_a_proposal() {
    const SHORTEST: usize = 8;
    let mut looked_at = 0;
    for (name, repository) in repositories() {
        let place = place(&repository);
        let run = place.run(&["adopt"]);
        let written = place.run(&["adopt", "--output", "json"]);
        for (path, text) in env_files(place.path()) {
            for line in text.lines().filter(|line| !line.starts_with('#')) {
                let Some((_, value)) = line.split_once('=') else { continue };
                let value = value.trim().trim_matches('"');
                if value.len() >= SHORTEST {
                    looked_at += 1;
                    assert!(!run.all().contains(value), "{name} {path}: {value}");
                    assert!(!written.all().contains(value), "{name} {path}: {value}");
                }
            }
        }
    }
    assert!(looked_at > 20, "{looked_at}");
}

fn env_files(folder: &Path) -> Vec<(String, String)> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap().map(|it| it.unwrap()) {
        let name = entry.file_name().to_string_lossy().into_owned();
        if entry.file_type().unwrap().is_dir() {
            found.extend(env_files(&entry.path()));
        } else if name.contains(".env") {
            found.push((name, std::fs::read_to_string(entry.path()).unwrap()));
        }
    }
    found
}

#[test]
fn the_proposal_is_a_file_with_the_evidence_for_every_line() {
    let place = place(&repository("node"));
    named(|| assert_snapshot!("adopting_node", place.run(&["adopt"]).all()));
    let place = self::place(&repository("compose"));
    named(|| assert_snapshot!("adopting_compose", place.run(&["adopt"]).all()));
}

/// Snapshots without the name of the temporary folder.
fn named(test: impl FnOnce()) {
    let mut settings = insta::Settings::clone_current();
    settings.add_filter(r"\.tmp\w{6}", "[name]");
    settings.set_prepend_module_to_snapshot(false);
    settings.bind(test);
}

fn repository(name: &str) -> PathBuf {
    repositories().into_iter().find(|(it, _)| it == name).unwrap().1
}

#[test]
fn what_is_written_is_answered_from_at_once() {
    let place = place(&repository("rust"));
    let run = place.run(&["adopt", "--write"]);
    named(|| assert_snapshot!("adopting_write", run.all()));
    let written = std::fs::read_to_string(place.path().join("justwhy.toml")).unwrap();
    assert!(run.stdout.contains("$ justwhy explain gauge.interval_s"), "{}", run.all());

    let again = place.run(&["adopt", "--write"]);
    assert_eq!(again.code, 2);
    assert!(again.stderr.contains("justwhy.toml exists"), "{}", again.all());
    assert_eq!(std::fs::read_to_string(place.path().join("justwhy.toml")).unwrap(), written);
}

#[test]
fn a_folder_is_named_and_nothing_is_written_elsewhere() {
    let place = Place::new(&[("one/.env", "TOKEN=high-water-77\n"), ("README.md", "")]);
    let run = place.run(&["adopt", "one", "--write"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert!(place.path().join("one/justwhy.toml").is_file());
    assert!(!place.path().join("justwhy.toml").exists());
    assert!(!run.all().contains("high-water-77"), "{}", run.all());
    let run = place.run(&["adopt", "README.md"]);
    assert_eq!((run.code, run.stdout.as_str()), (2, ""));
    assert!(run.stderr.contains("is not a folder"), "{}", run.all());
}

#[test]
fn an_empty_folder_is_no_failure() {
    let place = Place::new(&[]);
    let run = place.run(&["adopt"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert!(run.stderr.contains("no file that sets anything was found"), "{}", run.all());
}

#[test]
fn its_own_demo_without_the_project_file_answers_nearly_the_same() {
    let (demo, adopted) = (Place::demo(), Place::demo());
    std::fs::remove_file(adopted.path().join("justwhy.toml")).unwrap();
    let run = adopted.run(&["adopt", "--write"]);
    assert_eq!(run.code, 0, "{}", run.all());
    // What these have is declared in the project file itself, which is gone.
    let gone = ["audit.keep_days", "audit.readers", "alert.recipients"];
    let (mut all, mut same) = (0, 0);
    for environment in ["dev", "staging", "production"] {
        for place in ["north", "south", "north,service=alerts", "south,service=collector"] {
            let context = format!("environment={environment},region={place}");
            let before = list(&demo, &context);
            let after = list(&adopted, &full(&before));
            let before = values(&before);
            let after = values(&after);
            let mut keys: Vec<&String> = before.keys().chain(after.keys()).collect();
            keys.sort();
            keys.dedup();
            for key in keys.into_iter().filter(|key| !gone.contains(&key.as_str())) {
                all += 1;
                same += usize::from(before.get(key) == after.get(key));
            }
        }
    }
    assert!(same * 10 >= all * 9, "{same} of {all}");
}

fn list(place: &Place, context: &str) -> Value {
    let run = place.run(&["list", "--output", "json", "--in", context]);
    serde_json::from_str(&run.stdout).unwrap()
}

/// The whole context of an answer, as `--in` takes it.
fn full(answer: &Value) -> String {
    let axes = answer["context"].as_object().unwrap().iter();
    axes.map(|(axis, value)| format!("{axis}={}", value.as_str().unwrap()))
        .collect::<Vec<_>>()
        .join(",")
}

fn values(answer: &Value) -> std::collections::BTreeMap<String, String> {
    let settings = answer["settings"].as_array().unwrap().iter();
    settings.map(|it| (it["key"].as_str().unwrap().to_owned(), it["value"].to_string())).collect()
}

#[test]
fn one_broken_file_leaves_the_others_of_its_family() {
    let place = Place::new(&[
        ("config/dev.yaml", "level: debug\n"),
        ("config/prod.yaml", "level: [\n"),
        ("config/staging.yaml", "level: info\n"),
        ("config/default.toml", "not toml\n"),
    ]);
    let run = place.run(&["adopt", "--write"]);
    assert_eq!(run.code, 0, "{}", run.all());
    let text = std::fs::read_to_string(place.path().join("justwhy.toml")).unwrap();
    assert!(text.contains("unless = { environment = [\"prod\"] }"), "{text}");
    assert!(text.contains("# Not read: config/prod.yaml:"), "{text}");
    assert!(text.contains("# not carried: config/default.toml:1"), "{text}");
    let run = place.run(&["list", "--in", "staging"]);
    assert!(run.stdout.contains("level  \"info\"  config/staging.yaml:1:8"), "{}", run.all());
}

#[test]
fn update_adds_and_neither_removes_nor_changes() {
    let place = place(&repository("php-env"));
    place.run(&["adopt", "--write"]);
    let before = std::fs::read_to_string(place.path().join("justwhy.toml")).unwrap();
    let run = place.run(&["adopt", "--update"]);
    assert_eq!((run.code, run.stdout.as_str()), (0, ""), "{}", run.all());

    place.file(".env.staging", b"DATABASE_NAME=tides_staging\n");
    place.file("charts/values-prod.yaml", b"replicas: 3\n");
    place.file("charts/values-dev.yaml", b"replicas: 1\n");
    let check = place.run(&["check"]);
    assert!(check.stdout.contains("justwhy adopt --update prints the change"), "{}", check.all());
    let diff = place.run(&["adopt", "--update"]);
    named(|| assert_snapshot!("adopting_update", diff.all()));
    assert_eq!(std::fs::read_to_string(place.path().join("justwhy.toml")).unwrap(), before);

    let run = place.run(&["adopt", "--update", "--write"]);
    assert_eq!(run.code, 0, "{}", run.all());
    let after = std::fs::read_to_string(place.path().join("justwhy.toml")).unwrap();
    let is_kept = |line: &&str| line.starts_with("allowed = ") || after.contains(*line);
    assert!(before.lines().all(|line| is_kept(&line)), "{after}");
    let run = place.run(&["list", "database_name", "--in", "staging"]);
    assert!(run.stdout.contains("tides_staging"), "{}", run.all());
    let run = place.run(&["adopt", "--update"]);
    assert_eq!(run.stdout, "", "{}", run.all());
}

#[test]
fn without_a_project_file_every_command_suggests_it() {
    let place =
        Place::new(&[(".env", "A=1\n"), ("compose.yaml", "services: {}\n"), ("src/.env", "B=1\n")]);
    for command in [&["list"][..], &["check"], &["explain", "a"], &[]] {
        let run = place.run(command);
        assert_eq!(run.code, 2);
        let help = "help: justwhy adopt proposes one from .env and compose.yaml;";
        assert!(run.stderr.contains(help), "{}", run.all());
    }
    // Nothing in a home folder is looked at.
    let home = place.path().canonicalize().unwrap();
    let run = place.run_with(&["list"], &[("HOME", home.to_str().unwrap())]);
    assert!(!run.stderr.contains("adopt"), "{}", run.all());
}

#[cfg(unix)]
#[test]
fn a_hostile_repository_is_neither_followed_nor_run() {
    use std::os::unix::fs::symlink;
    let outside = Place::new(&[
        ("secret.env", "OUTSIDE=deep-water-12\n"),
        ("a/b.yaml", "x: deep-water-12\n"),
    ]);
    let place = Place::new(&[
        ("config/a\nb.yaml", "x: 1\n"),
        ("config/\u{1b}[31mred.yaml", "x: 1\n"),
        ("config/{environment}.yaml", "x: 1\n"),
        ("config/\u{202e}gpj.toml", "x = 1\n"),
        ("config/staging.yaml", "a: &a [*a]\n"),
        ("config/test.json", &"[".repeat(100_000)),
        (
            "compose.yaml",
            "services:\n  \"a\\e[31mb\": {}\n  web:\n    env_file: [../../x.env, out/secret.env, $HOME/x]\n    environment: {A: \"$(touch pwned)\"}\n",
        ),
        (
            ".github/workflows/x.yml",
            "jobs:\n  \"x'] | @\": { env: {A: 1} }\n  ok:\n    steps:\n      - name: \"it's]\"\n        env: {A: 1}\n",
        ),
        ("start.sh", "#!/bin/sh\n. \"$(touch pwned)\"\n. ../secret.env\n"),
        ("package.json", "{\"scripts\":{\"start\":\"A=$(touch pwned) node\"}}"),
    ]);
    symlink(outside.path().join("secret.env"), place.path().join(".env")).unwrap();
    symlink(outside.path(), place.path().join("out")).unwrap();
    symlink(outside.path().join("a/b.yaml"), place.path().join("config/prod.yaml")).unwrap();
    let pipe = place.path().join("config/dev.yaml");
    assert!(std::process::Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    let deep = "d/".repeat(300);
    place.file(&format!("{deep}.env"), b"DEEP=1\n");
    let run = place.run(&["adopt"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert!(!run.all().contains("deep-water-12"), "{}", run.all());
    assert!(!run.all().contains(['\u{1b}', '\u{202e}']), "{}", run.all());
    assert!(!place.path().join("pwned").exists());
    assert!(run.stdout.contains("# .env:1: it is a link, which is not followed"), "{}", run.all());
    let run = place.run(&["adopt", "--write"]);
    assert_eq!(run.code, 0, "{}", run.all());
    let run = place.run(&["list"]);
    assert!(run.code < 2 && !run.all().contains("deep-water-12"), "{}", run.all());
}

#[test]
fn programs_get_the_proposal_as_json() {
    let place = place(&repository("ini"));
    let run = place.run(&["adopt", "--output", "json"]);
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    assert_eq!(answer["command"], "adopt");
    assert_eq!(answer["written"], false);
    assert_eq!(answer["layers"], serde_json::json!(["tide", "local", "process"]));
    assert!(answer["project"].as_str().unwrap().contains("inherit = \"DEFAULT\""));
    assert!(!place.path().join("justwhy.toml").exists());
}

#[test]
fn very_many_contexts_are_not_gone_through() {
    let place = Place::new(&[]);
    let many = |prefix: &str, count: usize| -> Vec<String> {
        (0..count).map(|number| format!("{prefix}{number}")).collect()
    };
    for package in many("p", 40) {
        place.file(&format!("packages/{package}/.env"), b"PORT=1\n");
    }
    for region in ["north", "south", "east", "west"] {
        place.file(&format!("regions/{region}.yaml"), b"level: 1\n");
    }
    for environment in ["dev", "test", "staging", "production"] {
        place.file(&format!("config/{environment}.yaml"), b"level: 1\n");
    }
    let services: String = many("s", 40)
        .iter()
        .map(|service| format!("  {service}:\n    environment: {{ LEVEL: info }}\n"))
        .collect();
    place.file("compose.yaml", format!("services:\n{services}").as_bytes());
    let run = place.run(&["adopt", "--write"]);
    assert_eq!(run.code, 0, "{}", run.all());
    let text = std::fs::read_to_string(place.path().join("justwhy.toml")).unwrap();
    assert!(text.contains("there are too many contexts"), "{text}");
    assert!(place.run(&["check"]).code < 2);
    let run = place.run(&["list", "port", "--in", "package=p7"]);
    assert!(run.stdout.contains("packages/p7/.env:1:6"), "{}", run.all());
    let run = place.run(&["list", "level", "--in", "service=s9,environment=dev"]);
    assert!(run.stdout.contains("compose.yaml"), "{}", run.all());
}

#[test]
fn a_grid_has_the_place_in_which_nothing_is_chosen() {
    let place = place(&repository("whole-service"));
    place.run(&["adopt", "--write"]);
    let run = place.run(&["grid", "log_level", "--across", "service,workflow", "--output", "csv"]);
    let head = "key,\"service=collector,workflow=\",\"service=store,workflow=\",\"service=,workflow=ci\",\"service=,workflow=\"";
    assert!(run.stdout.starts_with(head), "{}", run.all());
    let run = place.run(&["list", "--in", "service=store,workflow=ci"]);
    assert!(run.stderr.contains("does not exist"), "{}", run.all());
    let run = place.run(&["check"]);
    assert!(!run.stdout.contains("unknown-setting"), "{}", run.all());
    assert!(run.stdout.contains("only samples declare settings"), "{}", run.all());
}
