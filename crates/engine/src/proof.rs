//! The proof: both ends read again and reconciled.

use std::collections::HashMap;

use hovrel_core::model::Artefact;
use hovrel_core::reconcile::{LaneProof, ProofLoss, prove_lane};
use serde::{Deserialize, Serialize};
use serde_json::json;
use tokio::task::block_in_place;
use uuid::Uuid;

use crate::both::read_both;
use crate::dry_run::{changed_bases, pairs_by_lane, scope_lanes, settled_by_lane};
use crate::worker::Running;
use crate::{EngineError, Hub};

/// The proof of a route.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct RouteProof {
    pub left_system: String,
    pub right_system: String,
    pub route_version: i32,
    pub lanes: Vec<LaneProof>,
    /// Losses that the latest transfer's plan foresaw and that happened.
    pub losses_foreseen: u64,
    /// Losses that happened without having been foreseen.
    pub losses_unforeseen: u64,
    pub unforeseen: Vec<ProofLoss>,
}

pub(crate) async fn run(hub: &Hub, job: &Running, route: Uuid) -> Result<serde_json::Value, EngineError> {
    let route = hub.store.route(route).await?;
    let lanes: Vec<_> = serde_json::from_value::<Vec<hovrel_core::mapping::Lane>>(route.lanes.clone())?;
    let pairs = pairs_by_lane(hub.store.pairs(route.id).await?);
    let settled = settled_by_lane(hub.store.settled_matches(route.id).await?);
    let both = read_both(hub, job, &route, &lanes, &pairs).await?;
    job.tell(json!({"phase": "comparing"})).await?;
    let (scoped, mapped) = block_in_place(|| scope_lanes(&both, &lanes, &pairs, &settled));
    let mut proofs: Vec<LaneProof> = Vec::new();
    for s in &scoped {
        let Some(cx) = both.ends.context(&s.lane, &mapped) else { continue };
        let right_all: HashMap<&str, &Artefact> =
            both.right_items.get(&s.lane.right_kind).into_iter().flatten().map(|a| (a.id.as_str(), a)).collect();
        let known = pairs.get(&s.lane.id).map_or(&[][..], Vec::as_slice);
        let bases = changed_bases(&hub.store, s, &both, &mapped, known, &right_all).await?;
        proofs.push(block_in_place(|| prove_lane(&s.lane, &cx, &s.left, &s.right, &right_all, known, &bases)));
    }
    let ledger: Vec<(String, String, bool, serde_json::Value)> =
        match hub.store.latest_job(route.id, "transfer").await? {
            Some(transfer) => hub.store.ledger(transfer.id).await?,
            None => Vec::new(),
        };
    let noted = ledger.len();
    let unforeseen: Vec<ProofLoss> = ledger
        .into_iter()
        .filter(|(_, _, foreseen, _)| !foreseen)
        .map(|(left_key, right_key, _, loss)| {
            Ok(ProofLoss { left_key, right_key, loss: serde_json::from_value(loss)? })
        })
        .collect::<Result<_, EngineError>>()?;
    let differences: usize = proofs.iter().map(|p| p.differences.len() + p.missing.len()).sum();
    let proof = RouteProof {
        left_system: both.left_system.name.clone(),
        right_system: both.right_system.name.clone(),
        route_version: route.version,
        lanes: proofs,
        losses_foreseen: (noted - unforeseen.len()) as u64,
        losses_unforeseen: unforeseen.len() as u64,
        unforeseen,
    };
    let id = Uuid::now_v7();
    hub.store.keep_proof(id, route.id, &serde_json::to_value(&proof)?, differences as i32).await?;
    Ok(json!({"proof": id, "differences": differences}))
}
