//! Every example of the shipped sets, and what a project may write itself.

use super::{Fallback, Read, ReadSet, Reading, SHIPPED};
use crate::expression::shown;

/// What is found, as the examples have it.
fn told(reads: &[Read]) -> String {
    let one = |read: &Read| match &read.reading {
        Reading::Fallback(Fallback::Known(constant)) => {
            format!("{} = {}", read.name, shown(constant)).trim_end().to_owned()
        }
        Reading::Fallback(Fallback::Unknown(_)) => format!("{} = ?", read.name),
        _ => read.name.clone(),
    };
    reads.iter().map(one).collect::<Vec<_>>().join(" ; ")
}

fn file_of(set: &str) -> &'static str {
    match set {
        "node" | "calls" => "a.ts",
        "python" => "a.py",
        "java" | "jvm" => "A.java",
        "kotlin" => "a.kt",
        "go" => "a.go",
        "rust" => "a.rs",
        "ruby" => "a.rb",
        "php" => "a.php",
        "dotnet" => "A.cs",
        "shell" => "a.sh",
        _ => "Dockerfile",
    }
}

/// The set in which the examples of another one are tried.
fn tried_as(set: &str) -> String {
    match set {
        "calls" => "node".to_owned(),
        "jvm" => "java".to_owned(),
        set => set.to_owned(),
    }
}

#[test]
fn every_form_compiles() {
    for set in SHIPPED.iter() {
        for form in &set.forms {
            if let Err(error) = super::compiled(&form.written) {
                panic!("{}: {} {error}", set.name, form.written);
            }
        }
    }
}

#[test]
fn every_example_is_found_as_it_says() {
    let mut wrong = Vec::new();
    let mut count = 0;
    for set in SHIPPED.iter() {
        let reads = ReadSet::of(&[tried_as(&set.name)]).unwrap();
        for (code, expected) in &set.examples {
            count += 1;
            let found = told(&reads.reads(file_of(&set.name), code).unwrap());
            if found != *expected {
                wrong.push(format!(
                    "{}: {code}\n  expected {expected}\n  found    {found}",
                    set.name
                ));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(count > 100, "{count}");
}

#[test]
fn what_is_in_a_comment_or_a_string_is_not_read() {
    let reads = ReadSet::of(&["node".to_owned(), "python".to_owned(), "shell".to_owned()]).unwrap();
    for (file, code) in [
        (
            "a.js",
            "// process.env.TIDE_A ?? 5\n/* process.env.TIDE_B */ const a = 'process.env.TIDE_C';",
        ),
        ("a.py", "# os.environ[\"TIDE_A\"]\nhelp = 'os.environ[\"TIDE_B\"]'\n"),
        ("a.sh", "# ${TIDE_A:-5}\necho '$TIDE_B'\n"),
    ] {
        assert_eq!(told(&reads.reads(file, code).unwrap()), "", "{file}");
    }
    let inside = "const url = `http://${process.env.TIDE_HOST ?? \"localhost\"}/`;";
    assert_eq!(told(&reads.reads("a.js", inside).unwrap()), "TIDE_HOST = localhost");
}

#[test]
fn a_form_of_the_project_is_two_groups() {
    let own = r#"\bsettings\.lookup\( {name} ,{value}"#.to_owned();
    let reads = ReadSet::of(&[own]).unwrap();
    let found = reads.reads("a.py", "a = settings.lookup('TIDE_A', 60 * 60)\n").unwrap();
    assert_eq!(told(&found), "TIDE_A = 3600");
    let raw = r#"@Setting\((?<name>\w+)=(?<value>[^)]*)\)"#.to_owned();
    let reads = ReadSet::of(&[raw]).unwrap();
    assert_eq!(
        told(&reads.reads("a.java", "@Setting(TIDE_A=1.50) int a;").unwrap()),
        "TIDE_A = 1.5"
    );
    for (item, why) in [
        ("nodejs", "no shipped set has the name nodejs"),
        ("x(?<value>y)", "the pattern has no group `name` or `key`"),
        ("(?<name>x", "invalid pattern: unclosed group"),
    ] {
        assert_eq!(ReadSet::of(&[item.to_owned()]).unwrap_err(), (0, why.to_owned()));
    }
}

#[test]
fn work_is_bounded_whatever_comes_in() {
    let reads = ReadSet::of(&["node".to_owned()]).unwrap();
    let names: String = (0..40_000).map(|it| format!("T_{it} = 1, ")).collect();
    let destructured = format!("const {{ {names}}} = process.env;\n");
    let nested = "process.env.A ?? (".repeat(40_000);
    let slashes = "x=/[".repeat(200_000);
    let started = std::time::Instant::now();
    assert!(reads.reads("a.js", &destructured).is_none());
    assert!(reads.reads("a.js", &nested).is_none());
    assert!(reads.reads("a.js", &slashes).is_some_and(|reads| reads.is_empty()));
    // Not a measure of speed: without a bound it takes hours.
    assert!(started.elapsed().as_secs() < 120);
}
