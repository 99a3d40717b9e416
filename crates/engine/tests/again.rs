//! A snapshot that looks again reads what was written meanwhile, and nothing else.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use justwhy_core::{Explanation, KeyPath, Shared};
use justwhy_engine::{Arguments, Changes, Ports, Session, Snapshot};
use justwhy_system::System;
use std::path::Path;
use std::sync::Arc;

const PROJECT: &str = "justwhy = 1
[[axis]]
name = 'area'
allowed = { directories = 'areas/*' }
[[layer]]
name = 'defaults'
file = 'defaults.toml'
[[layer]]
name = 'more'
files = 'more/*.toml'
[[layer]]
name = 'own'
file = 'own.toml'
optional = true
";

fn write(folder: &Path, path: &str, text: &str) {
    let path = folder.join(path);
    std::fs::create_dir_all(path.parent().unwrap()).unwrap();
    std::fs::write(path, text).unwrap();
}

/// A value here, by its key.
fn value(snapshot: &Snapshot, key: &str) -> Option<String> {
    let answers = snapshot.at(snapshot.here(None).unwrap()).unwrap();
    let keys = answers.resolution().keys();
    let key = keys.find(justwhy_core::KeyId::ROOT, &KeyPath::parse(key).unwrap())?;
    Explanation::of(&answers, key).value().map(|value| value.show())
}

#[test]
fn what_was_written_meanwhile_is_read_and_nothing_else() {
    let place = tempfile::tempdir().unwrap();
    let folder = place.path();
    write(folder, "justwhy.toml", PROJECT);
    write(folder, "defaults.toml", "pool = 4\nport = 80\n");
    write(folder, "more/one.toml", "name = 'gauge'\n");
    write(folder, "areas/north/note", "");
    let session = Session::open(Ports::of(Arc::new(System)), Some(folder)).unwrap();
    let first = session.snapshot(Arguments::default(), true);
    assert_eq!(value(&first, "pool").as_deref(), Some("4"));
    let same = Shared { keys: true, project: true, outside: true, contents: true };

    // Nothing was written.
    let second = first.again().unwrap();
    assert_eq!(value(&second, "pool").as_deref(), Some("4"));
    assert_eq!(first.shared_with(&second), same);

    // Of the same length, in place and as another file; a new one where one may be, and where a pattern
    // looks.
    write(folder, "defaults.toml", "pool = 9\nport = 80\n");
    write(folder, "own.toml", "own = true\n");
    write(folder, "more/two.toml", "name = 'buoy'\n");
    let third = second.again().unwrap();
    for (key, expected) in [("pool", "9"), ("own", "true"), ("name", "\"buoy\""), ("port", "80")] {
        assert_eq!(value(&third, key).as_deref(), Some(expected), "{key}");
    }
    assert_eq!(second.shared_with(&third), Shared { outside: false, ..same });
    // What was asked before is as it was.
    assert_eq!(value(&second, "pool").as_deref(), Some("4"));

    // What goes is gone, and what is only supposed stays.
    let supposed = third.with(&Changes::default().file(folder.join("own.toml"), &b"own = 3\n"[..]));
    let supposed = supposed.unwrap();
    std::fs::remove_file(folder.join("more/two.toml")).unwrap();
    let fourth = supposed.again().unwrap();
    assert_eq!(value(&fourth, "name").as_deref(), Some("\"gauge\""));
    assert_eq!(value(&fourth, "own").as_deref(), Some("3"));

    // A folder that an axis counts, and the project file itself.
    write(folder, "areas/south/note", "");
    let fifth = fourth.again().unwrap();
    assert!(fifth.here(Some("area=south")).is_ok() && fourth.here(Some("area=south")).is_err());
    write(folder, "justwhy.toml", "justwhy = 2\n");
    assert!(fifth.again().is_err());
}
