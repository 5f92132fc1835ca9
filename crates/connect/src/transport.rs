//! What every connector over HTTP shares: slots, rate, retries of reads, errors told apart.
//!
//! Layers of a call, outside in: retry (reads only), a slot and a permit of the rate, time-out, HTTP. A
//! wait for a permit does not eat the time-out. Answers are bounded in size, redirects are not followed.

use std::net::IpAddr;
use std::num::NonZeroU32;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::sync::atomic::Ordering::Relaxed;
use std::time::{Duration, Instant, SystemTime};

use backon::{BackoffBuilder, ExponentialBuilder};
use base64::Engine;
use chrono::{DateTime, Utc};
use futures::StreamExt;
use governor::clock::Clock;
use governor::{DefaultDirectRateLimiter, Quota, RateLimiter};
use hovrel_core::bounds::{
    LARGEST_ANSWER, LARGEST_REFUSAL, LONGEST_FILE, LONGEST_MESSAGE, LONGEST_WAIT, MOST_CALLS_AT_ONCE,
    MOST_CALLS_PER_MINUTE,
};
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use reqwest::{Method, RequestBuilder, Response, StatusCode, header};
use tokio::sync::{OnceCell, OwnedSemaphorePermit, Semaphore};

use crate::contract::{ByteStream, Meter};
use crate::outside::{ClosedHost, Guarded, Outside};
use crate::{ConnectError, address};

/// A call that is not answered whole by then has failed. Files may take longer.
const TIMEOUT: Duration = Duration::from_secs(30);
/// A connection over which nothing comes for so long is given up.
const SILENCE: Duration = Duration::from_secs(30);
/// Reads of a system that never answered are tried this often in all before the trouble is reported: about
/// four seconds, so that a wrong address is told soon.
const FIRST_TRIES: usize = 7;
/// Reads of a system that has answered before are tried this often: about a quarter of a minute, since a
/// reading of thousands of items must outlive a restart.
const TRIES: usize = 10;

pub struct Transport {
    /// Without a slash at the end.
    pub address: String,
    pub meter: Arc<Meter>,
    http: reqwest::Client,
    /// For files that are sent: while one is on its way nothing comes back, which is no silence.
    sends: reqwest::Client,
    answered: AtomicBool,
    limits: OnceCell<Limits>,
    outside: Arc<Outside>,
    /// Used until the system said what it allows.
    first_slots: Arc<Semaphore>,
    first_at_once: usize,
}

struct Limits {
    slots: Arc<Semaphore>,
    at_once: usize,
    per_minute: Option<u32>,
    rate: Option<DefaultDirectRateLimiter>,
}

/// What a system says of its limits.
#[derive(Debug, Clone, Copy, Default)]
pub struct Allowed {
    pub calls_per_minute: Option<u32>,
    pub calls_per_second: Option<u32>,
    pub calls_at_once: Option<usize>,
}

/// An answer whose body may be still on its way. It has its place among the calls at once until it is read or dropped.
pub struct Reply {
    response: Response,
    url: String,
    meter: Arc<Meter>,
    slot: OwnedSemaphorePermit,
}

impl std::ops::Deref for Reply {
    type Target = Response;
    fn deref(&self) -> &Response {
        &self.response
    }
}

/// What the body of a refusal says.
#[derive(Debug, Default)]
pub struct Told {
    /// Whether the body was what the system speaks, and no page of something else.
    pub understood: bool,
    pub text: String,
    pub field: Option<String>,
    pub changed: bool,
    pub duplicate: bool,
}

impl Transport {
    /// `at_once` calls run at the same time until the system says how many it allows.
    pub fn new(address: &str, at_once: usize, outside: &Arc<Outside>) -> Result<Transport, ConnectError> {
        let address = address.trim().trim_end_matches('/').to_owned();
        let unreachable = |why: String| ConnectError::Unreachable { address: address::masked(&address), why };
        let url = address::read(&address).map_err(unreachable)?;
        permitted(&url, outside)?;
        let client = || {
            reqwest::Client::builder()
                .connect_timeout(Duration::from_secs(10))
                .redirect(reqwest::redirect::Policy::none())
                .dns_resolver(Arc::new(Guarded(outside.clone())))
                // A proxy would be called in place of the system, whatever it may reach.
                .no_proxy()
                // A cut connection must not be reused, nor a request silently repeated by a pool.
                .pool_idle_timeout(Duration::from_secs(20))
                .user_agent("hovrel")
        };
        let built = |client: reqwest::ClientBuilder| client.build().map_err(|e| unreachable(e.to_string()));
        let (http, sends) = (built(client().read_timeout(SILENCE))?, built(client())?);
        let first_at_once = at_once.clamp(1, MOST_CALLS_AT_ONCE);
        Ok(Transport {
            address,
            meter: Arc::default(),
            http,
            sends,
            answered: AtomicBool::new(false),
            limits: OnceCell::new(),
            outside: outside.clone(),
            first_slots: Arc::new(Semaphore::new(first_at_once)),
            first_at_once,
        })
    }

    /// What Hovrel's clock shows.
    pub fn now(&self) -> DateTime<Utc> {
        self.outside.clock().now()
    }

    /// Notes what the system's clock shows, which it has just told.
    pub fn clock_seen(&self, shows: DateTime<Utc>) {
        self.meter.clock_ahead.seen((shows - self.now()).num_seconds());
    }

    /// Calls at once, and calls a minute where the system says so.
    pub fn limits(&self) -> (usize, Option<u32>) {
        self.limits.get().map_or((self.first_at_once, None), |l| (l.at_once, l.per_minute))
    }

    /// Keeps to what the system allows; once.
    pub async fn keep_to(&self, allowed: Allowed) {
        let limits = || async {
            let at_once = allowed.calls_at_once.unwrap_or(self.first_at_once).clamp(1, MOST_CALLS_AT_ONCE);
            // A quarter of a minute's calls may come at once; the rest is spread evenly.
            let by_minute = |n: NonZeroU32| {
                let burst = NonZeroU32::new(n.get() / 4).unwrap_or(NonZeroU32::MIN);
                Quota::per_minute(n).allow_burst(burst)
            };
            let second = allowed.calls_per_second.map(|n| n.min(MOST_CALLS_PER_MINUTE / 60));
            let minute = allowed.calls_per_minute.map(|n| n.min(MOST_CALLS_PER_MINUTE));
            let per_second = second.and_then(NonZeroU32::new);
            let quota = per_second.map(Quota::per_second).or(minute.and_then(NonZeroU32::new).map(by_minute));
            let per_minute = minute.or(second.map(|n| n * 60));
            let slots = Arc::new(Semaphore::new(at_once));
            Limits { slots, at_once, per_minute, rate: quota.map(RateLimiter::direct) }
        };
        self.limits.get_or_init(limits).await;
    }

    /// A call to be built on. What a file is the answer to is to be given more time.
    pub fn request(&self, method: Method, url: &str) -> RequestBuilder {
        self.http.request(method, url).timeout(TIMEOUT)
    }

    /// A call to be built on that sends a file; see [`crate::sending`].
    pub fn sending(&self, method: Method, url: &str) -> RequestBuilder {
        self.sends.request(method, url).timeout(LONGEST_FILE)
    }

    /// Sends once, in a slot and with a permit. The answer's status is not looked at.
    pub async fn execute(&self, method: &Method, url: &str, request: RequestBuilder) -> Result<Reply, ConnectError> {
        let unreachable = |why: String| ConnectError::Unreachable { address: address::masked(url), why };
        let read = url::Url::parse(url).map_err(|e| unreachable(e.to_string()))?;
        permitted(&read, &self.outside)?;
        let slot = self.slot().await;
        self.meter.calls.fetch_add(1, Relaxed);
        let began = Instant::now();
        let sent = request.send().await.map_err(|e| self.lost(method, url, &e));
        let took_ms = began.elapsed().as_millis() as u64;
        let address = address::masked(url);
        let response = match sent {
            Ok(response) => response,
            Err(e) => {
                tracing::debug!(%method, address, took_ms, "a call failed: {e}");
                return Err(e);
            }
        };
        let (status, bytes) = (response.status().as_u16(), response.content_length());
        tracing::debug!(%method, address, status, took_ms, bytes, "a call was answered");
        self.meter.took_ms.fetch_add(took_ms, Relaxed);
        self.answered.store(true, Relaxed);
        Ok(Reply { response, url: url.to_owned(), meter: self.meter.clone(), slot })
    }

    async fn slot(&self) -> OwnedSemaphorePermit {
        let started = Instant::now();
        let slots = self.limits.get().map_or(&self.first_slots, |l| &l.slots);
        let slot = slots.clone().acquire_owned().await.expect("the semaphore is never closed");
        if let Some(rate) = self.limits.get().and_then(|l| l.rate.as_ref()) {
            while let Err(not_yet) = rate.check() {
                let time = not_yet.wait_time_from(rate.clock().now());
                self.meter.waits(time);
                tokio::time::sleep(time).await;
            }
        }
        self.meter.waited_ms.fetch_add(started.elapsed().as_millis() as u64, Relaxed);
        slot
    }

    /// The waits between the tries of a call.
    fn backoff(&self) -> impl Iterator<Item = Duration> + use<> {
        let tries = if self.answered.load(Relaxed) { TRIES } else { FIRST_TRIES };
        ExponentialBuilder::default()
            .with_min_delay(Duration::from_millis(60))
            .with_max_delay(Duration::from_secs(4))
            .with_max_times(tries - 1)
            .with_jitter()
            .build()
    }

    async fn wait(&self, time: Duration) {
        let time = time.min(LONGEST_WAIT);
        self.meter.waited_ms.fetch_add(time.as_millis() as u64, Relaxed);
        self.meter.waits(time);
        tokio::time::sleep(time).await;
    }

    /// Repeats a read until it is answered or the trouble is more than of a moment.
    pub async fn retried<T, F: Future<Output = Result<T, ConnectError>>>(
        &self,
        call: impl Fn() -> F,
    ) -> Result<T, ConnectError> {
        let mut waits = self.backoff();
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

    /// Tries a write once; a wait that the system asks for before doing anything is waited for.
    pub async fn once<T, F: Future<Output = Result<T, ConnectError>>>(
        &self,
        call: impl Fn() -> F,
    ) -> Result<T, ConnectError> {
        let mut waits = self.backoff();
        loop {
            match call().await {
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

    fn lost(&self, method: &Method, url: &str, e: &reqwest::Error) -> ConnectError {
        if let Some(closed) = closed(e) {
            return ConnectError::Closed { address: self.address.clone(), why: closed };
        }
        let why = innermost(e).replace('\0', "�");
        if e.is_connect() || e.is_builder() {
            ConnectError::Unreachable { address: self.address.clone(), why }
        } else if *method == Method::GET && e.is_timeout() {
            ConnectError::Failed { address: url.to_owned(), status: 0, text: "no answer in time".into() }
        } else {
            ConnectError::Unknown { why }
        }
    }

    /// What an answer without success means. `speech` is what the system speaks; `tell` reads its body.
    pub async fn failed(&self, reply: Reply, speech: &'static str, tell: impl FnOnce(&str) -> Told) -> ConnectError {
        let response = &reply.response;
        let status = response.status();
        let address = reply.url.clone();
        if status.is_redirection() {
            let to = response.headers().get(header::LOCATION).and_then(|v| v.to_str().ok()).unwrap_or("nowhere");
            return ConnectError::Redirected { address, to: sayable(&address::masked(to)) };
        }
        let after = retry_after(response.headers(), self.now());
        let kind = content_type(response);
        let body = reply.beginning(LARGEST_REFUSAL).await;
        let told = tell(&body);
        // What is no message of the system may be anything, an answer meant for somebody else included.
        let text = match sayable(&told.text) {
            said if said.is_empty() => format!("no reason was given ({status}, {} bytes of {kind})", body.len()),
            said => said,
        };
        match status {
            StatusCode::TOO_MANY_REQUESTS => {
                self.meter.refused_for_rate.fetch_add(1, Relaxed);
                ConnectError::Busy { after }
            }
            StatusCode::SERVICE_UNAVAILABLE => ConnectError::Busy { after },
            // RFC 4918 §11.5: retrying alone does not help.
            StatusCode::INSUFFICIENT_STORAGE => ConnectError::Full { text },
            StatusCode::UNAUTHORIZED => ConnectError::SignIn { text },
            StatusCode::FORBIDDEN => ConnectError::Forbidden { text },
            StatusCode::NOT_FOUND if !told.understood && kind.contains("html") => {
                ConnectError::NotData { address, status: 404, found: format!("a page ({kind})"), wanted: speech }
            }
            StatusCode::NOT_FOUND | StatusCode::GONE => ConnectError::Missing { what: address },
            _ if told.changed || status == StatusCode::PRECONDITION_FAILED => ConnectError::Changed,
            _ if told.duplicate => ConnectError::Duplicate,
            _ if status.is_client_error() => {
                ConnectError::Refused { field: told.field.map(|f| sayable(&f)).unwrap_or_default(), text }
            }
            _ => ConnectError::Failed { address, status: status.as_u16(), text },
        }
    }
}

impl Reply {
    /// The body as text, if it is no page and not endless.
    pub async fn text(self, speech: &'static str) -> Result<String, ConnectError> {
        let address = self.url.clone();
        let status = self.response.status().as_u16();
        let kind = content_type(&self.response);
        let malformed = |why: String| ConnectError::Malformed { address: address.clone(), why };
        let mut bytes = Vec::new();
        let mut stream = self.response.bytes_stream();
        while let Some(part) = stream.next().await {
            let part = part.map_err(|e| ConnectError::Unknown { why: innermost(&e) })?;
            if bytes.len() + part.len() > LARGEST_ANSWER {
                return Err(ConnectError::TooMuch {
                    address,
                    why: format!("it is larger than {LARGEST_ANSWER} bytes"),
                });
            }
            self.meter.bytes.fetch_add(part.len() as u64, Relaxed);
            bytes.extend_from_slice(&part);
        }
        if kind.contains("html") {
            return Err(ConnectError::NotData { address, status, found: format!("a page ({kind})"), wanted: speech });
        }
        String::from_utf8(bytes).map_err(|e| malformed(format!("it is not UTF-8: {}", e.utf8_error())))
    }

    /// The first bytes of the body, as far as they come; the rest is not read.
    async fn beginning(self, most: usize) -> String {
        let mut bytes = Vec::new();
        let mut stream = self.response.bytes_stream();
        while let Some(Ok(part)) = stream.next().await {
            let room = most - bytes.len();
            bytes.extend_from_slice(&part[..part.len().min(room)]);
            if bytes.len() == most {
                break;
            }
        }
        String::from_utf8_lossy(&bytes).into_owned()
    }

    /// The body as it comes. The answer has its place among the calls at once until the last of it.
    pub fn stream(self) -> ByteStream {
        let slot = self.slot;
        let parts = self.response.bytes_stream().map(move |part| {
            let _held = &slot;
            part.map_err(std::io::Error::other)
        });
        parts.boxed()
    }
}

/// Whether an address may be called; of a name this is known when it is looked up.
fn permitted(url: &url::Url, outside: &Outside) -> Result<(), ConnectError> {
    let ip = match url.host() {
        Some(url::Host::Ipv4(ip)) => IpAddr::V4(ip),
        Some(url::Host::Ipv6(ip)) => IpAddr::V6(ip),
        _ => return Ok(()),
    };
    let host = ip.to_string();
    if outside.permits(&host, ip) {
        return Ok(());
    }
    Err(ConnectError::Closed { address: url.origin().ascii_serialization(), why: Outside::refusal(&host, ip) })
}

/// What a system says, for people to read: a line or two without characters that can't be seen.
fn sayable(text: &str) -> String {
    let seen = text.chars().map(|c| if c.is_control() { ' ' } else { c });
    seen.take(LONGEST_MESSAGE).collect::<String>().split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The value of an Authorization header for a name and a password (RFC 7617 §2).
pub fn basic(login: &str, password: &str) -> String {
    format!("Basic {}", base64::engine::general_purpose::STANDARD.encode(format!("{login}:{password}")))
}

/// Retry-After as seconds, or as a date in any of the three forms of HTTP (RFC 9110 §10.2.3 and §5.6.7).
fn retry_after(headers: &header::HeaderMap, now: DateTime<Utc>) -> Option<Duration> {
    let text = headers.get(header::RETRY_AFTER)?.to_str().ok()?.trim();
    retry_after_at(text, now.into())
}

fn retry_after_at(text: &str, now: SystemTime) -> Option<Duration> {
    if let Ok(seconds) = text.parse() {
        return Some(Duration::from_secs(seconds));
    }
    let at = httpdate::parse_http_date(text).ok()?;
    Some(at.duration_since(now).unwrap_or_default())
}

pub fn content_type(response: &Response) -> String {
    let value = response.headers().get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or("no type given");
    value.split(';').next().unwrap_or_default().trim().to_owned()
}

/// Why a name was not called, if that is what failed.
fn closed(e: &reqwest::Error) -> Option<String> {
    let mut at: &(dyn std::error::Error + 'static) = e;
    loop {
        if let Some(closed) = at.downcast_ref::<ClosedHost>() {
            return Some(closed.0.clone());
        }
        at = at.source()?;
    }
}

/// The cause at the bottom says what happened; the ones above say that something did.
fn innermost(e: &(dyn std::error::Error + 'static)) -> String {
    let mut at = e;
    while let Some(source) = at.source() {
        at = source;
    }
    at.to_string()
}

/// What is written as it is: the unreserved characters of RFC 3986 §2.3.
const ESCAPED: &AsciiSet = &NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~');

/// A value in percent-encoding, for a segment of a path or a query.
pub fn escape_segment(text: &str) -> String {
    utf8_percent_encode(text, ESCAPED).to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// RFC 9110 §10.2.3: both forms of the field, with its own examples; §5.6.7: the two obsolete forms of dates, which
    /// must be read all the same.
    #[test]
    fn retry_after_is_seconds_or_a_date() {
        let now = SystemTime::from(chrono::DateTime::parse_from_rfc3339("1999-12-31T23:59:00Z").unwrap());
        assert_eq!(retry_after_at("Friday, 31-Dec-99 23:59:59 GMT", now), Some(Duration::from_secs(59)));
        assert_eq!(retry_after_at("Fri Dec 31 23:59:59 1999", now), Some(Duration::from_secs(59)));
        assert_eq!(retry_after_at("120", now), Some(Duration::from_secs(120)));
        assert_eq!(retry_after_at("Fri, 31 Dec 1999 23:59:59 GMT", now), Some(Duration::from_secs(59)));
        assert_eq!(retry_after_at("Fri, 31 Dec 1999 23:58:59 GMT", now), Some(Duration::ZERO));
        assert_eq!(retry_after_at("soon", now), None);
    }

    /// An address where nobody listens is told soon; a system that answered once is given time to come back.
    #[tokio::test]
    async fn a_system_that_answered_before_is_waited_for() {
        use tokio::io::{AsyncReadExt, AsyncWriteExt};
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let address = format!("http://{}", listener.local_addr().unwrap());
        let transport = Transport::new(&address, 1, &Arc::new(Outside::anywhere())).unwrap();
        let patience = || transport.backoff().sum::<Duration>();
        assert!(patience() < Duration::from_secs(10), "{:?}", patience());

        let answer = async {
            let (mut socket, _) = listener.accept().await.unwrap();
            let _ = socket.read(&mut [0; 1024]).await.unwrap();
            socket.write_all(b"HTTP/1.1 204 No Content\r\n\r\n").await.unwrap();
            socket
        };
        let request = transport.request(Method::GET, &address);
        let (_socket, answered) = tokio::join!(answer, transport.execute(&Method::GET, &address, request));
        assert_eq!(answered.unwrap().status(), StatusCode::NO_CONTENT);
        assert!(patience() > Duration::from_secs(15), "{:?}", patience());
    }
}
