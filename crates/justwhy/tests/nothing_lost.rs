//! Nothing is lost, half written, waited for without end, or refused as a whole for one bad part.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]
#![cfg(unix)]

mod common;

use common::{Place, Run};
use serde_json::Value;
use std::process::Stdio;
use std::time::{Duration, Instant};

fn place(layers: &str, files: &[(&str, &str)]) -> Place {
    let text = format!("justwhy = 1\n{layers}");
    let mut all = vec![("justwhy.toml", text.as_str())];
    all.extend(files);
    Place::new(&all)
}

fn text(place: &Place, path: &str) -> String {
    std::fs::read_to_string(place.path().join(path)).unwrap()
}

const LAYER: &str = "[[layer]]\nname = \"base\"\nfile = \"a.toml\"\n";

/// Runs the program, and fails if that takes as long as something that has no end.
fn ends(place: &Place, arguments: &[&str]) -> Run {
    let mut command = place.command(arguments);
    let mut child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let start = Instant::now();
    let (mut out, mut err) = (child.stdout.take().unwrap(), child.stderr.take().unwrap());
    let reads = std::thread::spawn(move || {
        let mut text = String::new();
        std::io::Read::read_to_string(&mut out, &mut text).unwrap();
        text
    });
    let errors = std::thread::spawn(move || {
        let mut text = String::new();
        std::io::Read::read_to_string(&mut err, &mut text).unwrap();
        text
    });
    while child.try_wait().unwrap().is_none() {
        if start.elapsed() > Duration::from_secs(90) {
            child.kill().unwrap();
            panic!("{arguments:?} goes on and on");
        }
        std::thread::sleep(Duration::from_millis(5));
    }
    let code = child.wait().unwrap().code().unwrap_or(-1);
    let run = Run { stdout: reads.join().unwrap(), stderr: errors.join().unwrap(), code };
    assert!(!run.stderr.contains("panicked"), "{}", run.all());
    assert!((0..=2).contains(&run.code), "{}", run.all());
    run
}

#[test]
fn two_projects_that_share_a_file_lose_no_write() {
    let layer = "justwhy = 1\n[[layer]]\nname = \"base\"\nfile = \"../shared.toml\"\n";
    let place = Place::new(&[
        (".git/HEAD", "ref: refs/heads/main\n"),
        ("one/justwhy.toml", layer),
        ("two/justwhy.toml", layer),
        ("shared.toml", "x = 0\n"),
    ]);
    let mut children = Vec::new();
    for number in 0..40 {
        let project = format!("--project={}", if number % 2 == 0 { "one" } else { "two" });
        let mut command =
            place.command(&[&project, "put", &format!("k{number}"), "1", "--layer", "base"]);
        children.push(command.stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap());
    }
    for child in children {
        let output = child.wait_with_output().unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    }
    let after = text(&place, "shared.toml");
    for number in 0..40 {
        assert!(after.contains(&format!("k{number} = 1")), "k{number} is lost: {after}");
    }
}

#[test]
fn a_link_that_leads_nowhere_does_not_become_a_file() {
    let place = place("[[layer]]\nname = \"base\"\nfile = \"a.toml\"\noptional = true\n", &[]);
    let link = place.path().join("a.toml");
    std::os::unix::fs::symlink("not-there.toml", &link).unwrap();
    let run = ends(&place, &["put", "x", "1", "--layer", "base"]);
    assert_eq!(run.code, 2, "{}", run.all());
    assert!(std::fs::symlink_metadata(&link).unwrap().is_symlink());
}

#[test]
fn a_pipe_in_place_of_a_file_holds_nobody_up() {
    let place = place(LAYER, &[]);
    let made =
        std::process::Command::new("mkfifo").arg(place.path().join("a.toml")).status().unwrap();
    assert!(made.success());
    for command in [&["list"][..], &["put", "x", "1", "--layer", "base"], &["check"]] {
        let run = ends(&place, command);
        assert!(run.code > 0 && run.all().contains("a.toml"), "{command:?}: {}", run.all());
    }
}

#[cfg(target_os = "linux")]
#[test]
fn that_something_was_written_is_said_even_if_the_answer_cannot_be_printed() {
    let place = place(LAYER, &[("a.toml", "x = 1\n")]);
    let mut command = place.command(&["put", "x", "2", "--layer", "base"]);
    command.stdout(std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap());
    let run = place.finish(&mut command);
    assert_eq!(text(&place, "a.toml"), "x = 2\n");
    assert!(
        run.stderr.contains("a.toml") && run.stderr.to_lowercase().contains("written"),
        "{}",
        run.all()
    );
}

#[test]
fn an_edit_that_breaks_something_asks_first() {
    let declares = "[setting.x]\ntype = \"integer\"\nrequired = true\n";
    let place = place(
        &format!("{declares}{LAYER}[[layer]]\nname = \"more\"\nfile = \"b.toml\"\n"),
        &[("a.toml", "x = 1\n"), ("b.toml", "")],
    );
    for (asked, becomes) in [
        (&["put", "x", "bad", "--layer", "base"][..], "x = \"bad\"\n"),
        (&["drop", "x", "--layer", "base"], ""),
    ] {
        place.file("a.toml", b"x = 1\n");
        let run = place.run(asked);
        assert_eq!(run.code, 1, "{asked:?}: {}", run.all());
        assert!(run.stdout.contains("--accept"), "{}", run.all());
        assert_eq!(text(&place, "a.toml"), "x = 1\n");
        let run = place.run(&[asked, &["--accept"]].concat());
        assert_eq!(run.code, 0, "{asked:?}: {}", run.all());
        assert_eq!(text(&place, "a.toml"), becomes);
    }
}

#[test]
fn variables_of_a_store_go_with_what_is_said_about_them() {
    let layers = "[store.hq]\nfile = \"s.toml\"\n[[layer]]\nname = \"every\"\nscope = \"every\"\nstore = \"hq\"\n\
        [[layer]]\nname = \"team\"\nscope = \"team\"\nstore = \"hq\"\n";
    let scopes = "justwhy = 1\n[scope.every.variables]\nDSN = { value = \"hush-1\", secret = true }\nX = \"1\"\n\
        [scope.team.variables]\nY = \"1\"\n";
    let place = place(layers, &[("s.toml", scopes)]);
    let run = place.run(&["move", "dsn", "--from", "every", "--to", "team"]);
    assert_eq!(run.code, 0, "{}", run.all());
    let after = text(&place, "s.toml");
    let (every, team) = after.split_once("[scope.team").unwrap();
    assert!(
        !every.contains("DSN") && team.contains("DSN") && team.contains("secret = true"),
        "{after}"
    );
    let run = place.run(&["drop", "dsn", "--layer", "team", "--accept"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert!(!text(&place, "s.toml").contains("DSN"));
    assert!(!run.all().contains("hush"), "{}", run.all());
}

#[test]
fn launch_leaves_no_variable_of_a_former_branch_and_fails_in_its_own_way() {
    let layers = "[variables]\nprefix = \"T_\"\n[setting.db]\ntype = \"map\"\nformerly = [\"database\"]\n\
        [[layer]]\nname = \"base\"\nvalues = { x = 1 }\n[[layer]]\nname = \"process\"\nprocess = true\n";
    let place = place(layers, &[]);
    let run = place.run_with(
        &["launch", "--unset", "db", "--", "/usr/bin/env"],
        &[("T_DATABASE__HOST", "old"), ("OTHER", "kept")],
    );
    assert!(!run.stdout.contains("DATABASE") && run.stdout.contains("OTHER=kept"), "{}", run.all());
    for wrong in [
        &["launch"][..],
        &["launch", "--"],
        &["launch", "--no-such-option", "--", "true"],
        &["launch", "--in", "nowhere", "--", "true"],
    ] {
        assert_eq!(place.run(wrong).code, 125, "{wrong:?}");
    }
    assert_eq!(place.run(&["launch", "--", "no-such-program-anywhere"]).code, 127);
    assert_eq!(place.run(&["launch", "--", "/"]).code, 126);
}

#[test]
fn expressions_of_rules_have_a_budget() {
    let items: Vec<String> = (0..10_000).map(|number| number.to_string()).collect();
    let file = format!("a = [{}]\ns = \"{}\"\n", items.join(", "), "x".repeat(1000));
    for require in [
        "a.all(x, a.all(y, x + y >= 0))",
        "a.map(x, s + s + s + s + s + s + s + s).size() > 0",
        "a.all(x, a.exists(y, a.exists(z, x + y + z < 0)))",
        "a.map(x, a.map(y, a)).size() > 0",
        "a.filter(x, a.filter(y, x == y).size() > 5).size() == 0",
    ] {
        let rule = format!("[[rule]]\nname = \"r\"\nrequire = \"{require}\"\n");
        let place = place(&format!("{rule}{LAYER}"), &[("a.toml", &file)]);
        ends(&place, &["check"]);
    }
}

#[test]
fn large_and_strange_projects_get_an_answer() {
    // A very long key near another.
    let long = "k".repeat(20_000);
    let one = place(LAYER, &[("a.toml", &format!("{long} = 1\n{long}k = 2\n"))]);
    for command in [&["check"][..], &["list"], &["explain", &long], &["explain", "nothing"]] {
        ends(&one, command);
    }
    // Axes that are read from each other.
    let mut axes = String::from("[[axis]]\nname = \"a0\"\nallowed = [\"x\"]\ndefault = \"x\"\n");
    for number in 1..2_000 {
        let before = number - 1;
        axes.push_str(&format!(
            "[[axis]]\nname = \"a{number}\"\nallowed = [\"x\"]\nread = [{{ axis = \"a{before}\", map = {{ x = \"x\" }} }}]\n"
        ));
    }
    let two = place(&format!("{axes}{LAYER}"), &[("a.toml", "x = 1\n")]);
    ends(&two, &["list"]);
    ends(&two, &["check"]);
    // Many layers.
    let mut layers = String::new();
    for number in 0..20_000 {
        layers.push_str(&format!("[[layer]]\nname = \"l{number}\"\nvalues = {{ x = {number} }}\n"));
    }
    ends(&place(&layers, &[]), &["list"]);
    // Many references by variable name.
    let mut file = String::new();
    for number in 0..8_000 {
        file.push_str(&format!("K{number}=${{K{}}}\n", number + 1));
    }
    let three = place("[[layer]]\nname = \"env\"\nfile = \"a.env\"\n", &[("a.env", &file)]);
    ends(&three, &["list"]);
    // Maps of a map of a map, by anchors.
    let mut yaml = String::from("a0: &a0 {x: 1, y: 2, z: 3}\n");
    for number in 1..30 {
        let before = number - 1;
        yaml.push_str(&format!(
            "a{number}: &a{number} {{x: *a{before}, y: *a{before}, z: *a{before}}}\n"
        ));
    }
    let layer = "[[layer]]\nname = \"base\"\nfile = \"a.yaml\"\n";
    let four = place(layer, &[("a.yaml", &yaml)]);
    assert_eq!(ends(&four, &["list"]).code, 2);
    let mut merged = String::from("a0: &a0 {x: 1}\n");
    for number in 1..2_000 {
        let before = number - 1;
        merged.push_str(&format!("a{number}: &a{number}\n  <<: *a{before}\n  k{number}: 1\n"));
    }
    ends(&place(layer, &[("a.yaml", &merged)]), &["list"]);
}

#[test]
fn thousands_of_near_names_are_compared_in_bounded_time() {
    let mut declared = String::new();
    let mut said = String::new();
    for number in 0..6_000 {
        declared.push_str(&format!("[setting.\"gauge.station_{number:05}.threshold\"]\n"));
        said.push_str(&format!("gauge.station_{number:05}.treshold = 1\n"));
    }
    let place = place(&format!("{declared}{LAYER}"), &[("a.toml", &said)]);
    let run = ends(&place, &["check"]);
    assert_eq!(run.code, 1);
    assert!(run.stdout.contains("gauge.station_00017.threshold"));
}

#[test]
fn one_context_that_cannot_be_read_does_not_end_the_rest() {
    let layers = "[[axis]]\nname = \"e\"\nallowed = [\"a\", \"b\", \"c\"]\ndefault = \"a\"\n\
        [[layer]]\nname = \"each\"\nfile = \"{e}.toml\"\n";
    let place =
        place(layers, &[("a.toml", "x = 1\n"), ("b.toml", "x = [\n"), ("c.toml", "x = 1\n")]);
    let run = place.run(&["check", "--output", "json"]);
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    assert_eq!(answer["findings"][0]["rule"], "cannot-read", "{}", run.all());
    assert_eq!(answer["findings"][0]["contexts"][0]["e"][0], "b");
    assert_eq!(run.code, 1);
    for command in [
        &["grid", "--across", "e"][..],
        &["find", "1"],
        &["suppose", "--put", "x=3", "--layer", "each", "--everywhere"],
    ] {
        let run = place.run(command);
        assert!(
            run.all().contains("e=b") || run.all().contains("b.toml"),
            "{command:?}: {}",
            run.all()
        );
        assert!(run.stdout.contains('x'), "{command:?}: {}", run.all());
        let json = place.run(&[command, &["--output", "json"]].concat());
        let answer: Value = serde_json::from_str(&json.stdout).unwrap();
        assert_eq!(answer["not_read"][0]["context"]["e"], "b", "{command:?}: {}", json.all());
    }
}

#[test]
fn what_is_asked_for_is_understood_and_answered_in_whole_sentences() {
    let one =
        place("[[layer]]\nname = \"sites\"\nfiles = \"sites/a.*\"\n", &[("sites/a.env", "X=1\n")]);
    let run = one.run(&["list"]);
    assert!(run.code == 2 && run.stderr.contains("sites/a.env is an env file"), "{}", run.all());
    let one = place(LAYER, &[("a.toml", "x = 1\n")]);
    let run = one.run(&["find", "zz"]);
    assert!(!run.all().contains("\\u{a}"), "{}", run.all());
    let run = one.run(&["put", "--output", "json"]);
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let message = answer["error"]["message"].as_str().unwrap();
    assert!(!message.trim_end().ends_with(':'), "{message}");
    // A key may be asked for by its variable, also where no layer reads variables.
    let two = place(LAYER, &[("a.toml", "pool.max = 1\n")]);
    let run = two.run(&["explain", "POOL__MAX"]);
    assert!(run.stdout.starts_with("pool.max = 1"), "{}", run.all());
    // Names of layers are written as they are.
    let declares = "[setting.x]\ntype = \"integer\"\n";
    let three = place(
        &format!("{declares}[[layer]]\nname = \"every-day\"\nfile = \"a.toml\"\n"),
        &[("a.toml", "x = \"y\"\n")],
    );
    assert!(!three.run(&["check"]).stdout.contains("Every-day"));
    // What the project file itself says can be moved, but for the last of it.
    let four = place(
        "[[layer]]\nname = \"v\"\nvalues = { x = 1, y = 2 }\n[[layer]]\nname = \"base\"\nfile = \"a.toml\"\n",
        &[("a.toml", "z = 1\n")],
    );
    let run = four.run(&["move", "x", "--from", "v", "--to", "base"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert!(
        !text(&four, "justwhy.toml").contains("x = 1") && text(&four, "a.toml").contains("x = 1")
    );
    let four = place(
        "[[layer]]\nname = \"v\"\nvalues.y = 2\n[[layer]]\nname = \"base\"\nfile = \"a.toml\"\n",
        &[("a.toml", "z = 1\n")],
    );
    let run = four.run(&["move", "y", "--from", "v", "--to", "base"]);
    assert!(run.code == 2 && run.stderr.contains("the last value of the layer v"), "{}", run.all());
}
