//! The left end of a route as last surveyed, and what its lanes cover of it.
//!
//! Decides nothing of its own: the core chooses, from what the surveys found. Everything that shows counts before a
//! dry run (line, scope, checks, previews) asks here, so that they agree with one another.

use std::collections::{HashMap, HashSet};
use std::sync::{Arc, LazyLock};

use chrono::{DateTime, FixedOffset};
use hovrel_core::catalogue::Catalogue;
use hovrel_core::cover::{Chosen, Covered, choose};
use hovrel_core::model::{Artefact, Kind};
use hovrel_core::rules::Lane;
use hovrel_engine::path_of;
use hovrel_store::Route;
use tokio::task::block_in_place;

use crate::App;
use crate::cache::Surveyed;
use crate::problem::Problem;

pub struct LeftEnd {
    catalogue: Catalogue,
    kinds: HashMap<Kind, Arc<Surveyed>>,
    /// Lanes with the left items that they have in pairs, by lane and id; where a kind is carried by one lane, nothing
    /// asks.
    carried: HashSet<(String, String)>,
    /// When it is asked: what conditions count days from.
    pub now: DateTime<FixedOffset>,
}

impl LeftEnd {
    /// What was surveyed of the kinds that lanes carry; empty if the end was not surveyed.
    pub async fn of(app: &App, route: &Route, lanes: &[Lane]) -> Result<LeftEnd, Problem> {
        let (store, system, container) = (&app.hub.store, route.left_system, &route.left_container);
        let now = app.hub.now().fixed_offset();
        let (mut kinds, mut carried) = (HashMap::new(), HashSet::new());
        let ends = |l: &Lane| (l.left_kind, l.right_kind);
        if lanes.iter().enumerate().any(|(n, l)| lanes[..n].iter().any(|before| ends(before) == ends(l))) {
            carried.extend(store.pairs(route.id).await?.into_iter().map(|p| (p.lane, p.left_id)));
        }
        let Some(survey) = store.survey(system, container).await? else {
            return Ok(LeftEnd { catalogue: Catalogue::default(), kinds, carried, now });
        };
        for kind in lanes.iter().map(|l| l.left_kind) {
            kinds.insert(kind, app.cache.as_of(store, survey.at, system, container, kind).await?);
        }
        Ok(LeftEnd { catalogue: serde_json::from_value(survey.catalogue)?, kinds, carried, now })
    }

    /// Everything of a kind; empty if the end was not surveyed.
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

    /// What the lane of an id covers; none if there is no such lane.
    pub fn covered_by(&self, lanes: &[Lane], id: &str) -> Option<Covered<'_>> {
        let found = self.covered(lanes).into_iter().zip(lanes).find(|(_, lane)| lane.id == id);
        found.map(|(covered, _)| covered)
    }

    /// What each lane covers, in the order of the lanes. Of many items that takes its time, which others need not wait
    /// for.
    pub fn covered(&self, lanes: &[Lane]) -> Vec<Covered<'_>> {
        let end = Chosen {
            catalogue: &self.catalogue,
            items: &|kind| self.artefacts(kind),
            path: &|artefact| self.path(artefact),
            now: self.now,
            carried: &|lane, id| self.carried.contains(&(lane.id.clone(), id.to_owned())),
        };
        block_in_place(|| choose(lanes, &end))
    }
}
