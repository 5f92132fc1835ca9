//! A field made at the end that is written for what has no place there: proposed, and made when a person says so.
//!
//! The one thing that a route's screens write outside before a transfer: rules can't be checked against a field that
//! is not there.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema, NewField};
use hovrel_core::model::{End, Ends, Kind, ValueType};
use hovrel_core::suggest::field_like;
use hovrel_engine::EngineError;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::rules::end_schema;
use crate::App;
use crate::body::Body;
use crate::path::Path;
use crate::problem::{FieldProblem, Problem};
use crate::query::Query;

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct LikeQuery {
    /// The end at which it would be made.
    end: End,
    left_kind: Kind,
    right_kind: Kind,
    /// The field of the other end that has no place there.
    field: String,
}

fn not_surveyed() -> Problem {
    Problem::not_now("Both ends must be surveyed before a field is made.", "Survey them at the Ends stop.")
}

fn kind_of(catalogue: &Catalogue, kind: Kind) -> Result<&KindSchema, Problem> {
    catalogue.kind(kind).ok_or_else(|| Problem::missing("This kind"))
}

/// The field that would be made at an end for one of the other; none if it makes none that could hold it.
#[utoipa::path(get, path = "/routes/{id}/new-field", operation_id = "proposeField", params(("id" = Uuid, Path), LikeQuery),
    responses((status = 200, body = Option<NewField>)))]
pub async fn propose(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<LikeQuery>,
) -> Result<Json<Option<NewField>>, Problem> {
    let route = app.hub.store.route(id).await?;
    let left = end_schema(&app, route.left_system, &route.left_container).await?.ok_or_else(not_surveyed)?;
    let right = end_schema(&app, route.right_system, &route.right_container).await?.ok_or_else(not_surveyed)?;
    let at = Ends { left: (&left, query.left_kind), right: (&right, query.right_kind) };
    let ((from, kind), (to, kind_there)) = (at[query.end.other()], at[query.end]);
    let source = kind_of(&from.catalogue, kind)?.field(&query.field);
    let source = source.ok_or_else(|| Problem::missing("This field"))?;
    let met = from.survey.kind(kind).and_then(|k| k.field(&query.field));
    Ok(Json(field_like(source, met, kind_of(&to.catalogue, kind_there)?)))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewFieldBody {
    /// The end at which it is made.
    end: End,
    kind: Kind,
    field: NewField,
}

fn faults(field: &NewField, kind: &KindSchema) -> Vec<FieldProblem> {
    let mut out = Vec::new();
    let mut fault =
        |pointer: &str, detail: String| out.push(FieldProblem { pointer: format!("/field/{pointer}"), detail });
    let same = |f: &&FieldSchema| f.name.to_lowercase() == field.name.trim().to_lowercase();
    if field.name.trim().is_empty() {
        fault("name", "a name is needed".into());
    } else if let Some(there) = kind.fields.iter().find(same) {
        fault("name", format!("there is a field “{}” already", there.name));
    }
    if !kind.makes.contains(&field.value_type) {
        fault("value_type", format!("{} of this type can't be added to {}", field.value_type.word(), kind.name));
    }
    if field.value_type == ValueType::Choice && field.allowed.is_empty() {
        fault("allowed", "a choice needs values".into());
    }
    out
}

/// Adds a field to a kind at an end, at once, and reads what that end can hold anew. Answers with the field.
#[utoipa::path(post, path = "/routes/{id}/new-field", operation_id = "makeField", params(("id" = Uuid, Path)), request_body = NewFieldBody,
    responses((status = 201, body = FieldSchema)))]
pub async fn make(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<NewFieldBody>,
) -> Result<Response, Problem> {
    let route = app.hub.store.route(id).await?;
    let (system, container) = route.end(body.end);
    let system = app.hub.store.system(system).await?;
    let known = end_schema(&app, system.id, container).await?.ok_or_else(not_surveyed)?;
    let wrong = faults(&body.field, kind_of(&known.catalogue, body.kind)?);
    if !wrong.is_empty() {
        return Err(Problem::fields(wrong));
    }
    let connector = app.hub.connect(&system)?;
    let failed = |error| EngineError::System { system: system.name.clone(), error };
    let field = NewField { name: body.field.name.trim().to_owned(), ..body.field };
    let made = connector.make_field(container, body.kind, &field).await.map_err(failed)?;
    let now = connector.catalogue(container).await.map_err(failed)?;
    app.hub.store.keep_catalogue(system.id, container, &serde_json::to_value(&now)?).await?;
    tracing::info!(system = system.name, field = field.name, "a field was added");
    let field = kind_of(&now, body.kind)?.field(&made).cloned().ok_or_else(|| Problem::missing("The new field"))?;
    Ok((StatusCode::CREATED, Json(field)).into_response())
}
