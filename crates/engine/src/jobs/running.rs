//! A job that is being run: how it tells how far it is, and how it can end.

use std::sync::Arc;
use std::time::Duration;

use hovrel_store::{Holder, Wanted};
use serde_json::Value;
use tokio::sync::watch;

use super::lease::Lease;
use crate::{EngineError, Hub};

/// How a job ended.
pub(crate) enum Ended {
    Done(Value),
    Paused,
    Stopped,
}

/// A job that is being run, for telling how far it is and asking what is wanted.
pub(crate) struct Running {
    pub holder: Holder,
    /// Until when the job is this worker's, by its own clock.
    pub lease: Arc<Lease>,
    pub wanted: watch::Receiver<Wanted>,
    hub: Hub,
    last: tokio::sync::Mutex<Option<tokio::time::Instant>>,
}

/// Progress is told this often at most.
const TELL_EVERY: Duration = Duration::from_millis(250);

impl Running {
    /// A job of which nothing was told yet.
    pub fn new(hub: Hub, holder: Holder, lease: Arc<Lease>, wanted: watch::Receiver<Wanted>) -> Running {
        Running { holder, lease, wanted, hub, last: tokio::sync::Mutex::new(None) }
    }

    /// Tells progress, unless some was told a moment ago.
    pub async fn tell(&self, progress: Value) -> Result<(), EngineError> {
        let mut last = self.last.lock().await;
        if last.is_some_and(|at| at.elapsed() < TELL_EVERY) {
            return Ok(());
        }
        *last = Some(tokio::time::Instant::now());
        Ok(self.hub.store.progress(self.holder, &progress).await?)
    }

    /// Tells progress that must not be missed.
    pub async fn tell_now(&self, progress: Value) -> Result<(), EngineError> {
        Ok(self.hub.store.progress(self.holder, &progress).await?)
    }
}
