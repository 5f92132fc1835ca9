//! What the store remembers of a route: pairs, their bases, what was said, and what a person settled.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use hovrel_core::agree::Accepted;
use hovrel_core::base::{Agreement, Base, BaseSide, Pair};
use hovrel_core::carry::Context;
use hovrel_core::compare::Comparer;
use hovrel_core::identity::Settled;
use hovrel_core::model::{Artefact, Ends, Fingerprint};
use hovrel_core::rules::Lane;
use hovrel_store::{SettledMatch, Store};
use uuid::Uuid;

use super::read::BothEnds;
use super::scoped::Scoped;
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
            left_id: row.left_id,
            right_id: row.right_id,
            left_key: row.left_key,
            right_key: row.right_key,
            left_base: Fingerprint::from_bytes(&row.left_base),
            right_base: Fingerprint::from_bytes(&row.right_base),
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
) -> Result<HashMap<(String, String), Vec<Accepted>>, EngineError> {
    let (left, right) =
        ((both.at.left.system.id, lane.left_kind.id()), (both.at.right.system.id, lane.right_kind.id()));
    let mut out: HashMap<(String, String), Vec<Accepted>> = HashMap::new();
    for row in store.accepted_pieces(left, right).await? {
        let before = match row.state.as_str() {
            "intended" => Some(row.before.map_or(Ok(Vec::new()), serde_json::from_value)?),
            _ => None,
        };
        out.entry((row.left_id, row.right_id)).or_default().push(Accepted {
            slot: row.slot.into(),
            left: row.left_piece,
            right: row.right_piece,
            said: row.said,
            before,
        });
    }
    Ok(out)
}

/// What a person said of items without a pair, by lane.
pub fn settled_by_lane(rows: Vec<SettledMatch>) -> HashMap<String, Settled> {
    let mut out: HashMap<String, Settled> = HashMap::new();
    for row in rows {
        out.entry(row.lane).or_default().insert(row.left_id, row.right_id);
    }
    out
}

/// What is remembered of a lane, for comparing its ends.
pub(crate) struct LaneMemory<'a> {
    pub pairs: &'a [Pair],
    /// Of the pairs that changed since they were in step.
    pub bases: HashMap<String, Base>,
    pub accepted: HashMap<(String, String), Vec<Accepted>>,
}

impl<'a> LaneMemory<'a> {
    /// `pairs` are those of the route, `right_all` is what the right holds of the lane's kind.
    pub async fn of(
        store: &Store,
        scoped: &Scoped<'_>,
        both: &BothEnds,
        cx: &Context<'_>,
        pairs: &'a HashMap<String, Vec<Pair>>,
        right_all: &HashMap<&str, &Artefact>,
    ) -> Result<LaneMemory<'a>, EngineError> {
        let pairs = pairs.get(&scoped.lane.id).map_or(&[][..], Vec::as_slice);
        let bases = changed_bases(store, scoped, cx, pairs, right_all).await?;
        let accepted = accepted_by_pair(store, both, &scoped.lane).await?;
        Ok(LaneMemory { pairs, bases, accepted })
    }
}

/// The bases of the pairs whose fingerprints no longer fit, in one query.
async fn changed_bases(
    store: &Store,
    scoped: &Scoped<'_>,
    cx: &Context<'_>,
    pairs: &[Pair],
    right_all: &HashMap<&str, &Artefact>,
) -> Result<HashMap<String, Base>, EngineError> {
    let comparer = Comparer::new(&scoped.lane, cx);
    let by_left: HashMap<&str, &Artefact> = scoped.covered.left.iter().map(|a| (a.id.as_str(), *a)).collect();
    let changed: Vec<&Pair> = pairs
        .iter()
        .filter(|p| match (by_left.get(p.left_id.as_str()), right_all.get(p.right_id.as_str())) {
            (Some(l), Some(r)) => !comparer.untouched(Ends { left: *l, right: *r }, p),
            _ => false,
        })
        .collect();
    let hashes: Vec<Vec<u8>> =
        changed.iter().flat_map(|p| [p.left_base, p.right_base].map(|f| f.as_bytes().to_vec())).collect();
    let mut bodies: HashMap<Vec<u8>, BaseSide> = HashMap::new();
    for (hash, body) in store.snapshots(&hashes).await? {
        bodies.insert(hash, serde_json::from_value(body)?);
    }
    let side = |f: &Fingerprint| bodies.get(f.as_bytes().as_slice()).cloned().unwrap_or_default();
    Ok(changed
        .iter()
        .map(|p| {
            let agreed = p.agreed.as_ref().map(|a| (**a).clone().into()).unwrap_or_default();
            (p.left_id.clone(), Base { left: side(&p.left_base), right: side(&p.right_base), agreed })
        })
        .collect())
}
