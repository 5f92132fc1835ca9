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
use hovrel_core::model::{Artefact, End, Ends, Kind, Value};
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

/// An item of the end that its lane reads, with what is, or may be, its counterpart at the other.
#[derive(Serialize, ToSchema)]
pub struct Matched {
    item: MatchItem,
    /// None if a person said that there is none.
    other: Option<MatchItem>,
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
    /// Items to which nothing at the other end is like.
    alone: Ends<u64>,
}

/// How many of each sort are listed; the counts are exact beyond that.
const LISTED: usize = 1000;

pub(super) fn lane_of(route: &Route, id: &str) -> Result<Lane, Problem> {
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    lanes.into_iter().find(|l| l.id == id).ok_or_else(|| Problem::missing("This lane"))
}

/// Items of a lane, of the end that it reads, that have no pair, with their likely counterparts.
#[utoipa::path(get, path = "/routes/{id}/matches/{lane}", operation_id = "listMatches",
    params(("id" = Uuid, Path), ("lane" = String, Path)),
    responses((status = 200, body = MatchList)))]
pub async fn list(State(app): State<App>, Path((id, lane)): Path<(Uuid, String)>) -> Result<Json<MatchList>, Problem> {
    let route = app.hub.store.route(id).await?;
    let lane = lane_of(&route, &lane)?;
    let open = Unpaired::of(&app, &route, &lane).await?;
    let kept = open.kept();
    let (from, there) = (open.from(&kept), open.there());
    let found = block_in_place(|| open.found(&from, &there));
    let alone = open.alone(&from, &there, &found).map(|list| list.len() as u64);
    let said_by = |n: usize| open.said_by.get(&from[n].artefact.id).cloned();
    let taken: HashSet<usize> = found.iter().map(|(l, ..)| *l).collect();
    let mut sorts: [Vec<Matched>; 3] = Default::default();
    for (l, r, evidence) in found {
        let (at, doubt) = match &evidence {
            Evidence::Similar(how) => (0, how.doubt()),
            Evidence::Settled => (1, 0),
            _ => (2, 0),
        };
        let (settled_by, settled_at) = said_by(l).filter(|_| at == 1).unzip();
        sorts[at].push(Matched {
            item: MatchItem::of(&from[l]),
            other: Some(MatchItem::of(&there[r])),
            evidence,
            doubt,
            settled_by: settled_by.flatten(),
            settled_at,
        });
    }
    let nobody = |n: &usize| open.settled.get(&from[*n].artefact.id).is_some_and(Option::is_none);
    for n in (0..from.len()).filter(|n| !taken.contains(n) && nobody(n)) {
        let (settled_by, settled_at) = said_by(n).unzip();
        sorts[1].push(Matched {
            item: MatchItem::of(&from[n]),
            other: None,
            evidence: Evidence::Settled,
            doubt: 0,
            settled_by: settled_by.flatten(),
            settled_at,
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
    /// The id of the item, at the end that the lane reads.
    item: String,
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

/// The likest items at the end that the lane writes that have no pair, likest first.
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
    let kept = open.kept();
    let (from, there) = (open.from(&kept), open.there());
    let one = from.iter().position(|c| c.artefact.id == query.item).ok_or_else(|| Problem::missing("This item"))?;
    let find = query.find.unwrap_or_default().trim().to_lowercase();
    let holds = |text: &str| text.to_lowercase().contains(&find);
    // Nobody is the counterpart of two.
    let of_others = open.settled.iter().filter(|(id, _)| **id != query.item);
    let claimed: HashSet<&str> = of_others.filter_map(|(_, other)| other.as_deref()).collect();
    let offered = |c: &Candidate<'_>| {
        !claimed.contains(c.artefact.id.as_str()) && (holds(&c.artefact.key) || holds(&c.artefact.title))
    };
    let found = block_in_place(|| likest(&from, one, &there, &offered, OFFERED));
    let offered = found.into_iter().map(|(n, likeness)| Other { item: MatchItem::of(&there[n]), likeness });
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
    /// What the item that is read becomes; none if it can't be transferred.
    becomes: Option<ValueDiff>,
    /// What the item that is written holds.
    there: ValueDiff,
    /// From what is there to what the other becomes.
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
    let names = Names::at_both(&app, &route).await?;
    let ids = Ends { left: query.left_id, right: query.right_id };
    let there = |end: End| {
        let found = names[end].found(lane.kind_at(end), &ids[end]);
        found.cloned().ok_or_else(|| Problem::missing("This item"))
    };
    let (read, written) = (lane.read(), lane.written());
    let (mut one, other) = ([there(read)?], there(written)?);
    let (system, container) = route.end(read);
    let shared = app.cache.get(&app.hub.store, system, container, Kind::SharedSteps).await?;
    let kept = app.cache.get(&app.hub.store, system, container, lane.kind_at(read)).await?;
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    hovrel_engine::prepare_items(&mut one, &lane, &lanes, &ends.catalogues, &shared.artefacts, &kept.paths);
    let assumed = Places::assumed();
    let Some(cx) = ends.context(&lane, &assumed) else { return Ok(Json(Vec::new())) };
    let kind = ends.catalogues[written].kind(lane.kind_at(written));
    let items = Ends::at(read, &one[0], &other);
    let fields = beside(&lane, &cx, items).into_iter().map(|f| {
        let to = names[written].refers_to(lane.kind_at(written), Some(&f.target));
        let named = |value: &Value| names[written].named(value, to, &names[read]);
        let (held, becomes) = (named(&f.there), f.becomes.as_ref().map(named));
        BesideAnswer {
            field_name: field_name(&f.target, kind),
            diff: becomes.as_ref().map(|value| diff(&held, value)),
            becomes: becomes.map(|value| diff(&value, &value)),
            there: diff(&held, &held),
            same: f.same,
        }
    });
    Ok(Json(fields.collect()))
}

/// What a person says of an item.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Said {
    /// This is the counterpart, by its id at the other end.
    Other(String),
    /// There is none: it is made anew.
    Nobody,
    /// Nothing: matching decides again.
    Open,
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Settle {
    /// The id of the item, at the end that the lane reads.
    item: String,
    said: Said,
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SettleBody {
    settle: Vec<Settle>,
}

/// Keeps what a person says of items of the end that the lane reads; all of it or nothing.
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
    let kept = open.kept();
    let from: HashSet<String> = open.from(&kept).iter().map(|c| c.artefact.id.clone()).collect();
    let there: HashSet<String> = open.there().iter().map(|c| c.artefact.id.clone()).collect();
    let about: HashSet<&str> = body.settle.iter().map(|s| s.item.as_str()).collect();
    let elsewhere = open.settled.iter().filter(|(id, _)| !about.contains(id.as_str()));
    let mut claimed: HashMap<String, String> =
        elsewhere.filter_map(|(id, other)| Some((other.clone()?, id.clone()))).collect();
    let (mut faults, mut settled, mut opened) = (Vec::new(), Vec::new(), Vec::new());
    for (n, Settle { item: item_id, said }) in body.settle.into_iter().enumerate() {
        let mut fault = |field: &str, detail: String| {
            faults.push(FieldProblem { pointer: format!("/settle/{n}/{field}"), detail });
        };
        if !from.contains(&item_id) {
            fault("item", "the lane covers no item of this id that has no pair".into());
        }
        let other_id = match said {
            Said::Open => {
                opened.push(item_id);
                continue;
            }
            Said::Nobody => None,
            Said::Other(other_id) => {
                if !there.contains(&other_id) {
                    let end = lane.written().id();
                    fault("said", format!("there is no such item at the {end}, or it has a pair already"));
                }
                if let Some(other) = claimed.insert(other_id.clone(), item_id.clone()) {
                    let key = kept.by_id(&other).map_or(other.clone(), |a| a.key.clone());
                    fault("said", format!("it is already the counterpart of {key}; clear that decision first"));
                }
                Some(other_id)
            }
        };
        settled.push(NewMatch { item_id, other_id, settled_by: session.person.id });
    }
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    app.hub.store.settle_matches(id, (&lane.id, lane.read()), &settled, &opened).await?;
    Ok(StatusCode::NO_CONTENT)
}
