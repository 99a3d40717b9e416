//! Stores that are not files, for tests: the service as it ships, one that misbehaves, and etcd. All of
//! them listen on this machine alone, and end with the test.

use super::{PROGRAM, Place, Run};
use std::io::{BufRead as _, BufReader, Read as _, Write as _};
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// The variable that holds the token of the store `hq` in the projects of these tests.
pub(crate) const VARIABLE: &str = "TIDE_HQ_TOKEN";

/// A process that ends with the test.
pub(crate) struct Running(pub(crate) Child);

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// The service that ships with the workspace, with a token for each role.
pub(crate) struct Service {
    pub(crate) address: String,
    pub(crate) reader: String,
    pub(crate) runner: String,
    pub(crate) writer: String,
    _running: Running,
    _folder: tempfile::TempDir,
}

/// Where the service was built: beside the program, which one command builds together.
fn service_program() -> PathBuf {
    let program = Path::new(PROGRAM).with_file_name("scope-service");
    if !program.exists() {
        // Only one of the two was asked for.
        let manifest = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../Cargo.toml");
        let mut cargo = Command::new(env!("CARGO"));
        cargo.args(["build", "--quiet", "--package", "scope-service", "--manifest-path"]);
        assert!(cargo.arg(manifest).status().unwrap().success(), "the service cannot be built");
    }
    program
}

impl Service {
    /// Runs it with scopes of a store file.
    pub(crate) fn with(scopes: &str) -> Service {
        Service::at("127.0.0.1:0", scopes)
    }

    /// The same at an address of its choice.
    pub(crate) fn at(listen: &str, scopes: &str) -> Service {
        let folder = tempfile::tempdir().unwrap();
        let (data, seed) = (folder.path().join("data"), folder.path().join("seed.toml"));
        std::fs::write(&seed, scopes).unwrap();
        let token = |name: &str, role: &str| {
            let mut command = Command::new(service_program());
            command.args(["token", name, "--role", role, "--data"]).arg(&data);
            let output = command.output().unwrap();
            assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
            String::from_utf8(output.stdout).unwrap().trim().to_owned()
        };
        let (reader, runner) = (token("mara", "reader"), token("nightly", "runner"));
        let writer = token("jonas", "writer");
        let mut command = Command::new(service_program());
        command.args(["--listen", listen, "--data"]).arg(&data).arg("--seed").arg(&seed);
        let mut child = command.stdout(Stdio::piped()).stderr(Stdio::inherit()).spawn().unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.as_mut().unwrap()).read_line(&mut line).unwrap();
        let address = line.trim().strip_prefix("listening on ").expect("an address").to_owned();
        let _running = Running(child);
        Service { address, reader, runner, writer, _running, _folder: folder }
    }
}

/// A request as a misbehaving service saw it.
#[derive(Clone, Debug)]
pub(crate) struct Seen {
    /// The method and path.
    pub(crate) line: String,
    pub(crate) head: String,
}

/// A service that answers each request as a test says, on a connection of its own.
pub(crate) struct Faulty {
    pub(crate) address: String,
    pub(crate) seen: Arc<Mutex<Vec<Seen>>>,
    pub(crate) connections: Arc<AtomicUsize>,
}

impl Faulty {
    /// `answer` writes whatever it wants to the connection.
    pub(crate) fn new(answer: impl Fn(&Seen, &mut TcpStream) + Send + Sync + 'static) -> Faulty {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let address = format!("http://{}", listener.local_addr().unwrap());
        let (seen, connections) = (Arc::default(), Arc::new(AtomicUsize::new(0)));
        let (log, count) = (Arc::clone(&seen), Arc::clone(&connections));
        let answer = Arc::new(answer);
        // It ends with the process of the test.
        std::thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                count.fetch_add(1, Ordering::SeqCst);
                let (log, answer) = (Arc::clone(&log), Arc::clone(&answer));
                std::thread::spawn(move || serve(stream, &log, &*answer));
            }
        });
        Faulty { address, seen, connections }
    }

    /// One that answers every request with these bytes.
    pub(crate) fn saying(answer: &str) -> Faulty {
        let answer = answer.to_owned();
        Faulty::new(move |_, stream| drop(stream.write_all(answer.as_bytes())))
    }

    pub(crate) fn requests(&self) -> Vec<String> {
        self.seen.lock().unwrap().iter().map(|seen| seen.line.clone()).collect()
    }
}

fn serve(mut stream: TcpStream, log: &Mutex<Vec<Seen>>, answer: &dyn Fn(&Seen, &mut TcpStream)) {
    let mut head = Vec::new();
    let mut byte = [0];
    while !head.ends_with(b"\r\n\r\n") {
        match stream.read(&mut byte) {
            Ok(1) => head.push(byte[0]),
            _ => return,
        }
    }
    let head = String::from_utf8_lossy(&head).into_owned();
    let line = head.lines().next().unwrap_or_default().trim_end_matches(" HTTP/1.1").to_owned();
    let seen = Seen { line, head };
    log.lock().unwrap().push(seen.clone());
    answer(&seen, &mut stream);
}

/// An answer of JSON with its tag.
pub(crate) fn json_answer(status: &str, etag: &str, body: &str) -> String {
    format!(
        "HTTP/1.1 {status}\r\nContent-Type: application/json\r\nETag: {etag}\r\nContent-Length: \
         {}\r\nConnection: close\r\n\r\n{body}",
        body.len()
    )
}

/// A project that reads scopes of the store `hq`.
pub(crate) struct Remote {
    pub(crate) place: Place,
    pub(crate) token: String,
    /// The user's own folder, which is no part of the project.
    pub(crate) home: tempfile::TempDir,
}

impl Remote {
    /// With these fields of the store, and these layers.
    pub(crate) fn new(store: &str, layers: &str, token: &str) -> Remote {
        let project = format!(
            "justwhy = 1\n[variables]\nprefix = \"TIDE_\"\n[[axis]]\nname = \"team\"\nopen = true\n\
             [[axis]]\nname = \"service\"\nopen = true\n[store.hq]\n{store}\n[[layer]]\nname = \
             \"defaults\"\nvalues = {{ pool.max = 4, sms.sender = \"TIDE\" }}\n{layers}"
        );
        let place = Place::new(&[("justwhy.toml", &project)]);
        Remote { place, token: token.to_owned(), home: tempfile::tempdir().unwrap() }
    }

    /// With a service at an address, one layer that reads one scope and one that reads several.
    pub(crate) fn at(address: &str, token: &str) -> Remote {
        let store = format!("url = \"{address}\"\ntoken_variable = \"{VARIABLE}\"");
        Remote::new(&store, LAYERS, token)
    }

    /// Allows an address, with further fields.
    pub(crate) fn allow(&self, address: &str, more: &str) {
        let old = std::fs::read_to_string(self.home("stores.toml"));
        let old = old.unwrap_or_else(|_| "justwhy = 1\n".to_owned());
        let text = format!(
            "{old}[[allow]]\norigin = \"{address}\"\ntoken_variable = \"{VARIABLE}\"\n{more}\n"
        );
        self.permit(&text);
    }

    /// Lets the user allow just that.
    pub(crate) fn permit(&self, text: &str) {
        std::fs::write(self.home("stores.toml"), text).unwrap();
    }

    /// A path in the user's own folder.
    pub(crate) fn home(&self, path: &str) -> PathBuf {
        self.home.path().join(path)
    }

    pub(crate) fn command(&self, arguments: &[&str]) -> Command {
        let mut command = self.place.command(arguments);
        command.env("JUSTWHY_STORES", self.home("stores.toml"));
        command.env("XDG_CACHE_HOME", self.home("cache"));
        command.env(VARIABLE, &self.token);
        command
    }

    pub(crate) fn run(&self, arguments: &[&str]) -> Run {
        self.place.finish(&mut self.command(arguments))
    }

    /// The contents of everything that is kept for the user.
    pub(crate) fn kept(&self) -> String {
        let folder = self.home("cache/justwhy/stores");
        let files = std::fs::read_dir(folder).into_iter().flatten().flatten();
        files.map(|file| std::fs::read_to_string(file.path()).unwrap()).collect()
    }
}

/// A layer that reads one scope, and one that reads several.
pub(crate) const LAYERS: &str = "[[layer]]\nname = \"for-everyone\"\nscope = \"everyone\"\n\
                                 [[layer]]\nname = \"teams\"\nscope = \"team/*\"\n";

/// Waits until something is so.
pub(crate) fn wait_until(what: &str, mut is_so: impl FnMut() -> bool) {
    let until = Instant::now() + Duration::from_secs(30);
    while !is_so() {
        assert!(Instant::now() < until, "{what} took too long");
        std::thread::sleep(Duration::from_millis(50));
    }
}

/// A port that nobody listens on now.
pub(crate) fn free_port() -> u16 {
    TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}
