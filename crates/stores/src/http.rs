//! Requests: bounded in time and size, repeated only where that changes nothing, and never logged with
//! what could be a secret.

use crate::permit::Permit;
use justwhy_project::{StoreProblem, is_loopback};
use std::io;
use std::sync::Mutex;
use std::time::{Duration, Instant};
use ureq::Agent;

/// How often a question that changes nothing is asked.
const ATTEMPTS: u32 = 4;
/// How long to wait before the second attempt; twice as long before each further one.
const BACKOFF: Duration = Duration::from_millis(100);
/// The longest wait that a store may ask for.
const LONGEST_WAIT: Duration = Duration::from_secs(5);
const CONNECT: Duration = Duration::from_secs(5);

/// A request.
pub(crate) struct Request<'r> {
    pub(crate) method: &'static str,
    /// What comes after the address.
    pub(crate) path: String,
    pub(crate) headers: Vec<(&'static str, String)>,
    pub(crate) body: Option<&'r [u8]>,
    /// Whether asking twice is the same as asking once.
    pub(crate) repeats: bool,
}

/// What came back, whatever its status.
pub(crate) struct Answer {
    pub(crate) status: u16,
    pub(crate) etag: Option<String>,
    pub(crate) content_type: String,
    pub(crate) body: Vec<u8>,
}

/// Why nothing came back.
pub(crate) struct Trouble {
    pub(crate) problem: StoreProblem,
    /// Whether the request may have arrived.
    pub(crate) may_have_arrived: bool,
}

/// What was asked, line by line, for `--verbose`.
pub(crate) type Log = Mutex<Vec<String>>;

/// One address and all that it takes to ask there.
pub(crate) struct Line<'c> {
    pub(crate) permit: &'c Permit,
    agent: Agent,
    log: &'c Log,
    deadline: Instant,
}

impl<'c> Line<'c> {
    /// Everything that is asked on this line must be answered before `deadline`.
    pub(crate) fn new(
        permit: &'c Permit,
        agent: Agent,
        log: &'c Log,
        deadline: Instant,
    ) -> Line<'c> {
        Line { permit, agent, log, deadline }
    }

    /// What keeps connections to an address open, and knows whom to trust there.
    pub(crate) fn agent(permit: &Permit) -> Result<Agent, StoreProblem> {
        let unusable =
            |reason| problem(permit, "bad-stores", format!("stores.toml cannot be used: {reason}"));
        let config = Agent::config_builder()
            .http_status_as_error(false)
            // One that leads elsewhere is an error, and never gets the token.
            .max_redirects(0)
            .max_redirects_will_error(false)
            .timeout_connect(Some(CONNECT.min(permit.allowed.timeout)))
            .user_agent(concat!("justwhy/", env!("CARGO_PKG_VERSION")));
        #[cfg(feature = "https")]
        let config = config.tls_config(crate::tls::tls(permit).map_err(unusable)?);
        #[cfg(not(feature = "https"))]
        if !permit.address.starts_with("http:") {
            return Err(unusable("this program was built without https".to_owned()));
        }
        let mut config = config;
        if is_loopback(&permit.address) || permit.address.starts_with("http:") {
            // A proxy would see the token.
            config = config.proxy(None);
        }
        Ok(config.build().new_agent())
    }

    /// Asks, again if that may help and changes nothing.
    pub(crate) fn ask(&self, request: &Request<'_>, most: u64) -> Result<Answer, Trouble> {
        let mut wait = BACKOFF;
        let mut attempt = 0;
        loop {
            attempt += 1;
            let began = Instant::now();
            let result = self.attempt(request, most);
            self.note(request, began, &result);
            let may_repeat = request.repeats && attempt < ATTEMPTS;
            let asked_to_wait = match &result {
                Ok((answer, after)) if matches!(answer.status, 429 | 500 | 502 | 503 | 504) => {
                    *after
                }
                Err(trouble) if trouble.is_passing => None,
                _ => return self.finish(result),
            };
            let pause = asked_to_wait.unwrap_or(wait).max(wait);
            // Asked first, as no clock goes as far as a store may ask us to wait.
            let is_in_time = pause <= LONGEST_WAIT && Instant::now() + pause < self.deadline;
            if !may_repeat || !is_in_time {
                return self.finish(result);
            }
            std::thread::sleep(pause);
            wait *= 2;
        }
    }

    fn finish(
        &self,
        result: Result<(Answer, Option<Duration>), Attempted>,
    ) -> Result<Answer, Trouble> {
        match result {
            Ok((answer, _)) => Ok(answer),
            Err(attempted) => Err(Trouble {
                problem: problem(self.permit, attempted.code, attempted.reason),
                may_have_arrived: attempted.may_have_arrived,
            }),
        }
    }

    fn attempt(
        &self,
        request: &Request<'_>,
        most: u64,
    ) -> Result<(Answer, Option<Duration>), Attempted> {
        let left = self.deadline.saturating_duration_since(Instant::now());
        if left.is_zero() {
            return Err(self.too_late());
        }
        let address = format!("{}{}", self.permit.address, request.path);
        let mut builder = ureq::http::Request::builder().method(request.method).uri(address);
        for (name, value) in &request.headers {
            builder = builder.header(*name, value);
        }
        let failed = |error: ureq::Error| self.failed(error, most);
        let request = builder
            .body(request.body.unwrap_or_default())
            .map_err(|_| Attempted::new("store-failed", "invalid request".to_owned()))?;
        let request = self.agent.configure_request(request).timeout_global(Some(left)).build();
        let mut response = self.agent.run(request).map_err(failed)?;
        let header = |name: &str| {
            response.headers().get(name).and_then(|value| value.to_str().ok()).map(str::to_owned)
        };
        let (etag, kind, after) = (header("etag"), header("content-type"), header("retry-after"));
        let after = after.and_then(|text| text.parse().ok()).map(Duration::from_secs);
        let body = response.body_mut().with_config().limit(most).read_to_vec().map_err(failed)?;
        let content_type = kind.unwrap_or_default();
        let status = response.status().as_u16();
        Ok((Answer { status, etag, content_type, body }, after))
    }

    fn too_late(&self) -> Attempted {
        let reason = format!("no answer within {:?}", self.permit.allowed.timeout);
        Attempted { may_have_arrived: true, ..Attempted::new("store-unreachable", reason) }
    }

    /// Why a request failed, in our own words: those of a library may hold what was sent.
    fn failed(&self, error: ureq::Error, most: u64) -> Attempted {
        let passing = |reason: &str| Attempted {
            is_passing: true,
            ..Attempted::new("store-unreachable", reason.to_owned())
        };
        match error {
            ureq::Error::Timeout(ureq::Timeout::Connect | ureq::Timeout::Resolve) => {
                passing("connection timed out")
            }
            ureq::Error::Timeout(_) => self.too_late(),
            ureq::Error::HostNotFound => passing("unknown host"),
            ureq::Error::ConnectionFailed => passing("no connection"),
            ureq::Error::BodyExceedsLimit(_) => {
                let reason = format!("the answer has more than {most} bytes");
                Attempted { may_have_arrived: true, ..Attempted::new("limit", reason) }
            }
            ureq::Error::LargeResponseHeader(..) => {
                Attempted::broken("the head of the answer is too long")
            }
            ureq::Error::Protocol(_) => Attempted::broken("the answer is not HTTP"),
            #[cfg(feature = "https")]
            ureq::Error::Rustls(error) => {
                Attempted::new("store-untrusted", format!("the connection is not safe: {error}"))
            }
            #[cfg(feature = "https")]
            ureq::Error::Tls(why) => {
                Attempted::new("store-untrusted", format!("the connection is not safe: {why}"))
            }
            ureq::Error::BodyStalled => self.too_late(),
            ureq::Error::Io(error) => match error.kind() {
                io::ErrorKind::ConnectionRefused => passing("connection refused"),
                io::ErrorKind::TimedOut | io::ErrorKind::WouldBlock => self.too_late(),
                io::ErrorKind::InvalidData if error.to_string().contains("certificate") => {
                    let reason = format!("the connection is not safe: {error}");
                    Attempted::new("store-untrusted", reason)
                }
                io::ErrorKind::UnexpectedEof
                | io::ErrorKind::ConnectionReset
                | io::ErrorKind::ConnectionAborted
                | io::ErrorKind::BrokenPipe => {
                    Attempted { is_passing: true, ..Attempted::broken("the answer broke off") }
                }
                // How the system reports that it does not know a name; it has no kind of its own.
                _ if error.to_string().contains("lookup") => passing("unknown host"),
                kind => Attempted::broken(&format!("the exchange failed: {kind}")),
            },
            _ => Attempted::broken("the exchange failed"),
        }
    }

    fn note(
        &self,
        request: &Request<'_>,
        began: Instant,
        result: &Result<(Answer, Option<Duration>), Attempted>,
    ) {
        let outcome = match result {
            Ok((answer, _)) => format!("{}, {} bytes", answer.status, answer.body.len()),
            Err(attempted) => attempted.reason.clone(),
        };
        let (method, path) = (request.method, &request.path);
        let time = began.elapsed().as_millis();
        let line = format!("{method} {}{path}: {outcome}, {time} ms", self.permit.address);
        justwhy_core::parallel::lock(self.log).push(line);
    }
}

/// One attempt that failed.
struct Attempted {
    code: &'static str,
    reason: String,
    may_have_arrived: bool,
    /// Whether it may go better the next time.
    is_passing: bool,
}

impl Attempted {
    fn new(code: &'static str, reason: String) -> Attempted {
        Attempted { code, reason, may_have_arrived: false, is_passing: false }
    }

    fn broken(reason: &str) -> Attempted {
        let broken = Attempted::new("store-answer", reason.to_owned());
        Attempted { may_have_arrived: true, ..broken }
    }
}

/// A problem at the address of a permit.
pub(crate) fn problem(permit: &Permit, code: &'static str, reason: String) -> StoreProblem {
    StoreProblem::Failed { code, address: permit.address.clone(), reason, help: None }
}

/// The same, and how to mend it.
pub(crate) fn with_help(problem: StoreProblem, text: impl Into<String>) -> StoreProblem {
    match problem {
        StoreProblem::Failed { code, address, reason, .. } => {
            StoreProblem::Failed { code, address, reason, help: Some(text.into()) }
        }
        other => other,
    }
}
