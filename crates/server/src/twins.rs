//! The unpaired items of a lane at both ends, and what is known to be one: from the last surveys.
//!
//! Decides nothing of its own: the core matches. Suggestions learn from what is known, and people review the rest.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use hovrel_core::base::Pairs;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::cover::Covered;
use hovrel_core::identity::{
    Asked, Between, Candidate, Counterparts, Evidence, InLane, Looking, Settled, counterparts, match_first_contact,
};
use hovrel_core::model::{Artefact, Ends, Kind};
use hovrel_core::rules::{Lane, Matching};
use hovrel_core::suggest::Twins;
use hovrel_engine::{asked_by_lane, path_of, settled_by_lane};
use hovrel_store::{Route, SettledMatch};
use uuid::Uuid;

use crate::App;
use crate::cache::Surveyed;
use crate::problem::Problem;
use crate::surveyed::LeftEnd;

/// A container of a system.
#[derive(Clone, Copy)]
pub struct At<'a> {
    pub system: Uuid,
    pub container: &'a str,
}

pub fn candidates<'a>(list: impl IntoIterator<Item = &'a Artefact>, kept: &Surveyed) -> Vec<Candidate<'a>> {
    let seen = |a: &'a Artefact| Candidate { artefact: a, path: path_of(a, &kept.paths).join(" / ") };
    list.into_iter().map(seen).collect()
}

/// Items of one kind at two ends that are known to be one.
pub struct KnownTwins {
    left: Arc<Surveyed>,
    right: Arc<Surveyed>,
    ids: Vec<(String, String)>,
}

impl KnownTwins {
    /// The pairs of every route between two ends, and what surely is one without a pair.
    pub async fn of(app: &App, left: At<'_>, right: At<'_>, kinds: (Kind, Kind)) -> Result<KnownTwins, Problem> {
        let store = &app.hub.store;
        let left_kept = app.cache.get(store, left.system, left.container, kinds.0).await?;
        let right_kept = app.cache.get(store, right.system, right.container, kinds.1).await?;
        let (mut lanes, mut routes) = (HashMap::new(), Vec::new());
        for route in store.routes().await? {
            let from = (route.left_system, route.left_container.as_str());
            let to = (route.right_system, route.right_container.as_str());
            let (here, there) = ((left.system, left.container), (right.system, right.container));
            let turned = (from, to) == (there, here);
            if (from, to) != (here, there) && !turned {
                continue;
            }
            for lane in serde_json::from_value::<Vec<Lane>>(route.lanes.clone())? {
                let same = if turned { (lane.right_kind, lane.left_kind) } else { (lane.left_kind, lane.right_kind) };
                if same == kinds {
                    lanes.insert((route.id, lane.id), turned);
                }
            }
            routes.push(route.id);
        }
        let mut ids = Vec::new();
        for pair in store.joined(&routes).await? {
            match lanes.get(&(pair.route, pair.lane)) {
                Some(true) => ids.push((pair.right_id, pair.left_id)),
                Some(false) => ids.push((pair.left_id, pair.right_id)),
                None => {}
            }
        }
        let left_name = store.system(left.system).await?.name;
        let sure = Matching::default().sure_only();
        let looking =
            Looking { left_system: &left_name, matching: &sure, settled: &Settled::new(), asked: &Asked::new() };
        let (ls, rs): (HashSet<&str>, HashSet<&str>) = ids.iter().map(|(l, r)| (l.as_str(), r.as_str())).unzip();
        let free_left = candidates(left_kept.artefacts.iter().filter(|a| !ls.contains(a.id.as_str())), &left_kept);
        let free_right = candidates(right_kept.artefacts.iter().filter(|a| !rs.contains(a.id.as_str())), &right_kept);
        let found = match_first_contact(looking, &free_left, &free_right);
        let found: Vec<(String, String)> = found
            .into_iter()
            .map(|(l, r, _)| (free_left[l].artefact.id.clone(), free_right[r].artefact.id.clone()))
            .collect();
        ids.extend(found);
        Ok(KnownTwins { left: left_kept, right: right_kept, ids })
    }

    pub fn both(&self) -> Vec<Twins<'_>> {
        // More than this say the same again.
        const MOST: usize = 2000;
        let found = self.ids.iter().filter_map(|(l, r)| Some((self.left.by_id(l)?, self.right.by_id(r)?)));
        found.take(MOST).collect()
    }
}

/// What is in the scope of a lane at both ends and has no pair.
pub struct Unpaired {
    pub left_system: String,
    pub left_end: LeftEnd,
    pub right: Arc<Surveyed>,
    pub settled: Vec<SettledMatch>,
    /// The lanes that fill the same kind, in the order of the route, each with what it covers and has no pair for.
    of_kind: Vec<FreeOfLane>,
    /// Which of them is asked about.
    own: usize,
}

struct FreeOfLane {
    lane: Lane,
    left_ids: Vec<String>,
    right_ids: Vec<String>,
    settled: Settled,
    asked: Asked,
}

impl Unpaired {
    pub async fn of(app: &App, route: &Route, lane: &Lane) -> Result<Unpaired, Problem> {
        let store = &app.hub.store;
        let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
        let left_end = LeftEnd::of(app, route, &lanes).await?;
        let right = app.cache.get(store, route.right_system, &route.right_container, lane.right_kind).await?;
        let survey = store.survey(route.right_system, &route.right_container).await?;
        let there: Catalogue = survey.map(|s| serde_json::from_value(s.catalogue)).transpose()?.unwrap_or_default();
        let pairs = store.pairs(route.id).await?;
        let settled = store.settled_matches(route.id).await?;
        let mut said = settled_by_lane(settled.clone());
        let mut asked = asked_by_lane(store.asked_matches(route.id).await?);
        let now = left_end.now;
        let covered = left_end.covered(&lanes);
        let fill: Vec<(&Lane, Covered<'_>)> =
            lanes.iter().zip(covered).filter(|(l, _)| l.right_kind == lane.right_kind).collect();
        let names: HashSet<&str> = fill.iter().map(|(l, _)| l.id.as_str()).collect();
        let right_paired: HashSet<&str> =
            pairs.iter().filter(|p| names.contains(p.lane.as_str())).map(|p| p.right_id.as_str()).collect();
        let mut of_kind = Vec::new();
        for (of, covered) in fill {
            let here = pairs.iter().filter(|p| p.lane == of.id);
            let paired: HashSet<&str> = here.map(|p| p.left_id.as_str()).collect();
            let left = covered.all().into_iter().map(|a| &a.id).filter(|id| !paired.contains(id.as_str()));
            let in_scope = there.kind(of.right_kind).map_or_else(Vec::new, |kind| {
                hovrel_engine::in_scope(&right.artefacts, &of.right_scope, kind, &right.paths, now)
            });
            let free = in_scope.into_iter().map(|a| &a.id).filter(|id| !right_paired.contains(id.as_str()));
            of_kind.push(FreeOfLane {
                left_ids: left.cloned().collect(),
                right_ids: free.cloned().collect(),
                settled: said.remove(&of.id).unwrap_or_default(),
                asked: asked.remove(&of.id).unwrap_or_default(),
                lane: of.clone(),
            });
        }
        let own = of_kind.iter().position(|of| of.lane.id == lane.id).ok_or_else(|| Problem::missing("The lane"))?;
        let settled = settled.into_iter().filter(|m| m.lane == lane.id).collect();
        let left_system = store.system(route.left_system).await?.name;
        Ok(Unpaired { left_system, left_end, right, settled, of_kind, own })
    }

    pub fn left<'a>(&'a self, kept: &'a Surveyed) -> Vec<Candidate<'a>> {
        candidates(self.of_kind[self.own].left_ids.iter().filter_map(|id| kept.by_id(id)), kept)
    }

    pub fn right(&self) -> Vec<Candidate<'_>> {
        candidates(self.of_kind[self.own].right_ids.iter().filter_map(|id| self.right.by_id(id)), &self.right)
    }

    /// What matching finds, with what a person said already, as places in these lists.
    pub fn found(&self, left: &[Candidate<'_>], right: &[Candidate<'_>]) -> Vec<(usize, usize, Evidence)> {
        let kept: Vec<Arc<Surveyed>> = self.of_kind.iter().map(|of| self.left_end.kept(of.lane.left_kind)).collect();
        let of_lanes: Vec<(Vec<&Artefact>, Vec<&Artefact>)> = self
            .of_kind
            .iter()
            .zip(&kept)
            .map(|(of, kept)| {
                let left = of.left_ids.iter().filter_map(|id| kept.by_id(id)).collect();
                (left, of.right_ids.iter().filter_map(|id| self.right.by_id(id)).collect())
            })
            .collect();
        let no_pairs = Pairs::default();
        let lanes: Vec<InLane<'_, '_>> = self
            .of_kind
            .iter()
            .zip(&of_lanes)
            .map(|(of, (left, right))| InLane {
                lane: &of.lane,
                left,
                right,
                pairs: &no_pairs,
                settled: &of.settled,
                asked: &of.asked,
            })
            .collect();
        let between = Between {
            left_system: &self.left_system,
            left_path: &|a| self.left_end.path(a).join(" / "),
            right_path: &|a| path_of(a, &self.right.paths).join(" / "),
        };
        let Counterparts { mut found, .. } = counterparts(between, &lanes).swap_remove(self.own);
        let at: HashMap<&str, usize> = right.iter().enumerate().map(|(n, c)| (c.artefact.id.as_str(), n)).collect();
        let one = |(n, c): (usize, &Candidate<'_>)| {
            let (other, evidence) = found.remove(c.artefact.id.as_str())?;
            Some((n, *at.get(other.id.as_str())?, evidence))
        };
        left.iter().enumerate().filter_map(one).collect()
    }

    /// What is at one end alone, as places in these lists: at the left, what nothing was found for and of which nobody said
    /// that there is none; at the right, what was found for nothing.
    pub fn alone(
        &self,
        left: &[Candidate<'_>],
        right: &[Candidate<'_>],
        found: &[(usize, usize, Evidence)],
    ) -> Ends<Vec<usize>> {
        let (lefts, rights): (HashSet<usize>, HashSet<usize>) = found.iter().map(|(l, r, _)| (*l, *r)).unzip();
        let without: HashSet<&str> =
            self.settled.iter().filter(|m| m.right_id.is_none()).map(|m| m.left_id.as_str()).collect();
        let at_left = |n: &usize| !lefts.contains(n) && !without.contains(left[*n].artefact.id.as_str());
        let at_right = |n: &usize| !rights.contains(n);
        Ends { left: (0..left.len()).filter(at_left).collect(), right: (0..right.len()).filter(at_right).collect() }
    }
}
