//! A lane that stops: an end can no longer take it, since its schema changed while the transfer ran, or it changes what was
//! not sent.
//!
//! Decides when a refused value means the former. The lane stops with what happened; other lanes go on, and what was done
//! stays done.

use hovrel_core::model::{End, Kind};

use super::failure::Refusal;
use super::shared::Transfer;

impl Transfer {
    /// Why a lane stopped at an end, if it did.
    pub async fn halted(&self, end: End, lane: &str) -> Option<Refusal> {
        self.halted.read().await.get(&(end, lane.to_owned())).cloned()
    }

    /// Looks again at what an end can hold, after it refused a value that its schema had allowed. If it holds
    /// less than when the transfer began, the lane stops.
    pub async fn look_again(&self, end: End, lane: &str, kind: Kind) -> Option<Refusal> {
        let desk = &self.desks[end];
        // What can't be asked now is no reason to stop the lane.
        let now = desk.connector.catalogue(&desk.container).await.ok()?;
        let schema = desk.catalogue.kind(kind)?;
        let narrowed = schema.narrowed(now.kind(kind));
        if narrowed.is_empty() {
            return None;
        }
        let narrowed: Vec<String> =
            narrowed.iter().map(|change| hovrel_words::schema_change(&schema.name, change)).collect();
        let halt = Refusal::new(
            format!("{} changed during the transfer: {}", desk.name, narrowed.join("; ")),
            "Survey the system again, fix the rules, and make a new dry run. What was done stays done.",
        );
        self.stop(end, lane, halt.clone()).await;
        Some(halt)
    }

    /// Stops a lane after one of its items was changed otherwise than it was told.
    pub async fn halt(&self, end: End, lane: &str, why: &str) {
        let system = &self.desks[end].name;
        let halt = Refusal::new(
            format!("the lane stopped, so this was not written, since {system} changes more than was asked: {why}"),
            "Fix what is reported there, and make a new dry run.",
        );
        self.stop(end, lane, halt).await;
    }

    async fn stop(&self, end: End, lane: &str, halt: Refusal) {
        self.halted.write().await.insert((end, lane.to_owned()), halt);
    }
}
