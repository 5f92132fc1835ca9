//! Routes with their lanes and what their ends call things, for lists over many routes.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use hovrel_core::model::{End, Ends, Kind};
use hovrel_core::rules::Lane;
use uuid::Uuid;

use super::names::Names;
use super::words::field_name;
use crate::App;
use crate::problem::Problem;

/// Routes with what their ends call things.
pub struct Called {
    routes: HashMap<Uuid, OfRoute>,
}

struct OfRoute {
    name: String,
    lanes: Vec<Lane>,
    names: Ends<Arc<Names>>,
}

impl Called {
    /// Of the routes with these ids.
    pub async fn of(app: &App, ids: impl Iterator<Item = Uuid>) -> Result<Called, Problem> {
        let wanted: HashSet<Uuid> = ids.collect();
        let mut routes = HashMap::new();
        for route in app.hub.store.routes().await?.into_iter().filter(|r| wanted.contains(&r.id)) {
            let names = Ends {
                left: Names::of(app, route.left_system, &route.left_container).await?,
                right: Names::of(app, route.right_system, &route.right_container).await?,
            };
            let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
            routes.insert(route.id, OfRoute { name: route.name, lanes, names });
        }
        Ok(Called { routes })
    }

    pub fn lane(&self, route: Uuid, lane: &str) -> Option<&Lane> {
        self.routes.get(&route)?.lanes.iter().find(|l| l.id == lane)
    }

    pub fn names(&self, route: Uuid) -> Option<&Ends<Arc<Names>>> {
        self.routes.get(&route).map(|of| &of.names)
    }

    pub fn route(&self, route: Uuid) -> String {
        self.routes.get(&route).map(|of| of.name.clone()).unwrap_or_default()
    }

    /// The end that a lane writes first; of one that is gone, the right.
    pub fn first(&self, route: Uuid, lane: &str) -> End {
        self.lane(route, lane).map_or(End::Right, |lane| lane.written())
    }

    /// What the slot that a lane fills first is called there.
    pub fn field(&self, route: Uuid, lane: &str, slot: &str) -> String {
        let Some((lane, names)) = self.lane(route, lane).zip(self.names(route)) else { return slot.to_owned() };
        let first = lane.written();
        field_name(slot, names[first].catalogue.kind(lane.kind_at(first)))
    }
}

/// A kind by the id that is kept.
pub fn kind_of(text: &str) -> Result<Kind, Problem> {
    Ok(serde_json::from_value(text.into())?)
}
