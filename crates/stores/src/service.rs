//! Scopes behind a service.

use crate::http::{Answer, Line, Request, Trouble, problem, with_help};
use crate::wire::{Caller, Page, WireScope, WireVariable, Write};
use crate::{Change, Expected, WriteProblem};
use justwhy_project::{Asked, StoreProblem};
use serde::Deserialize;
use serde::de::DeserializeOwned;

/// How many scopes a page may have.
const PAGE: usize = 1_000;
/// How often reading begins anew if the store changes in the middle of it.
const BEGINNINGS: u32 = 3;

/// What reading came to.
pub(crate) enum Fresh {
    /// These scopes, and by what the same answer can be told the next time.
    New { scopes: Vec<WireScope>, revision: u64, etag: String },
    /// What is kept still holds.
    Same,
}

/// What reading the pages came to.
enum Paged {
    Fresh(Fresh),
    Changed,
}

pub(crate) struct Service<'c> {
    line: Line<'c>,
    /// The most bytes of all that is read.
    most: u64,
}

#[derive(Deserialize)]
struct Refusal {
    error: RefusalCode,
}

#[derive(Deserialize)]
struct RefusalCode {
    code: String,
    #[serde(default)]
    revision: Option<u64>,
}

impl<'c> Service<'c> {
    pub(crate) fn new(line: Line<'c>, most: u64) -> Service<'c> {
        Service { line, most }
    }

    /// The scopes that are asked for; `etag` reports what is kept already.
    pub(crate) fn read(&self, asked: &Asked, etag: Option<&str>) -> Result<Fresh, StoreProblem> {
        match asked {
            Asked::One(name) => self.one(name, etag),
            Asked::Prefix(prefix) => {
                for _ in 0..BEGINNINGS {
                    if let Paged::Fresh(fresh) = self.pages(prefix, etag)? {
                        return Ok(fresh);
                    }
                }
                let reason =
                    format!("the store changed while it was read, {BEGINNINGS} times in a row");
                Err(with_help(self.problem("store-changed", reason), "try again"))
            }
        }
    }

    fn one(&self, name: &str, etag: Option<&str>) -> Result<Fresh, StoreProblem> {
        let answer = self.get(format!("/v1/scopes/{}", segment(name)), etag)?;
        match answer.status {
            304 if etag.is_some() => return Ok(Fresh::Same),
            404 if refusal(&answer).is_some_and(|refusal| refusal.code == "no-scope") => {
                let (scopes, etag) = (Vec::new(), String::new());
                return Ok(Fresh::New { scopes, revision: 0, etag });
            }
            _ => self.expect(&answer)?,
        }
        let scope: WireScope = self.json(&answer)?;
        if scope.name != name {
            return Err(self.bad("unexpected scope in the answer"));
        }
        let etag = self.etag(&answer, scope.revision)?;
        Ok(Fresh::New { revision: scope.revision, etag, scopes: vec![scope] })
    }

    fn pages(&self, prefix: &str, etag: Option<&str>) -> Result<Paged, StoreProblem> {
        let mut scopes: Vec<WireScope> = Vec::new();
        let mut first: Option<(u64, String)> = None;
        let mut next: Option<String> = None;
        let mut bytes = 0;
        loop {
            let mut path = format!("/v1/scopes?prefix={}&limit={PAGE}", segment(prefix));
            if let Some(after) = &next {
                path.push_str(&format!("&after={}", segment(after)));
            }
            let answer = self.get(path, etag.filter(|_| next.is_none()))?;
            match answer.status {
                304 if etag.is_some() && next.is_none() => return Ok(Paged::Fresh(Fresh::Same)),
                409 => return Ok(Paged::Changed),
                _ => self.expect(&answer)?,
            }
            bytes += answer.body.len() as u64;
            if bytes > self.most {
                let reason = format!("the answer has more than {} bytes", self.most);
                return Err(self.problem("limit", reason));
            }
            let page: Page = self.json(&answer)?;
            let etag = self.etag(&answer, page.revision)?;
            if first.as_ref().is_some_and(|(revision, _)| *revision != page.revision) {
                return Ok(Paged::Changed);
            }
            for scope in page.scopes {
                // So that pages without an end come to one.
                let goes_on = scopes.last().is_none_or(|last| last.name < scope.name);
                if !goes_on || !scope.name.starts_with(prefix) {
                    return Err(self.bad("unexpected scopes in the answer, or out of order"));
                }
                scopes.push(scope);
            }
            let (revision, etag) = first.get_or_insert((page.revision, etag)).clone();
            if page.next.is_none() {
                return Ok(Paged::Fresh(Fresh::New { scopes, revision, etag }));
            }
            if page.next == next || page.next.as_ref().is_some_and(|next| next.len() > 1_000) {
                return Err(self.bad("the pages of the answer do not end"));
            }
            next = page.next;
        }
    }

    /// As whom it takes us.
    pub(crate) fn caller(&self) -> Result<Caller, StoreProblem> {
        let answer = self.get("/v1/me".to_owned(), None)?;
        self.expect(&answer)?;
        let caller: Caller = self.json(&answer)?;
        match caller.name.len() <= 200 && caller.role.len() <= 40 {
            true => Ok(caller),
            false => Err(self.bad("your name in the answer is too long")),
        }
    }

    /// Makes a change, once. Gives the revision in which it was made.
    /// `mark` is what distinguishes the revision that was read from one of the same number elsewhere.
    pub(crate) fn write(
        &self,
        change: &Change,
        mark: Option<(u64, String)>,
    ) -> Result<u64, WriteProblem> {
        let path = format!("/v1/scopes/{}/variables/{}", segment(&change.scope), change.variable);
        let mut headers = self.headers();
        headers.push(match change.expected {
            Expected::Absent => ("If-None-Match", "*".to_owned()),
            Expected::Revision(revision) => {
                let mark =
                    mark.filter(|(of, _)| *of == revision).map(|(_, mark)| format!("-{mark}"));
                ("If-Match", format!("\"{revision}{}\"", mark.unwrap_or_default()))
            }
        });
        let body = change.value.as_ref().map(|(value, secret)| Write {
            value: value.clone(),
            secret: Some(*secret),
            visible_to: None,
        });
        let body = body.map(|body| serde_json::to_vec(&body).unwrap_or_default());
        if body.is_some() {
            headers.push(("Content-Type", "application/json".to_owned()));
        }
        let method = if body.is_some() { "PUT" } else { "DELETE" };
        let request = Request { method, path, headers, body: body.as_deref(), repeats: false };
        let answer = self.line.ask(&request, self.most).map_err(
            |Trouble { problem, may_have_arrived }| match may_have_arrived {
                true => WriteProblem::Unknown(problem),
                false => WriteProblem::Refused(problem),
            },
        )?;
        if answer.status == 412 {
            let revision = refusal(&answer).and_then(|refusal| refusal.revision);
            return Err(WriteProblem::Conflict(revision));
        }
        // What failed inside of the service may have been done.
        self.expect(&answer).map_err(|problem| match answer.status {
            500.. => WriteProblem::Unknown(problem),
            _ => WriteProblem::Refused(problem),
        })?;
        let written: WireVariable = self.json(&answer).map_err(WriteProblem::Unknown)?;
        Ok(written.revision)
    }

    fn headers(&self) -> Vec<(&'static str, String)> {
        let mut headers = vec![("Accept", "application/json".to_owned())];
        if let Some(token) = &self.line.permit.token {
            headers.push(("Authorization", format!("Bearer {}", token.reveal())));
        }
        headers
    }

    fn get(&self, path: String, etag: Option<&str>) -> Result<Answer, StoreProblem> {
        let mut headers = self.headers();
        headers.extend(etag.map(|etag| ("If-None-Match", etag.to_owned())));
        let request = Request { method: "GET", path, headers, body: None, repeats: true };
        self.line.ask(&request, self.most).map_err(|trouble| trouble.problem)
    }

    fn problem(&self, code: &'static str, reason: impl Into<String>) -> StoreProblem {
        problem(self.line.permit, code, reason.into())
    }

    fn bad(&self, reason: &str) -> StoreProblem {
        self.problem("store-answer", reason)
    }

    /// Whether the status is that of an answer.
    fn expect(&self, answer: &Answer) -> Result<(), StoreProblem> {
        let token = match &self.line.permit.allowed.token_variable {
            Some(name) => format!("the token in {name}"),
            None => "a request without a token".to_owned(),
        };
        let problem = match answer.status {
            200 | 201 => return Ok(()),
            304 => self.bad("unexpected answer: not modified (304)"),
            401 => self.problem("store-refused", format!("{token} is not accepted (401)")),
            403 => {
                self.problem("store-refused", format!("{token} is not allowed to do this (403)"))
            }
            404 => with_help(
                self.problem("store-missing", "no scopes at this address (404)"),
                "check the address of the store",
            ),
            413 => self.problem("store-refused", "the value is too long for the store (413)"),
            429 => with_help(
                self.problem("store-busy", "too many requests (429)"),
                "wait, or use the cached copy: --offline",
            ),
            status @ 300..=399 => self.problem(
                "store-answer",
                format!("redirects are errors; they are never followed ({status})"),
            ),
            status @ 500.. => self.problem("store-failed", format!("the store failed ({status})")),
            status => self.bad(&format!("unexpected status {status}")),
        };
        Err(problem)
    }

    fn json<T: DeserializeOwned>(&self, answer: &Answer) -> Result<T, StoreProblem> {
        let kind = answer.content_type.split(';').next().unwrap_or_default().trim();
        if !kind.eq_ignore_ascii_case("application/json") {
            return Err(self.bad("the answer is not JSON, by its content type"));
        }
        // The error of the parser would show what it found there.
        serde_json::from_slice(&answer.body).map_err(|error| {
            let what = if error.is_data() { "is not what was expected" } else { "is not JSON" };
            let (line, column) = (error.line(), error.column());
            self.bad(&format!("the answer {what} (at its {line}:{column})"))
        })
    }

    /// The tag of an answer, which begins with the revision that the answer has.
    fn etag(&self, answer: &Answer, revision: u64) -> Result<String, StoreProblem> {
        let etag = answer.etag.as_deref().unwrap_or_default();
        let tagged = etag.strip_prefix('"').and_then(|rest| rest.strip_suffix('"'));
        let tagged = tagged.and_then(|rest| rest.split('-').next()?.parse::<u64>().ok());
        match tagged {
            Some(tagged) if tagged == revision => Ok(etag.to_owned()),
            Some(tagged) => {
                Err(self.bad(&format!("the ETag has the revision {tagged}, the answer {revision}")))
            }
            None => Err(self.bad("no revision in the ETag of the answer")),
        }
    }
}

/// A text as one segment of a path, or as a value of a query.
fn segment(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for byte in text.bytes() {
        match byte {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'-' | b'_' | b'.' => {
                out.push(char::from(byte));
            }
            _ => out.push_str(&format!("%{byte:02X}")),
        }
    }
    out
}

fn refusal(answer: &Answer) -> Option<RefusalCode> {
    serde_json::from_slice::<Refusal>(&answer.body).ok().map(|refusal| refusal.error)
}
