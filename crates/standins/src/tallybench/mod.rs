//! Tallybench: the newer test case server. JSON, a key in a header, pages by cursor, Markdown, ETags,
//! 240 calls a minute, chapters five levels deep, a unique external reference, UTC in milliseconds.

mod api;
mod kinds;
mod pages;
mod records_api;
mod seed;
mod state;

use std::path::PathBuf;
use std::sync::{Arc, Mutex};
use std::time::Instant;

use axum::Router;

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
    bucket: Arc<Mutex<Bucket>>,
    calls_per_minute: u32,
}

/// Calls still allowed; refills steadily, and holds a quarter of a minute's worth.
struct Bucket {
    left: f64,
    at: Instant,
}

impl Server {
    /// Takes one call; the seconds to wait if there is none left.
    fn take(&self) -> Result<(), u64> {
        let per_second = f64::from(self.calls_per_minute) / 60.0;
        let mut bucket = self.bucket.lock().unwrap_or_else(|e| e.into_inner());
        let full = f64::from(self.calls_per_minute) / 4.0;
        bucket.left = (bucket.left + bucket.at.elapsed().as_secs_f64() * per_second).min(full);
        bucket.at = Instant::now();
        if bucket.left >= 1.0 {
            bucket.left -= 1.0;
            Ok(())
        } else {
            Err(((1.0 - bucket.left) / per_second).ceil() as u64)
        }
    }
}

pub async fn start(options: Options) -> std::io::Result<Running> {
    let kept = Kept::open(options.data, "tallybench", || seed::state(options.seed, options.size))?;
    let full = f64::from(options.calls_per_minute) / 4.0;
    let bucket = Arc::new(Mutex::new(Bucket { left: full, at: Instant::now() }));
    let faults = Faults::new(options.faults);
    let server = Server { kept, faults: faults.clone(), bucket, calls_per_minute: options.calls_per_minute };
    let app = Router::new()
        .merge(api::routes(server.clone(), faults.clone()))
        .merge(pages::routes(server))
        .merge(fault_page::routes("Tallybench", pages::COLOUR, faults.clone()));
    listen(app, options.port, faults).await
}
