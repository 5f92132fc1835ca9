//! Surveying a container: reading everything in it, and keeping what was read for scope counts,
//! previews and the artefact lists.

use hovrel_core::identity::Candidate;
use hovrel_core::model::{End, Kind};
use hovrel_core::rules::Lane;
use hovrel_core::survey::{Surveyor, doubles_of, drift};
use hovrel_store::{ArtefactRow, JobKind, JobState, NewArtefact, NewJob};
use serde_json::json;
use uuid::Uuid;

use crate::jobs::Running;
use crate::points::point;
use crate::reading::{folder_paths, path_of, read_all};
use crate::{EngineError, Hub};

/// Has the ends of a route that a transfer wrote to surveyed again, unless that is to come anyway.
pub(crate) async fn again(hub: &Hub, route: Uuid) -> Result<(), EngineError> {
    let route = hub.store.route(route).await?;
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    let is_written = |end: &End| lanes.iter().any(|lane| lane.writes(*end).is_some());
    for end in [End::Right, End::Left].into_iter().filter(is_written) {
        let (system, container) = route.end(end);
        let open = hub.store.open_jobs_of_system(system).await?;
        if open.iter().any(|j| j.state == JobState::Waiting && j.container.as_deref() == Some(container)) {
            continue;
        }
        let (system_id, container) = (Some(system), Some(container.to_owned()));
        let job = NewJob { system_id, container, ..NewJob::of(JobKind::Survey) };
        hub.store.queue(&job).await?;
        hub.wake.notify_one();
    }
    Ok(())
}

pub(crate) async fn run(
    hub: &Hub,
    job: &Running,
    system: Uuid,
    container: &str,
) -> Result<serde_json::Value, EngineError> {
    let system = hub.store.system(system).await?;
    let connector = hub.connect(&system)?;
    let failed = |error| EngineError::System { system: system.name.clone(), error };
    let containers = connector.containers().await.map_err(failed)?;
    let name = containers.iter().find(|c| c.id == container).map_or(container, |c| c.name.as_str()).to_owned();
    let catalogue = connector.catalogue(container).await.map_err(failed)?;
    let before = hub.store.survey(system.id, container).await?;
    point("survey begun");
    let mut surveyor = Surveyor::default();
    let mut all = Vec::new();
    for schema in &catalogue.kinds {
        let artefacts = read_all(job, &*connector, &system.name, container, schema.kind).await?;
        all.push((schema.kind, artefacts));
    }
    let folders = all.iter().find(|(k, _)| *k == Kind::Folder).map(|(_, a)| a.as_slice()).unwrap_or_default();
    let paths = folder_paths(folders);
    let each = || all.iter().flat_map(|(kind, list)| list.iter().enumerate().map(move |(n, a)| (*kind, n, a)));
    each().for_each(|(.., a)| surveyor.see(a));
    let rows = each().map(|(kind, n, a)| {
        let row = ArtefactRow {
            system_id: system.id,
            container: container.to_owned(),
            kind: kind.id().to_owned(),
            external_id: a.id.clone(),
            seq: n as i32 + 1,
            key: a.key.clone(),
            title: a.title.clone(),
            path: path_of(a, &paths).join(" / "),
            body: serde_json::to_value(a)?,
        };
        Ok(NewArtefact { row, words: a.words() })
    });
    let mut survey = surveyor.finish();
    for (kind, list) in &all {
        let seen = |a| Candidate { artefact: a, path: path_of(a, &paths).join(" / ") };
        let told = survey.kinds.iter_mut().find(|k| k.kind == *kind);
        if let Some(told) = told {
            let candidates: Vec<_> = list.iter().map(seen).collect();
            (told.doubles_count, told.doubles) = tokio::task::block_in_place(|| doubles_of(*kind, &candidates));
        }
    }
    if let Some(before) = before {
        let changed = drift(&serde_json::from_value(before.catalogue)?, &catalogue);
        survey.drift = changed.iter().map(hovrel_words::catalogue_change).collect();
    }
    let (catalogue, survey) = (serde_json::to_value(&catalogue)?, serde_json::to_value(&survey)?);
    hub.store.keep_survey(system.id, container, &name, &catalogue, &survey, Box::new(rows)).await?;
    Ok(json!({"artefacts": each().count()}))
}
