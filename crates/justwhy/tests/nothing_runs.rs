//! Nothing of a repository runs, is read beyond it, or speaks for the user: driven as an attacker would.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]
#![cfg(unix)]

mod common;

use common::{Place, Run};
use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

const PROJECT: &str = "justwhy = 1\n[[axis]]\nname = \"environment\"\nopen = true\n\
    read = [{ branch = { \"*\" = \"dev\" } }]\n\
    [[layer]]\nname = \"a\"\nfile = \"y.toml\"\n";

/// Every command that asks git.
const ASKS_GIT: [&[&str]; 5] = [
    &[],
    &["check"],
    &["suppose", "--set", "x=1"],
    &["put", "api_token", "other", "--layer", "a", "--dry-run"],
    &["explain", "api_token"],
];

fn program(place: &Place, path: &str, text: &str) {
    let file = place.file(path, text.as_bytes());
    std::fs::set_permissions(file, std::fs::Permissions::from_mode(0o755)).unwrap();
}

/// A repository whose `.gitignore` is not there, and would be fetched by a command.
fn hostile() -> Place {
    let place = Place::new(&[
        (".gitignore", "*.x\n"),
        ("y.toml", "api_token = \"abcdefgh12\"\nx = 0\n"),
        ("justwhy.toml", PROJECT),
    ]);
    place.git(&["init", "--quiet"]);
    place.git(&["add", ".gitignore", "justwhy.toml"]);
    let mut asked = Command::new("git");
    asked.args(["rev-parse", ":.gitignore"]).current_dir(place.path());
    let blob = String::from_utf8(asked.output().unwrap().stdout).unwrap().trim().to_owned();
    place.git(&["update-index", "--skip-worktree", ".gitignore"]);
    std::fs::remove_file(place.path().join(".gitignore")).unwrap();
    let object = format!(".git/objects/{}/{}", &blob[..2], &blob[2..]);
    std::fs::remove_file(place.path().join(object)).unwrap();
    let folder = place.path().display().to_string();
    for (name, value) in [
        ("core.repositoryformatversion", "1"),
        ("extensions.partialClone", "evil"),
        ("remote.evil.promisor", "true"),
        ("remote.evil.url", folder.as_str()),
        ("remote.evil.uploadpack", &format!("touch {folder}/ran; false")),
    ] {
        place.git(&["config", name, value]);
    }
    place
}

fn ran(place: &Place) -> Vec<String> {
    let names = std::fs::read_dir(place.path()).unwrap().flatten();
    let names = names.map(|entry| entry.file_name().to_string_lossy().into_owned());
    names.filter(|name| name.starts_with("ran")).collect()
}

#[test]
fn a_missing_blob_is_not_fetched_by_a_command_of_the_repository() {
    let place = hostile();
    for asked in ASKS_GIT {
        let run = place.run(asked);
        assert_ne!(run.code, 101, "{}", run.all());
        assert_eq!(ran(&place), Vec::<String>::new(), "{asked:?}");
    }
}

#[test]
fn a_folder_that_looks_like_a_repository_is_none() {
    // It survives an ordinary clone, as its files are files like others.
    let place = hostile();
    let inner = Place::new(&[("app/justwhy.toml", PROJECT), ("app/y.toml", "api_token = \"x\"\n")]);
    for name in ["HEAD", "config", "index", "objects", "refs"] {
        let (from, to) =
            (place.path().join(".git").join(name), inner.path().join("app").join(name));
        let copied = Command::new("cp").arg("-r").arg(from).arg(to).status().unwrap();
        assert!(copied.success());
    }
    let marker = inner.path().join("app/ran");
    let mut config = Command::new("git");
    config.args(["config", "--file"]).arg(inner.path().join("app/config"));
    config.arg("remote.evil.uploadpack").arg(format!("touch {}; false", marker.display()));
    assert!(config.status().unwrap().success());
    for asked in ASKS_GIT {
        let run = inner.run_with(&[&["--project", "app"], asked].concat(), &[]);
        assert_ne!(run.code, 101, "{}", run.all());
        assert!(!marker.exists(), "{asked:?}");
    }
}

/// Every setting of git that names a program, or a place from which one could come.
const PROGRAMS: [&str; 48] = [
    "alias.check-ignore",
    "alias.ls-files",
    "alias.rev-parse",
    "alias.symbolic-ref",
    "browser.evil.cmd",
    "core.alternateRefsCommand",
    "core.askPass",
    "core.editor",
    "core.fsmonitor",
    "core.gitProxy",
    "core.pager",
    "core.sshCommand",
    "credential.helper",
    "diff.evil.command",
    "diff.evil.textconv",
    "diff.external",
    "difftool.evil.cmd",
    "filter.evil.clean",
    "filter.evil.process",
    "filter.evil.smudge",
    "gc.recentObjectsHook",
    "gpg.openpgp.program",
    "gpg.program",
    "gpg.ssh.defaultKeyCommand",
    "gpg.ssh.program",
    "guitool.evil.cmd",
    "hook.evil.command",
    "imap.tunnel",
    "instaweb.browser",
    "interactive.diffFilter",
    "man.evil.cmd",
    "merge.evil.driver",
    "mergetool.evil.cmd",
    "pager.check-ignore",
    "pager.ls-files",
    "pager.rev-parse",
    "receive.procReceiveRefs",
    "remote.evil.proxy",
    "remote.evil.receivepack",
    "remote.evil.uploadpack",
    "remote.evil.vcs",
    "sendemail.smtpServer",
    "sequence.editor",
    "submodule.evil.update",
    "tar.evil.command",
    "trailer.evil.command",
    "uploadpack.packObjectsHook",
    "web.browser",
];

#[test]
fn no_setting_of_git_that_names_a_program_runs_it() {
    let place = hostile();
    place.file(".gitattributes", b"* filter=evil diff=evil merge=evil\n");
    let folder = place.path().display().to_string();
    for (number, name) in PROGRAMS.iter().enumerate() {
        program(
            &place,
            &format!("evil-{number}"),
            &format!("#!/bin/sh\ntouch {folder}/ran-{name}\n"),
        );
        let command = match *name {
            "submodule.evil.update" => format!("!{folder}/evil-{number}"),
            "alias.check-ignore" | "alias.ls-files" | "alias.rev-parse" | "alias.symbolic-ref" => {
                format!("!{folder}/evil-{number}")
            }
            "remote.evil.vcs" => "ext".to_owned(),
            _ => format!("{folder}/evil-{number}"),
        };
        place.git(&["config", name, &command]);
    }
    for hook in
        ["post-index-change", "fsmonitor-watchman", "reference-transaction", "post-checkout"]
    {
        program(
            &place,
            &format!(".git/hooks/{hook}"),
            &format!("#!/bin/sh\ntouch {folder}/ran-{hook}\n"),
        );
    }
    for asked in ASKS_GIT {
        let run = place.run(asked);
        assert_ne!(run.code, 101, "{}", run.all());
        assert_eq!(ran(&place), Vec::<String>::new(), "{asked:?}");
    }
}

#[test]
fn a_git_in_the_repository_is_not_the_one_that_is_asked() {
    let place = hostile();
    let folder = place.path().display().to_string();
    program(&place, "bin/git", &format!("#!/bin/sh\ntouch {folder}/ran-git\n"));
    let path = std::env::var("PATH").unwrap();
    for path in [format!("bin:{path}"), format!("{folder}/bin:{path}")] {
        place.run_with(&["check"], &[("PATH", &path)]);
        assert_eq!(ran(&place), Vec::<String>::new(), "{path}");
    }
}

#[test]
fn a_pipe_in_place_of_a_file_of_git_holds_nobody_up() {
    for path in [".git/HEAD", ".gitignore", ".git/info/exclude"] {
        let place =
            Place::new(&[("y.toml", "api_token = \"abcdefgh12\"\n"), ("justwhy.toml", PROJECT)]);
        place.git(&["init", "--quiet"]);
        let pipe = place.path().join(path);
        let _ = std::fs::remove_file(&pipe);
        assert!(Command::new("mkfifo").arg(&pipe).status().unwrap().success());
        let started = Instant::now();
        let run = place.run(&["check"]);
        assert!(started.elapsed() < Duration::from_secs(25), "{path}: {:?}", started.elapsed());
        assert!(run.code <= 2, "{path}: {}", run.all());
        assert!(run.stdout.contains("rule skipped (git "), "{path}: {}", run.all());
    }
}

/// A user's own folder, and a project in another one.
struct User {
    place: Place,
    home: tempfile::TempDir,
}

impl User {
    fn with(files: &[(&str, &str)]) -> User {
        User { place: Place::new(files), home: tempfile::tempdir().unwrap() }
    }

    fn allow(&self, text: &str) {
        std::fs::write(self.home.path().join("stores.toml"), format!("justwhy = 1\n{text}"))
            .unwrap();
    }

    fn run(&self, arguments: &[&str]) -> Run {
        let stores = self.home.path().join("stores.toml").display().to_string();
        self.place.run_with(arguments, &[("JUSTWHY_STORES", &stores)])
    }
}

#[test]
fn what_decides_which_programs_run_is_not_handed_over() {
    let text = "justwhy = 1\n[[layer]]\nname = \"env\"\nfile = \".env\"\n";
    for (line, name) in [
        ("PATH=./bin", "PATH"),
        ("LD_PRELOAD=./x.so", "LD_PRELOAD"),
        ("LD_LIBRARY_PATH=.", "LD_LIBRARY_PATH"),
        ("BASH_ENV=./x", "BASH_ENV"),
        ("ENV=./x", "ENV"),
        ("IFS=x", "IFS"),
        ("GIT_SSH_COMMAND=./x", "GIT_SSH_COMMAND"),
        ("NODE_OPTIONS=--require=./x.js", "NODE_OPTIONS"),
        ("PYTHONPATH=.", "PYTHONPATH"),
        ("JUSTWHY_STORES=./x", "JUSTWHY_STORES"),
    ] {
        let user = User::with(&[("justwhy.toml", text), (".env", &format!("{line}\n"))]);
        for asked in [&["launch", "--", "true"][..], &["export", "--as", "shell"]] {
            let run = user.run(asked);
            assert!(run.code != 0 && run.stdout.is_empty(), "{line} {asked:?}: {}", run.all());
            assert!(run.stderr.contains(name), "{line} {asked:?}: {}", run.all());
        }
        // As a setting like any other it may be looked at, and written where no program acts upon it.
        assert_eq!(user.run(&["list"]).code, 0, "{line}");
        assert_eq!(user.run(&["export", "--as", "json"]).code, 0, "{line}");
    }
}

#[test]
fn the_user_and_the_catalogue_together_may_hand_such_a_variable_over() {
    let text = |declares: &str| {
        format!(
            "justwhy = 1\n{declares}[[layer]]\nname = \"v\"\nvalues = {{ tools = \"/opt/tide/bin\" }}\n"
        )
    };
    let declared = text("[setting.tools]\nvariable = \"PATH\"\n");
    for (project, allows, works) in [
        (declared.as_str(), "hand_over = [\"PATH\"]", true),
        (&declared, "", false),
        (&declared, "hand_over = [\"LD_PRELOAD\"]", false),
    ] {
        let user = User::with(&[("justwhy.toml", project)]);
        user.allow(allows);
        let run = user.run(&["launch", "--", "/bin/sh", "-c", "echo $PATH"]);
        assert_eq!(run.stdout == "/opt/tide/bin\n", works, "{allows}: {}", run.all());
    }
    // Our own are never set for a program.
    let own = text("[setting.tools]\nvariable = \"JUSTWHY_IDENTITY\"\n");
    let user = User::with(&[("justwhy.toml", &own)]);
    user.allow("hand_over = [\"JUSTWHY_IDENTITY\"]");
    assert_eq!(user.run(&["launch", "--", "true"]).code, 125);
}

#[test]
fn the_program_is_found_by_the_path_of_whoever_asks() {
    let text = "justwhy = 1\n[setting.tools]\nvariable = \"PATH\"\n[[layer]]\nname = \"v\"\n\
        values = { tools = \"bin\" }\n";
    let user = User::with(&[("justwhy.toml", text)]);
    user.allow("hand_over = [\"PATH\"]");
    let folder = user.place.path().display().to_string();
    program(&user.place, "bin/true", &format!("#!/bin/sh\ntouch {folder}/ran-true\n"));
    let run = user.run(&["launch", "--", "true"]);
    assert_eq!((run.code, ran(&user.place)), (0, Vec::new()), "{}", run.all());
}

#[test]
fn nothing_beyond_the_repository_is_read_without_the_users_consent() {
    let outside = tempfile::tempdir().unwrap();
    let secret = outside.path().join("cred.ini");
    std::fs::write(&secret, "[default]\ncanary = outside\n").unwrap();
    let path = secret.display();
    let layer = |fields: &str| format!("justwhy = 1\n[[layer]]\nname = \"a\"\n{fields}\n");
    let projects = [
        layer(&format!("file = \"{path}\"")),
        layer("file = \"link.ini\""),
        layer("file = \"folder/cred.ini\""),
        layer("file = \"folder/cred.ini\"\noptional = true"),
        layer("files = \"folder/*.ini\""),
        layer(&format!("rows = \"{path}\"")).replace(".ini", ".csv"),
        layer(&format!(
            "values = {{ x = \"${{file:{path}}}\" }}\n[limits]\nread_folders = [\"/\"]"
        )),
        format!("justwhy = 1\ncatalogue = [\"{path}\"]\n"),
        format!(
            "justwhy = 1\n[store.s]\nfile = \"{path}\"\n[[layer]]\nname = \"a\"\nscope = \"x\"\nstore = \"s\"\n"
        ),
        format!(
            "justwhy = 1\n[[axis]]\nname = \"e\"\nopen = true\nread = [{{ file = \"{path}\" }}]\n"
        ),
    ];
    std::fs::copy(&secret, outside.path().join("cred.csv")).unwrap();
    for text in &projects {
        let user = User::with(&[("justwhy.toml", text)]);
        std::os::unix::fs::symlink(&secret, user.place.path().join("link.ini")).unwrap();
        std::os::unix::fs::symlink(outside.path(), user.place.path().join("folder")).unwrap();
        // Rows are only read where one of them is asked for.
        let list: &[&str] = match text.contains("rows = ") {
            true => &["list", "--in", "row=1"],
            false => &["list"],
        };
        for asked in [list, &["check"], &["find", "outside"], &["explain", "default.canary"]] {
            let run = user.run(asked);
            let told = run.all();
            assert!(
                !told.contains("canary = outside") && !told.contains("\"outside\""),
                "{text} {told}"
            );
            // Where it only says where one stands, what is asked about everywhere needs no answer.
            let is_here = text.contains("[[axis]]") && asked[0] == "check";
            assert!(run.code != 0 || is_here, "{text} {asked:?} {told}");
        }
        // Where that folder is allowed nothing stands in the way.
        let folder = outside.path().canonicalize().unwrap();
        user.allow(&format!("read_folders = [\"{}\"]\n", folder.display()));
        let run = user.run(list);
        assert!(!run.stderr.contains("read_folders = ["), "{text} {}", run.all());
    }
    // Nor by a project file that is itself a link, which an error would quote.
    let user = User::with(&[]);
    std::os::unix::fs::symlink(&secret, user.place.path().join("justwhy.toml")).unwrap();
    let run = user.run(&["list"]);
    assert!(run.code == 2 && !run.all().contains("canary = outside"), "{}", run.all());
}

#[test]
fn files_of_the_same_repository_may_stand_beside_the_project() {
    let text = "justwhy = 1\n[[layer]]\nname = \"a\"\nfile = \"../shared/a.toml\"\n";
    let place = Place::new(&[("app/justwhy.toml", text), ("shared/a.toml", "a = 1\n")]);
    assert_eq!(place.run(&["list", "--project", "app"]).code, 2, "in no repository");
    place.git(&["init", "--quiet"]);
    let run = place.run(&["list", "--project", "app"]);
    assert_eq!(run.code, 0, "{}", run.all());
}

#[test]
fn a_repository_does_not_allow_itself() {
    let text = "justwhy = 1\n[[layer]]\nname = \"a\"\nfile = \"../out/x.toml\"\n";
    let outside = tempfile::tempdir().unwrap();
    std::fs::create_dir(outside.path().join("out")).unwrap();
    std::fs::write(outside.path().join("out/x.toml"), "canary = \"outside\"\n").unwrap();
    let project = outside.path().join("p");
    std::fs::create_dir(&project).unwrap();
    std::fs::write(project.join("justwhy.toml"), text).unwrap();
    let allows = format!("justwhy = 1\nread_folders = [\"{}\"]\n", outside.path().display());
    for folder in [project.join(".config/justwhy"), project.join("justwhy")] {
        std::fs::create_dir_all(&folder).unwrap();
        std::fs::write(folder.join("stores.toml"), &allows).unwrap();
    }
    std::fs::write(project.join("s.toml"), &allows).unwrap();
    let inside = project.display().to_string();
    let file = format!("{inside}/s.toml");
    for (name, value) in [
        ("HOME", inside.as_str()),
        ("HOME", "."),
        ("XDG_CONFIG_HOME", &inside),
        ("XDG_CONFIG_HOME", "."),
        ("JUSTWHY_STORES", "s.toml"),
        ("JUSTWHY_STORES", &file),
    ] {
        let place = Place::new(&[]);
        let mut command = place.command(&["list"]);
        command.current_dir(&project).env(name, value);
        let run = place.finish(&mut command);
        assert!(run.code == 2 && !run.all().contains("canary"), "{name}={value}: {}", run.all());
        assert!(
            run.stderr.contains("your own configuration cannot be "),
            "{name}={value}: {}",
            run.all()
        );
    }
}

#[test]
fn a_shell_is_no_layer_of_settings() {
    let text = "justwhy = 1\n[[layer]]\nname = \"v\"\n\
        values = { path = \"/data\", home = \"a\", lang = \"nl\", user = \"tide\", term = 3 }\n\
        [[layer]]\nname = \"process\"\nprocess = true\n";
    let place = Place::new(&[("justwhy.toml", text)]);
    let shell = [("HOME", "/h"), ("LANG", "C.UTF-8"), ("USER", "mara"), ("TERM", "xterm")];
    let run = place.run_with(&["list", "--output", "json"], &shell);
    for told in ["\"/data\"", "\"nl\"", "\"tide\"", "\"value\":3"] {
        assert!(run.stdout.contains(told), "{told}: {}", run.all());
    }
    let run = place.run_with(&["explain", "user"], &shell);
    assert!(!run.stdout.contains("USER is not set"), "{}", run.all());
    // If the catalogue names one, it is a setting's.
    let named = text.replace(
        "[[layer]]\nname = \"v\"",
        "[setting.user]\nvariable = \"USER\"\n[[layer]]\nname = \"v\"",
    );
    let place = Place::new(&[("justwhy.toml", &named)]);
    let run = place.run_with(&["list", "user"], &shell);
    assert!(run.stdout.contains("mara"), "{}", run.all());
}

#[test]
fn folders_that_links_lead_to_elsewhere_give_no_names() {
    let outside = tempfile::tempdir().unwrap();
    std::fs::create_dir(outside.path().join("canary-name")).unwrap();
    let text = "justwhy = 1\n[[axis]]\nname = \"s\"\nallowed = { directories = \"services/*\" }\n\
        [[layer]]\nname = \"v\"\nvalues = { a = 1 }\n";
    let place = Place::new(&[("justwhy.toml", text)]);
    std::os::unix::fs::symlink(outside.path(), place.path().join("services")).unwrap();
    let run = place.run(&["list", "--in", "s=x"]);
    assert!(!run.all().contains("canary-name"), "{}", run.all());
    assert!(Path::new(&outside.path().join("canary-name")).exists());
}
