//! What is said when something is wrong, and the exit code.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::Place;

const PROJECT: &str = "justwhy = 1\n\
    [variables]\nprefix = \"T_\"\n\
    [[axis]]\nname = \"env\"\nallowed = [\"dev\", \"production\"]\nread = [{ variable = \"T_ENV\" }]\n\
    [[layer]]\nname = \"base\"\nfile = \"base.toml\"\n\
    [[layer]]\nname = \"process\"\nprocess = true\n";
const BASE: &str = "database.url = \"x\"\nport = 80\n";

fn project() -> Place {
    Place::new(&[("justwhy.toml", PROJECT), ("base.toml", BASE)])
}

#[test]
fn ends_with_the_exit_codes_of_the_contract() {
    let place = project();
    place.file("bad/justwhy.toml", b"justwhy = 1\nlayr = 1\n");
    for (row, arguments, code) in [
        ("done", &["list"][..], 0),
        ("a setting that has a value", &["explain", "port"], 0),
        ("a setting that has none", &["explain", "port", "--unset", "port"], 1),
        (
            "one of several that has none",
            &["explain", "port", "database.url", "--unset", "port"],
            1,
        ),
        ("absent ones are no failure of list", &["list", "--unset", "port"], 0),
        ("a setting in error, listed", &["list", "--set", "x=1", "--project", "references"], 1),
        ("a setting in error, explained", &["explain", "a", "--project", "references"], 1),
        ("an unknown option", &["list", "--nope"], 2),
        ("an unknown command", &["lst"], 2),
        ("an unknown key", &["explain", "nope"], 2),
        ("no key", &["explain"], 2),
        ("no project", &["list", "--project", "/nowhere"], 2),
        ("a bad project", &["list", "--project", "bad"], 2),
        ("a bad context", &["list", "--in", "staging"], 2),
        ("a bad --set", &["list", "--set", "x"], 2),
        ("a bad --unset", &["list", "--unset", "a..b"], 2),
        ("no such dump", &["list", "--process-from", "nowhere"], 2),
        ("no such process", &["list", "--process-from", "4294967295"], 2),
    ] {
        place.file(
            "references/justwhy.toml",
            b"justwhy = 1\n[[layer]]\nname='a'\nvalues={a='x${b}'}\n",
        );
        assert_eq!(place.run(arguments).code, code, "{row}");
    }
}

#[test]
fn names_the_nearest_right_one() {
    let place = project();
    for (row, arguments, hint) in [
        ("an option", &["list", "--projct", "x"][..], "--project"),
        ("a command", &["explian", "port"], "explain"),
        ("a key", &["explain", "database.ulr"], "did you mean database.url?"),
        ("a key without its start", &["explain", "url"], "did you mean database.url?"),
        ("a variable", &["explain", "T_DATABASE_URL"], "did you mean T_DATABASE__URL?"),
        ("an axis", &["list", "--in", "evn=dev"], "did you mean env?"),
        ("a value of an axis", &["list", "--in", "prodution"], "did you mean production?"),
        ("a form of output", &["list", "--output", "jsn"], "json"),
        ("what --unset names", &["list", "--unset", "prot"], "did you mean port?"),
    ] {
        let run = place.run(arguments);
        assert!(run.stderr.contains(hint), "{row}: {}", run.stderr);
    }
    let misspelt = place.run_with(&["list"], &[("T_ENV", "Production")]);
    assert_eq!(misspelt.code, 2, "a misspelt environment never becomes another one");
    assert!(
        misspelt.stderr.contains("the variable T_ENV")
            && misspelt.stderr.contains("did you mean production?")
    );
    assert_eq!(misspelt.stdout, "");
}

#[test]
fn prints_failures_as_json_too() {
    let place = project();
    place.file("base.toml", b"a = 1\nb = [1,\n");
    for (row, arguments, code, source, line) in [
        ("a bad file", &["list", "--output", "json"][..], "bad-file", Some("base.toml"), Some(2)),
        ("a bad context", &["list", "--in", "x", "--output", "json"], "bad-context", None, None),
        ("bad arguments", &["list", "--nope", "--output", "json"], "bad-argument", None, None),
        ("bad arguments", &["--output=json", "nope"], "bad-argument", None, None),
        (
            "no project",
            &["--project", "nowhere", "--output", "json"],
            "missing-file",
            Some("[folder]/nowhere"),
            None,
        ),
    ] {
        let run = place.run(arguments);
        let answer: serde_json::Value = serde_json::from_str(&run.stdout).unwrap();
        assert_eq!(answer["justwhy"], 1, "{row}");
        assert_eq!(answer["error"]["code"], code, "{row}");
        assert_eq!(answer["error"]["source"].as_str(), source, "{row}");
        assert_eq!(answer["error"]["line"].as_u64(), line, "{row}");
        assert!(!answer["error"]["message"].as_str().unwrap().is_empty(), "{row}");
        assert!(!run.stderr.is_empty(), "{row}: people are told as well");
        assert_eq!(run.code, 2, "{row}");
    }
}

#[test]
fn shows_the_line_of_a_project_file_that_is_wrong() {
    let place = Place::new(&[(
        "justwhy.toml",
        "justwhy = 1\n\n[[axis]]\nname = \"env\"\nalowed = [\"dev\"]\nopen = true\n\n[[layr]]\n",
    )]);
    let run = place.run(&["list"]);
    insta::assert_snapshot!(run.all(), @r"
    --- stderr
    justwhy.toml:8:3: error: unknown field: the project file has no field `layr`
      8 | [[layr]]
        |   ^^^^ did you mean `layer`?
    justwhy.toml:5:1: error: unknown field: an axis has no field `alowed`
      5 | alowed = …
        | ^^^^^^ did you mean `allowed`?
    --- exit 2
    ");
}

#[test]
fn notes_an_unset_of_what_nothing_mentions() {
    let place = project();
    let run = place.run(&["list", "port", "--unset", "databse", "--unset", "port"]);
    assert_eq!(run.stderr, "note: --unset databse: no layer sets it; did you mean database?\n");
    let branch = place.run(&["list", "port", "--unset", "database"]);
    assert_eq!(branch.stderr, "");
}

#[test]
fn takes_options_before_and_after_the_command_in_their_order() {
    let place = project();
    for (row, arguments, expected) in [
        (
            "both sides count",
            &["--set", "port=1", "list", "--set", "new=2"][..],
            "database.url=\"x\" new=\"2\" port=1",
        ),
        (
            "the later is stronger",
            &["--set", "port=1", "list", "--set=port=2"],
            "database.url=\"x\" port=2",
        ),
        (
            "a set after an unset",
            &["list", "--unset", "database", "--set", "database.port=1"],
            "database.port=\"1\" port=80",
        ),
        (
            "an unset after a set",
            &["list", "--set", "database.port=1", "--unset", "database"],
            "port=80",
        ),
        ("a set that says an option", &["list", "--set=port=--unset", "port"], "port=\"--unset\""),
        (
            "a key with an equals sign",
            &["list", "--set", "\"a=b\"=c=d", "\"a=b\""],
            "\"a=b\"=\"c=d\"",
        ),
    ] {
        let run = place.run(arguments);
        let listed = run.stdout.lines().skip(1).map(|line| {
            let words: Vec<&str> = line.split_whitespace().collect();
            format!("{}={}", words[0], words[1])
        });
        assert_eq!(listed.collect::<Vec<_>>().join(" "), expected, "{row}: {}", run.stderr);
    }
    for twice in [
        &["--in", "dev", "list", "--in", "production"][..],
        &["--in=dev", "list", "--in=dev"],
        &["--project", ".", "list", "--project", "."],
        &["--output", "json", "list", "--output", "text"],
        &["--color=never", "list", "--color", "never"],
    ] {
        let run = place.run(twice);
        assert_eq!(run.code, 2, "{twice:?}");
        assert!(run.stderr.contains("is given twice"), "{twice:?}: {}", run.stderr);
    }
    let words = place.run(&["list", "--", "--set"]);
    assert_eq!(words.code, 2);
    assert!(
        words.stderr.contains("this is no key") || words.stderr.contains("no setting"),
        "{}",
        words.stderr
    );
}

#[test]
fn takes_no_name_for_a_near_miss_that_is_read_for_the_setting() {
    let place = project();
    let variables = [("T_pORT", "1"), ("T_PoRT", "2"), ("T_PORTS", "3")];
    let run = place.run_with(&["explain", "port", "--output", "json"], &variables);
    let answer: serde_json::Value = serde_json::from_str(&run.stdout).unwrap();
    let setting = &answer["settings"][0];
    let verdicts: Vec<String> = setting["candidates"]
        .as_array()
        .unwrap()
        .iter()
        .map(|candidate| {
            format!(
                "{} {}",
                candidate["name"].as_str().unwrap(),
                candidate["verdict"].as_str().unwrap()
            )
        })
        .collect();
    assert_eq!(verdicts, ["T_pORT wins", "T_PoRT overridden", "port overridden"]);
    let why = setting["why"].to_string();
    assert!(
        why.contains("T_PORTS") && !why.contains("has T_pORT") && !why.contains("has T_PoRT"),
        "{why}"
    );
}

#[test]
fn reads_another_process_or_a_dump_of_one() {
    let place = project();
    place.file("dump", b"T_PORT=8080\nT_ENV=dev\n");
    place.file("dump0", b"T_PORT=8081\0T_ENV=dev\0");
    for (dump, port) in [("dump", "8080"), ("dump0", "8081")] {
        let run = place.run_with(&["list", "port", "--process-from", dump], &[("T_PORT", "1")]);
        assert!(run.stdout.contains(port), "{}", run.all());
    }
    #[cfg(target_os = "linux")]
    {
        let mut other = std::process::Command::new("sleep");
        let mut other = other.arg("60").env_clear().env("T_PORT", "8082").spawn().unwrap();
        // The environment is that of the new program only once it has begun.
        let mut seen = String::new();
        for _ in 0..200 {
            let run = place.run(&["list", "port", "--process-from", &other.id().to_string()]);
            seen = run.all();
            if seen.contains("8082") {
                break;
            }
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        other.kill().unwrap();
        other.wait().unwrap();
        assert!(seen.contains("8082"), "{seen}");
    }
}

#[test]
fn keeps_control_characters_from_the_terminal() {
    let place = Place::new(&[
        (
            "justwhy.toml",
            "justwhy = 1\nname = \"n\\u001b]0;x\\u0007\"\n[[layer]]\nname = \"a\"\nfile = \"a.json\"\n[[layer]]\nname = \"b\"\nfile = \"\\u001b[31m.toml\"\noptional = true\n",
        ),
        ("a.json", "{\"k\\u001b[2J\": \"v\\u001b[31m\\u202e\", \"l\": [\"\\u0007\"]}"),
    ]);
    for arguments in [
        &[][..],
        &["list"],
        &["explain", "**"],
        &["explain", "\u{1b}[2J"],
        &["list", "--in", "\u{1b}[2J"],
    ] {
        let run = place.run(arguments);
        let all = run.all();
        assert!(!all.contains(['\u{1b}', '\u{7}', '\u{202e}']), "{arguments:?}: {all:?}");
    }
}

#[test]
fn ends_quietly_when_the_pipe_is_closed() {
    use std::io::Read as _;
    let values: String = (0..20_000).map(|n| format!("k{n} = {n}\n")).collect();
    let place = Place::new(&[("justwhy.toml", PROJECT), ("base.toml", &values)]);
    for arguments in [&["list"][..], &["list", "--output", "json"], &["explain", "**"]] {
        let mut command = place.command(arguments);
        command.stdout(std::process::Stdio::piped()).stderr(std::process::Stdio::piped());
        let mut child = command.spawn().unwrap();
        let mut start = [0; 1];
        let mut stdout = child.stdout.take().unwrap();
        stdout.read_exact(&mut start).unwrap();
        drop(stdout);
        let output = child.wait_with_output().unwrap();
        assert_eq!(String::from_utf8(output.stderr).unwrap(), "", "{arguments:?}");
        assert_eq!(output.status.code(), Some(0), "{arguments:?}");
    }
}

#[cfg(target_os = "linux")]
#[test]
fn says_so_when_the_result_cannot_be_written() {
    let place = project();
    let mut command = place.command(&["list"]);
    command.stdout(std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap());
    let run = place.finish(&mut command);
    assert_eq!(run.code, 2);
    assert!(run.stderr.contains("the result cannot be printed"), "{}", run.stderr);
}
