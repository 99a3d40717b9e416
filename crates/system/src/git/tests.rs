//! Tests of asking git: it ends in time, and nothing that a repository sets runs.

use super::{DEADLINE, Tracking, branch, is_foreign, tracking};
use crate::{Branch, System};
use std::ffi::OsStr;
use std::path::Path;
use std::process::Command;
use std::time::Instant;

fn git(folder: &Path, arguments: &[&str]) {
    let mut git = Command::new("git");
    git.arg("-C").arg(folder).args(arguments);
    git.env("GIT_CONFIG_GLOBAL", "/dev/null").env("GIT_CONFIG_SYSTEM", "/dev/null");
    let output = git.output().unwrap();
    assert!(output.status.success(), "git {arguments:?}: {output:?}");
}

#[test]
fn keeps_what_protects_the_user_and_nothing_else() {
    for (name, foreign) in [
        ("GIT_DIR", true),
        ("GIT_WORK_TREE", true),
        ("GIT_INDEX_FILE", true),
        ("GIT_SSH_COMMAND", true),
        ("GIT_EXTERNAL_DIFF", true),
        ("GIT_EXEC_PATH", true),
        ("GIT_TRACE", true),
        ("GIT_CEILING_DIRECTORIES", false),
        ("GIT_CONFIG_GLOBAL", false),
        ("GIT_CONFIG_COUNT", false),
        ("GIT_CONFIG_KEY_0", false),
        ("PATH", false),
    ] {
        assert_eq!(is_foreign(OsStr::new(name)), foreign, "{name}");
    }
}

#[cfg(unix)]
#[test]
fn gives_up_where_git_does_not_answer() {
    let folder = tempfile::tempdir().unwrap();
    git(folder.path(), &["init", "--quiet"]);
    std::fs::write(folder.path().join("a.env"), "A=1\n").unwrap();
    let pipe = folder.path().join(".gitignore");
    assert!(Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    let started = Instant::now();
    let asked = tracking(&System, folder.path(), &["a.env".into()]);
    let Tracking::Unknown(why) = asked else { panic!("{asked:?}") };
    assert_eq!(why, format!("git did not answer within {} seconds", DEADLINE.as_secs()));
    // It is not asked again where it hung.
    assert!(matches!(tracking(&System, folder.path(), &["a.env".into()]), Tracking::Unknown(_)));
    assert!(started.elapsed() < DEADLINE * 2, "{:?}", started.elapsed());
}

#[test]
fn takes_a_folder_that_only_looks_like_a_repository_for_none() {
    let folder = tempfile::tempdir().unwrap();
    let bare = folder.path().join("app");
    git(folder.path(), &["init", "--quiet", "--bare", "app"]);
    assert!(matches!(branch(&bare), Branch::Unknown(_)), "{:?}", branch(&bare));
    assert!(matches!(tracking(&System, &bare, &["a.env".into()]), Tracking::Unknown(_)));
}

#[test]
fn tells_what_is_tracked_and_what_is_ignored() {
    let folder = tempfile::tempdir().unwrap();
    git(folder.path(), &["init", "--quiet", "--initial-branch", "main"]);
    for (name, text) in
        [(".gitignore", "*.x\n"), ("a.env", ""), ("b.env", ""), ("c.x", ""), ("d.x", "")]
    {
        std::fs::write(folder.path().join(name), text).unwrap();
    }
    git(folder.path(), &["add", "a.env"]);
    git(folder.path(), &["add", "--force", "d.x"]);
    let files = ["a.env", "b.env", "c.x", "d.x", "none.env", "/etc/hostname"].map(Into::into);
    let known = Tracking::Known(vec![true, true, false, true, true, false]);
    assert_eq!(tracking(&System, folder.path(), &files), known);
    assert_eq!(branch(folder.path()), Branch::On("main".to_owned()));
}
