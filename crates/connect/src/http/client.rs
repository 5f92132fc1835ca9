//! One system's HTTP client: sign-in, and calls in what the profile says it speaks.

use std::sync::Arc;
use std::time::{Duration, Instant};

use chrono::{DateTime, Utc};
use hovrel_core::bounds::{LONGEST_FILE, LONGEST_SIGN_IN};
use hovrel_core::model::Attachment;
use reqwest::{Method, RequestBuilder, StatusCode, header};
use serde_json::Value;
use tokio::sync::{OnceCell, RwLock};

use super::decode::read_time;
use super::request::Request;
use super::tree;
use crate::aside::aside;
use crate::profile::{Profile, SignIn, Speaks};
use crate::sending::watched;
use crate::transport::{Allowed, Reply, Told, Transport, basic};
use crate::{ByteStream, ConnectError, Credentials, Outside};

pub struct Client {
    pub profile: Profile,
    pub transport: Transport,
    credentials: Credentials,
    token: RwLock<Option<Token>>,
    about: OnceCell<About>,
}

/// What the answer to a write holds.
#[derive(Debug, Default)]
pub struct Answered {
    /// None if the system answers with nothing.
    pub body: Option<Value>,
    pub etag: Option<String>,
}

/// What a sign-in answered.
#[derive(Clone, PartialEq)]
struct Token {
    text: String,
    until: Option<Instant>,
}

/// A system that goes on refusing what it has just given is not asked for more than this.
const SIGN_INS: usize = 3;

/// A token is renewed this long before it expires, so that none expires on its way.
const RENEWED_BEFORE: Duration = Duration::from_secs(10);

impl Token {
    fn is_good(&self) -> bool {
        self.until.is_none_or(|until| until > Instant::now() + RENEWED_BEFORE)
    }
}

/// What the system says of itself.
#[derive(Debug, Clone)]
pub struct About {
    pub version: String,
    /// Its time, or the text in its place that is none.
    pub clock: Result<DateTime<Utc>, String>,
    pub zone: chrono_tz::Tz,
    pub access: Option<String>,
    allowed: Allowed,
}

/// What a call brings to the system.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Carries {
    Words,
    AFile,
}

impl Client {
    pub fn new(
        profile: Profile,
        address: &str,
        credentials: Credentials,
        outside: &Arc<Outside>,
    ) -> Result<Client, ConnectError> {
        let transport = Transport::new(address, profile.calls_at_once, outside)?;
        Ok(Client { profile, transport, credentials, token: RwLock::new(None), about: OnceCell::new() })
    }

    /// Where the system is.
    pub fn address(&self) -> &str {
        &self.transport.address
    }

    /// Reads what the system says of itself, once.
    pub async fn about(&self) -> Result<About, ConnectError> {
        let about = self.about.get_or_try_init(|| self.read_about()).await?;
        self.transport.keep_to(about.allowed).await;
        Ok(about.clone())
    }

    pub async fn read_about(&self) -> Result<About, ConnectError> {
        let at = &self.profile.about;
        let answer = self.read(&at.path).await?;
        let text = |pointer: &Option<String>| pointer.as_ref().and_then(|p| tree::text(&answer, p));
        let zone = match text(&at.zone) {
            None => chrono_tz::UTC,
            Some(name) => name.parse().map_err(|_| ConnectError::Malformed {
                address: format!("{}{}", self.address(), at.path),
                why: format!("“{name}” is not a time zone of the IANA database"),
            })?,
        };
        let shows = tree::text(&answer, &at.clock).unwrap_or_default();
        let clock = read_time(&shows, zone).map(|time| time.to_utc()).ok_or(shows);
        if let Ok(shows) = &clock {
            self.transport.clock_seen(*shows);
        }
        Ok(About {
            version: tree::text(&answer, &at.version).unwrap_or_default(),
            clock,
            zone,
            access: text(&at.access),
            allowed: Allowed {
                calls_per_minute: text(&at.calls_per_minute).and_then(|t| t.parse().ok()),
                calls_per_second: text(&at.calls_per_second).and_then(|t| t.parse().ok()),
                calls_at_once: text(&at.calls_at_once).and_then(|t| t.parse().ok()),
            },
        })
    }

    /// Reads a path, with retries.
    pub async fn read(&self, path: &str) -> Result<Value, ConnectError> {
        self.transport
            .retried(|| async {
                let response = self.send(Method::GET, path, &|r| r, Carries::Words).await?;
                self.parse(path, response).await
            })
            .await
    }

    /// Reads a page, with retries: the answer and its headers.
    pub async fn read_page(&self, path: &str) -> Result<(Value, header::HeaderMap), ConnectError> {
        self.transport
            .retried(|| async {
                let response = self.send(Method::GET, path, &|r| r, Carries::Words).await?;
                let headers = response.headers().clone();
                Ok((self.parse(path, response).await?, headers))
            })
            .await
    }

    /// Opens a stream, with retries until it is open.
    pub async fn stream(&self, path: &str) -> Result<ByteStream, ConnectError> {
        let reply = self
            .transport
            .retried(|| self.send(Method::GET, path, &|r| r.timeout(LONGEST_FILE), Carries::Words))
            .await?;
        Ok(reply.stream())
    }

    /// Writes once. A wait that the system asks for before doing anything is waited for.
    pub async fn write(&self, method: Method, path: &str, request: Request) -> Result<Answered, ConnectError> {
        let body = match (&request.body, self.profile.speaks) {
            (None, _) => String::new(),
            (Some(body), Speaks::Json) => body.to_string(),
            (Some(body), Speaks::Xml) => tree::to_xml(request.root.as_deref().unwrap_or("item"), body),
        };
        let build = |mut r: RequestBuilder| {
            if request.body.is_some() {
                r = r.header(header::CONTENT_TYPE, self.media_type()).body(body.clone());
            }
            request.headers.iter().fold(r, |r, (name, value)| r.header(name, value))
        };
        let send = || async {
            let response = self.send(method.clone(), path, &build, Carries::Words).await?;
            let etag = response.headers().get(header::ETAG).and_then(|v| v.to_str().ok()).map(str::to_owned);
            let says_nothing =
                response.status() == StatusCode::NO_CONTENT || response.content_length().is_some_and(|n| n == 0);
            let body = if says_nothing { None } else { Some(self.parse(path, response).await?) };
            Ok(Answered { body, etag })
        };
        self.transport.once(send).await
    }

    /// Sends a file as a stream, once.
    pub async fn upload(&self, path: &str, file: &Attachment, bytes: ByteStream) -> Result<(), ConnectError> {
        // A stream can be sent only once: signing in and waiting for a permit come before.
        self.token_header(false).await?;
        let (bytes, watch) = watched(bytes, file.bytes);
        let body = std::sync::Mutex::new(Some(reqwest::Body::wrap_stream(bytes)));
        let build = |r: RequestBuilder| {
            let body = body.lock().ok().and_then(|mut b| b.take()).unwrap_or_default();
            let r = r.header(header::CONTENT_TYPE, &file.media_type);
            // Of a file whose size is not known the end is told as it comes.
            let r = file.bytes.into_iter().fold(r, |r, bytes| r.header(header::CONTENT_LENGTH, bytes));
            r.body(body)
        };
        let sent = tokio::select! {
            sent = self.send(Method::PUT, path, &build, Carries::AFile) => sent,
            why = watch.given_up() => Err(ConnectError::Unknown { why }),
        };
        match sent {
            // The sign-in expired on the way: nothing was done, and the next try has a new one.
            Err(ConnectError::SignIn { .. }) if self.signs_in() => {
                self.token_header(true).await?;
                Err(ConnectError::Busy { after: None })
            }
            other => other.map(|_| ()),
        }
    }

    /// Whether there is a call for signing in, whose answer can expire.
    fn signs_in(&self) -> bool {
        matches!(self.profile.sign_in, SignIn::Session { .. } | SignIn::ClientCredentials { .. })
    }

    /// Sends once (again if the session had ended, unless it is a file, which can be sent only once) and tells errors
    /// apart. A response is returned with its body unread.
    async fn send(
        &self,
        method: Method,
        path: &str,
        build: &(dyn Fn(RequestBuilder) -> RequestBuilder + Sync),
        carries: Carries,
    ) -> Result<Reply, ConnectError> {
        let again = carries == Carries::Words && self.signs_in();
        let mut signed_in = 0;
        loop {
            let (name, value) = self.token_header(signed_in > 0).await?;
            let url = format!("{}{path}", self.address());
            let request = match carries {
                Carries::Words => self.transport.request(method.clone(), &url),
                Carries::AFile => self.transport.sending(method.clone(), &url),
            };
            let request = build(request).header(name, value).header(header::ACCEPT, self.media_type());
            let response = self.transport.execute(&method, &url, request).await?;
            if response.status() == StatusCode::UNAUTHORIZED && again && signed_in < SIGN_INS {
                signed_in += 1;
                continue;
            }
            return if response.status().is_success() { Ok(response) } else { Err(self.failed(response).await) };
        }
    }

    async fn failed(&self, reply: Reply) -> ConnectError {
        let tell = |body: &str| self.told(self.understand(body).as_ref());
        self.transport.failed(reply, self.speech(), tell).await
    }

    /// What an error says, in the profile's places.
    fn told(&self, body: Option<&Value>) -> Told {
        let errors = &self.profile.errors;
        let text = |pointer: &str| body.and_then(|b| tree::text(b, pointer));
        let code = text(&errors.code).unwrap_or_default();
        Told {
            understood: body.is_some(),
            text: text(&errors.text).unwrap_or_default(),
            field: errors.field.as_ref().and_then(|p| text(p)),
            changed: errors.changed.contains(&code),
            duplicate: errors.duplicate.contains(&code),
        }
    }

    /// The error in one answer of several.
    pub fn refused(&self, answer: &Value) -> ConnectError {
        match self.told(Some(answer)) {
            told if told.duplicate => ConnectError::Duplicate,
            told => ConnectError::Refused { field: told.field.unwrap_or_default(), text: told.text },
        }
    }

    fn understand(&self, body: &str) -> Option<Value> {
        match self.profile.speaks {
            Speaks::Json => tree::from_json(body).ok(),
            Speaks::Xml => tree::from_xml(body).ok(),
        }
    }

    async fn parse(&self, path: &str, reply: Reply) -> Result<Value, ConnectError> {
        let address = format!("{}{path}", self.address());
        let text = reply.text(self.speech()).await?;
        let speaks = self.profile.speaks;
        let read = aside(move |_| match speaks {
            Speaks::Json => tree::from_json(&text),
            Speaks::Xml => tree::from_xml(&text),
        });
        read.await.map_err(|why| ConnectError::Malformed { address, why })
    }

    fn media_type(&self) -> &'static str {
        match self.profile.speaks {
            Speaks::Json => "application/json",
            Speaks::Xml => "application/xml",
        }
    }

    fn speech(&self) -> &'static str {
        match self.profile.speaks {
            Speaks::Json => "JSON",
            Speaks::Xml => "XML",
        }
    }

    fn asked(&self, id: &str) -> &str {
        self.credentials.0.get(id).map_or("", String::as_str)
    }

    /// The header that every call carries. `fresh` asks for a new session or token.
    pub async fn token_header(&self, fresh: bool) -> Result<(String, header::HeaderValue), ConnectError> {
        let (name, text) = match &self.profile.sign_in {
            SignIn::Key { header, ask } => (header.clone(), self.asked(ask).to_owned()),
            SignIn::Basic { login, password } => {
                (header::AUTHORIZATION.to_string(), basic(self.asked(login), self.asked(password)))
            }
            SignIn::Session { header, .. } => (header.clone(), self.token(fresh).await?),
            SignIn::ClientCredentials { .. } => {
                (header::AUTHORIZATION.to_string(), format!("Bearer {}", self.token(fresh).await?))
            }
        };
        let mut value = header::HeaderValue::from_str(&text)
            .map_err(|_| ConnectError::SignIn { text: "it holds characters that can't be sent".into() })?;
        value.set_sensitive(true);
        Ok((name, value))
    }

    /// The token in use, or a new one.
    async fn token(&self, fresh: bool) -> Result<String, ConnectError> {
        let before = self.token.read().await.clone();
        if let Some(token) = before.as_ref().filter(|t| !fresh && t.is_good()) {
            return Ok(token.text.clone());
        }
        let mut kept = self.token.write().await;
        // Somebody else may have signed in while this call waited for the lock.
        if let Some(token) = kept.as_ref().filter(|t| Some(*t) != before.as_ref()) {
            return Ok(token.text.clone());
        }
        let got = self.transport.retried(|| self.sign_in()).await?;
        *kept = Some(got.clone());
        Ok(got.text)
    }

    /// Signs in once: for a session, or for an access token by the client's own credentials, which names
    /// itself by HTTP Basic (RFC 6749 §2.3.1 and §4.4.2).
    async fn sign_in(&self) -> Result<Token, ConnectError> {
        let (path, request) = match &self.profile.sign_in {
            SignIn::Session { path, root, body, .. } => {
                let filled = |(k, v): (&String, &String)| {
                    let asks = &self.profile.asks;
                    let put =
                        |v: String, a: &crate::profile::Ask| v.replace(&format!("{{{}}}", a.id), self.asked(&a.id));
                    (k.clone(), Value::String(asks.iter().fold(v.clone(), put)))
                };
                let body = Value::Object(body.iter().map(filled).collect());
                let text = match self.profile.speaks {
                    Speaks::Json => body.to_string(),
                    Speaks::Xml => tree::to_xml(root.as_deref().unwrap_or("sign-in"), &body),
                };
                let url = format!("{}{path}", self.address());
                (
                    path,
                    self.transport
                        .request(Method::POST, &url)
                        .header(header::CONTENT_TYPE, self.media_type())
                        .body(text),
                )
            }
            SignIn::ClientCredentials { path, client, secret } => {
                let url = format!("{}{path}", self.address());
                let request = self
                    .transport
                    .request(Method::POST, &url)
                    .header(header::AUTHORIZATION, basic(self.asked(client), self.asked(secret)))
                    .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
                    .body("grant_type=client_credentials");
                (path, request)
            }
            SignIn::Key { .. } | SignIn::Basic { .. } => unreachable!("these have no call for signing in"),
        };
        let url = format!("{}{path}", self.address());
        // Signing in twice is signing in.
        let response = self.transport.execute(&Method::GET, &url, request).await?;
        if !response.status().is_success() {
            return Err(match self.failed(response).await {
                ConnectError::Forbidden { text } | ConnectError::Refused { text, .. } => ConnectError::SignIn { text },
                other => other,
            });
        }
        let answer = self.parse(path, response).await?;
        let (place, lasts) = match &self.profile.sign_in {
            SignIn::Session { token, .. } => (token.as_str(), None),
            _ => ("/access_token", tree::number(&answer, "/expires_in")),
        };
        let text = tree::text(&answer, place)
            .ok_or_else(|| ConnectError::SignIn { text: "the answer holds no session or token".into() })?;
        let lasts = lasts.map(|seconds| Duration::from_secs(seconds).min(LONGEST_SIGN_IN));
        Ok(Token { text, until: lasts.map(|lasts| Instant::now() + lasts) })
    }
}
