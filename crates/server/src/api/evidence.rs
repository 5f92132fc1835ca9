//! Proofs as files: a page, a spreadsheet, signed JSON; and the key that signs.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use hovrel_core::catalogue::Catalogue;
use hovrel_core::reconcile::ProofLoss;
use hovrel_engine::{LedgerLoss, RouteProof};
use hovrel_evidence::{EndFacts, Evidence, LedgerEntry, ProofFacts, RouteFacts, fingerprint, public_key};
use hovrel_store::Proof;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::path::Path;
use crate::problem::Problem;

/// How a proof is written as a file.
#[derive(Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Form {
    Html,
    Xlsx,
    Json,
}

#[derive(Serialize, ToSchema)]
pub struct SigningKeyAnswer {
    /// 32 bytes in hexadecimal.
    public_key: String,
    /// The same, short enough to be compared by people.
    fingerprint: String,
}

/// The public key that proofs are signed with, to be told to whoever gets one.
#[utoipa::path(get, path = "/signing-key", operation_id = "getSigningKey", responses((status = 200, body = SigningKeyAnswer)))]
pub async fn key(State(app): State<App>) -> Result<Json<SigningKeyAnswer>, Problem> {
    let public = public_key(&app.hub.signing_key().await?);
    Ok(Json(SigningKeyAnswer { public_key: hex::encode(public), fingerprint: fingerprint(&public) }))
}

/// A proof with its loss ledger as a file.
#[utoipa::path(get, path = "/routes/{id}/proofs/{proof}/files/{form}", operation_id = "getProofFile",
    params(("id" = Uuid, Path), ("proof" = Uuid, Path), ("form" = Form, Path)),
    responses((status = 200, content_type = "application/octet-stream")))]
pub async fn file(
    State(app): State<App>,
    Path((id, proof, form)): Path<(Uuid, Uuid, Form)>,
) -> Result<Response, Problem> {
    let proof = app.hub.store.proof(id, proof).await?;
    let name = format!("hovrel-proof-{}", proof.at.format("%Y%m%d-%H%M%S"));
    let evidence = gathered(&app, id, proof).await?;
    let secret = app.hub.signing_key().await?;
    // Writing a long list takes a while, and must not hold up others.
    let written = tokio::task::spawn_blocking(move || match form {
        Form::Html => {
            let page = hovrel_evidence::page(&evidence, &fingerprint(&public_key(&secret)));
            Ok(("text/html; charset=utf-8", "html", page.into_bytes()))
        }
        Form::Xlsx => {
            let sheet = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";
            hovrel_evidence::spreadsheet(&evidence).map(|bytes| (sheet, "xlsx", bytes))
        }
        Form::Json => Ok(("application/json", "json", hovrel_evidence::sign(&evidence, &secret))),
    });
    let (kind, ending, bytes) = written.await.map_err(Problem::internal)?.map_err(Problem::internal)?;
    let disposition = format!("attachment; filename=\"{name}.{ending}\"");
    Ok(([(header::CONTENT_TYPE, kind.to_owned()), (header::CONTENT_DISPOSITION, disposition)], bytes).into_response())
}

fn entry(l: LedgerLoss) -> LedgerEntry {
    let ProofLoss { left_key, right_key, loss } = l.of;
    LedgerEntry { left_key, right_key, foreseen: l.foreseen, loss }
}

async fn gathered(app: &App, id: Uuid, row: Proof) -> Result<Evidence, Problem> {
    let store = &app.hub.store;
    let route = store.route(id).await?;
    let proof: RouteProof = serde_json::from_value(row.body)?;
    let ledger = match proof.ledger {
        Some(ledger) => ledger.into_iter().map(entry).collect(),
        // Proofs of before the ledger was kept with them.
        None => store
            .losses(id)
            .await?
            .into_iter()
            .map(|l| {
                let loss = serde_json::from_value(l.body)?;
                Ok(LedgerEntry { left_key: l.left_key, right_key: l.right_key, foreseen: l.foreseen, loss })
            })
            .collect::<Result<Vec<_>, serde_json::Error>>()?,
    };
    let right = store.survey(route.right_system, &route.right_container).await?;
    let catalogue: Catalogue = right.map(|r| serde_json::from_value(r.catalogue)).transpose()?.unwrap_or_default();
    let names = catalogue.kinds.iter().map(|kind| {
        let fields: BTreeMap<String, String> =
            kind.fields.iter().filter(|f| !f.id.starts_with('@')).map(|f| (f.id.clone(), f.name.clone())).collect();
        (kind.kind.id().to_owned(), fields)
    });
    let end = async |system: Uuid, container: &str| -> Result<EndFacts, Problem> {
        let system = store.system(system).await?;
        let survey = store.survey(system.id, container).await?;
        let container = survey.map_or_else(|| container.to_owned(), |s| s.container_name);
        Ok(EndFacts { system: system.name, address: system.address, container })
    };
    Ok(Evidence {
        hovrel: env!("CARGO_PKG_VERSION").to_owned(),
        route: RouteFacts {
            id,
            version: proof.route_version,
            left: end(route.left_system, &route.left_container).await?,
            right: end(route.right_system, &route.right_container).await?,
            name: route.name,
        },
        proof: ProofFacts {
            id: row.id,
            at: row.at,
            headline: proof.headline,
            lanes: proof.lanes,
            losses_foreseen: proof.losses_foreseen,
            losses_unforeseen: proof.losses_unforeseen,
        },
        ledger,
        names: names.collect(),
    })
}
