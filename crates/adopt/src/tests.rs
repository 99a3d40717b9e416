//! The steps of a proposal on repositories that are only in memory.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use crate::family::{families, is_sample};
use crate::observation::{SettingsFile, Spot};
use crate::shape::shape;
use crate::words::{as_name, is_region, singular, spelled_out};
use crate::{adopt, code, draft, update};
use justwhy_formats::Format;
use justwhy_project::World;
use justwhy_project::memory::Memory;
use std::path::Path;
use std::sync::Arc;

fn files(paths: &[(&str, &str)]) -> Vec<SettingsFile> {
    let of = |(path, text): &(&str, &str)| {
        let format = Format::of_path(path).unwrap_or(Format::ENV);
        let shape = shape(text, format);
        SettingsFile { path: (*path).to_owned(), format, is_ignored: false, shape }
    };
    paths.iter().map(of).collect()
}

fn patterns(paths: &[(&str, &str)]) -> Vec<String> {
    families(&files(paths), &[]).families.into_iter().map(|family| family.pattern).collect()
}

#[test]
fn files_that_differ_in_an_environment_are_a_family() {
    let one = "level: 1\n";
    assert_eq!(
        patterns(&[("config/dev.yaml", one), ("config/prod.yaml", one), ("config/base.yaml", one)]),
        ["config/base.yaml", "config/{environment}.yaml"]
    );
    assert_eq!(
        patterns(&[("envs/prod/values.yaml", one), ("envs/dev/values.yaml", one)]),
        ["envs/{environment}/values.yaml"]
    );
    assert_eq!(
        patterns(&[(".env", "A=1"), (".env.production", "A=1"), (".env.production.local", "A=1")]),
        [".env", ".env.{environment}", ".env.{environment}.local"]
    );
}

#[test]
fn one_name_of_an_environment_among_others_is_only_a_name() {
    assert_eq!(
        patterns(&[("config/live.yaml", "a: 1\n"), ("config/mail.yaml", "b: 1\n")]),
        ["config/live.yaml", "config/mail.yaml"]
    );
}

#[test]
fn files_of_one_folder_are_variants_only_if_they_have_names_in_common() {
    let (one, other) = ("level: 1\n", "size: 1\n");
    assert_eq!(
        patterns(&[("tenants/a.yaml", one), ("tenants/b.yaml", one)]),
        ["tenants/{tenant}.yaml"]
    );
    assert_eq!(
        patterns(&[("config/mail.yaml", one), ("config/store.yaml", one)]),
        ["config/mail.yaml", "config/store.yaml"]
    );
    assert_eq!(
        patterns(&[("tenants/a.yaml", one), ("tenants/b.yaml", other)]),
        ["tenants/a.yaml", "tenants/b.yaml"]
    );
}

#[test]
fn an_environment_in_two_spellings_gets_an_axis_for_each() {
    let one = "level: 1\n";
    let found = families(
        &files(&[
            ("config/dev.yaml", one),
            ("config/prod.yaml", one),
            ("app-development.properties", "a=1"),
            ("app-production.properties", "a=1"),
        ]),
        &[],
    );
    let map = &found.spellings["stage"];
    assert_eq!(map.len(), 2, "{map:?}");
}

#[test]
fn names_follow_from_folders() {
    assert_eq!(singular("services"), "service");
    assert_eq!(singular("registries"), "registry");
    assert_eq!(singular("status"), "status");
    assert_eq!(as_name("My File.v2"), "my-file-v2");
    assert_eq!(as_name("…"), "layer");
    assert_eq!(spelled_out("PRD"), "production");
    assert!(is_region("eu-west-1") && is_region("north") && !is_region("web"));
    assert!(
        is_sample(".env.example")
            && is_sample("config.sample.yaml")
            && !is_sample("distances.yaml")
    );
}

#[test]
fn scripts_are_read_without_running_them() {
    let script = code::script(
        "start.sh",
        "#!/bin/sh\nset -a\n. ./a.env\n[ -f b ] && . \"$X/b.env\"\nA=1 run\nexport B C=2\n",
    );
    let sourced: Vec<(&str, usize)> =
        script.sourced.iter().map(|it| (it.text.as_str(), it.line)).collect();
    assert_eq!(sourced, [("./a.env", 3), ("$X/b.env", 4)]);
    assert_eq!(script.inline, [5]);
    assert!(script.exports_all);
}

#[test]
fn nothing_in_a_comment_moves_the_cursor() {
    let draft = draft::Draft {
        name: "a\u{1b}\"b".to_owned(),
        left: vec![crate::observation::Left {
            spot: Spot::new("a\u{202e}b", 1),
            why: "x\ny".to_owned(),
        }],
        ..draft::Draft::default()
    };
    let text = draft.text();
    assert!(!text.contains(['\u{1b}', '\u{202e}']), "{text}");
    assert!(Format::TOML.parse(&text, justwhy_formats::Limits::default()).is_ok(), "{text}");
}

fn world(files: &[(&str, &str)]) -> Arc<dyn World> {
    Arc::new(Memory::new(files))
}

#[test]
fn a_project_file_gets_what_it_lacks() {
    let project = "justwhy = 1\n\n[[axis]]\nname = \"environment\"\nallowed = [\n    \"dev\",\n    \"prod\", # last\n]\n\n# mine\n[[layer]]\nname = \"by-environment\"\nfile = \"config/{environment}.yaml\"\noptional = true\n";
    let world = world(&[
        ("justwhy.toml", project),
        ("config/dev.yaml", "a: 1\n"),
        ("config/prod.yaml", "a: 1\n"),
        ("config/staging.yaml", "a: 1\n"),
    ]);
    let added = update(&world, Path::new("/p"), "justwhy.toml", &|_, _| {}).unwrap();
    assert_eq!(added.axes, ["environment"]);
    assert!(added.text.contains("\"prod\", \"staging\", # last"), "{}", added.text);
    assert!(
        added.diff.starts_with("--- justwhy.toml\n+++ justwhy.toml\n@@ -4,6 +4,6 @@\n"),
        "{}",
        added.diff
    );
    let proposal = adopt(&world, Path::new("/p"), "other.toml", &|_, _| {}).unwrap();
    assert_eq!(proposal.layers, ["by-environment", "process"]);
}

#[test]
fn an_update_keeps_the_line_ends_of_the_file() {
    let project = "justwhy = 1\r\n[[axis]]\r\nname = \"environment\"\r\nallowed = [\"dev\"]\r\n[[layer]]\r\nname = \"a\"\r\nfile = \"config/{environment}.yaml\"\r\noptional = true\r\n";
    let world = world(&[
        ("justwhy.toml", project),
        ("config/dev.yaml", "a: 1\n"),
        ("config/prod.yaml", "a: 1\n"),
    ]);
    let added = update(&world, Path::new("/p"), "justwhy.toml", &|_, _| {}).unwrap();
    assert_eq!(added.text, project.replace("[\"dev\"]", "[\"dev\", \"prod\"]"));
}
