//! Files that describe what runs: containers that work together, pipelines, clusters, packages.

use crate::observation::{
    Compose, ComposeService, Container, Job, Left, Manifest, Spot, Step, Workflow, Written,
};
use crate::shape::{Seen, marks};
use crate::words::{as_name, is_value};
use justwhy_formats::{NodeId, Tree};
use std::collections::BTreeSet;

/// A file of containers that work together.
pub(crate) fn compose(
    path: &str,
    text: &str,
    seen: &Seen<'_>,
    left: &mut Vec<Left>,
) -> Option<Compose> {
    let services = seen.at(Tree::ROOT, "services")?;
    let mut refers = BTreeSet::new();
    let marks = marks(text, &mut refers);
    let mut compose = Compose { path: path.to_owned(), services: Vec::new(), marks, refers };
    for (name, service) in seen.entries(services) {
        if !is_value(&name) {
            left.push(left_at(
                path,
                seen.line(service),
                "the name of this service cannot be the value of an axis",
            ));
            continue;
        }
        let variables = seen.get(service, "environment").and_then(|at| {
            let written = match (seen.is_table(at), seen.is_list(at)) {
                (true, _) => Written::Table,
                (_, true) => Written::Pairs,
                _ => return None,
            };
            Some((written, seen.line(at)))
        });
        let env_files =
            seen.get(service, "env_file").map(|at| env_files(seen, at)).unwrap_or_default();
        let build = seen.get(service, "build").map(|at| match seen.text(at) {
            Some(folder) => (folder.to_owned(), None),
            None => {
                let folder = seen.get(at, "context").and_then(|it| seen.text(it)).unwrap_or(".");
                let file = seen.get(at, "dockerfile").and_then(|it| seen.text(it));
                (folder.to_owned(), file.map(str::to_owned))
            }
        });
        if let Some(command) = seen.get(service, "command").filter(|_| has_options(seen, service)) {
            left.push(left_at(
                path,
                seen.line(command),
                "the options of this command line are not read as settings",
            ));
        }
        compose.services.push(ComposeService { name, variables, env_files, build });
    }
    Some(compose)
}

fn has_options(seen: &Seen<'_>, service: NodeId) -> bool {
    let Some(command) = seen.get(service, "command") else { return false };
    let is_option = |text: &str| text.split_whitespace().any(|word| word.starts_with("--"));
    seen.text(command).is_some_and(is_option)
        || seen.items(command).iter().any(|it| seen.text(*it).is_some_and(is_option))
}

/// Env files, each with its line.
fn env_files(seen: &Seen<'_>, at: NodeId) -> Vec<(String, usize)> {
    let one = |at: NodeId| {
        let path = seen.text(at).or_else(|| seen.get(at, "path").and_then(|it| seen.text(it)))?;
        Some((path.to_owned(), seen.line(at)))
    };
    match seen.is_list(at) {
        true => seen.items(at).into_iter().filter_map(one).collect(),
        false => one(at).into_iter().collect(),
    }
}

/// Whether a name can stand in the quotes of a query, in a project file.
fn is_quotable(name: &str) -> bool {
    !name.is_empty() && name.chars().all(|c| !c.is_control() && !"'\"\\{}".contains(c))
}

fn left_at(path: &str, line: usize, why: &str) -> Left {
    Left { spot: Spot::new(path, line), why: why.to_owned() }
}

/// A file of what a pipeline does.
pub(crate) fn workflow(path: &str, seen: &Seen<'_>, left: &mut Vec<Left>) -> Option<Workflow> {
    let jobs = seen.at(Tree::ROOT, "jobs").filter(|it| seen.is_table(*it))?;
    let env =
        |at: NodeId| seen.get(at, "env").filter(|it| seen.is_table(*it)).map(|it| seen.line(it));
    let mut workflow = Workflow { path: path.to_owned(), env: env(Tree::ROOT), jobs: Vec::new() };
    for (name, job) in seen.entries(jobs) {
        let mut steps: Vec<Step> = Vec::new();
        let items = seen.get(job, "steps").map(|it| seen.items(it)).unwrap_or_default();
        let name_of = |step: NodeId| seen.get(step, "name").and_then(|it| seen.text(it));
        for (number, step) in items.iter().enumerate() {
            let Some(line) = env(*step) else { continue };
            let name = name_of(*step).filter(|name| is_quotable(name));
            let is_only = items.iter().filter(|it| name_of(**it) == name).count() == 1;
            let (word, selector) = match name {
                Some(name) if is_only => (as_name(name), format!("[?@.name=='{name}']")),
                _ => (format!("step-{}", number + 1), format!("[{number}]")),
            };
            match steps.iter().any(|step| step.word == word) {
                true => left.push(left_at(
                    path,
                    line,
                    "another step of this job has the same word as its name",
                )),
                false => steps.push(Step { word, selector, line }),
            }
        }
        match is_value(&name) {
            true => workflow.jobs.push(Job { name, env: env(job), steps }),
            false => left.push(left_at(
                path,
                seen.line(job),
                "the name of this job cannot be the value of an axis",
            )),
        }
    }
    Some(workflow)
}

/// The names of variables in all tables, and in all lists of pairs, of these names.
pub(crate) fn names_in(seen: &Seen<'_>, tables: &[&str]) -> BTreeSet<String> {
    let mut names = BTreeSet::new();
    let mut open = seen.roots();
    while let Some(at) = open.pop() {
        for (name, id) in seen.entries(at) {
            if tables.contains(&name.as_str()) {
                names.extend(seen.entries(id).into_iter().map(|(name, _)| name));
                let of_item = |it: NodeId| {
                    let named = seen.get(it, "name").and_then(|it| seen.text(it));
                    let written = seen.text(it).map(|it| it.split('=').next().unwrap_or(it));
                    named.or(written).map(str::to_owned)
                };
                names.extend(seen.items(id).into_iter().filter_map(of_item));
            } else if seen.is_table(id) {
                open.push(id);
            } else {
                open.extend(seen.items(id));
            }
        }
    }
    names.retain(|name| {
        name.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'_') && !name.is_empty()
    });
    names
}

/// The ways to containers in what runs in a cluster.
const WAYS: [&str; 3] = [
    "spec.template.spec.containers",
    "spec.jobTemplate.spec.template.spec.containers",
    "spec.containers",
];

/// Documents of what runs in a cluster.
pub(crate) fn manifests(
    path: &str,
    text: &str,
    seen: &Seen<'_>,
    left: &mut Vec<Left>,
) -> Vec<Manifest> {
    let roots = seen.roots();
    let marks = marks(text, &mut BTreeSet::new());
    let mut found = Vec::new();
    for root in &roots {
        let of = |way: &str| seen.at(*root, way).and_then(|it| seen.text(it)).map(str::to_owned);
        let (Some(kind), Some(name)) = (of("kind"), of("metadata.name")) else { continue };
        let data = seen
            .get(*root, "data")
            .filter(|it| seen.is_table(*it) && !seen.entries(*it).is_empty());
        let data = data.map(|it| seen.line(it));
        if let Some(line) = data.filter(|_| kind == "Secret") {
            left.push(left_at(
                path,
                line,
                "a secret of the cluster: which containers take it in is not followed",
            ));
        }
        let way = WAYS.into_iter().find(|way| seen.at(*root, way).is_some());
        let mut containers = Vec::new();
        for item in
            way.and_then(|way| seen.at(*root, way)).map(|it| seen.items(it)).unwrap_or_default()
        {
            let Some(name) = seen.get(item, "name").and_then(|it| seen.text(it)) else { continue };
            if !is_value(name) {
                continue;
            }
            let env = seen.get(item, "env").filter(|it| seen.is_list(*it)).map(|it| seen.line(it));
            let from = seen.get(item, "envFrom").map(|it| seen.items(it)).unwrap_or_default();
            let from = from.into_iter().filter_map(|it| {
                seen.at(it, "configMapRef.name").and_then(|it| seen.text(it)).map(str::to_owned)
            });
            containers.push(Container { name: name.to_owned(), env, from: from.collect() });
        }
        let way = way.unwrap_or(WAYS[0]);
        let data = data.filter(|_| kind == "ConfigMap");
        let (path, documents, marks) = (path.to_owned(), roots.len(), marks.clone());
        found.push(Manifest { path, documents, kind, name, way, containers, data, marks });
    }
    found
}

/// The commands of a package that have variables in front.
pub(crate) fn package_scripts(path: &str, seen: &Seen<'_>) -> Vec<(String, Spot)> {
    let Some(scripts) = seen.at(Tree::ROOT, "scripts").filter(|it| seen.is_table(*it)) else {
        return Vec::new();
    };
    let mut found = Vec::new();
    for (name, script) in seen.entries(scripts) {
        let Some(text) = seen.text(script) else { continue };
        let first = text.split_whitespace().next().unwrap_or_default();
        let is_variable = first.split_once('=').is_some_and(|(name, _)| {
            !name.is_empty()
                && name.bytes().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit() || b == b'_')
        });
        if is_variable {
            found.push((name, Spot::new(path, seen.line(script))));
        }
    }
    found
}
