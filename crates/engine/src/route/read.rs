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
    /// Items prepared for the rules of one lane, by its id: those of each further lane that reads the same kind, since computed
    /// values belong to one lane only, and those that another lane writes.
    pub of_lane: HashMap<String, Vec<Artefact>>,
    pub carried_elsewhere: Vec<Elsewhere>,
    /// When the reading began; what days ago are counted from.
    pub read_at: Moment,
    /// Items that have a link to a counterpart, by kind and id.
    pub linked_back: Ends<HashSet<(Kind, String)>>,
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
    let shared = at.as_ref().map(|end| end.of_kind(Kind::SharedSteps).to_vec());
    for end in End::BOTH {
        let is_read = lanes.iter().any(|l| l.read() == end && l.kind_at(end) == Kind::Folder);
        let levels = levels_of(&catalogues[end.other()]).filter(|_| is_read);
        if let (Some(tree), Some(levels)) = (at[end].items.get_mut(&Kind::Folder), levels) {
            join_deep(tree, levels);
        }
    }
    let mut of_lane: HashMap<String, Vec<Artefact>> = HashMap::new();
    for (n, lane) in lanes.iter().enumerate() {
        let read = lane.read();
        let is_same = |l: &Lane| l.kind_at(read) == lane.kind_at(read);
        let further = lanes[..n].iter().any(|l| l.read() == read && is_same(l));
        let is_written = lanes.iter().any(|l| l.written() == read && is_same(l));
        if let Some(items) = at[read].items.get(&lane.kind_at(read)).filter(|_| further || is_written) {
            of_lane.insert(lane.id.clone(), items.clone());
        }
    }
    for lane in lanes {
        let read = lane.read();
        let ReadEnd { items, paths, .. } = &mut at[read];
        let items = of_lane.get_mut(&lane.id).or(items.get_mut(&lane.kind_at(read)));
        if let Some(items) = items {
            prepare_items(items, lane, lanes, &catalogues, &shared[read], paths);
        }
    }
    let carried_elsewhere = carried_elsewhere(hub, route).await?;
    let mut linked_back = Ends::<HashSet<(Kind, String)>>::default();
    for end in End::BOTH {
        let mut placed: Vec<(Kind, &str, String)> = Vec::new();
        if end == End::Left {
            placed.extend(carried_elsewhere.iter().map(|e| (e.kind, e.left_id.as_str(), e.url.clone())));
        }
        let reading = || lanes.iter().filter(|lane| lane.read() == end);
        for lane in reading() {
            for pair in pairs.get(&lane.id).map_or(&[][..], Vec::as_slice) {
                let there = end.other();
                let url = at[there].connector.address(lane.kind_at(there), &pair.ids[there]);
                placed.extend(url.map(|url| (lane.kind_at(end), pair.ids[end].as_str(), url)));
            }
        }
        let own = of_lane.iter_mut().filter(|(id, _)| reading().any(|lane| lane.id == **id)).map(|(_, items)| items);
        linked_back[end] = without_back_links(at[end].items.values_mut().chain(own), placed);
    }
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

/// The kinds that are read of an end: those of the lanes, folders, and shared steps, which are needed even if they are only
/// expanded.
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
