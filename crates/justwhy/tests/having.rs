//! Sources as teams have them: parts of files, command lines, other names, other ways to refer.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::Place;
use serde_json::Value;
use std::process::Command;

/// Every setting in a line: `key=value place`, or why it has no value.
fn listed(place: &Place, arguments: &[&str], variables: &[(&str, &str)]) -> Vec<String> {
    let run = place.run_with(&[&["list", "--output", "json"], arguments].concat(), variables);
    assert_ne!(run.code, 2, "{}", run.all());
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let settings = answer["settings"].as_array().unwrap().iter();
    let one = |setting: &Value| {
        let winner = &setting["winner"];
        let place = match winner.get("line") {
            Some(line) => {
                format!("{}:{line}:{}", winner["source"].as_str().unwrap(), winner["column"])
            }
            None => winner["source"].as_str().unwrap().to_owned(),
        };
        let value = match (&setting["error"]["code"], &setting["secret"]) {
            (Value::String(code), _) => code.clone(),
            _ if setting["status"] == "unreadable" => "unreadable".to_owned(),
            (_, Value::Bool(true)) => "secret".to_owned(),
            _ => setting["value"].to_string(),
        };
        format!("{}={value} {place}", setting["key"].as_str().unwrap())
    };
    settings.map(one).collect()
}

fn project(rest: &str) -> String {
    format!("justwhy = 1\n[variables]\nprefix = \"T_\"\n{rest}")
}

/// The first line of the error of a run that must fail.
fn refused(place: &Place, arguments: &[&str]) -> String {
    let run = place.run(arguments);
    assert_eq!(run.code, 2, "{}", run.all());
    run.stderr.lines().next().unwrap().to_owned()
}

#[test]
fn reads_files_that_are_one_value_each() {
    let text = project(
        "[[layer]]\nname = \"mounted\"\nentries = \"run/*\"\ndotted = true\nreferences = false\n",
    );
    let place = Place::new(&[
        ("justwhy.toml", &text),
        ("run/db.password", "s3cret\n"),
        ("run/empty", ""),
        ("run/lines", "one\r\ntwo\r\n"),
        ("run/blank", "x \n\n"),
        ("run/sub/other", "not read"),
    ]);
    assert_eq!(
        listed(&place, &[], &[]),
        [
            "blank=\"x \\n\" run/blank:1:1",
            "db.password=secret run/db.password:1:1",
            "empty=\"\" run/empty:1:1",
            "lines=\"one\\r\\ntwo\" run/lines:1:1",
        ]
    );
    let run = place.run(&["put", "empty", "full", "--layer", "mounted"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert_eq!(std::fs::read(place.path().join("run/empty")).unwrap(), b"full");
    let run = place.run(&["put", "lines", "three", "--layer", "mounted"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert_eq!(std::fs::read(place.path().join("run/lines")).unwrap(), b"three\r\n");
    assert!(place.run(&["put", "new", "x", "--layer", "mounted"]).code == 2);
    let drop = place.run(&["drop", "blank", "--layer", "mounted"]);
    assert!(drop.stderr.contains("the whole file is this value"), "{}", drop.all());
    place.file("run/bytes", b"\xff\xfe");
    assert!(refused(&place, &["list"]).starts_with("run/bytes:1:1: error:"));
}

#[test]
fn follows_variables_that_name_the_file_of_a_value() {
    let text = project(
        "[[layer]]\nname = \"env\"\nfile = \".env\"\nindirect = \"_FILE\"\n\
         [[layer]]\nname = \"process\"\nprocess = true\nindirect = \"_FILE\"\n",
    );
    let place = Place::new(&[
        ("justwhy.toml", &text),
        (".env", "T_A_FILE=run/a\nT_B_FILE=run/none\nT_C_FILE=run/c\nT_C=own\nT_D_FILE=\n"),
        ("run/a", "from a file\n"),
        ("run/c", "beaten\n"),
        ("run/p", "of the process\n"),
    ]);
    place.git(&["init", "--quiet"]);
    assert_eq!(
        listed(&place, &[], &[("OTHER_FILE", "run/p"), ("T_P_FILE", "run/p")]),
        [
            "a=\"from a file\" run/a:1:1",
            "b=unreadable .env:2:10",
            "c=\"own\" .env:4:5",
            "d=unreadable .env:5:10",
            "p=\"of the process\" run/p:1:1",
        ]
    );
    let run = place.run(&["explain", "a"]);
    assert!(run.stdout.contains("run/a:1:1  named by T_A_FILE (.env:1:10)"), "{}", run.stdout);
    let run = place.run(&["explain", "b"]);
    assert!(run.stdout.contains("its file run/none was not found"), "{}", run.stdout);
    // Nothing outside of the repository is read for a project file's sake.
    place.file(".env", b"T_A_FILE=/etc/hostname\n");
    assert_eq!(listed(&place, &[], &[]), ["a=unreadable .env:1:10"]);
    place.file(".env", b"T_A_FILE=run/a\n");
    let run = place.run(&["put", "a", "new", "--layer", "env"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert_eq!(std::fs::read(place.path().join("run/a")).unwrap(), b"new\n");
    assert_eq!(std::fs::read(place.path().join(".env")).unwrap(), b"T_A_FILE=run/a\n");
}

#[test]
fn reads_the_files_that_files_name() {
    let text = project(
        "[[layer]]\nname = \"app\"\nfile = \"conf/app.yaml\"\nunder = \"settings\"\n\
         includes = \"$.imports\"\n",
    );
    let place = Place::new(&[
        ("justwhy.toml", &text),
        ("conf/app.yaml", "imports: [base.yaml, ../more.toml]\nsettings: {a: 1}\n"),
        ("conf/base.yaml", "imports: ../more.toml\nsettings: {a: 2, b: 2, c: 2}\n"),
        ("more.toml", "b = 3\nd = 3\n"),
    ]);
    assert_eq!(
        listed(&place, &[], &[]),
        [
            "a=1 conf/app.yaml:2:15",
            "b=3 more.toml:1:5",
            "c=2 conf/base.yaml:2:27",
            "d=3 more.toml:2:5",
        ]
    );
    place.file("justwhy.toml", (text.clone() + "includes_are = \"stronger\"\n").as_bytes());
    let stronger = listed(&place, &[], &[]);
    assert_eq!(stronger[0], "a=2 conf/base.yaml:2:15");
    place.file("justwhy.toml", text.as_bytes());
    let run = place.run(&["explain", "c"]);
    assert!(run.stdout.contains("named by conf/app.yaml:1:11"), "{}", run.stdout);
    let run = place.run(&["put", "d", "4", "--layer", "app"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert_eq!(std::fs::read(place.path().join("more.toml")).unwrap(), b"b = 3\nd = 4\n");
    for (imports, expected) in [
        (
            "imports: app.yaml",
            "conf/base.yaml:1:10: error: these files name each other: conf/app.yaml, conf/base.yaml, conf/app.yaml",
        ),
        (
            "imports: [3]",
            "conf/base.yaml:1:11: error: expected the path of a file, or a list of paths",
        ),
        ("imports: none.yaml", "conf/base.yaml:1:10: error: file not found: conf/none.yaml"),
        (
            "imports: 'x${Y}'",
            "conf/base.yaml:1:10: error: the path of this file is only known to its program",
        ),
    ] {
        place.file("conf/base.yaml", format!("{imports}\nsettings: {{}}\n").as_bytes());
        assert_eq!(refused(&place, &["list"]), expected, "{imports}");
    }
}

#[test]
fn reads_command_lines() {
    let catalogue = "[setting.batch-size]\ntype = \"integer\"\nalso = [\"-b\"]\n\
                     [setting.tag]\ntype = \"list\"\n[setting.trace]\ntype = \"boolean\"\n\
                     [setting.offset]\ntype = \"integer\"\n[setting.last]\ntype = \"string\"\n";
    let place = Place::new(&[]);
    for (line, expected) in [
        ("run --batch-size=3", &["batch-size=3"][..]),
        ("run --batch-size 3 --batch-size 4", &["batch-size=4"]),
        ("run -b 3", &["batch-size=3"]),
        ("run -b3", &["batch-size=3"]),
        ("run -c3 -x", &[]),
        ("run --tag a --tag=b", &["tag=[\"a\",\"b\"]"]),
        ("run --trace maybe", &["trace=true"]),
        ("run --no-trace", &["trace=false"]),
        ("run --offset -5", &["offset=-5"]),
        ("run --last --trace", &["last=unreadable", "trace=true"]),
        ("run --last", &["last=unreadable"]),
        ("run --open sesame", &["open=unreadable"]),
        ("run --open", &["open=true"]),
        ("run --a.b=1 -Dc.d='x y' -De", &["a.b=\"1\"", "c.d=\"x y\"", "e=\"\""]),
        ("run --a=1 -- --b=2", &["a=\"1\""]),
        ("run --a=1 | other --b=2", &["a=\"1\""]),
        ("run --a=1 >log --b=2", &["a=\"1\""]),
        ("cd x && run --b=2", &[]),
        ("T_A=1 T_B='2 3' run --a=4", &["a=\"4\"", "b=\"2 3\""]),
        (
            "run --a=$HOME --b=\"$(id)\" --c='$x' --d=~/x --e=*",
            &["a=unreadable", "b=unreadable", "c=\"$x\"", "d=unreadable", "e=unreadable"],
        ),
        ("run --a=\\$x", &["a=\"$x\""]),
        ("", &[]),
    ] {
        let layer = format!("[[layer]]\nname = \"line\"\ncommand_line = '''{line}'''\n");
        place.file("justwhy.toml", project(&(layer + catalogue)).as_bytes());
        let found = listed(&place, &[], &[]);
        let found: Vec<&str> = found.iter().map(|it| it.rsplit_once(' ').unwrap().0).collect();
        assert_eq!(found, expected, "{line}");
    }
    place.file(
        "justwhy.toml",
        project("[[layer]]\nname = \"line\"\ncommand_line = \"run 'x\"\n").as_bytes(),
    );
    assert_eq!(refused(&place, &["list"]), "justwhy.toml:6:21: error: unterminated quote");
}

#[test]
fn reads_command_lines_of_files_with_their_places() {
    let text = project(
        "[[layer]]\nname = \"start\"\n\
         command_line = { file = \"package.json\", under = \"scripts.start\" }\n\
         [[layer]]\nname = \"image\"\n\
         command_line = { file = \"compose.yaml\", under = \"$.services.loader.command\" }\n\
         [[layer]]\nname = \"worker\"\ncommand_line = { process = true }\n",
    );
    let place = Place::new(&[
        ("justwhy.toml", &text),
        (
            "package.json",
            "{\n  \"scripts\": { \"start\": \"T_A=1 node server.js --b=2 --c=\\\"3\\\"\" }\n}\n",
        ),
        ("compose.yaml", "services:\n  loader:\n    command: [loader, \"--d=4\", --e=5]\n"),
    ]);
    assert_eq!(
        listed(&place, &[], &[]),
        [
            // An escape in the string, so that all that is known is where the string begins.
            "a=\"1\" package.json:2:25",
            "b=\"2\" package.json:2:25",
            "c=\"3\" package.json:2:25",
            "d=\"4\" compose.yaml:3:28",
            "e=\"5\" compose.yaml:3:32",
        ]
    );
    place.file("package.json", b"{\"scripts\": {\"start\": \"T_A=1 run --b=2\"}}");
    let found = listed(&place, &[], &[]);
    assert_eq!(found[..2], ["a=\"1\" package.json:1:28", "b=\"2\" package.json:1:38"]);
    let run = place.run(&["put", "b", "3", "--layer", "start"]);
    assert_eq!(run.code, 2);
    assert!(run.stderr.contains("edit package.json:1:38 by hand"), "{}", run.stderr);
    let run = place.run(&["explain", "b", "--full"]);
    assert!(run.stdout.contains("worker  no process named (--process-from PID)"), "{}", run.stdout);
    let mut process = Command::new("sleep").arg("60").spawn().unwrap();
    let id = process.id().to_string();
    let answer = listed(&place, &["--process-from", &id], &[]);
    process.kill().unwrap();
    process.wait().unwrap();
    assert_eq!(answer.len(), 4, "the words of a process without options set nothing");
}

#[test]
fn takes_loosely_written_names_for_one_setting() {
    let text = project(
        "[names]\nloose = true\n\
         [[layer]]\nname = \"defaults\"\nfile = \"a.yaml\"\n\
         [[layer]]\nname = \"more\"\nfile = \"b.yaml\"\npin = [\"server.base-url\"]\n\
         [[layer]]\nname = \"process\"\nprocess = true\n\
         [setting.\"server.max_body\"]\ntype = \"integer\"\n\
         [setting.labels]\ntype = \"map\"\n",
    );
    let place = Place::new(&[
        ("justwhy.toml", &text),
        (
            "a.yaml",
            "server: {baseUrl: a, maxBody: 1, alias: \"${SERVER.base_url}/x\"}\nlabels: {aB: 1, a_b: 2}\n",
        ),
        ("b.yaml", "SERVER:\n  base-url: b\n  max-body: 2\n  maxbody: 3\n  max_body: 4\n"),
    ]);
    let variables =
        [("T_SERVER_BASEURL", "pinned"), ("T_SERVER__MAXBODY", "5"), ("T_SERVERALIAS", "z")];
    assert_eq!(
        listed(&place, &[], &variables),
        [
            "labels={\"aB\":1,\"a_b\":2} a.yaml:2:9",
            "server.alias=\"z\" process",
            "server.baseUrl=\"b\" b.yaml:2:13",
            "server.max_body=5 process",
        ]
    );
    // The exact name wins, whatever comes after it.
    assert_eq!(listed(&place, &["server.MAX-BODY"], &[]), ["server.max_body=4 b.yaml:5:13"]);
    assert_eq!(listed(&place, &["server.alias"], &[]), ["server.alias=\"b/x\" a.yaml:1:41"]);
    let run = place.run(&["check"]);
    assert!(
        run.stdout.contains("b.yaml:3:3: warning: server.max_body has two names"),
        "{}",
        run.all()
    );
    let more = text.replace("[setting.labels]", "[setting.\"server.MaxBody\"]\n[setting.labels]");
    place.file("justwhy.toml", more.as_bytes());
    assert_eq!(
        refused(&place, &["list"]),
        "justwhy.toml:18:10: error: server.max_body and server.MaxBody are the same name"
    );
}

#[test]
fn a_variable_that_fits_two_loose_names_is_an_error() {
    let text = project(
        "[names]\nloose = true\n[[layer]]\nname = \"a\"\nvalues = { ab.c = 1, a.bc = 2 }\n\
         [[layer]]\nname = \"process\"\nprocess = true\n",
    );
    let place = Place::new(&[("justwhy.toml", &text)]);
    let run = place.run_with(&["list"], &[("T_A_B_C", "3")]);
    assert_eq!(run.code, 2);
    assert!(run.stderr.contains("the variable T_A_B_C could mean"), "{}", run.stderr);
    assert_eq!(listed(&place, &[], &[("T_AB__C", "3")])[1], "ab.c=3 process", "an exact name");
}

/// Numbers that look random, and are the same in every run.
struct Random(u64);

impl Random {
    fn below(&mut self, most: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % most as u64) as usize
    }

    fn one<'a>(&mut self, all: &[&'a str]) -> &'a str {
        all[self.below(all.len())]
    }
}

/// A line that assigns, in ways that a shell knows.
fn shell_line(random: &mut Random) -> String {
    const NAMES: [&str; 6] = ["T_A", "T_B", "T_C", "T_D", "OTHER", "T_LONG_NAME"];
    let mut value = String::new();
    let quote = random.one(&["", "\"", "'"]);
    for _ in 0..=random.below(3) {
        let name = random.one(&NAMES);
        let other = random.one(&NAMES);
        let word = random.one(&["x", "y", "", "1"]);
        let part = match random.below(10) {
            0 => format!("${name}"),
            1 => format!("${{{name}}}"),
            2 => format!("${{{name}:-{word}}}"),
            3 => format!("${{{name}-${other}}}"),
            4 => format!("${{{name}:+{word}}}"),
            5 => format!("${{{name}+${{{other}}}}}"),
            6 if quote != "'" => "\\$".to_owned() + name,
            7 if quote != "'" => "\\\\".to_owned(),
            _ => random.one(&["plain", "a-b", "7", "/", "."]).to_owned(),
        };
        value.push_str(&part);
    }
    format!("{}={quote}{value}{quote}", random.one(&NAMES))
}

#[test]
fn a_real_shell_has_the_same_values_for_generated_scripts() {
    let text = "justwhy = 1\n\
                [[layer]]\nname = \"one\"\nfile = \"one.sh\"\nreferences = \"posix\"\n\
                [[layer]]\nname = \"two\"\nfile = \"two.sh\"\nreferences = \"posix\"\n";
    let place = Place::new(&[("justwhy.toml", text)]);
    let mut random = Random(0x9e37_79b9_7f4a_7c15);
    for round in 0..60 {
        let mut script = || -> String {
            (0..random.below(9) + 1).map(|_| shell_line(&mut random) + "\n").collect()
        };
        let scripts = [script(), script()];
        place.file("one.sh", scripts[0].as_bytes());
        place.file("two.sh", scripts[1].as_bytes());
        let run = place.run(&["export", "--as", "json", "--reveal"]);
        let ours: Value = serde_json::from_str(&run.stdout).unwrap_or_default();
        let mut shell = Command::new("sh");
        shell.args(["-c", "set -a; . ./one.sh; . ./two.sh; env -0"]).env_clear();
        shell.current_dir(place.path()).envs(std::env::var_os("PATH").map(|path| ("PATH", path)));
        let output = shell.output().unwrap();
        assert!(output.status.success(), "{scripts:?}");
        let said = String::from_utf8(output.stdout).unwrap();
        for entry in said.split('\0') {
            let Some((name, value)) = entry.split_once('=') else { continue };
            let key: Vec<String> = name.split("__").map(str::to_lowercase).collect();
            if !(name.starts_with("T_") || name == "OTHER") {
                continue;
            }
            let found = key.iter().fold(&ours, |at, segment| &at[segment.as_str()]);
            assert_eq!(
                found.as_str(),
                Some(value),
                "round {round}: {name} of\n{}--\n{}{}",
                scripts[0],
                scripts[1],
                run.all()
            );
        }
    }
}

#[test]
fn what_only_a_shell_knows_is_unreadable() {
    let text =
        "justwhy = 1\n[[layer]]\nname = \"one\"\nfile = \"one.sh\"\nreferences = \"posix\"\n";
    let place = Place::new(&[("justwhy.toml", text)]);
    for (value, code) in [
        ("$(date)", "unreadable"),
        ("`date`", "unreadable"),
        ("$1", "unreadable"),
        ("$?", "unreadable"),
        ("${#X}", "unreadable"),
        ("${X%a}", "unreadable"),
        ("${X:=a}", "unreadable"),
        ("${X:-\"a\"}", "unreadable"),
        ("$((1+1))", "unreadable"),
        ("~/x", "unreadable"),
        ("${X:?must be there}", "unresolved-reference"),
        ("${Y:?must be there}", "unresolved-reference"),
        ("${Y?fine}", "\"\""),
    ] {
        place.file("one.sh", format!("Y=\nA={value}\n").as_bytes());
        let found = listed(&place, &["a"], &[]);
        assert_eq!(found[0], format!("a={code} one.sh:2:3"), "{value}");
    }
    place.file("one.sh", b"A=$B\nB=$A\nC=$C\n");
    assert_eq!(
        listed(&place, &[], &[]),
        ["a=\"\" one.sh:1:3", "b=\"\" one.sh:2:3", "c=\"\" one.sh:3:3"]
    );
}

#[test]
fn lines_that_assign_nothing_are_counted() {
    let text = "justwhy = 1\n[[layer]]\nname = \"one\"\nfile = \"one.sh\"\n";
    let place = Place::new(&[
        ("justwhy.toml", text),
        ("one.sh", "#!/bin/sh\n\n# a comment\nA=1\nrun it\nexport B='x\ny'\nexec other\n"),
    ]);
    let run = place.run(&["explain", "a", "--set", "c=1", "--full"]);
    assert!(!run.stdout.contains("not read"), "{}", run.stdout);
    let run = place.run(&["explain", "c", "--set", "c=1", "--full"]);
    assert!(
        run.stdout.contains("one.sh does not set C; 2 other lines are not read"),
        "{}",
        run.all()
    );
}

#[test]
fn an_expansion_bomb_is_an_error_and_not_a_memory() {
    let text = "justwhy = 1\n[limits]\nfile_bytes = 65536\n\
                [[layer]]\nname = \"one\"\nfile = \"one.sh\"\nreferences = \"posix\"\n";
    let place = Place::new(&[("justwhy.toml", text)]);
    let mut script = "A0=0123456789\n".to_owned();
    for number in 1..40 {
        script.push_str(&format!("A{number}=$A{0}$A{0}\n", number - 1));
    }
    place.file("one.sh", script.as_bytes());
    let found = listed(&place, &["a39"], &[]);
    assert_eq!(found[0], "a39=reference-too-deep one.sh:40:5");
    let mut chain = "A0=x\n".to_owned();
    for number in 1..2_000 {
        chain.push_str(&format!("A{number}=$A{}\n", number - 1));
    }
    place.file("one.sh", chain.as_bytes());
    let found = listed(&place, &["a1999", "a20"], &[]);
    assert!(found.contains(&"a1999=reference-too-deep one.sh:2000:7".to_owned()), "{found:?}");
    assert!(found.contains(&"a20=\"x\" one.sh:21:5".to_owned()), "{found:?}");
}

#[test]
fn refers_as_programs_do_that_resolve_late() {
    let text = project(
        "[[layer]]\nname = \"app\"\nfile = \"app.yaml\"\nreferences = \"colon\"\n\
         [[layer]]\nname = \"ini\"\nfile = \"app.ini\"\nreferences = \"percent\"\ninherit = \"DEFAULT\"\n\
         [[layer]]\nname = \"pod\"\nfile = \"pod.yaml\"\nunder = \"$.env\"\npairs = true\nreferences = \"parens\"\n",
    );
    let place = Place::new(&[
        ("justwhy.toml", &text),
        (
            "app.yaml",
            "a: x\nb: ${a}\nc: ${none:d${a}}\nd: ${none}\ne: '\\${a}'\nf: ${HOST:here}\ng: ${a}-${b}\nh: ${k:}\n",
        ),
        (
            "app.ini",
            "[DEFAULT]\nhome = /srv\n[s]\nDir = %(home)s/a\nsub = %(dir)s/b\npart = 100%%\nbad = 5%\nnone = %(other)s\n",
        ),
        (
            "pod.yaml",
            "env:\n- {name: T_P, value: one}\n- {name: T_Q, value: $(T_P)/$$(T_P)/$T_P}\n- {name: T_R, value: $(NOWHERE)}\n",
        ),
    ]);
    let found = listed(&place, &[], &[("HOST", "gauge.example")]);
    let found: Vec<&str> = found.iter().map(|it| it.rsplit_once(' ').unwrap().0).collect();
    assert_eq!(
        found,
        [
            "DEFAULT.home=\"/srv\"",
            "a=\"x\"",
            "b=\"x\"",
            "c=\"dx\"",
            "d=unresolved-reference",
            "e=\"${a}\"",
            "f=\"gauge.example\"",
            "g=\"x-x\"",
            "h=\"\"",
            "p=\"one\"",
            "q=\"one/$(T_P)/$T_P\"",
            "r=unresolved-reference",
            "s.Dir=\"/srv/a\"",
            "s.bad=unresolved-reference",
            "s.home=\"/srv\"",
            "s.none=unresolved-reference",
            "s.part=\"100%\"",
            "s.sub=\"/srv/a/b\"",
        ]
    );
    let run = place.run(&["explain", "s.sub"]);
    assert!(
        run.stdout.contains("refers to  %(dir)s  \"/srv/a\"  ini  app.ini:4:7"),
        "{}",
        run.stdout
    );
}

#[test]
fn looks_where_it_is_told_to_and_in_that_order() {
    let place = Place::new(&[("a.env", "X=file\nY=${X}\nZ=${X}\n"), ("w.env", "X=weaker\n")]);
    for (references, lookup, expected) in [
        ("\"posix\"", "", "file"),
        ("\"posix\"", "lookup = [\"weaker\", \"file\"]", "weaker"),
        ("\"posix\"", "lookup = [\"process\", \"file\"]", "process"),
        ("\"posix\"", "lookup = []", ""),
        ("true", "", "file"),
        ("true", "lookup = [\"process\", \"file\", \"weaker\"]", "process"),
    ] {
        let text = format!(
            "justwhy = 1\n[[layer]]\nname = \"w\"\nfile = \"w.env\"\n\
             [[layer]]\nname = \"a\"\nfile = \"a.env\"\nreferences = {references}\n{lookup}\n"
        );
        place.file("justwhy.toml", text.as_bytes());
        let found = listed(&place, &["y"], &[("X", "process")]);
        assert_eq!(found[0], format!("y=\"{expected}\" a.env:2:3"), "{references} {lookup}");
    }
    place.file(
        "justwhy.toml",
        b"justwhy = 1\n[[layer]]\nname = \"a\"\nfile = \"a.env\"\nlookup = [\"files\"]\n",
    );
    assert_eq!(refused(&place, &["list"]), "justwhy.toml:5:11: error: unknown place to look in");
}

#[test]
fn an_axis_exists_only_where_it_is_said_to() {
    let text = "justwhy = 1\n\
        [[axis]]\nname = \"job\"\nallowed = { file = \"jobs.yaml\", under = \"$.jobs\" }\ndefault = \"load\"\n\
        [[axis]]\nname = \"batch\"\nallowed = [\"night\", \"day\"]\nonly = { job = [\"load\"] }\n\
        read = [{ variable = \"T_BATCH\", map = { n = \"night\" } }]\n\
        [[axis]]\nname = \"region\"\nallowed = [\"north\", \"south\"]\nmay_be_unset = true\n\
        read = [{ file = \"jobs.yaml\", under = \"defaults.region\" }]\n\
        [[never]]\njob = [\"report\", \"clean\"]\nregion = \"south\"\n\
        [[layer]]\nname = \"a\"\nvalues = { a = 1 }\n\
        [[layer]]\nname = \"b\"\nwhen = { batch = \"night\" }\nvalues = { a = 2 }\n";
    let place = Place::new(&[
        ("justwhy.toml", text),
        ("jobs.yaml", "jobs: {load: {}, report: {}, clean: {}}\ndefaults:\n  region: north\n"),
    ]);
    // Two batches of one job in three regions, and two jobs in two.
    let run = place.run(&["check"]);
    assert!(run.stdout.starts_with("no findings in 10 contexts"), "{}", run.all());
    let run = place.run(&["grid", "a", "--across", "job,batch,region"]);
    assert!(run.stdout.contains("in 6 contexts"), "{}", run.stdout);
    let run = place.run(&["--output", "json"]);
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    assert_eq!(answer["axes"][2]["from"], "jobs.yaml:3");
    assert_eq!(answer["axes"][2]["value"], "north");
    assert_eq!(
        refused(&place, &["list", "--in", "job=report,batch=night"]),
        "error: --in: batch=night: batch exists only for job=load"
    );
    assert!(
        refused(&place, &["list", "--in", "job=clean,region=south"]).contains("job=report|clean")
    );
    let run = place.run_with(&["list"], &[("T_BATCH", "x")]);
    assert_eq!(run.code, 2);
    assert!(run.stderr.contains("the environment variable T_BATCH is x"), "{}", run.stderr);
    assert_eq!(listed(&place, &[], &[("T_BATCH", "n")])[0], "a=2 justwhy.toml:25:16");
    place.file("jobs.yaml", b"jobs: [load, 'a b']\ndefaults: {}\n");
    assert!(refused(&place, &["list"]).contains("invalid value of an axis"));
}

#[test]
fn reads_an_axis_from_the_tags_of_a_real_repository() {
    let text = "justwhy = 1\n[[axis]]\nname = \"channel\"\nallowed = [\"stable\", \"next\"]\n\
                read = [{ tag = { \"v*\" = \"stable\", \"rc-*\" = \"next\" } }, { host = { \"*\" = \"next\" } }]\n";
    let place = Place::new(&[("justwhy.toml", text)]);
    let from = |place: &Place| {
        let run = place.run(&["--output", "json"]);
        let answer: Value = serde_json::from_str(&run.stdout).unwrap();
        answer["axes"][0]["from"].as_str().unwrap().to_owned()
    };
    assert!(from(&place).starts_with("host "), "{}", from(&place));
    place.git(&["init", "--quiet"]);
    place.git(&[
        "-c",
        "user.name=x",
        "-c",
        "user.email=x@tide.example",
        "commit",
        "--quiet",
        "--allow-empty",
        "-m",
        "x",
    ]);
    assert!(from(&place).starts_with("host "), "{}", from(&place));
    place.git(&["tag", "other"]);
    place.git(&[
        "-c",
        "user.name=x",
        "-c",
        "user.email=x@tide.example",
        "tag",
        "-a",
        "v1",
        "-m",
        "x",
    ]);
    assert_eq!(from(&place), "git tag v1");
}

/// What each recipe comes to, as its own program has it: the context, the setting, its value and its place.
const RECIPES: [(&str, &[(&str, &str)]); 8] = [
    (
        "shell-env-files",
        &[
            ("dev", "address=\"http://localhost:8080\" deploy/defaults.env:4:9"),
            ("dev", "release=unreadable deploy/defaults.env:5:9"),
            ("production", "host=\"gauges.tide.example\" deploy/production.env:1:6"),
            // The address was put together before the host was set.
            ("production", "address=\"http://localhost:8080\" deploy/defaults.env:4:9"),
            (
                "production",
                "banner=\"http://localhost:8080 is for the shore desk\" deploy/production.env:3:8",
            ),
        ],
    ),
    (
        "compose-stack",
        &[
            ("collector", "pool=\"25\" compose.yaml:6:14"),
            ("collector", "log_level=\"debug\" collector.env:1:11"),
            ("collector", "interval=\"5m\" services/collector/Containerfile:4:14"),
            ("collector", "data=\"/data\" services/collector/Containerfile:2:10"),
            ("forecast", "pool=\"10\" common.env:3:6"),
        ],
    ),
    (
        "profile-documents",
        &[
            ("dev", "gauge.pool.max-size=10 application.yaml:2:20"),
            ("dev", "gauge.url=\"jdbc:tides://localhost/readings\" application.yaml:3:8"),
            ("production", "gauge.pool.max-size=25 application.yaml:7:21"),
            (
                "production",
                "gauge.url=\"jdbc:tides://db.tide.example/readings\" application.yaml:3:8",
            ),
            ("production", "gauge.retries=\"3\" container.json:2:94"),
        ],
    ),
    (
        "cluster-manifest",
        &[
            (
                "staging",
                "address=\"http://collector.staging.tide.example:8080\" cluster/staging.yaml:25:38",
            ),
            ("staging", "file.pool.idle=\"2\" cluster/staging.yaml:13:17"),
            ("staging", "pod_ip=unreadable cluster/staging.yaml:27:26"),
            ("production", "log_level=\"warning\" cluster/production.yaml:21:40"),
        ],
    ),
    (
        "chart-values",
        &[
            ("staging", "image.tag=\"latest\" chart/values.yaml:4:8"),
            ("production", "image.tag=\"1.4.2\" justwhy.toml:20:37"),
            ("production", "replicas=3 justwhy.toml:20:54"),
        ],
    ),
    (
        "pipeline-workflow",
        &[
            ("load", "batch=500 pipeline/load.yaml:8:14"),
            ("load", "token=unreadable pipeline/load.yaml:9:14"),
            ("load", "dry_run=false pipeline/load.yaml:15:20"),
            ("report", "batch=100 pipeline/load.yaml:4:10"),
            ("report", "region=\"south\" pipeline/load.yaml:19:23"),
        ],
    ),
    (
        "ini-and-sample",
        &[
            ("dev", "data=\"./tides/readings\" collector.ini:3:8"),
            ("production", "data=\"/srv/tides/readings\" collector.ini:3:8"),
            ("production", "interval=\"1m\" collector.ini:10:12"),
        ],
    ),
    (
        "infrastructure-values",
        &[
            ("north", "gauges=20 stack/north.tfvars:1:10"),
            ("north", "host=unreadable stack/north.tfvars:2:10"),
            ("south", "gauges=12 stack/defaults.tfvars:1:10"),
            ("south", "machine.serial=\"TG-0417\" mounted/serial:1:1"),
        ],
    ),
];

#[test]
fn every_recipe_has_what_its_programs_have_and_no_finding() {
    for (name, facts) in RECIPES {
        let place = Place::example(&format!("recipes/{name}"));
        for (context, fact) in facts {
            let found = listed(&place, &["--in", context], &[]);
            assert!(found.contains(&(*fact).to_owned()), "{name} {context}: {fact}\n{found:#?}");
        }
        let run = place.run(&["check"]);
        assert!(run.stdout.starts_with("no findings in 2 contexts"), "{name}: {}", run.all());
        assert!(
            include_str!("../../../docs/recipes.md").contains(&format!("examples/recipes/{name}")),
            "{name}"
        );
    }
}

#[test]
fn a_real_shell_passes_on_what_the_recipe_says() {
    let place = Place::example("recipes/shell-env-files");
    for stage in ["dev", "production"] {
        let mut shell = Command::new("sh");
        let script = format!(
            "set -a; . deploy/defaults.env; . deploy/{stage}.env; echo \"$ADDRESS|$POOL|$HOST\""
        );
        shell.args(["-c", &script]).current_dir(place.path()).env_clear();
        shell.envs(std::env::var_os("PATH").map(|path| ("PATH", path))).env("POOL", "7");
        let said = String::from_utf8(shell.output().unwrap().stdout).unwrap();
        let run = place.run_with(&["list", "-i", stage, "--output", "json"], &[("POOL", "7")]);
        let answer: Value = serde_json::from_str(&run.stdout).unwrap();
        let value = |key: &str| {
            let mut settings = answer["settings"].as_array().unwrap().iter();
            let found = settings.find(|it| it["key"] == key).unwrap();
            found["value"].as_str().unwrap().to_owned()
        };
        assert_eq!(said.trim_end(), [value("address"), value("pool"), value("host")].join("|"));
    }
}

/// Keys and their values.
type Facts<'f> = &'f [(&'f str, Option<&'f str>)];

/// Texts, and what Python's `configparser` has for each key of their sections; none where it refuses the value.
const CONFIGPARSER: [(&str, Facts<'_>); 12] = [
    (
        "[DEFAULT]\nhome=/srv\n[s]\na=%(home)s/x\n",
        &[("s.a", Some("/srv/x")), ("s.home", Some("/srv"))],
    ),
    (
        "[DEFAULT]\nhome=/srv\n[s]\nhome=/own\na=%(home)s/x\n",
        &[("s.home", Some("/own")), ("s.a", Some("/own/x"))],
    ),
    (
        "[DEFAULT]\nroot=%(base)s/r\nbase=/d\n[s]\nbase=/s\na=%(root)s\n",
        &[("s.base", Some("/s")), ("s.a", Some("/s/r")), ("s.root", Some("/s/r"))],
    ),
    (
        "[s]\na=1\nb=%(a)s%(a)s\n[t]\nb=%(a)s\n",
        &[("s.a", Some("1")), ("s.b", Some("11")), ("t.b", None)],
    ),
    ("[s]\na=100%%\nb=%(a)s\n", &[("s.a", Some("100%")), ("s.b", Some("100%"))]),
    (
        "[s]\nName=x\na=%(name)s\nb=%(NAME)s\n",
        &[("s.name", Some("x")), ("s.a", Some("x")), ("s.b", Some("x"))],
    ),
    (
        "[s]\na=%(b)s\nb=%(c)s\nc=end\n",
        &[("s.a", Some("end")), ("s.b", Some("end")), ("s.c", Some("end"))],
    ),
    ("[s]\na=5%\n", &[("s.a", None)]),
    ("[s]\na=%(b\nb=1\n", &[("s.a", None), ("s.b", Some("1"))]),
    ("[s]\na=%(b)d\nb=1\n", &[("s.a", None), ("s.b", Some("1"))]),
    ("[s]\na=%(b)s\nb=%(a)s\n", &[("s.a", None), ("s.b", None)]),
    ("[s]\na=$x ${y} %%(z)s\n", &[("s.a", Some("$x ${y} %(z)s"))]),
];

#[test]
fn an_ini_file_has_what_configparser_has() {
    let text = "justwhy = 1\n[[layer]]\nname = \"ini\"\nfile = \"app.ini\"\ninherit = \"DEFAULT\"\n\
                references = \"percent\"\n";
    let place = Place::new(&[("justwhy.toml", text)]);
    for (ini, facts) in CONFIGPARSER {
        place.file("app.ini", ini.as_bytes());
        let found = listed(&place, &[], &[]);
        for (key, value) in facts {
            let begins = |line: &&String| line.to_lowercase().starts_with(&format!("{key}="));
            let line =
                found.iter().find(begins).unwrap_or_else(|| panic!("{ini}: {key} {found:?}"));
            let (own, _) = line.split_once('=').unwrap().1.rsplit_once(' ').unwrap();
            match value {
                Some(value) => assert_eq!(own, format!("{value:?}"), "{ini}: {key}"),
                None => assert!(
                    own.starts_with("unresolved") || own.starts_with("reference"),
                    "{ini}: {line}"
                ),
            }
        }
    }
}

#[test]
fn a_context_that_cannot_be_read_makes_no_value_one_that_never_wins() {
    let text = "justwhy = 1\n[[axis]]\nname = \"e\"\nallowed = [\"dev\", \"production\"]\ndefault = \"dev\"\n\
                [[layer]]\nname = \"a\"\nvalues = { x = 1 }\n\
                [[layer]]\nname = \"b\"\nfile = \"{e}.yaml\"\n";
    let place = Place::new(&[
        ("justwhy.toml", text),
        ("dev.yaml", "x: 2\n"),
        ("production.yaml", "x: [\n"),
    ]);
    let run = place.run(&["check"]);
    assert_eq!(run.code, 1);
    assert!(run.stdout.contains("production.yaml:1:4: error: invalid YAML"), "{}", run.all());
    assert!(run.stdout.contains("[cannot-read] e=production"), "{}", run.all());
    assert!(!run.stdout.contains("never-wins"), "{}", run.all());
    assert!(run.stdout.contains("rules skipped (not every context is checked)"), "{}", run.all());
}
