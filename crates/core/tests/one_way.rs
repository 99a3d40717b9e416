//! Modules import each other one way.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// In the order in which a datum passes through them.
const PHASES: [&str; 8] =
    ["parallel", "model", "reading", "precedence", "answers", "explanation", "contexts", "check"];

fn rank(module: &str) -> Option<usize> {
    PHASES.iter().position(|phase| *phase == module)
}

fn sources(folder: &Path, all: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap().flatten() {
        let path = entry.path();
        match path.is_dir() {
            true => sources(&path, all),
            false => all.push(path),
        }
    }
}

#[test]
fn each_phase_imports_only_from_those_before_it() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut all = Vec::new();
    sources(&root, &mut all);
    let mut imports = 0;
    for path in all {
        let inside = path.strip_prefix(&root).unwrap().to_str().unwrap().to_owned();
        let phase = inside.split('/').next().unwrap().trim_end_matches(".rs").to_owned();
        // What tests stand on may be above them.
        if inside.ends_with("tests.rs") || phase == "lib" || phase == "fuzzing" {
            continue;
        }
        let own = rank(&phase).unwrap_or_else(|| panic!("{inside} is in no phase"));
        let text = std::fs::read_to_string(&path).unwrap();
        for (number, line) in text.lines().enumerate() {
            if line.trim_start().starts_with("//") {
                continue;
            }
            for part in line.split("crate::").skip(1) {
                let module: String =
                    part.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
                let other = rank(&module)
                    .unwrap_or_else(|| panic!("{inside}:{}: {module} is no phase", number + 1));
                assert!(other <= own, "{inside}:{} imports from {module}", number + 1);
                imports += 1;
            }
        }
    }
    assert!(imports > 200, "{imports}");
}

/// The modules of a crate and the texts of their files, without comments and tests.
fn modules(root: &Path) -> BTreeMap<String, String> {
    let mut all = Vec::new();
    sources(root, &mut all);
    let mut modules = BTreeMap::new();
    for path in all {
        let inside = path.strip_prefix(root).unwrap().to_str().unwrap();
        let name = inside.trim_end_matches(".rs").replace('/', "::");
        if name.split("::").any(|part| part == "tests") || name == "lib" || name == "main" {
            continue;
        }
        let text = std::fs::read_to_string(&path).unwrap();
        let lines = text.lines().filter(|line| !line.trim_start().starts_with("//"));
        modules.insert(name, lines.collect::<Vec<_>>().join("\n"));
    }
    modules
}

/// Reads a path at the begin of `text`, or several of them in braces, and gives what stands after.
fn read_paths<'t>(text: &'t str, before: &str, paths: &mut Vec<String>) -> &'t str {
    let is_of_path = |c: char| c.is_alphanumeric() || c == '_' || c == ':';
    let end = text.find(|c| !is_of_path(c)).unwrap_or(text.len());
    let path = format!("{before}{}", &text[..end]);
    let mut rest = &text[end..];
    if !rest.starts_with('{') || !path.is_empty() && !path.ends_with("::") {
        paths.push(path);
        return rest;
    }
    while let Some(inside) = rest.strip_prefix(['{', ',']) {
        rest = read_paths(inside.trim_start(), &path, paths).trim_start();
    }
    rest.strip_prefix('}').unwrap_or(rest)
}

/// The modules that the module `name` imports from.
fn imports(name: &str, modules: &BTreeMap<String, String>) -> BTreeSet<String> {
    let parent = name.rsplit_once("::").map_or("", |(parent, _)| parent);
    let mut paths = Vec::new();
    for (word, above) in [("crate::", ""), ("super::", parent)] {
        for part in modules[name].split(word).skip(1) {
            let before = if above.is_empty() { String::new() } else { format!("{above}::") };
            read_paths(part, &before, &mut paths);
        }
    }
    let module = |path: String| {
        let mut path = path.as_str();
        while !modules.contains_key(path) {
            path = path.rsplit_once("::")?.0;
        }
        (path != name).then(|| path.to_owned())
    };
    paths.into_iter().filter_map(module).collect()
}

#[test]
fn no_module_of_any_crate_lies_on_a_cycle_of_imports() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let mut count = 0;
    for folder in std::fs::read_dir(crates).unwrap().flatten() {
        let modules = modules(&folder.path().join("src"));
        let of = |name: &String| (name.clone(), imports(name, &modules));
        let mut left: BTreeMap<String, BTreeSet<String>> = modules.keys().map(of).collect();
        count += left.values().map(BTreeSet::len).sum::<usize>();
        // What imports only from modules that lie on no cycle lies on none.
        while let Some(free) =
            left.iter().find(|(_, from)| from.is_empty()).map(|(name, _)| name.clone())
        {
            left.remove(&free);
            left.values_mut().for_each(|from| {
                from.remove(&free);
            });
        }
        assert!(left.is_empty(), "{}: {left:#?}", folder.path().display());
    }
    assert!(count > 800, "{count}");
}
