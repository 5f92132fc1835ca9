//! Cairnbook: the requirements server of the safety people. OSLC requirements management (OASIS OSLC RM 2.1):
//! RDF in Turtle, RDF/XML and JSON-LD, shapes, queries in pages, basic sign-in, ETags; addresses that say
//! nothing and a number to read; XHTML text; a module per document; no files; two calls at once.

mod api;
mod graph;
mod kinds;
mod pages;
mod reqif;
mod seed;
mod state;

use std::path::PathBuf;
use std::sync::Arc;

use axum::Router;
use tokio::sync::Semaphore;

use crate::fault::{FaultPlan, Faults};
use crate::fault_page;
use crate::persist::Kept;
use crate::world::Size;
use crate::{Running, listen};

pub use state::State;

pub const LOGIN: &str = "hovrel";
pub const PASSWORD: &str = "heather-bog-31";

pub struct Options {
    pub port: u16,
    pub data: Option<PathBuf>,
    pub seed: u64,
    pub size: Size,
    pub calls_at_once: usize,
    pub faults: FaultPlan,
}

impl Default for Options {
    fn default() -> Self {
        Options { port: 0, data: None, seed: 7, size: Size::DEMO, calls_at_once: 2, faults: FaultPlan::default() }
    }
}

#[derive(Clone)]
struct Server {
    kept: Kept<State>,
    faults: Faults,
    slots: Arc<Semaphore>,
}

pub async fn start(options: Options) -> std::io::Result<Running> {
    let kept = Kept::open(options.data, "cairnbook", || seed::state(options.seed, options.size))?;
    let faults = Faults::new(options.faults, None);
    let slots = Arc::new(Semaphore::new(options.calls_at_once));
    let server = Server { kept: kept.clone(), faults: faults.clone(), slots };
    let app = Router::new()
        .merge(api::routes(server.clone(), faults.clone()))
        .merge(pages::routes(server))
        .merge(fault_page::routes(pages::LOOK, faults.clone()));
    listen(app, options.port, faults, kept).await
}
