//! Settings in source code: where they are used, what is wrong with them, the fallbacks, and settings modules.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::Place;
use serde_json::Value;

const PROJECT: &str = "justwhy = 1\n[variables]\nprefix = \"TIDE_\"\n[code]\n\
    [[layer]]\nname = \"defaults\"\nfile = \"defaults.toml\"\n\
    [[layer]]\nname = \"process\"\nprocess = true\n";

const DEFAULTS: &str =
    "[alert]\nthreshold_cm = 100\n[database]\nhost = \"db.tide.example\"\npool = 10\n";

/// The findings of rules about code: `rule key place`.
fn findings(place: &Place) -> Vec<String> {
    const RULES: [&str; 6] = [
        "unused-setting",
        "read-not-declared",
        "hard-coded",
        "secret-in-code",
        "defaults-disagree",
        "missing-required",
    ];
    let run = place.run(&["check", "--output", "json"]);
    assert_ne!(run.code, 2, "{}", run.all());
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let told = |finding: &Value| {
        let rule = finding["rule"].as_str().unwrap();
        let at = &finding["places"][0];
        let line = at.get("line").map(|line| format!(":{line}")).unwrap_or_default();
        let place = at["source"].as_str().unwrap_or("-");
        let severity = &finding["severity"].as_str().unwrap()[..1];
        let key = finding["key"].as_str().unwrap();
        RULES.contains(&rule).then(|| format!("{severity} {rule} {key} {place}{line}"))
    };
    let mut all: Vec<String> =
        answer["findings"].as_array().unwrap().iter().filter_map(told).collect();
    all.sort();
    all
}

fn uses(place: &Place, arguments: &[&str]) -> Vec<String> {
    let run = place.run(&[&["uses", "--output", "json"], arguments].concat());
    assert_ne!(run.code, 2, "{}", run.all());
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let told = |setting: &Value| {
        let shown = setting["uses"].as_array().unwrap().iter().map(|it| {
            let by = it["by"].as_str().unwrap();
            format!("{}:{}:{} {by}", it["source"].as_str().unwrap(), it["line"], it["column"])
        });
        format!("{}: {}", setting["key"].as_str().unwrap(), shown.collect::<Vec<_>>().join(", "))
    };
    answer["settings"].as_array().unwrap().iter().map(told).collect()
}

#[test]
fn lists_every_place_that_mentions_a_setting_and_those_that_nothing_mentions() {
    let place = Place::new(&[
        ("justwhy.toml", PROJECT),
        ("defaults.toml", DEFAULTS),
        (
            "src/a.py",
            "LEVEL = os.environ[\"TIDE_ALERT__THRESHOLD_CM\"]\nx = TIDE_ALERT__THRESHOLD_CMS\n",
        ),
        ("src/b.ts", "// é\nconst a = \"é\" + config.get('alert.threshold_cm');\n"),
        ("bin.dat", "\0TIDE_DATABASE__HOST"),
    ]);
    assert_eq!(
        uses(&place, &[]),
        [
            "database.host: ",
            "database.pool: ",
            "alert.threshold_cm: src/a.py:1:21 variable, src/b.ts:2:29 key",
        ]
    );
    let run = place.run(&["uses"]);
    assert!(run.stdout.starts_with("code does not mention 2 of 3 settings\n"), "{}", run.all());
    assert!(run.stdout.contains("not 1 file that is not text"), "{}", run.all());
    let run = place.run(&["uses", "database.host"]);
    assert_eq!((run.code, run.stdout.lines().next()), (1, Some("no code mentions database.host")));
    let run = place.run(&["uses", "alert"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert!(run.stdout.contains("src/b.ts:2:29"), "{}", run.all());
    let run = place.run(&["uses", "--output", "sarif"]);
    let log: Value = serde_json::from_str(&run.stdout).unwrap();
    assert_eq!(log["runs"][0]["results"].as_array().unwrap().len(), 2);
    let schema = include_str!("../../reports/tests/data/sarif-2.1.0.json");
    let schema: Value = serde_json::from_str(schema).unwrap();
    assert!(jsonschema::draft7::new(&schema).unwrap().is_valid(&log));
    assert_eq!(place.run(&["uses", "--output", "junit"]).code, 2);
    assert_eq!(place.run(&["uses", "no.such"]).code, 2);
}

#[test]
fn explains_where_a_setting_is_used_only_if_the_project_has_its_code_searched() {
    let place = Place::new(&[
        ("justwhy.toml", PROJECT),
        ("defaults.toml", DEFAULTS),
        ("tests/a.py", "TIDE_DATABASE__POOL\n"),
        ("src/a.py", "TIDE_DATABASE__POOL\n\nTIDE_DATABASE__POOL\n"),
    ]);
    let run = place.run(&["explain", "database.pool"]);
    assert!(run.stdout.contains("  Used by src/a.py:1 and 2 more places.\n"), "{}", run.all());
    let run = place.run(&["explain", "database.host"]);
    assert!(run.stdout.contains("  No code mentions it.\n"), "{}", run.all());
    place.file("justwhy.toml", PROJECT.replace("[code]\n", "").as_bytes());
    let run = place.run(&["explain", "database.pool"]);
    assert!(!run.stdout.contains("Used by"), "{}", run.all());
    assert_eq!(findings(&place), [] as [&str; 0]);
    // `uses` asks for it.
    assert_eq!(uses(&place, &["database.pool"]).len(), 1);
}

#[test]
fn reports_what_is_wrong_with_settings_in_code() {
    let place = Place::new(&[
        ("justwhy.toml", PROJECT),
        ("defaults.toml", &format!("{DEFAULTS}password = \"Xk29!hdWq0\"\n")),
        (
            "src/a.py",
            "a = os.environ[\"TIDE_ALERT__TRESHOLD_CM\"]\nb = os.environ.get('TIDE_SURGE', '1')\n\
             host = \"db.tide.example\"\nlogin(\"Xk29!hdWq0\")\n# db.tide.example and TIDE_OLD\n\
             settings = {\"database.pool\": 10}\n",
        ),
        ("src/b.py", "host = os.environ.get('TIDE_DATABASE__HOST', 'db.tide.example')\n"),
        ("tests/test_a.py", "TIDE_ONLY_HERE = 'db.tide.example'\n"),
        ("README.md", "Set TIDE_DOCUMENTED, or use db.tide.example.\n"),
    ]);
    assert_eq!(
        findings(&place),
        [
            "e read-not-declared TIDE_ALERT__TRESHOLD_CM src/a.py:1",
            "e secret-in-code database.password src/a.py:4",
            "n unused-setting alert.threshold_cm defaults.toml:2",
            "n unused-setting database.password defaults.toml:6",
            "w hard-coded database.host src/a.py:3",
            "w hard-coded database.pool src/a.py:6",
            "w read-not-declared TIDE_SURGE src/a.py:2",
        ]
    );
    for form in ["text", "json", "sarif", "junit"] {
        let run = place.run(&["check", "--full", "--output", form]);
        assert!(!run.all().contains("Xk29"), "{}", run.all());
    }
    // What reads the key above a setting may read the setting.
    place.file("src/c.py", b"config.get('alert')\nclass database: pass\n");
    let found = findings(&place);
    assert!(!found.iter().any(|it| it.contains("unused-setting alert")), "{found:?}");
    let run = place.run(&["check", "--full"]);
    let hint =
        "no code mentions database.password; it may be read through database, which is mentioned";
    assert!(run.stdout.contains(hint), "{}", run.all());
}

#[test]
fn ignored_files_and_folders_are_not_searched() {
    let project = PROJECT.replace(
        "[code]\n",
        "[code]\nfolders = [\"src\", \"services/*\"]\nignore = [\"src/old\", \"**/*.gen.py\"]\nsamples = [\"src/drill/**\"]\n",
    );
    let text = "TIDE_DATABASE__POOL\n'db.tide.example'\n";
    let place = Place::new(&[
        ("justwhy.toml", &project),
        ("defaults.toml", DEFAULTS),
        ("src/a.py", "TIDE_DATABASE__POOL\n"),
        ("src/b.gen.py", text),
        ("src/old/c.py", text),
        ("src/drill/d.py", text),
        ("src/tests/e.py", text),
        ("services/x/f.py", text),
        ("other/g.py", text),
        ("src/.ignore", "hidden.py\n"),
        ("src/hidden.py", text),
    ]);
    let expected = "database.pool: services/x/f.py:1:1 variable, src/a.py:1:1 variable, \
                    src/drill/d.py:1:1 variable, src/tests/e.py:1:1 variable";
    assert_eq!(uses(&place, &["database.pool"]), [expected]);
    // A test is a program where the project lists its samples itself.
    let hard: Vec<String> =
        findings(&place).into_iter().filter(|it| it.contains("hard-coded")).collect();
    assert_eq!(
        hard,
        [
            "w hard-coded database.host services/x/f.py:2",
            "w hard-coded database.host src/tests/e.py:2"
        ]
    );
    place.git(&["init", "--quiet"]);
    place.file(".gitignore", b"services/\n");
    let run = place.run(&["uses", "database.pool"]);
    assert!(!run.stdout.contains("services/x"), "{}", run.all());
    assert!(run.stdout.contains("that git does not ignore"), "{}", run.all());
}

#[cfg(unix)]
#[test]
fn nothing_outside_of_the_project_is_searched() {
    let outside = Place::new(&[("secret.py", "TIDE_DATABASE__POOL\n")]);
    let place = Place::new(&[
        ("justwhy.toml", PROJECT),
        ("defaults.toml", DEFAULTS),
        ("src/a.py", "TIDE_DATABASE__POOL\n"),
        ("linked/secret.py", "nothing\n"),
    ]);
    place.git(&["init", "--quiet"]);
    place.git(&["add", "-A"]);
    // git has a file there, and now a link leads out.
    std::fs::remove_dir_all(place.path().join("linked")).unwrap();
    std::os::unix::fs::symlink(outside.path(), place.path().join("linked")).unwrap();
    std::os::unix::fs::symlink(outside.path().join("secret.py"), place.path().join("src/b.py"))
        .unwrap();
    let made = std::process::Command::new("mkfifo").arg(place.path().join("src/pipe.py")).status();
    assert!(made.unwrap().success());
    assert_eq!(uses(&place, &["database.pool"]), ["database.pool: src/a.py:1:1 variable"]);
}

#[test]
fn fallbacks_in_code_are_a_layer() {
    let project = PROJECT.replace(
        "[[layer]]\nname = \"defaults\"",
        "[[axis]]\nname = \"service\"\nallowed = [\"alerts\", \"forecast\"]\ndefault = \"alerts\"\n\
         [[layer]]\nname = \"code\"\ncode = { files = \"{service}/**/*\", reads = [\"python\", \"node\"] }\n\
         [[layer]]\nname = \"defaults\"",
    );
    let place = Place::new(&[
        ("justwhy.toml", &project),
        ("defaults.toml", "[alert]\nthreshold_cm = 100\n"),
        (
            "alerts/a.ts",
            "const a = process.env.TIDE_LEVEL ?? 'info';\nconst b = process.env.TIDE_ALERT__THRESHOLD_CM || 120;\n\
             const c = process.env.TIDE_NODE ?? hostname('hush');\n",
        ),
        (
            "alerts/b.py",
            "import os\nlevel = os.environ.get('TIDE_LEVEL', 'warn')\nzone = os.getenv('TIDE_ZONE', 'utc')\n",
        ),
        ("alerts/tests/c.py", "import os\nzone = os.getenv('TIDE_ZONE', 'cet')\n"),
        (
            "forecast/d.py",
            "import os\nurl = os.environ['TIDE_URL']\nzone = os.getenv('TIDE_ZONE', 'utc')\nname = os.getenv('TIDE_NAME')\n",
        ),
    ]);
    let run = place.run(&["list", "--output", "json"]);
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let shown = |setting: &Value| {
        let winner = &setting["winner"];
        let value = setting.get("value").unwrap_or(&setting["status"]);
        format!(
            "{}={value} {} {}:{}",
            setting["key"].as_str().unwrap(),
            winner["layer"],
            winner["source"],
            winner["line"]
        )
    };
    let all: Vec<String> = answer["settings"].as_array().unwrap().iter().map(shown).collect();
    assert_eq!(
        all,
        [
            "alert.threshold_cm=100 \"defaults\" \"defaults.toml\":2",
            "level=\"unreadable\" \"code\" \"alerts/a.ts\":1",
            "node=\"unreadable\" \"code\" \"alerts/a.ts\":3",
            "zone=\"utc\" \"code\" \"alerts/b.py\":3",
        ]
    );
    let level = place.run(&["explain", "level"]);
    let why = "code has different fallbacks: alerts/a.ts:1:37 and alerts/b.py:2:38";
    assert!(level.stdout.contains(why), "{}", level.all());
    let node = place.run(&["explain", "node"]);
    assert!(node.stdout.contains("the fallback is not a literal: hostname('…')"), "{}", node.all());
    let found = findings(&place);
    for expected in [
        "e missing-required url forecast/d.py:2",
        "w defaults-disagree level alerts/a.ts:1",
        "w missing-required name forecast/d.py:4",
    ] {
        // The code is searched, too, so that what nothing sets is told of the variable.
        let is_there = found.iter().any(|it| it == expected);
        assert_eq!(is_there, !expected.contains("missing-required"), "{expected}: {found:#?}");
    }
    place.file("justwhy.toml", project.replace("[code]\n", "").as_bytes());
    assert_eq!(
        findings(&place),
        [
            "e missing-required url forecast/d.py:2",
            "w defaults-disagree level alerts/a.ts:1",
            "w missing-required name forecast/d.py:4",
        ]
    );
    let needs = place.run(&["needs", "--in", "service=forecast"]);
    assert!(needs.stdout.contains("not set, and code fails without it"), "{}", needs.all());
    let put = place.run(&["put", "zone", "cet", "--layer", "code"]);
    assert!(
        put.stderr.contains("the layer code reads source code, which cannot be written"),
        "{}",
        put.all()
    );
}

#[test]
fn a_team_adds_the_form_of_its_own_library() {
    let project = |reads: &str| {
        format!(
            "justwhy = 1\n[variables]\nprefix = \"TIDE_\"\n\
             [[layer]]\nname = \"code\"\ncode = {{ files = \"*.py\", reads = {reads} }}\n"
        )
    };
    let own = project(r#"['''\bsettings\.lookup\( {name} ,{value}''']"#);
    let place = Place::new(&[
        ("justwhy.toml", &own),
        (
            "a.py",
            "x = settings.lookup('TIDE_LEVEL', 5 * 60)\ny = os.environ.get('TIDE_OTHER', '1')\n",
        ),
    ]);
    assert_eq!(place.run(&["list"]).stdout.lines().last(), Some("level  300  a.py:1:35"));
    for (reads, message) in [
        ("\"pyton\"", "no shipped set has the name pyton"),
        ("[]", "empty `reads`"),
        ("5", "`reads` must be the name of a set, a pattern, or a list of them, not an integer"),
        ("\"x(?<value>y)\"", "the pattern has no group `name` or `key`"),
        ("\"(?<name>\"", "invalid pattern: unclosed group"),
    ] {
        place.file("justwhy.toml", project(reads).as_bytes());
        let run = place.run(&["list"]);
        assert_eq!(run.code, 2, "{}", run.all());
        assert!(run.stderr.contains(message), "{}", run.all());
    }
    place.file(
        "justwhy.toml",
        b"justwhy = 1\n[[layer]]\nname = \"code\"\ncode = { files = \"*.py\" }\n",
    );
    assert!(place.run(&["list"]).stderr.contains("`code` needs `reads`"));
}

#[test]
fn settings_modules_are_files_of_settings() {
    let place = Place::new(&[
        (
            "justwhy.toml",
            "justwhy = 1\n[[axis]]\nname = \"environment\"\nallowed = [\"dev\", \"production\"]\ndefault = \"dev\"\n\
             [[layer]]\nname = \"base\"\nfile = \"settings.py\"\n\
             [[layer]]\nname = \"by-environment\"\nfile = \"all.ts\"\nformat = \"module\"\nunder = \"settings.{environment}\"\n",
        ),
        (
            "settings.py",
            "import os\nLEVEL = 'info'\nURL = 'http://$HOST/${x}'\nPORT = os.environ.get('TIDE_PORT', 8080)\n\
             NODE = hostname()\nHOSTS = ['a', 'b']\nDATABASE = {\n    'pool': 4,\n}\n",
        ),
        (
            "all.ts",
            "const settings = {\n  dev: { DATABASE: { pool: 1 } },\n  production: { DATABASE: { pool: 9 } },\n};\nexport default load(settings);\n",
        ),
    ]);
    let list = |arguments: &[&str], variables: &[(&str, &str)]| {
        let run = place.run_with(&[&["list"], arguments].concat(), variables);
        run.stdout.lines().skip(1).map(str::to_owned).collect::<Vec<_>>().join("\n")
    };
    assert_eq!(
        list(&["--in", "production"], &[("TIDE_PORT", "9")]),
        "DATABASE.pool  9  all.ts:3:35\nHOSTS  [\"a\", \"b\"]  settings.py:6:9\nLEVEL  \"info\"  settings.py:2:9\n\
         NODE  (unreadable)  settings.py:5:8\nPORT  \"9\"  settings.py:4:8\nURL  \"http://$HOST/${x}\"  settings.py:3:7"
    );
    let run = place.run(&[
        "put",
        "DATABASE.pool",
        "12",
        "--layer",
        "by-environment",
        "--in",
        "production",
    ]);
    assert_eq!(run.code, 0, "{}", run.all());
    let text = std::fs::read_to_string(place.path().join("all.ts")).unwrap();
    assert!(text.contains("production: { DATABASE: { pool: 12 } }"), "{text}");
    for (arguments, line) in [
        (
            &["put", "DATABASE.wait", "2", "--layer", "base"][..],
            "    'pool': 4,\n    \"wait\": 2,\n",
        ),
        (&["put", "LEVEL", "debug", "--layer", "base"], "LEVEL = \"debug\"\n"),
        (&["put", "NEW", "true", "--layer", "base"], "NEW = True\n"),
        (&["drop", "HOSTS", "--layer", "base"], "NODE = hostname()\nDATABASE"),
    ] {
        let run = place.run(arguments);
        assert_eq!(run.code, 0, "{}", run.all());
        let text = std::fs::read_to_string(place.path().join("settings.py")).unwrap();
        assert!(text.contains(line), "{text}");
    }
    let run = place.run(&["put", "NODE", "x", "--layer", "base"]);
    assert_eq!(run.code, 2, "{}", run.all());
    place.file("all.ts", b"export default {\n  a: [1,\n};\n");
    let run = place.run(&["list"]);
    assert!(
        run.stderr.starts_with("all.ts:3:1: error: a bracket without its counterpart"),
        "{}",
        run.all()
    );
}

/// Code as teams write it, in which a reviewer would call no finding right.
#[test]
fn is_no_nuisance_in_usual_code() {
    let project = "justwhy = 1\n[variables]\nprefix = \"TIDE_\"\n[code]\n\
        [[axis]]\nname = \"environment\"\nallowed = [\"dev\", \"production\"]\ndefault = \"dev\"\n\
        read = [{ variable = \"TIDE_ENV\" }]\n\
        [[layer]]\nname = \"defaults\"\nfile = \"config/default.yaml\"\n\
        [[layer]]\nname = \"by-environment\"\nfile = \"config/{environment}.yaml\"\noptional = true\n\
        [[layer]]\nname = \"env\"\nfile = \".env\"\noptional = true\n\
        [[layer]]\nname = \"process\"\nprocess = true\n";
    let settings = "server:\n  port: 8080\n  host: localhost\n  url: http://localhost:8080\n\
        database:\n  host: db.tide.example\n  name: readings\n  pool: 10\n  user: tides\n\
        log:\n  level: info\n  format: json\n  file: /var/log/tide/service.log\n\
        mail:\n  from: desk@tide.example\nregion: us-north-1\nversion: 1.4.2\ntoken: development\n";
    let place = Place::new(&[
        ("justwhy.toml", project),
        ("config/default.yaml", settings),
        ("config/production.yaml", "database:\n  host: prod.tide.example\n"),
        (".env.example", "TIDE_DATABASE__HOST=db.tide.example\nTIDE_MADE_UP=1\n"),
        (
            "src/main/python/station.py",
            "import os\n# The database was at db.tide.example; TIDE_OLD_NAME is gone.\n\
             TIDE_HEIGHT_CM = 140\nPREFIX = 'TIDE_'\nNEST = \"TIDE_DATABASE__\"\nENV = os.environ['TIDE_ENV']\n\
             host = os.environ.get('TIDE_DATABASE__HOST', 'db.tide.example')\n\
             level = {'log.level': 'info', 'region': 'us-north-1'}\nport = 8080\ndevelopment = True\n\
             names = ['readings', 'tides', 'json', 'localhost', '127.0.0.1', 'http://localhost:8080/x']\n\
             class TIDE_ERROR(Exception): pass\nraise TIDE_ERROR(TIDE_HEIGHT_CM)\n",
        ),
        (
            "src/web/index.ts",
            "import { TIDE_LEVELS } from './levels';\nconst url = new URL('http://localhost:8080');\n\
             export const config = { port: 8080, database: { pool: 10, name: 'readings' } };\n\
             for (const key of Object.keys(process.env).filter((it) => it.startsWith('TIDE_'))) use(key);\n",
        ),
        (
            "src/web/index.test.ts",
            "expect(host).toBe('db.tide.example'); process.env.TIDE_TEST_ONLY = '1';\n",
        ),
        ("Dockerfile", "FROM debian\n# TIDE_COMMENT\nENV TIDE_DATABASE__POOL=10\nEXPOSE 8080\n"),
        ("README.md", "Set `TIDE_SOMETHING`; the database is db.tide.example.\n"),
        ("package-lock.json", "{ \"resolved\": \"https://db.tide.example\" }\n"),
        ("vendor/lib/a.js", "connect('db.tide.example', process.env.TIDE_VENDORED);\n"),
        (
            "scripts/start.sh",
            "#!/bin/sh\nexport TIDE_ENV=production\n: \"${TIDE_LOG__LEVEL:=info}\"\nexec station --port \"$TIDE_SERVER__PORT\"\n",
        ),
    ]);
    place.git(&["init", "--quiet"]);
    let wrong: Vec<String> = findings(&place)
        .into_iter()
        .filter(|it| {
            it.contains("hard-coded") || it.contains("read-not-declared") || it.contains("in-code")
        })
        .collect();
    // A container file that sets a variable of the project is a source that no layer reads.
    assert_eq!(wrong, ["w hard-coded database.pool Dockerfile:3"]);
}
