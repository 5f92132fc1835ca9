//! The ends of a route as last surveyed, and what its lanes cover of them.
//!
//! Decides nothing of its own: the core chooses, from what the surveys found. Everything that shows counts before a
//! dry run (line, scope, checks, previews) asks here, so that they agree with one another. Of each end the kinds are there that
//! lanes read at it.

use std::collections::{HashMap, HashSet};
use std::sync::{Arc, LazyLock};

use chrono::{DateTime, FixedOffset};
use hovrel_core::catalogue::Catalogue;
use hovrel_core::cover::{Chosen, Covered, choose_at_both};
use hovrel_core::model::{Artefact, End, Ends, Kind};
use hovrel_core::rules::Lane;
use hovrel_engine::path_of;
use hovrel_store::Route;
use tokio::task::block_in_place;

use crate::App;
use crate::cache::Surveyed;
use crate::problem::Problem;

pub struct SurveyedEnds {
    at: Ends<SurveyedEnd>,
    /// Lanes with the items that they have in pairs, by lane and the id at the end that it reads; where a kind is carried by one
    /// lane, nothing asks.
    carried: HashSet<(String, String)>,
    /// When it is asked: what conditions count days from.
    pub now: DateTime<FixedOffset>,
}

/// What was surveyed of the kinds that lanes read at an end; empty if the end was not surveyed.
#[derive(Default)]
pub struct SurveyedEnd {
    catalogue: Catalogue,
    kinds: HashMap<Kind, Arc<Surveyed>>,
}

impl SurveyedEnd {
    async fn of(app: &App, route: &Route, lanes: &[Lane], end: End) -> Result<SurveyedEnd, Problem> {
        let (store, (system, container)) = (&app.hub.store, route.end(end));
        let read: Vec<Kind> = lanes.iter().filter(|lane| lane.read() == end).map(|lane| lane.kind_at(end)).collect();
        if read.is_empty() {
            return Ok(SurveyedEnd::default());
        }
        let Some(survey) = store.survey(system, container).await? else { return Ok(SurveyedEnd::default()) };
        let mut kinds = HashMap::new();
        for kind in read {
            kinds.insert(kind, app.cache.as_of(store, survey.at, system, container, kind).await?);
        }
        Ok(SurveyedEnd { catalogue: serde_json::from_value(survey.catalogue)?, kinds })
    }

    /// Everything of a kind.
    pub fn kept(&self, kind: Kind) -> Arc<Surveyed> {
        self.kinds.get(&kind).cloned().unwrap_or_default()
    }

    pub fn artefacts(&self, kind: Kind) -> &[Artefact] {
        self.kinds.get(&kind).map_or(&[], |s| s.artefacts.as_slice())
    }

    /// Titles of folders by their ids, for artefacts of a kind.
    pub fn paths(&self, kind: Kind) -> &HashMap<String, Vec<String>> {
        static NONE: LazyLock<HashMap<String, Vec<String>>> = LazyLock::new(HashMap::new);
        self.kinds.get(&kind).map_or(&NONE, |s| &s.paths)
    }

    /// Titles of the folders above an artefact, outermost first.
    pub fn path(&self, artefact: &Artefact) -> &[String] {
        path_of(artefact, self.paths(artefact.kind))
    }
}

impl SurveyedEnds {
    /// What was surveyed of the kinds that lanes read.
    pub async fn of(app: &App, route: &Route, lanes: &[Lane]) -> Result<SurveyedEnds, Problem> {
        let ends = |l: &Lane| (l.left_kind, l.right_kind);
        let mut carried = HashSet::new();
        if lanes.iter().enumerate().any(|(n, l)| lanes[..n].iter().any(|before| ends(before) == ends(l))) {
            let read: HashMap<&str, End> = lanes.iter().map(|lane| (lane.id.as_str(), lane.read())).collect();
            let pairs = app.hub.store.pairs(route.id).await?.into_iter();
            carried.extend(pairs.map(|pair| match read.get(pair.lane.as_str()) {
                Some(End::Right) => (pair.lane, pair.right_id),
                _ => (pair.lane, pair.left_id),
            }));
        }
        let left = SurveyedEnd::of(app, route, lanes, End::Left).await?;
        let right = SurveyedEnd::of(app, route, lanes, End::Right).await?;
        Ok(SurveyedEnds { at: Ends { left, right }, carried, now: app.hub.now().fixed_offset() })
    }

    /// The end that a lane reads, or reads first.
    pub fn read_by(&self, lane: &Lane) -> &SurveyedEnd {
        &self.at[lane.read()]
    }

    /// What the lane of an id covers; none if there is no such lane.
    pub fn covered_by(&self, lanes: &[Lane], id: &str) -> Option<Covered<'_>> {
        let found = self.covered(lanes).into_iter().zip(lanes).find(|(_, lane)| lane.id == id);
        found.map(|(covered, _)| covered)
    }

    /// What each lane covers, in the order of the lanes. Of many items that takes its time, which others need not wait
    /// for.
    pub fn covered(&self, lanes: &[Lane]) -> Vec<Covered<'_>> {
        let items = Ends::of(|end| move |kind| self.at[end].artefacts(kind));
        let path = Ends::of(|end| move |artefact: &Artefact| self.at[end].path(artefact));
        let carried = |lane: &Lane, id: &str| self.carried.contains(&(lane.id.clone(), id.to_owned()));
        let of = Ends::of(|end| Chosen {
            end,
            catalogue: &self.at[end].catalogue,
            items: &items[end],
            path: &path[end],
            now: self.now,
            carried: &carried,
        });
        block_in_place(|| choose_at_both(lanes, of.as_ref()))
    }
}
