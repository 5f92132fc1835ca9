//! Oldstone: the ageing test management server. XML over HTTP, a session sign-in, pages by offset, HTML
//! out of a word processor, revision numbers that must match, four calls at once, local time.

mod answers;
mod api;
mod kinds;
mod numbers;
mod pages;
mod records_api;
mod seed;
mod state;
mod xml;

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use axum::Router;

use crate::fault::{FaultPlan, Faults};
use crate::fault_page;
use crate::persist::Kept;
use crate::world::Size;
use crate::{Running, listen};

pub use state::{Case, State};

pub const LOGIN: &str = "hovrel";
pub const PASSWORD: &str = "granite-lantern-42";

pub struct Options {
    pub port: u16,
    pub data: Option<PathBuf>,
    pub seed: u64,
    pub size: Size,
    /// Time every call takes.
    pub delay: Duration,
    pub calls_at_once: usize,
    pub faults: FaultPlan,
}

impl Default for Options {
    fn default() -> Self {
        Options {
            port: 0,
            data: None,
            seed: 7,
            size: Size::DEMO,
            delay: Duration::from_millis(25),
            calls_at_once: 4,
            faults: FaultPlan::default(),
        }
    }
}

/// Everything a call needs.
#[derive(Clone)]
struct Server {
    kept: Kept<State>,
    faults: Faults,
    slots: Arc<tokio::sync::Semaphore>,
    delay: Duration,
    calls_at_once: usize,
}

pub async fn start(options: Options) -> std::io::Result<Running> {
    let kept = Kept::open(options.data, "oldstone", || seed::state(options.seed, options.size))?;
    let faults = Faults::new(options.faults, Some("/os/session"));
    let server = Server {
        kept: kept.clone(),
        faults: faults.clone(),
        slots: Arc::new(tokio::sync::Semaphore::new(options.calls_at_once)),
        delay: options.delay,
        calls_at_once: options.calls_at_once,
    };
    let app = Router::new()
        .merge(api::routes(server.clone(), faults.clone()))
        .merge(pages::routes(server))
        .merge(fault_page::routes(pages::LOOK, faults.clone()));
    listen(app, options.port, faults, kept).await
}
