//! The server: the API under `/api/v1`, sign-in, live events, and the embedded web client.
//!
//! Knows HTTP and people; holds no rule of the job (the core does) and no SQL (the store does). Errors
//! are problem details (RFC 9457). The OpenAPI description is made from the code and kept as
//! docs/openapi.json.

mod access;
mod api;
mod body;
mod cache;
mod door;
mod password;
mod path;
mod problem;
mod query;
mod session;
mod surveyed;
mod twins;
mod web;

use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::http::{HeaderValue, StatusCode, header};
use axum::middleware::{from_fn, from_fn_with_state};
use hovrel_engine::Hub;
use tower_http::CompressionLevel;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, Predicate, SizeAbove};
use tower_http::set_header::SetResponseHeaderLayer;
use tower_http::timeout::TimeoutLayer;

pub use api::description;
pub use api::systems::Preset;
pub use door::listen::serve;

/// What every handler may use.
#[derive(Clone)]
pub struct App {
    pub hub: Hub,
    pub(crate) cache: Arc<cache::Cache>,
    pub(crate) names: Arc<api::names::Known>,
    pub(crate) figures: Arc<api::standing::Figures>,
    pub(crate) addresses: Arc<api::artefacts::Addresses>,
    pub(crate) throttle: Arc<door::throttle::Throttle>,
    /// Systems that the demo offers in the connect form.
    pub(crate) presets: Arc<Vec<Preset>>,
}

/// No request body is larger: routes and decisions are small.
const LARGEST_BODY: usize = 2 * 1024 * 1024;
/// A request is answered within this time, its body read included; what goes on for longer is a job. The events of a job
/// go on after their answer has begun.
const ANSWERED_WITHIN: Duration = Duration::from_secs(120);

/// Shorter answers are not compressed: they fit into one packet as they are, and compressing takes some 190 KB for each.
const SHORTEST_COMPRESSED: u64 = 1_400;

/// The whole application as a router.
pub fn router(hub: Hub, presets: Vec<Preset>) -> Router {
    let app = App {
        hub,
        cache: Arc::default(),
        names: Arc::default(),
        figures: Arc::default(),
        addresses: Arc::default(),
        throttle: Arc::default(),
        presets: Arc::new(presets),
    };
    // Answers are made for one reader and read once: what they cost to compress counts for more than their last tenth.
    let compressed = DefaultPredicate::new().and(SizeAbove::new(SHORTEST_COMPRESSED));
    let fixed = |name, value| SetResponseHeaderLayer::if_not_present(name, HeaderValue::from_static(value));
    let guarded = api::router().layer(from_fn_with_state(app.clone(), session::guard)).with_state(app);
    let api = guarded
        .layer(DefaultBodyLimit::max(LARGEST_BODY))
        .layer(TimeoutLayer::with_status_code(StatusCode::REQUEST_TIMEOUT, ANSWERED_WITHIN))
        .layer(CatchPanicLayer::custom(door::panicked))
        .layer(from_fn(door::pass));
    Router::new()
        .nest("/api/v1", api)
        .fallback(web::serve)
        .layer(CompressionLayer::new().quality(CompressionLevel::Fastest).compress_when(compressed))
        .layer(fixed(header::X_CONTENT_TYPE_OPTIONS, "nosniff"))
        .layer(fixed(header::REFERRER_POLICY, "no-referrer"))
        .layer(fixed(
            header::CONTENT_SECURITY_POLICY,
            "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
        ))
}
