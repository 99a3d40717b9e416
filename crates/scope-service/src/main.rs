//! `scope-service`: a small stand-in for hosted team scopes. It keeps scopes in SQLite and hands them
//! out over HTTP and JSON, as `docs/scope-service.openapi.json` describes, so that a project with a
//! store behind a service can be tried, shown and tested on one machine.
//!
//! A request passes from `service` (what may be asked, by whom) to `database` (what is kept); what
//! is seeded comes from a store file, the one that `justwhy` reads too.

mod arguments;
mod database;
mod service;

use arguments::{Arguments, Command, Serve};
use clap::Parser as _;
use database::{Database, Problem, Role};
use hyper::server::conn::http1;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::service::TowerToHyperService;
use std::io::Write as _;
use std::net::SocketAddr;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// How many may be connected at once.
const MOST_CONNECTIONS: usize = 256;
/// How long the head of a request may take, and how long a connection may be idle before one.
const FOR_HEADERS: Duration = Duration::from_secs(5);
/// How long a connection is kept.
const LONGEST_CONNECTION: Duration = Duration::from_secs(60);
/// How many bytes are held for one that reads slowly.
const MOST_BUFFERED: usize = 128 * 1024;
/// How long requests that have begun may go on after the end was asked for.
const LAST_REQUESTS: Duration = Duration::from_secs(5);

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    let done = match arguments.command {
        Some(Command::Token { name, role, data }) => token(&data, &name, role),
        Some(Command::Revoke { name, data }) => revoke(&data, &name),
        None => serve(&arguments.serve),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(why) => {
            let _ = writeln!(std::io::stderr(), "scope-service: {why}");
            ExitCode::from(2)
        }
    }
}

fn say(line: &str) -> Result<(), String> {
    let mut out = std::io::stdout().lock();
    writeln!(out, "{line}").and_then(|()| out.flush()).map_err(|error| error.to_string())
}

/// Makes a token and prints it, once: only its hash is kept.
fn token(data: &Path, name: &str, role: Role) -> Result<(), String> {
    let mut bytes = [0u8; 32];
    getrandom::fill(&mut bytes).map_err(|error| format!("no source of randomness: {error}"))?;
    let token: String = bytes.iter().map(|byte| format!("{byte:02x}")).collect();
    open(data)?.add_token(&token, name, role).map_err(|problem| problem.to_string())?;
    say(&token)
}

fn revoke(data: &Path, name: &str) -> Result<(), String> {
    match open(data)?.revoke(name).map_err(|problem| problem.to_string())? {
        0 => Err(format!("no token has the name {name}")),
        count => say(&format!("revoked: {count}")),
    }
}

fn open(data: &Path) -> Result<Database, String> {
    Database::open(data).map_err(|problem| match problem {
        Problem::Broken(why) => format!("{} cannot be used: {why}", data.display()),
        other => other.to_string(),
    })
}

fn serve(options: &Serve) -> Result<(), String> {
    let (Some(data), Some(listen)) = (&options.data, options.listen) else {
        return Err("--data FILE and --listen ADDRESS are needed".to_owned());
    };
    if !listen.ip().is_loopback() {
        let why = "the service has no TLS, and listens on loopback only";
        return Err(format!("{listen}: {why}: --listen 127.0.0.1:8080"));
    }
    let database = open(data)?;
    if let Some(seed) = &options.seed {
        seed_from(&database, seed)?;
    }
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .worker_threads(2)
        .enable_all()
        .build()
        .map_err(|error| error.to_string())?;
    let served = runtime.block_on(listen_on(listen, Arc::new(database)));
    runtime.shutdown_timeout(LAST_REQUESTS);
    served
}

/// Takes in the scopes of a store file, if nothing is kept yet.
fn seed_from(database: &Database, seed: &Path) -> Result<(), String> {
    let file = seed.display().to_string();
    let bytes = std::fs::read(seed).map_err(|error| format!("{file} cannot be read: {error}"))?;
    let scopes = justwhy_project::read_store_file(&file, bytes).map_err(|errors| {
        let told = errors.iter().map(|error| match error.helps().first() {
            Some(help) => format!("{error} ({help})"),
            None => error.to_string(),
        });
        told.collect::<Vec<_>>().join("\n")
    })?;
    match database.seed(&scopes).map_err(|problem| problem.to_string())? {
        true => Ok(()),
        false => {
            let note = format!("{file} has data already, and is not changed\n");
            let _ = std::io::stderr().write_all(note.as_bytes());
            Ok(())
        }
    }
}

async fn listen_on(address: SocketAddr, database: Arc<Database>) -> Result<(), String> {
    let listener = tokio::net::TcpListener::bind(address)
        .await
        .map_err(|error| format!("cannot listen on {address}: {error}"))?;
    let address = listener.local_addr().map_err(|error| error.to_string())?;
    say(&format!("listening on http://{address}"))?;
    let router = service::router(database);
    let connections = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    let (stop, stopped) = tokio::sync::watch::channel(false);
    let mut end = std::pin::pin!(asked_to_end());
    loop {
        let permit = tokio::select! {
            permit = Arc::clone(&connections).acquire_owned() => permit.map_err(|it| it.to_string())?,
            () = &mut end => break,
        };
        let accepted = tokio::select! {
            accepted = listener.accept() => accepted,
            () = &mut end => break,
        };
        let stream = match accepted {
            Ok((stream, _)) => stream,
            // One that is gone already, or too many files: others are served all the same.
            Err(_) => {
                tokio::time::sleep(Duration::from_millis(20)).await;
                continue;
            }
        };
        tokio::spawn(serve_one(stream, router.clone(), stopped.clone(), permit));
    }
    let _ = stop.send(true);
    // Somebody may hold a request open; nothing that was acknowledged is lost by ending it.
    let all = u32::try_from(MOST_CONNECTIONS).unwrap_or(u32::MAX);
    let _ = tokio::time::timeout(LAST_REQUESTS, connections.acquire_many(all)).await;
    Ok(())
}

/// Answers what comes over one connection. Nobody keeps it who sends nothing, or takes for ever to read.
async fn serve_one(
    stream: tokio::net::TcpStream,
    router: axum::Router,
    mut stopped: tokio::sync::watch::Receiver<bool>,
    permit: OwnedSemaphorePermit,
) {
    let service = TowerToHyperService::new(router);
    let mut builder = http1::Builder::new();
    builder.timer(TokioTimer::new()).header_read_timeout(FOR_HEADERS).max_buf_size(MOST_BUFFERED);
    let mut connection = std::pin::pin!(builder.serve_connection(TokioIo::new(stream), service));
    let until = tokio::time::sleep(LONGEST_CONNECTION);
    let mut until = std::pin::pin!(until);
    tokio::select! {
        _ = connection.as_mut() => {}
        () = &mut until => {}
        () = async { drop(stopped.wait_for(|stopped| *stopped).await) } => {
            connection.as_mut().graceful_shutdown();
            let _ = tokio::time::timeout(LAST_REQUESTS, connection).await;
        }
    }
    drop(permit);
}

/// Until the system or a person asks the program to end.
async fn asked_to_end() {
    let interrupted = tokio::signal::ctrl_c();
    #[cfg(unix)]
    {
        let terminated = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate());
        if let Ok(mut terminated) = terminated {
            tokio::select! {
                _ = interrupted => {}
                _ = terminated.recv() => {}
            }
            return;
        }
    }
    let _ = interrupted.await;
}
