//! A lane that stops: the other system can no longer take it, since its schema changed while the transfer ran, or it
//! changes what was not sent.
//!
//! Decides when a refused value means the former. The lane stops with what happened; other lanes go on, and what was done
//! stays done.

use hovrel_core::model::Kind;

use super::Transfer;
use super::apply::Refusal;

impl Transfer {
    /// Why a lane stopped, if it did.
    pub async fn halted(&self, lane: &str) -> Option<Refusal> {
        self.halted.read().await.get(lane).cloned()
    }

    /// Looks again at what the right can hold, after it refused a value that its schema had allowed. If it holds
    /// less than when the transfer began, the lane stops.
    pub async fn look_again(&self, lane: &str, kind: Kind) -> Option<Refusal> {
        // What can't be asked now is no reason to stop the lane.
        let now = self.right.catalogue(&self.right_container).await.ok()?;
        let narrowed = self.there.kind(kind)?.narrowed(now.kind(kind));
        if narrowed.is_empty() {
            return None;
        }
        let why = format!("{} changed during the transfer: {}", self.right_name, narrowed.join("; "));
        let advice = "Survey the system again, fix the rules, and make a new dry run. What was done stays done.";
        let halt = Refusal { why, advice: advice.to_owned(), of_value: false, changed: false };
        self.halted.write().await.insert(lane.to_owned(), halt.clone());
        Some(halt)
    }

    /// Stops a lane after one of its items was changed otherwise than it was told.
    pub async fn halt(&self, lane: &str, system: &str, why: &str) {
        let why =
            format!("the lane stopped, so this was not written, since {system} changes more than was asked: {why}");
        let advice = "Fix what is reported there, and make a new dry run.".to_owned();
        let halt = Refusal { why, advice, of_value: false, changed: false };
        self.halted.write().await.insert(lane.to_owned(), halt);
    }
}
