//! The record: what was written outside, and what people chose, page by page.

use std::collections::HashMap;

use axum::extract::State;
use axum::{Extension, Json};
use chrono::{DateTime, Utc};
use hovrel_core::diff::{ValueDiff, diff};
use hovrel_core::model::{End, Kind, Value};
use hovrel_store::{RecordFilter, RecordLine};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::called::{Called, kind_of};
use super::words::field_name;
use crate::App;
use crate::access::Reach;
use crate::problem::Problem;
use crate::query::Query;

/// What a line of the record is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum RecordedWhat {
    /// An item was made.
    Item,
    /// A field was written.
    Field,
    /// A file, a comment, a link or a move.
    Call,
    /// A person chose what becomes of a conflict.
    Choice,
}

/// Why a line of the record was written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum RecordedWhy {
    /// The item was made.
    Made,
    /// The other end's value was transferred.
    Carried,
    /// Both edits were put together.
    Merged,
    /// A person chose it for a conflict.
    Chosen,
    /// Both ends were edited, and the policy of the lane chose it.
    Policy,
    ChoseLeft,
    ChoseRight,
    ChoseMerge,
    ChoseDifferent,
    /// A choice was taken back.
    Reopened,
}

/// Which lines.
#[derive(Debug, Default, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct RecordQuery {
    route: Option<Uuid>,
    /// The id of an item at the left.
    left_id: Option<String>,
    /// What was written at this end.
    end: Option<End>,
    /// How a key begins.
    find: Option<String>,
    /// `next` of the page before.
    after: Option<i64>,
    limit: Option<i64>,
}

/// A line of the record.
#[derive(Serialize, ToSchema)]
pub struct Recorded {
    id: i64,
    at: DateTime<Utc>,
    route: Uuid,
    /// Empty if the route was removed.
    route_name: String,
    /// The transfer; none of what a person chose.
    job: Option<Uuid>,
    /// Who chose; none of what a transfer wrote.
    by: Option<String>,
    kind: Kind,
    left_id: String,
    left_key: String,
    right_key: String,
    end: Option<End>,
    what: RecordedWhat,
    why: RecordedWhy,
    /// What the field is called, or which call it was; empty of an item.
    field_name: String,
    /// From what stood there to what stands there since.
    change: Option<ValueDiff>,
}

#[derive(Serialize, ToSchema)]
pub struct RecordPage {
    items: Vec<Recorded>,
    next: Option<i64>,
}

const PAGE: i64 = 100;

/// What was written outside and what people chose, the latest first; for a key, of the routes that it is for.
#[utoipa::path(get, path = "/record", operation_id = "listRecord", params(RecordQuery),
    responses((status = 200, body = RecordPage)))]
pub async fn list(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Query(query): Query<RecordQuery>,
) -> Result<Json<RecordPage>, Problem> {
    let filter = RecordFilter {
        routes: reach.routes(query.route),
        left_id: query.left_id,
        written_end: query.end,
        find: query.find.map(|f| f.trim().to_owned()).unwrap_or_default(),
    };
    let limit = query.limit.unwrap_or(PAGE).clamp(1, 500);
    let lines = app.hub.store.list_record(&filter, query.after, limit).await?;
    let next = lines.last().filter(|_| lines.len() as i64 == limit).map(|line| line.id);
    let called = Called::of(&app, lines.iter().map(|line| line.route_id)).await?;
    // A made item has all of its fields behind its hash: a list does not show them.
    let of_fields = lines.iter().filter(|line| line.what == "field");
    let hashes: Vec<Vec<u8>> = of_fields.flat_map(|l| [l.before.clone(), l.after.clone()]).flatten().collect();
    let mut values: HashMap<Vec<u8>, Value> = HashMap::new();
    for (hash, body) in app.hub.store.snapshots(&hashes).await? {
        values.insert(hash, serde_json::from_value(body)?);
    }
    let items = lines.into_iter().map(|line| shown(line, &called, &values)).collect::<Result<_, _>>()?;
    Ok(Json(RecordPage { items, next }))
}

fn shown(line: RecordLine, called: &Called, values: &HashMap<Vec<u8>, Value>) -> Result<Recorded, Problem> {
    let end = line.written_end.as_deref().and_then(End::of_id);
    let what: RecordedWhat = serde_json::from_value(line.what.into())?;
    let lane = called.lane(line.route_id, &line.lane);
    let names = called.names(line.route_id);
    let at = end.or(lane.map(|lane| lane.written())).unwrap_or(End::Right);
    let slot = line.slot.unwrap_or_default();
    let kind = lane.map(|lane| lane.kind_at(at));
    let field_name = match (what, names, kind) {
        (RecordedWhat::Field | RecordedWhat::Choice, Some(names), Some(kind)) => {
            field_name(&slot, names[at].catalogue.kind(kind))
        }
        _ => slot.clone(),
    };
    let value = |hash: &Option<Vec<u8>>| {
        let value = hash.as_ref().and_then(|hash| values.get(hash)).unwrap_or(&Value::Empty);
        match (names, kind) {
            (Some(names), Some(kind)) => {
                let end = &names[at];
                end.named(value, end.refers_to(kind, Some(&slot)), &names[at.other()])
            }
            _ => value.clone(),
        }
    };
    let change = (what == RecordedWhat::Field).then(|| diff(&value(&line.before), &value(&line.after)));
    Ok(Recorded {
        route_name: called.route(line.route_id),
        kind: kind_of(&line.kind)?,
        why: serde_json::from_value(line.why.into())?,
        id: line.id,
        at: line.at,
        route: line.route_id,
        job: line.job_id,
        by: line.by,
        left_id: line.left_id,
        left_key: line.left_key,
        right_key: line.right_key,
        end,
        what,
        field_name,
        change,
    })
}
