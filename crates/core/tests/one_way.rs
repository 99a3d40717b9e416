//! The folders of this crate import each other one way.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

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
