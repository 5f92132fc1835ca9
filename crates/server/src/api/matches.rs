//! Adoption: who is the counterpart of whom, before anything is written. Found by matching, settled by people; what
//! they said holds for every dry run to come.

use std::collections::{HashMap, HashSet};

use axum::extract::State;
use axum::http::StatusCode;
use axum::{Extension, Json};
use chrono::{DateTime, Utc};
use hovrel_core::compare::beside;
use hovrel_core::diff::{ValueDiff, diff};
use hovrel_core::identity::{Candidate, Evidence, Likeness, likest};
use hovrel_core::model::{Artefact, Ends};
use hovrel_core::rules::Lane;
use hovrel_engine::Places;
use hovrel_store::{NewMatch, Route, Session};
use serde::{Deserialize, Serialize};
use tokio::task::block_in_place;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::names::Names;
use super::words::field_name;
use crate::App;
use crate::body::Body;
use crate::path::Path;
use crate::problem::{FieldProblem, Problem};
use crate::query::Query;
use crate::twins::Unpaired;

/// An item at one end.
#[derive(Clone, Serialize, ToSchema)]
pub struct MatchItem {
    id: String,
    key: String,
    title: String,
    path: String,
}

impl MatchItem {
    pub(super) fn of(found: &Candidate<'_>) -> MatchItem {
        let Artefact { id, key, title, .. } = found.artefact;
        MatchItem { id: id.clone(), key: key.clone(), title: title.clone(), path: found.path.clone() }
    }
}

/// A left item with what is, or may be, its counterpart.
#[derive(Serialize, ToSchema)]
pub struct Matched {
    left: MatchItem,
    /// None if a person said that there is none.
    right: Option<MatchItem>,
    evidence: Evidence,
    /// How much there is to doubt, from 0; only for what is alike.
    doubt: u8,
    settled_by: Option<String>,
    settled_at: Option<DateTime<Utc>>,
}

/// What matching finds in a lane.
#[derive(Serialize, ToSchema)]
pub struct MatchList {
    /// Alike, for a person to say; the most doubtful first.
    doubtful: Vec<Matched>,
    settled: Vec<Matched>,
    /// Taken as one unless a person says no.
    sure: Vec<Matched>,
    doubtful_count: u64,
    settled_count: u64,
    sure_count: u64,
    /// Left items to which nothing at the right is like.
    alone: Ends<u64>,
}

/// How many of each sort are listed; the counts are exact beyond that.
const LISTED: usize = 1000;

pub(super) fn lane_of(route: &Route, id: &str) -> Result<Lane, Problem> {
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    lanes.into_iter().find(|l| l.id == id).ok_or_else(|| Problem::missing("This lane"))
}

/// Left items of a lane that have no pair, with their likely counterparts.
#[utoipa::path(get, path = "/routes/{id}/matches/{lane}", operation_id = "listMatches",
    params(("id" = Uuid, Path), ("lane" = String, Path)),
    responses((status = 200, body = MatchList)))]
pub async fn list(State(app): State<App>, Path((id, lane)): Path<(Uuid, String)>) -> Result<Json<MatchList>, Problem> {
    let route = app.hub.store.route(id).await?;
    let lane = lane_of(&route, &lane)?;
    let open = Unpaired::of(&app, &route, &lane).await?;
    let kept = open.left_end.kept(lane.left_kind);
    let (left, right) = (open.left(&kept), open.right());
    let found = block_in_place(|| open.found(&left, &right));
    let alone = open.alone(&left, &right, &found).map(|list| list.len() as u64);
    let said: HashMap<&str, _> = open.settled.iter().map(|m| (m.left_id.as_str(), m)).collect();
    let taken: HashSet<usize> = found.iter().map(|(l, ..)| *l).collect();
    let mut sorts: [Vec<Matched>; 3] = Default::default();
    for (l, r, evidence) in found {
        let (at, doubt) = match &evidence {
            Evidence::Similar(how) => (0, how.doubt()),
            Evidence::Settled => (1, 0),
            _ => (2, 0),
        };
        let who = said.get(left[l].artefact.id.as_str()).filter(|_| at == 1);
        sorts[at].push(Matched {
            left: MatchItem::of(&left[l]),
            right: Some(MatchItem::of(&right[r])),
            evidence,
            doubt,
            settled_by: who.and_then(|m| m.settled_by.clone()),
            settled_at: who.map(|m| m.settled_at),
        });
    }
    let nobody = |n: &usize| said.get(left[*n].artefact.id.as_str()).filter(|m| m.right_id.is_none());
    let without: Vec<usize> = (0..left.len()).filter(|n| !taken.contains(n) && nobody(n).is_some()).collect();
    for n in &without {
        sorts[1].push(Matched {
            left: MatchItem::of(&left[*n]),
            right: None,
            evidence: Evidence::Settled,
            doubt: 0,
            settled_by: nobody(n).and_then(|m| m.settled_by.clone()),
            settled_at: nobody(n).map(|m| m.settled_at),
        });
    }
    sorts[0].sort_by_key(|m| std::cmp::Reverse(m.doubt));
    // The latest first: what was just said is what a person may want to take back.
    sorts[1].sort_by_key(|m| std::cmp::Reverse(m.settled_at));
    let [doubtful_count, settled_count, sure_count] = [0, 1, 2].map(|n| sorts[n].len() as u64);
    let [doubtful, settled, sure] = sorts.map(|mut list| {
        list.truncate(LISTED);
        list
    });
    Ok(Json(MatchList { doubtful, settled, sure, doubtful_count, settled_count, sure_count, alone }))
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct OthersQuery {
    left_id: String,
    /// Only those whose key or title contains this.
    find: Option<String>,
}

/// An item that could be the counterpart.
#[derive(Serialize, ToSchema)]
pub struct Other {
    item: MatchItem,
    likeness: Likeness,
}

/// As many as there are digits to choose by.
const OFFERED: usize = 9;

/// The likest items at the right that have no pair, likest first.
#[utoipa::path(get, path = "/routes/{id}/matches/{lane}/others", operation_id = "otherMatches",
    params(("id" = Uuid, Path), ("lane" = String, Path), OthersQuery),
    responses((status = 200, body = Vec<Other>)))]
pub async fn others(
    State(app): State<App>,
    Path((id, lane)): Path<(Uuid, String)>,
    Query(query): Query<OthersQuery>,
) -> Result<Json<Vec<Other>>, Problem> {
    let route = app.hub.store.route(id).await?;
    let lane = lane_of(&route, &lane)?;
    let open = Unpaired::of(&app, &route, &lane).await?;
    let kept = open.left_end.kept(lane.left_kind);
    let (left, right) = (open.left(&kept), open.right());
    let one = left.iter().position(|c| c.artefact.id == query.left_id).ok_or_else(|| Problem::missing("This item"))?;
    let find = query.find.unwrap_or_default().trim().to_lowercase();
    let holds = |text: &str| text.to_lowercase().contains(&find);
    // Nobody is the counterpart of two.
    let of_others = open.settled.iter().filter(|m| m.left_id != query.left_id);
    let claimed: HashSet<&str> = of_others.filter_map(|m| m.right_id.as_deref()).collect();
    let offered = |c: &Candidate<'_>| {
        !claimed.contains(c.artefact.id.as_str()) && (holds(&c.artefact.key) || holds(&c.artefact.title))
    };
    let found = block_in_place(|| likest(&left, one, &right, &offered, OFFERED));
    let offered = found.into_iter().map(|(n, likeness)| Other { item: MatchItem::of(&right[n]), likeness });
    Ok(Json(offered.collect()))
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct BesideQuery {
    left_id: String,
    right_id: String,
}

/// A field of two items, side by side.
#[derive(Serialize, ToSchema)]
pub struct BesideAnswer {
    field_name: String,
    /// What the left becomes; none if it can't be transferred.
    left: Option<ValueDiff>,
    right: ValueDiff,
    /// From what the right holds to what the left becomes.
    diff: Option<ValueDiff>,
    same: bool,
}

/// Two items as the lane's rules see them.
#[utoipa::path(get, path = "/routes/{id}/matches/{lane}/beside", operation_id = "besideMatch",
    params(("id" = Uuid, Path), ("lane" = String, Path), BesideQuery),
    responses((status = 200, body = Vec<BesideAnswer>)))]
pub async fn side_by_side(
    State(app): State<App>,
    Path((id, lane)): Path<(Uuid, String)>,
    Query(query): Query<BesideQuery>,
) -> Result<Json<Vec<BesideAnswer>>, Problem> {
    let route = app.hub.store.route(id).await?;
    let lane = lane_of(&route, &lane)?;
    let Some(ends) = super::rules::ends(&app, &route).await? else { return Ok(Json(Vec::new())) };
    let left_names = Names::of(&app, route.left_system, &route.left_container).await?;
    let right_names = Names::of(&app, route.right_system, &route.right_container).await?;
    let there =
        |names: &Names, kind, id: &str| names.found(kind, id).cloned().ok_or_else(|| Problem::missing("This item"));
    let mut one = [there(&left_names, lane.left_kind, &query.left_id)?];
    let right = there(&right_names, lane.right_kind, &query.right_id)?;
    let shared =
        app.cache.get(&app.hub.store, route.left_system, &route.left_container, hovrel_core::model::Kind::SharedSteps);
    let shared = shared.await?;
    let kept = app.cache.get(&app.hub.store, route.left_system, &route.left_container, lane.left_kind).await?;
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    hovrel_engine::prepare_items(&mut one, &lane, &lanes, &ends.catalogues, &shared.artefacts, &kept.paths);
    let assumed = Places::assumed();
    let Some(cx) = ends.context(&lane, &assumed) else { return Ok(Json(Vec::new())) };
    let kind = ends.catalogues.right.kind(lane.right_kind);
    let fields = beside(&lane, &cx, &one[0], &right).into_iter().map(|f| {
        let to = right_names.refers_to(lane.right_kind, Some(&f.target));
        let held = right_names.named(&f.right, to, &left_names);
        let left = f.left.map(|v| right_names.named(&v, to, &left_names));
        BesideAnswer {
            field_name: field_name(&f.target, kind),
            diff: left.as_ref().map(|l| diff(&held, l)),
            left: left.map(|l| diff(&l, &l)),
            right: diff(&held, &held),
            same: f.same,
        }
    });
    Ok(Json(fields.collect()))
}

/// What a person says of a left item.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Said {
    /// This is the counterpart.
    Right(String),
    /// There is none: it is made anew.
    Nobody,
    /// Nothing: matching decides again.
    Open,
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Settle {
    left_id: String,
    said: Said,
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SettleBody {
    settle: Vec<Settle>,
}

/// Keeps what a person says of left items; all of it or nothing.
#[utoipa::path(put, path = "/routes/{id}/matches/{lane}", operation_id = "settleMatches",
    params(("id" = Uuid, Path), ("lane" = String, Path)), request_body = SettleBody,
    responses((status = 204)))]
pub async fn settle(
    State(app): State<App>,
    Extension(session): Extension<Session>,
    Path((id, lane)): Path<(Uuid, String)>,
    Body(body): Body<SettleBody>,
) -> Result<StatusCode, Problem> {
    let route = app.hub.store.route(id).await?;
    let lane = lane_of(&route, &lane)?;
    let open = Unpaired::of(&app, &route, &lane).await?;
    let kept = open.left_end.kept(lane.left_kind);
    let lefts: HashSet<String> = open.left(&kept).iter().map(|c| c.artefact.id.clone()).collect();
    let rights: HashSet<String> = open.right().iter().map(|c| c.artefact.id.clone()).collect();
    let about: HashSet<&str> = body.settle.iter().map(|s| s.left_id.as_str()).collect();
    let elsewhere = open.settled.iter().filter(|m| !about.contains(m.left_id.as_str()));
    let mut claimed: HashMap<String, String> =
        elsewhere.filter_map(|m| Some((m.right_id.clone()?, m.left_id.clone()))).collect();
    let (mut faults, mut settled, mut opened) = (Vec::new(), Vec::new(), Vec::new());
    for (n, Settle { left_id, said }) in body.settle.into_iter().enumerate() {
        let mut fault = |field: &str, detail: String| {
            faults.push(FieldProblem { pointer: format!("/settle/{n}/{field}"), detail });
        };
        if !lefts.contains(&left_id) {
            fault("left_id", "the lane covers no item of this id that has no pair".into());
        }
        let right_id = match said {
            Said::Open => {
                opened.push(left_id);
                continue;
            }
            Said::Nobody => None,
            Said::Right(right) => {
                if !rights.contains(&right) {
                    fault("said", "there is no such item at the right, or it has a pair already".into());
                }
                if let Some(other) = claimed.insert(right.clone(), left_id.clone()) {
                    let key = kept.by_id(&other).map_or(other.clone(), |a| a.key.clone());
                    fault("said", format!("it is already the counterpart of {key}; clear that decision first"));
                }
                Some(right)
            }
        };
        let (lane, settled_by) = (lane.id.clone(), session.person.id);
        settled.push(NewMatch { route_id: id, lane, left_id, right_id, settled_by });
    }
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    app.hub.store.settle_matches(id, &lane.id, &settled, &opened).await?;
    Ok(StatusCode::NO_CONTENT)
}
