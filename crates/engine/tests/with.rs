//! A snapshot with changes says just what one says that was read from scratch.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use justwhy_core::{Compared, Context, Effects, Explanation, KeyId, Shared, compare};
use justwhy_engine::{Arguments, Changes, Ports, Session, Snapshot, Surveyed};
use justwhy_project::memory::Memory;
use justwhy_project::{Project, World};
use proptest::prelude::*;
use proptest::sample::select;
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::path::PathBuf;
use std::sync::Arc;

const PROJECT: &str = "justwhy = 1
[[axis]]
name = 'env'
allowed = ['dev', 'prod']
default = 'dev'
read = [{ variable = 'STAGE' }, { file = 'stage.txt' }]
[[axis]]
name = 'area'
allowed = { directories = 'areas/*' }
[variables]
prefix = 'TIDE_'
[[layer]]
name = 'defaults'
file = 'defaults.toml'
optional = true
[[layer]]
name = 'by-env'
file = 'env/{env}.toml'
optional = true
remove = ['cache.**']
[[layer]]
name = 'by-area'
file = 'areas/{area}/own.toml'
optional = true
[[layer]]
name = 'more'
files = 'more/*.toml'
[[layer]]
name = 'said'
values = { database.pool = 5 }
pin = ['database.pool']
[[layer]]
name = 'shared'
scope = '{env}'
store = 'kept'
optional = true
[[layer]]
name = 'file'
file = 'tide.env'
names = 'variables'
optional = true
[[layer]]
name = 'process'
process = true
[store.kept]
file = 'kept.toml'
";

/// The same with another order of layers, something declared, and no axis of folders.
const OTHER_PROJECT: &str = "justwhy = 1
[[axis]]
name = 'env'
allowed = ['dev', 'prod', 'test']
default = 'test'
[variables]
prefix = 'TIDE_'
[[layer]]
name = 'by-env'
file = 'env/{env}.toml'
optional = true
[[layer]]
name = 'defaults'
file = 'defaults.toml'
optional = true
[[layer]]
name = 'process'
process = true
[setting.'database.pool']
type = 'integer'
default = 7
[setting.'cache.size']
formerly = ['cache.max']
";

/// What a file of settings may say.
const LINES: [&str; 14] = [
    "database.pool = 4",
    "database.pool = 9",
    "name = 'gauge'",
    "name = '${database.pool} of ${port:-none}'",
    "port = '${TIDE_PORT:-80}'",
    "port = 8080",
    "token = '${variable:PASS}'",
    "note = '${file:note.txt}'",
    "elsewhere = '${name@env=prod}'",
    "cache.size = 3",
    "cache.max = 4",
    "cache.list = ['a', '${name}']",
    "empty = ''",
    "chain = '${elsewhere} ${missing}'",
];

const VARIABLES: [&str; 8] = [
    "TIDE_PORT=90",
    "TIDE_DATABASE__POOL=11",
    "TIDE_DATABASE_POOL=12",
    "PASS=high",
    "TIDE_CACHE__SIZE=7",
    "TIDE_NAME=${note}",
    "STAGE=prod",
    "TIDE_CHAIN=",
];

const FILES: [&str; 7] = [
    "defaults.toml",
    "env/dev.toml",
    "env/prod.toml",
    "areas/north/own.toml",
    "areas/south/own.toml",
    "more/one.toml",
    "more/two.toml",
];

#[derive(Clone, Debug)]
enum Step {
    File(&'static str, String),
    Variables(Vec<(OsString, OsString)>),
    Arguments(Option<&'static str>),
    Without(&'static str),
}

fn lines(of: &'static [&'static str]) -> impl Strategy<Value = Vec<&'static str>> {
    proptest::sample::subsequence(of, 0..=of.len().min(6))
}

/// Lines that name no key twice.
fn toml(lines: &[&'static str]) -> String {
    let mut said: BTreeMap<&str, &str> = BTreeMap::new();
    said.extend(lines.iter().filter_map(|line| line.split_once(" = ")));
    said.iter().map(|(key, value)| format!("{key} = {value}\n")).collect()
}

fn pair(line: &&str) -> (OsString, OsString) {
    let (name, value) = line.split_once('=').unwrap();
    (name.into(), value.into())
}

fn step() -> impl Strategy<Value = Step> {
    let texts = |file: &'static str, texts: &'static [&'static str]| {
        select(texts).prop_map(move |text| Step::File(file, text.to_owned()))
    };
    prop_oneof![
        6 => (select(&FILES[..]), lines(&LINES))
            .prop_map(|(file, lines)| Step::File(file, toml(&lines))),
        2 => lines(&VARIABLES).prop_map(|lines| Step::File("tide.env", lines.join("\n"))),
        1 => texts("note.txt", &["a note", "", "another"]),
        1 => texts("stage.txt", &["dev", "prod"]),
        1 => texts("kept.toml", &[
            "justwhy = 1\n[scope.dev.variables]\nTIDE_PORT = '1'\n",
            "justwhy = 1\n[scope.prod.variables]\nTIDE_PORT = '${name}'\n",
        ]),
        1 => texts("justwhy.toml", &[PROJECT, OTHER_PROJECT, "justwhy = 2"]),
        2 => lines(&VARIABLES)
            .prop_map(|lines| Step::Variables(lines.iter().map(pair).collect())),
        1 => proptest::option::of(select(&["name=x", "cache.size=${port}"][..]))
            .prop_map(Step::Arguments),
        1 => select(&["defaults", "by-env"][..]).prop_map(Step::Without),
    ]
}

/// All that was changed, for whoever begins from scratch.
struct All {
    files: BTreeMap<&'static str, String>,
    variables: Vec<(OsString, OsString)>,
    arguments: Option<&'static str>,
    without: Vec<String>,
}

impl All {
    fn new() -> All {
        let files = [
            ("justwhy.toml", PROJECT),
            ("defaults.toml", "name = 'gauge'\nport = 80\n"),
            ("areas/north/own.toml", "cache.size = 1\n"),
            ("kept.toml", "justwhy = 1\n"),
            ("note.txt", "at first"),
            ("more/one.toml", "note = '${file:note.txt}'\ntoken = '${variable:PASS}'\n"),
        ];
        let files = files.map(|(path, text)| (path, text.to_owned())).into();
        All { files, variables: Vec::new(), arguments: None, without: Vec::new() }
    }

    fn world(&self) -> Arc<dyn World> {
        let files: Vec<(&str, &str)> =
            self.files.iter().map(|(path, text)| (*path, text.as_str())).collect();
        let mut memory = Memory::new(&files);
        memory.variables.clone_from(&self.variables);
        Arc::new(memory)
    }

    fn scratch(&self) -> Option<Snapshot> {
        let mut project = Project::load(&*self.world(), None).ok()?;
        project.take_out(&self.without);
        let session = Session::of(Ports::of(self.world()), project);
        Some(session.snapshot(arguments(self.arguments), true))
    }

    fn make(&mut self, step: &Step) -> Changes {
        let changes = Changes::default();
        match step {
            Step::File(path, text) => {
                self.files.insert(path, text.clone());
                changes.file(PathBuf::from("/p").join(path), text.as_bytes())
            }
            Step::Variables(variables) => {
                self.variables.clone_from(variables);
                changes.variables(variables.clone())
            }
            Step::Arguments(text) => {
                self.arguments = *text;
                changes.arguments(arguments(*text))
            }
            Step::Without(layer) => {
                self.without.push((*layer).to_owned());
                changes.without(&[(*layer).to_owned()])
            }
        }
    }
}

fn arguments(text: Option<&str>) -> Arguments {
    let mut arguments = Arguments::default();
    text.into_iter().for_each(|text| arguments.set(text, 1).unwrap());
    arguments
}

/// All that is said in all contexts.
fn told(snapshot: &Snapshot) -> Vec<String> {
    let fixed = snapshot.fixed(None).unwrap();
    let contexts = snapshot.contexts(&fixed).unwrap();
    let here = snapshot.here(None).map_err(|error| error.to_string());
    let mut all = vec![format!("{here:?}")];
    all.extend(contexts.iter().flat_map(|context| told_in(snapshot, context)));
    all
}

fn told_in(snapshot: &Snapshot, context: &Context) -> Vec<String> {
    let answers = match snapshot.at(context.clone()) {
        Ok(answers) => answers,
        Err(error) => return vec![error.to_string()],
    };
    let resolution = answers.resolution();
    let one = |key: KeyId| {
        let answer = Explanation::of(&answers, key);
        let name = resolution.keys().show(key);
        let winner = answer.winner.as_ref().map(|winner| winner.show(resolution.keys()));
        let why = answer.why(&answers);
        let rows = answer.rows(&answers).len();
        format!("{name} {:?} {:?} {winner:?} {why:?} {rows}", answer.status, answer.value())
    };
    resolution.settings().into_iter().map(one).collect()
}

fn compared(sides: [(&Snapshot, &Surveyed); 2], shared: Shared) -> (usize, Vec<String>) {
    let count = sides[0].1.contexts().len();
    let pairs: Vec<(usize, usize)> = (0..count).map(|at| (at, at)).collect();
    let wanted = Compared { pairs: &pairs, wanted: None, shared };
    let sides = sides.map(|(snapshot, read)| snapshot.side(&read.survey));
    let effects: Effects<String> =
        compare(sides, wanted, |_, answer| format!("{:?}", answer.value()));
    let changed = effects.changed.iter().map(|effect| {
        let contexts: Vec<usize> = effect.contexts.iter().collect();
        let (before, after) = (&effect.before, &effect.after);
        format!("{:?} {:?} {before:?} {after:?} {contexts:?}", effect.key, effect.difference)
    });
    (effects.same, changed.collect())
}

#[test]
fn both_projects_can_be_read() {
    for text in [PROJECT, OTHER_PROJECT] {
        let mut all = All::new();
        all.files.insert("justwhy.toml", text.to_owned());
        let loaded = Project::load(&*all.world(), None);
        assert_eq!(loaded.err().map(|errors| format!("{errors:?}")), None);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn any_sequence_of_changes_says_what_reading_from_scratch_says(
        steps in proptest::collection::vec(step(), 1..8),
        asks_between in any::<bool>(),
    ) {
        let mut all = All::new();
        let mut snapshot = all.scratch().unwrap();
        for step in &steps {
            let before = snapshot.survey(None, false, &|_| {}).ok();
            let changes = all.make(step);
            let (next, scratch) = match (snapshot.with(&changes), all.scratch()) {
                (Ok(next), Some(scratch)) => (next, scratch),
                (one, other) => {
                    prop_assert_eq!(one.is_ok(), other.is_some());
                    return Ok(());
                }
            };
            if asks_between {
                prop_assert_eq!(told(&next), told(&scratch));
            }
            // What is not looked at, as it is shared, is the same.
            if let (Some(before), Ok(after)) = (&before, &next.survey(None, false, &|_| {}))
                && before.contexts().len() == after.contexts().len()
            {
                let sides = [(&snapshot, before), (&next, after)];
                let nothing = Shared { keys: false, project: false, outside: false, contents: false };
                let shared = snapshot.shared_with(&next);
                prop_assert_eq!(compared(sides, shared), compared(sides, nothing));
            }
            snapshot = next;
        }
        let scratch = all.scratch().unwrap();
        prop_assert_eq!(told(&snapshot), told(&scratch));
    }
}
