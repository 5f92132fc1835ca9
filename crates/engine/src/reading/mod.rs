//! Reading one end: its items page by page, their folders, single items that are not among them, and files.
//!
//! Decides how an end is asked; what is read of a route is decided in [`crate::route`].

mod absent;
mod digest;
mod folders;
mod pace;

pub(crate) use absent::{Absences, AskedEnd, absences};
pub(crate) use digest::digest;
pub use folders::{folder_paths, path_of};
pub(crate) use pace::pace;

use hovrel_connect::{Connector, Reading};
use hovrel_core::model::{Artefact, Kind};
use serde_json::json;

use crate::EngineError;
use crate::jobs::Running;

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
