//! Simulated outside systems: small servers with habits of their own, for the demo and for tests.
//!
//! Knows nothing of Hovrel; talks HTTP like anything outside. Each system has its own storage, its own
//! sign-in, paging, limits and concurrency tokens, and a page where a person sees and edits what is in
//! it. [`fault`] makes them misbehave by a seeded plan. [`world`] is the invented Skarnvik Ropeway.

mod bucket;
pub mod cairnbook;
mod clock;
mod element;
pub mod fault;
mod fault_page;
pub mod fernway;
pub mod hold;
mod meddle;
pub mod oldstone;
mod own_fields;
mod page;
mod persist;
mod record_pages;
mod records;
pub mod tallybench;
pub mod world;

use std::net::SocketAddr;
use std::sync::Arc;

use serde::Serialize;
use serde::de::DeserializeOwned;

/// A stand-in that is listening.
pub struct Running {
    pub address: SocketAddr,
    pub faults: fault::Faults,
    desk: Desk,
    task: tokio::task::JoinHandle<()>,
}

/// Does something to all that a stand-in holds.
type Desk = Box<dyn Fn(&mut dyn FnMut(&mut serde_json::Value)) -> Result<(), serde_json::Error> + Send + Sync>;

impl Running {
    /// Changes what the system holds behind everybody's back, as a person does with tools of the system's own. The
    /// layout is the stand-in's; no version moves.
    ///
    /// # Errors
    /// What came out is nothing that the system could hold.
    pub fn change(&self, mut how: impl FnMut(&mut serde_json::Value)) -> Result<(), serde_json::Error> {
        (self.desk)(&mut how)
    }

    pub fn url(&self) -> String {
        format!("http://{}", self.address)
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        self.task.abort();
    }
}

/// Serves `app` on `port` of loopback (0 for a free one).
async fn listen<S: Serialize + DeserializeOwned + Send + 'static>(
    app: axum::Router,
    port: u16,
    faults: fault::Faults,
    kept: persist::Kept<S>,
) -> std::io::Result<Running> {
    let listener = tokio::net::TcpListener::bind(("127.0.0.1", port)).await?;
    let address = listener.local_addr()?;
    let its = faults.clone();
    let face: clock::Face = Arc::new(move || its.now());
    let app = app.layer(axum::middleware::from_fn_with_state(face, clock::by_its_clock));
    let task = tokio::spawn(async move {
        if let Err(e) = axum::serve(listener, app).await {
            tracing::error!("a stand-in stopped: {e}");
        }
    });
    let desk: Desk = Box::new(move |how| kept.change(how));
    Ok(Running { address, faults, desk, task })
}
