//! The ledger of a transfer: the losses that it recorded and that still stand, page by page, and by what they are.

use axum::Json;
use axum::extract::State;
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::reconcile::ProofLoss;
use hovrel_store::{LossFilter, LossPlace, LossRow};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::losses::LossDetail;
use crate::App;
use crate::path::Path;
use crate::problem::Problem;
use crate::query::Query;

/// One loss that happened.
#[derive(Serialize, ToSchema)]
pub struct LedgerLine {
    left_key: String,
    right_key: String,
    foreseen: bool,
    loss: LossDetail,
}

impl LedgerLine {
    pub fn unforeseen(l: &ProofLoss) -> LedgerLine {
        let (left_key, right_key) = (l.left_key.clone(), l.right_key.clone());
        LedgerLine { left_key, right_key, foreseen: false, loss: LossDetail::of(&l.loss) }
    }
}

/// Which losses.
#[derive(Debug, Default, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct LossQuery {
    field: Option<String>,
    kind: Option<LossKind>,
    /// A cause as [`LossGroups`] names it.
    cause: Option<String>,
    #[serde(default)]
    not_foreseen: bool,
    /// Words of a key, or of what was there.
    find: Option<String>,
    /// `next` of the page before.
    after: Option<String>,
    limit: Option<i64>,
}

#[derive(Serialize, ToSchema)]
pub struct LossPage {
    items: Vec<LedgerLine>,
    /// How many match.
    total: i64,
    next: Option<String>,
}

const PAGE: i64 = 200;

fn place_of(row: &LossRow) -> Result<String, Problem> {
    let place: LossPlace = (row.lane.clone(), row.left_key.clone(), row.left_id.clone(), row.field.clone(), row.n);
    Ok(serde_json::to_string(&place)?)
}

/// What an answer gave, and is asked for again.
pub(super) fn given<T: DeserializeOwned>(name: &str, text: &str) -> Result<T, Problem> {
    serde_json::from_str(text).map_err(|_| Problem::field(name, "it is not what an answer gave"))
}

/// The losses that a transfer put into the ledger and that still stand, in the order of lanes and items.
#[utoipa::path(get, path = "/jobs/{id}/losses", operation_id = "listLosses", params(("id" = Uuid, Path), LossQuery),
    responses((status = 200, body = LossPage)))]
pub async fn list(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<LossQuery>,
) -> Result<Json<LossPage>, Problem> {
    app.hub.store.job(id).await?;
    let after: Option<LossPlace> = query.after.map(|text| given("/after", &text)).transpose()?;
    let filter = LossFilter {
        field: query.field,
        kind: query.kind.map(serde_json::to_value).transpose()?.and_then(|k| k.as_str().map(str::to_owned)),
        cause: query.cause.map(|text| given("/cause", &text)).transpose()?,
        not_foreseen: query.not_foreseen,
        find: query.find.filter(|f| !f.trim().is_empty()),
    };
    let limit = query.limit.unwrap_or(PAGE).clamp(1, 500);
    let (rows, total) = app.hub.store.losses_of_transfer(id, &filter, after.as_ref(), limit).await?;
    let next = rows.last().filter(|_| rows.len() as i64 == limit).map(place_of).transpose()?;
    let line = |row: LossRow| {
        let loss: Loss = serde_json::from_value(row.body)?;
        let (left_key, right_key, foreseen) = (row.left_key, row.right_key, row.foreseen);
        Ok(LedgerLine { left_key, right_key, foreseen, loss: LossDetail::of(&loss) })
    };
    Ok(Json(LossPage { items: rows.into_iter().map(line).collect::<Result<_, Problem>>()?, total, next }))
}

/// Losses of one sort.
#[derive(Serialize, ToSchema)]
pub struct LossGroup {
    /// To be asked for as `cause`.
    cause: String,
    why: String,
    kind: LossKind,
    field: String,
    foreseen: bool,
    count: i64,
}

/// The losses of a transfer counted by cause, kind, field and whether a plan had shown them, the most first.
#[utoipa::path(get, path = "/jobs/{id}/losses/groups", operation_id = "groupLosses", params(("id" = Uuid, Path)),
    responses((status = 200, body = Vec<LossGroup>)))]
pub async fn groups(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<Vec<LossGroup>>, Problem> {
    app.hub.store.job(id).await?;
    let one = |group: hovrel_store::LossGroup| {
        let why = hovrel_words::loss_cause(&serde_json::from_value::<LossCause>(group.cause.clone())?);
        let kind = serde_json::from_value(group.kind.into())?;
        let (field, foreseen, count) = (group.field, group.foreseen, group.count);
        Ok(LossGroup { cause: group.cause.to_string(), why, kind, field, foreseen, count })
    };
    let groups = app.hub.store.loss_groups(id).await?;
    Ok(Json(groups.into_iter().map(one).collect::<Result<_, Problem>>()?))
}
