//! Random projects as lines, so that a line can be taken out or written anew.

use super::Place;
use std::collections::BTreeMap;

pub(crate) const KEYS: [&str; 6] =
    ["alpha.size", "alpha.shape", "alpha", "beta.items", "gamma-ray", "delta.deep"];
const TYPOS: [(&str, &str); 2] = [("alpha.size", "alpha.szie"), ("beta.items", "beta.itms")];

/// Numbers that are the same in every run.
pub(crate) struct Random(pub(crate) u64);

impl Random {
    pub(crate) fn below(&mut self, most: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        usize::try_from(self.0 >> 33).unwrap() % most
    }

    pub(crate) fn once_in(&mut self, times: usize) -> bool {
        self.below(times) == 0
    }

    pub(crate) fn one<'a, T: ?Sized>(&mut self, of: &[&'a T]) -> &'a T {
        of[self.below(of.len())]
    }
}

/// A project as lines, so that a line can be taken out or written anew, and where it is asked about.
#[derive(Clone, Debug, Default)]
pub(crate) struct Project {
    pub(crate) files: BTreeMap<String, Vec<String>>,
    pub(crate) variables: BTreeMap<String, String>,
    pub(crate) sets: Vec<(String, String)>,
    pub(crate) context: String,
}

pub(crate) fn variable(key: &str) -> String {
    format!("T_{}", key.to_uppercase().replace('.', "__").replace('-', "_"))
}

/// A value as TOML, JSON and YAML write it alike.
fn value(random: &mut Random, may_refer: bool) -> String {
    match random.below(if may_refer { 12 } else { 9 }) {
        0..=2 => (1 + random.below(4)).to_string(),
        3 | 4 => "\"x\"".to_owned(),
        5 => "\"3\"".to_owned(),
        6 => "\"\"".to_owned(),
        7 => "[\"p\", \"q\"]".to_owned(),
        8 => "true".to_owned(),
        9 => format!("\"${{{}}}\"", random.one(&KEYS)),
        10 => format!("\"<${{{}:-none}}>\"", random.one(&KEYS)),
        _ => format!("\"${{{}@environment=prod}}\"", random.one(&KEYS)),
    }
}

/// Keys that one file may have together, as none is above another; some are misspelt.
fn keys(random: &mut Random) -> Vec<String> {
    let mut keys: Vec<String> = Vec::new();
    for _ in 0..random.below(4) {
        let mut key = random.one(&KEYS).to_owned();
        if key == "alpha.size" && random.once_in(5) {
            // A name that it may have had once.
            key = "former.size".to_owned();
        }
        if random.once_in(3)
            && let Some((_, typo)) = TYPOS.iter().find(|(right, _)| *right == key)
        {
            key = typo.to_string();
        }
        let clashes = |other: &String| {
            *other == key
                || other.starts_with(&format!("{key}."))
                || key.starts_with(&format!("{other}."))
        };
        if !keys.iter().any(clashes) {
            keys.push(key);
        }
    }
    keys
}

fn toml(random: &mut Random) -> Vec<String> {
    let keys = keys(random);
    keys.into_iter().map(|key| format!("{key} = {}", value(random, true))).collect()
}

fn env(random: &mut Random) -> Vec<String> {
    let keys = keys(random);
    let line = |key: String| {
        let value = value(random, true);
        let value = value.trim_matches('"').to_owned();
        let quoted = if value.starts_with('[') { "p, q".to_owned() } else { value };
        format!("{}=\"{quoted}\"", variable(&key))
    };
    keys.into_iter().map(line).collect()
}

/// One line for each first segment, so that a line holds one value.
fn nested(random: &mut Random, comma: &str) -> Vec<String> {
    let mut tops: Vec<String> = Vec::new();
    let mut lines = Vec::new();
    for key in keys(random) {
        let top = key.split('.').next().unwrap().to_owned();
        if tops.contains(&top) {
            continue;
        }
        tops.push(top);
        let value = if random.once_in(3) { "null".to_owned() } else { value(random, true) };
        lines.push(match key.split_once('.') {
            Some((top, below)) => format!("\"{top}\": {{ \"{below}\": {value} }}{comma}"),
            None => format!("\"{key}\": {value}{comma}"),
        });
    }
    lines
}

pub(crate) fn project(random: &mut Random) -> Project {
    let mut project = Project::default();
    let mut head = vec![
        "justwhy = 1".to_owned(),
        "[variables]".to_owned(),
        "prefix = \"T_\"".to_owned(),
        "[[axis]]".to_owned(),
        "name = \"environment\"".to_owned(),
        "allowed = [\"dev\", \"prod\"]".to_owned(),
        "default = \"dev\"".to_owned(),
        "[[axis]]".to_owned(),
        "name = \"region\"".to_owned(),
        "allowed = [\"north\"]".to_owned(),
        "[[axis]]".to_owned(),
        "name = \"team\"".to_owned(),
        "allowed = [\"shore\", \"model\"]".to_owned(),
        "read = [{ variable = \"TEAM\" }, { axis = \"environment\", map = { prod = \"shore\" } }]"
            .to_owned(),
    ];
    if random.once_in(2) {
        head.push("[setting.\"beta.items\"]".to_owned());
        head.push(format!("gather = \"{}\"", random.one(&["after", "before", "distinct"])));
        if random.once_in(2) {
            head.push("default = [\"d\"]".to_owned());
        }
    }
    if random.once_in(2) {
        head.push("[setting.\"alpha.size\"]".to_owned());
        if random.once_in(2) {
            head.push(format!("empty = \"{}\"", random.one(&["unset", "value"])));
        }
        if random.once_in(2) {
            head.push("formerly = [\"former.size\"]".to_owned());
        }
        if random.once_in(4) {
            head.push("variable = \"SIZE\"".to_owned());
        }
    }
    for number in 0..2 + random.below(5) {
        layer(random, number, &mut head, &mut project);
    }
    let head_has_rows = head.iter().any(|line| line.starts_with("rows"));
    project.files.insert("justwhy.toml".to_owned(), head);
    project.files.entry("sub/.keep".to_owned()).or_default();
    if random.once_in(3) {
        let key = random.one(&KEYS);
        project.sets.push((key.to_owned(), "4".to_owned()));
    }
    project.context =
        random.one(&["dev", "prod", "prod,north", "environment=dev,region=north"]).to_owned();
    if head_has_rows && random.once_in(2) {
        project.context.push_str(random.one(&[",row=1", ",row=2"]));
    }
    project
}

fn layer(random: &mut Random, number: usize, head: &mut Vec<String>, project: &mut Project) {
    let name = format!("layer-{number}");
    head.push("[[layer]]".to_owned());
    head.push(format!("name = \"{name}\""));
    let kind = random.below(13);
    let mut values: Option<Vec<String>> = None;
    match kind {
        0 => {
            let per_environment = random.once_in(2);
            let axis = if per_environment { "-{environment}" } else { "" };
            let section = random.once_in(3);
            head.push(format!("file = \"{name}{axis}.toml\""));
            head.push("optional = true".to_owned());
            if section {
                head.push("under = \"main\"".to_owned());
            }
            for environment in if per_environment { vec!["-dev", "-prod"] } else { vec![""] } {
                let mut lines = toml(random);
                if section {
                    lines.insert(0, "[main]".to_owned());
                    lines.push("[other]".to_owned());
                    lines.extend(toml(random));
                }
                project.files.insert(format!("{name}{environment}.toml"), lines);
            }
        }
        1 => {
            head.push(format!("file = \"{name}.yaml\""));
            project.files.insert(format!("{name}.yaml"), nested(random, ""));
        }
        2 => {
            head.push(format!("file = \"{name}.jsonc\""));
            let mut lines = vec!["{ // values".to_owned()];
            lines.extend(nested(random, ","));
            lines.push("}".to_owned());
            project.files.insert(format!("{name}.jsonc"), lines);
        }
        3 => {
            head.push(format!("file = \"{name}.env\""));
            project.files.insert(format!("{name}.env"), env(random));
        }
        4 => {
            head.push("process = true".to_owned());
            for line in env(random) {
                let (name, value) = line.split_once('=').unwrap();
                project.variables.insert(name.to_owned(), value.trim_matches('"').to_owned());
            }
        }
        5 => {
            head.push(format!("files = \"{name}/*.toml\""));
            for file in 0..random.below(3) {
                project.files.insert(format!("{name}/{file}.toml"), toml(random));
            }
        }
        6 => {
            head.push(format!("file = \"{name}.properties\""));
            let lines = keys(random).into_iter().map(|key| format!("{key}={}", 1 + key.len() % 4));
            project.files.insert(format!("{name}.properties"), lines.collect());
        }
        7 => {
            head.push(format!("file = \"{name}.ini\""));
            let mut lines = Vec::new();
            for key in keys(random) {
                let (section, last) = key.rsplit_once('.').unwrap_or(("", &key));
                let value = 1 + random.below(4);
                match section {
                    "" => lines.insert(0, format!("{last} = {value}")),
                    section => lines.extend([format!("[{section}]"), format!("{last} = {value}")]),
                }
            }
            project.files.insert(format!("{name}.ini"), lines);
        }
        8 => {
            head.push(format!("rows = \"{name}.jsonl\""));
            let mut lines = nested(random, "");
            lines.iter_mut().for_each(|line| *line = format!("{{{line}}}"));
            // Past the end would be an error.
            lines.resize(3, "{}".to_owned());
            project.files.insert(format!("{name}.jsonl"), lines);
        }
        9 => {
            head.push(format!("file = \"{name}.toml\""));
            head.push("per_directory = true".to_owned());
            head.push("local = true".to_owned());
            for folder in ["", "sub/"] {
                if random.once_in(2) {
                    project.files.insert(format!("{folder}{name}.toml"), toml(random));
                }
            }
        }
        10 => {
            head.push(format!("file = \"{name}.toml\""));
            head.push("into = \"alpha\"".to_owned());
            let lines = ["size", "shape", "szie"].map(|key| (key, random.once_in(2)));
            let lines = lines.into_iter().filter(|(_, says)| *says);
            let lines = lines.map(|(key, _)| format!("{key} = {}", value(random, true)));
            let lines = lines.collect();
            project.files.insert(format!("{name}.toml"), lines);
        }
        11 => {
            head.push(format!("scope = \"{}\"", random.one(&["team/*", "team/a", "*/b"])));
            head.push(format!("store = \"store-{number}\""));
            let store = format!("[store.store-{number}]\nfile = \"{name}.store\"");
            // Before the first axis, as nothing else ends the table before it.
            for line in store.lines().rev() {
                head.insert(3, line.to_owned());
            }
            let mut lines = vec!["justwhy = 1".to_owned()];
            for scope in ["a", "b"] {
                lines.push(format!("[scope.\"team/{scope}\"]"));
                if random.once_in(3) {
                    let environment = random.one(&["dev", "pro*"]);
                    lines.push(format!("visible_to = {{ environment = \"{environment}\" }}"));
                }
                lines.push(format!("[scope.\"team/{scope}\".variables]"));
                lines.extend(env(random));
            }
            project.files.insert(format!("{name}.store"), lines);
        }
        _ => values = Some(toml(random)),
    }
    if random.once_in(4) {
        let pin = random.one(&["[\"alpha.**\"]", "[\"*\"]", "true", "[\"beta.items\"]"]);
        head.push(format!("pin = {pin}"));
    }
    if random.once_in(5) {
        head.push(format!("remove = [\"{}\"]", random.one(&["alpha", "alpha.*", "gamma-ray"])));
    }
    if random.once_in(4) {
        head.push("empty = \"unset\"".to_owned());
    }
    if random.once_in(8) {
        head.push(format!("when = {{ team = \"{}\" }}", random.one(&["shore", "model"])));
    } else if random.once_in(5) {
        head.push(format!("when = {{ environment = \"{}\" }}", random.one(&["dev", "prod"])));
    }
    if random.once_in(9) {
        head.push("unless = { region = \"north\" }".to_owned());
    }
    if let Some(values) = values {
        head.push("[layer.values]".to_owned());
        head.extend(values);
    }
}

impl Random {
    /// The numbers of a run.
    pub(crate) fn of(seed: u64) -> Random {
        let mut random = Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15));
        for _ in 0..4 {
            random.below(2);
        }
        random
    }
}

/// # Lines
impl Project {
    /// The project in a folder.
    pub(crate) fn place(&self) -> Place {
        let mut place = Place::new(&[]);
        place.stand_in("sub");
        for (path, lines) in &self.files {
            place.file(path, (lines.join("\n") + "\n").as_bytes());
        }
        place
    }

    /// The variables of its process.
    pub(crate) fn process(&self) -> Vec<(&str, &str)> {
        let variables = self.variables.iter();
        variables.map(|(name, value)| (name.as_str(), value.as_str())).collect()
    }

    pub(crate) fn line(&mut self, place: &str) -> (&mut Vec<String>, usize) {
        let mut parts = place.split(':');
        let file = parts.next().unwrap();
        let line: usize = parts.next().unwrap().parse().unwrap();
        (self.files.get_mut(file).unwrap(), line - 1)
    }

    /// The lines of the table in the project file that holds `line`.
    pub(crate) fn table(&mut self, line: &str) -> (&mut Vec<String>, std::ops::Range<usize>) {
        let lines = self.files.get_mut("justwhy.toml").unwrap();
        let start = lines.iter().position(|it| it == line).unwrap();
        let rest = lines[start + 1..].iter().position(|it| it.starts_with('['));
        let end = rest.map_or(lines.len(), |rest| start + 1 + rest);
        (lines, start..end)
    }

    /// Another value on a line, in the way of its file.
    pub(crate) fn write(&mut self, place: &str, to: &str) {
        let is_env = place.contains(".env:");
        let is_nested = [".yaml:", ".jsonc:", ".jsonl:"].iter().any(|it| place.contains(it));
        let (lines, line) = self.line(place);
        let old = lines[line].clone();
        lines[line] = if is_env {
            format!("{}=\"{to}\"", old.split_once('=').unwrap().0)
        } else if let Some((key, _)) = old.split_once(" = ").filter(|_| !is_nested) {
            format!("{key} = {to}")
        } else if let Some((key, _)) = old.split_once('=').filter(|_| !is_nested) {
            format!("{key}={to}")
        } else {
            let (start, rest) = old.rsplit_once("\": ").unwrap();
            let end = if rest.ends_with("}}") {
                " }}"
            } else if rest.ends_with("},") {
                " },"
            } else if rest.ends_with('}') {
                " }"
            } else if rest.ends_with(',') {
                ","
            } else {
                ""
            };
            format!("{start}\": {to}{end}")
        };
    }
}
