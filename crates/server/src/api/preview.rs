//! What rules make of one real item while a person works on them: on their way there, and of an edit that comes back.
//! Nothing here is saved.

use axum::Json;
use axum::extract::State;
use hovrel_core::carry::{NotTried, can_be_typed, convert, source_value, try_return};
use hovrel_core::diff::{ValueDiff, diff};
use hovrel_core::model::{Artefact, End, Ends, Kind, Slot, Value};
use hovrel_core::prepare::join_deep;
use hovrel_core::rules::{Fill, Lane, RuleId, Source};
use hovrel_engine::{Places, RouteEnds, path_of};
use hovrel_store::Route;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::losses::LossDetail;
use super::names::Names;
use super::rules::{ends, with_lane};
use super::scope::ScopeItem;
use crate::App;
use crate::body::Body;
use crate::path::Path;
use crate::problem::Problem;
use crate::surveyed::SurveyedEnds;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PreviewBody {
    lane: Lane,
    /// Which of the items in scope, from 0.
    at: u64,
    /// Or the item with this key.
    key: Option<String>,
}

#[derive(Serialize, ToSchema)]
pub struct Preview {
    /// How many items are in scope.
    total: u64,
    at: u64,
    item: Option<ScopeItem>,
    values: Vec<PreviewValue>,
}

/// What a rule makes of the item.
#[derive(Serialize, ToSchema)]
pub struct PreviewValue {
    rule: RuleId,
    from: String,
    becomes: String,
    losses: Vec<LossDetail>,
    /// Why the value can't be transferred.
    fault: Option<String>,
}

/// One of the items that a lane covers, as its rules take it.
struct Tried {
    /// How many there are.
    total: u64,
    /// Which of them it is.
    at: u64,
    /// The item with both ends; none if the lane covers nothing, or an end was not surveyed yet.
    found: Option<(RouteEnds, Artefact)>,
}

/// The item that rules are tried on: the one with a key, or the one at a place.
async fn tried(
    app: &App,
    route: &Route,
    lanes: &[Lane],
    surveyed: &SurveyedEnds,
    (lane, at, key): (&Lane, u64, Option<&str>),
) -> Result<Tried, Problem> {
    let items = surveyed.covered_by(lanes, &lane.id).map(|covered| covered.all()).unwrap_or_default();
    let by_key = key.and_then(|key| items.iter().position(|a| a.key == key));
    let at = by_key.unwrap_or(at as usize).min(items.len().saturating_sub(1));
    let nothing = Tried { total: items.len() as u64, at: at as u64, found: None };
    let (Some(ends), Some(artefact)) = (ends(app, route).await?, items.get(at)) else { return Ok(nothing) };
    let (read, written) = (lane.read(), lane.written());
    let (system, container) = route.end(read);
    let shared = app.cache.get(&app.hub.store, system, container, Kind::SharedSteps).await?;
    let mut one = [(*artefact).clone()];
    let there = ends.catalogues[written].kind(lane.kind_at(written));
    if let Some(levels) = there.and_then(|kind| kind.max_depth) {
        let mut tree = surveyed.read_by(lane).artefacts(lane.kind_at(read)).to_vec();
        join_deep(&mut tree, levels);
        one = tree.into_iter().find(|f| f.id == artefact.id).map_or(one, |found| [found]);
    }
    let paths = surveyed.read_by(lane).paths(lane.kind_at(read));
    hovrel_engine::prepare_items(&mut one, lane, lanes, &ends.catalogues, &shared.artefacts, paths);
    let [artefact] = one;
    Ok(Tried { found: Some((ends, artefact)), ..nothing })
}

/// Applies a lane's rules to one real item.
#[utoipa::path(post, path = "/routes/{id}/preview", operation_id = "previewLane", params(("id" = Uuid, Path)), request_body = PreviewBody,
    responses((status = 200, body = Preview)))]
pub async fn preview(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<PreviewBody>,
) -> Result<Json<Preview>, Problem> {
    let route = app.hub.store.route(id).await?;
    let lanes = with_lane(&route, &body.lane)?;
    let surveyed = SurveyedEnds::of(&app, &route, &lanes).await?;
    let (read, written) = (body.lane.read(), body.lane.written());
    let paths = surveyed.read_by(&body.lane).paths(body.lane.kind_at(read));
    let Tried { total, at, found } =
        tried(&app, &route, &lanes, &surveyed, (&body.lane, body.at, body.key.as_deref())).await?;
    let empty = Preview { total, at: 0, item: None, values: Vec::new() };
    let Some((ends, artefact)) = &found else { return Ok(Json(empty)) };
    let places = Places::assumed();
    let Some(cx) = ends.context(&body.lane, &places) else { return Ok(Json(empty)) };
    let names = Names::at_both(&app, &route).await?;
    // A folder is shown by its path, and people and items by their names, not by their ids.
    let (from_names, to_names) = (&names[read], &names[written]);
    let shown = |v: &Value, names: &Names, kind: Kind| match v {
        Value::Reference(reference) => {
            paths.get(reference.id()).map_or_else(|| reference.id().to_owned(), |p| p.join(" / "))
        }
        Value::Steps(steps) if steps.len() == 1 => "1 step".to_owned(),
        Value::Steps(steps) => format!("{} steps", steps.len()),
        other => names.named(other, kind, from_names).display(),
    };
    let from = |fill: &Fill| {
        let field = if let Source::Field(field) = &fill.source { Some(field.as_str()) } else { None };
        let kind = from_names.refers_to(body.lane.kind_at(read), field);
        source_value(fill, artefact, &ends.systems[read]).map(|v| shown(&v, from_names, kind)).unwrap_or_default()
    };
    let values = body.lane.filling().map(|(id, fill)| {
        let converted = convert(fill, artefact, &cx);
        let to = to_names.refers_to(body.lane.kind_at(written), Some(&fill.target));
        PreviewValue {
            rule: id.clone(),
            from: from(fill),
            becomes: converted.value.as_ref().map(|v| shown(v, to_names, to)).unwrap_or_default(),
            losses: converted.losses.iter().map(LossDetail::of).collect(),
            fault: converted.fault.map(|f| hovrel_words::fault(written, &f)),
        }
    });
    Ok(Json(Preview {
        total,
        at,
        item: Some(ScopeItem::of(artefact, path_of(artefact, paths), false)),
        values: values.collect(),
    }))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReturnBody {
    lane: Lane,
    /// Which of the items in scope, from 0.
    at: u64,
    /// The rule that goes both ways.
    rule: RuleId,
    /// What somebody makes of the value at the right; without it an edit is made up.
    #[serde(default)]
    typed: Option<String>,
}

/// What comes back of an edit at the right.
#[derive(Serialize, ToSchema)]
pub struct Return {
    /// What the right holds, as text.
    held: String,
    /// Whether people can type such a value on a line.
    can_be_typed: bool,
    /// The edit that is tried; none if there is none.
    edit: Option<ValueDiff>,
    /// What it makes of what the left holds; none if that is nothing.
    comes_back: Option<ValueDiff>,
    losses: Vec<LossDetail>,
    /// Why nothing comes back, or nothing was tried.
    why_not: Option<String>,
}

/// Tries an edit at the right on one real item: what a rule that goes both ways makes of it at the left.
#[utoipa::path(post, path = "/routes/{id}/preview/return", operation_id = "previewReturn", params(("id" = Uuid, Path)),
    request_body = ReturnBody, responses((status = 200, body = Return)))]
pub async fn preview_return(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<ReturnBody>,
) -> Result<Json<Return>, Problem> {
    let route = app.hub.store.route(id).await?;
    let lanes = with_lane(&route, &body.lane)?;
    let surveyed = SurveyedEnds::of(&app, &route, &lanes).await?;
    let Tried { found, .. } = tried(&app, &route, &lanes, &surveyed, (&body.lane, body.at, None)).await?;
    let lane = body.lane.with_ways_back();
    let rule = lane.rules.iter().find(|rule| rule.id == body.rule);
    let slot = |end: End| rule.and_then(|rule| rule.fill(end)).map(|fill| &fill.target);
    let at_right = found.as_ref().and_then(|(ends, _)| ends.catalogues.right.kind(lane.right_kind));
    let field = slot(End::Right).and_then(|slot| at_right?.field(slot));
    // Where something was typed that is no such value, something else can be.
    let can_be_typed = field.is_some_and(|field| can_be_typed(field.value_type));
    let nothing = |why: &str| Return {
        held: String::new(),
        can_be_typed,
        edit: None,
        comes_back: None,
        losses: Vec::new(),
        why_not: Some(why.to_owned()),
    };
    let Some((ends, artefact)) = found else { return Ok(Json(nothing("there is no item to try it on"))) };
    let places = Places::assumed();
    let into = |end: End| ends.context_into(end, &lane, &places);
    let (Some(at_left), Some(at_right)) = (into(End::Left), into(End::Right)) else {
        return Ok(Json(nothing("one of the ends has no items of this kind")));
    };
    let cx = Ends { left: &at_left, right: &at_right };
    let tried = match try_return((&lane, &body.rule), &artefact, cx, body.typed.as_deref()) {
        Ok(tried) => tried,
        Err(NotTried::NothingGoesBack) => return Ok(Json(nothing("nothing of this item goes there and back"))),
        Err(NotTried::NoSuchValue(of)) => return Ok(Json(nothing(&format!("this is no {}", of.word())))),
        Err(NotTried::NoEdit(of)) => return Ok(Json(nothing(&format!("no edit is made up for {}", of.word())))),
    };
    let Ends { left: left_names, right: right_names } = Names::at_both(&app, &route).await?;
    let at_left = |v: &Value| {
        left_names.named(v, left_names.refers_to(lane.left_kind, slot(End::Left).map(Slot::id)), &left_names)
    };
    let at_right = |v: &Value| {
        right_names.named(v, right_names.refers_to(lane.right_kind, slot(End::Right).map(Slot::id)), &left_names)
    };
    Ok(Json(Return {
        held: at_right(&tried.held).display(),
        can_be_typed,
        edit: Some(diff(&at_right(&tried.held), &at_right(&tried.edited))),
        comes_back: tried.back.value.as_ref().map(|back| diff(&at_left(&tried.before), &at_left(back))),
        losses: tried.back.losses.iter().map(LossDetail::of).collect(),
        why_not: tried.back.fault.as_ref().map(|f| hovrel_words::fault(lane.read(), f)),
    }))
}
