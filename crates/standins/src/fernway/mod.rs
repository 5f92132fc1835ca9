//! Fernway: the tracker of the engineers. JSON, OAuth 2 client credentials (RFC 6749 §4.4), pages linked
//! by the Link header (RFC 8288), ten calls a second, its own plain text, states that are reached by
//! moves, last write wins, labels as the only mark, history that can only be read.

mod api;
mod hooks;
mod kinds;
mod pages;
mod seed;
mod state;
mod tokens;

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

pub const CLIENT: &str = "hovrel-bridge";
pub const SECRET: &str = "fw-secret-mossy-stair-58";

pub struct Options {
    pub port: u16,
    pub data: Option<PathBuf>,
    pub seed: u64,
    pub size: Size,
    pub calls_per_second: u32,
    /// Items on a page, however many are asked for.
    pub longest_page: usize,
    /// How long a token is good for.
    pub token_seconds: u64,
    pub faults: FaultPlan,
}

impl Default for Options {
    fn default() -> Self {
        Options {
            port: 0,
            data: None,
            seed: 7,
            size: Size::DEMO,
            calls_per_second: 10,
            longest_page: 100,
            token_seconds: 600,
            faults: FaultPlan::default(),
        }
    }
}

#[derive(Clone)]
struct Server {
    kept: Kept<State>,
    faults: Faults,
    bucket: Arc<Bucket>,
    tokens: Arc<tokens::Tokens>,
    hooks: hooks::Hooks,
    calls_per_second: u32,
    longest_page: usize,
}

pub async fn start(options: Options) -> std::io::Result<Running> {
    let kept = Kept::open(options.data, "fernway", || seed::state(options.seed, options.size))?;
    let faults = Faults::new(options.faults, Some("/oauth/token"));
    let per_second = f64::from(options.calls_per_second);
    let server = Server {
        kept: kept.clone(),
        faults: faults.clone(),
        bucket: Arc::new(Bucket::new(per_second, per_second)),
        hooks: hooks::Hooks::start(faults.clone()),
        tokens: Arc::new(tokens::Tokens::new(options.token_seconds)),
        calls_per_second: options.calls_per_second,
        longest_page: options.longest_page,
    };
    let app = Router::new()
        .merge(api::routes(server.clone(), faults.clone()))
        .merge(pages::routes(server.clone()))
        .layer(axum::middleware::from_fn_with_state(server, hooks::telling))
        .merge(fault_page::routes(pages::LOOK, faults.clone()));
    listen(app, options.port, faults, kept).await
}
