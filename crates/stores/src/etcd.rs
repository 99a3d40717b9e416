//! Scopes in etcd, through its gateway for JSON: the key `ROOT/SCOPE/NAME` holds a variable, the key
//! `ROOT/SCOPE/` what is known about the scope itself.

use crate::http::{Answer, Line, Request, Trouble, problem, with_help};
use crate::permit::Permit;
use crate::token::Token;
use crate::wire::{OneOrMore, WireScope, WireVariable};
use crate::{Change, Expected, WriteProblem, now, rfc3339};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use justwhy_core::parallel::lock;
use justwhy_project::{Asked, StoreProblem};
use serde::Deserialize;
use serde_json::{Value as Json, json};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Mutex;

/// A cluster: its nodes are asked one after the other until one answers.
pub(crate) struct Etcd<'c> {
    lines: Vec<Line<'c>>,
    root: &'c str,
    most: u64,
    session: Session<'c>,
}

/// What the cluster gave us for user and password, kept for the next question.
pub(crate) struct Session<'c> {
    /// The name of the store.
    pub(crate) of: &'c str,
    pub(crate) known: &'c Mutex<HashMap<String, Token>>,
}

impl Session<'_> {
    fn get(&self) -> Option<Token> {
        lock(self.known).get(self.of).cloned()
    }

    fn begin(&self, token: Token) {
        lock(self.known).insert(self.of.to_owned(), token);
    }

    fn end(&self) {
        lock(self.known).remove(self.of);
    }
}

/// What an etcd cluster has about a range of keys.
#[derive(Deserialize)]
struct Range {
    header: Header,
    #[serde(default)]
    kvs: Vec<KeyValue>,
    #[serde(default)]
    more: bool,
    /// How many keys there are, sent or not.
    #[serde(default)]
    count: String,
}

#[derive(Deserialize)]
struct Header {
    revision: String,
}

#[derive(Deserialize)]
struct KeyValue {
    key: String,
    mod_revision: String,
    /// Left out where it is empty.
    #[serde(default)]
    value: String,
}

#[derive(Deserialize)]
struct Transaction {
    header: Header,
    /// Left out where it is false.
    #[serde(default)]
    succeeded: bool,
    #[serde(default)]
    responses: Vec<Json>,
}

/// What the key of a scope itself holds.
#[derive(Deserialize, Default)]
struct About {
    #[serde(default)]
    about: Option<String>,
    #[serde(default, deserialize_with = "crate::wire::no_name_twice")]
    visible_to: BTreeMap<String, OneOrMore>,
}

impl<'c> Etcd<'c> {
    pub(crate) fn new(
        lines: Vec<Line<'c>>,
        root: &'c str,
        most: u64,
        session: Session<'c>,
    ) -> Etcd<'c> {
        Etcd { lines, root, most, session }
    }

    /// The scopes that are asked for, as they all were in one revision.
    pub(crate) fn read(&self, asked: &Asked) -> Result<(Vec<WireScope>, u64), StoreProblem> {
        let begin = match asked {
            Asked::One(name) => format!("{}/{name}/", self.root),
            Asked::Prefix(prefix) => format!("{}/{prefix}", self.root),
        };
        let body =
            json!({ "key": encode(&begin), "range_end": encode_bytes(&after_prefix(&begin)) });
        let answer = self.ask("/v3/kv/range", &body, true).map_err(|trouble| trouble.problem)?;
        let range: Range = self.json(&answer)?;
        let count = match range.count.as_str() {
            "" => range.kvs.len() as u64,
            count => self.number(count)?,
        };
        if range.more || count > range.kvs.len() as u64 {
            return Err(self.bad("incomplete answer"));
        }
        let revision = self.number(&range.header.revision)?;
        let mut scopes: BTreeMap<String, WireScope> = BTreeMap::new();
        let mut seen = HashSet::new();
        for held in &range.kvs {
            if !seen.insert(held.key.as_str()) {
                return Err(self.bad("duplicate key in the answer"));
            }
            self.take(held, asked, &mut scopes)?;
        }
        Ok((scopes.into_values().collect(), revision))
    }

    /// Takes in what one key holds.
    fn take(
        &self,
        held: &KeyValue,
        asked: &Asked,
        scopes: &mut BTreeMap<String, WireScope>,
    ) -> Result<(), StoreProblem> {
        let key = decode(&held.key).and_then(|bytes| String::from_utf8(bytes).ok());
        let key = key.ok_or_else(|| self.bad("a key in the answer is not a string"))?;
        let below = key.strip_prefix(self.root).and_then(|rest| rest.strip_prefix('/'));
        let below = below.ok_or_else(|| self.bad("unexpected keys in the answer"))?;
        // Keys of others that begin in the same way are none of ours.
        let Some((name, variable)) = below.rsplit_once('/') else { return Ok(()) };
        if !asked.has(name) {
            return Ok(());
        }
        let revision = self.number(&held.mod_revision)?;
        let value =
            decode(&held.value).ok_or_else(|| self.bad("a value in the answer is not base64"))?;
        let scope = scopes
            .entry(name.to_owned())
            .or_insert_with(|| WireScope { name: name.to_owned(), ..WireScope::default() });
        scope.revision = scope.revision.max(revision);
        let bad = |what: &str| {
            // What is there may be a secret.
            let reason = format!("the key {key} is not a {what}");
            let help = "write a JSON string, or an object with its value";
            with_help(self.bad(&reason), help)
        };
        if variable.is_empty() {
            let about: About =
                serde_json::from_slice(&value).map_err(|_| bad("description of a scope"))?;
            scope.about = about.about;
            scope.visible_to = about.visible_to;
            return Ok(());
        }
        // Its value alone, or with what is known about it.
        let wire = match value.trim_ascii_start().first() {
            Some(b'"') => serde_json::from_slice(&value)
                .map(|value| WireVariable { value: Some(value), ..WireVariable::default() }),
            _ => serde_json::from_slice(&value),
        };
        let wire: WireVariable = wire.map_err(|_| bad("variable of a scope"))?;
        if wire.value.is_none() {
            return Err(bad("variable of a scope"));
        }
        scope.variables.insert(variable.to_owned(), WireVariable { revision, ..wire });
        Ok(())
    }

    /// Makes a change in one transaction. Gives the revision in which it was made.
    pub(crate) fn write(&self, change: &Change) -> Result<u64, WriteProblem> {
        let key = encode(&format!("{}/{}/{}", self.root, change.scope, change.variable));
        let expected = match change.expected {
            Expected::Absent => 0,
            Expected::Revision(revision) => revision,
        };
        let operation = match &change.value {
            Some((value, secret)) => {
                // What it is meant for stays; had it changed since, so had the revision.
                let visible_to = match change.expected {
                    Expected::Revision(_) => self.audience(&key).map_err(WriteProblem::Refused)?,
                    Expected::Absent => BTreeMap::new(),
                };
                let by = self.lines.first().and_then(|line| line.permit.allowed.user.clone());
                let held = WireVariable {
                    value: Some(value.clone()),
                    secret: *secret,
                    updated: Some(rfc3339(now())),
                    by,
                    visible_to,
                    ..WireVariable::default()
                };
                let mut held = serde_json::to_value(&held).unwrap_or_default();
                // Its revision is that of the key.
                if let Some(held) = held.as_object_mut() {
                    held.remove("revision");
                }
                json!({ "requestPut": { "key": key, "value": encode(&held.to_string()) } })
            }
            None => json!({ "requestDeleteRange": { "key": key } }),
        };
        let body = json!({
            "compare": [{
                "key": key, "target": "MOD", "result": "EQUAL", "mod_revision": expected.to_string()
            }],
            "success": [operation],
            "failure": [{ "requestRange": { "key": key } }],
        });
        let answer = self.ask("/v3/kv/txn", &body, false).map_err(|trouble| {
            match trouble.may_have_arrived {
                true => WriteProblem::Unknown(trouble.problem),
                false => WriteProblem::Refused(trouble.problem),
            }
        })?;
        let done: Transaction = self.json(&answer).map_err(WriteProblem::Unknown)?;
        if done.succeeded {
            return self.number(&done.header.revision).map_err(WriteProblem::Unknown);
        }
        let there = done.responses.first().and_then(|response| {
            let range = response.get("response_range")?;
            let kvs: Vec<KeyValue> = serde_json::from_value(range.get("kvs")?.clone()).ok()?;
            kvs.first()?.mod_revision.parse().ok()
        });
        Err(WriteProblem::Conflict(there))
    }

    /// Whom the variable of that key is meant for now.
    fn audience(&self, key: &str) -> Result<BTreeMap<String, OneOrMore>, StoreProblem> {
        let answer = self.ask("/v3/kv/range", &json!({ "key": key }), true);
        let range: Range = self.json(&answer.map_err(|trouble| trouble.problem)?)?;
        let held = range.kvs.first().and_then(|held| decode(&held.value));
        // A text alone is meant for all; what cannot be read was reported when it was read.
        let held = held.and_then(|held| serde_json::from_slice::<WireVariable>(&held).ok());
        Ok(held.map(|held| held.visible_to).unwrap_or_default())
    }

    /// As whom it takes us.
    pub(crate) fn caller(&self) -> Option<String> {
        self.lines.first().and_then(|line| line.permit.allowed.user.clone())
    }

    /// Asks one node after the other until one answers. What changes something goes on to another
    /// node only if it cannot have arrived.
    fn ask(&self, path: &str, body: &Json, repeats: bool) -> Result<Answer, Trouble> {
        let mut last = None;
        for line in &self.lines {
            match self.ask_node(line, path, body, repeats) {
                Ok(answer) => match self.refusal(line, &answer) {
                    None => return Ok(answer),
                    // A node without a leader knows nothing; another one may.
                    Some(problem) if answer.status >= 500 || answer.status == 429 => {
                        let trouble = Trouble { problem, may_have_arrived: true };
                        if !repeats {
                            return Err(trouble);
                        }
                        last = Some(trouble);
                    }
                    Some(problem) => return Err(Trouble { problem, may_have_arrived: false }),
                },
                Err(trouble) if trouble.may_have_arrived && !repeats => return Err(trouble),
                Err(trouble) => last = Some(trouble),
            }
        }
        Err(last.unwrap_or_else(|| Trouble {
            problem: StoreProblem::Unavailable("the store has no node".to_owned()),
            may_have_arrived: false,
        }))
    }

    fn ask_node(
        &self,
        line: &Line<'_>,
        path: &str,
        body: &Json,
        repeats: bool,
    ) -> Result<Answer, Trouble> {
        let text = body.to_string();
        for is_first in [true, false] {
            let mut headers = vec![("Content-Type", "application/json".to_owned())];
            if let Some(token) = self.token(line)? {
                // Without the word that is before a token elsewhere.
                headers.push(("Authorization", token.reveal().to_owned()));
            }
            let request = Request {
                method: "POST",
                path: path.to_owned(),
                headers,
                body: Some(text.as_bytes()),
                repeats,
            };
            // Base64 in JSON takes a third more.
            let answer = line.ask(&request, self.most.saturating_mul(2))?;
            let has_session = self.session.get().is_some();
            if answer.status == 401 && has_session && is_first {
                // It has run out, or the node does not know it yet.
                self.session.end();
                continue;
            }
            return Ok(answer);
        }
        Err(Trouble {
            problem: self.bad("the store ends every session at once"),
            may_have_arrived: false,
        })
    }

    /// The token to send: that of the session if there is a user, else what the variable holds.
    fn token(&self, line: &Line<'_>) -> Result<Option<Token>, Trouble> {
        let Permit { allowed, token, .. } = line.permit;
        let (Some(user), Some(password)) = (&allowed.user, token) else {
            return Ok(token.clone());
        };
        if let Some(session) = self.session.get() {
            return Ok(Some(session));
        }
        let body = json!({ "name": user, "password": password.reveal() }).to_string();
        let request = Request {
            method: "POST",
            path: "/v3/auth/authenticate".to_owned(),
            headers: vec![("Content-Type", "application/json".to_owned())],
            body: Some(body.as_bytes()),
            repeats: true,
        };
        let answer = line.ask(&request, 64 * 1024).map_err(|trouble| {
            // Whatever was to be written was not sent yet.
            Trouble { may_have_arrived: false, ..trouble }
        })?;
        let trouble = |problem: StoreProblem| Trouble { problem, may_have_arrived: false };
        if answer.status == 400 || answer.status == 401 {
            let name = allowed.token_variable.as_deref().unwrap_or_default();
            let reason = format!("wrong password in {name} for the user {user}");
            return Err(trouble(problem(line.permit, "store-refused", reason)));
        }
        if let Some(problem) = self.refusal(line, &answer) {
            return Err(trouble(problem));
        }
        let session: Json = self.json(&answer).map_err(trouble)?;
        let session = session.get("token").and_then(Json::as_str).map(str::to_owned);
        match session.and_then(Token::new) {
            Some(session) => {
                self.session.begin(session.clone());
                Ok(Some(session))
            }
            None => Err(trouble(self.bad("no token after the login"))),
        }
    }

    /// Why an answer is none; `None` if it is one.
    fn refusal(&self, line: &Line<'_>, answer: &Answer) -> Option<StoreProblem> {
        let variable = line.permit.allowed.token_variable.as_deref();
        let token = match variable {
            Some(name) => format!("the token in {name}"),
            None => "a request without a token".to_owned(),
        };
        let problem = |code, reason: String| Some(problem(line.permit, code, reason));
        match answer.status {
            200 => None,
            400 if variable.is_none() => {
                let refused = problem("store-refused", "bad request (400)".to_owned())?;
                let help = "the store may need a token (token_variable), or refuse the name in the certificate";
                Some(with_help(refused, help))
            }
            400 => problem("store-refused", "bad request (400)".to_owned()),
            401 => problem("store-refused", format!("{token} is not accepted (401)")),
            403 => problem("store-refused", format!("{token} is not allowed to do this (403)")),
            404 => problem("store-missing", "no etcd at this address (404)".to_owned()),
            429 => problem("store-busy", "too many requests (429)".to_owned()),
            status @ 300..=399 => problem(
                "store-answer",
                format!("redirects are errors; they are never followed ({status})"),
            ),
            status @ 500.. => problem("store-failed", format!("the store failed ({status})")),
            status => problem("store-answer", format!("unexpected status {status}")),
        }
    }

    fn bad(&self, reason: &str) -> StoreProblem {
        match self.lines.first() {
            Some(line) => problem(line.permit, "store-answer", reason.to_owned()),
            None => StoreProblem::Unavailable(reason.to_owned()),
        }
    }

    fn number(&self, text: &str) -> Result<u64, StoreProblem> {
        text.parse().map_err(|_| self.bad("a revision in the answer is not a number"))
    }

    fn json<T: serde::de::DeserializeOwned>(&self, answer: &Answer) -> Result<T, StoreProblem> {
        // The error of the parser would show what it found there.
        serde_json::from_slice(&answer.body).map_err(|error| {
            let what = if error.is_data() { "is not what was expected" } else { "is not JSON" };
            let (line, column) = (error.line(), error.column());
            self.bad(&format!("the answer {what} (at its {line}:{column})"))
        })
    }
}

fn encode(text: &str) -> String {
    encode_bytes(text.as_bytes())
}

fn encode_bytes(bytes: &[u8]) -> String {
    STANDARD.encode(bytes)
}

fn decode(text: &str) -> Option<Vec<u8>> {
    STANDARD.decode(text).ok()
}

/// The first key that does not begin so any more.
fn after_prefix(prefix: &str) -> Vec<u8> {
    let mut bytes = prefix.as_bytes().to_vec();
    // A prefix ends in a character of ASCII, so that there is always one after it.
    if let Some(last) = bytes.last_mut() {
        *last += 1;
    }
    bytes
}
