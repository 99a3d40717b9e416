//! What is in settings modules, told by hand; and what must stay unknown.

use super::{Entry, Item, Language, Value, read};
use crate::expression::{Constant, shown};
use proptest::prelude::*;

fn told(value: &Value, path: &str, into: &mut Vec<String>) {
    match &value.item {
        Item::Table(entries) => all(entries, path, into),
        Item::Constant(Constant::Text(text)) => into.push(format!("{path} = {text:?}")),
        Item::Constant(constant) => into.push(format!("{path} = {}", shown(constant))),
        Item::List(items) => {
            let mut inside = Vec::new();
            items.iter().for_each(|item| told(item, "", &mut inside));
            let inside: Vec<String> = inside.iter().map(|it| it.replacen(" = ", "", 1)).collect();
            into.push(format!("{path} = [{}]", inside.join(", ")));
        }
        Item::Variable { name, fallback } => {
            into.push(format!("{path} = {name} or {}", shown(fallback)));
        }
        Item::Unknown(why) => into.push(format!("{path} ? {why}")),
    }
}

fn all(entries: &[Entry], path: &str, into: &mut Vec<String>) {
    for entry in entries {
        let dot = if path.is_empty() { "" } else { "." };
        told(&entry.value, &format!("{path}{dot}{}", entry.name), into);
    }
}

fn exported(text: &str, language: Language) -> String {
    let module = read(text, language).unwrap();
    let mut lines = Vec::new();
    all(&module.exported, "", &mut lines);
    lines.join("\n")
}

#[track_caller]
fn node(text: &str, expected: &str) {
    assert_eq!(exported(text, Language::Node), expected.trim());
}

#[track_caller]
fn python(text: &str, expected: &str) {
    assert_eq!(exported(text, Language::Python), expected.trim());
}

#[test]
fn an_exported_object_is_read_with_all_that_is_in_it() {
    node(
        "// a comment with { in it\nconst port = 8080;\nconst base = { host: 'tide.example', tags: ['a', \"b\"] };\n\
         module.exports = {\n  level: \"info\", // why\n  port,\n  base,\n  url: `https://${base.host}/v1`,\n  \
         window: 15 * 60,\n  \"quoted key\": null,\n  nested: { deep: { on: true } },\n  7: -1.5,\n};\n",
        r#"
level = "info"
port = 8080
base.host = "tide.example"
base.tags = ["a", "b"]
url = "https://tide.example/v1"
window = 900
quoted key = null
nested.deep.on = true
7 = -1.5"#,
    );
}

#[test]
fn typescript_says_more_than_it_means() {
    node(
        "import type { Settings } from './types';\ninterface A { port: number }\n\
         type B = { x: string } | null;\nconst limits: Record<string, { max: number }> = { pool: { max: 10 } };\n\
         export default {\n  limits,\n  region: 'north' as const,\n  team: <string>'x',\n} satisfies Settings;\n",
        "limits.pool.max = 10\nregion = \"north\"\nteam ? not a literal: <string>'…'",
    );
    node(
        "export const LEVEL = 'info' as Level, PORT: number = 8_080;\nlet other = 1;\n",
        "LEVEL = \"info\"\nPORT = 8080",
    );
}

#[test]
fn what_only_running_shows_is_unknown() {
    node(
        "const base = load();\nmodule.exports = {\n  before: 1,\n  ...base,\n  after: 2,\n  [key]: 3,\n  \
         call: load('x'),\n  either: a ? 1 : 2,\n  method() { return 1; },\n  get worked() { return 2; },\n  \
         shorthand,\n  sum: 'a' + b,\n};\n",
        r#"
before ? ...base after it may give it another value
after ? [key]: 3 after it may give it another value
call ? not a literal: load('…')
either ? not a literal: a ? 1 : 2
method ? it is a function
worked ? it is a function
shorthand ? shorthand is not a constant of this module
sum ? not a literal: '…' + b"#,
    );
}

#[test]
fn names_that_change_are_no_constants() {
    node(
        "const a = { x: 1 };\nlet b = 2;\nconst c = 3;\nconst list = [1];\na.x = 5;\nif (test) { b = 4; }\n\
         list.push(2);\nfunction f() { const c = 4; return c === 5; }\n",
        "a.x ? a is changed in line 5\nb ? b is changed in line 6\nc = 3\nlist ? list is changed in line 7",
    );
    python(
        "A = {'x': 1}\nB = 2\nC = 3\nB = 4\nA['x'] = 2\nif DEBUG:\n    D = 1\ndef f():\n    C = 9\n    return C\n\
         L = [1]\nL += [2]\nM = [1]\nM.append(2)\n",
        "A.x ? A is changed in line 5\nC = 3\nB ? B is changed in line 4\nD ? it is assigned under a condition\n\
         L ? L is changed in line 12\nM ? M is changed in line 14",
    );
}

#[test]
fn variables_with_fallbacks_are_references() {
    node(
        "module.exports = {\n  port: Number(process.env.TIDE_PORT || 8080),\n  level: process.env.TIDE_LEVEL ?? 'info',\n  \
         bare: process.env.TIDE_BARE,\n  test: process.env.TIDE_TEST === '1',\n  more: (process.env.TIDE_MORE || 'a') + 'b',\n};\n",
        r#"
port = TIDE_PORT or 8080
level = TIDE_LEVEL or info
bare ? not a literal: process.env.TIDE_BARE
test ? not a literal: process.env.TIDE_TEST === '…'
more ? not a literal: (process.env.TIDE_MORE || '…') + '…'"#,
    );
    python(
        "import os\nPORT = int(os.environ.get('TIDE_PORT', 8080))\nLEVEL = os.getenv(\"TIDE_LEVEL\", \"info\")\n\
         DEBUG = os.getenv('TIDE_DEBUG', 'false').lower() == 'true'\n",
        "PORT = TIDE_PORT or 8080\nLEVEL = TIDE_LEVEL or info\n\
         DEBUG ? not a literal: os.getenv('…', '…').lower() == '…'",
    );
}

#[test]
fn python_modules_assign_their_settings() {
    python(
        "\"\"\"Settings = {\"\"\"\nfrom pathlib import Path\nLEVEL = 'info'\nPORT: int = 8_080\nHOSTS = ['a.tide.example',\n  \
         'b.tide.example',  # two\n]\nDATABASE = {\n    'default': {'HOST': 'db.tide.example', 'PORT': 5432},\n}\n\
         PAIR = (1, 2)\nBARE = 1, 2\nEMPTY = None\nON = True\nBASE = Path(__file__)\nURL = 'https://' 'tide.example'\n\
         FULL = f'{URL}/v1'\n_PRIVATE = 1\nSUM = 60 * 60\nCOPY = LEVEL\nclass Local:\n    INSIDE = 1\n\
         if __name__ == '__main__':\n    LEVEL = 'x'\n",
        r#"
LEVEL = "info"
PORT = 8080
HOSTS = ["a.tide.example", "b.tide.example"]
DATABASE.default.HOST = "db.tide.example"
DATABASE.default.PORT = 5432
PAIR = [1, 2]
BARE = [1, 2]
EMPTY = null
ON = true
BASE ? not a literal: Path(__file__)
URL = "https://tide.example"
FULL = "https://tide.example/v1"
SUM = 3600
COPY = "info""#,
    );
    let star = "A = 1\nfrom base import *\nB = 2\n";
    python(star, "A ? from base import * after it may give it another value\nB = 2");
    assert_eq!(read(star, Language::Python).unwrap().hidden, 1);
}

#[test]
fn what_is_exported_counts_and_all_names_can_be_chosen() {
    let text = "const globalSettings = { production: { port: 1 } };\nexport default load(globalSettings);\n";
    let module = read(text, Language::Node).unwrap();
    assert!(module.exported.is_empty());
    let mut lines = Vec::new();
    all(&module.all, "", &mut lines);
    assert_eq!(lines, ["globalSettings.production.port = 1"]);
    node(
        "exports.level = 'info';\nmodule.exports.port = 1;\nconst hidden = 2;\n",
        "level = \"info\"\nport = 1",
    );
    node(
        "const a = 1;\nconst b = { c: 2 };\nexport { a, b as settings };\n",
        "a = 1\nsettings.c = 2",
    );
    node("const a = { c: 2 };\nexport { a as default };\n", "c = 2");
    node("exports = module.exports = Object.freeze({ a: 1 });\n", "a = 1");
    assert!(read("export default load();\n", Language::Node).is_err());
}

#[test]
fn places_are_those_of_the_values() {
    let text = "module.exports = {\n  level: 'info',\n  tags: [ 'a' ],\n};\n";
    let module = read(text, Language::Node).unwrap();
    let places: Vec<(&str, &str)> = module
        .exported
        .iter()
        .map(|entry| (&text[entry.name_at.clone()], &text[entry.value.at.clone()]))
        .collect();
    assert_eq!(places, [("level", "'info'"), ("tags", "[ 'a' ]")]);
}

#[test]
fn odd_texts_are_refused_or_read_without_a_panic() {
    for text in ["module.exports = {", "a = ]", "module.exports = { a: 'x\n }"] {
        let _ = read(text, Language::Node);
        let _ = read(text, Language::Python);
    }
    let deep = format!("module.exports = {}{}", "{ a: ".repeat(3_000), "}".repeat(3_000));
    let module = read(&deep, Language::Node).unwrap();
    assert_eq!(module.exported.len(), 1);
    let wide = format!("X = [{}]\n", "1, ".repeat(50_000));
    assert_eq!(read(&wide, Language::Python).unwrap().exported.len(), 1);
}

#[test]
fn an_assignment_that_runs_into_the_next_line_is_not_read() {
    python("A = 1,=\nB = 2\n", "A ? not a literal: 1,=\nB = 2");
    python("À=,=\n¡", "À ? not a literal: ,=");
    python("A = 1, 2 +\nB = 3\n", "A ? not a literal: 1, 2 +\nB = 3");
    python("A = 1 +\nB = 3\n", "A ? not a literal: 1 +\nB = 3");
    let empty = read("A =\n", Language::Python).unwrap();
    assert_eq!(empty.exported[0].value.at, 3..3);
}

/// Words of which modules are made, and what breaks one that looks at bytes where it means characters.
fn pieces() -> impl Strategy<Value = String> {
    const PIECES: [&str; 52] = [
        "module.exports = ",
        "exports.",
        "export ",
        "default ",
        "const ",
        "a",
        "B",
        "À",
        "é",
        "¡",
        "\u{a0}",
        "\u{2028}",
        "=",
        " = ",
        "==",
        "=>",
        ",",
        ", ",
        ";",
        ":",
        "{",
        "}",
        "[",
        "]",
        "(",
        ")",
        "'",
        "\"",
        "`",
        "${",
        "...",
        "**",
        "1",
        "2.5",
        "\n",
        "\n    ",
        "\r\n",
        "\\",
        "#",
        "//",
        "/*",
        "*/",
        "\"\"\"",
        "r'",
        "+",
        "-",
        "?",
        "??",
        "process.env.A || ",
        "os.environ.get('A', ",
        "def f():\n  ",
        "Object.freeze(",
    ];
    prop::collection::vec(prop::sample::select(PIECES.as_slice()), 0..14)
        .prop_map(|pieces| pieces.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 2_000, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn every_place_in_a_module_is_one_of_its_text(text in pieces()) {
        for language in [Language::Node, Language::Python] {
            let Ok(module) = read(&text, language) else { continue };
            for entry in module.exported.iter().chain(&module.all) {
                prop_assert!(text.get(entry.value.at.clone()).is_some(), "{:?} {:?}", text, entry);
                prop_assert!(text.get(entry.name_at.clone()).is_some(), "{:?} {:?}", text, entry);
            }
        }
    }
}
