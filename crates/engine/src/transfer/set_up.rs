//! Setting up a transfer: both desks, and everything else that its changes share.
//!
//! Decides which pairs say where the counterpart of an item is when several lanes carry its kind.

use std::collections::HashMap;
use std::sync::atomic::AtomicU64;

use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{End, Ends, Kind};
use hovrel_core::rules::Lane;
use hovrel_store::{PairRow, Plan, System};
use tokio::sync::RwLock;
use uuid::Uuid;

use super::back::link_types;
use super::desk::{ByOther, Desk};
use super::gate::Gates;
use super::shared::Transfer;
use crate::dry_run::PlanSummary;
use crate::jobs::Running;
use crate::{EngineError, Hub};

pub(super) async fn set_up(hub: &Hub, running: &Running, plan: &Plan) -> Result<Transfer, EngineError> {
    let route = hub.store.route(plan.route_id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(plan.lanes.clone())?;
    let summary: PlanSummary = serde_json::from_value(plan.summary.clone())?;
    let pairs = hub.store.pairs(route.id).await?;
    let owners = owners(hub, plan.id, &lanes, &pairs).await?;
    let left = hub.store.system(route.left_system).await?;
    let right = hub.store.system(route.right_system).await?;
    let links_back = lanes.iter().any(|l| l.policies.link_back);
    let writes = |end: End| lanes.iter().any(|l| l.direction.writes(end)) || (links_back && end == End::Left);
    let left = desk(hub, End::Left, left, route.left_container, writes(End::Left)).await?;
    let right = desk(hub, End::Right, right, route.right_container, writes(End::Right)).await?;
    let link_types = link_types(&left.catalogue, &lanes);
    let known = places(&lanes, &pairs, &owners);
    let kinds = |of: End| lanes.iter().map(|l| (l.kind_at(of.other()), l.kind_at(of))).collect();
    let left = left.knowing(known.left, kinds(End::Left));
    let right = right.knowing(known.right, kinds(End::Right));
    Ok(Transfer {
        hub: hub.clone(),
        holder: running.holder,
        lease: running.lease.clone(),
        plan: plan.id,
        route: route.id,
        desks: Ends { left, right },
        link_types,
        owners,
        lanes: lanes.into_iter().map(|l| (l.id.clone(), l)).collect(),
        digests: summary.rules,
        halted: RwLock::default(),
        gates: Gates::default(),
        in_hand: Default::default(),
        written: AtomicU64::new(0),
        files: AtomicU64::new(0),
    })
}

/// What is written is asked what it can hold, before many changes ask it at once.
async fn desk(hub: &Hub, end: End, system: System, container: String, is_written: bool) -> Result<Desk, EngineError> {
    let connector = hub.connect(&system)?;
    let catalogue = match is_written {
        true => {
            let failed = |error| EngineError::System { system: system.name.clone(), error };
            connector.catalogue(&container).await.map_err(failed)?
        }
        false => Catalogue::default(),
    };
    Ok(Desk::new(end, (system.id, system.name), (connector, container), catalogue))
}

/// What is at each end, by kind and id at the other.
fn places(lanes: &[Lane], pairs: &[PairRow], owners: &HashMap<(Kind, String), String>) -> Ends<ByOther> {
    let by_id: HashMap<&str, &Lane> = lanes.iter().map(|l| (l.id.as_str(), l)).collect();
    let mut out = Ends::<ByOther>::default();
    for p in pairs {
        let Some(lane) = by_id.get(p.lane.as_str()) else { continue };
        let at = (lane.left_kind, p.left_id.clone());
        if owners.get(&at).is_none_or(|lane| *lane == p.lane) {
            out.left.insert((lane.right_kind, p.right_id.clone()), p.left_id.clone());
            out.right.insert(at, p.right_id.clone());
        }
    }
    out
}

/// Of the kinds that several lanes carry, the lane that says where an item is: the first of them that carries it.
async fn owners(
    hub: &Hub,
    plan: Uuid,
    lanes: &[Lane],
    pairs: &[PairRow],
) -> Result<HashMap<(Kind, String), String>, EngineError> {
    let several = |lane: &&Lane| lanes.iter().filter(|l| l.left_kind == lane.left_kind).count() > 1;
    let shared: Vec<&Lane> = lanes.iter().filter(several).collect();
    let mut out = HashMap::new();
    if shared.is_empty() {
        return Ok(out);
    }
    let names: Vec<&str> = shared.iter().map(|l| l.id.as_str()).collect();
    let planned = hub.store.items_of_changes(plan, &names).await?;
    for lane in shared {
        let paired = pairs.iter().filter(|p| p.lane == lane.id).map(|p| &p.left_id);
        let to_come = planned.iter().filter(|(l, _)| *l == lane.id).map(|(_, id)| id);
        for id in paired.chain(to_come) {
            out.entry((lane.left_kind, id.clone())).or_insert_with(|| lane.id.clone());
        }
    }
    Ok(out)
}
