//! What the changes of one transfer share.
//!
//! Decides which desk a change is written at, and which lanes have stopped at which end. Knows nothing of the course that
//! one change takes.

use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use std::sync::atomic::AtomicU64;

use hovrel_core::model::{End, Ends, Kind, LinkType};
use hovrel_core::plan::Change;
use hovrel_core::rules::{Lane, RuleId};
use hovrel_store::Holder;
use tokio::sync::RwLock;
use uuid::Uuid;

use super::desk::Desk;
use super::failure::Refusal;
use super::gate::Gates;
use crate::Hub;
use crate::jobs::Lease;

/// Everything the changes of one transfer share.
pub(super) struct Transfer {
    pub hub: Hub,
    pub holder: Holder,
    pub lease: Arc<Lease>,
    pub plan: Uuid,
    pub route: Uuid,
    pub desks: Ends<Desk>,
    /// How items of a kind of an end are linked to their counterparts, for lanes that ask for it and kinds that can hold such
    /// links.
    pub link_types: Ends<HashMap<Kind, LinkType>>,
    pub lanes: HashMap<String, Lane>,
    pub owners: Owners,
    /// The digests of the rules, by lane and target, as the plan was made with them.
    pub digests: BTreeMap<String, BTreeMap<RuleId, String>>,
    /// Lanes that stopped at an end, with what happened.
    pub halted: RwLock<HashMap<(End, String), Refusal>>,
    /// Of each lane, at each end, the first change of an item goes alone.
    pub gates: Gates,
    /// Titles in hand, by place in the plan.
    pub in_hand: std::sync::Mutex<HashMap<u32, String>>,
    pub written: AtomicU64,
    pub files: AtomicU64,
}

/// Of kinds that several lanes read, the lane that says where the counterpart of an item is, by the end, the kind and the id of
/// the item.
pub(super) type Owners = HashMap<(End, Kind, String), String>;

/// How far a change came.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Stage {
    /// Done or refused, and noted.
    Settled,
    /// The item is there; its links are to come.
    LinksToCome,
}

impl Transfer {
    /// The desk at which a change is written.
    pub fn desk(&self, change: &Change) -> &Desk {
        &self.desks[change.written]
    }

    /// Notes where the counterpart of a change's item is, and what people call it there.
    pub async fn keep_place(&self, change: &Change, id: &str, key: &str) {
        let from = change.written.other();
        let Some(other) = change.side(from) else { return };
        let (kind, other_id) = (change.kind_at(from), other.id.clone());
        if self.owners.get(&(from, kind, other_id.clone())).is_some_and(|lane| *lane != change.lane) {
            return;
        }
        self.desk(change).keep_place((kind, other_id), id, key).await;
    }

    /// Tells which change is in hand.
    pub fn take_in_hand(&self, change: &Change) {
        let (key, title) = change.side(change.written.other()).map_or(("", ""), |s| (&s.key, &s.title));
        if let Ok(mut in_hand) = self.in_hand.lock() {
            in_hand.insert(change.seq, format!("{key} {title}"));
        }
    }
}
