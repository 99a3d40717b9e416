//! Tests of patterns of paths.

use super::{Glob, Wanted};
use crate::memory::Memory;
use std::path::Path;

#[test]
fn matches_paths_and_names_of_branches() {
    for (pattern, path, expected) in [
        ("main", "main", true),
        ("main", "main2", false),
        ("*", "main", true),
        ("*", "a/b", false),
        ("release/*", "release/7", true),
        ("release/*", "release", false),
        ("release/**", "release", true),
        ("release/**", "release/7/x", true),
        ("**/hot", "hot", true),
        ("**/hot", "a/b/hot", true),
        ("a/**/b", "a/b", true),
        ("a/**/b", "a/x/y/b", true),
        ("a/**/b", "a/x/y", false),
        ("v[0-9].?", "v1.x", true),
        ("v[!0-9]", "v1", false),
        ("*", ".hidden", false),
        (".*", ".hidden", true),
        ("**", "a/.b", false),
        ("é*", "éa", true),
        ("./a//b", "a/b", true),
    ] {
        assert_eq!(Glob::parse(pattern).unwrap().matches(path), expected, "{pattern} {path}");
    }
    for pattern in ["", "/", ".", "a**", "a/**b", "x[", "***"] {
        assert!(Glob::parse(pattern).is_err(), "{pattern}");
    }
}

#[test]
fn finds_files_and_folders_in_byte_order() {
    let world = Memory::new(&[
        ("a/10.toml", ""),
        ("a/9.toml", ""),
        ("a/B.toml", ""),
        ("a/.c.toml", ""),
        ("a/b/c/d.toml", ""),
        ("a/b/.e/f.toml", ""),
        ("x", ""),
    ]);
    let find = |pattern: &str, wanted| {
        Glob::parse(pattern).unwrap().find(&world, Path::new("/p"), wanted).unwrap()
    };
    assert_eq!(find("a/*.toml", Wanted::Files), ["a/10.toml", "a/9.toml", "a/B.toml"]);
    assert_eq!(
        find("**/*.toml", Wanted::Files),
        ["a/10.toml", "a/9.toml", "a/B.toml", "a/b/c/d.toml"]
    );
    assert_eq!(find("a/**", Wanted::Folders), ["a", "a/b", "a/b/c"]);
    assert_eq!(find("a/b/.*/*", Wanted::Files), ["a/b/.e/f.toml"]);
    assert_eq!(find("x", Wanted::Files), ["x"]);
    assert_eq!(find("x/*", Wanted::Files), [""; 0], "a file is no folder");
    assert_eq!(find("none/*", Wanted::Folders), [""; 0]);
    assert_eq!(find("*", Wanted::Folders), ["a"]);
}
