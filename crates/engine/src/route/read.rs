//! Both ends of a route, read whole for a dry run or a proof.
//!
//! Decides what is read: the kinds of the lanes, folders, and shared steps even where they are only expanded; and
//! which links are left out, because Hovrel itself wrote them back.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use hovrel_connect::Connector;
use hovrel_core::base::Pair;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::expression::Moment;
use hovrel_core::model::{Artefact, Kind};
use hovrel_core::prepare::join_deep;
use hovrel_core::rules::Lane;
use hovrel_store::{Route, System};

use super::back_links::without_back_links;
use super::elsewhere::{Elsewhere, carried_elsewhere};
use super::ends::{RouteEnds, prepare_items};
use crate::jobs::Running;
use crate::reading::{Absences, AskedEnd, absences, folder_paths, read_all};
use crate::{EngineError, Hub};

/// Both ends of a route, read whole.
pub(crate) struct BothEnds {
    pub left: Arc<dyn Connector>,
    pub right: Arc<dyn Connector>,
    pub left_system: System,
    pub right_system: System,
    pub ends: RouteEnds,
    /// Left items by kind, prepared for the rules of the first lane of that kind.
    pub left_items: HashMap<Kind, Vec<Artefact>>,
    /// Left items prepared for the rules of each further lane of the same kind, by the id of the lane: computed values
    /// belong to one lane only.
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

pub(crate) async fn read_both(
    hub: &Hub,
    job: &Running,
    route: &Route,
    lanes: &[Lane],
    pairs: &HashMap<String, Vec<Pair>>,
) -> Result<BothEnds, EngineError> {
    let read_at = hub.now().fixed_offset();
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
        AskedEnd {
            connector: &*left,
            system: &left_system.name,
            container: &route.left_container,
            items: &left_items,
            kind: |lane| lane.left_kind,
            id: |pair| &pair.left_id,
        },
        AskedEnd {
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
    Ok(BothEnds {
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

type Items = HashMap<Kind, Vec<Artefact>>;

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
