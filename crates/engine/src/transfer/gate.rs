//! The first change of an item of a lane goes alone.
//!
//! Decides that no second item is changed before it is known what a change does to the first: a system that empties what
//! is not sent, or changes it otherwise, is found out by one item.

use std::collections::HashMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use hovrel_core::model::End;
use tokio::sync::{Mutex, OwnedMutexGuard};

/// One for each lane and end.
#[derive(Default)]
pub(super) struct Gates(std::sync::Mutex<HashMap<(End, String), Arc<Gate>>>);

#[derive(Default)]
struct Gate {
    open: AtomicBool,
    first: Arc<Mutex<()>>,
}

/// The right to change an item.
pub(super) struct Through {
    gate: Arc<Gate>,
    /// Held by the one that goes alone.
    alone: Option<OwnedMutexGuard<()>>,
}

impl Gates {
    /// Waits while somebody goes alone.
    pub async fn enter(&self, end: End, lane: &str) -> Through {
        let gate = match self.0.lock() {
            Ok(mut gates) => gates.entry((end, lane.to_owned())).or_default().clone(),
            Err(_) => Arc::default(),
        };
        if !gate.open.load(Ordering::Acquire) {
            let alone = gate.first.clone().lock_owned().await;
            if !gate.open.load(Ordering::Acquire) {
                return Through { gate, alone: Some(alone) };
            }
        }
        Through { gate, alone: None }
    }
}

impl Through {
    /// Whether this one goes alone.
    pub fn is_first(&self) -> bool {
        self.alone.is_some()
    }

    /// It went well: the others may follow.
    pub fn went_well(self) {
        self.gate.open.store(true, Ordering::Release);
    }
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::AtomicU32;
    use std::time::Duration;

    use super::*;

    #[tokio::test]
    async fn nobody_follows_before_the_first_went_well() {
        let gates = Arc::new(Gates::default());
        let followed = Arc::new(AtomicU32::new(0));
        let first = gates.enter(End::Right, "cases").await;
        assert!(first.is_first());
        let others: Vec<_> = (0..3)
            .map(|_| {
                let (gates, followed) = (gates.clone(), followed.clone());
                tokio::spawn(async move {
                    let through = gates.enter(End::Right, "cases").await;
                    followed.fetch_add(1, Ordering::SeqCst);
                    through.is_first()
                })
            })
            .collect();
        tokio::time::sleep(Duration::from_millis(30)).await;
        assert_eq!(followed.load(Ordering::SeqCst), 0);
        assert!(gates.enter(End::Right, "suites").await.is_first(), "another lane is not held up");
        assert!(gates.enter(End::Left, "cases").await.is_first(), "nor is the other end");
        first.went_well();
        for other in others {
            assert!(!other.await.expect("no panic"));
        }
        // One that did not go well leaves the next one alone again.
        drop(gates.enter(End::Right, "runs").await);
        assert!(gates.enter(End::Right, "runs").await.is_first());
    }
}
