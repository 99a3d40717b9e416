//! Drives the built service over HTTP, and holds every answer against its OpenAPI document.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    reason = "a test that cannot go on has failed"
)]

use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::io::{BufRead as _, BufReader, Read as _, Write as _};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Output, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};

const PROGRAM: &str = env!("CARGO_BIN_EXE_scope-service");

const SEED: &str = r#"justwhy = 1
[scope.everyone]
about = "What every job gets"
[scope.everyone.variables]
TIDE_POOL__MAX = { value = "8", updated = 2026-03-03T09:00:00Z, by = "mara" }
TIDE_SMS__KEY = { value = "canary-secret", secret = true }
[scope."team/shorewatch"]
visible_to = { service = ["alerts", "warn-*"] }
variables = { TIDE_POOL__MAX = "16" }
[scope."team/modellers".variables]
[scope."team_x".variables]
"#;

struct Service {
    child: Child,
    address: String,
    folder: Arc<tempfile::TempDir>,
}

impl Drop for Service {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// An answer: its status, its ETag and its body, `Null` without one.
type Answer = (u16, String, Value);

impl Service {
    fn start() -> Service {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("seed.toml"), SEED).unwrap();
        Service::in_folder(Arc::new(folder))
    }

    fn in_folder(folder: Arc<tempfile::TempDir>) -> Service {
        let mut command = Command::new(PROGRAM);
        command.args(["--listen", "127.0.0.1:0", "--data", "data", "--seed", "seed.toml"]);
        command.current_dir(folder.path()).stdout(Stdio::piped()).stderr(Stdio::null());
        let mut child = command.spawn().unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.as_mut().unwrap()).read_line(&mut line).unwrap();
        let address = line.trim().strip_prefix("listening on ").unwrap().to_owned();
        Service { child, address, folder }
    }

    fn tool(&self, arguments: &[&str]) -> Output {
        let mut command = Command::new(PROGRAM);
        command.args(arguments).args(["--data", "data"]).current_dir(self.folder.path());
        command.output().unwrap()
    }

    fn token(&self, role: &str) -> String {
        let made = self.tool(&["token", &format!("the {role}"), "--role", role]);
        assert!(made.status.success());
        String::from_utf8(made.stdout).unwrap().trim().to_owned()
    }

    /// Asks, and holds the answer against the document.
    fn ask(
        &self,
        method: &str,
        path: &str,
        token: &str,
        headers: &[(&str, &str)],
        body: Option<Value>,
    ) -> Answer {
        let body = body.map(|body| body.to_string());
        self.send(method, path, token, headers, body.as_deref()).expect("an answer")
    }

    fn get(&self, path: &str, token: &str) -> Answer {
        self.ask("GET", path, token, &[], None)
    }

    fn send(
        &self,
        method: &str,
        path: &str,
        token: &str,
        headers: &[(&str, &str)],
        body: Option<&str>,
    ) -> Option<Answer> {
        let agent = ureq::Agent::config_builder().http_status_as_error(false).build().new_agent();
        let mut request =
            ureq::http::Request::builder().method(method).uri(format!("{}{path}", self.address));
        if !token.is_empty() {
            request = request.header("Authorization", format!("Bearer {token}"));
        }
        for (name, value) in headers {
            request = request.header(*name, *value);
        }
        let request = request.body(body.unwrap_or_default().to_owned()).unwrap();
        let mut response = agent.run(request).ok()?;
        let status = response.status().as_u16();
        let etag = response.headers().get("etag").map(|it| it.to_str().unwrap().to_owned());
        let text = response.body_mut().read_to_string().ok()?;
        let body = if text.is_empty() { Value::Null } else { serde_json::from_str(&text).unwrap() };
        let etag = etag.unwrap_or_default();
        conforms(method, path, status, &etag, &body);
        Some((status, etag, body))
    }
}

/// Sends a signal, as a shell does.
fn signal(name: &str, service: &Service) -> std::io::Result<ExitStatus> {
    let command = format!("kill -{name} {}", service.child.id());
    Command::new("sh").args(["-c", &command]).status()
}

fn document() -> Value {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/scope-service.openapi.json");
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

fn resolved<'d>(document: &'d Value, at: &'d Value) -> &'d Value {
    match at["$ref"].as_str() {
        Some(reference) => document.pointer(reference.trim_start_matches('#')).expect(reference),
        None => at,
    }
}

/// Whether the answer is one that the document promises.
fn conforms(method: &str, path: &str, status: u16, etag: &str, body: &Value) {
    let document = document();
    let path = path.split('?').next().unwrap();
    let parts: Vec<&str> = path.split('/').collect();
    let fits = |template: &str| {
        let wanted: Vec<&str> = template.split('/').collect();
        wanted.len() == parts.len()
            && wanted.iter().zip(&parts).all(|(one, other)| one.starts_with('{') || one == other)
    };
    let paths = document["paths"].as_object().unwrap();
    let Some((_, item)) = paths.iter().find(|(template, _)| fits(template)) else {
        assert_eq!(status, 404, "{path} is not in the document");
        return;
    };
    let operation = &item[method.to_lowercase()];
    if operation.is_null() {
        assert_eq!(status, 405, "{method} {path} is not in the document");
        return;
    }
    let response = &operation["responses"][status.to_string()];
    assert!(
        !response.is_null(),
        "{method} {path} answers {status}, which is not in the document: {body}"
    );
    let response = resolved(&document, response);
    if !response["headers"]["ETag"].is_null() {
        let parts: Vec<&str> = etag.trim_matches('"').split('-').collect();
        let [revision, view, mark] = parts.as_slice() else { panic!("no ETag: {etag}") };
        assert!(revision.parse::<u64>().is_ok() && ["all", "open"].contains(view), "{etag}");
        assert_eq!(mark.len(), 16, "{etag}");
    }
    match response.pointer("/content/application~1json/schema") {
        None => assert!(body.is_null(), "{method} {path} {status}: {body}"),
        Some(schema) => {
            let mut schema = schema.clone();
            schema["components"] = document["components"].clone();
            let validator = jsonschema::draft202012::new(&schema).unwrap();
            let errors: Vec<String> =
                validator.iter_errors(body).map(|it| it.to_string()).collect();
            assert!(errors.is_empty(), "{method} {path} {status}: {errors:?} in {body}");
        }
    }
}

const ONE: &str = "/v1/scopes/everyone/variables/TIDE_POOL__MAX";
const KEY: &str = "/v1/scopes/everyone/variables/TIDE_SMS__KEY";

#[test]
fn each_role_may_do_what_it_may_and_no_more() {
    let service = Service::start();
    let [reader, runner, writer] = ["reader", "runner", "writer"].map(|role| service.token(role));
    assert_eq!(service.get("/v1/me", &reader).2, json!({ "name": "the reader", "role": "reader" }));
    let (_, tag, secret) = service.get(KEY, &reader);
    assert_eq!((&secret["value"], &secret["secret"]), (&Value::Null, &json!(true)));
    assert!(secret["revision"].as_u64().is_some() && tag.contains("-open-"), "{tag} {secret}");
    let (_, tag, secret) = service.get(KEY, &runner);
    assert_eq!(secret["value"], "canary-secret");
    assert!(tag.contains("-all-"), "{tag}");
    for path in ["/v1/scopes", "/v1/scopes/everyone", KEY, &format!("{KEY}/history")] {
        let everything = service.get(path, &reader).2.to_string();
        assert!(!everything.contains("canary"), "{path}: {everything}");
        assert!(service.get(path, &runner).2.to_string().contains("canary"), "{path}");
    }
    let write = json!({ "value": "9" });
    for (token, status) in
        [("", 401), ("nobody", 401), (&reader, 403), (&runner, 403), (&writer, 412)]
    {
        let headers = [("If-Match", "\"1-0123456789abcdef\"")];
        assert_eq!(service.ask("PUT", ONE, token, &headers, Some(write.clone())).0, status);
        assert_eq!(service.ask("DELETE", ONE, token, &headers, None).0, status);
    }
    for path in ["/v1/me", "/v1/scopes", "/v1/scopes/everyone", ONE] {
        assert_eq!(service.get(path, "").0, 401, "{path}");
    }
    // What is taken back opens nothing any more.
    assert!(service.tool(&["revoke", "the reader"]).status.success());
    assert_eq!(service.get("/v1/me", &reader).0, 401);
    assert!(!service.tool(&["revoke", "the reader"]).status.success());
}

#[test]
fn tokens_are_kept_as_hashes_and_the_file_is_private() {
    let service = Service::start();
    let token = service.token("writer");
    let tag = service.get(ONE, &token).1;
    service.ask("PUT", ONE, &token, &[("If-Match", &tag)], Some(json!({ "value": "9" })));
    let files = std::fs::read_dir(service.folder.path()).unwrap().flatten();
    for file in files.filter(|file| file.file_name() != "seed.toml") {
        let bytes = std::fs::read(file.path()).unwrap();
        let holds = bytes.windows(token.len()).any(|window| window == token.as_bytes());
        assert!(!holds, "{:?} holds a token", file.path());
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt as _;
            assert_eq!(
                file.metadata().unwrap().permissions().mode() & 0o077,
                0,
                "{:?}",
                file.path()
            );
        }
    }
}

#[test]
fn writes_only_over_what_was_read() {
    let service = Service::start();
    let writer = service.token("writer");
    let put = |headers: &[(&str, &str)], value: &str| {
        service.ask("PUT", ONE, &writer, headers, Some(json!({ "value": value })))
    };
    assert_eq!(put(&[], "9").0, 428);
    assert_eq!(put(&[("If-Match", "*")], "9").0, 400);
    assert_eq!(put(&[("If-None-Match", "*")], "9").0, 412);
    let (_, tag, _) = service.get(ONE, &writer);
    let (status, new_tag, written) = put(&[("If-Match", &tag)], "9");
    assert_eq!((status, written["by"].as_str()), (200, Some("the writer")));
    let (status, _, refused) = put(&[("If-Match", &tag)], "10");
    assert_eq!((status, &refused["error"]["code"]), (412, &json!("conflict")));
    assert_eq!(refused["error"]["revision"], written["revision"]);
    assert_eq!(service.get(ONE, &writer).2["value"], "9");
    // A new one, what it is meant for, and that it stays secret.
    let path = "/v1/scopes/team%2Fshorewatch/variables/TIDE_NEW";
    let body = json!({ "value": "s", "secret": true, "visible_to": { "region": "north" } });
    let (status, tag, _) = service.ask("PUT", path, &writer, &[("If-None-Match", "*")], Some(body));
    assert_eq!(status, 201);
    service.ask("PUT", path, &writer, &[("If-Match", &tag)], Some(json!({ "value": "t" })));
    let (_, tag, kept) = service.get(path, &writer);
    assert_eq!(
        (&kept["secret"], &kept["visible_to"]),
        (&json!(true), &json!({ "region": "north" }))
    );
    // Deleted, it is gone, and its history is not.
    assert_eq!(service.ask("DELETE", path, &writer, &[], None).0, 428);
    assert_eq!(service.ask("DELETE", path, &writer, &[("If-Match", &tag)], None).0, 200);
    assert_eq!(service.get(path, &writer).0, 404);
    let history = service.get(&format!("{path}/history"), &writer).2;
    let deleted: Vec<bool> =
        history["versions"].as_array().unwrap().iter().map(|it| it["deleted"] == true).collect();
    assert_eq!(deleted, [true, false, false]);
    assert_ne!(new_tag, tag);
}

#[test]
fn bad_requests_are_refused_in_a_clear_way() {
    let service = Service::start();
    let writer = service.token("writer");
    let new = [("If-None-Match", "*")];
    for (method, path, body, status) in [
        ("GET", "/", None, 404),
        ("GET", "/v1/scopes/nowhere", None, 404),
        ("GET", "/v1/scopes/a%2F..%2Fb", None, 400),
        ("GET", "/v1/scopes/everyone/variables/TIDE-X", None, 400),
        ("GET", "/v1/scopes?limit=0", None, 400),
        ("GET", "/v1/scopes?limit=1001", None, 400),
        ("GET", "/v1/scopes?limit=many", None, 400),
        ("GET", "/v1/scopes?after=nonsense", None, 400),
        ("POST", "/v1/scopes", None, 405),
        ("PUT", "/v1/scopes/nowhere/variables/X", Some("{\"value\":\"1\"}"), 404),
        ("PUT", "/v1/scopes/everyone/variables/X", Some("canary"), 400),
        ("PUT", "/v1/scopes/everyone/variables/X", Some("{\"value\":1}"), 400),
        ("PUT", "/v1/scopes/everyone/variables/X", Some("{\"value\":\"1\",\"secrte\":true}"), 400),
        ("DELETE", "/v1/scopes/everyone/variables/X", None, 400),
    ] {
        let answer = service.send(method, path, &writer, &new, body).unwrap();
        assert_eq!(answer.0, status, "{method} {path}");
        assert!(!answer.2.to_string().contains("canary"), "{}", answer.2);
    }
    let long = json!({ "value": "x".repeat(300_000) }).to_string();
    let refused =
        service.send("PUT", "/v1/scopes/everyone/variables/X", &writer, &new, Some(&long));
    // Whoever sends too much may be cut off before the answer can be read.
    assert!(refused.is_none_or(|answer| answer.0 == 413));
    assert_eq!(service.get("/v1/me", &writer).0, 200);
    // An address that is not this machine is not listened on.
    let refused = service.tool(&["--listen", "0.0.0.0:0"]);
    assert_eq!(refused.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&refused.stderr).contains("loopback only"));
}

#[test]
fn pages_are_of_one_revision() {
    let service = Service::start();
    let writer = service.token("writer");
    let names = |page: &Value| -> Vec<String> {
        page["scopes"]
            .as_array()
            .unwrap()
            .iter()
            .map(|it| it["name"].as_str().unwrap().to_owned())
            .collect()
    };
    let page = |query: &str| service.get(&format!("/v1/scopes?{query}"), &writer);
    let first = page("limit=2").2;
    assert_eq!(names(&first), ["everyone", "team/modellers"]);
    let next = first["next"].as_str().unwrap().replace('/', "%2F");
    let second = page(&format!("limit=2&after={next}")).2;
    assert_eq!(names(&second), ["team/shorewatch", "team_x"]);
    assert!(second["next"].is_null());
    // An underscore is no wildcard.
    assert_eq!(names(&page("prefix=team_").2), ["team_x"]);
    assert_eq!(names(&page("prefix=team%2F").2), ["team/modellers", "team/shorewatch"]);
    assert!(names(&page("prefix=%25").2).is_empty());
    let (_, tag, _) = page("");
    let known = [("If-None-Match", tag.as_str())];
    assert_eq!(service.ask("GET", "/v1/scopes", &writer, &known, None).0, 304);
    let tag = service.get(ONE, &writer).1;
    service.ask("PUT", ONE, &writer, &[("If-Match", &tag)], Some(json!({ "value": "9" })));
    assert_eq!(service.ask("GET", "/v1/scopes", &writer, &known, None).0, 200);
    assert_eq!(page(&format!("limit=2&after={next}")).0, 409);
}

#[test]
fn no_acknowledged_write_is_lost_by_a_race_or_a_kill() {
    let service = Service::start();
    let writer = service.token("writer");
    let (acknowledged, over) = (AtomicU64::new(8), AtomicBool::new(false));
    let done = AtomicU64::new(0);
    std::thread::scope(|scope| {
        for _ in 0..3 {
            scope.spawn(|| {
                while !over.load(Ordering::SeqCst) {
                    let Some((200, tag, now)) = service.send("GET", ONE, &writer, &[], None) else {
                        break;
                    };
                    let next = now["value"].as_str().unwrap().parse::<u64>().unwrap() + 1;
                    let body = json!({ "value": next.to_string() }).to_string();
                    match service.send("PUT", ONE, &writer, &[("If-Match", &tag)], Some(&body)) {
                        Some((200, ..)) => {
                            acknowledged.fetch_max(next, Ordering::SeqCst);
                            done.fetch_add(1, Ordering::SeqCst);
                        }
                        Some((412, ..)) => {}
                        other => {
                            assert!(other.is_none(), "{other:?}");
                            break;
                        }
                    }
                }
            });
        }
        let until = Instant::now() + Duration::from_secs(60);
        while done.load(Ordering::SeqCst) < 30 && Instant::now() < until {
            std::thread::sleep(Duration::from_millis(5));
        }
        // In the middle of it.
        let kill = signal("KILL", &service);
        assert!(kill.unwrap().success());
        over.store(true, Ordering::SeqCst);
    });
    let again = Service::in_folder(Arc::clone(&service.folder));
    let (status, _, now) = again.get(ONE, &writer);
    assert_eq!(status, 200);
    let value: u64 = now["value"].as_str().unwrap().parse().unwrap();
    let known = acknowledged.load(Ordering::SeqCst);
    // Each of the three may have written once more without an answer.
    assert!((known..=known + 3).contains(&value), "{value}, and {known} was acknowledged");
    assert_eq!(value - 8, {
        let history = again.get(&format!("{ONE}/history"), &writer).2;
        history["versions"].as_array().unwrap().len() as u64 - 1
    });
}

#[test]
fn ends_cleanly_when_asked_to_and_seeds_once() {
    let mut service = Service::start();
    let writer = service.token("writer");
    let tag = service.get(ONE, &writer).1;
    service.ask("PUT", ONE, &writer, &[("If-Match", &tag)], Some(json!({ "value": "9" })));
    // Somebody holds a connection open, and says nothing.
    let host = service.address.trim_start_matches("http://").to_owned();
    let mut idle = TcpStream::connect(&host).unwrap();
    idle.write_all(b"GET /v1/me HTTP/1.1\r\n").unwrap();
    let terminate = signal("TERM", &service);
    assert!(terminate.unwrap().success());
    let began = Instant::now();
    let status = service.child.wait().unwrap();
    assert!(status.success() && began.elapsed() < Duration::from_secs(20), "{status}");
    let _ = idle.read(&mut [0; 16]);
    // What was written is there; the seed is not taken in again.
    let again = Service::in_folder(Arc::clone(&service.folder));
    assert_eq!(again.get(ONE, &writer).2["value"], "9");
}

#[test]
fn a_wrong_seed_or_file_is_told_of() {
    let folder = tempfile::tempdir().unwrap();
    let run = |seed: &str, data: &str| {
        std::fs::write(folder.path().join("seed.toml"), seed).unwrap();
        let mut command = Command::new(PROGRAM);
        command.args(["--listen", "127.0.0.1:0", "--seed", "seed.toml", "--data", data]);
        let output = command.current_dir(folder.path()).output().unwrap();
        assert_eq!(output.status.code(), Some(2));
        String::from_utf8(output.stderr).unwrap()
    };
    let told = run("justwhy = 1\n[scope.a.variables]\nX = 1\n", "data");
    assert!(told.contains("seed.toml:3:1: `X` must be a string"), "{told}");
    let database: PathBuf = folder.path().join("no-database");
    std::fs::write(&database, "this is no database at all, and long enough to be one by its size")
        .unwrap();
    let told = run(SEED, "no-database");
    assert!(told.contains("no-database cannot be used"), "{told}");
    assert_eq!(std::fs::read_to_string(&database).unwrap().len(), 65);
    assert!(run(SEED, "nowhere/data").contains("cannot be used"));
}

#[test]
fn the_document_has_nothing_that_is_not_there() {
    let document = document();
    let referred: BTreeSet<String> = document
        .to_string()
        .split("\"$ref\":\"#")
        .skip(1)
        .map(|rest| rest.split('"').next().unwrap().to_owned())
        .collect();
    for reference in &referred {
        assert!(document.pointer(reference).is_some(), "{reference}");
    }
    for (kind, things) in document["components"].as_object().unwrap() {
        for name in things.as_object().unwrap().keys().filter(|_| kind != "securitySchemes") {
            assert!(
                referred.contains(&format!("/components/{kind}/{name}")),
                "{kind}/{name} is of no use"
            );
        }
    }
}

#[test]
fn what_became_secret_is_one_in_its_history_and_stays_one() {
    let service = Service::start();
    let [reader, runner, writer] = ["reader", "runner", "writer"].map(|role| service.token(role));
    let put = |tag: &str, body: Value| {
        let header = if tag.is_empty() { ("If-None-Match", "*") } else { ("If-Match", tag) };
        service.ask("PUT", &path(), &writer, &[header], Some(body))
    };
    let seen = |token: &str| {
        let now = service.get(&path(), token).2.to_string();
        now + &service.get(&format!("{}/history", path()), token).2.to_string()
    };
    let (_, tag, _) = put("", json!({ "value": "canary-plain" }));
    assert!(seen(&reader).contains("canary-plain"));
    // The same value is a secret from now on, and was one before.
    let (status, tag, _) = put(&tag, json!({ "value": "canary-plain", "secret": true }));
    assert_eq!(status, 200);
    assert!(!seen(&reader).contains("canary"), "{}", seen(&reader));
    assert!(seen(&runner).contains("canary-plain"));
    // Deleted and set again without a mark it is still one.
    assert_eq!(service.ask("DELETE", &path(), &writer, &[("If-Match", &tag)], None).0, 200);
    assert_eq!(put("", json!({ "value": "canary-again" })).0, 201);
    assert!(!seen(&reader).contains("canary"), "{}", seen(&reader));
    assert_eq!(service.get(&path(), &reader).2["secret"], true);
}

fn path() -> String {
    "/v1/scopes/everyone/variables/TIDE_LATER".to_owned()
}

#[test]
fn a_history_is_told_in_pages() {
    let service = Service::start();
    let writer = service.token("writer");
    let mut tag = service.get(ONE, &writer).1;
    for number in 0..120 {
        let body = json!({ "value": number.to_string() });
        tag = service.ask("PUT", ONE, &writer, &[("If-Match", &tag)], Some(body)).1;
    }
    let (mut at, mut told) = (format!("{ONE}/history"), Vec::new());
    loop {
        let page = service.get(&at, &writer).2;
        let versions = page["versions"].as_array().unwrap().clone();
        assert!(versions.len() <= 100, "{}", versions.len());
        told.extend(versions.iter().map(|it| it["revision"].as_u64().unwrap()));
        assert!(told.len() <= 121, "it never ends");
        match page["next"].as_u64() {
            Some(next) => at = format!("{ONE}/history?before={next}"),
            None => break,
        }
    }
    assert_eq!(told.len(), 121);
    assert!(told.windows(2).all(|pair| pair[0] > pair[1]), "{told:?}");
}

#[test]
fn connections_that_say_nothing_keep_nobody_out_for_ever() {
    let service = Service::start();
    let reader = service.token("reader");
    let host = service.address.strip_prefix("http://").unwrap().to_owned();
    let silent: Vec<TcpStream> = (0..400).filter_map(|_| TcpStream::connect(&host).ok()).collect();
    assert!(silent.len() > 100);
    let start = Instant::now();
    let mut status = 0;
    while status != 200 && start.elapsed() < Duration::from_secs(60) {
        status = service.send("GET", "/v1/me", &reader, &[], None).map_or(0, |it| it.0);
    }
    assert_eq!(status, 200, "they hold it up for more than a minute");
    drop(silent);
}

/// What is answered to the bytes of a request.
fn raw(service: &Service, request: &str) -> String {
    let host = service.address.strip_prefix("http://").unwrap();
    let mut stream = TcpStream::connect(host).unwrap();
    stream.set_read_timeout(Some(Duration::from_secs(30))).unwrap();
    stream.write_all(request.as_bytes()).unwrap();
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer);
    String::from_utf8_lossy(&answer).into_owned()
}

#[test]
fn requests_with_two_lengths_are_refused() {
    let service = Service::start();
    let writer = service.token("writer");
    let answer = raw(
        &service,
        &format!(
            "PUT {ONE} HTTP/1.1\r\nHost: x.example\r\nAuthorization: Bearer {writer}\r\nConnection: close\r\n\
             If-None-Match: *\r\nContent-Length: 5\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n"
        ),
    );
    assert!(answer.starts_with("HTTP/1.1 400"), "{answer}");
    assert_eq!(service.get(ONE, &writer).2["value"], "8");
}

#[test]
fn names_and_conditions_that_could_never_be_used_are_refused() {
    let service = Service::start();
    let writer = service.token("writer");
    assert!(!service.tool(&["token", &"x".repeat(300), "--role", "writer"]).status.success());
    let body = json!({ "value": "1", "visible_to": { "team": [] } });
    let path = "/v1/scopes/everyone/variables/TIDE_NOBODY";
    assert_eq!(service.ask("PUT", path, &writer, &[("If-None-Match", "*")], Some(body)).0, 400);
    assert_eq!(service.get(path, &writer).0, 404);
}

#[cfg(unix)]
#[test]
fn loose_files_are_made_private_and_one_that_is_gone_is_noticed() {
    use std::os::unix::fs::PermissionsExt as _;
    let folder = {
        let service = Service::start();
        service.token("reader");
        Arc::clone(&service.folder)
    };
    let file = folder.path().join("data");
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o644)).unwrap();
    let service = Service::in_folder(Arc::clone(&folder));
    let mode = std::fs::metadata(&file).unwrap().permissions().mode();
    assert_eq!(mode & 0o077, 0, "{mode:o}");
    let token = service.token("writer");
    let tag = service.get(ONE, &token).1;
    std::fs::remove_file(&file).unwrap();
    // No write is acknowledged that nobody will ever read.
    let body = Some(json!({ "value": "lost" }));
    let (status, _, _) = service.ask("PUT", ONE, &token, &[("If-Match", &tag)], body);
    assert_eq!(status, 503);
}

#[test]
fn a_database_made_anew_is_another_one() {
    let folder = {
        let service = Service::start();
        Arc::clone(&service.folder)
    };
    let (tag, value) = {
        let service = Service::in_folder(Arc::clone(&folder));
        let writer = service.token("writer");
        let (_, tag, read) = service.get(ONE, &writer);
        (tag, read["revision"].clone())
    };
    for file in std::fs::read_dir(folder.path()).unwrap().flatten() {
        if file.file_name() != "seed.toml" {
            std::fs::remove_file(file.path()).unwrap();
        }
    }
    let service = Service::in_folder(folder);
    let writer = service.token("writer");
    let (_, anew, read) = service.get(ONE, &writer);
    assert_eq!(read["revision"], value, "the numbers are the same");
    assert_ne!(anew, tag);
    let body = Some(json!({ "value": "9" }));
    assert_eq!(service.ask("PUT", ONE, &writer, &[("If-Match", &tag)], body.clone()).0, 412);
    assert_eq!(service.ask("GET", ONE, &writer, &[("If-None-Match", &tag)], None).0, 200);
    assert_eq!(service.ask("PUT", ONE, &writer, &[("If-Match", &anew)], body).0, 200);
}
