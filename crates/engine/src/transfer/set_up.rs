//! Setting up a transfer: both desks, and everything else that its changes share.
//!
//! Decides which pairs say where the counterpart of an item is when several lanes carry its kind.

use std::collections::HashMap;
use std::sync::atomic::AtomicU64;

use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{End, Ends};
use hovrel_core::rules::Lane;
use hovrel_store::{PairRow, Plan, System};
use tokio::sync::RwLock;
use uuid::Uuid;

use super::back::link_types;
use super::desk::{ByOther, Desk};
use super::gate::Gates;
use super::shared::{Owners, Transfer};
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
    let writes = |end: End| lanes.iter().any(|lane| lane.writes(end).is_some());
    let left = desk(hub, End::Left, left, route.left_container, writes(End::Left)).await?;
    let right = desk(hub, End::Right, right, route.right_container, writes(End::Right)).await?;
    let link_types = Ends { left: link_types(&left, &lanes), right: link_types(&right, &lanes) };
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
fn places(lanes: &[Lane], pairs: &[PairRow], owners: &Owners) -> Ends<ByOther> {
    let by_id: HashMap<&str, &Lane> = lanes.iter().map(|l| (l.id.as_str(), l)).collect();
    let mut out = Ends::<ByOther>::default();
    for p in pairs {
        let Some(lane) = by_id.get(p.lane.as_str()) else { continue };
        let at = (lane.read(), lane.kind_at(lane.read()), id_at(p, lane.read()).clone());
        if owners.get(&at).is_none_or(|lane| *lane == p.lane) {
            out.left.insert((lane.right_kind, p.right_id.clone()), p.left_id.clone());
            out.right.insert((lane.left_kind, p.left_id.clone()), p.right_id.clone());
        }
    }
    out
}

fn id_at(pair: &PairRow, end: End) -> &String {
    match end {
        End::Left => &pair.left_id,
        End::Right => &pair.right_id,
    }
}

/// Of the kinds that several lanes read, the lane that says where an item is: the first of them that carries it.
async fn owners(hub: &Hub, plan: Uuid, lanes: &[Lane], pairs: &[PairRow]) -> Result<Owners, EngineError> {
    let mut out = Owners::new();
    for end in End::BOTH {
        let reading = || lanes.iter().filter(|lane| lane.read() == end);
        let several = |lane: &&Lane| reading().filter(|l| l.kind_at(end) == lane.kind_at(end)).count() > 1;
        let shared: Vec<&Lane> = reading().filter(several).collect();
        if shared.is_empty() {
            continue;
        }
        let names: Vec<&str> = shared.iter().map(|l| l.id.as_str()).collect();
        let planned = hub.store.items_of_changes(plan, (&names, end)).await?;
        for lane in shared {
            let paired = pairs.iter().filter(|p| p.lane == lane.id).map(|p| id_at(p, end));
            let to_come = planned.iter().filter(|(l, _)| *l == lane.id).map(|(_, id)| id);
            for id in paired.chain(to_come) {
                out.entry((end, lane.kind_at(end), id.clone())).or_insert_with(|| lane.id.clone());
            }
        }
    }
    Ok(out)
}
