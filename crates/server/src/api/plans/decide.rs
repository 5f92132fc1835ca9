//! Decisions about a plan: a change included or left out, field by field, all that match a filter, all that are like one
//! another; each can be undone until the plan is transferred.

use std::sync::Arc;

use axum::extract::State;
use axum::{Extension, Json};
use hovrel_core::model::{End, Ends, Kind, Slot};
use hovrel_core::plan::{Brief, Change, Decision, FieldChange, FieldDecision, FieldReason, Outcome};
use hovrel_core::rehearse::{Pace, Refusal, RefusalReason, Rehearsal, Target, play_at_both};
use hovrel_core::rules::Lane;
use hovrel_engine::PlanSummary;
use hovrel_store::{Decided, Session};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::begin::still_open;
use super::detail::{ChangeDetail, detail};
use super::listed::ChangeQuery;
use super::read::{Read, first_contact, read};
use crate::App;
use crate::api::names::Names;
use crate::body::Body;
use crate::path::Path;
use crate::problem::Problem;

#[derive(Default, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DecisionBody {
    included: Option<bool>,
    /// For a likely match: create a new item instead.
    as_new: Option<bool>,
    /// For an item that is gone: let the pair go instead of creating it again. It is not listed again.
    let_go: Option<bool>,
    /// Fields decided now; others stay as decided.
    #[serde(default)]
    fields: std::collections::BTreeMap<Slot, FieldDecision>,
}

/// Decides about a change: included or left out, whole or field by field.
#[utoipa::path(patch, path = "/plans/{id}/changes/{seq}", operation_id = "decideChange", params(("id" = Uuid, Path), ("seq" = u32, Path)),
    request_body = DecisionBody, responses((status = 200, body = ChangeDetail)))]
pub async fn decide(
    State(app): State<App>,
    Extension(session): Extension<Session>,
    Path((id, seq)): Path<(Uuid, u32)>,
    Body(body): Body<DecisionBody>,
) -> Result<Json<ChangeDetail>, Problem> {
    still_open(&app, id).await?;
    let before = read(app.hub.store.change(id, seq as i32).await?)?;
    let decision = decided(&before.change, before.decision.clone(), body)?;
    let stage = Stage::of(&app, id).await?;
    app.hub.store.decide(id, session.person.id, &[stage.kept(before, &decision)?]).await?;
    Ok(Json(detail(&app, id, seq).await?))
}

const NOT_WRITTEN: &str = "this lane does not write that end";

/// A decision with what is decided now.
fn decided(change: &Change, mut decision: Decision, body: DecisionBody) -> Result<Decision, Problem> {
    let can_t =
        matches!(change.outcome, Outcome::Blocked | Outcome::InStep | Outcome::Unreadable | Outcome::TakenOff(_))
            || (change.outcome.is_absent() && change.as_new.is_empty() && !body.let_go.unwrap_or(decision.let_go));
    if can_t && body.included == Some(true) {
        return Err(Problem::not_now(
            "Nothing can be written for this item as it stands.",
            "See its reason, correct it, and make a new dry run.",
        ));
    }
    if let Some(as_new) = body.as_new {
        if as_new && change.as_new.is_empty() {
            return Err(Problem::field(
                "/as_new",
                "only a likely match that waits for a decision, or an item that is gone at the right, can be created again",
            ));
        }
        decision.as_new = as_new;
        decision.let_go &= !as_new;
        decision.fields.clear();
        decision.included = true;
    }
    if let Some(let_go) = body.let_go {
        if let_go && !change.outcome.is_absent() {
            return Err(Problem::field("/let_go", "only a pair that lacks one of its items can be let go"));
        }
        decision.let_go = let_go;
        decision.as_new &= !let_go;
        decision.included = let_go;
    }
    let known = if decision.as_new { &change.as_new } else { &change.fields };
    // An end that is not written first is decided about only where the rule of the field carries both ways.
    let carries_back = |field: &str| known.iter().any(|k| k.field == *field && k.back.is_some());
    let other_end = |d: &FieldDecision| d.end().is_some_and(|end| end != change.written);
    if let Some((field, _)) = body.fields.iter().find(|(field, d)| other_end(d) && !carries_back(field)) {
        return Err(Problem::field(&format!("/fields/{field}"), NOT_WRITTEN));
    }
    let refused = |(field, d): &(&Slot, &FieldDecision)| {
        let FieldDecision::Write(end) = d else { return false };
        known.iter().any(|k| k.field == **field && k.written_into(*end, change.written).is_none())
    };
    if let Some((field, _)) = body.fields.iter().find(refused) {
        let why = "what the other end holds can't be written there; see why at the field, and decide otherwise";
        return Err(Problem::field(&format!("/fields/{field}"), why));
    }
    let has_merge = |field: &str| known.iter().any(|k| k.field == *field && k.merge.is_some());
    let apart = |(field, d): &(&Slot, &FieldDecision)| **d == FieldDecision::Merge && !has_merge(field);
    if let Some((field, _)) = body.fields.iter().find(apart) {
        let why = "both edits are merged only where they are in different parts of a text or a list";
        return Err(Problem::field(&format!("/fields/{field}"), why));
    }
    let unknown: Vec<_> = body.fields.keys().filter(|f| !known.iter().any(|k| k.field == **f)).collect();
    if let Some(field) = unknown.first() {
        return Err(Problem::field(&format!("/fields/{field}"), "this change has no such field"));
    }
    // Deciding about a field of an item that was left out means that the item is wanted.
    let wants = body.fields.values().any(|d| *d != FieldDecision::Leave);
    decision.fields.extend(body.fields);
    decision.included = body.included.unwrap_or(decision.included || wants);
    Ok(decision)
}

/// What the ends would say to changes whose decisions are changed, and what they cost then. What a plan makes before
/// them counts as made; what the rehearsal of the whole found of that stays.
struct Stage {
    lanes: Vec<Lane>,
    targets: Ends<Arc<Target>>,
    /// What each end allows.
    paces: Ends<Pace>,
}

impl Stage {
    async fn of(app: &App, plan: Uuid) -> Result<Stage, Problem> {
        let plan = app.hub.store.plan(plan).await?;
        let route = app.hub.store.route(plan.route_id).await?;
        let Ends { left, right } = Names::at_both(app, &route).await?;
        let summary: PlanSummary = serde_json::from_value(plan.summary)?;
        let targets = Ends { left: left.target(), right: right.target() };
        Ok(Stage { lanes: serde_json::from_value(plan.lanes)?, targets, paces: summary.paces.unwrap_or_default() })
    }

    /// What the ends would say to a change as it is decided, and the calls that it costs.
    fn played(&self, before: &Read, decision: &Decision) -> (Vec<Refusal>, Ends<f64>) {
        let change = &before.change;
        let policy = first_contact(&self.lanes, &change.lane);
        let mut stages = self.targets.as_ref().map(|target| Rehearsal::at(target.clone()).alone());
        let links_back = before.links_back && !decision.let_go;
        play_at_both(&mut stages, self.paces.as_ref(), (change, decision, policy), links_back)
    }

    fn kept(&self, before: Read, decision: &Decision) -> Result<Decided, Problem> {
        let change = &before.change;
        let policy = first_contact(&self.lanes, &change.lane);
        // What waits for other items costs more, and only the whole plan says which of them are there by then: the cost
        // that was found with it changes by what this decision changes.
        let (_, was) = self.played(&before, &before.decision);
        let (mut refusals, now) = self.played(&before, decision);
        let of_the_whole =
            |r: &Refusal| matches!(r.reason, RefusalReason::Waits { .. } | RefusalReason::TooDeep { .. });
        refusals.extend(before.refusals.into_iter().filter(of_the_whole));
        Ok(Decided {
            seq: change.seq as i32,
            decision: serde_json::to_value(decision)?,
            included: decision.included,
            refusals: serde_json::to_value(refusals)?,
            open: Brief::of(change).conflicts_open(decision, policy) as i32,
            right_calls: before.calls.right + now.right - was.right,
            left_calls: before.calls.left + now.left - was.left,
        })
    }
}

/// A decision about one field of every change that is like another.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct AlikeBody {
    /// A field that the plan's rules fill.
    field: String,
    /// Why the field is in the change: only changes that have it for the same reason.
    reason: FieldReason,
    kind: Kind,
    decision: FieldDecision,
    /// Only says how many there are.
    #[serde(default)]
    only_count: bool,
}

/// Changes are read so many at a time.
const PART: i64 = 200;

/// Decides the same about a field of all changes that wait for this decision for the same reason; or says how many there
/// are.
#[utoipa::path(post, path = "/plans/{id}/decide", operation_id = "decideAlike", params(("id" = Uuid, Path)), request_body = AlikeBody,
    responses((status = 200, body = Included)))]
pub async fn decide_alike(
    State(app): State<App>,
    Extension(session): Extension<Session>,
    Path(id): Path<Uuid>,
    Body(body): Body<AlikeBody>,
) -> Result<Json<Included>, Problem> {
    still_open(&app, id).await?;
    let may = match body.decision {
        FieldDecision::Write(end) => body.reason.can_be_decided(end) && body.reason.may_be_written(end),
        FieldDecision::Keep(end) => body.reason.can_be_decided(end),
        FieldDecision::Merge => body.reason == FieldReason::Merged,
        FieldDecision::Leave => End::BOTH.into_iter().any(|end| body.reason.can_be_decided(end)),
    };
    if !may {
        return Err(Problem::field("/decision", "a field that is there for this reason can't be decided so"));
    }
    let stage = Stage::of(&app, id).await?;
    let of_kind = |l: &&Lane| l.left_kind == body.kind;
    if let Some(end) = body.decision.end()
        && stage.lanes.iter().filter(of_kind).all(|l| !l.direction.writes(end))
    {
        return Err(Problem::field("/decision", NOT_WRITTEN));
    }
    let query = ChangeQuery::of_field(&body.field, body.kind);
    let filter = query.filter(&stage.lanes)?;
    let (mut after, mut found, mut all) = (-1, 0, Vec::new());
    loop {
        let rows = app.hub.store.matching_changes(id, &filter, after, PART).await?;
        let Some(last) = rows.last() else { break };
        after = last.seq;
        for row in rows {
            let before = read(row)?;
            let (change, decision) = (&before.change, &before.decision);
            let policy = first_contact(&stage.lanes, &change.lane);
            let waits = |f: &FieldChange| {
                f.field == body.field
                    && f.reason == body.reason
                    && body.decision.end().is_none_or(|end| end == change.written || f.back.is_some())
                    && decision.field(f, policy, change.written) != body.decision
            };
            if decision.as_new || !change.fields.iter().any(waits) {
                continue;
            }
            found += 1;
            if body.only_count {
                continue;
            }
            let fields = [(body.field.as_str().into(), body.decision)].into_iter().collect();
            let decision = decided(change, decision.clone(), DecisionBody { fields, ..DecisionBody::default() })?;
            all.push(stage.kept(before, &decision)?);
        }
    }
    let changed = match all.is_empty() {
        true => found,
        false => app.hub.store.decide(id, session.person.id, &all).await?,
    };
    Ok(Json(Included { changed: changed as u64 }))
}

/// Undoes the latest decision about a plan, with all that it changed.
#[utoipa::path(post, path = "/plans/{id}/undo", operation_id = "undoDecision", params(("id" = Uuid, Path)),
    responses((status = 200, body = Included)))]
pub async fn undo(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<Included>, Problem> {
    app.hub.store.plan(id).await?;
    still_open(&app, id).await?;
    match app.hub.store.undo_decision(id).await? {
        Some(changed) => Ok(Json(Included { changed: changed as u64 })),
        None => {
            Err(Problem::not_now("Nothing was decided that could be undone.", "The plan is as the dry run made it."))
        }
    }
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct IncludeBody {
    #[serde(default)]
    filter: ChangeQuery,
    included: bool,
}

#[derive(Serialize, ToSchema)]
pub struct Included {
    changed: u64,
}

/// Includes or leaves out every change that matches a filter.
#[utoipa::path(post, path = "/plans/{id}/include", operation_id = "includeChanges", params(("id" = Uuid, Path)), request_body = IncludeBody,
    responses((status = 200, body = Included)))]
pub async fn include(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<IncludeBody>,
) -> Result<Json<Included>, Problem> {
    still_open(&app, id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(app.hub.store.plan(id).await?.lanes)?;
    let filter = body.filter.filter(&lanes)?;
    let changed = app.hub.store.include_matching(id, &filter, body.included).await?;
    Ok(Json(Included { changed: changed as u64 }))
}
