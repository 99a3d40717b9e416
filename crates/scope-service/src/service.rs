//! What may be asked, by whom, and how it is answered.

use crate::database::{Database, Precondition, Problem, Role};
use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, FromRequestParts, Path, Query, Request, State};
use axum::http::request::Parts;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use axum::{Json, Router};
use justwhy_core::{is_env_name, is_scope_name};
use justwhy_stores::wire::{Caller, OneOrMore, Write};
use serde::{Deserialize, Serialize};
use serde_json::json;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::Semaphore;

/// The most bytes of a request's body.
const MOST_BYTES: usize = 256 * 1024;
/// The most scopes of a page.
const MOST_SCOPES: usize = 1_000;

/// How many requests may wait for the disk at once.
const MOST_WAITING: usize = 64;
/// How long somebody waits to write while others do.
const PATIENCE: Duration = Duration::from_secs(5);

/// What every request needs.
pub(crate) struct Service {
    database: Arc<Database>,
    /// One writes at a time; who waits for that holds up nobody who reads.
    writing: Semaphore,
    waiting: Semaphore,
}

type Kept = Arc<Service>;

/// Every address that there is.
pub(crate) fn router(database: Arc<Database>) -> Router {
    let writing = Semaphore::new(1);
    let waiting = Semaphore::new(MOST_WAITING);
    let service = Arc::new(Service { database, writing, waiting });
    Router::new()
        .route("/v1/me", get(me))
        .route("/v1/scopes", get(list))
        .route("/v1/scopes/{scope}", get(scope))
        .route("/v1/scopes/{scope}/variables/{name}", get(variable).put(write).delete(delete))
        .route("/v1/scopes/{scope}/variables/{name}/history", get(history))
        .fallback(|| async { Refused::new(StatusCode::NOT_FOUND, "no-such-address", "not found") })
        .method_not_allowed_fallback(|| async {
            let status = StatusCode::METHOD_NOT_ALLOWED;
            Refused::new(status, "no-such-method", "method not allowed")
        })
        .layer(DefaultBodyLimit::max(MOST_BYTES))
        .layer(axum::middleware::from_fn(with_a_length))
        .with_state(service)
}

/// Refuses a body in chunks: where its length is beside, two readers could see two requests.
async fn with_a_length(request: Request, next: axum::middleware::Next) -> Response {
    match request.headers().contains_key(header::TRANSFER_ENCODING) {
        true => Refused::bad("a body must have a Content-Length, and no Transfer-Encoding")
            .into_response(),
        false => next.run(request).await,
    }
}

/// A request that is not answered.
struct Refused {
    status: StatusCode,
    code: &'static str,
    message: String,
    /// The revision that is there instead.
    revision: Option<u64>,
}

impl Refused {
    fn new(status: StatusCode, code: &'static str, message: impl Into<String>) -> Refused {
        Refused { status, code, message: message.into(), revision: None }
    }

    fn bad(message: &str) -> Refused {
        Refused::new(StatusCode::BAD_REQUEST, "bad-request", message)
    }
}

impl IntoResponse for Refused {
    fn into_response(self) -> Response {
        let mut error = json!({ "code": self.code, "message": self.message });
        if let Some(revision) = self.revision {
            error["revision"] = revision.into();
        }
        let mut response = (self.status, Json(json!({ "error": error }))).into_response();
        if self.status == StatusCode::UNAUTHORIZED {
            let scheme = header::HeaderValue::from_static("Bearer");
            response.headers_mut().insert(header::WWW_AUTHENTICATE, scheme);
        }
        response
    }
}

impl From<Problem> for Refused {
    fn from(problem: Problem) -> Refused {
        let message = problem.to_string();
        let new = |status, code| Refused::new(status, code, message.clone());
        match problem {
            Problem::NoScope => new(StatusCode::NOT_FOUND, "no-scope"),
            Problem::NoVariable => new(StatusCode::NOT_FOUND, "no-variable"),
            Problem::Changed => new(StatusCode::CONFLICT, "changed"),
            Problem::Conflict(revision) => {
                Refused { revision, ..new(StatusCode::PRECONDITION_FAILED, "conflict") }
            }
            Problem::Busy => new(StatusCode::SERVICE_UNAVAILABLE, "busy"),
            Problem::Gone => {
                log(&message);
                new(StatusCode::SERVICE_UNAVAILABLE, "gone")
            }
            Problem::Broken(_) => {
                // What is wrong inside is nobody's business outside.
                log(&message);
                let status = StatusCode::INTERNAL_SERVER_ERROR;
                Refused::new(status, "failed", "the service failed")
            }
        }
    }
}

/// Tells who runs the service what failed.
fn log(message: &str) {
    use std::io::Write as _;
    let _ = writeln!(std::io::stderr(), "scope-service: {message}");
}

/// Who asks, by the token that came along.
struct Asking {
    caller: Caller,
    role: Role,
}

impl FromRequestParts<Kept> for Asking {
    type Rejection = Refused;

    async fn from_request_parts(parts: &mut Parts, database: &Kept) -> Result<Asking, Refused> {
        let refused = || {
            let message = "a token is needed: Authorization: Bearer …";
            Refused::new(StatusCode::UNAUTHORIZED, "no-token", message)
        };
        let given = parts.headers.get(header::AUTHORIZATION).and_then(|value| value.to_str().ok());
        let token = given.and_then(|given| given.split_once(' '));
        let (scheme, token) = token.ok_or_else(refused)?;
        if !scheme.eq_ignore_ascii_case("bearer") {
            return Err(refused());
        }
        let token = token.trim().to_owned();
        let found = blocking(database, move |database| database.caller(&token)).await?;
        let (caller, role) = found.ok_or_else(refused)?;
        Ok(Asking { caller, role })
    }
}

impl Asking {
    fn must_write(&self) -> Result<(), Refused> {
        match self.role {
            Role::Writer => Ok(()),
            role => {
                let message = format!("a {} may not write", role.name());
                Err(Refused::new(StatusCode::FORBIDDEN, "not-allowed", message))
            }
        }
    }
}

/// Does what waits for the disk where waiting holds nobody up.
async fn blocking<T: Send + 'static>(
    service: &Kept,
    work: impl FnOnce(&Database) -> Result<T, Problem> + Send + 'static,
) -> Result<T, Refused> {
    let broken = |why: &str| Problem::Broken(why.to_owned());
    let turn = service.waiting.acquire().await.map_err(|_| broken("ends"))?;
    let database = Arc::clone(&service.database);
    let done = tokio::task::spawn_blocking(move || work(&database)).await;
    drop(turn);
    done.map_err(|_| broken("broken off")).and_then(|done| done).map_err(Refused::from)
}

/// The same for what changes something, which is done one after the other.
async fn writing<T: Send + 'static>(
    service: &Kept,
    work: impl FnOnce(&Database) -> Result<T, Problem> + Send + 'static,
) -> Result<T, Refused> {
    let turn = tokio::time::timeout(PATIENCE, service.writing.acquire()).await;
    let turn = turn.map_err(|_| Problem::Busy)?.map_err(|_| Problem::Busy)?;
    let database = Arc::clone(&service.database);
    let done = tokio::task::spawn_blocking(move || work(&database)).await;
    drop(turn);
    let failed = |_| Problem::Broken("broken off".to_owned());
    done.map_err(failed).and_then(|done| done).map_err(Refused::from)
}

/// The tag of what a role sees in a revision: those who read secrets see something else.
/// The mark distinguishes the revision from one of the same number in another database.
fn tag((revision, mark): (u64, &str), role: Role) -> String {
    let view = if role.reads_secrets() { "all" } else { "open" };
    format!("\"{revision}-{view}-{mark}\"")
}

/// Answers with a body and its tag, or with nothing if the caller has it already.
fn tagged<T: Serialize>(
    status: StatusCode,
    tag: String,
    headers: &HeaderMap,
    body: &T,
) -> Response {
    match status == StatusCode::OK && knows(headers, &tag) {
        true => (StatusCode::NOT_MODIFIED, [(header::ETAG, tag)]).into_response(),
        false => (status, [(header::ETAG, tag)], Json(body)).into_response(),
    }
}

/// Whether the caller has what is tagged so.
fn knows(headers: &HeaderMap, tag: &str) -> bool {
    let known = headers.get(header::IF_NONE_MATCH).and_then(|value| value.to_str().ok());
    known.is_some_and(|known| known.split(',').any(|known| known.trim() == tag))
}

async fn me(asking: Asking) -> Json<Caller> {
    Json(asking.caller)
}

#[derive(Deserialize)]
struct Listing {
    #[serde(default)]
    prefix: String,
    limit: Option<usize>,
    after: Option<String>,
}

async fn list(
    State(database): State<Kept>,
    asking: Asking,
    headers: HeaderMap,
    listing: Result<Query<Listing>, axum::extract::rejection::QueryRejection>,
) -> Result<Response, Refused> {
    let Query(listing) = listing.map_err(|_| Refused::bad("invalid query"))?;
    let limit = listing.limit.unwrap_or(100);
    if !(1..=MOST_SCOPES).contains(&limit) {
        return Err(Refused::bad("limit must be between 1 and 1000"));
    }
    let after = listing.after.map(|after| {
        let (began, name) = after.split_once(':')?;
        let (revision, mark) = began.split_once('-')?;
        Some((revision.parse::<u64>().ok()?, mark.to_owned(), name.to_owned()))
    });
    let after = match after {
        Some(None) => return Err(Refused::bad("after must be the next of another page")),
        Some(after) => after,
        None => None,
    };
    let (role, prefix) = (asking.role, listing.prefix);
    // What has not changed need not be read.
    let (revision, mark) = blocking(&database, Database::revision).await?;
    let now = tag((revision, &mark), role);
    if knows(&headers, &now) {
        return Ok((StatusCode::NOT_MODIFIED, [(header::ETAG, now)]).into_response());
    }
    let page = blocking(&database, move |database| {
        let after =
            after.as_ref().map(|(revision, mark, name)| (*revision, mark.as_str(), name.as_str()));
        database.page(&prefix, limit, after, role)
    });
    let page = page.await?;
    Ok(tagged(StatusCode::OK, tag((page.revision, &page.mark), role), &headers, &page))
}

fn named(scope: &str, name: Option<&str>) -> Result<(), Refused> {
    if !is_scope_name(scope) {
        return Err(Refused::bad("invalid name of a scope"));
    }
    if name.is_some_and(|name| !is_env_name(name)) {
        return Err(Refused::bad("invalid name of a variable"));
    }
    Ok(())
}

async fn scope(
    State(database): State<Kept>,
    asking: Asking,
    headers: HeaderMap,
    Path(name): Path<String>,
) -> Result<Response, Refused> {
    named(&name, None)?;
    let role = asking.role;
    let scope = blocking(&database, move |database| database.scope(&name, role)).await?;
    Ok(tagged(StatusCode::OK, tag((scope.revision, &scope.mark), role), &headers, &scope))
}

async fn variable(
    State(database): State<Kept>,
    asking: Asking,
    headers: HeaderMap,
    Path((scope, name)): Path<(String, String)>,
) -> Result<Response, Refused> {
    named(&scope, Some(&name))?;
    let role = asking.role;
    let found = blocking(&database, move |database| database.variable(&scope, &name, role)).await?;
    Ok(tagged(StatusCode::OK, tag((found.revision, &found.mark), role), &headers, &found))
}

#[derive(Deserialize)]
struct Before {
    before: Option<u64>,
}

async fn history(
    State(database): State<Kept>,
    asking: Asking,
    Path((scope, name)): Path<(String, String)>,
    before: Result<Query<Before>, axum::extract::rejection::QueryRejection>,
) -> Result<Response, Refused> {
    named(&scope, Some(&name))?;
    let Query(Before { before }) = before.map_err(|_| Refused::bad("before must be a revision"))?;
    let role = asking.role;
    let found =
        blocking(&database, move |database| database.history(&scope, &name, before, role)).await?;
    Ok(Json(found).into_response())
}

/// What must be there for a change to be made: `If-Match: "REVISION-MARK"`, as an ETag has them with more
/// between, or `If-None-Match: *`.
fn expected(headers: &HeaderMap) -> Result<Precondition, Refused> {
    let text = |name| headers.get(name).map(|value| value.to_str().unwrap_or_default().trim());
    match (text(header::IF_MATCH), text(header::IF_NONE_MATCH)) {
        (Some(tag), None) => {
            let inside = tag.strip_prefix('"').and_then(|rest| rest.strip_suffix('"'));
            let parts = inside.and_then(|rest| {
                let (revision, rest) = rest.split_once('-')?;
                Some((revision.parse().ok()?, rest.rsplit('-').next()?.to_owned()))
            });
            let (revision, mark) =
                parts.ok_or_else(|| Refused::bad("If-Match must be one ETag"))?;
            Ok(Precondition::Is { revision, mark })
        }
        (None, Some("*")) => Ok(Precondition::Absent),
        (None, None) => {
            let message = "send If-Match with the ETag, or If-None-Match: * for a new variable";
            Err(Refused::new(StatusCode::PRECONDITION_REQUIRED, "no-precondition", message))
        }
        _ => Err(Refused::bad("send either If-Match or If-None-Match: *")),
    }
}

async fn write(
    State(database): State<Kept>,
    asking: Asking,
    headers: HeaderMap,
    Path((scope, name)): Path<(String, String)>,
    body: Result<Bytes, axum::extract::rejection::BytesRejection>,
) -> Result<Response, Refused> {
    asking.must_write()?;
    named(&scope, Some(&name))?;
    let expected = expected(&headers)?;
    let body = body.map_err(|rejection| match rejection.status() {
        StatusCode::PAYLOAD_TOO_LARGE => {
            let message = format!("the body has more than {MOST_BYTES} bytes");
            Refused::new(StatusCode::PAYLOAD_TOO_LARGE, "too-large", message)
        }
        _ => Refused::bad("the body cannot be read"),
    })?;
    // The error of the parser would show what it found there.
    let write: Write = serde_json::from_slice(&body).map_err(|_| {
        Refused::bad("the body must be {\"value\": \"…\"}, with secret and visible_to")
    })?;
    let is_nobody =
        |values: &OneOrMore| matches!(values, OneOrMore::More(values) if values.is_empty());
    if write.visible_to.iter().flat_map(|axes| axes.values()).any(is_nobody) {
        return Err(Refused::bad("visible_to has an axis without values"));
    }
    let by = asking.caller.name;
    let done =
        writing(&database, move |database| database.write((&scope, &name), &write, &expected, &by));
    let (mut variable, is_new) = done.await?;
    let tag = tag((variable.revision, &variable.mark), asking.role);
    // Who wrote it knows it.
    variable.value = None;
    let status = if is_new { StatusCode::CREATED } else { StatusCode::OK };
    Ok(tagged(status, tag, &HeaderMap::new(), &variable))
}

async fn delete(
    State(database): State<Kept>,
    asking: Asking,
    headers: HeaderMap,
    Path((scope, name)): Path<(String, String)>,
) -> Result<Response, Refused> {
    asking.must_write()?;
    named(&scope, Some(&name))?;
    let expected = expected(&headers)?;
    if expected == Precondition::Absent {
        return Err(Refused::bad("a variable that does not exist cannot be deleted"));
    }
    let by = asking.caller.name;
    let done = writing(&database, move |database| database.delete((&scope, &name), &expected, &by));
    let done = done.await?;
    Ok(Json(done).into_response())
}
