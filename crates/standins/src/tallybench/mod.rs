//! Tallybench: the newer test case server. JSON, a key in a header, pages by cursor, Markdown, ETags,
//! 240 calls a minute, chapters five levels deep, a unique external reference, UTC in milliseconds.

mod answers;
mod api;
mod kinds;
mod pages;
mod records_api;
mod seed;
mod state;

use std::path::PathBuf;
use std::sync::Arc;

use axum::Router;

use crate::bucket::Bucket;
use crate::fault::{FaultPlan, Faults};
use crate::fault_page;
use crate::persist::Kept;
use crate::world::Size;
use crate::{Running, listen};

pub use state::State;

pub const KEY: &str = "tb-key-quiet-otter-77";
/// A key that may look but not write.
pub const READ_ONLY_KEY: &str = "tb-key-only-looking-11";

pub struct Options {
    pub port: u16,
    pub data: Option<PathBuf>,
    pub seed: u64,
    pub size: Size,
    pub calls_per_minute: u32,
    pub faults: FaultPlan,
}

impl Default for Options {
    fn default() -> Self {
        Options { port: 0, data: None, seed: 7, size: Size::DEMO, calls_per_minute: 240, faults: FaultPlan::default() }
    }
}

#[derive(Clone)]
struct Server {
    kept: Kept<State>,
    faults: Faults,
    bucket: Arc<Bucket>,
    calls_per_minute: u32,
}

pub async fn start(options: Options) -> std::io::Result<Running> {
    let kept = Kept::open(options.data, "tallybench", || seed::state(options.seed, options.size))?;
    // A quarter of a minute's calls may come at once.
    let per_minute = f64::from(options.calls_per_minute);
    let bucket = Arc::new(Bucket::new(per_minute / 60.0, per_minute / 4.0));
    let faults = Faults::new(options.faults, None);
    let server =
        Server { kept: kept.clone(), faults: faults.clone(), bucket, calls_per_minute: options.calls_per_minute };
    let app = Router::new()
        .merge(api::routes(server.clone(), faults.clone()))
        .merge(pages::routes(server))
        .merge(fault_page::routes(pages::LOOK, faults.clone()));
    listen(app, options.port, faults, kept).await
}
