//! No sentence is false: what is said to decide decides, what is said to be unset is unset, and nothing is
//! called clean that was not looked at.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

mod common;

use common::{Place, Run};
use serde_json::{Value, json};

fn place(layers: &str, files: &[(&str, &str)]) -> Place {
    let text = format!("justwhy = 1\n{layers}");
    let mut all = vec![("justwhy.toml", text.as_str())];
    all.extend(files);
    Place::new(&all)
}

fn answer(run: &Run) -> Value {
    serde_json::from_str(&run.stdout).unwrap_or_else(|error| panic!("{error}: {}", run.all()))
}

/// The effective value of a setting.
fn value(place: &Place, key: &str, variables: &[(&str, &str)]) -> Value {
    let run = place.run_with(&["explain", key, "--output", "json"], variables);
    answer(&run)["settings"][0]["value"].clone()
}

const LAYER: &str = "[[layer]]\nname = \"base\"\nfile = \"a.toml\"\n";
const PROCESS: &str = "[[layer]]\nname = \"process\"\nprocess = true\n";

#[test]
fn a_variable_of_the_shell_means_the_setting_of_an_env_file() {
    let layers = format!("[[layer]]\nname = \"env\"\nfile = \".env\"\n{PROCESS}");
    let place = place(&layers, &[(".env", "MY_VAR=file\n")]);
    let run = place.run_with(&["explain", "my_var"], &[("MY_VAR", "shell")]);
    assert!(run.stdout.starts_with("my_var = \"shell\""), "{}", run.all());
    assert!(!run.stdout.contains("MY_VAR is not set"), "{}", run.all());
    let run = place.run(&["explain", "my_var", "--full"]);
    assert!(run.stdout.starts_with("my_var = \"file\""), "{}", run.all());
    assert!(run.stdout.contains("MY_VAR is not set"), "{}", run.all());
}

#[test]
fn a_setting_that_only_another_context_has_gives_its_name_to_a_variable() {
    let layers = format!(
        "[variables]\nprefix = \"T_\"\n[[axis]]\nname = \"e\"\nallowed = [\"a\", \"b\"]\ndefault = \"a\"\n\
         [[layer]]\nname = \"each\"\nfile = \"{{e}}.toml\"\n{PROCESS}"
    );
    let place = place(&layers, &[("a.toml", "x = 1\n"), ("b.toml", "pool-max = 4\n")]);
    assert_eq!(value(&place, "pool-max", &[("T_POOL_MAX", "9")]), json!("9"));
}

#[test]
fn what_the_shell_says_for_itself_is_no_setting() {
    let place = place(
        &format!("{LAYER}{PROCESS}"),
        &[("a.toml", "path = \"/p\"\nhome = \"/h\"\nlang = \"x\"\n")],
    );
    for (key, expected) in [("path", "/p"), ("home", "/h"), ("lang", "x")] {
        assert_eq!(value(&place, key, &[("HOME", "/root"), ("LANG", "C.UTF-8")]), expected);
    }
}

#[test]
fn a_file_layer_that_is_called_process_is_none() {
    let layers = "[[layer]]\nname = \"process\"\nfile = \"process\"\nformat = \"env\"\n\
        [[layer]]\nname = \"base\"\nvalues = { copy = \"${variable:A}\" }\n";
    let place = place(layers, &[("process", "A=1\n")]);
    let run = place.run(&["explain", "a", "--output", "json"]);
    let said = answer(&run);
    assert_eq!(said["settings"][0]["winner"]["line"], 1, "{}", run.all());
    // Without it the reference still finds what it found.
    let run = place.run_with(&["explain", "a"], &[("A", "shell")]);
    assert!(!run.stdout.contains("the variable A"), "{}", run.all());
    let run = place.run_with(&["suppose", "--drop", "a", "--layer", "process"], &[("A", "shell")]);
    assert!(!run.stdout.contains("copy"), "{}", run.all());
}

#[test]
fn only_a_password_is_called_one() {
    let layers = format!("[setting.size]\ntype = \"integer\"\n{LAYER}");
    let place = place(&layers, &[("a.toml", "size = \"x\"\n")]);
    let run = place.run(&["suppose", "--put", "size=y", "--layer", "base"]);
    assert!(!run.all().contains("password"), "{}", run.all());
}

#[test]
fn numbers_are_the_same_and_are_shown_as_they_are_written() {
    let layers = "[setting.ratio]\ntype = \"number\"\n[[axis]]\nname = \"e\"\nallowed = [\"a\", \"b\"]\n\
        [[layer]]\nname = \"t\"\nfile = \"{e}.toml\"\noptional = true\n\
        [[layer]]\nname = \"v\"\nfile = \"{e}.env\"\noptional = true\n\
        [[layer]]\nname = \"y\"\nfile = \"y.yaml\"\n";
    let yaml = "version: 1.10\nmode: 0644\nexponent: 1e3\nkept: 1.5\n";
    let files = [("a.toml", "ratio = 3\n"), ("b.env", "RATIO=3\n"), ("y.yaml", yaml)];
    let place = place(layers, &files);
    let run = place.run(&["compare", "a", "b", "--expect-same"]);
    assert_eq!(run.code, 0, "{}", run.all());
    let run = place.run(&["launch", "--in", "a", "--", "/bin/sh", "-c", "echo $RATIO"]);
    assert_eq!(run.stdout, "3\n", "{}", run.all());
    for (key, raw, shown) in
        [("version", "1.10", "1.1"), ("mode", "0644", "644"), ("exponent", "1e3", "1000.0")]
    {
        let run = place.run(&["explain", key, "--in", "a", "--output", "json"]);
        assert_eq!(answer(&run)["settings"][0]["candidates"][0]["raw"], raw, "{}", run.all());
        let run = place.run(&["explain", key, "--in", "a"]);
        assert!(run.stdout.contains(&format!("{shown}, written {raw}")), "{}", run.all());
    }
    let run = place.run(&["explain", "kept", "--in", "a", "--output", "json"]);
    assert_eq!(answer(&run)["settings"][0]["candidates"][0].get("raw"), None);
    let run = place.run(&["check"]);
    for line in ["y.yaml:1:10", "y.yaml:2:7", "y.yaml:3:11"] {
        assert!(run.stdout.contains(line), "{line}: {}", run.all());
    }
    assert_eq!(run.stdout.matches("looks-like").count(), 3, "{}", run.all());
}

#[test]
fn what_was_not_looked_at_is_not_called_clean() {
    // Nobody can form the context in which one stands.
    let layers = format!(
        "[[axis]]\nname = \"e\"\nallowed = [\"a\", \"b\"]\n[[never]]\ne = \"a\"\n\
         [[layer]]\nname = \"each\"\nfile = \"{{e}}.toml\"\noptional = true\n{LAYER}"
    );
    let place = place(
        &format!(
            "[setting.x]\ntype = \"integer\"\n[[axis]]\nname = \"job\"\nopen = true\nread = [{{ variable = \"JOB\" }}]\n{layers}[[layer]]\nname = \"job\"\nfile = \"job-{{job}}.toml\"\noptional = true\n"
        ),
        &[("a.toml", "x = 1\n"), ("b.toml", "x = 2\n"), ("job-load.toml", "x = \"bad\"\n")],
    );
    let stand = [("JOB", "load")];
    let here = place.run_with(&["check", "--here", "--in", "e=b"], &stand);
    assert_eq!(here.code, 1, "{}", here.all());
    let all = place.run_with(&["check"], &stand);
    assert_eq!(all.code, 0, "{}", all.all());
    assert!(all.stdout.contains("job=load") && all.stdout.contains("--here"), "{}", all.all());
    let run = place.run_with(&["check", "--output", "json"], &stand);
    assert_eq!(answer(&run)["here_not_checked"]["job"], "load", "{}", run.all());
    // What changes there is told of by every edit.
    let edit = ["put", "x", "3", "--layer", "job", "--in", "b,job=load", "--dry-run"];
    let run = place.run_with(&edit, &stand);
    assert!(!run.stdout.contains("No setting would change in this context"), "{}", run.all());
    assert!(run.stdout.contains("job-load.toml"), "{}", run.all());
    // Nor is it passed over if cannot be read.
    place.file("job-load.toml", b"x = \n");
    let edit = ["put", "x", "3", "--layer", "each", "--in", "b", "--dry-run"];
    let run = place.run_with(&edit, &stand);
    assert!(
        run.all().contains("job-load.toml") || run.all().contains("could not be read"),
        "{}",
        run.all()
    );
    let run =
        place.run_with(&["suppose", "--without", "base", "--everywhere", "--in", "b"], &stand);
    assert_eq!(run.code, 1, "{}", run.all());
    assert!(run.stdout.contains("job=load,e=b cannot be read"), "{}", run.all());
}

#[test]
fn only_contexts_that_change_are_counted() {
    let place = place(
        "[[axis]]\nname = \"e\"\nallowed = [\"a\", \"b\", \"c\", \"d\"]\ndefault = \"a\"\n\
         [[layer]]\nname = \"each\"\nfile = \"{e}.toml\"\noptional = true\n",
        &[("b.toml", "x = 1\n")],
    );
    let run = place.run(&["put", "x", "2", "--layer", "each", "--in", "b", "--dry-run"]);
    assert!(
        run.stdout.contains("in 1 of 4 contexts") || run.stdout.contains("in this context"),
        "{}",
        run.all()
    );
    let run = place.run(&["suppose", "--put", "x=2", "--layer", "each", "--in", "b"]);
    assert!(!run.stdout.contains("in 4 contexts"), "{}", run.all());
}

#[test]
fn an_axis_that_follows_another_one_is_asked_for_truly() {
    let layers = "[[axis]]\nname = \"environment\"\nallowed = [\"dev\", \"prod\", \"lab\"]\ndefault = \"dev\"\n\
        [[axis]]\nname = \"tier\"\nallowed = [\"low\", \"high\"]\n\
        read = [{ axis = \"environment\", map = { dev = \"low\", lab = \"low\", prod = \"high\" } }]\n\
        [[layer]]\nname = \"each\"\nfile = \"{environment}-{tier}.toml\"\noptional = true\n";
    let place = place(layers, &[("prod-high.toml", "x = 1\n")]);
    let run = place.run(&["explain", "x", "--in", "tier=high", "--output", "json"]);
    assert_eq!(
        answer(&run)["context"],
        json!({ "environment": "prod", "tier": "high" }),
        "{}",
        run.all()
    );
    let run = place.run(&["list", "--in", "environment=dev,tier=high"]);
    assert_eq!(run.code, 2);
    assert!(run.stderr.contains("environment=dev gives tier=low"), "{}", run.all());
    let run = place.run(&["list", "--in", "environment=prod,tier=low"]);
    assert_eq!(run.code, 2, "{}", run.all());
    // Several would do, of which default is one.
    let run = place.run(&["list", "--in", "tier=low"]);
    assert_eq!(run.code, 0, "{}", run.all());
    let run = place.run_with(&["list", "--in", "tier=low,environment=prod"], &[]);
    assert_eq!(run.code, 2, "{}", run.all());
}

#[test]
fn a_setting_of_other_contexts_is_absent_here_and_told_of() {
    let layers = "[[axis]]\nname = \"e\"\nallowed = [\"a\", \"b\"]\ndefault = \"a\"\n\
        [[layer]]\nname = \"each\"\nfile = \"{e}.toml\"\n\
        [[layer]]\nname = \"tool\"\nfile = \"t.toml\"\nunder = \"tool.h\"\noptional = true\n";
    let files = [("a.toml", "x = 1\n"), ("b.toml", "height = 1\n"), ("t.toml", "y = 1\n")];
    let place = place(layers, &files);
    let run = place.run(&["explain", "height"]);
    assert_eq!(run.code, 1, "{}", run.all());
    assert!(run.stdout.contains("It is set in e=b."), "{}", run.all());
    let run = place.run(&["explain", "height", "--output", "json"]);
    assert_eq!(answer(&run)["set_in"], json!([{ "key": "height", "contexts": [{ "e": ["b"] }] }]));
    // The others are answered.
    let run = place.run(&["explain", "x", "nothing-at-all"]);
    assert_eq!(run.code, 2);
    assert!(run.stdout.contains("x = 1"), "{}", run.all());
    // Names of all contexts are near, and a section that is missing is named.
    let run = place.run(&["explain", "hieght"]);
    assert_eq!(run.code, 2);
    assert!(run.stderr.contains("height") && run.stderr.contains("tool.h"), "{}", run.all());
    assert_eq!(place.run(&["list", "height"]).code, 0);
    // It is not set where another layer takes it away.
    place.file("b.toml", b"height = 1\n");
    let text = "justwhy = 1\n[[axis]]\nname = \"e\"\nallowed = [\"a\", \"b\", \"c\"]\ndefault = \"a\"\n\
        [[layer]]\nname = \"base\"\nvalues = { height = 1 }\n\
        [[layer]]\nname = \"gone\"\nwhen = { e = [\"a\", \"b\"] }\nfile = \"n.json\"\n";
    place.file("justwhy.toml", text.as_bytes());
    place.file("n.json", b"{\"height\": null}");
    let run = place.run(&["explain", "height"]);
    assert!(run.stdout.contains("It is set in e=c."), "{}", run.all());
}

#[test]
fn what_was_expected_is_found_where_it_is() {
    let layers = "[setting.port]\ntype = \"integer\"\n\
        [[axis]]\nname = \"e\"\nallowed = [\"a\", \"b\"]\ndefault = \"a\"\n\
        [[layer]]\nname = \"base\"\nfile = \"a.toml\"\nunder = \"tool.h\"\n\
        [[layer]]\nname = \"more\"\nfile = \"b.toml\"\n";
    let base = "[tool.h]\nsize = 8\nbase-url = \"x\"\nhost = \"alpha.example\"\n[tool.h.nightly]\nsize = 16\n";
    let more = "baseUrl = \"y\"\nport = \"zz\"\nurl = \"http://${host}:${size}/\"\n";
    let place = place(layers, &[("a.toml", base), ("b.toml", more)]);
    let run = place.run(&["explain", "size", "--expected", "16"]);
    assert!(!run.stdout.contains("outside the section"), "{}", run.all());
    assert!(run.stdout.contains("nightly.size of the section"), "{}", run.all());
    let run = place.run(&["explain", "base-url"]);
    assert!(
        run.stdout.contains("baseUrl (b.toml:1) is set; did you mean base-url?"),
        "{}",
        run.all()
    );
    let run = place.run(&["find", "zz"]);
    assert!(run.stdout.contains("wins in every context, but is invalid there"), "{}", run.all());
    assert!(!run.stdout.contains("in force in none"), "{}", run.all());
    let asked = ["explain", "url", "--expected", "http://alpha.example:16/", "--output", "json"];
    let astray = answer(&place.run(&asked))["expected"]["astray"].clone();
    assert_eq!(
        astray,
        json!([{ "reference": "${size}", "setting": "size", "gives": 8, "wanted": "16" }])
    );
    let run = place.run(&["explain", "url", "--expected", "http://beta.example:9/"]);
    assert!(
        run.stdout.contains("${host} gives \"alpha.example\"")
            && run.stdout.contains("${size} gives 8"),
        "{}",
        run.all()
    );
    assert!(!run.stdout.contains("nowhere"), "{}", run.all());
}

#[test]
fn what_could_not_run_is_said_in_every_form() {
    let place = place(LAYER, &[("a.toml", "x = 1\n")]);
    let run = place.run(&["check", "--output", "junit"]);
    let case =
        run.stdout.split("<testsuite ").find(|case| case.contains("secret-exposed")).unwrap();
    assert!(case.contains("<skipped"), "{case}");
    let run = place.run(&["check", "--output", "sarif"]);
    assert!(run.stdout.contains("git repository"), "{}", run.all());
}

#[test]
fn a_secret_is_asked_for_where_git_does_not_keep_it() {
    let layers = format!(
        "[setting.db_password]\nrequired = true\n{LAYER}[[layer]]\nname = \"env\"\nfile = \".env\"\noptional = true\n{PROCESS}"
    );
    let place = place(&layers, &[("a.toml", "x = 1\n"), (".gitignore", ".env\n")]);
    place.git(&["init", "--quiet"]);
    place.git(&["add", "a.toml"]);
    let run = place.run(&["needs", "--output", "json"]);
    let give = answer(&run)["findings"][0]["give"].clone();
    let layers: Vec<&str> =
        give.as_array().unwrap().iter().map(|it| it["layer"].as_str().unwrap()).collect();
    assert_eq!(layers, ["process", "env"], "{}", run.all());
    let run = place.run(&["check"]);
    assert!(!run.stdout.contains("Only DB_PASSWORD"), "{}", run.all());
}

#[test]
fn values_of_variables_are_texts_whatever_file_they_stand_in() {
    let layers =
        format!("{LAYER}[[layer]]\nname = \"vars\"\nfile = \"v.yaml\"\nnames = \"variables\"\n");
    let place = place(&layers, &[("a.toml", "pool = 10\n"), ("v.yaml", "POOL: \"5\"\n")]);
    assert_eq!(value(&place, "pool", &[]), json!(5));
    let run = place.run(&["check"]);
    assert!(!run.stdout.contains("changes-type"), "{}", run.all());
}

#[test]
fn a_reference_by_a_name_follows_the_rules_of_sources() {
    let layers = format!(
        "[variables]\nprefix = \"APP_\"\nnest = \"_\"\n\
         [[layer]]\nname = \"base\"\nvalues = {{ log_level = \"info\" }}\n\
         [[layer]]\nname = \"env\"\nfile = \"a.env\"\n{PROCESS}"
    );
    let one = place(&layers, &[("a.env", "APP_LOG_LEVEL=debug\nAPP_X=${APP_LOG_LEVEL}\n")]);
    assert_eq!(value(&one, "x", &[]), "debug");
    let layers = format!(
        "[variables]\nprefix = \"T_\"\n[setting.\"pool-max\"]\nvariable = \"POOL_MAX\"\ndefault = 4\n\
         [[layer]]\nname = \"env\"\nfile = \"a.env\"\n{PROCESS}"
    );
    let two = place(&layers, &[("a.env", "T_X=${T_POOL_MAX}\n")]);
    assert_eq!(value(&two, "x", &[("T_POOL_MAX", "9")]), "9");
    let scopes = "justwhy = 1\n[scope.a.variables]\nX = \"${DB_HOST:-localhost}\"\nY = \"${db.host:-localhost}\"\n";
    let layers =
        "[store.hq]\nfile = \"s.toml\"\n[[layer]]\nname = \"s\"\nscope = \"a\"\nstore = \"hq\"\n";
    let three = place(layers, &[("s.toml", scopes)]);
    assert_eq!(
        (value(&three, "x", &[]), value(&three, "y", &[])),
        (json!("localhost"), json!("localhost"))
    );
}

#[test]
fn of_several_names_of_a_map_one_counts() {
    let layers = "[setting.m]\ntype = \"map\"\nformerly = [\"old\"]\n[[layer]]\nname = \"base\"\nfile = \"a.json\"\n";
    let one = place(layers, &[("a.json", "{\"m\":{\"a\":1},\"old\":{\"b\":2}}")]);
    assert_eq!(value(&one, "m", &[]), json!({ "a": 1 }));
    let two = place(layers, &[("a.json", "{\"m\":\"{}\",\"old\":{\"b\":2}}")]);
    assert_eq!(value(&two, "m", &[]), json!({}));
    let layers = "[setting.m]\ntype = \"map\"\n[[layer]]\nname = \"env\"\nfile = \"a.env\"\n";
    let three = place(layers, &[("a.env", "M__B=2\nM={\"a\": 1}\n")]);
    assert_eq!(value(&three, "m", &[]), json!({ "a": 1 }));
    // One that is put together from variables stands where they do.
    let layers = format!("[variables]\nprefix = \"T_\"\n[setting.m]\ntype = \"map\"\n{PROCESS}");
    let four = place(&layers, &[]);
    let run = four.run_with(&["explain", "m"], &[("T_M__A", "1")]);
    assert!(run.stdout.contains("environment variable T_M__A"), "{}", run.all());
}

#[test]
fn what_a_declaration_refuses_is_refused() {
    let choice = "[setting.c]\ntype = \"choice\"\none_of = [\"a\", \"b\"]\n";
    let one = place(&format!("{choice}{LAYER}"), &[("a.toml", "c = [\"a\", \"b\"]\n")]);
    let run = one.run(&["check"]);
    assert!(run.code == 1 && run.stdout.contains("bad-value"), "{}", run.all());
    let size = "[setting.s]\ntype = \"size\"\nmin = 1280\n[setting.t]\ntype = \"size\"\n";
    let two =
        place(&format!("{size}{LAYER}"), &[("a.toml", "s = \"1.25 KiB\"\nt = \"0.125 KiB\"\n")]);
    let run = two.run(&["check"]);
    assert_eq!(run.code, 0, "{}", run.all());
    let run = two.run(&["explain", "t"]);
    assert!(run.stdout.contains("128"), "{}", run.all());
    let list = "[setting.g]\ntype = \"list\"\ngather = \"after\"\nempty = \"error\"\n";
    let three = place(&format!("{list}{LAYER}"), &[("a.toml", "g = \"\"\n")]);
    let run = three.run(&["list"]);
    assert_eq!(run.code, 1, "{}", run.all());
    let four = place("[setting.n]\ntype = \"number\"\ndefault = inf\n", &[]);
    let run = four.run(&["list"]);
    assert!(run.code == 2 && !run.all().contains("inf is a number, not a number"), "{}", run.all());
}

#[test]
fn a_null_under_a_name_that_loses_removes_nothing() {
    let layers = "[setting.l]\ntype = \"list\"\ngather = \"after\"\nformerly = [\"old\"]\n\
        [[layer]]\nname = \"base\"\nvalues = { l = [\"one\"] }\n\
        [[layer]]\nname = \"json\"\nfile = \"a.json\"\n";
    let one = place(layers, &[("a.json", "{\"l\":[\"two\"],\"old\":null}")]);
    assert_eq!(value(&one, "l", &[]), json!(["one", "two"]));
}

#[cfg(unix)]
#[test]
fn a_variable_is_called_what_it_is_called() {
    let layers = format!(
        "[variables]\nprefix = \"T_\"\n[setting.\"\\\"größe\\\"\"]\nvariable = \"T_GRÖßE\"\n{PROCESS}"
    );
    let one = place(&layers, &[]);
    let run = one.run_with(&["explain", "T_GRÖßE", "--output", "json"], &[("T_GRÖßE", "7")]);
    assert_eq!(answer(&run)["settings"][0]["winner"]["name"], "T_GRÖßE", "{}", run.all());
    let run = one.run_with(&["explain", "T_GRÖßE"], &[("T_GRÖßE", "7")]);
    assert!(!run.stdout.contains("\"T_"), "{}", run.all());
}

#[test]
fn what_only_rows_say_can_be_supposed_away() {
    let layers = format!("{LAYER}[[layer]]\nname = \"sites\"\nrows = \"s.csv\"\n");
    let one = place(&layers, &[("a.toml", "x = 1\n"), ("s.csv", "name\nskerry\n")]);
    let run = one.run(&["--in", "row=1", "suppose", "--without", "sites"]);
    assert!(run.code != 2, "{}", run.all());
    assert!(run.stdout.contains("name"), "{}", run.all());
    // Each value of a row is at its own place.
    let text = "a,b\n\"x\ny\",2\n";
    one.file("s.csv", text.as_bytes());
    let run = one.run(&["explain", "b", "--in", "row=1", "--output", "json"]);
    let winner = &answer(&run)["settings"][0]["winner"];
    assert_eq!((&winner["line"], &winner["column"]), (&json!(3), &json!(4)), "{}", run.all());
}
