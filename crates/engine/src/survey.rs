//! Surveying a container: reading everything in it, and keeping what was read for scope counts,
//! previews and the artefact lists.

use std::collections::HashMap;

use hovrel_connect::{Connector, Reading};
use hovrel_core::bounds::{DEEPEST_FOLDER, LONGEST_IN_PATH};
use hovrel_core::identity::Candidate;
use hovrel_core::mapping::Lane;
use hovrel_core::model::{Artefact, Kind};
use hovrel_core::survey::{Surveyor, doubles_of, drift};
use hovrel_store::{ArtefactRow, NewArtefact, NewJob};
use serde_json::json;
use uuid::Uuid;

use crate::points::point;
use crate::worker::Running;
use crate::{EngineError, Hub};

/// Reads every artefact of a kind, telling how far it is.
pub async fn read_all(
    job: &Running,
    connector: &dyn Connector,
    system: &str,
    container: &str,
    kind: Kind,
) -> Result<Vec<Artefact>, EngineError> {
    let failed = |error| EngineError::System { system: system.to_owned(), error };
    let mut reading = Reading::of(kind);
    while let Some(at) = reading.page(connector, container).await.map_err(failed)? {
        let told = json!({"phase": "reading", "system": system, "kind": kind, "read": at.read, "total": at.total});
        job.tell(told).await?;
    }
    Ok(reading.items())
}

/// Titles of the folders from the top to each folder, by id. A folder whose parents form a circle is
/// treated as standing at the top; of one that stands in too many others, the nearest are named.
pub fn folder_paths(folders: &[Artefact]) -> HashMap<String, Vec<String>> {
    let by_id: HashMap<&str, &Artefact> = folders.iter().map(|f| (f.id.as_str(), f)).collect();
    let above = |folder: &Artefact| folder.parent.as_deref().and_then(|p| by_id.get(p).copied());
    let title = |folder: &Artefact| folder.title.chars().take(LONGEST_IN_PATH).collect::<String>();
    let mut out: HashMap<String, Vec<String>> = HashMap::with_capacity(folders.len());
    for folder in folders {
        let mut path = vec![title(folder)];
        let mut seen = vec![folder.id.as_str()];
        let mut at = folder;
        while let Some(parent) = above(at).filter(|_| path.len() < DEEPEST_FOLDER) {
            if seen.contains(&parent.id.as_str()) {
                path.truncate(1);
                break;
            }
            seen.push(&parent.id);
            path.push(title(parent));
            at = parent;
        }
        path.reverse();
        out.insert(folder.id.clone(), path);
    }
    out
}

/// The folders that hold an artefact, from the top.
pub fn path_of<'p>(artefact: &Artefact, paths: &'p HashMap<String, Vec<String>>) -> &'p [String] {
    artefact.parent.as_ref().and_then(|p| paths.get(p)).map_or(&[], Vec::as_slice)
}

/// Has the ends of a route that a transfer wrote to surveyed again, unless that is to come anyway.
pub(crate) async fn again(hub: &Hub, route: Uuid) -> Result<(), EngineError> {
    let route = hub.store.route(route).await?;
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes)?;
    let mut written = vec![(route.right_system, route.right_container)];
    if lanes.iter().any(|l| l.policies.link_back) {
        written.push((route.left_system, route.left_container));
    }
    for (system, container) in written {
        let open = hub.store.open_jobs_of_system(system).await?;
        if open.iter().any(|j| j.state == "waiting" && j.container.as_deref() == Some(&container)) {
            continue;
        }
        let (system_id, container) = (Some(system), Some(container));
        let job = NewJob { id: Uuid::now_v7(), kind: "survey".into(), system_id, container, ..NewJob::default() };
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
        survey.drift = drift(&serde_json::from_value(before.catalogue)?, &catalogue);
    }
    let (catalogue, survey) = (serde_json::to_value(&catalogue)?, serde_json::to_value(&survey)?);
    hub.store.keep_survey(system.id, container, &name, &catalogue, &survey, Box::new(rows)).await?;
    Ok(json!({"artefacts": each().count()}))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn folder(n: usize, parent: Option<usize>) -> Artefact {
        let mut folder = Artefact::bare(Kind::Folder, &n.to_string());
        (folder.title, folder.parent) = (format!("Folder {n}"), parent.map(|p| p.to_string()));
        folder
    }

    /// What is named grows with the number of folders, however they stand in one another.
    #[test]
    fn a_chain_of_folders_is_named_in_part() {
        let chain: Vec<Artefact> = (0..20_000).map(|n: usize| folder(n, n.checked_sub(1))).collect();
        let paths = folder_paths(&chain);
        assert!(paths.values().all(|path| path.len() <= DEEPEST_FOLDER));
        assert_eq!(paths["2"], ["Folder 0", "Folder 1", "Folder 2"]);
        assert_eq!(paths["19999"].last().map(String::as_str), Some("Folder 19999"));
        let mut long = folder(0, None);
        long.title = "x".repeat(1_000_000);
        assert_eq!(folder_paths(&[long])["0"][0].len(), LONGEST_IN_PATH);
    }

    #[test]
    fn a_circle_of_folders_stands_at_the_top() {
        let circle = [folder(0, Some(2)), folder(1, Some(0)), folder(2, Some(1)), folder(3, Some(1))];
        let paths = folder_paths(&circle);
        assert_eq!(paths["1"], ["Folder 1"]);
        assert_eq!(paths["3"], ["Folder 3"]);
    }
}
