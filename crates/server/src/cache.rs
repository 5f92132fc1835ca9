//! What surveys found, in memory, for scope counts and previews while a person types.

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use chrono::{DateTime, Utc};
use hovrel_core::model::{Artefact, Kind};
use hovrel_store::Store;
use tokio::task::block_in_place;
use uuid::Uuid;

use crate::problem::Problem;

type Key = (Uuid, String, Kind);

/// Artefacts of one kind of one container, with the paths of their folders.
#[derive(Default)]
pub struct Surveyed {
    pub artefacts: Vec<Artefact>,
    pub paths: HashMap<String, Vec<String>>,
    places: HashMap<String, usize>,
}

impl Surveyed {
    fn new(artefacts: Vec<Artefact>, paths: HashMap<String, Vec<String>>) -> Surveyed {
        let places = artefacts.iter().enumerate().map(|(n, a)| (a.id.clone(), n)).collect();
        Surveyed { artefacts, paths, places }
    }

    pub fn by_id(&self, id: &str) -> Option<&Artefact> {
        self.artefacts.get(*self.places.get(id)?)
    }
}

/// When the survey was made, and what it found.
type Kept = (DateTime<Utc>, Arc<Surveyed>);

#[derive(Default)]
pub struct Cache(Mutex<HashMap<Key, Kept>>);

/// Kinds of containers kept, enough for both ends of a route; the oldest survey goes first.
const MOST: usize = 32;

impl Cache {
    /// The artefacts of a kind as last surveyed; empty if there was no survey.
    pub async fn get(
        &self,
        store: &Store,
        system: Uuid,
        container: &str,
        kind: Kind,
    ) -> Result<Arc<Surveyed>, Problem> {
        let Some(surveyed_at) = store.surveyed_at(system, container).await? else { return Ok(Arc::default()) };
        self.as_of(store, surveyed_at, system, container, kind).await
    }

    /// As [`Cache::get`], where it is known when the survey was made.
    pub async fn as_of(
        &self,
        store: &Store,
        surveyed_at: DateTime<Utc>,
        system: Uuid,
        container: &str,
        kind: Kind,
    ) -> Result<Arc<Surveyed>, Problem> {
        let key = (system, container.to_owned(), kind);
        let kept = self.0.lock().unwrap_or_else(|e| e.into_inner()).get(&key).cloned();
        if let Some((_, found)) = kept.filter(|(at, _)| *at == surveyed_at) {
            return Ok(found);
        }
        let read = async |kind: Kind| -> Result<Vec<Artefact>, Problem> {
            let (mut out, mut after) = (Vec::new(), -1);
            loop {
                let rows = store.artefact_bodies(system, container, kind.id(), after).await?;
                let Some((last, _)) = rows.last() else { return Ok(out) };
                after = *last;
                block_in_place(|| {
                    for (_, body) in rows {
                        out.push(serde_json::from_value::<Artefact>(body)?.compact());
                    }
                    Ok::<_, serde_json::Error>(())
                })?;
            }
        };
        let folders = read(Kind::Folder).await?;
        let paths = hovrel_engine::folder_paths(&folders);
        let artefacts = if kind == Kind::Folder { folders } else { read(kind).await? };
        let found = Arc::new(Surveyed::new(artefacts, paths));
        let mut kept = self.0.lock().unwrap_or_else(|e| e.into_inner());
        if kept.len() >= MOST {
            let oldest = kept.iter().min_by_key(|(_, (at, _))| *at).map(|(k, _)| k.clone());
            oldest.map(|k| kept.remove(&k));
        }
        kept.insert(key, (surveyed_at, found.clone()));
        Ok(found)
    }
}
