//! Simulated outside systems: small servers with habits of their own, for the demo and for tests.
//!
//! Knows nothing of Hovrel; talks HTTP like anything outside. Each system has its own storage, its own
//! sign-in, paging, limits and concurrency tokens, and a page where a person sees and edits what is in
//! it. [`fault`] makes them misbehave by a seeded plan. [`world`] is the invented Skarnvik Ropeway.

mod bucket;
mod element;
pub mod fault;
mod fault_page;
pub mod fernway;
mod meddle;
pub mod oldstone;
mod own_fields;
mod page;
mod persist;
mod records;
pub mod reqmoor;
pub mod tallybench;
pub mod world;

use std::net::SocketAddr;

/// A stand-in that is listening.
pub struct Running {
    pub address: SocketAddr,
    pub faults: fault::Faults,
    task: tokio::task::JoinHandle<()>,
}

impl Running {
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
async fn listen(app: axum::Router, port: u16, faults: fault::Faults) -> std::io::Result<Running> {
    let listener = tokio::net::TcpListener::bind(("127.0.0.1", port)).await?;
    let address = listener.local_addr()?;
    let task = tokio::spawn(async move {
        if let Err(e) = axum::serve(listener, app).await {
            tracing::error!("a stand-in stopped: {e}");
        }
    });
    Ok(Running { address, faults, task })
}
