//! Container files, HCL, files with assignments, XML: what they have and where, and a shell as judge.

use super::generated::Random;
use crate::view::{Documents, Part, View};
use crate::{Format, Limits, Seen, Step};
use justwhy_core::{Keys, SourceText, Value};
use std::process::{Command, Stdio};
use std::sync::Arc;

fn named(name: &str) -> Format {
    Format::named(name).unwrap()
}

/// `key value line:column` for each value; a fault as its place and message.
fn read(name: &str, text: &str) -> Vec<String> {
    read_part(&View::whole(named(name)), text)
}

fn read_part(view: &View, text: &str) -> Vec<String> {
    let (mut keys, source) = (Keys::default(), SourceText::new(text.to_owned()));
    let place = |at: justwhy_core::Span| {
        let position = source.position(at.start);
        format!("{}:{}", position.line, position.column)
    };
    match view.read(text, &mut keys, Limits::default()) {
        Err(faults) => faults.iter().map(|it| format!("{} {}", place(it.at), it.message)).collect(),
        Ok(Seen::Nothing(fault)) => vec![fault.message],
        Ok(Seen::Documents(documents)) => documents
            .iter()
            .flat_map(|document| {
                document.leaves.iter().enumerate().map(|(index, leaf)| {
                    let note = document.note(u32::try_from(index).unwrap());
                    let value = match note.and_then(|note| note.unreadable.clone()) {
                        Some(why) => format!("({why})"),
                        None => leaf.value.show(),
                    };
                    let weak = if document.yielding.contains(&index) { " weak" } else { "" };
                    format!("{} {value} {}{weak}", keys.show(leaf.name), place(leaf.at.unwrap()))
                })
            })
            .collect(),
    }
}

#[test]
fn reads_container_files() {
    let text = "FROM debian AS base\nENV A=1 B=\"x y\" \\\n  # why\n  C='$D'\nFROM base\nENV E rest of it \nenv A=2 F=$A G=\\$A\n";
    assert_eq!(
        read("containerfile", text),
        [
            "A \"1\" 2:7",
            "B \"x y\" 2:11",
            "C \"$D\" 4:5",
            "E \"rest of it\" 6:7",
            "A \"2\" 7:7",
            "F (the build fills in $A) 7:11",
            "G \"$A\" 7:16",
        ]
    );
    let stage = |name: &str| {
        let documents = Some(Documents::Named(name.to_owned()));
        let part = Part { documents, ..Part::default() };
        read_part(&View { format: named("containerfile"), part: Some(Arc::new(part)) }, text)
    };
    assert_eq!(stage("BASE"), ["A \"1\" 2:7", "B \"x y\" 2:11", "C \"$D\" 4:5"]);
    assert_eq!(stage("1").len(), 7);
    assert_eq!(stage("other"), ["no stage other"]);
    assert_eq!(read("containerfile", "ENV A=1\n"), ["1:4 ENV before the first FROM"]);
    assert_eq!(read("containerfile", "FROM a\nENV A=\"1\n"), ["2:7 unterminated quote"]);
    assert_eq!(read("containerfile", "FROM a\nENV A=1 B\n"), ["2:9 expected NAME=VALUE"]);
    assert_eq!(read("containerfile", "FROM a\nENV A\n"), ["2:5 expected NAME=VALUE"]);
    assert_eq!(Format::of_path("x/Dockerfile.prod"), Some(named("containerfile")));
}

#[test]
fn reads_hcl_literals() {
    let text = "a = 1\nb = \"x\"\nc = [1, \"y\"]\nd = { e = true, \"f-g\" = null }\nh = var.x\ni = \"a${b}\"\nj \"k\" \"l\" {\n  m = 1.5\n}\nn = \"$${o}\"\n";
    assert_eq!(
        read("hcl", text),
        [
            "a 1 1:5",
            "b \"x\" 2:5",
            "c [1, \"y\"] 3:5",
            "d.e true 4:11",
            "d.f-g null 4:25",
            "h (the expression is worked out elsewhere: var.x) 5:5",
            "i (the expression is worked out elsewhere: \"a${b}\") 6:5",
            "j.k.l.m 1.5 8:7",
            "n \"${o}\" 10:5",
        ]
    );
    assert_eq!(read("hcl", "a = \n"), ["1:5 invalid HCL"]);
    assert_eq!(read("hcl", "a = 1\na = 2\n"), ["2:1 invalid HCL"]);
    let deep = format!("a = {}1{}", "[".repeat(5000), "]".repeat(5000));
    assert!(read("hcl", &deep)[0].contains("more than"), "{:?}", read("hcl", &deep));
}

#[test]
fn reads_lines_that_assign() {
    let text = "#!/bin/sh\nA=1 # one\nexport B='x y' C=\"z\\\"\"\nD=$A\nE=`id`\nF=1 run\nif true; then\n  G=1\nfi\n\
                H=1 && I=2\nJ=a\\ b; K=~/x\ncat <<X\nL=1\nX\nM=\n";
    assert_eq!(
        read("assignments", text),
        [
            "A \"1\" 2:3",
            "B \"x y\" 3:10",
            "C \"z\\\"\" 3:18",
            "D (a shell expands $A) 4:3",
            "E (a shell expands `id`) 5:3",
            "G (it is set in a block only, from line 7 on) 8:5",
            "H \"1\" 10:3",
            "I (it is set only if the command before allows it) 10:10",
            "J \"a b\" 11:3",
            "K (a shell expands ~) 11:11",
            "M \"\" 15:3",
        ]
    );
    let make = "CC := gcc\nCC += -g\nO ?= 2\nall: x\n\tP=1 run\nQ = $(CC)\nifdef R\nS = 1\nendif\nT = a \\\n  b\nU = 1 # c\n";
    assert_eq!(
        read("assignments", make),
        [
            "CC \"gcc -g\" 2:7",
            "O \"2\" 3:6 weak",
            "Q (it is expanded when it is used: $(CC)) 6:5",
            "S (it is set in a block only, from line 7 on) 8:5",
            "T (its value goes on in the next line) 10:5",
            "U \"1\" 12:5",
        ]
    );
    assert_eq!(read("assignments", "A='x\n"), ["1:3 unterminated quote"]);
}

/// What a real shell makes of generated assignments is what is read, or it is said that it is not known.
#[test]
fn agrees_with_a_shell() {
    let mut random = Random(7);
    let folder = tempfile::tempdir().unwrap();
    let pieces = [
        "a", "b c", "'", "\"", "\\", "$X", "${Y:-z}", "#", " ", "=", ";", "~", "*", "é",
        "`echo q`", "|", "\\\"", "''", "\"d e\"", "'f $g'", "\\$", "\t",
    ];
    let (mut agreed, mut unknown) = (0, 0);
    for round in 0..400 {
        let mut script = String::new();
        for name in ["A", "B", "C"] {
            let value: String =
                (0..random.below(5)).map(|_| random.one(&pieces).to_owned()).collect();
            let before = random.one(&["", "export ", "  "]);
            script.push_str(&format!("{before}{name}={value}\n"));
        }
        let file = folder.path().join(format!("{round}.sh"));
        std::fs::write(&file, &script).unwrap();
        // Each value after a mark, and a mark at the end, to see that the shell came so far.
        let asked = format!(". {}; printf '%s\\1' \"$A\" \"$B\" \"$C\" end", file.display());
        let output = Command::new("sh")
            .args(["-fc", &asked])
            .env_clear()
            .env("HOME", "/home/tide")
            .current_dir(folder.path())
            .stdin(Stdio::null())
            .stderr(Stdio::null())
            .output()
            .unwrap();
        let told = String::from_utf8_lossy(&output.stdout).into_owned();
        let values: Vec<&str> = told.split('\u{1}').collect();
        if values.get(3) != Some(&"end") || !output.status.success() {
            continue;
        }
        let mut keys = Keys::default();
        let view = View::whole(named("assignments"));
        let Ok(Seen::Documents(documents)) = view.read(&script, &mut keys, Limits::default())
        else {
            continue;
        };
        let document = &documents[0];
        for (name, expected) in ["A", "B", "C"].iter().zip(values) {
            let Some(leaf) = document.leaves.iter().rposition(|leaf| keys.show(leaf.name) == *name)
            else {
                assert_eq!(expected, "", "{name} in {script}");
                continue;
            };
            match &document.leaves[leaf].value {
                Value::Unread => unknown += 1,
                value => {
                    assert_eq!(value.as_text(), Some(expected), "{name} in {script}");
                    agreed += 1;
                }
            }
        }
    }
    assert!(agreed > 150 && unknown > 50, "{agreed} agreed, {unknown} are not known");
}

#[test]
fn reads_xml() {
    let text = "<?xml version=\"1.0\"?>\n<c>\n  <!-- d --><e f=\"1 &amp; 2\">text</e>\n  <g> h </g><i/>\n  <j k='1'/><j k='2'/>\n  <l><![CDATA[<m>]]></l>\n</c>\n";
    assert_eq!(
        read("xml", text),
        [
            "c.e.\"@f\" \"1 & 2\" 3:19",
            "c.e.\"#text\" \"text\" 3:30",
            "c.g \"h\" 4:7",
            "c.i \"\" 4:17",
            "c.j [{ \"@k\" = \"1\" }, { \"@k\" = \"2\" }] 5:3",
            "c.l \"<m>\" 6:15",
        ]
    );
    assert_eq!(
        read("xml", "<!DOCTYPE a [<!ENTITY b SYSTEM \"file:///etc/passwd\">]><a>&b;</a>"),
        ["1:1 a document type is not read"]
    );
    assert_eq!(read("xml", "<a>&b;</a>")[0].split_once(' ').unwrap().1, "invalid XML");
    assert_eq!(read("xml", "<a><b></a>")[0].split_once(' ').unwrap().1, "invalid XML");
    let deep = format!("{}{}", "<a>".repeat(5000), "</a>".repeat(5000));
    assert!(read("xml", &deep)[0].contains("more than"));
}

/// An edit, and the lines that differ then.
fn edited(name: &str, text: &str, path: &[&str], value: Option<&str>) -> String {
    let steps: Vec<Step> = path.iter().map(|it| Step::Name((*it).to_owned())).collect();
    let view = View::whole(named(name));
    let after = match value {
        Some(value) => view.put(text, &steps, &Value::Text(value.into()), Limits::default()),
        None => view.take_out(text, &steps, false, Limits::default()),
    };
    match after {
        Err(fault) => fault.message,
        Ok(after) => {
            let gone = text.lines().filter(|line| !after.lines().any(|it| it == *line));
            let come = after.lines().filter(|line| !text.lines().any(|it| it == *line));
            let gone = gone.map(|line| format!("-{line}"));
            gone.chain(come.map(|line| format!("+{line}"))).collect::<Vec<_>>().join("|")
        }
    }
}

#[test]
fn edits_the_new_kinds_of_files() {
    let image = "FROM a\nENV A=1 B=2\nENV C=3\nRUN x\n";
    assert_eq!(
        edited("containerfile", image, &["B"], Some("x y")),
        "-ENV A=1 B=2|+ENV A=1 B=\"x y\""
    );
    assert_eq!(edited("containerfile", image, &["D"], Some("4")), "+ENV D=4");
    assert_eq!(edited("containerfile", image, &["C"], None), "-ENV C=3");
    assert!(edited("containerfile", image, &["A"], None).contains("cannot be written"));
    let script = "export A=1 # one\nB='x'\nrun\n";
    assert_eq!(
        edited("assignments", script, &["A"], Some("it's")),
        "-export A=1 # one|+export A='it'\\''s' # one"
    );
    assert_eq!(edited("assignments", script, &["C"], Some("3")), "+C=3");
    assert_eq!(edited("assignments", script, &["B"], None), "-B='x'");
    let vars = "a = 1\nb = { c = \"d\" }\n";
    assert_eq!(edited("hcl", vars, &["a"], Some("${x}")), "-a = 1|+a = \"$${x}\"");
    assert_eq!(
        edited("hcl", vars, &["b", "c"], Some("e")),
        "-b = { c = \"d\" }|+b = { c = \"e\" }"
    );
    assert_eq!(edited("hcl", vars, &["n"], Some("e")), "+n = \"e\"");
    assert_eq!(edited("hcl", vars, &["a"], None), "-a = 1");
    let xml = "<c><e f=\"1\">t</e><g>h</g></c>\n";
    assert_eq!(
        edited("xml", xml, &["c", "e", "@f"], Some("\"<")),
        "-<c><e f=\"1\">t</e><g>h</g></c>|+<c><e f=\"&quot;&lt;\">t</e><g>h</g></c>"
    );
    assert_eq!(
        edited("xml", xml, &["c", "g"], Some("i & j")),
        "-<c><e f=\"1\">t</e><g>h</g></c>|+<c><e f=\"1\">t</e><g>i &amp; j</g></c>"
    );
    assert!(edited("xml", xml, &["c", "n"], Some("i")).contains("cannot be written"));
}

fn part(name: &str, part: Part, text: &str) -> Vec<String> {
    read_part(&View { format: named(name), part: Some(Arc::new(part)) }, text)
}

#[test]
fn ini_files_inherit_gather_and_have_comments_beside_values() {
    let inherit = || Part { inherit: Some("DEFAULT".to_owned()), ..Part::default() };
    // As the parser of Python's standard library has it, but for its section of defaults.
    assert_eq!(
        part("ini", inherit(), "[DEFAULT]\na = 1\nb = 2\n[s]\nb = 3\n[t]\n"),
        [
            "DEFAULT.a \"1\" 2:5",
            "DEFAULT.b \"2\" 3:5",
            "s.b \"3\" 5:5",
            "s.a \"1\" 2:5",
            "t.a \"1\" 2:5",
            "t.b \"2\" 3:5"
        ]
    );
    let comments = || Part { inline_comments: true, ..Part::default() };
    assert_eq!(
        part("ini", comments(), "a = 1 ; one\nb = 2# no\nc = x;y #z\nd = ; all\n"),
        ["a \"1\" 1:5", "b \"2# no\" 2:5", "c \"x;y\" 3:5", "d \"\" 4:4"]
    );
    let gathers = || Part { gathers: true, ..Part::default() };
    assert_eq!(
        part("ini", gathers(), "[S]\nE = a=1\nE = b=2\nF = 1\nF =\nF = 2\nF = 3\n"),
        ["S.E [\"a=1\", \"b=2\"] 2:5", "S.F [\"2\", \"3\"] 4:5"]
    );
}

#[test]
fn tolerant_files_are_read_and_what_is_wrong_is_noted() {
    let noted = |name: &str, text: &str| {
        let part = Part { tolerant: true, ..Part::default() };
        let view = View { format: named(name), part: Some(Arc::new(part)) };
        let mut keys = Keys::default();
        let Ok(Seen::Documents(documents)) = view.read(text, &mut keys, Limits::default()) else {
            return vec!["refused".to_owned()];
        };
        let values = documents[0]
            .leaves
            .iter()
            .map(|leaf| format!("{}={}", keys.show(leaf.name), leaf.value.show()));
        let noted = documents[0].tolerated.iter().map(|(at, what)| format!("{} {what}", at.start));
        values.chain(noted).collect()
    };
    assert_eq!(
        noted("env", "A = 1\nB=2\nB=3\nC\n\u{feff}D= \n"),
        [
            "A=\"1\"",
            "B=\"2\"",
            "B=\"3\"",
            "D=\"\"",
            "1 blanks before `=`",
            "3 blanks after `=`",
            "10 a name is there twice; the later one counts",
            "14 only a name, which sets nothing",
            "16 a byte order mark"
        ]
    );
    assert_eq!(noted("env", "A='x\n"), ["refused"]);
    assert_eq!(
        noted("ini", "[s]\na=1\na=2\n"),
        ["s.a=\"1\"", "s.a=\"2\"", "8 a key is there twice; the later one counts"]
    );
    assert_eq!(noted("properties", "a=1\na=2\n").len(), 3);
    assert_eq!(noted("json", "{\"a\": 1, // b\n}"), ["a=1", "9 JSON has no comments"]);
    assert_eq!(noted("json", "{\"a\": 1,}"), ["a=1", "7 expected another item after the comma"]);
    assert_eq!(noted("json", "{\"a\": }"), ["refused"]);
}
