//! The time inside a simulated system.
//!
//! Decides that whatever a call writes down bears the time of the system's own clock, which may be wrong, and which tests
//! can move together with Hovrel's.

use std::sync::Arc;

use axum::extract::{Request, State};
use axum::middleware::Next;
use axum::response::Response;
use chrono::{DateTime, Utc};

/// Says what a system's clock shows.
pub(crate) type Face = Arc<dyn Fn() -> DateTime<Utc> + Send + Sync>;

tokio::task_local! {
    static FACE: Face;
}

/// What the clock of the system shows whose call this is; outside of any call, the machine's.
pub(crate) fn now() -> DateTime<Utc> {
    FACE.try_with(|face| face()).unwrap_or_else(|_| Utc::now())
}

/// Has a call go by the clock of its system.
pub(crate) async fn by_its_clock(State(face): State<Face>, request: Request, next: Next) -> Response {
    FACE.scope(face, next.run(request)).await
}
