//! Where routes stand: what each of the six stops says of itself.
//!
//! Many routes are told with as many queries as one. What takes long is computed once: what a route covers and what its
//! rules have to settle for a version of the route and the surveys of its ends, and how many pairs it has for where its
//! last transfer is, since nothing else makes pairs.

use std::collections::{HashMap, HashSet};
use std::sync::Mutex;

use chrono::{DateTime, Utc};
use hovrel_core::cover::{Covered, count_once};
use hovrel_core::model::{End, Kind};
use hovrel_core::rules::Lane;
use hovrel_store::{JobKind, JobState, Route, SurveyHead, System};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::jobs::JobAnswer;
use super::plans::PlanFigure;
use super::systems::{CheckStepAnswer, StepState};
use crate::App;
use crate::problem::Problem;
use crate::surveyed::SurveyedEnds;

#[derive(Serialize, ToSchema)]
pub struct RouteEnd {
    pub system: Uuid,
    pub system_name: String,
    pub container: String,
    pub container_name: String,
    pub surveyed_at: Option<DateTime<Utc>>,
    /// Whether the last check of the system found no failed step; none if it was never checked.
    pub healthy: Option<bool>,
    pub checked_at: Option<DateTime<Utc>>,
}

/// A route and where it stands.
#[derive(Serialize, ToSchema)]
pub struct RouteAnswer {
    pub id: Uuid,
    pub name: String,
    pub version: i32,
    pub updated_at: DateTime<Utc>,
    pub left: RouteEnd,
    pub right: RouteEnd,
    pub lanes: Vec<Lane>,
    /// Other routes to whose items links lead; links to what none of them carried lead back to the left.
    pub follows: Vec<Uuid>,
    pub scope: ScopeFigure,
    pub rules: RulesFigure,
    pub plan: Option<PlanFigure>,
    pub dry_run: Option<JobAnswer>,
    pub transfer: Option<JobAnswer>,
    pub proof: Option<ProofFigure>,
    /// Pairs remembered.
    pub pairs: i64,
    /// Conflicts that nobody has decided about.
    pub open_conflicts: i64,
    /// Conflicts that are decided about, and that no transfer has carried out.
    pub settled_conflicts: i64,
}

#[derive(Clone, Copy, Serialize, ToSchema)]
pub struct ScopeFigure {
    pub matched: u64,
    pub total: u64,
}

#[derive(Clone, Copy, Serialize, ToSchema)]
pub struct RulesFigure {
    pub count: u64,
    pub to_settle: u64,
}

#[derive(Serialize, ToSchema)]
pub struct ProofFigure {
    pub id: Uuid,
    pub differences: i32,
    /// Items that wait for a person or for the next transfer.
    pub waits: i32,
    /// Fields and items that differ without a reason that is known.
    pub unexplained: i32,
    pub at: DateTime<Utc>,
}

/// When an end was surveyed, and when what it can hold was read; none if it was not surveyed.
type Read = Option<(DateTime<Utc>, DateTime<Utc>)>;

/// What figures were computed from: the version of the route, what its ends were, and the minute if time is asked about.
type Basis = (i32, [Read; 2], Option<i64>);

/// Where the last transfer of a route was: which, its state and its progress. None if there was none.
type Carried = Option<(Uuid, JobState, serde_json::Value)>;

/// The figures of routes as last computed.
#[derive(Default)]
pub struct Figures {
    of_rules: Mutex<HashMap<Uuid, (Basis, ScopeFigure, RulesFigure)>>,
    pairs: Mutex<HashMap<Uuid, (Carried, i64)>>,
}

impl Figures {
    /// How many pairs routes have, by where their last transfers are.
    async fn pairs(&self, app: &App, carried: HashMap<Uuid, Carried>) -> Result<HashMap<Uuid, i64>, Problem> {
        let known = |route: &Uuid, at: &Carried| {
            let kept = self.pairs.lock().unwrap_or_else(|e| e.into_inner());
            kept.get(route).filter(|(of, _)| of == at).map(|(_, pairs)| *pairs)
        };
        let mut pairs: HashMap<Uuid, i64> =
            carried.iter().filter_map(|(route, at)| Some((*route, known(route, at)?))).collect();
        let unknown: Vec<Uuid> = carried.keys().filter(|route| !pairs.contains_key(*route)).copied().collect();
        if unknown.is_empty() {
            return Ok(pairs);
        }
        let counted: HashMap<Uuid, i64> = app.hub.store.count_pairs(&unknown).await?.into_iter().collect();
        let mut kept = self.pairs.lock().unwrap_or_else(|e| e.into_inner());
        for (route, at) in carried {
            let count = counted.get(&route).copied().unwrap_or_default();
            let count = *pairs.entry(route).or_insert(count);
            kept.insert(route, (at, count));
        }
        Ok(pairs)
    }

    /// What a route covers, and what its rules have to settle.
    async fn of(
        &self,
        app: &App,
        route: &Route,
        lanes: &[Lane],
        ends: [Read; 2],
    ) -> Result<(ScopeFigure, RulesFigure), Problem> {
        // What counts days from now is another thing tomorrow.
        let minute = lanes.iter().any(Lane::depends_on_now).then(|| app.hub.now().timestamp() / 60);
        let basis = (route.version, ends, minute);
        let kept = self.of_rules.lock().unwrap_or_else(|e| e.into_inner()).get(&route.id).copied();
        if let Some((_, scope, rules)) = kept.filter(|(of, ..)| *of == basis) {
            return Ok((scope, rules));
        }
        let surveyed = SurveyedEnds::of(app, route, lanes).await?;
        let covered = surveyed.covered(lanes);
        let faults = super::rules::faults(app, route, lanes, &surveyed, &covered).await?;
        // A kind that several lanes carry is counted once.
        let mut kinds = HashSet::<(End, Kind)>::new();
        let first = |lane: &&Lane| kinds.insert((lane.read(), lane.kind_at(lane.read())));
        let of_kinds = lanes
            .iter()
            .filter(first)
            .map(|lane| surveyed.read_by(lane).artefacts(lane.kind_at(lane.read())).len() as u64);
        let scope = ScopeFigure { matched: count_once(covered.iter().flat_map(Covered::all)), total: of_kinds.sum() };
        let rules =
            RulesFigure { count: lanes.iter().map(|l| l.rules.len() as u64).sum(), to_settle: faults.len() as u64 };
        self.of_rules.lock().unwrap_or_else(|e| e.into_inner()).insert(route.id, (basis, scope, rules));
        Ok((scope, rules))
    }
}

fn end(systems: &[System], heads: &[SurveyHead], system: Uuid, container: &str) -> Result<(RouteEnd, Read), Problem> {
    let system = systems.iter().find(|s| s.id == system).ok_or_else(|| Problem::missing("The system"))?;
    let head = heads.iter().find(|h| h.system_id == system.id && h.container == container);
    let steps: Option<Vec<CheckStepAnswer>> = system.check_steps.clone().map(serde_json::from_value).transpose()?;
    let end = RouteEnd {
        healthy: steps.map(|s| !s.iter().any(|s| matches!(s.state, StepState::Failed))),
        checked_at: system.checked_at,
        system: system.id,
        system_name: system.name.clone(),
        container: container.to_owned(),
        container_name: head.map_or_else(|| container.to_owned(), |h| h.container_name.clone()),
        surveyed_at: head.map(|h| h.at),
    };
    Ok((end, head.map(|h| (h.at, h.catalogue_at))))
}

/// Where routes stand, in their order.
pub async fn answers(app: &App, routes: Vec<Route>) -> Result<Vec<RouteAnswer>, Problem> {
    let store = &app.hub.store;
    let ids: Vec<Uuid> = routes.iter().map(|r| r.id).collect();
    let (systems, heads) = (store.systems().await?, store.survey_heads().await?);
    let jobs = store.latest_jobs(&ids).await?;
    let latest = store.latest_plans(&ids).await?;
    let of_plans: Vec<Uuid> = latest.iter().map(|p| p.route_id).collect();
    let mut plans: HashMap<Uuid, PlanFigure> = of_plans.into_iter().zip(PlanFigure::of(app, latest).await?).collect();
    let proofs = store.latest_proofs(&ids).await?;
    let carried = |route: &Uuid| {
        let transfer = jobs.iter().find(|j| j.route_id == Some(*route) && j.kind == JobKind::Transfer);
        (*route, transfer.map(|j| (j.id, j.state, j.progress.clone())))
    };
    let pairs = app.figures.pairs(app, ids.iter().map(carried).collect()).await?;
    let conflicts = store.count_conflicts(&ids).await?;
    let mut out = Vec::with_capacity(routes.len());
    for route in routes {
        let standing = |state: &str| {
            let found = conflicts.iter().find(|(of, s, _)| *of == route.id && s == state);
            found.map_or(0, |(.., count)| *count)
        };
        let (open_conflicts, settled_conflicts) = (standing("open"), standing("settled"));
        let (left, left_basis) = end(&systems, &heads, route.left_system, &route.left_container)?;
        let (right, right_basis) = end(&systems, &heads, route.right_system, &route.right_container)?;
        let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
        let (scope, rules) = app.figures.of(app, &route, &lanes, [left_basis, right_basis]).await?;
        let job = |kind: JobKind| {
            let found = jobs.iter().find(|j| j.route_id == Some(route.id) && j.kind == kind);
            found.cloned().map(JobAnswer::of)
        };
        let proof = proofs.iter().find(|p| p.route_id == route.id);
        out.push(RouteAnswer {
            rules,
            scope,
            plan: plans.remove(&route.id),
            dry_run: job(JobKind::DryRun),
            transfer: job(JobKind::Transfer),
            proof: proof.map(|p| ProofFigure {
                id: p.id,
                differences: p.differences,
                waits: p.waits,
                unexplained: p.unexplained,
                at: p.at,
            }),
            pairs: pairs.get(&route.id).copied().unwrap_or_default(),
            open_conflicts,
            settled_conflicts,
            id: route.id,
            name: route.name,
            version: route.version,
            updated_at: route.updated_at,
            left,
            right,
            lanes,
            follows: route.follows.into_iter().flatten().collect(),
        });
    }
    Ok(out)
}

/// Where one route stands.
pub async fn answer(app: &App, id: Uuid) -> Result<RouteAnswer, Problem> {
    let route = app.hub.store.route(id).await?;
    answers(app, vec![route]).await?.pop().ok_or_else(|| Problem::missing("The route"))
}
