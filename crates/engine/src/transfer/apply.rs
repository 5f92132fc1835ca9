//! Applying one change, and noting how it went.
//!
//! Decides what a failure means for the others: a refusal by a system is noted in the journal with the change, and the
//! others go on; trouble of Hovrel's own ends the transfer.

use hovrel_core::plan::{Change, Decision};

use super::attempt::{Begun, attempt};
use super::failure::Failure;
use super::later::carry_later;
use super::shared::{Stage, Transfer};
use crate::EngineError;

/// Items are made and changed first, with the links whose other end is there already; the other links, and
/// what texts call items that were still to be made, follow when all items are there, so that they may lead
/// anywhere, in circles too (law 6).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Phase {
    Items,
    Links,
}

/// Applies a change and notes how it went.
pub(super) async fn apply(
    t: &Transfer,
    change: &Change,
    decision: &Decision,
    (begun, back): (Begun, Begun),
    phase: Phase,
) -> Result<Stage, EngineError> {
    t.take_in_hand(change);
    let result = match (t.halted(change.written, &change.lane).await, phase) {
        (Some(halt), _) => Err(Failure::Refused(halt)),
        (None, Phase::Items) => attempt(t, change, decision, begun, back).await,
        (None, Phase::Links) => carry_later(t, change, decision).await,
    };
    settle(t, change, result).await
}

/// Notes a refusal.
pub(super) async fn settle(
    t: &Transfer,
    change: &Change,
    result: Result<Stage, Failure>,
) -> Result<Stage, EngineError> {
    if let Ok(mut in_hand) = t.in_hand.lock() {
        in_hand.remove(&change.seq);
    }
    match result {
        Ok(stage) => Ok(stage),
        Err(Failure::Refused(r)) => {
            let halted = match t.halted(change.written, &change.lane).await {
                None if r.of_value => t.look_again(change.written, &change.lane, change.kind_at(change.written)).await,
                // What made it stop tells of itself.
                _ => None,
            };
            let told = halted.as_ref().unwrap_or(&r);
            t.hub.store.refuse(t.holder, change.seq as i32, &told.why, &told.advice).await?;
            Ok(Stage::Settled)
        }
        Err(Failure::Engine(e)) => Err(e),
    }
}
