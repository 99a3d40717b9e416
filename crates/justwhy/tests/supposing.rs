//! What `suppose` foretells is what happens: random projects are asked what a change would do, the
//! change is made by hand, and they are asked again.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

mod common;

use common::projects::{KEYS, Project, Random, project, variable};
use common::{Place, Run, settled};
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};

/// How many projects there are, unless the variable `SUPPOSED_PROJECTS` says another number.
const PROJECTS: u64 = 250;

/// A change, as it is supposed and as it is made.
struct Change {
    kind: &'static str,
    options: Vec<String>,
    made: Project,
    /// What `--set` and `--unset` say.
    arguments: Vec<String>,
}

/// The settings of a list by key, without lines and columns, which move.
type Listed = BTreeMap<String, Value>;

fn listed(run: &Run) -> Option<Listed> {
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let settings = answer["settings"].as_array()?;
    let named = |it: &Value| (it["key"].as_str().unwrap().to_owned(), told(it));
    Some(settings.iter().map(named).collect())
}

/// What is compared of a setting.
fn told(setting: &Value) -> Value {
    let mut told = setting.clone();
    if let Some(winner) = told["winner"].as_object_mut() {
        winner.remove("line");
        winner.remove("column");
    }
    if let Some(error) = told["error"].as_object_mut() {
        // Messages tell of lines too.
        error.remove("message");
        error.remove("way");
    }
    told
}

/// What makes a setting another one: not who says it.
fn essence(told: Option<&Value>) -> Value {
    let field = |field: &str| told.map(|it| it[field].clone()).unwrap_or_default();
    Value::Array(vec![field("status"), field("value"), field("error")])
}

fn list(project: &Project, arguments: &[String], context: &str) -> Option<Listed> {
    let place = project.place();
    let mut words = vec!["list", "--output", "json", "--in", context];
    words.extend(arguments.iter().map(String::as_str));
    listed(&place.run_with(&words, &project.process()))
}

fn change(random: &mut Random, project: &Project) -> Option<Change> {
    let key = random.one(&KEYS).to_owned();
    let plain = |kind, options: Vec<String>| Change {
        kind,
        options,
        made: project.clone(),
        arguments: Vec::new(),
    };
    Some(match random.below(10) {
        0 => {
            let arguments = vec![format!("--set={key}=7")];
            Change { arguments: arguments.clone(), ..plain("set", arguments) }
        }
        1 => {
            let arguments = vec![format!("--unset={key}")];
            Change { arguments: arguments.clone(), ..plain("unset", arguments) }
        }
        2 => {
            let name = variable(&key);
            let mut change = plain("variable", vec![format!("--variable={name}=7")]);
            change.made.variables.insert(name, "7".to_owned());
            change
        }
        3 => {
            let name = project.variables.keys().next()?.clone();
            let mut change = plain("no-variable", vec![format!("--no-variable={name}")]);
            change.made.variables.remove(&name);
            change
        }
        4 => {
            let layer = layer(random, project);
            let mut change = plain("without", vec![format!("--without={layer}")]);
            take_layer_out(&mut change.made, &layer);
            change
        }
        // Not every layer can be told of every key.
        _ => (0..8).find_map(|_| {
            let key = random.one(&KEYS).to_owned();
            put(random, project, &key)
        })?,
    })
}

fn layer(random: &mut Random, project: &Project) -> String {
    let lines = &project.files["justwhy.toml"];
    let names: Vec<&str> = lines
        .iter()
        .filter_map(|line| line.strip_prefix("name = \"layer-")?.strip_suffix('"'))
        .collect();
    format!("layer-{}", random.one(&names))
}

fn take_layer_out(project: &mut Project, layer: &str) {
    let lines = project.files.get_mut("justwhy.toml").unwrap();
    let name = lines.iter().position(|line| *line == format!("name = \"{layer}\"")).unwrap();
    let rest = lines[name..].iter().position(|line| line == "[[layer]]");
    let end = rest.map_or(lines.len(), |rest| name + rest);
    lines.drain(name - 1..end);
}

/// A value in a source, written by hand where it stands or on a new line.
fn put(random: &mut Random, project: &Project, key: &str) -> Option<Change> {
    let layer = layer(random, project);
    let options = vec![format!("--put={key}=7"), format!("--layer={layer}")];
    let mut made = project.clone();
    let place = project.place();
    let words = ["explain", key, "--output", "json", "--in", &project.context];
    let answer = place.run_with(&words, &project.process());
    let answer: Value = serde_json::from_str(&answer.stdout).unwrap();
    let setting = &answer["settings"][0];
    let is_asked = setting["key"] == key;
    let said = setting["candidates"].as_array().filter(|_| is_asked).into_iter().flatten();
    let mut said = said.filter(|it| it["layer"] == layer.as_str() && it["verdict"] != "withheld");
    // A pattern that takes away says nothing itself.
    if let Some(there) = said.find(|it| it.get("written").is_some()) {
        let (source, line) = (there["source"].as_str().unwrap(), there["line"].as_u64()?);
        let is_text = [".env", ".ini", ".properties"].iter().any(|end| source.ends_with(end));
        let like = match &there["written"] {
            Value::Null => &setting["value"],
            written => written,
        };
        let value = match is_text {
            true => "7".to_owned(),
            false if source.ends_with(".store") => "\"7\"".to_owned(),
            false => literal(like),
        };
        made.write(&format!("{source}:{line}"), &value);
        return Some(Change { kind: "put", options, made, arguments: Vec::new() });
    }
    // Somewhere else in a file of plain lines.
    let like = if is_asked { &setting["value"] } else { &Value::Null };
    let file = format!("{layer}.toml");
    let lines = made.files.get_mut("justwhy.toml").unwrap();
    let is_read_so = lines.contains(&format!("file = \"{file}\""));
    let name = lines.iter().position(|line| *line == format!("name = \"{layer}\"")).unwrap();
    let table = lines[name..].iter().skip(1).take_while(|line| !line.starts_with('['));
    let is_plain = table.clone().all(|line| {
        !["under", "into", "per_directory"].iter().any(|field| line.starts_with(field))
    });
    if !is_read_so || !is_plain {
        return None;
    }
    let lines = made.files.get_mut(&file)?;
    lines.push(format!("{key} = {}", literal(like)));
    Some(Change { kind: "new", options, made, arguments: Vec::new() })
}

/// How `7` is written where that stands.
fn literal(like: &Value) -> String {
    match like {
        Value::Array(_) => "[\"7\"]".to_owned(),
        Value::String(_) | Value::Bool(_) => "\"7\"".to_owned(),
        _ => "7".to_owned(),
    }
}

fn suppose(project: &Project, change: &Change, more: &[&str]) -> (Run, Option<Value>) {
    let place = project.place();
    let mut words = vec!["suppose", "--output", "json", "--in", &project.context];
    words.extend(change.options.iter().map(String::as_str));
    words.extend(more);
    let run = place.run_with(&words, &project.process());
    assert!(!run.stderr.contains("panic"), "{project:#?}\n{:?}\n{}", change.options, run.stderr);
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let answer = (run.code == 0).then_some(answer);
    (run, answer)
}

/// The keys that are otherwise in `after`.
fn otherwise(before: &Listed, after: &Listed) -> BTreeSet<String> {
    let keys = before.keys().chain(after.keys());
    keys.filter(|key| essence(before.get(*key)) != essence(after.get(*key))).cloned().collect()
}

#[test]
fn foretells_what_happens() {
    let mut kinds = BTreeMap::<&str, usize>::new();
    let mut changed = 0;
    let projects = std::env::var("SUPPOSED_PROJECTS").ok().and_then(|text| text.parse().ok());
    for seed in 1..=projects.unwrap_or(PROJECTS) {
        let mut random = Random::of(seed.wrapping_add(1 << 32));
        let mut project = project(&mut random);
        project.sets.clear();
        let Some(change) = change(&mut random, &project) else { continue };
        changed += usize::from(check_here(&project, &change, &mut kinds));
        if random.once_in(3) {
            check_everywhere(&project, &change);
        }
    }
    // A test of nothing would pass too.
    assert!(changed > 60, "{changed}");
    for kind in ["set", "unset", "variable", "no-variable", "without", "put", "new"] {
        assert!(kinds.get(kind).is_some_and(|count| *count > 3), "{kind}: {kinds:?}");
    }
}

/// The context in the project as it is then: of rows, as long as a layer of rows is left.
fn then(change: &Change, context: &str) -> String {
    let has_rows = change.made.files["justwhy.toml"].iter().any(|line| line.starts_with("rows"));
    let (rest, row) = context.split_once(",row=").unwrap_or((context, ""));
    if has_rows || row.is_empty() { context.to_owned() } else { rest.to_owned() }
}

fn check_here(
    project: &Project,
    change: &Change,
    kinds: &mut BTreeMap<&'static str, usize>,
) -> bool {
    let Some(before) = list(project, &[], &project.context) else { return false };
    let (run, foretold) = suppose(project, change, &[]);
    let after = list(&change.made, &change.arguments, &then(change, &project.context));
    let story =
        || format!("{project:#?}\n{:?}\n{:#?}\n{}", change.options, change.made.files, run.all());
    let Some(foretold) = foretold else {
        // What cannot be edited so could not be foretold.
        let refused = run.stdout.contains("bad-edit");
        assert!(refused || after.is_none(), "{}", story());
        return false;
    };
    let Some(after) = after else { panic!("cannot be read then\n{}", story()) };
    *kinds.entry(change.kind).or_default() += 1;
    let mut told = BTreeSet::new();
    for effect in foretold["settings"].as_array().unwrap() {
        let key = effect["key"].as_str().unwrap();
        assert!(told.insert(key.to_owned()), "{key} is told twice\n{}", story());
        for (side, list) in [("left", &before), ("right", &after)] {
            let foretold = (!effect[side].is_null()).then(|| self::told(&effect[side]));
            assert_eq!(foretold.as_ref(), list.get(key), "{key} {side}\n{}", story());
        }
    }
    // Of an error it is told too if unexpected text is said that is as wrong.
    let is_as_wrong = |key: &String| {
        before.get(key).is_some_and(|it| it["status"] == "error")
            && essence(before.get(key)) == essence(after.get(key))
    };
    told.retain(|key| !is_as_wrong(key));
    assert_eq!(told, otherwise(&before, &after), "{}", story());
    !told.is_empty()
}

/// The same in every context, with the layers that describe where you stand.
fn check_everywhere(project: &Project, change: &Change) {
    let (run, foretold) = suppose(project, change, &["--everywhere", "--with-local"]);
    let Some(foretold) = foretold else { return };
    let rows = project.files["justwhy.toml"].iter().any(|line| line.starts_with("rows"));
    let row = if rows { ",row=1" } else { "" };
    for (environment, team) in [("dev", "shore"), ("dev", "model"), ("prod", "shore")] {
        let context = format!("environment={environment},region=north,team={team}{row}");
        let before = list(project, &[], &context);
        let after = list(&change.made, &change.arguments, &then(change, &context));
        let (Some(before), Some(after)) = (before, after) else { continue };
        let mut values = vec![("environment", environment), ("region", "north"), ("team", team)];
        values.extend(rows.then_some(("row", "1")));
        let holds = |effect: &&Value| {
            effect["contexts"].as_array().unwrap().iter().any(|table| {
                table.as_object().unwrap().iter().all(|(axis, allowed)| {
                    let value = values.iter().find(|(name, _)| name == axis).map_or("", |it| it.1);
                    allowed.as_array().unwrap().iter().any(|allowed| allowed == value)
                })
            })
        };
        let code =
            |side: &Value| (side["status"] == "error").then(|| side["error"]["code"].clone());
        let is_as_wrong = |effect: &Value| {
            let code = [code(&effect["left"]), code(&effect["right"])];
            code[0].is_some() && code[0] == code[1]
        };
        let effects = foretold["settings"].as_array().unwrap().iter().filter(holds);
        let effects = effects.filter(|effect| !is_as_wrong(effect));
        let told: BTreeSet<String> =
            effects.clone().map(|it| it["key"].as_str().unwrap().to_owned()).collect();
        let story = || format!("{context}\n{project:#?}\n{:?}\n{}", change.options, run.all());
        assert_eq!(told, otherwise(&before, &after), "{}", story());
        for effect in effects {
            let key = effect["key"].as_str().unwrap();
            let foretold = (!effect["right"].is_null()).then(|| self::told(&effect["right"]));
            assert_eq!(foretold.as_ref(), after.get(key), "{key}\n{}", story());
        }
    }
}

#[test]
fn shows_what_would_change_here_and_everywhere() {
    let questions: [&[&str]; 8] = [
        &["--put", "alert.threshold_cm=150", "--layer", "by-region", "--in", "production,north"],
        &[
            "--put",
            "alert.threshold_cm=130",
            "--layer",
            "by-environment",
            "--in",
            "production",
            "--everywhere",
        ],
        &["--without", "by-region", "--everywhere"],
        &["--variable", "TIDE_ENV=staging"],
        &[
            "--put",
            "TIDE_DATABASE__POOL__MAX=9",
            "--layer",
            "team-scope",
            "--in",
            "production,alerts",
        ],
        &["--put", "sms.gateway=https://sms.example", "--layer", "defaults", "--everywhere"],
        &["--put", "alert.threshold_cm=100", "--layer", "defaults", "--in", "production,north"],
        &[
            "--put",
            "database.password=${sms.api_key}x",
            "--layer",
            "deployment",
            "--in",
            "production",
        ],
    ];
    let mut shown = String::new();
    for question in questions {
        let demo = Place::demo();
        let before = files(demo.path());
        let run = demo.run(&[&["suppose"], question].concat());
        shown.push_str(&format!("=== {}\n{}\n", question.join(" "), run.all()));
        assert_eq!(files(demo.path()), before, "nothing is written");
    }
    settled(|| insta::assert_snapshot!(shown));
}

fn files(folder: &std::path::Path) -> BTreeMap<std::path::PathBuf, Vec<u8>> {
    let mut found = BTreeMap::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            found.extend(files(&path));
        } else {
            found.insert(path.clone(), std::fs::read(&path).unwrap());
        }
    }
    found
}

#[test]
fn says_why_it_cannot_be_supposed() {
    let questions: [&[&str]; 16] = [
        &[],
        &["--put", "a.b", "--layer", "defaults"],
        &["--put", "a..b=1", "--layer", "defaults"],
        &["--put", "a.b=1", "--layer", "default"],
        &["--put", "a.b=1", "--layer", "catalogue"],
        &["--put", "a.b=1", "--layer", "process"],
        &["--put", "TIDE_DATABASE__POOL_MAX=9", "--layer", "deployment", "--in", "production"],
        &["--put", "a.b=1", "--layer", "gauge"],
        &["--put", "a.b=1", "--layer", "by-region"],
        &["--put", "alert=1", "--layer", "defaults"],
        &["--put", "alert.threshold_cm.x=1", "--layer", "defaults"],
        &["--without", "by-regoin"],
        &["--without", "arguments"],
        &["--variable", "NO-NAME=1"],
        &["--variable", "TIDE_ENV=prodution"],
        &["--no-variable", "TIDE_NOWHERE"],
    ];
    let mut shown = String::new();
    let demo = Place::demo();
    for question in questions {
        let run = demo.run(&[&["suppose"], question].concat());
        shown.push_str(&format!("=== {}\n{}\n", question.join(" "), run.all()));
    }
    settled(|| insta::assert_snapshot!(shown));
}

#[test]
fn supposes_a_file_that_is_not_there_yet() {
    let project = "justwhy = 1\n[[axis]]\nname = \"site\"\nallowed = [\"a\", \"b\"]\n\
                   [[layer]]\nname = \"all\"\nfiles = \"of/*.json\"\n\
                   [[layer]]\nname = \"by-site\"\nfile = \"of/{site}.json\"\noptional = true\n";
    let place = Place::new(&[("justwhy.toml", project), ("of/a.json", "{\"x\": 1}")]);
    let words = ["suppose", "--put", "x=2", "--layer", "by-site", "--in", "b", "--output", "json"];
    let answer: Value = serde_json::from_str(&place.run(&words).stdout).unwrap();
    assert_eq!(answer["settings"][0]["right"]["value"], 2);
    // The pattern of the weaker layer finds it too, everywhere.
    let run = place.run(&[&words[..], &["--everywhere"]].concat());
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let effects = answer["settings"].as_array().unwrap();
    assert_eq!(effects.len(), 1, "{answer:#}");
    assert_eq!(effects[0]["contexts"], serde_json::json!([{ "site": ["b"] }]));
    assert!(!place.path().join("of/b.json").exists());
    place.file("of/b.json", b"{\n  \"x\": 2\n}\n");
    let listed = place.run(&["list", "--in", "b", "--output", "json"]);
    assert!(listed.stdout.contains("\"value\":2"), "{}", listed.stdout);
}
