//! What other routes carried from the left end of a route.
//!
//! Decides how an item of this route's right links to it: as an item, if it is in the same system, or by its address.

use std::collections::HashMap;
use std::sync::Arc;

use hovrel_connect::Connector;
use hovrel_core::model::{Kind, LinkEnd};
use hovrel_core::rules::Lane;
use hovrel_store::{Joined, Route, System};
use uuid::Uuid;

use crate::{EngineError, Hub};

/// What another route carried from the left end of this one.
pub(crate) struct Elsewhere {
    pub kind: Kind,
    pub left_id: String,
    /// Where a person finds it.
    pub url: String,
    /// How an item of this route's right links to it: as an item, if it is in the same system.
    pub there: LinkEnd,
    /// The place of its route among those whose items links lead to; none if they lead back to the left.
    pub followed: Option<usize>,
}

/// What other routes carried from the left end of this one: to other systems, or to other containers of this one.
pub(super) async fn carried_elsewhere(hub: &Hub, route: &Route) -> Result<Vec<Elsewhere>, EngineError> {
    let others = hub.store.other_routes(route).await?;
    let systems: HashMap<Uuid, System> = hub.store.systems().await?.into_iter().map(|s| (s.id, s)).collect();
    // Routes that were removed are in the list no more.
    let followed: HashMap<Uuid, usize> =
        route.follows.iter().flatten().enumerate().map(|(n, followed)| (*followed, n)).collect();
    struct Other {
        lanes: Vec<Lane>,
        right: Arc<dyn Connector>,
        same_system: bool,
    }
    let mut known: HashMap<Uuid, Other> = HashMap::new();
    for other in &others {
        let lanes = serde_json::from_value(other.lanes.clone())?;
        if let Some(right) = systems.get(&other.right_system) {
            let same_system = right.id == route.right_system;
            known.insert(other.id, Other { lanes, right: hub.connect(right)?, same_system });
        }
    }
    let ids: Vec<Uuid> = others.iter().map(|r| r.id).collect();
    let place = |pair: Joined| {
        let Other { lanes, right, same_system } = known.get(&pair.route)?;
        let lane = lanes.iter().find(|l| l.id == pair.lane)?;
        let url = right.address(lane.right_kind, &pair.right_id)?;
        let there = match same_system {
            true => LinkEnd::Artefact { kind: lane.right_kind, id: pair.right_id },
            false => LinkEnd::Url(url.clone()),
        };
        let followed = followed.get(&pair.route).copied();
        Some(Elsewhere { kind: lane.left_kind, left_id: pair.left_id, url, there, followed })
    };
    Ok(hub.store.joined(&ids).await?.into_iter().filter_map(place).collect())
}
