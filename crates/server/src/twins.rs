//! The unpaired items of a lane at both ends, and what is known to be one: from the last surveys.
//!
//! Decides nothing of its own: the core matches. Suggestions learn from what is known, and people review the rest.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use chrono::{DateTime, Utc};
use hovrel_core::base::Pairs;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::cover::Covered;
use hovrel_core::identity::{
    Asked, Between, Candidate, Counterparts, Evidence, InLane, Looking, PathOf, Settled, counterparts,
    match_first_contact,
};
use hovrel_core::model::{Artefact, End, Ends, Kind};
use hovrel_core::rules::{Lane, Matching};
use hovrel_core::suggest::Twins;
use hovrel_engine::{asked_by_lane, path_of, settled_by_lane};
use hovrel_store::{PairRow, Route, SettledMatch};
use uuid::Uuid;

use crate::App;
use crate::cache::Surveyed;
use crate::problem::Problem;
use crate::surveyed::SurveyedEnds;

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
        let systems =
            Ends { left: store.system(left.system).await?.name, right: store.system(right.system).await?.name };
        let sure = Matching::default().sure_only();
        let looking = Looking {
            systems: systems.as_ref().map(String::as_str),
            read: End::Left,
            matching: &sure,
            settled: &Settled::new(),
            asked: &Asked::new(),
        };
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
    systems: Ends<String>,
    pub surveyed: SurveyedEnds,
    /// What was surveyed at the end that is written, of the kind of the lane.
    pub there: Arc<Surveyed>,
    /// What a person said of items of the end that is read.
    pub settled: Settled,
    /// By whom it was said, and when, by item.
    pub said_by: HashMap<String, (Option<String>, DateTime<Utc>)>,
    /// The lanes that fill the same kind, in the order of the route, each with what it covers and has no pair for.
    of_kind: Vec<FreeOfLane>,
    /// Which of them is asked about.
    own: usize,
}

struct FreeOfLane {
    lane: Lane,
    /// The ids of the items that it covers at the end that is read, and at the one that is written.
    from: Vec<String>,
    there: Vec<String>,
    settled: Settled,
    asked: Asked,
}

impl Unpaired {
    pub async fn of(app: &App, route: &Route, lane: &Lane) -> Result<Unpaired, Problem> {
        let store = &app.hub.store;
        let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
        let surveyed = SurveyedEnds::of(app, route, &lanes).await?;
        let (read, written) = (lane.read(), lane.written());
        let (system, container) = route.end(written);
        let there = app.cache.get(store, system, container, lane.kind_at(written)).await?;
        let survey = store.survey(system, container).await?;
        let holds: Catalogue = survey.map(|s| serde_json::from_value(s.catalogue)).transpose()?.unwrap_or_default();
        let pairs = store.pairs(route.id).await?;
        let rows = store.settled_matches(route.id).await?;
        let of_lane = rows.iter().filter(|m| m.lane == lane.id);
        let by = |m: &SettledMatch| (m.settled_by.clone(), m.settled_at);
        let said_by = of_lane.filter_map(|m| match m.item_end == read {
            true => Some((m.item_id.clone(), by(m))),
            false => Some((m.other_id.clone()?, by(m))),
        });
        let said_by = said_by.collect();
        let mut said = settled_by_lane(rows, &lanes);
        let mut asked = asked_by_lane(store.asked_matches(route.id).await?, &lanes);
        let now = surveyed.now;
        let covered = surveyed.covered(&lanes);
        let fills_the_same = |l: &Lane| l.written() == written && l.kind_at(written) == lane.kind_at(written);
        let fill: Vec<(&Lane, Covered<'_>)> = lanes.iter().zip(covered).filter(|(l, _)| fills_the_same(l)).collect();
        let names: HashSet<&str> = fill.iter().map(|(l, _)| l.id.as_str()).collect();
        let id_at = |pair: &PairRow, end: End| match end {
            End::Left => pair.left_id.clone(),
            End::Right => pair.right_id.clone(),
        };
        let of_them = pairs.iter().filter(|p| names.contains(p.lane.as_str()));
        let there_paired: HashSet<String> = of_them.map(|p| id_at(p, written)).collect();
        let mut of_kind = Vec::new();
        for (of, covered) in fill {
            let here = pairs.iter().filter(|p| p.lane == of.id);
            let paired: HashSet<String> = here.map(|p| id_at(p, read)).collect();
            let from = covered.all().into_iter().map(|a| &a.id).filter(|id| !paired.contains(*id));
            let in_scope = holds.kind(of.kind_at(written)).map_or_else(Vec::new, |kind| {
                hovrel_engine::in_scope(&there.artefacts, of.scope_at(written), kind, &there.paths, now)
            });
            let free = in_scope.into_iter().map(|a| &a.id).filter(|id| !there_paired.contains(*id));
            of_kind.push(FreeOfLane {
                from: from.cloned().collect(),
                there: free.cloned().collect(),
                settled: said.remove(&of.id).unwrap_or_default(),
                asked: asked.remove(&of.id).unwrap_or_default(),
                lane: of.clone(),
            });
        }
        let own = of_kind.iter().position(|of| of.lane.id == lane.id).ok_or_else(|| Problem::missing("The lane"))?;
        let settled = of_kind[own].settled.clone();
        let left = store.system(route.left_system).await?.name;
        let right = store.system(route.right_system).await?.name;
        Ok(Unpaired { systems: Ends { left, right }, surveyed, there, settled, said_by, of_kind, own })
    }

    /// The items of the end that is read.
    pub fn from<'a>(&'a self, kept: &'a Surveyed) -> Vec<Candidate<'a>> {
        candidates(self.of_kind[self.own].from.iter().filter_map(|id| kept.by_id(id)), kept)
    }

    /// What was surveyed at the end that is read, of the kind of the lane.
    pub fn kept(&self) -> Arc<Surveyed> {
        self.kept_for(&self.of_kind[self.own].lane)
    }

    fn kept_for(&self, lane: &Lane) -> Arc<Surveyed> {
        self.surveyed.read_by(lane).kept(lane.kind_at(lane.read()))
    }

    /// The items of the end that is written.
    pub fn there(&self) -> Vec<Candidate<'_>> {
        candidates(self.of_kind[self.own].there.iter().filter_map(|id| self.there.by_id(id)), &self.there)
    }

    /// What matching finds, with what a person said already, as places in these lists.
    pub fn found(&self, from: &[Candidate<'_>], there: &[Candidate<'_>]) -> Vec<(usize, usize, Evidence)> {
        let kept: Vec<Arc<Surveyed>> = self.of_kind.iter().map(|of| self.kept_for(&of.lane)).collect();
        let of_lanes: Vec<(Vec<&Artefact>, Vec<&Artefact>)> = self
            .of_kind
            .iter()
            .zip(&kept)
            .map(|(of, kept)| {
                let from = of.from.iter().filter_map(|id| kept.by_id(id)).collect();
                (from, of.there.iter().filter_map(|id| self.there.by_id(id)).collect())
            })
            .collect();
        let no_pairs = Pairs::default();
        let lanes: Vec<InLane<'_, '_>> = self
            .of_kind
            .iter()
            .zip(&of_lanes)
            .map(|(of, (from, there))| InLane {
                lane: &of.lane,
                covered: Ends::at(of.lane.read(), from, there),
                pairs: &no_pairs,
                settled: &of.settled,
                asked: &of.asked,
            })
            .collect();
        let lane = &self.of_kind[self.own].lane;
        let path_from = |a: &Artefact| self.surveyed.read_by(lane).path(a).join(" / ");
        let path_there = |a: &Artefact| path_of(a, &self.there.paths).join(" / ");
        let paths: Ends<&PathOf<'_>> = Ends::at(lane.read(), &path_from, &path_there);
        let between = Between { systems: self.systems.as_ref().map(String::as_str), paths };
        let Counterparts { mut found, .. } = counterparts(between, &lanes).swap_remove(self.own);
        let at: HashMap<&str, usize> = there.iter().enumerate().map(|(n, c)| (c.artefact.id.as_str(), n)).collect();
        let one = |(n, c): (usize, &Candidate<'_>)| {
            let (other, evidence) = found.remove(c.artefact.id.as_str())?;
            Some((n, *at.get(other.id.as_str())?, evidence))
        };
        from.iter().enumerate().filter_map(one).collect()
    }

    /// What is at one end alone, as places in these lists: at the end that is read, what nothing was found for and of which nobody
    /// said that there is none; at the other, what was found for nothing.
    pub fn alone(
        &self,
        from: &[Candidate<'_>],
        there: &[Candidate<'_>],
        found: &[(usize, usize, Evidence)],
    ) -> Ends<Vec<usize>> {
        let (found_from, found_there): (HashSet<usize>, HashSet<usize>) =
            found.iter().map(|(l, r, _)| (*l, *r)).unzip();
        let is_without = |n: &usize| self.settled.get(&from[*n].artefact.id).is_some_and(Option::is_none);
        let of_from = (0..from.len()).filter(|n| !found_from.contains(n) && !is_without(n)).collect();
        let of_there = (0..there.len()).filter(|n| !found_there.contains(n)).collect();
        Ends::at(self.of_kind[self.own].lane.read(), of_from, of_there)
    }
}
