//! Stores in etcd, with a real one on this machine. Without it these tests are shown as ignored, and a
//! line says why.

#![allow(clippy::print_stderr, reason = "this is the program that runs the tests")]
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    reason = "a test that cannot go on has failed"
)]

mod common;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use common::remote::{LAYERS, Remote, Running, VARIABLE, free_port, wait_until};
use justwhy_project::{Project, Store};
use justwhy_stores::{Change, Client, Expected, Options, WriteProblem};
use justwhy_system::{Place, System};
use libtest_mimic::{Arguments, Trial};
use serde_json::{Value, json};
use std::path::Path;
use std::process::{Command, ExitCode, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};

fn main() -> ExitCode {
    let arguments = Arguments::from_args();
    let is_there = Command::new("etcd").arg("--version").output().is_ok();
    if !is_there {
        eprintln!("\nNOT RUN: the tests of stores in etcd, as there is no etcd on this machine");
        eprintln!("(Debian: apt-get install etcd-server; scripts/test does that)");
    }
    let test = |name: &str, test: fn()| {
        Trial::test(name, move || {
            test();
            Ok(())
        })
        .with_ignored_flag(!is_there)
    };
    libtest_mimic::run(
        &arguments,
        vec![
            test("etcd_answers_as_a_file_does", answers_as_a_file_does),
            test("etcd_is_written_to", is_written_to),
            test("etcd_lets_in_by_user_and_password_or_by_token", lets_in_by_password_or_token),
            test("etcd_is_trusted_by_its_certificate", is_trusted_by_its_certificate),
            test("etcd_takes_one_of_two_writers", takes_one_of_two_writers),
            test("a_cluster_without_its_leader_is_right_or_says_no", a_cluster_without_its_leader),
        ],
    )
    .exit_code()
}

/// A node of etcd.
struct Node {
    running: Running,
    address: String,
    folder: tempfile::TempDir,
}

impl Node {
    fn start(name: &str, address: &str, more: &[&str]) -> Node {
        let folder = tempfile::tempdir().unwrap();
        let mut command = Command::new("etcd");
        command.args(["--name", name, "--data-dir"]).arg(folder.path().join("data"));
        command.args(["--listen-client-urls", address, "--advertise-client-urls", address]);
        command.args(["--logger", "zap", "--log-level", "error"]).args(more);
        command.stdout(Stdio::null()).stderr(Stdio::null());
        let running = Running(command.spawn().unwrap());
        Node { running, address: address.to_owned(), folder }
    }

    /// One that is alone.
    fn alone() -> Node {
        let address = format!("http://127.0.0.1:{}", free_port());
        let peer = format!("http://127.0.0.1:{}", free_port());
        let cluster = format!("one={peer}");
        let peers = ["--listen-peer-urls", &peer, "--initial-advertise-peer-urls", &peer];
        let node =
            Node::start("one", &address, &[&peers[..], &["--initial-cluster", &cluster]].concat());
        node.wait();
        node
    }

    fn wait(&self) {
        wait_until("etcd", || {
            call(&self.address, "/v3/maintenance/status", &json!({}), None).is_some()
        });
    }

    fn call(&self, path: &str, body: &Value) -> Value {
        call(&self.address, path, body, None).expect(path)
    }
}

/// Asks etcd directly, as somebody else than the program would.
fn call(address: &str, path: &str, body: &Value, token: Option<&str>) -> Option<Value> {
    let agent = ureq::Agent::config_builder()
        .timeout_global(Some(Duration::from_secs(5)))
        .build()
        .new_agent();
    let mut request = agent.post(format!("{address}{path}"));
    if let Some(token) = token {
        request = request.header("Authorization", token);
    }
    let text = request.send(body.to_string()).ok()?.body_mut().read_to_string().ok()?;
    serde_json::from_str(&text).ok()
}

fn encode(text: &str) -> String {
    STANDARD.encode(text)
}

const SCOPES: [(&str, &str); 8] = [
    ("/tides/everyone/", r#"{"about":"What every job gets"}"#),
    ("/tides/everyone/TIDE_POOL__MAX", r#""8""#),
    (
        "/tides/everyone/TIDE_SMS__SENDER",
        r#"{"value":"TIDE-WARN","by":"mara","updated":"2026-03-03T09:00:00Z"}"#,
    ),
    ("/tides/team/a/", r#"{"visible_to":{"service":["alerts","warn-*"]}}"#),
    ("/tides/team/a/TIDE_POOL__MAX", r#""16""#),
    ("/tides/team/b/TIDE_SMS__KEY", r#"{"value":"canary-of-b","secret":true}"#),
    // Deeper than what `team/*` means, and beside what is asked for.
    ("/tides/team/a/deep/TIDE_POOL__MAX", r#""64""#),
    ("/tides/everyone-else/TIDE_POOL__MAX", r#""99""#),
];

const FILE: &str = r#"justwhy = 1
[scope.everyone]
about = "What every job gets"
variables = { TIDE_POOL__MAX = "8", TIDE_SMS__SENDER = { value = "TIDE-WARN", updated = 2026-03-03T09:00:00Z, by = "mara" } }
[scope."team/a"]
visible_to = { service = ["alerts", "warn-*"] }
variables = { TIDE_POOL__MAX = "16" }
[scope."team/b".variables]
TIDE_SMS__KEY = { value = "canary-of-b", secret = true }
"#;

fn fill(address: &str, token: Option<&str>) {
    for (key, value) in SCOPES {
        let body = json!({ "key": encode(key), "value": encode(value) });
        call(address, "/v3/kv/put", &body, token).expect(key);
    }
}

fn remote(endpoints: &[&str], more: &str, token: &str) -> Remote {
    let store = format!("etcd = {endpoints:?}\nroot = \"/tides\"\n{more}");
    Remote::new(&store, LAYERS, token)
}

fn with_variable(endpoints: &[&str], token: &str) -> Remote {
    remote(endpoints, &format!("token_variable = \"{VARIABLE}\""), token)
}

fn allow_without_token(remote: &Remote, addresses: &[&str], more: &str) {
    let mut text = "justwhy = 1\n".to_owned();
    for address in addresses {
        text.push_str(&format!("[[allow]]\norigin = \"{address}\"\n{more}\n"));
    }
    remote.permit(&text);
}

fn settings(json: &str) -> String {
    let mut answer: Value = serde_json::from_str(json).expect(json);
    for setting in answer["settings"].as_array_mut().unwrap() {
        let setting = setting.as_object_mut().unwrap();
        setting.remove("fingerprint");
        if let Some(winner) = setting.get_mut("winner").and_then(Value::as_object_mut) {
            winner.retain(|field, _| field == "layer" || field == "name");
        }
    }
    answer.to_string()
}

fn answers_as_a_file_does() {
    let node = Node::alone();
    fill(&node.address, None);
    let far = remote(&[&node.address], "", "");
    allow_without_token(&far, &[&node.address], "");
    let near = Remote::new("file = \"scopes.toml\"", LAYERS, "");
    near.place.file("scopes.toml", FILE.as_bytes());
    for context in ["service=alerts", "service=warn-coast", "service=collector", "team=a"] {
        let list = ["list", "--in", context, "--output", "json"];
        let (far, near) = (far.run(&list), near.run(&list));
        assert_eq!((far.code, near.code), (0, 0), "{}", far.all());
        assert_eq!(settings(&far.stdout), settings(&near.stdout), "{context}");
    }
    let run = far.run(&["explain", "sms.sender", "--output", "json"]);
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let said = &answer["settings"][0]["candidates"][0];
    assert_eq!(said["source"], "hq:everyone");
    let stored =
        node.call("/v3/kv/range", &json!({ "key": encode("/tides/everyone/TIDE_SMS__SENDER") }));
    assert_eq!(said["revision"].to_string(), stored["kvs"][0]["mod_revision"].as_str().unwrap());
    // One request for each prefix, and what is kept has no secret in it.
    let run = far.run(&["list", "--verbose"]);
    assert_eq!(run.stderr.matches("asked: POST").count(), 2, "{}", run.stderr);
    assert!(!far.kept().contains("canary") && far.kept().contains("TIDE-WARN"));
    assert!(far.run(&["list", "--offline"]).stdout.contains("TIDE-WARN"));
    assert!(!run.all().contains("canary"));
    // What is not JSON is told of by its key, and not shown.
    let body = json!({ "key": encode("/tides/everyone/TIDE_X"), "value": encode("canary plain") });
    node.call("/v3/kv/put", &body);
    let run = far.run(&["list"]);
    assert_eq!(run.code, 2);
    assert!(run.stderr.contains("/tides/everyone/TIDE_X"), "{}", run.stderr);
    assert!(!run.all().contains("canary"), "{}", run.all());
}

/// `put`, `drop` and `move` write to etcd, and leave alone whom a variable is meant for.
fn is_written_to() {
    let node = Node::alone();
    fill(&node.address, None);
    let remote = remote(&[&node.address], "", "");
    allow_without_token(&remote, &[&node.address], "");
    let key = encode("/tides/everyone/TIDE_POOL__MAX");
    let held = json!({ "value": "8", "visible_to": { "service": "gauges" } }).to_string();
    node.call("/v3/kv/put", &json!({ "key": key, "value": encode(&held) }));
    let value = |context: &str| {
        let run = remote.run(&["list", "pool.max", "--in", context, "--output", "json"]);
        let answer: Value = serde_json::from_str(&run.stdout).unwrap();
        answer["settings"][0]["value"].clone()
    };
    let put = ["put", "pool.max", "9", "--layer", "for-everyone", "--in", "service=gauges"];
    let run = remote.run(&put);
    assert!(
        run.stdout.contains("set pool.max in scope everyone of hq (for-everyone)"),
        "{}",
        run.all()
    );
    assert_eq!((value("service=gauges"), value("service=collector")), (json!(9), json!(4)));
    let drop = ["drop", "pool.max", "--layer", "for-everyone", "--in", "service=gauges"];
    let run = remote.run(&drop);
    assert_eq!((run.code, value("service=gauges")), (0, json!(4)), "{}", run.all());
    let run = remote.run(&["put", "web.banner", "high \"water\"", "--layer", "for-everyone"]);
    assert_eq!(run.code, 0, "{}", run.all());
    let run = remote.run(&["move", "web.banner", "--from", "for-everyone", "--to", "defaults"]);
    assert_eq!(run.code, 0, "{}", run.all());
    let project = std::fs::read_to_string(remote.place.path().join("justwhy.toml")).unwrap();
    assert!(project.contains("high \\\"water\\\""), "{project}");
}

fn lets_in_by_password_or_token() {
    let node = Node::alone();
    fill(&node.address, None);
    let user = |name: &str, password: &str, role: &str| {
        node.call("/v3/auth/user/add", &json!({ "name": name, "password": password }));
        node.call("/v3/auth/role/add", &json!({ "name": role }));
        node.call("/v3/auth/user/grant", &json!({ "user": name, "role": role }));
    };
    user("root", "canary-root", "root");
    user("mara", "canary-of-mara", "reading");
    user("other", "canary-of-other", "nothing");
    let permission =
        json!({ "permType": "READ", "key": encode("/tides/"), "range_end": encode("/tides0") });
    node.call("/v3/auth/role/grant", &json!({ "name": "reading", "perm": permission }));
    node.call("/v3/auth/enable", &json!({}));

    let remote = |token: &str, more: &str| {
        let remote = with_variable(&[&node.address], token);
        remote.allow(&node.address, more);
        remote
    };
    let by_password = remote("canary-of-mara", "user = \"mara\"");
    let run = by_password.run(&["explain", "pool.max", "--verbose"]);
    assert!(run.stdout.starts_with("pool.max = 8"), "{}", run.all());
    assert!(!run.all().contains("canary"), "{}", run.all());
    // Once for all that is asked.
    let run = by_password.run(&["list", "--verbose"]);
    assert_eq!(run.stderr.matches("/v3/auth/authenticate").count(), 1, "{}", run.stderr);
    let run = by_password.run(&["stores"]);
    assert!(run.stdout.contains("answers; you are mara"), "{}", run.all());
    // A token that somebody got elsewhere is sent as it is.
    let body = json!({ "name": "mara", "password": "canary-of-mara" });
    let token = node.call("/v3/auth/authenticate", &body)["token"].as_str().unwrap().to_owned();
    let run = remote(&token, "").run(&["list", "--verbose"]);
    assert_eq!(run.code, 0, "{}", run.all());
    assert!(!run.all().contains(&token), "{}", run.all());
    for (token, more, expected) in [
        ("canary-wrong", "user = \"mara\"", "wrong password in TIDE_HQ_TOKEN for the user mara"),
        (
            "canary-of-other",
            "user = \"other\"",
            "the token in TIDE_HQ_TOKEN is not allowed to do this (403)",
        ),
        ("canary-of-nobody", "", "the token in TIDE_HQ_TOKEN is not accepted (401)"),
    ] {
        let run = remote(token, more).run(&["list", "--verbose"]);
        let told = run.all().split_whitespace().collect::<Vec<_>>().join(" ");
        assert_eq!(run.code, 2, "{told}");
        assert!(told.contains(expected), "{told}");
        assert!(!told.contains("canary"), "{told}");
    }
    let nobody = self::remote(&[&node.address], "", "");
    allow_without_token(&nobody, &[&node.address], "");
    let run = nobody.run(&["list"]);
    assert!(run.stderr.contains("bad request (400)"), "{}", run.stderr);
}

/// Certificates of an authority of our own: for the server, and for a client without a name, as one with
/// a name is taken for a user.
struct Certificates {
    folder: tempfile::TempDir,
}

impl Certificates {
    fn new() -> Certificates {
        use rcgen::{
            BasicConstraints, CertificateParams, DistinguishedName, IsCa, Issuer, KeyPair,
        };
        let folder = tempfile::tempdir().unwrap();
        let write = |name: &str, text: String| {
            std::fs::write(folder.path().join(name), text).unwrap();
        };
        for authority in ["ours", "other"] {
            let key = KeyPair::generate().unwrap();
            let mut parameters = CertificateParams::new(Vec::new()).unwrap();
            parameters.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
            let certificate = parameters.self_signed(&key).unwrap();
            write(&format!("{authority}.pem"), certificate.pem());
            if authority == "other" {
                continue;
            }
            let issuer = Issuer::new(parameters, key);
            for name in ["server", "client"] {
                let key = KeyPair::generate().unwrap();
                let names = vec!["127.0.0.1".to_owned(), "localhost".to_owned()];
                let mut parameters = CertificateParams::new(names).unwrap();
                parameters.distinguished_name = DistinguishedName::new();
                parameters.extended_key_usages = vec![
                    rcgen::ExtendedKeyUsagePurpose::ServerAuth,
                    rcgen::ExtendedKeyUsagePurpose::ClientAuth,
                ];
                let certificate = parameters.signed_by(&key, &issuer).unwrap();
                write(&format!("{name}.pem"), certificate.pem());
                write(&format!("{name}.key"), key.serialize_pem());
            }
        }
        Certificates { folder }
    }

    fn path(&self, name: &str) -> String {
        self.folder.path().join(name).display().to_string()
    }
}

fn is_trusted_by_its_certificate() {
    let certificates = Certificates::new();
    let address = format!("https://127.0.0.1:{}", free_port());
    let peer = format!("http://127.0.0.1:{}", free_port());
    let (server, key) = (certificates.path("server.pem"), certificates.path("server.key"));
    let authority = certificates.path("ours.pem");
    let _node = Node::start(
        "one",
        &address,
        &[
            "--cert-file",
            &server,
            "--key-file",
            &key,
            "--client-cert-auth",
            "--trusted-ca-file",
            &authority,
            "--listen-peer-urls",
            &peer,
            "--initial-advertise-peer-urls",
            &peer,
            "--initial-cluster",
            &format!("one={peer}"),
        ],
    );
    let file = |name: &str| certificates.path(name);
    let ours = format!("authorities = {:?}", file("ours.pem"));
    let shown = format!("certificate = {:?}\nkey = {:?}", file("client.pem"), file("client.key"));
    let run = |more: &str| {
        let remote = remote(&[&address], "", "");
        allow_without_token(&remote, &[&address], &format!("timeout = \"3s\"\n{more}"));
        remote.run(&["explain", "pool.max"])
    };
    wait_until("etcd", || !run(&format!("{ours}\n{shown}")).stderr.contains("refused"));
    // It is asked; there are no scopes yet.
    let asked = run(&format!("{ours}\n{shown}"));
    assert!(
        asked.stderr.contains("scope not found: for-everyone reads the scope everyone"),
        "{}",
        asked.all()
    );
    // Not without our certificate, not if its authority is not known, not with another one.
    let untrusted = "the connection is not safe";
    for (more, expected) in [
        (ours.clone(), "cannot be used"),
        (shown.clone(), untrusted),
        (format!("authorities = {:?}\n{shown}", file("other.pem")), untrusted),
        (format!("authorities = {:?}", file("client.key")), "has no certificate (PEM)"),
        (
            format!("{ours}\ncertificate = {:?}\nkey = {:?}", file("client.pem"), file("ours.pem")),
            "has no private key (PEM)",
        ),
        ("authorities = \"/nowhere/ours.pem\"".to_owned(), "cannot be read"),
    ] {
        let run = run(&more);
        let told = run.all().split_whitespace().collect::<Vec<_>>().join(" ");
        assert_eq!(run.code, 2, "{more}: {told}");
        assert!(told.contains(expected), "{more}: {told}");
    }
}

/// A client and a store as a program would use them that writes.
fn writer(remote: &Remote) -> (Client, Store) {
    let project = Project::load(&System, Some(remote.place.path())).unwrap();
    let place = Place { allowed: Some(remote.home("stores.toml")), problem: None, copies: None };
    (Client::new(Options { offline: false, place }), project.stores[0].clone())
}

/// The counter and its revision, as somebody else reads it.
fn counter(addresses: &[&str]) -> Option<(u64, u64)> {
    addresses.iter().find_map(|address| {
        let found = call(address, "/v3/kv/range", &json!({ "key": encode(COUNTER) }), None)?;
        let held = &found["kvs"][0];
        let value: Value =
            serde_json::from_slice(&STANDARD.decode(held["value"].as_str()?).ok()?).ok()?;
        Some((value["value"].as_str()?.parse().ok()?, held["mod_revision"].as_str()?.parse().ok()?))
    })
}

const COUNTER: &str = "/tides/everyone/TIDE_COUNT";

fn change(value: u64, expected: Expected) -> Change {
    Change {
        scope: "everyone".to_owned(),
        variable: "TIDE_COUNT".to_owned(),
        value: Some((value.to_string(), false)),
        expected,
    }
}

fn takes_one_of_two_writers() {
    let node = Node::alone();
    let remote = remote(&[&node.address], "", "");
    allow_without_token(&remote, &[&node.address], "");
    let (client, store) = writer(&remote);
    client.write(&store, &change(0, Expected::Absent)).unwrap();
    let twice = client.write(&store, &change(0, Expected::Absent));
    assert!(matches!(twice, Err(WriteProblem::Conflict(Some(_)))), "{twice:?}");
    const EACH: usize = 25;
    let acknowledged = AtomicUsize::new(0);
    std::thread::scope(|scope| {
        for _ in 0..2 {
            scope.spawn(|| {
                let (client, store) = writer(&remote);
                let mut done = 0;
                while done < EACH {
                    let (value, revision) = counter(&[&node.address]).unwrap();
                    match client.write(&store, &change(value + 1, Expected::Revision(revision))) {
                        Ok(_) => {
                            done += 1;
                            acknowledged.fetch_add(1, Ordering::SeqCst);
                        }
                        Err(WriteProblem::Conflict(_)) => {}
                        Err(other) => panic!("{other:?}"),
                    }
                }
            });
        }
    });
    assert_eq!(counter(&[&node.address]).unwrap().0, acknowledged.load(Ordering::SeqCst) as u64);
    // What is deleted is gone, and cannot be deleted again.
    let (_, revision) = counter(&[&node.address]).unwrap();
    let gone = Change { value: None, ..change(0, Expected::Revision(revision)) };
    client.write(&store, &gone).unwrap();
    assert_eq!(client.write(&store, &gone), Err(WriteProblem::Conflict(None)));
}

/// Three nodes, of which the leader is stopped in the middle: every answer is right or a clean error, and
/// no acknowledged write is lost.
fn a_cluster_without_its_leader() {
    let names = ["one", "two", "three"];
    let peers: Vec<String> =
        names.iter().map(|_| format!("http://127.0.0.1:{}", free_port())).collect();
    let addresses: Vec<String> =
        names.iter().map(|_| format!("http://127.0.0.1:{}", free_port())).collect();
    let cluster: Vec<String> =
        names.iter().zip(&peers).map(|(name, peer)| format!("{name}={peer}")).collect();
    let cluster = cluster.join(",");
    let mut nodes: Vec<Node> = (0..3)
        .map(|at| {
            let peer = peers[at].as_str();
            Node::start(
                names[at],
                &addresses[at],
                &[
                    "--listen-peer-urls",
                    peer,
                    "--initial-advertise-peer-urls",
                    peer,
                    "--initial-cluster",
                    &cluster,
                    "--initial-cluster-state",
                    "new",
                    "--heartbeat-interval",
                    "50",
                    "--election-timeout",
                    "500",
                ],
            )
        })
        .collect();
    nodes.iter().for_each(Node::wait);
    wait_until("a leader", || counter_can_be_written(&addresses[0]));
    let endpoints: Vec<&str> = addresses.iter().map(String::as_str).collect();
    fill(endpoints[0], None);
    let remote = Arc::new(remote(&endpoints, "", ""));
    allow_without_token(&remote, &endpoints, "timeout = \"12s\"");

    let done = AtomicBool::new(false);
    // The highest number whose write was acknowledged.
    let acknowledged = AtomicUsize::new(0);
    let (right, refused) = (AtomicUsize::new(0), AtomicUsize::new(0));
    std::thread::scope(|scope| {
        scope.spawn(|| {
            let (client, store) = writer(&remote);
            let mut next = 1;
            while !done.load(Ordering::SeqCst) {
                let Some((value, revision)) = counter(&endpoints) else { continue };
                next = next.max(value + 1);
                if client.write(&store, &change(next, Expected::Revision(revision))).is_ok() {
                    acknowledged.store(next as usize, Ordering::SeqCst);
                    next += 1;
                }
            }
        });
        scope.spawn(|| {
            while !done.load(Ordering::SeqCst) {
                let at_least = acknowledged.load(Ordering::SeqCst);
                let run = remote.run(&["explain", "count", "pool.max", "--output", "json"]);
                if run.code == 2 {
                    assert!(run.stderr.contains("the store hq"), "{}", run.all());
                    refused.fetch_add(1, Ordering::SeqCst);
                    continue;
                }
                let answer: Value = serde_json::from_str(&run.stdout).unwrap();
                let count: usize =
                    answer["settings"][0]["value"].as_str().unwrap().parse().unwrap();
                assert!(count >= at_least, "{count} is older than {at_least}");
                assert_eq!(answer["settings"][1]["value"], 8);
                right.fetch_add(1, Ordering::SeqCst);
            }
        });
        wait_until("some answers", || right.load(Ordering::SeqCst) >= 3);
        let leader = nodes.iter().position(is_leader).expect("a leader");
        let stopped = nodes.remove(leader);
        let before = right.load(Ordering::SeqCst);
        drop(stopped);
        wait_until("answers without the leader", || right.load(Ordering::SeqCst) >= before + 5);
        done.store(true, Ordering::SeqCst);
    });
    let left: Vec<&str> = nodes.iter().map(|node| node.address.as_str()).collect();
    let (value, _) = counter(&left).unwrap();
    assert!(value >= acknowledged.load(Ordering::SeqCst) as u64, "an acknowledged write is lost");
    // Two of three are gone: nobody can tell, and that is said.
    nodes.truncate(1);
    let began = Instant::now();
    let run = remote.run(&["list"]);
    assert_eq!((run.code, run.stdout.as_str()), (2, ""), "{}", run.all());
    assert!(began.elapsed() < Duration::from_secs(25));
    assert!(Path::new(nodes[0].folder.path()).exists() && nodes[0].running.0.id() > 0);
}

fn counter_can_be_written(address: &str) -> bool {
    let held = json!({ "value": "0" }).to_string();
    let body = json!({ "key": encode(COUNTER), "value": encode(&held) });
    call(address, "/v3/kv/put", &body, None).is_some()
}

fn is_leader(node: &Node) -> bool {
    let status = node.call("/v3/maintenance/status", &json!({}));
    status["leader"] == status["header"]["member_id"]
}
