use super::{EditLock, FileEdit, write};
use std::path::Path;
use std::time::Duration;

fn edit(folder: &Path, before: Option<&[u8]>) -> FileEdit {
    FileEdit {
        path: "a.toml".to_owned(),
        full: folder.join("a.toml"),
        before: before.map(<[u8]>::to_vec),
        after: b"new = 1\n".to_vec(),
        is_secret: false,
    }
}

/// The names in a folder: nothing may be left beside the file.
fn names(folder: &Path) -> Vec<String> {
    let entries = std::fs::read_dir(folder).unwrap();
    let mut names: Vec<String> =
        entries.map(|it| it.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    names
}

#[test]
fn replaces_only_what_it_has_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.toml");
    write(&edit(folder.path(), None)).unwrap();
    assert_eq!(std::fs::read(&path).unwrap(), b"new = 1\n");
    std::fs::write(&path, b"other = 1\n").unwrap();
    for before in [None, Some(&b"old = 1\n"[..])] {
        let error = write(&edit(folder.path(), before)).unwrap_err();
        assert!(error.message().contains("it changed while it was being edited"), "{error}");
    }
    assert_eq!(std::fs::read(&path).unwrap(), b"other = 1\n");
    std::fs::remove_file(&path).unwrap();
    assert!(write(&edit(folder.path(), Some(b"other = 1\n"))).is_err());
    assert_eq!(names(folder.path()), Vec::<String>::new());
}

#[cfg(unix)]
#[test]
fn keeps_permissions_and_links() {
    use std::os::unix::fs::PermissionsExt as _;
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir(folder.path().join("real")).unwrap();
    let real = folder.path().join("real/b.toml");
    std::fs::write(&real, b"old = 1\n").unwrap();
    std::fs::set_permissions(&real, std::fs::Permissions::from_mode(0o640)).unwrap();
    std::os::unix::fs::symlink("real/b.toml", folder.path().join("a.toml")).unwrap();
    write(&edit(folder.path(), Some(b"old = 1\n"))).unwrap();
    let link = std::fs::symlink_metadata(folder.path().join("a.toml")).unwrap();
    assert!(link.file_type().is_symlink());
    assert_eq!(std::fs::read(&real).unwrap(), b"new = 1\n");
    assert_eq!(std::fs::metadata(&real).unwrap().permissions().mode() & 0o7777, 0o640);
    assert_eq!(names(&folder.path().join("real")), ["b.toml"]);
    std::fs::set_permissions(&real, std::fs::Permissions::from_mode(0o440)).unwrap();
    let error = edit(folder.path(), Some(b"new = 1\n"));
    let error = write(&FileEdit { after: b"newer = 1\n".to_vec(), ..error }).unwrap_err();
    assert!(error.message().contains("read-only"), "{error}");
}

#[cfg(unix)]
#[test]
fn waits_for_others_and_gives_up() {
    let folder = tempfile::tempdir().unwrap();
    let lock = EditLock::of(folder.path(), Duration::ZERO).unwrap();
    let error = EditLock::of(folder.path(), Duration::from_millis(20)).unwrap_err();
    assert!(error.message().contains("another process is editing"), "{error}");
    let folder_of_it = folder.path().to_owned();
    let waiting = std::thread::spawn(move || EditLock::of(&folder_of_it, Duration::from_secs(60)));
    std::thread::sleep(Duration::from_millis(30));
    drop(lock);
    assert!(waiting.join().unwrap().is_ok());
}

#[test]
fn takes_away_what_was_left_behind_long_ago() {
    let folder = tempfile::tempdir().unwrap();
    let long_ago = std::time::SystemTime::now() - Duration::from_secs(3_600);
    for (name, is_old) in [
        (".a.toml.77-0.new", true),
        (".a.toml.78-0.new", false),
        (".a.toml.new", true),
        (".a.toml.x-0.new", true),
        (".b.toml.77-0.new", true),
    ] {
        let file = std::fs::File::create(folder.path().join(name)).unwrap();
        if is_old {
            file.set_modified(long_ago).unwrap();
        }
    }
    write(&edit(folder.path(), None)).unwrap();
    let left = [".a.toml.78-0.new", ".a.toml.new", ".a.toml.x-0.new", ".b.toml.77-0.new", "a.toml"];
    assert_eq!(names(folder.path()), left);
}
