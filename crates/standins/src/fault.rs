//! The fault plan: how a stand-in misbehaves, seeded so that a run can be repeated.
//!
//! Decides for each call of the interface (not of a person's page) whether it is delayed, refused, or
//! cut, before or after the work was done. A cut is a connection that ends without an answer.

use std::sync::{Arc, Mutex};
use std::time::Duration;

use axum::body::{Body, Bytes};
use axum::extract::{Request, State};
use axum::http::StatusCode;
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::{Deserialize, Serialize};

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
}

impl FaultCount {
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
    /// Where signing in gives something that can expire; it does not expire while it is asked for.
    sign_in: Option<&'static str>,
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
}

impl Faults {
    /// `sign_in` is the path where signing in gives something that can expire.
    pub fn new(plan: FaultPlan, sign_in: Option<&'static str>) -> Faults {
        let random = ChaCha8Rng::seed_from_u64(plan.seed);
        Faults(Arc::new(Mutex::new(Inner { plan, random, count: FaultCount::default(), sign_in })))
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

    /// What the system's clock says.
    pub fn now(&self) -> chrono::DateTime<chrono::Utc> {
        chrono::Utc::now() + chrono::TimeDelta::seconds(self.plan().clock_ahead.into())
    }

    pub fn count(&self) -> FaultCount {
        self.0.lock().unwrap_or_else(|e| e.into_inner()).count
    }

    fn next(&self, path: &str) -> (Duration, Fault) {
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

/// Middleware for the routes of a system's interface.
pub async fn misbehave(State(faults): State<Faults>, request: Request, next: Next) -> Response {
    let (delay, fault) = faults.next(request.uri().path());
    if !delay.is_zero() {
        tokio::time::sleep(delay).await;
    }
    match fault {
        Fault::None => next.run(request).await,
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
