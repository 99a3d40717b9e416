//! Everything that a project can say about which source decides, on files in a temporary folder.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::Place;
use serde_json::Value;
use std::path::Path;
use std::process::Command;

/// The answer of a command as JSON.
fn json(place: &Place, arguments: &[&str], variables: &[(&str, &str)]) -> Value {
    let run = place.run_with(&[arguments, &["--output", "json"]].concat(), variables);
    assert_ne!(run.code, 2, "{}", run.all());
    serde_json::from_str(&run.stdout).unwrap()
}

/// Every setting in a line: `key=value layer place`.
fn listed(place: &Place, arguments: &[&str], variables: &[(&str, &str)]) -> Vec<String> {
    let answer = json(place, &[&["list"], arguments].concat(), variables);
    let settings = answer["settings"].as_array().unwrap().iter();
    settings
        .map(|setting| {
            let winner = &setting["winner"];
            let place = match winner.get("line") {
                Some(line) => {
                    format!("{}:{line}:{}", winner["source"].as_str().unwrap(), winner["column"])
                }
                None => format!("{} {}", winner["source"].as_str().unwrap(), winner["name"]),
            };
            let value = match (&setting["error"]["code"], &setting["secret"]) {
                (Value::String(code), _) => code.clone(),
                (_, Value::Bool(true)) => "secret".to_owned(),
                _ => setting["value"].to_string(),
            };
            let key = setting["key"].as_str().unwrap();
            format!("{key}={value} {} {place}", winner["layer"].as_str().unwrap())
        })
        .collect()
}

/// What `justwhy` alone says about an axis: its value, where it is from, what was passed over.
fn axis(place: &Place, name: &str, arguments: &[&str], variables: &[(&str, &str)]) -> String {
    let answer = json(place, arguments, variables);
    let axes = answer["axes"].as_array().unwrap();
    let axis = axes.iter().find(|axis| axis["axis"] == name).unwrap();
    let over = axis.get("passed_over").map(Value::to_string).unwrap_or_default();
    format!("{} from {} {over}", axis["value"], axis["from"].as_str().unwrap())
}

fn project(rest: &str) -> String {
    format!("justwhy = 1\n[variables]\nprefix = \"T_\"\n{rest}")
}

#[test]
fn reads_an_axis_from_a_file_and_from_a_variable_of_one() {
    let text = project(
        "[[axis]]\nname = \"environment\"\nallowed = [\"dev\", \"prod\"]\n\
         read = [{ file = \"where\" }, { file = \"ci/where.env\", variable = \"WHERE\" }]\n",
    );
    let place = Place::new(&[("justwhy.toml", &text)]);
    let over = "[\"file not found: where\",\"file not found: ci/where.env\"]";
    assert_eq!(axis(&place, "environment", &[], &[]), format!("null from nothing {over}"));
    place.file("ci/where.env", b"OTHER=x\n\nexport WHERE='prod' # here\n");
    assert_eq!(
        axis(&place, "environment", &[], &[]),
        "\"prod\" from WHERE in ci/where.env:3 [\"file not found: where\"]"
    );
    place.file("where", b"  dev\r\n");
    assert_eq!(axis(&place, "environment", &[], &[]), "\"dev\" from where ");
    place.file("where", b" \n");
    assert!(axis(&place, "environment", &[], &[]).ends_with("[\"where is empty\"]"));
    for (text, expected) in [
        ("prodution", "where: prodution is not allowed for the axis environment"),
        ("../x", "where: invalid value of the axis environment: its text"),
        ("a hidden text", "where: invalid value of the axis environment: its text"),
    ] {
        place.file("where", text.as_bytes());
        let run = place.run(&[]);
        assert_eq!(run.code, 2);
        assert!(run.stderr.contains(expected), "{}", run.stderr);
        assert!(!run.stderr.contains("hidden"), "{}", run.stderr);
    }
    place.file("where", b"");
    place.file("ci/where.env", b"WHERE = prod\n");
    let run = place.run(&[]);
    assert!(run.stderr.contains("ci/where.env:1:6"), "{}", run.stderr);
}

fn git(folder: &Path, arguments: &[&str]) {
    let mut git = Command::new("git");
    git.arg("-C").arg(folder).args(["-c", "user.name=x", "-c", "user.email=x@tide.example"]);
    git.args(arguments).env("GIT_CONFIG_GLOBAL", "/dev/null").env("GIT_CONFIG_SYSTEM", "/dev/null");
    let output = git.output().unwrap();
    assert!(output.status.success(), "{arguments:?}: {output:?}");
}

#[test]
fn reads_an_axis_from_the_git_branch_of_a_real_repository() {
    let text = project(
        "[[axis]]\nname = \"environment\"\nallowed = [\"dev\", \"staging\", \"prod\"]\ndefault = \"dev\"\n\
         read = [{ branch = { main = \"prod\", \"release/*\" = \"staging\", \"**/hot\" = \"prod\" } }]\n",
    );
    let place = Place::new(&[("sub/justwhy.toml", &text)]);
    let asked = |place: &Place| axis(place, "environment", &["--project", "sub"], &[]);
    assert_eq!(asked(&place), "\"dev\" from default [\"no git repository\"]");
    git(place.path(), &["init", "--quiet", "--initial-branch=main"]);
    assert_eq!(asked(&place), "\"prod\" from git branch main ", "before the first commit");
    git(place.path(), &["commit", "--quiet", "--allow-empty", "--message=x"]);
    for (branch, expected) in [
        ("release/7", "\"staging\" from git branch release/7 (release/*) "),
        ("a/b/hot", "\"prod\" from git branch a/b/hot (**/hot) "),
        (
            "release/7.1/x",
            "\"dev\" from default [\"no pattern matches the git branch release/7.1/x\"]",
        ),
    ] {
        git(place.path(), &["checkout", "--quiet", "--force", "-B", "parked"]);
        let _ = std::fs::remove_dir_all(place.path().join(".git/refs/heads/release"));
        git(place.path(), &["checkout", "--quiet", "-B", branch]);
        assert_eq!(asked(&place), expected);
    }
    git(place.path(), &["checkout", "--quiet", "--detach"]);
    let detached = "\"dev\" from default [\"no git branch is checked out (detached head)\"]";
    assert_eq!(asked(&place), detached);
    // Nothing that points git elsewhere, and nothing that a repository could run, has any effect.
    place.file("ran.sh", b"#!/bin/sh\ntouch ran\n");
    git(place.path(), &["config", "core.fsmonitor", "./ran.sh"]);
    let variables = [("GIT_DIR", "/nowhere"), ("GIT_TRACE", "1")];
    assert_eq!(axis(&place, "environment", &["--project", "sub"], &variables), detached);
    assert!(!place.path().join("ran").exists());
}

#[test]
fn says_that_git_cannot_tell_the_branch() {
    let text =
        project("[[axis]]\nname = \"e\"\nopen = true\nread = [{ branch = { main = \"prod\" } }]\n");
    let place = Place::new(&[("justwhy.toml", &text)]);
    place.file(".git/HEAD", b"nonsense");
    let said = axis(&place, "e", &[], &[("PATH", "/nowhere")]);
    assert_eq!(said, "null from nothing [\"git is not installed\"]");
    let said = axis(&place, "e", &[], &[]);
    assert!(said.contains("no git repository") || said.contains("git says"), "{said}");
}

#[test]
fn reads_an_axis_from_the_folder_and_from_another_axis() {
    let text = project(
        "[[axis]]\nname = \"service\"\nallowed = { directories = \"services/*\" }\n\
         read = [{ folder = \"services/*\" }]\n\
         [[axis]]\nname = \"team\"\nopen = true\n\
         read = [{ axis = \"service\", map = { alerts = \"shorewatch\" } }]\n\
         [[never]]\nservice = \"forecast\"\nteam = \"shorewatch\"\n",
    );
    let mut place = Place::new(&[
        ("justwhy.toml", &text),
        ("services/alerts/deep/x", ""),
        ("services/forecast/x", ""),
        ("services/.hidden/x", ""),
        ("services/not a value/x", ""),
    ]);
    assert_eq!(
        axis(&place, "service", &[], &[]),
        "null from nothing [\"not in a folder services/*\"]"
    );
    assert_eq!(axis(&place, "team", &[], &[]), "null from nothing [\"service is unset\"]");
    place.stand_in("services/alerts/deep");
    assert_eq!(axis(&place, "service", &[], &[]), "\"alerts\" from folder services/alerts ");
    assert_eq!(axis(&place, "team", &[], &[]), "\"shorewatch\" from axis service ");
    assert_eq!(axis(&place, "team", &["--in", "team=x"], &[]), "\"x\" from --in ");
    assert_eq!(
        axis(&place, "team", &["--in", "forecast"], &[]),
        "null from nothing [\"no value for service=forecast\"]"
    );
    let run = place.run(&["--in", "service=forcast"]);
    assert!(run.code == 2 && run.stderr.contains("did you mean forecast?"), "{}", run.stderr);
    let run = place.run(&["--in", "service=forecast,team=shorewatch"]);
    assert_eq!(run.code, 2);
    assert!(run.stderr.contains("does not exist"), "{}", run.stderr);
    assert!(run.stderr.contains("justwhy.toml:12:1"), "{}", run.stderr);
}

#[test]
fn reads_files_that_match_in_byte_order_and_files_of_folders_from_above() {
    let text = project(
        "[[layer]]\nname = \"drop-ins\"\nfiles = \"conf.d/**/[0-9]*.*\"\n\
         [[layer]]\nname = \"none\"\nfiles = \"none/*.toml\"\nunder = \"x\"\n\
         [[layer]]\nname = \"folders\"\nfile = \"here.ini\"\nper_directory = true\nlocal = true\n",
    );
    let mut place = Place::new(&[
        ("justwhy.toml", &text),
        ("conf.d/10.toml", "a = 1\nb = 1\n"),
        ("conf.d/9.yaml", "a: 2\n"),
        ("conf.d/sub/20.json", "{\"b\": 3}"),
        ("conf.d/.5.toml", "c = 1\n"),
        ("conf.d/x.toml", "c = 1\n"),
        ("here.ini", "d = root\n"),
        ("one/here.ini", "d = one\n[s]\ne=1\n"),
        ("one/two/x", ""),
    ]);
    assert_eq!(
        listed(&place, &[], &[]),
        [
            "a=2 drop-ins conf.d/9.yaml:1:4",
            "b=3 drop-ins conf.d/sub/20.json:1:7",
            "d=\"root\" folders here.ini:1:5",
        ]
    );
    place.stand_in("one/two");
    assert_eq!(
        listed(&place, &["d", "s"], &[]),
        ["d=\"one\" folders one/here.ini:1:5", "s.e=\"1\" folders one/here.ini:3:3",]
    );
    let run = place.run(&["explain", "d", "--full"]);
    assert!(run.stdout.contains("missing"), "{}", run.stdout);
    assert!(run.stdout.contains("no file matches none/*.toml"), "{}", run.stdout);
    let run = place.run(&["explain", "here.ini:1"]);
    assert!(run.stdout.starts_with("d = "), "also from the project: {}", run.all());
    let run = place.run(&["explain", "there.ini:1"]);
    assert!(run.code == 2 && run.stderr.contains("no layer reads"), "{}", run.all());
    assert!(run.stderr.contains("no other context reads it either"), "{}", run.stderr);
    place.stand_in("one");
    assert!(place.run(&["explain", "here.ini:1"]).stdout.starts_with("d = \"one\""));
    assert!(place.run(&["explain", "./here.ini:3:3"]).stdout.starts_with("s.e = \"1\""));
    let run = place.run(&["explain", "here.ini:9"]);
    assert!(run.stderr.contains("no value begins at line 9"), "{}", run.stderr);
    place.file("conf.d/7", b"");
    place.file("conf.d/8.what", b"");
    let run = place.run(&["list"]);
    assert!(run.code == 2 && run.stderr.contains("conf.d/8.what"), "{}", run.stderr);
}

#[test]
fn reads_a_row_by_an_axis() {
    let text = project(
        "[[axis]]\nname = \"site\"\nopen = true\n\
         [[layer]]\nname = \"csv\"\nrows = \"data/sites.csv\"\ninto = \"gauge.here\"\n\
         [[layer]]\nname = \"lines\"\nrows = \"sites.jsonl\"\naxis = \"site\"\npin = [\"x\"]\n",
    );
    let place = Place::new(&[
        ("justwhy.toml", &text),
        ("data/sites.csv", "name,zero.cm\nskerry,212\nlagoon,184\n"),
        ("sites.jsonl", "{\"x\": 1}\n{\"x\": 2}\n"),
    ]);
    assert_eq!(listed(&place, &[], &[]).len(), 0, "unset: inactive");
    assert_eq!(
        listed(&place, &["--in", "row=2,site=1"], &[]),
        [
            "gauge.here.name=\"lagoon\" csv data/sites.csv:3:1",
            "gauge.here.zero.cm=\"184\" csv data/sites.csv:3:8",
            "x=1 lines sites.jsonl:1:7",
        ]
    );
    for (context, expected) in [
        ("row=3", "data/sites.csv:4:1: error: row 3 not found: the file has 2 rows"),
        ("row=0", "0 is not a row number"),
        ("row=x", "x is not a row number"),
        ("site=9", "sites.jsonl:3:1: error: row 9 not found: the file has 2 rows"),
    ] {
        let run = place.run(&["list", "--in", context]);
        assert_eq!(run.code, 2);
        assert!(run.stderr.contains(expected), "{context}: {}", run.stderr);
    }
    let answer = json(&place, &["find", "lagoon"], &[]);
    assert_eq!(answer["hits"][0]["key"], "gauge.here.name");
    assert_eq!(answer["hits"][0]["takes_effect"][0]["row"], "2");
}

#[test]
fn carries_what_the_catalogue_says_about_names() {
    let text = project(
        "[setting.\"database.url\"]\nvariable = \"DATABASE_URL\"\nformerly = [\"db.url\", \"OLD_URL\"]\n\
         [setting.\"log.level\"]\ndefault = \"info\"\n\
         [setting.\"plain.token\"]\nsecret = false\n\
         [setting.\"site.name\"]\nsecret = true\n\
         [[axis]]\nname = \"e\"\nopen = true\nread = [{ variable = \"DATABASE_URL\" }]\n\
         [[layer]]\nname = \"file\"\nfile = \"a.toml\"\n\
         [[layer]]\nname = \"process\"\nprocess = true\n",
    );
    let place = Place::new(&[
        ("justwhy.toml", &text),
        ("a.toml", "db.url = \"old\"\nplain.token = \"seen\"\nsite.name = \"hidden\"\n"),
    ]);
    assert_eq!(
        listed(&place, &[], &[]),
        [
            "database.url=\"old\" file a.toml:1:10",
            "log.level=\"info\" catalogue justwhy.toml:8:11",
            "plain.token=\"seen\" file a.toml:2:15",
            "site.name=secret file a.toml:3:13",
        ]
    );
    let named = [("OLD_URL", "x"), ("T_DB__URL", "y"), ("DATABASE_URL", "z")];
    for (count, expected) in [(1, "x"), (2, "y"), (3, "z")] {
        let answer = json(&place, &["explain", "database.url"], &named[..count]);
        assert_eq!(answer["settings"][0]["value"], expected, "the better name wins");
    }
    for key in ["db.url", "OLD_URL", "DATABASE_URL", "T_DATABASE__URL"] {
        let run = place.run(&["explain", key]);
        assert!(run.stdout.starts_with("database.url = \"old\""), "{key}: {}", run.all());
        assert!(run.stdout.contains("a former name of the setting"), "{}", run.stdout);
    }
    let answer = json(&place, &["explain", "database.url"], &[]);
    assert_eq!(answer["settings"][0]["candidates"][0]["old_name"], true);
}

#[test]
fn follows_references_and_tells_each_hop() {
    let text = project(
        "[limits]\nread_folders = [\"../keys\"]\n\
         [[axis]]\nname = \"service\"\nallowed = [\"forecast\", \"alerts\"]\n\
         [[axis]]\nname = \"region\"\nallowed = [\"north\"]\n\
         [[never]]\nservice = \"alerts\"\nregion = \"north\"\n\
         [[layer]]\nname = \"file\"\nfile = \"a.toml\"\n\
         [[layer]]\nname = \"by-service\"\nfile = \"{service}.toml\"\noptional = true\n\
         [[layer]]\nname = \"env\"\nfile = \"a.env\"\n\
         [[layer]]\nname = \"off\"\nvalues = { raw = \"${a}\" }\nreferences = false\n",
    );
    let place = Place::new(&[
        ("p/justwhy.toml", &text),
        (
            "p/a.toml",
            "a = 5\nb = \"${a}\"\nc = \"<${a}>\"\nlist = [\"${a}\", \"x${b}\"]\nwhole = \"${list}\"\n\
             part = \"x${list}\"\nmissing = \"${nowhere.at.all}\"\nfall = \"${nowhere:-${c}}\"\n\
             empty = \"\"\nover = \"${empty:-full}\"\nlast = \"$${a} $a $(a)\"\nopen = \"${a\"\n\
             port = \"${host@service=forecast}\"\nhost = \"localhost\"\n\
             bad = \"${host@service=forcast}\"\nnever = \"${host@service=alerts,region=north}\"\n\
             home = \"${variable:T_HOME}\"\nkey = \"${file:../keys/key.txt}\"\n\
             outside = \"${file:../../etc/hostname}\"\nlink = \"${file:link}\"\n\
             branch = \"${db}\"\ndb.x = 1\nround = \"${trip}\"\ntrip = \"${round}\"\n\
             from = \"${api_key}\"\napi_key = \"hunter2\"\nfrom2 = \"x ${from}\"\n\
             number = 3.0\nlong = \"n${number}\"\n",
        ),
        ("p/forecast.toml", "host = \"forecast.tide.example\"\n"),
        ("p/a.env", "T_E=\"${T_A} ${T_HOME:-none}\"\nT_F='${T_A}'\nT_G=\"\\${T_A}\"\n"),
        ("keys/key.txt", "  opens nothing \n"),
        ("secret.txt", "hunter2"),
        // Both folders are in one repository.
        (".git/HEAD", ""),
    ]);
    #[cfg(unix)]
    std::os::unix::fs::symlink("../secret.txt", place.path().join("p/link")).unwrap();
    let answer = json(&place, &["list", "--project", "p"], &[("T_HOME", "here")]);
    let shown: Vec<String> = answer["settings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|setting| {
            let value = setting.get("value").or(setting["error"].get("code"));
            let value = value.map_or("secret".to_owned(), Value::to_string);
            format!("{}={value}", setting["key"].as_str().unwrap())
        })
        .collect();
    assert_eq!(
        shown.join("\n"),
        r#"a=5
api_key=secret
b=5
bad="unresolved-reference"
branch="unresolved-reference"
c="<5>"
db.x=1
e="5 here"
empty=""
f="${T_A}"
fall="<5>"
from=secret
from2=secret
g="${T_A}"
home="here"
host="localhost"
key="opens nothing"
last="${a} $a $(a)"
link="unresolved-reference"
list=[5,"x5"]
long="n3.0"
missing="unresolved-reference"
never="unresolved-reference"
number=3.0
open="unresolved-reference"
outside="unresolved-reference"
over="full"
part="unresolved-reference"
port="forecast.tide.example"
raw="${a}"
round="reference-cycle"
trip="reference-cycle"
whole=[5,"x5"]"#
    );
    let why = |key: &str| {
        let answer = json(&place, &["explain", key, "--project", "p"], &[]);
        answer["settings"][0]["error"]["message"].as_str().unwrap().to_owned()
    };
    for (key, expected) in [
        ("branch", "`${db}`: db is not a setting; it has keys below it"),
        ("open", "unterminated `${`"),
        ("bad", "did you mean forecast?"),
        ("never", "does not exist"),
        ("outside", "`read_folders` under [limits] lists other folders"),
        ("link", "is outside the project's folder"),
        ("part", "`${list}` is a list, which cannot be a part of a string"),
        ("round", "it refers to itself: round → trip → round"),
        ("home", "the environment variable T_HOME is not set"),
    ] {
        assert!(why(key).contains(expected), "{key}: {}", why(key));
    }
    let answer = json(&place, &["explain", "port", "--project", "p"], &[]);
    let hop = &answer["settings"][0]["references"][0];
    assert_eq!(hop["setting"], "host@service=forecast");
    assert_eq!((&hop["source"], &hop["line"]), (&"forecast.toml".into(), &1.into()));
    for key in ["from2", "from", "api_key", "link"] {
        let all = place.run(&["explain", key, "--project", "p"]).all();
        assert!(!all.contains("hunter2"), "{all}");
    }
}

#[test]
fn the_first_reference_in_error_is_told_whatever_was_asked_before() {
    // Those that come first in the list are in circles of which those below them know by then.
    let said = "a = \"${a}\"\nb = \"${a}${b}\"\nc = \"${none}${c}\"\nd = [\"${gone}\", \"${d}\"]\n\
                e = \"${f}${g}\"\nf = \"${e}\"\ng = \"${a}\"\nh = \"${e}${h}\"\n";
    let place = Place::new(&[
        ("justwhy.toml", "justwhy = 1\n[[layer]]\nname = \"l\"\nfile = \"l.toml\"\n"),
        ("l.toml", said),
    ]);
    let answer = json(&place, &["list"], &[]);
    let settings = answer["settings"].as_array().unwrap();
    assert_eq!(settings.len(), 8);
    for setting in settings {
        let key = setting["key"].as_str().unwrap();
        let alone = json(&place, &["explain", key], &[]);
        assert_eq!(setting["error"], alone["settings"][0]["error"], "{key}");
    }
    let message = |at: usize| settings[at]["error"]["message"].as_str().unwrap();
    assert_eq!(message(1), "it refers to a: it refers to itself: a → a");
    assert!(message(2).starts_with("`${none}`"), "{}", message(2));
    assert!(message(3).starts_with("`${gone}`"), "{}", message(3));
    assert_eq!(message(4), "it refers to itself: e → f → e");
    assert_eq!(message(7), "it refers to e: it refers to itself: e → f → e");
}

#[test]
fn a_setting_in_error_never_shows_a_weaker_value_as_its_own() {
    let text = project(
        "[[layer]]\nname = \"weak\"\nvalues = { a = \"weak\", l = [1] }\n\
         [[layer]]\nname = \"strong\"\nvalues = { a = \"${none}\", l = 5 }\n\
         [setting.l]\ngather = \"after\"\n[setting.e]\nempty = \"error\"\ndefault = \"\"\n",
    );
    let place = Place::new(&[("justwhy.toml", &text)]);
    assert_eq!(
        listed(&place, &[], &[]),
        [
            "a=unresolved-reference strong justwhy.toml:9:16",
            "e=bad-value catalogue justwhy.toml:14:11",
            "l=bad-value strong justwhy.toml:9:31",
        ]
    );
    assert_eq!(place.run(&["list"]).code, 1);
    let run = place.run(&["explain", "a"]);
    assert_eq!(run.code, 1);
    assert!(run.stdout.starts_with("a is invalid"), "{}", run.stdout);
    assert!(run.stdout.contains("No weaker value is used instead"), "{}", run.stdout);
}

#[test]
fn says_in_fields_what_it_says_in_sentences() {
    let text = project(
        "[[axis]]\nname = \"e\"\nallowed = [\"x\", \"y\"]\ndefault = \"x\"\n\
         [[layer]]\nname = \"base\"\nvalues = { a.b = 1, n = 1 }\n\
         [[layer]]\nname = \"rule\"\nvalues = { a.b = 2 }\npin = [\"a.*\"]\n\
         [[layer]]\nname = \"off\"\nvalues = { a.b = 9 }\nwhen = { e = \"y\" }\n\
         [[layer]]\nname = \"mine\"\nvalues = { a.b = 3, n = 2 }\nlocal = true\n\
         [[layer]]\nname = \"clear\"\nvalues = {}\nremove = [\"n\"]\n\
         [[layer]]\nname = \"process\"\nprocess = true\n",
    );
    let place = Place::new(&[("justwhy.toml", &text)]);
    let answer = json(&place, &["explain", "a.b"], &[]);
    let setting = &answer["settings"][0];
    let blocked = &setting["candidates"][0];
    assert_eq!(blocked["verdict"], "blocked");
    assert_eq!(blocked["rule"], "pin");
    assert_eq!(blocked["by"]["layer"], "rule");
    assert_eq!(blocked["by"]["line"], 13);
    assert_eq!((&blocked["rank"], &blocked["local"]), (&4.into(), &true.into()));
    assert_eq!(setting["candidates"][1]["pins"], true);
    assert_eq!(setting["without"]["layer"], "mine");
    let off = setting["layers"].as_array().unwrap().iter().find(|it| it["layer"] == "off");
    let off = off.unwrap();
    assert_eq!(off["inactive"]["axis"], "e");
    assert_eq!(off["inactive"]["values"][0], "y");
    let answer = json(&place, &["explain", "n"], &[("T_N", "7")]);
    let candidates = &answer["settings"][0]["candidates"];
    assert_eq!(candidates[0]["verdict"], "wins");
    assert_eq!(candidates[1]["rule"], "remove");
    assert_eq!(candidates[1]["name"], "n");
    assert!(candidates[1].get("written").is_none());
    assert_eq!(candidates[2]["by"]["layer"], "clear");
    assert_eq!(answer["settings"][0]["value"], 7, "what was overridden before gives a type");
}

#[test]
fn tells_where_something_expected_stands() {
    let text = project(
        "[[axis]]\nname = \"e\"\nallowed = [\"x\", \"y\"]\ndefault = \"x\"\n\
         [[layer]]\nname = \"base\"\nfile = \"a.toml\"\nunder = \"main\"\n\
         [[layer]]\nname = \"off\"\nvalues = { level = 9 }\nwhen = { e = \"y\" }\n\
         [[layer]]\nname = \"never\"\nvalues = { level = 8 }\nwhen = { e = \"x\" }\nunless = { e = \"x\" }\n\
         [[layer]]\nname = \"process\"\nprocess = true\nempty = \"unset\"\n",
    );
    let place = Place::new(&[
        ("justwhy.toml", &text),
        ("a.toml", "[main]\nlevel = 1\n[other]\nlevel = 5\n"),
    ]);
    let variables = [("T_LEVLE", "6"), ("LEVEL", "7")];
    let expected = |text: &str, variables: &[(&str, &str)]| {
        let answer = json(&place, &["explain", "level", "--expected", text], variables);
        let expected = &answer["expected"];
        let Some(first) = expected["found"].get(0) else {
            return format!("met {} {}", expected["is_met"], expected["searched"]);
        };
        let steps: Vec<&str> = first["steps"]
            .as_array()
            .unwrap()
            .iter()
            .map(|step| step["step"].as_str().unwrap())
            .collect();
        format!("{}: {}", first["how"].as_str().unwrap(), steps.join("; "))
    };
    for (text, answer) in [
        ("9", "in-force-elsewhere: ask with --in e=y"),
        ("8", "inactive: let the layer never apply here (justwhy.toml:17:8)"),
        ("6", "near-name: rename the environment variable T_LEVLE to T_LEVEL"),
        ("7", "near-name: rename the environment variable LEVEL to T_LEVEL"),
        ("5", "outside-section: set main.level to 5 at a.toml:2:9"),
        ("off", "in-force-elsewhere: ask with --in e=y"),
        ("base", "met true"),
        ("a.toml", "met true"),
        ("1", "met true"),
    ] {
        let said = expected(text, &variables);
        assert!(said.starts_with(answer), "{text}: {said}");
    }
    assert_eq!(
        expected("", &[("T_LEVEL", "")]),
        "empty: set empty = \"value\" for the layer process"
    );
    let nowhere = expected("77", &[]);
    assert_eq!(
        nowhere,
        "met false {\"candidates\":1,\"contexts\":1,\"inactive_layers\":[\"never\",\"off\"],\"sources\":3}"
    );
    let run = place.run(&["explain", "level", "--expected", "77"]);
    assert!(run.stdout.contains("no layer sets it in any context"), "{}", run.stdout);
    assert!(run.stdout.contains("1 candidate here, 1 other context"), "{}", run.stdout);
    let run = place.run(&["explain", "**", "--expected", "1", "--set", "other=1"]);
    assert!(run.code == 2 && run.stderr.contains("a single one is needed"), "{}", run.stderr);
    let run = place.run(&["explain", "level", "--expected", "1", "--expected", "2"]);
    assert_eq!(run.code, 2, "{}", run.all());
}

#[test]
fn compares_no_secret_with_what_is_expected_or_looked_for() {
    let text = project(
        "[[axis]]\nname = \"e\"\nallowed = [\"x\", \"y\"]\ndefault = \"x\"\n\
         [[layer]]\nname = \"weak\"\nvalues = { api_key = \"hunter2\", url = \"a://u:hunter2@h.example\" }\n\
         [[layer]]\nname = \"strong\"\nvalues = { api_key = \"hunter3\", url = \"b\", api_kez = \"hunter2\" }\n\
         [[layer]]\nname = \"y\"\nvalues = { api_key = \"hunter4\" }\nwhen = { e = \"y\" }\n\
         [[layer]]\nname = \"process\"\nprocess = true\n",
    );
    let place = Place::new(&[("justwhy.toml", &text)]);
    let variables = [("T_API_KYE", "hunter5"), ("T_PLAIN", "${api_key}")];
    for text in ["hunter2", "hunter3", "hunter4", "hunter5"] {
        for key in ["api_key", "url"] {
            let arguments = ["explain", key, "--expected", text, "--output", "json"];
            let run = place.run_with(&arguments, &variables);
            let answer: Value = serde_json::from_str(&run.stdout).unwrap();
            assert_eq!(answer["expected"]["found"].as_array().unwrap().len(), 0, "{}", run.stdout);
            assert_eq!(answer["expected"]["is_met"], false);
        }
        let run = place.run_with(&["find", text], &variables);
        assert_eq!(run.code, 1, "{}", run.all());
        let run = place.run_with(&["find", &text[..5]], &variables);
        assert_eq!(run.code, 1, "{}", run.all());
    }
    let twice =
        ["--set=url=c", "explain", "url", "--expected", "a://u:***@h.example", "--output", "json"];
    let run = place.run_with(&twice, &variables);
    assert!(run.stdout.contains("\"act\":\"write\""), "{}", run.stdout);
    assert!(!run.all().contains("hunter"), "{}", run.all());
    for layer in ["weak", "y"] {
        for form in ["text", "json"] {
            let arguments = ["explain", "api_key", "--expected", layer, "--output", form];
            let run = place.run_with(&arguments, &variables);
            assert!(!run.all().contains("hunter"), "{}", run.all());
            assert!(run.stdout.contains(layer), "{}", run.stdout);
        }
    }
}

#[test]
fn finds_values_in_every_context_with_where_they_take_effect() {
    let demo = Place::demo();
    let answer = json(&demo, &["find", "140"], &[]);
    let hit = &answer["hits"][0];
    assert_eq!(hit["key"], "alert.threshold_cm");
    assert_eq!((&hit["source"], &hit["line"]), (&"settings/regions/north.json".into(), &3.into()));
    let contexts = hit["takes_effect"].as_array().unwrap();
    assert!(contexts.len() > 10 && contexts.iter().all(|it| it["region"] == "north"));
    assert_eq!(answer["contexts"], 121);
    let run = demo.run(&["explain", "settings/regions/south.json:2"]);
    assert!(run.stderr.contains("it is read with --in region=south"), "{}", run.stderr);
    let arguments = ["explain", "collector.gauges.x", "--expected", "1"];
    assert!(demo.run(&arguments).stderr.contains("no other context has it either"));
    let run = demo.run(&["explain", "alert.treshold_cm", "--expected", "90"]);
    assert!(
        run.stderr.contains("it has this value with --in region=south: by-region"),
        "{}",
        run.stderr
    );
    let run = demo.run(&["find", "140", "--in", "production,alerts,row="]);
    assert!(run.stdout.contains("takes effect in region=north"), "{}", run.stdout);
    assert!(run.stdout.contains("searched 2 contexts and the current one"), "{}", run.stdout);
    let run = demo.run(&["find", "120", "--in", "production,north"]);
    assert!(run.stdout.contains("never takes effect"), "{}", run.stdout);
    let run = demo.run(&["find", "forecast.tide.example:8443"]);
    assert!(run.stdout.contains("made by references or conversion"), "{}", run.stdout);
    let run = demo.run(&["find", "no such value"]);
    assert_eq!((run.code, run.stderr.as_str()), (1, ""));
    assert_eq!(demo.run(&["find", ""]).code, 2);
    let run = demo.run_with(&["find", "from-here"], &[("TIDE_WEB__X", "from-here")]);
    assert!(run.stdout.contains("; local layer"), "{}", run.stdout);
}

#[test]
fn says_of_a_pattern_that_it_takes_away_and_of_too_many_contexts_that_none_was_looked_at() {
    let text = project(
        "[[axis]]\nname = \"e\"\nallowed = [\"x\", \"y\"]\ndefault = \"x\"\n\
         [setting.\"level.szie\"]\nsecret = true\n[setting.\"level.size\"]\nsecret = false\n\
         [[layer]]\nname = \"one\"\nvalues = { level.size = 1, level.szie = \"hunter2\" }\n\
         [[layer]]\nname = \"rows\"\nrows = \"rows.jsonl\"\n\
         [[layer]]\nname = \"off\"\nvalues = {}\nremove = [\"level.size\"]\nwhen = { e = \"x\" }\n",
    );
    let rows = "{\"level\": {\"size\": 7}}\n".repeat(6_000);
    let place = Place::new(&[("justwhy.toml", &text), ("rows.jsonl", &rows)]);
    let run = place.run(&["explain", "level.size", "--expected", "off"]);
    assert!(run.stdout.contains("off removes level.size ("), "{}", run.stdout);
    assert!(!run.stdout.contains("secret"), "{}", run.stdout);
    let run = place.run(&["explain", "level.size", "--expected", "hunter2"]);
    assert!(run.stdout.contains("no layer sets it in any context"), "{}", run.stdout);
    assert!(run.stdout.contains("too many other contexts"), "{}", run.stdout);
    let arguments = ["explain", "level.size", "--expected", "hunter2", "--output", "json"];
    let answer: Value = serde_json::from_str(&place.run(&arguments).stdout).unwrap();
    assert_eq!(answer["expected"]["searched"]["too_many_contexts"], true);
    let fixed = ["explain", "level.size", "--expected", "5", "--in", "e=x,row="];
    let run = place.run(&fixed);
    assert!(run.stdout.contains("no layer sets it in any context"), "{}", run.stdout);
    assert!(!run.stdout.contains("too many other contexts"), "{}", run.stdout);
}

#[test]
fn stops_at_what_is_too_large_to_go_through() {
    let axes: String = (0..9)
        .map(|axis| {
            format!(
                "[[axis]]\nname = \"a{axis}\"\nallowed = [\"x{axis}\", \"y{axis}\", \"z{axis}\"]\n"
            )
        })
        .collect();
    let place = Place::new(&[(
        "justwhy.toml",
        &project(&format!("{axes}[[layer]]\nname = \"v\"\nvalues = {{ a = 1 }}\n")),
    )]);
    let run = place.run(&["find", "1"]);
    assert!(run.code == 2 && run.stderr.contains("more than 10000 contexts"), "{}", run.stderr);
    let run = place.run(&["find", "1", "--in", "x0,x1,x2,x3,x4"]);
    assert!(run.stdout.contains("searched 81 contexts"), "{}", run.all());
}

#[test]
fn reads_a_map_as_one_leaf() {
    let place = Place::new(&[
        (
            "justwhy.toml",
            &project(
                "[setting.labels]\ntype = \"map\"\ndefault = { a = 1 }\n\
                 [[layer]]\nname = \"one\"\nfile = \"one.yaml\"\n\
                 [[layer]]\nname = \"two\"\nfile = \"two.toml\"\n\
                 [[layer]]\nname = \"process\"\nprocess = true\n",
            ),
        ),
        ("one.yaml", "labels:\n  b: {c: 1}\n  d: [1]\n  e: {}\n  f:\nother: 1\n"),
        ("two.toml", "other = 2\n[labels]\nz = \"${other}\"\n\"x.y\" = true\n"),
    ]);
    let list = |variables: &[(&str, &str)]| listed(&place, &[], variables);
    assert_eq!(list(&[])[0], r#"labels={"x.y":true,"z":2} two two.toml:2:1"#);
    let variables = [("T_LABELS", r#"{"q": {"r": null}}"#)];
    assert_eq!(list(&variables)[0], r#"labels={"q":{"r":null}} process process "T_LABELS""#);
    let run = place.run(&["explain", "labels"]);
    let expected = "one { \"b\" = { \"c\" = 1 }, \"d\" = [1], \"e\" = {  }, \"f\" = null }";
    let one_line = run.stdout.split_whitespace().collect::<Vec<_>>().join(" ");
    let expected = expected.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(one_line.contains(&format!("overrides {expected}")), "{}", run.all());
    assert!(one_line.contains("Without two it would be"), "{}", run.all());
    let run = place.run(&["explain", "labels.z"]);
    assert!(run.stderr.contains("labels is a table with one value as a whole"), "{}", run.all());
    for wanted in ["5", "one", "one.yaml", "process"] {
        assert_ne!(place.run(&["explain", "labels", "--expected", wanted]).code, 101);
    }
}

#[test]
fn tells_nobody_to_set_a_variable_that_no_shell_takes() {
    let text = project(
        "[[layer]]\nname = \"all\"\nvalues = { \"tide level\" = 1, height = 2 }\n\
         [[layer]]\nname = \"deployment\"\nfile = \"deploy.env\"\n\
         [[layer]]\nname = \"process\"\nprocess = true\n",
    );
    let place = Place::new(&[("justwhy.toml", &text), ("deploy.env", "")]);
    let ways = |key: &str| -> Vec<String> {
        let answer = json(&place, &["explain", key], &[]);
        let ways = answer["settings"][0]["change"].as_array().unwrap().iter();
        ways.map(|way| way["write"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(ways("height"), ["height", "T_HEIGHT=…", "T_HEIGHT=…", "--set height=…"]);
    assert_eq!(ways("\"tide level\""), ["\"tide level\"", "--set \"tide level\"=…"]);
}

#[test]
fn shows_what_a_layer_sets_that_does_not_apply_here() {
    let layers = "[[axis]]\nname = \"environment\"\nallowed = [\"dev\", \"prod\"]\n\
                  [[axis]]\nname = \"region\"\nallowed = [\"north\", \"south\"]\n\
                  [[layer]]\nname = \"defaults\"\nfile = \"defaults.toml\"\n\
                  [[layer]]\nname = \"mine\"\nfile = \"mine.toml\"\nwhen = { environment = \"dev\" }\n\
                  [[layer]]\nname = \"not-prod\"\nfile = \"not-prod.toml\"\nunless = { environment = \"prod\" }\n\
                  [[layer]]\nname = \"empty\"\nfile = \"empty.toml\"\nwhen = { environment = \"dev\" }\n\
                  [[layer]]\nname = \"by-region\"\nfile = \"{region}.toml\"\noptional = true\n";
    let place = Place::new(&[
        ("justwhy.toml", &project(layers)),
        ("defaults.toml", "pool = 1\n"),
        ("mine.toml", "other = 1\npool = 2\nkey.password = \"hidden-word\"\n"),
        ("not-prod.toml", "pool = 3\n"),
        ("empty.toml", ""),
        ("north.toml", "pool = 4\n"),
    ]);
    let run = place.run(&["explain", "pool", "--in", "prod"]);
    assert!(run.stdout.starts_with("pool = 1\n"), "{}", run.all());
    for line in [
        "not here  mine  mine.toml:2:8 sets it, but applies only to environment=dev\n",
        "not here  not-prod  not-prod.toml:1:8 sets it, but does not apply to environment=prod\n",
        "2 other layers do not set it; 2 more do not apply here (details: --full)",
    ] {
        assert!(run.stdout.contains(line), "{line}{}", run.all());
    }
    let answer = json(&place, &["explain", "pool", "--in", "prod"], &[]);
    let not_here = answer["not_here"].as_array().unwrap();
    assert_eq!(not_here.len(), 2, "{answer}");
    assert_eq!(not_here[1]["layer"], "mine");
    assert_eq!(not_here[1]["line"], 2);
    assert_eq!(not_here[1]["because"], "applies only to environment=dev");
    // The value itself stays where it is, and no context is needed to see all of them.
    let full = place.run(&["explain", "pool", "--in", "prod", "--full"]);
    assert!(
        full.stdout.contains("in all contexts\n    4  region=north  by-region\n"),
        "{}",
        full.all()
    );
    assert!(
        full.stdout.contains("    1  environment=prod,region=south  defaults\n    3  environment=dev,region=south  not-prod\n"),
        "{}",
        full.all()
    );
    // Where they apply they are candidates like any other.
    let here = place.run(&["explain", "pool", "--in", "dev"]);
    assert!(
        here.stdout.starts_with("pool = 3\n") && !here.stdout.contains("sets it, but"),
        "{}",
        here.all()
    );
}

#[test]
fn a_misspelt_key_leads_to_the_declared_one() {
    let layers = "catalogue = [\"catalogue.toml\"]\n\
                  [[axis]]\nname = \"region\"\nallowed = [\"north\", \"south\"]\n\
                  [[layer]]\nname = \"by-region\"\nfile = \"{region}.toml\"\noptional = true\n";
    let text = format!("justwhy = 1\n{layers}");
    let place = Place::new(&[
        ("justwhy.toml", &text),
        ("catalogue.toml", "justwhy = 1\n[setting.\"alert.threshold_cm\"]\ntype = \"integer\"\n"),
        ("north.toml", "[alert]\ntreshold_cm = 90\n"),
    ]);
    let run = place.run(&["explain", "alert.treshold_cm", "--in", "south"]);
    assert_eq!(run.code, 1, "{}", run.all());
    assert!(
        run.stdout.contains("It is not declared; did you mean alert.threshold_cm?"),
        "{}",
        run.all()
    );
    assert!(run.stdout.contains("justwhy explain alert.threshold_cm\n"), "{}", run.all());
    assert!(!run.stdout.contains("justwhy put"), "{}", run.all());
}
