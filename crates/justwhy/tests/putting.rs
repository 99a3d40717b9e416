//! `put`: the value, what it writes, and that nothing is ever lost.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::{Place, settled};
use insta::assert_snapshot;
use std::io::Write as _;
use std::process::Stdio;

fn text(place: &Place, path: &str) -> String {
    std::fs::read_to_string(place.path().join(path)).unwrap()
}

/// What is in a folder: nothing may be left beside the files.
fn names(place: &Place) -> Vec<String> {
    let entries = std::fs::read_dir(place.path()).unwrap();
    let mut names: Vec<String> =
        entries.map(|it| it.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    names
}

const ONE_LAYER: &str =
    "justwhy = 1\n[[layer]]\nname = \"a\"\nfile = \"a.toml\"\noptional = true\n";

#[test]
fn says_what_it_changes_and_writes_it() {
    let place = Place::demo();
    let shown = place.told(&[
        &["put", "alert.threshold_cm", "150", "--layer", "by-region", "--in", "north", "--dry-run"],
        &["put", "alert.threshold_cm", "150", "--layer", "by-region", "--in", "north"],
        &["put", "alert.threshold_cm", "150", "--layer", "by-region", "--in", "north"],
        &[
            "put",
            "TIDE_DATABASE__POOL__MAX",
            "9",
            "--layer",
            "team-scope",
            "--in",
            "production,alerts",
        ],
        &["put", "alert.threshold_cm", "high", "--layer", "by-environment", "--in", "production"],
        &[
            "put",
            "alert.threshold_cm",
            "high",
            "--layer",
            "by-environment",
            "--in",
            "production",
            "--accept",
        ],
        &["put", "sms.sender", "-5", "--layer", "defaults"],
        &["put", "database.password", "canary", "--layer", "deployment", "--in", "production"],
        &["put", "a..b", "1", "--layer", "defaults"],
        &["put", "a.b", "1", "--layer", "default"],
        &["put", "a.b", "1", "--layer", "defaults", "--set", "a.b=2"],
        &["put", "a.b", "1", "--layer", "process"],
        &["put", "alert", "1", "--layer", "defaults"],
    ]);
    settled(|| assert_snapshot!("says_what_it_changes_and_writes_it", shown));
    assert!(text(&place, "settings/regions/north.json").contains("\"threshold_cm\": 150,"));
    assert!(text(&place, "settings/production.yaml").contains("threshold_cm: high\n"));
    assert!(text(&place, "settings/defaults.toml").contains("-5"));
}

#[test]
fn reads_the_value_from_standard_input() {
    let place = Place::new(&[("justwhy.toml", ONE_LAYER)]);
    for (given, expected) in [
        ("canary\n", "[database]\npassword = \"canary\"\n"),
        ("two\nlines\r\n", "[database]\npassword = \"two\\nlines\"\n"),
        ("", "[database]\npassword = \"\"\n"),
    ] {
        let mut command = place.command(&["put", "database.password", "-", "--layer", "a"]);
        command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
        let mut child = command.spawn().unwrap();
        child.stdin.take().unwrap().write_all(given.as_bytes()).unwrap();
        let output = child.wait_with_output().unwrap();
        let said = String::from_utf8([output.stdout, output.stderr].concat()).unwrap();
        assert!(output.status.success() && !said.contains("canary"), "{said}");
        assert!(!said.contains("command line"), "{said}");
        assert_eq!(text(&place, "a.toml"), expected);
    }
    let mut command = place.command(&["put", "x", "-", "--layer", "a"]);
    let file = place.file("bytes", &[0xff, 0xfe]);
    command.stdin(std::fs::File::open(file).unwrap());
    let run = place.finish(&mut command);
    assert_eq!((run.code, run.stderr.contains("is not UTF-8")), (2, true), "{}", run.stderr);
}

#[test]
fn loses_none_of_fifty_at_once() {
    let place = Place::new(&[("justwhy.toml", ONE_LAYER), ("a.toml", "# kept\nfirst = 1\n")]);
    let children: Vec<_> = (0..50)
        .map(|number| {
            let arguments =
                ["put", &format!("part.k{number}"), &number.to_string(), "--layer", "a"];
            let mut command = place.command(&arguments);
            command.stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap()
        })
        .collect();
    for child in children {
        let output = child.wait_with_output().unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    }
    let after = text(&place, "a.toml");
    assert!(after.starts_with("# kept\nfirst = 1\n"), "{after}");
    for number in 0..50 {
        assert!(after.contains(&format!("k{number} = {number}\n")), "{number}: {after}");
    }
    assert_eq!(names(&place), ["a.toml", "justwhy.toml"]);
}

/// More by hand: `KILLS=1000 cargo test -p justwhy --test putting`.
#[cfg(unix)]
#[test]
fn leaves_the_old_or_the_new_when_it_is_killed() {
    let kills: u64 =
        std::env::var("KILLS").ok().and_then(|count| count.parse().ok()).unwrap_or(100);
    let filler: String = (0..2_000).map(|at| format!("k{at} = \"{at}\"\n")).collect();
    let whole = |value: u32| format!("{filler}[part]\nvalue = {value}\n");
    let place = Place::new(&[("justwhy.toml", ONE_LAYER), ("a.toml", &whole(0))]);
    let mut value = 0;
    let (mut was_old, mut was_new) = (0, 0);
    for number in 0..kills {
        let wanted = value + 1;
        let mut command =
            place.command(&["put", "part.value", &wanted.to_string(), "--layer", "a"]);
        let mut child = command.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        // Anywhere in its life, which is some tens of milliseconds long.
        std::thread::sleep(std::time::Duration::from_micros((number * 7_919 % 997) * 80));
        child.kill().unwrap();
        child.wait().unwrap();
        let after = text(&place, "a.toml");
        if after == whole(wanted) {
            (value, was_new) = (wanted, was_new + 1);
        } else {
            assert_eq!(after, whole(value), "neither the old one nor the new one");
            was_old += 1;
        }
    }
    assert!(was_old > 0, "nothing was killed in time: {was_old} old, {was_new} new");
    // Nothing that was left behind keeps the next one from its work.
    let run = place.run(&["put", "part.value", "12345", "--layer", "a"]);
    assert_eq!(run.code, 0, "{}", run.stderr);
    assert_eq!(text(&place, "a.toml"), whole(12_345));
}

#[cfg(unix)]
#[test]
fn writes_nothing_where_it_cannot() {
    use std::os::unix::fs::PermissionsExt as _;
    let long = format!("text = \"{}\"\n", "x".repeat(5_000));
    let place = Place::new(&[("justwhy.toml", ONE_LAYER), ("a.toml", &long)]);
    // No file may become longer than this, as on a disk that is full.
    let script = "trap '' XFSZ; ulimit -f 2; exec \"$0\" put b 1 --layer a";
    let mut command = std::process::Command::new("sh");
    command.args(["-c", script, common::PROGRAM]).current_dir(place.path()).env_clear();
    let run = place.finish(&mut command);
    assert_eq!(run.code, 2, "{}", run.all());
    assert!(
        run.stderr.contains("a.toml was not written: the new file cannot be"),
        "{}",
        run.stderr
    );
    assert_eq!(
        (text(&place, "a.toml"), names(&place)),
        (long.clone(), vec!["a.toml".to_owned(), "justwhy.toml".to_owned()])
    );
    let path = place.path().join("a.toml");
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o444)).unwrap();
    let run = place.run(&["put", "b", "1", "--layer", "a"]);
    assert!(run.code == 2 && run.stderr.contains("it is read-only"), "{}", run.all());
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o644)).unwrap();
    std::fs::set_permissions(place.path(), std::fs::Permissions::from_mode(0o555)).unwrap();
    let run = place.run(&["put", "b", "1", "--layer", "a"]);
    let may_anyway = run.code == 0;
    std::fs::set_permissions(place.path(), std::fs::Permissions::from_mode(0o755)).unwrap();
    // Whoever may do everything may do this too.
    if !may_anyway {
        assert!(
            run.code == 2 && run.stderr.contains("its folder is not writable"),
            "{}",
            run.all()
        );
        assert_eq!(text(&place, "a.toml"), long);
    }
}

/// What is foretold by `--dry-run` is what `list` says after it was done.
#[test]
fn does_what_it_foretold() {
    for (key, value, layer, context) in [
        ("alert.threshold_cm", "77", "by-region", "production,north"),
        ("collector.gauges", "[\"skerry\"]", "by-region", "north"),
        ("web.banner", "it's \"so\" # far", "by-environment", "staging"),
        ("web.greeting", "a\nb", "deployment", "production"),
        ("new.part.of_it", "true", "defaults", "dev"),
        ("alert.contact", "desk@tide.example", "on-duty", "production,north"),
    ] {
        let place = Place::demo();
        let put = ["put", key, value, "--layer", layer, "--in", context];
        let dry = place.run(&[&put[..], &["--dry-run", "--output", "json"]].concat());
        assert_eq!(dry.code, 0, "{}", dry.all());
        let foretold: serde_json::Value = serde_json::from_str(&dry.stdout).unwrap();
        assert_eq!(foretold["written"], serde_json::json!([]));
        let before = place.run(&["list", "--output", "json", "--in", context]);
        let done = place.run(&[&put[..], &["--output", "json"]].concat());
        let done: serde_json::Value = serde_json::from_str(&done.stdout).unwrap();
        assert_eq!(done["settings"], foretold["settings"]);
        assert_eq!(done["written"].as_array().unwrap().len(), 1);
        let after = place.run(&["list", key, "--output", "json", "--in", context]);
        let after: serde_json::Value = serde_json::from_str(&after.stdout).unwrap();
        let told = foretold["settings"].as_array().unwrap();
        let told: Vec<_> =
            told.iter().filter(|it| it["key"] == key).map(|it| &it["right"]).collect();
        assert!(told.contains(&&after["settings"][0]), "{key}: {after} {told:?}");
        assert_ne!(before.stdout, place.run(&["list", "--output", "json", "--in", context]).stdout);
        let again = place.run(&put);
        assert!(again.stdout.contains("nothing was written: no change in "));
    }
}

#[test]
fn takes_out_and_moves_and_says_who_loses() {
    let place = Place::demo();
    let shown = place.told(&[
        &["drop", "alert.threshold_cm", "--layer", "by-region", "--in", "north", "--dry-run"],
        &["drop", "alert.threshold_cm", "--layer", "by-region", "--in", "north"],
        &["drop", "alert.threshold_cm", "--layer", "by-region", "--in", "north"],
        &["drop", "alert.recipients", "--layer", "on-duty", "--in", "north,production"],
        &["drop", "alert", "--layer", "defaults"],
        &[
            "move",
            "collector.poll_seconds",
            "--from",
            "by-environment",
            "--to",
            "defaults",
            "--in",
            "production",
        ],
        &[
            "move",
            "collector.poll_seconds",
            "--from",
            "by-environment",
            "--to",
            "defaults",
            "--in",
            "production",
            "--accept",
        ],
        &[
            "move",
            "web.banner",
            "--from",
            "by-environment",
            "--to",
            "deployment",
            "--in",
            "staging",
        ],
        &[
            "move",
            "web.banner",
            "--from",
            "by-environment",
            "--to",
            "deployment",
            "--in",
            "staging",
        ],
        &["move", "web.banner", "--from", "defaults", "--to", "defaults"],
        &["move", "web.banner", "--from", "defaults", "--to", "process"],
        &[
            "move",
            "database.password",
            "--from",
            "deployment",
            "--to",
            "defaults",
            "--in",
            "production",
        ],
    ]);
    settled(|| assert_snapshot!("takes_out_and_moves_and_says_who_loses", shown));
    assert!(!text(&place, "settings/regions/north.json").contains("threshold_cm"));
    assert!(text(&place, "settings/scopes.toml").contains("\nvariables = {}\n"));
    assert!(text(&place, "settings/defaults.toml").contains("\npoll_seconds = 20"));
    assert!(!text(&place, "settings/production.yaml").contains("poll_seconds"));
    assert!(text(&place, "deploy.env").ends_with("\nexport TIDE_WEB__BANNER=rehearsal\n"));
    // What was refused is as it was.
    assert!(text(&place, "deploy.env").contains("demo-password-of-the-deployment"));
}

/// A value goes to its new place first: if it cannot be taken out of the old one, it stands in both.
#[cfg(unix)]
#[test]
fn loses_no_value_on_the_way() {
    use std::os::unix::fs::PermissionsExt as _;
    let project = "justwhy = 1\n[[layer]]\nname = \"a\"\nfile = \"a.toml\"\n[[layer]]\nname = \"b\"\nfile = \"b.toml\"\n";
    let place = Place::new(&[("justwhy.toml", project), ("a.toml", "x = 1\n"), ("b.toml", "")]);
    let path = place.path().join("a.toml");
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o444)).unwrap();
    let run = place.run(&["move", "x", "--from", "a", "--to", "b"]);
    assert_eq!(run.code, 2, "{}", run.all());
    assert!(
        run.stderr.contains("b.toml is written already; both have the value now"),
        "{}",
        run.stderr
    );
    assert_eq!(
        (text(&place, "a.toml"), text(&place, "b.toml")),
        ("x = 1\n".to_owned(), "x = 1\n".to_owned())
    );
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o644)).unwrap();
    let run = place.run(&["move", "x", "--from", "a", "--to", "b"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert_eq!(
        (text(&place, "a.toml"), text(&place, "b.toml")),
        (String::new(), "x = 1\n".to_owned())
    );
}
