//! What a person chooses for conflicts: for one, or for all that are like it.

use axum::extract::State;
use axum::http::StatusCode;
use axum::{Extension, Json};
use hovrel_core::conflict::{Choice, Pick, Take};
use hovrel_core::model::{End, Ends, Value};
use hovrel_store::{ConflictFilter, ConflictRow, SeenConflict, Session, SettledConflict};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::listed::ListedConflict;
use super::read::{Generation, generations};
use crate::App;
use crate::api::called::Called;
use crate::body::Body;
use crate::path::Path;
use crate::problem::{FieldProblem, Problem};

/// So many are settled at once.
const MOST: usize = 500;

/// A conflict as it was shown.
#[derive(Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct AsShown {
    id: Uuid,
    generation: i32,
    revision: i32,
}

impl AsShown {
    fn seen(&self) -> SeenConflict {
        SeenConflict { id: self.id, generation: self.generation, revision: self.revision }
    }
}

/// Both edits, put together.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum MergeBody {
    /// What is taken for each part that both edited, in order.
    Picks(Vec<Pick>),
    /// The whole of a text.
    Text(String),
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SettleConflicts {
    conflicts: Vec<AsShown>,
    take: Take,
    /// For a merge of one conflict.
    merge: Option<MergeBody>,
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReopenConflicts {
    conflicts: Vec<AsShown>,
}

/// Those that are open of the same rule for the same reason.
pub(super) fn like(row: &ConflictRow) -> ConflictFilter {
    ConflictFilter {
        state: Some("open".into()),
        routes: Some(vec![row.route_id]),
        lane: Some(row.lane.clone()),
        rule: Some(row.rule.clone()),
        reason: Some(row.reason.clone()),
        ..ConflictFilter::default()
    }
}

async fn shown(app: &App, list: &[AsShown]) -> Result<Vec<ConflictRow>, Problem> {
    if list.is_empty() || list.len() > MOST {
        return Err(Problem::field("/conflicts", format!("name 1 to {MOST} conflicts")));
    }
    let ids: Vec<Uuid> = list.iter().map(|c| c.id).collect();
    let mut rows = app.hub.store.conflicts(&ids).await?;
    let place = |id: Uuid| ids.iter().position(|other| *other == id);
    rows.sort_by_key(|row| place(row.id));
    match rows.len() == ids.len() {
        true => Ok(rows),
        false => Err(Problem::field("/conflicts", "some of them are not there, or are named twice")),
    }
}

/// Chooses what becomes of conflicts, all of them or none: one that is not as it was shown any more is shown again. Answers how
/// they are named from now on.
#[utoipa::path(post, path = "/conflicts/settle", operation_id = "settleConflicts", request_body = SettleConflicts,
    responses((status = 200, body = Vec<AsShown>)))]
pub async fn settle(
    State(app): State<App>,
    Extension(session): Extension<Session>,
    Body(body): Body<SettleConflicts>,
) -> Result<Json<Vec<AsShown>>, Problem> {
    let rows = shown(&app, &body.conflicts).await?;
    if (body.take == Take::Merge) != body.merge.is_some() || (body.merge.is_some() && rows.len() > 1) {
        return Err(Problem::field("/merge", "a merge is put together for one conflict"));
    }
    let called = Called::of(&app, rows.iter().map(|r| r.route_id)).await?;
    let all = generations(&app.hub.store, &rows).await?;
    let (mut faults, mut list) = (Vec::new(), Vec::new());
    for (n, (row, of)) in rows.iter().zip(&body.conflicts).enumerate() {
        let latest = all.get(&row.id).and_then(|all| all.first());
        let first = called.first(row.route_id, &row.lane);
        let of = of.seen();
        match latest.map(|latest| choice(latest, first, body.take, body.merge.as_ref())) {
            // The store finds that it is another by now.
            None => list.push(SettledConflict { of, choice: None }),
            Some(Ok(choice)) => {
                list.push(SettledConflict { of, choice: Some(serde_json::to_value(choice)?) });
            }
            Some(Err(detail)) => {
                let detail = format!("{} {}: {detail}", row.left_key, row.title);
                faults.push(FieldProblem { pointer: format!("/conflicts/{n}"), detail });
            }
        }
    }
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    keep(&app, &session, &rows, &list).await
}

/// Opens settled conflicts again, all of them or none. Answers how they are named from now on.
#[utoipa::path(post, path = "/conflicts/reopen", operation_id = "reopenConflicts", request_body = ReopenConflicts,
    responses((status = 200, body = Vec<AsShown>)))]
pub async fn reopen(
    State(app): State<App>,
    Extension(session): Extension<Session>,
    Body(body): Body<ReopenConflicts>,
) -> Result<Json<Vec<AsShown>>, Problem> {
    let rows = shown(&app, &body.conflicts).await?;
    let one = |c: &AsShown| SettledConflict { of: c.seen(), choice: None };
    let list: Vec<SettledConflict> = body.conflicts.iter().map(one).collect();
    keep(&app, &session, &rows, &list).await
}

async fn keep(
    app: &App,
    session: &Session,
    rows: &[ConflictRow],
    list: &[SettledConflict],
) -> Result<Json<Vec<AsShown>>, Problem> {
    let others = app.hub.store.settle_conflicts(session.person.id, list).await?;
    if others.is_empty() {
        let now =
            |s: &SettledConflict| AsShown { id: s.of.id, generation: s.of.generation, revision: s.of.revision + 1 };
        return Ok(Json(list.iter().map(now).collect()));
    }
    let named: Vec<&str> = rows.iter().filter(|r| others.contains(&r.id)).map(|r| r.left_key.as_str()).collect();
    Err(Problem::new(
        StatusCode::PRECONDITION_FAILED,
        "other-generation",
        "Something changed since this was shown",
        format!(
            "A later dry run found other values, another person decided, or it is over: {}. Nothing was saved.",
            named.join(", ")
        ),
        "Look at what is there now, and decide again.",
    ))
}

/// What is chosen for a generation, as it is kept; or why that can't be chosen.
fn choice(generation: &Generation, first: End, take: Take, merge: Option<&MergeBody>) -> Result<Choice, &'static str> {
    if !generation.takes(first).contains(&take) {
        return Err("this can't be chosen here; see why at the conflict");
    }
    let Some(merge) = merge else { return Ok(Choice { take, merged: None }) };
    let proposal = generation.proposal(first).ok_or("its edits can't be merged")?;
    let merged = match merge {
        MergeBody::Picks(picks) => proposal.with(picks).ok_or("choose for each part that both ends edited")?,
        MergeBody::Text(text) => {
            let of_text = |value: Option<&Value>| matches!(value, Some(Value::Text(_) | Value::Empty));
            if !of_text(generation.field.held(first)) || !of_text(Some(&generation.field.write)) {
                return Err("only a plain text is edited as a whole");
            }
            Value::Text(text.clone()).settled()
        }
    };
    Ok(Choice { take, merged: Some(merged) })
}

/// A conflict that is like another, with what it is about.
#[derive(Serialize, ToSchema)]
pub struct SimilarConflict {
    conflict: ListedConflict,
    /// What may be chosen for it.
    takes: Vec<Take>,
    left: String,
    right: String,
}

#[derive(Serialize, ToSchema)]
pub struct SimilarConflicts {
    items: Vec<SimilarConflict>,
    /// How many there are; the first of them are listed.
    total: i64,
}

/// The conflicts that are open of the same rule for the same reason, this one among them if it is.
#[utoipa::path(get, path = "/conflicts/{id}/similar", operation_id = "similarConflicts", params(("id" = Uuid, Path)),
    responses((status = 200, body = SimilarConflicts)))]
pub async fn similar(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<SimilarConflicts>, Problem> {
    let row = app.hub.store.conflict(id).await?;
    let (rows, total) = app.hub.store.list_conflicts(&like(&row), None, MOST as i64).await?;
    let called = Called::of(&app, std::iter::once(row.route_id)).await?;
    let all = generations(&app.hub.store, &rows).await?;
    let first = called.first(row.route_id, &row.lane);
    let mut items = Vec::new();
    for row in rows {
        let Some(latest) = all.get(&row.id).and_then(|all| all.first()) else { continue };
        let text = Ends::of(|end| latest.field.held(end).map(|v| short(&v.display())).unwrap_or_default());
        let takes = latest.takes(first);
        let conflict = ListedConflict::of(row, &called)?;
        items.push(SimilarConflict { conflict, takes, left: text.left, right: text.right });
    }
    Ok(Json(SimilarConflicts { items, total }))
}

/// A value in a line of a list.
fn short(text: &str) -> String {
    const LONGEST: usize = 120;
    match text.char_indices().nth(LONGEST) {
        Some((at, _)) => format!("{}…", &text[..at]),
        None => text.to_owned(),
    }
}
