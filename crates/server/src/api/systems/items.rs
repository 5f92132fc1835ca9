//! What is in a container, as a tree of folders and as a list that is searched.

use axum::Json;
use axum::extract::State;
use hovrel_core::model::{Artefact, Kind};
use hovrel_store::ArtefactFilter;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::App;
use crate::path::Path;
use crate::problem::Problem;
use crate::query::Query;

#[derive(Serialize, ToSchema)]
pub struct FolderNode {
    id: String,
    title: String,
    /// Titles of the folders above and this one.
    path: Vec<String>,
    /// Artefacts directly in it.
    items: u64,
}

/// The folders of a project with how much is in each, in order of their paths.
#[utoipa::path(get, path = "/systems/{id}/containers/{container}/folders", operation_id = "listFolders",
    params(("id" = Uuid, Path), ("container" = String, Path)),
    responses((status = 200, body = Vec<FolderNode>)))]
pub async fn folder_tree(
    State(app): State<App>,
    Path((id, container)): Path<(Uuid, String)>,
) -> Result<Json<Vec<FolderNode>>, Problem> {
    let store = &app.hub.store;
    let folders = app.cache.get(store, id, &container, Kind::Folder).await?;
    let cases = app.cache.get(store, id, &container, Kind::TestCase).await?;
    let mut counts: std::collections::HashMap<&str, u64> = std::collections::HashMap::new();
    for parent in cases.artefacts.iter().filter_map(|a| a.parent.as_deref()) {
        *counts.entry(parent).or_default() += 1;
    }
    let mut nodes: Vec<FolderNode> = folders
        .artefacts
        .iter()
        .map(|f| FolderNode {
            id: f.id.clone(),
            title: f.title.clone(),
            path: folders.paths.get(&f.id).cloned().unwrap_or_default(),
            items: counts.get(f.id.as_str()).copied().unwrap_or(0),
        })
        .collect();
    nodes.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(Json(nodes))
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct ArtefactQuery {
    kind: Kind,
    /// Words in title, key or folder path.
    find: Option<String>,
    /// With `value`: only items whose field holds it.
    field: Option<String>,
    value: Option<String>,
    /// Only items with files, or only those whose text could not be read exactly.
    holds: Option<Holds>,
    /// Cursor of the page before.
    after: Option<i32>,
    limit: Option<i64>,
}

#[derive(Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Holds {
    Files,
    ReadLosses,
}

#[derive(Serialize, ToSchema)]
pub struct ArtefactList {
    items: Vec<ListedArtefact>,
    /// How many match; of a filter's matches 500 are counted.
    total: i64,
    /// More match than `total`, which were counted.
    more: bool,
    /// Cursor of the next page; none at the end.
    next: Option<i32>,
}

#[derive(Serialize, ToSchema)]
pub struct ListedArtefact {
    path: String,
    artefact: Artefact,
}

const PAGE: i64 = 100;

/// Artefacts of a project, as surveyed.
#[utoipa::path(get, path = "/systems/{id}/containers/{container}/artefacts", operation_id = "listArtefacts",
    params(("id" = Uuid, Path), ("container" = String, Path), ArtefactQuery),
    responses((status = 200, body = ArtefactList)))]
pub async fn artefacts(
    State(app): State<App>,
    Path((id, container)): Path<(Uuid, String)>,
    Query(query): Query<ArtefactQuery>,
) -> Result<Json<ArtefactList>, Problem> {
    let not_surveyed = || Problem::missing("A survey of this project");
    match &query.field {
        None => _ = app.hub.store.surveyed_at(id, &container).await?.ok_or_else(not_surveyed)?,
        Some(field) => {
            let schema = crate::api::rules::end_schema(&app, id, &container).await?.ok_or_else(not_surveyed)?;
            if schema.catalogue.kind(query.kind).is_none_or(|k| k.field(field).is_none()) {
                let detail = format!("a {} has no field “{field}” there", query.kind.word());
                return Err(Problem::field("/field", detail));
            }
        }
    }
    let filter = ArtefactFilter {
        kind: query.kind.id().into(),
        find: query.find.filter(|f| !f.trim().is_empty()),
        field: query.field.map(|f| (f, query.value.unwrap_or_default())),
        with_files: query.holds == Some(Holds::Files),
        with_read_losses: query.holds == Some(Holds::ReadLosses),
        after: query.after.unwrap_or(0),
        limit: query.limit.unwrap_or(PAGE).clamp(1, 500),
    };
    let (rows, total) = app.hub.store.list_artefacts(id, &container, &filter).await?;
    let next = (rows.len() as i64 == filter.limit).then(|| rows.last().map(|r| r.seq)).flatten();
    let items =
        rows.into_iter().map(|r| Ok(ListedArtefact { path: r.path, artefact: serde_json::from_value(r.body)? }));
    Ok(Json(ArtefactList {
        items: items.collect::<Result<_, Problem>>()?,
        total: total.counted,
        more: total.more,
        next,
    }))
}
