//! A system with habits that an administrator meets sooner or later, each of which can be had by itself: its updates
//! replace the whole item, it returns comments otherwise than they were sent, it says nothing of a file's bytes, it has
//! two words for one type of link, it answers writes with nothing, it counts who looks, it finds everything whatever is
//! asked for. Hovrel learns it from a profile alone; nothing of it ships.

mod api;
mod profile;

use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
use std::sync::{Arc, Mutex, MutexGuard};

use serde_json::{Map, Value, json};

pub use profile::profile;

use crate::Known;

/// What the system does that others do not.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Habits {
    /// An update replaces the item: what is not sent is emptied, but for the title.
    pub replaces: bool,
    /// A comment comes back in capitals, with a line of the system's own.
    pub rewrites_comments: bool,
    /// Neither size nor digest of a file is told.
    pub no_digests: bool,
    /// A write is answered by 204 and no body (RFC 9110 §15.3.5).
    pub says_nothing: bool,
    /// There is no version, and each look is counted in the item; the last write wins.
    pub counts_looks: bool,
    /// The query by origin answers everything, page by page.
    pub finds_everything: bool,
    /// Titles are saved in other words: without what stands in brackets.
    pub rewords_titles: bool,
    /// What is empty is left out of an answer.
    pub leaves_out_empty: bool,
}

pub const KEY: &str = "tide table";
pub const CONTAINER: &str = "pans";

/// How it is reached, by its profile.
pub const KNOWN: Known =
    Known { profile: "saltmere", name: "Saltmere", path: "", container: CONTAINER, sign_in: &[("key", KEY)] };

/// What the system holds.
#[derive(Debug, Default)]
pub struct State {
    pub checks: BTreeMap<u64, Map<String, Value>>,
    /// Bytes of files, by number and name.
    pub files: BTreeMap<(u64, String), Vec<u8>>,
    /// Comments that were posted, by the number of their item: one entry for each call.
    pub posted: Vec<(u64, String)>,
    /// Updates, by the number of their item.
    pub updated: Vec<u64>,
    /// Names that are left out of every answer, as of somebody who may not see them any more.
    pub hidden: BTreeSet<String>,
}

/// What it answers at a path, whatever is asked there, in place of the truth.
#[derive(Debug, Clone)]
pub struct Lie {
    pub status: u16,
    pub content_type: &'static str,
    pub said: Said,
}

#[derive(Debug, Clone)]
pub enum Said {
    Text(String),
    /// Letters without end.
    Endless,
    /// Nothing more after the head.
    Nothing,
}

impl Lie {
    pub fn json(text: impl Into<String>) -> Lie {
        Lie { status: 200, content_type: "application/json", said: Said::Text(text.into()) }
    }
}

#[derive(Clone)]
pub struct Saltmere {
    pub address: String,
    pub habits: Habits,
    state: Arc<Mutex<State>>,
    lies: Arc<Mutex<BTreeMap<String, Lie>>>,
    /// Bytes of endless answers that were taken off its hands.
    given: Arc<AtomicU64>,
}

impl Saltmere {
    /// Starts it with a few checks of its own.
    pub async fn start(habits: Habits) -> Saltmere {
        let mut state = State::default();
        for no in 1..=23u64 {
            let check = json!({
                "no": no, "rev": 1, "looks": 0, "title": format!("Pan {no} is drained"), "note": "At low water.",
                "ready": "ja", "grade": "plain", "from": null, "links": [], "remarks": [], "files": [],
                "written": "2026-05-06T07:08:09Z"
            });
            state.checks.insert(no, check.as_object().expect("an object").clone());
        }
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("a port");
        let address = format!("http://{}", listener.local_addr().expect("an address"));
        let state = Arc::new(Mutex::new(state));
        let system = Saltmere { address, habits, state, lies: Arc::default(), given: Arc::default() };
        let app = api::routes(system.clone());
        tokio::spawn(async move { axum::serve(listener, app).await });
        system
    }

    pub fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(|e| e.into_inner())
    }

    /// From now on a path is answered by a lie.
    pub fn lie(&self, path: &str, lie: Lie) {
        self.lies.lock().unwrap_or_else(|e| e.into_inner()).insert(path.to_owned(), lie);
    }

    fn lie_at(&self, path: &str) -> Option<Lie> {
        self.lies.lock().unwrap_or_else(|e| e.into_inner()).get(path).cloned()
    }

    /// Bytes of endless answers that were taken off its hands.
    pub fn given(&self) -> u64 {
        self.given.load(Relaxed)
    }

    /// The check that carries a mark of origin.
    pub fn marked(&self, mark: &str) -> Option<Map<String, Value>> {
        self.state().checks.values().find(|c| c.get("from").and_then(Value::as_str) == Some(mark)).cloned()
    }
}
