//! Tests of what counts as the user's own word.

use super::{Consent, Place};
use std::ffi::OsString;
use std::path::Path;

fn place(variables: &[(&str, &str)]) -> Place {
    Place::of(&|name| {
        variables.iter().find(|(other, _)| *other == name).map(|(_, value)| OsString::from(value))
    })
}

#[test]
fn stands_where_the_user_says_and_nowhere_that_a_repository_could_lead() {
    for (variables, expected) in [
        (&[("HOME", "/h")][..], Some("/h/.config/justwhy/stores.toml")),
        (&[("HOME", "/h"), ("XDG_CONFIG_HOME", "/x")], Some("/x/justwhy/stores.toml")),
        (&[("JUSTWHY_STORES", "/s.toml"), ("HOME", "/h")], Some("/s.toml")),
        (&[("HOME", "")], None),
        (&[], None),
    ] {
        let found = place(variables);
        assert_eq!(found.allowed.as_deref(), expected.map(Path::new), "{variables:?}");
        assert_eq!(found.problem, None, "{variables:?}");
    }
    for variables in [
        &[("HOME", "home")][..],
        &[("HOME", "/h"), ("XDG_CONFIG_HOME", ".")],
        &[("HOME", "/h"), ("JUSTWHY_STORES", "stores.toml")],
    ] {
        let consent = place(variables).consent(Path::new("/"));
        assert!(matches!(consent, Consent::Unusable(_)), "{variables:?}");
    }
}

#[cfg(unix)]
#[test]
fn counts_only_where_nobody_else_could_have_written_it() {
    use std::os::unix::fs::PermissionsExt as _;
    let folder = tempfile::tempdir().unwrap();
    let repository = tempfile::tempdir().unwrap();
    let file = folder.path().join("stores.toml");
    std::fs::write(&file, "justwhy = 1\nread_folders = [\"/etc/tide\"]\n").unwrap();
    let at = |path: &Path| place(&[("JUSTWHY_STORES", path.to_str().unwrap())]);
    let consent = |path: &Path| at(path).consent(repository.path());
    assert!(matches!(consent(&file), Consent::Given(user) if user.read_folders.len() == 1));
    let mode = |path: &Path, mode| {
        std::fs::set_permissions(path, std::fs::Permissions::from_mode(mode)).unwrap();
    };
    mode(&file, 0o666);
    assert!(
        matches!(consent(&file), Consent::Unusable(why) if why.contains("written by other users"))
    );
    mode(&file, 0o600);
    mode(folder.path(), 0o777);
    assert!(matches!(consent(&file), Consent::Unusable(why) if why.contains("folder of")));
    mode(folder.path(), 0o700);
    // A link in the repository, and a file there that the user's folder links to.
    let link = repository.path().join("stores.toml");
    std::os::unix::fs::symlink(&file, &link).unwrap();
    assert!(
        matches!(consent(&link), Consent::Unusable(why) if why.contains("inside the repository"))
    );
    let theirs = repository.path().join("theirs.toml");
    std::fs::write(&theirs, "justwhy = 1\n").unwrap();
    let link = folder.path().join("link.toml");
    std::os::unix::fs::symlink(&theirs, &link).unwrap();
    assert!(
        matches!(consent(&link), Consent::Unusable(why) if why.contains("inside the repository"))
    );
    assert_eq!(consent(&folder.path().join("none.toml")), Consent::NoFile);
    // Only root can give a file away.
    if rustix::process::geteuid().is_root() {
        std::os::unix::fs::chown(&file, Some(4242), None).unwrap();
        assert!(matches!(consent(&file), Consent::Unusable(why) if why.contains("another user")));
    }
}
