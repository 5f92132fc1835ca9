//! The fault plan: how a stand-in misbehaves, seeded so that a run can be repeated.
//!
//! Decides for each call of the interface (not of a person's page) whether it is delayed, refused, or
//! cut, before or after the work was done. A cut is a connection that ends without an answer.

use std::sync::{Arc, Mutex};
use std::time::Duration;

use axum::body::Body;
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
    pub cut_before: u16,
    pub cut_after: u16,
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
            error: 60,
            cut_before: 60,
            cut_after: 60,
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
    pub cut_before: u64,
    pub cut_after: u64,
}

/// The plan of one running stand-in; may be changed while it runs.
#[derive(Clone)]
pub struct Faults(Arc<Mutex<Inner>>);

struct Inner {
    plan: FaultPlan,
    random: ChaCha8Rng,
    count: FaultCount,
}

enum Fault {
    None,
    TooMany(u16),
    Error,
    CutBefore,
    CutAfter,
}

impl Faults {
    pub fn new(plan: FaultPlan) -> Faults {
        let random = ChaCha8Rng::seed_from_u64(plan.seed);
        Faults(Arc::new(Mutex::new(Inner { plan, random, count: FaultCount::default() })))
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

    fn next(&self) -> (Duration, Fault) {
        let mut inner = self.0.lock().unwrap_or_else(|e| e.into_inner());
        let plan = inner.plan.clone();
        inner.count.calls += 1;
        let mut delay = Duration::ZERO;
        if inner.random.random_range(0..1000) < plan.delay {
            delay = Duration::from_millis(inner.random.random_range(0..=u64::from(plan.delay_ms)));
            inner.count.delayed += 1;
        }
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
    let (delay, fault) = faults.next();
    if !delay.is_zero() {
        tokio::time::sleep(delay).await;
    }
    match fault {
        Fault::None => next.run(request).await,
        Fault::TooMany(after) => too_many(u64::from(after)),
        Fault::Error => (StatusCode::INTERNAL_SERVER_ERROR, "something broke").into_response(),
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
