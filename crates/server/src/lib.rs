//! The server: the API under `/api/v1`, sign-in, live events, and the embedded web client.
//!
//! Knows HTTP and people; holds no rule of the job (the core does) and no SQL (the store does). Errors
//! are problem details (RFC 9457). The OpenAPI description is made from the code and kept as
//! docs/openapi.json.

mod access;
mod api;
mod body;
mod cache;
mod problem;
mod query;
mod session;
mod surveyed;
mod twins;
mod web;

use std::sync::Arc;

use axum::Router;
use axum::http::{HeaderValue, header};
use axum::middleware::from_fn_with_state;
use hovrel_engine::Hub;
use tower_http::compression::CompressionLayer;
use tower_http::limit::RequestBodyLimitLayer;
use tower_http::set_header::SetResponseHeaderLayer;

pub use api::description;
pub use api::systems::Preset;

/// What every handler may use.
#[derive(Clone)]
pub struct App {
    pub hub: Hub,
    pub(crate) cache: Arc<cache::Cache>,
    pub(crate) figures: Arc<api::standing::Figures>,
    /// Systems that the demo offers in the connect form.
    pub(crate) presets: Arc<Vec<Preset>>,
}

/// No request body is larger: routes and decisions are small.
const LARGEST_BODY: usize = 2 * 1024 * 1024;

/// The whole application as a router.
pub fn router(hub: Hub, presets: Vec<Preset>) -> Router {
    let app = App { hub, cache: Arc::default(), figures: Arc::default(), presets: Arc::new(presets) };
    let fixed = |name, value| SetResponseHeaderLayer::if_not_present(name, HeaderValue::from_static(value));
    Router::new()
        .nest("/api/v1", api::router().layer(from_fn_with_state(app.clone(), session::guard)).with_state(app))
        .fallback(web::serve)
        .layer(RequestBodyLimitLayer::new(LARGEST_BODY))
        .layer(CompressionLayer::new())
        .layer(fixed(header::X_CONTENT_TYPE_OPTIONS, "nosniff"))
        .layer(fixed(header::REFERRER_POLICY, "no-referrer"))
        .layer(fixed(
            header::CONTENT_SECURITY_POLICY,
            "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
        ))
}
