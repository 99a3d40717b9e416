//! What an explanation says would happen does happen: random projects are written to a folder, asked
//! about, changed as the answer says, and asked again.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

mod common;

use common::projects::{KEYS, Project, Random, project};
use serde_json::Value;
use std::collections::BTreeMap;

/// How many projects there are, unless the variable `CAUSAL_PROJECTS` says another number.
const PROJECTS: u64 = 300;
/// # Asking
impl Project {
    fn ask(&self, key: &str, expected: Option<&str>) -> Option<Value> {
        let place = self.place();
        let sets: Vec<String> =
            self.sets.iter().map(|(key, value)| format!("--set={key}={value}")).collect();
        let mut arguments = vec!["explain", key, "--output", "json", "--in", &self.context];
        arguments.extend(sets.iter().map(String::as_str));
        let wanted = expected.map(|text| format!("--expected={text}"));
        arguments.extend(wanted.as_deref());
        let run = place.run_with(&arguments, &self.process());
        assert!(!run.stderr.contains("panic"), "{self:#?}\n{}", run.stderr);
        if run.code == 2 {
            // The setting is gone altogether, or a branch now.
            assert!(
                run.stdout.contains("unknown-key") || run.stdout.contains("about one setting"),
                "{self:#?}\n{key} {expected:?}\n{}{}",
                run.stdout,
                run.stderr
            );
            return None;
        }
        Some(serde_json::from_str(&run.stdout).unwrap())
    }

    /// Takes out the line of a place, or a variable or option.
    fn take_out(&mut self, at: &str, name: &str) {
        match at {
            "process" => drop(self.variables.remove(name)),
            "arguments" => self.sets.retain(|(key, _)| key != name),
            // The rows after it keep their numbers.
            place if place.contains(".jsonl:") => {
                let (lines, line) = self.line(place);
                lines[line] = "{}".to_owned();
            }
            place => {
                let (lines, line) = self.line(place);
                lines.remove(line);
            }
        }
    }

    fn apply(&mut self, step: &Value) {
        let text = |field: &str| step[field].as_str().unwrap_or_default().to_owned();
        let (at, name, to) = (text("at"), text("name"), text("to"));
        match text("act").as_str() {
            "take-out" => self.take_out(&at, &name),
            "write" => match at.as_str() {
                "process" => drop(self.variables.insert(name, to)),
                "arguments" => {
                    self.sets.retain(|(key, _)| *key != name);
                    self.sets.push((name, to));
                }
                place => self.write(place, &to),
            },
            "rename" if at == "process" => {
                let value = self.variables.remove(&name).unwrap();
                self.variables.insert(to, value);
            }
            "rename" => self.rename(&at, &name, &to),
            "ask-in" => self.context = to,
            "stop-removing" => {
                let (lines, line) = self.line(&at);
                lines[line] = lines[line].replace(&format!("\"{name}\""), "");
            }
            "count-empty" => {
                let header = match name.strip_prefix("the layer ") {
                    Some(layer) => format!("name = \"{layer}\""),
                    None => name,
                };
                let (lines, table) = self.table(&header);
                for line in &mut lines[table] {
                    *line = line.replace("empty = \"unset\"", "empty = \"value\"");
                }
            }
            "activate" => {
                let (lines, table) = self.table(&format!("name = \"{name}\""));
                for line in &mut lines[table] {
                    if line.starts_with("when") || line.starts_with("unless") {
                        line.clear();
                    }
                }
            }
            other => panic!("nobody knows how to {other}"),
        }
    }

    fn rename(&mut self, place: &str, name: &str, to: &str) {
        let is_nested = [".yaml:", ".jsonc:", ".jsonl:"].iter().any(|it| place.contains(it));
        let is_section = place.contains(".ini:");
        let (lines, line) = self.line(place);
        if is_section {
            let (old, new) = (name.rsplit('.').next().unwrap(), to.rsplit('.').next().unwrap());
            lines[line] = lines[line].replacen(old, new, 1);
            return;
        }
        if is_nested {
            let (old, new) = (name.rsplit('.').next().unwrap(), to.rsplit('.').next().unwrap());
            lines[line] = lines[line].replace(&format!("\"{old}\""), &format!("\"{new}\""));
            return;
        }
        let in_section = |name: &str| match lines.first().map(String::as_str) {
            Some("[main]") => name.split_once('.').unwrap().1.to_owned(),
            _ => name.to_owned(),
        };
        let (old, new) = (in_section(name), in_section(to));
        let said = lines.remove(line);
        let said = said.replacen(&old, &new, 1);
        // Out of [other] into [main], or where it was.
        let at = if to.starts_with("main.") { 1 } else { line };
        lines.insert(at, said);
    }
}

fn shown(value: &Value) -> String {
    match value {
        Value::String(text) => text.clone(),
        Value::Array(items) => {
            let items: Vec<String> = items.iter().map(Value::to_string).collect();
            format!("[{}]", items.join(", "))
        }
        other => other.to_string(),
    }
}

/// Takes the candidate that decides out of its source: the setting becomes what was said.
fn check_without(project: &Project, key: &str, answer: &Value) -> bool {
    let setting = &answer["settings"][0];
    let (Some(winner), Some(said)) = (setting.get("winner"), setting.get("without")) else {
        return false;
    };
    let mut changed = project.clone();
    let source = winner["source"].as_str().unwrap();
    let name = winner["name"].as_str().unwrap();
    match winner.get("line") {
        Some(line) => changed.take_out(&format!("{source}:{line}"), name),
        None => changed.take_out(source, name),
    }
    // What was at the key may have hidden a branch.
    let then = changed.ask(key, None).filter(|then| then["settings"][0]["key"] == key);
    let Some(then) = then else {
        assert_eq!(said["status"], "absent", "{project:#?}\n{key}\n{setting:#}");
        return true;
    };
    let then = &then["settings"][0];
    let context = format!("{project:#?}\n{key}\nbefore {setting:#}\nafter {then:#}");
    assert_eq!(said["status"], then["status"], "{context}");
    assert_eq!(said["value"], then["value"], "{context}");
    assert_eq!(said["layer"], then["winner"]["layer"], "{context}");
    assert_eq!(said["source"], then["winner"]["source"], "{context}");
    // Lines below the one that went have moved up.
    let gone = (source == said["source"] && !source.ends_with(".jsonl"))
        .then(|| winner["line"].as_u64())
        .flatten();
    let line = said["line"].as_u64().map(|line| match gone {
        Some(gone) if gone < line => line - 1,
        _ => line,
    });
    assert_eq!(line, then["winner"]["line"].as_u64(), "{context}");
    true
}

/// Does what is called the smallest step: the setting is what was expected.
fn check_expected(project: &Project, key: &str, text: &str) -> Option<String> {
    let answer = project.ask(key, Some(text))?;
    let first = answer["expected"]["found"].get(0)?;
    let steps = first["steps"].as_array().unwrap();
    if steps.is_empty() {
        return None;
    }
    let mut changed = project.clone();
    // From below, so that the lines above stay where they are.
    let mut ordered: Vec<&Value> = steps.iter().collect();
    let place = |step: &Value| {
        let at = step["at"].as_str().unwrap();
        let line = at.split(':').nth(1).and_then(|line| line.parse::<usize>().ok());
        (step["act"] == "rename", line.unwrap_or(0))
    };
    ordered.sort_by_key(|step| std::cmp::Reverse(place(step)));
    for step in ordered {
        changed.apply(step);
    }
    let context = || format!("{project:#?}\n{key} expected {text}\n{answer:#}\n{changed:#?}");
    let then = changed.ask(key, Some(text));
    let then = then.unwrap_or_else(|| panic!("it is gone\n{}", context()));
    assert_eq!(then["expected"]["is_met"], true, "{}\nthen {then:#}", context());
    Some(first["how"].as_str().unwrap().to_owned())
}

#[test]
fn becomes_what_the_explanation_says() {
    let (mut without, mut steps) = (0, BTreeMap::<String, usize>::new());
    let projects = std::env::var("CAUSAL_PROJECTS").ok().and_then(|text| text.parse().ok());
    for seed in 1..=projects.unwrap_or(PROJECTS) {
        let mut random = Random::of(seed);
        let project = project(&mut random);
        for key in KEYS {
            let Some(answer) = project.ask(key, None) else { continue };
            if answer["settings"][0]["key"] != key {
                // A branch; its settings are asked for one by one.
                continue;
            }
            without += usize::from(check_without(&project, key, &answer));
            let candidates = answer["settings"][0]["candidates"].as_array().unwrap();
            let mut texts: Vec<String> = candidates
                .iter()
                .flat_map(|it| [it.get("written").map(shown), it["layer"].as_str().map(Into::into)])
                .flatten()
                .collect();
            texts.extend(["1", "2", "3", "x", "p", ""].map(str::to_owned));
            let wanted = random.below(texts.len());
            for text in [&texts[wanted], &texts[texts.len() - 1 - random.below(6)]] {
                if let Some(how) = check_expected(&project, key, text) {
                    *steps.entry(how).or_default() += 1;
                }
            }
        }
    }
    // A test of nothing would pass too.
    assert!(without > 200, "{without}");
    for how in ["overridden", "blocked", "in-force-elsewhere", "removed", "empty", "near-name"] {
        assert!(steps.contains_key(how), "no step for {how}: {steps:?}");
    }
}
