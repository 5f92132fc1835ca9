//! A lane that the other system can no longer take: its schema changed while the transfer ran.
//!
//! Decides when a refused value means that. The lane stops with what changed; other lanes go on, and what was
//! done stays done.

use hovrel_core::model::Kind;

use super::Transfer;

impl Transfer {
    /// What changed at the right since the transfer began, if that stopped this lane.
    pub async fn halted(&self, lane: &str) -> Option<String> {
        self.halted.read().await.get(lane).cloned()
    }

    /// Looks again at what the right can hold, after it refused a value that its schema had allowed. If it holds
    /// less than when the transfer began, the lane stops.
    pub async fn look_again(&self, lane: &str, kind: Kind) -> Option<String> {
        // What can't be asked now is no reason to stop the lane.
        let now = self.right.catalogue(&self.right_container).await.ok()?;
        let narrowed = self.there.kind(kind)?.narrowed(now.kind(kind));
        if narrowed.is_empty() {
            return None;
        }
        let why = format!("{} changed during the transfer: {}", self.right_name, narrowed.join("; "));
        self.halted.write().await.insert(lane.to_owned(), why.clone());
        Some(why)
    }
}
