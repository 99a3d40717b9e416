//! What git says, in its own words for programs.
//!
//! Nothing that a repository can set is run: no hook, no monitor of files, no pager; and variables
//! that point git to another repository are left out.

use super::{Branch, Tracking};
use std::ffi::OsString;
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

fn git(folder: &Path) -> Command {
    let mut git = Command::new("git");
    git.arg("-C").arg(folder);
    git.args(["--no-pager", "-c", "core.fsmonitor=false", "-c", "core.hooksPath=/dev/null"]);
    git.stdin(Stdio::null());
    for (name, _) in std::env::vars_os() {
        if name.to_string_lossy().starts_with("GIT_") {
            git.env_remove(name);
        }
    }
    git.env("LC_ALL", "C").env("GIT_OPTIONAL_LOCKS", "0").env("GIT_TERMINAL_PROMPT", "0");
    git
}

fn not_run(error: &io::Error) -> String {
    match error.kind() {
        io::ErrorKind::NotFound => "there is no git on this machine".to_owned(),
        _ => format!("git cannot be run: {error}"),
    }
}

/// The first line that git says about a failure.
fn said(output: &Output) -> Option<String> {
    let said = String::from_utf8_lossy(&output.stderr);
    said.lines().next().map(|line| line.chars().take(200).collect())
}

fn is_no_repository(output: &Output) -> bool {
    String::from_utf8_lossy(&output.stderr).contains("not a git repository")
}

/// The branch that is checked out.
pub(super) fn branch(folder: &Path) -> Branch {
    let output = git(folder).args(["symbolic-ref", "--short", "--quiet", "HEAD"]).output();
    let output = match output {
        Ok(output) => output,
        Err(error) => return Branch::Unknown(not_run(&error)),
    };
    if output.status.success() {
        return match String::from_utf8(output.stdout) {
            Ok(name) => Branch::On(name.trim_end_matches(['\n', '\r']).to_owned()),
            Err(_) => Branch::Unknown("the name of the git branch is not UTF-8".to_owned()),
        };
    }
    if is_no_repository(&output) {
        return Branch::NoRepository;
    }
    match (output.status.code(), said(&output)) {
        (Some(1), None) => Branch::Detached,
        (_, Some(line)) => Branch::Unknown(format!("git says: {line}")),
        _ => Branch::Unknown("git did not say which branch it is".to_owned()),
    }
}

/// Whether git tracks each of the files, or would if they were added.
pub(super) fn tracking(folder: &Path, files: &[PathBuf]) -> Tracking {
    match asked(folder, files) {
        Ok(tracking) => tracking,
        Err(why) => Tracking::Unknown(why),
    }
}

fn asked(folder: &Path, files: &[PathBuf]) -> Result<Tracking, String> {
    let top = git(folder).args(["rev-parse", "--show-toplevel"]).output();
    let top = top.map_err(|error| not_run(&error))?;
    if !top.status.success() {
        return match is_no_repository(&top) {
            true => Ok(Tracking::NoRepository),
            false => Err(format!("git says: {}", said(&top).unwrap_or_default())),
        };
    }
    let top = path_of(top.stdout.strip_suffix(b"\n").unwrap_or(&top.stdout));
    let top =
        top.canonicalize().map_err(|error| format!("the repository is not there: {error}"))?;
    // A file outside of the repository, or behind a link that leads out of it, is not tracked.
    let canonical: Vec<Option<PathBuf>> = files
        .iter()
        .map(|file| folder.join(file).canonicalize().ok().filter(|file| file.starts_with(&top)))
        .collect();
    let inside: Vec<&PathBuf> = canonical.iter().flatten().collect();
    if inside.is_empty() {
        return Ok(Tracking::Known(vec![false; files.len()]));
    }
    let tracked = paths_from(
        &top,
        &[
            "--literal-pathspecs",
            "ls-files",
            "-z",
            "--full-name",
            "--pathspec-from-file=-",
            "--pathspec-file-nul",
        ],
        &inside,
        &[0],
    );
    let tracked = match tracked {
        Ok(tracked) => tracked,
        // An older git has not these options.
        Err(_) => paths_from(&top, &["ls-files", "-z", "--full-name"], &[], &[0])?,
    };
    let ignored = paths_from(&top, &["check-ignore", "-z", "--stdin"], &inside, &[0, 1])?;
    let is_in = |all: &[PathBuf], file: &Path| all.iter().any(|path| top.join(path) == file);
    let is_tracked = |file: &Option<PathBuf>| {
        file.as_ref().is_some_and(|file| is_in(&tracked, file) || !is_in(&ignored, file))
    };
    Ok(Tracking::Known(canonical.iter().map(is_tracked).collect()))
}

/// The paths that a command of git prints when it is given some.
fn paths_from(
    top: &Path,
    arguments: &[&str],
    given: &[&PathBuf],
    fine: &[i32],
) -> Result<Vec<PathBuf>, String> {
    let mut command = git(top);
    command.args(arguments).stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
    let mut child = command.spawn().map_err(|error| not_run(&error))?;
    let mut input = Vec::new();
    for path in given {
        input.extend_from_slice(path.as_os_str().as_encoded_bytes());
        input.push(0);
    }
    let stdin = child.stdin.take();
    // Written from another thread: git may answer before it has read all.
    let writer = std::thread::spawn(move || stdin.map(|mut stdin| stdin.write_all(&input)));
    let output = child.wait_with_output().map_err(|error| format!("git broke off: {error}"))?;
    drop(writer.join());
    if !output.status.code().is_some_and(|code| fine.contains(&code)) {
        return Err(format!("git says: {}", said(&output).unwrap_or_default()));
    }
    let paths = output.stdout.split(|byte| *byte == 0).filter(|path| !path.is_empty());
    Ok(paths.map(path_of).collect())
}

fn path_of(bytes: &[u8]) -> PathBuf {
    #[cfg(unix)]
    {
        use std::os::unix::ffi::OsStringExt as _;
        PathBuf::from(OsString::from_vec(bytes.to_vec()))
    }
    #[cfg(not(unix))]
    {
        PathBuf::from(OsString::from(String::from_utf8_lossy(bytes).into_owned()))
    }
}
