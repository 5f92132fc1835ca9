//! The fault plan: how a stand-in misbehaves, seeded so that a run can be repeated.
//!
//! Decides for each call of the interface (not of a person's page) whether it is delayed, refused, or
//! cut, before or after the work was done. A cut is a connection that ends without an answer.

use std::collections::HashMap;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use axum::body::{Body, Bytes};
use axum::extract::{Request, State};
use axum::http::{Method, StatusCode, Uri};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use hovrel_clock::Clock;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::{Deserialize, Serialize};

use crate::hold::{Held, Hold, Then, pair};
use crate::meddle::Meddling;

/// Shares are in thousandths of the calls.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct FaultPlan {
    pub seed: u64,
    pub delay: u16,
    /// Longest delay in milliseconds.
    pub delay_ms: u16,
    /// 429 with Retry-After (RFC 9110 §10.2.3).
    pub too_many: u16,
    /// The value of Retry-After, in seconds.
    pub retry_after: u16,
    pub error: u16,
    /// 503, with Retry-After.
    pub unavailable: u16,
    pub cut_before: u16,
    pub cut_after: u16,
    /// The work is done and the answer ends in the middle.
    pub truncated: u16,
    /// The work is done and the answer is not of its type.
    pub malformed: u16,
    /// The sign-in has expired.
    pub signed_out: u16,
    /// A list answers with the page before once more.
    pub repeated: u16,
    /// A file has other bytes than its item declares.
    pub other_bytes: u16,
    /// Nothing more is taken in: 507 (RFC 4918 §11.5) to every call that would store something.
    pub full: u16,
    /// Somebody else changes an item just before it is written.
    pub changed_before: u16,
    /// Somebody else deletes an item just before it is written.
    pub deleted_before: u16,
    /// Of the webhooks' deliveries: those made twice.
    pub doubled_hooks: u16,
    /// How far the system's clock is ahead, in seconds.
    pub clock_ahead: i32,
}

impl FaultPlan {
    /// Everything at once, often enough to meet each kind in a hundred calls.
    pub fn rough(seed: u64) -> FaultPlan {
        FaultPlan {
            seed,
            delay: 100,
            delay_ms: 20,
            too_many: 60,
            retry_after: 0,
            error: 50,
            unavailable: 40,
            cut_before: 50,
            cut_after: 50,
            truncated: 40,
            malformed: 40,
            signed_out: 20,
            repeated: 40,
            other_bytes: 0,
            full: 0,
            changed_before: 0,
            deleted_before: 0,
            doubled_hooks: 0,
            clock_ahead: 0,
        }
    }
}

/// What the plan did so far.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
pub struct FaultCount {
    pub calls: u64,
    pub delayed: u64,
    pub too_many: u64,
    pub errors: u64,
    pub unavailable: u64,
    pub cut_before: u64,
    pub cut_after: u64,
    pub truncated: u64,
    pub malformed: u64,
    pub signed_out: u64,
    pub repeated: u64,
    pub other_bytes: u64,
    pub full: u64,
    pub meddled: u64,
    pub doubled_hooks: u64,
}

impl FaultCount {
    /// Those that any call can meet.
    fn each(&self) -> [u64; 7] {
        let FaultCount { too_many, errors, unavailable, cut_before, cut_after, truncated, malformed, .. } = *self;
        [too_many, errors, unavailable, cut_before, cut_after, truncated, malformed]
    }

    /// How many sorts of fault happened, delays and sessions aside.
    pub fn sorts(&self) -> usize {
        self.each().iter().filter(|n| **n > 0).count()
    }

    /// Whether every sort of fault happened that can, delays aside.
    fn every_sort(&self, sessions: bool) -> bool {
        self.sorts() == self.each().len() && (self.signed_out > 0 || !sessions)
    }
}

/// The plan of one running stand-in; may be changed while it runs.
#[derive(Clone)]
pub struct Faults(Arc<Mutex<Inner>>);

struct Inner {
    plan: FaultPlan,
    random: ChaCha8Rng,
    count: FaultCount,
    clock: Clock,
    /// Where signing in gives something that can expire; it does not expire while it is asked for.
    sign_in: Option<&'static str>,
    /// The last page of each list, by its address, while pages are to be repeated.
    pages: HashMap<String, Page>,
    /// Calls that are held when they come, in the order in which they were asked for.
    holds: Vec<Hold>,
}

enum Fault {
    None,
    TooMany(u16),
    Error,
    Unavailable(u16),
    CutBefore,
    CutAfter,
    Truncated,
    Malformed,
    SignedOut,
    Repeated(Page),
    OtherBytes,
    Full,
    Meddled(Meddling),
}

/// What a list answered last: its head and its body.
type Page = (axum::http::HeaderMap, Bytes);

impl Faults {
    /// `sign_in` is the path where signing in gives something that can expire.
    pub fn new(plan: FaultPlan, sign_in: Option<&'static str>) -> Faults {
        let random = ChaCha8Rng::seed_from_u64(plan.seed);
        Faults(Arc::new(Mutex::new(Inner {
            plan,
            random,
            count: FaultCount::default(),
            clock: Clock::default(),
            sign_in,
            pages: HashMap::new(),
            holds: Vec::new(),
        })))
    }

    /// Whether every sort of fault happened that can, delays aside.
    pub fn met_every_sort(&self) -> bool {
        let inner = self.0.lock().unwrap_or_else(|e| e.into_inner());
        inner.count.every_sort(inner.sign_in.is_some())
    }

    pub fn set(&self, plan: FaultPlan) {
        let mut inner = self.0.lock().unwrap_or_else(|e| e.into_inner());
        inner.random = ChaCha8Rng::seed_from_u64(plan.seed);
        inner.plan = plan;
    }

    pub fn plan(&self) -> FaultPlan {
        self.0.lock().unwrap_or_else(|e| e.into_inner()).plan.clone()
    }

    /// Holds the next call for which this is so, once. Calls of a person's page are not held.
    pub fn hold(&self, wanted: impl Fn(&Method, &Uri) -> bool + Send + 'static) -> Held {
        let (hold, held) = pair(Box::new(wanted));
        self.0.lock().unwrap_or_else(|e| e.into_inner()).holds.push(hold);
        held
    }

    /// Holds none any more of those that did not come.
    pub fn hold_nothing(&self) {
        self.0.lock().unwrap_or_else(|e| e.into_inner()).holds.clear();
    }

    fn held(&self, request: &Request) -> Option<Hold> {
        let holds = &mut self.0.lock().unwrap_or_else(|e| e.into_inner()).holds;
        let at = holds.iter().position(|h| h.is_for(request))?;
        Some(holds.remove(at))
    }

    /// Has the system go by a clock that others go by too; as far ahead of it as the plan says.
    pub fn go_by(&self, clock: &Clock) {
        self.0.lock().unwrap_or_else(|e| e.into_inner()).clock = clock.clone();
    }

    /// What the system's clock shows.
    pub fn now(&self) -> chrono::DateTime<chrono::Utc> {
        let inner = self.0.lock().unwrap_or_else(|e| e.into_inner());
        inner.clock.now() + chrono::TimeDelta::seconds(inner.plan.clock_ahead.into())
    }

    pub fn count(&self) -> FaultCount {
        self.0.lock().unwrap_or_else(|e| e.into_inner()).count
    }

    fn next(&self, path: &str, list: &str, asked: Asked) -> (Duration, Fault) {
        let mut inner = self.0.lock().unwrap_or_else(|e| e.into_inner());
        let plan = inner.plan.clone();
        inner.count.calls += 1;
        let mut delay = Duration::ZERO;
        if inner.random.random_range(0..1000) < plan.delay {
            delay = Duration::from_millis(inner.random.random_range(0..=u64::from(plan.delay_ms)));
            inner.count.delayed += 1;
        }
        let sessions = inner.sign_in.is_some_and(|p| p != path);
        let draw = inner.random.random_range(0..1000u16);
        let mut edge = 0;
        let mut within = |share: u16| {
            edge += share;
            draw < edge
        };
        let fault = if within(plan.too_many) {
            inner.count.too_many += 1;
            Fault::TooMany(plan.retry_after)
        } else if within(plan.error) {
            inner.count.errors += 1;
            Fault::Error
        } else if within(plan.unavailable) {
            inner.count.unavailable += 1;
            Fault::Unavailable(plan.retry_after)
        } else if within(plan.truncated) {
            inner.count.truncated += 1;
            Fault::Truncated
        } else if within(plan.malformed) {
            inner.count.malformed += 1;
            Fault::Malformed
        } else if sessions && within(plan.signed_out) {
            inner.count.signed_out += 1;
            Fault::SignedOut
        } else if asked == Asked::NextPage && within(plan.repeated) {
            match inner.pages.get(list).cloned() {
                None => Fault::None,
                Some(page) => {
                    inner.count.repeated += 1;
                    Fault::Repeated(page)
                }
            }
        } else if asked == Asked::File && within(plan.other_bytes) {
            inner.count.other_bytes += 1;
            Fault::OtherBytes
        } else if matches!(asked, Asked::Store | Asked::Change) && inner.sign_in != Some(path) && within(plan.full) {
            inner.count.full += 1;
            Fault::Full
        } else if asked == Asked::Change && within(plan.changed_before) {
            inner.count.meddled += 1;
            Fault::Meddled(Meddling::Change)
        } else if asked == Asked::Change && within(plan.deleted_before) {
            inner.count.meddled += 1;
            Fault::Meddled(Meddling::Delete)
        } else if within(plan.cut_before) {
            inner.count.cut_before += 1;
            Fault::CutBefore
        } else if within(plan.cut_after) {
            inner.count.cut_after += 1;
            Fault::CutAfter
        } else {
            Fault::None
        };
        (delay, fault)
    }
}

/// Whether a query asks for a page of a list, and if so, whether for one after the first. Each stand-in
/// has its own words for where a page begins and how long it is.
fn paged(query: &str) -> Option<bool> {
    let part = |name: &str| query.split('&').find_map(|p| p.strip_prefix(name)?.strip_prefix('='));
    let begins = ["from", "after", "page"].into_iter().find_map(part);
    let sized = ["count", "limit", "per_page", "oslc.pageSize"].into_iter().any(|name| part(name).is_some());
    (begins.is_some() || sized).then(|| begins.is_some_and(|b| b != "0" && b != "1"))
}

/// The list that a call asks a page of: its address without where the page begins. Another list at the same
/// path, or a question put to it, is another one.
fn list_of(request: &Request) -> String {
    let query = request.uri().query().unwrap_or_default();
    let begins = |part: &&str| ["from=", "after=", "page="].iter().any(|b| part.starts_with(b));
    let rest: Vec<&str> = query.split('&').filter(|part| !begins(part)).collect();
    format!("{}?{}", request.uri().path(), rest.join("&"))
}

/// What a call asks for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Asked {
    FirstPage,
    NextPage,
    File,
    /// To change an item.
    Change,
    /// To store anything else.
    Store,
    Other,
}

impl Asked {
    fn of(request: &Request) -> Asked {
        let path = request.uri().path();
        match *request.method() {
            Method::GET if path.contains("/files/") => Asked::File,
            Method::GET => match request.uri().query().map(paged) {
                Some(Some(true)) => Asked::NextPage,
                Some(Some(false)) => Asked::FirstPage,
                _ => Asked::Other,
            },
            Method::PUT if !path.contains("/files/") => Asked::Change,
            Method::POST | Method::PUT => Asked::Store,
            _ => Asked::Other,
        }
    }
}

impl Faults {
    /// Whether a delivery is made twice.
    pub fn delivers_twice(&self) -> bool {
        let mut inner = self.0.lock().unwrap_or_else(|e| e.into_inner());
        let twice = inner.plan.doubled_hooks > 0 && inner.random.random_range(0..1000) < inner.plan.doubled_hooks;
        inner.count.doubled_hooks += u64::from(twice);
        twice
    }

    /// Keeps a page, so that it can be shown again in place of the next one.
    async fn keep_page(&self, path: String, answer: Response) -> Response {
        let (head, body) = answer.into_parts();
        let Ok(bytes) = axum::body::to_bytes(body, usize::MAX).await else { return cut() };
        if head.status.is_success() {
            let mut inner = self.0.lock().unwrap_or_else(|e| e.into_inner());
            inner.pages.insert(path, (head.headers.clone(), bytes.clone()));
        }
        Response::from_parts(head, Body::from(bytes))
    }
}

/// Middleware for the routes of a system's interface.
pub async fn misbehave(State(faults): State<Faults>, mut request: Request, next: Next) -> Response {
    if let Some(hold) = faults.held(&request)
        && hold.wait(request.uri().path()).await == Then::CutAfter
    {
        next.run(request).await;
        return cut();
    }
    let asked = Asked::of(&request);
    let list = list_of(&request);
    let (delay, fault) = faults.next(request.uri().path(), &list, asked);
    if !delay.is_zero() {
        tokio::time::sleep(delay).await;
    }
    match fault {
        Fault::None if matches!(asked, Asked::FirstPage | Asked::NextPage) => {
            let answer = next.run(request).await;
            if faults.plan().repeated == 0 { answer } else { faults.keep_page(list, answer).await }
        }
        Fault::None => next.run(request).await,
        Fault::Repeated((headers, body)) => {
            let mut answer = Response::new(Body::from(body));
            *answer.headers_mut() = headers;
            answer
        }
        // As many as were declared, and not the same.
        Fault::OtherBytes => {
            spoilt(next.run(request).await, |bytes| bytes.iter().map(|b| b ^ 0x55).collect::<Vec<u8>>().into()).await
        }
        Fault::Meddled(does) => {
            request.extensions_mut().insert(does);
            next.run(request).await
        }
        Fault::Full => (StatusCode::INSUFFICIENT_STORAGE, "the quota is full").into_response(),
        Fault::TooMany(after) => too_many(u64::from(after)),
        Fault::Error => (StatusCode::INTERNAL_SERVER_ERROR, "something broke").into_response(),
        Fault::Unavailable(after) => {
            (StatusCode::SERVICE_UNAVAILABLE, [("retry-after", after.to_string())], "closed for a moment")
                .into_response()
        }
        Fault::SignedOut => (StatusCode::UNAUTHORIZED, "the sign-in has expired").into_response(),
        Fault::Truncated => spoilt(next.run(request).await, |bytes| bytes.slice(..bytes.len() / 2)).await,
        Fault::Malformed => spoilt(next.run(request).await, |_| Bytes::from_static(b"{\"<so>: far")).await,
        Fault::CutBefore => cut(),
        Fault::CutAfter => {
            next.run(request).await;
            cut()
        }
    }
}

/// 429 with the seconds to wait.
pub fn too_many(seconds: u64) -> Response {
    (StatusCode::TOO_MANY_REQUESTS, [("retry-after", seconds.to_string())], "too many calls").into_response()
}

/// The answer with another body, of the length that it has.
async fn spoilt(answer: Response, spoil: impl Fn(Bytes) -> Bytes) -> Response {
    let (mut head, body) = answer.into_parts();
    head.headers.remove("content-length");
    match axum::body::to_bytes(body, usize::MAX).await {
        Ok(bytes) => Response::from_parts(head, Body::from(spoil(bytes))),
        Err(_) => cut(),
    }
}

/// An answer whose body fails at once, so that the server drops the connection.
fn cut() -> Response {
    let broken = futures_cut();
    let mut response = Response::new(Body::from_stream(broken));
    response.headers_mut().insert("content-length", axum::http::HeaderValue::from_static("1000"));
    response
}

fn futures_cut() -> impl futures::Stream<Item = Result<axum::body::Bytes, std::io::Error>> {
    futures::stream::once(async {
        Err(std::io::Error::new(std::io::ErrorKind::ConnectionReset, "cut by the fault plan"))
    })
}
