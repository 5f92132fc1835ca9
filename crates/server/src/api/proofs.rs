//! Proofs: begin one, look at the latest and at those before it.

use axum::Json;
use axum::extract::State;
use axum::response::Response;
use chrono::{DateTime, Utc};
use hovrel_core::reconcile::{DifferenceCause, Headline, LaneProof};
use hovrel_engine::{ProofOptions, ReadFiles, RouteProof};
use hovrel_store::{JobKind, NewJob, ProofHead};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::jobs::JobAnswer;
use super::ledger::LedgerLine;
use crate::App;
use crate::body::Body;
use crate::path::Path;
use crate::problem::Problem;
use crate::query::Query;

#[derive(Serialize, ToSchema)]
pub struct ProofAnswer {
    id: Uuid,
    at: DateTime<Utc>,
    left_system: String,
    right_system: String,
    route_version: i32,
    /// Fields and items that are not as the rules say, for whatever reason.
    differences: i32,
    /// What it comes to.
    headline: HeadlineAnswer,
    losses_foreseen: u64,
    losses_unforeseen: u64,
    /// Losses that stand and that no plan had shown before they happened.
    unforeseen: Vec<LedgerLine>,
    lanes: Vec<LaneProof>,
}

/// What a proof comes to, in three figures of different weight.
#[derive(Serialize, ToSchema)]
pub struct HeadlineAnswer {
    /// Fields that are as they should be: they agree, with their losses declared, or differ as is on record.
    agrees: u64,
    waits_items: u64,
    waits_fields: u64,
    /// What is waited for.
    waits: Vec<WaitsAnswer>,
    unexplained_items: u64,
    unexplained_fields: u64,
    /// In one sentence.
    told: String,
}

/// Items that wait for one thing.
#[derive(Serialize, ToSchema)]
pub struct WaitsAnswer {
    cause: DifferenceCause,
    why: String,
    items: u64,
    /// Of these, items of which nothing is at the right.
    whole: u64,
    fields: u64,
}

impl HeadlineAnswer {
    fn of(h: &Headline) -> HeadlineAnswer {
        let waits = h.waits.iter().map(|w| WaitsAnswer {
            cause: w.cause,
            why: hovrel_words::difference_cause(w.cause).to_owned(),
            items: w.items,
            whole: w.whole,
            fields: w.fields,
        });
        HeadlineAnswer {
            agrees: h.agrees,
            waits_items: h.waits_items,
            waits_fields: h.waits_fields,
            waits: waits.collect(),
            unexplained_items: h.unexplained_items,
            unexplained_fields: h.unexplained_fields,
            told: hovrel_words::headline(h),
        }
    }
}

/// A proof in its figures.
#[derive(Serialize, ToSchema)]
pub struct ProofHeadAnswer {
    id: Uuid,
    at: DateTime<Utc>,
    differences: i32,
    waits: i32,
    unexplained: i32,
}

#[derive(Serialize, ToSchema)]
pub struct ProofList {
    proofs: Vec<ProofHeadAnswer>,
    /// To be asked for as `before`, if there are more.
    next: Option<DateTime<Utc>>,
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct ProofsQuery {
    /// Only proofs made before this time.
    before: Option<DateTime<Utc>>,
}

const PAGE: i64 = 50;

/// The proofs of a route, the latest first. They are kept for ever.
#[utoipa::path(get, path = "/routes/{id}/proofs/list", operation_id = "listProofs", params(("id" = Uuid, Path), ProofsQuery),
    responses((status = 200, body = ProofList)))]
pub async fn list(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<ProofsQuery>,
) -> Result<Json<ProofList>, Problem> {
    app.hub.store.route(id).await?;
    let before = query.before.unwrap_or(DateTime::<Utc>::MAX_UTC);
    let heads = app.hub.store.proof_heads(id, before, PAGE).await?;
    let next = heads.last().filter(|_| heads.len() as i64 == PAGE).map(|p| p.at);
    let one = |p: ProofHead| ProofHeadAnswer {
        id: p.id,
        at: p.at,
        differences: p.differences,
        waits: p.waits,
        unexplained: p.unexplained,
    };
    Ok(Json(ProofList { proofs: heads.into_iter().map(one).collect(), next }))
}

/// Which proof.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct ProofQuery {
    /// One of the route's proofs; the latest if left out.
    proof: Option<Uuid>,
}

/// The proof page's state: a proof, and the job if one runs.
#[derive(Serialize, ToSchema)]
pub struct ProofState {
    proof: Option<ProofAnswer>,
    job: Option<JobAnswer>,
}

/// A proof of a route, the latest if none is named.
#[utoipa::path(get, path = "/routes/{id}/proofs", operation_id = "getProof", params(("id" = Uuid, Path), ProofQuery),
    responses((status = 200, body = ProofState)))]
pub async fn latest(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<ProofQuery>,
) -> Result<Json<ProofState>, Problem> {
    app.hub.store.route(id).await?;
    let row = match query.proof {
        Some(proof) => Some(app.hub.store.proof(id, proof).await?),
        None => app.hub.store.latest_proof(id).await?,
    };
    let proof = match row {
        None => None,
        Some(row) => {
            let proof: RouteProof = serde_json::from_value(row.body)?;
            Some(ProofAnswer {
                id: row.id,
                at: row.at,
                left_system: proof.left_system,
                right_system: proof.right_system,
                route_version: proof.route_version,
                differences: row.differences,
                headline: HeadlineAnswer::of(&proof.headline),
                losses_foreseen: proof.losses_foreseen,
                losses_unforeseen: proof.losses_unforeseen,
                unforeseen: proof.unforeseen.iter().map(LedgerLine::unforeseen).collect(),
                lanes: proof.lanes,
            })
        }
    };
    let job = app.hub.store.latest_job(id, JobKind::Proof).await?.map(JobAnswer::of);
    Ok(Json(ProofState { proof, job }))
}

/// What a proof is to read.
#[derive(Debug, Default, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ProveBody {
    #[serde(default)]
    files: FilesBody,
}

/// Whether files are read at both ends and compared byte by byte. A proof says how many it read.
#[derive(Debug, Default, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FilesBody {
    /// They are compared by the digests that the systems state.
    #[default]
    None,
    /// So many of them, chosen at random.
    Sample(u32),
    All,
}

/// A sample of more files than this is no sample.
const LARGEST_SAMPLE: u32 = 100_000;

/// Begins a proof: both ends are read again and compared.
#[utoipa::path(post, path = "/routes/{id}/proofs", operation_id = "prove", params(("id" = Uuid, Path)), request_body = Option<ProveBody>,
    responses((status = 202, body = JobAnswer)))]
pub async fn prove(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    body: Option<Body<ProveBody>>,
) -> Result<Response, Problem> {
    app.hub.store.route(id).await?;
    let files = match body.map(|Body(body)| body.files).unwrap_or_default() {
        FilesBody::None => ReadFiles::None,
        FilesBody::All => ReadFiles::All,
        FilesBody::Sample(n) if (1..=LARGEST_SAMPLE).contains(&n) => ReadFiles::Sample(n),
        FilesBody::Sample(_) => {
            let detail = format!("a sample has 1 to {LARGEST_SAMPLE} files");
            return Err(Problem::field("/files/sample", detail));
        }
    };
    let options = serde_json::to_value(ProofOptions { files })?;
    let job = NewJob { route_id: Some(id), options, ..NewJob::of(JobKind::Proof) };
    super::jobs::queue(&app, job).await
}
