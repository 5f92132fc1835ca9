//! One system's HTTP client: sign-in, slots, rate, retries of reads, errors told apart.

use std::num::NonZeroU32;
use std::sync::atomic::Ordering::Relaxed;
use std::time::{Duration, Instant};

use backon::{BackoffBuilder, ExponentialBuilder};
use futures::StreamExt;
use governor::{DefaultDirectRateLimiter, Quota, RateLimiter};
use hovrel_core::model::Attachment;
use reqwest::{Method, RequestBuilder, Response, StatusCode, header};
use serde_json::Value;
use tokio::sync::{OnceCell, RwLock, Semaphore, SemaphorePermit};

use super::encode::Request;
use super::tree;
use crate::contract::Meter;
use crate::profile::{Profile, SignIn, Speaks};
use crate::{ByteStream, ConnectError, Credentials};

const TIMEOUT: Duration = Duration::from_secs(30);
const LARGEST_ANSWER: usize = 64 * 1024 * 1024;
/// Reads are tried this often in all before the trouble is reported.
const TRIES: usize = 7;
/// The longest wait that a system may ask for.
const LONGEST_WAIT: Duration = Duration::from_secs(120);

pub struct Client {
    pub profile: Profile,
    /// Without a slash at the end.
    pub address: String,
    pub meter: Meter,
    http: reqwest::Client,
    credentials: Credentials,
    token: RwLock<Option<String>>,
    about: OnceCell<About>,
    limits: OnceCell<Limits>,
    /// Used until the system said what it allows.
    first_slots: Semaphore,
}

struct Limits {
    slots: Semaphore,
    at_once: usize,
    per_minute: Option<u32>,
    rate: Option<DefaultDirectRateLimiter>,
}

/// What the system says of itself.
#[derive(Debug, Clone)]
pub struct About {
    pub version: String,
    pub clock: String,
    pub zone: chrono_tz::Tz,
    pub access: Option<String>,
    calls_per_minute: Option<u32>,
    calls_at_once: Option<usize>,
}

impl Client {
    pub fn new(profile: Profile, address: &str, credentials: Credentials) -> Result<Client, ConnectError> {
        let address = address.trim().trim_end_matches('/').to_owned();
        let unreachable = |why: String| ConnectError::Unreachable { address: address.clone(), why };
        let url = url::Url::parse(&address).map_err(|e| unreachable(format!("it is not an address ({e})")))?;
        if !matches!(url.scheme(), "http" | "https") || url.host_str().is_none() {
            return Err(unreachable("it must begin with http:// or https:// and name a host".into()));
        }
        if !url.username().is_empty() || url.password().is_some() {
            return Err(unreachable("it holds a sign-in; enter that in its own fields".into()));
        }
        let http = reqwest::Client::builder()
            .timeout(TIMEOUT)
            .connect_timeout(Duration::from_secs(10))
            .redirect(reqwest::redirect::Policy::none())
            // A cut connection must not be reused, nor a request silently repeated by a pool.
            .pool_idle_timeout(Duration::from_secs(20))
            .user_agent("hovrel")
            .build()
            .map_err(|e| unreachable(e.to_string()))?;
        Ok(Client {
            first_slots: Semaphore::new(profile.calls_at_once.max(1)),
            profile,
            address,
            meter: Meter::default(),
            http,
            credentials,
            token: RwLock::new(None),
            about: OnceCell::new(),
            limits: OnceCell::new(),
        })
    }

    /// Calls at once, and calls a minute where the system says so.
    pub fn limits(&self) -> (usize, Option<u32>) {
        self.limits.get().map_or((self.profile.calls_at_once, None), |l| (l.at_once, l.per_minute))
    }

    /// Reads what the system says of itself, once.
    pub async fn about(&self) -> Result<About, ConnectError> {
        let about = self.about.get_or_try_init(|| self.read_about()).await?;
        self.limits
            .get_or_init(|| async {
                let at_once = about.calls_at_once.unwrap_or(self.profile.calls_at_once).max(1);
                // A quarter of a minute's calls may come at once; the rest is spread evenly.
                let rate = about.calls_per_minute.and_then(NonZeroU32::new).map(|n| {
                    let burst = NonZeroU32::new(n.get() / 4).unwrap_or(NonZeroU32::MIN);
                    RateLimiter::direct(Quota::per_minute(n).allow_burst(burst))
                });
                Limits { slots: Semaphore::new(at_once), at_once, per_minute: about.calls_per_minute, rate }
            })
            .await;
        Ok(about.clone())
    }

    pub async fn read_about(&self) -> Result<About, ConnectError> {
        let at = &self.profile.about;
        let answer = self.read(&at.path).await?;
        let text = |pointer: &Option<String>| pointer.as_ref().and_then(|p| tree::text(&answer, p));
        let zone = match text(&at.zone) {
            None => chrono_tz::UTC,
            Some(name) => name.parse().map_err(|_| ConnectError::Malformed {
                address: format!("{}{}", self.address, at.path),
                why: format!("“{name}” is not a time zone of the IANA database"),
            })?,
        };
        Ok(About {
            version: tree::text(&answer, &at.version).unwrap_or_default(),
            clock: tree::text(&answer, &at.clock).unwrap_or_default(),
            zone,
            access: text(&at.access),
            calls_per_minute: text(&at.calls_per_minute).and_then(|t| t.parse().ok()),
            calls_at_once: text(&at.calls_at_once).and_then(|t| t.parse().ok()),
        })
    }

    /// Reads a path, with retries.
    pub async fn read(&self, path: &str) -> Result<Value, ConnectError> {
        self.retried(|| async {
            let response = self.send(Method::GET, path, &|r| r, true).await?;
            self.parse(path, response).await
        })
        .await
    }

    /// Opens a stream, with retries until it is open.
    pub async fn stream(&self, path: &str) -> Result<Response, ConnectError> {
        self.retried(|| self.send(Method::GET, path, &|r| r, true)).await
    }

    /// Writes once. A wait that the system asks for before doing anything is waited for.
    pub async fn write(&self, method: Method, path: &str, request: Request) -> Result<Value, ConnectError> {
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
        let mut waits = backoff();
        loop {
            let result = match self.send(method.clone(), path, &build, true).await {
                Ok(response) if response.status() == StatusCode::NO_CONTENT => Ok(Value::Null),
                Ok(response) => self.parse(path, response).await,
                Err(e) => Err(e),
            };
            match result {
                Err(ConnectError::Busy { after }) => match waits.next() {
                    Some(wait) => self.wait(after.unwrap_or(wait)).await,
                    None => return Err(ConnectError::Busy { after }),
                },
                // What can't be read may well have been done.
                Err(ConnectError::Malformed { why, .. }) => return Err(ConnectError::Unknown { why }),
                other => return other,
            }
        }
    }

    /// Sends a file as a stream, once.
    pub async fn upload(&self, path: &str, file: &Attachment, bytes: ByteStream) -> Result<(), ConnectError> {
        // A stream can be sent only once: signing in and waiting for a permit come before.
        self.token_header(false).await?;
        let body = std::sync::Mutex::new(Some(reqwest::Body::wrap_stream(bytes)));
        let build = |r: RequestBuilder| {
            let body = body.lock().ok().and_then(|mut b| b.take()).unwrap_or_default();
            r.header(header::CONTENT_TYPE, &file.media_type).header(header::CONTENT_LENGTH, file.bytes).body(body)
        };
        self.send(Method::PUT, path, &build, false).await.map(|_| ())
    }

    async fn retried<T, F: Future<Output = Result<T, ConnectError>>>(
        &self,
        call: impl Fn() -> F,
    ) -> Result<T, ConnectError> {
        let mut waits = backoff();
        loop {
            let error = match call().await {
                Ok(value) => return Ok(value),
                Err(e) => e,
            };
            let after = match &error {
                ConnectError::Busy { after } => *after,
                ConnectError::Unknown { .. } | ConnectError::Failed { .. } | ConnectError::Malformed { .. } => None,
                // Nobody listening is not trouble of a moment, except that a restart takes a moment.
                ConnectError::Unreachable { .. } => None,
                _ => return Err(error),
            };
            let Some(wait) = waits.next() else { return Err(error) };
            self.meter.retries.fetch_add(1, Relaxed);
            self.wait(after.unwrap_or(wait)).await;
        }
    }

    async fn wait(&self, time: Duration) {
        let time = time.min(LONGEST_WAIT);
        self.meter.waited_ms.fetch_add(time.as_millis() as u64, Relaxed);
        tokio::time::sleep(time).await;
    }

    async fn slot(&self) -> SemaphorePermit<'_> {
        let started = Instant::now();
        let slots = self.limits.get().map_or(&self.first_slots, |l| &l.slots);
        let slot = slots.acquire().await.expect("the semaphore is never closed");
        if let Some(rate) = self.limits.get().and_then(|l| l.rate.as_ref()) {
            rate.until_ready().await;
        }
        self.meter.waited_ms.fetch_add(started.elapsed().as_millis() as u64, Relaxed);
        slot
    }

    /// Sends once (twice if the session had ended and `again` allows it) and tells errors apart. A
    /// response is returned with its body unread.
    async fn send(
        &self,
        method: Method,
        path: &str,
        build: &(dyn Fn(RequestBuilder) -> RequestBuilder + Sync),
        again: bool,
    ) -> Result<Response, ConnectError> {
        let mut fresh = false;
        loop {
            let (name, value) = self.token_header(fresh).await?;
            let url = format!("{}{path}", self.address);
            let request = build(self.http.request(method.clone(), &url))
                .header(name, value)
                .header(header::ACCEPT, self.media_type());
            let response = {
                let _slot = self.slot().await;
                self.meter.calls.fetch_add(1, Relaxed);
                request.send().await.map_err(|e| self.lost(&method, &url, &e))?
            };
            if response.status() == StatusCode::UNAUTHORIZED
                && again
                && !fresh
                && matches!(self.profile.sign_in, SignIn::Session { .. })
            {
                fresh = true;
                continue;
            }
            return if response.status().is_success() { Ok(response) } else { Err(self.failed(&url, response).await) };
        }
    }

    fn lost(&self, method: &Method, url: &str, e: &reqwest::Error) -> ConnectError {
        let why = innermost(e);
        if e.is_connect() || e.is_builder() {
            ConnectError::Unreachable { address: self.address.clone(), why }
        } else if *method == Method::GET && e.is_timeout() {
            ConnectError::Failed { address: url.to_owned(), status: 0, text: "no answer in time".into() }
        } else {
            ConnectError::Unknown { why }
        }
    }

    async fn failed(&self, url: &str, response: Response) -> ConnectError {
        let status = response.status();
        let address = url.to_owned();
        if status.is_redirection() {
            let to =
                response.headers().get(header::LOCATION).and_then(|v| v.to_str().ok()).unwrap_or("nowhere").to_owned();
            return ConnectError::Redirected { address, to };
        }
        let retry_after = retry_after(response.headers());
        let kind = content_type(&response);
        let body = response.text().await.unwrap_or_default();
        let told = self.understand(&body);
        let errors = &self.profile.errors;
        let told_text = |pointer: &str| told.as_ref().and_then(|t| tree::text(t, pointer));
        let code = told_text(&errors.code).unwrap_or_default();
        let text = told_text(&errors.text).unwrap_or_else(|| beginning(&body));
        let field = errors.field.as_ref().and_then(|p| told_text(p));
        match status {
            StatusCode::TOO_MANY_REQUESTS => {
                self.meter.refused_for_rate.fetch_add(1, Relaxed);
                ConnectError::Busy { after: retry_after }
            }
            StatusCode::SERVICE_UNAVAILABLE => ConnectError::Busy { after: retry_after },
            StatusCode::UNAUTHORIZED => ConnectError::SignIn { text },
            StatusCode::FORBIDDEN => ConnectError::Forbidden { text },
            StatusCode::NOT_FOUND if told.is_none() && kind.contains("html") => {
                ConnectError::NotData { address, status: 404, found: format!("a page ({kind})"), wanted: self.speech() }
            }
            StatusCode::NOT_FOUND | StatusCode::GONE => ConnectError::Missing { what: address },
            _ if errors.changed.contains(&code) || status == StatusCode::PRECONDITION_FAILED => ConnectError::Changed,
            _ if errors.duplicate.contains(&code) => ConnectError::Duplicate,
            _ if status.is_client_error() => ConnectError::Refused { field: field.unwrap_or_default(), text },
            _ => ConnectError::Failed { address, status: status.as_u16(), text },
        }
    }

    fn understand(&self, body: &str) -> Option<Value> {
        match self.profile.speaks {
            Speaks::Json => serde_json::from_str(body).ok(),
            Speaks::Xml => tree::from_xml(body).ok(),
        }
    }

    async fn parse(&self, path: &str, response: Response) -> Result<Value, ConnectError> {
        let address = format!("{}{path}", self.address);
        let status = response.status().as_u16();
        let kind = content_type(&response);
        let mut bytes = Vec::new();
        let mut stream = response.bytes_stream();
        while let Some(part) = stream.next().await {
            let part = part.map_err(|e| ConnectError::Unknown { why: innermost(&e) })?;
            if bytes.len() + part.len() > LARGEST_ANSWER {
                return Err(ConnectError::Malformed {
                    address,
                    why: format!("it is larger than {LARGEST_ANSWER} bytes"),
                });
            }
            bytes.extend_from_slice(&part);
        }
        let text = String::from_utf8(bytes)
            .map_err(|e| ConnectError::Malformed { address: address.clone(), why: format!("it is not UTF-8: {e}") })?;
        if kind.contains("html") {
            return Err(ConnectError::NotData {
                address,
                status,
                found: format!("a page ({kind})"),
                wanted: self.speech(),
            });
        }
        match self.profile.speaks {
            Speaks::Json => serde_json::from_str(&text).map_err(|e| e.to_string()),
            Speaks::Xml => tree::from_xml(&text),
        }
        .map_err(|why| ConnectError::Malformed { address, why })
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

    /// The header that every call carries. `fresh` asks for a new session.
    pub async fn token_header(&self, fresh: bool) -> Result<(String, header::HeaderValue), ConnectError> {
        let secret = |text: &str| {
            let mut value = header::HeaderValue::from_str(text)
                .map_err(|_| ConnectError::SignIn { text: "it holds characters that can't be sent".into() })?;
            value.set_sensitive(true);
            Ok(value)
        };
        match &self.profile.sign_in {
            SignIn::Key { header, ask } => Ok((header.clone(), secret(self.asked(ask))?)),
            SignIn::Session { path, root, body, token, header } => {
                let before = self.token.read().await.clone();
                if let (Some(token), false) = (&before, fresh) {
                    return Ok((header.clone(), secret(token)?));
                }
                let mut kept = self.token.write().await;
                // Somebody else may have signed in while this call waited for the lock.
                if let Some(token) = kept.as_ref().filter(|t| Some(*t) != before.as_ref()) {
                    return Ok((header.clone(), secret(token)?));
                }
                let got = self.sign_in(path, root.as_deref(), body, token).await?;
                *kept = Some(got.clone());
                Ok((header.clone(), secret(&got)?))
            }
        }
    }

    async fn sign_in(
        &self,
        path: &str,
        root: Option<&str>,
        body: &std::collections::BTreeMap<String, String>,
        token: &str,
    ) -> Result<String, ConnectError> {
        let filled = body.iter().map(|(k, v)| {
            let v =
                self.profile.asks.iter().fold(v.clone(), |v, a| v.replace(&format!("{{{}}}", a.id), self.asked(&a.id)));
            (k.clone(), Value::String(v))
        });
        let tree_body = Value::Object(filled.collect());
        let text = match self.profile.speaks {
            Speaks::Json => tree_body.to_string(),
            Speaks::Xml => tree::to_xml(root.unwrap_or("sign-in"), &tree_body),
        };
        let url = format!("{}{path}", self.address);
        self.retried(|| async {
            let response = {
                let _slot = self.slot().await;
                self.meter.calls.fetch_add(1, Relaxed);
                let request = self.http.post(&url).header(header::CONTENT_TYPE, self.media_type()).body(text.clone());
                request.send().await.map_err(|e| self.lost(&Method::GET, &url, &e))?
            };
            if !response.status().is_success() {
                return Err(match self.failed(&url, response).await {
                    ConnectError::Forbidden { text } | ConnectError::Refused { text, .. } => {
                        ConnectError::SignIn { text }
                    }
                    other => other,
                });
            }
            let answer = self.parse(path, response).await?;
            tree::text(&answer, token)
                .ok_or_else(|| ConnectError::SignIn { text: "the answer holds no session".into() })
        })
        .await
    }
}

fn backoff() -> impl Iterator<Item = Duration> {
    ExponentialBuilder::default()
        .with_min_delay(Duration::from_millis(60))
        .with_max_delay(Duration::from_secs(4))
        .with_max_times(TRIES - 1)
        .with_jitter()
        .build()
}

/// Retry-After as seconds or as a date (RFC 9110 §10.2.3).
fn retry_after(headers: &header::HeaderMap) -> Option<Duration> {
    let text = headers.get(header::RETRY_AFTER)?.to_str().ok()?.trim();
    retry_after_at(text, chrono::Utc::now())
}

fn retry_after_at(text: &str, now: chrono::DateTime<chrono::Utc>) -> Option<Duration> {
    if let Ok(seconds) = text.parse() {
        return Some(Duration::from_secs(seconds));
    }
    let at = chrono::DateTime::parse_from_rfc2822(text).ok()?;
    (at.to_utc() - now).to_std().ok().or(Some(Duration::ZERO))
}

fn content_type(response: &Response) -> String {
    let value = response.headers().get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or("no type given");
    value.split(';').next().unwrap_or_default().trim().to_owned()
}

fn beginning(body: &str) -> String {
    let line = body.split_whitespace().collect::<Vec<_>>().join(" ");
    line.chars().take(160).collect()
}

/// The cause at the bottom says what happened; the ones above say that something did.
fn innermost(e: &(dyn std::error::Error + 'static)) -> String {
    let mut at = e;
    while let Some(source) = at.source() {
        at = source;
    }
    at.to_string()
}

/// Percent-encodes a value for a segment of a path or a query (RFC 3986 §2.3).
pub fn escape_segment(text: &str) -> String {
    text.bytes()
        .map(|b| match b {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'-' | b'.' | b'_' | b'~' => char::from(b).to_string(),
            other => format!("%{other:02X}"),
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// RFC 9110 §10.2.3: both forms of the field, with its own examples.
    #[test]
    fn retry_after_is_seconds_or_a_date() {
        let now = chrono::DateTime::parse_from_rfc3339("1999-12-31T23:59:00Z").unwrap().to_utc();
        assert_eq!(retry_after_at("120", now), Some(Duration::from_secs(120)));
        assert_eq!(retry_after_at("Fri, 31 Dec 1999 23:59:59 GMT", now), Some(Duration::from_secs(59)));
        assert_eq!(retry_after_at("Fri, 31 Dec 1999 23:58:59 GMT", now), Some(Duration::ZERO));
        assert_eq!(retry_after_at("soon", now), None);
    }
}
