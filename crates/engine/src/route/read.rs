//! Both ends of a route, read whole for a dry run or a proof.
//!
//! Decides what is read: the kinds of the lanes, folders, and shared steps even where they are only expanded; and
//! which links are left out, because Hovrel itself wrote them back.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::sync::Arc;

use hovrel_connect::Connector;
use hovrel_core::base::Pair;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::expression::Moment;
use hovrel_core::model::{Artefact, End, Ends, Kind};
use hovrel_core::prepare::join_deep;
use hovrel_core::rules::Lane;
use hovrel_store::{Route, System};

use super::back_links::without_back_links;
use super::elsewhere::{Elsewhere, carried_elsewhere};
use super::ends::{RouteEnds, prepare_items};
use crate::jobs::Running;
use crate::reading::{Absences, AskedEnd, absences, folder_paths, path_of, read_all};
use crate::{EngineError, Hub};

/// An end of a route, read whole.
pub(crate) struct ReadEnd {
    pub connector: Arc<dyn Connector>,
    pub system: System,
    /// By kind. What rules take is prepared for the rules of the first lane of its kind.
    pub items: Items,
    /// Why halves of pairs are not among these.
    pub absent: Absences,
    /// Titles from the top down to each folder, by its id.
    pub paths: HashMap<String, Vec<String>>,
}

impl ReadEnd {
    /// Its items of a kind.
    pub fn of_kind(&self, kind: Kind) -> &[Artefact] {
        self.items.get(&kind).map_or(&[][..], Vec::as_slice)
    }

    /// Titles of the folders above an item.
    pub fn path(&self, artefact: &Artefact) -> String {
        path_of(artefact, &self.paths).join(" / ")
    }
}

/// Both ends of a route, read whole.
pub(crate) struct BothEnds {
    pub at: Ends<ReadEnd>,
    pub ends: RouteEnds,
    /// Left items prepared for the rules of each further lane of the same kind, by the id of the lane: computed values
    /// belong to one lane only.
    pub of_lane: HashMap<String, Vec<Artefact>>,
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
    // The ends are read side by side: each has its own limits.
    let end = |end: End| read_end(hub, job, route, lanes, end);
    let ((left_catalogue, left), (right_catalogue, right)) = futures::try_join!(end(End::Left), end(End::Right))?;
    let mut at = Ends { left, right };
    let catalogues = Ends { left: left_catalogue, right: right_catalogue };
    let shared = at.left.of_kind(Kind::SharedSteps).to_vec();
    if let (Some(tree), Some(levels)) = (at.left.items.get_mut(&Kind::Folder), levels_of(&catalogues.right)) {
        join_deep(tree, levels);
    }
    let mut of_lane: HashMap<String, Vec<Artefact>> = HashMap::new();
    for (n, lane) in lanes.iter().enumerate() {
        let further = lanes[..n].iter().any(|l| l.left_kind == lane.left_kind);
        if let Some(items) = at.left.items.get(&lane.left_kind).filter(|_| further) {
            of_lane.insert(lane.id.clone(), items.clone());
        }
    }
    for lane in lanes {
        let items = of_lane.get_mut(&lane.id).or(at.left.items.get_mut(&lane.left_kind));
        if let Some(items) = items {
            prepare_items(items, lane, lanes, &catalogues, &shared, &at.left.paths);
        }
    }
    let carried_elsewhere = carried_elsewhere(hub, route).await?;
    let mut placed: Vec<(Kind, &str, String)> =
        carried_elsewhere.iter().map(|e| (e.kind, e.left_id.as_str(), e.url.clone())).collect();
    for lane in lanes {
        for pair in pairs.get(&lane.id).map_or(&[][..], Vec::as_slice) {
            let url = at.right.connector.address(lane.right_kind, &pair.ids.right);
            placed.extend(url.map(|url| (lane.left_kind, pair.ids.left.as_str(), url)));
        }
    }
    let all = at.left.items.values_mut().chain(of_lane.values_mut());
    let linked_back = without_back_links(all, placed);
    let asked = |end: End| {
        let ReadEnd { connector, system, items, .. } = &at[end];
        let container = route.end(end).1;
        absences(AskedEnd { connector: &**connector, system: &system.name, container, items, end }, lanes, pairs)
    };
    let (absent_left, absent_right) = futures::try_join!(asked(End::Left), asked(End::Right))?;
    (at.left.absent, at.right.absent) = (absent_left, absent_right);
    let systems = at.as_ref().map(|end| end.system.name.clone());
    Ok(BothEnds { at, ends: RouteEnds::new(systems, catalogues), of_lane, carried_elsewhere, read_at, linked_back })
}

/// The kinds that are read of an end: those of the lanes, folders, and shared steps, which are needed at the left even
/// if they are only expanded.
fn kinds_at(lanes: &[Lane], end: End) -> BTreeSet<Kind> {
    lanes.iter().map(|lane| lane.kind_at(end)).chain([Kind::Folder, Kind::SharedSteps]).collect()
}

/// How many levels of folders an end allows; none if it does not limit them.
fn levels_of(catalogue: &Catalogue) -> Option<u32> {
    catalogue.kind(Kind::Folder)?.max_depth
}

/// Items by kind.
pub(crate) type Items = HashMap<Kind, Vec<Artefact>>;

/// Reads an end. Why halves of pairs are missing is asked afterwards.
async fn read_end(
    hub: &Hub,
    job: &Running,
    route: &Route,
    lanes: &[Lane],
    end: End,
) -> Result<(Catalogue, ReadEnd), EngineError> {
    let (system, container) = route.end(end);
    let system = hub.store.system(system).await?;
    let connector = hub.connect(&system)?;
    let failed = |error| EngineError::System { system: system.name.clone(), error };
    let catalogue = connector.catalogue(container).await.map_err(failed)?;
    let mut items = Items::new();
    for kind in kinds_at(lanes, end) {
        if catalogue.kind(kind).is_some() {
            items.insert(kind, read_all(job, &*connector, &system.name, container, kind).await?);
        }
    }
    let paths = folder_paths(items.get(&Kind::Folder).map_or(&[], Vec::as_slice));
    Ok((catalogue, ReadEnd { connector, system, items, absent: Absences::new(), paths }))
}
