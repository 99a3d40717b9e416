//! The project file with git's own files around it: `%% PATH` begins a file. Whatever they hold, nothing
//! is run (the seeds name a command wherever git takes one), nothing is written, and git's answer is waited
//! for no longer than it may take.
#![no_main]

use justwhy_engine::{Arguments, Ports, Session};
use justwhy_project::History as _;
use justwhy_system::System;
use std::fs;
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

fn is_inside(path: &Path) -> bool {
    path.components().all(|part| matches!(part, Component::Normal(_)))
}

fn all_below(folder: &Path, all: &mut Vec<(PathBuf, Vec<u8>)>) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        match path.is_dir() {
            true => all_below(&path, all),
            false => all.push((path.clone(), fs::read(&path).unwrap_or_default())),
        }
    }
}

fn snapshot(folder: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let mut all = Vec::new();
    all_below(folder, &mut all);
    all.sort();
    all
}

libfuzzer_sys::fuzz_target!(
    init: {
        // As a program in Rust begins: git may close what we write to.
        // SAFETY: nothing else sets what this signal does.
        unsafe { libc::signal(libc::SIGPIPE, libc::SIG_IGN) };
    },
    |text: &str| look_at(text)
);

fn look_at(text: &str) {
    let folder = tempfile::tempdir().expect("a folder");
    let root = folder.path().join("clone");
    for folder in [".git/objects", ".git/refs"] {
        fs::create_dir_all(root.join(folder)).expect("a folder");
    }
    for (path, content) in [
        (".git/HEAD", "ref: refs/heads/main\n"),
        (".git/config", "[core]\nrepositoryformatversion = 0\n"),
        ("justwhy.toml", "justwhy = 1\n[[layer]]\nname = \"base\"\nfile = \"base.toml\"\n"),
        ("base.toml", "api_token = \"high-water-9\"\n"),
    ] {
        fs::write(root.join(path), content).expect("a file");
    }
    for part in text.split("%% ").skip(1).take(12) {
        let (path, content) = part.split_once('\n').unwrap_or((part, ""));
        let (path, content) = (
            Path::new(path),
            content.replace("$RAN", &format!("touch {}/ran", folder.path().display())),
        );
        if is_inside(path) && path.as_os_str().len() < 100 {
            let path = root.join(path);
            // What cannot be written is left out.
            let _ = path.parent().map(fs::create_dir_all);
            let _ = fs::write(path, content);
        }
    }
    let before = snapshot(folder.path());
    let _ = System.branch(&root);
    let _ = System.tracking(&root, &[root.join("base.toml"), root.join("justwhy.toml")]);
    if let Ok(session) = Session::open(Ports::of(Arc::new(System)), Some(&root)) {
        let read = session.snapshot(Arguments::default(), true);
        let _ = read.here(None).and_then(|context| read.read(context));
    }
    let after = snapshot(folder.path());
    assert!(before == after, "something was run, or written");
}
