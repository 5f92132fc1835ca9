//! What the store remembers of a route: pairs, their bases, what was said, and what a person settled.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use hovrel_core::agree::Accepted;
use hovrel_core::base::{Agreement, Base, BaseSide, Pair};
use hovrel_core::compare::Relation;
use hovrel_core::identity::{Asked, Settled};
use hovrel_core::model::{End, Ends, Fingerprint};
use hovrel_core::rules::Lane;
use hovrel_store::{AskedMatch, SettledMatch, Store};
use uuid::Uuid;

use super::read::BothEnds;
use crate::EngineError;

/// The pairs of a route by lane, each with how its fields came to be in step; what is the same for many is kept once.
pub(super) async fn pairs_by_lane(store: &Store, route: Uuid) -> Result<HashMap<String, Vec<Pair>>, EngineError> {
    let rows = store.pairs(route).await?;
    let hashes: HashSet<Vec<u8>> = rows.iter().filter_map(|r| r.agreed.clone()).collect();
    let mut agreements: HashMap<Vec<u8>, Arc<Agreement>> = HashMap::new();
    for (hash, body) in store.snapshots(&hashes.into_iter().collect::<Vec<_>>()).await? {
        agreements.insert(hash, Arc::new(serde_json::from_value(body)?));
    }
    let mut out: HashMap<String, Vec<Pair>> = HashMap::new();
    for row in rows {
        out.entry(row.lane).or_default().push(Pair {
            ids: Ends { left: row.left_id, right: row.right_id },
            keys: Ends { left: row.left_key, right: row.right_key },
            bases: Ends { left: row.left_base, right: row.right_base }.map(|base| Fingerprint::from_bytes(&base)),
            agreed: row.agreed.and_then(|hash| agreements.get(&hash).cloned()),
            let_go: row.let_go,
        });
    }
    Ok(out)
}

/// What is remembered of the comments and past changes of a lane's items, by the ids of both.
async fn accepted_by_pair(
    store: &Store,
    both: &BothEnds,
    lane: &Lane,
) -> Result<HashMap<Ends<String>, Vec<Accepted>>, EngineError> {
    let (left, right) =
        ((both.at.left.system.id, lane.left_kind.id()), (both.at.right.system.id, lane.right_kind.id()));
    let mut out: HashMap<Ends<String>, Vec<Accepted>> = HashMap::new();
    for row in store.accepted_pieces(left, right).await? {
        let before = match row.state.as_str() {
            "intended" => Some(row.before.map_or(Ok(Vec::new()), serde_json::from_value)?),
            _ => None,
        };
        out.entry(Ends { left: row.left_id, right: row.right_id }).or_default().push(Accepted {
            slot: row.slot.into(),
            from: row.written_end.other(),
            piece: row.piece,
            became: row.became,
            said: row.said,
            became_said: row.became_said,
            before,
            let_be: row.let_be,
        });
    }
    Ok(out)
}

/// What a person said of items without a pair, by lane. Of what was said while a lane read its other end, what two items are
/// counterparts still holds; that an item there has none says nothing of those that are read now.
pub fn settled_by_lane(rows: Vec<SettledMatch>, lanes: &[Lane]) -> HashMap<String, Settled> {
    let mut out: HashMap<String, Settled> = HashMap::new();
    let (as_now, as_before): (Vec<_>, Vec<_>) =
        rows.into_iter().partition(|row| lanes.iter().any(|l| l.id == row.lane && l.read() == row.item_end));
    for row in as_now {
        out.entry(row.lane).or_default().insert(row.item_id, row.other_id);
    }
    for row in as_before {
        if let Some(item) = row.other_id {
            out.entry(row.lane).or_default().entry(item).or_insert(Some(row.item_id));
        }
    }
    out
}

/// What was asked of items without a pair and nobody has decided yet, by lane.
pub fn asked_by_lane(rows: Vec<AskedMatch>, lanes: &[Lane]) -> HashMap<String, Asked> {
    let mut out: HashMap<String, Asked> = HashMap::new();
    for row in rows {
        let Some(lane) = lanes.iter().find(|lane| lane.id == row.lane) else { continue };
        let from = u8::try_from(row.similar_from).unwrap_or_default();
        let (item, other) = match lane.read() {
            End::Left => (row.left_id, row.right_id),
            End::Right => (row.right_id, row.left_id),
        };
        out.entry(row.lane).or_default().insert(item, (other, from));
    }
    out
}

/// What is remembered of a lane, for comparing its ends.
pub(crate) struct LaneMemory {
    /// Of the pairs that changed since they were in step.
    pub bases: HashMap<String, Base>,
    pub accepted: HashMap<Ends<String>, Vec<Accepted>>,
}

impl LaneMemory {
    /// `relations` is what the lane has at both ends.
    pub async fn of(
        store: &Store,
        both: &BothEnds,
        lane: &Lane,
        relations: &[Relation<'_>],
    ) -> Result<LaneMemory, EngineError> {
        let bases = changed_bases(store, relations).await?;
        let accepted = accepted_by_pair(store, both, lane).await?;
        Ok(LaneMemory { bases, accepted })
    }
}

/// The bases of the pairs whose fingerprints no longer fit, in one query.
async fn changed_bases(store: &Store, relations: &[Relation<'_>]) -> Result<HashMap<String, Base>, EngineError> {
    let changed: Vec<&Pair> = relations
        .iter()
        .filter_map(|relation| match relation {
            Relation::Pair { pair, untouched: false, .. } => Some(*pair),
            _ => None,
        })
        .collect();
    let hashes: Vec<Vec<u8>> =
        changed.iter().flat_map(|p| End::BOTH.map(|end| p.bases[end].as_bytes().to_vec())).collect();
    let mut bodies: HashMap<Vec<u8>, BaseSide> = HashMap::new();
    for (hash, body) in store.snapshots(&hashes).await? {
        bodies.insert(hash, serde_json::from_value(body)?);
    }
    let side = |f: &Fingerprint| bodies.get(f.as_bytes().as_slice()).cloned().unwrap_or_default();
    Ok(changed
        .iter()
        .map(|p| {
            let agreed = p.agreed.as_ref().map(|a| (**a).clone().into()).unwrap_or_default();
            (p.ids.left.clone(), Base { left: side(&p.bases.left), right: side(&p.bases.right), agreed })
        })
        .collect())
}
