//! Tests of what lies beyond the repository.

use crate::System;
use justwhy_project::beyond::{check, leaves, repository_of};
use std::path::Path;

#[cfg(unix)]
#[test]
fn finds_the_repository_and_what_leads_out_of_it() {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().canonicalize().unwrap();
    let inside = top.join("r/app/settings");
    std::fs::create_dir_all(&inside).unwrap();
    std::fs::create_dir(top.join("r/.git")).unwrap();
    std::fs::create_dir(top.join("other")).unwrap();
    std::fs::write(top.join("other/a.toml"), "a = 1\n").unwrap();
    std::os::unix::fs::symlink("../../../other", inside.join("link")).unwrap();
    std::os::unix::fs::symlink("..", inside.join("up")).unwrap();
    let app = top.join("r/app");
    assert_eq!(repository_of(&System, &app), top.join("r"));
    assert_eq!(repository_of(&System, &top.join("other")), top.join("other"), "in none");
    for (path, leads_out) in [
        ("settings/a.toml", false),
        ("../b.toml", false),
        ("settings/up/a.toml", false),
        ("../../other/a.toml", true),
        ("../../other/none.toml", true),
        ("settings/link/a.toml", true),
        ("settings/link/none.toml", true),
        ("settings/link/../x.toml", true),
    ] {
        let found = leaves(&System, &top.join("r"), &app.join(path));
        assert_eq!(found.is_some(), leads_out, "{path}: {found:?}");
    }
    let error = check(&System, &top.join("r"), Path::new("/etc/passwd"), "x").unwrap_err();
    assert_eq!(error.code(), "outside");
}
