//! What git answers, in its own words for programs.
//!
//! [`ask`] is the one place that starts git. Nothing that a repository can set is run: no hook, no
//! monitor of files, no pager, no transport that fetches what is missing; a folder that only looks
//! like a repository is none; variables that point git to another repository are left out, the
//! user's own protections are kept. git ends after [`DEADLINE`], takes no locks, reads nothing from
//! our standard input, and answers no more than [`MOST_BYTES`].

use justwhy_core::{hide_in_text, parallel::lock};
use justwhy_project::{Branch, Files, Tracking};
use std::collections::HashSet;
use std::ffi::{OsStr, OsString};
use std::io::{self, Read, Write as _};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::Mutex;
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

#[cfg(test)]
mod tests;

/// The longest that one question to git may take: a pipe in place of a file would let it wait for ever.
const DEADLINE: Duration = Duration::from_secs(5);
/// The most bytes of an answer. The names of a million files have fewer.
const MOST_BYTES: u64 = 128 * 1024 * 1024;

/// Variables that a user sets to protect herself, or to show where her own configuration is. All others
/// that begin with `GIT_` are left out.
const KEPT: [&str; 9] = [
    "GIT_ATTR_NOSYSTEM",
    "GIT_CEILING_DIRECTORIES",
    "GIT_CONFIG_COUNT",
    "GIT_CONFIG_GLOBAL",
    "GIT_CONFIG_NOSYSTEM",
    "GIT_CONFIG_PARAMETERS",
    "GIT_CONFIG_SYSTEM",
    "GIT_DISCOVERY_ACROSS_FILESYSTEM",
    "GIT_TEST_ASSUME_DIFFERENT_OWNER",
];
/// Beginnings of such variables that are numbered.
const KEPT_NUMBERED: [&str; 2] = ["GIT_CONFIG_KEY_", "GIT_CONFIG_VALUE_"];

/// Repositories in which git did not answer in time. They are not asked again.
static HUNG: Mutex<Option<HashSet<PathBuf>>> = Mutex::new(None);

/// What a run of git came to.
struct Answer {
    status: ExitStatus,
    stdout: Vec<u8>,
    stderr: Vec<u8>,
}

/// Asks git in `folder`; `given` are paths for its standard input.
fn ask(folder: &Path, arguments: &[&OsStr], given: &[&PathBuf]) -> Result<Answer, String> {
    if lock(&HUNG).as_ref().is_some_and(|hung| hung.contains(folder)) {
        return Err(too_slow());
    }
    let program = program(folder)?;
    let answer = run(command(&program, folder, arguments), given);
    if matches!(answer, Err(Broken::TooSlow)) {
        lock(&HUNG).get_or_insert_default().insert(folder.to_owned());
    }
    answer.map_err(|broken| match broken {
        Broken::TooSlow => too_slow(),
        Broken::TooMuch => "the answer of git is too long".to_owned(),
        Broken::Io(why) => why,
    })
}

fn too_slow() -> String {
    format!("git did not answer within {} seconds", DEADLINE.as_secs())
}

/// The `git` that `PATH` leads to. Folders of `PATH` that are relative, or that are in the folder that
/// git is asked about, do not count: a repository could have put a `git` there.
fn program(folder: &Path) -> Result<PathBuf, String> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let real = folder.canonicalize().unwrap_or_else(|_| folder.to_owned());
    let name = format!("git{}", std::env::consts::EXE_SUFFIX);
    let found = std::env::split_paths(&path).filter(|at| at.is_absolute()).find_map(|at| {
        let file = at.join(&name);
        let target = file.canonicalize().ok()?;
        (is_program(&target) && !target.starts_with(&real) && !at.starts_with(&real))
            .then_some(file)
    });
    found.ok_or_else(|| "git is not installed".to_owned())
}

#[cfg(unix)]
fn is_program(path: &Path) -> bool {
    use std::os::unix::fs::PermissionsExt as _;
    std::fs::metadata(path)
        .is_ok_and(|metadata| metadata.is_file() && metadata.permissions().mode() & 0o111 != 0)
}

#[cfg(not(unix))]
fn is_program(path: &Path) -> bool {
    path.is_file()
}

fn command(program: &Path, folder: &Path, arguments: &[&OsStr]) -> Command {
    let mut git = Command::new(program);
    git.arg("--no-pager").arg("-C").arg(folder);
    for setting in [
        "core.fsmonitor=false",
        "core.hooksPath=/dev/null",
        "core.alternateRefsCommand=",
        "safe.bareRepository=explicit",
        "protocol.allow=never",
    ] {
        git.args(["-c", setting]);
    }
    git.args(arguments);
    for (name, _) in std::env::vars_os() {
        if is_foreign(&name) {
            git.env_remove(name);
        }
    }
    git.env("LC_ALL", "C")
        .env("GIT_OPTIONAL_LOCKS", "0")
        .env("GIT_TERMINAL_PROMPT", "0")
        .env("GIT_NO_LAZY_FETCH", "1")
        .env("GIT_ALLOW_PROTOCOL", "")
        .env("GIT_NO_REPLACE_OBJECTS", "1");
    git
}

/// Whether a variable of ours must not reach git.
fn is_foreign(name: &OsStr) -> bool {
    let name = name.to_string_lossy();
    name.starts_with("GIT_")
        && !KEPT.contains(&name.as_ref())
        && !KEPT_NUMBERED.iter().any(|kept| name.starts_with(kept))
}

/// Why git gave no answer.
#[derive(Debug)]
enum Broken {
    TooSlow,
    TooMuch,
    Io(String),
}

/// Runs git to its end, or until the deadline.
fn run(mut command: Command, given: &[&PathBuf]) -> Result<Answer, Broken> {
    let started = Instant::now();
    let stdin = if given.is_empty() { Stdio::null() } else { Stdio::piped() };
    command.stdin(stdin).stdout(Stdio::piped()).stderr(Stdio::piped());
    own_group(&mut command);
    let mut child = command.spawn().map_err(|error| Broken::Io(not_run(&error)))?;
    if let Some(mut stdin) = child.stdin.take() {
        let mut input = Vec::new();
        for path in given {
            input.extend_from_slice(path.as_os_str().as_encoded_bytes());
            input.push(0);
        }
        // Written from another thread: git may answer before it has read all.
        std::thread::spawn(move || stdin.write_all(&input));
    }
    let (stdout, stderr) = (read_from(child.stdout.take()), read_from(child.stderr.take()));
    let read = || {
        let stdout = within(&stdout, started)?;
        Ok((stdout, within(&stderr, started)?))
    };
    let read: Result<_, Broken> = read();
    let status = match &read {
        Ok(_) => ended(&mut child, started),
        Err(_) => Ok(None),
    };
    if !matches!(status, Ok(Some(_))) {
        stop(&mut child);
    }
    let (stdout, stderr) = read?;
    match status {
        Ok(Some(status)) => Ok(Answer { status, stdout, stderr }),
        Ok(None) => Err(Broken::TooSlow),
        Err(error) => Err(Broken::Io(format!("git ended early: {error}"))),
    }
}

/// Reads to the end in another thread, so that this one can stop waiting for it.
fn read_from(source: Option<impl Read + Send + 'static>) -> Receiver<io::Result<Vec<u8>>> {
    let (told, heard) = channel();
    std::thread::spawn(move || {
        let mut bytes = Vec::new();
        let read = source.map(|source| source.take(MOST_BYTES + 1).read_to_end(&mut bytes));
        // Nobody may be waiting any more.
        let _ = told.send(read.transpose().map(|_| bytes));
    });
    heard
}

fn within(heard: &Receiver<io::Result<Vec<u8>>>, started: Instant) -> Result<Vec<u8>, Broken> {
    match heard.recv_timeout(DEADLINE.saturating_sub(started.elapsed())) {
        Ok(Ok(bytes)) if bytes.len() as u64 > MOST_BYTES => Err(Broken::TooMuch),
        Ok(Ok(bytes)) => Ok(bytes),
        Ok(Err(error)) => Err(Broken::Io(format!("the answer of git cannot be read: {error}"))),
        Err(RecvTimeoutError::Timeout | RecvTimeoutError::Disconnected) => Err(Broken::TooSlow),
    }
}

/// How git ended, `None` if it goes on past the deadline although it has closed its output.
fn ended(child: &mut Child, started: Instant) -> io::Result<Option<ExitStatus>> {
    loop {
        if let Some(status) = child.try_wait()? {
            return Ok(Some(status));
        }
        if started.elapsed() > DEADLINE {
            return Ok(None);
        }
        std::thread::sleep(Duration::from_micros(200));
    }
}

/// Lets git and what it starts be a group of processes, so that all of it can be ended.
fn own_group(command: &mut Command) {
    #[cfg(unix)]
    std::os::unix::process::CommandExt::process_group(command, 0);
    #[cfg(not(unix))]
    let _ = command;
}

fn stop(child: &mut Child) {
    #[cfg(unix)]
    if let Some(group) = i32::try_from(child.id()).ok().and_then(rustix::process::Pid::from_raw) {
        let _ = rustix::process::kill_process_group(group, rustix::process::Signal::KILL);
    }
    let _ = child.kill();
    let _ = child.wait();
}

fn not_run(error: &io::Error) -> String {
    match error.kind() {
        io::ErrorKind::NotFound => "git is not installed".to_owned(),
        _ => format!("git cannot be run: {error}"),
    }
}

/// The first line that git prints about a failure, without passwords.
fn printed(answer: &Answer) -> Option<String> {
    let printed = String::from_utf8_lossy(&answer.stderr);
    let line: String = printed.lines().next()?.chars().take(200).collect();
    Some(hide_in_text(&line).unwrap_or(line))
}

fn is_no_repository(answer: &Answer) -> bool {
    String::from_utf8_lossy(&answer.stderr).contains("not a git repository")
}

/// The branch that is checked out.
pub(super) fn branch(folder: &Path) -> Branch {
    let answer =
        match ask(folder, &["symbolic-ref", "--short", "--quiet", "HEAD"].map(OsStr::new), &[]) {
            Ok(answer) => answer,
            Err(why) => return Branch::Unknown(why),
        };
    if answer.status.success() {
        return match String::from_utf8(answer.stdout) {
            Ok(name) => Branch::On(name.trim_end_matches(['\n', '\r']).to_owned()),
            Err(_) => Branch::Unknown("the name of the git branch is not UTF-8".to_owned()),
        };
    }
    if is_no_repository(&answer) {
        return Branch::NoRepository;
    }
    match (answer.status.code(), printed(&answer)) {
        (Some(1), None) => Branch::Detached,
        (_, Some(line)) => Branch::Unknown(format!("git: {line}")),
        _ => Branch::Unknown("git did not print the branch".to_owned()),
    }
}

/// The tags that HEAD has, in the order of their names.
pub(super) fn tags(folder: &Path) -> Result<Vec<String>, String> {
    let words = ["for-each-ref", "--points-at", "HEAD", "--format=%(refname:strip=2)", "refs/tags"];
    let answer = ask(folder, &words.map(OsStr::new), &[])?;
    if !answer.status.success() {
        return Err(match is_no_repository(&answer) {
            true => "no git repository".to_owned(),
            false => format!("git: {}", printed(&answer).unwrap_or_default()),
        });
    }
    let names = String::from_utf8_lossy(&answer.stdout).into_owned();
    Ok(names.lines().map(str::to_owned).collect())
}

/// The files below a folder that git tracks, or would if they were added, in byte order; none if it is in no
/// repository.
pub(super) fn tracked(folder: &Path) -> Result<Option<Vec<PathBuf>>, String> {
    let answer = {
        const WORDS: [&str; 5] = ["ls-files", "-z", "--cached", "--others", "--exclude-standard"];
        ask(folder, &WORDS.map(OsStr::new), &[])?
    };
    if !answer.status.success() {
        return match is_no_repository(&answer) {
            true => Ok(None),
            false => Err(format!("git: {}", printed(&answer).unwrap_or_default())),
        };
    }
    let names = answer.stdout.split(|byte| *byte == 0).filter(|path| !path.is_empty());
    let mut files: Vec<PathBuf> = names.map(path_of).collect();
    files.sort();
    files.dedup();
    Ok(Some(files))
}

/// Whether git tracks each of the files of a tree, or would if they were added.
pub(super) fn tracking(tree: &dyn Files, folder: &Path, files: &[PathBuf]) -> Tracking {
    match asked(tree, folder, files) {
        Ok(tracking) => tracking,
        Err(why) => Tracking::Unknown(why),
    }
}

fn asked(tree: &dyn Files, folder: &Path, files: &[PathBuf]) -> Result<Tracking, String> {
    let top = ask(folder, &["rev-parse", "--show-toplevel"].map(OsStr::new), &[])?;
    if !top.status.success() {
        return match is_no_repository(&top) {
            true => Ok(Tracking::NoRepository),
            false => Err(format!("git: {}", printed(&top).unwrap_or_default())),
        };
    }
    let top = path_of(top.stdout.strip_suffix(b"\n").unwrap_or(&top.stdout));
    let top = tree.canonical(&top).map_err(|error| format!("repository not found: {error}"))?;
    // A file outside of the repository, or behind a link that leads out of it, is not tracked.
    let real = |file: &PathBuf| {
        let file = folder.join(file);
        let there = tree.canonical(&file).ok();
        // One that is not there yet would be where its folder is.
        let beside = || Some(tree.canonical(file.parent()?).ok()?.join(file.file_name()?));
        let there = there.or_else(beside);
        there.filter(|file| file.starts_with(&top))
    };
    let canonical: Vec<Option<PathBuf>> = files.iter().map(real).collect();
    let inside: Vec<&PathBuf> = canonical.iter().flatten().collect();
    if inside.is_empty() {
        return Ok(Tracking::Known(vec![false; files.len()]));
    }
    // It takes paths as arguments alone, of which there may not be too many.
    const MOST_PATHS: usize = 200;
    let mut tracked = Vec::new();
    for some in inside.chunks(MOST_PATHS) {
        let mut arguments: Vec<&OsStr> =
            ["--literal-pathspecs", "ls-files", "-z", "--full-name", "--"].map(OsStr::new).to_vec();
        arguments.extend(some.iter().map(|path| path.as_os_str()));
        tracked.extend(paths_from(&top, &arguments, &[], &[0])?);
    }
    let ignoring = ["check-ignore", "-z", "--stdin"].map(OsStr::new);
    let ignored = paths_from(&top, &ignoring, &inside, &[0, 1])?;
    let full = |all: Vec<PathBuf>| all.into_iter().map(|path| top.join(path)).collect();
    let (tracked, ignored): (HashSet<PathBuf>, HashSet<PathBuf>) = (full(tracked), full(ignored));
    let is_tracked = |file: &Option<PathBuf>| {
        file.as_ref().is_some_and(|file| tracked.contains(file) || !ignored.contains(file))
    };
    Ok(Tracking::Known(canonical.iter().map(is_tracked).collect()))
}

/// The paths that a command of git prints when it is given some.
fn paths_from(
    top: &Path,
    arguments: &[&OsStr],
    given: &[&PathBuf],
    fine: &[i32],
) -> Result<Vec<PathBuf>, String> {
    let answer = ask(top, arguments, given)?;
    if !answer.status.code().is_some_and(|code| fine.contains(&code)) {
        return Err(format!("git: {}", printed(&answer).unwrap_or_default()));
    }
    let paths = answer.stdout.split(|byte| *byte == 0).filter(|path| !path.is_empty());
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
