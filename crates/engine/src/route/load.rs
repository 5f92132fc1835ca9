//! A route taken up: its ends read, and what is remembered of it.
//!
//! Decides in which order that is done, for a dry run and a proof alike.

use std::collections::HashMap;

use hovrel_core::base::Pair;
use hovrel_core::identity::{Asked, Settled};
use hovrel_core::rules::Lane;
use hovrel_store::Route;
use serde_json::json;
use uuid::Uuid;

use super::bases::{asked_by_lane, pairs_by_lane, settled_by_lane};
use super::read::{BothEnds, read_both};
use crate::jobs::Running;
use crate::{EngineError, Hub};

/// A route with what is remembered of it, by lane, and both of its ends as they were just read.
pub(crate) struct LoadedRoute {
    pub route: Route,
    pub lanes: Vec<Lane>,
    pub pairs: HashMap<String, Vec<Pair>>,
    pub settled: HashMap<String, Settled>,
    pub asked: HashMap<String, Asked>,
    pub both: BothEnds,
}

/// Reads a route and both of its ends whole; what follows is the comparison, which the job is told to be at.
pub(crate) async fn load_route(hub: &Hub, job: &Running, id: Uuid) -> Result<LoadedRoute, EngineError> {
    let route = hub.store.route(id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    let lanes: Vec<Lane> = lanes.into_iter().map(Lane::with_ways_back).collect();
    let pairs = pairs_by_lane(&hub.store, route.id).await?;
    let settled = settled_by_lane(hub.store.settled_matches(route.id).await?, &lanes);
    let asked = asked_by_lane(hub.store.asked_matches(route.id).await?, &lanes);
    let both = read_both(hub, job, &route, &lanes, &pairs).await?;
    job.tell(json!({"phase": "comparing"})).await?;
    Ok(LoadedRoute { route, lanes, pairs, settled, asked, both })
}
