//! Drives the built program on files in a temporary folder.

#![allow(clippy::unwrap_used, clippy::expect_used, reason = "a test that cannot go on has failed")]
#![allow(dead_code, reason = "not every test file uses all of it")]

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

pub(crate) mod projects;
pub(crate) mod remote;

/// The built program.
pub(crate) const PROGRAM: &str = env!("CARGO_BIN_EXE_justwhy");

/// A temporary folder with a project in it.
pub(crate) struct Place {
    folder: tempfile::TempDir,
    /// Where in it the program is run.
    stand: PathBuf,
}

/// What a run of the program came to.
#[derive(Debug)]
pub(crate) struct Run {
    pub(crate) stdout: String,
    pub(crate) stderr: String,
    pub(crate) code: i32,
}

impl Run {
    /// Everything that was printed and the exit code, for a snapshot.
    pub(crate) fn all(&self) -> String {
        let mut all = self.stdout.clone();
        if !self.stderr.is_empty() {
            all.push_str("--- stderr\n");
            all.push_str(&self.stderr);
        }
        format!("{all}--- exit {}\n", self.code)
    }
}

impl Place {
    /// A folder with these files.
    pub(crate) fn new(files: &[(&str, &str)]) -> Place {
        let place = Place { folder: tempfile::tempdir().unwrap(), stand: PathBuf::new() };
        for (path, text) in files {
            place.file(path, text.as_bytes());
        }
        place
    }

    /// A folder with the demo project in it.
    pub(crate) fn demo() -> Place {
        let place = Place::new(&[]);
        let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("demo");
        copy(&demo, place.path());
        place
    }

    /// A folder with one of the example projects in it, in a git repository.
    pub(crate) fn example(name: &str) -> Place {
        let place = Place::new(&[]);
        let examples = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples");
        copy(&examples.join(name), place.path());
        place.git(&["init", "--quiet"]);
        place
    }

    /// Runs git in the folder.
    pub(crate) fn git(&self, arguments: &[&str]) {
        let mut git = Command::new("git");
        git.args(arguments).current_dir(self.path());
        git.env("GIT_CONFIG_GLOBAL", "/dev/null").env("GIT_CONFIG_SYSTEM", "/dev/null");
        assert!(git.output().unwrap().status.success(), "git {arguments:?}");
    }

    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }

    /// Runs the program in a folder inside from now on.
    pub(crate) fn stand_in(&mut self, folder: &str) {
        self.stand = folder.into();
    }

    pub(crate) fn file(&self, path: &str, bytes: &[u8]) -> PathBuf {
        let path = self.path().join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(&path, bytes).unwrap();
        path
    }

    /// The program in this folder, in an environment with nothing in it but a UTF-8 locale.
    pub(crate) fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(PROGRAM);
        command
            .args(arguments)
            .current_dir(self.path().join(&self.stand))
            .env_clear()
            .env("LANG", "C.UTF-8");
        // Where git is found.
        command.envs(std::env::var_os("PATH").map(|path| ("PATH", path)));
        command.stdin(Stdio::null());
        command
    }

    pub(crate) fn run(&self, arguments: &[&str]) -> Run {
        self.run_with(arguments, &[])
    }

    pub(crate) fn run_with(&self, arguments: &[&str], variables: &[(&str, &str)]) -> Run {
        let mut command = self.command(arguments);
        command.envs(variables.iter().copied());
        self.finish(&mut command)
    }

    /// What each of these commands prints, one after the other, for a snapshot.
    pub(crate) fn told(&self, commands: &[&[&str]]) -> String {
        let one =
            |command: &&[&str]| format!("=== {}\n{}\n", command.join(" "), self.run(command).all());
        commands.iter().map(one).collect()
    }

    pub(crate) fn finish(&self, command: &mut Command) -> Run {
        let output = command.output().unwrap();
        let folder = self.path().canonicalize().unwrap();
        let shown = |bytes: Vec<u8>| {
            String::from_utf8(bytes).unwrap().replace(&*folder.to_string_lossy(), "[folder]")
        };
        Run {
            stdout: shown(output.stdout),
            stderr: shown(output.stderr),
            code: output.status.code().unwrap_or(-1),
        }
    }
}

fn copy(from: &Path, to: &Path) {
    for entry in std::fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let target = to.join(entry.file_name());
        if entry.file_type().unwrap().is_dir() {
            std::fs::create_dir(&target).unwrap();
            copy(&entry.path(), &target);
        } else {
            std::fs::copy(entry.path(), &target).unwrap();
        }
    }
}

/// Snapshots with what differs from run to run taken out.
pub(crate) fn settled<T>(test: impl FnOnce() -> T) -> T {
    let mut settings = insta::Settings::clone_current();
    settings.add_filter(r"fingerprint [0-9a-f]{16}", "fingerprint [fingerprint]");
    settings.add_filter(r#""fingerprint":"[0-9a-f]{16}""#, r#""fingerprint":"[fingerprint]""#);
    settings.add_filter(r"/\S*/justwhy-demo-\w+", "[temporary]");
    settings.set_prepend_module_to_snapshot(false);
    settings.bind(test)
}

/// What the program prints in a terminal of so many columns.
#[cfg(target_os = "linux")]
pub(crate) fn in_terminal(
    place: &Place,
    columns: usize,
    arguments: &str,
    variables: &[(&str, &str)],
) -> String {
    let typed = format!("stty cols {columns} rows 40; {PROGRAM} {arguments}");
    let mut command = std::process::Command::new("script");
    command.args(["--quiet", "--return", "--command", &typed, "/dev/null"]);
    command.current_dir(place.path()).env("LANG", "C.UTF-8").env("TERM", "xterm-256color");
    command.env_remove("NO_COLOR").env_remove("LC_ALL").env_remove("LC_CTYPE");
    command.envs(variables.iter().copied()).stdin(std::process::Stdio::null());
    place.finish(&mut command).stdout.replace('\r', "")
}
