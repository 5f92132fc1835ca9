//! A plan as a file, to be kept or handed on: every change in its order with what was decided about it.

use axum::body::Body;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use futures::{Stream, StreamExt, stream};
use hovrel_store::{ChangeFilter, StoreError};
use uuid::Uuid;

use super::listed::PAGE;
use crate::App;
use crate::path::Path;
use crate::problem::Problem;

/// The whole plan as a file: every change with its decision.
#[utoipa::path(get, path = "/plans/{id}/file", operation_id = "getPlanFile", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "application/json")))]
pub async fn file(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let plan = app.hub.store.plan(id).await?;
    let digest = hex::encode(&plan.digest);
    let head = serde_json::json!({
        "plan": plan.id, "made_at": plan.made_at, "route_version": plan.route_version, "digest": digest,
        "lanes": plan.lanes, "summary": plan.summary,
    });
    let name = format!("attachment; filename=\"hovrel-plan-{}.json\"", plan.made_at.format("%Y%m%d-%H%M%S"));
    let head = head.to_string();
    let head = format!("{},\"changes\":[", head.strip_suffix('}').unwrap_or(&head));
    let one = |text: String| stream::once(async { Ok::<_, StoreError>(text) });
    let parts = one(head).chain(written_changes(app, id)).chain(one("]}".into()));
    let headers = [(header::CONTENT_DISPOSITION, name), (header::CONTENT_TYPE, "application/json".into())];
    Ok((headers, Body::from_stream(parts)).into_response())
}

/// The changes of a plan as members of a list in JSON, a page at a time: all of them together may be more than
/// memory should hold.
fn written_changes(app: App, plan: Uuid) -> impl Stream<Item = Result<String, StoreError>> {
    stream::try_unfold(Some(-1), move |after| {
        let app = app.clone();
        async move {
            let Some(after) = after else { return Ok(None) };
            let rows = app.hub.store.matching_changes(plan, &ChangeFilter::default(), after, PAGE).await?;
            let Some(last) = rows.last().map(|r| r.seq) else { return Ok(None) };
            let whole = rows.len() as i64 == PAGE;
            let written: Vec<String> = rows
                .into_iter()
                .map(|r| serde_json::json!({"change": r.body, "decision": r.decision}).to_string())
                .collect();
            let comma = if after < 0 { "" } else { "," };
            Ok(Some((format!("{comma}{}", written.join(",")), whole.then_some(last))))
        }
    })
}
