//! Files that want to take the machine: a clear error and bounded memory, whatever they hold.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]
#![cfg(unix)]

mod common;

use common::{PROGRAM, Place, Run};
use std::os::unix::fs::PermissionsExt as _;

/// More than a limit on the address space of this many KiB, nobody gets.
const MOST_KIB: u32 = 700_000;

fn project(file: &str) -> Place {
    let text =
        format!("justwhy = 1\n[[layer]]\nname = \"a\"\nfile = \"{file}\"\noptional = true\n");
    Place::new(&[("justwhy.toml", &text)])
}

/// Runs `list` with bounded memory and time.
fn run_bounded(place: &Place) -> Run {
    run_command_bounded(place, "list")
}

fn run_command_bounded(place: &Place, asked: &str) -> Run {
    let script = format!("ulimit -v {MOST_KIB}; ulimit -t 30; exec \"$0\" {asked}");
    let mut command = std::process::Command::new("sh");
    command.args(["-c", &script, PROGRAM]).current_dir(place.path());
    command.env_clear().env("LANG", "C.UTF-8");
    place.finish(&mut command)
}

fn check(file: &str, bytes: &[u8], expected: &str) {
    let place = project(file);
    place.file(file, bytes);
    let run = run_bounded(&place);
    let first = run.stderr.lines().next().unwrap_or_default();
    assert_eq!(first, expected_error(expected), "{file}");
    assert_eq!((run.code, run.stdout.as_str()), (2, ""), "{file}");
}

/// `a.toml:2:6: not UTF-8` as an error has it.
fn expected_error(expected: &str) -> String {
    let at = expected.find(": ").unwrap();
    format!("{}: error{}", &expected[..at], &expected[at..])
}

#[test]
fn refuses_a_nesting_of_a_hundred_thousand() {
    let deep = 100_000;
    let too_deep = "more than 128 nested tables and lists here";
    let open = |open: &str| open.repeat(deep);
    check(
        "a.json",
        format!("{{\"a\":{}", open("[")).as_bytes(),
        &format!("a.json:1:516: {too_deep}"),
    );
    check("b.json", open("{\"a\":").as_bytes(), &format!("b.json:1:1282: {too_deep}"));
    check("a.toml", format!("a={}", open("[")).as_bytes(), &format!("a.toml:1:130: {too_deep}"));
    check("b.toml", format!("a={}", open("{a=")).as_bytes(), &format!("b.toml:1:384: {too_deep}"));
    check(
        "c.toml",
        format!("{}=1", vec!["a"; deep].join(".")).as_bytes(),
        &format!("c.toml:1:255: {too_deep}"),
    );
    check(
        "d.toml",
        format!("[{}]", vec!["a"; deep].join(".")).as_bytes(),
        &format!("d.toml:1:256: {too_deep}"),
    );
    check("a.yaml", format!("a: {}", open("[")).as_bytes(), &format!("a.yaml:1:132: {too_deep}"));
    check("b.yaml", open("- ").as_bytes(), "b.yaml:1:1: expected one mapping");
    check(
        "c.yaml",
        open("? ").as_bytes(),
        "c.yaml:1:3: expected a single string or number as a key",
    );
    let indented: String = (0..2_000).map(|n| format!("{}a:\n", " ".repeat(n))).collect();
    check("d.yaml", indented.as_bytes(), &format!("d.yaml:129:129: {too_deep}"));
}

#[test]
fn refuses_an_alias_bomb() {
    let mut lists = "a0: &a0 [x, x, x, x, x, x, x, x, x, x]\n".to_owned();
    let mut maps = "a0: &a0 {x: 1}\n".to_owned();
    let mut merges = maps.clone();
    let mut texts = format!("a0: &a0 {}\n", "x".repeat(1_000_000));
    for n in 1..40 {
        let aliases = vec![format!("*a{}", n - 1); 10].join(", ");
        lists.push_str(&format!("a{n}: &a{n} [{aliases}]\n"));
        let entries: Vec<String> = (0..10).map(|at| format!("k{at}: *a{}", n - 1)).collect();
        maps.push_str(&format!("a{n}: &a{n} {{{}}}\n", entries.join(", ")));
        merges.push_str(&format!("a{n}: &a{n} {{<<: [{aliases}]}}\n"));
        texts.push_str(&format!("a{n}: [{}]\n", ["*a0"; 10].join(", ")));
    }
    let nodes = "more than 5000000 values, tables and lists here";
    check("lists.yaml", lists.as_bytes(), &format!("lists.yaml:7:9: {nodes}"));
    check("maps.yaml", maps.as_bytes(), &format!("maps.yaml:8:9: {nodes}"));
    check("merges.yaml", merges.as_bytes(), &format!("merges.yaml:1:9: {nodes}"));
    check(
        "texts.yaml",
        texts.as_bytes(),
        "texts.yaml:1:9: more than 67108864 bytes, with aliases, here",
    );
}

fn bounded(text: &str, files: &[(&str, &str)]) -> Run {
    let place = Place::new(files);
    place.file("justwhy.toml", format!("justwhy = 1\n{text}").as_bytes());
    run_bounded(&place)
}

#[test]
fn bounds_what_references_put_together() {
    let mut doubling = "k0 = \"xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx\"\n".to_owned();
    let mut lists = "l0 = [1, 1, 1, 1, 1, 1, 1, 1, 1, 1]\n".to_owned();
    let mut chain = "c0 = 1\n".to_owned();
    for at in 1..120 {
        let before = at - 1;
        doubling.push_str(&format!("k{at} = \"${{k{before}}}${{k{before}}}\"\n"));
        let items = vec![format!("\"${{l{before}}}\""); 10].join(", ");
        lists.push_str(&format!("l{at} = [{items}]\n"));
    }
    for at in 1..60_000 {
        chain.push_str(&format!("c{at} = \"${{c{}}}\"\n", at - 1));
    }
    let layer = "[[layer]]\nname = \"a\"\nfile = \"a.toml\"\n";
    for text in [&doubling, &lists, &chain] {
        let run = bounded(layer, &[("a.toml", text)]);
        let said = &run.stdout[..run.stdout.len().min(300)];
        match run.code {
            1 => assert!(run.stdout.contains("(error: reference-too-deep)"), "{said}"),
            2 => assert!(run.stderr.contains("too large"), "{}", run.stderr),
            code => panic!("{code}: {said} {}", run.stderr),
        }
    }
    // Each of them is within its bounds; all together are not, and nobody can hold them.
    let mut many = "k0 = \"xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx\"\n".to_owned();
    for at in 1..19 {
        let before = at - 1;
        many.push_str(&format!("k{at} = \"${{k{before}}}${{k{before}}}\"\n"));
    }
    many.extend((0..1_500).map(|at| format!("z{at} = \"${{k18}}.\"\n")));
    let small = format!("{layer}[limits]\nfile_bytes = 10_000_000\n");
    let run = bounded(&small, &[("a.toml", &many)]);
    assert_eq!((run.code, run.stdout.as_str()), (2, ""), "{}", run.stderr);
    assert!(run.stderr.contains("too large"), "{}", run.stderr);
    let circle: String =
        (0..50_000).map(|at| format!("c{at} = \"${{c{}}}\"\n", (at + 1) % 50_000)).collect();
    let run = bounded(layer, &[("a.toml", &circle)]);
    assert_eq!(run.code, 1, "{}", run.stderr);
    assert_eq!(run.stdout.matches("(error: reference-cycle)").count(), 50_000);
}

/// A line of a minified file is the whole of it, and each of its settings is told of with its line.
#[test]
fn shows_of_a_file_that_is_one_line_what_stands_around_each_place() {
    let project = "justwhy = 1\n[[layer]]\nname = \"a\"\nfile = \"a.json\"\n\
        [[layer]]\nname = \"b\"\nvalues = { gauges = 1 }\n";
    let gauges = |values: &str| {
        let gauges: Vec<String> = (0..10_000).map(|at| format!("\"gauge{at}\":{values}")).collect();
        format!("{{\"gauges\":{{{}}}}}", gauges.join(","))
    };
    let place = Place::new(&[("justwhy.toml", project), ("a.json", &gauges("1"))]);
    let run = run_command_bounded(&place, "check");
    assert_eq!(run.code, 0, "{}", run.stderr);
    let run = run_command_bounded(&place, "check --output json");
    assert_eq!(run.stdout.matches(" is lost\"").count(), 10_000);
    place.file("justwhy.toml", project.replace("gauges = 1", "x = 1").as_bytes());
    place.file("a.json", gauges("\"`é` \"").as_bytes());
    let run = run_command_bounded(&place, "check");
    assert_eq!(run.stdout.matches("[stray-quotes]").count(), 5, "{}", run.stdout);
    assert!(run.stdout.contains("9996 more findings like this in a.json"), "{}", run.stdout);
    let run = run_command_bounded(&place, "check --full");
    assert_eq!(run.stdout.matches("[stray-quotes]").count(), 10_000, "{}", run.stderr);
    let longest = run.stdout.lines().map(|line| line.chars().count()).max();
    assert!(longest <= Some(220), "{longest:?}");
}

#[test]
fn bounds_the_contexts_that_references_look_into() {
    let text = "[[axis]]\nname = \"n\"\nopen = true\n[[layer]]\nname = \"a\"\nfile = \"a.toml\"\n";
    let many: String = (0..1_500).map(|at| format!("k{at} = \"${{x@n=v{at}}}\"\n")).collect();
    let run = bounded(text, &[("a.toml", &format!("x = 1\n{many}"))]);
    assert_eq!(run.code, 1, "{}", run.stderr);
    assert_eq!(run.stdout.matches("(error: unresolved-reference)").count(), 500);
}

#[test]
fn reads_by_a_reference_only_what_it_may_and_what_is_a_file() {
    let values = "[[layer]]\nname = \"a\"\nvalues = { a = \"${file:/dev/zero}\", b = \"${file:.}\", \
                  c = \"${file:pipe}\", d = \"${file:a/../../x}\", e = \"${file:/etc/passwd:-none}\", \
                  f = \"${file:big}\" }\n[limits]\nfile_bytes = 1000\n";
    let place = Place::new(&[("justwhy.toml", &format!("justwhy = 1\n{values}"))]);
    place.file("big", &[b'x'; 2_000]);
    let made = std::process::Command::new("mkfifo").arg(place.path().join("pipe")).status();
    assert!(made.unwrap().success());
    let run = run_bounded(&place);
    assert_eq!(run.code, 1, "{}", run.all());
    assert_eq!(run.stdout.matches("(error: unresolved-reference)").count(), 6, "{}", run.stdout);
}

#[test]
fn walks_folders_without_following_links_or_going_on_for_ever() {
    let text = "justwhy = 1\n[[layer]]\nname = \"a\"\nfiles = \"d/**/*.toml\"\n";
    let place = Place::new(&[("justwhy.toml", text), ("d/e/a.toml", "a = 1\n")]);
    std::os::unix::fs::symlink("..", place.path().join("d/e/up")).unwrap();
    std::os::unix::fs::symlink("/", place.path().join("d/root")).unwrap();
    std::os::unix::fs::symlink("e/a.toml", place.path().join("d/link.toml")).unwrap();
    let run = run_bounded(&place);
    assert_eq!(run.code, 0, "{}", run.all());
    assert!(run.stdout.contains("d/link.toml:1:5") || run.stdout.contains("d/e/a.toml:1:5"));
    std::fs::create_dir(place.path().join("d/f.toml")).unwrap();
    assert_eq!(run_bounded(&place).code, 0, "a folder is no file");
    let made = std::process::Command::new("mkfifo").arg(place.path().join("d/p.toml")).status();
    assert!(made.unwrap().success());
    let run = run_bounded(&place);
    assert!(run.code == 2 && run.stderr.contains("not a regular file"), "{}", run.stderr);
    std::fs::remove_file(place.path().join("d/p.toml")).unwrap();
    let shut = place.path().join("d/shut");
    std::fs::create_dir(&shut).unwrap();
    std::fs::set_permissions(&shut, std::fs::Permissions::from_mode(0o000)).unwrap();
    let run = run_bounded(&place);
    // Root may list everything.
    assert!(run.code == 0 || run.stderr.contains("d/shut"), "{}", run.stderr);
    std::fs::set_permissions(&shut, std::fs::Permissions::from_mode(0o755)).unwrap();
    use std::os::unix::ffi::OsStrExt as _;
    let name = std::ffi::OsStr::from_bytes(b"bad\xff.toml");
    std::fs::write(place.path().join("d").join(name), "a = 2\n").unwrap();
    let run = run_bounded(&place);
    assert!(run.code == 2 && run.stderr.contains("its name is not UTF-8"), "{}", run.stderr);
}

#[test]
fn refuses_rows_and_properties_that_are_bombs() {
    let deep = "a.".repeat(100_000) + "b=1";
    let run =
        bounded("[[layer]]\nname = \"a\"\nfile = \"a.properties\"\n", &[("a.properties", &deep)]);
    assert!(run.code == 2 && run.stderr.contains("segments"), "{}", run.stderr);
    let run =
        bounded("[[layer]]\nname = \"a\"\nfile = \"a.ini\"\n", &[("a.ini", &format!("[{deep}]"))]);
    assert_eq!(run.code, 2, "{}", run.stderr);
    let rows = "[[axis]]\nname = \"row\"\nopen = true\ndefault = \"1\"\n[[layer]]\nname = \"a\"\n";
    let deep = format!("[{{\"a\": {}", "[".repeat(100_000));
    let run = bounded(&format!("{rows}rows = \"a.json\"\n"), &[("a.json", &deep)]);
    assert!(run.code == 2 && run.stderr.contains("more than 128"), "{}", run.stderr);
    let wide = format!("a\n\"{}", ",\n".repeat(100_000));
    let run = bounded(&format!("{rows}rows = \"a.csv\"\n"), &[("a.csv", &wide)]);
    assert!(run.code == 2 && run.stderr.contains("unterminated quote"), "{}", run.stderr);
}

#[test]
fn refuses_what_is_no_text() {
    check("a.toml", b"a = 1\nb = \"\xff\"\n", "a.toml:2:6: not UTF-8");
    check("a.env", b"A=1\n\0", "a.env:2:1: NUL character");
    check("b.yaml", b"a: 1\0b: 2", "b.yaml:1:5: NUL character");
    check("a.json", b"\xff\xfe{\0}\0", "a.json:1:1: not UTF-8");
}

#[test]
fn refuses_what_is_no_regular_file() {
    let place = project("a.toml");
    let path = place.path().join("a.toml");
    std::fs::create_dir(&path).unwrap();
    let folder = run_bounded(&place);
    assert_eq!(folder.stderr, "a.toml: error: a.toml is a folder, not a regular file\n");
    std::fs::remove_dir(&path).unwrap();
    // Reading a pipe that nobody writes to would wait for ever.
    let made = std::process::Command::new("mkfifo").arg(&path).status().unwrap();
    assert!(made.success());
    let pipe = run_bounded(&place);
    assert_eq!((pipe.code, pipe.stdout.as_str()), (2, ""));
    assert!(pipe.stderr.contains("a pipe, socket or device"), "{}", pipe.stderr);
    std::fs::remove_file(&path).unwrap();
    std::os::unix::fs::symlink("/dev/zero", &path).unwrap();
    assert!(run_bounded(&place).stderr.contains("is outside the repository"));
    std::fs::remove_file(&path).unwrap();
    std::os::unix::fs::symlink("a.toml", &path).unwrap();
    let endless = run_bounded(&place);
    assert_eq!(endless.code, 2, "a link to itself: {}", endless.stderr);
    std::fs::remove_file(&path).unwrap();
    std::os::unix::fs::symlink(place.path().join("b"), &path).unwrap();
    assert_eq!(
        run_bounded(&place).code,
        0,
        "a link to nothing is a missing file, which is optional"
    );
    place.file("b", b"a = 1\n");
    assert!(run_bounded(&place).stdout.contains("a.toml:1:5"), "a link to a file is read");
}

#[test]
fn refuses_a_file_that_may_not_be_read() {
    let place = project("a.toml");
    let path = place.file("a.toml", b"a = 1\n");
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o000)).unwrap();
    std::fs::set_permissions(place.path(), std::fs::Permissions::from_mode(0o755)).unwrap();
    // The superuser may read everything, so somebody else must try; and he must reach the program.
    let program = place.path().join("program");
    std::fs::copy(PROGRAM, &program).unwrap();
    std::fs::set_permissions(&program, std::fs::Permissions::from_mode(0o755)).unwrap();
    let mut command = std::process::Command::new(&program);
    command.arg("list").current_dir(place.path()).env_clear();
    if std::fs::File::open(&path).is_ok() {
        use std::os::unix::process::CommandExt as _;
        command.uid(65534).gid(65534);
    }
    // While other tests start programs, one that was just written can be busy for a moment.
    while let Err(error) = command.output() {
        assert_eq!(error.kind(), std::io::ErrorKind::ExecutableFileBusy);
        std::thread::sleep(std::time::Duration::from_millis(10));
    }
    let run = place.finish(&mut command);
    assert_eq!(
        run.stderr,
        "a.toml: error: a.toml cannot be read: Permission denied (os error 13)\n"
    );
    assert_eq!(run.code, 2);
}

#[test]
fn refuses_a_file_past_its_limit() {
    let text =
        "justwhy = 1\n[limits]\nfile_bytes = 10\n[[layer]]\nname = \"a\"\nfile = \"a.toml\"\n";
    let place = Place::new(&[("justwhy.toml", text), ("a.toml", "a = 100000\n")]);
    let run = run_bounded(&place);
    assert!(
        run.stderr.starts_with("a.toml: error: a.toml is larger than the limit"),
        "{}",
        run.stderr
    );
    place.file("a.toml", b"a = 1000\n");
    assert_eq!(run_bounded(&place).code, 0);
}

#[test]
fn survives_odd_arguments() {
    use std::os::unix::ffi::OsStrExt as _;
    let place = project("a.toml");
    let invalid = std::ffi::OsStr::from_bytes(b"\xff");
    for option in ["--in", "--set", "--unset", "--project", "--process-from"] {
        let mut command = place.command(&["list", option]);
        let run = place.finish(command.arg(invalid));
        assert_eq!(run.code, 2, "{option}: {}", run.all());
        assert!(run.stderr.contains("error: "), "{option}: {}", run.stderr);
    }
    for text in [
        "",
        "=",
        "a=",
        ".=",
        "\"",
        "'=",
        "a.b.",
        "\u{0}".trim_matches('\0'),
        "é=1",
        "${a}=b",
        "*=1",
    ] {
        let run = place.run(&["list", "--set", text, "--in", text]);
        assert_eq!(run.code, 2, "{text:?}");
    }
    let wide =
        Place::new(&[("justwhy.toml", "justwhy = 1\n[[axis]]\nname = \"team\"\nopen = true\n")]);
    let run = wide.run(&["--in", &format!("team={}", "x".repeat(1_000))]);
    assert_eq!((run.code, run.stderr.as_str()), (0, ""), "a value wider than any terminal");
    let long = "a.".repeat(50_000) + "a";
    assert_eq!(place.run(&["explain", &long]).code, 2);
    assert_eq!(place.run(&["list", "--set", &format!("{long}=1")]).code, 2);
}
