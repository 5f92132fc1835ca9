//! Both ends of a route, read whole for a dry run or a proof.
//!
//! Decides what is read: the kinds of the lanes, folders, and shared steps even where they are only expanded; and
//! what of it is not the people's own: links that Hovrel wrote back.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use hovrel_connect::Connector;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::expression::Moment;
use hovrel_core::identity::Pair;
use hovrel_core::mapping::{Lane, join_deep};
use hovrel_core::model::{Artefact, Kind, LinkEnd};
use hovrel_store::{Joined, Route, System};
use uuid::Uuid;

use crate::absent::{Absences, AtEnd, absences};
use crate::ends::{RouteEnds, prepare_items};
use crate::survey::{folder_paths, read_all};
use crate::worker::Running;
use crate::{EngineError, Hub};

/// Both ends of a route, read whole.
pub(crate) struct Both {
    pub left: Arc<dyn Connector>,
    pub right: Arc<dyn Connector>,
    pub left_system: System,
    pub right_system: System,
    pub ends: RouteEnds,
    /// As the first lane of their kind takes them.
    pub left_items: HashMap<Kind, Vec<Artefact>>,
    /// As a further lane of the same kind takes them, by its id: what stands beside an item for one lane's rules is none
    /// of the other's.
    pub of_lane: HashMap<String, Vec<Artefact>>,
    pub right_items: HashMap<Kind, Vec<Artefact>>,
    /// Why halves of pairs are not among these.
    pub absent_left: Absences,
    pub absent_right: Absences,
    pub left_paths: HashMap<String, Vec<String>>,
    pub right_paths: HashMap<String, Vec<String>>,
    pub carried_elsewhere: Vec<Elsewhere>,
    /// When the reading began; what days ago are counted from.
    pub read_at: Moment,
    /// Left items that have a link to a counterpart, by kind and id.
    pub linked_back: HashSet<(Kind, String)>,
}

/// What another route carried from the left end of this one.
pub(crate) struct Elsewhere {
    pub kind: Kind,
    pub left_id: String,
    /// Where a person finds it.
    url: String,
    /// How an item of this route's right links to it: as an item, if it is in the same system.
    pub there: LinkEnd,
    /// The place of its route among those whose items links lead to; none if they lead back to the left.
    pub followed: Option<usize>,
}

pub(crate) async fn read_both(
    hub: &Hub,
    job: &Running,
    route: &Route,
    lanes: &[Lane],
    pairs: &HashMap<String, Vec<Pair>>,
) -> Result<Both, EngineError> {
    let read_at = chrono::Utc::now().fixed_offset();
    let left_system = hub.store.system(route.left_system).await?;
    let right_system = hub.store.system(route.right_system).await?;
    let (left, right) = (hub.connect(&left_system)?, hub.connect(&right_system)?);
    let mut kinds: Vec<(Kind, Kind)> = lanes.iter().map(|l| (l.left_kind, l.right_kind)).collect();
    kinds.push((Kind::Folder, Kind::Folder));
    // Shared steps are needed at the left even if they are only expanded.
    kinds.push((Kind::SharedSteps, Kind::SharedSteps));
    kinds.sort();
    kinds.dedup();
    // The ends are read side by side: each has its own limits.
    let ((left_catalogue, mut left_items), (right_catalogue, right_items)) = futures::try_join!(
        read_end(job, &*left, &left_system, &route.left_container, kinds.iter().map(|k| k.0).collect()),
        read_end(job, &*right, &right_system, &route.right_container, kinds.iter().map(|k| k.1).collect()),
    )?;
    let shared = left_items.get(&Kind::SharedSteps).cloned().unwrap_or_default();
    let folders =
        |items: &HashMap<Kind, Vec<Artefact>>| folder_paths(items.get(&Kind::Folder).map_or(&[], Vec::as_slice));
    let left_paths = folders(&left_items);
    if let (Some(tree), Some(levels)) = (left_items.get_mut(&Kind::Folder), levels_of(&right_catalogue)) {
        join_deep(tree, levels);
    }
    let mut of_lane: HashMap<String, Vec<Artefact>> = HashMap::new();
    for (n, lane) in lanes.iter().enumerate() {
        let further = lanes[..n].iter().any(|l| l.left_kind == lane.left_kind);
        if let Some(items) = left_items.get(&lane.left_kind).filter(|_| further) {
            of_lane.insert(lane.id.clone(), items.clone());
        }
    }
    for lane in lanes {
        let items = of_lane.get_mut(&lane.id).or(left_items.get_mut(&lane.left_kind));
        if let Some(items) = items {
            prepare_items(items, lane, lanes, &left_catalogue, &right_catalogue, &shared, &left_paths);
        }
    }
    let carried_elsewhere = carried_elsewhere(hub, route).await?;
    let mut placed: Vec<(Kind, &str, String)> =
        carried_elsewhere.iter().map(|e| (e.kind, e.left_id.as_str(), e.url.clone())).collect();
    for lane in lanes {
        for pair in pairs.get(&lane.id).map_or(&[][..], Vec::as_slice) {
            let url = right.address(lane.right_kind, &pair.right_id);
            placed.extend(url.map(|url| (lane.left_kind, pair.left_id.as_str(), url)));
        }
    }
    let all = left_items.values_mut().chain(of_lane.values_mut());
    let linked_back = without_back_links(all, placed);
    let (at_left, at_right) = (
        AtEnd {
            connector: &*left,
            system: &left_system.name,
            container: &route.left_container,
            items: &left_items,
            kind: |lane| lane.left_kind,
            id: |pair| &pair.left_id,
        },
        AtEnd {
            connector: &*right,
            system: &right_system.name,
            container: &route.right_container,
            items: &right_items,
            kind: |lane| lane.right_kind,
            id: |pair| &pair.right_id,
        },
    );
    let (absent_left, absent_right) =
        futures::try_join!(absences(at_left, lanes, pairs), absences(at_right, lanes, pairs))?;
    Ok(Both {
        absent_left,
        absent_right,
        of_lane,
        linked_back,
        read_at,
        left_paths,
        right_paths: folders(&right_items),
        ends: RouteEnds::new(left_system.name.clone(), left_catalogue, right_catalogue),
        left_system,
        right_system,
        left,
        right,
        carried_elsewhere,
        left_items,
        right_items,
    })
}

/// How many levels of folders an end allows; none if it does not limit them.
fn levels_of(catalogue: &Catalogue) -> Option<u32> {
    catalogue.kind(Kind::Folder)?.max_depth
}

/// What other routes carried from the left end of this one: to other systems, or to other containers of this one.
async fn carried_elsewhere(hub: &Hub, route: &Route) -> Result<Vec<Elsewhere>, EngineError> {
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

type Items = HashMap<Kind, Vec<Artefact>>;

/// Takes the links to counterparts off the left items: they are Hovrel's own, and would come back as somebody's
/// change (law 5). The items that had one are returned. `placed` says where a person finds what an item became.
fn without_back_links<'i>(
    items: impl Iterator<Item = &'i mut Vec<Artefact>>,
    placed: Vec<(Kind, &str, String)>,
) -> HashSet<(Kind, String)> {
    let mut own: HashMap<(Kind, &str), Vec<LinkEnd>> = HashMap::new();
    for (kind, id, url) in placed {
        own.entry((kind, id)).or_default().push(LinkEnd::Url(url));
    }
    let mut found = HashSet::new();
    for item in items.flatten() {
        let Some(own) = own.get(&(item.kind, item.id.as_str())) else { continue };
        let before = item.links.len();
        item.links.retain(|l| !own.contains(&l.target));
        if item.links.len() < before {
            found.insert((item.kind, item.id.clone()));
        }
    }
    found
}

async fn read_end(
    job: &Running,
    connector: &dyn Connector,
    system: &System,
    container: &str,
    kinds: Vec<Kind>,
) -> Result<(Catalogue, Items), EngineError> {
    let failed = |error| EngineError::System { system: system.name.clone(), error };
    let catalogue = connector.catalogue(container).await.map_err(failed)?;
    let mut items = HashMap::new();
    for kind in kinds {
        if items.contains_key(&kind) || catalogue.kind(kind).is_none() {
            continue;
        }
        items.insert(kind, read_all(job, connector, &system.name, container, kind).await?);
    }
    Ok((catalogue, items))
}
